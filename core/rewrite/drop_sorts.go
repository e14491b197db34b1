package rewrite

import (
	"rovik/core/function"
	"rovik/core/plan"
)

// dropSorts removes sorts whose order nothing sees: an order counts at the top
// of the query and below a limit, DISTINCT
// ON, or an aggregate that takes its rows in their order.
func dropSorts(root plan.Node, _ *Pass) plan.Node { return dropUnder(root, true) }

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
	case *plan.Distinct:
		if n.On != nil {
			return n.WithInputs([]plan.Node{dropUnder(n.Input, true)})
		}
	case *plan.Aggregate:
		for _, a := range n.Aggs {
			if function.OrderSensitive(a.Func) && len(a.Order) == 0 {
				return n.WithInputs([]plan.Node{dropUnder(n.Input, true)})
			}
		}
	case *plan.Project, *plan.Filter, *plan.Unnest:
		return n.WithInputs([]plan.Node{dropUnder(n.Inputs()[0], ordered)})
	}
	if len(n.Inputs()) == 0 {
		return n
	}
	inputs := make([]plan.Node, len(n.Inputs()))
	for i, in := range n.Inputs() {
		inputs[i] = dropUnder(in, false)
	}
	return n.WithInputs(inputs)
}
