package kernel

import (
	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/value"
)

// newExtreme makes the accumulator of min (sign -1) or max (sign 1). For numbers
// and times no value is boxed.
func newExtreme(k value.Kind, sign int) Accumulator {
	number := func(n int64) value.Value { return value.IntOf(k, n) }
	float := func(f float64) value.Value { return value.Value{Kind: k, Float: f} }
	switch k {
	case value.Int2:
		return extremes(k, sign, ordered[int16], func(a *array.Int16) []int16 { return a.Int16Values() }, func(v int16) value.Value { return number(int64(v)) })
	case value.Int4:
		return extremes(k, sign, ordered[int32], func(a *array.Int32) []int32 { return a.Int32Values() }, func(v int32) value.Value { return number(int64(v)) })
	case value.Int8:
		return extremes(k, sign, ordered[int64], func(a *array.Int64) []int64 { return a.Int64Values() }, number)
	case value.Date:
		return extremes(k, sign, ordered[arrow.Date32], func(a *array.Date32) []arrow.Date32 { return a.Date32Values() }, func(v arrow.Date32) value.Value { return number(int64(v)) })
	case value.Timestamp, value.TimestampTZ:
		return extremes(k, sign, ordered[arrow.Timestamp], func(a *array.Timestamp) []arrow.Timestamp { return a.TimestampValues() }, func(v arrow.Timestamp) value.Value { return number(int64(v)) })
	case value.Float8:
		return extremes(k, sign, value.CompareFloat, func(a *array.Float64) []float64 { return a.Float64Values() }, float)
	case value.Numeric:
		return extremes(k, sign, value.Decimal.Cmp, decimals, value.DecimalOf)
	}
	return &folding{kind: k, combine: extreme(sign)}
}

// typedExtreme keeps the least or the greatest value of each group.
type typedExtreme[T any, A arrow.Array] struct {
	kind    value.Kind
	sign    int
	compare func(a, b T) int
	values  func(A) []T
	box     func(T) value.Value
	best    []T
	has     []bool
}

func extremes[T any, A arrow.Array](k value.Kind, sign int, compare func(a, b T) int, values func(A) []T, box func(T) value.Value) Accumulator {
	return &typedExtreme[T, A]{kind: k, sign: sign, compare: compare, values: values, box: box}
}

func (x *typedExtreme[T, A]) Add(args []arrow.Array, group []int32, groups int) error {
	x.best, x.has = grow(x.best, groups), grow(x.has, groups)
	vals := x.values(args[0].(A))
	nulls := args[0].NullN() > 0
	for i, g := range group {
		if nulls && args[0].IsNull(i) {
			continue
		}
		if v := vals[i]; !x.has[g] || x.compare(v, x.best[g])*x.sign > 0 {
			x.best[g], x.has[g] = v, true
		}
	}
	return nil
}

func (x *typedExtreme[T, A]) Result(groups int) (arrow.Array, error) {
	x.best, x.has = grow(x.best, groups), grow(x.has, groups)
	out := value.NewBuilder(x.kind)
	for g := range groups {
		if x.has[g] {
			value.Append(out, x.box(x.best[g]))
		} else {
			out.AppendNull()
		}
	}
	return out.NewArray(), nil
}

// decimals reads the numerics of an array.
func decimals(a *array.FixedSizeBinary) []value.Decimal {
	out := make([]value.Decimal, a.Len())
	for i := range out {
		if a.IsValid(i) {
			out[i] = value.GetDecimal(a.Value(i))
		}
	}
	return out
}
