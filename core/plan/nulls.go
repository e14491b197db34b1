package plan

import "rovik/core/function"

// NotNull returns the columns of n that are never NULL.
func NotNull(n Node) IDs {
	out := IDs{}
	switch n := n.(type) {
	case *Scan:
		for _, c := range n.Cols {
			if col := n.Table.Columns[c.Index]; !col.Nullable && col.ReadAs == "" {
				out[c.ID] = true
			}
		}
	case *Project:
		in := NotNull(n.Input)
		for _, it := range n.Items {
			switch e := it.Expr.(type) {
			case *Col:
				out[it.ID] = in[e.ID]
			case *Const:
				out[it.ID] = !e.Val.IsNull
			}
			if !out[it.ID] {
				delete(out, it.ID)
			}
		}
	case *Filter:
		out = NotNull(n.Input)
		for _, c := range n.Conds {
			for id := range Uses(c) {
				if RejectsNulls(c, IDs{id: true}) {
					out[id] = true
				}
			}
		}
	case *Join:
		out = NotNull(n.Left)
		switch n.Kind {
		case InnerJoin:
			for id := range NotNull(n.Right) {
				out[id] = true
			}
		case FullJoin:
			return IDs{}
		}
	case *Aggregate:
		if n.Sets != nil {
			return out
		}
		in := NotNull(n.Input)
		for _, g := range n.Groups {
			if c, ok := g.Expr.(*Col); ok && in[c.ID] {
				out[g.ID] = true
			}
		}
		for _, a := range n.Aggs {
			if f, _ := function.AggregateOf(a.Func); f.Zero {
				out[a.ID] = true
			}
		}
	case *Sort, *Limit, *Distinct, *Window:
		return NotNull(n.Inputs()[0])
	}
	return out
}

// RejectsNulls reports whether e is false or NULL when all of cols are NULL.
func RejectsNulls(e Expr, cols IDs) bool {
	c, ok := e.(*Call)
	if !ok {
		return Strict(e, cols)
	}
	switch c.Op {
	case "and":
		for _, a := range c.Args {
			if RejectsNulls(a, cols) {
				return true
			}
		}
		return false
	case "or":
		for _, a := range c.Args {
			if !RejectsNulls(a, cols) {
				return false
			}
		}
		return true
	case "is not null", "is true", "is false":
		return Strict(c.Args[0], cols)
	}
	return Strict(e, cols)
}
