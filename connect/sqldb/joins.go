package sqldb

import (
	"rovik/core/fold"
	"rovik/core/plan"
)

func (p *Printer) join(n *plan.Join) (*block, error) {
	sides := make([]*block, 2)
	for i, in := range n.Inputs() {
		b, err := p.block(in)
		if err != nil {
			return nil, err
		}
		// A filtered join on a null-supplied side keeps its conditions in a
		// table of its own; a single table's go into ON.
		supplied := n.Kind == plan.FullJoin || n.Kind == plan.LeftJoin && i == 1
		if !b.plainFrom() || supplied && len(b.where) > 0 && (b.joined || n.Kind == plan.FullJoin) {
			b = p.wrap(b, in.Columns())
		}
		sides[i] = b
	}
	if n.Kind.LeftOnly() {
		return p.exists(n, sides[0], sides[1]), nil
	}
	l, r := sides[0], sides[1]
	b := &block{cols: map[plan.ID]Rope{}, joined: true}
	for _, s := range sides {
		for id, c := range s.cols {
			b.cols[id] = c
		}
	}
	p.cols = b.cols
	on := []Rope{}
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	valid := guards{}
	for _, c := range n.On {
		cond := p.joinCondition(c, lo, ro, valid)
		if o := c.Origin(); o.View != n.Org.View || o.Start < n.Org.Start || o.End > n.Org.End {
			cond = marked(fold.KindFilter, o, cond)
		}
		on = append(on, cond)
	}
	b.where = l.where
	if n.Kind == plan.LeftJoin {
		on = append(on, r.where...)
	} else {
		b.where = append(b.where[:len(b.where):len(b.where)], r.where...)
	}
	right := r.from
	if r.joined {
		right = Text("(").Add(right, Text(")"))
	}
	word := "JOIN "
	switch {
	case n.Kind == plan.LeftJoin, n.Kind == plan.FullJoin:
		word = "LEFT JOIN "
		if n.Kind == plan.FullJoin {
			word = "FULL JOIN "
		}
		if len(on) == 0 {
			on = []Rope{Text("TRUE")}
		}
	case len(on) == 0:
		word = "CROSS JOIN "
	}
	clause := Text(word).Add(right)
	if len(on) > 0 {
		clause = clause.Add(Text(" ON "), Join(on, " AND "))
	}
	b.from = l.from.Add(Text("\n  "), marked(fold.KindJoin, n.Org, clause))
	return b, nil
}

// exists writes semi and anti joins as conditions, and marks as columns.
func (p *Printer) exists(n *plan.Join, l, r *block) *block {
	b := *l
	reach := map[plan.ID]Rope{}
	for _, s := range []*block{l, r} {
		for id, c := range s.cols {
			reach[id] = c
		}
	}
	p.cols = reach
	conds := r.where[:len(r.where):len(r.where)]
	on, listed := n.On, []plan.Expr(nil)
	if n.Kind == plan.AntiJoin {
		on, listed = NotInSides(n)
	}
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	valid := guards{}
	for _, c := range on {
		conds = append(conds, p.joinCondition(c, lo, ro, valid))
	}
	query := func(list Rope) Rope {
		q := Text("SELECT ").Add(list, Text(" FROM "), r.from)
		if len(conds) > 0 {
			q = q.Add(Text(" WHERE "), Join(conds, " AND "))
		}
		return Text("(").Add(q, Text(")"))
	}
	if n.Test != nil {
		x, y, _ := MarkSides(n)
		in := p.Compared(x).Add(Text(" IN "), query(p.Compared(y)))
		b.cols = map[plan.ID]Rope{}
		for id, c := range l.cols {
			b.cols[id] = c
		}
		b.cols[n.Mark.ID] = marked(fold.KindJoin, n.Org, Text("(").Add(in, Text(")")))
		return &b
	}
	if listed != nil {
		// NOT IN is what a source can look up in a table of the subquery's values.
		var x, y []Rope
		for _, e := range listed {
			l, r, _ := plan.EquiKeys(e, lo, ro)
			x, y = append(x, p.Compared(l)), append(y, p.Compared(r))
		}
		left := Join(x, ", ")
		if len(x) > 1 {
			left = Text("(").Add(left, Text(")"))
		}
		in := left.Add(Text(" NOT IN "), query(Join(y, ", ")))
		b.where = append(b.where[:len(b.where):len(b.where)], marked(fold.KindJoin, n.Org, in))
		return &b
	}
	exists := Text("EXISTS ").Add(query(Text("1")))
	if n.Kind == plan.MarkJoin {
		b.cols = map[plan.ID]Rope{}
		for id, c := range l.cols {
			b.cols[id] = c
		}
		b.cols[n.Mark.ID] = marked(fold.KindJoin, n.Org, exists)
		return &b
	}
	if n.Kind == plan.AntiJoin {
		exists = Text("NOT ").Add(exists)
	}
	b.where = append(b.where[:len(b.where):len(b.where)], marked(fold.KindJoin, n.Org, exists))
	return &b
}

// joinCondition writes a condition between two sides. Where the source cannot
// hash or look up what is equal with NULL equal to NULL, the dialect has a form
// that it can.
func (p *Printer) joinCondition(c plan.Expr, left, right plan.IDs, valid guards) Rope {
	write := p.Source.Dialect.NullSafeJoin
	if l, r, equi := plan.EquiKeys(c, left, right); equi && write != nil && c.(*plan.Call).Op == plan.OpNullSafeEqual {
		return write(p, l, r)
	}
	return p.condition(c, valid)
}

// NotInSides takes the condition of an anti-join apart that is NOT IN: the
// equalities that must not be true or unknown, where they are all that connects
// the sides; the others judge the right side alone.
func NotInSides(n *plan.Join) (others, equalities []plan.Expr) {
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	for _, c := range n.On {
		call, ok := c.(*plan.Call)
		switch {
		case ok && call.Op == "is not false" && equalities == nil:
			for _, part := range plan.Conjuncts(call.Args[0]) {
				if _, _, equi := plan.EquiKeys(part, lo, ro); !equi || part.(*plan.Call).Op != "=" {
					return n.On, nil
				}
				equalities = append(equalities, part)
			}
		case plan.Uses(c).Within(ro):
			others = append(others, c)
		default:
			return n.On, nil
		}
	}
	if equalities == nil {
		return n.On, nil
	}
	return others, equalities
}
