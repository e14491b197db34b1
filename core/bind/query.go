package bind

import (
	"fmt"
	"slices"
	"strings"

	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

func (b *binder) query(q *syntax.Query, e *env) plan.Node {
	e, with := b.withQueries(q, e)
	var node plan.Node
	switch body := q.Body.(type) {
	case *syntax.Select:
		node = b.selectBlock(body, q.OrderBy, e)
	case *syntax.SetOp:
		node = b.sortOutput(b.setOp(body, e), q.OrderBy)
	case *syntax.Values:
		node = b.sortOutput(b.values(body, e), q.OrderBy)
	}
	if q.Limit != nil || q.Offset != nil {
		node = b.limit(q, node, e)
	}
	b.unread(q, with)
	return node
}

func (b *binder) setOp(u *syntax.SetOp, e *env) plan.Node {
	left, right := b.query(u.Left, e), b.query(u.Right, e)
	lc, rc := left.Columns(), right.Columns()
	word := strings.ToUpper(u.Op)
	if len(lc) != len(rc) {
		b.fail(u.Span, value.Errorf(value.CodeSyntax, "each %s query must have the same number of columns, here %d and %d", word, len(lc), len(rc)))
	}
	out := make([]plan.Column, len(lc))
	li, ri := plan.Identity(lc), plan.Identity(rc)
	for i := range lc {
		// An untyped literal is of the other side's type.
		lt, rt := lc[i].Type, rc[i].Type
		l, r := b.untyped[lc[i].ID], b.untyped[rc[i].ID]
		switch {
		case l != nil && r == nil:
			li[i].Expr, lt = l, rt
		case r != nil && l == nil:
			ri[i].Expr, rt = r, lt
		}
		kind, ok := value.Common(lt.Kind, rt.Kind)
		if !ok {
			b.fail(u.Span, value.Errorf(value.CodeTypeMismatch, "%s types %s and %s cannot be matched (column %d, %s)",
				word, lc[i].Type, rc[i].Type, i+1, lc[i].Name).WithHint("cast one of them"))
		}
		if (u.Op != "union" || !u.All) && !kind.Comparable() {
			b.fail(u.Span, value.Errorf(value.CodeUndefinedFunc, "could not identify an equality operator for type %s", kind))
		}
		typ := value.Of(kind)
		if lt == rt {
			typ = lt
		}
		li[i] = b.castItem(li[i], typ, u.Left.Span)
		ri[i] = b.castItem(ri[i], typ, u.Right.Span)
		out[i] = plan.Column{ID: b.ids.Next(), Name: lc[i].Name, Type: typ}
	}
	l, r := projected(left, li), projected(right, ri)
	org := b.origin(u.Words)
	if u.Op != "union" {
		return &plan.SetOp{Except: u.Op == "except", All: u.All, Left: l, Right: r, Cols: out, Org: org}
	}
	union := &plan.Union{Parts: []plan.Node{l, r}, Cols: out, Org: org}
	if u.All {
		return union
	}
	return &plan.Distinct{Input: union, Org: org}
}

// values binds VALUES: constants as they are, other expressions as a union of
// rows.
func (b *binder) values(v *syntax.Values, e *env) plan.Node {
	width := len(v.Rows[0])
	columns := make([][]plan.Expr, width)
	subs := make([]*attachments, len(v.Rows))
	rows := make([][]plan.Expr, len(v.Rows))
	for i, row := range v.Rows {
		if len(row) != width {
			b.fail(v.Span, value.Errorf(value.CodeSyntax, "VALUES lists must all be the same length"))
		}
		subs[i] = &attachments{}
		x := &exprBinder{b: b, scope: &scope{outer: e.outer}, env: e, subs: subs[i], clause: "VALUES"}
		rows[i] = x.bindAll(row)
		for c, cell := range rows[i] {
			columns[c] = append(columns[c], cell)
		}
	}
	cols := make([]plan.Column, width)
	x := &exprBinder{b: b}
	constant := true
	for c := range columns {
		parts := make([]syntax.Expr, len(v.Rows))
		for i := range v.Rows {
			parts[i] = v.Rows[i][c]
		}
		unified := x.unify(columns[c], parts, "VALUES")
		cols[c] = plan.Column{ID: b.ids.Next(), Name: fmt.Sprintf("column%d", c+1), Type: value.Of(unified[0].Type().Kind)}
		for i, cell := range unified {
			rows[i][c] = cell
			_, isConst := cell.(*plan.Const)
			constant = constant && isConst
		}
	}
	if constant {
		out := &plan.Values{Cols: cols}
		for _, row := range rows {
			var vals []value.Value
			for _, cell := range row {
				vals = append(vals, cell.(*plan.Const).Val)
			}
			out.Rows = append(out.Rows, vals)
		}
		return out
	}
	union := &plan.Union{Cols: cols}
	for i, row := range rows {
		items := make([]plan.Item, width)
		for c, cell := range row {
			items[c] = plan.Item{Column: plan.Column{ID: b.ids.Next(), Name: cols[c].Name, Type: cols[c].Type}, Expr: cell}
		}
		union.Parts = append(union.Parts, &plan.Project{Input: subs[i].attach(oneRow()), Items: items})
	}
	return union
}

// castItem gives an item another kind, as a new column.
func (b *binder) castItem(it plan.Item, typ value.Type, at syntax.Span) plan.Item {
	if it.Type.Kind == typ.Kind && it.Expr.Type().Kind == typ.Kind {
		return it
	}
	it.Expr = b.coerce(it.Expr, value.Of(typ.Kind), at)
	it.Type = value.Of(typ.Kind)
	it.ID = b.ids.Next()
	return it
}

// sortOutput orders by output columns, which is all that a set operation
// offers.
func (b *binder) sortOutput(n plan.Node, order []syntax.SortItem) plan.Node {
	if len(order) == 0 {
		return n
	}
	cols := n.Columns()
	s := &plan.Sort{Input: n, Org: b.origin(orderSpan(order))}
	for _, o := range order {
		i := b.outputColumn(o.Expr, firstBranch(n, cols))
		if i < 0 {
			b.fail(o.Span, value.Errorf(value.CodeUnsupported, "ORDER BY on a set operation takes output columns by name or number").
				WithHint("put it into a subquery"))
		}
		s.Keys = append(s.Keys, b.sortKey(o, cols[i].Ref()))
	}
	return s
}

// firstBranch are the columns of a set operation under its names, with the ids that the
// first of its branches gives them.
func firstBranch(n plan.Node, named []plan.Column) []plan.Column {
	for {
		switch op := n.(type) {
		case *plan.Union:
			n = op.Parts[0]
			continue
		case *plan.SetOp:
			n = op.Left
			continue
		}
		out := slices.Clone(n.Columns())
		for i := range out {
			out[i].Name = named[i].Name
		}
		return out
	}
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
		if w := b.ctx.Watch; found >= 0 && w != nil && w.Named != nil && b.view == "" {
			w.Named(x.Span, cols[found].ID)
		}
		return found
	}
	return -1
}

func (b *binder) selectBlock(s *syntax.Select, order []syntax.SortItem, e *env) plan.Node {
	sc := &scope{outer: e.outer}
	node := b.from(s.From, e, sc)
	if s.Where != nil {
		x := &exprBinder{b: b, scope: sc, env: e, subs: &attachments{}, clause: "WHERE"}
		conds := plan.Conjuncts(x.condition(s.Where, "WHERE"))
		node = &plan.Filter{Input: x.subs.attach(node), Conds: conds}
	}

	// Output expressions, and hidden ones that only ORDER BY needs.
	before := &attachments{} // below the aggregation
	x := &exprBinder{b: b, scope: sc, env: e, aggs: &aggregation{}, windows: b.windowDefs(s.Windows), subs: &attachments{}, subsInAgg: before}
	sc.block = x
	x.targets, x.clause = true, "the select list"
	items := b.targets(s.Targets, x)
	visible := len(items)
	outputs := make([]plan.Column, visible)
	for i, it := range items {
		outputs[i] = it.Column
	}
	groups := b.groups(s, items, x)
	x.targets = false
	having := []plan.Expr(nil)
	if s.Having != nil {
		x.clause = "HAVING"
		windows := x.windows
		x.windows = nil
		having = plan.Conjuncts(x.condition(s.Having, "HAVING"))
		x.windows = windows
	}
	// hidden returns the item that computes a key of ORDER BY or DISTINCT ON.
	hidden := func(part syntax.Expr, clause string) int {
		if i := b.outputColumn(part, outputs); i >= 0 {
			return i
		}
		x.clause, x.targets = clause, true
		bound := b.settle(x.bind(part))
		x.targets = false
		for j, it := range items {
			if plan.Equal(it.Expr, bound) {
				return j
			}
		}
		if s.Distinct && s.DistinctOn == nil {
			b.fail(part.At(), value.Errorf("42P10", "for SELECT DISTINCT, ORDER BY expressions must appear in the select list"))
		}
		items = append(items, plan.Item{Column: plan.Column{ID: b.ids.Next(), Name: "order key", Type: bound.Type()}, Expr: bound})
		return len(items) - 1
	}
	var on []int
	for _, d := range s.DistinctOn {
		on = append(on, hidden(d, "DISTINCT ON"))
	}
	var keys []plan.SortKey
	var keyItems []int
	for _, o := range order {
		i := hidden(o.Expr, "ORDER BY")
		b.comparable(items[i].Type.Kind, o.Span)
		keys, keyItems = append(keys, b.sortKey(o, items[i].Ref())), append(keyItems, i)
	}
	b.distinctKeys(s, on, keyItems)

	if len(x.aggs.items) > 0 && slices.ContainsFunc(sc.relations, func(r relation) bool { return r.work }) {
		at := x.aggs.items[0].Org
		b.fail(syntax.Span{Start: at.Start, End: at.End}, value.Errorf(value.CodeRecursion, "aggregate functions are not allowed in a recursive query's recursive term"))
	}
	if s.GroupBy != nil || s.Having != nil || len(x.aggs.items) > 0 || x.aggs.grouping {
		node = b.aggregate(s, before.attach(node), groups, x, items, having)
	} else {
		node = x.subs.attach(before.attach(node))
	}
	if len(x.windows.items) > 0 {
		node = b.window(node, x.windows.items)
	}
	node = unnested(node, x.sets)
	node = &plan.Project{Input: node, Items: items}
	if s.Distinct && on == nil {
		for _, it := range items[:visible] {
			b.comparable(it.Type.Kind, s.DistinctSpan)
			delete(b.untyped, it.ID) // it was compared as text
		}
		node = &plan.Distinct{Input: node, Org: b.origin(s.DistinctSpan)}
	}
	if len(keys) > 0 {
		node = &plan.Sort{Input: node, Keys: keys, Org: b.origin(orderSpan(order))}
	}
	if on != nil {
		d := &plan.Distinct{Input: node, Org: b.origin(s.DistinctSpan)}
		for _, i := range on {
			d.On = append(d.On, items[i].Ref())
		}
		node = d
	}
	if len(items) > visible {
		node = &plan.Project{Input: node, Items: plan.Identity(outputs)}
	}
	return node
}

func (b *binder) comparable(k value.Kind, at syntax.Span) {
	if !k.Comparable() {
		b.fail(at, value.Errorf(value.CodeUndefinedFunc, "could not identify an ordering operator for type %s", k))
	}
}

// distinctKeys checks that ORDER BY starts with the expressions of DISTINCT ON.
func (b *binder) distinctKeys(s *syntax.Select, on, keys []int) {
	want := map[int]bool{}
	for _, i := range on {
		want[i] = true
	}
	for n, i := range keys {
		if len(want) == 0 {
			return
		}
		if !want[i] {
			for _, earlier := range keys[:n] {
				if earlier == i {
					return
				}
			}
			b.fail(s.DistinctSpan, value.Errorf("42P10", "SELECT DISTINCT ON expressions must match initial ORDER BY expressions"))
		}
		delete(want, i)
	}
}

// maxTargets is PostgreSQL's limit of what is written in a select list.
const maxTargets = 1664

func (b *binder) targets(targets []syntax.Target, x *exprBinder) []plan.Item {
	if len(targets) > maxTargets {
		b.fail(targets[maxTargets].Span, value.Errorf("54011", "target lists can have at most %d entries", maxTargets).WithHint("a star brings any number of columns"))
	}
	var items []plan.Item
	tell := func(t syntax.Target, from int) {
		if w := b.ctx.Watch; w != nil && w.Output != nil && b.view == "" {
			w.Output(t.Span, items[from:])
		}
	}
	for _, t := range targets {
		from := len(items)
		if star, ok := t.Expr.(*syntax.Star); ok {
			for _, c := range b.starColumns(star, x.scope) {
				ref := c.Ref()
				ref.Org = b.origin(star.Span)
				c.ID = b.ids.Next()
				items = append(items, plan.Item{Column: c, Expr: ref})
			}
			tell(t, from)
			continue
		}
		literal := x.bind(t.Expr)
		e := b.settle(b.detached(literal))
		name := t.Name
		if name == "" {
			name = syntax.OutputName(t.Expr)
		}
		items = append(items, plan.Item{Column: plan.Column{ID: b.ids.Next(), Name: name, Type: e.Type()}, Expr: e})
		if _, isConst := literal.(*plan.Const); isConst && literal.Type().Kind == value.Null {
			b.untyped[items[len(items)-1].ID] = literal
		}
		tell(t, from)
	}
	return items
}

func (b *binder) starColumns(star *syntax.Star, s *scope) []plan.Column {
	if len(star.Table) == 0 {
		if len(s.relations) == 0 {
			b.fail(star.Span, value.Errorf(value.CodeSyntax, "SELECT * with no tables specified is not valid"))
		}
		return s.star()
	}
	for at := s; at != nil; at = at.outer {
		for _, r := range at.relations {
			if r.answers(star.Table) {
				return r.cols
			}
		}
	}
	b.fail(star.Span, b.unknownRelation(star.Table, s))
	return nil
}
