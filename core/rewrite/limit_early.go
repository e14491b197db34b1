package rewrite

import "rovik/core/plan"

// limitEarly copies a limit, with its sort, below what keeps every row: into
// the left side of a left join that its keys come from, and into each part of a
// union. Each source then sends no more than the first rows.
func limitEarly(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		l, ok := n.(*plan.Limit)
		if !ok || l.Count < 0 || l.Ties != nil || len(plan.Sources(l)) < 2 {
			return n
		}
		var order *plan.Sort
		in := l.Input
		if s, ok := in.(*plan.Sort); ok {
			order, in = s, s.Input
		}
		below, ok := firstRows(in, order, l, pass)
		if !ok {
			return n
		}
		if order != nil {
			below = order.WithInputs([]plan.Node{below})
		}
		return l.WithInputs([]plan.Node{below})
	})
}

// firstRows returns n over inputs that give their first rows alone.
func firstRows(n plan.Node, order *plan.Sort, l *plan.Limit, pass *Pass) (plan.Node, bool) {
	first := func(n plan.Node, order *plan.Sort) plan.Node {
		if order != nil {
			n = &plan.Sort{Input: n, Keys: order.Keys, Org: order.Org, Copy: true}
		}
		return &plan.Limit{Input: n, Count: l.Count + l.Offset, Org: l.Org, Copy: true}
	}
	switch n := n.(type) {
	case *plan.Project:
		if order != nil {
			m, ok := rebase(order, definitions(n.Items))
			if !ok {
				return nil, false
			}
			order = m.(*plan.Sort)
		}
		in, ok := firstRows(n.Input, order, l, pass)
		if !ok {
			return nil, false
		}
		return n.WithInputs([]plan.Node{in}), true
	case *plan.Join:
		if !n.Kind.KeepsLeft() || n.Kind == plan.FullJoin {
			return nil, false
		}
		if order != nil && !keyUses(order).Within(plan.Outputs(n.Left)) {
			return nil, false
		}
		pass.note(l.Org, "the join keeps every row of its left side, so that its first rows suffice")
		left := first(n.Left, order)
		if deeper, ok := firstRows(n.Left, order, l, pass); ok {
			left = first(deeper, order)
		}
		return n.WithInputs([]plan.Node{left, n.Right}), true
	case *plan.Union:
		pass.note(l.Org, "each part of the union sends its first rows alone")
		parts := make([]plan.Node, len(n.Parts))
		for i, p := range n.Parts {
			own := order
			if order != nil {
				defs := plan.Defs{}
				for j, c := range p.Columns() {
					defs[n.Cols[j].ID] = c.Ref()
				}
				own = plan.MapExprs(order, func(e plan.Expr) plan.Expr { return plan.Substitute(e, defs) }).(*plan.Sort)
			}
			parts[i] = first(p, own)
		}
		return &plan.Union{Parts: parts, Cols: n.Cols, Org: n.Org}, true
	}
	return nil, false
}

func keyUses(s *plan.Sort) plan.IDs {
	uses := plan.IDs{}
	for _, k := range s.Keys {
		uses.AddUses(k.Expr)
	}
	return uses
}
