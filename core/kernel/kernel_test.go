package kernel

import (
	"regexp"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/plan"
	"rovik/core/value"
)

func column(id plan.ID, k value.Kind) *plan.Col {
	return &plan.Col{ID: id, Name: "c", Typ: value.Of(k)}
}

func constant(v value.Value) *plan.Const { return &plan.Const{Val: v, Typ: value.Of(v.Kind)} }

func call(op string, k value.Kind, args ...plan.Expr) *plan.Call {
	return &plan.Call{Op: op, Args: args, Typ: value.Of(k)}
}

func batchOf(cols ...[]value.Value) Batch {
	b := Batch{Len: len(cols[0])}
	for _, c := range cols {
		col := value.NewBuilder(c[0].Kind)
		for _, v := range c {
			value.Append(col, v)
		}
		b.Cols = append(b.Cols, col.NewArray())
	}
	return b
}

func texts(k value.Kind, a arrow.Array) string {
	var out []string
	for i := range a.Len() {
		out = append(out, value.At(k, a, i).String())
	}
	return strings.Join(out, " ")
}

func ints(vals ...any) []value.Value {
	out := make([]value.Value, len(vals))
	for i, v := range vals {
		if v == nil {
			out[i] = value.NullOf(value.Int4)
		} else {
			out[i] = value.IntOf(value.Int4, int64(v.(int)))
		}
	}
	return out
}

var layout = map[plan.ID]int{1: 0, 2: 1}

func eval(t *testing.T, e plan.Expr, b Batch) (string, error) {
	t.Helper()
	p, err := Compile(e, layout)
	if err != nil {
		t.Fatalf("%s: %v", plan.Text(e), err)
	}
	a, err := p.Eval(b)
	if err != nil {
		return "", err
	}
	return texts(e.Type().Kind, a), nil
}

// What a row does not need is not evaluated for it: AND, OR, CASE and COALESCE
// guard what could fail.
func TestGuardsProtectRows(t *testing.T) {
	b := batchOf(ints(0, 1, 2, nil), ints(6, 6, 6, 6))
	zero := constant(value.IntOf(value.Int4, 0))
	x, y := column(1, value.Int4), column(2, value.Int4)
	quotient := call("/", value.Int4, y, x)
	nonzero := call("<>", value.Bool, x, zero)
	positive := call(">", value.Bool, quotient, zero)
	if _, err := eval(t, quotient, b); value.Code(err) != value.CodeDivisionByZero {
		t.Fatalf("unguarded division gives %v", err)
	}
	for _, c := range []struct {
		e    plan.Expr
		want string
	}{
		{call("and", value.Bool, nonzero, positive), "false true true NULL"},
		{call("or", value.Bool, call("=", value.Bool, x, zero), positive), "true true true NULL"},
		{&plan.Case{Whens: []plan.When{{Cond: nonzero, Result: quotient}}, Else: constant(value.IntOf(value.Int4, -1)), Typ: value.Of(value.Int4)}, "-1 6 3 -1"},
		{call("coalesce", value.Int4, x, call("/", value.Int4, y, zero)), ""},
		{call("coalesce", value.Int4, x, y), "0 1 2 6"},
	} {
		got, err := eval(t, c.e, b)
		if c.want == "" {
			if value.Code(err) != value.CodeDivisionByZero {
				t.Errorf("%s gives %q, %v", plan.Text(c.e), got, err)
			}
			continue
		}
		if err != nil || got != c.want {
			t.Errorf("%s gives %q (%v), want %q", plan.Text(c.e), got, err, c.want)
		}
	}
	conds := make([]*Program, 2)
	for i, e := range []plan.Expr{nonzero, positive} {
		p, err := Compile(e, layout)
		if err != nil {
			t.Fatal(err)
		}
		conds[i] = p
	}
	kept, err := Select(b, conds)
	if err != nil || kept.Len != 2 {
		t.Errorf("Select kept %d rows, %v", kept.Len, err)
	}
}

func TestThreeValuedLogic(t *testing.T) {
	tr, fa, nu := value.BoolOf(true), value.BoolOf(false), value.NullOf(value.Bool)
	a := []value.Value{tr, tr, tr, fa, fa, fa, nu, nu, nu}
	c := []value.Value{tr, fa, nu, tr, fa, nu, tr, fa, nu}
	b := batchOf(a, c)
	x, y := column(1, value.Bool), column(2, value.Bool)
	for op, want := range map[string]string{
		"and":                  "true false NULL false false false NULL false NULL",
		"or":                   "true true true true false NULL true NULL NULL",
		"is distinct from":     "false true true true false true true true false",
		"is not distinct from": "true false false false true false false false true",
		"=":                    "true false NULL false true NULL NULL NULL NULL",
	} {
		if got, err := eval(t, call(op, value.Bool, x, y), b); err != nil || got != want {
			t.Errorf("%s: %q (%v), want %q", op, got, err, want)
		}
	}
	for op, want := range map[string]string{
		"not": "false false false true true true NULL NULL NULL", "is true": "true true true false false false false false false",
		"is not true": "false false false true true true true true true", "is false": "false false false true true true false false false",
		"is null": "false false false false false false true true true",
	} {
		if got, err := eval(t, call(op, value.Bool, x), b); err != nil || got != want {
			t.Errorf("%s: %q (%v), want %q", op, got, err, want)
		}
	}
}

func TestInWithNulls(t *testing.T) {
	b := batchOf(ints(1, 2, nil), ints(2, 2, 2))
	list := func(vals ...plan.Expr) plan.Expr {
		return call("in", value.Bool, append([]plan.Expr{column(1, value.Int4)}, vals...)...)
	}
	one, null := constant(value.IntOf(value.Int4, 1)), constant(value.NullOf(value.Int4))
	for _, c := range []struct {
		e    plan.Expr
		want string
	}{
		{list(one), "true false NULL"}, {list(one, null), "true NULL NULL"}, {list(one, column(2, value.Int4)), "true true NULL"},
	} {
		if got, err := eval(t, c.e, b); err != nil || got != c.want {
			t.Errorf("%s: %q (%v), want %q", plan.Text(c.e), got, err, c.want)
		}
	}
}

// LIKE agrees with the same pattern as a regular expression.
func FuzzLike(f *testing.F) {
	f.Add("hello", "h%o")
	f.Add("größe", "gr__e")
	f.Add("a%b", `a\%b`)
	f.Add("aXbXc", "%X%X_")
	f.Fuzz(func(t *testing.T, s, pattern string) {
		if len(pattern) > 40 || len(s) > 200 || strings.ToValidUTF8(s+pattern, "") != s+pattern {
			return
		}
		match, err := likeMatcher(pattern, `\`)
		if err != nil {
			return
		}
		var re strings.Builder
		re.WriteString("(?s)^")
		kinds, parts, _ := ParseLike(pattern, `\`)
		for i, k := range kinds {
			re.WriteString(map[byte]string{'%': ".*", '_': ".", 't': regexp.QuoteMeta(parts[i])}[k])
		}
		want := regexp.MustCompile(re.String() + "$").MatchString(s)
		if got := match(s); got != want {
			t.Errorf("%q LIKE %q is %v, want %v", s, pattern, got, want)
		}
	})
}

func TestResolvePicksTheNearestOverload(t *testing.T) {
	for _, c := range []struct {
		name string
		args []value.Kind
		want []value.Kind
	}{
		{"+", []value.Kind{value.Int2, value.Int4}, []value.Kind{value.Int4, value.Int4}},
		{"+", []value.Kind{value.Int4, value.Numeric}, []value.Kind{value.Numeric, value.Numeric}},
		{"+", []value.Kind{value.Null, value.Int4}, []value.Kind{value.Int4, value.Int4}},
		{"=", []value.Kind{value.Date, value.Timestamp}, []value.Kind{value.Timestamp, value.Timestamp}},
		{"=", []value.Kind{value.Null, value.Null}, []value.Kind{value.Text, value.Text}},
		{"-", []value.Kind{value.Date, value.Int2}, []value.Kind{value.Date, value.Int4}},
		{"floor", []value.Kind{value.Int4}, []value.Kind{value.Float8}},
		{"round", []value.Kind{value.Int4, value.Int4}, []value.Kind{value.Numeric, value.Int4}},
		{"date_trunc", []value.Kind{value.Null, value.Date}, []value.Kind{value.Text, value.Date}},
	} {
		f, err := Resolve(c.name, c.args)
		if err != nil {
			t.Errorf("%s%v: %v", c.name, c.args, err)
			continue
		}
		for i := range c.want {
			if f.Args[i] != c.want[i] {
				t.Errorf("%s%v resolves to %v", c.name, c.args, f.Args)
				break
			}
		}
	}
	for name, args := range map[string][]value.Kind{"+": {value.Text, value.Int4}, "lower": {value.Int4}, "nothing": {value.Text}, "-": {value.Bool}} {
		if f, err := Resolve(name, args); value.Code(err) != value.CodeUndefinedFunc {
			t.Errorf("%s%v: %v, %v", name, args, f, err)
		}
	}
}

// Every defined function evaluates over no rows, all NULLs and constants
// without a panic: the types of its parts fit together.
func TestEveryOverloadIsWiredUp(t *testing.T) {
	for name, overloads := range registered.functions {
		for _, f := range overloads {
			var nulls, some []vector
			for _, k := range f.Args {
				nulls = append(nulls, vector{value.Repeat(value.NullOf(k), 3), 1})
				v, err := value.Parse(k, map[value.Kind]string{value.Bool: "true", value.Text: "2024-01-02", value.Date: "2024-01-02", value.Timestamp: "2024-01-02", value.TimestampTZ: "2024-01-02", value.Interval: "1 day"}[k])
				if err != nil {
					v, _ = value.Parse(k, "2")
				}
				some = append(some, vector{value.Repeat(v, 1), 0})
			}
			out, err := f.eval(f.Result, nulls, 3)
			if err != nil || f.Strict && len(f.Args) > 0 && out.NullN() != 3 {
				t.Errorf("%s%v of NULLs gives %v, %v", name, f.Args, out, err)
			}
			if out, err := f.eval(f.Result, some, 1); err == nil && !arrow.TypeEqual(out.DataType(), f.Result.Arrow()) {
				t.Errorf("%s%v gives an array of %s, not of %s", name, f.Args, out.DataType(), f.Result)
			}
			if _, err := f.eval(f.Result, nulls, 0); err != nil {
				t.Errorf("%s%v of no rows: %v", name, f.Args, err)
			}
		}
	}
}

func TestAccumulators(t *testing.T) {
	vals := batchOf(ints(3, nil, 5, 3, nil))
	group := []int32{0, 0, 1, 0, 2}
	for _, c := range []struct {
		fn       string
		distinct bool
		want     string
	}{
		{"count", false, "2 1 0"}, {"count", true, "1 1 0"}, {"sum", false, "6 5 NULL"}, {"sum", true, "3 5 NULL"},
		{"min", false, "3 5 NULL"}, {"max", true, "3 5 NULL"}, {"avg", false, "3.0000000000000000 5.0000000000000000 NULL"},
	} {
		agg := plan.Agg{Func: c.fn, Distinct: c.distinct, Args: []plan.Expr{column(1, value.Int4)}}
		_, typ, err := ResolveAggregate(c.fn, []value.Kind{value.Int4}, value.Null)
		if err != nil {
			t.Fatal(err)
		}
		acc, err := NewAccumulator(agg, typ)
		if err != nil {
			t.Fatal(err)
		}
		// In two batches, the second with a group that the first has not seen.
		for _, cut := range [][2]int{{0, 2}, {2, 5}} {
			part := vals.Slice(cut[0], cut[1])
			if err := acc.Add(part.Cols, group[cut[0]:cut[1]], 3); err != nil {
				t.Fatal(err)
			}
		}
		out, err := acc.Result(3)
		if err != nil || texts(typ.Kind, out) != c.want {
			t.Errorf("%s distinct=%v: %s (%v), want %s", c.fn, c.distinct, texts(typ.Kind, out), err, c.want)
		}
	}
	for _, bad := range []struct {
		fn string
		k  value.Kind
	}{{"sum", value.Text}, {"avg", value.Date}, {"max", value.Bool}} {
		if _, typ, err := ResolveAggregate(bad.fn, []value.Kind{bad.k}, value.Null); err == nil {
			t.Errorf("%s(%s) is a %s", bad.fn, bad.k, typ)
		}
	}
}

func TestTakeAndConcat(t *testing.T) {
	for _, k := range value.Kinds() {
		v, err := value.Parse(k, map[value.Kind]string{value.Bool: "true", value.Interval: "1 day", value.Date: "2024-01-02", value.Timestamp: "2024-01-02", value.TimestampTZ: "2024-01-02"}[k])
		if err != nil {
			v, _ = value.Parse(k, "7")
		}
		arr := value.Repeat(v, 2)
		if got := texts(k, Take(arr, []int32{1, -1})); got != v.String()+" NULL" {
			t.Errorf("taking of %s gives %s", k, got)
		}
		b := Batch{Len: 2, Cols: []arrow.Array{arr}}
		all, err := Concat([]value.Kind{k}, []Batch{b, b})
		if err != nil || all.Len != 4 || all.Bytes() <= 0 {
			t.Errorf("joining batches of %s: %d rows, %v", k, all.Len, err)
		}
		if none, err := Concat([]value.Kind{k}, nil); err != nil || none.Len != 0 || len(none.Cols) != 1 {
			t.Errorf("joining no batches of %s: %v", k, err)
		}
	}
}
