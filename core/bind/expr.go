package bind

import (
	"strings"

	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// exprBinder binds expressions of one select block.
type exprBinder struct {
	b      *binder
	scope  *scope
	aggs   *aggregation // nil where aggregates may not stand
	inAgg  bool
	clause string // for the error about misplaced aggregates
}

// aggregation collects the aggregate calls of a select block.
type aggregation struct{ items []plan.AggItem }

func (a *aggregation) ids() plan.IDs {
	s := plan.IDs{}
	for _, it := range a.items {
		s[it.ID] = true
	}
	return s
}

// add returns the column of an aggregate call, the same for equal calls.
func (a *aggregation) add(b *binder, agg plan.Agg, t value.Type) *plan.Col {
	for _, it := range a.items {
		sameArg := it.Arg == nil && agg.Arg == nil || it.Arg != nil && agg.Arg != nil && plan.Equal(it.Arg, agg.Arg)
		if it.Func == agg.Func && it.Distinct == agg.Distinct && sameArg {
			return it.Ref()
		}
	}
	it := plan.AggItem{Column: plan.Column{ID: b.ids.Next(), Name: plan.AggText(agg), Type: t}, Agg: agg}
	a.items = append(a.items, it)
	return it.Ref()
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

func (x *exprBinder) column(c *syntax.Column) plan.Expr {
	b := x.b
	name := c.Parts[len(c.Parts)-1]
	table := c.Parts[:len(c.Parts)-1]
	var found []plan.Column
	relationSeen := len(table) == 0
	for i := range x.scope.relations {
		r := &x.scope.relations[i]
		if len(table) > 0 && !r.answers(table) {
			continue
		}
		relationSeen = true
		for _, col := range r.cols {
			if col.Name == name {
				found = append(found, col)
			}
		}
	}
	switch {
	case len(found) == 1:
		ref := found[0].Ref()
		ref.Org = b.origin(c.Span)
		return ref
	case len(found) > 1:
		b.fail(c.Span, value.Errorf(value.CodeAmbiguous, "column reference %q is ambiguous", name).WithHint("say which table it belongs to"))
	case !relationSeen:
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
			b.check(l.Span, err)
			c.Val = value.DecimalOf(d)
		}
	}
	c.Typ = value.Of(c.Val.Kind)
	return c
}

func (x *exprBinder) op(e *syntax.Op, org plan.Origin) plan.Expr {
	b := x.b
	args := x.bindAll(e.Args)
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
	case "not like", "not ilike":
		like := x.call(strings.TrimPrefix(e.Name, "not "), args, e.Args, org, e.Span)
		return &plan.Call{Op: "not", Args: []plan.Expr{like}, Typ: boolean, Org: org}
	case "is distinct from", "is not distinct from":
		args = x.unify(args, e.Args, e.Name)
		return &plan.Call{Op: e.Name, Args: args, Typ: boolean, Org: org}
	}
	if e.Name == "-" && len(args) == 1 {
		return x.call("neg", args, e.Args, org, e.Span)
	}
	if isComparison(e.Name) {
		args = narrowConstant(args)
	}
	if e.Name == "||" {
		// Text takes up anything on its other side.
		for i, a := range args {
			other, own := args[1-i].Type().Kind, a.Type().Kind
			if own != value.Text && own != value.Null && (other == value.Text || other == value.Null) {
				args[i] = &plan.Cast{Arg: a, Typ: value.Of(value.Text), Org: a.Origin()}
			}
		}
	}
	return x.call(e.Name, args, e.Args, org, e.Span)
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
		kinds[i] = a.Type().Kind
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
	kind := value.Null
	for i, a := range args {
		k, ok := value.Common(kind, a.Type().Kind)
		if !ok {
			x.b.fail(parts[i].At(), value.Errorf(value.CodeTypeMismatch, "%s types %s and %s cannot be matched", strings.ToUpper(what), kind, a.Type()).
				WithHint("cast one of them"))
		}
		kind = k
	}
	if kind == value.Null {
		kind = value.Text
	}
	out := make([]plan.Expr, len(args))
	for i, a := range args {
		out[i] = x.b.coerce(a, value.Of(kind), parts[i].At())
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
	to := value.Of(kind)
	if kind == value.Numeric && len(e.Mods) > 0 {
		to.Precision = e.Mods[0]
		if len(e.Mods) > 1 {
			to.Scale = e.Mods[1]
		}
		if to.Precision < 1 || to.Precision > value.MaxDigits || to.Scale < 0 || to.Scale > to.Precision {
			b.fail(e.Span, value.Errorf(value.CodeBadParameter, "numeric(%d,%d) is out of range: at most %d digits, and no more decimals than digits",
				to.Precision, to.Scale, value.MaxDigits))
		}
	} else if len(e.Mods) > 0 && !(strings.EqualFold(e.Type, "varchar") && len(e.Mods) == 1 && e.Mods[0] > 0) {
		b.fail(e.Span, value.Errorf(value.CodeUnsupported, "a modifier on the type %s is not supported yet", e.Type))
	}
	arg := x.bind(e.Expr)
	var out plan.Expr
	if c, isConst := arg.(*plan.Const); isConst {
		v, err := kernel.CastValue(c.Val, to)
		b.check(e.Span, err)
		out = &plan.Const{Val: v, Typ: to, Org: org}
	} else {
		if !kernel.CanCast(arg.Type().Kind, to.Kind) {
			b.fail(e.Span, value.Errorf("42846", "cannot cast type %s to %s", arg.Type(), to))
		}
		out = &plan.Cast{Arg: arg, Typ: to, Org: org}
	}
	if kind == value.Text && len(e.Mods) > 0 {
		n := &plan.Const{Val: value.IntOf(value.Int4, int64(e.Mods[0])), Typ: value.Of(value.Int4), Org: org}
		return &plan.Call{Op: "left", Args: []plan.Expr{out, n}, Typ: to, Org: org}
	}
	return out
}

func (x *exprBinder) caseExpr(e *syntax.Case, org plan.Origin) plan.Expr {
	var parts []syntax.Expr
	for _, w := range e.Whens {
		parts = append(parts, w.Result)
	}
	if e.Else != nil {
		parts = append(parts, e.Else)
	}
	results := x.unify(x.bindAll(parts), parts, "case")
	out := &plan.Case{Typ: results[0].Type(), Org: org}
	for i, w := range e.Whens {
		cond := w.Cond
		if e.Operand != nil {
			cond = &syntax.Op{Span: w.Cond.At(), Name: "=", Args: []syntax.Expr{e.Operand, w.Cond}}
		}
		out.Whens = append(out.Whens, plan.When{Cond: x.condition(cond, "CASE/WHEN"), Result: results[i]})
	}
	if e.Else != nil {
		out.Else = results[len(results)-1]
	} else {
		out.Else = &plan.Const{Val: value.NullOf(out.Typ.Kind), Typ: out.Typ, Org: org}
	}
	out.Typ = value.Of(out.Typ.Kind)
	return out
}

func (x *exprBinder) in(e *syntax.In, org plan.Origin) plan.Expr {
	parts := append([]syntax.Expr{e.Expr}, e.List...)
	args := x.bindAll(parts)
	for i := range args[1:] {
		args[i+1] = narrowConstant([]plan.Expr{args[0], args[i+1]})[1]
	}
	args = x.unify(args, parts, "in")
	in := &plan.Call{Op: "in", Args: args, Typ: value.Of(value.Bool), Org: org}
	if e.Not {
		return &plan.Call{Op: "not", Args: []plan.Expr{in}, Typ: value.Of(value.Bool), Org: org}
	}
	return in
}

func (x *exprBinder) function(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	if kernel.IsAggregate(f.Name) {
		return x.aggregate(f, org)
	}
	if f.Star || f.Distinct {
		b.fail(f.Span, value.Errorf("42809", "%s is not an aggregate function", f.Name))
	}
	now := b.ctx.Now.UTC()
	moment := func(v value.Value) plan.Expr {
		b.momentary = true
		return &plan.Const{Val: v, Typ: value.Of(v.Kind), Org: org}
	}
	switch f.Name {
	case "now", "current_timestamp", "transaction_timestamp":
		if len(f.Args) == 0 {
			return moment(value.IntOf(value.TimestampTZ, now.UnixMicro()))
		}
	case "localtimestamp":
		return moment(value.IntOf(value.Timestamp, now.UnixMicro()))
	case "current_date":
		return moment(value.IntOf(value.Date, int64(value.DayOf(now.UnixMicro()))))
	case "coalesce", "greatest", "least":
		args := x.unify(x.bindAll(f.Args), f.Args, f.Name)
		return &plan.Call{Op: f.Name, Args: args, Typ: value.Of(args[0].Type().Kind), Org: org}
	case "nullif":
		args := x.bindAll(f.Args)
		same := x.call("=", narrowConstant(args), f.Args, org, f.Span)
		first := b.settle(args[0])
		return &plan.Case{Whens: []plan.When{{Cond: same, Result: &plan.Const{Val: value.NullOf(first.Type().Kind), Typ: value.Of(first.Type().Kind), Org: org}}},
			Else: first, Typ: value.Of(first.Type().Kind), Org: org}
	case "concat":
		args := x.bindAll(f.Args)
		for i, a := range args {
			a = b.settle(a)
			if a.Type().Kind == value.Bool {
				b.fail(f.Args[i].At(), value.Errorf(value.CodeUnsupported, "concat of a boolean is not supported yet").WithHint("cast it to text"))
			}
			if a.Type().Kind != value.Text {
				a = &plan.Cast{Arg: a, Typ: value.Of(value.Text), Org: a.Origin()}
			}
			args[i] = a
		}
		if len(args) == 0 {
			b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "function concat() does not exist"))
		}
		return &plan.Call{Op: "concat", Args: args, Typ: value.Of(value.Text), Org: org}
	}
	if near := catalog.Nearest(f.Name, kernel.Names()); near != "" && near != f.Name && !contains(kernel.Names(), f.Name) {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "no function is called %q", f.Name).WithHint("did you mean %s?", near))
	}
	return x.call(f.Name, x.bindAll(f.Args), f.Args, org, f.Span)
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

func (x *exprBinder) aggregate(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	if x.aggs == nil {
		b.fail(f.Span, value.Errorf(value.CodeGrouping, "aggregate functions are not allowed in %s", x.clause))
	}
	if x.inAgg {
		b.fail(f.Span, value.Errorf(value.CodeGrouping, "aggregate function calls cannot be nested"))
	}
	agg := plan.Agg{Func: f.Name, Distinct: f.Distinct, Org: org}
	typ := value.Of(value.Int8)
	switch {
	case f.Star && f.Name == "count":
	case len(f.Args) != 1 || f.Star:
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "%s takes one argument", f.Name))
	default:
		inner := *x
		inner.inAgg = true
		agg.Arg = b.settle(inner.bind(f.Args[0]))
		var err error
		typ, err = kernel.AggregateType(f.Name, agg.Arg.Type())
		b.check(f.Span, err)
	}
	ref := x.aggs.add(b, agg, typ)
	ref.Org = org
	return ref
}
