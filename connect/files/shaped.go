package files

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"

	"rovik/connect"
	"rovik/connect/cells"
	"rovik/core/catalog"
	"rovik/core/explain"
	"rovik/core/kernel"
	"rovik/core/shape"
	"rovik/core/value"
)

// nested is a format of nested records, of which shapes make tables.
type nested interface {
	format
	language() shape.Language
	// rows proposes the path to the records of a file.
	rows(ctx context.Context, f file) (string, error)
	// records gives the records of a file that steps lead to, numbered from 1,
	// until give returns an error.
	records(ctx context.Context, f file, steps []shape.Segment, give func(record any, n int64) error) error
	// show writes a record for people.
	show(record any) string
}

// WithShapes returns the source with shapes for its records; see connect.Shaper.
func (s *Source) WithShapes(shapes []*shape.Shape) connect.Source {
	out := *s
	out.shapes = shapes
	return &out
}

// Sets lists the sets of records; see connect.Shaper.
func (s *Source) Sets(context.Context) ([]connect.RecordSet, error) {
	format, ok := s.format.(nested)
	if !ok {
		return nil, nil
	}
	_, tables, err := s.tables()
	if err != nil {
		return nil, err
	}
	_, needs := format.(*xmlFiles)
	var out []connect.RecordSet
	for _, t := range tables {
		out = append(out, connect.RecordSet{Name: t.name, NeedsShape: needs, Files: len(t.files)})
	}
	return out, nil
}

// Sample gives records of a set; see connect.Shaper.
func (s *Source) Sample(ctx context.Context, set, rows string, give func(r connect.Record) error) (string, error) {
	format, ok := s.format.(nested)
	if !ok {
		return "", value.Errorf(value.CodeSource, "%s: its files have no nested records", s.name)
	}
	byName, _, err := s.tables()
	if err != nil {
		return "", err
	}
	t := byName[set]
	if t == nil {
		return "", value.Errorf(value.CodeUndefinedTable, "%s has no records called %s", s.name, set).WithHint("refresh the source")
	}
	if rows == "" {
		if rows, err = format.rows(ctx, t.files[0]); err != nil {
			return "", s.about(t.files[0], err)
		}
	}
	steps, err := shape.InFile(format.language(), rows)
	if err != nil {
		return "", err
	}
	for _, f := range t.files {
		err := guarded(ctx, 0, func(ctx context.Context, _ int) error {
			return format.records(ctx, f, steps, func(record any, n int64) error {
				return give(connect.Record{Value: record, File: s.short(f.path), Number: n, Text: func() string { return format.show(record) }})
			})
		})
		if errors.Is(err, connect.ErrEnough) {
			break
		}
		if err != nil {
			return "", s.about(f, err)
		}
	}
	return rows, nil
}

// Language is that of the paths of the source's shapes; see connect.Shaper.
func (s *Source) Language() shape.Language {
	if format, ok := s.format.(nested); ok {
		return format.language()
	}
	return ""
}

// shapeOf returns the tables that a shape makes of a set, or nil.
func (s *Source) shapeOf(set string) ([]*shape.Flat, error) {
	for _, sh := range s.shapes {
		if sh.Set == set {
			flats, err := sh.Flats()
			if err != nil {
				return nil, fmt.Errorf("the shape of %s in %s: %w", set, s.name, err)
			}
			return flats, nil
		}
	}
	return nil, nil
}

// describeShaped puts together what the files of a set hold, as the tables that
// its shape makes.
func (s *Source) describeShaped(ctx context.Context, t *listing, flats []*shape.Flat, quirks map[string]catalog.Quirk) ([]*catalog.Table, error) {
	format := s.format.(nested)
	steps, err := shape.InFile(format.language(), flats[0].Steps[0])
	if err != nil {
		return nil, err
	}
	counts := make([][]*counter, len(t.files))
	good, err := s.readable(ctx, t, quirks, func(ctx context.Context, i int) error {
		for _, flat := range flats {
			c, err := newCounter(flat)
			if err != nil {
				return err
			}
			counts[i] = append(counts[i], c)
		}
		f := t.files[i]
		return format.records(ctx, f, steps, func(record any, n int64) error {
			for _, c := range counts[i] {
				if err := c.Flatten(record, s.short(f.path), n, c); err != nil {
					return err
				}
			}
			return nil
		})
	})
	if err != nil {
		return nil, err
	}
	var out []*catalog.Table
	for at := range flats {
		rows := make([]int64, len(counts))
		total := counts[good[0]][at]
		for n, i := range good {
			rows[i] = counts[i][at].rows
			if n > 0 {
				total.add(counts[i][at])
			}
		}
		files := 1
		if t.folder {
			files = 2 // there may be more tomorrow
		}
		table := connect.ShapedTable(s.name, total.flat, total.Seen, total.rows, out)
		if key := total.flat.Unique(files); key != nil {
			table.Keys = append(table.Keys, catalog.Key{Columns: key, Primary: true})
		}
		addParts(table, t, func(i int) int64 { return rows[i] })
		out = append(out, table)
	}
	return out, nil
}

// counter counts the rows of a table, and what its columns hold. Misfits are
// counted and no error, so that they can be looked at.
type counter struct {
	*shape.Flattener
	flat  *shape.Flat
	check []func([]byte) error
	rows  int64
}

func newCounter(flat *shape.Flat) (*counter, error) {
	c := &counter{flat: flat}
	for _, cell := range flat.Cells {
		build, put := cells.Builder(cell.Type.Kind, new(bool))
		n := 0
		c.check = append(c.check, func(text []byte) error {
			if n++; n%4096 == 0 {
				build.NewArray().Release() // what is built is not needed
			}
			return put(text)
		})
	}
	var err error
	c.Flattener, err = flat.Lenient()
	return c, err
}

func (c *counter) Null(int)                          {}
func (c *counter) Put(column int, text []byte) error { return c.check[column](text) }
func (c *counter) Row() error                        { c.rows++; return nil }

func (c *counter) add(o *counter) {
	c.rows += o.rows
	for i := range c.Seen {
		c.Seen[i].Add(o.Seen[i])
	}
}

// shapedFile is a file of nested records, read as rows of one table.
type shapedFile struct {
	s       *Source
	f       file
	flat    *shape.Flat
	columns []catalog.Column
	unfit   *unfit
}

func (o *shapedFile) Close() error                 { return nil }
func (o *shapedFile) parts() []part                { return []part{o} }
func (o *shapedFile) bytes() int64                 { return o.f.size }
func (o *shapedFile) bounds(string) (bounds, bool) { return bounds{}, false }

func (o *shapedFile) read(ctx context.Context, give func(kernel.Batch) error) error {
	format := o.s.format.(nested)
	steps, err := shape.InFile(format.language(), o.flat.Steps[0])
	if err != nil {
		return err
	}
	var wanted []int
	for _, c := range o.columns {
		at := slices.IndexFunc(o.flat.Cells, func(cell shape.Cell) bool { return cell.Name == c.Name })
		if at < 0 {
			return fmt.Errorf("the shape has no column %s", c.Name)
		}
		wanted = append(wanted, at)
	}
	fl, err := o.flat.Compile(wanted)
	if err != nil {
		return err
	}
	out := &rowSink{ctx, cells.NewBatcher(o.columns, new(bool), give)}
	err = format.records(ctx, o.f, steps, func(record any, n int64) error { return fl.Flatten(record, o.s.short(o.f.path), n, out) })
	if err == nil {
		err = out.Flush()
	}
	o.unfit.add(o.flat, wanted, fl.Seen)
	return err
}

// rowSink puts flat rows into batches.
type rowSink struct {
	ctx context.Context
	*cells.Batcher
}

func (r *rowSink) Row() error { return r.Batcher.Row(r.ctx) }

// unfit counts what did not fit while a statement ran.
type unfit struct {
	mu      sync.Mutex
	columns []explain.Unfit
}

func (u *unfit) add(flat *shape.Flat, wanted []int, seen []shape.Seen) {
	u.mu.Lock()
	defer u.mu.Unlock()
	for i, s := range seen {
		cell := flat.Cells[wanted[i]]
		if s.Misfits == 0 || cell.Of != nil {
			continue
		}
		at := slices.IndexFunc(u.columns, func(c explain.Unfit) bool { return c.Column == cell.Name })
		if at < 0 {
			at = len(u.columns)
			u.columns = append(u.columns, explain.Unfit{Column: cell.Name, Type: cell.Type.String(), Became: string(cell.Misfit), Example: s.Example})
		}
		u.columns[at].Count += s.Misfits
	}
}

func (u *unfit) list() []explain.Unfit {
	u.mu.Lock()
	defer u.mu.Unlock()
	return slices.Clone(u.columns)
}
