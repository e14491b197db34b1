package kernel

import (
	"math"
	"math/big"
	"strings"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/value"
)

func defInteger[T value.Integer](k value.Kind) {
	def2("+", k, k, k, value.AddInt[T])
	def2("-", k, k, k, value.SubInt[T])
	def2("*", k, k, k, value.MulInt[T])
	def2("/", k, k, k, value.DivInt[T])
	def2("%", k, k, k, value.ModInt[T])
	def2("mod", k, k, k, value.ModInt[T])
	def1("neg", k, k, func(a T) (T, error) { return value.SubInt(0, a) })
	def1("abs", k, k, func(a T) (T, error) {
		if a < 0 {
			return value.SubInt(0, a)
		}
		return a, nil
	})
}

// defComparisons defines = <> < <= > >= for a kind.
func defComparisons[T any](k value.Kind, cmp func(a, b T) int) {
	for op, holds := range map[string]func(int) bool{
		"=": func(c int) bool { return c == 0 }, "<>": func(c int) bool { return c != 0 },
		"<": func(c int) bool { return c < 0 }, "<=": func(c int) bool { return c <= 0 },
		">": func(c int) bool { return c > 0 }, ">=": func(c int) bool { return c >= 0 },
	} {
		def2(op, k, k, value.Bool, func(a, b T) (bool, error) { return holds(cmp(a, b)), nil })
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

func init() {
	defInteger[int16](value.Int2)
	defInteger[int32](value.Int4)
	defInteger[int64](value.Int8)

	type dec = value.Decimal
	num, f8 := value.Numeric, value.Float8
	def2("+", num, num, num, dec.Add)
	def2("-", num, num, num, dec.Sub)
	def2("*", num, num, num, dec.Mul)
	def2("/", num, num, num, dec.Div)
	def2("%", num, num, num, dec.Mod)
	def2("mod", num, num, num, dec.Mod)
	def1("neg", num, num, sure1(dec.Neg))
	def1("abs", num, num, func(a dec) (dec, error) {
		if a.Sign() < 0 {
			return a.Neg(), nil
		}
		return a, nil
	})
	def1("ceil", num, num, dec.Ceil)
	def1("ceiling", num, num, dec.Ceil)
	def1("floor", num, num, dec.Floor)
	def1("sign", num, num, sure1(func(a dec) dec { return value.DecimalFromInt(int64(a.Sign())) }))
	def1("round", num, num, func(a dec) (dec, error) { return a.Round(0) })
	def1("trunc", num, num, func(a dec) (dec, error) { return a.Trunc(0) })
	def2("round", num, value.Int4, num, func(a dec, n int32) (dec, error) { return a.Round(int(n)) })
	def2("trunc", num, value.Int4, num, func(a dec, n int32) (dec, error) { return a.Trunc(int(n)) })

	def2("+", f8, f8, f8, value.AddFloat)
	def2("-", f8, f8, f8, value.SubFloat)
	def2("*", f8, f8, f8, value.MulFloat)
	def2("/", f8, f8, f8, value.DivFloat)
	def1("neg", f8, f8, sure1(func(a float64) float64 { return -a }))
	def1("abs", f8, f8, sure1(math.Abs))
	def1("ceil", f8, f8, sure1(math.Ceil))
	def1("ceiling", f8, f8, sure1(math.Ceil))
	def1("floor", f8, f8, sure1(math.Floor))
	def1("round", f8, f8, sure1(math.RoundToEven))
	def1("trunc", f8, f8, sure1(math.Trunc))
	def1("sign", f8, f8, sure1(func(a float64) float64 {
		if math.IsNaN(a) {
			return 0
		}
		return float64(value.CompareFloat(a, 0))
	}))
	def1("sqrt", f8, f8, func(a float64) (float64, error) {
		if a < 0 {
			return 0, value.Errorf("2201F", "cannot take square root of a negative number")
		}
		return math.Sqrt(a), nil
	})

	defComparisons(value.Bool, compareBool)
	defComparisons(value.Int2, ordered[int16])
	defComparisons(value.Int4, ordered[int32])
	defComparisons(value.Int8, ordered[int64])
	defComparisons(num, dec.Cmp)
	defComparisons(f8, value.CompareFloat)
	defComparisons(value.Text, strings.Compare)
	defComparisons(value.Date, ordered[arrow.Date32])
	defComparisons(value.Timestamp, ordered[arrow.Timestamp])
	defComparisons(value.TimestampTZ, ordered[arrow.Timestamp])
	defComparisons(value.Interval, value.Span.Cmp)
	def1("not", value.Bool, value.Bool, sure1(func(a bool) bool { return !a }))
}

// floatToDecimal keeps 15 significant digits, as PostgreSQL's cast does.
func floatToDecimal(f float64) (value.Decimal, error) {
	if math.IsNaN(f) || math.IsInf(f, 0) {
		return value.Decimal{}, value.Errorf(value.CodeUnsupported, "numeric holds neither NaN nor infinity here")
	}
	return value.ParseDecimal(new(big.Float).SetFloat64(f).Text('g', 15))
}
