package value

import (
	"strings"

	"github.com/apache/arrow-go/v18/arrow/decimal128"
)

// NaN and the infinities are decimals of scale 0 whose coefficients no number of 38 digits
// has. They compare as in PostgreSQL: NaN equals itself and is greater than infinity.
var (
	NaN           = Decimal{Coef: decimal128.New(1<<63-1, 1<<64-1)}
	plusInfinity  = Decimal{Coef: decimal128.New(1<<63-1, 1<<64-2)}
	minusInfinity = Decimal{Coef: plusInfinity.Coef.Negate()}
	zero          = Decimal{}
)

// maxHigh are the high bits of 10^38.
const maxHigh = 0x4B3B4CA85A86C47A

// InfiniteDecimal returns infinity, or minus infinity.
func InfiniteDecimal(plus bool) Decimal {
	if plus {
		return plusInfinity
	}
	return minusInfinity
}

// Special reports whether d is NaN or infinite.
func (d Decimal) Special() bool {
	high := d.Coef.HighBits()
	return high > maxHigh || high < -maxHigh-1
}

// IsNaN reports whether d is not a number.
func (d Decimal) IsNaN() bool { return d == NaN }

// anySpecial reports whether one of two decimals is NaN or infinite.
func anySpecial(d, o Decimal) bool { return d.Special() || o.Special() }

// addSpecial is d+o where one of them is NaN or infinite.
func addSpecial(d, o Decimal) Decimal {
	switch {
	case d.IsNaN() || o.IsNaN(), d.Special() && o.Special() && d != o:
		return NaN
	case d.Special():
		return d
	}
	return o
}

// mulSpecial is d*o where one of them is NaN or infinite.
func mulSpecial(d, o Decimal) Decimal {
	if d.IsNaN() || o.IsNaN() || d.IsZero() || o.IsZero() {
		return NaN
	}
	return InfiniteDecimal(d.Sign() == o.Sign())
}

// divSpecial is d/o where one of them is NaN or infinite.
func divSpecial(d, o Decimal) (Decimal, error) {
	switch {
	case d.IsNaN() || o.IsNaN(), d.Special() && o.Special():
		return NaN, nil
	case o.Special():
		return zero, nil
	case o.IsZero():
		return zero, ErrDivisionByZero
	}
	return InfiniteDecimal(d.Sign() == o.Sign()), nil
}

// modSpecial is the remainder of d/o where one of them is NaN or infinite.
func modSpecial(d, o Decimal) (Decimal, error) {
	switch {
	case d.IsNaN() || o.IsNaN():
		return NaN, nil
	case d.Special() && o.IsZero():
		return zero, ErrDivisionByZero
	case d.Special():
		return NaN, nil
	}
	return d, nil
}

// negSpecial is -d.
func negSpecial(d Decimal) Decimal {
	if d.IsNaN() {
		return d
	}
	return InfiniteDecimal(d == minusInfinity)
}

func (d Decimal) specialName() string {
	return map[Decimal]string{NaN: "NaN", plusInfinity: "Infinity", minusInfinity: "-Infinity"}[d]
}

// parseSpecial reads NaN and the infinities, in any letter case.
func parseSpecial(s string) (Decimal, bool) {
	switch strings.ToLower(strings.TrimSpace(s)) {
	case "nan":
		return NaN, true
	case "infinity", "+infinity", "inf", "+inf":
		return plusInfinity, true
	case "-infinity", "-inf":
		return minusInfinity, true
	}
	return zero, false
}

// noInteger says why NaN and the infinities are no integers.
func (d Decimal) noInteger() error {
	name := "infinity"
	if d.IsNaN() {
		name = "NaN"
	}
	return Errorf(CodeUnsupported, "cannot convert %s to an integer", name)
}
