package value

import (
	"math"
	"math/bits"
	"reflect"
)

func mulInt64(a, b int64) (int64, bool) {
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	// Signed high word: correct the unsigned one for negative operands.
	h := int64(hi)
	if a < 0 {
		h -= b
	}
	if b < 0 {
		h -= a
	}
	p := int64(lo)
	return p, h == p>>63
}

// Integer is any of the integer storage types.
type Integer interface{ ~int16 | ~int32 | ~int64 }

func narrow[T Integer](v int64) (T, error) {
	if t := T(v); int64(t) == v {
		return t, nil
	}
	return 0, outOfRange[T]()
}

func outOfRange[T Integer]() error { return IntegerRange(reflect.TypeFor[T]().Bits()) }

// IntegerRange is the error for a number that an integer type of so many bits does not hold.
func IntegerRange(bits int) error {
	switch bits {
	case 16:
		return ErrSmallintRange
	case 32:
		return ErrIntegerRange
	}
	return ErrBigintRange
}

// AddInt, SubInt, MulInt, DivInt and ModInt compute in T and fail where the
// result leaves it. Division truncates toward zero; a remainder has the sign
// of the dividend.
func AddInt[T Integer](a, b T) (T, error) {
	s := int64(a) + int64(b)
	if (int64(a)^s)&(int64(b)^s) < 0 { // the sum's sign is neither operand's
		return 0, outOfRange[T]()
	}
	return narrow[T](s)
}

// SubInt returns a-b; see AddInt.
func SubInt[T Integer](a, b T) (T, error) {
	s := int64(a) - int64(b)
	if (int64(a)^int64(b))&(int64(a)^s) < 0 {
		return 0, outOfRange[T]()
	}
	return narrow[T](s)
}

// MulInt returns a*b; see AddInt.
func MulInt[T Integer](a, b T) (T, error) {
	p, ok := mulInt64(int64(a), int64(b))
	if !ok {
		return 0, outOfRange[T]()
	}
	return narrow[T](p)
}

// DivInt returns a/b; see AddInt.
func DivInt[T Integer](a, b T) (T, error) {
	if b == 0 {
		return 0, ErrDivisionByZero
	}
	if b == -1 {
		return SubInt(0, a)
	}
	return a / b, nil
}

// ModInt returns the remainder of a/b; see AddInt.
func ModInt[T Integer](a, b T) (T, error) {
	if b == 0 {
		return 0, ErrDivisionByZero
	}
	if b == -1 {
		return 0, nil
	}
	return a % b, nil
}

// checkFloat fails where finite operands gave an infinite result.
func checkFloat(r float64, operands ...float64) (float64, error) {
	if math.IsInf(r, 0) {
		for _, o := range operands {
			if math.IsInf(o, 0) {
				return r, nil
			}
		}
		return 0, ErrFloatRange
	}
	return r, nil
}

// AddFloat returns a+b, failing on overflow.
func AddFloat(a, b float64) (float64, error) { return checkFloat(a+b, a, b) }

// SubFloat returns a-b, failing on overflow.
func SubFloat(a, b float64) (float64, error) { return checkFloat(a-b, a, b) }

// MulFloat returns a*b, failing on overflow and on underflow to zero.
func MulFloat(a, b float64) (float64, error) {
	r := a * b
	if r == 0 && a != 0 && b != 0 {
		return 0, ErrFloatRange
	}
	return checkFloat(r, a, b)
}

// DivFloat returns a/b, failing on a zero divisor, overflow and underflow.
func DivFloat(a, b float64) (float64, error) {
	if b == 0 && !math.IsNaN(a) {
		return 0, ErrDivisionByZero
	}
	r := a / b
	if r == 0 && a != 0 && !math.IsInf(b, 0) {
		return 0, ErrFloatRange
	}
	return checkFloat(r, a, b)
}

// CompareFloat orders doubles with NaN equal to itself and above all others.
func CompareFloat(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	case a == b:
		return 0
	case math.IsNaN(a) && math.IsNaN(b):
		return 0
	case math.IsNaN(a):
		return 1
	}
	return -1
}

// FloatToInt rounds half to even, as PostgreSQL's cast does.
func FloatToInt[T Integer](f float64) (T, error) {
	r := math.RoundToEven(f)
	if math.IsNaN(r) || r < -9223372036854775808.0 || r >= 9223372036854775808.0 {
		return 0, outOfRange[T]()
	}
	return narrow[T](int64(r))
}

// IntToInt changes the width of an integer, failing where it does not fit.
func IntToInt[A, B Integer](a A) (B, error) { return narrow[B](int64(a)) }
