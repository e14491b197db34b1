package kernel

import (
	"math"
	"math/big"

	"github.com/cockroachdb/apd/v3"

	"rovik/core/value"
)

// Powers and logarithms of numerics are computed to many digits and rounded to
// the scale that PostgreSQL's numeric.c chooses: 16 significant digits, and no
// fewer decimals than the operands have.

const minSignificant = 16

var wide = apd.BaseContext.WithPrecision(60)

func toAPD(d value.Decimal) *apd.Decimal {
	coef := d.Big()
	out := apd.NewWithBigInt(new(apd.BigInt).SetMathBigInt(new(big.Int).Abs(coef)), -int32(d.Scale))
	out.Negative = coef.Sign() < 0
	return out
}

func fromAPD(x *apd.Decimal, scale int) (value.Decimal, error) {
	if x.Form != apd.Finite {
		return value.Decimal{}, value.ErrNumericRange
	}
	ctx := wide.WithPrecision(80)
	ctx.Rounding = apd.RoundHalfUp
	var out apd.Decimal
	if _, err := ctx.Quantize(&out, x, -int32(scale)); err != nil {
		return value.Decimal{}, value.ErrNumericRange
	}
	coef := out.Coeff.MathBigInt()
	if out.Negative {
		coef = new(big.Int).Neg(coef)
	}
	return value.DecimalFromBig(coef, scale)
}

// shown is fromAPD, and fails where PostgreSQL shows more digits than a numeric has.
func shown(x *apd.Decimal, scale int) (value.Decimal, error) {
	if scale > value.MaxDigits {
		return value.Decimal{}, value.ErrNumericRange
	}
	return fromAPD(x, scale)
}

// lnWeight estimates the power of ten of ln(d).
func lnWeight(d value.Decimal) int {
	f := d.Float64()
	if f >= 0.9 && f <= 1.1 {
		x, _ := d.Sub(value.DecimalFromInt(1))
		if x.IsZero() {
			return 0
		}
		return x.Weight()*4 + int(math.Log10(float64(firstGroup(x))))
	}
	return int(math.Log10(math.Abs(math.Log(f))))
}

func firstGroup(d value.Decimal) int {
	f := math.Abs(d.Float64()) / math.Pow(10000, float64(d.Weight()))
	return max(int(f), 1)
}

func logDomain(d value.Decimal) error {
	switch {
	case d.IsNaN():
		return nil
	case d.IsZero():
		return value.Errorf("2201E", "cannot take logarithm of zero")
	case d.Sign() < 0:
		return value.Errorf("2201E", "cannot take logarithm of a negative number")
	}
	return nil
}

func lnDecimal(d value.Decimal) (value.Decimal, error) {
	if err := logDomain(d); err != nil || d.Special() {
		return d, err
	}
	var out apd.Decimal
	if _, err := wide.Ln(&out, toAPD(d)); err != nil {
		return d, value.ErrNumericRange
	}
	return fromAPD(&out, max(minSignificant-lnWeight(d), int(d.Scale), 0))
}

func logDecimal(base, d value.Decimal) (value.Decimal, error) {
	if base.IsNaN() || d.IsNaN() {
		return value.NaN, nil
	}
	for _, x := range []value.Decimal{base, d} {
		if err := logDomain(x); err != nil {
			return d, err
		}
	}
	switch {
	case base.Special() && d.Special():
		return value.NaN, nil
	case base.Special():
		return value.Decimal{}, nil
	case d.Special():
		return d, nil
	}
	var n, m, out apd.Decimal
	if _, err := wide.Ln(&n, toAPD(d)); err != nil {
		return d, value.ErrNumericRange
	}
	if _, err := wide.Ln(&m, toAPD(base)); err != nil {
		return d, value.ErrNumericRange
	}
	if m.IsZero() {
		return d, value.ErrDivisionByZero
	}
	if _, err := wide.Quo(&out, &n, &m); err != nil {
		return d, value.ErrNumericRange
	}
	return fromAPD(&out, max(minSignificant-(lnWeight(d)-lnWeight(base)), int(base.Scale), int(d.Scale), 0))
}

func expDecimal(d value.Decimal) (value.Decimal, error) {
	switch {
	case d.Special() && d.Sign() < 0:
		return value.Decimal{}, nil
	case d.Special():
		return d, nil
	}
	f := d.Float64() * 0.434294481903252
	if f > 100 {
		return d, value.ErrNumericRange
	}
	var out apd.Decimal
	if _, err := wide.Exp(&out, toAPD(d)); err != nil && f > 0 {
		return d, value.ErrNumericRange
	}
	return shown(&out, max(minSignificant-int(math.Max(f, -60)), int(d.Scale), 0))
}

func powerDecimal(base, exp value.Decimal) (value.Decimal, error) {
	if base.Special() || exp.Special() {
		return powerSpecial(base, exp)
	}
	switch {
	case base.IsZero() && exp.Sign() < 0:
		return base, value.Errorf("2201F", "zero raised to a negative power is undefined")
	case base.Sign() < 0 && exp.Canonical().Scale > 0:
		return base, value.Errorf("2201F", "a negative number raised to a non-integer power yields a complex result")
	case exp.IsZero() || base.IsZero():
		n := int64(0)
		if exp.IsZero() {
			n = 1
		}
		return value.DecimalFromInt(n).Round(max(minSignificant, int(base.Scale), int(exp.Scale)))
	}
	f := exp.Float64() * math.Log10(math.Abs(base.Float64()))
	if f > 100 {
		return base, value.ErrNumericRange
	}
	scale := max(minSignificant-int(math.Max(f, -60)), int(base.Scale), int(exp.Scale), 0)
	if whole := exp.Canonical(); whole.Scale == 0 {
		scale = max(minSignificant, int(base.Scale)) // of whole powers it does not look at the size
	}
	var out apd.Decimal
	if _, err := wide.Pow(&out, toAPD(base), toAPD(exp)); err != nil {
		return base, value.ErrNumericRange
	}
	return shown(&out, scale)
}

// powerSpecial is a power of which one side is NaN or infinite, as numeric_power has it.
func powerSpecial(base, exp value.Decimal) (value.Decimal, error) {
	one := value.DecimalFromInt(1)
	whole, err := exp.Trunc(0)
	if err != nil {
		return base, err
	}
	odd := false
	if !exp.Special() && whole.Cmp(exp) == 0 {
		half, err := whole.Mod(value.DecimalFromInt(2))
		if err != nil {
			return base, err
		}
		odd = !half.IsZero()
	}
	size := base
	if base.Sign() < 0 {
		size = base.Neg()
	}
	switch {
	case base.IsNaN() && exp.IsZero(), base.Cmp(one) == 0:
		return one, nil
	case base.IsNaN() || exp.IsNaN():
		return value.NaN, nil
	case base.IsZero() && exp.Sign() < 0:
		return base, value.Errorf("2201F", "zero raised to a negative power is undefined")
	case base.Sign() < 0 && whole.Cmp(exp) != 0:
		return base, value.Errorf("2201F", "a negative number raised to a non-integer power yields a complex result")
	case exp.IsZero():
		return one, nil
	case base.IsZero():
		return value.Decimal{}, nil
	case exp.Special():
		switch grows := size.Cmp(one); {
		case grows == 0:
			return one, nil
		case grows > 0 == (exp.Sign() > 0):
			return value.InfiniteDecimal(true), nil
		}
		return value.Decimal{}, nil
	case exp.Sign() < 0:
		return value.Decimal{}, nil
	}
	return value.InfiniteDecimal(base.Sign() > 0 || !odd), nil
}

func sqrtDecimal(d value.Decimal) (value.Decimal, error) {
	if d.Special() && (d.IsNaN() || d.Sign() > 0) {
		return d, nil
	}
	w := d.Weight()
	sweight := (w+1)*2 - 1
	if w < 0 {
		sweight = 1 - (1-w*4)/2
	}
	return value.SqrtAt(d, max(minSignificant-sweight, int(d.Scale), 0))
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

func factorial(n int64) (value.Decimal, error) {
	if n < 0 {
		return value.Decimal{}, value.Errorf("22003", "factorial of a negative number is undefined")
	}
	if n > 40 {
		return value.Decimal{}, value.ErrNumericRange
	}
	return value.DecimalFromBig(new(big.Int).MulRange(1, max(n, 1)), 0)
}

// truncDiv is div(): the quotient without its fraction.
func truncDiv(a, b value.Decimal) (value.Decimal, error) {
	if a.Special() || b.Special() {
		return a.Div(b)
	}
	if b.IsZero() {
		return a, value.ErrDivisionByZero
	}
	num, den := a.Big(), b.Big()
	if shift := int(b.Scale) - int(a.Scale); shift >= 0 {
		num.Mul(num, value.Pow10(shift))
	} else {
		den.Mul(den, value.Pow10(-shift))
	}
	return value.DecimalFromBig(num.Quo(num, den), 0)
}

func widthBucket(x, low, high float64, n int32) (int32, error) {
	switch {
	case n <= 0:
		return 0, value.Errorf("2201G", "count must be greater than zero")
	case math.IsNaN(x) || math.IsNaN(low) || math.IsNaN(high) || math.IsInf(low, 0) || math.IsInf(high, 0):
		return 0, value.Errorf("2201G", "operand, lower bound, and upper bound cannot be NaN, and bounds must be finite")
	case low == high:
		return 0, value.Errorf("2201G", "lower bound cannot equal upper bound")
	case low < high && x < low, low > high && x > low:
		return 0, nil
	case low < high && x >= high, low > high && x <= high:
		if n == math.MaxInt32 {
			return 0, value.ErrIntegerRange
		}
		return n + 1, nil
	}
	at := float64(n)*(x-low)/(high-low) + 1
	if at >= 1<<31 { // as a processor converts what does not fit
		return math.MinInt32, nil
	}
	return int32(at), nil
}

// domain makes a function of doubles that fails outside its domain.
func domain(inside func(float64) bool, f func(float64) float64) func(float64) (float64, error) {
	return func(x float64) (float64, error) {
		if math.IsNaN(x) {
			return x, nil
		}
		if !inside(x) {
			return 0, value.Errorf("22003", "input is out of range")
		}
		return f(x), nil
	}
}

func finite(f func(float64) float64) func(float64) (float64, error) {
	return domain(func(x float64) bool { return !math.IsInf(x, 0) }, f)
}

// ranged makes a function whose result may not leave the doubles.
func ranged(f func(float64) float64) func(float64) (float64, error) {
	return func(x float64) (float64, error) {
		r := f(x)
		if math.IsInf(r, 0) && !math.IsInf(x, 0) {
			return 0, value.Errorf(value.CodeOutOfRange, "value out of range: overflow")
		}
		if r == 0 && x != 0 && !math.IsInf(x, 0) && f(0) != 0 {
			return 0, value.Errorf(value.CodeOutOfRange, "value out of range: underflow")
		}
		return r, nil
	}
}

func powerFloat(a, b float64) (float64, error) {
	switch {
	case math.IsNaN(a) || math.IsNaN(b):
		return math.Pow(a, b), nil
	case a == 0 && b < 0:
		return 0, value.Errorf("2201F", "zero raised to a negative power is undefined")
	case a < 0 && b != math.Trunc(b):
		return 0, value.Errorf("2201F", "a negative number raised to a non-integer power yields a complex result")
	}
	r := precisePow(a, b)
	if math.IsInf(r, 0) && !math.IsInf(a, 0) && !math.IsInf(b, 0) {
		return 0, value.Errorf(value.CodeOutOfRange, "value out of range: overflow")
	}
	if r == 0 && a != 0 && !math.IsInf(a, 0) && !math.IsInf(b, 0) {
		return 0, value.Errorf(value.CodeOutOfRange, "value out of range: underflow")
	}
	return r, nil
}

func logFloat(f func(float64) float64) func(float64) (float64, error) {
	return func(x float64) (float64, error) {
		switch {
		case x == 0:
			return 0, value.Errorf("2201E", "cannot take logarithm of zero")
		case x < 0:
			return 0, value.Errorf("2201E", "cannot take logarithm of a negative number")
		}
		return f(x), nil
	}
}

func addMath(r *registry) {
	f8, num, i4, i8 := value.Float8, value.Numeric, value.Int4, value.Int8
	type dec = value.Decimal
	for name, f := range map[string]func(float64) float64{"sin": math.Sin, "cos": math.Cos, "tan": math.Tan, "cot": func(x float64) float64 { return 1 / math.Tan(x) }} {
		def1(r, name, f8, f8, finite(f))
	}
	for name, f := range map[string]func(float64) float64{"atan": math.Atan, "sinh": math.Sinh, "cosh": math.Cosh, "tanh": math.Tanh, "asinh": math.Asinh,
		"cbrt": preciseCbrt} {
		def1(r, name, f8, f8, sure1(f))
	}
	def1(r, "degrees", f8, f8, ranged(func(x float64) float64 { return x / (math.Pi / 180) }))
	def1(r, "radians", f8, f8, func(x float64) (float64, error) {
		r := x * (math.Pi / 180)
		if r == 0 && x != 0 {
			return 0, value.Errorf(value.CodeOutOfRange, "value out of range: underflow")
		}
		return r, nil
	})
	unit := func(x float64) bool { return x >= -1 && x <= 1 }
	def1(r, "asin", f8, f8, domain(unit, math.Asin))
	def1(r, "acos", f8, f8, domain(unit, math.Acos))
	def1(r, "atanh", f8, f8, domain(unit, math.Atanh))
	def1(r, "acosh", f8, f8, domain(func(x float64) bool { return x >= 1 }, math.Acosh))
	def2(r, "atan2", f8, f8, f8, sure2(math.Atan2))
	def1(r, "exp", f8, f8, ranged(preciseExp))
	def1(r, "ln", f8, f8, logFloat(preciseLog))
	def1(r, "log", f8, f8, logFloat(preciseLog10))
	def1(r, "log10", f8, f8, logFloat(preciseLog10))
	def1(r, "exp", num, num, expDecimal)
	def1(r, "ln", num, num, lnDecimal)
	ten := value.DecimalFromInt(10)
	for _, name := range []string{"log", "log10"} {
		def1(r, name, num, num, func(d dec) (dec, error) { return logDecimal(ten, d) })
	}
	def2(r, "log", num, num, num, logDecimal)
	for _, name := range []string{"power", "pow", "^"} {
		def2(r, name, f8, f8, f8, powerFloat)
		def2(r, name, num, num, num, powerDecimal)
	}
	def1(r, "sqrt", num, num, sqrtDecimal)
	define(r, &Func{Name: "pi", Result: f8, Strict: true, eval: boxed("pi", nil, f8, true, func([]value.Value) (value.Value, error) { return floatValue(math.Pi), nil }).eval})
	def2(r, "div", num, num, num, truncDiv)
	def1(r, "factorial", i8, num, factorial)
	scaleOf := func(of func(d dec) dec) func(d dec) (int32, error) {
		return func(d dec) (int32, error) {
			if d.Special() {
				return 0, errNoValue
			}
			return int32(of(d).Scale), nil
		}
	}
	def1(r, "scale", num, i4, scaleOf(func(d dec) dec { return d }))
	def1(r, "min_scale", num, i4, scaleOf(dec.Canonical))
	def1(r, "trim_scale", num, num, sure1(dec.Canonical))
	def2(r, "gcd", i4, i4, i4, func(a, b int32) (int32, error) {
		g := gcd(int64(a), int64(b))
		return value.IntToInt[int64, int32](max(g, -g))
	})
	def2(r, "gcd", i8, i8, i8, func(a, b int64) (int64, error) {
		if g := gcd(a, b); g >= 0 {
			return g, nil
		} else {
			return value.SubInt(0, g)
		}
	})
	lcm := func(a, b int64) (int64, error) {
		if a == 0 || b == 0 {
			return 0, nil
		}
		l, err := value.MulInt(a/gcd(a, b), b)
		if l < 0 && err == nil {
			return value.SubInt(0, l)
		}
		return l, err
	}
	def2(r, "lcm", i8, i8, i8, lcm)
	def2(r, "lcm", i4, i4, i4, func(a, b int32) (int32, error) {
		l, err := lcm(int64(a), int64(b))
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int32](l)
	})
	box(r, "width_bucket", i4, func(a []value.Value) (value.Value, error) {
		n, err := widthBucket(a[0].Float, a[1].Float, a[2].Float, int32(a[3].Int))
		return intValue(int64(n)), err
	}, f8, f8, f8, i4)
	defBits[int16](r, value.Int2)
	defBits[int32](r, i4)
	defBits[int64](r, i8)

	f4 := value.Float4
	narrow := func(op func(a, b float64) (float64, error)) func(a, b float32) (float32, error) {
		return func(a, b float32) (float32, error) {
			r, err := op(float64(a), float64(b))
			if err != nil {
				return 0, err
			}
			if math.IsInf(float64(a), 0) || math.IsInf(float64(b), 0) || r == 0 {
				return float32(r), nil
			}
			return value.ToReal(r)
		}
	}
	def2(r, "+", f4, f4, f4, narrow(value.AddFloat))
	def2(r, "-", f4, f4, f4, narrow(value.SubFloat))
	def2(r, "*", f4, f4, f4, narrow(value.MulFloat))
	def2(r, "/", f4, f4, f4, narrow(value.DivFloat))
	def1(r, "neg", f4, f4, sure1(func(a float32) float32 { return -a }))
	def1(r, "abs", f4, f4, sure1(func(a float32) float32 { return float32(math.Abs(float64(a))) }))
	defComparisons(r, f4, func(a, b float32) int { return value.CompareFloat(float64(a), float64(b)) })
}

func defBits[T value.Integer](r *registry, k value.Kind) {
	def2(r, "&", k, k, k, sure2(func(a, b T) T { return a & b }))
	def2(r, "|", k, k, k, sure2(func(a, b T) T { return a | b }))
	def2(r, "#", k, k, k, sure2(func(a, b T) T { return a ^ b }))
	bits := int32(map[value.Kind]int{value.Int2: 32, value.Int4: 32, value.Int8: 64}[k])
	def2(r, "<<", k, value.Int4, k, sure2(func(a T, n int32) T { return a << uint(((n%bits)+bits)%bits) }))
	def2(r, ">>", k, value.Int4, k, sure2(func(a T, n int32) T { return a >> uint(((n%bits)+bits)%bits) }))
	def1(r, "bitnot", k, k, sure1(func(a T) T { return ^a }))
}
