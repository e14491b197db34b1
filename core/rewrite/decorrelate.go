package rewrite

import (
	"rovik/core/function"
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
	free := plan.Free(j.Right)
	outer := meet(free, plan.Outputs(j.Left))
	if len(outer) == 0 {
		return n
	}
	// Conditions on queries further out move into the join as well where they
	// can: they need not be spread over a domain there.
	reads := []plan.IDs{outer}
	if len(free) > len(outer) {
		reads = []plan.IDs{free, outer}
	}
	type attempt struct {
		apply func(*plan.Join, plan.IDs) (plan.Node, bool)
		why   string
	}
	tries := []attempt{
		{d.rebase, "it works on each row alone, and so on the rows themselves"},
		{d.scalar, "it aggregates once for each value that it is compared with, and is joined by it"},
		{d.pullUp, "its conditions on the query around it become those of a join"},
	}
	if refuses(j.Right, outer) {
		tries = tries[:1] // without its conditions it would fail for rows that are not asked for
	}
	for _, try := range tries {
		for _, ids := range reads {
			if out, ok := try.apply(j, ids); ok {
				d.pass.note(j.Org, "%s", try.why)
				return out
			}
		}
	}
	d.pass.note(j.Org, "it runs once for all distinct values of the columns that it reads of the query around it")
	return d.spread(j, outer)
}

// refuses reports whether n, without its conditions on outer columns, may raise
// an error for rows that these leave out.
func refuses(n plan.Node, outer plan.IDs) bool {
	found := false
	plan.Visit(n, func(n plan.Node) {
		if j, is := n.(*plan.Join); is && j.Kind == plan.SingleJoin && !plan.AtMostOne(j) {
			found = true
		}
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			found = found || !plan.Uses(e).Meets(outer) && plan.Refuses(e)
			return e
		})
	})
	return found
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
		if f, _ := function.AggregateOf(a.Func); f.Zero {
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
// reports that duplicates do not matter, exists that columns do not either.
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
	have, made := plan.IDsOf(n.Items), plan.Outputs(in)
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
	var offset, count plan.Expr
	bound := func(n int64) plan.Expr {
		return &plan.Const{Val: value.IntOf(value.Int8, n), Typ: value.Of(value.Int8)}
	}
	if n.Offset > 0 {
		offset = bound(n.Offset)
	}
	if n.Count >= 0 {
		count = bound(n.Count)
	}
	return plan.FirstRows(in, partition, order, offset, count, n.Ties != nil, n.Org, d.ids)
}
