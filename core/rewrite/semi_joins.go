package rewrite

import (
	"rovik/core/plan"
	"rovik/core/value"
)

// semiJoins turns a mark join whose mark is nothing but a condition into a
// semi-join, or where it is negated into an anti-join, which sources know as
// EXISTS and NOT EXISTS.
func semiJoins(root plan.Node, pass *Pass) plan.Node {
	used := marksUsed(root)
	gone := plan.IDs{}
	out := pass.rewrite(root, func(n plan.Node) plan.Node {
		f, ok := n.(*plan.Filter)
		if !ok {
			return n
		}
		j, ok := f.Input.(*plan.Join)
		if !ok || j.Kind != plan.MarkJoin || used[j.Mark.ID] != 1 {
			return n
		}
		var rest []plan.Expr
		kind := plan.MarkJoin
		for _, c := range f.Conds {
			switch {
			case isMark(c, j.Mark.ID):
				kind = plan.SemiJoin
				continue
			case isNot(c) && isMark(c.(*plan.Call).Args[0], j.Mark.ID):
				kind = plan.AntiJoin
				continue
			}
			rest = append(rest, c)
		}
		if kind == plan.MarkJoin {
			return n
		}
		pass.note(j.Org, "only whether a partner exists counts: a %s", kind)
		out := *j
		out.Kind, out.Mark, out.Test = kind, nil, nil
		out.Right = withoutRepeats(j.Right)
		out.On = j.On[:len(j.On):len(j.On)]
		switch {
		case j.Test == nil:
			if len(j.On) == 0 { // one row is enough to know
				out.Right = &plan.Limit{Input: out.Right, Count: 1}
			}
		case kind == plan.SemiJoin:
			out.On = append(out.On, plan.Conjuncts(j.Test)...)
		default:
			out.On = append(out.On, notFalse(j.Test, j))
		}
		gone[j.Mark.ID] = true
		return filter(&out, rest)
	})
	if len(gone) == 0 {
		return root
	}
	return pass.rewrite(out, func(n plan.Node) plan.Node {
		p, ok := n.(*plan.Project)
		if !ok {
			return n
		}
		var items []plan.Item
		for _, it := range p.Items {
			if !gone[it.ID] {
				items = append(items, it)
			}
		}
		return &plan.Project{Input: p.Input, Items: items}
	})
}

// marksUsed counts how often each column is read, passing it on aside.
func marksUsed(root plan.Node) map[plan.ID]int {
	used := map[plan.ID]int{}
	whole := func(n plan.Node) { // all of its columns count
		for _, c := range n.Columns() {
			used[c.ID]++
		}
	}
	whole(root)
	plan.Visit(root, func(n plan.Node) {
		switch n := n.(type) {
		case *plan.Union, *plan.SetOp, *plan.Recursive, *plan.Distinct:
			for _, in := range n.Inputs() {
				whole(in)
			}
		case *plan.Project:
			for _, it := range n.Items {
				if c, ok := it.Expr.(*plan.Col); ok && c.ID == it.ID {
					used[c.ID]--
				}
			}
		}
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			plan.Walk(e, func(p plan.Expr) bool {
				if c, ok := p.(*plan.Col); ok {
					used[c.ID]++
				}
				return true
			})
			return e
		})
	})
	return used
}

func isMark(e plan.Expr, id plan.ID) bool {
	c, ok := e.(*plan.Col)
	return ok && c.ID == id
}

func isNot(e plan.Expr) bool {
	c, ok := e.(*plan.Call)
	return ok && c.Op == "not"
}

// withoutRepeats takes off what changes only the order and repetition of rows.
func withoutRepeats(n plan.Node) plan.Node {
	switch n := n.(type) {
	case *plan.Sort:
		return withoutRepeats(n.Input)
	case *plan.Distinct:
		if len(n.On) == 0 {
			return withoutRepeats(n.Input)
		}
	case *plan.Project:
		return n.WithInputs([]plan.Node{withoutRepeats(n.Input)})
	}
	return n
}

// notFalse is what NOT IN asks of no row: that the test is true or unknown.
// Where nothing in it can be NULL, that is the test itself.
func notFalse(test plan.Expr, j *plan.Join) plan.Expr {
	known := plan.NotNull(j.Left)
	for id := range plan.NotNull(j.Right) {
		known[id] = true
	}
	sure := true
	plan.Walk(test, func(e plan.Expr) bool {
		switch e := e.(type) {
		case *plan.Col:
			sure = sure && known[e.ID]
		case *plan.Const:
			sure = sure && !e.Val.IsNull
		case *plan.Call:
			sure = sure && (e.Op == "=" || e.Op == "and")
		case *plan.Cast:
		default:
			sure = false
		}
		return sure
	})
	if sure {
		return test
	}
	return &plan.Call{Op: "is not false", Args: []plan.Expr{test}, Typ: value.Of(value.Bool), Org: test.Origin()}
}
