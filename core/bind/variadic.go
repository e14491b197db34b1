package bind

import (
	"strings"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// variadic binds a call whose last argument, VARIADIC, is an array of those that the function
// takes any number of.
func (x *exprBinder) variadic(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	args := x.bindAll(f.Args)
	n := len(args) - 1
	list := args[n]
	call := func(name string, args ...plan.Expr) plan.Expr { return x.call(name, args, nil, org, f.Span) }
	if op := map[string]string{"json_extract_path": "#>", "jsonb_extract_path": "#>", "json_extract_path_text": "#>>", "jsonb_extract_path_text": "#>>"}[f.Name]; op != "" && n == 1 {
		args[0] = b.coerce(args[0], value.Of(map[bool]value.Kind{true: value.JSONB, false: value.JSON}[strings.HasPrefix(f.Name, "jsonb")]), f.Args[0].At())
		return call(op, args[0], list)
	}
	before, known := map[string]int{"concat": 0, "concat_ws": 1, "num_nulls": 0, "num_nonnulls": 0, "format": 1, "json_build_array": 0, "json_build_object": 0,
		"jsonb_build_array": 0, "jsonb_build_object": 0}[f.Name]
	if !known || n != before {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "no function %s takes VARIADIC as its argument %d", f.Name, n+1).WithHint("leave VARIADIC out"))
	}
	if !list.Type().Kind.IsArray() {
		b.fail(f.Args[n].At(), value.Errorf(value.CodeTypeMismatch, "VARIADIC argument must be an array"))
	}
	if n == 1 {
		args[0] = b.coerce(b.settle(args[0]), value.Of(value.Text), f.Args[0].At())
	}
	switch f.Name {
	case "concat":
		return call("array_to_string", list, textConst(""))
	case "concat_ws":
		return call("array_to_string", list, args[0])
	case "num_nonnulls", "num_nulls":
		some := call("cardinality", call("array_remove", list, &plan.Const{Val: value.NullOf(value.Null), Typ: value.Of(value.Null), Org: org}))
		if f.Name == "num_nonnulls" {
			return some
		}
		return call("-", call("cardinality", list), some)
	}
	kind := map[bool]value.Kind{true: value.JSONB, false: value.JSON}[strings.HasPrefix(f.Name, "jsonb")]
	if f.Name == "format" {
		kind = value.Text
	}
	return &plan.Call{Op: kernel.Spread(f.Name), Args: args, Typ: value.Of(kind), Org: org}
}
