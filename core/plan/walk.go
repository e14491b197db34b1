package plan

// Outputs returns the ids of n's output columns.
func Outputs(n Node) IDs {
	s := IDs{}
	for _, c := range n.Columns() {
		s[c.ID] = true
	}
	return s
}

// Rewrite rebuilds n bottom up, replacing every operator by what f makes of it.
func Rewrite(n Node, f func(Node) Node) Node {
	old := n.Inputs()
	if len(old) > 0 {
		inputs := make([]Node, len(old))
		changed := false
		for i, in := range old {
			inputs[i] = Rewrite(in, f)
			changed = changed || inputs[i] != in
		}
		if changed {
			n = n.WithInputs(inputs)
		}
	}
	return f(n)
}

// Visit calls f for n and everything below it, top down.
func Visit(n Node, f func(Node)) {
	f(n)
	for _, in := range n.Inputs() {
		Visit(in, f)
	}
}

// Sources returns the names of the sources that n reads.
func Sources(n Node) map[string]bool {
	out := map[string]bool{}
	Visit(n, func(n Node) {
		if s, ok := n.(*Scan); ok {
			out[s.Table.Source] = true
		}
	})
	return out
}

// Identity returns items that pass columns through.
func Identity(cols []Column) []Item {
	items := make([]Item, len(cols))
	for i, c := range cols {
		items[i] = Item{c, c.Ref()}
	}
	return items
}

// eachExpr calls f for every expression that n itself holds.
func eachExpr(n Node, f func(Expr)) {
	MapExprs(n, func(e Expr) Expr { f(e); return e })
}

// define adds the columns that n itself makes, beside those of its inputs.
func define(n Node, s IDs) {
	add := func(cols []Column) {
		for _, c := range cols {
			s[c.ID] = true
		}
	}
	switch n := n.(type) {
	case *Project:
		add(n.Columns())
	case *Aggregate:
		add(n.Columns())
	case *Scan:
		add(n.Columns())
	case *Values:
		add(n.Cols)
	case *Union:
		add(n.Cols)
	case *SetOp:
		add(n.Cols)
	case *Recursive:
		add(n.Cols)
	case *WorkTable:
		add(n.Cols)
	case *Window:
		for _, it := range n.Items {
			s[it.ID] = true
		}
	case *Unnest:
		for _, c := range n.Calls {
			add(c.Cols)
		}
		if n.Ordinality != nil {
			s[n.Ordinality.ID] = true
		}
	case *Join:
		if n.Mark != nil {
			s[n.Mark.ID] = true
		}
	}
}

// Free returns the columns that n reads but does not make: those of a query
// around it.
func Free(n Node) IDs {
	used, made := IDs{}, IDs{}
	Visit(n, func(n Node) {
		eachExpr(n, func(e Expr) { used.AddUses(e) })
		define(n, made)
	})
	for id := range used {
		if made[id] {
			delete(used, id)
		}
	}
	return used
}

// Fresh returns a copy of n in which every column that it makes has a new id,
// with the new id of each.
func Fresh(n Node, ids *Numbering) (Node, map[ID]ID) {
	made := IDs{}
	Visit(n, func(n Node) { define(n, made) })
	renamed := map[ID]ID{}
	for id := range made {
		renamed[id] = ids.Next()
	}
	return Renumber(n, renamed), renamed
}

// RenumberExpr returns e with column ids replaced.
func RenumberExpr(e Expr, renamed map[ID]ID) Expr {
	return Map(e, func(p Expr) Expr {
		c, ok := p.(*Col)
		if !ok {
			return p
		}
		to, ok := renamed[c.ID]
		if !ok {
			return p
		}
		out := *c
		out.ID = to
		return &out
	})
}

// Renumber returns n with column ids replaced.
func Renumber(n Node, renamed map[ID]ID) Node {
	id := func(i ID) ID {
		if r, ok := renamed[i]; ok {
			return r
		}
		return i
	}
	column := func(c *Column) *Column {
		if c == nil {
			return nil
		}
		out := *c
		out.ID = id(c.ID)
		return &out
	}
	columns := func(cols []Column) []Column {
		out := make([]Column, len(cols))
		for i := range cols {
			out[i] = *column(&cols[i])
		}
		return out
	}
	items := func(in []Item) []Item {
		out := make([]Item, len(in))
		for i, it := range in {
			out[i] = Item{*column(&it.Column), it.Expr}
		}
		return out
	}
	expr := func(e Expr) Expr { return RenumberExpr(e, renamed) }
	return Rewrite(n, func(n Node) Node {
		n = MapExprs(n, expr)
		switch n := n.(type) {
		case *Scan:
			c := *n
			c.Cols = make([]ScanColumn, len(n.Cols))
			for i, sc := range n.Cols {
				c.Cols[i] = ScanColumn{*column(&sc.Column), sc.Index}
			}
			return &c
		case *Project:
			return &Project{n.Input, items(n.Items)}
		case *Aggregate:
			c := *n
			c.Groups, c.SetID = items(n.Groups), column(n.SetID)
			c.Aggs = make([]AggItem, len(n.Aggs))
			for i, a := range n.Aggs {
				c.Aggs[i] = AggItem{*column(&a.Column), a.Agg}
			}
			return &c
		case *Window:
			c := *n
			c.Items = make([]WindowItem, len(n.Items))
			for i, it := range n.Items {
				c.Items[i] = WindowItem{*column(&it.Column), it.WindowCall}
			}
			return &c
		case *Unnest:
			c := *n
			c.Ordinality = column(n.Ordinality)
			c.Calls = make([]SetCall, len(n.Calls))
			for i, call := range n.Calls {
				c.Calls[i] = call
				c.Calls[i].Cols = columns(call.Cols)
			}
			return &c
		case *Join:
			c := *n
			c.Mark = column(n.Mark)
			return &c
		case *Union:
			return &Union{n.Parts, columns(n.Cols), n.Org}
		case *SetOp:
			c := *n
			c.Cols = columns(n.Cols)
			return &c
		case *Recursive:
			c := *n
			c.Cols = columns(n.Cols)
			return &c
		case *WorkTable:
			c := *n
			c.Cols = columns(n.Cols)
			return &c
		case *Values:
			return &Values{columns(n.Cols), n.Rows}
		}
		return n
	})
}
