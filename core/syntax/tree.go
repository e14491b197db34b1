package syntax

import "rovik/core/function"

// Span is a range of bytes in the text of a query.
type Span struct{ Start, End int }

// At returns the span itself; through it every node tells its place.
func (s Span) At() Span { return s }

// Node is any part of the tree.
type Node interface{ At() Span }

// Query is a query expression with its WITH, ORDER BY and LIMIT.
type Query struct {
	Span
	With          []CTE
	Recursive     bool // WITH RECURSIVE
	Body          Body
	OrderBy       []SortItem
	Limit, Offset Expr // nil where absent
	WithTies      bool
}

// CTE is one named query of a WITH list.
type CTE struct {
	Span
	Name    string
	Columns []string
	Query   *Query
}

// Body is a *Select, a *SetOp or a *Values.
type Body interface{ Node }

// SetOp is a set operation of two queries; Op is union, intersect or except.
type SetOp struct {
	Span
	Words       Span // the operator itself, with its ALL
	Op          string
	All         bool
	Left, Right *Query
}

// Values is VALUES with its rows.
type Values struct {
	Span
	Rows [][]Expr
}

// Select is one SELECT block. HasGroup tells GROUP BY () and HAVING alone from
// no grouping.
type Select struct {
	Span
	Distinct      bool
	DistinctOn    []Expr
	DistinctSpan  Span
	Targets       []Target
	From          []Table
	Where         Expr
	GroupBy       []Expr // *GroupingSet among them
	GroupDistinct bool
	GroupSpan     Span
	Having        Expr
	Windows       []NamedWindow
}

// NamedWindow is an item of WINDOW.
type NamedWindow struct {
	Name string
	Window
}

// Window is what OVER holds: a name, or a definition that may start from a
// name. Frame is nil where the text has none.
type Window struct {
	Span
	Ref       string // the window that this one is, or starts from
	Whole     bool   // OVER name, without parentheses
	Partition []Expr
	OrderBy   []SortItem
	Frame     *Frame
}

// Frame is a window frame; its fields are plan's, in the same order.
type Frame struct {
	Mode                   int
	Start, End             int
	StartOffset, EndOffset Expr
	Exclude                int
}

// Target is one item of a select list; Name is empty without an AS.
type Target struct {
	Span
	Name string
	Expr Expr
}

// SortItem is one ORDER BY key. NullsFirst is settled: where the text does not
// say, NULLs come last ascending and first descending.
type SortItem struct {
	Span
	Expr       Expr
	Desc       bool
	NullsFirst bool
}

// Table is an item of a FROM list: *TableName, *Subquery, *TableFunc or *Join.
type Table interface{ Node }

// TableName names a table, a view or a CTE by its dotted parts.
type TableName struct {
	Span
	Parts   []string
	Only    bool // without the tables that inherit from it
	Alias   string
	Columns []string
}

// Subquery is a query in parentheses, with an alias or without.
type Subquery struct {
	Span
	Query   *Query
	Lateral bool
	Alias   string
	Columns []string
}

// TableFunc is a function, or several side by side (ROWS FROM), in FROM.
type TableFunc struct {
	Span
	Funcs      []Expr
	Ordinality bool
	Alias      string
	Columns    []string
	Defs       []ColumnDef // of a function that gives records
}

// ColumnDef is the name and type of a column, the type as that of a cast.
type ColumnDef struct {
	Name string
	Type *Cast
}

// JoinKind says which rows without a partner a join keeps.
type JoinKind int

// The kinds of join.
const (
	Inner JoinKind = iota
	Left
	Cross
	Right
	Full
)

// Join combines two tables; On is nil for a cross join.
type Join struct {
	Span
	Kind        JoinKind
	Left, Right Table
	On          Expr
	Using       []string
	UsingAlias  string
	Natural     bool
	Alias       string
	Columns     []string
}

// Expr is an expression.
type Expr interface{ Node }

type (
	// Column is a possibly qualified column name.
	Column struct {
		Span
		Parts []string
	}
	// Star is * or table.*; it stands only in select lists.
	Star struct {
		Span
		Table []string
	}
	// Literal is a constant as written. An untyped string is LiteralText.
	Literal struct {
		Span
		Kind LiteralKind
		Text string
	}
	// Param is a parameter of the query, $1 and on.
	Param struct {
		Span
		Number int
	}
	// Op is an operator or a predicate that behaves as a function of its
	// arguments: "+", "=", "||", "and", "or", "not", "is null", "like" …
	Op struct {
		Span
		Name string
		Args []Expr
		// Quantifier is ANY or ALL of a comparison with the elements of an array.
		Quantifier function.Quantifier
	}
	// Func is a call by name.
	Func struct {
		Span
		Name        string
		Variadic    bool // the last argument is an array of further ones
		Args        []Expr
		Names       []string // of the arguments, "" for one by its place; nil where none has a name
		Star        bool
		Distinct    bool
		Filter      Expr
		OrderBy     []SortItem
		WithinGroup bool
		Over        *Window
	}
	// Cast is CAST(x AS type), x::type or type 'text'.
	Cast struct {
		Span
		Expr  Expr
		Type  string
		Mods  []int
		Array bool
	}
	// Case is CASE; Operand is nil for the searched form.
	Case struct {
		Span
		Operand Expr
		Whens   []When
		Else    Expr
	}
	// In is a membership test in a list of expressions.
	In struct {
		Span
		Expr Expr
		List []Expr
		Not  bool
	}
	// Sub is a subquery as an expression. Kind is "scalar", "exists", "array",
	// "any" or "all"; the last two compare Test with its rows by Op.
	Sub struct {
		Span
		Kind  string
		Test  Expr
		Op    string
		Query *Query
	}
	// Row is a row of values.
	Row struct {
		Span
		Items []Expr
	}
	// Array is ARRAY[…].
	Array struct {
		Span
		Items []Expr
	}
	// Subscript takes an element, or a slice, of an array. Bounds are nil
	// where they are left out.
	Subscript struct {
		Span
		Expr         Expr
		Slice        bool
		Lower, Upper Expr
	}
	// GroupingSet is an item of GROUP BY; Kind is "empty", "sets", "rollup" or
	// "cube". Items may be rows.
	GroupingSet struct {
		Span
		Kind  string
		Items []Expr
	}
)

// When is one branch of a CASE.
type When struct {
	Span
	Cond, Result Expr
}

// LiteralKind tells the kinds of constants apart.
type LiteralKind int

// The kinds of constants.
const (
	LiteralNull LiteralKind = iota
	LiteralBool
	LiteralInt
	LiteralDecimal
	LiteralText
)
