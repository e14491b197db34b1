// Package lineage answers, from a bound query, which source columns each
// output column carries the values of and which ones influence it.
package lineage

import (
	"sort"

	"rovik/core/plan"
)

// Via says how a source column reaches an output column.
type Via string

// The ways: the first three carry values, the others influence them.
const (
	Unchanged   Via = "unchanged"
	Transformed Via = "transformed"
	Aggregated  Via = "aggregated"
	ByFilter    Via = "filter"
	ByJoin      Via = "join"
	ByGroup     Via = "group"
	BySort      Via = "sort"
	ByCondition Via = "condition"
)

// Ref is a source column and how it reaches an output column.
type Ref struct {
	Table  string `json:"table"` // source.table
	Column string `json:"column"`
	Via    Via    `json:"via"`
}

// Column is the lineage of one output column.
type Column struct {
	Name       string `json:"name"`
	Type       string `json:"type"`
	Carries    []Ref  `json:"carries"`
	Influences []Ref  `json:"influences"`
}

// set collects refs without repeats.
type set map[Ref]bool

func (s set) add(o set) {
	for r := range o {
		s[r] = true
	}
}

// through returns s with every carried value at least via.
func (s set) through(via Via) set {
	out := set{}
	for r := range s {
		if r.Via == Unchanged || r.Via == Transformed && via == Aggregated {
			r.Via = via
		}
		out[r] = true
	}
	return out
}

// as returns s with every ref turned into an influence.
func (s set) as(via Via) set {
	out := set{}
	for r := range s {
		r.Via = via
		out[r] = true
	}
	return out
}

// flow is what is known of one column of an operator.
type flow struct{ carries, influences set }

// Of returns the lineage of a query's output columns.
func Of(root plan.Node) []Column {
	flows, rows := trace(root)
	var out []Column
	for _, c := range root.Columns() {
		f := flows[c.ID]
		all := set{}
		all.add(f.influences)
		all.add(rows)
		out = append(out, Column{Name: c.Name, Type: c.Type.String(), Carries: f.carries.sorted(), Influences: all.sorted()})
	}
	return out
}

func (s set) sorted() []Ref {
	out := make([]Ref, 0, len(s))
	for r := range s {
		out = append(out, r)
	}
	sort.Slice(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if a.Table != b.Table {
			return a.Table < b.Table
		}
		if a.Column != b.Column {
			return a.Column < b.Column
		}
		return a.Via < b.Via
	})
	return out
}

// trace returns the flow of every column of n, and what decides which rows
// there are.
func trace(n plan.Node) (map[plan.ID]flow, set) {
	flows := map[plan.ID]flow{}
	rows := set{}
	for _, in := range n.Inputs() {
		f, r := trace(in)
		for id, x := range f {
			flows[id] = x
		}
		rows.add(r)
	}
	switch n := n.(type) {
	case *plan.Scan:
		for _, c := range n.Cols {
			name := n.Table.Columns[c.Index].Name
			flows[c.ID] = flow{set{Ref{n.Table.FullName(), name, Unchanged}: true}, set{}}
		}
	case *plan.Filter:
		for _, c := range n.Conds {
			rows.add(influence(c, flows, ByFilter))
		}
	case *plan.Join:
		join := set{}
		for _, c := range n.On {
			join.add(influence(c, flows, ByJoin))
		}
		if n.Test != nil {
			join.add(influence(n.Test, flows, ByJoin))
		}
		if n.Mark != nil { // which rows there are does not depend on it
			flows[n.Mark.ID] = flow{set{}, join}
		} else {
			rows.add(join)
		}
	case *plan.Window:
		for _, it := range n.Items {
			f := flow{set{}, set{}}
			for _, e := range it.Args {
				arg := valueFlow(e, flows)
				f.carries.add(arg.carries.through(Aggregated))
				f.influences.add(arg.influences)
			}
			for _, e := range it.Partition {
				f.influences.add(influence(e, flows, ByGroup))
			}
			for _, k := range it.Order {
				f.influences.add(influence(k.Expr, flows, BySort))
			}
			if it.Filter != nil {
				f.influences.add(influence(it.Filter, flows, ByFilter))
			}
			flows[it.ID] = f
		}
	case *plan.Unnest:
		for _, c := range n.Calls {
			for _, col := range c.Cols {
				f := flow{set{}, set{}}
				for _, e := range c.Args {
					arg := valueFlow(e, flows)
					f.carries.add(arg.carries.through(Transformed))
					f.influences.add(arg.influences)
				}
				flows[col.ID] = f
			}
		}
		if n.Ordinality != nil {
			flows[n.Ordinality.ID] = flow{set{}, set{}}
		}
	case *plan.Sort:
		for _, k := range n.Keys {
			rows.add(influence(k.Expr, flows, BySort))
		}
	case *plan.Distinct:
		for _, e := range n.On {
			rows.add(influence(e, flows, ByGroup))
		}
		for _, c := range n.Columns() {
			if len(n.On) == 0 {
				rows.add(influence(c.Ref(), flows, ByGroup))
			}
		}
	case *plan.Project:
		out := map[plan.ID]flow{}
		for _, it := range n.Items {
			out[it.ID] = valueFlow(it.Expr, flows)
		}
		return out, rows
	case *plan.Aggregate:
		out := map[plan.ID]flow{}
		for _, g := range n.Groups {
			out[g.ID] = valueFlow(g.Expr, flows)
			rows.add(influence(g.Expr, flows, ByGroup))
		}
		if n.SetID != nil {
			out[n.SetID.ID] = flow{set{}, set{}}
		}
		for _, a := range n.Aggs {
			f := flow{set{}, set{}}
			values := a.Args
			if plan.OrderedSet(a.Func) {
				values = append(values[:len(values):len(values)], a.Order[0].Expr)
			}
			for _, e := range values {
				arg := valueFlow(e, flows)
				f.carries.add(arg.carries.through(Aggregated))
				f.influences.add(arg.influences)
			}
			if a.Filter != nil {
				f.influences.add(influence(a.Filter, flows, ByFilter))
			}
			for _, k := range a.Order {
				f.influences.add(influence(k.Expr, flows, BySort))
			}
			out[a.ID] = f
		}
		return out, rows
	case *plan.WorkTable:
		for _, c := range n.Cols { // what goes round is counted where it starts
			flows[c.ID] = flow{set{}, set{}}
		}
	case *plan.Union, *plan.SetOp, *plan.Recursive:
		out := map[plan.ID]flow{}
		for i, c := range n.Columns() {
			f := flow{set{}, set{}}
			for _, p := range n.Inputs() {
				part := flows[p.Columns()[i].ID]
				f.carries.add(part.carries)
				f.influences.add(part.influences)
			}
			out[c.ID] = f
		}
		return out, rows
	}
	return flows, rows
}

// valueFlow is the flow of an expression's value. Conditions of CASE influence it
// and are not carried.
func valueFlow(e plan.Expr, flows map[plan.ID]flow) flow {
	out := flow{set{}, set{}}
	switch e := e.(type) {
	case *plan.Col:
		return flows[e.ID]
	case *plan.Case:
		for _, w := range e.Whens {
			out.influences.add(influence(w.Cond, flows, ByCondition))
			r := valueFlow(w.Result, flows)
			out.carries.add(r.carries)
			out.influences.add(r.influences)
		}
		r := valueFlow(e.Else, flows)
		out.carries.add(r.carries)
		out.influences.add(r.influences)
		out.carries = out.carries.through(Transformed)
		return out
	}
	for _, p := range plan.Children(e) {
		f := valueFlow(p, flows)
		out.carries.add(f.carries.through(Transformed))
		out.influences.add(f.influences)
	}
	return out
}

// influence is everything that an expression depends on.
func influence(e plan.Expr, flows map[plan.ID]flow, via Via) set {
	f := valueFlow(e, flows)
	out := f.carries.as(via)
	out.add(f.influences.as(via))
	return out
}
