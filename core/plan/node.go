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
	// Scan reads columns of a source's table; Only leaves out the tables that
	// inherit from it.
	Scan struct {
		Table *catalog.Table
		Only  bool
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
	// Join pairs rows; Kind says what becomes of rows with and without a
	// partner. Right may read columns of Left, until its correlation is
	// rewritten. A mark join's Test is a condition of which three booleans
	// count, and its Mark the column that it makes.
	Join struct {
		Kind        JoinKind
		Left, Right Node
		On          []Expr
		Test        Expr    // of a mark join; nil for EXISTS
		Mark        *Column // of a mark join
		Ship        *Shipping
		Org         Origin
	}
	// Aggregate makes one row of each group of rows with equal Groups, or a
	// single row where there are no Groups. With Sets it does so for each set
	// of Groups, by position, the others being NULL then; SetID, where not nil,
	// is a column with the bits of the Groups that are not in a row's set.
	Aggregate struct {
		Input  Node
		Groups []Item
		Sets   [][]int
		SetID  *Column
		Aggs   []AggItem
		Stage  Stage
		Org    Origin
	}
	// Window adds columns that are computed over the rows around each row.
	Window struct {
		Input Node
		Items []WindowItem
		Org   Origin
	}
	// Distinct drops duplicates; with On all but the first row for each
	// value of these expressions.
	Distinct struct {
		Input Node
		On    []Expr
		Org   Origin
	}
	// Sort orders rows by its keys, the first counting most. A Copy is done
	// again above, over the rows of several inputs.
	Sort struct {
		Input Node
		Keys  []SortKey
		Copy  bool
		Org   Origin
	}
	// Limit skips Offset rows and passes on at most Count, or all for -1. Ties
	// are the keys by which rows equal to the last one pass too. A Copy is done
	// again above.
	Limit struct {
		Input         Node
		Count, Offset int64
		Ties          []SortKey
		Copy          bool
		Org           Origin
	}
	// Union appends the rows of its inputs, columns matched by position.
	Union struct {
		Parts []Node
		Cols  []Column
		Org   Origin
	}
	// SetOp is INTERSECT or EXCEPT, columns matched by position.
	SetOp struct {
		Except      bool
		All         bool
		Left, Right Node
		Cols        []Column
		Org         Origin
	}
	// Unnest repeats each row for the rows that its set-returning calls give,
	// side by side. Outer keeps rows without any. Ordinality numbers them.
	Unnest struct {
		Input      Node
		Calls      []SetCall
		Outer      bool
		Ordinality *Column
		Org        Origin
	}
	// Recursive gives the rows of Base, then of Step over the rows of the round
	// before, until there are none. Without All, rows seen before are dropped.
	Recursive struct {
		Base, Step Node
		Work       int // the number by which Step's WorkTables refer to it
		All        bool
		Cols       []Column
		Org        Origin
	}
	// WorkTable reads the rows of a Recursive's last round.
	WorkTable struct {
		Work int
		Name string
		Cols []Column
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

// Stage says which step of an aggregation in two steps an Aggregate is.
type Stage int

// The stages: all at once, or partial groups that a final step puts together.
const (
	WholeStage Stage = iota
	PartialStage
	FinalStage
)

// Shipping says that one side of a join is read first and the distinct values
// of one of its keys go into a statement of the other side.
type Shipping struct {
	FromRight bool // the right side is read first
	Key       Expr // over the columns of that side
	Statement int  // takes the keys; 0 until it has its number
}

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

// Agg is a call of an aggregate function. count(*) has no Args. Only rows for
// which Filter is true count, where it is not nil. Order is ORDER BY within the
// call, or WITHIN GROUP.
type Agg struct {
	Func     string
	Distinct bool
	Args     []Expr
	Filter   Expr
	Order    []SortKey
	Org      Origin
}

// Plain reports whether a has neither FILTER, DISTINCT nor an order.
func (a Agg) Plain() bool { return !a.Distinct && a.Filter == nil && len(a.Order) == 0 }

// Exprs returns all expressions of the call.
func (a Agg) Exprs() []Expr {
	out := append([]Expr{}, a.Args...)
	if a.Filter != nil {
		out = append(out, a.Filter)
	}
	for _, k := range a.Order {
		out = append(out, k.Expr)
	}
	return out
}

// SetCall is a call of a set-returning function with the columns that it gives.
type SetCall struct {
	Func string
	Args []Expr
	Cols []Column
	Org  Origin
}

// WindowItem is a window function's output column.
type WindowItem struct {
	Column
	WindowCall
}

// WindowCall is a function over a window of each row's partition.
type WindowCall struct {
	Func      string
	Args      []Expr
	Filter    Expr // of an aggregate
	Partition []Expr
	Order     []SortKey
	Frame     Frame
	Org       Origin
}

// FrameMode says what the bounds of a frame count.
type FrameMode int

// The modes of frames.
const (
	FrameRange FrameMode = iota
	FrameRows
	FrameGroups
)

func (m FrameMode) String() string { return [...]string{"RANGE", "ROWS", "GROUPS"}[m] }

// BoundKind is one end of a frame.
type BoundKind int

// The bounds of frames, in their order.
const (
	UnboundedPreceding BoundKind = iota
	Preceding
	CurrentRow
	Following
	UnboundedFollowing
)

// Bound is an end of a frame; Offset is a constant for Preceding and Following.
type Bound struct {
	Kind   BoundKind
	Offset Expr
}

// Exclusion says which rows a frame leaves out.
type Exclusion int

// The exclusions.
const (
	ExcludeNothing Exclusion = iota
	ExcludeCurrentRow
	ExcludeGroup
	ExcludeTies
)

// Frame says which rows of the partition a window function sees. The zero
// value is not the default: see DefaultFrame.
type Frame struct {
	Mode       FrameMode
	Start, End Bound
	Exclude    Exclusion
}

// DefaultFrame is RANGE BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW.
func DefaultFrame() Frame {
	return Frame{Mode: FrameRange, Start: Bound{Kind: UnboundedPreceding}, End: Bound{Kind: CurrentRow}}
}

// IsDefault reports whether f is DefaultFrame.
func (f Frame) IsDefault() bool {
	return f.Mode == FrameRange && f.Start.Kind == UnboundedPreceding && f.End.Kind == CurrentRow && f.Exclude == ExcludeNothing
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

// The kinds of join. A cross join is an inner join without a condition. Semi
// and anti joins give left rows with and without a partner; a mark join gives
// every left row and whether it has one; a single join is a left join that
// fails where a row has several partners.
const (
	InnerJoin JoinKind = iota
	LeftJoin
	FullJoin
	SemiJoin
	AntiJoin
	MarkJoin
	SingleJoin
)

func (k JoinKind) String() string {
	return [...]string{"join", "left join", "full join", "semi-join", "anti-join", "mark join", "single join"}[k]
}

// LeftOnly reports whether the join gives no columns of its right side.
func (k JoinKind) LeftOnly() bool { return k == SemiJoin || k == AntiJoin || k == MarkJoin }

// KeepsLeft reports whether every left row comes out at least once.
func (k JoinKind) KeepsLeft() bool {
	return k == LeftJoin || k == FullJoin || k == MarkJoin || k == SingleJoin
}

// Columns returns the columns that are read.
func (n *Scan) Columns() []Column { return appendColumns(make([]Column, 0, len(n.Cols)), n) }

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

// Columns returns the left columns, then the right ones or the mark.
func (n *Join) Columns() []Column { return appendColumns(nil, n) }

// appendColumns adds an operator's columns to a list. Joins stand on top of each
// other by the hundred: each column is copied once for all of them.
func appendColumns(list []Column, n Node) []Column {
	switch n := n.(type) {
	case *Scan:
		for _, c := range n.Cols {
			list = append(list, c.Column)
		}
		return list
	case *Filter:
		return appendColumns(list, n.Input)
	case *Join:
		list = appendColumns(list, n.Left)
		switch {
		case n.Kind == MarkJoin:
			return append(list, *n.Mark)
		case n.Kind.LeftOnly():
			return list
		}
		return appendColumns(list, n.Right)
	}
	return append(list, n.Columns()...)
}

// Columns returns the group columns, then the set's bits, then the aggregates.
func (n *Aggregate) Columns() []Column {
	out := Columns(n.Groups)
	if n.SetID != nil {
		out = append(out, *n.SetID)
	}
	for _, a := range n.Aggs {
		out = append(out, a.Column)
	}
	return out
}

// Columns returns the input's columns, then the computed ones.
func (n *Window) Columns() []Column {
	in := n.Input.Columns()
	out := in[:len(in):len(in)]
	for _, it := range n.Items {
		out = append(out, it.Column)
	}
	return out
}

// Columns returns the input's columns, then the calls' and the ordinality.
func (n *Unnest) Columns() []Column {
	in := n.Input.Columns()
	out := in[:len(in):len(in)]
	for _, c := range n.Calls {
		out = append(out, c.Cols...)
	}
	if n.Ordinality != nil {
		out = append(out, *n.Ordinality)
	}
	return out
}

// Columns returns the operation's own columns.
func (n *SetOp) Columns() []Column { return n.Cols }

// Columns returns the recursion's own columns.
func (n *Recursive) Columns() []Column { return n.Cols }

// Columns returns the columns of the recursion's rows.
func (n *WorkTable) Columns() []Column { return n.Cols }

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

// Inputs returns the operator whose rows are computed with.
func (n *Window) Inputs() []Node { return []Node{n.Input} }

// Inputs returns the operator whose rows are repeated.
func (n *Unnest) Inputs() []Node { return []Node{n.Input} }

// Inputs returns both sides.
func (n *SetOp) Inputs() []Node { return []Node{n.Left, n.Right} }

// Inputs returns the base and the step.
func (n *Recursive) Inputs() []Node { return []Node{n.Base, n.Step} }

// Inputs returns none.
func (n *WorkTable) Inputs() []Node { return nil }

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
func (n *Join) WithInputs(in []Node) Node {
	c := *n
	c.Left, c.Right = in[0], in[1]
	return &c
}

// WithInputs returns the aggregation of another input.
func (n *Aggregate) WithInputs(in []Node) Node {
	c := *n
	c.Input = in[0]
	return &c
}

// WithInputs returns the window functions over another input.
func (n *Window) WithInputs(in []Node) Node { return &Window{in[0], n.Items, n.Org} }

// WithInputs returns the distinct rows of another input.
func (n *Distinct) WithInputs(in []Node) Node { return &Distinct{in[0], n.On, n.Org} }

// WithInputs returns the calls over another input.
func (n *Unnest) WithInputs(in []Node) Node {
	c := *n
	c.Input = in[0]
	return &c
}

// WithInputs returns the operation on other sides.
func (n *SetOp) WithInputs(in []Node) Node {
	c := *n
	c.Left, c.Right = in[0], in[1]
	return &c
}

// WithInputs returns the recursion over another base and step.
func (n *Recursive) WithInputs(in []Node) Node {
	c := *n
	c.Base, c.Step = in[0], in[1]
	return &c
}

// WithInputs returns the work table itself.
func (n *WorkTable) WithInputs([]Node) Node { return n }

// WithInputs returns the sort of another input.
func (n *Sort) WithInputs(in []Node) Node {
	c := *n
	c.Input = in[0]
	return &c
}

// WithInputs returns the limit over another input.
func (n *Limit) WithInputs(in []Node) Node {
	c := *n
	c.Input = in[0]
	return &c
}

// WithInputs returns the union of other inputs.
func (n *Union) WithInputs(in []Node) Node { return &Union{in, n.Cols, n.Org} }

// WithInputs returns the values themselves.
func (n *Values) WithInputs([]Node) Node { return n }

// WithInputs returns the same statement over another input.
func (n *Remote) WithInputs(in []Node) Node { return &Remote{n.Source, n.Statement, in[0]} }

// Numbering hands out column ids.
type Numbering struct {
	last ID
	// Effort bounds the planning that the ids are for; nil for no bound.
	Effort *Effort
}

// Next returns an id that has not been handed out.
func (n *Numbering) Next() ID {
	n.last++
	n.Effort.Spend(1)
	return n.last
}

// Query is a bound query: what to compute, and the counter for further ids.
type Query struct {
	Root Node
	IDs  *Numbering
	// Texts are the SQL texts that origins count in, by view; "" is the query.
	Texts map[string]string
	// Volatile reports that the time of binding is in the plan, as now() or
	// current_date.
	Volatile bool
	// Params are the types of the query's parameters, from $1 on.
	Params []value.Kind
	// Measured gives the rows that runs have measured, by signature; nil for
	// none.
	Measured func(signature string) (float64, bool)
	// Rewrites are what rewriting did, once it is done.
	Rewrites []Rewriting
	// Relied are tables whose keys or columns decided that they need not be read.
	Relied []*catalog.Table
	// Reads are the columns that the query names, before any of them turned out not
	// to be needed; nil where nothing was rewritten.
	Reads Reads
}

// Reads are columns by their names, of tables.
type Reads map[*catalog.Table]map[string]bool

// Add notes the columns that n reads.
func (r Reads) Add(n Node) {
	Visit(n, func(n Node) {
		s, ok := n.(*Scan)
		if !ok {
			return
		}
		if r[s.Table] == nil {
			r[s.Table] = map[string]bool{}
		}
		for _, c := range s.Cols {
			r[s.Table][s.Table.Columns[c.Index].Name] = true
		}
	})
}

// Rewriting says that a rule changed what is written at a place, and why.
type Rewriting struct {
	Rule   string
	Origin Origin
	Why    string
}

// Text returns the words at an origin, or "".
func (q *Query) Text(o Origin) string {
	t := q.Texts[o.View]
	if !o.Known() || o.End > len(t) {
		return ""
	}
	return t[o.Start:o.End]
}
