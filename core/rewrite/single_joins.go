package rewrite

import "rovik/core/plan"

// singleJoins turns a join that must find one row into a left join where a key
// of the right side says that there cannot be two.
func singleJoins(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		if j, ok := n.(*plan.Join); ok && j.Kind == plan.SingleJoin && plan.AtMostOne(j) {
			pass.note(j.Org, "a key says that there is no second row: a left join")
			left := *j
			left.Kind = plan.LeftJoin
			return &left
		}
		return n
	})
}
