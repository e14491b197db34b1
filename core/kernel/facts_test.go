package kernel

import (
	"sort"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/function"
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
	for name, list := range functions {
		out[name] = append(out[name], list...)
	}
	kinds := []value.Kind{value.Int4, value.Text, value.JSONB, value.Numeric, value.ArrayOf(value.Int4), value.ArrayOf(value.Text)}
	for name := range polymorphic {
		var try func(args []value.Kind)
		try = func(args []value.Kind) {
			if f := resolvePolymorphic(name, args); f != nil && len(f.Args) == len(args) {
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
	for _, op := range []string{"=", "<>", "<", "<=", ">", ">=", "like", "ilike", "~", "~*"} {
		for _, quantifier := range []string{" any", " all"} {
			if f := exactly(op+quantifier, []value.Kind{value.Text, value.ArrayOf(value.Text)}); f != nil {
				out[op+quantifier] = append(out[op+quantifier], f)
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
	}
	for _, name := range function.Names() {
		if len(overloads[name]) == 0 && !strings.HasPrefix(name, "is ") {
			if _, special := map[string]bool{"and": true, "or": true, "in": true, "coalesce": true, "greatest": true, "least": true, "concat": true, "concat_ws": true, "loosely =": true}[name]; !special {
				t.Errorf("the catalogue has %s, which nothing computes", name)
			}
		}
	}
}
