package rewrite

import (
	"sort"
	"strings"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// cutContradictions finds conditions that no row can satisfy and cuts off what
// they stand on: a branch of a union, the side of a join, a whole source, which
// is then not contacted at all.
func cutContradictions(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		switch n := n.(type) {
		case *plan.Filter:
			conds, never := simplified(n.Conds)
			if never == nil {
				never = contradiction(conds, n.Input)
			}
			if never != nil {
				pass.note(never.Origin(), "%s", neverTrue(never, n.Input))
				if c, ok := never.(*plan.Call); ok && c.Op == "is null" {
					pass.rely(n.Input) // on its columns without NULL
				}
				return nothing(n)
			}
			if len(conds) < len(n.Conds) {
				return filter(n.Input, conds)
			}
		case *plan.Limit:
			if n.Count == 0 {
				return nothing(n)
			}
		}
		return withoutEmpty(n)
	})
}

// neverTrue says which sources need not be asked because of a condition.
func neverTrue(cond plan.Expr, n plan.Node) string {
	var names []string
	for s := range plan.Sources(n) {
		names = append(names, s)
	}
	sort.Strings(names)
	why := plan.Text(cond) + " is true for no row"
	if len(names) == 0 {
		return why
	}
	return strings.Join(names, " and ") + " need not be asked for this part: " + why
}

// nothing gives n's columns and no rows.
func nothing(n plan.Node) plan.Node { return &plan.Values{Cols: n.Columns()} }

func isNothing(n plan.Node) bool {
	v, ok := n.(*plan.Values)
	return ok && len(v.Rows) == 0
}

// simplified drops conditions that are true; one that is false or NULL is
// returned by itself.
func simplified(conds []plan.Expr) (kept []plan.Expr, never plan.Expr) {
	for _, c := range conds {
		switch k, isConst := c.(*plan.Const); {
		case isConst && k.Val.Truth():
		case isConst:
			return nil, c
		default:
			kept = append(kept, c)
		}
	}
	return kept, nil
}

// contradiction returns a condition that cannot be true together with the
// others for any row of n, or nil.
func contradiction(conds []plan.Expr, n plan.Node) plan.Expr {
	known := plan.NotNull(n)
	fixed := map[plan.ID]*plan.Const{}
	ranges := map[plan.ID]*valueRange{}
	for _, c := range conds {
		call, ok := c.(*plan.Call)
		if !ok {
			continue
		}
		if col, isCol := call.Args[0].(*plan.Col); isCol && call.Op == "is null" && known[col.ID] {
			return c
		}
		col, op, k, ok := columnAgainst(call)
		if !ok {
			continue
		}
		known[col.ID] = true
		r := ranges[col.ID]
		if r == nil {
			r = &valueRange{}
			ranges[col.ID] = r
		}
		if !r.narrow(op, k.Val) {
			return c
		}
		if op == "=" {
			fixed[col.ID] = k
		}
	}
	for _, c := range conds {
		if call, ok := c.(*plan.Call); ok && call.Op == "is null" {
			if col, isCol := call.Args[0].(*plan.Col); isCol && known[col.ID] {
				return c
			}
		}
		if failsFor(c, fixed) {
			return c
		}
	}
	return nil
}

// columnAgainst takes a comparison of a column with a constant apart, the
// column first.
func columnAgainst(c *plan.Call) (*plan.Col, string, *plan.Const, bool) {
	turned := map[string]string{"=": "=", "<": ">", "<=": ">=", ">": "<", ">=": "<="}
	if turned[c.Op] == "" || len(c.Args) != 2 {
		return nil, "", nil, false
	}
	for i, op := range []string{c.Op, turned[c.Op]} {
		col, isCol := c.Args[i].(*plan.Col)
		k, isConst := c.Args[1-i].(*plan.Const)
		if isCol && isConst && !k.Val.IsNull && k.Typ.Kind == col.Typ.Kind {
			return col, op, k, true
		}
	}
	return nil, "", nil, false
}

// valueRange is what comparisons with constants leave of a column's values.
type valueRange struct {
	low, high         *value.Value
	lowOpen, highOpen bool
}

// narrow applies a comparison and reports whether any value can be left.
func (r *valueRange) narrow(op string, v value.Value) bool {
	if op == "=" || op == ">" || op == ">=" {
		open := op == ">"
		if r.low == nil || value.Compare(v, *r.low) > 0 || value.Compare(v, *r.low) == 0 && open {
			r.low, r.lowOpen = &v, open
		}
	}
	if op == "=" || op == "<" || op == "<=" {
		open := op == "<"
		if r.high == nil || value.Compare(v, *r.high) < 0 || value.Compare(v, *r.high) == 0 && open {
			r.high, r.highOpen = &v, open
		}
	}
	if r.low == nil || r.high == nil {
		return true
	}
	c := value.Compare(*r.low, *r.high)
	return c < 0 || c == 0 && !r.lowOpen && !r.highOpen
}

// failsFor reports whether a condition on columns with a fixed value is not true
// for it, and for all that are equal to it.
func failsFor(cond plan.Expr, fixed map[plan.ID]*plan.Const) bool {
	uses := plan.Uses(cond)
	if len(uses) == 0 || plan.MayFail(cond) || !plan.RespectsEquality(cond) {
		return false
	}
	defs := plan.Defs{}
	for id := range uses {
		k := fixed[id]
		if k == nil {
			return false
		}
		defs[id] = k
	}
	v, err := kernel.Constant(plan.Substitute(cond, defs))
	return err == nil && !v.Truth()
}

// withoutEmpty simplifies an operator over an input without rows.
func withoutEmpty(n plan.Node) plan.Node {
	switch n := n.(type) {
	case *plan.Join:
		left, right := isNothing(n.Left), isNothing(n.Right)
		switch {
		case !left && !right:
			return n
		case left && n.Kind != plan.FullJoin, right && (n.Kind == plan.InnerJoin || n.Kind == plan.SemiJoin), left && right:
			return nothing(n)
		case n.Kind == plan.AntiJoin:
			return n.Left
		case n.Kind == plan.MarkJoin:
			no := &plan.Const{Val: value.BoolOf(false), Typ: value.Of(value.Bool)}
			return &plan.Project{Input: n.Left, Items: append(plan.Identity(n.Left.Columns()), plan.Item{Column: *n.Mark, Expr: no})}
		case right:
			return &plan.Project{Input: n.Left, Items: append(plan.Identity(n.Left.Columns()), nulls(n.Right)...)}
		}
		return &plan.Project{Input: n.Right, Items: append(nulls(n.Left), plan.Identity(n.Right.Columns())...)}
	case *plan.Union:
		return fewerParts(n)
	case *plan.SetOp:
		switch left, right := isNothing(n.Left), isNothing(n.Right); {
		case left, right && !n.Except:
			return nothing(n)
		case right:
			if n.All {
				return as(n.Left, n.Cols)
			}
			return as(&plan.Distinct{Input: n.Left, Org: n.Org}, n.Cols)
		}
	case *plan.Aggregate:
		if isNothing(n.Input) && len(n.Groups) > 0 && n.Sets == nil {
			return nothing(n)
		}
	case *plan.Filter, *plan.Project, *plan.Sort, *plan.Distinct, *plan.Window, *plan.Unnest:
		if isNothing(n.Inputs()[0]) {
			return nothing(n)
		}
	case *plan.Limit:
		if isNothing(n.Input) {
			return nothing(n)
		}
	case *plan.Recursive:
		if isNothing(n.Base) {
			return nothing(n)
		}
	}
	return n
}

// nulls computes NULL for every column of n.
func nulls(n plan.Node) []plan.Item {
	var items []plan.Item
	for _, c := range n.Columns() {
		items = append(items, plan.Item{Column: c, Expr: &plan.Const{Val: value.NullOf(c.Type.Kind), Typ: c.Type}})
	}
	return items
}

// fewerParts drops the parts of a union that are empty; a single one that is
// left takes its place.
func fewerParts(n *plan.Union) plan.Node {
	var parts []plan.Node
	for _, p := range n.Parts {
		if !isNothing(p) {
			parts = append(parts, p)
		}
	}
	switch len(parts) {
	case len(n.Parts):
		return n
	case 0:
		return nothing(n)
	case 1:
		return as(parts[0], n.Cols)
	}
	return &plan.Union{Parts: parts, Cols: n.Cols, Org: n.Org}
}

// as gives the columns of n other names and ids, by position.
func as(n plan.Node, cols []plan.Column) plan.Node {
	items := make([]plan.Item, len(cols))
	for i, c := range n.Columns() {
		items[i] = plan.Item{Column: cols[i], Expr: c.Ref()}
	}
	return &plan.Project{Input: n, Items: items}
}
