package bind

import (
	"errors"
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
	sets      []plan.SetCall       // set-returning functions in the select list
	targets   bool                 // the select list is being bound
	noSets    string               // where set-returning functions may not stand, within the select list
	clause    string               // for the error about misplaced aggregates
	guard     []func() []plan.Expr // hold where the expression is evaluated
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
		b.deduce(c, to.Kind, at)
		if c.Typ == beyondNumeric && !to.Kind.IsFloat() {
			b.fail(at, value.ErrNumericRange)
		}
		if _, implicit := value.ImplicitSteps(c.Typ.Kind, to.Kind); !implicit {
			b.fail(at, value.Errorf(value.CodeTypeMismatch, "type %s does not turn into %s by itself", e.Type(), to).WithHint("write CAST(… AS %s)", to))
		}
		v, err := b.castValue(c.Val, to)
		b.check(at, err)
		return &plan.Const{Val: v, Typ: value.Of(to.Kind), Org: c.Org}
	}
	if _, ok := value.ImplicitSteps(e.Type().Kind, to.Kind); !ok {
		b.fail(at, value.Errorf(value.CodeTypeMismatch, "type %s does not turn into %s by itself", e.Type(), to).
			WithHint("write CAST(… AS %s)", to))
	}
	return &plan.Cast{Arg: e, Typ: value.Of(to.Kind), Org: e.Origin()}
}

// castValue converts a constant. In what becomes a date or time, words as today mean those
// of the run.
func (b *binder) castValue(v value.Value, to value.Type) (value.Value, error) {
	if !v.IsNull && (v.Kind == value.Null || v.Kind == value.Text) {
		if out, relative, err := value.ParseAt(to.Kind, v.Str, b.ctx.Now); relative {
			b.volatile = true
			return out, err
		}
	}
	return kernel.CastValue(v, to)
}

func (x *exprBinder) bind(e syntax.Expr) plan.Expr {
	b := x.b
	b.ids.Effort.Spend(1)
	org := b.origin(e.At())
	switch e := e.(type) {
	case *syntax.Column:
		return x.column(e)
	case *syntax.Star:
		b.fail(e.Span, value.Errorf(value.CodeSyntax, "* stands only in select lists and count(*)"))
	case *syntax.Param:
		return b.param(e, org)
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
	if e.Type == "char" { // with quotation marks; without them the parser says bpchar
		b.fail(e.Span, value.Errorf("42704", `the type "char", internal to PostgreSQL, is not supported`).WithHint("cast to char(1) or text"))
	}
	if e.Type == "jsonpath" && !e.Array {
		return x.call("cast jsonpath", []plan.Expr{b.settle(x.bind(e.Expr))}, []syntax.Expr{e.Expr}, org, e.Span)
	}
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
	case kind == value.Interval && len(e.Mods) > 0:
		if _, literal := e.Expr.(*syntax.Literal); literal || len(e.Mods) < 2 || e.Mods[0] != value.AllFields {
			return x.intervalOf(e, org)
		}
		return x.toPrecision(e, kind, e.Mods[1], org)
	case (kind == value.Time || kind == value.Timestamp || kind == value.TimestampTZ) && len(e.Mods) == 1:
		return x.toPrecision(e, kind, e.Mods[0], org)
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

// mostDecimals is how many digits of a second there are.
const mostDecimals = 6

// toPrecision casts to a type of time with so many digits of a second.
func (x *exprBinder) toPrecision(e *syntax.Cast, kind value.Kind, digits int, org plan.Origin) plan.Expr {
	arg := x.castTo(x.bind(e.Expr), value.Of(kind), e.Span)
	if digits >= mostDecimals {
		return plan.WithOrigin(arg, org)
	}
	n := &plan.Const{Val: value.IntOf(value.Int4, int64(digits)), Typ: value.Of(value.Int4), Org: org}
	return x.call(kernel.OpPrecision, []plan.Expr{arg, n}, nil, org, e.Span)
}

// intervalOf binds an interval of certain fields, which is a constant.
func (x *exprBinder) intervalOf(e *syntax.Cast, org plan.Origin) plan.Expr {
	l, ok := e.Expr.(*syntax.Literal)
	if !ok || l.Kind != syntax.LiteralText {
		x.b.fail(e.Span, value.Errorf(value.CodeUnsupported, "an interval is cut to fields where it is a constant").WithHint("use date_trunc"))
	}
	precision := -1
	if len(e.Mods) > 1 {
		precision = e.Mods[1]
	}
	span, err := value.ParseIntervalIn(l.Text, e.Mods[0], precision)
	x.b.check(e.Span, err)
	return &plan.Const{Val: value.Value{Kind: value.Interval, Span: span}, Typ: value.Of(value.Interval), Org: org}
}

// castTo converts explicitly.
func (x *exprBinder) castTo(arg plan.Expr, to value.Type, at syntax.Span) plan.Expr {
	b := x.b
	if c, isConst := arg.(*plan.Const); isConst {
		b.deduce(c, to.Kind, at)
		v, err := b.castValue(c.Val, to)
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
		before := conds
		held := func() []plan.Expr {
			for _, c := range before {
				taken = append(taken, &plan.Call{Op: "is not true", Args: []plan.Expr{c}, Typ: boolean})
			}
			return taken
		}
		x.under(held, func() { results = append(results, x.bind(e)) })
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
