package syntax

// Walk calls visit for every query, table and expression of a tree, outer ones
// first. What is below a node is left out where visit returns false.
func Walk(n Node, visit func(Node) bool) {
	w := walker{visit}
	w.node(n)
}

type walker struct{ visit func(Node) bool }

func (w walker) exprs(list []Expr) {
	for _, e := range list {
		w.node(e)
	}
}

func (w walker) sort(items []SortItem) {
	for _, it := range items {
		w.node(it.Expr)
	}
}

func (w walker) query(q *Query) {
	if q != nil {
		w.node(q)
	}
}

func (w walker) window(d *Window) {
	if d == nil {
		return
	}
	w.exprs(d.Partition)
	w.sort(d.OrderBy)
	if d.Frame != nil {
		w.exprs([]Expr{d.Frame.StartOffset, d.Frame.EndOffset})
	}
}

func (w walker) node(n Node) {
	if n == nil || !w.visit(n) {
		return
	}
	switch n := n.(type) {
	case *Query:
		for _, c := range n.With {
			w.query(c.Query)
		}
		w.node(n.Body)
		w.sort(n.OrderBy)
		w.exprs([]Expr{n.Limit, n.Offset})
	case *SetOp:
		w.query(n.Left)
		w.query(n.Right)
	case *Values:
		for _, row := range n.Rows {
			w.exprs(row)
		}
	case *Select:
		w.exprs(n.DistinctOn)
		for _, t := range n.Targets {
			w.node(t.Expr)
		}
		for _, t := range n.From {
			w.node(t)
		}
		w.node(n.Where)
		w.exprs(n.GroupBy)
		w.node(n.Having)
		for i := range n.Windows {
			w.window(&n.Windows[i].Window)
		}
	case *Subquery:
		w.query(n.Query)
	case *TableFunc:
		w.exprs(n.Funcs)
	case *Join:
		w.node(n.Left)
		w.node(n.Right)
		w.node(n.On)
	case *Op:
		w.exprs(n.Args)
	case *Func:
		w.exprs(n.Args)
		w.node(n.Filter)
		w.sort(n.OrderBy)
		w.window(n.Over)
	case *Cast:
		w.node(n.Expr)
	case *Case:
		w.node(n.Operand)
		for _, when := range n.Whens {
			w.node(when.Cond)
			w.node(when.Result)
		}
		w.node(n.Else)
	case *In:
		w.node(n.Expr)
		w.exprs(n.List)
	case *Sub:
		w.node(n.Test)
		w.query(n.Query)
	case *Row:
		w.exprs(n.Items)
	case *Array:
		w.exprs(n.Items)
	case *Subscript:
		w.node(n.Expr)
		w.exprs([]Expr{n.Lower, n.Upper})
	case *GroupingSet:
		w.exprs(n.Items)
	}
}
