package bind

import (
	"sort"

	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// grouping is GROUP BY: its expressions, and the sets of them, by position,
// where it has several.
type grouping struct {
	exprs []plan.Expr
	sets  [][]int
	// byItem are the positions of the groups that were chosen as items of the
	// select list: equal items are groups of their own.
	byItem map[int]int
}

// maxGroupingSets is PostgreSQL's own bound on CUBE.
const maxGroupingSets = 4096

// maxSetMembers bounds what grouping sets are made of: a set is a row's bits.
const maxSetMembers = 62

// groups binds GROUP BY: an output column by number, an input column by name,
// an output column by name, or an expression; and sets of these.
func (b *binder) groups(s *syntax.Select, items []plan.Item, x *exprBinder) grouping {
	g := &groupBinder{b: b, x: x, items: items, byItem: map[int]int{}}
	for _, it := range items {
		g.outputs = append(g.outputs, it.Column)
	}
	sets := [][]int{{}}
	several := false
	for _, part := range s.GroupBy {
		_, isSet := part.(*syntax.GroupingSet)
		several = several || isSet
		var crossed [][]int
		for _, a := range sets {
			for _, o := range g.expand(part) {
				crossed = append(crossed, append(a[:len(a):len(a)], o...))
			}
		}
		if len(crossed) > maxGroupingSets {
			b.fail(part.At(), value.Errorf("54011", "too many grouping sets present (maximum %d)", maxGroupingSets))
		}
		sets = crossed
	}
	if !several {
		return grouping{exprs: g.exprs, byItem: g.byItem}
	}
	if len(g.exprs) > maxSetMembers {
		b.fail(s.GroupBy[0].At(), value.Errorf("54011", "grouping sets have %d different expressions, and at most %d are possible", len(g.exprs), maxSetMembers))
	}
	seen := map[string]bool{}
	var out [][]int
	for _, set := range sets {
		set = unique(set)
		key := ""
		for _, i := range set {
			key += string(rune(i)) + ","
		}
		if s.GroupDistinct && seen[key] {
			continue
		}
		seen[key] = true
		out = append(out, set)
	}
	return grouping{exprs: g.exprs, sets: out, byItem: g.byItem}
}

func unique(set []int) []int {
	out := append([]int{}, set...)
	sort.Ints(out)
	n := 0
	for i, v := range out {
		if i == 0 || v != out[n-1] {
			out[n] = v
			n++
		}
	}
	return out[:n]
}

type groupBinder struct {
	b       *binder
	x       *exprBinder
	items   []plan.Item
	outputs []plan.Column
	exprs   []plan.Expr
	byItem  map[int]int
}

// expand returns the grouping sets that an item of GROUP BY stands for.
func (g *groupBinder) expand(part syntax.Expr) [][]int {
	switch p := part.(type) {
	case *syntax.Row:
		return [][]int{g.members(p.Items)}
	case *syntax.GroupingSet:
		switch p.Kind {
		case "empty":
			return [][]int{{}}
		case "sets":
			var out [][]int
			for _, it := range p.Items {
				out = append(out, g.expand(it)...)
			}
			return out
		}
		parts := make([][]int, len(p.Items))
		for i, it := range p.Items {
			parts[i] = g.expand(it)[0]
		}
		var out [][]int
		if p.Kind == "rollup" {
			for n := len(parts); n >= 0; n-- {
				out = append(out, flatten(parts[:n]))
			}
			return out
		}
		if len(parts) > 12 {
			g.b.fail(p.Span, value.Errorf("54011", "CUBE is limited to 12 elements"))
		}
		for mask := 1<<len(parts) - 1; mask >= 0; mask-- {
			var chosen [][]int
			for i, m := range parts {
				if mask&(1<<(len(parts)-1-i)) != 0 {
					chosen = append(chosen, m)
				}
			}
			out = append(out, flatten(chosen))
		}
		return out
	}
	return [][]int{{g.member(part)}}
}

func flatten(parts [][]int) []int {
	out := []int{}
	for _, p := range parts {
		out = append(out, p...)
	}
	return out
}

func (g *groupBinder) members(parts []syntax.Expr) []int {
	var out []int
	for _, p := range parts {
		out = append(out, g.member(p))
	}
	return out
}

// member binds one expression of GROUP BY and returns its position.
func (g *groupBinder) member(part syntax.Expr) int {
	b, x := g.b, g.x
	var e plan.Expr
	col, isColumn := part.(*syntax.Column)
	_, isNumber := part.(*syntax.Literal)
	item := -1
	if isNumber || isColumn && len(col.Parts) == 1 && !x.scope.has(col.Parts[0]) {
		item = b.outputColumn(part, g.outputs)
	}
	if item >= 0 {
		if at, ok := g.byItem[item]; ok {
			return at
		}
		e = g.items[item].Expr
	} else {
		plain := &exprBinder{b: b, scope: x.scope, env: x.env, subs: x.subsInAgg, sets: x.sets, targets: true, clause: "GROUP BY"}
		e = b.settle(plain.bind(part))
		x.sets = plain.sets
	}
	uses := plan.Uses(e)
	if uses.Meets(x.aggs.ids()) {
		b.fail(part.At(), value.Errorf(value.CodeGrouping, "aggregate functions are not allowed in GROUP BY"))
	}
	if uses.Meets(x.windows.ids()) {
		b.fail(part.At(), value.Errorf("42P20", "window functions are not allowed in GROUP BY"))
	}
	x.subs.moveTo(x.subsInAgg, uses)
	b.comparable(e.Type().Kind, part.At())
	e = plan.WithOrigin(e, b.origin(part.At()))
	for i, have := range g.exprs {
		if item < 0 && plan.Equal(have, e) {
			return i
		}
	}
	g.exprs = append(g.exprs, e)
	if item >= 0 {
		g.byItem[item] = len(g.exprs) - 1
	}
	return len(g.exprs) - 1
}

// aggregate puts the aggregation under the select list, in which group
// expressions become references to the groups' columns. It changes items, and
// the windows and subqueries of x.
func (b *binder) aggregate(s *syntax.Select, in plan.Node, by grouping, x *exprBinder, items []plan.Item, having []plan.Expr) plan.Node {
	aggs := x.aggs
	org := plan.Origin{}
	if len(s.GroupBy) > 0 {
		org = b.origin(syntax.Span{Start: s.GroupSpan.Start, End: s.GroupBy[len(s.GroupBy)-1].At().End})
	} else if len(aggs.items) > 0 {
		org = aggs.items[0].Org
	}
	agg := &plan.Aggregate{Input: in, Aggs: aggs.items, Org: org, Sets: by.sets}
	r := &regrouper{b: b, agg: agg, known: aggs.ids(), own: x.scope.ids(), scope: x.scope}
	for _, g := range by.exprs {
		r.addGroup(g)
	}
	if by.sets != nil {
		agg.SetID = &plan.Column{ID: b.ids.Next(), Name: "grouping set", Type: value.Of(value.Int8)}
		r.known[agg.SetID.ID] = true
	}
	for id := range x.windows.ids() {
		r.known[id] = true
	}
	for _, c := range x.sets {
		for _, col := range c.Cols {
			r.known[col.ID] = true
		}
	}
	var below map[plan.ID]plan.ID
	agg.Input, below = b.groupedSets(agg, x.sets)
	for _, sub := range x.subs.joins {
		for id := range sub.made {
			r.known[id] = true
		}
	}
	for i := range items {
		if at, ok := by.byItem[i]; ok {
			ref := agg.Groups[at].Ref()
			ref.Org = items[i].Expr.Origin()
			items[i].Expr = ref
			continue
		}
		items[i].Expr = r.expr(items[i].Expr)
	}
	conds := make([]plan.Expr, len(having))
	for i, h := range having {
		conds[i] = r.expr(h)
	}
	for i := range x.windows.items {
		w := &plan.Window{Items: x.windows.items[i : i+1]}
		x.windows.items[i] = plan.MapExprs(w, r.expr).(*plan.Window).Items[0]
	}
	var read []plan.Expr
	for _, it := range items {
		read = append(read, it.Expr)
	}
	x.sets = setsUsed(x.sets, read)
	for i := range x.sets {
		u := &plan.Unnest{Calls: x.sets[i : i+1]}
		x.sets[i] = plan.MapExprs(u, r.expr).(*plan.Unnest).Calls[0]
	}
	for _, sub := range x.subs.joins {
		made := plan.Outputs(sub.Right)
		regroup := func(e plan.Expr) plan.Expr { return r.outer(e, made) }
		j := plan.MapExprs(sub.Join, regroup).(*plan.Join)
		j.Right = plan.Rewrite(j.Right, func(n plan.Node) plan.Node {
			return plan.MapExprs(n, func(e plan.Expr) plan.Expr { return r.outer(e, nil) })
		})
		sub.Join = j
		var guard []plan.Expr
		for _, g := range sub.guard {
			guard = append(guard, r.expr(g))
		}
		sub.guard = guard
	}
	for i, g := range agg.Groups {
		agg.Groups[i].Expr = plan.RenumberExpr(g.Expr, below)
	}
	node := x.subs.attach(agg)
	if len(conds) > 0 {
		node = &plan.Filter{Input: node, Conds: conds}
	}
	return node
}

// groupedSets puts the set-returning calls that are grouped by under the
// aggregation, and returns the ids of their columns there. The select list keeps
// calls of its own where it reads their rows otherwise.
func (b *binder) groupedSets(agg *plan.Aggregate, calls []plan.SetCall) (plan.Node, map[plan.ID]plan.ID) {
	var keys []plan.Expr
	for _, g := range agg.Groups {
		keys = append(keys, g.Expr)
	}
	calls = setsUsed(calls, keys)
	if len(calls) == 0 {
		return agg.Input, nil
	}
	below, renamed := plan.Fresh(unnested(oneRow(), calls), b.ids)
	return plan.Rewrite(below, func(n plan.Node) plan.Node {
		if _, is := n.(*plan.Values); is {
			return agg.Input
		}
		return n
	}), renamed
}

// regrouper rewrites expressions over a select block's input to expressions
// over its groups.
type regrouper struct {
	b     *binder
	agg   *plan.Aggregate
	known plan.IDs // made by the aggregation or after it
	own   plan.IDs // of the block's FROM
	scope *scope
}

func (r *regrouper) addGroup(e plan.Expr) plan.Item {
	it := plan.Item{Column: plan.Column{ID: r.b.ids.Next(), Name: plan.Text(e), Type: e.Type()}, Expr: e}
	r.agg.Groups = append(r.agg.Groups, it)
	r.known[it.ID] = true
	return it
}

func (r *regrouper) expr(e plan.Expr) plan.Expr {
	if c, ok := e.(*plan.Call); ok && c.Op == opGrouping {
		return r.grouping(c)
	}
	if _, ok := e.(*plan.Const); ok { // it is itself, also where an item that is grouped by is the same
		return e
	}
	for _, g := range r.agg.Groups {
		if plan.Equal(e, g.Expr) {
			ref := g.Ref()
			ref.Org = e.Origin()
			return ref
		}
	}
	if c, ok := e.(*plan.Col); ok && !r.known[c.ID] && r.own[c.ID] {
		if it, ok := r.dependent(c); ok {
			ref := it.Ref()
			ref.Org = c.Org
			return ref
		}
		panic(value.Errorf(value.CodeGrouping, "column %q must appear in the GROUP BY clause or be used in an aggregate function", c.Name).
			At(c.Org.View, c.Org.Start, c.Org.End))
	}
	return plan.MapParts(e, r.expr)
}

// outer rewrites an expression of a subquery, in which only columns of the
// block itself are grouped; made are the subquery's own columns.
func (r *regrouper) outer(e plan.Expr, made plan.IDs) plan.Expr {
	return plan.Map(e, func(p plan.Expr) plan.Expr {
		if c, ok := p.(*plan.Col); ok && r.own[c.ID] && !made[c.ID] {
			return r.expr(c)
		}
		return p
	})
}

// dependent adds a column to the groups where it follows from them: the
// primary key of its table is among them.
func (r *regrouper) dependent(c *plan.Col) (plan.Item, bool) {
	if r.agg.Sets != nil {
		return plan.Item{}, false
	}
	for _, rel := range r.scope.relations {
		if rel.scan == nil || !plan.Outputs(rel.scan)[c.ID] {
			continue
		}
		for _, key := range rel.scan.Table.Keys {
			if key.Primary && r.grouped(rel.scan, key.Columns) {
				return r.addGroup(&plan.Col{ID: c.ID, Name: c.Name, Typ: c.Typ, Org: c.Org}), true
			}
		}
	}
	return plan.Item{}, false
}

func (r *regrouper) grouped(s *plan.Scan, columns []string) bool {
	for _, name := range columns {
		found := false
		for _, sc := range s.Cols {
			if s.Table.Columns[sc.Index].Name != name {
				continue
			}
			for _, g := range r.agg.Groups {
				col, ok := g.Expr.(*plan.Col)
				found = found || ok && col.ID == sc.ID
			}
		}
		if !found {
			return false
		}
	}
	return true
}

// opGrouping is GROUPING() until its arguments are known as groups.
const opGrouping = "grouping"

// grouping computes GROUPING(…) of the set's bits.
func (r *regrouper) grouping(c *plan.Call) plan.Expr {
	i4, i8 := value.Of(value.Int4), value.Of(value.Int8)
	number := func(n int64) plan.Expr { return &plan.Const{Val: value.IntOf(value.Int8, n), Typ: i8, Org: c.Org} }
	var sum plan.Expr
	for i, arg := range c.Args {
		at := -1
		for g, group := range r.agg.Groups {
			if plan.Equal(group.Expr, arg) {
				at = g
			}
		}
		if at < 0 {
			panic(value.Errorf(value.CodeGrouping, "arguments to GROUPING must be grouping expressions of the associated query level").
				At(c.Org.View, c.Org.Start, c.Org.End))
		}
		var bit plan.Expr = number(0)
		if r.agg.SetID != nil {
			// The bit of group at, moved to the argument's place.
			shifted := plan.Expr(&plan.Call{Op: "/", Args: []plan.Expr{r.agg.SetID.Ref(), number(1 << at)}, Typ: i8, Org: c.Org})
			bit = &plan.Call{Op: "%", Args: []plan.Expr{shifted, number(2)}, Typ: i8, Org: c.Org}
			bit = &plan.Call{Op: "*", Args: []plan.Expr{bit, number(1 << (len(c.Args) - 1 - i))}, Typ: i8, Org: c.Org}
		}
		if sum == nil {
			sum = bit
		} else {
			sum = &plan.Call{Op: "+", Args: []plan.Expr{sum, bit}, Typ: i8, Org: c.Org}
		}
	}
	return &plan.Cast{Arg: sum, Typ: i4, Org: c.Org}
}
