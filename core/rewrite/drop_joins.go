package rewrite

import (
	"slices"

	"rovik/core/plan"
)

// dropJoins takes out joins that neither add rows nor drop any and whose
// columns nothing reads: left joins to a unique key, marks and single rows that
// no one looks at. Where rows that are there twice count once, as on the right of
// a semi-join and under DISTINCT, the key need not be unique, and of a side that
// nothing reads and no condition is on one row says it all.
func dropJoins(root plan.Node, pass *Pass) plan.Node {
	d := &joinDropper{pass}
	return d.node(root, plan.Outputs(root), false)
}

type joinDropper struct{ pass *Pass }

// node returns n without such joins, where need are the columns that are read, and
// once says that only which rows there are counts.
func (d *joinDropper) node(n plan.Node, need plan.IDs, once bool) plan.Node {
	if len(n.Inputs()) == 0 {
		return n
	}
	switch n := n.(type) {
	case *plan.Distinct:
		if n.On == nil {
			return n.WithInputs([]plan.Node{d.node(n.Input, plan.Outputs(n.Input), true)})
		}
	case *plan.Join:
		adds := plan.Outputs(n.Right)
		if n.Mark != nil {
			adds = plan.IDs{n.Mark.ID: true}
		}
		idle := n.Kind == plan.MarkJoin || n.Kind == plan.SingleJoin || n.Kind == plan.LeftJoin && plan.AtMostOne(n)
		if idle && !need.Meets(adds) {
			if n.Kind == plan.LeftJoin {
				d.pass.rely(n.Right) // on its key
			}
			d.pass.note(n.Org, "nothing of it is read, and it finds at most one row: it is left out")
			return d.node(n.Left, need, once)
		}
		if once && n.Kind == plan.LeftJoin && !need.Meets(adds) && !slices.ContainsFunc(n.On, plan.MayFail) && !computesWhatMayFail(n.Right) {
			d.pass.note(n.Org, "nothing of it is read, and how many rows it finds does not count: it is left out")
			return d.node(n.Left, need, once)
		}
		return d.join(n, need, once)
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
		return &plan.Project{Input: d.node(n.Input, used, once), Items: items}
	case *plan.Aggregate:
		used := plan.IDs{}
		plan.MapExprs(n, func(e plan.Expr) plan.Expr { used.AddUses(e); return e })
		return n.WithInputs([]plan.Node{d.node(n.Input, used, false)})
	case *plan.Filter, *plan.Sort, *plan.Limit, *plan.Window, *plan.Unnest:
		used := with(need)
		plan.MapExprs(n, func(e plan.Expr) plan.Expr { used.AddUses(e); return e })
		_, filter := n.(*plan.Filter)
		return n.WithInputs([]plan.Node{d.node(n.Inputs()[0], used, once && filter)})
	}
	_, union := n.(*plan.Union)
	inputs := make([]plan.Node, len(n.Inputs()))
	for i, in := range n.Inputs() {
		inputs[i] = d.node(in, plan.Outputs(in), once && union) // matched by position
	}
	return n.WithInputs(inputs)
}

// join goes on below a join that stays.
func (d *joinDropper) join(n *plan.Join, need plan.IDs, once bool) plan.Node {
	used := with(need)
	plan.MapExprs(n, func(e plan.Expr) plan.Expr { used.AddUses(e); return e })
	below := [2]bool{once, once}
	switch n.Kind {
	case plan.SemiJoin, plan.AntiJoin, plan.MarkJoin:
		below[1] = true
	case plan.SingleJoin:
		below[1] = false
	}
	inputs := make([]plan.Node, 2)
	for i, in := range n.Inputs() {
		inputs[i] = d.node(in, used, below[i])
		if once && n.Kind == plan.InnerJoin && !used.Meets(plan.Outputs(in)) && !oneRow(in) {
			d.pass.note(n.Org, "nothing of a side is read or compared: one row of it says that there are some")
			inputs[i] = &plan.Limit{Input: inputs[i], Count: 1, Org: n.Org}
		}
	}
	return n.WithInputs(inputs)
}

// oneRow reports whether n is known to give one row at most.
func oneRow(n plan.Node) bool {
	switch n := n.(type) {
	case *plan.Values:
		return len(n.Rows) <= 1
	case *plan.Limit:
		return n.Count >= 0 && n.Count <= 1
	}
	return oneRowAlways(n)
}

// computesWhatMayFail reports whether an expression in n can raise an error.
func computesWhatMayFail(n plan.Node) bool {
	fails := false
	plan.Visit(n, func(n plan.Node) {
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			fails = fails || plan.MayFail(e)
			return e
		})
	})
	return fails
}
