package bind

import (
	"rovik/core/syntax"
	"rovik/core/value"
)

// hypothetical are the functions that tell where a row would stand among those of a group.
var hypothetical = map[string]bool{"rank": true, "dense_rank": true, "percent_rank": true, "cume_dist": true}

// placeAmong writes rank(v) WITHIN GROUP (ORDER BY x) and its kin with counts: of the rows
// that come before v, of their values, or of those that come before or with it.
func (b *binder) placeAmong(f *syntax.Func) syntax.Expr {
	if len(f.Args) != len(f.OrderBy) {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "%s takes as many arguments as WITHIN GROUP has sort keys: %d, not %d", f.Name, len(f.OrderBy), len(f.Args)))
	}
	op := func(name string, args ...syntax.Expr) syntax.Expr {
		return &syntax.Op{Span: f.Span, Name: name, Args: args}
	}
	number := func(text string) syntax.Expr {
		return &syntax.Literal{Span: f.Span, Kind: syntax.LiteralInt, Text: text}
	}
	double := func(e syntax.Expr) syntax.Expr { return &syntax.Cast{Span: f.Span, Expr: e, Type: "float8"} }
	count := func(where syntax.Expr, of ...syntax.Expr) syntax.Expr {
		if f.Filter != nil && where != nil {
			where = op("and", f.Filter, where)
		} else if where == nil {
			where = f.Filter
		}
		return &syntax.Func{Span: f.Span, Name: "count", Star: len(of) == 0, Args: of, Distinct: len(of) > 0, Filter: where}
	}
	var before, equal syntax.Expr
	for i := len(f.OrderBy) - 1; i >= 0; i-- {
		key, v := f.OrderBy[i], f.Args[i]
		less := "<"
		if key.Desc {
			less = ">"
		}
		null, some := v, key.Expr // a row comes before NULL
		if key.NullsFirst {
			null, some = key.Expr, v // NULL comes before a value
		}
		one := op("or", op(less, key.Expr, v), op("and", op("is null", null), op("is not null", some)))
		same := op("is not distinct from", key.Expr, v)
		if before == nil {
			before, equal = one, same
		} else {
			before, equal = op("or", one, op("and", same, before)), op("and", same, equal)
		}
	}
	switch f.Name {
	case "dense_rank":
		if len(f.OrderBy) > 1 {
			b.fail(f.Span, value.Errorf(value.CodeUnsupported, "dense_rank WITHIN GROUP takes one sort key").WithHint("count distinct values"))
		}
		key := f.OrderBy[0].Expr
		nulls := &syntax.Case{Span: f.Span, Whens: []syntax.When{{Span: f.Span, Cond: op(">", count(op("and", op("is null", key), before)), number("0")), Result: number("1")}}, Else: number("0")}
		return op("+", op("+", number("1"), count(before, key)), nulls)
	case "percent_rank":
		return &syntax.Case{Span: f.Span, Whens: []syntax.When{{Span: f.Span, Cond: op("=", count(nil), number("0")), Result: double(number("0"))}}, Else: op("/", double(count(before)), double(count(nil)))}
	case "cume_dist":
		return op("/", double(op("+", count(op("or", before, equal)), number("1"))), double(op("+", count(nil), number("1"))))
	}
	return op("+", count(before), number("1"))
}
