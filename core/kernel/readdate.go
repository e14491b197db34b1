package kernel

import (
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"rovik/core/value"
)

// momentReader is to_date and to_timestamp: what the words of a pattern read out of
// a text. A field that is 0 was not there.
type momentReader struct {
	nodes []patternNode
	s     string // what is left
	fixed bool   // FX
	// extra is how many spaces were skipped beyond those of the pattern.
	extra  int
	behind byte // what was skipped last

	year, century, month, day, yearDay, week, monthWeek, weekDay, julian int
	yearDigits                                                           int
	hour, minute, second, millis, micros, daySeconds                     int
	pm, bc                                                               int
	twelve                                                               bool // the hour is of a clock of twelve
	zoneSign, zoneHour, zoneMinute                                       int
	convention                                                           string // "week" or "date": what the fields are of
}

const codeBadFormat = "22007"

func badFormat(format string, args ...any) *value.Error {
	return value.Errorf(codeBadFormat, format, args...)
}

// Words that stand for numbers in any pattern, so that a number before them ends
// with its digits, and those that belong to one convention of dates.
var (
	numericWords = wordSet("CC DDD DD D FF1 FF2 FF3 FF4 FF5 FF6 HH24 HH12 HH IDDD ID IW IYYY IYY IY I J MI MM MS Q SSSSS SSSS SS TZM US WW W Y,YYY YYYY YYY YY Y")
	dateWords    = wordSet("DDD DD D MM MONTH MON RM WW W Y,YYY YYYY YYY YY Y")
	weekWords    = wordSet("IDDD ID IW IYYY IYY IY I")
)

// readMoment reads a text by a pattern: microseconds since 1970, in UTC.
func readMoment(s, pattern string) (int64, error) {
	r := &momentReader{nodes: patternNodes(pattern, momentWords, true), s: s}
	for i := 0; i < len(r.nodes) && r.s != ""; i++ {
		if err := r.node(i); err != nil {
			return 0, err
		}
	}
	return r.moment(s)
}

// spaces skips spaces, and counts them.
func (r *momentReader) spaces() {
	for r.s != "" && isSpace(r.s[0]) {
		r.behind, r.s = r.s[0], r.s[1:]
		r.extra++
	}
}

// one skips a character.
func (r *momentReader) one() {
	if r.s != "" {
		_, size := utf8.DecodeRuneInString(r.s)
		r.behind, r.s = r.s[size-1], r.s[size:]
	}
}

func (r *momentReader) node(i int) error {
	n := r.nodes[i]
	upper := strings.ToUpper(n.word)
	if !r.fixed && upper != "FX" && (n.word != "" || i == 0) {
		r.spaces()
	}
	switch {
	case n.word == "" && r.fixed:
		r.one()
		return nil
	case n.word == "" && n.plain:
		r.extra--
		if r.s != "" && (isSpace(r.s[0]) || isSeparator(r.s[0])) {
			r.one()
			r.extra++
		}
		return nil
	case n.word == "" && r.extra > 0:
		r.extra--
		return nil
	case n.word == "":
		r.one()
		return nil
	}
	of := map[bool]string{true: "date"}[dateWords[upper]]
	if weekWords[upper] {
		of = "week"
	}
	if of != "" && r.convention != "" && of != r.convention {
		return badFormat("invalid combination of date conventions").WithHint("do not mix Gregorian and ISO week date conventions in a formatting template")
	}
	if of != "" {
		r.convention = of
	}
	if err := r.word(i, upper); err != nil {
		return err
	}
	if n.ordinal != "" && numericWords[upper] {
		r.one()
		r.one()
	}
	if !r.fixed {
		r.extra = 0
		r.spaces()
	}
	return nil
}

// set gives a field its value, which a word before must not have set to another.
func (r *momentReader) set(field *int, v int, word string) error {
	if *field != 0 && *field != v {
		return badFormat("conflicting values for %q field in formatting string", word)
	}
	*field = v
	return nil
}

// number reads an integer of so many digits, or of all where what comes next in the
// pattern is none. It returns how many characters that took.
func (r *momentReader) number(i, digits int, field *int) (int, error) {
	n := r.nodes[i]
	before := r.s
	rest := strings.TrimLeft(r.s, " \t\n\v\f\r")
	open := n.fill || n.ordinal != "" || i+1 == len(r.nodes)
	if !open {
		if next := r.nodes[i+1]; next.word != "" {
			open = !numericWords[strings.ToUpper(next.word)]
		} else {
			open = !isDigit(next.text[0])
		}
	}
	if !open && len(rest) < digits {
		return 0, badFormat("source string too short for %q formatting field", n.word).WithHint("if it is not fixed-width, try using the %q modifier", "FM")
	}
	part := rest
	if !open {
		part = rest[:digits]
	}
	used := len(part) - len(strings.TrimLeft(part, " \t\n\v\f\r"))
	if used < len(part) && (part[used] == '-' || part[used] == '+') {
		used++
	}
	first := used
	for used < len(part) && isDigit(part[used]) {
		used++
	}
	v := 0
	if used == first {
		used = 0
	} else {
		var err error
		v, err = strconv.Atoi(strings.TrimLeft(part[:used], " \t\n\v\f\r"))
		if err != nil || v != int(int32(v)) {
			return 0, value.Errorf(value.CodeBadDate, "value for %q in source string is out of range", n.word)
		}
	}
	if !open && used > 0 && used < digits {
		return 0, badFormat("invalid value %q for %q", part, n.word).WithHint("if it is not fixed-width, try using the %q modifier", "FM")
	}
	if open && used == 0 {
		rest = before // nothing was read
	}
	r.s = rest[used:]
	if len(r.s) == len(before) {
		shown := before
		if len(shown) > digits {
			shown = shown[:digits]
		}
		return 0, badFormat("invalid value %q for %q", shown, n.word)
	}
	r.behind = before[len(before)-len(r.s)-1]
	if field != nil {
		if err := r.set(field, v, n.word); err != nil {
			return 0, err
		}
	}
	return len(before) - len(r.s), nil
}

// oneOf reads one of some words, in any letter case, and returns its position.
func (r *momentReader) oneOf(word string, words ...string) (int, error) {
	for i, w := range words {
		if len(r.s) >= len(w) && strings.EqualFold(r.s[:len(w)], w) {
			r.s = r.s[len(w):]
			return i, nil
		}
	}
	return 0, badFormat("invalid value %q for %q", r.s, word)
}

// months are the English names of months, cut to some letters where width is not 0.
func months(width int) (out []string) {
	for m := time.January; m <= time.December; m++ {
		out = append(out, cut(m.String(), width))
	}
	return out
}

// days are the English names of days, from Sunday on.
func days(width int) (out []string) {
	for d := time.Sunday; d <= time.Saturday; d++ {
		out = append(out, cut(d.String(), width))
	}
	return out
}

func cut(s string, width int) string {
	if width == 0 {
		return s
	}
	return s[:width]
}

// word reads what a word stands for.
func (r *momentReader) word(i int, upper string) error {
	word := r.nodes[i].word
	number := func(field *int) error {
		_, err := r.number(i, len(word), field)
		return err
	}
	short := func(digits int, field *int) error {
		_, err := r.number(i, digits, field)
		return err
	}
	named := func(field *int, plus int, words ...string) error {
		v, err := r.oneOf(word, words...)
		if err == nil {
			err = r.set(field, v+plus, word)
		}
		return err
	}
	switch upper {
	case "FX":
		r.fixed = true
	case "AM", "PM":
		r.twelve = true
		return named(&r.pm, 0, "am", "pm")
	case "A.M.", "P.M.":
		r.twelve = true
		return named(&r.pm, 0, "a.m.", "p.m.")
	case "AD", "BC":
		return named(&r.bc, 0, "ad", "bc")
	case "A.D.", "B.C.":
		return named(&r.bc, 0, "a.d.", "b.c.")
	case "HH", "HH12":
		r.twelve = true
		return short(2, &r.hour)
	case "HH24":
		return short(2, &r.hour)
	case "MI":
		return number(&r.minute)
	case "SS":
		return number(&r.second)
	case "MS":
		used, err := r.number(i, 3, &r.millis)
		if err == nil && used < 3 {
			r.millis *= []int{1, 100, 10}[used]
		}
		return err
	case "US", "FF1", "FF2", "FF3", "FF4", "FF5", "FF6":
		digits := 6
		if upper != "US" {
			digits = int(upper[2] - '0')
		}
		used, err := r.number(i, digits, &r.micros)
		for ; err == nil && used < 6; used++ {
			r.micros *= 10
		}
		return err
	case "SSSS", "SSSSS":
		return number(&r.daySeconds)
	case "TZ", "OF":
		return value.Errorf(value.CodeUnsupported, "formatting field %q is only supported in to_char", word)
	case "TZH":
		switch {
		case strings.IndexByte("+- ", r.s[0]) >= 0:
			r.zoneSign = 1
			if r.s[0] == '-' {
				r.zoneSign = -1
			}
			r.one()
		case r.extra > 0 && r.behind == '-':
			r.zoneSign = -1
		default:
			r.zoneSign = 1
		}
		return short(2, &r.zoneHour)
	case "TZM":
		if r.zoneSign == 0 {
			r.zoneSign = 1
		}
		return short(2, &r.zoneMinute)
	case "MONTH":
		return named(&r.month, 1, months(0)...)
	case "MON":
		return named(&r.month, 1, months(3)...)
	case "RM":
		v, err := r.oneOf(word, romanMonths...)
		if err == nil {
			err = r.set(&r.month, 12-v, word)
		}
		return err
	case "MM":
		return number(&r.month)
	case "DAY", "DY":
		width := 0
		if upper == "DY" {
			width = 3
		}
		v, err := r.oneOf(word, days(width)...)
		if err == nil {
			err = r.set(&r.weekDay, v, word)
			r.weekDay++
		}
		return err
	case "DDD":
		return number(&r.yearDay)
	case "IDDD":
		return short(3, &r.yearDay)
	case "DD":
		return number(&r.day)
	case "D":
		return number(&r.weekDay)
	case "ID":
		err := short(1, &r.weekDay)
		if r.weekDay++; r.weekDay > 7 {
			r.weekDay = 1
		}
		return err
	case "WW", "IW":
		return number(&r.week)
	case "W":
		return number(&r.monthWeek)
	case "Q": // says nothing that a month does not
		return number(nil)
	case "CC":
		return number(&r.century)
	case "J":
		return number(&r.julian)
	case "Y,YYY":
		return r.yearInThousands(word)
	case "YYYY", "IYYY":
		r.yearDigits = 4
		return number(&r.year)
	case "YYY", "IYY", "YY", "IY", "Y", "I":
		r.yearDigits = len(word)
		used, err := r.number(i, len(word), &r.year)
		if err == nil && used < 4 {
			r.year = fullYear(r.year)
		}
		return err
	}
	return nil
}

// fullYear completes a year of few digits to the one nearest to 2020.
func fullYear(y int) int {
	switch {
	case y < 70, y >= 100 && y < 520:
		return y + 2000
	case y < 100:
		return y + 1900
	case y >= 520 && y < 1000:
		return y + 1000
	}
	return y
}

// yearInThousands reads a year as 2,024.
func (r *momentReader) yearInThousands(word string) error {
	thousands, rest, ok := strings.Cut(r.s, ",")
	n, err1 := strconv.Atoi(strings.TrimLeft(thousands, " "))
	used := 0
	for used < len(rest) && used < 3 && isDigit(rest[used]) {
		used++
	}
	y, err2 := strconv.Atoi(rest[:used])
	if !ok || err1 != nil || err2 != nil {
		return badFormat("invalid input string for %q", "Y,YYY")
	}
	r.s, r.yearDigits = rest[used:], 4
	return r.set(&r.year, n*1000+y, word)
}

// moment puts the fields together. Years before Christ are beyond what is carried.
func (r *momentReader) moment(text string) (int64, error) {
	overflow := value.Errorf(value.CodeBadDate, "date/time field value out of range: %q", text)
	hour, minute, second := 0, 0, 0
	if s := r.daySeconds; s != 0 {
		hour, minute, second = s/3600, s%3600/60, s%60
	}
	for _, f := range []struct{ to, from *int }{{&second, &r.second}, {&minute, &r.minute}, {&hour, &r.hour}} {
		if *f.from != 0 {
			*f.to = *f.from
		}
	}
	if r.twelve {
		switch {
		case hour < 1 || hour > 12:
			return 0, badFormat("hour \"%d\" is invalid for the 12-hour clock", hour).WithHint("use the 24-hour clock, or give an hour between 1 and 12")
		case r.pm != 0 && hour < 12:
			hour += 12
		case r.pm == 0 && hour == 12:
			hour = 0
		}
	}
	year, month, day := 0, 1, 1
	hasYear, hasMonth, hasDay := r.year != 0 || r.century != 0, r.month != 0, false
	century := r.century
	if r.bc != 0 {
		century = -century
	}
	switch {
	case r.year != 0 && century != 0 && r.yearDigits <= 2:
		switch year = r.year % 100; {
		case year != 0 && century >= 0:
			year += (century - 1) * 100
		case year != 0:
			year = (century+1)*100 - year + 1
		case century >= 0:
			year = century * 100
		default:
			year = century*100 + 1
		}
	case r.year != 0:
		if year = r.year; r.bc != 0 {
			year = -year
		}
		if year < 0 {
			year++
		}
	case century > 0:
		year = (century-1)*100 + 1
	case century < 0:
		year = century*100 + 1
	}
	whole := func(julian int) {
		year, month, day = civilOfJulian(julian)
		hasYear, hasMonth, hasDay = true, true, true
	}
	if r.julian != 0 {
		whole(r.julian)
	}
	yearDay := r.yearDay
	if r.week != 0 && r.convention == "week" {
		at := isoWeekStart(year, r.week)
		if r.weekDay > 1 {
			at += r.weekDay - 2
		} else if r.weekDay == 1 { // Sunday ends the week
			at += 6
		}
		whole(at)
	} else if r.week != 0 {
		yearDay = (r.week-1)*7 + 1
	}
	wanted := r.day
	if r.monthWeek != 0 {
		wanted = (r.monthWeek-1)*7 + 1
	}
	if wanted != 0 {
		day, hasDay = wanted, true
	}
	if r.month != 0 {
		month = r.month
	}
	if yearDay != 0 && (month <= 1 || day <= 1) {
		switch {
		case year == 0 && r.bc == 0:
			return 0, badFormat("cannot calculate day of year without year information")
		case r.convention == "week":
			whole(isoWeekStart(year, 1) - 1 + yearDay)
		default:
			at, before := 1, 0
			for ; at <= 12 && yearDay > before+monthDays(year, at); at++ {
				before += monthDays(year, at)
			}
			if month <= 1 {
				month = at
			}
			if day <= 1 {
				day = yearDay - before
			}
			hasMonth, hasDay = true, true
		}
	}
	micros := r.millis*1000 + r.micros
	switch {
	case hasMonth && (month < 1 || month > 12), hasDay && (day < 1 || day > 31), hasYear && hasMonth && hasDay && day > monthDays(year, month),
		hour < 0, hour > 23, minute < 0, minute > 59, second < 0, second > 59, micros < 0, micros > 999_999:
		return 0, overflow
	case r.zoneSign != 0 && (r.zoneHour < 0 || r.zoneHour > 15 || r.zoneMinute < 0 || r.zoneMinute > 59):
		return 0, overflow
	}
	from, err := value.CheckDate(int64(julianDay(year, month, day) - julianOfEpoch))
	if err != nil {
		return 0, err
	}
	at, err := value.StampOf(from)
	if err != nil {
		return 0, err
	}
	at += int64(hour)*value.MicrosPerHour + int64(minute)*value.MicrosPerMinute + int64(second)*1_000_000 + int64(micros)
	at -= int64(r.zoneSign) * (int64(r.zoneHour)*value.MicrosPerHour + int64(r.zoneMinute)*value.MicrosPerMinute)
	return value.CheckTimestamp(at)
}

// monthDays counts the days of a month.
func monthDays(year, month int) int {
	return julianDay(year, month+1, 1) - julianDay(year, month, 1)
}

// civilOfJulian is the date of a Julian day.
func civilOfJulian(julian int) (year, month, day int) {
	t := time.Unix(int64(julian-julianOfEpoch)*86400, 0).UTC()
	return t.Year(), int(t.Month()), t.Day()
}
