package shape

import (
	"bytes"
	"errors"
	"strconv"
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// Guess is what kinds strings may be of, all of them: those from which each text
// comes back. Of a double that is its number, of a timestamp its moment; of the
// others all characters. The zero value has seen none.
type Guess struct {
	Nulls, Values                                            int64
	notBool, notInt, notNumber, notFloat, notDate, notMoment bool
	wide                                                     bool // an integer needs 64 bits
}

// Null counts what is not there.
func (g *Guess) Null() { g.Nulls++ }

// Merge narrows the guess by what another one saw.
func (g *Guess) Merge(o Guess) {
	g.Nulls, g.Values = g.Nulls+o.Nulls, g.Values+o.Values
	g.notBool, g.notInt, g.notNumber = g.notBool || o.notBool, g.notInt || o.notInt, g.notNumber || o.notNumber
	g.notFloat, g.notDate, g.notMoment = g.notFloat || o.notFloat, g.notDate || o.notDate, g.notMoment || o.notMoment
	g.wide = g.wide || o.wide
}

// See narrows the guess by a text. plain says that it is known to be UTF-8
// without the character 0.
func (g *Guess) See(text []byte, plain bool) error {
	g.Values++
	if !plain && !utf8.Valid(text) {
		return errors.New("the string is not UTF-8")
	}
	if !plain && bytes.IndexByte(text, 0) >= 0 {
		return errors.New("the string contains a NUL character")
	}
	if g.notBool && g.notInt && g.notNumber && g.notFloat && g.notDate && g.notMoment {
		return nil
	}
	if !g.notDate && g.notBool && g.notInt && g.notNumber && g.notFloat && g.notMoment && len(text) == 10 {
		if _, ok := value.QuickMoment(text); ok {
			return nil
		}
	}
	s := string(text)
	g.notBool = g.notBool || s != "true" && s != "false"
	if !g.notInt {
		n, ok := plainInteger(text)
		g.notInt = !ok
		g.wide = g.wide || int64(int32(n)) != n
	}
	if !g.notNumber {
		g.notNumber = !plainDecimal(text)
	}
	if !g.notFloat {
		g.notFloat = !plainFloat(text)
	}
	if !g.notDate {
		d, err := value.ParseDate(s)
		g.notDate = err != nil || value.FormatDate(d) != s
	}
	if !g.notMoment {
		t, err := value.ParseTimestamp(s)
		g.notMoment = err != nil || len(s) < len("2006-01-02 15:04") || strings.ContainsAny(s[10:], "zZ+-") || !sameMoment(s, t)
	}
	return nil
}

// sameMoment reports whether a timestamp is written in the standard's way, with a
// space or a T, seconds or none, so that nothing of the moment is lost.
func sameMoment(s string, t int64) bool {
	s = strings.Replace(s, "T", " ", 1)
	if whole, fraction, ok := strings.Cut(s, "."); ok {
		s = strings.TrimSuffix(whole+"."+strings.TrimRight(fraction, "0"), ".")
	}
	full := value.FormatTimestamp(t)
	return full == s || full == s+":00"
}

// plainInteger reads an integer that is written as Rovik would write it.
func plainInteger(b []byte) (int64, bool) {
	digits := b
	if len(b) > 1 && b[0] == '-' {
		digits = b[1:]
	}
	if len(digits) == 0 || len(digits) > 19 || digits[0] == '0' && len(b) > 1 {
		return 0, false
	}
	n, err := value.ParseInteger(b, 64)
	return n, err == nil
}

// plainDecimal reports whether a text is a number as numeric writes it: with a point
// at most, no zero before the others, no sign before 0, and no more digits than
// numeric has.
func plainDecimal(b []byte) bool {
	digits := bytes.TrimPrefix(b, []byte("-"))
	whole, fraction, point := bytes.Cut(digits, []byte("."))
	if len(whole) == 0 || point && len(fraction) == 0 || len(whole) > 1 && whole[0] == '0' || len(bytes.TrimPrefix(whole, []byte("0")))+len(fraction) > value.MaxDigits {
		return false
	}
	zero := true
	for _, part := range [][]byte{whole, fraction} {
		for _, c := range part {
			if c < '0' || c > '9' {
				return false
			}
			zero = zero && c == '0'
		}
	}
	return !zero || len(digits) == len(b)
}

// surelyExact is how many digits a double always gives back.
const surelyExact = 15

// plainFloat reports whether a text is a number as computers write it, and one that
// a double holds.
func plainFloat(b []byte) bool {
	if len(b) <= surelyExact && plainDecimal(b) {
		return true
	}
	s := string(b)
	if s == "NaN" || s == "Infinity" || s == "-Infinity" {
		return true
	}
	sign, digits, point := number(s)
	f, err := strconv.ParseFloat(s, 64)
	if digits == "" || sign == "+" || err != nil || sign == "-" && digits == "0" && s != "-0" {
		return false
	}
	_, back, backAt := number(value.FormatFloat(f))
	return digits == back && point == backAt
}

// number takes a number apart: its sign, its digits without zeros at both ends, and
// where its point stands before or behind the first of them. digits is "" for what
// is no number, and "0" for 0.
func number(s string) (sign, digits string, point int) {
	if s != "" && (s[0] == '-' || s[0] == '+') {
		sign, s = s[:1], s[1:]
	}
	mantissa, exponent := s, ""
	if at := strings.IndexAny(s, "eE"); at >= 0 {
		mantissa, exponent = s[:at], s[at+1:]
		n, err := strconv.Atoi(exponent)
		if err != nil {
			return sign, "", 0
		}
		point = n
	}
	whole, fraction, _ := strings.Cut(mantissa, ".")
	if whole == "" || len(whole) > 1 && whole[0] == '0' || strings.HasSuffix(mantissa, ".") || strings.Trim(whole+fraction, "0123456789") != "" {
		return sign, "", 0
	}
	digits = strings.TrimLeft(whole+fraction, "0")
	point += len(whole) - (len(whole+fraction) - len(digits))
	if digits = strings.TrimRight(digits, "0"); digits == "" {
		return sign, "0", 0
	}
	return sign, digits, point
}

// Kind is the narrowest that all strings have.
func (g *Guess) Kind() value.Kind {
	switch {
	case g.Values == 0:
		return value.Text
	case !g.notBool:
		return value.Bool
	case !g.notInt && !g.wide:
		return value.Int4
	case !g.notInt:
		return value.Int8
	case !g.notNumber:
		return value.Numeric
	case !g.notFloat:
		return value.Float8
	case !g.notDate:
		return value.Date
	case !g.notMoment:
		return value.Timestamp
	}
	return value.Text
}
