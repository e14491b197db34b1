package rewrite

import (
	"fmt"
	"maps"
	"slices"

	"rovik/core/plan"
	"rovik/core/value"
)

// spread computes the right side for all distinct values of the outer columns
// at once and joins it back by them.
func (d *decorrelator) spread(j *plan.Join, outer plan.IDs) plan.Node {
	if told := d.toldApart(j, outer); told != nil {
		return told
	}
	return d.spreadOver(j, outer)
}

func (d *decorrelator) spreadOver(j *plan.Join, outer plan.IDs) plan.Node {
	s := &spreader{decorrelator: d, left: j.Left, outer: outer, works: map[int]bool{}}
	right, at := s.node(j.Right)
	c := *j
	c.Right = right
	c.On = j.On[:len(j.On):len(j.On)]
	known := plan.NotNull(j.Left)
	for _, col := range j.Left.Columns() {
		switch {
		case !outer[col.ID]:
		case known[col.ID]: // what a source can hash, or find by an index
			c.On = append(c.On, &plan.Call{Op: "=", Args: []plan.Expr{col.Ref(), at[col.ID]}, Typ: value.Of(value.Bool), Org: j.Org})
		default:
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

// toldApart adds the text of outer columns to what the right side runs for, where
// that looks at more than the column's value: equal values count as one else. It
// returns nil where there are none.
func (d *decorrelator) toldApart(j *plan.Join, outer plan.IDs) plan.Node {
	looked := plan.IDs{}
	plan.Visit(j.Right, func(n plan.Node) {
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			if !plan.RespectsEquality(e) {
				looked.AddUses(e)
			}
			return e
		})
		if p, is := n.(*plan.Project); is { // it hands the values on
			for _, it := range p.Items {
				looked.AddUses(it.Expr)
			}
		}
	})
	items := plan.Identity(j.Left.Columns())
	wider := plan.IDs{}
	for id := range outer {
		wider[id] = true
	}
	for _, c := range j.Left.Columns() {
		if !outer[c.ID] || !looked[c.ID] || c.Type.Kind.Identical() {
			continue
		}
		text := plan.Column{ID: d.ids.Next(), Name: c.Name, Type: value.Of(value.Text)}
		items = append(items, plan.Item{Column: text, Expr: &plan.Cast{Arg: c.Ref(), Typ: text.Type}})
		wider[text.ID] = true
	}
	if len(wider) == len(outer) {
		return nil
	}
	apart := *j
	apart.Left = &plan.Project{Input: j.Left, Items: items}
	return exactly(d.spreadOver(&apart, wider), j.Columns())
}

// oneRowAlways reports whether n gives exactly one row.
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

// spreader rebuilds a correlated plan over the domain: the distinct values of
// the outer columns. Every result carries the domain's columns along.
type spreader struct {
	*decorrelator
	left  plan.Node
	outer plan.IDs
	works map[int]bool // the recursions whose rows carry the domain
}

// at maps an outer column to what stands for it.
type at = plan.Defs

// domain makes the distinct values of the outer columns, anew each time.
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
	for _, id := range slices.Sorted(maps.Keys(m)) {
		c := m[id].(*plan.Col)
		cols = append(cols, plan.Column{ID: c.ID, Name: c.Name, Type: c.Typ})
	}
	return cols
}

// outerColumns are the outer columns themselves.
func (s *spreader) outerColumns() at {
	m := at{}
	for _, c := range s.left.Columns() {
		if s.outer[c.ID] {
			m[c.ID] = c.Ref()
		}
	}
	return m
}

// depends reports whether n reads outer columns, or rows of a recursion that
// carries them.
func (s *spreader) depends(n plan.Node) bool {
	found := plan.Free(n).Meets(s.outer)
	plan.Visit(n, func(n plan.Node) {
		w, is := n.(*plan.WorkTable)
		found = found || is && s.works[w.Work]
	})
	return found
}

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
	case *plan.Recursive:
		return s.recursive(n)
	case *plan.WorkTable:
		w := *n
		extra, m := s.anew(s.outerColumns())
		w.Cols = append(n.Cols[:len(n.Cols):len(n.Cols)], extra...)
		return &w, m
	case *plan.Filter, *plan.Sort, *plan.Unnest:
		in, m := s.node(n.Inputs()[0])
		return subst(n, m).WithInputs([]plan.Node{in}), m
	}
	panic(fmt.Errorf("decorrelate: no rule for %T", n))
}

// recursive carries the domain's columns through every round.
func (s *spreader) recursive(n *plan.Recursive) (plan.Node, at) {
	base, m := s.node(n.Base)
	base = exactly(base, append(n.Base.Columns(), domainColumns(m)...))
	s.works[n.Work] = true
	step, m := s.node(n.Step)
	step = exactly(step, append(n.Step.Columns(), domainColumns(m)...))
	out := n.WithInputs([]plan.Node{base, step}).(*plan.Recursive)
	extra, whole := s.anew(m)
	out.Cols = append(n.Cols[:len(n.Cols):len(n.Cols)], extra...)
	return out, whole
}

// anew gives the domain's columns new ids, in the order of domainColumns.
func (s *spreader) anew(m at) ([]plan.Column, at) {
	cols, whole := domainColumns(m), at{}
	for i, id := range slices.Sorted(maps.Keys(m)) {
		cols[i].ID = s.ids.Next()
		whole[id] = cols[i].Ref()
	}
	return cols, whole
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
			right, other := s.node(n.Right)
			j.Right = right
			for id, e := range m {
				j.On = append(j.On[:len(j.On):len(j.On)], nullSafe(e, other[id], n.Org))
			}
			if n.Kind == plan.FullJoin {
				return s.full(&j, m, other)
			}
		}
	}
	return plan.MapExprs(&j, func(e plan.Expr) plan.Expr { return plan.Substitute(e, m) }), m
}

// full takes the domain's columns of a full join from the side that has a row.
func (s *spreader) full(j *plan.Join, left, right at) (plan.Node, at) {
	out := plan.MapExprs(j, func(e plan.Expr) plan.Expr { return plan.Substitute(e, left) })
	cols, whole := s.anew(left)
	items := plan.Identity(out.Columns())
	for i, id := range slices.Sorted(maps.Keys(left)) {
		either := &plan.Call{Op: "coalesce", Args: []plan.Expr{left[id], right[id]}, Typ: cols[i].Type}
		items = append(items, plan.Item{Column: cols[i], Expr: either})
	}
	return &plan.Project{Input: out, Items: items}, whole
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
		cols := append(part.Columns(), domainColumns(own)...)
		parts = append(parts, exactly(p, cols))
		m = own
	}
	extra, whole := s.anew(m)
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
