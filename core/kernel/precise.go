package kernel

import "math"

// double is an unevaluated sum of two floats, about 31 digits: what exponentials
// and logarithms are computed in, so that the result is the float next to the true
// value, as the libraries of most systems give it. The arithmetic is that of Hida,
// Li and Bailey, "Library for double-double and quad-double arithmetic" (2007).
type double struct{ hi, lo float64 }

func twoSum(a, b float64) double {
	s := a + b
	t := s - a
	return double{s, (a - (s - t)) + (b - t)}
}

func quickSum(a, b float64) double {
	s := a + b
	return double{s, b - (s - a)}
}

func twoProduct(a, b float64) double {
	p := a * b
	return double{p, math.FMA(a, b, -p)}
}

func (a double) add(b double) double {
	s, t := twoSum(a.hi, b.hi), twoSum(a.lo, b.lo)
	s = quickSum(s.hi, s.lo+t.hi)
	return quickSum(s.hi, s.lo+t.lo)
}

func (a double) neg() double { return double{-a.hi, -a.lo} }

func (a double) mul(b double) double {
	p := twoProduct(a.hi, b.hi)
	return quickSum(p.hi, p.lo+a.hi*b.lo+a.lo*b.hi)
}

func (a double) div(b double) double {
	q1 := a.hi / b.hi
	r := a.add(b.mul(double{q1, 0}).neg())
	q2 := r.hi / b.hi
	r = r.add(b.mul(double{q2, 0}).neg())
	q := quickSum(q1, q2)
	return q.add(double{r.hi / b.hi, 0})
}

func (a double) float() float64 { return a.hi + a.lo }

// ln2 and ln10 are logarithms of 2 and 10.
var (
	ln2  = double{6.931471805599452862e-01, 2.319046813846299558e-17}
	ln10 = double{2.302585092994045901e+00, -2.170756223382249351e-16}
)

// expTerms are how many terms of the series suffice for arguments below 2^-8 ln 2.
const expTerms = 11

// expDouble is e^x, without overflow.
func expDouble(x double) double {
	k := math.Round(x.hi / ln2.hi)
	const halvings = 8
	r := x.add(ln2.mul(double{-k, 0}))
	r = double{math.Ldexp(r.hi, -halvings), math.Ldexp(r.lo, -halvings)}
	// e^r - 1, so that squaring loses nothing: (1+s)² - 1 = 2s + s².
	term, sum := r, r
	for n := 2; n <= expTerms; n++ {
		term = term.mul(r).div(double{float64(n), 0})
		sum = sum.add(term)
	}
	for range halvings {
		sum = double{2 * sum.hi, 2 * sum.lo}.add(sum.mul(sum))
	}
	sum = sum.add(double{1, 0})
	// In two steps: 2^k may lie beyond the floats where the result does not.
	half := int(k) / 2
	return double{math.Ldexp(math.Ldexp(sum.hi, half), int(k)-half), math.Ldexp(math.Ldexp(sum.lo, half), int(k)-half)}
}

// logDouble is ln x for a positive finite x, by a step of Newton's method.
func logDouble(x float64) double {
	frac, exp := math.Frexp(x)
	if frac < math.Sqrt2/2 {
		frac, exp = 2*frac, exp-1
	}
	y := double{math.Log(frac), 0}
	for range 2 {
		e := expDouble(y.neg()).mul(double{frac, 0})
		y = y.add(e.add(double{-1, 0}))
	}
	return ln2.mul(double{float64(exp), 0}).add(y)
}

// ordinary reports whether a function's value is neither at the ends of the
// floats nor plain, so that its digits count.
func ordinary(x, approx float64) bool {
	a := math.Abs(approx)
	return x != 0 && !math.IsNaN(approx) && !math.IsInf(x, 0) && a > 1e-290 && a < 1e300
}

func preciseExp(x float64) float64 {
	approx := math.Exp(x)
	if !ordinary(x, approx) {
		return approx
	}
	return expDouble(double{x, 0}).float()
}

func preciseLog(x float64) float64 {
	approx := math.Log(x)
	if !ordinary(x, approx) {
		return approx
	}
	return logDouble(x).float()
}

func preciseLog10(x float64) float64 {
	approx := math.Log10(x)
	if !ordinary(x, approx) {
		return approx
	}
	return logDouble(x).div(ln10).float()
}

func precisePow(a, b float64) float64 {
	approx := math.Pow(a, b)
	if !ordinary(a, approx) || math.IsInf(b, 0) || a == 1 || b == math.Trunc(b) && math.Abs(b) <= 1 {
		return approx
	}
	return math.Copysign(expDouble(logDouble(math.Abs(a)).mul(double{b, 0})).float(), approx)
}

func preciseCbrt(x float64) float64 {
	approx := math.Cbrt(x)
	if !ordinary(x, approx) {
		return approx
	}
	y := double{approx, 0}
	// y - (y³ - x) / 3y²
	square := y.mul(y)
	return y.add(square.mul(y).add(double{-x, 0}).div(square.mul(double{3, 0})).neg()).float()
}
