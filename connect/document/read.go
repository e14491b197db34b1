package document

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"

	"github.com/apache/arrow-go/v18/arrow"
	"go.mongodb.org/mongo-driver/v2/bson"
	"go.mongodb.org/mongo-driver/v2/mongo"

	"rovik/connect"
	"rovik/connect/cells"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/shape"
	"rovik/core/value"
)

// Open starts a find or an aggregation; see connect.Source.
func (s *Source) Open(ctx context.Context, st *fold.Statement, text string) (exec.Reader, error) {
	c, db, err := s.prepare(ctx, st)
	if err != nil {
		return nil, err
	}
	cmd := c.document(c.keyed == nil || len(st.Parameters) > 0)
	if c.keyed != nil {
		keys := bson.A{}
		for _, k := range st.Parameters {
			if v, ok := c.keyed.constant(k); ok { // else nothing equals it
				keys = append(keys, v)
			}
		}
		cmd = withKeys(cmd, keys).(bson.D)
	}
	comment := strings.TrimSpace(strings.TrimSuffix(text, st.Text))
	if comment = strings.TrimSpace(strings.TrimSuffix(strings.TrimPrefix(comment, "/*"), "*/")); comment != "" {
		cmd = append(cmd, bson.E{Key: "comment", Value: comment})
	}
	cur, err := db.RunCommandCursor(ctx, cmd)
	if err != nil {
		return nil, s.explain(err)
	}
	r := &reader{s: s, c: c, cur: cur}
	if c.group != nil {
		return r, nil
	}
	r.columns = make([]catalog.Column, len(c.wanted))
	for i, w := range c.wanted {
		r.columns[i] = catalog.Column{Name: c.flat.Cells[w].Name, Type: c.flat.Cells[w].Type}
	}
	if r.flatten, err = c.flat.Compile(c.wanted); err != nil {
		return nil, errors.Join(err, cur.Close(ctx))
	}
	r.out = cells.NewBatcher(r.columns, new(bool), func(b kernel.Batch) error {
		r.ready = append(r.ready, b)
		return nil
	})
	return r, nil
}

// withKeys puts shipped keys where their mark stands.
func withKeys(v any, keys bson.A) any {
	switch v := v.(type) {
	case bson.D:
		out := make(bson.D, len(v))
		for i, e := range v {
			out[i] = bson.E{Key: e.Key, Value: withKeys(e.Value, keys)}
			if e.Key == "$in" && e.Value == any(keysMark) {
				out[i].Value = keys
			}
		}
		return out
	case bson.A:
		out := make(bson.A, len(v))
		for i, e := range v {
			out[i] = withKeys(e, keys)
		}
		return out
	}
	return v
}

// reader gives the rows of a command.
type reader struct {
	s       *Source
	c       *command
	cur     *mongo.Cursor
	columns []catalog.Column
	flatten *shape.Flattener
	out     *cells.Batcher
	ready   []kernel.Batch
	n       int64
	over    bool
	// What did not fit, while others may ask.
	mu    sync.Mutex
	unfit []explain.Unfit
}

func (r *reader) Next(ctx context.Context) (kernel.Batch, error) {
	if r.c.group != nil {
		return r.groups(ctx)
	}
	for len(r.ready) == 0 && !r.over {
		if !r.cur.Next(ctx) {
			if err := r.ended(ctx); err != nil {
				return kernel.Batch{}, err
			}
			if err := r.out.Flush(); err != nil {
				return kernel.Batch{}, err
			}
			break
		}
		r.n++
		v, err := record(r.cur.Current)
		if err == nil {
			err = r.flatten.Flatten(v, r.c.flat.Set, r.n, rowsTo{r.out})
		}
		if err != nil {
			return kernel.Batch{}, r.s.inDocument(r.c.flat.Set, r.cur.Current.Lookup("_id"), err)
		}
	}
	if len(r.ready) == 0 {
		return kernel.Batch{}, io.EOF
	}
	b := r.ready[0]
	r.ready = r.ready[1:]
	r.countUnfit()
	return b, nil
}

// ended says how the documents ended, and whether conditions left out values that
// are an error.
func (r *reader) ended(ctx context.Context) error {
	r.over = true
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err := r.cur.Err(); err != nil {
		return r.s.explain(err)
	}
	return r.s.fit(ctx, r.c, r.c.strict)
}

// fit fails where a document has a value that does not fit one of the fields. What
// the server finds for that may hold documents that are well.
func (s *Source) fit(ctx context.Context, c *command, fields []field) (err error) {
	if len(fields) == 0 {
		return nil
	}
	any := bson.A{}
	var wanted []int
	for _, f := range fields {
		any = append(any, f.unfit(c.decimals))
		wanted = append(wanted, slices.IndexFunc(c.flat.Cells, func(cell shape.Cell) bool { return cell == f.cell }))
	}
	flatten, err := c.flat.Compile(wanted)
	if err != nil {
		return err
	}
	db, err := s.database(ctx)
	if err != nil {
		return err
	}
	cur, err := db.Collection(c.flat.Set).Find(ctx, bson.D{{Key: "$or", Value: any}})
	if err != nil {
		return s.explain(err)
	}
	defer func() { err = errors.Join(err, cur.Close(ctx)) }()
	columns := make([]catalog.Column, len(wanted))
	for i, w := range wanted {
		columns[i] = catalog.Column{Name: c.flat.Cells[w].Name, Type: c.flat.Cells[w].Type}
	}
	out := cells.NewBatcher(columns, new(bool), func(kernel.Batch) error { return nil })
	for cur.Next(ctx) {
		v, err := record(cur.Current)
		if err == nil {
			err = flatten.Flatten(v, c.flat.Set, 0, rowsTo{out})
		}
		if err != nil {
			return s.inDocument(c.flat.Set, cur.Current.Lookup("_id"), err)
		}
	}
	return s.explain(cur.Err())
}

// rowsTo puts flat rows into batches.
type rowsTo struct{ *cells.Batcher }

// Row ends a row; see shape.Sink.
func (r rowsTo) Row() error { return r.Batcher.Row(context.Background()) }

func (r *reader) countUnfit() {
	var out []explain.Unfit
	for i, seen := range r.flatten.Seen {
		cell := r.c.flat.Cells[r.c.wanted[i]]
		if seen.Misfits > 0 && cell.Of == nil {
			out = append(out, explain.Unfit{Column: cell.Name, Type: cell.Type.String(), Count: seen.Misfits, Became: string(cell.Misfit), Example: strings.Replace(seen.Example, "record", "document", 1)})
		}
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.unfit = out
}

// Unfit tells what did not fit; see exec.Unfitter.
func (r *reader) Unfit() []explain.Unfit {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.unfit
}

func (r *reader) Close() error {
	ctx, cancel := context.WithTimeout(context.Background(), connect.StepTimeout)
	defer cancel()
	err := r.cur.Close(ctx)
	if mongo.IsNetworkError(err) || errors.Is(err, context.Canceled) {
		return nil // the server notices by itself
	}
	return err
}

// groups reads what the server has grouped. Values that do not fit are one group
// with what is missing, so that groups may have to be put together.
func (r *reader) groups(ctx context.Context) (kernel.Batch, error) {
	if r.over {
		return kernel.Batch{}, io.EOF
	}
	g := r.c.group
	at := map[string]int{}
	var rows [][]value.Value
	for r.cur.Next(ctx) {
		row, err := g.row(r.cur.Current)
		if err != nil {
			// The server is asked which document it is of.
			if named := r.s.fit(ctx, r.c, slices.DeleteFunc(slices.Clone(g.keys), func(f field) bool { return !f.strict() })); named != nil {
				return kernel.Batch{}, named
			}
			return kernel.Batch{}, r.s.inDocument(r.c.flat.Set, bson.RawValue{}, err)
		}
		var key strings.Builder
		for _, v := range row[:len(g.keys)] {
			fmt.Fprintf(&key, "%t %d %s|", v.IsNull, len(v.String()), v)
		}
		i, known := at[key.String()]
		if !known {
			at[key.String()] = len(rows)
			rows = append(rows, row)
			continue
		}
		for a, op := range g.aggs {
			have, more := &rows[i][len(g.keys)+a], row[len(g.keys)+a]
			switch {
			case op == "count" || op == "sum":
				have.Int += more.Int
			case op == "min" && value.Compare(more, *have) < 0, op == "max" && value.Compare(more, *have) > 0:
				*have = more
			}
		}
	}
	if err := r.ended(ctx); err != nil {
		return kernel.Batch{}, err
	}
	if len(rows) == 0 && g.global {
		row := make([]value.Value, len(g.kinds))
		for i, op := range g.aggs {
			row[i] = value.NullOf(g.kinds[i])
			if op == "count" {
				row[i] = value.IntOf(value.Int8, 0)
			}
		}
		rows = append(rows, row)
	}
	out := kernel.Batch{Len: len(rows), Cols: make([]arrow.Array, len(g.outs))}
	for c, from := range g.outs {
		b := value.NewBuilder(g.kinds[from])
		for _, row := range rows {
			value.Append(b, row[from])
		}
		out.Cols[c] = b.NewArray()
	}
	if out.Len == 0 {
		return kernel.Batch{}, io.EOF
	}
	return out, nil
}

// row reads one group: its keys, then its aggregates.
func (g *grouping) row(doc bson.Raw) ([]value.Value, error) {
	var out []value.Value
	id := doc.Lookup("_id")
	for i, f := range g.keys {
		v := id
		if len(g.keys) > 1 {
			v = bson.RawValue{}
			if sub, ok := id.DocumentOK(); ok {
				v = sub.Lookup(fmt.Sprintf("k%d", i))
			}
		}
		key, err := f.keyValue(v)
		if err != nil {
			return nil, err
		}
		out = append(out, key)
	}
	for i, op := range g.aggs {
		kind := g.kinds[len(g.keys)+i]
		node, err := nested(doc.Lookup(fmt.Sprintf("a%d", i)))
		if err != nil {
			return nil, err
		}
		text, null, why := shape.Fit(node, kind, false)
		if why != nil || null {
			return nil, value.Errorf(value.CodeSource, "the server's %s is %s, which is not a %s", op, text, kind).WithHint("refresh the source: it measures then what the server can do")
		}
		v, err := value.Parse(kind, string(text))
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}
