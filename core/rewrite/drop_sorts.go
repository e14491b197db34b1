package rewrite

import "rovik/core/plan"

// dropSorts removes sorts whose order nothing sees: an order counts at the top
// of the query and below a limit.
func dropSorts(root plan.Node, _ *plan.Numbering) plan.Node { return dropUnder(root, true) }

func dropUnder(n plan.Node, ordered bool) plan.Node {
	switch n := n.(type) {
	case *plan.Sort:
		in := dropUnder(n.Input, false)
		if !ordered {
			return in
		}
		return n.WithInputs([]plan.Node{in})
	case *plan.Limit:
		return n.WithInputs([]plan.Node{dropUnder(n.Input, true)})
	case *plan.Project, *plan.Filter:
		return n.WithInputs([]plan.Node{dropUnder(n.Inputs()[0], ordered)})
	}
	inputs := make([]plan.Node, len(n.Inputs()))
	for i, in := range n.Inputs() {
		inputs[i] = dropUnder(in, false)
	}
	return n.WithInputs(inputs)
}
