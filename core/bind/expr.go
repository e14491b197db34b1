package bind

import (
	"errors"
	"math"
	"slices"
	"strings"

	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// exprBinder binds expressions of one select block.
type exprBinder struct {
	b        *binder
	scope    *scope
	env      *env         // what subqueries can name
	aggs     *aggregation // nil where aggregates may not stand
	windows  *windowing   // nil where window functions may not stand
	subs     *attachments // nil where subqueries may not stand
	inAgg    bool
	inWindow bool
	// subsInAgg takes the subqueries in arguments of aggregates.
	subsInAgg *attachments
	sets      []plan.SetCall // set-returning functions in the select list
	targets   bool           // the select list is being bound
	noSets    string         // where set-returning functions may not stand, within the select list
	clause    string         // for the error about misplaced aggregates
	guard     []plan.Expr    // hold where the expression is evaluated
}

func (r *relation) answers(parts []string) bool {
	if len(parts) == 1 {
		return r.name == parts[0]
	}
	return r.full != nil && strings.Join(r.full, ".") == strings.Join(parts, ".")
}

func (s *scope) has(name string) bool {
	for _, r := range s.relations {
		for _, c := range r.cols {
			if c.Name == name {
				return true
			}
		}
	}
	return false
}

// condition binds a boolean expression.
func (x *exprBinder) condition(e syntax.Expr, clause string) plan.Expr {
	bound := x.bind(e)
	if c, ok := bound.(*plan.Const); ok && c.Typ.Kind == value.Null {
		return x.b.coerce(bound, value.Of(value.Bool), e.At())
	}
	if bound.Type().Kind != value.Bool {
		x.b.fail(e.At(), value.Errorf(value.CodeTypeMismatch, "argument of %s must be type boolean, not type %s", clause, bound.Type()))
	}
	return bound
}

// settle gives an untyped literal the type text.
func (b *binder) settle(e plan.Expr) plan.Expr {
	if e.Type().Kind == value.Null {
		return b.coerce(e, value.Of(value.Text), syntax.Span{})
	}
	return e
}

// coerce converts e to kind implicitly, or fails.
func (b *binder) coerce(e plan.Expr, to value.Type, at syntax.Span) plan.Expr {
	if e.Type().Kind == to.Kind {
		return e
	}
	if c, ok := e.(*plan.Const); ok {
		if c.Typ == beyondNumeric && !to.Kind.IsFloat() {
			b.fail(at, value.ErrNumericRange)
		}
		if _, implicit := value.ImplicitSteps(c.Typ.Kind, to.Kind); !implicit {
			b.fail(at, value.Errorf(value.CodeTypeMismatch, "type %s does not turn into %s by itself", e.Type(), to).WithHint("write CAST(… AS %s)", to))
		}
		v, err := kernel.CastValue(c.Val, to)
		b.check(at, err)
		return &plan.Const{Val: v, Typ: value.Of(to.Kind), Org: c.Org}
	}
	if _, ok := value.ImplicitSteps(e.Type().Kind, to.Kind); !ok {
		b.fail(at, value.Errorf(value.CodeTypeMismatch, "type %s does not turn into %s by itself", e.Type(), to).
			WithHint("write CAST(… AS %s)", to))
	}
	return &plan.Cast{Arg: e, Typ: value.Of(to.Kind), Org: e.Origin()}
}

func (x *exprBinder) bind(e syntax.Expr) plan.Expr {
	b := x.b
	org := b.origin(e.At())
	switch e := e.(type) {
	case *syntax.Column:
		return x.column(e)
	case *syntax.Star:
		b.fail(e.Span, value.Errorf(value.CodeSyntax, "* stands only in select lists and count(*)"))
	case *syntax.Literal:
		return b.literal(e, org)
	case *syntax.Op:
		return x.op(e, org)
	case *syntax.Func:
		return x.function(e, org)
	case *syntax.Cast:
		return x.cast(e, org)
	case *syntax.Case:
		return x.caseExpr(e, org)
	case *syntax.In:
		return x.in(e, org)
	case *syntax.Sub:
		return x.subquery(e, org)
	case *syntax.Array:
		return x.array(e, org)
	case *syntax.Subscript:
		return x.subscript(e, org)
	case *syntax.Row:
		b.fail(e.Span, value.Errorf(value.CodeUnsupported, "a row of values stands only in comparisons"))
	}
	b.fail(e.At(), value.Errorf(value.CodeUnsupported, "this expression is not supported yet"))
	return nil
}

func (x *exprBinder) bindAll(exprs []syntax.Expr) []plan.Expr {
	out := make([]plan.Expr, len(exprs))
	for i, e := range exprs {
		out[i] = x.bind(e)
	}
	return out
}

// find returns the columns of s itself that a name can mean.
func (s *scope) find(name string, table []string) []plan.Column {
	var found []plan.Column
	seen := plan.IDs{}
	for i := range s.relations {
		r := &s.relations[i]
		if len(table) > 0 && !r.answers(table) {
			continue
		}
		for _, col := range r.cols {
			hidden := len(table) == 0 && !r.merged && s.hidden[col.ID]
			if col.Name == name && !hidden && !seen[col.ID] {
				seen[col.ID] = true
				found = append(found, col)
			}
		}
	}
	return found
}

func (s *scope) answers(table []string) bool {
	for i := range s.relations {
		if s.relations[i].answers(table) {
			return true
		}
	}
	return false
}

// column resolves a column name, in the block's own FROM first, then in the
// queries around.
func (x *exprBinder) column(c *syntax.Column) plan.Expr {
	b := x.b
	name := c.Parts[len(c.Parts)-1]
	table := c.Parts[:len(c.Parts)-1]
	relationSeen := len(table) == 0
	for s := x.scope; s != nil; s = s.outer {
		found := s.find(name, table)
		if len(found) == 1 {
			ref := found[0].Ref()
			ref.Org = b.origin(c.Span)
			if w := b.ctx.Watch; w != nil && w.Column != nil && b.view == "" {
				w.Column(c.Span, ref.ID)
			}
			return ref
		}
		if len(found) > 1 {
			b.fail(c.Span, value.Errorf(value.CodeAmbiguous, "column reference %q is ambiguous", name).WithHint("say which table it belongs to"))
		}
		if len(table) > 0 && s.answers(table) {
			relationSeen = true
			break
		}
	}
	if !relationSeen {
		b.fail(c.Span, b.unknownRelation(table, x.scope))
	}
	dotted := strings.Join(c.Parts, ".")
	err := value.Errorf(value.CodeUndefinedColumn, "no column is called %q", dotted)
	if near := catalog.Nearest(name, x.columnNames(table)); near != "" {
		if len(table) > 0 {
			near = strings.Join(table, ".") + "." + near
		}
		err = err.WithHint("did you mean %s?", near)
	}
	b.fail(c.Span, err)
	return nil
}

func (x *exprBinder) columnNames(table []string) []string {
	var names []string
	for _, r := range x.scope.relations {
		if len(table) == 0 || r.answers(table) {
			for _, c := range r.cols {
				names = append(names, c.Name)
			}
		}
	}
	return names
}

func (b *binder) unknownRelation(parts []string, s *scope) *value.Error {
	name := strings.Join(parts, ".")
	err := value.Errorf(value.CodeUndefinedTable, "nothing in FROM is called %q", name)
	var names []string
	for _, r := range s.relations {
		names = append(names, r.name)
	}
	if near := catalog.Nearest(name, names); near != "" {
		return err.WithHint("did you mean %s?", near)
	}
	if len(names) > 0 {
		return err.WithHint("there is %s", strings.Join(names, ", "))
	}
	return err
}

func (b *binder) literal(l *syntax.Literal, org plan.Origin) plan.Expr {
	c := &plan.Const{Org: org}
	switch l.Kind {
	case syntax.LiteralNull:
		c.Val = value.NullOf(value.Null)
	case syntax.LiteralBool:
		c.Val = value.BoolOf(l.Text == "true")
	case syntax.LiteralText:
		c.Val = value.Value{Kind: value.Null, Str: l.Text}
	default:
		c.Val = value.IntOf(value.Int4, 0)
		if i, err := value.ParseInt(value.Int8, l.Text); err == nil {
			c.Val.Int = i
			if int64(int32(i)) != i {
				c.Val.Kind = value.Int8
			}
		} else {
			d, err := value.ParseDecimal(l.Text)
			if errors.Is(err, value.ErrNumericRange) {
				c.Val, c.Typ = value.Value{Kind: value.Null, Str: l.Text}, beyondNumeric
				return c
			}
			b.check(l.Span, err)
			c.Val = value.DecimalOf(d)
		}
	}
	c.Typ = value.Of(c.Val.Kind)
	return c
}

// beyondNumeric is the type of a number that numeric does not hold, and double
// precision perhaps, until it meets one.
var beyondNumeric = value.Type{Kind: value.Null, Precision: 1}

func (x *exprBinder) op(e *syntax.Op, org plan.Origin) plan.Expr {
	b := x.b
	if out, ok := x.rowOp(e, org); ok {
		return out
	}
	args := x.operands(e)
	boolean := value.Of(value.Bool)
	switch e.Name {
	case "and", "or", "not", "is true", "is not true", "is false", "is not false":
		for i := range args {
			if k := args[i].Type().Kind; k != value.Bool && k != value.Null {
				b.fail(e.Args[i].At(), value.Errorf(value.CodeTypeMismatch, "argument of %s must be type boolean, not type %s", strings.ToUpper(e.Name), args[i].Type()))
			}
			args[i] = b.coerce(args[i], boolean, e.Args[i].At())
		}
		return &plan.Call{Op: e.Name, Args: args, Typ: boolean, Org: org}
	case "is null", "is not null":
		return &plan.Call{Op: e.Name, Args: []plan.Expr{b.settle(args[0])}, Typ: boolean, Org: org}
	}
	if op, quantifier, ok := strings.Cut(e.Name, " a"); ok && (quantifier == "ny" || quantifier == "ll") {
		return x.quantified(op, "a"+quantifier, args, e, org)
	}
	if e.Name == "-" && len(args) == 1 {
		return x.call("neg", args, e.Args, org, e.Span)
	}
	if e.Name == "||" && !takesParts(args[0]) && !takesParts(args[1]) {
		// Text takes up anything on its other side.
		for i, a := range args {
			other, own := args[1-i].Type().Kind, a.Type().Kind
			if own != value.Text && own != value.Null && (other.IsText() || other == value.Null) {
				args[i] = x.toText(a)
			}
		}
	}
	return x.comparison(e.Name, args, e.Args, org, e.Span)
}

// operands binds the operands of an operator. Those of AND and OR are evaluated
// as long as the ones before do not decide.
func (x *exprBinder) operands(e *syntax.Op) []plan.Expr {
	decides := map[string]string{"and": "is not false", "or": "is not true"}[e.Name]
	if decides == "" {
		return x.bindAll(e.Args)
	}
	var args, open []plan.Expr
	for _, a := range e.Args {
		var arg plan.Expr
		if len(open) == 0 {
			arg = x.bind(a)
		} else {
			x.under(plan.And(open), func() { arg = x.bind(a) })
		}
		args = append(args, arg)
		if k := arg.Type().Kind; k == value.Bool {
			open = append(open[:len(open):len(open)], &plan.Call{Op: decides, Args: []plan.Expr{arg}, Typ: value.Of(value.Bool)})
		}
	}
	return args
}

// takesParts tells whether || has a meaning of its own for e's type.
func takesParts(e plan.Expr) bool {
	k := e.Type().Kind
	return k.IsArray() || k == value.JSONB || k == value.Bytea
}

func (x *exprBinder) toText(e plan.Expr) plan.Expr {
	if e.Type().Kind == value.Text {
		return e
	}
	return &plan.Cast{Arg: e, Typ: value.Of(value.Text), Org: e.Origin()}
}

// comparison binds a binary operator over bound arguments, negated ones and
// those that see NULLs included.
func (x *exprBinder) comparison(op string, args []plan.Expr, parts []syntax.Expr, org plan.Origin, at syntax.Span) plan.Expr {
	boolean := value.Of(value.Bool)
	switch op {
	case "not like", "not ilike":
		return &plan.Call{Op: "not", Args: []plan.Expr{x.call(op[4:], args, parts, org, at)}, Typ: boolean, Org: org}
	case "!~", "!~*":
		return &plan.Call{Op: "not", Args: []plan.Expr{x.call(op[1:], args, parts, org, at)}, Typ: boolean, Org: org}
	case "is distinct from", "is not distinct from":
		equal := x.call("=", args, parts, org, at).(*plan.Call)
		return &plan.Call{Op: op, Args: equal.Args, Typ: boolean, Org: org}
	}
	if isComparison(op) {
		args = narrowConstant(args)
	}
	return x.call(op, args, parts, org, at)
}

// rowOp binds comparisons of rows and tests of rows for NULL.
func (x *exprBinder) rowOp(e *syntax.Op, org plan.Origin) (plan.Expr, bool) {
	left, ok := e.Args[0].(*syntax.Row)
	if !ok {
		return nil, false
	}
	if len(e.Args) == 1 && strings.HasSuffix(e.Name, "null") {
		var tests []plan.Expr
		for _, it := range left.Items {
			tests = append(tests, &plan.Call{Op: e.Name, Args: []plan.Expr{x.b.settle(x.bind(it))}, Typ: value.Of(value.Bool), Org: org})
		}
		return &plan.Call{Op: "and", Args: tests, Typ: value.Of(value.Bool), Org: org}, true
	}
	if len(e.Args) != 2 {
		return nil, false
	}
	right, ok := e.Args[1].(*syntax.Row)
	if sub, isSub := e.Args[1].(*syntax.Sub); isSub && sub.Kind == "scalar" {
		tests := x.bindAll(left.Items)
		query, subs := x.subqueryHere(sub)
		if n := len(query.Columns()); n != len(tests) {
			x.b.fail(sub.Span, value.Errorf(value.CodeSyntax, "subquery has too %s columns", map[bool]string{true: "few", false: "many"}[n < len(tests)]))
		}
		return x.rowComparison(e.Name, tests, x.onlyRow(query, subs, org), left.Items, org, e.Span), true
	}
	if !ok {
		return nil, false
	}
	return x.rowComparison(e.Name, x.bindAll(left.Items), x.bindAll(right.Items), left.Items, org, e.Span), true
}

// quantified binds x op ANY (array) and x op ALL (array).
func (x *exprBinder) quantified(op, quantifier string, args []plan.Expr, e *syntax.Op, org plan.Origin) plan.Expr {
	b := x.b
	boolean := value.Of(value.Bool)
	if rest, not := strings.CutPrefix(op, "not "); not || strings.HasPrefix(op, "!") {
		// NOT LIKE ANY is LIKE ALL negated, and the other way round.
		if !not {
			rest = op[1:]
		}
		other := map[string]string{"any": "all", "all": "any"}[quantifier]
		return &plan.Call{Op: "not", Args: []plan.Expr{x.quantified(rest, other, args, e, org)}, Typ: boolean, Org: org}
	}
	left, right := args[0], args[1]
	kind := right.Type().Kind
	if kind == value.Null {
		// An untyped literal is an array of the other side's type.
		elem := left.Type().Kind
		if elem == value.Null {
			elem = value.Text
		}
		kind = value.ArrayOf(elem)
		right = b.coerce(right, value.Of(kind), e.Args[1].At())
	}
	if !kind.IsArray() {
		b.fail(e.Args[1].At(), value.Errorf("42809", "op ANY/ALL (array) requires array on right side"))
	}
	f, err := kernel.Resolve(op, []value.Kind{left.Type().Kind, kind.Elem()})
	b.check(e.Span, err)
	left = b.coerce(left, value.Of(f.Args[0]), e.Args[0].At())
	if kind.Elem() != f.Args[1] {
		right = x.castTo(right, value.Of(value.ArrayOf(f.Args[1])), e.Args[1].At())
	}
	return &plan.Call{Op: op + " " + quantifier, Args: []plan.Expr{left, right}, Typ: boolean, Org: org}
}

func (x *exprBinder) array(e *syntax.Array, org plan.Origin) plan.Expr {
	if len(e.Items) == 0 {
		x.b.fail(e.Span, value.Errorf("42P18", "cannot determine type of empty array").WithHint("explicitly cast to the desired type, for example ARRAY[]::integer[]"))
	}
	args := x.unify(x.bindAll(e.Items), e.Items, "ARRAY")
	elem := args[0].Type().Kind
	if elem.IsArray() {
		x.b.fail(e.Span, value.Errorf(value.CodeUnsupported, "arrays have one dimension here"))
	}
	items := make([]value.Value, len(args))
	for i, a := range args {
		c, ok := a.(*plan.Const)
		if !ok {
			return &plan.Call{Op: "array", Args: args, Typ: value.Of(value.ArrayOf(elem)), Org: org}
		}
		items[i] = c.Val
	}
	return &plan.Const{Val: value.ListOf(elem, items), Typ: value.Of(value.ArrayOf(elem)), Org: org}
}

func (x *exprBinder) subscript(e *syntax.Subscript, org plan.Origin) plan.Expr {
	b := x.b
	arg := x.bind(e.Expr)
	kind := arg.Type().Kind
	if !kind.IsArray() {
		b.fail(e.Expr.At(), value.Errorf(value.CodeTypeMismatch, "cannot subscript type %s because it does not support subscripting", kind))
	}
	i4 := value.Of(value.Int4)
	bound := func(part syntax.Expr, missing int64) plan.Expr {
		if part == nil {
			return &plan.Const{Val: value.IntOf(value.Int4, missing), Typ: i4, Org: org}
		}
		return b.coerce(x.bind(part), i4, part.At())
	}
	if e.Slice {
		return &plan.Call{Op: "array slice", Args: []plan.Expr{arg, bound(e.Lower, 1), bound(e.Upper, math.MaxInt32)}, Typ: value.Of(kind), Org: org}
	}
	return &plan.Call{Op: "array element", Args: []plan.Expr{arg, bound(e.Upper, 1)}, Typ: value.Of(kind.Elem()), Org: org}
}

func isComparison(op string) bool {
	switch op {
	case "=", "<>", "<", "<=", ">", ">=":
		return true
	}
	return false
}

// narrowConstant gives an integer constant the kind of the integer column that
// it is compared with, where it fits, so that the column needs no cast.
func narrowConstant(args []plan.Expr) []plan.Expr {
	for i, a := range args {
		c, ok := a.(*plan.Const)
		other := args[1-i].Type().Kind
		if ok && !c.Val.IsNull && c.Typ.Kind.IsInteger() && other.IsInteger() {
			if v, err := kernel.CastValue(c.Val, value.Of(other)); err == nil {
				out := append([]plan.Expr{}, args...)
				out[i] = &plan.Const{Val: v, Typ: value.Of(other), Org: c.Org}
				return out
			}
		}
	}
	return args
}

// call resolves an overload and casts the arguments to it.
func (x *exprBinder) call(name string, args []plan.Expr, parts []syntax.Expr, org plan.Origin, at syntax.Span) plan.Expr {
	kinds := make([]value.Kind, len(args))
	for i, a := range args {
		if kinds[i] = a.Type().Kind; a.Type() == beyondNumeric {
			kinds[i] = value.Numeric
		}
	}
	f, err := kernel.Resolve(name, kinds)
	x.b.check(at, err)
	cast := make([]plan.Expr, len(args))
	for i, a := range args {
		where := at
		if i < len(parts) {
			where = parts[i].At()
		}
		cast[i] = x.b.coerce(a, value.Of(f.Args[i]), where)
	}
	return &plan.Call{Op: f.Name, Args: cast, Typ: value.Of(f.Result), Org: org}
}

// unify casts expressions to their common type.
func (x *exprBinder) unify(args []plan.Expr, parts []syntax.Expr, what string) []plan.Expr {
	return x.unifyAt(args, parts, what, syntax.Span{})
}

func (x *exprBinder) unifyAt(args []plan.Expr, parts []syntax.Expr, what string, whole syntax.Span) []plan.Expr {
	place := func(i int) syntax.Span {
		if i < len(parts) {
			return parts[i].At()
		}
		return whole
	}
	kind := value.Null
	for i, a := range args {
		k, ok := value.Common(kind, a.Type().Kind)
		if !ok {
			x.b.fail(place(i), value.Errorf(value.CodeTypeMismatch, "%s types %s and %s cannot be matched", strings.ToUpper(what), kind, a.Type()).
				WithHint("cast one of them"))
		}
		kind = k
	}
	if kind == value.Null {
		kind = value.Text
	}
	out := make([]plan.Expr, len(args))
	for i, a := range args {
		out[i] = x.b.coerce(a, value.Of(kind), place(i))
	}
	return out
}

func (x *exprBinder) cast(e *syntax.Cast, org plan.Origin) plan.Expr {
	b := x.b
	kind, ok := value.KindNamed(e.Type)
	if !ok {
		err := value.Errorf("42704", "type %q is not supported yet", e.Type)
		var names []string
		for _, k := range value.Kinds() {
			names = append(names, k.String())
		}
		if near := catalog.Nearest(e.Type, names); near != "" {
			err = err.WithHint("did you mean %s?", near)
		} else {
			err = err.WithHint("there is %s", strings.Join(names, ", "))
		}
		b.fail(e.Span, err)
	}
	if e.Array {
		kind = value.ArrayOf(kind)
	}
	to := value.Of(kind)
	varchar := kind == value.Text && len(e.Mods) == 1 && e.Mods[0] > 0 && strings.EqualFold(e.Type, "varchar")
	switch {
	case kind == value.Numeric && len(e.Mods) > 0:
		to.Precision = e.Mods[0]
		if len(e.Mods) > 1 {
			to.Scale = e.Mods[1]
		}
		if to.Precision < 1 || to.Precision > value.MaxDigits || to.Scale < 0 || to.Scale > to.Precision {
			b.fail(e.Span, value.Errorf(value.CodeBadParameter, "numeric(%d,%d) is out of range: at most %d digits, and no more decimals than digits",
				to.Precision, to.Scale, value.MaxDigits))
		}
	case kind == value.Char && len(e.Mods) == 1 && e.Mods[0] > 0:
		to.Precision = e.Mods[0]
	case len(e.Mods) > 0 && !varchar:
		b.fail(e.Span, value.Errorf(value.CodeUnsupported, "a modifier on the type %s is not supported yet", e.Type))
	}
	if list, ok := e.Expr.(*syntax.Array); ok && len(list.Items) == 0 && kind.IsArray() {
		return &plan.Const{Val: value.ListOf(kind.Elem(), nil), Typ: to, Org: org}
	}
	arg := e.Expr
	if l, ok := arg.(*syntax.Literal); ok && (l.Kind == syntax.LiteralInt || l.Kind == syntax.LiteralDecimal) && kind.IsFloat() {
		// A number's own text: it may have more digits than a numeric.
		arg = &syntax.Literal{Span: l.Span, Kind: syntax.LiteralText, Text: l.Text}
	}
	out := plan.WithOrigin(x.castTo(x.bind(arg), to, e.Span), org)
	if varchar {
		n := &plan.Const{Val: value.IntOf(value.Int4, int64(e.Mods[0])), Typ: value.Of(value.Int4), Org: org}
		return &plan.Call{Op: "left", Args: []plan.Expr{out, n}, Typ: to, Org: org}
	}
	return out
}

// castTo converts explicitly.
func (x *exprBinder) castTo(arg plan.Expr, to value.Type, at syntax.Span) plan.Expr {
	b := x.b
	if c, isConst := arg.(*plan.Const); isConst {
		v, err := kernel.CastValue(c.Val, to)
		b.check(at, err)
		return &plan.Const{Val: v, Typ: to, Org: c.Org}
	}
	if call, ok := arg.(*plan.Call); ok && call.Op == "array" && to.Kind.IsArray() && call.Typ.Kind != to.Kind {
		// ARRAY[…]::type[] casts the elements.
		out := *call
		out.Args, out.Typ = make([]plan.Expr, len(call.Args)), to
		for i, a := range call.Args {
			out.Args[i] = x.castTo(a, value.Of(to.Kind.Elem()), at)
		}
		return &out
	}
	if !kernel.CanCast(arg.Type().Kind, to.Kind) {
		b.fail(at, value.Errorf("42846", "cannot cast type %s to %s", arg.Type(), to))
	}
	return &plan.Cast{Arg: arg, Typ: to, Org: arg.Origin()}
}

// without refuses set-returning functions within a construct until the function
// that it returns is called.
func (x *exprBinder) without(construct string) func() {
	before := x.noSets
	x.noSets = construct
	return func() { x.noSets = before }
}

func (x *exprBinder) caseExpr(e *syntax.Case, org plan.Origin) plan.Expr {
	defer x.without("CASE")()
	var parts []syntax.Expr
	var conds, results []plan.Expr
	boolean := value.Of(value.Bool)
	// branch binds a result, which is evaluated where the last condition holds
	// and those before it do not.
	branch := func(e syntax.Expr, taken ...plan.Expr) {
		for _, c := range conds {
			taken = append(taken, &plan.Call{Op: "is not true", Args: []plan.Expr{c}, Typ: boolean})
		}
		x.under(plan.And(taken), func() { results = append(results, x.bind(e)) })
		parts = append(parts, e)
	}
	for _, w := range e.Whens {
		cond := w.Cond
		if e.Operand != nil {
			cond = &syntax.Op{Span: w.Cond.At(), Name: "=", Args: []syntax.Expr{e.Operand, w.Cond}}
		}
		holds := x.condition(cond, "CASE/WHEN")
		branch(w.Result, holds)
		conds = append(conds, holds)
	}
	last := len(e.Whens)
	if e.Else != nil {
		branch(e.Else)
		// What stands in ELSE counts first for the type.
		results, parts = slices.Concat(results[last:], results[:last]), slices.Concat(parts[last:], parts[:last])
	}
	results = x.unify(results, parts, "case")
	if e.Else != nil {
		results = slices.Concat(results[1:], results[:1])
	}
	out := &plan.Case{Typ: results[0].Type(), Org: org}
	for i, c := range conds {
		out.Whens = append(out.Whens, plan.When{Cond: c, Result: results[i]})
	}
	if e.Else != nil {
		out.Else = results[last]
	} else {
		out.Else = &plan.Const{Val: value.NullOf(out.Typ.Kind), Typ: out.Typ, Org: org}
	}
	out.Typ = value.Of(out.Typ.Kind)
	return out
}

// constants counts the expressions that read no column.
func constants(args []plan.Expr) int {
	n := 0
	for _, a := range args {
		if len(plan.Uses(a)) == 0 {
			n++
		}
	}
	return n
}

func (x *exprBinder) in(e *syntax.In, org plan.Origin) plan.Expr {
	boolean := value.Of(value.Bool)
	var in plan.Expr
	if row, ok := e.Expr.(*syntax.Row); ok {
		left := x.bindAll(row.Items)
		var any []plan.Expr
		for _, it := range e.List {
			other, isRow := it.(*syntax.Row)
			if !isRow {
				x.b.fail(it.At(), value.Errorf(value.CodeTypeMismatch, "a row is compared with rows"))
			}
			any = append(any, x.rowComparison("=", left, x.bindAll(other.Items), row.Items, org, e.Span))
		}
		in = &plan.Call{Op: "or", Args: any, Typ: boolean, Org: org}
		if len(any) == 1 {
			in = any[0]
		}
	} else {
		parts := append([]syntax.Expr{e.Expr}, e.List...)
		args := x.bindAll(parts)
		for i := range args[1:] {
			args[i+1] = narrowConstant([]plan.Expr{args[0], args[i+1]})[1]
		}
		if args[0].Type().Kind == value.Char && constants(args[1:]) < 2 && slices.ContainsFunc(args[1:], func(a plan.Expr) bool { return a.Type().Kind == value.Text }) {
			args[0] = x.b.coerce(args[0], value.Of(value.Text), e.Span) // as = has it: a list of constants is of the first's type
		}
		args = x.unify(args, parts, "in")
		x.b.comparable(args[0].Type().Kind, e.Span)
		in = &plan.Call{Op: "in", Args: args, Typ: boolean, Org: org}
	}
	if e.Not {
		return &plan.Call{Op: "not", Args: []plan.Expr{in}, Typ: boolean, Org: org}
	}
	return in
}
