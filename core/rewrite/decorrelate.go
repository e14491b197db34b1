package rewrite

import (
	"sort"

	"rovik/core/plan"
	"rovik/core/value"
)

// decorrelate frees the right sides of joins from columns of the left, so that
// no subquery runs once for each row. Where its conditions can be pulled up
// into the join, they are. Else the subquery runs once for all different
// values of the columns it reads, joined back by them (Neumann and Kemper,
// "Unnesting arbitrary queries", 2015).
func decorrelate(root plan.Node, pass *Pass) plan.Node {
	d := &decorrelator{ids: pass.IDs, pass: pass}
	return d.node(root)
}

type decorrelator struct {
	ids  *plan.Numbering
	pass *Pass
}

func (d *decorrelator) node(n plan.Node) plan.Node {
	inputs := n.Inputs()
	if len(inputs) > 0 {
		mapped := make([]plan.Node, len(inputs))
		changed := false
		for i, in := range inputs {
			mapped[i] = d.node(in)
			changed = changed || mapped[i] != in
		}
		if changed {
			n = n.WithInputs(mapped)
		}
	}
	j, ok := n.(*plan.Join)
	if !ok {
		return n
	}
	outer := meet(plan.Free(j.Right), plan.Outputs(j.Left))
	if len(outer) == 0 {
		return n
	}
	for _, try := range []struct {
		apply func(*plan.Join, plan.IDs) (plan.Node, bool)
		why   string
	}{
		{d.rebase, "it works on each row alone, and so on the rows themselves"},
		{d.scalar, "it aggregates once for each value that it is compared with, and is joined by it"},
		{d.pullUp, "its conditions on the query around it become those of a join"},
	} {
		if out, ok := try.apply(j, outer); ok {
			d.pass.note(j.Org, "%s", try.why)
			return out
		}
	}
	d.pass.note(j.Org, "it runs once for all different values of the columns that it reads of the query around it")
	return d.spread(j, outer)
}

func meet(a, b plan.IDs) plan.IDs {
	out := plan.IDs{}
	for id := range a {
		if b[id] {
			out[id] = true
		}
	}
	return out
}

// rebase puts a chain of row-wise operators over a single row, as in LATERAL
// unnest(t.list), on the left side itself.
func (d *decorrelator) rebase(j *plan.Join, _ plan.IDs) (plan.Node, bool) {
	if j.Kind != plan.InnerJoin && (j.Kind != plan.LeftJoin || len(j.On) > 0) {
		return nil, false
	}
	top, ok := rebased(j.Right, j.Left, j.Kind == plan.LeftJoin)
	if !ok {
		return nil, false
	}
	return filter(top, j.On), true
}

func rebased(n, onto plan.Node, outer bool) (plan.Node, bool) {
	switch n := n.(type) {
	case *plan.Values:
		return onto, len(n.Cols) == 0 && len(n.Rows) == 1
	case *plan.Filter:
		in, ok := rebased(n.Input, onto, outer)
		if !ok || outer {
			return nil, false
		}
		return n.WithInputs([]plan.Node{in}), true
	case *plan.Project:
		in, ok := rebased(n.Input, onto, outer)
		if !ok {
			return nil, false
		}
		if outer {
			if _, plainOnto := n.Input.(*plan.Values); !plainOnto {
				return nil, false // a row that Unnest kept needs NULLs here
			}
		}
		items := append(plan.Identity(onto.Columns()), n.Items...)
		return &plan.Project{Input: in, Items: items}, true
	case *plan.Unnest:
		in, ok := rebased(n.Input, onto, outer)
		if !ok {
			return nil, false
		}
		u := n.WithInputs([]plan.Node{in}).(*plan.Unnest)
		u.Outer = u.Outer || outer
		return u, true
	}
	return nil, false
}

// scalar handles a subquery that aggregates all its rows and so always gives
// one: it is grouped by what the outer query compares it with, joined left,
// and what would be 0 for no rows is made so above the join.
func (d *decorrelator) scalar(j *plan.Join, outer plan.IDs) (plan.Node, bool) {
	defs := plan.Defs{}
	n := j.Right
	for {
		p, ok := n.(*plan.Project)
		if !ok {
			break
		}
		for _, it := range p.Items {
			defs[it.ID] = it.Expr
		}
		n = p.Input
	}
	agg, ok := n.(*plan.Aggregate)
	if !ok || len(agg.Groups) > 0 || agg.Sets != nil || j.Kind == plan.SemiJoin || j.Kind == plan.AntiJoin || j.Kind == plan.FullJoin || j.Kind == plan.InnerJoin && len(j.On) > 0 {
		return nil, false
	}
	if j.Kind == plan.LeftJoin && len(j.On) > 0 {
		return nil, false
	}
	in, conds, ok := d.pull(agg.Input, outer, false, false)
	if !ok || meetsExprs(agg, outer) {
		return nil, false
	}
	keys, ok := equalities(conds, outer)
	if !ok {
		return nil, false
	}
	grouped := *agg
	grouped.Input, grouped.Groups = in, nil
	on := make([]plan.Expr, len(keys))
	for i, k := range keys {
		on[i] = d.groupKey(&grouped, k)
	}
	join := &plan.Join{Kind: plan.LeftJoin, Left: j.Left, Right: &grouped, On: on, Org: j.Org}
	zero := zeros(agg.Aggs)
	items := plan.Identity(j.Left.Columns())
	expand := func(e plan.Expr) plan.Expr {
		for range 50 { // as deep as projections were stacked
			next := plan.Substitute(e, defs)
			if next == e {
				break
			}
			e = next
		}
		return plan.Substitute(e, zero)
	}
	if j.Kind == plan.MarkJoin {
		mark := plan.True()
		if j.Test != nil {
			mark = expand(j.Test)
		}
		return &plan.Project{Input: join, Items: append(items, plan.Item{Column: *j.Mark, Expr: mark})}, true
	}
	for _, c := range j.Right.Columns() {
		items = append(items, plan.Item{Column: c, Expr: expand(c.Ref())})
	}
	return &plan.Project{Input: join, Items: items}, true
}

// zeros replaces the aggregates that are 0 for no rows.
func zeros(aggs []plan.AggItem) plan.Defs {
	defs := plan.Defs{}
	for _, a := range aggs {
		if a.Func == "count" || a.Func == "regr_count" {
			none := &plan.Const{Val: value.IntOf(value.Int8, 0), Typ: a.Type}
			defs[a.ID] = &plan.Call{Op: "coalesce", Args: []plan.Expr{a.Ref(), none}, Typ: a.Type, Org: a.Org}
		}
	}
	return defs
}

// keyPair is an equality of a subquery's own expression with one of the query
// around.
type keyPair struct {
	inner, outer plan.Expr
	cond         *plan.Call
}

// over returns the equality with another inner side.
func (k keyPair) over(inner plan.Expr) plan.Expr {
	c := *k.cond
	c.Args = []plan.Expr{inner, k.outer}
	return &c
}

// equalities takes conditions apart that compare inner with outer values; ok
// is false where one is of another form.
func equalities(conds []plan.Expr, outer plan.IDs) ([]keyPair, bool) {
	var out []keyPair
	for _, c := range conds {
		call, ok := c.(*plan.Call)
		if !ok || call.Op != "=" && call.Op != plan.OpNullSafeEqual {
			return nil, false
		}
		a, b := plan.Uses(call.Args[0]), plan.Uses(call.Args[1])
		switch {
		case a.Within(outer) && !b.Meets(outer) && len(b) > 0:
			out = append(out, keyPair{call.Args[1], call.Args[0], call})
		case b.Within(outer) && !a.Meets(outer) && len(a) > 0:
			out = append(out, keyPair{call.Args[0], call.Args[1], call})
		default:
			return nil, false
		}
	}
	return out, true
}

// groupKey adds the inner side of k to an aggregation's groups and returns the
// equality with its column.
func (d *decorrelator) groupKey(agg *plan.Aggregate, k keyPair) plan.Expr {
	for _, g := range agg.Groups {
		if plan.Equal(g.Expr, k.inner) {
			return k.over(g.Ref())
		}
	}
	c := plan.Column{ID: d.ids.Next(), Name: plan.Text(k.inner), Type: k.inner.Type()}
	agg.Groups = append(agg.Groups[:len(agg.Groups):len(agg.Groups)], plan.Item{Column: c, Expr: k.inner})
	return k.over(c.Ref())
}

func meetsExprs(n plan.Node, outer plan.IDs) bool {
	found := false
	plan.MapExprs(n, func(e plan.Expr) plan.Expr {
		found = found || plan.Uses(e).Meets(outer)
		return e
	})
	return found
}

// pullUp moves the correlated conditions of the right side into the join.
func (d *decorrelator) pullUp(j *plan.Join, outer plan.IDs) (plan.Node, bool) {
	exists := j.Kind.LeftOnly() && j.Test == nil
	right, conds, ok := d.pull(j.Right, outer, j.Kind.LeftOnly(), exists)
	if !ok {
		return nil, false
	}
	c := *j
	c.Right = right
	c.On = append(j.On[:len(j.On):len(j.On)], conds...)
	if c.Kind.LeftOnly() {
		return &c, true
	}
	return exactly(&c, j.Columns()), true
}

// pull returns n without its conditions on outer columns, and these. many
// tells that repeated rows do not matter, exists that columns do not either.
func (d *decorrelator) pull(n plan.Node, outer plan.IDs, many, exists bool) (plan.Node, []plan.Expr, bool) {
	if len(meet(plan.Free(n), outer)) == 0 {
		return n, nil, true
	}
	switch n := n.(type) {
	case *plan.Filter:
		in, conds, ok := d.pull(n.Input, outer, many, false) // it reads columns
		own, rest := split(n.Conds, func(e plan.Expr) bool { return plan.Uses(e).Meets(outer) })
		return filter(in, rest), append(conds, own...), ok
	case *plan.Project:
		in, conds, ok := d.pull(n.Input, outer, many, exists)
		if exists {
			return in, conds, ok
		}
		if !ok || meetsExprs(&plan.Project{Items: n.Items}, outer) {
			return nil, nil, false
		}
		return exposing(n, in, conds), conds, true
	case *plan.Join:
		return d.pullJoin(n, outer, many)
	case *plan.Distinct:
		in, conds, ok := d.pull(n.Input, outer, many, exists)
		if many && len(n.On) == 0 {
			return in, conds, ok
		}
		_, equal := equalities(conds, outer)
		if !ok || !equal || len(n.On) > 0 {
			return nil, nil, false
		}
		return n.WithInputs([]plan.Node{in}), conds, true
	case *plan.Sort:
		return d.pull(n.Input, outer, many, exists)
	case *plan.Limit:
		if exists && n.Offset == 0 && n.Count != 0 {
			return d.pull(n.Input, outer, many, exists)
		}
		return d.pullLimit(n, outer)
	case *plan.Aggregate:
		in, conds, ok := d.pull(n.Input, outer, false, false)
		keys, equal := equalities(conds, outer)
		if !ok || !equal || len(n.Groups) == 0 || n.Sets != nil || meetsExprs(n, outer) {
			return nil, nil, false
		}
		agg := n.WithInputs([]plan.Node{in}).(*plan.Aggregate)
		out := make([]plan.Expr, len(keys))
		for i, k := range keys {
			out[i] = d.groupKey(agg, k)
		}
		return agg, out, true
	case *plan.Window:
		in, conds, ok := d.pull(n.Input, outer, false, false)
		keys, equal := equalities(conds, outer)
		if !ok || !equal || meetsExprs(n, outer) {
			return nil, nil, false
		}
		w := *n
		w.Input, w.Items = in, make([]plan.WindowItem, len(n.Items))
		for i, it := range n.Items {
			it.Partition = it.Partition[:len(it.Partition):len(it.Partition)]
			for _, k := range keys {
				it.Partition = append(it.Partition, k.inner)
			}
			w.Items[i] = it
		}
		return &w, conds, true
	case *plan.Unnest:
		in, conds, ok := d.pull(n.Input, outer, many, false)
		if !ok || meetsExprs(n, outer) {
			return nil, nil, false
		}
		return n.WithInputs([]plan.Node{in}), conds, true
	}
	return nil, nil, false
}

// exposing rebuilds a projection over in, with the columns that conds read.
func exposing(n *plan.Project, in plan.Node, conds []plan.Expr) plan.Node {
	have, made := outputsOf(n.Items), plan.Outputs(in)
	items := n.Items[:len(n.Items):len(n.Items)]
	uses := plan.Uses(conds...)
	for _, c := range in.Columns() {
		if uses[c.ID] && made[c.ID] && !have[c.ID] {
			items = append(items, plan.Item{Column: c, Expr: c.Ref()})
		}
	}
	return &plan.Project{Input: in, Items: items}
}

func (d *decorrelator) pullJoin(n *plan.Join, outer plan.IDs, many bool) (plan.Node, []plan.Expr, bool) {
	left, conds, ok := d.pull(n.Left, outer, many, false)
	if !ok {
		return nil, nil, false
	}
	if n.Kind != plan.InnerJoin {
		if n.Kind == plan.FullJoin || len(meet(plan.Free(n.Right), outer)) > 0 || meetsExprs(n, outer) {
			return nil, nil, false
		}
		return n.WithInputs([]plan.Node{left, n.Right}), conds, true
	}
	right, more, ok := d.pull(n.Right, outer, many, false)
	if !ok {
		return nil, nil, false
	}
	own, on := split(n.On, func(e plan.Expr) bool { return plan.Uses(e).Meets(outer) })
	j := *n
	j.Left, j.Right, j.On = left, right, on
	return &j, append(append(conds, more...), own...), true
}

// pullLimit numbers the rows for each value of the keys instead.
func (d *decorrelator) pullLimit(n *plan.Limit, outer plan.IDs) (plan.Node, []plan.Expr, bool) {
	in, conds, ok := d.pull(n.Input, outer, false, false)
	keys, equal := equalities(conds, outer)
	if !ok || !equal {
		return nil, nil, false
	}
	partition := make([]plan.Expr, len(keys))
	for i, k := range keys {
		partition[i] = k.inner
	}
	return d.numbered(n, in, orderOf(n.Input), partition), conds, true
}

// orderOf returns the sort keys that n's rows come in, by columns of n.
func orderOf(n plan.Node) []plan.SortKey {
	switch n := n.(type) {
	case *plan.Sort:
		return n.Keys
	case *plan.Project:
		return orderOf(n.Input)
	case *plan.Filter:
		return orderOf(n.Input)
	}
	return nil
}

// numbered is LIMIT for each partition: a filter over row numbers.
func (d *decorrelator) numbered(n *plan.Limit, in plan.Node, order []plan.SortKey, partition []plan.Expr) plan.Node {
	have := plan.Outputs(in)
	if p, ok := in.(*plan.Project); ok {
		// The keys may be hidden by the projection above the sort.
		items := p.Items[:len(p.Items):len(p.Items)]
		for _, c := range p.Input.Columns() {
			for _, k := range order {
				if plan.Uses(k.Expr)[c.ID] && !have[c.ID] {
					have[c.ID] = true
					items = append(items, plan.Item{Column: c, Expr: c.Ref()})
				}
			}
		}
		in = &plan.Project{Input: p.Input, Items: items}
	}
	i8 := value.Of(value.Int8)
	call := plan.WindowCall{Func: "row_number", Partition: partition, Order: order, Frame: plan.DefaultFrame(), Org: n.Org}
	if n.Ties != nil {
		call.Func = "rank"
	}
	rn := plan.Column{ID: d.ids.Next(), Name: "row number", Type: i8}
	var node plan.Node = &plan.Window{Input: in, Items: []plan.WindowItem{{Column: rn, WindowCall: call}}, Org: n.Org}
	within := func(op string, bound int64) plan.Expr {
		return &plan.Call{Op: op, Args: []plan.Expr{rn.Ref(), &plan.Const{Val: value.IntOf(value.Int8, bound), Typ: i8}}, Typ: value.Of(value.Bool), Org: n.Org}
	}
	var conds []plan.Expr
	if n.Offset > 0 {
		conds = append(conds, within(">", n.Offset))
	}
	if n.Count >= 0 {
		conds = append(conds, within("<=", n.Offset+n.Count))
	}
	return filter(node, conds)
}

// spread computes the right side for all different values of the outer columns
// at once and joins it back by them.
func (d *decorrelator) spread(j *plan.Join, outer plan.IDs) plan.Node {
	s := &spreader{decorrelator: d, left: j.Left, outer: outer}
	right, at := s.node(j.Right)
	c := *j
	c.Right = right
	c.On = j.On[:len(j.On):len(j.On)]
	for _, col := range j.Left.Columns() {
		if outer[col.ID] {
			c.On = append(c.On, nullSafe(col.Ref(), at[col.ID], j.Org))
		}
	}
	if c.Kind.LeftOnly() {
		return &c
	}
	if (c.Kind == plan.LeftJoin || c.Kind == plan.SingleJoin) && len(j.On) == 0 && oneRowAlways(j.Right) {
		c.Kind = plan.InnerJoin // there is a row for every value
	}
	return exactly(&c, j.Columns())
}

// oneRowAlways tells whether n gives exactly one row.
func oneRowAlways(n plan.Node) bool {
	switch n := n.(type) {
	case *plan.Project:
		return oneRowAlways(n.Input)
	case *plan.Aggregate:
		return len(n.Groups) == 0 && n.Sets == nil
	}
	return false
}

func nullSafe(a, b plan.Expr, org plan.Origin) plan.Expr {
	return &plan.Call{Op: plan.OpNullSafeEqual, Args: []plan.Expr{a, b}, Typ: value.Of(value.Bool), Org: org}
}

// spreader rebuilds a correlated plan over the domain: the different values of
// the outer columns. Every result carries the domain's columns along.
type spreader struct {
	*decorrelator
	left  plan.Node
	outer plan.IDs
}

// at maps an outer column to what stands for it.
type at = plan.Defs

// domain makes the different values of the outer columns, anew each time.
func (s *spreader) domain() (plan.Node, at) {
	left, renamed := plan.Fresh(s.left, s.ids)
	var items []plan.Item
	m := at{}
	for _, c := range s.left.Columns() {
		if s.outer[c.ID] {
			out := c
			out.ID = s.ids.Next()
			ref := c
			ref.ID = renamed[c.ID]
			if ref.ID == 0 {
				ref.ID = c.ID
			}
			items = append(items, plan.Item{Column: out, Expr: ref.Ref()})
			m[c.ID] = out.Ref()
		}
	}
	return &plan.Distinct{Input: &plan.Project{Input: left, Items: items}}, m
}

func domainColumns(m at) []plan.Column {
	var cols []plan.Column
	for _, e := range m {
		c := e.(*plan.Col)
		cols = append(cols, plan.Column{ID: c.ID, Name: c.Name, Type: c.Typ})
	}
	sort.Slice(cols, func(i, j int) bool { return cols[i].ID < cols[j].ID })
	return cols
}

func (s *spreader) depends(n plan.Node) bool { return len(meet(plan.Free(n), s.outer)) > 0 }

func (s *spreader) node(n plan.Node) (plan.Node, at) {
	if v, ok := n.(*plan.Values); ok && len(v.Cols) == 0 && len(v.Rows) == 1 {
		return s.domain()
	}
	if !s.depends(n) {
		dom, m := s.domain()
		return &plan.Join{Kind: plan.InnerJoin, Left: dom, Right: n}, m
	}
	subst := func(n plan.Node, m at) plan.Node {
		return plan.MapExprs(n, func(e plan.Expr) plan.Expr { return plan.Substitute(e, m) })
	}
	partitioned := func(m at) []plan.Expr {
		var out []plan.Expr
		for _, c := range domainColumns(m) {
			out = append(out, c.Ref())
		}
		return out
	}
	switch n := n.(type) {
	case *plan.Project:
		in, m := s.node(n.Input)
		p := subst(n, m).(*plan.Project)
		p.Input = in
		p.Items = append(p.Items, plan.Identity(domainColumns(m))...)
		return p, m
	case *plan.Join:
		return s.join(n)
	case *plan.Aggregate:
		return s.aggregate(n)
	case *plan.Distinct:
		in, m := s.node(n.Input)
		out := subst(n, m).WithInputs([]plan.Node{in}).(*plan.Distinct)
		if out.On != nil {
			out.On = append(partitioned(m), out.On...)
			if order, ok := in.(*plan.Sort); ok {
				// The first rows of each value of the domain, not of all.
				var keys []plan.SortKey
				for _, e := range partitioned(m) {
					keys = append(keys, plan.SortKey{Expr: e})
				}
				out.Input = &plan.Sort{Input: order.Input, Keys: append(keys, order.Keys...), Org: order.Org}
			}
		}
		return out, m
	case *plan.Limit:
		in, m := s.node(n.Input)
		order := orderOf(n.Input)
		keys := subst(&plan.Sort{Keys: order}, m).(*plan.Sort).Keys
		return s.numbered(n, in, keys, partitioned(m)), m
	case *plan.Window:
		in, m := s.node(n.Input)
		w := subst(n, m).WithInputs([]plan.Node{in}).(*plan.Window)
		for i := range w.Items {
			w.Items[i].Partition = append(w.Items[i].Partition, partitioned(m)...)
		}
		return w, m
	case *plan.Union, *plan.SetOp:
		return s.set(n)
	case *plan.Filter, *plan.Sort, *plan.Unnest:
		in, m := s.node(n.Inputs()[0])
		return subst(n, m).WithInputs([]plan.Node{in}), m
	}
	panic(value.Errorf(value.CodeUnsupported, "a recursive query that reads columns of the query around it is not supported").
		WithHint("join it instead"))
}

func (s *spreader) join(n *plan.Join) (plan.Node, at) {
	j := *n
	var m at
	leftDepends, rightDepends := s.depends(n.Left), s.depends(n.Right)
	if n.Kind == plan.InnerJoin && !leftDepends && rightDepends {
		j.Right, m = s.node(n.Right)
	} else {
		j.Left, m = s.node(n.Left)
		if rightDepends || n.Kind == plan.FullJoin {
			if n.Kind == plan.FullJoin {
				panic(value.Errorf(value.CodeUnsupported, "a full join inside a subquery that reads columns of the query around it is not supported").At(n.Org.View, n.Org.Start, n.Org.End))
			}
			right, other := s.node(n.Right)
			j.Right = right
			for id, e := range m {
				j.On = append(j.On[:len(j.On):len(j.On)], nullSafe(e, other[id], n.Org))
			}
		}
	}
	out := plan.MapExprs(&j, func(e plan.Expr) plan.Expr { return plan.Substitute(e, m) })
	return out, m
}

func (s *spreader) aggregate(n *plan.Aggregate) (plan.Node, at) {
	if n.Sets != nil {
		if apart := s.withoutEmptySets(n); apart != nil {
			return s.set(apart)
		}
	}
	in, m := s.node(n.Input)
	agg := plan.MapExprs(n, func(e plan.Expr) plan.Expr { return plan.Substitute(e, m) }).(*plan.Aggregate)
	agg.Input = in
	grouped := at{}
	first := len(agg.Groups)
	for _, c := range domainColumns(m) {
		key := c
		key.ID = s.ids.Next()
		agg.Groups = append(agg.Groups, plan.Item{Column: key, Expr: c.Ref()})
		for id, e := range m {
			if e.(*plan.Col).ID == c.ID {
				grouped[id] = key.Ref()
			}
		}
	}
	if n.Sets != nil {
		agg.Sets = make([][]int, len(n.Sets))
		for i, set := range n.Sets {
			agg.Sets[i] = append([]int{}, set...)
			for g := first; g < len(agg.Groups); g++ {
				agg.Sets[i] = append(agg.Sets[i], g)
			}
		}
	}
	if len(n.Groups) > 0 {
		return agg, grouped
	}
	// A group for every value of the domain, also for those without rows.
	dom, whole := s.domain()
	join := &plan.Join{Kind: plan.LeftJoin, Left: dom, Right: agg, Org: n.Org}
	for id, e := range whole {
		join.On = append(join.On, nullSafe(e, grouped[id], n.Org))
	}
	items := plan.Identity(domainColumns(whole))
	zero := zeros(n.Aggs)
	for _, a := range n.Aggs {
		items = append(items, plan.Item{Column: plan.Column{ID: a.ID, Name: a.Name, Type: a.Type}, Expr: plan.Substitute(a.Ref(), zero)})
	}
	// The aggregates get new ids below, since the projection makes theirs.
	renamed := map[plan.ID]plan.ID{}
	for _, a := range n.Aggs {
		renamed[a.ID] = s.ids.Next()
	}
	join.Right = plan.Renumber(agg, renamed)
	for i := range items {
		items[i].Expr = plan.Map(items[i].Expr, func(e plan.Expr) plan.Expr {
			if c, ok := e.(*plan.Col); ok && renamed[c.ID] != 0 {
				out := *c
				out.ID = renamed[c.ID]
				return &out
			}
			return e
		})
	}
	return &plan.Project{Input: join, Items: items}, whole
}

// withoutEmptySets takes apart grouping sets of which some are empty: those
// give a row also where there is none to group. It returns nil where there is
// no empty set.
func (s *spreader) withoutEmptySets(n *plan.Aggregate) plan.Node {
	var others [][]int
	empty := 0
	for _, set := range n.Sets {
		if len(set) == 0 {
			empty++
		} else {
			others = append(others, set)
		}
	}
	if empty == 0 {
		return nil
	}
	union := &plan.Union{Cols: n.Columns(), Org: n.Org}
	if len(others) > 0 {
		rest := *n
		rest.Sets = others
		part, _ := plan.Fresh(&rest, s.ids)
		union.Parts = append(union.Parts, part)
	}
	for range empty {
		whole := *n
		whole.Sets, whole.Groups, whole.SetID = nil, nil, nil
		var items []plan.Item
		constant := func(c plan.Column, v value.Value) {
			c.ID = s.ids.Next()
			items = append(items, plan.Item{Column: c, Expr: &plan.Const{Val: v, Typ: c.Type}})
		}
		for _, g := range n.Groups {
			constant(g.Column, value.NullOf(g.Type.Kind))
		}
		if n.SetID != nil {
			constant(*n.SetID, value.IntOf(value.Int8, 1<<len(n.Groups)-1))
		}
		part, _ := plan.Fresh(&whole, s.ids)
		items = append(items, plan.Identity(part.Columns())...)
		for i := len(items) - len(n.Aggs); i < len(items); i++ {
			items[i].ID = s.ids.Next()
		}
		union.Parts = append(union.Parts, &plan.Project{Input: part, Items: items})
	}
	return union
}

func (s *spreader) set(n plan.Node) (plan.Node, at) {
	var parts []plan.Node
	var m at
	for _, part := range n.Inputs() {
		p, own := s.node(part)
		cols := append(part.Columns(), domainColumnsBy(own, s.outer)...)
		parts = append(parts, exactly(p, cols))
		m = own
	}
	whole := at{}
	extra := domainColumnsBy(m, s.outer)
	i := 0
	for _, id := range sortedIDs(s.outer) {
		extra[i].ID = s.ids.Next()
		whole[id] = extra[i].Ref()
		i++
	}
	switch n := n.WithInputs(parts).(type) {
	case *plan.Union:
		return &plan.Union{Parts: n.Parts, Cols: append(n.Cols[:len(n.Cols):len(n.Cols)], extra...), Org: n.Org}, whole
	case *plan.SetOp:
		c := *n
		c.Cols = append(n.Cols[:len(n.Cols):len(n.Cols)], extra...)
		return &c, whole
	}
	return nil, nil
}

func sortedIDs(s plan.IDs) []plan.ID {
	var out []plan.ID
	for id := range s {
		out = append(out, id)
	}
	sort.Slice(out, func(i, j int) bool { return out[i] < out[j] })
	return out
}

// domainColumnsBy returns the domain's columns in the order of the outer ones.
func domainColumnsBy(m at, outer plan.IDs) []plan.Column {
	var cols []plan.Column
	for _, id := range sortedIDs(outer) {
		c := m[id].(*plan.Col)
		cols = append(cols, plan.Column{ID: c.ID, Name: c.Name, Type: c.Typ})
	}
	return cols
}
