package kernel

import (
	"encoding/binary"
	"fmt"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/plan"
	"rovik/core/value"
)

// IsAggregate tells whether name is an aggregate function.
func IsAggregate(name string) bool {
	switch name {
	case "count", "sum", "avg", "min", "max":
		return true
	}
	return false
}

// AggregateType returns the result type of an aggregate over an argument.
func AggregateType(name string, arg value.Type) (value.Type, error) {
	k := arg.Kind
	switch {
	case name == "count":
		return value.Of(value.Int8), nil
	case (name == "min" || name == "max") && k != value.Bool && k != value.Null:
		return arg, nil
	case name == "sum" && (k == value.Int2 || k == value.Int4):
		return value.Of(value.Int8), nil
	case (name == "sum" || name == "avg") && (k == value.Numeric || k.IsInteger()):
		return value.Of(value.Numeric), nil
	case (name == "sum" || name == "avg") && k == value.Float8:
		return value.Of(value.Float8), nil
	}
	return value.Type{}, value.Errorf(value.CodeUndefinedFunc, "function %s(%s) does not exist", name, k).
		WithHint("cast the argument to a number")
}

// Accumulator computes one aggregate for many groups at once.
type Accumulator interface {
	// Add takes in a batch: arg (nil for count(*)) and the group of each row.
	// groups counts how many groups there are by now.
	Add(arg arrow.Array, group []int32, groups int) error
	// Result returns one entry for each group.
	Result(groups int) (arrow.Array, error)
}

// NewAccumulator makes the accumulator of an aggregate call.
func NewAccumulator(a plan.Agg, result value.Type) (Accumulator, error) {
	inner, err := newPlain(a, result)
	if err != nil || !a.Distinct || a.Func == "min" || a.Func == "max" {
		return inner, err
	}
	return &distinctAccumulator{inner: inner, seen: map[string]struct{}{}}, nil
}

func newPlain(a plan.Agg, result value.Type) (Accumulator, error) {
	if a.Func == "count" {
		return &countAccumulator{}, nil
	}
	k := a.Arg.Type().Kind
	switch a.Func {
	case "min", "max":
		return &extremeAccumulator{kind: k, max: a.Func == "max"}, nil
	case "sum", "avg":
		avg := a.Func == "avg"
		switch {
		case k == value.Float8:
			return &floatSum{avg: avg}, nil
		case k.IsInteger() || k == value.Numeric:
			return &exactSum{avg: avg, result: result.Kind}, nil
		}
	}
	return nil, fmt.Errorf("no accumulator for %s(%s)", a.Func, k)
}

func grow[T any](s []T, n int) []T {
	if n <= len(s) {
		return s
	}
	return append(s, make([]T, n-len(s))...)
}

type countAccumulator struct{ n []int64 }

func (c *countAccumulator) Add(arg arrow.Array, group []int32, groups int) error {
	c.n = grow(c.n, groups)
	for i, g := range group {
		if arg == nil || !arg.IsNull(i) {
			c.n[g]++
		}
	}
	return nil
}

func (c *countAccumulator) Result(groups int) (arrow.Array, error) {
	b := array.NewInt64Builder(value.Memory)
	b.AppendValues(grow(c.n, groups), nil)
	return b.NewArray(), nil
}

// exactSum sums integers and numerics. While it can it adds int64s; sums that
// leave them go on as decimals.
type exactSum struct {
	sum    []value.Decimal
	n      []int64
	avg    bool
	result value.Kind
}

func (s *exactSum) Add(arg arrow.Array, group []int32, groups int) error {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	at, err := decimalReader(arg)
	if err != nil {
		return err
	}
	for i, g := range group {
		if arg.IsNull(i) {
			continue
		}
		sum, err := s.sum[g].Add(at(i))
		if err != nil {
			return err
		}
		s.sum[g] = sum
		s.n[g]++
	}
	return nil
}

func decimalReader(arg arrow.Array) (func(int) value.Decimal, error) {
	switch a := arg.(type) {
	case *array.Int16:
		return func(i int) value.Decimal { return value.DecimalFromInt(int64(a.Value(i))) }, nil
	case *array.Int32:
		return func(i int) value.Decimal { return value.DecimalFromInt(int64(a.Value(i))) }, nil
	case *array.Int64:
		return func(i int) value.Decimal { return value.DecimalFromInt(a.Value(i)) }, nil
	case *array.FixedSizeBinary:
		return func(i int) value.Decimal { return value.GetDecimal(a.Value(i)) }, nil
	}
	return nil, fmt.Errorf("sums are not made of %T", arg)
}

func (s *exactSum) Result(groups int) (arrow.Array, error) {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	out := value.NewBuilder(s.result)
	for g := range groups {
		v := value.Value{Kind: s.result, IsNull: s.n[g] == 0}
		if !v.IsNull {
			var err error
			switch {
			case s.result == value.Int8:
				v.Int, err = s.sum[g].Int64()
			case s.avg:
				v.Dec, err = s.sum[g].Div(value.DecimalFromInt(s.n[g]))
			default:
				v.Dec = s.sum[g]
			}
			if err != nil {
				return nil, err
			}
		}
		value.Append(out, v)
	}
	return out.NewArray(), nil
}

type floatSum struct {
	sum []float64
	n   []int64
	avg bool
}

func (s *floatSum) Add(arg arrow.Array, group []int32, groups int) error {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	a := arg.(*array.Float64)
	for i, g := range group {
		if a.IsNull(i) {
			continue
		}
		sum, err := value.AddFloat(s.sum[g], a.Value(i))
		if err != nil {
			return err
		}
		s.sum[g] = sum
		s.n[g]++
	}
	return nil
}

func (s *floatSum) Result(groups int) (arrow.Array, error) {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	out := array.NewFloat64Builder(value.Memory)
	for g := range groups {
		switch {
		case s.n[g] == 0:
			out.AppendNull()
		case s.avg:
			out.Append(s.sum[g] / float64(s.n[g]))
		default:
			out.Append(s.sum[g])
		}
	}
	return out.NewArray(), nil
}

// extremeAccumulator is min and max of any ordered kind. It keeps, for each
// group, the place of the best value in a growing array of candidates.
type extremeAccumulator struct {
	kind value.Kind
	max  bool
	best []value.Value
	has  []bool
}

func (x *extremeAccumulator) Add(arg arrow.Array, group []int32, groups int) error {
	x.best, x.has = grow(x.best, groups), grow(x.has, groups)
	for i, g := range group {
		if arg.IsNull(i) {
			continue
		}
		v := value.At(x.kind, arg, i)
		if x.has[g] {
			if c := value.Compare(v, x.best[g]); c == 0 || (c > 0) != x.max {
				continue
			}
		}
		x.best[g], x.has[g] = v, true
	}
	return nil
}

func (x *extremeAccumulator) Result(groups int) (arrow.Array, error) {
	x.best, x.has = grow(x.best, groups), grow(x.has, groups)
	out := value.NewBuilder(x.kind)
	for g := range groups {
		if x.has[g] {
			value.Append(out, x.best[g])
		} else {
			out.AppendNull()
		}
	}
	return out.NewArray(), nil
}

// distinctAccumulator lets each value of a group through once.
type distinctAccumulator struct {
	inner Accumulator
	seen  map[string]struct{}
}

func (d *distinctAccumulator) Add(arg arrow.Array, group []int32, groups int) error {
	var rows, newGroups []int32
	var key []byte
	for i, g := range group {
		if arg.IsNull(i) {
			continue
		}
		key = value.AppendKey(binary.LittleEndian.AppendUint32(key[:0], uint32(g)), arg, i)
		if _, ok := d.seen[string(key)]; !ok {
			d.seen[string(key)] = struct{}{}
			rows, newGroups = append(rows, int32(i)), append(newGroups, g)
		}
	}
	return d.inner.Add(Take(arg, rows), newGroups, groups)
}

func (d *distinctAccumulator) Result(groups int) (arrow.Array, error) { return d.inner.Result(groups) }
