package fold

import (
	"rovik/core/catalog"
	"rovik/core/plan"
)

// Source says what a source computes exactly as Rovik does, and writes it in the source's
// own language. A judgement is a reason against folding, or nil. What a source does not
// judge, by one of the interfaces below, is kept.
type Source interface {
	// Name is the source's name in the catalogue.
	Name() string
	// Value judges an expression over columns of the source. A column alone is always read.
	Value(e plan.Expr) *Reason
	// Render writes the native statement for a plan of which every part was judged.
	Render(root plan.Node) (Native, error)
}

// Filterer is a Source that checks conditions. Where it cannot apply one exactly, wider may
// be a condition that it can apply and that holds whenever e does.
type Filterer interface {
	Source
	Filter(e plan.Expr) (wider plan.Expr, r *Reason)
}

// Grouper is a Source that makes groups of rows: Group judges equality of an expression's
// values, Aggregate an aggregate call.
type Grouper interface {
	Source
	Group(e plan.Expr) *Reason
	Aggregate(a plan.Agg) *Reason
}

// Sorter is a Source that sorts rows by a key.
type Sorter interface {
	Source
	Order(k plan.SortKey) *Reason
}

// Windower is a Source that computes window functions.
type Windower interface {
	Source
	Window(w plan.WindowCall) *Reason
}

// Operator is a Source that does whole operators. It judges what an operator does beyond
// its expressions: the kind of a join, sets of groups, DISTINCT ON, ties, set operations.
// The input of an aggregation, distinct, sort or limit is what the source would run.
type Operator interface {
	Source
	Operator(n plan.Node) *Reason
}

// KeyTaker is a Source whose statements take shipped keys: so many at once, 0 for none.
type KeyTaker interface {
	Source
	KeyBatch() int
}

// Bounded is a Source whose statements have bounds. Fits says why a statement that was
// written for a plan is past one of them; nil where it is not.
type Bounded interface {
	Source
	Fits(root plan.Node, n Native) *Reason
}

// ColumnAware is a Source that judges by which columns of its tables expressions
// read. Reading returns it for a plan of whose columns it is told.
type ColumnAware interface {
	Source
	Reading(of func(plan.ID) TableColumn) Source
}

// TableColumn is the column of a table that a plan's column has its values from,
// by its position there. The table is nil where the values come from none, or are
// computed.
type TableColumn struct {
	Table *catalog.Table
	Index int
	// Grouped reports that rows were grouped by the column: the values are the
	// table's, the rows are not.
	Grouped bool
}

// KeepAll may be embedded in a Source: it judges everything to be kept, for the reason
// that Why makes of what is kept, as "Grouping".
type KeepAll struct{ Why func(what string) *Reason }

// Filter keeps a condition; see Filterer.
func (k KeepAll) Filter(plan.Expr) (plan.Expr, *Reason) { return nil, k.Why("Checking it") }

// Group keeps grouping; see Grouper.
func (k KeepAll) Group(plan.Expr) *Reason { return k.Why("Grouping") }

// Aggregate keeps an aggregate; see Grouper.
func (k KeepAll) Aggregate(plan.Agg) *Reason { return k.Why("Aggregating") }

// Order keeps sorting; see Sorter.
func (k KeepAll) Order(plan.SortKey) *Reason { return k.Why("Sorting") }

// Window keeps a window function; see Windower.
func (k KeepAll) Window(plan.WindowCall) *Reason { return k.Why("Computing over windows") }

// Operator keeps an operator; see Operator.
func (k KeepAll) Operator(n plan.Node) *Reason {
	if _, ok := n.(*plan.Join); ok {
		return k.Why("Joining")
	}
	return k.Why("Combining rows")
}

// judge asks a source by whichever of the interfaces it has.
type judge struct {
	Source
	off bool // nothing folds in this run but reading columns
	// smaller says how much less folds than could, so that statements stay within the
	// source's bounds.
	smaller smaller
}

// smaller is why statements are to be smaller, and how much.
type smaller struct {
	by  reduction
	why *Reason
}

// reduction is what is left out of statements that would be too large.
type reduction int

// The reductions, each with those before it.
const (
	asUsual   reduction = iota
	oneTable            // tables are not combined
	oneColumn           // nothing folds but reading columns
)

// nothing says why nothing folds but reading columns; nil where more does.
func (j *judge) nothing() *Reason {
	switch {
	case j.off:
		return foldingOff()
	case j.smaller.by >= oneColumn:
		return j.smaller.why
	}
	return nil
}

func foldingOff() *Reason {
	return &Reason{"folding-off", "Folding is switched off for this run.", "Switch it on."}
}

// asked returns the source as a T, or why it cannot be asked.
func asked[T Source](j *judge, what string) (of T, why *Reason) {
	if why := j.nothing(); why != nil {
		return of, why
	}
	of, is := j.Source.(T)
	if !is {
		why = &Reason{"no-equivalent", what + " is Rovik's work: " + j.Name() + " does not do it.", "None is needed where few rows cross: filter below it."}
	}
	return of, why
}

// judged asks the source as a T.
func judged[T Source](j *judge, what string, ask func(T) *Reason) *Reason {
	src, why := asked[T](j, what)
	if why == nil {
		why = ask(src)
	}
	return why
}

func (j *judge) Value(e plan.Expr) *Reason {
	if isColumn(e) {
		return nil
	}
	return judged(j, "Computing", func(s Source) *Reason { return s.Value(e) })
}

func (j *judge) Filter(e plan.Expr) (plan.Expr, *Reason) {
	src, why := asked[Filterer](j, "Checking it")
	if why != nil {
		return nil, why
	}
	return src.Filter(e)
}

func (j *judge) Group(e plan.Expr) *Reason {
	return judged(j, "Grouping", func(s Grouper) *Reason { return s.Group(e) })
}

func (j *judge) Aggregate(a plan.Agg) *Reason {
	return judged(j, "Aggregating", func(s Grouper) *Reason { return s.Aggregate(a) })
}

func (j *judge) Order(k plan.SortKey) *Reason {
	return judged(j, "Sorting", func(s Sorter) *Reason { return s.Order(k) })
}

func (j *judge) Window(w plan.WindowCall) *Reason {
	return judged(j, "Computing over windows", func(s Windower) *Reason { return s.Window(w) })
}

func (j *judge) Operator(n plan.Node) *Reason {
	if j.smaller.by >= oneTable && len(n.Inputs()) > 1 {
		return j.smaller.why
	}
	return judged(j, "Combining rows", func(s Operator) *Reason { return s.Operator(n) })
}

func (j *judge) KeyBatch() int {
	if src, why := asked[KeyTaker](j, ""); why == nil {
		return src.KeyBatch()
	}
	return 0
}
