package app

import (
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
