package rewrite

import "rovik/core/plan"

// pushFilters moves every condition down to the operators whose rows it
// judges: through projections, sorts, distinct, unions, groups and joins. A
// condition on both sides of an inner join becomes part of the join. On its
// way it turns outer joins that a condition makes inner (see outerToInner).
func pushFilters(root plan.Node, pass *Pass) plan.Node {
	return (&pusher{pass}).push(root, nil)
}

type pusher struct{ pass *Pass }

// moved notes conditions that go below an operator worth telling of.
func (p *pusher) moved(conds []plan.Expr, below string) {
	for _, c := range conds {
		if !plan.IsTrue(c) {
			p.pass.note(c.Origin(), "it is checked below %s", below)
		}
	}
}

// push returns n with conds applied to its rows.
func (p *pusher) push(n plan.Node, conds []plan.Expr) plan.Node {
	switch n := n.(type) {
	case *plan.Filter:
		// The inner conditions come first: they may guard the outer ones.
		return p.push(n.Input, append(n.Conds[:len(n.Conds):len(n.Conds)], conds...))
	case *plan.Project:
		return &plan.Project{Input: p.push(n.Input, substituteAll(conds, definitions(n.Items))), Items: n.Items}
	case *plan.Sort:
		return n.WithInputs([]plan.Node{p.push(n.Input, conds)})
	case *plan.Distinct:
		below, above := split(conds, func(e plan.Expr) bool { return n.On == nil || decidedBy(e, n.On) })
		return filter(n.WithInputs([]plan.Node{p.push(n.Input, below)}), above)
	case *plan.Join:
		n = p.outerToInner(n, conds)
		if n.Kind == plan.InnerJoin {
			return p.pushInner(n, conds)
		}
		return p.pushOuter(n, conds)
	case *plan.Aggregate:
		below, above := split(conds, func(e plan.Expr) bool {
			return len(n.Groups) > 0 && n.Sets == nil && plan.Uses(e).Within(plan.IDsOf(n.Groups))
		})
		p.moved(below, "the grouping")
		in := p.push(n.Input, substituteAll(below, definitions(n.Groups)))
		return filter(n.WithInputs([]plan.Node{in}), above)
	case *plan.Window:
		below, above := split(conds, func(e plan.Expr) bool {
			for _, it := range n.Items {
				if !decidedBy(e, it.Partition) {
					return false
				}
			}
			return true
		})
		p.moved(below, "the window functions, whose partitions it keeps whole")
		return filter(n.WithInputs([]plan.Node{p.push(n.Input, below)}), above)
	case *plan.Unnest:
		below, above := split(conds, within(plan.Outputs(n.Input)))
		return filter(n.WithInputs([]plan.Node{p.push(n.Input, below)}), above)
	case *plan.SetOp:
		// EXCEPT takes equal rows away: what tells them apart has to wait. Where
		// one of several equal rows remains, PostgreSQL chooses among those that
		// satisfy the condition, and so does this.
		below, above := split(conds, func(e plan.Expr) bool { return !n.Except || plan.RespectsEquality(e) })
		sides := make([]plan.Node, 2)
		for i, side := range n.Inputs() {
			defs := plan.Defs{}
			for j, c := range side.Columns() {
				defs[n.Cols[j].ID] = c.Ref()
			}
			sides[i] = p.push(side, substituteAll(below, defs))
		}
		return filter(n.WithInputs(sides), above)
	case *plan.Recursive:
		return filter(n.WithInputs([]plan.Node{p.push(n.Base, nil), p.push(n.Step, nil)}), conds)
	case *plan.Union:
		p.moved(conds, "the union, in each part")
		parts := make([]plan.Node, len(n.Parts))
		for i, part := range n.Parts {
			defs := plan.Defs{}
			for j, c := range part.Columns() {
				defs[n.Cols[j].ID] = c.Ref()
			}
			parts[i] = p.push(part, substituteAll(conds, defs))
		}
		return &plan.Union{Parts: parts, Cols: n.Cols, Org: n.Org}
	case *plan.Limit:
		return filter(n.WithInputs([]plan.Node{p.push(n.Input, nil)}), conds)
	}
	return filter(n, conds)
}

func (p *pusher) pushInner(n *plan.Join, conds []plan.Expr) plan.Node {
	all := append(n.On[:len(n.On):len(n.On)], conds...)
	left, rest := split(all, within(plan.Outputs(n.Left)))
	right, both := split(rest, within(plan.Outputs(n.Right)))
	return &plan.Join{Kind: plan.InnerJoin, Left: p.push(n.Left, left), Right: p.push(n.Right, right), On: both, Org: n.Org}
}

// pushOuter moves conditions on the left side below it, for every kind of join
// but a full one. Conditions on the right side stay above: below, they would
// turn partners into NULLs rather than drop the row. What ON asks of the right
// side alone may go there, and of a semi-join's left side too.
func (p *pusher) pushOuter(n *plan.Join, conds []plan.Expr) plan.Node {
	left, above := split(conds, within(plan.Outputs(n.Left)))
	right, on := split(n.On, func(e plan.Expr) bool {
		uses := plan.Uses(e)
		return len(uses) > 0 && uses.Within(plan.Outputs(n.Right))
	})
	c := *n
	switch n.Kind {
	case plan.FullJoin:
		left, above, right, on = nil, conds, nil, n.On
	case plan.SemiJoin:
		var more []plan.Expr
		more, on = split(on, func(e plan.Expr) bool {
			uses := plan.Uses(e)
			return len(uses) > 0 && uses.Within(plan.Outputs(n.Left))
		})
		left = append(left, more...)
	}
	c.Left, c.Right, c.On = p.push(n.Left, left), p.push(n.Right, right), on
	return filter(&c, above)
}

// decidedBy reports whether e reads nothing but columns among the expressions,
// so that it is alike for all rows that are equal in them.
func decidedBy(e plan.Expr, exprs []plan.Expr) bool {
	cols := plan.IDs{}
	for _, x := range exprs {
		if c, ok := x.(*plan.Col); ok {
			cols[c.ID] = true
		}
	}
	return plan.Uses(e).Within(cols)
}

func filter(n plan.Node, conds []plan.Expr) plan.Node {
	kept, _ := split(conds, func(e plan.Expr) bool { return !plan.IsTrue(e) })
	if len(kept) == 0 {
		return n
	}
	return &plan.Filter{Input: n, Conds: kept}
}

func split(conds []plan.Expr, test func(plan.Expr) bool) (yes, no []plan.Expr) {
	for _, c := range conds {
		if test(c) {
			yes = append(yes, c)
		} else {
			no = append(no, c)
		}
	}
	return yes, no
}

func within(ids plan.IDs) func(plan.Expr) bool {
	return func(e plan.Expr) bool { return plan.Uses(e).Within(ids) }
}

func definitions(items []plan.Item) plan.Defs {
	d := plan.Defs{}
	for _, it := range items {
		d[it.ID] = it.Expr
	}
	return d
}

func substituteAll(exprs []plan.Expr, defs plan.Defs) []plan.Expr {
	out := make([]plan.Expr, len(exprs))
	for i, e := range exprs {
		out[i] = plan.WithOrigin(plan.Substitute(e, defs), e.Origin())
	}
	return out
}
