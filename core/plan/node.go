package plan

import (
	"rovik/core/catalog"
	"rovik/core/value"
)

// Column is an output column of an operator.
type Column struct {
	ID   ID
	Name string
	Type value.Type
}

// Ref returns an expression that reads the column.
func (c Column) Ref() *Col { return &Col{ID: c.ID, Name: c.Name, Typ: c.Type} }

// Node is a relational operator.
type Node interface {
	// Columns returns the output columns in order.
	Columns() []Column
	// Inputs returns the operators that this one reads.
	Inputs() []Node
	// WithInputs returns a copy of the operator over other inputs.
	WithInputs(inputs []Node) Node
}

type (
	// Scan reads columns of a source's table.
	Scan struct {
		Table *catalog.Table
		Cols  []ScanColumn
		Org   Origin
	}
	// Filter keeps the rows for which every condition is true.
	Filter struct {
		Input Node
		Conds []Expr
	}
	// Project computes its output columns from its input's.
	Project struct {
		Input Node
		Items []Item
	}
	// Join pairs rows. A left join keeps the left rows without a partner.
	Join struct {
		Kind        JoinKind
		Left, Right Node
		On          []Expr
		Org         Origin
	}
	// Aggregate makes one row of each group of rows with equal Groups, or a
	// single row where there are no Groups.
	Aggregate struct {
		Input  Node
		Groups []Item
		Aggs   []AggItem
		Org    Origin
	}
	// Distinct drops repeated rows.
	Distinct struct {
		Input Node
		Org   Origin
	}
	// Sort orders rows by its keys, the first counting most.
	Sort struct {
		Input Node
		Keys  []SortKey
		Org   Origin
	}
	// Limit skips Offset rows and passes on at most Count, or all for -1.
	Limit struct {
		Input         Node
		Count, Offset int64
		Org           Origin
	}
	// Union appends the rows of its inputs, columns matched by position.
	Union struct {
		Parts []Node
		Cols  []Column
		Org   Origin
	}
	// Values is a constant list of rows.
	Values struct {
		Cols []Column
		Rows [][]value.Value
	}
	// Remote marks the waterline: its input runs in the source. Statement
	// numbers the native statements of a plan from 1.
	Remote struct {
		Source    string
		Statement int
		Input     Node
	}
)

// ScanColumn is a column of a Scan; Index counts in Table.Columns.
type ScanColumn struct {
	Column
	Index int
}

// Item is a computed output column.
type Item struct {
	Column
	Expr Expr
}

// AggItem is an aggregate's output column.
type AggItem struct {
	Column
	Agg
}

// Agg is a call of an aggregate function. Arg is nil for count(*).
type Agg struct {
	Func     string // count, sum, avg, min, max
	Distinct bool
	Arg      Expr
	Org      Origin
}

// SortKey is an expression with its direction.
type SortKey struct {
	Expr       Expr
	Desc       bool
	NullsFirst bool
	Org        Origin
}

// JoinKind says which rows without a partner a join keeps.
type JoinKind int

// The kinds of join. A cross join is an inner join without a condition.
const (
	InnerJoin JoinKind = iota
	LeftJoin
)

func (k JoinKind) String() string {
	if k == LeftJoin {
		return "left join"
	}
	return "join"
}

// Columns returns the columns that are read.
func (n *Scan) Columns() []Column {
	out := make([]Column, len(n.Cols))
	for i, c := range n.Cols {
		out[i] = c.Column
	}
	return out
}

// Columns returns the input's columns.
func (n *Filter) Columns() []Column { return n.Input.Columns() }

// Columns returns the computed columns.
func (n *Project) Columns() []Column { return Columns(n.Items) }

// Columns returns the columns that items compute.
func Columns(items []Item) []Column {
	out := make([]Column, len(items))
	for i, it := range items {
		out[i] = it.Column
	}
	return out
}

// Columns returns the left columns, then the right ones.
func (n *Join) Columns() []Column {
	l, r := n.Left.Columns(), n.Right.Columns()
	return append(l[:len(l):len(l)], r...)
}

// Columns returns the group columns, then the aggregates.
func (n *Aggregate) Columns() []Column {
	out := Columns(n.Groups)
	for _, a := range n.Aggs {
		out = append(out, a.Column)
	}
	return out
}

// Columns returns the input's columns.
func (n *Distinct) Columns() []Column { return n.Input.Columns() }

// Columns returns the input's columns.
func (n *Sort) Columns() []Column { return n.Input.Columns() }

// Columns returns the input's columns.
func (n *Limit) Columns() []Column { return n.Input.Columns() }

// Columns returns the union's own columns.
func (n *Union) Columns() []Column { return n.Cols }

// Columns returns the columns of the rows.
func (n *Values) Columns() []Column { return n.Cols }

// Columns returns the input's columns.
func (n *Remote) Columns() []Column { return n.Input.Columns() }

// Inputs returns none.
func (n *Scan) Inputs() []Node { return nil }

// Inputs returns the filtered operator.
func (n *Filter) Inputs() []Node { return []Node{n.Input} }

// Inputs returns the operator that the items read.
func (n *Project) Inputs() []Node { return []Node{n.Input} }

// Inputs returns both sides.
func (n *Join) Inputs() []Node { return []Node{n.Left, n.Right} }

// Inputs returns the grouped operator.
func (n *Aggregate) Inputs() []Node { return []Node{n.Input} }

// Inputs returns the operator whose rows are made distinct.
func (n *Distinct) Inputs() []Node { return []Node{n.Input} }

// Inputs returns the sorted operator.
func (n *Sort) Inputs() []Node { return []Node{n.Input} }

// Inputs returns the limited operator.
func (n *Limit) Inputs() []Node { return []Node{n.Input} }

// Inputs returns the appended operators.
func (n *Union) Inputs() []Node { return n.Parts }

// Inputs returns none.
func (n *Values) Inputs() []Node { return nil }

// Inputs returns what the source runs.
func (n *Remote) Inputs() []Node { return []Node{n.Input} }

// WithInputs returns the scan itself.
func (n *Scan) WithInputs([]Node) Node { return n }

// WithInputs returns the filter over another input.
func (n *Filter) WithInputs(in []Node) Node { return &Filter{in[0], n.Conds} }

// WithInputs returns the projection over another input.
func (n *Project) WithInputs(in []Node) Node { return &Project{in[0], n.Items} }

// WithInputs returns the join of other sides.
func (n *Join) WithInputs(in []Node) Node { return &Join{n.Kind, in[0], in[1], n.On, n.Org} }

// WithInputs returns the aggregation of another input.
func (n *Aggregate) WithInputs(in []Node) Node { return &Aggregate{in[0], n.Groups, n.Aggs, n.Org} }

// WithInputs returns the distinct rows of another input.
func (n *Distinct) WithInputs(in []Node) Node { return &Distinct{in[0], n.Org} }

// WithInputs returns the sort of another input.
func (n *Sort) WithInputs(in []Node) Node { return &Sort{in[0], n.Keys, n.Org} }

// WithInputs returns the limit over another input.
func (n *Limit) WithInputs(in []Node) Node { return &Limit{in[0], n.Count, n.Offset, n.Org} }

// WithInputs returns the union of other inputs.
func (n *Union) WithInputs(in []Node) Node { return &Union{in, n.Cols, n.Org} }

// WithInputs returns the values themselves.
func (n *Values) WithInputs([]Node) Node { return n }

// WithInputs returns the same statement over another input.
func (n *Remote) WithInputs(in []Node) Node { return &Remote{n.Source, n.Statement, in[0]} }

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

// Numbering hands out column ids.
type Numbering struct{ last ID }

// Next returns an id that has not been handed out.
func (n *Numbering) Next() ID {
	n.last++
	return n.last
}

// Query is a bound query: what to compute, and the counter for further ids.
type Query struct {
	Root Node
	IDs  *Numbering
	// Texts are the SQL texts that origins count in, by view; "" is the query.
	Texts map[string]string
	// Momentary tells that the moment of binding is in the plan, as now() or
	// current_date.
	Momentary bool
}

// Text returns the words at an origin, or "".
func (q *Query) Text(o Origin) string {
	t := q.Texts[o.View]
	if !o.Known() || o.End > len(t) {
		return ""
	}
	return t[o.Start:o.End]
}
