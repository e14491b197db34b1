package value

import (
	"math"
	"math/big"
	"math/bits"
	"strings"

	"github.com/apache/arrow-go/v18/arrow/decimal128"
)

// Decimal is an exact number of at most 38 digits, Coef / 10^Scale, or NaN or infinite.
// The scale is kept as PostgreSQL keeps it (1.50 is not printed as 1.5), and does not
// count in comparisons.
type Decimal struct {
	Coef  decimal128.Num
	Scale uint8
}

var (
	pow10Big = bigPowers()
	pow10    = smallPowers()
	maxCoef  = pow10Big[MaxDigits]
)

func bigPowers() (out [2*MaxDigits + 40]*big.Int) {
	out[0] = big.NewInt(1)
	for i := 1; i < len(out); i++ {
		out[i] = new(big.Int).Mul(out[i-1], big.NewInt(10))
	}
	return out
}

func smallPowers() (out [MaxDigits + 1]decimal128.Num) {
	for i := range out {
		out[i] = decimal128.FromBigInt(pow10Big[i])
	}
	return out
}

func bigPow10(n int) *big.Int {
	if n < len(pow10Big) {
		return pow10Big[n]
	}
	return new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(n)), nil)
}

// DecimalFromInt returns i as a decimal of scale 0.
func DecimalFromInt(i int64) Decimal { return Decimal{Coef: decimal128.FromI64(i)} }

// DecimalFromBig returns coef / 10^scale; it fails where that has too many
// digits.
func DecimalFromBig(coef *big.Int, scale int) (Decimal, error) {
	if coef.CmpAbs(maxCoef) >= 0 || scale > math.MaxUint8 || scale < 0 {
		return Decimal{}, ErrNumericRange
	}
	return Decimal{Coef: decimal128.FromBigInt(coef), Scale: uint8(scale)}, nil
}

// small returns d's coefficient as an int64 where it is one.
func (d Decimal) small() (int64, bool) {
	low := int64(d.Coef.LowBits())
	return low, d.Coef.HighBits() == low>>63
}

// Big returns the coefficient as a big integer.
func (d Decimal) Big() *big.Int { return d.Coef.BigInt() }

// IsZero reports whether d is 0.
func (d Decimal) IsZero() bool { return d.Coef.Sign() == 0 }

// Sign returns -1, 0 or 1.
func (d Decimal) Sign() int { return d.Coef.Sign() }

// Neg returns -d.
func (d Decimal) Neg() Decimal {
	if d.Special() {
		return negSpecial(d)
	}
	return Decimal{Coef: d.Coef.Negate(), Scale: d.Scale}
}

// ParseDecimal reads a number in decimal or scientific notation.
func ParseDecimal(s string) (Decimal, error) {
	if d, ok := QuickDecimal(s); ok {
		return d, nil
	}
	if d, ok := parseSpecial(s); ok {
		return d, nil
	}
	text := strings.TrimSpace(s)
	bad := func() (Decimal, error) {
		return Decimal{}, Errorf(CodeBadText, "invalid input syntax for type numeric: %q", s)
	}
	negative := false
	if text != "" && (text[0] == '-' || text[0] == '+') {
		negative, text = text[0] == '-', text[1:]
	}
	digits := make([]byte, 0, len(text))
	scale, exp, seenPoint := 0, 0, false
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c >= '0' && c <= '9':
			digits = append(digits, c)
			if seenPoint {
				scale++
			}
		case c == '.' && !seenPoint:
			seenPoint = true
		case (c == 'e' || c == 'E') && len(digits) > 0 && i+1 < len(text):
			e, ok := new(big.Int).SetString(strings.TrimPrefix(text[i+1:], "+"), 10)
			if !ok || !e.IsInt64() || e.Int64() > 1000 || e.Int64() < -1000 {
				return bad()
			}
			exp, i = int(e.Int64()), len(text)
		default:
			return bad()
		}
	}
	if len(digits) == 0 {
		return bad()
	}
	coef, _ := new(big.Int).SetString(string(digits), 10)
	scale -= exp
	if scale < 0 {
		coef.Mul(coef, bigPow10(-scale))
		scale = 0
	}
	if negative {
		coef.Neg(coef)
	}
	return DecimalFromBig(coef, scale)
}

// String writes d with all the digits of its scale.
func (d Decimal) String() string {
	if d.Special() {
		return d.specialName()
	}
	var s string
	if i, ok := d.small(); ok {
		s = big.NewInt(i).String()
	} else {
		s = d.Big().String()
	}
	if d.Scale == 0 {
		return s
	}
	sign := ""
	if s[0] == '-' {
		sign, s = "-", s[1:]
	}
	if pad := int(d.Scale) + 1 - len(s); pad > 0 {
		s = strings.Repeat("0", pad) + s
	}
	point := len(s) - int(d.Scale)
	return sign + s[:point] + "." + s[point:]
}

// rescaledBig returns d's coefficient at a scale that is at least its own.
func (d Decimal) rescaledBig(scale int) *big.Int {
	b := d.Big()
	return b.Mul(b, bigPow10(scale-int(d.Scale)))
}

// Cmp compares by value.
func (d Decimal) Cmp(o Decimal) int {
	if d.Scale == o.Scale {
		return d.Coef.Cmp(o.Coef)
	}
	if a, b := d.Sign(), o.Sign(); a != b {
		if a < b {
			return -1
		}
		return 1
	}
	scale := max(int(d.Scale), int(o.Scale))
	return d.rescaledBig(scale).Cmp(o.rescaledBig(scale))
}

// Add returns d+o with the larger of the two scales.
func (d Decimal) Add(o Decimal) (Decimal, error) {
	if anySpecial(d, o) {
		return addSpecial(d, o), nil
	}
	if d.Scale == o.Scale {
		low, carry := bits.Add64(d.Coef.LowBits(), o.Coef.LowBits(), 0)
		high, _ := bits.Add64(uint64(d.Coef.HighBits()), uint64(o.Coef.HighBits()), carry)
		sum := decimal128.New(int64(high), low)
		// Both operands lie within ±10^38, so the sum cannot wrap 128 bits
		// without its sign giving it away.
		sameSign := (d.Coef.HighBits() < 0) == (o.Coef.HighBits() < 0)
		if sameSign && (sum.HighBits() < 0) != (d.Coef.HighBits() < 0) || !fitsDigits(sum) {
			return Decimal{}, ErrNumericRange
		}
		return Decimal{Coef: sum, Scale: d.Scale}, nil
	}
	scale := max(int(d.Scale), int(o.Scale))
	a := d.rescaledBig(scale)
	return DecimalFromBig(a.Add(a, o.rescaledBig(scale)), scale)
}

func fitsDigits(n decimal128.Num) bool {
	return n.Cmp(pow10[MaxDigits]) < 0 && n.Negate().Cmp(pow10[MaxDigits]) < 0
}

// Sub returns d-o.
func (d Decimal) Sub(o Decimal) (Decimal, error) { return d.Add(o.Neg()) }

// Mul returns d*o; the scales add up.
func (d Decimal) Mul(o Decimal) (Decimal, error) {
	if anySpecial(d, o) {
		return mulSpecial(d, o), nil
	}
	scale := int(d.Scale) + int(o.Scale)
	if a, ok := d.small(); ok {
		if b, ok := o.small(); ok {
			if p, ok := mulInt64(a, b); ok {
				return Decimal{Coef: decimal128.FromI64(p), Scale: uint8(scale)}, nil
			}
		}
	}
	a := d.Big()
	return DecimalFromBig(a.Mul(a, o.Big()), scale)
}

// Div returns d/o, rounded half away from zero at the scale that PostgreSQL's
// numeric division gives (select_div_scale in its numeric.c): at least 16
// significant digits, and no fewer decimals than either operand.
func (d Decimal) Div(o Decimal) (Decimal, error) {
	if anySpecial(d, o) {
		return divSpecial(d, o)
	}
	if o.IsZero() {
		return Decimal{}, ErrDivisionByZero
	}
	return d.divAt(o, divScale(d, o))
}

func (d Decimal) divAt(o Decimal, scale int) (Decimal, error) {
	num, den := d.Big(), o.Big()
	// num/10^sd / (den/10^so) at scale s is num*10^(s+so-sd) / den.
	if shift := scale + int(o.Scale) - int(d.Scale); shift >= 0 {
		num.Mul(num, bigPow10(shift))
	} else {
		den.Mul(den, bigPow10(-shift))
	}
	return DecimalFromBig(divRound(num, den), scale)
}

// divScale is select_div_scale of PostgreSQL's numeric.c, which counts in
// groups of four decimal digits.
func divScale(a, b Decimal) int {
	const minSignificant, groupDigits = 16, 4
	wa, fa := leadingGroup(a)
	wb, fb := leadingGroup(b)
	q := wa - wb
	if fa <= fb {
		q--
	}
	return max(minSignificant-q*groupDigits, int(a.Scale), int(b.Scale), 0)
}

// leadingGroup returns the weight (in powers of 10000) and the value of the
// first nonzero group of four digits of d, 0 and 0 for zero.
func leadingGroup(d Decimal) (weight, group int) {
	return leadingDigits(d.Big(), int(d.Scale))
}

func leadingDigits(coef *big.Int, scale int) (weight, group int) {
	if coef.Sign() == 0 {
		return 0, 0
	}
	digits := new(big.Int).Abs(coef).String()
	intDigits := len(digits) - scale // may be negative
	weight = (intDigits+3)/4 - 1
	if intDigits <= 0 {
		weight = -((-intDigits) / 4) - 1
	}
	// The group ends where the digits left of it fill whole groups.
	take := intDigits - weight*4
	if take > len(digits) {
		digits += strings.Repeat("0", take-len(digits))
	}
	for _, c := range digits[:take] {
		group = group*10 + int(c-'0')
	}
	return weight, group
}

// divRound divides and rounds half away from zero; it may change num.
func divRound(num, den *big.Int) *big.Int {
	rem := new(big.Int)
	q, rem := new(big.Int).QuoRem(num, den, rem)
	rem.Abs(rem).Lsh(rem, 1)
	if rem.CmpAbs(den) >= 0 {
		if (num.Sign() < 0) != (den.Sign() < 0) {
			q.Sub(q, pow10Big[0])
		} else {
			q.Add(q, pow10Big[0])
		}
	}
	return q
}

// Mod returns the remainder of d/o with the sign of d.
func (d Decimal) Mod(o Decimal) (Decimal, error) {
	if anySpecial(d, o) {
		return modSpecial(d, o)
	}
	if o.IsZero() {
		return Decimal{}, ErrDivisionByZero
	}
	scale := max(int(d.Scale), int(o.Scale))
	a := d.rescaledBig(scale)
	return DecimalFromBig(a.Rem(a, o.rescaledBig(scale)), scale)
}

// Round rounds half away from zero to scale decimals; a negative scale rounds
// to tens, hundreds and so on, and gives scale 0.
func (d Decimal) Round(scale int) (Decimal, error) { return d.rescale(scale, true) }

// Trunc cuts off after scale decimals.
func (d Decimal) Trunc(scale int) (Decimal, error) { return d.rescale(scale, false) }

func (d Decimal) rescale(scale int, round bool) (Decimal, error) {
	if d.Special() {
		return d, nil
	}
	scale = min(scale, math.MaxUint8)
	if scale >= int(d.Scale) {
		if scale == int(d.Scale) {
			return d, nil
		}
		return DecimalFromBig(d.rescaledBig(scale), scale)
	}
	if int(d.Scale)-scale > 2*MaxDigits+39 {
		return Decimal{}, nil
	}
	num, den := d.Big(), bigPow10(int(d.Scale)-scale)
	if round {
		num = divRound(num, den)
	} else {
		num.Quo(num, den)
	}
	if scale < 0 {
		return DecimalFromBig(num.Mul(num, bigPow10(-scale)), 0)
	}
	return DecimalFromBig(num, scale)
}

// Floor returns the largest integer that is not above d.
func (d Decimal) Floor() (Decimal, error) { return d.toward(-1) }

// Ceil returns the smallest integer that is not below d.
func (d Decimal) Ceil() (Decimal, error) { return d.toward(1) }

func (d Decimal) toward(sign int) (Decimal, error) {
	t, err := d.Trunc(0)
	if err != nil || d.Special() || t.Cmp(d) == 0 || d.Sign() != sign {
		return t, err
	}
	return t.Add(DecimalFromInt(int64(sign)))
}

// Fit rounds d to the type numeric(precision,scale) and fails where the digits
// left of the point are too many.
func (d Decimal) Fit(precision, scale int) (Decimal, error) {
	switch {
	case d.IsNaN():
		return d, nil
	case d.Special():
		return d, Errorf(CodeOutOfRange, "numeric field overflow: numeric(%d,%d) holds no infinite value", precision, scale)
	}
	r, err := d.Round(scale)
	if err != nil {
		return r, err
	}
	if precision <= MaxDigits && new(big.Int).Abs(r.Big()).Cmp(bigPow10(precision)) >= 0 {
		return r, Errorf(CodeOutOfRange, "numeric field overflow: %s does not fit numeric(%d,%d)", d, precision, scale)
	}
	return r, nil
}

// Int64 rounds d to an integer.
func (d Decimal) Int64() (int64, error) {
	if d.Special() {
		return 0, d.noInteger()
	}
	r, err := d.Round(0)
	if err != nil {
		return 0, err
	}
	i, ok := r.small()
	if !ok {
		return 0, Errorf(CodeOutOfRange, "bigint out of range")
	}
	return i, nil
}

// Float64 returns the nearest double.
func (d Decimal) Float64() float64 {
	switch {
	case d.IsNaN():
		return math.NaN()
	case d.Special():
		return math.Inf(d.Sign())
	}
	if i, ok := d.small(); ok && i > -1<<53 && i < 1<<53 && d.Scale <= 22 {
		return float64(i) / math.Pow10(int(d.Scale)) // both are exact, so the quotient is rounded once
	}
	f, _ := new(big.Float).SetPrec(200).Quo(
		new(big.Float).SetPrec(200).SetInt(d.Big()),
		new(big.Float).SetPrec(200).SetInt(bigPow10(int(d.Scale)))).Float64()
	return f
}

// Canonical returns d without trailing zeros in its scale, so that equal
// values are the same struct.
func (d Decimal) Canonical() Decimal {
	if d.IsZero() {
		return Decimal{}
	}
	if i, ok := d.small(); ok {
		for d.Scale > 0 && i%10 == 0 {
			i /= 10
			d.Scale--
		}
		return Decimal{Coef: decimal128.FromI64(i), Scale: d.Scale}
	}
	b, rem := d.Big(), new(big.Int)
	for d.Scale > 0 {
		q, r := new(big.Int).QuoRem(b, big.NewInt(10), rem)
		if r.Sign() != 0 {
			break
		}
		b = q
		d.Scale--
	}
	return Decimal{Coef: decimal128.FromBigInt(b), Scale: d.Scale}
}

// Pow10 returns 10^n, n not negative.
func Pow10(n int) *big.Int { return bigPow10(n) }

// DivBig divides num, which has scale decimals, by den at the scale that Div
// would give, for numerators of more than MaxDigits digits.
func DivBig(num *big.Int, scale int, den *big.Int) (Decimal, error) {
	wn, fn := leadingDigits(num, scale)
	wd, fd := leadingDigits(den, 0)
	q := wn - wd
	if fn <= fd {
		q--
	}
	to := max(16-q*4, scale, 0)
	up := new(big.Int).Mul(num, bigPow10(to))
	down := new(big.Int).Mul(den, bigPow10(scale))
	return DecimalFromBig(divRound(up, down), to)
}

// SqrtAt returns the square root of d, rounded to scale decimals.
func SqrtAt(d Decimal, scale int) (Decimal, error) {
	if d.Sign() < 0 {
		return Decimal{}, Errorf("2201F", "cannot take square root of a negative number")
	}
	// One digit more, to round by.
	x := d.Big()
	if shift := 2*(scale+1) - int(d.Scale); shift >= 0 {
		x.Mul(x, bigPow10(shift))
	} else {
		x.Quo(x, bigPow10(-shift))
	}
	x.Sqrt(x)
	return DecimalFromBig(divRound(x, big.NewInt(10)), scale)
}

// Weight returns the power of 10000 of d's first digits, as PostgreSQL's
// numeric counts, 0 for zero.
func (d Decimal) Weight() int {
	w, _ := leadingGroup(d)
	return w
}
