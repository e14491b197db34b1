package kernel

import (
	"fmt"
	"math"
	"math/big"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

type countAccumulator struct{ n []int64 }

func (c *countAccumulator) Add(args []arrow.Array, group []int32, groups int) error {
	c.n = grow(c.n, groups)
	for i, g := range group {
		if len(args) == 0 || !args[0].IsNull(i) {
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

// exactSum sums integers and numerics. A sum that outgrows the digits of a numeric goes on
// with more: an average, or values of the other sign, may bring it back.
type exactSum struct {
	sum    []value.Decimal
	wide   map[int32]*wideSum
	n      []int64
	avg    bool
	result value.Kind
}

type wideSum struct {
	coef  *big.Int
	scale int
}

func (w *wideSum) add(d value.Decimal) {
	x := d.Big()
	if s := int(d.Scale); s > w.scale {
		w.coef.Mul(w.coef, value.Pow10(s-w.scale))
		w.scale = s
	} else {
		x.Mul(x, value.Pow10(w.scale-s))
	}
	w.coef.Add(w.coef, x)
}

func (s *exactSum) Add(args []arrow.Array, group []int32, groups int) error {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	arg := args[0]
	at, err := decimalReader(arg)
	if err != nil {
		return err
	}
	for i, g := range group {
		if arg.IsNull(i) {
			continue
		}
		s.n[g]++
		d := at(i)
		if w := s.wide[g]; w != nil && !d.Special() {
			w.add(d)
			continue
		}
		sum, err := s.sum[g].Add(d)
		if err != nil {
			if s.wide == nil {
				s.wide = map[int32]*wideSum{}
			}
			w := &wideSum{coef: new(big.Int)}
			w.add(s.sum[g])
			w.add(d)
			s.wide[g], sum = w, value.Decimal{}
		}
		s.sum[g] = sum // of a wide sum, what is NaN or infinite
	}
	return nil
}

// total gives the sum or average of a group.
func (s *exactSum) total(g int32) (value.Decimal, error) {
	w := s.wide[g]
	switch {
	case w != nil && !s.sum[g].Special() && s.avg:
		return value.DivBig(w.coef, w.scale, big.NewInt(s.n[g]))
	case w != nil && !s.sum[g].Special():
		return value.DecimalFromBig(w.coef, w.scale)
	case s.avg:
		return s.sum[g].Div(value.DecimalFromInt(s.n[g]))
	}
	return s.sum[g], nil
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
			if v.Dec, err = s.total(int32(g)); err == nil && s.result == value.Int8 {
				v.Int, err = v.Dec.Int64()
			}
			if err != nil {
				return nil, err
			}
		}
		value.Append(out, v)
	}
	return out.NewArray(), nil
}

// floatReader reads doubles and reals.
func floatReader(arg arrow.Array) func(int) float64 {
	if a, ok := arg.(*array.Float32); ok {
		return func(i int) float64 { return float64(a.Value(i)) }
	}
	return arg.(*array.Float64).Value
}

type floatSum struct {
	sum    []float64
	some   []bool
	result value.Kind
}

func (s *floatSum) Add(args []arrow.Array, group []int32, groups int) error {
	s.sum, s.some = grow(s.sum, groups), grow(s.some, groups)
	at := floatReader(args[0])
	for i, g := range group {
		if args[0].IsNull(i) {
			continue
		}
		sum, err := value.AddFloat(s.sum[g], at(i))
		if err == nil && s.result == value.Float4 {
			var r float32
			r, err = value.ToReal(sum)
			sum = float64(r)
		}
		if err != nil {
			return err
		}
		s.sum[g], s.some[g] = sum, true
	}
	return nil
}

func (s *floatSum) Result(groups int) (arrow.Array, error) {
	s.sum, s.some = grow(s.sum, groups), grow(s.some, groups)
	out := value.NewBuilder(s.result)
	for g := range groups {
		value.Append(out, value.Value{Kind: s.result, IsNull: !s.some[g], Float: s.sum[g]})
	}
	return out.NewArray(), nil
}

// spanSum sums intervals.
type spanSum struct {
	sum []value.Span
	n   []int64
	avg bool
}

func (s *spanSum) Add(args []arrow.Array, group []int32, groups int) error {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	for i, g := range group {
		if !args[0].IsNull(i) {
			sum, err := s.sum[g].Add(value.At(value.Interval, args[0], i).Span)
			if err != nil {
				return err
			}
			s.sum[g] = sum
			s.n[g]++
		}
	}
	return nil
}

func (s *spanSum) Result(groups int) (arrow.Array, error) {
	s.sum, s.n = grow(s.sum, groups), grow(s.n, groups)
	out := value.NewBuilder(value.Interval)
	for g := range groups {
		v := value.Value{Kind: value.Interval, IsNull: s.n[g] == 0, Span: s.sum[g]}
		if s.avg && !v.IsNull {
			var err error
			if v.Span, err = divideSpan(s.sum[g], float64(s.n[g])); err != nil {
				return nil, err
			}
		}
		value.Append(out, v)
	}
	return out.NewArray(), nil
}

// folding keeps one value for each group and combines it with the next: min,
// max, bool_and, bit_or and their like.
type folding struct {
	kind    value.Kind
	combine func(have, next value.Value) value.Value
	best    []value.Value
	has     []bool
}

func (x *folding) Add(args []arrow.Array, group []int32, groups int) error {
	x.best, x.has = grow(x.best, groups), grow(x.has, groups)
	for i, g := range group {
		if args[0].IsNull(i) {
			continue
		}
		v := value.At(x.kind, args[0], i)
		if x.has[g] {
			v = x.combine(x.best[g], v)
		}
		x.best[g], x.has[g] = v, true
	}
	return nil
}

func (x *folding) Result(groups int) (arrow.Array, error) {
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

func extreme(sign int) func(have, next value.Value) value.Value {
	return func(have, next value.Value) value.Value {
		if value.Compare(next, have)*sign > 0 {
			return next
		}
		return have
	}
}

// exactMoments computes variances of integers and numerics as PostgreSQL does:
// exact sums, and one division (numeric_stddev_internal in its numeric.c).
type exactMoments struct {
	n            []int64
	special      []bool     // NaN or infinity was among the values
	sum, squares []*big.Int // at the group's scale, and twice the scale
	scale        []int
	sample, root bool
}

func (m *exactMoments) Add(args []arrow.Array, group []int32, groups int) error {
	m.n, m.sum, m.squares, m.scale, m.special = grow(m.n, groups), grow(m.sum, groups), grow(m.squares, groups), grow(m.scale, groups), grow(m.special, groups)
	at, err := decimalReader(args[0])
	if err != nil {
		return err
	}
	for i, g := range group {
		if args[0].IsNull(i) {
			continue
		}
		d := at(i)
		m.n[g]++
		if d.Special() {
			m.special[g] = true
			continue
		}
		if m.sum[g] == nil {
			m.sum[g], m.squares[g] = new(big.Int), new(big.Int)
		}
		x := d.Big()
		if s := int(d.Scale); s > m.scale[g] {
			up := value.Pow10(s - m.scale[g])
			m.sum[g].Mul(m.sum[g], up)
			m.squares[g].Mul(m.squares[g], up).Mul(m.squares[g], up)
			m.scale[g] = s
		} else {
			x.Mul(x, value.Pow10(m.scale[g]-s))
		}
		m.sum[g].Add(m.sum[g], x)
		m.squares[g].Add(m.squares[g], new(big.Int).Mul(x, x))
	}
	return nil
}

func (m *exactMoments) Result(groups int) (arrow.Array, error) {
	m.n, m.sum, m.squares, m.scale, m.special = grow(m.n, groups), grow(m.sum, groups), grow(m.squares, groups), grow(m.scale, groups), grow(m.special, groups)
	out := value.NewBuilder(value.Numeric)
	for g := range groups {
		n := m.n[g]
		if n == 0 || m.sample && n == 1 {
			out.AppendNull()
			continue
		}
		if m.special[g] {
			value.Append(out, value.DecimalOf(value.NaN))
			continue
		}
		num := new(big.Int).Mul(big.NewInt(n), m.squares[g])
		num.Sub(num, new(big.Int).Mul(m.sum[g], m.sum[g]))
		d := value.Decimal{}
		if num.Sign() > 0 {
			den := n
			if m.sample {
				den = n - 1
			}
			divisor := new(big.Int).Mul(big.NewInt(n), big.NewInt(den))
			var err error
			if d, err = value.DivBig(num, 2*m.scale[g], divisor); err != nil {
				return nil, err
			}
			if m.root {
				if d, err = value.SqrtAt(d, int(d.Scale)); err != nil {
					return nil, err
				}
			}
		}
		value.Append(out, value.DecimalOf(d))
	}
	return out.NewArray(), nil
}

// floatMoments computes what needs sums of squares and products of doubles, by
// the method of Youngs and Cramer, as PostgreSQL does. A sum that finite values
// make infinite is an error, whether the result needs the sum or not.
type floatMoments struct {
	m     []moments
	final func(m moments) (float64, bool)
}

type moments struct{ n, sx, sxx, sy, syy, sxy float64 }

func (f *floatMoments) Add(args []arrow.Array, group []int32, groups int) error {
	f.m = grow(f.m, groups)
	add, ys := (*moments).addPair, floatReader(args[0])
	xs := ys
	if len(args) > 1 {
		xs = floatReader(args[1])
	} else {
		add = (*moments).addOne
	}
	for i, g := range group {
		if args[0].IsNull(i) || len(args) > 1 && args[1].IsNull(i) {
			continue
		}
		if err := add(&f.m[g], xs(i), ys(i)); err != nil {
			return err
		}
	}
	return nil
}

// addOne adds a value, which both arguments are, to the sums of x.
func (m *moments) addOne(x, _ float64) error {
	before := *m
	m.n++
	m.sx += x
	if before.n == 0 {
		if !isFinite(x) {
			m.sxx = math.NaN()
		}
		return nil
	}
	t := x*m.n - m.sx
	m.sxx += t * t / (m.n * before.n)
	if math.IsInf(m.sx, 0) || math.IsInf(m.sxx, 0) {
		if !math.IsInf(before.sx, 0) && !math.IsInf(x, 0) {
			return value.ErrFloatRange
		}
		m.sxx = math.NaN()
	}
	return nil
}

func (m *moments) addPair(x, y float64) error {
	before := *m
	m.n++
	m.sx += x
	m.sy += y
	if before.n == 0 {
		if !isFinite(x) {
			m.sxx, m.sxy = math.NaN(), math.NaN()
		}
		if !isFinite(y) {
			m.syy, m.sxy = math.NaN(), math.NaN()
		}
		return nil
	}
	tx, ty := x*m.n-m.sx, y*m.n-m.sy
	scale := 1 / (m.n * before.n)
	m.sxx += tx * tx * scale
	m.syy += ty * ty * scale
	m.sxy += tx * ty * scale
	inf := func(x float64) bool { return math.IsInf(x, 0) }
	byX, byY := !inf(before.sx) && !inf(x), !inf(before.sy) && !inf(y)
	if (inf(m.sx) || inf(m.sxx)) && byX || (inf(m.sy) || inf(m.syy)) && byY || inf(m.sxy) && byX && byY {
		return value.ErrFloatRange
	}
	for _, sum := range []*float64{&m.sxx, &m.syy, &m.sxy} {
		if inf(*sum) {
			*sum = math.NaN()
		}
	}
	return nil
}

func isFinite(x float64) bool { return !math.IsInf(x, 0) && !math.IsNaN(x) }

func (f *floatMoments) Result(groups int) (arrow.Array, error) {
	f.m = grow(f.m, groups)
	out := array.NewFloat64Builder(value.Memory)
	for g := range groups {
		if v, ok := f.final(f.m[g]); ok {
			out.Append(v)
		} else {
			out.AppendNull()
		}
	}
	return out.NewArray(), nil
}

// collecting keeps all values of each group for a final function.
type collecting struct {
	growing
	kinds  []value.Kind
	result value.Kind
	rows   [][][]value.Value // by group
	nulls  bool              // rows with NULLs in the last argument count
	final  func(rows [][]value.Value) (value.Value, error)
}

func (c *collecting) Add(args []arrow.Array, group []int32, groups int) error {
	c.rows = grow(c.rows, groups)
	for i, g := range group {
		row := make([]value.Value, len(args))
		for a, arr := range args {
			row[a] = value.At(c.kinds[a], arr, i)
		}
		if c.nulls || !row[len(row)-1].IsNull {
			c.bytes += rowEntry
			for _, v := range row {
				c.bytes += boxedBytes(v)
			}
			c.rows[g] = append(c.rows[g], row)
		}
	}
	return nil
}

func (c *collecting) Result(groups int) (arrow.Array, error) {
	c.rows = grow(c.rows, groups)
	out := value.NewBuilder(c.result)
	for g := range groups {
		if len(c.rows[g]) == 0 {
			out.AppendNull()
			continue
		}
		v, err := c.final(c.rows[g])
		if err != nil {
			return nil, err
		}
		v.Kind = c.result
		value.Append(out, v)
	}
	return out.NewArray(), nil
}

func argKinds(a plan.Agg) []value.Kind {
	kinds := kindsOf(a.Args)
	if function.OrderedSet(a.Func) {
		kinds = append(kinds, a.Order[0].Expr.Type().Kind)
	}
	return kinds
}

func collect(final func(a plan.Agg, rows [][]value.Value) (value.Value, error)) func(plan.Agg, value.Kind) Accumulator {
	return func(a plan.Agg, result value.Kind) Accumulator {
		facts, _ := function.AggregateOf(a.Func)
		return &collecting{kinds: argKinds(a), result: result, nulls: facts.KeepsNulls, final: func(rows [][]value.Value) (value.Value, error) { return final(a, rows) }}
	}
}

// pairCount is regr_count: rows in which neither argument is NULL.
type pairCount struct{ n []int64 }

func (c *pairCount) Add(args []arrow.Array, group []int32, groups int) error {
	c.n = grow(c.n, groups)
	for i, g := range group {
		if !args[0].IsNull(i) && !args[1].IsNull(i) {
			c.n[g]++
		}
	}
	return nil
}

func (c *pairCount) Result(groups int) (arrow.Array, error) {
	b := array.NewInt64Builder(value.Memory)
	b.AppendValues(grow(c.n, groups), nil)
	return b.NewArray(), nil
}
