package kernel

import (
	"math"
	"math/big"

	"rovik/core/value"
)

// Trigonometry in degrees is exact where the result is: the algorithms are those of
// PostgreSQL's float.c, which divide by the function's own value at 30, 45 and 60 degrees.

const radian = math.Pi / 180

var (
	sin30       = math.Sin(30 * radian)
	oneMinusCos = 1 - math.Cos(60*radian)
	asinHalf    = math.Asin(0.5)
	acosHalf    = math.Acos(0.5)
	atanOne     = math.Atan(1)
	tan45       = sinOfQuarter(45) / cosOfQuarter(45)
	cot45       = cosOfQuarter(45) / sinOfQuarter(45)
)

func sinUpTo30(x float64) float64 { return math.Sin(x*radian) / sin30 / 2 }

func cosUpTo60(x float64) float64 { return 1 - (1-math.Cos(x*radian))/oneMinusCos/2 }

// sinOfQuarter and cosOfQuarter take 0 to 90 degrees.
func sinOfQuarter(x float64) float64 {
	if x <= 30 {
		return sinUpTo30(x)
	}
	return cosUpTo60(90 - x)
}

func cosOfQuarter(x float64) float64 {
	if x <= 60 {
		return cosUpTo60(x)
	}
	return sinUpTo30(90 - x)
}

// quarter brings degrees to 0 to 90, and gives the signs of the sine and the cosine there.
func quarter(x float64) (at, sine, cosine float64) {
	at, sine, cosine = math.Mod(x, 360), 1, 1
	if at < 0 {
		at, sine = -at, -sine
	}
	if at > 180 {
		at, sine = 360-at, -sine
	}
	if at > 90 {
		at, cosine = 180-at, -cosine
	}
	return at, sine, cosine
}

func sinDegrees(x float64) float64 { at, sign, _ := quarter(x); return sign * sinOfQuarter(at) }

func cosDegrees(x float64) float64 { at, _, sign := quarter(x); return sign * cosOfQuarter(at) }

// unsigned is 0 without a sign.
func unsigned(x float64) float64 {
	if x == 0 {
		return 0
	}
	return x
}

func tanDegrees(x float64) float64 {
	at, sine, cosine := quarter(x)
	return unsigned(sine * cosine * (sinOfQuarter(at) / cosOfQuarter(at) / tan45))
}

func cotDegrees(x float64) float64 {
	at, sine, cosine := quarter(x)
	return unsigned(sine * cosine * (cosOfQuarter(at) / sinOfQuarter(at) / cot45))
}

func asinOfQuarter(x float64) float64 {
	if x <= 0.5 {
		return math.Asin(x) / asinHalf * 30
	}
	return 90 - math.Acos(x)/acosHalf*60
}

func acosOfQuarter(x float64) float64 {
	if x <= 0.5 {
		return 90 - math.Asin(x)/asinHalf*30
	}
	return math.Acos(x) / acosHalf * 60
}

func asinDegrees(x float64) float64 {
	if x < 0 {
		return -asinOfQuarter(-x)
	}
	return asinOfQuarter(x)
}

func acosDegrees(x float64) float64 {
	if x < 0 {
		return 90 + asinOfQuarter(-x)
	}
	return acosOfQuarter(x)
}

// gcdDecimal is the greatest common divisor of numerics, at the larger of their scales.
func gcdDecimal(a, b value.Decimal) (value.Decimal, error) {
	if a.Special() || b.Special() {
		return value.NaN, nil
	}
	x, y, scale := sameScale(a, b)
	return value.DecimalFromBig(new(big.Int).GCD(nil, nil, x.Abs(x), y.Abs(y)), scale)
}

func lcmDecimal(a, b value.Decimal) (value.Decimal, error) {
	if a.Special() || b.Special() {
		return value.NaN, nil
	}
	x, y, scale := sameScale(a, b)
	if x.Sign() == 0 || y.Sign() == 0 {
		return value.DecimalFromBig(new(big.Int), scale)
	}
	common := new(big.Int).GCD(nil, nil, x.Abs(x), y.Abs(y))
	return value.DecimalFromBig(x.Mul(x.Quo(x, common), y), scale)
}

func sameScale(a, b value.Decimal) (x, y *big.Int, scale int) {
	x, y, scale = a.Big(), b.Big(), int(max(a.Scale, b.Scale))
	return x.Mul(x, value.Pow10(scale-int(a.Scale))), y.Mul(y, value.Pow10(scale-int(b.Scale))), scale
}

func addDegrees(r *registry) {
	f8, num := value.Float8, value.Numeric
	for name, f := range map[string]func(float64) float64{"sind": sinDegrees, "cosd": cosDegrees, "tand": tanDegrees, "cotd": cotDegrees} {
		def1(r, name, f8, f8, finite(f))
	}
	inside := func(x float64) bool { return x >= -1 && x <= 1 }
	def1(r, "asind", f8, f8, domain(inside, asinDegrees))
	def1(r, "acosd", f8, f8, domain(inside, acosDegrees))
	def1(r, "atand", f8, f8, sure1(func(x float64) float64 { return math.Atan(x) / atanOne * 45 }))
	def2(r, "atan2d", f8, f8, f8, sure2(func(y, x float64) float64 { return math.Atan2(y, x) / atanOne * 45 }))
	def2(r, "gcd", num, num, num, gcdDecimal)
	def2(r, "lcm", num, num, num, lcmDecimal)
}
