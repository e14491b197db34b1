package rewrite

import "rovik/core/plan"

// sinkExpressions moves computed columns down through joins of several sources
// to the one source that has all they read, which may then compute them. What
// can fail stays above: the join may drop the rows that it would fail for.
func sinkExpressions(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		p, ok := n.(*plan.Project)
		if !ok || len(plan.Sources(p.Input)) < 2 {
			return n
		}
		var sink []plan.Item
		for _, it := range p.Items {
			if _, isCol := it.Expr.(*plan.Col); !isCol && !plan.MayFail(it.Expr) && len(plan.Uses(it.Expr)) > 0 {
				sink = append(sink, it)
			}
		}
		in := p.Input
		sunk := plan.IDs{}
		for _, it := range sink {
			if below, ok := sinkItem(in, it); ok {
				in = below
				sunk[it.ID] = true
			}
		}
		items := make([]plan.Item, len(p.Items))
		for i, it := range p.Items {
			if items[i] = it; sunk[it.ID] {
				items[i].Expr = plan.WithOrigin(it.Ref(), it.Expr.Origin())
			}
		}
		return &plan.Project{Input: in, Items: items}
	})
}

// sinkItem returns n with the item as an additional column, computed within a
// single source; ok is false where no source has all that it reads.
func sinkItem(n plan.Node, it plan.Item) (plan.Node, bool) {
	if !plan.Uses(it.Expr).Within(plan.Outputs(n)) {
		return nil, false
	}
	if len(plan.Sources(n)) == 1 && !recursive(n) {
		if p, ok := n.(*plan.Project); ok {
			it.Expr = plan.Substitute(it.Expr, definitions(p.Items))
			return &plan.Project{Input: p.Input, Items: append(p.Items[:len(p.Items):len(p.Items)], it)}, true
		}
		return &plan.Project{Input: n, Items: append(plan.Identity(n.Columns()), it)}, true
	}
	switch n := n.(type) {
	case *plan.Filter:
		if in, ok := sinkItem(n.Input, it); ok {
			return n.WithInputs([]plan.Node{in}), true
		}
	case *plan.Join:
		if n.Kind == plan.FullJoin {
			return nil, false
		}
		if left, ok := sinkItem(n.Left, it); ok {
			return n.WithInputs([]plan.Node{left, n.Right}), true
		}
		if n.Kind == plan.InnerJoin || n.Kind == plan.LeftJoin && plan.Strict(it.Expr, plan.Outputs(n.Right)) {
			if right, ok := sinkItem(n.Right, it); ok {
				return n.WithInputs([]plan.Node{n.Left, right}), true
			}
		}
	}
	return nil, false
}

// recursive reports whether n reads the rows of a recursion around it.
func recursive(n plan.Node) bool {
	found := false
	plan.Visit(n, func(n plan.Node) {
		_, is := n.(*plan.WorkTable)
		found = found || is
	})
	return found
}
