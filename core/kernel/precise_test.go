package kernel

import (
	"math"
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/cockroachdb/apd/v3"
)

// Exponentials, logarithms, powers and roots are the floats next to the true
// values, which are computed to forty digits here.
func TestPreciseFunctions(t *testing.T) {
	ctx := apd.BaseContext.WithPrecision(45)
	exact := func(x float64) *apd.Decimal {
		d, _, err := apd.NewFromString(strconv.FormatFloat(x, 'e', 44, 64))
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	check := func(what string, got float64, compute func(out *apd.Decimal) error, x ...float64) {
		var out apd.Decimal
		if err := compute(&out); err != nil {
			t.Fatalf("%s%v: %v", what, x, err)
		}
		want, err := strconv.ParseFloat(out.Text('e'), 64)
		if err != nil || got != want {
			t.Errorf("%s%v is %v, want %v", what, x, got, want)
		}
	}
	r := rand.New(rand.NewPCG(5, 5))
	for range 400 {
		x := (r.Float64() - 0.5) * math.Pow(10, float64(r.IntN(4)-1))
		y := math.Exp((r.Float64() - 0.5) * 600)
		check("exp", preciseExp(x), func(out *apd.Decimal) error { _, err := ctx.Exp(out, exact(x)); return err }, x)
		check("ln", preciseLog(y), func(out *apd.Decimal) error { _, err := ctx.Ln(out, exact(y)); return err }, y)
		check("log10", preciseLog10(y), func(out *apd.Decimal) error { _, err := ctx.Log10(out, exact(y)); return err }, y)
		check("cbrt", preciseCbrt(y), func(out *apd.Decimal) error { _, err := ctx.Cbrt(out, exact(y)); return err }, y)
		p := (r.Float64() - 0.5) * 2
		check("power", precisePow(y, p), func(out *apd.Decimal) error { _, err := ctx.Pow(out, exact(y), exact(p)); return err }, y, p)
	}
	for _, c := range []struct{ got, want float64 }{
		{preciseLog10(1e15), 15}, {preciseLog10(1000), 3}, {preciseExp(0), 1}, {preciseExp(math.Inf(-1)), 0}, {preciseLog(math.Inf(1)), math.Inf(1)},
		{precisePow(2, 10), 1024}, {precisePow(-2, 3), -8}, {precisePow(10, 22), 1e22}, {precisePow(2, -1), 0.5}, {preciseCbrt(-27), -3}, {preciseCbrt(1e300), 1e100}, {precisePow(0, 5), 0},
	} {
		if c.got != c.want {
			t.Errorf("%v, want %v", c.got, c.want)
		}
	}
	if !math.IsNaN(precisePow(-2, 0.5)) || !math.IsNaN(preciseLog(-1)) || !math.IsInf(preciseExp(1000), 1) {
		t.Error("what has no value got one")
	}
}
