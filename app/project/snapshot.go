package project

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/fold"
	"rovik/core/value"
	"rovik/records"
)

// Snapshot is a project at one moment. It does not change; its methods may be called at
// the same time.
type Snapshot struct {
	project   *Project
	changes   int64 // of the project that were kept until then
	catalog   *catalog.Catalog
	estate    *estate.Estate // knows all views
	sources   map[string]*Source
	folding   map[string]fold.Source
	plans     *plans
	described *described
}

// Catalog is everything that can be named.
func (s *Snapshot) Catalog() *catalog.Catalog { return s.catalog }

// Estate is what is known of all views.
func (s *Snapshot) Estate() *estate.Estate { return s.estate }

// Records are what the project is kept in.
func (s *Snapshot) Records() *records.Store { return s.project.records }

// Sources returns the sources by name.
func (s *Snapshot) Sources() []*Source {
	out := make([]*Source, 0, len(s.sources))
	for _, name := range slices.Sorted(maps.Keys(s.sources)) {
		out = append(out, s.sources[name])
	}
	return out
}

// Has returns the source of that name, or nil.
func (s *Snapshot) Has(source string) *Source { return s.sources[source] }

// Source returns the source of that name.
func (s *Snapshot) Source(name string) (*Source, error) {
	if src := s.sources[name]; src != nil {
		return src, nil
	}
	err := value.Errorf(value.CodeSource, "no source is called %q", name)
	if near := catalog.Nearest(name, slices.Collect(maps.Keys(s.sources))); near != "" {
		err = err.WithHint("did you mean %s?", near)
	}
	return nil, err
}

// connected returns the source of a name that a plan has.
func (s *Snapshot) connected(name string) (*Source, error) {
	if src := s.sources[name]; src != nil {
		return src, nil
	}
	return nil, value.Errorf(value.CodeSource, "the source %s is not connected any more", name)
}

// With is the project as it would be with another catalogue, over the same sources.
func (s *Snapshot) With(c *catalog.Catalog) *Snapshot {
	next := *s
	next.catalog, next.plans = c, newPlans()
	next.estate = estate.New(bind.Context{Catalog: c, Parse: s.project.parse, Now: time.Now(), Describe: next.describe, Effort: s.project.effort(context.Background())}, s.estate)
	return &next
}

// Believing is the project as it would be if a quirk of a source had another value;
// empty for one that was not measured.
func (s *Snapshot) Believing(source, quirk, val string) *Snapshot {
	next := *s
	next.folding, next.plans = maps.Clone(s.folding), newPlans()
	src := s.sources[source]
	found := *src.Record.Found
	found.Quirks = maps.Clone(found.Quirks)
	if val == "" {
		delete(found.Quirks, quirk)
	} else {
		found.Quirks[quirk] = catalog.Quirk{Value: val}
	}
	next.folding[source] = src.Conn.Folding(&found)
	return &next
}

// Node finds a column of a view or a table by its dotted name; without a column it stands
// for which rows the relation has.
func (s *Snapshot) Node(name string) (estate.Node, error) {
	parts := strings.Split(name, ".")
	for n := min(3, len(parts)); n >= 2; n-- {
		relation, column := strings.Join(parts[:n], "."), strings.Join(parts[n:], ".")
		if v := s.estate.View(relation); v != nil {
			_, _, err := s.ViewColumn(name)
			return estate.Node{Relation: relation, Column: column}, err
		}
		if t := s.catalog.Table(relation); t != nil {
			if column != "" && t.Column(column) < 0 {
				return estate.Node{}, NoColumn("table", t, column)
			}
			return estate.Node{Relation: t.FullName(), Column: column}, nil
		}
	}
	err := value.Errorf(value.CodeUndefinedTable, "no table or view is called %q", name)
	if near := catalog.Nearest(name, s.catalog.RelationNames()); near != "" {
		err = err.WithHint("did you mean %s?", near)
	}
	return estate.Node{}, err
}

// View returns the view of that name.
func (s *Snapshot) View(name string) (*catalog.View, error) {
	if v := s.catalog.View(name); v != nil {
		return v, nil
	}
	view, _, err := s.ViewColumn(name)
	if err == nil {
		err = value.Errorf(value.CodeUndefinedTable, "%s is a column, not a view", name).WithHint("its view is %s", view.FullName())
	}
	return nil, err
}

// ViewColumn finds layer.view or layer.view.column; column is empty for the former. The
// view binds.
func (s *Snapshot) ViewColumn(name string) (view *estate.View, column string, err error) {
	parts := strings.SplitN(name, ".", 3)
	if len(parts) < 2 || s.catalog.View(parts[0]+"."+parts[1]) == nil {
		var names []string
		for _, v := range s.catalog.Views() {
			names = append(names, v.FullName())
		}
		err := value.Errorf(value.CodeUndefinedTable, "no view is called %q", name)
		if near := catalog.Nearest(name, names); near != "" {
			err = err.WithHint("did you mean %s?", near)
		}
		return nil, "", err
	}
	v := s.estate.View(parts[0] + "." + parts[1])
	if v.Err != nil {
		return nil, "", v.Err
	}
	column = strings.Join(parts[2:], ".")
	if column == "" || v.Table.Column(column) >= 0 {
		return v, column, nil
	}
	return nil, "", NoColumn("view", v.Table, column)
}

// NoColumn says that a table or view has no column of that name, and which is near.
func NoColumn(what string, t *catalog.Table, column string) error {
	var names []string
	for _, c := range t.Columns {
		names = append(names, c.Name)
	}
	err := value.Errorf(value.CodeUndefinedColumn, "the %s %s has no column called %q", what, t.FullName(), column)
	if near := catalog.Nearest(column, names); near != "" {
		err = err.WithHint("did you mean %s?", near)
	}
	return err
}

// Table finds a table of a source by its name or schema.name.
func (s *Snapshot) Table(source, name string) (*Source, *catalog.Table, error) {
	src, err := s.Source(source)
	if err != nil {
		return nil, nil, err
	}
	t := s.catalog.Table(source + "." + name)
	if t == nil {
		return nil, nil, value.Errorf(value.CodeUndefinedTable, "%s has no table called %q", source, name).WithHint("refresh the source if it is new")
	}
	return src, t, nil
}
