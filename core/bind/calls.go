package bind

import (
	"slices"

	"rovik/core/catalog"
	"rovik/core/function"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// aggregation collects the aggregate calls of a select block.
type aggregation struct {
	items    []plan.AggItem
	grouping bool // GROUPING() is used
}

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
		if plan.EqualAgg(it.Agg, agg) {
			return it.Ref()
		}
	}
	it := plan.AggItem{Column: plan.Column{ID: b.ids.Next(), Name: plan.AggText(agg), Type: t}, Agg: agg}
	a.items = append(a.items, it)
	return it.Ref()
}

func (x *exprBinder) function(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	f = x.countRows(b.arranged(f))
	if f.WithinGroup && hypothetical[f.Name] {
		return plan.WithOrigin(x.bind(b.placeAmong(f)), org)
	}
	if f.Variadic && f.Over == nil && !kernel.IsAggregate(f.Name) && !kernel.IsSetFunction(f.Name) {
		return x.variadic(f, org)
	}
	if f.Name == "overlaps" && len(f.Args) == 4 {
		return x.overlaps(f, org)
	}
	if f.Over != nil {
		return x.windowCall(f, org)
	}
	if kernel.IsAggregate(f.Name) {
		return x.aggregate(f, org)
	}
	if f.Star || f.Distinct || f.Filter != nil || len(f.OrderBy) > 0 {
		b.fail(f.Span, value.Errorf("42809", "%s is not an aggregate function", f.Name))
	}
	if kernel.IsWindow(f.Name) {
		b.fail(f.Span, value.Errorf("42P20", "window function %s requires an OVER clause", f.Name))
	}
	if kernel.IsSetFunction(f.Name) {
		return x.setInList(f, org)
	}
	now := b.ctx.Now.UTC()
	moment := func(v value.Value) plan.Expr {
		b.volatile = true
		return &plan.Const{Val: v, Typ: value.Of(v.Kind), Org: org}
	}
	switch f.Name {
	case "now", "current_timestamp", "transaction_timestamp":
		if len(f.Args) == 0 {
			return moment(value.IntOf(value.TimestampTZ, now.UnixMicro()))
		}
	case "localtime":
		return moment(value.IntOf(value.Time, now.UnixMicro()-int64(value.DayOf(now.UnixMicro()))*value.MicrosPerDay))
	case opGrouping:
		if x.aggs == nil {
			b.fail(f.Span, value.Errorf(value.CodeGrouping, "GROUPING is not allowed in %s", x.clause))
		}
		if len(f.Args) > 31 {
			b.fail(f.Span, value.Errorf("54023", "GROUPING must have fewer than 32 arguments"))
		}
		x.aggs.grouping = true
		return &plan.Call{Op: opGrouping, Args: x.bindAll(f.Args), Typ: value.Of(value.Int4), Org: org}
	case "age":
		if len(f.Args) == 1 {
			today := moment(value.IntOf(value.Timestamp, int64(value.DayOf(now.UnixMicro()))*value.MicrosPerDay))
			arg := b.coerce(x.bind(f.Args[0]), value.Of(value.Timestamp), f.Span)
			return &plan.Call{Op: "age", Args: []plan.Expr{today, arg}, Typ: value.Of(value.Interval), Org: org}
		}
	case "num_nulls", "num_nonnulls":
		args := x.bindAll(f.Args)
		for i := range args {
			args[i] = b.settle(args[i])
		}
		return &plan.Call{Op: f.Name, Args: args, Typ: value.Of(value.Int4), Org: org}
	case "row_to_json":
		if len(f.Args) == 1 {
			if row := x.rowAsJSON(f.Args[0], value.JSON); row != nil {
				return row
			}
		}
	case "json_build_object", "jsonb_build_object", "json_build_array", "jsonb_build_array", "format":
		args := x.bindArgs(f)
		for i := range args {
			args[i] = b.settle(args[i])
		}
		typ, ok := map[byte]value.Kind{'o': value.JSON, 'b': value.JSONB}[f.Name[4]]
		if f.Name == "format" {
			typ = value.Text
			if ok = len(args) > 0; ok {
				args[0] = b.coerce(args[0], value.Of(value.Text), f.Span)
			}
		} else if f.Name[4] == '_' {
			typ, ok = value.JSON, true
		}
		if !ok {
			b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "function %s() does not exist", f.Name))
		}
		return &plan.Call{Op: f.Name, Args: args, Typ: value.Of(typ), Org: org}
	case "localtimestamp":
		return moment(value.IntOf(value.Timestamp, now.UnixMicro()))
	case "current_date":
		return moment(value.IntOf(value.Date, int64(value.DayOf(now.UnixMicro()))))
	case "coalesce", "greatest", "least":
		if f.Name == "coalesce" {
			defer x.without("COALESCE")()
		}
		args := x.bindAll(f.Args[:1])
		for i, a := range f.Args[1:] {
			if f.Name == "coalesce" && args[i].Type().Kind != value.Null {
				missing := func() []plan.Expr {
					return []plan.Expr{&plan.Call{Op: "is null", Args: []plan.Expr{args[i]}, Typ: value.Of(value.Bool)}}
				}
				x.under(missing, func() { args = append(args, x.bind(a)) })
				continue
			}
			args = append(args, x.bind(a))
		}
		args = x.unify(args, f.Args, f.Name)
		return &plan.Call{Op: f.Name, Args: args, Typ: value.Of(args[0].Type().Kind), Org: org}
	case "nullif":
		args := x.bindAll(f.Args)
		same := x.call("=", narrowConstant(args), f.Args, org, f.Span).(*plan.Call)
		first := b.settle(args[0])
		if a, k := args[0].Type().Kind, args[1].Type().Kind; !(a.IsInteger() && k.IsInteger() || a.IsFloat() && k.IsFloat() || a.IsTime() && k.IsTime()) {
			first = same.Args[0] // what = compares, where it has no form for both types
		}
		return &plan.Case{Whens: []plan.When{{Cond: same, Result: &plan.Const{Val: value.NullOf(first.Type().Kind), Typ: value.Of(first.Type().Kind), Org: org}}},
			Else: first, Typ: value.Of(first.Type().Kind), Org: org}
	case "concat", "concat_ws":
		args := x.bindAll(f.Args)
		for i, a := range args {
			a = b.settle(a)
			if a.Type().Kind == value.Bool {
				// concat writes booleans by their output form, t and f.
				a = &plan.Call{Op: "left", Args: []plan.Expr{x.toText(a), &plan.Const{Val: value.IntOf(value.Int4, 1), Typ: value.Of(value.Int4)}},
					Typ: value.Of(value.Text), Org: a.Origin()}
			}
			if a.Type().Kind == value.Char { // written with its padding
				args[i] = &plan.Call{Op: "char output", Args: []plan.Expr{a}, Typ: value.Of(value.Text), Org: a.Origin()}
				continue
			}
			args[i] = x.toText(a)
		}
		if len(args) == 0 || f.Name == "concat_ws" && len(args) == 1 {
			b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "function %s with so few arguments does not exist", f.Name))
		}
		return &plan.Call{Op: f.Name, Args: args, Typ: value.Of(value.Text), Org: org}
	}
	if why := function.Refused(f.Name, nil); why != "" {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "the function %s is not supported", f.Name).WithHint("%s", why))
	}
	args := x.bindArgs(f)
	if kind, isType := value.KindNamed(f.Name); isType && len(args) == 1 && (args[0].Type().Kind == value.Null || kernel.CanCast(args[0].Type().Kind, kind)) {
		return x.castTo(args[0], value.Of(kind), f.Span) // a type's name as that of a function
	}
	if near := catalog.Nearest(f.Name, kernel.Names()); near != "" && near != f.Name && !slices.Contains(kernel.Names(), f.Name) {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "no function is called %q", f.Name).WithHint("did you mean %s?", near))
	}
	b.checkPath(f.Name, args, f.Args)
	return x.call(f.Name, args, f.Args, org, f.Span)
}

// overlaps binds (a, b) OVERLAPS (c, d). An interval in the second place of a pair is that long
// from the first on.
func (x *exprBinder) overlaps(f *syntax.Func, org plan.Origin) plan.Expr {
	args := x.bindAll(f.Args)
	for i := 1; i < 4; i += 2 {
		if args[i].Type().Kind == value.Interval {
			args[i] = x.call("+", args[i-1:i+1:i+1], f.Args[i-1:i+1], org, f.Span)
		}
	}
	return x.call(f.Name, args, f.Args, org, f.Span)
}

// setInList binds a set-returning function in the select list: its rows
// repeat the others.
func (x *exprBinder) setInList(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	where := x.clause
	switch {
	case x.noSets != "":
		where = x.noSets
	case x.inAgg:
		where = "the arguments of an aggregate"
	case x.inWindow:
		where = "a window function call"
	}
	if where != x.clause || !x.targets {
		b.fail(f.Span, value.Errorf(value.CodeUnsupported, "set-returning functions are not allowed in %s", where).WithHint("move it into FROM"))
	}
	call := x.setCall(f)
	if len(call.Cols) != 1 {
		b.fail(f.Span, value.Errorf(value.CodeUnsupported, "%s gives rows of several columns, which do not fit into one", f.Name).WithHint("move it into FROM"))
	}
	found := slices.IndexFunc(x.sets, func(have plan.SetCall) bool { return plan.EqualSetCall(have, call) })
	if found < 0 {
		found = len(x.sets)
		x.sets = append(x.sets, call)
	}
	ref := x.sets[found].Cols[0].Ref()
	ref.Org = org
	return ref
}

// unnested puts set-returning calls over n: side by side, but for those that
// read what others give, which come after them.
func unnested(n plan.Node, calls []plan.SetCall) plan.Node {
	for len(calls) > 0 {
		made := plan.IDs{}
		for _, c := range calls {
			for _, col := range c.Cols {
				made[col.ID] = true
			}
		}
		var now, later []plan.SetCall
		for _, c := range calls {
			if plan.Uses(c.Args...).Meets(made) {
				later = append(later, c)
			} else {
				now = append(now, c)
			}
		}
		n = &plan.Unnest{Input: n, Calls: now, Org: now[0].Org}
		calls = later
	}
	return n
}

// setsUsed returns the calls whose rows the expressions read, and those that
// these read in turn.
func setsUsed(calls []plan.SetCall, exprs []plan.Expr) []plan.SetCall {
	uses := plan.Uses(exprs...)
	used := make([]bool, len(calls))
	for changed := true; changed; {
		changed = false
		for i, c := range calls {
			if !used[i] && slices.ContainsFunc(c.Cols, func(col plan.Column) bool { return uses[col.ID] }) {
				used[i], changed = true, true
				uses.AddUses(c.Args...)
			}
		}
	}
	var out []plan.SetCall
	for i, c := range calls {
		if used[i] {
			out = append(out, c)
		}
	}
	return out
}

func (x *exprBinder) aggregate(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	if x.inAgg {
		b.fail(f.Span, value.Errorf(value.CodeGrouping, "aggregate function calls cannot be nested"))
	}
	inner := *x
	inner.inAgg, inner.guard = true, nil
	agg := plan.Agg{Func: f.Name, Distinct: f.Distinct, Org: org}
	ordered := function.OrderedSet(f.Name)
	if ordered != f.WithinGroup || ordered && len(f.OrderBy) != 1 {
		b.fail(f.Span, value.Errorf("42809", "%s is an ordered-set aggregate exactly where WITHIN GROUP (ORDER BY one value) follows it", f.Name).
			WithHint("write %s(…) %s", f.Name, map[bool]string{true: "WITHIN GROUP (ORDER BY …)"}[ordered]))
	}
	if f.Star && f.Name != "count" || !f.Star && len(f.Args) == 0 && f.Name != "mode" {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "%s takes an argument", f.Name))
	}
	agg.Args = inner.bindArgs(f)
	if f.Name == "json_agg" && inner.isRow(f.Args[0]) {
		agg.Func = kernel.OpRowsAgg
	}
	if f.Filter != nil {
		agg.Filter = inner.condition(f.Filter, "FILTER")
	}
	reads := agg.Args
	if agg.Filter != nil {
		reads = append(reads[:len(reads):len(reads)], agg.Filter)
	}
	owner := x.owner(reads)
	if owner.aggs == nil {
		b.fail(f.Span, value.Errorf(value.CodeGrouping, "aggregate functions are not allowed in %s", x.clause))
	}
	for _, o := range f.OrderBy {
		e := b.settle(inner.bind(o.Expr))
		b.comparable(e.Type().Kind, o.Span)
		if f.Name == "percentile_cont" && e.Type().Kind.IsNumber() {
			e = b.coerce(e, value.Of(value.Float8), o.Span)
		}
		agg.Order = append(agg.Order, b.sortKey(o, e))
	}
	sorted := value.Null
	if ordered {
		sorted = agg.Order[0].Expr.Type().Kind
	}
	kinds, typ, err := kernel.ResolveAggregate(f.Name, kindsOf(agg.Args), sorted)
	b.check(f.Span, err)
	for i := range agg.Args {
		keep := agg.Args[i].Type()
		if kinds[i].IsArray() && keep.Kind.IsArray() && keep.Kind != kinds[i] {
			agg.Args[i] = x.castTo(agg.Args[i], value.Of(kinds[i]), f.Args[i].At())
		} else {
			agg.Args[i] = b.coerce(agg.Args[i], value.Of(kinds[i]), f.Args[i].At())
		}
		if (f.Name == "min" || f.Name == "max") && keep.Kind == typ.Kind {
			typ = keep
		}
	}
	if f.Distinct {
		for i := range agg.Args {
			b.comparable(agg.Args[i].Type().Kind, f.Span)
		}
		b.distinctOrder(f, agg)
	}
	if !function.OrderSensitive(f.Name) {
		agg.Order = nil
	}
	ref := owner.aggs.add(b, agg, typ)
	ref.Org = org
	return ref
}

// owner returns the block that an aggregate belongs to: the innermost one that
// its arguments read.
func (x *exprBinder) owner(args []plan.Expr) *exprBinder {
	uses := plan.Uses(args...)
	for s := x.scope; s != nil && len(uses) > 0; s = s.outer {
		if !uses.Meets(s.ids()) {
			continue
		}
		if s != x.scope && s.block != nil {
			return s.block
		}
		break
	}
	return x
}

// distinctOrder checks that a call with DISTINCT orders by its arguments.
func (b *binder) distinctOrder(f *syntax.Func, agg plan.Agg) {
	for i, k := range agg.Order {
		found := false
		for _, a := range agg.Args {
			found = found || plan.Equal(a, k.Expr)
		}
		if !found {
			b.fail(f.OrderBy[i].Span, value.Errorf("42P10", "in an aggregate with DISTINCT, ORDER BY expressions must appear in argument list"))
		}
	}
}
