package plan

// MapExprs returns n with every expression it holds replaced by what f makes
// of it; inputs stay.
func MapExprs(n Node, f func(Expr) Expr) Node {
	all := func(in []Expr) []Expr {
		if in == nil {
			return nil
		}
		out := make([]Expr, len(in))
		for i, e := range in {
			out[i] = f(e)
		}
		return out
	}
	one := func(e Expr) Expr {
		if e == nil {
			return nil
		}
		return f(e)
	}
	items := func(in []Item) []Item {
		out := make([]Item, len(in))
		for i, it := range in {
			out[i] = Item{it.Column, f(it.Expr)}
		}
		return out
	}
	keys := func(in []SortKey) []SortKey {
		if in == nil {
			return nil
		}
		out := make([]SortKey, len(in))
		for i, k := range in {
			out[i] = k
			out[i].Expr = f(k.Expr)
		}
		return out
	}
	switch n := n.(type) {
	case *Filter:
		return &Filter{n.Input, all(n.Conds)}
	case *Project:
		return &Project{n.Input, items(n.Items)}
	case *Join:
		c := *n
		c.On, c.Test = all(n.On), one(n.Test)
		return &c
	case *Aggregate:
		c := *n
		c.Groups, c.Aggs = items(n.Groups), make([]AggItem, len(n.Aggs))
		for i, a := range n.Aggs {
			a.Args, a.Filter, a.Order = all(a.Args), one(a.Filter), keys(a.Order)
			c.Aggs[i] = a
		}
		return &c
	case *Window:
		c := *n
		c.Items = make([]WindowItem, len(n.Items))
		for i, it := range n.Items {
			it.Args, it.Filter, it.Partition, it.Order = all(it.Args), one(it.Filter), all(it.Partition), keys(it.Order)
			it.Frame.Start.Offset, it.Frame.End.Offset = one(it.Frame.Start.Offset), one(it.Frame.End.Offset)
			c.Items[i] = it
		}
		return &c
	case *Unnest:
		c := *n
		c.Calls = make([]SetCall, len(n.Calls))
		for i, call := range n.Calls {
			call.Args = all(call.Args)
			c.Calls[i] = call
		}
		return &c
	case *Distinct:
		return &Distinct{n.Input, all(n.On), n.Org}
	case *Sort:
		c := *n
		c.Keys = keys(n.Keys)
		return &c
	case *Limit:
		c := *n
		c.Ties = keys(n.Ties)
		return &c
	}
	return n
}
