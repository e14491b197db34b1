package bind

import (
	"errors"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// limit puts q's LIMIT and OFFSET over n.
func (b *binder) limit(q *syntax.Query, n plan.Node, e *env) plan.Node {
	l := &limits{b: b, ties: q.WithTies, subs: &attachments{}}
	for _, clause := range []struct {
		name string
		expr syntax.Expr
		into *plan.Expr
	}{{"LIMIT", q.Limit, &l.count}, {"OFFSET", q.Offset, &l.offset}} {
		if clause.expr == nil {
			continue
		}
		at := clause.expr.At()
		if l.at.End == 0 {
			l.at = at
		}
		l.at = syntax.Span{Start: min(l.at.Start, at.Start), End: max(l.at.End, at.End)}
		*clause.into = l.rows(clause.expr, clause.name, e)
	}
	return l.over(n)
}

// limits are LIMIT and OFFSET of a query. Constants are numbers in the plan;
// what a subquery or a query around gives is compared with row numbers.
type limits struct {
	b             *binder
	count, offset plan.Expr // nil for none
	ties          bool
	subs          *attachments
	at            syntax.Span
}

// rows binds a number of rows, evaluated where it is constant; nil is none.
func (l *limits) rows(x syntax.Expr, clause string, e *env) plan.Expr {
	b := l.b
	here := &scope{outer: e.outer}
	eb := &exprBinder{b: b, scope: here, env: e.inside(here), subs: l.subs, clause: clause}
	bound := b.coerce(eb.bind(x), value.Of(value.Int8), x.At())
	bound = &plan.Call{Op: kernel.OpRowCount(clause), Args: []plan.Expr{bound}, Typ: value.Of(value.Int8), Org: b.origin(x.At())}
	if len(plan.Uses(bound)) > 0 {
		return bound
	}
	v, err := kernel.Constant(bound)
	if errors.Is(err, kernel.ErrLarge) {
		err = value.Errorf(value.CodeTooComplex, "the rows of %s take too much memory to compute", clause).WithHint("give the number itself")
	}
	b.check(x.At(), err)
	if v.IsNull {
		return nil
	}
	return &plan.Const{Val: v, Typ: value.Of(value.Int8)}
}

// over puts the limits over n. Where they need the rows' order, they go under
// the projection that drops the sort's hidden keys.
func (l *limits) over(n plan.Node) plan.Node {
	count, countKnown := constant(l.count, -1)
	offset, offsetKnown := constant(l.offset, 0)
	known := countKnown && offsetKnown
	ties := l.ties && l.count != nil
	if p, ok := n.(*plan.Project); ok && (ties || !known) {
		if _, over := p.Input.(*plan.Sort); over {
			return p.WithInputs([]plan.Node{l.over(p.Input)})
		}
	}
	sort, sorted := n.(*plan.Sort)
	if ties && !sorted {
		l.b.fail(l.at, value.Errorf(value.CodeSyntax, "WITH TIES cannot be specified without ORDER BY clause"))
	}
	org := l.b.origin(l.at)
	if known {
		out := &plan.Limit{Input: n, Count: count, Offset: offset, Org: org}
		if ties {
			out.Ties = sort.Keys
		}
		return out
	}
	return l.dynamic(n, sort, ties, org)
}

// constant returns a number of rows that is known; none stands for nil.
func constant(e plan.Expr, none int64) (int64, bool) {
	if e == nil {
		return none, true
	}
	c, ok := e.(*plan.Const)
	if !ok {
		return none, false
	}
	return c.Val.Int, true
}

// dynamic numbers the rows in the order of the sort, which may be nil.
func (l *limits) dynamic(n plan.Node, sort *plan.Sort, ties bool, org plan.Origin) plan.Node {
	b := l.b
	var order []plan.SortKey
	if sort != nil {
		n, order = sort.Input, sort.Keys
	}
	columns := n.Columns()
	most := &plan.Const{Val: value.IntOf(value.Int8, kernel.MostRows), Typ: value.Of(value.Int8)}
	none := &plan.Const{Val: value.IntOf(value.Int8, 0), Typ: value.Of(value.Int8)}
	or := func(e, otherwise plan.Expr) plan.Expr {
		if e == nil {
			return nil
		}
		return &plan.Call{Op: "coalesce", Args: []plan.Expr{e, otherwise}, Typ: e.Type(), Org: e.Origin()}
	}
	n = plan.FirstRows(l.subs.attach(n), nil, order, or(l.offset, none), or(l.count, most), ties, org, b.ids)
	n = &plan.Project{Input: n, Items: plan.Identity(columns)}
	if sort != nil {
		n = sort.WithInputs([]plan.Node{n})
	}
	return n
}
