package bind

import (
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

func (b *binder) query(q *syntax.Query, e *env) plan.Node {
	if len(q.With) > 0 {
		inner := &env{ctes: map[string]*cte{}, layer: e.layer}
		for name, c := range e.ctes {
			inner.ctes[name] = c
		}
		for i := range q.With {
			w := &q.With[i]
			// Each WITH query sees the ones before it.
			before := &env{ctes: map[string]*cte{}, layer: e.layer}
			for name, c := range inner.ctes {
				before.ctes[name] = c
			}
			inner.ctes[w.Name] = &cte{query: w.Query, columns: w.Columns, env: before}
		}
		e = inner
	}
	var node plan.Node
	switch body := q.Body.(type) {
	case *syntax.Select:
		node = b.selectBlock(body, q.OrderBy, e)
	case *syntax.UnionAll:
		node = b.sortUnion(b.union(body, e), q.OrderBy)
	}
	if q.Limit != nil || q.Offset != nil {
		l := &plan.Limit{Input: node, Count: -1}
		var spans []syntax.Span
		if q.Limit != nil {
			l.Count = b.rowCount(q.Limit, "LIMIT", -1)
			spans = append(spans, q.Limit.At())
		}
		if q.Offset != nil {
			l.Offset = b.rowCount(q.Offset, "OFFSET", 0)
			spans = append(spans, q.Offset.At())
		}
		at := spans[0]
		for _, s := range spans[1:] {
			at = syntax.Span{Start: min(at.Start, s.Start), End: max(at.End, s.End)}
		}
		l.Org = b.origin(at)
		node = l
	}
	return node
}

// rowCount evaluates LIMIT or OFFSET, a constant; NULL gives none.
func (b *binder) rowCount(x syntax.Expr, clause string, none int64) int64 {
	eb := &exprBinder{b: b, scope: &scope{}, clause: clause}
	e := b.coerce(eb.bind(x), value.Of(value.Int8), x.At())
	if len(plan.Uses(e)) > 0 {
		b.fail(x.At(), value.Errorf("42P10", "argument of %s must not contain columns", clause))
	}
	p, err := kernel.Compile(e, nil)
	b.check(x.At(), err)
	arr, err := p.Eval(kernel.Batch{Len: 1})
	b.check(x.At(), err)
	v := value.At(value.Int8, arr, 0)
	if v.IsNull {
		return none
	}
	if v.Int < 0 {
		b.fail(x.At(), value.Errorf(value.CodeBadLimit, "%s must not be negative", clause))
	}
	return v.Int
}

func (b *binder) union(u *syntax.UnionAll, e *env) plan.Node {
	left, right := b.query(u.Left, e), b.query(u.Right, e)
	lc, rc := left.Columns(), right.Columns()
	if len(lc) != len(rc) {
		b.fail(u.Span, value.Errorf(value.CodeSyntax, "each UNION query must have the same number of columns, here %d and %d", len(lc), len(rc)))
	}
	out := make([]plan.Column, len(lc))
	li, ri := plan.Identity(lc), plan.Identity(rc)
	for i := range lc {
		kind, ok := value.Common(lc[i].Type.Kind, rc[i].Type.Kind)
		if !ok {
			b.fail(u.Span, value.Errorf(value.CodeTypeMismatch, "UNION types %s and %s cannot be matched (column %d, %s)",
				lc[i].Type, rc[i].Type, i+1, lc[i].Name).WithHint("cast one of them"))
		}
		typ := value.Of(kind)
		if lc[i].Type == rc[i].Type {
			typ = lc[i].Type
		}
		li[i] = b.castItem(li[i], typ, u.Left.Span)
		ri[i] = b.castItem(ri[i], typ, u.Right.Span)
		out[i] = plan.Column{ID: b.ids.Next(), Name: lc[i].Name, Type: typ}
	}
	part := func(n plan.Node, items []plan.Item) plan.Node {
		for i, c := range n.Columns() {
			if items[i].ID != c.ID {
				return &plan.Project{Input: n, Items: items}
			}
		}
		return n
	}
	return &plan.Union{Parts: []plan.Node{part(left, li), part(right, ri)}, Cols: out, Org: b.origin(u.Words)}
}

// castItem gives an item another kind, as a new column.
func (b *binder) castItem(it plan.Item, typ value.Type, at syntax.Span) plan.Item {
	if it.Type.Kind == typ.Kind {
		return it
	}
	it.Expr = b.coerce(it.Expr, value.Of(typ.Kind), at)
	it.Type = value.Of(typ.Kind)
	it.ID = b.ids.Next()
	return it
}

// sortUnion orders by output columns, which is all that a union offers.
func (b *binder) sortUnion(n plan.Node, order []syntax.SortItem) plan.Node {
	if len(order) == 0 {
		return n
	}
	cols := n.Columns()
	s := &plan.Sort{Input: n, Org: b.origin(orderSpan(order))}
	for _, o := range order {
		i := b.outputColumn(o.Expr, cols)
		if i < 0 {
			b.fail(o.Span, value.Errorf(value.CodeUnsupported, "ORDER BY on a UNION takes output columns by name or number").
				WithHint("put the union into a subquery"))
		}
		s.Keys = append(s.Keys, b.sortKey(o, cols[i].Ref()))
	}
	return s
}

func (b *binder) sortKey(o syntax.SortItem, e plan.Expr) plan.SortKey {
	return plan.SortKey{Expr: e, Desc: o.Desc, NullsFirst: o.NullsFirst, Org: b.origin(o.Span)}
}

func orderSpan(order []syntax.SortItem) syntax.Span {
	return syntax.Span{Start: order[0].Start, End: order[len(order)-1].End}
}

// outputColumn finds the output column that an ORDER BY or GROUP BY item means
// by its number or its bare name, or -1.
func (b *binder) outputColumn(x syntax.Expr, cols []plan.Column) int {
	switch x := x.(type) {
	case *syntax.Literal:
		if x.Kind != syntax.LiteralInt {
			b.fail(x.Span, value.Errorf(value.CodeSyntax, "a constant that is not a whole number cannot choose an output column"))
		}
		n, err := value.ParseInt(value.Int8, x.Text)
		if err != nil || n < 1 || n > int64(len(cols)) {
			b.fail(x.Span, value.Errorf("42P10", "position %s is not in the select list", x.Text))
		}
		return int(n) - 1
	case *syntax.Column:
		found := -1
		for i, c := range cols {
			if len(x.Parts) == 1 && c.Name == x.Parts[0] {
				if found >= 0 {
					return -1
				}
				found = i
			}
		}
		return found
	}
	return -1
}

func (b *binder) selectBlock(s *syntax.Select, order []syntax.SortItem, e *env) plan.Node {
	var sc scope
	var node plan.Node
	for _, t := range s.From {
		n := b.table(t, e, &sc)
		if node == nil {
			node = n
		} else {
			node = &plan.Join{Kind: plan.InnerJoin, Left: node, Right: n, Org: b.origin(t.At())}
		}
	}
	if node == nil {
		node = &plan.Values{Rows: [][]value.Value{{}}}
	}
	if s.Where != nil {
		x := &exprBinder{b: b, scope: &sc, clause: "WHERE"}
		node = &plan.Filter{Input: node, Conds: plan.Conjuncts(x.condition(s.Where, "WHERE"))}
	}

	// Output expressions, and hidden ones that only ORDER BY needs.
	x := &exprBinder{b: b, scope: &sc, aggs: &aggregation{}}
	items := b.targets(s.Targets, x)
	if len(items) == 0 {
		b.fail(s.Span, value.Errorf(value.CodeUnsupported, "a select list without columns is not supported yet"))
	}
	visible := len(items)
	outputs := make([]plan.Column, visible)
	for i, it := range items {
		outputs[i] = it.Column
	}
	groups := b.groups(s, items, x)
	having := []plan.Expr(nil)
	if s.Having != nil {
		x.clause = "HAVING"
		having = plan.Conjuncts(x.condition(s.Having, "HAVING"))
	}
	var keys []plan.SortKey
	for _, o := range order {
		i := b.outputColumn(o.Expr, outputs)
		if i < 0 {
			x.clause = "ORDER BY"
			i = len(items)
			bound := b.settle(x.bind(o.Expr))
			for j, it := range items {
				if plan.Equal(it.Expr, bound) {
					i = j
					break
				}
			}
			if i == len(items) {
				if s.Distinct {
					b.fail(o.Span, value.Errorf("42P10", "for SELECT DISTINCT, ORDER BY expressions must appear in the select list"))
				}
				items = append(items, plan.Item{Column: plan.Column{ID: b.ids.Next(), Name: "order key", Type: bound.Type()}, Expr: bound})
			}
		}
		keys = append(keys, b.sortKey(o, items[i].Ref()))
	}

	if s.GroupBy != nil || s.Having != nil || len(x.aggs.items) > 0 {
		node = b.aggregate(s, node, groups, x.aggs, items, having)
	}
	node = &plan.Project{Input: node, Items: items}
	if s.Distinct {
		node = &plan.Distinct{Input: node, Org: b.origin(s.DistinctSpan)}
	}
	if len(keys) > 0 {
		node = &plan.Sort{Input: node, Keys: keys, Org: b.origin(orderSpan(order))}
	}
	if len(items) > visible {
		node = &plan.Project{Input: node, Items: plan.Identity(outputs)}
	}
	return node
}

func (b *binder) targets(targets []syntax.Target, x *exprBinder) []plan.Item {
	var items []plan.Item
	for _, t := range targets {
		if star, ok := t.Expr.(*syntax.Star); ok {
			for _, c := range b.starColumns(star, x.scope) {
				ref := c.Ref()
				ref.Org = b.origin(star.Span)
				c.ID = b.ids.Next()
				items = append(items, plan.Item{Column: c, Expr: ref})
			}
			continue
		}
		e := b.settle(x.bind(t.Expr))
		name := t.Name
		if name == "" {
			name = outputName(t.Expr)
		}
		items = append(items, plan.Item{Column: plan.Column{ID: b.ids.Next(), Name: name, Type: e.Type()}, Expr: e})
	}
	return items
}

func (b *binder) starColumns(star *syntax.Star, s *scope) []plan.Column {
	var out []plan.Column
	for _, r := range s.relations {
		if len(star.Table) == 0 || r.answers(star.Table) {
			out = append(out, r.cols...)
		}
	}
	if len(out) == 0 {
		if len(star.Table) == 0 {
			b.fail(star.Span, value.Errorf(value.CodeSyntax, "SELECT * with no tables specified is not valid"))
		}
		b.fail(star.Span, b.unknownRelation(star.Table, s))
	}
	return out
}

// outputName is the name of an output column without AS.
func outputName(x syntax.Expr) string {
	switch x := x.(type) {
	case *syntax.Column:
		return x.Parts[len(x.Parts)-1]
	case *syntax.Func:
		return x.Name
	case *syntax.Cast:
		if n := outputName(x.Expr); n != "?column?" {
			return n
		}
		return x.Type
	case *syntax.Case:
		if x.Else != nil {
			if n := outputName(x.Else); n != "?column?" {
				return n
			}
		}
		return "case"
	}
	return "?column?"
}

// groups binds GROUP BY: an output column by number, an input column by name,
// an output column by name, or an expression.
func (b *binder) groups(s *syntax.Select, items []plan.Item, x *exprBinder) []plan.Expr {
	var out []plan.Expr
	outputs := make([]plan.Column, len(items))
	for i, it := range items {
		outputs[i] = it.Column
	}
	for _, g := range s.GroupBy {
		var e plan.Expr
		col, isColumn := g.(*syntax.Column)
		_, isNumber := g.(*syntax.Literal)
		switch {
		case isNumber:
			e = items[b.outputColumn(g, outputs)].Expr
		case isColumn && len(col.Parts) == 1 && !x.scope.has(col.Parts[0]) && b.outputColumn(g, outputs) >= 0:
			e = items[b.outputColumn(g, outputs)].Expr
		default:
			plain := &exprBinder{b: b, scope: x.scope, clause: "GROUP BY"}
			e = b.settle(plain.bind(g))
		}
		if plan.Uses(e).Meets(x.aggs.ids()) {
			b.fail(g.At(), value.Errorf(value.CodeGrouping, "aggregate functions are not allowed in GROUP BY"))
		}
		out = append(out, plan.WithOrigin(e, b.origin(g.At())))
	}
	return out
}

// aggregate puts the aggregation under the select list, in which group
// expressions become references to the groups' columns. It changes items.
func (b *binder) aggregate(s *syntax.Select, in plan.Node, groups []plan.Expr, aggs *aggregation, items []plan.Item, having []plan.Expr) plan.Node {
	org := plan.Origin{}
	if len(s.GroupBy) > 0 {
		org = b.origin(syntax.Span{Start: s.GroupSpan.Start, End: s.GroupBy[len(s.GroupBy)-1].At().End})
	} else if len(aggs.items) > 0 {
		org = aggs.items[0].Org
	}
	agg := &plan.Aggregate{Input: in, Aggs: aggs.items, Org: org}
	known := aggs.ids()
	for _, g := range groups {
		c := plan.Column{ID: b.ids.Next(), Name: plan.Text(g), Type: g.Type()}
		agg.Groups = append(agg.Groups, plan.Item{Column: c, Expr: g})
		known[c.ID] = true
	}
	var regroup func(e plan.Expr) plan.Expr
	regroup = func(e plan.Expr) plan.Expr {
		for _, g := range agg.Groups {
			if plan.Equal(e, g.Expr) {
				ref := g.Ref()
				ref.Org = e.Origin()
				return ref
			}
		}
		if c, ok := e.(*plan.Col); ok && !known[c.ID] {
			panic(value.Errorf(value.CodeGrouping, "column %q must appear in the GROUP BY clause or be used in an aggregate function", c.Name).
				At(c.Org.View, c.Org.Start, c.Org.End))
		}
		return plan.MapParts(e, regroup)
	}
	for i := range items {
		items[i].Expr = regroup(items[i].Expr)
	}
	var node plan.Node = agg
	if len(having) > 0 {
		conds := make([]plan.Expr, len(having))
		for i, h := range having {
			conds[i] = regroup(h)
		}
		node = &plan.Filter{Input: node, Conds: conds}
	}
	return node
}
