package shape

import (
	"bytes"
	"errors"
	"strconv"
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// Guess is what kinds texts may be of, all of them. The zero value has seen none.
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
		return errors.New("the text is not UTF-8")
	}
	if !plain && bytes.IndexByte(text, 0) >= 0 {
		return errors.New("the text has the character 0")
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
		g.notNumber = !plainDecimal(s)
	}
	if !g.notFloat {
		g.notFloat = !plainFloat(s)
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

// sameMoment tells whether a timestamp is written in the standard's way, with a
// space or a T, so that nothing of the text is lost.
func sameMoment(s string, t int64) bool {
	full := value.FormatTimestamp(t)
	s = strings.Replace(s, "T", " ", 1)
	return strings.HasPrefix(full, s) || strings.HasPrefix(strings.TrimRight(s, "0"), full)
}

// leadingZero tells of 007, which is a code rather than a number.
func leadingZero(s string) bool {
	s = strings.TrimLeft(s, "+-")
	return len(s) > 1 && s[0] == '0' && s[1] >= '0' && s[1] <= '9'
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

// plainDecimal tells whether a text is a number with a point at most.
func plainDecimal(s string) bool {
	if s == "" || s[0] == '.' || s[len(s)-1] == '.' || leadingZero(s) || strings.Trim(s, "-.0123456789") != "" {
		return false
	}
	_, err := value.ParseDecimal(s)
	return err == nil
}

// plainFloat tells whether a text is a number as computers write it.
func plainFloat(s string) bool {
	if s == "NaN" || s == "Infinity" || s == "-Infinity" {
		return true
	}
	if s == "" || s[0] == '+' || s[len(s)-1] == '.' || leadingZero(s) || strings.Trim(s, "-+.0123456789eE") != "" {
		return false
	}
	_, err := strconv.ParseFloat(s, 64)
	return err == nil
}

// Kind is the narrowest that all texts have.
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
