package bind

import (
	"strings"

	"rovik/core/jsonpath"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// takesPath reports whether the second argument of a function or operator is a path of SQL/JSON.
func takesPath(name string, args int) bool {
	return args > 1 && (strings.HasPrefix(name, "jsonb_path_") || name == "@?" || name == "@@")
}

// pathText takes the cast to jsonpath off an argument that is a path: functions read its text.
func pathText(name string, args []syntax.Expr) []syntax.Expr {
	if !takesPath(name, len(args)) {
		return args
	}
	if c, is := args[1].(*syntax.Cast); is && c.Type == "jsonpath" && !c.Array {
		args = append([]syntax.Expr{}, args...)
		args[1] = &syntax.Cast{Span: c.Span, Expr: c.Expr, Type: "text"}
	}
	return args
}

// checkPath fails for an argument that is no path: for one of another type, and for a constant that
// cannot be read, whether it would be or not.
func (b *binder) checkPath(name string, args []plan.Expr, parts []syntax.Expr) {
	if !takesPath(name, len(args)) {
		return
	}
	if c, is := parts[1].(*syntax.Cast); (!is || c.Type != "jsonpath") && args[1].Type().Kind != value.Null {
		b.fail(parts[1].At(), value.Errorf(value.CodeUndefinedFunc, "the second argument of %s is a path, not %s", name, args[1].Type()).WithHint("write CAST(… AS jsonpath)"))
	}
	if c, is := args[1].(*plan.Const); is && !c.Val.IsNull && (c.Typ.Kind == value.Text || c.Typ.Kind == value.Null) {
		_, err := jsonpath.Parse(c.Val.Str)
		b.check(parts[1].At(), err)
	}
}
