package rewrite

import "rovik/core/plan"

// dropJoins takes out joins that neither add rows nor drop any and whose
// columns nothing reads: left joins to a unique key, marks and single rows that
// no one looks at.
func dropJoins(root plan.Node, pass *Pass) plan.Node {
	d := &joinDropper{pass}
	return d.node(root, plan.Outputs(root))
}

type joinDropper struct{ pass *Pass }

// node returns n without such joins, where need are the columns that are read.
func (d *joinDropper) node(n plan.Node, need plan.IDs) plan.Node {
	if len(n.Inputs()) == 0 {
		return n
	}
	switch n := n.(type) {
	case *plan.Join:
		adds := plan.Outputs(n.Right)
		if n.Mark != nil {
			adds = plan.IDs{n.Mark.ID: true}
		}
		idle := n.Kind == plan.MarkJoin || n.Kind == plan.SingleJoin || n.Kind == plan.LeftJoin && atMostOne(n)
		if idle && !need.Meets(adds) {
			if n.Kind == plan.LeftJoin {
				d.pass.rely(n.Right) // on its key
			}
			d.pass.note(n.Org, "nothing of it is read, and it finds at most one row: it is left out")
			return d.node(n.Left, need)
		}
	case *plan.Project:
		used := plan.IDs{}
		for _, it := range n.Items {
			if need[it.ID] {
				used.AddUses(it.Expr)
			}
		}
		var items []plan.Item
		for _, it := range n.Items {
			if need[it.ID] {
				items = append(items, it)
			}
		}
		return &plan.Project{Input: d.node(n.Input, used), Items: items}
	case *plan.Aggregate:
		used := plan.IDs{}
		plan.MapExprs(n, func(e plan.Expr) plan.Expr { used.AddUses(e); return e })
		return n.WithInputs([]plan.Node{d.node(n.Input, used)})
	case *plan.Filter, *plan.Sort, *plan.Limit, *plan.Window, *plan.Unnest:
		used := with(need)
		plan.MapExprs(n, func(e plan.Expr) plan.Expr { used.AddUses(e); return e })
		return n.WithInputs([]plan.Node{d.node(n.Inputs()[0], used)})
	}
	used := plan.IDs{}
	if _, isJoin := n.(*plan.Join); isJoin {
		used = with(need)
		plan.MapExprs(n, func(e plan.Expr) plan.Expr { used.AddUses(e); return e })
	}
	inputs := make([]plan.Node, len(n.Inputs()))
	for i, in := range n.Inputs() {
		below := used
		if _, isJoin := n.(*plan.Join); !isJoin {
			below = plan.Outputs(in) // matched by position
		}
		inputs[i] = d.node(in, below)
	}
	return n.WithInputs(inputs)
}
