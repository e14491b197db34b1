package rewrite

import "rovik/core/plan"

// maxLiftedSize bounds how large an expression may grow by putting
// definitions in the place of columns, in nodes.
const maxLiftedSize = 400

// liftProjections moves projections up through filters and joins, into
// aggregations and into other projections, so that the operators of stacked views meet.
func liftProjections(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, lift)
}

func lift(n plan.Node) plan.Node {
	switch n := n.(type) {
	case *plan.Project:
		if in, ok := n.Input.(*plan.Project); ok {
			if m, ok := rebase(n, definitions(in.Items)); ok {
				return m.WithInputs([]plan.Node{in.Input})
			}
		}
	case *plan.Filter:
		switch in := n.Input.(type) {
		case *plan.Filter: // the inner conditions come first: they may guard the outer ones
			return &plan.Filter{Input: in.Input, Conds: append(in.Conds[:len(in.Conds):len(in.Conds)], n.Conds...)}
		case *plan.Project:
			if m, ok := rebase(n, definitions(in.Items)); ok {
				return in.WithInputs([]plan.Node{lift(m.WithInputs([]plan.Node{in.Input}))})
			}
		}
	case *plan.Aggregate:
		if in, ok := n.Input.(*plan.Project); ok {
			if m, ok := rebase(n, definitions(in.Items)); ok {
				return m.WithInputs([]plan.Node{in.Input})
			}
		}
	case *plan.Sort:
		if in, ok := n.Input.(*plan.Project); ok {
			if m, ok := rebase(n, definitions(in.Items)); ok {
				return &plan.Project{Input: m.WithInputs([]plan.Node{in.Input}), Items: in.Items}
			}
		}
	case *plan.Window, *plan.Unnest:
		if in, ok := n.Inputs()[0].(*plan.Project); ok {
			if m, ok := rebase(n, definitions(in.Items)); ok {
				made := n.Columns()[len(in.Items):]
				return &plan.Project{Input: m.WithInputs([]plan.Node{in.Input}), Items: append(in.Items[:len(in.Items):len(in.Items)], plan.Identity(made)...)}
			}
		}
	case *plan.Limit:
		if in, ok := n.Input.(*plan.Project); ok && n.Ties == nil {
			return &plan.Project{Input: n.WithInputs([]plan.Node{in.Input}), Items: in.Items}
		}
	case *plan.Join:
		return liftJoin(n)
	}
	return n
}

// liftJoin makes Project(A) ⋈ Project(B) into Project(A ⋈ B). On the side
// that a left join fills with NULLs only items that are NULL for NULLs move.
func liftJoin(n *plan.Join) plan.Node {
	var items []plan.Item
	defs := plan.Defs{}
	sides := [2]plan.Node{n.Left, n.Right}
	lifted := false
	for i, side := range sides {
		p, ok := side.(*plan.Project)
		supplied := n.Kind == plan.FullJoin || i == 1 && (n.Kind == plan.LeftJoin || n.Kind == plan.SingleJoin)
		if ok && supplied {
			in := plan.Outputs(p.Input)
			for _, it := range p.Items {
				ok = ok && plan.Strict(it.Expr, in)
			}
		}
		gives := i == 0 || !n.Kind.LeftOnly()
		if !ok {
			if gives {
				items = append(items, plan.Identity(side.Columns())...)
			}
			continue
		}
		lifted = true
		sides[i] = p.Input
		if gives {
			items = append(items, p.Items...)
		}
		for id, e := range definitions(p.Items) {
			defs[id] = e
		}
	}
	if !lifted {
		return n
	}
	m, ok := rebase(n, defs)
	if !ok {
		return n
	}
	if n.Mark != nil {
		items = append(items, plan.Item{Column: *n.Mark, Expr: n.Mark.Ref()})
	}
	return &plan.Project{Input: m.WithInputs(sides[:]), Items: items}
}

// rebase substitutes definitions into n's expressions, unless one grows too
// large: a column that is used twice at each of many levels would double each
// time.
func rebase(n plan.Node, defs plan.Defs) (plan.Node, bool) {
	ok := true
	m := plan.MapExprs(n, func(e plan.Expr) plan.Expr {
		out := plan.Substitute(e, defs)
		size := 0
		plan.Walk(out, func(plan.Expr) bool {
			size++
			return size <= maxLiftedSize
		})
		ok = ok && size <= maxLiftedSize
		return out
	})
	return m, ok
}
