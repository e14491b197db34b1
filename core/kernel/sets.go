package kernel

import (
	"slices"
	"sort"
	"strings"

	"rovik/core/value"
)

// SetFunc is a set-returning function for certain kinds of arguments. Open begins the
// rows for one row of arguments.
type SetFunc struct {
	Args    []value.Kind
	Results []value.Kind
	Names   []string
	Open    func(args []value.Value) (Rows, error)
}

// Rows gives the rows of one call, one at a time: a value for each result, which holds
// until the next is asked for, and nil at the end.
type Rows func() ([]value.Value, error)

// listed opens rows that are made at once.
func listed(rows func(args []value.Value) ([][]value.Value, error)) func(args []value.Value) (Rows, error) {
	return func(args []value.Value) (Rows, error) {
		list, err := rows(args)
		if err != nil {
			return nil, err
		}
		return func() ([]value.Value, error) {
			if len(list) == 0 {
				return nil, nil
			}
			row := list[0]
			list = list[1:]
			return row, nil
		}, nil
	}
}

// IsSetFunction reports whether name is a set-returning function.
func IsSetFunction(name string) bool { return registered.setFunctions[name] != nil }

// ResolveSet chooses the overload of a set-returning function.
func ResolveSet(name string, kinds []value.Kind) (*SetFunc, error) {
	if f := registered.setFunctions[name](kinds); f != nil {
		return f, nil
	}
	return nil, noSuchFunction(name, kinds)
}

// SetFunctions lists the set-returning functions.
func SetFunctions() []string {
	var names []string
	for n := range registered.setFunctions {
		names = append(names, n)
	}
	sort.Strings(names)
	return names
}

func fits(kinds, want []value.Kind) bool {
	if len(kinds) != len(want) {
		return false
	}
	for i, k := range kinds {
		if _, ok := value.ImplicitSteps(k, want[i]); !ok {
			return false
		}
	}
	return true
}

// one makes rows of one column.
func one(values []value.Value) [][]value.Value {
	rows := make([][]value.Value, len(values))
	for i := range values {
		rows[i] = values[i : i+1]
	}
	return rows
}

func anyNull(args []value.Value) bool {
	for _, a := range args {
		if a.IsNull {
			return true
		}
	}
	return false
}

// series makes generate_series from an order and a step.
func series(kind value.Kind, next func(v, step value.Value) (value.Value, error), sign func(step value.Value) int, unit value.Value) func([]value.Value) (Rows, error) {
	return func(args []value.Value) (Rows, error) {
		if anyNull(args) {
			return func() ([]value.Value, error) { return nil, nil }, nil
		}
		step := unit
		if len(args) > 2 {
			step = args[2]
		}
		for i, what := range []string{"start value", "stop value", "step size"}[:len(args)] {
			if args[i].Kind == value.Numeric && args[i].Dec.Special() {
				return nil, value.Errorf(value.CodeBadParameter, "%s cannot be %s", what, args[i].Dec)
			}
		}
		direction := sign(step)
		if direction == 0 {
			return nil, value.Errorf(value.CodeBadParameter, "step size cannot equal zero")
		}
		v, end, ended, row := args[0], args[1], false, make([]value.Value, 1)
		return func() ([]value.Value, error) {
			if ended || value.Compare(v, end)*direction > 0 {
				return nil, nil
			}
			v.Kind = kind
			row[0] = v
			var err error
			v, err = next(v, step)
			ended = err != nil // past the last value there is
			return row, nil
		}, nil
	}
}

func addSets(r *registry) {
	i4, i8, num, t := value.Int4, value.Int8, value.Numeric, value.Text
	signOf := func(v value.Value) int {
		switch {
		case v.Kind == num:
			return v.Dec.Sign()
		case v.Kind == value.Interval:
			return v.Span.Cmp(value.Span{})
		case v.Int < 0:
			return -1
		case v.Int > 0:
			return 1
		}
		return 0
	}
	addInt := func(kind value.Kind) func(v, s value.Value) (value.Value, error) {
		return func(v, s value.Value) (value.Value, error) {
			if kind == i4 {
				n, err := value.AddInt(int32(v.Int), int32(s.Int))
				return value.IntOf(kind, int64(n)), err
			}
			n, err := value.AddInt(v.Int, s.Int)
			return value.IntOf(kind, n), err
		}
	}
	addDecimal := func(v, s value.Value) (value.Value, error) {
		d, err := v.Dec.Add(s.Dec)
		return value.DecimalOf(d), err
	}
	addSpan := func(v, s value.Value) (value.Value, error) {
		us, err := s.Span.AddTo(v.Int)
		return value.IntOf(v.Kind, us), err
	}
	r.setFunctions["generate_series"] = func(kinds []value.Kind) *SetFunc {
		for _, k := range []value.Kind{i4, i8, num, value.Timestamp, value.TimestampTZ} {
			step, add, unit := k, addInt(k), value.IntOf(k, 1)
			switch k {
			case num:
				add, unit = addDecimal, value.DecimalOf(value.DecimalFromInt(1))
			case value.Timestamp, value.TimestampTZ:
				step, add = value.Interval, addSpan
			}
			args := []value.Kind{k, k, step}
			if k != value.Timestamp && k != value.TimestampTZ && len(kinds) == 2 {
				args = args[:2]
			}
			if k == value.Timestamp && len(kinds) > 1 && (kinds[0] == value.Date || kinds[1] == value.Date) {
				continue // dates make a series with time zone
			}
			if fits(kinds, args) {
				return &SetFunc{args, []value.Kind{k}, []string{"generate_series"}, series(k, add, signOf, unit)}
			}
		}
		return nil
	}
	r.setFunctions["unnest"] = func(kinds []value.Kind) *SetFunc {
		if len(kinds) != 1 || !kinds[0].IsArray() {
			return nil
		}
		return &SetFunc{kinds, []value.Kind{kinds[0].Elem()}, []string{"unnest"}, listed(func(a []value.Value) ([][]value.Value, error) { return one(a[0].List), nil })}
	}
	r.setFunctions["generate_subscripts"] = func(kinds []value.Kind) *SetFunc {
		if len(kinds) < 2 || len(kinds) > 3 || !kinds[0].IsArray() || !fits(kinds[1:], []value.Kind{i4, value.Bool}[:len(kinds)-1]) {
			return nil
		}
		args := append([]value.Kind{kinds[0]}, []value.Kind{i4, value.Bool}[:len(kinds)-1]...)
		return &SetFunc{args, []value.Kind{i4}, []string{"generate_subscripts"}, listed(func(a []value.Value) ([][]value.Value, error) {
			var out []value.Value
			if anyNull(a) || a[1].Int != 1 {
				return nil, nil
			}
			for i := range a[0].List {
				out = append(out, value.IntOf(i4, int64(i+1)))
			}
			if len(a) > 2 && a[2].Truth() {
				slices.Reverse(out)
			}
			return one(out), nil
		})}
	}
	texts := func(name string, apart bool, all []value.Kind, split func(a []value.Value) ([]string, error)) {
		r.setFunctions[name] = func(kinds []value.Kind) *SetFunc {
			args := all[:max(2, min(len(kinds), len(all)))]
			if !fits(kinds, args) {
				return nil
			}
			return &SetFunc{args, []value.Kind{t}, []string{name}, listed(func(a []value.Value) ([][]value.Value, error) {
				if a[0].IsNull || !apart && anyNull(a) {
					return nil, nil
				}
				parts, err := split(a)
				var out []value.Value
				for _, p := range parts {
					v := value.TextOf(p)
					if apart && len(a) > 2 && !a[2].IsNull && a[2].Str == p {
						v = value.NullOf(t)
					}
					out = append(out, v)
				}
				return one(out), err
			})}
		}
	}
	texts("string_to_table", true, []value.Kind{t, t, t}, func(a []value.Value) ([]string, error) {
		if a[0].Str == "" {
			return nil, nil
		}
		switch {
		case a[1].IsNull: // every character
			return strings.Split(a[0].Str, ""), nil
		case a[1].Str == "":
			return []string{a[0].Str}, nil
		}
		return strings.Split(a[0].Str, a[1].Str), nil
	})
	splits := func(a []value.Value) ([]string, error) {
		re, err := compiled(a, 2, "regexp_split_to_table", "")
		if err != nil {
			return nil, err
		}
		return re.Split(a[0].Str)
	}
	texts("regexp_split_to_table", false, []value.Kind{t, t, t}, splits)
	r.setFunctions["regexp_matches"] = func(kinds []value.Kind) *SetFunc {
		args := []value.Kind{t, t, t}
		if len(kinds) == 2 {
			args = args[:2]
		}
		if !fits(kinds, args) {
			return nil
		}
		texts := value.ArrayOf(t)
		return &SetFunc{args, []value.Kind{texts}, []string{"regexp_matches"}, listed(func(a []value.Value) ([][]value.Value, error) {
			if anyNull(a) {
				return nil, nil
			}
			re, err := compiled(a, 2, "", "")
			if err != nil {
				return nil, err
			}
			var out []value.Value
			err = re.Each(a[0].Str, func(at []int) bool {
				out = append(out, value.Value{Kind: texts, List: groupsOf(re, a[0].Str, at)})
				return re.Global
			})
			return one(out), err
		})}
	}
	for _, k := range []value.Kind{value.JSON, value.JSONB} {
		prefix := k.String()
		jsonSet := func(name string, results []value.Kind, names []string, rows func(v value.JSONValue) ([][]value.Value, error)) {
			r.setFunctions[prefix+name] = func(kinds []value.Kind) *SetFunc {
				if len(kinds) != 1 || kinds[0] != k && kinds[0] != value.Null {
					return nil
				}
				return &SetFunc{[]value.Kind{k}, results, names, listed(func(a []value.Value) ([][]value.Value, error) {
					if a[0].IsNull {
						return nil, nil
					}
					v, err := value.DecodeJSON(a[0].Str)
					if err != nil {
						return nil, err
					}
					return rows(v)
				})}
			}
		}
		typed := func(v value.Value, k value.Kind) value.Value { v.Kind = k; return v }
		elements := func(write func(value.JSONValue) value.Value) func(v value.JSONValue) ([][]value.Value, error) {
			return func(v value.JSONValue) ([][]value.Value, error) {
				list, ok := v.([]value.JSONValue)
				if !ok {
					return nil, value.Errorf(value.CodeBadParameter, "cannot extract elements from a document that is no array")
				}
				var out []value.Value
				for _, x := range list {
					out = append(out, write(x))
				}
				return one(out), nil
			}
		}
		asJSON := func(v value.JSONValue) value.Value { return typed(jsonValue(v, k), k) }
		asText := func(v value.JSONValue) value.Value { return typed(jsonText(v, k), t) }
		members := func(row func(key string, v value.JSONValue) []value.Value) func(v value.JSONValue) ([][]value.Value, error) {
			return func(v value.JSONValue) ([][]value.Value, error) {
				o, ok := v.(*value.JSONObject)
				if !ok {
					return nil, value.Errorf(value.CodeBadParameter, "cannot take the members of a document that is no object")
				}
				var rows [][]value.Value
				for i, key := range o.Keys {
					rows = append(rows, row(key, o.Values[i]))
				}
				return rows, nil
			}
		}
		jsonSet("_array_elements", []value.Kind{k}, []string{"value"}, elements(asJSON))
		jsonSet("_array_elements_text", []value.Kind{t}, []string{"value"}, elements(asText))
		jsonSet("_object_keys", []value.Kind{t}, []string{prefix + "_object_keys"}, members(func(key string, _ value.JSONValue) []value.Value { return []value.Value{value.TextOf(key)} }))
		jsonSet("_each", []value.Kind{t, k}, []string{"key", "value"}, members(func(key string, v value.JSONValue) []value.Value { return []value.Value{value.TextOf(key), asJSON(v)} }))
		jsonSet("_each_text", []value.Kind{t, t}, []string{"key", "value"}, members(func(key string, v value.JSONValue) []value.Value { return []value.Value{value.TextOf(key), asText(v)} }))
	}
}
