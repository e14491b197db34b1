package plan

import "rovik/core/value"

// FirstRows is LIMIT and OFFSET by row numbers, which may differ from one
// partition to the next and from run to run: a filter over the rows of in,
// numbered in the given order. The counts are bigints that are not negative;
// nil is none. With ties, rows equal to the last one pass too.
func FirstRows(in Node, partition []Expr, order []SortKey, offset, count Expr, ties bool, org Origin, ids *Numbering) Node {
	i8 := value.Of(value.Int8)
	w := &Window{Input: in, Org: org}
	number := func(function string) Expr {
		c := Column{ID: ids.Next(), Name: "row number", Type: i8}
		w.Items = append(w.Items, WindowItem{Column: c, WindowCall: WindowCall{
			Func: function, Partition: partition, Order: order, Frame: DefaultFrame(), Org: org}})
		return c.Ref()
	}
	compare := func(a Expr, op string, b Expr) Expr {
		return &Call{Op: op, Args: []Expr{a, b}, Typ: value.Of(value.Bool), Org: org}
	}
	var conds []Expr
	var row Expr
	if offset != nil || !ties {
		row = number("row_number")
	}
	if offset != nil {
		conds = append(conds, compare(row, ">", offset))
	}
	if count != nil {
		last := count
		if offset != nil {
			last = sum(offset, count)
		}
		if ties {
			row = number("rank")
			conds = append(conds, compare(count, ">", &Const{Val: value.IntOf(value.Int8, 0), Typ: i8}))
		}
		conds = append(conds, compare(row, "<=", last))
	}
	if len(conds) == 0 {
		return in
	}
	return &Filter{Input: w, Conds: conds}
}

func sum(a, b Expr) Expr {
	i8 := value.Of(value.Int8)
	x, okA := a.(*Const)
	y, okB := b.(*Const)
	if okA && okB {
		return &Const{Val: value.IntOf(value.Int8, x.Val.Int+y.Val.Int), Typ: i8}
	}
	return &Call{Op: "+", Args: []Expr{a, b}, Typ: i8}
}
