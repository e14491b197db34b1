package app

import (
	"sort"
	"strings"

	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/value"
)

// ColumnLineage is where a view's column comes from: columns of sources whose
// values it carries, and those that influence it. A Ref without a column stands
// for which rows a table has.
type ColumnLineage struct {
	Name       string        `json:"name"`
	Type       string        `json:"type"`
	Carries    []lineage.Ref `json:"carries"`
	Influences []lineage.Ref `json:"influences"`
}

// Lineage returns the lineage of a view's columns, or of the one column that
// name ends with: layer.view or layer.view.column.
func (a *App) Lineage(name string) ([]ColumnLineage, error) {
	e := a.state.Load().estate
	view, column, err := a.viewColumn(name)
	if err != nil {
		return nil, err
	}
	out := []ColumnLineage{}
	for _, c := range view.Table.Columns {
		if column == "" || c.Name == column {
			l := ColumnLineage{Name: c.Name, Type: c.Type.String()}
			l.Carries, l.Influences = e.Sources(estate.Node{Relation: view.FullName(), Column: c.Name})
			out = append(out, l)
		}
	}
	return out, nil
}

// viewColumn finds layer.view or layer.view.column. The view binds.
func (a *App) viewColumn(name string) (*estate.View, string, error) {
	e := a.state.Load().estate
	parts := strings.SplitN(name, ".", 3)
	if len(parts) < 2 || e.View(parts[0]+"."+parts[1]) == nil {
		var names []string
		for _, v := range e.Catalog().Views() {
			names = append(names, v.FullName())
		}
		err := value.Errorf(value.CodeUndefinedTable, "no view is called %q", name)
		if near := catalog.Nearest(name, names); near != "" {
			err = err.WithHint("did you mean %s?", near)
		}
		return nil, "", err
	}
	v := e.View(parts[0] + "." + parts[1])
	if v.Err != nil {
		return nil, "", v.Err
	}
	column := strings.Join(parts[2:], ".")
	if column == "" || v.Table.Column(column) >= 0 {
		return v, column, nil
	}
	return nil, "", noColumn("view", v.Table, column)
}

func noColumn(what string, t *catalog.Table, column string) error {
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

// node finds a column of a view or a table by its dotted name; without a column
// it stands for the relation's rows.
func (a *App) node(name string) (estate.Node, error) {
	e := a.state.Load().estate
	parts := strings.Split(name, ".")
	for n := min(3, len(parts)); n >= 2; n-- {
		relation, column := strings.Join(parts[:n], "."), strings.Join(parts[n:], ".")
		if v := e.View(relation); v != nil {
			_, _, err := a.viewColumn(name)
			return estate.Node{Relation: relation, Column: column}, err
		}
		if t := e.Catalog().Table(relation); t != nil {
			if column != "" && t.Column(column) < 0 {
				return estate.Node{}, noColumn("table", t, column)
			}
			return estate.Node{Relation: t.FullName(), Column: column}, nil
		}
	}
	err := value.Errorf(value.CodeUndefinedTable, "no table or view is called %q", name)
	if near := catalog.Nearest(name, e.Catalog().RelationNames()); near != "" {
		err = err.WithHint("did you mean %s?", near)
	}
	return estate.Node{}, err
}

// Directions of a lineage graph.
const (
	Upstream   = "upstream"
	Downstream = "downstream"
)

// LineageGraph returns what reaches a column of a view or table or, downstream,
// what it reaches.
func (a *App) LineageGraph(name, direction string) (*estate.Graph, error) {
	n, err := a.node(name)
	if err != nil {
		return nil, err
	}
	e := a.state.Load().estate
	switch direction {
	case Upstream:
		return e.Upstream(n), nil
	case Downstream:
		return e.DownstreamOf(n), nil
	}
	return nil, value.Errorf(value.CodeBadParameter, "%q is no direction", direction).WithHint("there is upstream and downstream")
}

// Downstream returns the full names of the views that read the view of that
// name, directly or through others.
func (a *App) Downstream(name string) ([]string, error) {
	view, _, err := a.viewColumn(name)
	if err != nil {
		return nil, err
	}
	return a.state.Load().estate.Downstream(view.FullName()), nil
}

// Changes that an impact is asked of.
const (
	ChangeGone    = "gone"
	ChangeRenamed = "renamed"
	ChangeType    = "type"
)

// Impact is what depends on a column, table or view, and what would become of it.
type Impact struct {
	Of estate.Node `json:"of"`
	// Views depend on it, with their columns that do and how; a view of which no
	// column does is only the reader of a table's rows.
	Views []ImpactView `json:"views"`
	// Change is what was asked of: gone, renamed or type.
	Change string `json:"change"`
	// Broken would not bind if the change were made.
	Broken []WouldBreak `json:"broken"`
}

// ImpactView is a view that depends on something.
type ImpactView struct {
	Name    string         `json:"name"`
	Direct  bool           `json:"direct"` // its text names it
	Rows    bool           `json:"rows"`   // which rows it has depends on it
	Columns []ImpactColumn `json:"columns"`
}

// ImpactColumn is a column that depends on something, and how.
type ImpactColumn struct {
	Name string      `json:"name"`
	How  estate.Role `json:"how"`
}

// Impact tells what depends on a column, or on a whole relation, and what would
// break if it went, were renamed, or had another type.
func (a *App) Impact(name, change, typ string) (*Impact, error) {
	n, err := a.node(name)
	if err != nil {
		return nil, err
	}
	s := a.state.Load()
	changed, err := s.changedTable(n, change, typ)
	if err != nil {
		return nil, err
	}
	out := &Impact{Of: n, Change: change, Views: s.dependents(n), Broken: []WouldBreak{}}
	after := s.estate.Changed(changed)
	for _, view := range s.estate.Downstream(n.Relation) {
		if was, is := s.estate.View(view), after.View(view); was.Err == nil && is.Err != nil {
			out.Broken = append(out.Broken, WouldBreak{view, is.Err.Error()})
		}
	}
	return out, nil
}

// changedTable is a relation as it would be after a change of one column, or of
// all where there is none.
func (s *state) changedTable(n estate.Node, change, typ string) (*catalog.Table, error) {
	var t catalog.Table
	if v := s.estate.View(n.Relation); v != nil {
		t = *v.Table
	} else {
		t = *s.catalog.Table(n.Relation)
	}
	to, err := value.ParseType(typ)
	if change == ChangeType && err != nil {
		return nil, value.Errorf(value.CodeBadParameter, "%s", err).WithHint("say of which type it would be")
	}
	columns := t.Columns
	t.Columns, t.Keys = nil, nil
	for _, c := range columns {
		if n.Column != "" && c.Name != n.Column {
			t.Columns = append(t.Columns, c)
			continue
		}
		switch change {
		case ChangeGone:
		case ChangeRenamed:
			c.Name += " renamed"
			t.Columns = append(t.Columns, c)
		case ChangeType:
			c.Type = to
			t.Columns = append(t.Columns, c)
		default:
			return nil, value.Errorf(value.CodeBadParameter, "%q is no change", change).WithHint("there is gone, renamed and type")
		}
	}
	return &t, nil
}

// dependents lists the views that depend on a node, by name.
func (s *state) dependents(n estate.Node) []ImpactView {
	e := s.estate
	direct := map[string]bool{}
	for _, r := range e.Readers(n.Relation) {
		direct[r] = true
	}
	byName := map[string]*ImpactView{}
	at := func(view string) *ImpactView {
		if byName[view] == nil {
			byName[view] = &ImpactView{Name: view, Direct: direct[view], Columns: []ImpactColumn{}}
		}
		return byName[view]
	}
	for _, g := range e.DownstreamOf(n).Nodes {
		switch {
		case g.Role == estate.Asked:
		case g.Column == "":
			at(g.Relation).Rows = true
		default:
			v := at(g.Relation)
			v.Columns = append(v.Columns, ImpactColumn{g.Column, g.Role})
		}
	}
	if n.Column == "" { // whoever reads it, depends on it
		for _, view := range e.Downstream(n.Relation) {
			at(view)
		}
	}
	out := make([]ImpactView, 0, len(byName))
	for _, v := range byName {
		out = append(out, *v)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}
