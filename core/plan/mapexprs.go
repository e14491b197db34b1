package plan

// MapExprs returns n with every expression it holds replaced by what f makes
// of it; inputs stay.
func MapExprs(n Node, f func(Expr) Expr) Node {
	all := func(in []Expr) []Expr {
		out := make([]Expr, len(in))
		for i, e := range in {
			out[i] = f(e)
		}
		return out
	}
	items := func(in []Item) []Item {
		out := make([]Item, len(in))
		for i, it := range in {
			out[i] = Item{it.Column, f(it.Expr)}
		}
		return out
	}
	switch n := n.(type) {
	case *Filter:
		return &Filter{n.Input, all(n.Conds)}
	case *Project:
		return &Project{n.Input, items(n.Items)}
	case *Join:
		return &Join{n.Kind, n.Left, n.Right, all(n.On), n.Org}
	case *Aggregate:
		aggs := make([]AggItem, len(n.Aggs))
		for i, a := range n.Aggs {
			aggs[i] = a
			if a.Arg != nil {
				aggs[i].Arg = f(a.Arg)
			}
		}
		return &Aggregate{n.Input, items(n.Groups), aggs, n.Org}
	case *Sort:
		keys := make([]SortKey, len(n.Keys))
		for i, k := range n.Keys {
			keys[i] = k
			keys[i].Expr = f(k.Expr)
		}
		return &Sort{n.Input, keys, n.Org}
	}
	return n
}
