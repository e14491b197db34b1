package rewrite

import "rovik/core/plan"

// pruneColumns drops columns and aggregates that nothing reads. What is left the
// first time is what the query names, and all that a later rule can rely on.
func pruneColumns(root plan.Node, p *Pass) plan.Node {
	root = prune(root, plan.Outputs(root))
	if p.reads == nil {
		p.reads = plan.Reads{}
		p.reads.Add(root)
	}
	return root
}

// prune returns n with at least the columns in need.
func prune(n plan.Node, need plan.IDs) plan.Node {
	switch n := n.(type) {
	case *plan.Scan:
		s := &plan.Scan{Table: n.Table, Only: n.Only, Org: n.Org}
		for _, c := range n.Cols {
			if need[c.ID] {
				s.Cols = append(s.Cols, c)
			}
		}
		return s
	case *plan.Filter:
		return only(&plan.Filter{Input: prune(n.Input, with(need, n.Conds...)), Conds: n.Conds}, need)
	case *plan.Project:
		p := &plan.Project{}
		below := plan.IDs{}
		for _, it := range n.Items {
			if need[it.ID] {
				p.Items = append(p.Items, it)
				below.AddUses(it.Expr)
			}
		}
		p.Input = prune(n.Input, below)
		return p
	case *plan.Join:
		return pruneJoin(n, need)
	case *plan.Aggregate:
		return pruneAggregate(n, need)
	case *plan.Sort:
		below := need
		for _, k := range n.Keys {
			below = with(below, k.Expr)
		}
		return n.WithInputs([]plan.Node{prune(n.Input, below)})
	case *plan.Union:
		return pruneUnion(n, need)
	case *plan.Distinct:
		if n.On != nil {
			return only(n.WithInputs([]plan.Node{prune(n.Input, with(need, n.On...))}), need)
		}
		return n.WithInputs([]plan.Node{exactly(prune(n.Input, plan.Outputs(n)), n.Columns())})
	case *plan.SetOp:
		sides := make([]plan.Node, 2)
		for i, side := range n.Inputs() {
			sides[i] = exactly(prune(side, plan.Outputs(side)), side.Columns())
		}
		return n.WithInputs(sides)
	case *plan.Recursive:
		sides := make([]plan.Node, 2)
		for i, side := range n.Inputs() {
			sides[i] = exactly(prune(side, plan.Outputs(side)), side.Columns())
		}
		return n.WithInputs(sides)
	case *plan.Limit:
		below := need
		for _, k := range n.Ties {
			below = with(below, k.Expr)
		}
		return only(n.WithInputs([]plan.Node{prune(n.Input, below)}), need)
	case *plan.Window:
		w := &plan.Window{Org: n.Org}
		below := need
		for _, it := range n.Items {
			if need[it.ID] {
				w.Items = append(w.Items, it)
			}
		}
		if len(w.Items) == 0 {
			return prune(n.Input, need)
		}
		plan.MapExprs(w, func(e plan.Expr) plan.Expr { below = with(below, e); return e })
		w.Input = prune(n.Input, below)
		return only(w, need)
	case *plan.Unnest:
		below := need
		plan.MapExprs(n, func(e plan.Expr) plan.Expr { below = with(below, e); return e })
		return only(n.WithInputs([]plan.Node{prune(n.Input, below)}), need)
	}
	if len(n.Inputs()) == 0 {
		return n
	}
	inputs := make([]plan.Node, len(n.Inputs()))
	for i, in := range n.Inputs() {
		inputs[i] = prune(in, need)
	}
	return n.WithInputs(inputs)
}

// only drops the columns that n's own conditions were the last to read, so that
// they do not cross the waterline.
func only(n plan.Node, need plan.IDs) plan.Node {
	var cols []plan.Column
	all := n.Columns()
	for _, c := range all {
		if need[c.ID] {
			cols = append(cols, c)
		}
	}
	if len(cols) == len(all) {
		return n
	}
	return &plan.Project{Input: n, Items: plan.Identity(cols)}
}

func pruneJoin(n *plan.Join, need plan.IDs) plan.Node {
	below := with(need, n.On...)
	if n.Test != nil {
		below = with(below, n.Test)
	}
	c := *n
	c.Left, c.Right = prune(n.Left, below), prune(n.Right, below)
	return only(&c, need)
}

func with(need plan.IDs, exprs ...plan.Expr) plan.IDs {
	out := plan.IDs{}
	for id := range need {
		out[id] = true
	}
	return out.AddUses(exprs...)
}

func pruneAggregate(n *plan.Aggregate, need plan.IDs) plan.Node {
	a := &plan.Aggregate{Groups: n.Groups, Sets: n.Sets, Stage: n.Stage, Org: n.Org}
	if n.SetID != nil && need[n.SetID.ID] {
		a.SetID = n.SetID
	}
	below := plan.IDs{}
	for _, g := range n.Groups {
		below.AddUses(g.Expr)
	}
	for i, agg := range n.Aggs {
		last := i == len(n.Aggs)-1 && len(a.Aggs) == 0 && len(n.Groups) == 0
		if !need[agg.ID] && !last { // a row needs some column
			continue
		}
		a.Aggs = append(a.Aggs, agg)
		below.AddUses(agg.Exprs()...)
	}
	a.Input = prune(n.Input, below)
	return a
}

func pruneUnion(n *plan.Union, need plan.IDs) plan.Node {
	var keep []int
	u := &plan.Union{Org: n.Org}
	for i, c := range n.Cols {
		if need[c.ID] || i == len(n.Cols)-1 && len(keep) == 0 {
			keep = append(keep, i)
			u.Cols = append(u.Cols, c)
		}
	}
	for _, p := range n.Parts {
		all := p.Columns()
		cols := make([]plan.Column, len(keep))
		below := plan.IDs{}
		for k, i := range keep {
			cols[k] = all[i]
			below[all[i].ID] = true
		}
		u.Parts = append(u.Parts, exactly(prune(p, below), cols))
	}
	return u
}

// exactly makes n give just these columns, in this order.
func exactly(n plan.Node, cols []plan.Column) plan.Node {
	have := n.Columns()
	same := len(have) == len(cols)
	for i := 0; same && i < len(cols); i++ {
		same = have[i].ID == cols[i].ID
	}
	if same {
		return n
	}
	return &plan.Project{Input: n, Items: plan.Identity(cols)}
}
