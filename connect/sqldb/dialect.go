// Package sqldb is what the SQL sources share: judging what a database computes
// with Rovik's meaning, and printing plans in its dialect. A dialect is data:
// for each operator and function, whether it is the same here and how it is
// written. What it does not list is not folded.
package sqldb

import (
	"fmt"
	"sync"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// Dialect describes a kind of SQL database.
type Dialect struct {
	Product string // for people: "MariaDB"
	// Quote writes an identifier.
	Quote func(name string) string
	// Placeholder writes parameter number i (from 1), typed by its value.
	Placeholder func(i int, v value.Value) string
	// SharedParameters reports whether a placeholder can stand twice.
	SharedParameters bool
	// Column writes how a column is read so that it has its type exactly;
	// ref is the plain reference.
	Column func(c *catalog.Column, ref string) string
	// Valid writes a column, which Column has written, so that a stored value that
	// is none of its type is NULL, or returns "" where there are no such values.
	// Rows and comparisons take the column as it stands: see Rope.stored. May be nil.
	Valid func(c *catalog.Column, column string) string
	// Kinds are the kinds whose comparisons mean the same here.
	Kinds map[value.Kind]bool
	// Calls are the operators and functions by name.
	Calls map[string]Rule
	// Cast judges and writes a cast.
	Cast func(s *Source, c *plan.Cast) (Writer, *fold.Reason)
	// Aggregate judges an aggregate call other than a count; its parts have
	// been judged.
	Aggregate func(s *Source, a plan.Agg) *fold.Reason
	// FilterClause reports that aggregates understand FILTER.
	FilterClause bool
	// Window judges a window function; its parts have been judged.
	Window func(s *Source, w plan.WindowCall) *fold.Reason
	// Choice judges what gives one of several values, as CASE does; nil where that
	// changes none of them.
	Choice func(values []plan.Expr) *fold.Reason
	// Operator judges operators; see fold.Source.
	Operator func(s *Source, n plan.Node) *fold.Reason
	// Binary writes a text operand so that it compares by code point without
	// padding; it fails with a reason where the database cannot.
	Binary func(s *Source, e plan.Expr) (before, after string, why *fold.Reason)
	// Grouped judges that strings are told apart as a whole where they are grouped or
	// sorted; nil where they always are.
	Grouped func(s *Source, e plan.Expr) *fold.Reason
	// Ordered judges that values that are equal alike are ordered alike too; nil
	// where that is always so.
	Ordered func(s *Source, e plan.Expr) *fold.Reason
	// Loosen finds a wider condition that the database can apply, for one
	// that it cannot apply exactly.
	Loosen func(s *Source, e plan.Expr) plan.Expr
	// HavingColumns reports that HAVING knows a group key only if it is a column.
	HavingColumns bool
	// NullsLow reports that NULLs sort below all values without being asked;
	// NullsWord that NULLS FIRST and NULLS LAST are understood.
	NullsLow, NullsWord bool
	// Unlimited is what LIMIT takes to mean no limit, where OFFSET needs one.
	Unlimited string
	// KeyBatch is how many shipped keys go into one statement.
	KeyBatch int
	// Null writes NULL of a type; nil where it needs none.
	Null func(t value.Type) string
	// AsText writes a text operand so that it is of one type wherever it stands, as
	// the argument and the order of a DISTINCT aggregate have to be; nil for as is.
	AsText func(r Rope) Rope
	// Only says that tables can inherit from others, which ONLY leaves out.
	Only bool
	// GroupsAsIs reports whether a column makes the groups of the binary collation
	// without being told to; may be nil.
	GroupsAsIs func(s *Source, c *plan.Col) bool
	// NullSafeJoin writes that two sides of a join are equal, NULL to NULL, so
	// that the source can hash it; nil where its own operator does.
	NullSafeJoin func(p *Printer, l, r plan.Expr) Rope
	// Literal lists kinds of constants that can be sent.
	Literal func(v value.Value) bool
	// Bounds are what a statement may have at most; nil for no bounds.
	Bounds func(s *Source) Bounds
	// Probes measure the quirks that the rules depend on.
	Probes []Probe

	byOp   sync.Once
	needed map[string][]Probe
}

// Rule says how one operator or function is judged and written.
type Rule struct {
	// Judge says why a call is not the same here; nil means it always is. The
	// arguments have been judged before.
	Judge func(s *Source, c *plan.Call) *fold.Reason
	Write Writer
}

// textFunctions have overloads for bytes, which databases treat each in its own way.
var textFunctions = []string{"btrim", "ltrim", "rtrim", "substring", "substr", "position", "overlay", "like", "bit_length"}

// OfTextAlone keeps the calls of functions of text with bytes.
func OfTextAlone(product string, rules map[string]Rule) map[string]Rule {
	for _, name := range textFunctions {
		rule, ok := rules[name]
		if !ok {
			continue
		}
		judge := rule.Judge
		rule.Judge = func(s *Source, c *plan.Call) *fold.Reason {
			if c.Args[0].Type().Kind == value.Bytea {
				return Reasonf("function-differs", "Filter first: what is left is computed by Rovik.", "%s computes %s() of bytes in its own way.", product, c.Op)
			}
			if judge == nil {
				return nil
			}
			return judge(s, c)
		}
		rules[name] = rule
	}
	return rules
}

// Writer writes an expression.
type Writer func(p *Printer, e plan.Expr) Rope

// Source judges and prints for one connected database; it is a fold.Source.
type Source struct {
	Dialect *Dialect
	Catalog *catalog.Source
	columns func(plan.ID) fold.TableColumn
}

// Reading returns the source for a plan of whose columns it is told; see
// fold.ColumnAware.
func (s *Source) Reading(of func(plan.ID) fold.TableColumn) fold.Source {
	c := *s
	c.columns = of
	return &c
}

// Column returns the column of a table that e has its values from, or nil where e
// is no column or that is not known.
func (s *Source) Column(e plan.Expr) *catalog.Column {
	c, isCol := e.(*plan.Col)
	if !isCol || s.columns == nil {
		return nil
	}
	of := s.columns(c.ID)
	if of.Table == nil {
		return nil
	}
	return &of.Table.Columns[of.Index]
}

// Name returns the source's name.
func (s *Source) Name() string { return s.Catalog.Name }

// Reasonf makes a reason with its remedy.
func Reasonf(code, remedy, format string, args ...any) *fold.Reason {
	return &fold.Reason{Code: code, Text: fmt.Sprintf(format, args...), Remedy: remedy}
}

// Value judges an expression; see fold.Source.
func (s *Source) Value(e plan.Expr) *fold.Reason {
	for _, part := range plan.Children(e) {
		if r := s.Value(part); r != nil {
			return r
		}
	}
	switch e := e.(type) {
	case *plan.ShippedKeys:
		if !s.Dialect.Literal(value.Value{Kind: e.Typ.Kind}) {
			return Reasonf("no-equivalent", "Join on another type.", "%s has no type like %s.", s.Dialect.Product, e.Typ)
		}
	case *plan.Const:
		if !s.Dialect.Literal(e.Val) {
			return Reasonf("no-equivalent", "Compare with a value of another type.", "%s has no type like %s.", s.Dialect.Product, e.Typ)
		}
	case *plan.Cast:
		_, r := s.Dialect.Cast(s, e)
		return r
	case *plan.Case:
		if s.Dialect.Choice != nil && e.Typ.Kind == value.Numeric {
			values := []plan.Expr{e.Else}
			for _, w := range e.Whens {
				values = append(values, w.Result)
			}
			return s.Dialect.Choice(values)
		}
	case *plan.Call:
		rule, ok := s.Dialect.Calls[e.Op]
		if !ok {
			return Reasonf("no-equivalent", "Compute it from what the source has, or leave it to Rovik.",
				"%s has nothing that computes %s exactly as Rovik does.", s.Dialect.Product, callName(e))
		}
		if r := s.quirkReason(e); r != nil {
			return r
		}
		if rule.Judge != nil {
			return rule.Judge(s, e)
		}
	}
	return nil
}

func callName(c *plan.Call) string {
	if c.Op[0] >= 'a' && c.Op[0] <= 'z' {
		return c.Op + "()"
	}
	return fmt.Sprintf("%s %s %s", c.Args[0].Type(), c.Op, c.Args[len(c.Args)-1].Type())
}

// Filter judges a condition; see fold.Source.
func (s *Source) Filter(e plan.Expr) (plan.Expr, *fold.Reason) {
	r := s.Value(e)
	if r == nil || s.Dialect.Loosen == nil {
		return nil, r
	}
	return s.Dialect.Loosen(s, e), r
}

// Group judges grouping by an expression; see fold.Source.
func (s *Source) Group(e plan.Expr) *fold.Reason {
	if r := s.Value(e); r != nil {
		return r
	}
	if e.Type().Kind.IsText() {
		_, _, r := s.Dialect.Binary(s, e)
		if r == nil && s.Dialect.Grouped != nil {
			r = s.Dialect.Grouped(s, e)
		}
		return r
	}
	return s.kindReason(e.Type().Kind)
}

func (s *Source) kindReason(k value.Kind) *fold.Reason {
	if !s.Dialect.Kinds[k] && !k.IsText() {
		return Reasonf("no-equivalent", "Cast it to a type that both have.", "%s does not compare %s as Rovik does.", s.Dialect.Product, k)
	}
	return nil
}

// Order judges a sort key; see fold.Source.
func (s *Source) Order(k plan.SortKey) *fold.Reason { return s.ordered(k.Expr) }

// ordered judges that values of an expression are ordered as in Rovik.
func (s *Source) ordered(e plan.Expr) *fold.Reason {
	if r := s.Group(e); r != nil {
		return r
	}
	if s.Dialect.Ordered != nil {
		return s.Dialect.Ordered(s, e)
	}
	return nil
}

// Aggregate judges an aggregate call; see fold.Source.
func (s *Source) Aggregate(a plan.Agg) *fold.Reason {
	for _, e := range a.Exprs() {
		if r := s.Value(e); r != nil {
			return r
		}
	}
	extreme := a.Func == "min" || a.Func == "max"
	for _, e := range a.Args {
		if extreme {
			if r := s.ordered(e); r != nil {
				return r
			}
		} else if a.Distinct {
			if r := s.Group(e); r != nil {
				return r
			}
		}
	}
	for _, k := range a.Order {
		if r := s.Order(k); r != nil {
			return r
		}
	}
	if a.Filter != nil && !s.Dialect.FilterClause && (len(a.Args) > 1 || len(a.Order) > 0) {
		return Reasonf("no-equivalent", "Put the condition into the argument.", "%s has no FILTER for %s().", s.Dialect.Product, a.Func)
	}
	if a.Func == "count" {
		return nil
	}
	if function.OrderSensitive(a.Func) && len(a.Order) == 0 {
		return Reasonf("row-order", "Say the order: "+a.Func+"(… ORDER BY …).", "%s() depends on the order of the rows, which %s chooses.", a.Func, s.Dialect.Product)
	}
	if r := s.floatReason(a.Func, a.Args); r != nil {
		return r
	}
	return s.Dialect.Aggregate(s, a)
}

// floatReason says why an aggregate that adds up doubles is kept.
func (s *Source) floatReason(name string, args []plan.Expr) *fold.Reason {
	if facts, _ := function.AggregateOf(name); facts.AddsUp && len(args) > 0 && args[0].Type().Kind.IsFloat() {
		return Reasonf("float-order", "Cast to numeric, whose sums are exact.",
			"Sums of %s depend on the order of the rows, which %s chooses.", args[0].Type(), s.Dialect.Product)
	}
	return nil
}

// Window judges a window function; see fold.Source.
func (s *Source) Window(w plan.WindowCall) *fold.Reason {
	for _, e := range w.Args {
		if r := s.Value(e); r != nil {
			return r
		}
	}
	for _, e := range w.Partition {
		if r := s.Group(e); r != nil {
			return r
		}
	}
	for _, k := range w.Order {
		if r := s.Order(k); r != nil {
			return r
		}
	}
	if w.Filter != nil {
		if r := s.Value(w.Filter); r != nil {
			return r
		}
	}
	constants := 0
	for _, k := range w.Order {
		if _, constant := k.Expr.(*plan.Const); constant {
			constants++
		}
		if constants > 0 && (!w.Frame.IsDefault() || constants == len(w.Order)) {
			return Reasonf("no-equivalent", "Order the window by a column.", "The window is ordered by a constant, which %s takes for a column's position.", s.Dialect.Product)
		}
	}
	if r := s.floatReason(w.Func, w.Args); r != nil {
		return r
	}
	if function.OrderSensitive(w.Func) && len(w.Order) == 0 {
		return Reasonf("row-order", "Add ORDER BY to the window.", "%s() depends on the order of the rows, which %s chooses.", w.Func, s.Dialect.Product)
	}
	if w.Func == "min" || w.Func == "max" {
		if r := s.ordered(w.Args[0]); r != nil {
			return r
		}
	}
	if s.Dialect.Window == nil {
		return Reasonf("no-equivalent", "None is needed where few rows are left: filter below it.", "%s has no window functions that Rovik could rely on.", s.Dialect.Product)
	}
	return s.Dialect.Window(s, w)
}

// Operator judges an operator; see fold.Source. Plain joins, groups, sorts,
// limits and UNION ALL are the same everywhere.
func (s *Source) Operator(n plan.Node) *fold.Reason {
	switch n := n.(type) {
	case *plan.Join:
		if n.Kind == plan.MarkJoin && n.Test != nil {
			if _, _, ok := MarkSides(n); !ok {
				return Reasonf("no-equivalent", "Use it as a condition of WHERE.", "The comparison with the subquery's rows has more than one part.")
			}
			return s.Dialect.Operator(s, n)
		}
		if n.Kind != plan.FullJoin && !n.Kind.LeftOnly() {
			return nil
		}
	case *plan.Aggregate:
		if n.Sets == nil {
			return nil
		}
	case *plan.Distinct:
		if len(n.On) == 0 {
			return nil
		}
	case *plan.Limit:
		if n.Ties == nil {
			return nil
		}
	case *plan.SetOp, *plan.Union:
	default:
		return nil
	}
	return s.Dialect.Operator(s, n)
}

// MarkSides returns the two sides of a mark join's test x = y, y being of the
// subquery.
func MarkSides(n *plan.Join) (x, y plan.Expr, ok bool) {
	l, r, ok := plan.EquiKeys(n.Test, plan.Outputs(n.Left), plan.Outputs(n.Right))
	return l, r, ok && n.Test.(*plan.Call).Op == "="
}

// Render writes a native statement; see fold.Source.
func (s *Source) Render(root plan.Node) (fold.Native, error) {
	text, err := s.rope(root)
	if err != nil {
		return fold.Native{}, err
	}
	native := text.flatten(s.Dialect)
	if text.hasKeys() {
		plain, err := s.rope(withoutKeys(root))
		if err != nil {
			return fold.Native{}, err
		}
		native.MaxKeys = s.KeyBatch()
		native.WithKeys = func(keys []value.Value) (string, []value.Value) {
			if keys == nil {
				n := plain.flatten(s.Dialect)
				return n.Text, n.Parameters
			}
			n := text.withKeys(s.possible(keys)).flatten(s.Dialect)
			return n.Text, n.Parameters
		}
	}
	return native, nil
}

func (s *Source) rope(root plan.Node) (Rope, error) {
	p := &Printer{Source: s, aliases: map[string]int{}, collations: map[plan.ID]string{}}
	b, err := p.block(root)
	if err != nil {
		return nil, err
	}
	return p.selectText(b.stored(), root.Columns()), nil
}

// withoutKeys drops the conditions on shipped keys.
func withoutKeys(root plan.Node) plan.Node {
	return plan.Rewrite(root, func(n plan.Node) plan.Node {
		f, ok := n.(*plan.Filter)
		if !ok {
			return n
		}
		var kept []plan.Expr
		for _, c := range f.Conds {
			if call, ok := c.(*plan.Call); ok && call.Op == "in" {
				if _, shipped := call.Args[1].(*plan.ShippedKeys); shipped {
					continue
				}
			}
			kept = append(kept, c)
		}
		if len(kept) == 0 {
			return f.Input
		}
		return &plan.Filter{Input: f.Input, Conds: kept}
	})
}

// possible returns the keys that the database can hold; the others find nothing
// there.
func (s *Source) possible(keys []value.Value) []value.Value {
	var out []value.Value
	for _, k := range keys {
		if k.Kind == value.Numeric {
			k = value.DecimalOf(k.Dec.Canonical())
		}
		if s.Dialect.Literal(k) {
			out = append(out, k)
		}
	}
	if out == nil && len(keys) > 0 {
		return []value.Value{value.NullOf(keys[0].Kind)}
	}
	return out
}

// KeyBatch returns how many shipped keys go into one statement.
func (s *Source) KeyBatch() int { return s.Dialect.KeyBatch }

// Comparison judges a comparison of two values of one kind, by the dialect's
// kinds and, for text, its binary collation.
func Comparison(s *Source, c *plan.Call) *fold.Reason {
	for _, a := range c.Args {
		if a.Type().Kind.IsText() {
			if _, _, r := s.Dialect.Binary(s, a); r != nil {
				return r
			}
		} else if r := s.kindReason(a.Type().Kind); r != nil {
			return r
		}
	}
	return nil
}

// Const returns the constant value of e, if it is one that is not NULL.
func Const(e plan.Expr) (value.Value, bool) {
	c, ok := e.(*plan.Const)
	if !ok || c.Val.IsNull {
		return value.Value{}, false
	}
	return c.Val, true
}

// IntBetween judges that argument i is a constant integer within bounds.
func IntBetween(args []plan.Expr, i int, low, high int64) bool {
	if i >= len(args) {
		return true
	}
	v, ok := Const(args[i])
	return ok && v.Int >= low && v.Int <= high
}

// ConstArguments judges that some arguments are constants within bounds.
func ConstArguments(product, what string, low, high int64, positions ...int) func(*Source, *plan.Call) *fold.Reason {
	return func(s *Source, c *plan.Call) *fold.Reason {
		for _, i := range positions {
			if !IntBetween(c.Args, i, low, high) {
				return Reasonf("function-differs", "Use constants that are not negative.", "%s treats %s differently unless its numbers are constants in the usual range.", product, what)
			}
		}
		return nil
	}
}

// A Source judges all that there is.
var _ interface {
	fold.Filterer
	fold.Grouper
	fold.Sorter
	fold.Windower
	fold.Operator
	fold.KeyTaker
	fold.ColumnAware
} = (*Source)(nil)
