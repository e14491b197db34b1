package bind

import (
	"slices"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// attachments are the subqueries in a clause's expressions, each a join that
// adds the column which the expression reads. Their left side is whatever the
// clause works on.
type attachments struct{ joins []*attachment }

type attachment struct {
	*plan.Join
	made  plan.IDs    // the columns that it adds
	guard []plan.Expr // where one of these is not true, nothing reads them
}

// attach puts the joins over n.
func (a *attachments) attach(n plan.Node) plan.Node {
	for _, j := range a.joins {
		n = j.guarded(n)
	}
	return n
}

func (a *attachments) add(j *plan.Join, under []func() []plan.Expr) {
	var guard []plan.Expr
	for _, held := range under {
		guard = append(guard, plan.And(held()))
	}
	made := plan.IDs{}
	if j.Mark != nil {
		made[j.Mark.ID] = true
	} else {
		made = plan.Outputs(j.Right)
	}
	a.joins = append(a.joins, &attachment{j, made, guard})
}

// guarded joins left with the subquery. In a branch of CASE that a row does not
// take, the subquery must not fail for it: neither because it has a second row
// nor in what it computes with the row's columns.
func (a *attachment) guarded(left plan.Node) plan.Node {
	j := a.Join.WithInputs([]plan.Node{left, a.Right}).(*plan.Join)
	var guard []plan.Expr
	outer := plan.Outputs(left)
	for _, g := range a.guard {
		if plan.Uses(g).Within(outer) {
			guard = append(guard, g)
		}
	}
	if len(guard) == 0 {
		return j
	}
	only := &guarding{outer: outer, taken: plan.And(guard)}
	j.Right = plan.Rewrite(j.Right, func(n plan.Node) plan.Node { return plan.MapExprs(n, only.wrap) })
	j = plan.MapExprs(j, only.wrap).(*plan.Join)
	if j.Kind == plan.SingleJoin || fallible(j.Right, outer) {
		j.On = append(j.On[:len(j.On):len(j.On)], guard...)
	}
	return j
}

// fallible reports whether n computes something that may fail, whatever the
// outer row is.
func fallible(n plan.Node, outer plan.IDs) bool {
	found := false
	plan.Visit(n, func(n plan.Node) {
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			found = found || !plan.Uses(e).Meets(outer) && plan.MayFail(e)
			return e
		})
		if j, is := n.(*plan.Join); is && j.Kind == plan.SingleJoin {
			found = true
		}
	})
	return found
}

// guarding keeps expressions from failing for rows that do not need them.
type guarding struct {
	outer plan.IDs
	taken plan.Expr
}

// wrap puts the innermost parts of e that read outer columns and may fail into
// a CASE of their own. Around them, NULL gives NULL.
func (g *guarding) wrap(e plan.Expr) plan.Expr {
	fails := func(e plan.Expr) bool { return plan.Uses(e).Meets(g.outer) && plan.MayFail(e) }
	if !fails(e) {
		return e
	}
	if slices.ContainsFunc(plan.Children(e), fails) {
		return plan.MapParts(e, g.wrap)
	}
	none := &plan.Const{Val: value.NullOf(e.Type().Kind), Typ: e.Type()}
	return &plan.Case{Whens: []plan.When{{Cond: g.taken, Result: e}}, Else: none, Typ: e.Type(), Org: e.Origin()}
}

// moveTo moves those that make any of the columns.
func (a *attachments) moveTo(to *attachments, ids plan.IDs) {
	var kept []*attachment
	for _, j := range a.joins {
		if j.made.Meets(ids) {
			to.joins = append(to.joins, j)
		} else {
			kept = append(kept, j)
		}
	}
	a.joins = kept
}

// subquery binds a subquery as an expression.
func (x *exprBinder) subquery(s *syntax.Sub, org plan.Origin) plan.Expr {
	b := x.b
	right, subs := x.subqueryHere(s)
	cols := right.Columns()
	boolean := value.Of(value.Bool)
	switch s.Kind {
	case "exists":
		mark := &plan.Column{ID: b.ids.Next(), Name: "exists", Type: boolean}
		subs.add(&plan.Join{Kind: plan.MarkJoin, Right: right, Mark: mark, Org: org}, x.guard)
		ref := mark.Ref()
		ref.Org = org
		return ref
	case "scalar", "array":
		if len(cols) != 1 {
			b.fail(s.Span, value.Errorf(value.CodeSyntax, "subquery must return only one column"))
		}
		if s.Kind == "array" {
			return x.arrayOf(right, subs, s, org)
		}
		return x.onlyRow(right, subs, org)[0]
	}
	// ANY, and ALL as the negation of ANY of the negated comparison.
	tests := []syntax.Expr{s.Test}
	if row, ok := s.Test.(*syntax.Row); ok {
		tests = row.Items
	}
	if len(tests) != len(cols) {
		b.fail(s.Span, value.Errorf(value.CodeSyntax, "subquery has too %s columns", map[bool]string{true: "few", false: "many"}[len(cols) < len(tests)]))
	}
	bound := x.bindAll(tests)
	refs := make([]plan.Expr, len(cols))
	for i, c := range cols {
		refs[i] = c.Ref()
	}
	op := s.Op
	if word, ok := likeOps[op]; ok {
		op = word
	}
	test := x.rowComparison(op, bound, refs, tests, org, s.Span)
	if s.Kind == "all" {
		test = &plan.Call{Op: "not", Args: []plan.Expr{test}, Typ: boolean, Org: org}
	}
	mark := &plan.Column{ID: b.ids.Next(), Name: s.Kind, Type: boolean}
	subs.add(&plan.Join{Kind: plan.MarkJoin, Right: right, Test: test, Mark: mark, Org: org}, x.guard)
	ref := mark.Ref()
	ref.Org = org
	if s.Kind == "all" {
		return &plan.Call{Op: "not", Args: []plan.Expr{ref}, Typ: boolean, Org: org}
	}
	return ref
}

// subqueryHere binds a subquery's query, and returns where its join goes.
func (x *exprBinder) subqueryHere(s *syntax.Sub) (plan.Node, *attachments) {
	subs := x.subs
	if x.inAgg {
		subs = x.subsInAgg
	}
	if subs == nil {
		x.b.fail(s.Span, value.Errorf(value.CodeUnsupported, "a subquery is not allowed in %s", x.clause))
	}
	return x.b.query(s.Query, x.env.inside(x.scope)), subs
}

// onlyRow joins a subquery that may have one row, and returns its columns.
func (x *exprBinder) onlyRow(right plan.Node, subs *attachments, org plan.Origin) []plan.Expr {
	kind := plan.SingleJoin
	if atMostOneRow(right) {
		kind = plan.LeftJoin
	}
	// Columns of its own: the subquery may pass on those of the outer query.
	own := &plan.Project{Input: right}
	var refs []plan.Expr
	for _, c := range right.Columns() {
		from := c.Ref()
		c.ID = x.b.ids.Next()
		own.Items = append(own.Items, plan.Item{Column: c, Expr: from})
		ref := c.Ref()
		ref.Org = org
		refs = append(refs, ref)
	}
	subs.add(&plan.Join{Kind: kind, Right: own, Org: org}, x.guard)
	return refs
}

// under binds what is evaluated only where all that held returns is true. It is asked only
// where a subquery has to know.
func (x *exprBinder) under(held func() []plan.Expr, bind func()) {
	before := x.guard
	x.guard = append(before[:len(before):len(before)], held)
	bind()
	x.guard = before
}

var likeOps = map[string]string{"~~": "like", "~~*": "ilike", "!~~": "not like", "!~~*": "not ilike"}

// arrayOf collects a subquery's rows, in their order, into one array.
func (x *exprBinder) arrayOf(right plan.Node, subs *attachments, s *syntax.Sub, org plan.Origin) plan.Expr {
	b := x.b
	col := right.Columns()[0]
	agg := plan.Agg{Func: "array_agg", Args: []plan.Expr{col.Ref()}, Org: org}
	args, typ, err := kernel.ResolveAggregate("array_agg", []value.Kind{col.Type.Kind}, 0)
	b.check(s.Span, err)
	agg.Args[0] = b.coerce(agg.Args[0], value.Of(args[0]), s.Span)
	item := plan.AggItem{Column: plan.Column{ID: b.ids.Next(), Name: "array", Type: typ}, Agg: agg}
	subs.add(&plan.Join{Kind: plan.LeftJoin, Right: &plan.Aggregate{Input: right, Aggs: []plan.AggItem{item}, Org: org}, Org: org}, x.guard)
	empty := &plan.Const{Val: value.ListOf(typ.Kind.Elem(), nil), Typ: typ, Org: org}
	return &plan.Call{Op: "coalesce", Args: []plan.Expr{item.Ref(), empty}, Typ: typ, Org: org}
}

// atMostOneRow reports whether n cannot give two rows.
func atMostOneRow(n plan.Node) bool {
	switch n := n.(type) {
	case *plan.Aggregate:
		return len(n.Groups) == 0 && len(n.Sets) < 2
	case *plan.Limit:
		return n.Count >= 0 && n.Count <= 1 && n.Ties == nil || atMostOneRow(n.Input)
	case *plan.Values:
		return len(n.Rows) < 2
	case *plan.Project, *plan.Filter, *plan.Sort, *plan.Distinct, *plan.Window:
		return atMostOneRow(n.Inputs()[0])
	}
	return false
}

// rowComparison compares two rows of values; = and <> by parts, the others by
// the first part that differs.
func (x *exprBinder) rowComparison(op string, left, right []plan.Expr, parts []syntax.Expr, org plan.Origin, at syntax.Span) plan.Expr {
	b := x.b
	boolean := value.Of(value.Bool)
	if len(left) != len(right) {
		b.fail(at, value.Errorf(value.CodeSyntax, "unequal number of entries in row expressions"))
	}
	if len(left) == 0 {
		b.fail(at, value.Errorf(value.CodeUnsupported, "cannot compare rows of zero length"))
	}
	pair := func(op string, i int) plan.Expr {
		var where []syntax.Expr
		if i < len(parts) {
			where = []syntax.Expr{parts[i], parts[i]}
		}
		return x.comparison(op, []plan.Expr{left[i], right[i]}, where, org, at)
	}
	call := func(op string, args ...plan.Expr) plan.Expr {
		if len(args) == 1 {
			return args[0]
		}
		return &plan.Call{Op: op, Args: args, Typ: boolean, Org: org}
	}
	all := func(op string) []plan.Expr {
		var out []plan.Expr
		for i := range left {
			out = append(out, pair(op, i))
		}
		return out
	}
	if len(left) == 1 {
		return pair(op, 0)
	}
	switch op {
	case "=", "is not distinct from":
		return call("and", all(op)...)
	case "<>", "is distinct from":
		return call("or", all(op)...)
	case "<", "<=", ">", ">=":
		strict := op[:1]
		out := pair(op, len(left)-1)
		for i := len(left) - 2; i >= 0; i-- {
			out = call("or", pair(strict, i), call("and", pair("=", i), out))
		}
		return out
	}
	b.fail(at, value.Errorf(value.CodeUnsupported, "comparing rows by %s is not supported yet", op))
	return nil
}
