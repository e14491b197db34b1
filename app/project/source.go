package project

import (
	"context"
	"slices"
	"strings"

	"rovik/connect"
	"rovik/connect/document"
	"rovik/connect/files"
	"rovik/connect/mariadb"
	"rovik/connect/pool"
	"rovik/connect/postgres"
	"rovik/connect/sqlite"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/shape"
	"rovik/core/value"
	"rovik/records"
)

// Source is a source of a snapshot: how it is kept, which must not be changed, and its
// connection.
type Source struct {
	Record *records.Source
	Conn   connect.Source
	slots  *pool.Slots
}

// Kind is a kind of source: whether one is a server, and whether it is of files, which
// Rovik itself reads.
type Kind struct {
	Name          string
	Server, Files bool
}

var kinds = []Kind{{"postgresql", true, false}, {"mariadb", true, false}, {"sqlite", false, false}, {"document", true, false},
	{"parquet", false, true}, {"csv", false, true}, {"json", false, true}, {"xml", false, true}}

// KindOf finds a kind of source by its name.
func KindOf(name string) (Kind, error) {
	if i := slices.IndexFunc(kinds, func(k Kind) bool { return k.Name == name }); i >= 0 {
		return kinds[i], nil
	}
	var names []string
	for _, k := range kinds {
		names = append(names, k.Name)
	}
	last := len(names) - 1
	return Kind{}, value.Errorf(value.CodeSource, "there is no kind of source called %q", name).
		WithHint("there is %s and %s", strings.Join(names[:last], ", "), names[last])
}

// IsFiles reports whether a source is of files, which Rovik itself reads.
func (s *Source) IsFiles() bool {
	k, err := KindOf(s.Record.Kind)
	return err == nil && k.Files
}

// IsServer reports whether a source is reached over a connection.
func (s *Source) IsServer() bool {
	k, err := KindOf(s.Record.Kind)
	return err == nil && k.Server
}

// Dial prepares a source, of files only where these may be. Nothing is asked of it.
func (p *Project) Dial(name, kind string, cfg connect.Config) (connect.Source, error) {
	if err := p.allowed(name, cfg); err != nil {
		return nil, err
	}
	switch kind {
	case "postgresql":
		return postgres.New(name, cfg)
	case "mariadb":
		return mariadb.New(name, cfg)
	case "sqlite":
		return sqlite.New(name, cfg)
	case "document":
		return document.New(name, cfg)
	case "parquet", "csv", "json", "xml":
		return files.New(name, kind, cfg)
	}
	_, err := KindOf(kind)
	return nil, err
}

// dialKept prepares a source as it is kept. One that cannot be prepared stands for its
// error, so that the others go on.
func (p *Project) dialKept(r *records.Source) connect.Source {
	if r.Unreadable != nil {
		return broken{r.Unreadable}
	}
	cfg := r.Config
	cfg.Keeper = p.records
	conn, err := p.Dial(r.Name, r.Kind, cfg)
	if err != nil {
		return broken{err}
	}
	return Dressed(conn, r)
}

// Dressed gives a connection the shapes and types that are kept with its source.
func Dressed(conn connect.Source, r *records.Source) connect.Source {
	conn = withShapes(conn, r.Shapes)
	if t, ok := conn.(connect.Typer); ok && len(r.Types) > 0 {
		return t.WithTypes(r.Types)
	}
	return conn
}

// withShapes gives a source its shapes, where it is one of nested records.
func withShapes(conn connect.Source, shapes []*shape.Shape) connect.Source {
	if s, ok := conn.(connect.Shaper); ok && s.Language() != "" {
		return s.WithShapes(shapes)
	}
	return conn
}

// broken stands for a source that cannot even be prepared.
type broken struct{ err error }

func (b broken) Discover(context.Context) (*catalog.Source, error) { return nil, b.err }
func (b broken) Measures(*catalog.Source) bool                     { return true }
func (b broken) Folding(*catalog.Source) fold.Source               { return nil }
func (b broken) Open(context.Context, *fold.Statement, string) (exec.Reader, error) {
	return nil, b.err
}
func (b broken) Plan(context.Context, *fold.Statement) ([]string, error) { return nil, b.err }
func (b broken) Try(_ context.Context, steps *connect.Steps) {
	steps.Take(connect.StepName, func() (string, error) { return "", b.err })
}
func (b broken) Close() {}
