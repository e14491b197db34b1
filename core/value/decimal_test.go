package value

import (
	"math/big"
	"testing"
)

func mustDecimal(t *testing.T, s string) Decimal {
	t.Helper()
	d, err := ParseDecimal(s)
	if err != nil {
		t.Fatalf("%q: %v", s, err)
	}
	return d
}

func TestDecimalParsesAndPrints(t *testing.T) {
	for in, want := range map[string]string{
		"0": "0", "-0.00": "0.00", "1.50": "1.50", " 12 ": "12", ".5": "0.5", "-.5": "-0.5", "1.": "1", "+7": "7", "nan": "NaN", " +Inf ": "Infinity", "-infinity": "-Infinity",
		"1e3": "1000", "1.25e1": "12.5", "1e-4": "0.0001", "12345678901234567890123456789012345678": "12345678901234567890123456789012345678",
		"0.00000000000000000000000000000000000001": "0.00000000000000000000000000000000000001",
	} {
		if got := mustDecimal(t, in).String(); got != want {
			t.Errorf("%q prints as %q, want %q", in, got, want)
		}
	}
	for _, bad := range []string{"", " ", "x", "1.2.3", "--1", "1e", "e5", "1_0", "NaNs", "1e99999", "123456789012345678901234567890123456789"} {
		if d, err := ParseDecimal(bad); err == nil {
			t.Errorf("%q was read as %s", bad, d)
		}
	}
}

// The scales of quotients are PostgreSQL's; these were printed by it.
func TestDecimalDivision(t *testing.T) {
	for _, c := range [][3]string{
		{"1.0", "3", "0.33333333333333333333"}, {"10", "4.0", "2.5000000000000000"}, {"2", "3", "0.66666666666666666667"},
		{"100000.0", "7", "14285.714285714286"}, {"5", "0.00001", "500000.000000000000"}, {"-1.0", "3", "-0.33333333333333333333"},
		{"0.0", "5", "0.00000000000000000000"}, {"0.0001", "3", "0.000033333333333333333333"},
	} {
		got, err := mustDecimal(t, c[0]).Div(mustDecimal(t, c[1]))
		if err != nil || got.String() != c[2] {
			t.Errorf("%s / %s = %s (%v), want %s", c[0], c[1], got, err, c[2])
		}
	}
	if _, err := mustDecimal(t, "1").Div(Decimal{}); Code(err) != CodeDivisionByZero {
		t.Errorf("1/0 gives %v", err)
	}
}

func TestDecimalLimits(t *testing.T) {
	largest := mustDecimal(t, "99999999999999999999999999999999999999")
	one := DecimalFromInt(1)
	for name, f := range map[string]func() (Decimal, error){
		"add": func() (Decimal, error) { return largest.Add(one) },
		"sub": func() (Decimal, error) { return largest.Neg().Sub(one) },
		"mul": func() (Decimal, error) { return largest.Mul(DecimalFromInt(10)) },
		"fit": func() (Decimal, error) { return mustDecimal(t, "1234.5").Fit(4, 1) },
	} {
		if d, err := f(); Code(err) != CodeOutOfRange {
			t.Errorf("%s past the limit gives %s, %v", name, d, err)
		}
	}
	if d, err := largest.Sub(one); err != nil || d.String() != "99999999999999999999999999999999999998" {
		t.Errorf("below the limit: %s, %v", d, err)
	}
}

func TestDecimalRounding(t *testing.T) {
	for _, c := range []struct {
		in    string
		scale int
		round string
		trunc string
	}{
		{"2.5", 0, "3", "2"}, {"-2.5", 0, "-3", "-2"}, {"1.005", 2, "1.01", "1.00"}, {"1250", -2, "1300", "1200"},
		{"0.4999", 0, "0", "0"}, {"1.5", 3, "1.500", "1.500"}, {"149", -3, "0", "0"},
	} {
		d := mustDecimal(t, c.in)
		if r, err := d.Round(c.scale); err != nil || r.String() != c.round {
			t.Errorf("round(%s, %d) = %s (%v), want %s", c.in, c.scale, r, err, c.round)
		}
		if r, err := d.Trunc(c.scale); err != nil || r.String() != c.trunc {
			t.Errorf("trunc(%s, %d) = %s (%v), want %s", c.in, c.scale, r, err, c.trunc)
		}
	}
	for in, want := range map[string][2]string{"1.2": {"1", "2"}, "-1.2": {"-2", "-1"}, "3.00": {"3", "3"}, "0.1": {"0", "1"}} {
		f, _ := mustDecimal(t, in).Floor()
		c, _ := mustDecimal(t, in).Ceil()
		if f.String() != want[0] || c.String() != want[1] {
			t.Errorf("floor and ceil of %s: %s, %s", in, f, c)
		}
	}
}

// Arithmetic agrees with exact fractions, and equal values have one canonical
// form and one key.
func FuzzDecimal(f *testing.F) {
	f.Add("1.5", "-2.25")
	f.Add("99999999999999999999", "0.00000001")
	f.Add("-0.0", "1e10")
	f.Fuzz(func(t *testing.T, a, b string) {
		x, err := ParseDecimal(a)
		if err != nil {
			return
		}
		y, err := ParseDecimal(b)
		if err != nil {
			return
		}
		rx, ry := rat(x), rat(y)
		check := func(name string, d Decimal, err error, want *big.Rat) {
			if err == nil && rat(d).Cmp(want) != 0 {
				t.Errorf("%s %s %s = %s, want %s", x, name, y, d, want.FloatString(40))
			}
		}
		d, err := x.Add(y)
		check("+", d, err, new(big.Rat).Add(rx, ry))
		d, err = x.Sub(y)
		check("-", d, err, new(big.Rat).Sub(rx, ry))
		d, err = x.Mul(y)
		check("*", d, err, new(big.Rat).Mul(rx, ry))
		if x.Cmp(y) != rx.Cmp(ry) {
			t.Errorf("%s against %s: %d", x, y, x.Cmp(y))
		}
		if (x.Canonical() == y.Canonical()) != (rx.Cmp(ry) == 0) {
			t.Errorf("canonical forms of %s and %s", x, y)
		}
		if back, err := ParseDecimal(x.String()); err != nil || back != x {
			t.Errorf("%s reads back as %s, %v", x, back, err)
		}
		if !y.IsZero() {
			if q, err := x.Div(y); err == nil {
				off := new(big.Rat).Sub(rat(q), new(big.Rat).Quo(rx, ry))
				half := new(big.Rat).SetFrac(big.NewInt(1), new(big.Int).Mul(big.NewInt(2), bigPow10(int(q.Scale))))
				if off.Abs(off).Cmp(half) > 0 {
					t.Errorf("%s / %s = %s is off by more than half a unit", x, y, q)
				}
			}
		}
	})
}

func rat(d Decimal) *big.Rat { return new(big.Rat).SetFrac(d.Big(), bigPow10(int(d.Scale))) }
