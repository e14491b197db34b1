// Package files connects files: folders or single files of one format, whose
// tables are only read. What folders' names and statistics show not to be
// needed is left unread.
package files

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"runtime"
	"strings"

	"golang.org/x/sync/errgroup"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/shape"
	"rovik/core/value"
)

// format is what files of a kind have in common.
type format interface {
	// suffixes are the endings of the names of its files.
	suffixes() []string
	// keepsBounds reports whether its files have statistics of their parts.
	keepsBounds() bool
	// describe reads what a file holds.
	describe(ctx context.Context, f file) (*contents, error)
	// open prepares to read columns of a file, by name and kind, in parts that
	// can be read at the same time.
	open(ctx context.Context, f file, columns []catalog.Column) (opened, error)
}

// contents is what a file holds. The columns' statistics are of this file.
type contents struct {
	columns []catalog.Column
	rows    int64
	more    bool // there are columns past those
	// facts are for people to know of the file; they stand among the quirks.
	facts map[string]catalog.Quirk
}

// opened is an open file.
type opened interface {
	parts() []part
	io.Closer
}

// part is what can be read, or left unread, alone.
type part interface {
	bytes() int64
	// bounds are of a column, by its name.
	bounds(column string) (bounds, bool)
	// read gives the rows in batches, until give returns an error.
	read(ctx context.Context, give func(kernel.Batch) error) error
}

// divisible is a part that several workers can read at the same time.
type divisible interface {
	part
	readBy(ctx context.Context, workers int, give func(kernel.Batch) error) error
}

// Kinds are the kinds of files, by the name of the kind of source.
var kinds = map[string]format{"parquet": &parquet{}, "csv": &csv{}, "json": &jsonFiles{}, "xml": &xmlFiles{}}

// Source is a connected folder or file.
type Source struct {
	name, kind string
	cfg        connect.Config
	format     format
	shapes     []*shape.Shape
	types      connect.ColumnTypes
}

// New prepares a source; files are read when they are first needed.
func New(name, kind string, cfg connect.Config) (*Source, error) {
	f := kinds[kind]
	if f == nil {
		return nil, value.Errorf(value.CodeSource, "there is no kind of files called %q", kind)
	}
	return &Source{name: name, kind: kind, cfg: cfg, format: f}, nil
}

// Close does nothing: files are closed after each statement.
func (s *Source) Close() {}

// Measures reports whether found has all quirks: files have none of their own.
func (s *Source) Measures(*catalog.Source) bool { return true }

// Folding judges plans; see connect.Source.
func (s *Source) Folding(*catalog.Source) fold.Source {
	return newFolding(s.name, s.format, func(plan.ID) (none fold.TableColumn) { return })
}

// tables lists the tables as they are in the folders now.
func (s *Source) tables() (map[string]*listing, []*listing, error) {
	all, err := list(s.name, s.cfg.Path, s.format.suffixes())
	if err != nil {
		return nil, nil, err
	}
	byName := map[string]*listing{}
	for _, t := range all {
		byName[t.name] = t
	}
	return byName, all, nil
}

// Discover reads every file's description; see connect.Source.
func (s *Source) Discover(ctx context.Context) (*catalog.Source, error) {
	_, tables, err := s.tables()
	if err != nil {
		return nil, err
	}
	if len(tables) == 0 {
		return nil, value.Errorf(value.CodeSource, "%s: there are no files ending in %s at %s", s.name, strings.Join(s.format.suffixes(), " or "), s.cfg.Path).
			WithHint("check the path, and the kind of the source")
	}
	found := &catalog.Source{Name: s.name, Kind: s.kind, Quirks: map[string]catalog.Quirk{}}
	of := map[string]string{}
	var first error
	for _, t := range tables {
		made, err := s.tablesOf(ctx, t, found.Quirks)
		if err != nil && (ctx.Err() != nil || len(tables) == 1) {
			return nil, err
		}
		if err != nil { // it costs this table, not the source
			if first == nil {
				first = err
			}
			found.Quirks["left out: "+t.name] = catalog.Quirk{Value: "cannot be read", Meaning: err.Error()}
			continue
		}
		for _, table := range made {
			if set, taken := of[table.Name]; taken {
				return nil, value.Errorf(value.CodeDuplicate, "%s: %s and %s would both have the table %s", s.name, set, t.name, table.Name).WithHint("rename it in the shape of one of them")
			}
			of[table.Name] = t.name
		}
		found.Tables = append(found.Tables, made...)
	}
	if len(found.Tables) == 0 && first != nil {
		return nil, first
	}
	return found, nil
}

// readable does some work for each file of a table, and returns the files for
// which it succeeds. The others are noted among the quirks, and queries that need
// them fail; where there is none that can be read, its error is returned.
func (s *Source) readable(ctx context.Context, t *listing, quirks map[string]catalog.Quirk, work func(ctx context.Context, i int) error) ([]int, error) {
	failed := make([]error, len(t.files))
	err := each(ctx, len(t.files), func(ctx context.Context, i int) error {
		failed[i] = s.about(t.files[i], guarded(ctx, i, work))
		return ctx.Err()
	})
	if err != nil {
		return nil, err
	}
	var good []int
	for i, err := range failed {
		if err == nil {
			good = append(good, i)
		}
	}
	for i, err := range failed {
		if err != nil && len(good) == 0 {
			return nil, err
		}
		if err != nil {
			quirks["cannot be read: "+s.short(t.files[i].path)] = catalog.Quirk{Value: "error", Meaning: err.Error() + "; queries that need the file fail."}
		}
	}
	return good, nil
}

// tablesOf describes the tables that are made of a listing.
func (s *Source) tablesOf(ctx context.Context, t *listing, quirks map[string]catalog.Quirk) ([]*catalog.Table, error) {
	flats, err := s.shapeOf(t.name)
	if err != nil {
		return nil, err
	}
	if flats != nil {
		made, err := s.describeShaped(ctx, t, flats, quirks)
		return made, err
	}
	if _, needs := s.format.(*xmlFiles); needs {
		quirks["left out: "+t.name] = catalog.Quirk{Value: "no shape", Meaning: "Its records are nested: give them a shape."}
		return nil, nil
	}
	table, err := s.describe(ctx, t, quirks)
	return []*catalog.Table{table}, err
}

// describe puts the descriptions of a table's files together.
func (s *Source) describe(ctx context.Context, t *listing, quirks map[string]catalog.Quirk) (*catalog.Table, error) {
	all := make([]*contents, len(t.files))
	good, err := s.readable(ctx, t, quirks, func(ctx context.Context, i int) (err error) {
		all[i], err = s.format.describe(ctx, t.files[i])
		return err
	})
	if err != nil {
		return nil, err
	}
	out := &catalog.Table{Source: s.name, Name: t.name}
	u := &unifier{byName: map[string]int{}, mixed: value.Text}
	if s.kind == "json" {
		u.mixed = value.JSONB
	}
	for _, i := range good {
		c := all[i]
		u.add(t.files[i], c)
		out.Rows += c.rows
		u.more = u.more || c.more
		for name, fact := range c.facts {
			quirks[name+" in "+s.short(t.files[i].path)] = fact
		}
	}
	if u.more {
		quirks["columns of "+t.name] = catalog.Quirk{Value: fmt.Sprintf("the first %d", shape.MaxColumns), Meaning: "The files have more than a table has: split them, or give the records a shape."}
	}
	out.Columns, out.Left = u.finish(func(column string) bool { return s.types.Text(t.name, column) })
	if err := s.retype(ctx, t, out.Columns); err != nil {
		return nil, err
	}
	addParts(out, t, func(i int) int64 {
		if all[i] == nil {
			return 0
		}
		return all[i].rows
	})
	return out, nil
}

// addParts adds the columns of the folders' names to a table, of which the i-th
// file has so many rows.
func addParts(out *catalog.Table, t *listing, rows func(i int) int64) {
	var taken shape.Names
	for _, c := range out.Columns {
		taken.Take(c.Name)
	}
	for p, name := range t.parts {
		name = taken.Take(name)
		col := catalog.Column{Name: name, Type: value.Of(t.kinds[p]), Native: "the folder's name", Nullable: true, ReadAs: PartColumn}
		shares := map[string]int64{}
		for i, f := range t.files {
			v := f.parts[p]
			if !v.IsNull {
				shares[v.String()] += rows(i)
			}
		}
		col.Distinct = int64(len(shares))
		if len(shares) <= maxCommon && out.Rows > 0 {
			for v, n := range shares {
				col.Common = append(col.Common, catalog.CommonValue{Value: v, Share: float64(n) / float64(out.Rows)})
			}
		}
		out.Columns = append(out.Columns, col)
	}
}

// maxCommon bounds the list of frequent values.
const maxCommon = 100

// about names the source and the file in an error.
func (s *Source) about(f file, err error) error {
	if err == nil || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) || errors.Is(err, errEnough) {
		return err
	}
	path := s.short(f.path)
	var ve *value.Error
	if errors.As(err, &ve) {
		e := *ve
		e.Message = fmt.Sprintf("%s: %s: %s", s.name, path, ve.Message)
		return &e
	}
	return value.Errorf(value.CodeSource, "%s: %s cannot be read: %s", s.name, path, cause(err)).WithHint("check the file")
}

// short is a file's path from that of the source.
func (s *Source) short(path string) string {
	rel, err := filepath.Rel(s.cfg.Path, path)
	switch {
	case err != nil:
		return path
	case rel == ".":
		return filepath.Base(path)
	}
	return rel
}

// each works on n things at the same time, as many as there are processors.
func each(ctx context.Context, n int, work func(ctx context.Context, i int) error) error {
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		g.Go(func() error {
			if ctx.Err() != nil {
				return context.Cause(ctx)
			}
			return guarded(ctx, i, work)
		})
	}
	return g.Wait()
}

// guarded turns a panic of a reader, on a file that is not what it says, into
// an error.
func guarded(ctx context.Context, i int, work func(ctx context.Context, i int) error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = value.Errorf(value.CodeSource, "the file is damaged: %v", p).WithHint("write it again")
		}
	}()
	return work(ctx, i)
}

// Try takes the steps to the files; see connect.Source.
func (s *Source) Try(ctx context.Context, steps *connect.Steps) {
	var tables []*listing
	steps.Take(connect.StepPath, func() (text string, err error) {
		_, tables, err = s.tables()
		return s.cfg.Path, err
	})
	files := 0
	for _, t := range tables {
		files += len(t.files)
	}
	steps.Take(connect.StepFiles, func() (string, error) {
		if files == 0 {
			return "", value.Errorf(value.CodeSource, "there are no files ending in %s at %s", strings.Join(s.format.suffixes(), " or "), s.cfg.Path).
				WithHint("check the path, and the kind of the source")
		}
		return fmt.Sprintf("%d in %d tables", files, len(tables)), nil
	})
	steps.Take(connect.StepRights, func() (string, error) {
		for _, t := range tables {
			if err := s.look(ctx, t.files[0]); err != nil {
				return "", s.about(t.files[0], err)
			}
		}
		return "the first file of each table is as its name says", nil
	})
}

// look reads a file as far as to see that it is of the format.
func (s *Source) look(ctx context.Context, f file) error {
	if format, ok := s.format.(*xmlFiles); ok {
		_, err := format.rows(ctx, f)
		return err
	}
	_, err := s.format.describe(ctx, f)
	return err
}
