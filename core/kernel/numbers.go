package kernel

import (
	"math"
	"math/big"
	"strings"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/value"
)

func defInteger[T value.Integer](r *registry, k value.Kind) {
	def2(r, "+", k, k, k, value.AddInt[T])
	def2(r, "-", k, k, k, value.SubInt[T])
	def2(r, "*", k, k, k, value.MulInt[T])
	def2(r, "/", k, k, k, value.DivInt[T])
	def2(r, "%", k, k, k, value.ModInt[T])
	def2(r, "mod", k, k, k, value.ModInt[T])
	def1(r, "neg", k, k, func(a T) (T, error) { return value.SubInt(0, a) })
	def1(r, "abs", k, k, func(a T) (T, error) {
		if a < 0 {
			return value.SubInt(0, a)
		}
		return a, nil
	})
}

// defComparisons defines = <> < <= > >= for a kind.
func defComparisons[T any](r *registry, k value.Kind, cmp func(a, b T) int) {
	for op, holds := range map[string]func(int) bool{
		"=": func(c int) bool { return c == 0 }, "<>": func(c int) bool { return c != 0 },
		"<": func(c int) bool { return c < 0 }, "<=": func(c int) bool { return c <= 0 },
		">": func(c int) bool { return c > 0 }, ">=": func(c int) bool { return c >= 0 },
	} {
		def2(r, op, k, k, value.Bool, func(a, b T) (bool, error) { return holds(cmp(a, b)), nil })
	}
}

func ordered[T ~int16 | ~int32 | ~int64](a, b T) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

func addNumbers(r *registry) {
	defInteger[int16](r, value.Int2)
	defInteger[int32](r, value.Int4)
	defInteger[int64](r, value.Int8)

	type dec = value.Decimal
	num, f8 := value.Numeric, value.Float8
	def2(r, "+", num, num, num, dec.Add)
	def2(r, "-", num, num, num, dec.Sub)
	def2(r, "*", num, num, num, dec.Mul)
	def2(r, "/", num, num, num, dec.Div)
	def2(r, "%", num, num, num, dec.Mod)
	def2(r, "mod", num, num, num, dec.Mod)
	def1(r, "neg", num, num, sure1(dec.Neg))
	def1(r, "abs", num, num, func(a dec) (dec, error) {
		if a.Sign() < 0 {
			return a.Neg(), nil
		}
		return a, nil
	})
	def1(r, "ceil", num, num, dec.Ceil)
	def1(r, "ceiling", num, num, dec.Ceil)
	def1(r, "floor", num, num, dec.Floor)
	def1(r, "sign", num, num, sure1(func(a dec) dec {
		if a.IsNaN() {
			return a
		}
		return value.DecimalFromInt(int64(a.Sign()))
	}))
	def1(r, "round", num, num, func(a dec) (dec, error) { return a.Round(0) })
	def1(r, "trunc", num, num, func(a dec) (dec, error) { return a.Trunc(0) })
	def2(r, "round", num, value.Int4, num, func(a dec, n int32) (dec, error) { return a.Round(int(n)) })
	def2(r, "trunc", num, value.Int4, num, func(a dec, n int32) (dec, error) { return a.Trunc(int(n)) })

	def2(r, "+", f8, f8, f8, value.AddFloat)
	def2(r, "-", f8, f8, f8, value.SubFloat)
	def2(r, "*", f8, f8, f8, value.MulFloat)
	def2(r, "/", f8, f8, f8, value.DivFloat)
	def1(r, "neg", f8, f8, sure1(func(a float64) float64 { return -a }))
	def1(r, "abs", f8, f8, sure1(math.Abs))
	def1(r, "ceil", f8, f8, sure1(math.Ceil))
	def1(r, "ceiling", f8, f8, sure1(math.Ceil))
	def1(r, "floor", f8, f8, sure1(math.Floor))
	def1(r, "round", f8, f8, sure1(math.RoundToEven))
	def1(r, "trunc", f8, f8, sure1(math.Trunc))
	def1(r, "sign", f8, f8, sure1(func(a float64) float64 {
		if math.IsNaN(a) {
			return 0
		}
		return float64(value.CompareFloat(a, 0))
	}))
	def1(r, "sqrt", f8, f8, func(a float64) (float64, error) {
		if a < 0 {
			return 0, value.Errorf("2201F", "cannot take square root of a negative number")
		}
		return math.Sqrt(a), nil
	})

	defComparisons(r, value.Bool, compareBool)
	defComparisons(r, value.Int2, ordered[int16])
	defComparisons(r, value.Int4, ordered[int32])
	defComparisons(r, value.Int8, ordered[int64])
	defComparisons(r, num, dec.Cmp)
	defComparisons(r, f8, value.CompareFloat)
	defComparisons(r, value.Text, strings.Compare)
	defComparisons(r, value.Date, ordered[arrow.Date32])
	defComparisons(r, value.Timestamp, ordered[arrow.Timestamp])
	defComparisons(r, value.TimestampTZ, ordered[arrow.Timestamp])
	defComparisons(r, value.Interval, value.Span.Cmp)
	def1(r, "not", value.Bool, value.Bool, sure1(func(a bool) bool { return !a }))
}

// floatToDecimal keeps 15 significant digits, as PostgreSQL's cast does.
func floatToDecimal(f float64) (value.Decimal, error) { return decimalOf(f, 15) }

// decimalOf gives the so many first digits of a double.
func decimalOf(f float64, digits int) (value.Decimal, error) {
	switch {
	case math.IsNaN(f):
		return value.NaN, nil
	case math.IsInf(f, 0):
		return value.InfiniteDecimal(f > 0), nil
	}
	return value.ParseDecimal(new(big.Float).SetFloat64(f).Text('g', digits))
}
