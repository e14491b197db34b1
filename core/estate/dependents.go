package estate

import (
	"cmp"
	"slices"
)

// Dependent is a view that depends on a column or relation, with its columns that do and
// how; a view of which no column does is only a reader of a relation's rows.
type Dependent struct {
	Name    string            `json:"name"`
	Direct  bool              `json:"direct"` // its text names it
	Rows    bool              `json:"rows"`   // which rows it has depends on it
	Columns []DependentColumn `json:"columns"`
}

// DependentColumn is a column that depends on something, and how.
type DependentColumn struct {
	Name string `json:"name"`
	How  Role   `json:"how"`
}

// Dependents lists the views that depend on a node, by name; down is what the node
// reaches.
func (e *Estate) Dependents(n Node, down *Graph) []Dependent {
	direct := map[string]bool{}
	for _, r := range e.Readers(n.Relation) {
		direct[r] = true
	}
	byName := map[string]*Dependent{}
	at := func(view string) *Dependent {
		if byName[view] == nil {
			byName[view] = &Dependent{Name: view, Direct: direct[view], Columns: []DependentColumn{}}
		}
		return byName[view]
	}
	for _, g := range down.Nodes {
		switch {
		case g.Role == Asked:
		case g.Column == "":
			at(g.Relation).Rows = true
		default:
			v := at(g.Relation)
			v.Columns = append(v.Columns, DependentColumn{g.Column, g.Role})
		}
	}
	if n.Column == "" { // whoever reads it, depends on it
		for _, view := range e.Downstream(n.Relation) {
			at(view)
		}
	}
	out := make([]Dependent, 0, len(byName))
	for _, v := range byName {
		out = append(out, *v)
	}
	slices.SortFunc(out, func(a, b Dependent) int { return cmp.Compare(a.Name, b.Name) })
	return out
}
