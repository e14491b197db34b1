package kernel

import (
	"math/big"
	"strings"

	"rovik/core/value"
)

// sizeUnits are those of pg_size_pretty: up to limit a size is written in the unit. Those
// after the first are halves rounded, so their shift is one bit less than their own.
var sizeUnits = []struct {
	name  string
	limit int64
	bits  uint
}{{"bytes", 10 * 1024, 0}, {"kB", 20*1024 - 1, 10}, {"MB", 20*1024 - 1, 20}, {"GB", 20*1024 - 1, 30}, {"TB", 20*1024 - 1, 40}, {"PB", 20*1024 - 1, 50}}

// prettySize is pg_size_pretty of a whole number of bytes.
func prettySize(size int64) string {
	abs := new(big.Int).Abs(big.NewInt(size))
	var bits uint
	for i, u := range sizeUnits {
		if i == len(sizeUnits)-1 || abs.Cmp(big.NewInt(u.limit)) < 0 {
			if i > 0 {
				abs.Rsh(abs.Add(abs, big.NewInt(1)), 1)
			}
			if size < 0 && (i == 0 || abs.Sign() != 0) {
				abs.Neg(abs)
			}
			return abs.String() + " " + u.name
		}
		next := sizeUnits[i+1].bits - 1
		abs.Rsh(abs, next-bits)
		bits = next
	}
	return ""
}

// prettyNumericSize is pg_size_pretty of a numeric, which keeps its decimals in bytes.
func prettyNumericSize(size value.Decimal) (string, error) {
	if size.Special() {
		return size.String() + " PB", nil
	}
	abs := size
	if size.Sign() < 0 {
		abs = size.Neg()
	}
	var bits uint
	for i, u := range sizeUnits {
		last := i == len(sizeUnits)-1
		if last || abs.Cmp(value.DecimalFromInt(u.limit)) < 0 {
			var err error
			if i > 0 {
				if abs, err = abs.Add(value.DecimalFromInt(1)); err == nil {
					abs, err = halved(abs, 1)
				}
			}
			if size.Sign() < 0 {
				abs = abs.Neg()
			}
			return abs.String() + " " + u.name, err
		}
		next := sizeUnits[i+1].bits - 1
		var err error
		if abs, err = halved(abs, next-bits); err != nil {
			return "", err
		}
		bits = next
	}
	return "", nil
}

// halved divides by two so many times, towards zero.
func halved(d value.Decimal, times uint) (value.Decimal, error) {
	whole, err := d.Trunc(0)
	if err != nil {
		return d, err
	}
	return value.DecimalFromBig(new(big.Int).Rsh(whole.Big(), times), 0)
}

// readSize is pg_size_bytes: a number and a unit.
func readSize(s string) (int64, error) {
	wrong := func(hint string) (int64, error) {
		return 0, value.Errorf(value.CodeBadParameter, "invalid size: %q", s).WithHint("%s", hint)
	}
	const valid = `write a number and one of bytes, kB, MB, GB, TB and PB`
	digits := func(t string) int {
		n := 0
		for n < len(t) && t[n] >= '0' && t[n] <= '9' {
			n++
		}
		return n
	}
	text := strings.TrimLeft(s, " \t\n\v\f\r")
	n := 0
	if text != "" && strings.ContainsRune("+-", rune(text[0])) {
		n = 1
	}
	whole := digits(text[n:])
	n += whole
	fraction := 0
	if n < len(text) && text[n] == '.' {
		fraction = digits(text[n+1:])
		n += 1 + fraction
	}
	if whole+fraction == 0 {
		return wrong(valid)
	}
	if n < len(text) && strings.ContainsRune("eE", rune(text[n])) {
		sign := n + 1
		if sign < len(text) && strings.ContainsRune("+-", rune(text[sign])) {
			sign++
		}
		if power := digits(text[sign:]); power > 0 {
			n = sign + power
		}
	}
	size, err := value.ParseDecimal(text[:n])
	if err != nil {
		return 0, err
	}
	if unit := strings.Trim(text[n:], " \t\n\v\f\r"); unit != "" {
		bits := -1
		for _, u := range sizeUnits {
			if strings.EqualFold(unit, u.name) {
				bits = int(u.bits)
			}
		}
		if bits < 0 {
			return wrong(valid)
		}
		if size, err = size.Mul(value.DecimalFromInt(1 << bits)); err != nil {
			return 0, err
		}
	}
	return size.Int64()
}

func addSizes(r *registry) {
	def1(r, "pg_size_pretty", value.Int8, value.Text, sure1(prettySize))
	def1(r, "pg_size_pretty", value.Numeric, value.Text, prettyNumericSize)
	def1(r, "pg_size_bytes", value.Text, value.Int8, readSize)
}
