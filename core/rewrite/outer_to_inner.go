package rewrite

import "rovik/core/plan"

// outerToInner makes a left join inner where a condition above it cannot be
// true for the NULLs of a row without a partner (Galindo-Legaria and
// Rosenthal, "Outerjoin simplification and reordering", 1997).
func outerToInner(n *plan.Join, conds []plan.Expr) *plan.Join {
	right := plan.Outputs(n.Right)
	for _, c := range conds {
		if rejectsNulls(c, right) {
			return &plan.Join{Kind: plan.InnerJoin, Left: n.Left, Right: n.Right, On: n.On, Org: n.Org}
		}
	}
	return n
}

// rejectsNulls tells whether e is false or NULL when all of cols are NULL.
func rejectsNulls(e plan.Expr, cols plan.IDs) bool {
	c, ok := e.(*plan.Call)
	if !ok {
		return plan.Strict(e, cols)
	}
	switch c.Op {
	case "and":
		for _, a := range c.Args {
			if rejectsNulls(a, cols) {
				return true
			}
		}
		return false
	case "or":
		for _, a := range c.Args {
			if !rejectsNulls(a, cols) {
				return false
			}
		}
		return true
	case "is not null", "is true", "is false":
		return plan.Strict(c.Args[0], cols)
	}
	return plan.Strict(e, cols)
}
