package rewrite

import (
	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// worthGrouping is how much fewer groups than rows there have to be for
// grouping early to pay.
const worthGrouping = 0.7

// aggregateEarly groups one side of a join across sources before it crosses:
// whole where each group then meets at most one row and the groups are the
// query's own, else in two steps, partial below and final above the join
// (Yan and Larson, "Eager aggregation and lazy aggregation", 1995). It does the
// same for the parts of a union.
func aggregateEarly(root plan.Node, pass *Pass) plan.Node {
	estimate := pass.estimator(root)
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		agg, ok := n.(*plan.Aggregate)
		if !ok || agg.Sets != nil || len(agg.Aggs) == 0 || agg.Stage != plan.WholeStage || len(plan.Sources(agg.Input)) < 2 || !splits(agg) {
			return n
		}
		e := &earlyAggregate{pass: pass, estimate: estimate, agg: agg}
		in := agg.Input
		if p, ok := in.(*plan.Project); ok { // over a union, columns are named
			if u, ok := p.Input.(*plan.Union); ok {
				m, fits := rebase(agg, definitions(p.Items))
				if !fits {
					return n
				}
				e.agg, in = m.(*plan.Aggregate), u
			}
		}
		switch in := in.(type) {
		case *plan.Join:
			if out, ok := e.belowJoin(in); ok {
				return out
			}
		case *plan.Union:
			return e.belowUnion(in)
		}
		return n
	})
}

// splits reports whether every aggregate can be computed in two steps.
func splits(agg *plan.Aggregate) bool {
	for _, a := range agg.Aggs {
		if a.Distinct || len(a.Order) > 0 {
			return false
		}
		f, _ := function.AggregateOf(a.Func)
		if f.Combine == "" {
			return false
		}
		if k := argKind(a); f.AddsUp && !k.IsInteger() && k != value.Numeric {
			return false
		}
	}
	return true
}

type earlyAggregate struct {
	pass     *Pass
	estimate *plan.Estimator
	agg      *plan.Aggregate
}

// uses returns what the aggregates read.
func (e *earlyAggregate) uses() plan.IDs {
	uses := plan.IDs{}
	for _, a := range e.agg.Aggs {
		uses.AddUses(a.Exprs()...)
	}
	return uses
}

func (e *earlyAggregate) belowJoin(j *plan.Join) (plan.Node, bool) {
	if j.Kind != plan.InnerJoin && j.Kind != plan.LeftJoin {
		return nil, false
	}
	for i, side := range j.Inputs() {
		if i == 1 && j.Kind == plan.LeftJoin || !e.uses().Within(plan.Outputs(side)) || len(plan.Sources(side)) != 1 {
			continue
		}
		if i == 0 && len(e.uses()) == 0 && len(plan.Sources(j.Right)) == 1 && j.Kind == plan.InnerJoin && e.estimate.Rows(j.Right) > e.estimate.Rows(j.Left) {
			continue // count(*): group the larger side
		}
		if out, ok := e.groupSide(j, i); ok {
			return out, true
		}
	}
	return nil, false
}

// groupSide groups side i by the query's groups on it and by what the join's
// conditions read of it.
func (e *earlyAggregate) groupSide(j *plan.Join, i int) (plan.Node, bool) {
	side := j.Inputs()[i]
	own := plan.Outputs(side)
	keys := &groupList{ids: e.pass.IDs}
	for _, c := range j.On {
		for _, part := range sideParts(c, own) {
			keys.column(part)
		}
	}
	groups := make([]plan.Item, len(e.agg.Groups))
	for g, it := range e.agg.Groups {
		uses := plan.Uses(it.Expr)
		switch {
		case len(uses) > 0 && uses.Within(own) && !plan.MayFail(it.Expr):
			groups[g] = plan.Item{Column: it.Column, Expr: plan.WithOrigin(keys.column(it.Expr).Ref(), it.Expr.Origin())}
		case !uses.Meets(own):
			groups[g] = it
		default:
			return nil, false
		}
	}
	partial := &plan.Aggregate{Input: side, Groups: keys.items, Org: e.agg.Org, Stage: plan.PartialStage}
	for _, k := range keys.items {
		if !e.estimate.Knows(k.Expr) {
			return nil, false
		}
	}
	if e.estimate.Rows(partial) > worthGrouping*e.estimate.Rows(side) {
		return nil, false
	}
	finals, again := e.twoSteps(partial)
	sides := j.Inputs()
	sides[i] = partial
	on := make([]plan.Expr, len(j.On))
	for c, cond := range j.On {
		on[c] = keys.replace(cond)
	}
	joined := *j
	joined.Left, joined.Right, joined.On = sides[0], sides[1], on
	whole := j.Kind == plan.InnerJoin || j.Kind == plan.LeftJoin
	if i == 0 {
		whole = whole && plan.AtMostOne(&joined)
	} else {
		whole = j.Kind == plan.InnerJoin && plan.AtMostOne(swapped(&joined))
	}
	if whole && len(groups) > 0 && e.sameGroups(keys, groups, &joined, i) {
		e.pass.note(e.agg.Org, "each group of %s meets at most one row: it is grouped before the join", sourceOf(side))
		partial.Stage = plan.WholeStage
		items := append([]plan.Item{}, groups...)
		for a, agg := range e.agg.Aggs {
			items = append(items, plan.Item{Column: agg.Column, Expr: partial.Aggs[a].Ref()})
		}
		return &plan.Project{Input: &joined, Items: items}, true
	}
	e.pass.note(e.agg.Org, "%s groups what it sends; the groups are put together here", sourceOf(side))
	return e.final(&joined, groups, finals, again), true
}

func sourceOf(n plan.Node) string {
	for s := range plan.Sources(n) {
		return s
	}
	return "Rovik"
}

func swapped(j *plan.Join) *plan.Join {
	c := *j
	c.Left, c.Right = j.Right, j.Left
	return &c
}

// sameGroups reports whether the early groups are the query's own: each of their
// keys is among the query's groups, as it is or as what the join makes equal to
// it.
func (e *earlyAggregate) sameGroups(keys *groupList, groups []plan.Item, j *plan.Join, side int) bool {
	for _, k := range keys.items {
		found := false
		for _, g := range groups {
			if c, ok := g.Expr.(*plan.Col); ok {
				found = found || c.ID == k.ID || j.Kind == plan.InnerJoin && equated(j, k.ID, c.ID)
			}
		}
		if !found {
			return false
		}
	}
	return true
}

func equated(j *plan.Join, a, b plan.ID) bool {
	for _, c := range j.On {
		call, ok := c.(*plan.Call)
		if !ok || call.Op != "=" {
			continue
		}
		x, ok1 := call.Args[0].(*plan.Col)
		y, ok2 := call.Args[1].(*plan.Col)
		if ok1 && ok2 && (x.ID == a && y.ID == b || x.ID == b && y.ID == a) {
			return true
		}
	}
	return false
}

// sideParts returns the largest parts of a condition that read columns of one
// side alone: what has to be grouped by for the condition to stay possible.
func sideParts(e plan.Expr, own plan.IDs) []plan.Expr {
	uses := plan.Uses(e)
	if !uses.Meets(own) {
		return nil
	}
	if uses.Within(own) && !plan.MayFail(e) {
		return []plan.Expr{e}
	}
	var out []plan.Expr
	for _, p := range plan.Children(e) {
		out = append(out, sideParts(p, own)...)
	}
	return out
}

// groupList collects the keys of an early aggregation.
type groupList struct {
	ids   *plan.Numbering
	items []plan.Item
}

// column returns the key that computes e, which is added where it is new. A
// column keeps its id.
func (g *groupList) column(e plan.Expr) plan.Column {
	for _, it := range g.items {
		if plan.Equal(it.Expr, e) {
			return it.Column
		}
	}
	c := plan.Column{Name: plan.Text(e), Type: e.Type()}
	if col, ok := e.(*plan.Col); ok {
		c.ID, c.Name = col.ID, col.Name
	} else {
		c.ID = g.ids.Next()
	}
	g.items = append(g.items, plan.Item{Column: c, Expr: e})
	return c
}

// replace puts the keys in the place of what they compute.
func (g *groupList) replace(e plan.Expr) plan.Expr {
	for _, it := range g.items {
		if plan.Equal(it.Expr, e) {
			return plan.WithOrigin(it.Ref(), e.Origin())
		}
	}
	return plan.MapParts(e, g.replace)
}

// twoSteps adds the partial aggregates to partial, and returns the final ones
// with what makes the query's own columns of them.
func (e *earlyAggregate) twoSteps(partial *plan.Aggregate) (finals []plan.AggItem, again []plan.Item) {
	for _, a := range e.agg.Aggs {
		first := a
		first.Column.ID = e.pass.IDs.Next()
		partial.Aggs = append(partial.Aggs, first)
		step := plan.AggItem{Column: plan.Column{ID: e.pass.IDs.Next(), Name: a.Name, Type: a.Type}, Agg: plan.Agg{Args: []plan.Expr{first.Ref()}, Org: a.Org}}
		facts, _ := function.AggregateOf(a.Func)
		step.Func = facts.Combine
		var out plan.Expr
		switch {
		case facts.Zero:
			step.Column.Type = value.Of(value.Numeric)
			zero := &plan.Const{Val: value.DecimalOf(value.Decimal{}), Typ: value.Of(value.Numeric)}
			sum := &plan.Call{Op: "coalesce", Args: []plan.Expr{step.Ref(), zero}, Typ: value.Of(value.Numeric)}
			out = &plan.Cast{Arg: sum, Typ: value.Of(value.Int8)}
		case facts.Combine == "sum" && first.Column.Type.Kind == value.Int8:
			step.Column.Type = value.Of(value.Numeric)
			out = &plan.Cast{Arg: step.Ref(), Typ: value.Of(value.Int8)}
		}
		if out == nil {
			out = step.Ref()
		}
		finals = append(finals, step)
		again = append(again, plan.Item{Column: a.Column, Expr: out})
	}
	return finals, again
}

// final groups the rows of in by the query's groups and finishes its
// aggregates.
func (e *earlyAggregate) final(in plan.Node, groups []plan.Item, finals []plan.AggItem, again []plan.Item) plan.Node {
	agg := &plan.Aggregate{Input: in, Groups: groups, Aggs: finals, Org: e.agg.Org, Stage: plan.FinalStage}
	return &plan.Project{Input: agg, Items: append(plan.Identity(plan.Columns(groups)), again...)}
}

func (e *earlyAggregate) belowUnion(u *plan.Union) plan.Node {
	e.pass.note(e.agg.Org, "each part of the union groups what it sends; the groups are put together here")
	var finals []plan.AggItem
	var again []plan.Item
	out := &plan.Union{Org: u.Org}
	for i, part := range u.Parts {
		defs := plan.Defs{}
		for j, c := range part.Columns() {
			defs[u.Cols[j].ID] = c.Ref()
		}
		own := plan.MapExprs(e.agg, func(x plan.Expr) plan.Expr { return plan.Substitute(x, defs) }).(*plan.Aggregate)
		partial := &plan.Aggregate{Input: part, Org: e.agg.Org, Stage: plan.PartialStage}
		for _, g := range own.Groups {
			g.Column.ID = e.pass.IDs.Next()
			partial.Groups = append(partial.Groups, g)
		}
		step := &earlyAggregate{pass: e.pass, estimate: e.estimate, agg: own}
		f, a := step.twoSteps(partial)
		out.Parts = append(out.Parts, partial)
		if i > 0 {
			continue
		}
		again = a
		for _, c := range partial.Columns() {
			c.ID = e.pass.IDs.Next()
			out.Cols = append(out.Cols, c)
		}
		for n := range f { // the final step reads the union's columns
			f[n].Args = []plan.Expr{out.Cols[len(partial.Groups)+n].Ref()}
		}
		finals = f
	}
	groups := make([]plan.Item, len(e.agg.Groups))
	for g, it := range e.agg.Groups {
		groups[g] = plan.Item{Column: it.Column, Expr: plan.WithOrigin(out.Cols[g].Ref(), it.Expr.Origin())}
	}
	return e.final(out, groups, finals, again)
}
