package kernel

import (
	"fmt"
	"strings"

	"rovik/core/value"
)

// arrayAnd settles the kinds of an array and further elements: an untyped
// literal takes its kind from the others.
func arrayAnd(kinds []value.Kind, arrayAt, elemAt int) (value.Kind, bool) {
	arr, elem := kinds[arrayAt], value.Null
	if elemAt >= 0 {
		elem = kinds[elemAt]
	}
	switch {
	case arr.IsArray() && (elem == value.Null || elem == arr.Elem()):
		return arr, true
	case arr.IsArray():
		k, ok := value.Common(arr.Elem(), elem)
		return arr, ok && k == arr.Elem()
	case arr == value.Null && elem != value.Null && !elem.IsArray():
		return value.ArrayOf(elem), true
	}
	return 0, false
}

// onArray defines a polymorphic function whose first argument is an array and
// whose others are of fixed kinds.
func onArray(r *registry, name string, result func(arr value.Kind) value.Kind, strict bool, f func(arr value.Kind, args []value.Value) (value.Value, error), rest ...value.Kind) {
	r.polymorphic[name] = func(kinds []value.Kind) *Func {
		if len(kinds) != 1+len(rest) || !kinds[0].IsArray() {
			return nil
		}
		arr := kinds[0]
		for i, k := range rest {
			if _, ok := value.ImplicitSteps(kinds[i+1], k); !ok {
				return nil
			}
		}
		return boxed(name, append([]value.Kind{arr}, rest...), result(arr), strict, func(a []value.Value) (value.Value, error) { return f(arr, a) })
	}
}

// withElement defines a polymorphic function of an array and elements of it.
func withElement(r *registry, name string, arrayAt, elemAt, count int, result func(arr value.Kind) value.Kind, f scalar) {
	r.polymorphic[name] = func(kinds []value.Kind) *Func {
		if len(kinds) != count {
			return nil
		}
		arr, ok := arrayAnd(kinds, arrayAt, elemAt)
		if !ok {
			return nil
		}
		args := make([]value.Kind, count)
		for i := range args {
			args[i] = arr.Elem()
			if i == arrayAt {
				args[i] = arr
			}
		}
		return boxed(name, args, result(arr), false, f)
	}
}

func same(k value.Kind) value.Kind { return k }

func fixed(k value.Kind) func(value.Kind) value.Kind { return func(value.Kind) value.Kind { return k } }

// matches reports whether two elements are the same, NULL being like NULL.
func matches(a, b value.Value) bool {
	if a.IsNull || b.IsNull {
		return a.IsNull && b.IsNull
	}
	return value.Compare(a, b) == 0
}

// contains reports whether every element of b is in a; NULLs match nothing.
func contains(a, b []value.Value) bool {
	for _, x := range b {
		found := false
		for _, y := range a {
			found = found || !x.IsNull && !y.IsNull && value.Compare(x, y) == 0
		}
		if !found {
			return false
		}
	}
	return true
}

func concatLists(a, b []value.Value) value.Value {
	return listValue(append(append(make([]value.Value, 0, len(a)+len(b)), a...), b...))
}

// positionFrom is array_position from a place on.
func positionFrom(a []value.Value) (value.Value, error) {
	if a[0].IsNull || len(a[0].List) == 0 {
		return nullValue(), nil
	}
	if a[2].IsNull {
		return nullValue(), value.Errorf("22004", "initial position must not be null")
	}
	for i := max(a[2].Int, 1); i <= int64(len(a[0].List)); i++ {
		if matches(a[0].List[i-1], a[1]) {
			return intValue(i), nil
		}
	}
	return nullValue(), nil
}

// filled is array_fill: an array of one value.
func filled(a []value.Value) (value.Value, error) {
	for _, x := range a[1:] {
		if x.IsNull {
			return nullValue(), value.Errorf("22004", "dimension array or low bound array cannot be null")
		}
	}
	size := a[1].List
	if len(a) > 2 && len(a[2].List) != len(size) {
		return nullValue(), value.Errorf("2202E", "the array of low bounds has %d elements, and that of dimensions %d", len(a[2].List), len(size))
	}
	switch {
	case len(size) == 0:
		return listValue([]value.Value{}), nil
	case size[0].IsNull || len(a) > 2 && a[2].List[0].IsNull:
		return nullValue(), value.Errorf("22004", "dimension values cannot be null")
	case len(size) > 1:
		return nullValue(), value.Errorf(value.CodeUnsupported, "only one-dimensional arrays are supported")
	case len(a) > 2 && a[2].List[0].Int != 1:
		return nullValue(), value.Errorf(value.CodeUnsupported, "only one-dimensional arrays that begin with 1 are supported")
	case size[0].Int < 0 || size[0].Int > maxFill:
		return nullValue(), value.Errorf("54000", "array size exceeds the maximum allowed (%d)", maxFill)
	}
	out := make([]value.Value, size[0].Int)
	for i := range out {
		out[i] = a[0]
	}
	return listValue(out), nil
}

// maxFill bounds the arrays that array_fill makes, as PostgreSQL does.
const maxFill = 134217727

// bucketAmong is width_bucket of an array of lower bounds: how many are not above x.
func bucketAmong(a []value.Value) (value.Value, error) {
	low, high := 0, len(a[1].List)
	for _, x := range a[1].List {
		if x.IsNull {
			return nullValue(), value.Errorf("22004", "thresholds array must not contain NULLs")
		}
	}
	for low < high {
		if mid := (low + high) / 2; value.Compare(a[0], a[1].List[mid]) < 0 {
			high = mid
		} else {
			low = mid + 1
		}
	}
	return intValue(int64(low)), nil
}

func addArrays(r *registry) {
	i4, t, b := value.Int4, value.Text, value.Bool
	dimension := func(f func(n int64) int64) func(value.Kind, []value.Value) (value.Value, error) {
		return func(_ value.Kind, a []value.Value) (value.Value, error) {
			if len(a[0].List) == 0 || len(a) > 1 && a[1].Int != 1 {
				return nullValue(), nil
			}
			return intValue(f(int64(len(a[0].List)))), nil
		}
	}
	onArray(r, "array_length", fixed(i4), true, dimension(func(n int64) int64 { return n }), i4)
	onArray(r, "array_upper", fixed(i4), true, dimension(func(n int64) int64 { return n }), i4)
	onArray(r, "array_lower", fixed(i4), true, dimension(func(int64) int64 { return 1 }), i4)
	onArray(r, "array_ndims", fixed(i4), true, dimension(func(int64) int64 { return 1 }))
	onArray(r, "cardinality", fixed(i4), true, func(_ value.Kind, a []value.Value) (value.Value, error) { return intValue(int64(len(a[0].List))), nil })
	onArray(r, "trim_array", same, true, func(_ value.Kind, a []value.Value) (value.Value, error) {
		n := int64(len(a[0].List))
		if a[1].Int < 0 || a[1].Int > n {
			return nullValue(), value.Errorf("2202E", "number of elements to trim must be between 0 and %d", n)
		}
		return listValue(a[0].List[:n-a[1].Int]), nil
	}, i4)
	onArray(r, "array element", func(k value.Kind) value.Kind { return k.Elem() }, true, func(_ value.Kind, a []value.Value) (value.Value, error) {
		if i := a[1].Int; i >= 1 && i <= int64(len(a[0].List)) {
			return a[0].List[i-1], nil
		}
		return nullValue(), nil
	}, i4)
	onArray(r, "array slice", same, true, func(_ value.Kind, a []value.Value) (value.Value, error) {
		from, to := max(a[1].Int, 1), min(a[2].Int, int64(len(a[0].List)))
		if from > to {
			return listValue(nil), nil
		}
		return listValue(a[0].List[from-1 : to]), nil
	}, i4, i4)
	joined := func(_ value.Kind, a []value.Value) (value.Value, error) {
		if a[0].IsNull || a[1].IsNull {
			return nullValue(), nil
		}
		var parts []string
		for _, x := range a[0].List {
			switch {
			case !x.IsNull && x.Kind == value.Bool:
				parts = append(parts, x.String()[:1])
			case !x.IsNull:
				parts = append(parts, x.String())
			case len(a) > 2 && !a[2].IsNull:
				parts = append(parts, a[2].Str)
			}
		}
		return textValue(strings.Join(parts, a[1].Str)), nil
	}
	onArray(r, "array_to_string", fixed(t), false, joined, t)
	two := r.polymorphic["array_to_string"]
	onArray(r, "array_to_string", fixed(t), false, joined, t, t)
	three := r.polymorphic["array_to_string"]
	r.polymorphic["array_to_string"] = func(kinds []value.Kind) *Func {
		if len(kinds) == 2 {
			return two(kinds)
		}
		return three(kinds)
	}
	withElement(r, "array_append", 0, 1, 2, same, func(a []value.Value) (value.Value, error) { return concatLists(a[0].List, a[1:2]), nil })
	withElement(r, "array_prepend", 1, 0, 2, same, func(a []value.Value) (value.Value, error) { return concatLists(a[0:1], a[1].List), nil })
	withElement(r, "array_position", 0, 1, 2, fixed(i4), func(a []value.Value) (value.Value, error) {
		for i, x := range a[0].List {
			if matches(x, a[1]) {
				return intValue(int64(i + 1)), nil
			}
		}
		return nullValue(), nil
	})
	whole := r.polymorphic["array_position"]
	r.polymorphic["array_position"] = func(kinds []value.Kind) *Func {
		if len(kinds) != 3 || kinds[2] != i4 {
			return whole(kinds)
		}
		arr, ok := arrayAnd(kinds[:2], 0, 1)
		if !ok {
			return nil
		}
		return boxed("array_position", []value.Kind{arr, arr.Elem(), i4}, i4, false, positionFrom)
	}
	onArray(r, "array_dims", fixed(t), true, func(_ value.Kind, a []value.Value) (value.Value, error) {
		if len(a[0].List) == 0 {
			return nullValue(), nil
		}
		return textValue(fmt.Sprintf("[1:%d]", len(a[0].List))), nil
	})
	onArray(r, "array_to_json", fixed(value.JSON), true, func(_ value.Kind, a []value.Value) (value.Value, error) {
		return jsonValue(toJSON(a[0]), value.JSON), nil
	})
	withElement(r, "array_positions", 0, 1, 2, fixed(value.ArrayOf(i4)), func(a []value.Value) (value.Value, error) {
		if a[0].IsNull {
			return nullValue(), nil
		}
		out := []value.Value{}
		for i, x := range a[0].List {
			if matches(x, a[1]) {
				out = append(out, value.IntOf(i4, int64(i+1)))
			}
		}
		return listValue(out), nil
	})
	withElement(r, "array_remove", 0, 1, 2, same, func(a []value.Value) (value.Value, error) {
		if a[0].IsNull {
			return nullValue(), nil
		}
		out := []value.Value{}
		for _, x := range a[0].List {
			if !matches(x, a[1]) {
				out = append(out, x)
			}
		}
		return listValue(out), nil
	})
	withElement(r, "array_replace", 0, 1, 3, same, func(a []value.Value) (value.Value, error) {
		if a[0].IsNull {
			return nullValue(), nil
		}
		out := append([]value.Value{}, a[0].List...)
		for i, x := range out {
			if matches(x, a[1]) {
				out[i] = a[2]
			}
		}
		return listValue(out), nil
	})
	pairOfArrays := func(name string, result func(value.Kind) value.Kind, strict bool, f scalar) func(kinds []value.Kind) *Func {
		return func(kinds []value.Kind) *Func {
			if len(kinds) != 2 || !kinds[0].IsArray() && !kinds[1].IsArray() {
				return nil
			}
			k, ok := value.Common(kinds[0], kinds[1])
			if !ok {
				return nil
			}
			return boxed(name, []value.Kind{k, k}, result(k), strict, f)
		}
	}
	cat := func(a []value.Value) (value.Value, error) {
		switch {
		case a[0].IsNull:
			return a[1], nil
		case a[1].IsNull:
			return a[0], nil
		}
		return concatLists(a[0].List, a[1].List), nil
	}
	r.polymorphic["array_cat"] = pairOfArrays("array_cat", same, false, cat)
	r.polymorphic["||"] = func(kinds []value.Kind) *Func {
		if len(kinds) != 2 {
			return nil
		}
		both := pairOfArrays("||", same, false, cat)
		if f := both(kinds); f != nil {
			return f
		}
		rename := func(f *Func) *Func {
			if f != nil {
				f.Name = "||"
			}
			return f
		}
		if kinds[0].IsArray() {
			return rename(r.polymorphic["array_append"](kinds))
		}
		if kinds[1].IsArray() {
			return rename(r.polymorphic["array_prepend"](kinds))
		}
		return nil
	}
	relation := func(name string, f func(a, b []value.Value) bool) {
		make := pairOfArrays(name, fixed(b), true, func(a []value.Value) (value.Value, error) { return boolValue(f(a[0].List, a[1].List)), nil })
		r.polymorphic[name] = make
	}
	relation("@>", contains)
	relation("<@", func(a, b []value.Value) bool { return contains(b, a) })
	relation("&&", func(a, b []value.Value) bool {
		for _, x := range a {
			for _, y := range b {
				if !x.IsNull && !y.IsNull && value.Compare(x, y) == 0 {
					return true
				}
			}
		}
		return false
	})
	for op, holds := range comparisons {
		r.polymorphic[op] = pairOfArrays(op, fixed(b), true, func(a []value.Value) (value.Value, error) { return boolValue(holds(value.Compare(a[0], a[1]))), nil })
	}
	r.polymorphic["array"] = func(kinds []value.Kind) *Func {
		if len(kinds) == 0 {
			return nil
		}
		return boxed("array", kinds, value.ArrayOf(kinds[0]), false, func(a []value.Value) (value.Value, error) {
			return listValue(append([]value.Value{}, a...)), nil
		})
	}
	split := func(a []value.Value) (value.Value, error) {
		if a[0].IsNull {
			return nullValue(), nil
		}
		var parts []string
		switch {
		case a[0].Str == "":
		case a[1].IsNull:
			for _, r := range a[0].Str {
				parts = append(parts, string(r))
			}
		case a[1].Str == "":
			parts = []string{a[0].Str}
		default:
			parts = strings.Split(a[0].Str, a[1].Str)
		}
		out := make([]value.Value, len(parts))
		for i, p := range parts {
			if out[i] = value.TextOf(p); len(a) > 2 && !a[2].IsNull && p == a[2].Str {
				out[i] = value.NullOf(t)
			}
		}
		return listValue(out), nil
	}
	define(r, boxed("string_to_array", []value.Kind{t, t}, value.ArrayOf(t), false, split))
	define(r, boxed("string_to_array", []value.Kind{t, t, t}, value.ArrayOf(t), false, split))
	r.polymorphic["array_fill"] = func(kinds []value.Kind) *Func {
		ints := value.ArrayOf(i4)
		if len(kinds) < 2 || len(kinds) > 3 || kinds[0].IsArray() || !fits(kinds[1:], []value.Kind{ints, ints}[:len(kinds)-1]) {
			return nil
		}
		elem := kinds[0]
		if elem == value.Null {
			elem = t
		}
		return boxed("array_fill", []value.Kind{elem, ints, ints}[:len(kinds)], value.ArrayOf(elem), false, filled)
	}
	r.polymorphic["width_bucket"] = func(kinds []value.Kind) *Func {
		if len(kinds) != 2 || !kinds[1].IsArray() {
			return nil
		}
		k, ok := value.Common(kinds[0], kinds[1].Elem())
		if !ok {
			return nil
		}
		return boxed("width_bucket", []value.Kind{k, value.ArrayOf(k)}, i4, true, bucketAmong)
	}
	counted := func(nulls bool) func(kinds []value.Kind) *Func {
		return func(kinds []value.Kind) *Func {
			return boxed("num_nulls", kinds, i4, false, func(a []value.Value) (value.Value, error) {
				n := int64(0)
				for _, x := range a {
					if x.IsNull == nulls {
						n++
					}
				}
				return intValue(n), nil
			})
		}
	}
	r.polymorphic["num_nulls"], r.polymorphic["num_nonnulls"] = counted(true), counted(false)
}

// comparisons are the six, by how they judge an order.
var comparisons = map[string]func(int) bool{
	"=": func(c int) bool { return c == 0 }, "<>": func(c int) bool { return c != 0 },
	"<": func(c int) bool { return c < 0 }, "<=": func(c int) bool { return c <= 0 },
	">": func(c int) bool { return c > 0 }, ">=": func(c int) bool { return c >= 0 },
}

// quantified makes x op ANY (array) and x op ALL (array) of the operator.
func quantified(op *Func, all bool, arr value.Kind) *Func {
	args := []value.Kind{op.Args[0], arr}
	return boxed(op.Name, args, value.Bool, false, func(a []value.Value) (value.Value, error) {
		if a[1].IsNull {
			return nullValue(), nil
		}
		unknown := false
		for _, x := range a[1].List {
			if a[0].IsNull || x.IsNull {
				unknown = true
				continue
			}
			v, err := call2(op, a[0], x)
			if err != nil {
				return v, err
			}
			if v.Truth() != all {
				return boolValue(!all), nil
			}
		}
		if unknown {
			return nullValue(), nil
		}
		return boolValue(all), nil
	})
}

// call2 applies a function to two single values.
func call2(f *Func, a, b value.Value) (value.Value, error) {
	if holds, ok := comparisons[f.Name]; ok && a.Kind == b.Kind {
		return boolValue(holds(value.Compare(a, b))), nil
	}
	arr, err := f.eval(f.Result, []vector{{value.Repeat(a, 1), 1}, {value.Repeat(b, 1), 1}}, 1)
	if err != nil {
		return value.Value{}, err
	}
	return value.At(f.Result, arr, 0), nil
}
