package rewrite

import "rovik/core/plan"

// outerToInner makes an outer join less outer where a condition above it cannot
// be true for the NULLs of a row without a partner (Galindo-Legaria and
// Rosenthal, "Outerjoin simplification and reordering", 1997).
func (p *pusher) outerToInner(n *plan.Join, conds []plan.Expr) *plan.Join {
	if n.Kind != plan.LeftJoin && n.Kind != plan.FullJoin {
		return n
	}
	left, right := plan.Outputs(n.Left), plan.Outputs(n.Right)
	needsLeft, needsRight := false, false
	for _, c := range conds {
		needsLeft = needsLeft || plan.RejectsNulls(c, left)
		needsRight = needsRight || plan.RejectsNulls(c, right)
	}
	out := *n
	switch {
	case n.Kind == plan.LeftJoin && needsRight, needsLeft && needsRight:
		out.Kind = plan.InnerJoin
	case n.Kind == plan.FullJoin && needsLeft:
		out.Kind = plan.LeftJoin
	case n.Kind == plan.FullJoin && needsRight:
		out.Kind, out.Left, out.Right = plan.LeftJoin, n.Right, n.Left
	default:
		return n
	}
	p.pass.note(n.Org, "a condition above drops the rows without a partner: a %s", out.Kind)
	return &out
}
