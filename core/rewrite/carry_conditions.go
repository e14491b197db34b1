package rewrite

import "rovik/core/plan"

// carryConditions copies a condition on one side of an equality between two
// columns to its other side: where a.k = b.k and a.k > 5, so is b.k. What the
// other side then sends is less. It goes the way that cannot lose a row: both
// ways across inner and semi-joins, from left to right across others.
func carryConditions(root plan.Node, pass *Pass) plan.Node {
	c := &carrier{pass: pass}
	return c.node(root, nil)
}

type carrier struct{ pass *Pass }

// node returns n with the conditions that equalities inside it imply. conds
// hold for every row that n gives and are checked by others.
func (c *carrier) node(n plan.Node, conds []plan.Expr) plan.Node {
	switch n := n.(type) {
	case *plan.Filter:
		return n.WithInputs([]plan.Node{c.node(n.Input, append(conds[:len(conds):len(conds)], n.Conds...))})
	case *plan.Project:
		return n.WithInputs([]plan.Node{c.node(n.Input, substituteAll(conds, definitions(n.Items)))})
	case *plan.Sort:
		return n.WithInputs([]plan.Node{c.node(n.Input, conds)})
	case *plan.Join:
		return c.join(n, conds)
	}
	if len(n.Inputs()) == 0 {
		return n
	}
	inputs := make([]plan.Node, len(n.Inputs()))
	for i, in := range n.Inputs() {
		inputs[i] = c.node(in, nil)
	}
	return n.WithInputs(inputs)
}

func (c *carrier) join(n *plan.Join, conds []plan.Expr) plan.Node {
	sides := [2]plan.Node{n.Left, n.Right}
	outs := [2]plan.IDs{plan.Outputs(n.Left), plan.Outputs(n.Right)}
	have := [2][]plan.Expr{holds(n.Left), holds(n.Right)}
	for _, cond := range conds {
		for i := range sides {
			if uses := plan.Uses(cond); len(uses) > 0 && uses.Within(outs[i]) && (i == 0 || n.Kind == plan.InnerJoin) {
				have[i] = append(have[i], cond)
			}
		}
	}
	var carried [2][]plan.Expr
	carry := func(from, to int) {
		for _, on := range n.On {
			a, b, ok := plan.EquiKeys(on, outs[from], outs[to])
			if !ok || on.(*plan.Call).Op != "=" {
				continue
			}
			source, isCol := a.(*plan.Col)
			target, alsoCol := b.(*plan.Col)
			if !isCol || !alsoCol || source.Typ.Kind != target.Typ.Kind {
				continue
			}
			for _, cond := range have[from] {
				if copied, ok := carriedTo(cond, source, target); ok && !among(copied, have[to]) && !among(copied, carried[to]) {
					c.pass.note(cond.Origin(), "%s = %s carries it over: %s", plan.Text(a), plan.Text(b), plan.Text(copied))
					carried[to] = append(carried[to], copied)
				}
			}
		}
	}
	switch n.Kind {
	case plan.InnerJoin, plan.SemiJoin:
		carry(0, 1)
		have[1] = append(have[1], carried[1]...)
		carry(1, 0)
	case plan.LeftJoin, plan.AntiJoin, plan.MarkJoin, plan.SingleJoin:
		carry(0, 1)
	}
	for i := range sides {
		sides[i] = c.node(filter(sides[i], carried[i]), nil)
	}
	return n.WithInputs(sides[:])
}

// holds returns conditions that are true for every row of n.
func holds(n plan.Node) []plan.Expr {
	switch n := n.(type) {
	case *plan.Filter:
		return append(holds(n.Input), n.Conds...)
	case *plan.Sort, *plan.Distinct, *plan.Limit:
		return holds(n.Inputs()[0])
	case *plan.Project:
		// Conditions on columns that pass under another name.
		as := plan.Defs{}
		for _, it := range n.Items {
			if c, ok := it.Expr.(*plan.Col); ok {
				if _, twice := as[c.ID]; !twice {
					as[c.ID] = it.Ref()
				}
			}
		}
		var out []plan.Expr
		for _, c := range holds(n.Input) {
			known := true
			for id := range plan.Uses(c) {
				known = known && as[id] != nil
			}
			if known {
				out = append(out, plan.WithOrigin(plan.Substitute(c, as), c.Origin()))
			}
		}
		return out
	case *plan.Join:
		out := holds(n.Left)
		if n.Kind == plan.InnerJoin {
			out = append(out, holds(n.Right)...)
		}
		if n.Kind == plan.FullJoin {
			return nil
		}
		return out
	}
	return nil
}

// carriedTo returns cond for target where it reads source alone, and means the
// same for every value equal to it.
func carriedTo(cond plan.Expr, source, target *plan.Col) (plan.Expr, bool) {
	uses := plan.Uses(cond)
	if len(uses) != 1 || !uses[source.ID] || plan.MayFail(cond) {
		return nil, false
	}
	if !plan.RespectsEquality(cond) {
		return nil, false
	}
	return plan.WithOrigin(plan.Substitute(cond, plan.Defs{source.ID: target}), cond.Origin()), true
}

func among(e plan.Expr, list []plan.Expr) bool {
	for _, x := range list {
		if plan.Equal(e, x) {
			return true
		}
	}
	return false
}
