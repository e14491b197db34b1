package bind

import (
	"math"
	"slices"
	"strings"

	"rovik/core/function"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

func (x *exprBinder) op(e *syntax.Op, org plan.Origin) plan.Expr {
	b := x.b
	if out, ok := x.rowOp(e, org); ok {
		return out
	}
	if path := pathText(e.Name, e.Args); takesPath(e.Name, len(e.Args)) {
		args := x.bindAll(path)
		b.checkPath(e.Name, args, e.Args)
		return x.call(e.Name, args, e.Args, org, e.Span)
	}
	args := x.operands(e)
	boolean := value.Of(value.Bool)
	if e.Quantifier != function.One {
		return x.quantified(e.Name, e.Quantifier, args, e, org)
	}
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
		return &plan.Call{Op: e.Name, Args: []plan.Expr{b.settle(b.detached(args[0]))}, Typ: boolean, Org: org}
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
			before := open
			x.under(func() []plan.Expr { return before }, func() { arg = x.bind(a) })
		}
		args = append(args, arg)
		if k := arg.Type().Kind; k == value.Bool {
			open = append(open, &plan.Call{Op: decides, Args: []plan.Expr{arg}, Typ: value.Of(value.Bool)})
		}
	}
	return args
}

// takesParts reports whether || has a meaning of its own for e's type.
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
func (x *exprBinder) quantified(op string, quantifier function.Quantifier, args []plan.Expr, e *syntax.Op, org plan.Origin) plan.Expr {
	b := x.b
	boolean := value.Of(value.Bool)
	if rest, not := strings.CutPrefix(op, "not "); not || strings.HasPrefix(op, "!") {
		// NOT LIKE ANY is LIKE ALL negated, and the other way round.
		if !not {
			rest = op[1:]
		}
		other := map[function.Quantifier]function.Quantifier{function.Any: function.All, function.All: function.Any}[quantifier]
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
	return &plan.Call{Op: function.Quantified(op, quantifier), Args: []plan.Expr{left, right}, Typ: boolean, Org: org}
}

func (x *exprBinder) array(e *syntax.Array, org plan.Origin) plan.Expr {
	if len(e.Items) == 0 {
		x.b.fail(e.Span, value.Errorf("42P18", "cannot determine type of empty array").WithHint("explicitly cast to the desired type, for example ARRAY[]::integer[]"))
	}
	args := x.unify(x.bindAll(e.Items), e.Items, "ARRAY")
	elem := args[0].Type().Kind
	if elem.IsArray() {
		x.b.fail(e.Span, value.Errorf(value.CodeUnsupported, "only one-dimensional arrays are supported"))
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
	if kind == value.JSONB && !e.Slice {
		return x.call("jsonb_extract_path", []plan.Expr{arg, x.toText(b.settle(x.bind(e.Upper)))}, nil, org, e.Span)
	}
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
