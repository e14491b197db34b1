package kernel

import (
	"math"
	"strings"

	"rovik/core/plan"
	"rovik/core/value"
)

// sameAs resolves an aggregate of one argument whose result is its kind.
func sameAs(ok func(k value.Kind) bool) func([]value.Kind, value.Kind) ([]value.Kind, value.Kind, bool) {
	return func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		if len(kinds) != 1 || !ok(kinds[0]) {
			return nil, 0, false
		}
		return kinds, kinds[0], true
	}
}

// ofKinds resolves an aggregate of fixed kinds.
func ofKinds(result value.Kind, args ...value.Kind) func([]value.Kind, value.Kind) ([]value.Kind, value.Kind, bool) {
	return func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		return args, result, fits(kinds, args)
	}
}

// numberResult resolves sum, avg and the variances by the kind of a number.
func numberResult(small, big, real value.Kind) func([]value.Kind, value.Kind) ([]value.Kind, value.Kind, bool) {
	return func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		if len(kinds) != 1 {
			return nil, 0, false
		}
		switch k := kinds[0]; k {
		case value.Int2, value.Int4:
			return kinds, small, true
		case value.Int8, value.Numeric:
			return kinds, big, true
		case value.Float8:
			return kinds, value.Float8, true
		case value.Float4:
			return kinds, real, true
		case value.Interval:
			return kinds, value.Interval, small != value.Float8
		}
		return nil, 0, false
	}
}

func sumOrAvg(avg bool) func(plan.Agg, value.Kind) Accumulator {
	return func(a plan.Agg, result value.Kind) Accumulator {
		switch k := a.Args[0].Type().Kind; {
		case k == value.Interval:
			return &spanSum{avg: avg}
		case k.IsFloat():
			if avg {
				return &floatMoments{final: func(m moments) (float64, bool) { return m.sx / m.n, m.n > 0 }}
			}
			return &floatSum{result: result}
		}
		return &exactSum{avg: avg, result: result}
	}
}

func variance(sample, root bool) *aggregate {
	resolve := numberResult(value.Numeric, value.Numeric, value.Float8)
	return &aggregate{
		resolve: func(kinds []value.Kind, s value.Kind) ([]value.Kind, value.Kind, bool) {
			args, result, ok := resolve(kinds, s)
			return args, result, ok && result != value.Interval
		},
		make: func(a plan.Agg, _ value.Kind) Accumulator {
			if !a.Args[0].Type().Kind.IsFloat() {
				return &exactMoments{sample: sample, root: root}
			}
			return &floatMoments{final: func(m moments) (float64, bool) {
				n := m.n
				if sample {
					n--
				}
				if m.n == 0 || n <= 0 {
					return 0, false
				}
				v := m.sxx / n
				if root {
					v = math.Sqrt(v)
				}
				return v, true
			}}
		}}
}

// regression makes an aggregate of two doubles, Y first.
func regression(least float64, final func(m moments) (float64, bool)) *aggregate {
	return &aggregate{resolve: ofKinds(value.Float8, value.Float8, value.Float8), make: func(plan.Agg, value.Kind) Accumulator {
		return &floatMoments{final: func(m moments) (float64, bool) {
			if m.n < least {
				return 0, false
			}
			return final(m)
		}}
	}}
}

func integers(k value.Kind) bool { return k.IsInteger() }

// spread returns the position in n sorted values that a fraction means.
func fraction(v value.Value) (float64, error) {
	if f := v.Float; f >= 0 && f <= 1 {
		return f, nil
	}
	return 0, value.Errorf("22003", "percentile value %g is not between 0 and 1", v.Float)
}

// interpolate gives the value between two neighbours.
func interpolate(low, high value.Value, f float64) (value.Value, error) {
	if low.Kind == value.Interval {
		diff, err := high.Span.Add(low.Span.Neg())
		if err != nil {
			return value.Value{}, err
		}
		if diff, err = scaleSpan(diff, f); err != nil {
			return value.Value{}, err
		}
		sum, err := low.Span.Add(diff)
		return value.Value{Span: sum}, err
	}
	return floatValue(low.Float + f*(high.Float-low.Float)), nil
}

// percentile computes an ordered-set aggregate at the fraction that its first
// argument gives, or at each of an array of them.
func percentile(rows [][]value.Value, at func(rows [][]value.Value, f float64) (value.Value, error)) (value.Value, error) {
	one := func(v value.Value) (value.Value, error) {
		if v.IsNull {
			return nullValue(), nil
		}
		f, err := fraction(v)
		if err != nil {
			return nullValue(), err
		}
		return at(rows, f)
	}
	asked := rows[0][0]
	if asked.IsNull || !asked.Kind.IsArray() {
		return one(asked)
	}
	out := make([]value.Value, len(asked.List))
	for i, v := range asked.List {
		var err error
		if out[i], err = one(v); err != nil {
			return nullValue(), err
		}
	}
	return listValue(out), nil
}

func percentileCont(rows [][]value.Value, f float64) (value.Value, error) {
	at := f * float64(len(rows)-1)
	low := int(math.Floor(at))
	high := int(math.Ceil(at))
	if low == high {
		return rows[low][1], nil
	}
	return interpolate(rows[low][1], rows[high][1], at-float64(low))
}

func percentileDisc(rows [][]value.Value, f float64) (value.Value, error) {
	return rows[max(int(math.Ceil(f*float64(len(rows))))-1, 0)][1], nil
}

func mode(rows [][]value.Value) value.Value {
	best, bestRun, run := rows[0][0], 0, 0
	for i, r := range rows {
		if i > 0 && value.Compare(rows[i-1][0], r[0]) != 0 {
			run = 0
		}
		if run++; run > bestRun {
			best, bestRun = r[0], run
		}
	}
	return best
}

func addAggregates(r *registry) {
	f8, i8, num, t, b := value.Float8, value.Int8, value.Numeric, value.Text, value.Bool
	r.aggregates["count"] = &aggregate{resolve: func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		args := append([]value.Kind{}, kinds...)
		for i, k := range args {
			if k == value.Null {
				args[i] = t
			}
		}
		return args, i8, len(kinds) < 2
	}, make: func(plan.Agg, value.Kind) Accumulator { return &countAccumulator{} }}
	r.aggregates["sum"] = &aggregate{resolve: numberResult(i8, num, value.Float4), make: sumOrAvg(false)}
	r.aggregates["avg"] = &aggregate{resolve: numberResult(num, num, f8), make: sumOrAvg(true)}
	for name, sign := range map[string]int{"min": -1, "max": 1} {
		r.aggregates[name] = &aggregate{
			resolve: sameAs(func(k value.Kind) bool {
				return k != b && k != value.UUID && k != value.JSON && k != value.JSONB && k != value.Bytea
			}),
			make: func(_ plan.Agg, result value.Kind) Accumulator { return newExtreme(result, sign) }}
	}
	fold := func(ok func(value.Kind) bool, combine func(have, next value.Value) value.Value) *aggregate {
		return &aggregate{resolve: sameAs(ok), make: func(_ plan.Agg, result value.Kind) Accumulator {
			return &folding{kind: result, combine: combine}
		}}
	}
	boolean := func(k value.Kind) bool { return k == b }
	both := func(op func(a, b int64) int64) func(have, next value.Value) value.Value {
		return func(have, next value.Value) value.Value { have.Int = op(have.Int, next.Int); return have }
	}
	r.aggregates["bool_and"] = fold(boolean, both(func(a, b int64) int64 { return a & b }))
	r.aggregates["every"] = r.aggregates["bool_and"]
	r.aggregates["bool_or"] = fold(boolean, both(func(a, b int64) int64 { return a | b }))
	r.aggregates["bit_and"] = fold(integers, both(func(a, b int64) int64 { return a & b }))
	r.aggregates["bit_or"] = fold(integers, both(func(a, b int64) int64 { return a | b }))
	r.aggregates["bit_xor"] = fold(integers, both(func(a, b int64) int64 { return a ^ b }))
	for name, v := range map[string]*aggregate{"var_samp": variance(true, false), "variance": variance(true, false), "var_pop": variance(false, false),
		"stddev_samp": variance(true, true), "stddev": variance(true, true), "stddev_pop": variance(false, true)} {
		r.aggregates[name] = v
	}
	r.aggregates["regr_count"] = &aggregate{resolve: ofKinds(i8, f8, f8), make: func(plan.Agg, value.Kind) Accumulator { return &pairCount{} }}
	r.aggregates["regr_sxx"] = regression(1, func(m moments) (float64, bool) { return m.sxx, true })
	r.aggregates["regr_syy"] = regression(1, func(m moments) (float64, bool) { return m.syy, true })
	r.aggregates["regr_sxy"] = regression(1, func(m moments) (float64, bool) { return m.sxy, true })
	r.aggregates["regr_avgx"] = regression(1, func(m moments) (float64, bool) { return m.sx / m.n, true })
	r.aggregates["regr_avgy"] = regression(1, func(m moments) (float64, bool) { return m.sy / m.n, true })
	r.aggregates["covar_pop"] = regression(1, func(m moments) (float64, bool) { return m.sxy / m.n, true })
	r.aggregates["covar_samp"] = regression(2, func(m moments) (float64, bool) { return m.sxy / (m.n - 1), true })
	r.aggregates["corr"] = regression(1, func(m moments) (float64, bool) {
		return m.sxy / math.Sqrt(m.sxx*m.syy), m.sxx != 0 && m.syy != 0
	})
	r.aggregates["regr_r2"] = regression(1, func(m moments) (float64, bool) {
		if m.sxx == 0 {
			return 0, false
		}
		if m.syy == 0 {
			return 1, true
		}
		return m.sxy * m.sxy / (m.sxx * m.syy), true
	})
	r.aggregates["regr_slope"] = regression(1, func(m moments) (float64, bool) { return m.sxy / m.sxx, m.sxx != 0 })
	r.aggregates["regr_intercept"] = regression(1, func(m moments) (float64, bool) {
		return (m.sy - m.sx*m.sxy/m.sxx) / m.n, m.sxx != 0
	})
	r.aggregates["string_agg"] = &aggregate{resolve: func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		for _, k := range []value.Kind{t, value.Bytea} {
			if fits(kinds, []value.Kind{k, k}) {
				return []value.Kind{k, k}, k, true
			}
		}
		return nil, 0, false
	}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) {
		var out strings.Builder
		any := false
		for _, r := range rows {
			if r[0].IsNull {
				continue
			}
			if any && !r[1].IsNull {
				out.WriteString(r[1].Str)
			}
			any = true
			out.WriteString(r[0].Str)
		}
		return value.Value{Str: out.String(), IsNull: !any}, nil
	})}
	r.aggregates["array_agg"] = &aggregate{resolve: func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		if len(kinds) != 1 || kinds[0].IsArray() {
			return nil, 0, false
		}
		return kinds, value.ArrayOf(kinds[0]), true
	}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) {
		var out []value.Value
		for _, r := range rows {
			out = append(out, r[0])
		}
		return listValue(out), nil
	})}
	for _, k := range []value.Kind{value.JSON, value.JSONB} {
		r.aggregates[k.String()+"_agg"] = &aggregate{resolve: func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
			return kinds, k, len(kinds) == 1
		}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) {
			if k == value.JSON {
				return textValue(jsonLines(rows, rows[0][0].Kind.IsArray())), nil
			}
			out := []value.JSONValue{}
			for _, r := range rows {
				out = append(out, toJSON(r[0]))
			}
			return builtJSON(out, k), nil
		})}
		r.aggregates[k.String()+"_object_agg"] = &aggregate{resolve: func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
			return kinds, k, len(kinds) == 2
		}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) {
			o := &value.JSONObject{}
			for _, r := range rows {
				if r[0].IsNull {
					return nullValue(), value.Errorf("22004", "field name must not be null")
				}
				o.Keys, o.Values = append(o.Keys, r[0].String()), append(o.Values, toJSON(r[1]))
			}
			out := builtJSON(o, k)
			if k == value.JSON {
				out.Str = "{ " + out.Str[1:len(out.Str)-1] + " }"
			}
			return out, nil
		})}
	}
	r.aggregates[OpRowsAgg] = &aggregate{resolve: func(kinds []value.Kind, _ value.Kind) ([]value.Kind, value.Kind, bool) {
		return kinds, value.JSON, len(kinds) == 1
	}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) {
		return textValue(jsonLines(rows, true)), nil
	})}
	for name, p := range map[string]struct {
		at    func(rows [][]value.Value, f float64) (value.Value, error)
		takes func(sorted value.Kind) bool
	}{
		"percentile_cont": {percentileCont, func(sorted value.Kind) bool { return sorted == f8 || sorted == value.Interval }},
		"percentile_disc": {percentileDisc, func(sorted value.Kind) bool { return true }},
	} {
		r.aggregates[name] = &aggregate{resolve: func(kinds []value.Kind, sorted value.Kind) ([]value.Kind, value.Kind, bool) {
			if len(kinds) == 1 && kinds[0].IsArray() && !sorted.IsArray() {
				elem := []value.Kind{kinds[0].Elem()}
				return []value.Kind{value.ArrayOf(f8)}, value.ArrayOf(sorted), fits(elem, []value.Kind{f8}) && p.takes(sorted)
			}
			return []value.Kind{f8}, sorted, fits(kinds, []value.Kind{f8}) && p.takes(sorted)
		}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) { return percentile(rows, p.at) })}
	}
	r.aggregates["mode"] = &aggregate{resolve: func(kinds []value.Kind, sorted value.Kind) ([]value.Kind, value.Kind, bool) {
		return nil, sorted, len(kinds) == 0
	}, make: collect(func(_ plan.Agg, rows [][]value.Value) (value.Value, error) { return mode(rows), nil })}
}

// OpRowsAgg is json_agg of whole rows.
const OpRowsAgg = "json_agg rows"

// jsonLines is the JSON array of some values, as json_agg writes it: rows and arrays begin
// lines of their own.
func jsonLines(rows [][]value.Value, lines bool) string {
	var b strings.Builder
	b.WriteByte('[')
	for i, r := range rows {
		if i > 0 {
			b.WriteString(", ")
			if lines && !r[0].IsNull {
				b.WriteString("\n ")
			}
		}
		one := builtJSON([]value.JSONValue{toJSON(r[0])}, value.JSON).Str
		b.WriteString(one[1 : len(one)-1])
	}
	b.WriteByte(']')
	return b.String()
}
