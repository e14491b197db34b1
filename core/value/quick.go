package value

import (
	"strconv"

	"github.com/apache/arrow-go/v18/arrow/decimal128"
)

// Most numbers and dates are written in one plain way. These read that way
// alone, without making strings, and leave the others to the parsers.

// QuickDecimal reads digits with a minus sign and a point at most, up to 18 of
// them; ok is false for everything else.
func QuickDecimal[T string | []byte](s T) (d Decimal, ok bool) {
	i, point, digits := 0, -1, 0
	if len(s) > 0 && s[0] == '-' {
		i = 1
	}
	var n int64
	for ; i < len(s); i++ {
		switch c := s[i]; {
		case c >= '0' && c <= '9':
			n = n*10 + int64(c-'0')
			digits++
		case c == '.' && point < 0:
			point = i
		default:
			return d, false
		}
		if digits > 18 {
			return d, false
		}
	}
	if digits == 0 {
		return d, false
	}
	if s[0] == '-' {
		n = -n
	}
	d.Coef = decimal128.FromI64(n)
	if point >= 0 {
		d.Scale = uint8(len(s) - point - 1)
	}
	return d, true
}

// QuickMoment reads YYYY-MM-DD, alone or with HH:MM:SS and up to six digits of
// a second behind a space or T, and Z or +00 behind that: microseconds since
// 1970. ok is false for everything else, and for what is no date or time.
func QuickMoment[T string | []byte](s T) (us int64, ok bool) {
	if len(s) < 10 || s[4] != '-' || s[7] != '-' {
		return 0, false
	}
	bad := false
	number := func(from, to int) int {
		n := 0
		for i := from; i < to; i++ {
			bad = bad || s[i] < '0' || s[i] > '9'
			n = n*10 + int(s[i]-'0')
		}
		return n
	}
	year, month, day := number(0, 4), number(5, 7), number(8, 10)
	if bad || year == 0 || month < 1 || month > 12 || day < 1 || day > daysIn(year, month) {
		return 0, false
	}
	us = daysBefore(year, month, day) * MicrosPerDay
	if len(s) == 10 {
		return us, true
	}
	if len(s) < 19 || s[10] != ' ' && s[10] != 'T' || s[13] != ':' || s[16] != ':' {
		return 0, false
	}
	hour, minute, second := number(11, 13), number(14, 16), number(17, 19)
	if bad || hour > 23 || minute > 59 || second > 59 {
		return 0, false
	}
	us += int64(hour)*MicrosPerHour + int64(minute)*MicrosPerMinute + int64(second)*MicrosPerSecond
	end := len(s)
	switch {
	case s[end-1] == 'Z':
		end--
	case end > 22 && s[end-3] == '+' && s[end-2] == '0' && s[end-1] == '0', end == 22 && s[19] == '+' && s[20] == '0' && s[21] == '0':
		end -= 3
	}
	if end == 19 {
		return us, true
	}
	if s[19] != '.' || end == 20 || end > 26 {
		return 0, false
	}
	fraction := number(20, end)
	for i := end; i < 26; i++ {
		fraction *= 10
	}
	return us + int64(fraction), !bad
}

func daysIn(year, month int) int {
	switch month {
	case 2:
		if year%4 == 0 && (year%100 != 0 || year%400 == 0) {
			return 29
		}
		return 28
	case 4, 6, 9, 11:
		return 30
	}
	return 31
}

// daysBefore counts the days from 1970-01-01 to a date of the Gregorian
// calendar, in which years are taken to begin in March: leap days come last
// then, and 400 years have 146097 days.
func daysBefore(year, month, day int) int64 {
	if month <= 2 {
		year--
		month += 12
	}
	era := year / 400
	ofEra := year - era*400
	ofYear := (153*(month-3)+2)/5 + day - 1
	return int64(era)*146097 + int64(ofEra*365+ofEra/4-ofEra/100+ofYear) - 719468
}

// ParseInteger reads an integer of so many bits without making a string of them.
func ParseInteger(b []byte, bits int) (int64, error) {
	negative := len(b) > 0 && b[0] == '-'
	digits := b
	if negative {
		digits = b[1:]
	}
	if len(digits) == 0 || len(digits) > 18 {
		n, err := strconv.ParseInt(string(b), 10, bits)
		if err != nil {
			return 0, Errorf(CodeBadText, "%q is not an integer", clip(b))
		}
		return n, nil
	}
	var n int64
	for _, d := range digits {
		if d < '0' || d > '9' {
			return 0, Errorf(CodeBadText, "%q is not an integer", clip(b))
		}
		n = n*10 + int64(d-'0')
	}
	if negative {
		n = -n
	}
	if bits < 64 && (n >= 1<<(bits-1) || n < -(1<<(bits-1))) {
		return 0, IntegerRange(bits)
	}
	return n, nil
}

func clip(b []byte) string {
	if len(b) > 40 {
		return string(b[:40]) + "…"
	}
	return string(b)
}
