package bind

import (
	"slices"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// from binds a FROM list; nothing gives one row without columns.
func (b *binder) from(tables []syntax.Table, e *env, s *scope) plan.Node {
	var node plan.Node
	for _, t := range tables {
		lateral := &scope{relations: s.relations, hidden: s.hidden, outer: e.outer}
		n := b.table(t, e, s, lateral)
		if node == nil {
			node = n
		} else {
			node = &plan.Join{Kind: plan.InnerJoin, Left: node, Right: n, Org: b.origin(t.At())}
		}
	}
	if node == nil {
		node = oneRow()
	}
	return node
}

// oneRow is a row without columns.
func oneRow() plan.Node { return &plan.Values{Rows: [][]value.Value{{}}} }

func (b *binder) join(j *syntax.Join, e *env, s, lateral *scope) plan.Node {
	// The scope of ON is the join's own two sides, in their written order.
	inner := &scope{outer: e.outer}
	left := b.table(j.Left, e, inner, lateral)
	leftScope := &scope{relations: inner.relations, hidden: inner.hidden, outer: lateral}
	var rightScope scope
	right := b.table(j.Right, e, &rightScope, leftScope)
	for i := range inner.relations {
		inner.relations[i].padded = inner.relations[i].padded || j.Kind == syntax.Right || j.Kind == syntax.Full
	}
	for _, r := range rightScope.relations {
		r.padded = r.padded || j.Kind == syntax.Left || j.Kind == syntax.Full
		b.addRelation(inner, r, nil, j.Span)
	}
	for id := range rightScope.hidden {
		inner.hide(id)
	}
	kind := plan.InnerJoin
	switch j.Kind {
	case syntax.Left, syntax.Right:
		kind = plan.LeftJoin
	case syntax.Full:
		kind = plan.FullJoin
	}
	if (kind == plan.FullJoin || j.Kind == syntax.Right) && plan.Free(right).Meets(plan.Outputs(left)) {
		b.fail(j.Right.At(), value.Errorf("42P10", "invalid reference to FROM-clause entry: the combining JOIN type must be INNER or LEFT for a LATERAL reference"))
	}
	out := &plan.Join{Kind: kind, Left: left, Right: right, Org: b.origin(j.Span)}
	if j.Kind == syntax.Right {
		out.Left, out.Right = right, left
	}
	var node plan.Node
	names := j.Using
	if j.Natural {
		names = commonNames(&scope{relations: leftScope.relations, hidden: leftScope.hidden}, &rightScope)
	}
	if len(names) > 0 || len(j.Using) > 0 {
		node = b.using(j, out, names, leftScope, &rightScope, inner)
	} else {
		node = b.on(j, e, out, inner)
	}
	if w := b.ctx.Watch; w != nil && w.Join != nil && b.view == "" {
		w.Join(j, out)
	}
	if j.Alias != "" {
		cols := inner.star()
		b.addRelation(s, relation{name: j.Alias, cols: cols}, j.Columns, j.Span)
		return node
	}
	for _, r := range inner.relations {
		b.addRelation(s, r, nil, j.Span)
	}
	for id := range inner.hidden {
		s.hide(id)
	}
	return node
}

// on binds a join's condition. A subquery in it is joined to the one side
// whose columns it reads, or for an inner join above it.
func (b *binder) on(j *syntax.Join, e *env, out *plan.Join, inner *scope) plan.Node {
	if j.On == nil {
		return out
	}
	out.Org = b.origin(j.On.At())
	x := &exprBinder{b: b, scope: inner, env: e, subs: &attachments{}, clause: "JOIN conditions"}
	conds := plan.Conjuncts(x.condition(j.On, "JOIN/ON"))
	if len(x.subs.joins) == 0 {
		out.On = conds
		return out
	}
	if out.Kind == plan.InnerJoin {
		return &plan.Filter{Input: x.subs.attach(out), Conds: conds}
	}
	lo, ro := plan.Outputs(out.Left), plan.Outputs(out.Right)
	var both []*attachment
	for _, sub := range x.subs.joins {
		uses := plan.Free(sub.Right)
		uses.AddUses(sub.On...)
		uses.AddUses(sub.guard...)
		if sub.Test != nil {
			uses.AddUses(sub.Test)
		}
		for id := range plan.Outputs(sub.Right) {
			delete(uses, id)
		}
		one := &attachments{joins: []*attachment{sub}}
		switch {
		case !uses.Meets(ro):
			out.Left = one.attach(out.Left)
		case !uses.Meets(lo):
			out.Right = one.attach(out.Right)
		case out.Kind == plan.FullJoin:
			b.fail(j.On.At(), value.Errorf(value.CodeUnsupported, "FULL JOIN is only supported with conditions that compare one side with the other").
				WithHint("compute the subquery in one of the sides"))
		default:
			both = append(both, sub)
		}
	}
	if len(both) > 0 {
		// The right side's rows for each row of the left one.
		out.Right = &plan.Filter{Input: (&attachments{joins: both}).attach(out.Right), Conds: conds}
		return out
	}
	out.On = conds
	return out
}

func commonNames(left, right *scope) []string {
	has := map[string]bool{}
	for _, c := range right.star() {
		has[c.Name] = true
	}
	var names []string
	for _, c := range left.star() {
		if has[c.Name] {
			names = append(names, c.Name)
		}
	}
	return names
}

// using joins on equal columns of the given names, each pair of which becomes
// one column.
func (b *binder) using(j *syntax.Join, out *plan.Join, names []string, left, right, inner *scope) plan.Node {
	var merged []plan.Item
	computed := false
	for _, name := range names {
		find := func(s *scope, side string) plan.Column {
			only := scope{relations: s.relations, hidden: s.hidden}
			found := only.find(name, nil)
			if len(found) == 1 {
				return found[0]
			}
			if len(found) > 1 {
				b.fail(j.Span, value.Errorf(value.CodeAmbiguous, "common column name %q appears more than once in %s table", name, side))
			}
			b.fail(j.Span, value.Errorf(value.CodeUndefinedColumn, "column %q specified in USING clause does not exist in %s table", name, side))
			return plan.Column{}
		}
		l, r := find(left, "left"), find(right, "right")
		kind, ok := value.Common(l.Type.Kind, r.Type.Kind)
		if !ok {
			b.fail(j.Span, value.Errorf(value.CodeTypeMismatch, "JOIN/USING types %s and %s cannot be matched", l.Type, r.Type))
		}
		args := []plan.Expr{l.Ref(), r.Ref()}
		x := &exprBinder{b: b, scope: inner}
		org := b.origin(j.Span)
		out.On = append(out.On, x.call("=", args, nil, org, j.Span))
		typ := value.Of(kind)
		if l.Type == r.Type {
			typ = l.Type
		}
		item := plan.Item{Column: plan.Column{Name: name, Type: typ}}
		kept := l
		if j.Kind == syntax.Right {
			kept = r
		}
		switch {
		case out.Kind == plan.FullJoin:
			cast := []plan.Expr{b.coerce(l.Ref(), typ, j.Span), b.coerce(r.Ref(), typ, j.Span)}
			item.Expr = &plan.Call{Op: "coalesce", Args: cast, Typ: value.Of(kind), Org: org}
		default:
			item.Expr = b.coerce(kept.Ref(), typ, j.Span)
		}
		if c, isCol := item.Expr.(*plan.Col); isCol {
			item.ID = c.ID
		} else {
			item.ID, computed = b.ids.Next(), true
		}
		merged = append(merged, item)
		// What an earlier USING has merged is merged once more.
		for i, rel := range inner.relations {
			if rel.merged {
				inner.relations[i].cols = slices.DeleteFunc(slices.Clone(rel.cols), func(c plan.Column) bool { return c.ID == l.ID || c.ID == r.ID })
			}
		}
		inner.hide(l.ID, r.ID, item.ID)
	}
	cols := plan.Columns(merged)
	inner.relations = append([]relation{{cols: cols, merged: true}}, inner.relations...)
	if j.UsingAlias != "" {
		inner.relations = append(inner.relations, relation{name: j.UsingAlias, cols: cols})
		// Named with the alias alone, or they would be there twice.
		inner.relations[len(inner.relations)-1].cols = cols
	}
	if !computed {
		return out
	}
	items := plan.Identity(out.Columns())
	for _, it := range merged {
		if _, isCol := it.Expr.(*plan.Col); !isCol {
			items = append(items, it)
		}
	}
	return &plan.Project{Input: out, Items: items}
}

// star returns the columns that * means.
func (s *scope) star() []plan.Column {
	var out []plan.Column
	for _, r := range s.relations {
		for _, c := range r.cols {
			if r.merged || !s.hidden[c.ID] {
				out = append(out, c)
			}
		}
	}
	return out
}

// tableFunc binds functions in FROM. One that gives a single value is a table
// of one row.
func (b *binder) tableFunc(t *syntax.TableFunc, e *env, s, lateral *scope) plan.Node {
	x := &exprBinder{b: b, scope: &scope{outer: lateral}, env: e.inside(lateral), subs: &attachments{}, clause: "functions in FROM"}
	un := &plan.Unnest{Org: b.origin(t.Span)}
	var ordinal []plan.Column
	if t.Ordinality {
		ordinal = []plan.Column{{ID: b.ids.Next(), Name: "ordinality", Type: value.Of(value.Int8)}}
	}
	rel := relation{name: t.Alias}
	if first, isCall := t.Funcs[0].(*syntax.Func); isCall && rel.name == "" {
		rel.name = first.Name
	}
	var node plan.Node
	if len(t.Defs) > 0 {
		node, rel.cols = x.records(t)
		if t.Ordinality {
			b.fail(t.Span, value.Errorf(value.CodeUnsupported, "WITH ORDINALITY beside defined columns is not supported"))
		}
	} else if call, single := x.oneValue(t.Funcs); single {
		items := []plan.Item{call}
		for _, c := range ordinal {
			items = append(items, plan.Item{Column: c, Expr: &plan.Const{Val: value.IntOf(value.Int8, 1), Typ: c.Type}})
		}
		node = &plan.Project{Input: x.subs.attach(oneRow()), Items: items}
		rel.cols = plan.Columns(items)
	} else {
		for _, f := range t.Funcs {
			call := x.rowsOf(f)
			un.Calls = append(un.Calls, call)
			rel.cols = append(rel.cols, call.Cols...)
		}
		for i := range ordinal {
			un.Ordinality = &ordinal[i]
		}
		un.Input = x.subs.attach(oneRow())
		rel.cols = append(rel.cols, ordinal...)
		node = un
		if len(x.subs.joins) > 0 {
			node = &plan.Project{Input: un, Items: plan.Identity(rel.cols)}
		}
	}
	if t.Alias != "" && len(t.Funcs) == 1 && len(t.Defs) == 0 && len(t.Columns) == 0 && len(rel.cols)-len(ordinal) == 1 {
		// The alias of a function with one column is the column's name too.
		rel.cols = renamed(rel.cols, []string{t.Alias})
	}
	b.addRelation(s, rel, t.Columns, t.Span)
	return node
}

// oneValue binds a function in FROM that is the only one and gives one value.
func (x *exprBinder) oneValue(funcs []syntax.Expr) (plan.Item, bool) {
	call, isCall := funcs[0].(*syntax.Func)
	if !isCall || len(funcs) > 1 || kernel.IsSetFunction(call.Name) {
		return plan.Item{}, false
	}
	bound := x.b.settle(x.bind(call))
	return plan.Item{Column: plan.Column{ID: x.b.ids.Next(), Name: call.Name, Type: bound.Type()}, Expr: bound}, true
}

// rowsOf binds one of the functions in FROM. One that gives a value among
// others is the only element of an array.
func (x *exprBinder) rowsOf(f syntax.Expr) plan.SetCall {
	b := x.b
	call, isCall := f.(*syntax.Func)
	if !isCall {
		b.fail(f.At(), value.Errorf(value.CodeUnsupported, "this item of FROM is not supported yet"))
	}
	if kernel.IsSetFunction(call.Name) {
		return x.setCall(call)
	}
	bound := b.settle(x.bind(call))
	kind := bound.Type().Kind
	if kind.IsArray() {
		b.fail(f.At(), value.Errorf(value.CodeUnsupported, "an array among the columns of ROWS FROM is not supported").WithHint("join it instead"))
	}
	org := b.origin(f.At())
	one := &plan.Call{Op: "array", Args: []plan.Expr{bound}, Typ: value.Of(value.ArrayOf(kind)), Org: org}
	return plan.SetCall{Func: "unnest", Args: []plan.Expr{one}, Org: org,
		Cols: []plan.Column{{ID: b.ids.Next(), Name: call.Name, Type: value.Of(kind)}}}
}

// setCall binds a call of a set-returning function.
func (x *exprBinder) setCall(f *syntax.Func) plan.SetCall {
	b := x.b
	f = b.arranged(f)
	args := x.bindAll(pathText(f.Name, f.Args))
	b.checkPath(f.Name, args, f.Args)
	kinds := make([]value.Kind, len(args))
	for i, a := range args {
		kinds[i] = a.Type().Kind
	}
	sf, err := kernel.ResolveSet(f.Name, kinds)
	b.check(f.Span, err)
	call := plan.SetCall{Func: f.Name, Org: b.origin(f.Span)}
	for i, a := range args {
		call.Args = append(call.Args, b.coerce(a, value.Of(sf.Args[i]), f.Args[i].At()))
	}
	for i, k := range sf.Results {
		call.Cols = append(call.Cols, plan.Column{ID: b.ids.Next(), Name: sf.Names[i], Type: value.Of(k)})
	}
	return call
}

// projected computes items of n, or is n where they are its columns.
func projected(n plan.Node, items []plan.Item) plan.Node {
	cols := n.Columns()
	same := len(cols) == len(items)
	for i := range items {
		same = same && items[i].ID == cols[i].ID
	}
	if same {
		return n
	}
	return &plan.Project{Input: n, Items: items}
}
