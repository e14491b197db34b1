package document

import (
	"context"
	"slices"
	"time"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// counted is up to how many documents of a collection are looked at when it is
// read; of a larger one only the first are.
const counted = 20_000

// Discover reads the collections that have a shape, and measures the quirks; see
// connect.Source.
func (s *Source) Discover(ctx context.Context) (*catalog.Source, error) {
	version, err := s.version(ctx)
	if err != nil {
		return nil, err
	}
	found := &catalog.Source{Name: s.name, Kind: "document", Version: version, Quirks: map[string]catalog.Quirk{}}
	sets, err := s.Sets(ctx)
	if err != nil {
		return nil, err
	}
	cross := newCrossReading(s, found)
	of := map[string]string{}
	for _, sh := range s.shapes {
		if !slices.ContainsFunc(sets, func(r connect.RecordSet) bool { return r.Name == sh.Set }) {
			found.Quirks["left out: "+sh.Set] = catalog.Quirk{Value: "gone", Meaning: "The collection of this shape is not there any more."}
			continue
		}
		flats, err := sh.Flats()
		if err != nil {
			return nil, s.inDocument(sh.Set, bson.RawValue{}, err)
		}
		tables, read, err := s.describe(ctx, sh.Set, flats)
		if err != nil {
			return nil, err
		}
		for _, t := range tables {
			if other, taken := of[t.Name]; taken {
				return nil, value.Errorf(value.CodeDuplicate, "%s: %s and %s would both have the table %s", s.name, other, sh.Set, t.Name).WithHint("rename it in the shape of one of them")
			}
			of[t.Name] = sh.Set
		}
		found.Tables = append(found.Tables, tables...)
		if err := cross.collection(ctx, sh.Set, tables, read); err != nil {
			return nil, err
		}
	}
	cross.finish(time.Now().UTC().Truncate(time.Second), version)
	return found, nil
}

// Measures reports whether found has all quirks; see connect.Source.
func (s *Source) Measures(found *catalog.Source) bool {
	_, nan := found.Quirks[nanQuirk]
	_, decimals := found.Quirks[decimalQuirk] // and what it is asked for with
	return nan && decimals
}

// counter counts the rows of a table, and holds those of the first documents for
// reading them another way.
type counter struct {
	*shape.Flattener
	flat *shape.Flat
	rows int64
	// held are the first documents' rows, by column; the documents count from 0.
	held [][]value.Value
	of   []int
	row  []value.Value
	doc  int
	// unfit are the documents with values that do not fit, by column.
	unfit  []map[int]bool
	before []int64 // misfits so far, by column
}

func (c *counter) Null(column int) {
	c.row = append(c.row, value.NullOf(c.flat.Cells[column].Type.Kind))
}

func (c *counter) Put(column int, text []byte) error {
	v, err := value.Parse(c.flat.Cells[column].Type.Kind, string(text))
	if err == nil {
		c.row = append(c.row, v)
	}
	return err
}

func (c *counter) Row() error {
	c.rows++
	if c.doc < crossRead {
		for i, v := range c.row {
			c.held[i] = append(c.held[i], v)
			if n := c.Seen[i].Misfits; n > c.before[i] {
				c.before[i] = n
				c.unfit[i][c.doc] = true
			}
		}
		c.of = append(c.of, c.doc)
	}
	c.row = c.row[:0]
	return nil
}

// reading is what was read of a collection: its tables' first rows, and the
// identifiers of its first documents.
type reading struct {
	tables []*counter
	ids    []bson.RawValue
}

// describe reads the documents of a collection as the tables of its shape.
func (s *Source) describe(ctx context.Context, set string, flats []*shape.Flat) ([]*catalog.Table, *reading, error) {
	out := &reading{}
	for _, flat := range flats {
		fl, err := flat.Lenient()
		if err != nil {
			return nil, nil, err
		}
		c := &counter{Flattener: fl, flat: flat, held: make([][]value.Value, len(flat.Cells)), before: make([]int64, len(flat.Cells))}
		for range flat.Cells {
			c.unfit = append(c.unfit, map[int]bool{})
		}
		out.tables = append(out.tables, c)
	}
	db, err := s.database(ctx)
	if err != nil {
		return nil, nil, err
	}
	cur, err := db.Collection(set).Find(ctx, bson.D{})
	if err != nil {
		return nil, nil, s.explain(err)
	}
	defer cur.Close(ctx)
	n := int64(0)
	for n < counted && cur.Next(ctx) {
		n++
		v, err := record(cur.Current)
		if err != nil {
			return nil, nil, s.inDocument(set, cur.Current.Lookup("_id"), err)
		}
		if n <= crossRead {
			id := cur.Current.Lookup("_id")
			out.ids = append(out.ids, bson.RawValue{Type: id.Type, Value: slices.Clone(id.Value)})
		}
		for _, c := range out.tables {
			c.doc = int(n - 1)
			if err := c.Flatten(v, set, n, c); err != nil {
				return nil, nil, s.inDocument(set, cur.Current.Lookup("_id"), err)
			}
		}
	}
	if err := cur.Err(); err != nil {
		return nil, nil, s.explain(err)
	}
	total := n
	if n == counted {
		if all, err := db.Collection(set).EstimatedDocumentCount(ctx); err == nil {
			total = max(total, all)
		}
	}
	var tables []*catalog.Table
	for _, c := range out.tables {
		t := connect.ShapedTable(s.name, c.flat, c.Seen, c.rows, tables)
		if n > 0 {
			t.Rows = c.rows * total / n
		}
		for i := range t.Columns {
			distinct(&t.Columns[i], c.held[i], c.rows)
		}
		if key := unique(c.flat); key != nil {
			t.Keys = append(t.Keys, catalog.Key{Columns: key, Primary: true})
		}
		tables = append(tables, t)
	}
	return tables, out, nil
}

// unique are the columns that no two rows share: the document's own identifier,
// and the positions within it. Others a server does not see to.
func unique(flat *shape.Flat) []string {
	var out []string
	id := slices.IndexFunc(flat.Cells, func(c shape.Cell) bool { return c.Level == 0 && c.Path == "$._id" && c.Misfit == shape.Fails })
	if id < 0 {
		return nil
	}
	out = append(out, flat.Cells[id].Name)
	for level := 1; level < len(flat.Steps); level++ {
		at := slices.IndexFunc(flat.Cells, func(c shape.Cell) bool { return c.Level == level && c.From == shape.FromPosition })
		if at < 0 {
			return nil
		}
		out = append(out, flat.Cells[at].Name)
	}
	return out
}

// distinct estimates the distinct values of a column from the first ones.
func distinct(col *catalog.Column, held []value.Value, rows int64) {
	seen := map[string]int{}
	n, half := 0, 0
	for i, v := range held {
		if i == len(held)/2 {
			half = len(seen)
		}
		if !v.IsNull {
			seen[v.String()]++
			n++
		}
	}
	if n == 0 {
		return
	}
	col.Distinct = int64(len(seen))
	// Where the second half had as many new ones as a key has, so has the rest.
	if grew := len(seen) - half; grew*4 > len(seen) && len(held) > 1 {
		col.Distinct += int64(grew) * max(rows-int64(len(held)), 0) / int64(len(held)-len(held)/2)
		return
	}
	const most = 100
	if len(seen) > most {
		return
	}
	for v, c := range seen {
		col.Common = append(col.Common, catalog.CommonValue{Value: v, Share: float64(c) / float64(n)})
	}
	slices.SortFunc(col.Common, func(a, b catalog.CommonValue) int {
		if a.Share != b.Share {
			return map[bool]int{true: -1, false: 1}[a.Share > b.Share]
		}
		return map[bool]int{true: -1, false: 1}[a.Value < b.Value]
	})
}
