package sources

import (
	"context"
	"slices"
	"time"

	"rovik/app/project"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// discover reads a source with its shapes, and those proposed for what has none
// and needs one.
func discover(ctx context.Context, conn connect.Source, shapes []*shape.Shape) ([]*shape.Shape, *catalog.Source, error) {
	if s, ok := conn.(connect.Shaper); ok && s.Language() != "" {
		var err error
		for i, sh := range shapes {
			if sh.Language == "" {
				with := *sh
				with.Language = s.Language()
				shapes = slices.Clone(shapes)
				shapes[i] = &with
			}
		}
		if shapes, err = connect.WithProposed(ctx, s, shapes); err != nil {
			return nil, nil, err
		}
		conn = s.WithShapes(shapes)
	}
	found, err := conn.Discover(ctx)
	return shapes, found, err
}

// ShapedSet is a set of nested records with its shape, if it has one.
type ShapedSet struct {
	connect.RecordSet
	Language shape.Language `json:"language"`
	Shape    *shape.Shape   `json:"shape,omitempty"`
}

func shaper(now *project.Snapshot, source string) (*project.Source, connect.Shaper, error) {
	src, err := now.Source(source)
	if err != nil {
		return nil, nil, err
	}
	nested, ok := src.Conn.(connect.Shaper)
	if !ok || nested.Language() == "" {
		return nil, nil, value.Errorf(value.CodeSource, "the records of %s are not nested", source).WithHint("shapes are for JSON, XML and documents")
	}
	return src, nested, nil
}

// ShapedSets lists the sets of a source's nested records.
func (s *Sources) ShapedSets(ctx context.Context, source string) ([]ShapedSet, error) {
	src, nested, err := shaper(s.project.Now(), source)
	if err != nil {
		return nil, err
	}
	sets, err := nested.Sets(ctx)
	if err != nil {
		return nil, err
	}
	out := []ShapedSet{}
	for _, set := range sets {
		out = append(out, ShapedSet{set, nested.Language(), shapeOf(src.Record.Shapes, set.Name)})
	}
	return out, nil
}

func shapeOf(shapes []*shape.Shape, set string) *shape.Shape {
	if i := slices.IndexFunc(shapes, func(s *shape.Shape) bool { return s.Set == set }); i >= 0 {
		return shapes[i]
	}
	return nil
}

// ProposeShape proposes a shape from a sample of records. rows is the path to
// them in a file, or empty.
func (s *Sources) ProposeShape(ctx context.Context, source, set, rows string) (*shape.Shape, error) {
	_, nested, err := shaper(s.project.Now(), source)
	if err != nil {
		return nil, err
	}
	return connect.Propose(ctx, nested, set, rows)
}

// Trial shows what a shape makes of a sample of records, and of one of them.
type Trial struct {
	Records int64        `json:"records"` // looked at
	Record  string       `json:"record"`  // the chosen one, for people
	File    string       `json:"file"`
	Number  int64        `json:"number"`
	Tables  []TrialTable `json:"tables"`
}

// TrialTable is a table of a trial. Rows are those of the chosen record.
type TrialTable struct {
	Name    string        `json:"name"`
	Columns []TrialColumn `json:"columns"`
	Rows    [][]*string   `json:"rows"`
	Count   int64         `json:"count"` // rows in the whole sample
	More    bool          `json:"more"`  // there are more rows of the record than these
}

// TrialColumn is a column of a trial's table, with what the sample has there.
type TrialColumn struct {
	Name    string `json:"name"`
	Type    string `json:"type"`
	Seen    string `json:"seen"`
	Misfits int64  `json:"misfits"`
	Example string `json:"example"`
}

const (
	trialRecords = 1000
	trialRows    = 100
	trialTime    = 3 * time.Second
	maxTrialTime = 5 * trialTime // where the record is far behind
)

// trialSink holds the rows of the chosen record.
type trialSink struct {
	flat   *shape.Flat
	fl     *shape.Flattener
	chosen bool
	row    []*string
	table  TrialTable
}

func (s *trialSink) Null(int) { s.row = append(s.row, nil) }

func (s *trialSink) Put(column int, text []byte) error {
	v, err := value.Parse(s.flat.Cells[column].Type.Kind, string(text))
	if err == nil {
		shown := v.String()
		s.row = append(s.row, &shown)
	}
	return err
}

func (s *trialSink) Row() error {
	s.table.Count++
	if s.chosen && len(s.table.Rows) < trialRows {
		s.table.Rows = append(s.table.Rows, s.row)
	} else if s.chosen {
		s.table.More = true
	}
	s.row = nil
	return nil
}

// TryShape shows what a shape would make of a source's records, with the rows of
// the n-th of them, counted from 1. Nothing is kept.
func (s *Sources) TryShape(ctx context.Context, source string, sh *shape.Shape, n int64) (t *Trial, err error) {
	defer value.Guard(&err)
	_, nested, err := shaper(s.project.Now(), source)
	if err != nil {
		return nil, err
	}
	sh.Language = nested.Language()
	flats, err := sh.Flats()
	if err != nil {
		return nil, err
	}
	sinks := make([]*trialSink, len(flats))
	for i, f := range flats {
		sinks[i] = &trialSink{flat: f, table: TrialTable{Name: f.Name, Rows: [][]*string{}}}
		if sinks[i].fl, err = f.Lenient(); err != nil {
			return nil, err
		}
	}
	t = &Trial{Tables: []TrialTable{}}
	n = max(n, 1)
	began := time.Now()
	_, err = nested.Sample(ctx, sh.Set, sh.Table.Rows, func(r connect.Record) error {
		t.Records++
		if t.Records == n {
			t.Record, t.File, t.Number = r.Text(), r.File, r.Number
		}
		for _, sink := range sinks {
			sink.chosen = t.Records == n
			if err := sink.fl.Flatten(r.Value, r.File, r.Number, sink); err != nil {
				return err
			}
		}
		took := time.Since(began)
		if t.Records >= n && (t.Records >= trialRecords || took > trialTime) || took > maxTrialTime {
			return connect.ErrEnough
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, sink := range sinks {
		for i, c := range sink.flat.Cells {
			seen := &sink.fl.Seen[i]
			col := TrialColumn{Name: c.Name, Type: c.Type.String(), Misfits: seen.Misfits, Example: seen.Example}
			if c.From == shape.FromPath && c.Of == nil {
				col.Seen = seen.String()
			}
			sink.table.Columns = append(sink.table.Columns, col)
		}
		t.Tables = append(t.Tables, sink.table)
	}
	return t, nil
}

// SaveShape gives a set of records a shape, and reads the source anew with it.
// Views that would break are named, and nothing changes, unless it is to be in
// spite of them.
func (s *Sources) SaveShape(ctx context.Context, source string, sh *shape.Shape, force bool) (Found, error) {
	_, nested, err := shaper(s.project.Now(), source)
	if err != nil {
		return Found{}, err
	}
	sh.Language = nested.Language()
	if _, err := sh.Flats(); err != nil {
		return Found{}, err
	}
	return s.reshape(ctx, source, sh.Set, sh, force)
}

// DropShape takes a set's shape away.
func (s *Sources) DropShape(ctx context.Context, source, set string, force bool) (Found, error) {
	return s.reshape(ctx, source, set, nil, force)
}

func (s *Sources) reshape(ctx context.Context, source, set string, sh *shape.Shape, force bool) (Found, error) {
	now := s.project.Now()
	src, nested, err := shaper(now, source)
	if err != nil {
		return Found{}, err
	}
	sets, err := nested.Sets(ctx)
	if err != nil {
		return Found{}, err
	}
	if !slices.ContainsFunc(sets, func(r connect.RecordSet) bool { return r.Name == set }) {
		return Found{}, value.Errorf(value.CodeUndefinedTable, "%s has no records called %s", source, set).WithHint("refresh the source")
	}
	r := *src.Record
	r.Shapes = slices.DeleteFunc(slices.Clone(r.Shapes), func(old *shape.Shape) bool { return old.Set == set })
	if sh != nil {
		r.Shapes = append(r.Shapes, sh)
	}
	if r.Shapes, r.Found, err = discover(ctx, nested, r.Shapes); err != nil {
		return Found{}, err
	}
	found := Found{r.Found, differencesIn(now, known(src.Record), known(&r)), r.Shapes}
	if len(found.Differences.Broken) > 0 && !force {
		return found, project.RefuseToBreak(found.Differences.Broken, "keep what they read, or save it anyway (--force)")
	}
	return found, s.accept(ctx, src, r, found.Differences)
}
