package value

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// timeFields is a set of the fields of a date and time, of which none may be given twice.
type timeFields uint

const (
	hasYear timeFields = 1 << iota
	hasMonth
	hasDay
	hasYearDay
	hasHour
	hasMinute
	hasSecond
	hasZone
	hasHalf // AM or PM
	hasEra
	hasWeekday
	hasSummer // DST
	hasReserved

	hasDate = hasYear | hasMonth | hasDay
	hasTime = hasHour | hasMinute | hasSecond
)

// timeKind is how a field of a date and time is written.
type timeKind int

const (
	timeNumber  timeKind = iota // 2024, 20240229, 1.5
	timeWord                    // feb, utc
	timeDate                    // 2024-02-29, 29.02.2024, 29-feb-2024, America/New_York
	timeClock                   // 12:30, 12:30:00.5
	timeOffset                  // +05:30
	timeSpecial                 // -infinity
)

type timeField struct {
	kind timeKind
	text string // in lower case
	raw  string
}

// timeReader reads a date, a timestamp or a time in any of PostgreSQL's spellings, with
// the settings ISO and MDY. The algorithm is that of its ParseDateTime, DecodeDateTime and
// DecodeTimeOnly.
type timeReader struct {
	typ   string // for errors
	text  string
	now   time.Time // for today and its like; zero where they are not known
	alone bool      // a time of day without a date

	given            timeFields
	label            string // a label that the next field is for: julian, t
	year, month, day int
	yearDay          int
	hour, min, sec   int
	micros           int
	half             string // am or pm
	bc, julian       bool
	twoDigits        bool
	monthWord        bool
	offset           int // seconds east of UTC
	zone             *time.Location
	dynamic          bool // the zone is that of an abbreviation
	infinite         int  // 1 or -1
	epoch            bool
}

func (r *timeReader) bad() error {
	return Errorf(CodeBadDateText, "invalid input syntax for type %s: %q", r.typ, r.text).WithHint("write dates as YYYY-MM-DD")
}

func (r *timeReader) overflow() error {
	return Errorf(CodeBadDate, "date/time field value out of range: %q", r.text)
}

// moment reads a date and time: microseconds since 1970 by its own clock, and the seconds
// that this clock is before UTC.
func (r *timeReader) moment() (us int64, offset int, err error) {
	if err := r.read(); err != nil {
		return 0, 0, err
	}
	if r.infinite > 0 {
		return InfinityStamp, 0, nil
	}
	if r.infinite < 0 {
		return MinusInfinityStamp, 0, nil
	}
	if r.epoch {
		return 0, 0, nil
	}
	day := int64(math.MinInt64)
	if r.year >= -4713 && r.year <= maxYear {
		day = int64(daysOf(r.year, r.month, r.day))
	}
	early := int64(minDay)
	if r.typ != "date" {
		early-- // an hour of 24 is of the day after
	}
	if day < early || day > int64(maxDay) {
		return 0, 0, Errorf(CodeBadDate, "%s out of range: %q", map[bool]string{true: "date", false: "timestamp"}[r.typ == "date"], r.text)
	}
	if r.typ == "date" { // which goes further than timestamps do
		return day, 0, nil
	}
	if day > maxMicros/MicrosPerDay+1 {
		return 0, 0, Errorf(CodeBadDate, "timestamp out of range: %q", r.text)
	}
	us = day*MicrosPerDay + r.clock()
	if r.zone != nil {
		at, err := FromZone(r.zone, us)
		if err != nil {
			return 0, 0, err
		}
		r.offset = int((us - at) / MicrosPerSecond)
	}
	return us, r.offset, nil
}

func (r *timeReader) clock() int64 {
	return int64(r.hour)*MicrosPerHour + int64(r.min)*MicrosPerMinute + int64(r.sec)*MicrosPerSecond + int64(r.micros)
}

// read takes the fields one after the other, and checks what they give together.
func (r *timeReader) read() error {
	fields, err := r.fields()
	if err != nil {
		return err
	}
	if len(fields) == 0 {
		return r.bad()
	}
	for i, f := range fields {
		var got timeFields
		switch f.kind {
		case timeDate:
			dateFirst := i == 0 && len(fields) >= 2 && (fields[len(fields)-1].kind == timeDate || fields[1].kind == timeClock)
			got, err = r.dateOrZone(f, !r.alone || dateFirst)
		case timeClock:
			got, err = r.clockField(f.text)
		case timeOffset:
			got = hasZone
			r.offset, err = zoneOffset(f.text, r.text)
		case timeNumber:
			got, err = r.numberField(f.text, i == 0, len(fields) >= 2 && fields[len(fields)-1].kind == timeDate)
		default:
			var skip bool
			if got, skip, err = r.word(f, i+1 < len(fields) && fields[i+1].kind != timeWord && fields[i+1].kind != timeSpecial); skip {
				continue
			}
		}
		if err != nil {
			return err
		}
		if got&r.given != 0 {
			return r.bad()
		}
		r.given |= got
	}
	if r.label != "" && !r.alone {
		return r.bad()
	}
	return r.check()
}

// check is PostgreSQL's ValidateDate, and what follows on it.
func (r *timeReader) check() error {
	if r.given&hasYear != 0 && !r.julian {
		switch {
		case r.bc && r.year <= 0:
			return r.overflow()
		case r.bc:
			r.year = 1 - r.year
		case r.twoDigits && r.year < 70:
			r.year += 2000
		case r.twoDigits && r.year < 100:
			r.year += 1900
		case !r.twoDigits && r.year <= 0:
			return r.overflow()
		}
	}
	if r.given&hasYearDay != 0 {
		t := time.Date(r.year, 1, r.yearDay, 0, 0, 0, 0, time.UTC)
		r.year, r.month, r.day = t.Year(), int(t.Month()), t.Day()
	}
	switch {
	case r.given&hasMonth != 0 && (r.month < 1 || r.month > 12), r.given&hasDay != 0 && (r.day < 1 || r.day > 31),
		r.given&hasDate == hasDate && r.day > daysIn(r.year, r.month),
		r.half != "" && r.hour > 12:
		return r.overflow()
	case r.half == "am" && r.hour == 12:
		r.hour = 0
	case r.half == "pm" && r.hour != 12:
		r.hour += 12
	}
	if r.alone {
		return r.checkAlone()
	}
	if r.infinite != 0 || r.epoch {
		return nil
	}
	if r.given&hasDate != hasDate || r.given&hasSummer != 0 && (r.zone != nil || r.given&hasZone == 0) {
		return r.bad()
	}
	return nil
}

// checkAlone checks a time of day: the zone's offset must be known from what is given.
func (r *timeReader) checkAlone() error {
	if err := r.checkClock(); err != nil {
		return err
	}
	if r.given&hasTime != hasTime || r.given&hasSummer != 0 && (r.zone != nil || r.given&hasZone == 0) {
		return r.bad()
	}
	if r.zone != nil && !r.dynamic && r.given&hasDate != hasDate && changes(r.zone) {
		return r.bad()
	}
	return nil
}

// changes reports whether a zone has had several offsets.
func changes(loc *time.Location) bool {
	_, now := time.Unix(0, 0).In(loc).Zone()
	for year := 1880; year < 2040; year++ {
		for month := time.January; month <= time.December; month += 3 {
			if _, then := time.Date(year, month, 1, 0, 0, 0, 0, loc).Zone(); then != now {
				return true
			}
		}
	}
	return false
}

// fields cuts the text into fields, as PostgreSQL's ParseDateTime does.
func (r *timeReader) fields() ([]timeField, error) {
	s, lower := r.text, strings.ToLower(r.text)
	var out []timeField
	at := 0
	while := func(ok func(c byte) bool) {
		for at < len(s) && ok(s[at]) {
			at++
		}
	}
	is := func(chars string) func(byte) bool {
		return func(c byte) bool { return strings.IndexByte(chars, c) >= 0 }
	}
	digits := is("0123456789")
	next := func(chars string) bool { return at < len(s) && strings.IndexByte(chars, s[at]) >= 0 }
	for at < len(s) {
		c := s[at]
		start, kind := at, timeNumber
		switch {
		case isSpaceByte(c):
			at++
			continue
		case digits(c):
			while(digits)
			switch {
			case next(":"):
				kind = timeClock
				at++
				while(is("0123456789:."))
			case next("-/."):
				delim := s[at]
				at++
				if next("0123456789") {
					if kind = timeDate; delim == '.' {
						kind = timeNumber
					}
					while(digits)
					if at < len(s) && s[at] == delim {
						kind = timeDate
						at++
						while(func(c byte) bool { return digits(c) || c == delim })
					}
				} else {
					kind = timeDate
					while(func(c byte) bool { return isWordByte(c) || c == delim })
				}
			}
		case c == '.':
			at++
			while(digits)
		case isLetterByte(c):
			kind = timeWord
			while(isLetterByte)
			if next("-/.") || next("+0123456789") && !timeWords[clipWord(lower[start:at])] {
				kind = timeDate
				at++
				while(func(c byte) bool { return isWordByte(c) || is("+-/_.:")(c) })
			}
		case c == '+' || c == '-':
			at++
			while(isSpaceByte)
			switch {
			case next("0123456789"):
				kind = timeOffset
				at++
				while(is("0123456789:.-"))
			case at < len(s) && isLetterByte(s[at]):
				kind = timeSpecial
				while(isLetterByte)
			default:
				return nil, r.bad()
			}
			text := string(c) + strings.TrimLeft(lower[start+1:at], " \t\n\v\f\r")
			out = append(out, timeField{kind, text, text})
			continue
		case c > ' ' && c < 127:
			at++ // other punctuation is a delimiter
			continue
		default:
			return nil, r.bad()
		}
		out = append(out, timeField{kind, lower[start:at], s[start:at]})
		if len(out) > 25 {
			return nil, r.bad()
		}
	}
	return out, nil
}

func isSpaceByte(c byte) bool { return c == ' ' || c >= '\t' && c <= '\r' }

func isLetterByte(c byte) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' }

func isWordByte(c byte) bool { return isLetterByte(c) || c >= '0' && c <= '9' }

// leadingInt reads the digits at the front of a text, none being 0, and returns what is
// behind them; ok is false for a number that is too large.
func leadingInt(s string) (n int, rest string, ok bool) {
	end := 0
	for end < len(s) && s[end] >= '0' && s[end] <= '9' {
		end++
	}
	v, err := strconv.ParseInt("0"+s[:end], 10, 32)
	return int(v), s[end:], err == nil
}

// fraction reads a point and digits as microseconds.
func fraction(s string) int {
	f, _ := strconv.ParseFloat("0"+s+"0", 64) // "." alone is none
	return int(math.RoundToEven(f * 1e6))
}

// dateOrZone reads a field with punctuation: a date where one may stand, or where there is
// one the name of a time zone or a time that an offset follows.
func (r *timeReader) dateOrZone(f timeField, mayDate bool) (timeFields, error) {
	zoneAt := func() (timeFields, error) {
		at := strings.IndexByte(f.text, '-')
		if at < 0 {
			return 0, r.bad()
		}
		var err error
		if r.offset, err = zoneOffset(f.text[at:], r.text); err != nil {
			return 0, err
		}
		given := r.given
		if r.alone {
			given |= hasDate
		}
		got, err := r.glued(f.text[:at], given)
		return got | hasZone, err
	}
	digit := f.text[0] >= '0' && f.text[0] <= '9'
	switch {
	case r.label == "julian" && !r.alone:
		n, rest, ok := leadingInt(f.text)
		if !ok {
			return 0, r.overflow()
		}
		r.setJulian(n)
		r.label = ""
		var err error
		r.offset, err = zoneOffset(rest, r.text)
		return hasDate | hasTime | hasZone, err
	case !r.alone && r.given&hasDate != hasDate && r.label == "", r.alone && mayDate:
		return r.dateField(f.text)
	case !digit && (r.label == "" || r.alone):
		return r.namedZone(f)
	case !r.alone && r.label != "" && r.label != "t", r.given&hasTime == hasTime:
		return 0, r.bad()
	}
	if !r.alone {
		r.label = ""
	}
	return zoneAt()
}

// namedZone takes a time zone by its name.
func (r *timeReader) namedZone(f timeField) (timeFields, error) {
	loc, ok := zoneNamed(f.raw)
	if !ok {
		return 0, Errorf(CodeBadParameter, "time zone %q not recognized", f.text)
	}
	r.zone = loc
	return hasZone, nil
}

// dateField is PostgreSQL's DecodeDate: year, month and day in one field.
func (r *timeReader) dateField(s string) (got timeFields, err error) {
	parts := strings.FieldsFunc(s, func(c rune) bool { return c > 127 || !isWordByte(byte(c)) })
	var split []string
	for _, p := range parts { // 29feb2024 has three
		for p != "" {
			end := 1
			for end < len(p) && isLetterByte(p[end]) == isLetterByte(p[0]) {
				end++
			}
			split = append(split, p[:end])
			p = p[end:]
		}
	}
	if len(split) == 0 || len(s) > 1 && !isWordByte(s[len(s)-1]) && !isWordByte(s[len(s)-2]) {
		return 0, r.bad()
	}
	given, monthWord := r.given, false
	for _, p := range split {
		if !isLetterByte(p[0]) {
			continue
		}
		if m := monthNames[clipWord(p)]; m != 0 {
			r.month, monthWord = m, true
			if given&hasMonth != 0 {
				return 0, r.bad()
			}
			given, got = given|hasMonth, got|hasMonth
		} else if w := clipWord(p); w != "at" && w != "on" {
			return 0, r.bad()
		}
	}
	for _, p := range split {
		if isLetterByte(p[0]) {
			continue
		}
		one, err := r.number(p, monthWord, given)
		if err != nil {
			return 0, err
		}
		if one&given != 0 {
			return 0, r.bad()
		}
		given, got = given|one, got|one
	}
	if given&^(hasYearDay|hasZone) != hasDate || r.dynamic {
		return 0, r.bad()
	}
	return got, nil
}

// clockField is PostgreSQL's DecodeTime.
func (r *timeReader) clockField(s string) (timeFields, error) {
	if r.label != "" && r.label != "t" {
		return 0, r.bad()
	}
	r.label = ""
	hour, rest, ok := leadingInt(s)
	if !ok {
		return 0, r.overflow()
	}
	r.hour = hour
	if rest == "" || rest[0] != ':' {
		return 0, r.bad()
	}
	if r.min, rest, ok = leadingInt(rest[1:]); !ok {
		return 0, r.bad()
	}
	switch {
	case rest == "":
	case rest[0] == '.':
		r.hour, r.min, r.sec = 0, r.hour, r.min
	case rest[0] == ':':
		if r.sec, rest, ok = leadingInt(rest[1:]); !ok {
			return 0, r.bad()
		}
	}
	if rest != "" {
		if rest[0] != '.' || strings.Trim(rest[1:], "0123456789") != "" {
			return 0, r.bad()
		}
		r.micros = fraction(rest)
	}
	if r.min > 59 || r.sec > 60 || !r.alone && (r.hour > 24 || r.clock() > MicrosPerDay) {
		return 0, r.overflow()
	}
	return hasTime, nil
}

func (r *timeReader) checkClock() error {
	if r.hour > 24 || r.min > 59 || r.sec > 60 || r.micros > 1_000_000 || r.clock() > MicrosPerDay {
		return r.overflow()
	}
	return nil
}

func (r *timeReader) setJulian(n int) {
	t := time.Unix((int64(n)-julianOfEpoch)*86400, 0).UTC()
	r.year, r.month, r.day, r.julian = t.Year(), int(t.Month()), t.Day(), true
}

// julianOfEpoch is the Julian day of 1970-01-01.
const julianOfEpoch = 2_440_588

// numberField reads digits, with a point or without.
func (r *timeReader) numberField(s string, first, dateLast bool) (timeFields, error) {
	whole, behind, _ := strings.Cut(s, ".")
	point := len(whole) < len(s)
	if r.label != "" {
		label := r.label
		r.label = ""
		n, _, ok := leadingInt(s)
		switch {
		case label == "t":
			got, err := r.glued(s, r.given|hasDate)
			if err == nil && got != hasTime {
				err = r.bad()
			}
			return got, err
		case label != "julian":
			return 0, r.bad()
		case !ok:
			return 0, r.overflow()
		}
		r.setJulian(n)
		r.infinite, r.epoch = 0, false
		if !point {
			return hasDate, nil
		}
		f, _ := strconv.ParseFloat("0."+behind, 64)
		us := int64(f * float64(MicrosPerDay))
		r.hour, r.min, r.sec, r.micros = int(us/MicrosPerHour), int(us/MicrosPerMinute%60), int(us/MicrosPerSecond%60), int(us%MicrosPerSecond)
		return hasDate | hasTime, nil
	}
	if r.alone {
		switch {
		case point && first && dateLast:
			return r.dateField(s)
		case point && len(whole) > 2, !point && len(s) > 4:
			return r.glued(s, r.given|hasDate)
		case point:
			return 0, r.bad()
		}
		return r.number(s, false, r.given|hasDate)
	}
	switch {
	case point && r.given&hasDate == 0:
		return r.dateField(s)
	case point && len(whole) > 2, len(s) >= 6 && (r.given&hasDate == 0 || r.given&hasTime == 0):
		return r.gluedField(s)
	}
	return r.number(s, r.monthWord, r.given)
}

// number is PostgreSQL's DecodeNumber: what one number means beside what is given.
func (r *timeReader) number(s string, monthWord bool, given timeFields) (timeFields, error) {
	n, rest, ok := leadingInt(s)
	if !ok {
		return 0, r.overflow()
	}
	if len(rest) == len(s) {
		return 0, r.bad()
	}
	if rest != "" {
		if len(s)-len(rest) > 2 {
			return r.glued(s, given|hasDate)
		}
		r.micros = fraction(rest)
	}
	if len(s) == 3 && given&hasDate == hasYear && n >= 1 && n <= 366 {
		r.yearDay = n
		return hasYearDay | hasMonth | hasDay, nil
	}
	year := func() (timeFields, error) {
		r.year, r.twoDigits = n, len(s) <= 2
		return hasYear, nil
	}
	switch given & hasDate {
	case 0:
		if len(s) >= 3 {
			return year()
		}
		r.month = n
		return hasMonth, nil
	case hasYear, hasDay:
		r.month = n
		return hasMonth, nil
	case hasMonth:
		if monthWord && len(s) >= 3 {
			return year()
		}
	case hasYear | hasMonth:
		if monthWord && len(s) >= 3 && r.twoDigits { // the first number was the day
			r.day, r.year, r.twoDigits = r.year, n, false
			return hasDay, nil
		}
	case hasMonth | hasDay:
		return year()
	default:
		return r.glued(s, given)
	}
	r.day = n
	return hasDay, nil
}

func (r *timeReader) gluedField(s string) (timeFields, error) { return r.glued(s, r.given) }

// glued is PostgreSQL's DecodeNumberField: a date or a time without punctuation.
func (r *timeReader) glued(s string, given timeFields) (timeFields, error) {
	whole, behind, point := strings.Cut(s, ".")
	two := func(from int) int { n, _ := strconv.Atoi(whole[from : from+2]); return n }
	switch {
	case strings.Trim(whole, "0123456789") != "":
		return 0, r.bad()
	case point:
		r.micros = fraction("." + behind)
	case given&hasDate != hasDate && len(whole) >= 6:
		n := len(whole)
		year, err := strconv.ParseInt(whole[:n-4], 10, 32)
		if err != nil {
			return 0, r.overflow()
		}
		r.year, r.month, r.day = int(year), two(n-4), two(n-2)
		if n == 6 {
			r.twoDigits = true
		}
		return hasDate, nil
	}
	if given&hasTime != hasTime {
		switch len(whole) {
		case 6:
			r.hour, r.min, r.sec = two(0), two(2), two(4)
			return hasTime, nil
		case 4:
			r.hour, r.min, r.sec = two(0), two(2), 0
			return hasTime, nil
		}
	}
	return 0, r.bad()
}

// clipWord cuts a word to the ten letters that count.
func clipWord(w string) string { return w[:min(len(w), 10)] }

// word reads a word; skip says that it means nothing.
func (r *timeReader) word(f timeField, more bool) (got timeFields, skip bool, err error) {
	w := clipWord(f.text)
	if z, ok := zoneAbbreviations[w]; ok && f.kind == timeWord {
		switch {
		case z.zone != "":
			r.zone, _ = zoneNamed(z.zone)
			r.dynamic = true
		case z.summer:
			r.offset = z.seconds
			return hasZone | hasSummer, false, nil
		default:
			r.offset += z.seconds
		}
		return hasZone, false, nil
	}
	if m := monthNames[w]; m != 0 && f.kind == timeWord && !r.alone {
		if r.given&hasMonth != 0 && !r.monthWord && r.given&hasDay == 0 && r.month >= 1 && r.month <= 31 {
			r.day, got = r.month, hasDay
		} else {
			got = hasMonth
		}
		r.monthWord, r.month = true, m
		return got, false, nil
	}
	switch w {
	case "at", "on":
		return 0, true, nil
	case "am", "pm":
		r.half = w
		return hasHalf, false, nil
	case "ad", "bc":
		r.bc = w == "bc"
		return hasEra, false, nil
	case "dst":
		r.offset += 3600
		return hasSummer, false, nil
	case "j", "jd", "julian":
		return 0, false, r.setLabel("julian")
	case "t":
		if r.given&hasDate != hasDate && !r.alone || r.alone && !more {
			return 0, false, r.bad()
		}
		return 0, false, r.setLabel("t")
	case "z", "zulu", "allballs":
		if w == "allballs" {
			r.infinite, r.epoch = 0, false
			return hasTime | hasZone, false, nil
		}
	case "d", "h", "m", "mm", "s", "y", "dow", "doy", "isodow", "isoyear":
		return 0, false, r.setLabel(w)
	case "now", "today", "tomorrow", "yesterday":
		return r.fromNow(w)
	case "epoch", "infinity", "-infinity":
		if r.alone {
			return 0, false, r.bad()
		}
		r.infinite, r.epoch = map[string]int{"infinity": 1, "-infinity": -1}[w], w == "epoch"
		return hasReserved, false, nil
	}
	if weekdayNames[w] && !r.alone {
		return hasWeekday, false, nil
	}
	loc, ok := zoneNamed(f.raw)
	if !ok {
		return 0, false, r.bad()
	}
	r.zone = loc
	return hasZone, false, nil
}

func (r *timeReader) setLabel(l string) error {
	if r.label != "" {
		return r.bad()
	}
	r.label = l
	return nil
}

// fromNow takes the date of today or a day beside it, or the present time.
func (r *timeReader) fromNow(w string) (timeFields, bool, error) {
	if w != "now" && r.alone {
		return 0, false, r.bad()
	}
	if r.now.IsZero() {
		return 0, false, Errorf(CodeBadDateText, "%q is read in constants only", w).WithHint("write current_date or now()")
	}
	r.infinite, r.epoch = 0, false
	t := r.now.UTC().AddDate(0, 0, map[string]int{"tomorrow": 1, "yesterday": -1}[w])
	r.year, r.month, r.day = t.Year(), int(t.Month()), t.Day()
	if w != "now" {
		return hasDate, false, nil
	}
	r.hour, r.min, r.sec, r.micros = t.Hour(), t.Minute(), t.Second(), t.Nanosecond()/1000
	return hasDate | hasTime | hasZone, false, nil
}

// Words of dates and times, cut to the ten letters that count.
var (
	monthNames   = map[string]int{"sept": 9}
	weekdayNames = map[string]bool{"tues": true, "weds": true, "thur": true, "thurs": true}
	timeWords    = func() map[string]bool {
		out := map[string]bool{}
		for w := range strings.FieldsSeq("-infinity ad allballs am at bc d dow doy dst epoch h infinity isodow isoyear j jd julian m mm now on pm s t today tomorrow y yesterday") {
			out[w] = true
		}
		for m := time.January; m <= time.December; m++ {
			name := strings.ToLower(m.String())
			monthNames[name], monthNames[name[:3]] = int(m), int(m)
		}
		for d := time.Sunday; d <= time.Saturday; d++ {
			name := strings.ToLower(d.String())
			weekdayNames[name], weekdayNames[name[:3]] = true, true
		}
		for w := range monthNames {
			out[w] = true
		}
		for w := range weekdayNames {
			out[w] = true
		}
		return out
	}()
)

// ParseTimestampTZ reads a date and time; without an offset or zone it is taken as UTC.
func ParseTimestampTZ(s string) (int64, error) { return parseStamp(TimestampTZ, s, time.Time{}) }

// ParseTimestamp reads a date and time, ignoring an offset or zone.
func ParseTimestamp(s string) (int64, error) { return parseStamp(Timestamp, s, time.Time{}) }

func parseStamp(k Kind, s string, now time.Time) (int64, error) {
	if us, ok := QuickMoment(s); ok {
		return us, nil
	}
	r := &timeReader{typ: k.String(), text: s, now: now}
	us, offset, err := r.moment()
	if err != nil || !Finite(us) {
		return us, err
	}
	if k == TimestampTZ {
		us -= int64(offset) * MicrosPerSecond
	}
	if _, err := CheckTimestamp(us); err != nil {
		return 0, Errorf(CodeBadDate, "timestamp out of range: %q", s)
	}
	return us, nil
}

// ParseDate reads a date; a time of day behind it is dropped.
func ParseDate(s string) (int32, error) { return parseDate(s, time.Time{}) }

func parseDate(s string, now time.Time) (int32, error) {
	if us, ok := QuickMoment(s); ok {
		return DayOf(us), nil
	}
	r := &timeReader{typ: "date", text: s, now: now}
	day, _, err := r.moment()
	switch day {
	case InfinityStamp:
		return InfinityDay, err
	case MinusInfinityStamp:
		return MinusInfinityDay, err
	}
	return int32(day), err
}

// ParseTime reads a time of day, to 24:00:00: microseconds since midnight.
func ParseTime(s string) (int64, error) { return parseTime(s, time.Time{}) }

func parseTime(s string, now time.Time) (int64, error) {
	r := &timeReader{typ: "time", text: s, now: now, alone: true}
	if err := r.read(); err != nil {
		return 0, err
	}
	return r.clock(), nil
}

// ParseAt reads the text of a value as Parse does, in which today and now mean those of an
// instant. relative reports whether the text has such a word.
func ParseAt(k Kind, s string, now time.Time) (v Value, relative bool, err error) {
	if !k.IsTime() && k != Time || !relativeWords.MatchString(s) {
		v, err = Parse(k, s)
		return v, false, err
	}
	v = Value{Kind: k}
	switch k {
	case Date:
		var day int32
		day, err = parseDate(s, now)
		v.Int = int64(day)
	case Time:
		v.Int, err = parseTime(s, now)
	default:
		v.Int, err = parseStamp(k, s, now)
	}
	return v, true, err
}

var relativeWords = regexp.MustCompile(`(?i)\b(now|today|tomorrow|yesterday)\b`)
