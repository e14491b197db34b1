// Package syntax turns SQL text into a tree in which every node knows the span
// of text it came from. The grammar is PostgreSQL's own, read by pg_query; what
// Rovik does not execute yet becomes an error that names it and where it is.
package syntax

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
	Body          Body
	OrderBy       []SortItem
	Limit, Offset Expr // nil where absent
}

// CTE is one named query of a WITH list.
type CTE struct {
	Span
	Name    string
	Columns []string
	Query   *Query
}

// Body is a *Select or a *UnionAll.
type Body interface{ Node }

// UnionAll appends the rows of two queries.
type UnionAll struct {
	Span
	Words       Span // UNION ALL itself
	Left, Right *Query
}

// Select is one SELECT block. HasGroup tells GROUP BY () and HAVING alone from
// no grouping.
type Select struct {
	Span
	Distinct     bool
	DistinctSpan Span
	Targets      []Target
	From         []Table
	Where        Expr
	GroupBy      []Expr
	GroupSpan    Span
	Having       Expr
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

// Table is an item of a FROM list: *TableName, *Subquery or *Join.
type Table interface{ Node }

// TableName names a table, a view or a CTE by its dotted parts.
type TableName struct {
	Span
	Parts   []string
	Alias   string
	Columns []string
}

// Subquery is a query in parentheses with an alias.
type Subquery struct {
	Span
	Query   *Query
	Alias   string
	Columns []string
}

// JoinKind says which rows without a partner a join keeps.
type JoinKind int

// The kinds of join.
const (
	Inner JoinKind = iota
	Left
	Cross
)

// Join combines two tables; On is nil for a cross join.
type Join struct {
	Span
	Kind        JoinKind
	Left, Right Table
	On          Expr
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
	// Op is an operator or a predicate that behaves as a function of its
	// arguments: "+", "=", "||", "and", "or", "not", "is null", "like" …
	Op struct {
		Span
		Name string
		Args []Expr
	}
	// Func is a call by name.
	Func struct {
		Span
		Name     string
		Args     []Expr
		Star     bool
		Distinct bool
	}
	// Cast is CAST(x AS type), x::type or type 'text'.
	Cast struct {
		Span
		Expr Expr
		Type string
		Mods []int
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
