package kernel

import (
	"fmt"
	"slices"
	"sort"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// samples are values of a kind among which are those at its ends.
func samples(k value.Kind) []value.Value {
	if k.IsArray() {
		elems := samples(k.Elem())
		return []value.Value{value.ListOf(k.Elem(), nil), value.ListOf(k.Elem(), elems), value.ListOf(k.Elem(), []value.Value{elems[0], value.NullOf(k.Elem())})}
	}
	texts := map[value.Kind][]string{
		value.Bool: {"true", "false"},
		value.Int2: {"0", "1", "-1", "32767", "-32768"}, value.Int4: {"0", "1", "-1", "7", "2147483647", "-2147483648"},
		value.Int8:   {"0", "1", "-1", "9223372036854775807", "-9223372036854775808"},
		value.Float4: {"0", "1.5", "-1.5", "3.4e38", "NaN", "Infinity", "-Infinity"}, value.Float8: {"0", "1.5", "-1.5", "1e308", "5e-324", "NaN", "Infinity", "-Infinity"},
		value.Numeric: {"0", "1.50", "-2.5", "99999999999999999999999999999999999999", "0.00000000000000000000000001"},
		value.Text:    {"", "a", "A ", "ß💥", "%", "\\", "12", "2024-02-29", "year", "(", "{}", `{"a": [1, 2]}`, "1"}, value.Char: {"", "a", "b "},
		value.Date: {"2024-02-29", "0001-01-01", "9999-12-31"}, value.Timestamp: {"2024-02-29 12:30:00.000001", "0001-01-01", "9999-12-31 23:59:59.999999"},
		value.TimestampTZ: {"2024-02-29 12:30:00+00", "0001-01-01 00:00:00+00", "9999-12-31 23:59:59+00"}, value.Time: {"00:00:00", "23:59:59.999999"},
		value.Interval: {"0", "1 mon 2 days 03:04:05", "-178000000 years"}, value.Bytea: {`\x`, `\x00ff`}, value.UUID: {"00000000-0000-0000-0000-000000000000", "ffffffff-ffff-ffff-ffff-ffffffffffff"},
		value.JSON: {"null", "1", `{"a": [1, null]}`, "[]"}, value.JSONB: {"null", "1", `{"a": [1, null]}`, "[]", `"x"`},
	}
	var out []value.Value
	for _, s := range texts[k] {
		if v, err := value.Parse(k, s); err == nil {
			out = append(out, v)
		}
	}
	return out
}

// everyOverload are the overloads of fixed kinds, and of the polymorphic ones
// those for a few kinds.
func everyOverload() map[string][]*Func {
	out := map[string][]*Func{}
	for name, list := range registered.functions {
		out[name] = append(out[name], list...)
	}
	kinds := []value.Kind{value.Int4, value.Text, value.JSONB, value.Numeric, value.ArrayOf(value.Int4), value.ArrayOf(value.Text)}
	for name := range registered.polymorphic {
		var try func(args []value.Kind)
		try = func(args []value.Kind) {
			if f := polymorphicOverload(name, args); f != nil && len(f.Args) == len(args) {
				out[name] = append(out[name], f)
			}
			if len(args) < 3 {
				for _, k := range kinds {
					try(append(args[:len(args):len(args)], k))
				}
			}
		}
		try(nil)
	}
	for _, name := range function.Names() {
		if facts, _ := function.Of(name); facts.Quantifier != function.One {
			if f := exactly(name, []value.Kind{value.Text, value.ArrayOf(value.Text)}); f != nil {
				out[name] = append(out[name], f)
			}
		}
	}
	return out
}

// maxTried bounds how many combinations of values an overload is called with.
const maxTried = 3000

// combinations calls f with values for each kind, chosen from options.
func combinations(options [][]value.Value, f func(args []value.Value) bool) {
	chosen, tried := make([]value.Value, len(options)), 0
	var next func(i int) bool
	next = func(i int) bool {
		if i == len(options) {
			tried++
			return f(chosen) && tried < maxTried
		}
		for _, v := range options[i] {
			chosen[i] = v
			if !next(i + 1) {
				return false
			}
		}
		return true
	}
	next(0)
}

// called evaluates an overload for one row.
func called(f *Func, args []value.Value) (v value.Value, err error) {
	defer value.Guard(&err)
	var in []vector
	for i, a := range args {
		a.Kind = f.Args[i]
		in = append(in, vector{value.Repeat(a, 1), 1})
	}
	var out arrow.Array
	if out, err = f.eval(f.Result, in, 1); err != nil {
		return v, err
	}
	return value.At(f.Result, out, 0), nil
}

// What the catalogue says of a function is what happens when it is called: with
// NULL in every place, and with values at all ends.
func TestFactsAreWhatHappens(t *testing.T) {
	overloads := everyOverload()
	var names []string
	for name := range overloads {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		facts, known := function.Of(name)
		if !known {
			t.Errorf("%s is not in the catalogue of functions", name)
			continue
		}
		strict, fails := true, error(nil)
		for _, f := range overloads[name] {
			var options [][]value.Value
			for _, k := range f.Args {
				options = append(options, samples(k))
			}
			for place := range f.Args {
				with := append([][]value.Value{}, options...)
				with[place] = []value.Value{value.NullOf(f.Args[place])}
				combinations(with, func(args []value.Value) bool {
					v, err := called(f, args)
					if value.Code(err) == value.CodeInternal {
						t.Errorf("%s%v of %v: %v", name, f.Args, args, err)
					}
					strict = strict && (err != nil || v.IsNull)
					return strict
				})
			}
			combinations(options, func(args []value.Value) bool {
				_, err := called(f, args)
				if value.Code(err) == value.CodeInternal {
					t.Errorf("%s%v of %v: %v", name, f.Args, args, err)
				}
				if err != nil {
					fails = err
				}
				return fails == nil
			})
		}
		if facts.Strict != strict {
			t.Errorf("%s is strict: the catalogue says %v, calls say %v", name, facts.Strict, strict)
		}
		if facts.Total && fails != nil {
			t.Errorf("%s never fails, says the catalogue: %v", name, fails)
		}
		if isWord(name) && !strings.Contains(name, " ") && facts.Written == function.Infix && name != "like" && name != "ilike" && name != "overlaps" {
			t.Errorf("%s is written between its arguments, says the catalogue", name)
		}
		if !isWord(name) && facts.Written != function.Infix {
			t.Errorf("the operator %s is not written between its arguments, says the catalogue", name)
		}
	}
	for _, name := range function.Names() {
		if len(overloads[name]) == 0 && !strings.HasPrefix(name, "is ") {
			if _, special := map[string]bool{"and": true, "or": true, "in": true, "coalesce": true, "greatest": true, "least": true, "concat": true, "concat_ws": true, "loosely =": true}[name]; !special {
				t.Errorf("the catalogue has %s, which nothing computes", name)
			}
		}
	}
}

// aggregated computes an aggregate over rows, each with the values of its arguments.
func aggregated(name string, kinds []value.Kind, sorted value.Kind, rows [][]value.Value) (v value.Value, err error) {
	defer value.Guard(&err)
	args, result, err := ResolveAggregate(name, kinds, sorted)
	if err != nil {
		return v, err
	}
	a := plan.Agg{Func: name}
	if function.OrderedSet(name) {
		a.Order = []plan.SortKey{{Expr: &plan.Col{ID: 9, Typ: value.Of(sorted)}}}
		args = append(args, sorted)
	}
	cols := make([]arrow.Array, len(args))
	for c, k := range args {
		b := value.NewBuilder(k)
		for _, r := range rows {
			cell := r[c]
			if !cell.IsNull && cell.Kind != k {
				if cell, err = CastValue(cell, value.Of(k)); err != nil {
					return v, err
				}
			}
			cell.Kind = k
			value.Append(b, cell)
		}
		cols[c] = b.NewArray()
		if c < len(kinds) {
			a.Args = append(a.Args, &plan.Col{ID: plan.ID(c + 1), Typ: value.Of(k)})
		}
	}
	acc, err := NewAccumulator(a, result)
	if err != nil {
		return v, err
	}
	if err := acc.Add(cols, make([]int32, len(rows)), 1); err != nil {
		return v, err
	}
	out, err := acc.Result(1)
	if err != nil {
		return v, err
	}
	return value.At(result.Kind, out, 0), nil
}

// What the catalogue says of an aggregate is what happens: to rows with NULLs, to no
// rows, in another order, and in parts that are put together.
func TestAggregateFactsAreWhatHappens(t *testing.T) {
	if got, want := strings.Join(Aggregates(), " "), strings.Join(function.Aggregates(), " "); got != want {
		t.Errorf("the kernel has %s, the catalogue %s", got, want)
	}
	kinds := []value.Kind{value.Int4, value.Numeric, value.Float8, value.Text, value.Bool, value.JSONB, value.Interval}
	for _, name := range function.Aggregates() {
		facts, _ := function.AggregateOf(name)
		tried, ordered, addsUp := 0, false, false
		var try func(args []value.Kind)
		try = func(args []value.Kind) {
			if len(args) < 2 {
				for _, k := range kinds {
					try(append(args[:len(args):len(args)], k))
				}
			}
			sorted := value.Null
			rowKinds := args
			if facts.OrderedSet {
				sorted = value.Float8
				rowKinds = append(args[:len(args):len(args)], sorted)
			}
			if len(rowKinds) == 0 {
				return
			}
			if _, _, err := ResolveAggregate(name, args, sorted); err != nil {
				return
			}
			rows := aggregateRows(rowKinds)
			for i := range rows { // which part of the rows
				if facts.OrderedSet && len(args) == 1 && args[0] == value.Float8 {
					rows[i][0] = value.FloatOf(0.5)
				}
			}
			whole, err := aggregated(name, args, sorted, rows)
			if value.Code(err) == value.CodeInternal {
				t.Errorf("%s%v: %v", name, args, err)
			}
			if err != nil {
				return
			}
			tried++
			say := func(what string, v value.Value) {
				t.Errorf("%s%v of %v: %s, got %v and %v", name, args, rows, what, whole, v)
			}
			if none, err := aggregated(name, args, sorted, nil); err != nil || none.IsNull == facts.Zero {
				say("for no rows", none)
			}
			nulls := make([]value.Value, len(rowKinds))
			for i, k := range rowKinds {
				nulls[i] = value.NullOf(k)
			}
			first := append([]value.Value{nulls[0]}, rows[0][1:]...)
			with, err := aggregated(name, args, sorted, append(rows[:len(rows):len(rows)], first))
			if same := err == nil && with.String() == whole.String(); !facts.KeepsNulls && !facts.OrderedSet && !same {
				say(fmt.Sprint("with a NULL: ", err), with)
			}
			back := slices.Clone(rows)
			slices.Reverse(back)
			if turned, err := aggregated(name, args, sorted, back); err == nil && turned.String() != whole.String() {
				float := slices.ContainsFunc(args, value.Kind.IsFloat) || slices.ContainsFunc(rowKinds, value.Kind.IsFloat)
				switch {
				case facts.Ordered:
					ordered = true
				case facts.AddsUp && (float || len(args) == 2):
					addsUp = true
				default:
					say("in another order", turned)
				}
			}
			if facts.Combine != "" && !slices.ContainsFunc(args, value.Kind.IsFloat) {
				var parts [][]value.Value
				for _, half := range [][][]value.Value{rows[:2], rows[2:], nil} {
					part, err := aggregated(name, args, sorted, half)
					if err != nil {
						t.Fatalf("%s of a part: %v", name, err)
					}
					parts = append(parts, []value.Value{part})
				}
				together, err := aggregated(facts.Combine, []value.Kind{whole.Kind}, value.Null, parts)
				if err != nil || together.String() != whole.String() {
					say(fmt.Sprint("put together by ", facts.Combine, ": ", err), together)
				}
			}
		}
		try(nil)
		if tried == 0 {
			t.Errorf("%s was never called", name)
		}
		if facts.Ordered && !facts.OrderedSet && !ordered {
			t.Errorf("%s depends on the order of rows, says the catalogue; no call shows that", name)
		}
		if facts.AddsUp && !addsUp && (name == "sum" || name == "avg") {
			t.Errorf("%s adds up doubles, says the catalogue; no call shows that", name)
		}
	}
}

// aggregateRows are four rows that tell orders apart, of doubles those whose sum depends on
// theirs.
func aggregateRows(kinds []value.Kind) [][]value.Value {
	texts := map[value.Kind][]string{value.Int4: {"5", "3", "12", "6"}, value.Numeric: {"1.5", "3", "-2.25", "0"}, value.Float8: {"0.1", "1e16", "-1e16", "0.3"},
		value.Text: {"b", "a", "", "c"}, value.Bool: {"true", "true", "false", "true"}, value.JSONB: {"1", "[2]", `"x"`, "{}"}, value.Interval: {"1 day", "2 hours", "3 mons", "0"}}
	rows := make([][]value.Value, 4)
	for i := range rows {
		for _, k := range kinds {
			v, err := value.Parse(k, texts[k][i])
			if err != nil {
				panic(err)
			}
			rows[i] = append(rows[i], v)
		}
	}
	return rows
}

// What the catalogue says of a window function is what happens: another frame changes it
// or does not.
func TestWindowFactsAreWhatHappens(t *testing.T) {
	if got, want := strings.Join(WindowFunctions(), " "), strings.Join(function.Windows(), " "); got != want {
		t.Errorf("the kernel has %s, the catalogue %s", got, want)
	}
	column := func(k value.Kind, texts ...string) arrow.Array {
		b := value.NewBuilder(k)
		for _, s := range texts {
			v, err := value.Parse(k, s)
			if err != nil {
				t.Fatal(err)
			}
			value.Append(b, v)
		}
		return b.NewArray()
	}
	for _, name := range function.Windows() {
		facts, _ := function.WindowOf(name)
		args := map[string][]arrow.Array{"ntile": {column(value.Int4, "2", "2", "2", "2")}, "nth_value": {column(value.Text, "a", "b", "c", "d"), column(value.Int4, "2", "2", "2", "2")}}[name]
		if args == nil && (strings.HasSuffix(name, "_value") || name == "lag" || name == "lead") {
			args = []arrow.Array{column(value.Text, "a", "b", "c", "d")}
		}
		said := map[string]bool{}
		for _, frame := range []plan.Frame{plan.DefaultFrame(), {Mode: plan.FrameRows, Start: plan.Bound{Kind: plan.CurrentRow}, End: plan.Bound{Kind: plan.UnboundedFollowing}},
			{Mode: plan.FrameRows, Start: plan.Bound{Kind: plan.UnboundedPreceding}, End: plan.Bound{Kind: plan.UnboundedFollowing}}} {
			call := plan.WindowCall{Func: name, Frame: frame, Order: []plan.SortKey{{Expr: &plan.Col{ID: 1, Typ: value.Of(value.Int4)}}}}
			for i := range args {
				k := value.Text
				if name == "ntile" || i > 0 {
					k = value.Int4
				}
				call.Args = append(call.Args, &plan.Col{ID: plan.ID(i + 2), Typ: value.Of(k)})
			}
			p, err := NewPartition(call, 4, args, nil, []arrow.Array{column(value.Int4, "1", "2", "2", "3")}, nil)
			if err != nil {
				t.Fatal(err)
			}
			out := ""
			for i := range 4 {
				v, err := registered.windowFunctions[name].at(p, i)
				if err != nil {
					t.Fatalf("%s: %v", name, err)
				}
				out += v.String() + " "
			}
			said[out] = true
		}
		if facts.IgnoresFrame != (len(said) == 1) {
			t.Errorf("%s ignores its frame: the catalogue says %v, calls say %v", name, facts.IgnoresFrame, said)
		}
	}
}
