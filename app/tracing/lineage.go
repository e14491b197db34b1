// Package tracing follows columns through the views: where one comes from, what depends
// on it and what a change of it would break, which verdicts hang on a quirk, and the
// search. All that one Tracing says is of one snapshot.
package tracing

import (
	"rovik/app/project"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/value"
)

// Tracing answers over one snapshot of a project.
type Tracing struct{ now *project.Snapshot }

// On returns the Tracing of a snapshot.
func On(s *project.Snapshot) Tracing { return Tracing{s} }

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
func (t Tracing) Lineage(name string) ([]ColumnLineage, error) {
	e := t.now.Estate()
	view, column, err := t.now.ViewColumn(name)
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

// Directions of a lineage graph.
const (
	Upstream   = "upstream"
	Downstream = "downstream"
)

// Graph returns what reaches a column of a view or table or, downstream,
// what it reaches.
func (t Tracing) Graph(name, direction string) (*estate.Graph, error) {
	n, err := t.now.Node(name)
	if err != nil {
		return nil, err
	}
	e := t.now.Estate()
	switch direction {
	case Upstream:
		return e.Upstream(n), nil
	case Downstream:
		return e.DownstreamOf(n), nil
	}
	return nil, value.Errorf(value.CodeBadParameter, "%q is not a direction", direction).WithHint("use upstream or downstream")
}

// Downstream returns the full names of the views that read the view of that
// name, directly or through others.
func (t Tracing) Downstream(name string) ([]string, error) {
	view, _, err := t.now.ViewColumn(name)
	if err != nil {
		return nil, err
	}
	return t.now.Estate().Downstream(view.FullName()), nil
}
