package value

import (
	"math"
	"regexp"
	"strconv"
	"strings"
)

// intervalField is a set of the fields of an interval, of which none may be given
// twice.
type intervalField uint

const (
	fieldMicros intervalField = 1 << iota
	fieldMillis
	fieldSecond
	fieldMinute
	fieldHour
	fieldDay
	fieldWeek
	fieldMonth
	fieldYear
	fieldDecade
	fieldCentury
	fieldMillennium

	fieldsOfTime = fieldMicros | fieldMillis | fieldSecond | fieldMinute | fieldHour
)

// intervalUnit is a unit as a multiple of a month, a day or a microsecond.
type intervalUnit struct {
	name   string
	field  intervalField
	months int64
	days   int64
	micros int64
}

// intervalUnits are PostgreSQL's names of units, of which the first ten characters
// count.
var intervalUnits = func() map[string]intervalUnit {
	out := map[string]intervalUnit{}
	for _, u := range []struct {
		names string
		intervalUnit
	}{
		{"microsecon us usec usecond useconds usecs", intervalUnit{"microseconds", fieldMicros, 0, 0, 1}},
		{"millisecon ms msec msecond mseconds msecs", intervalUnit{"milliseconds", fieldMillis, 0, 0, 1000}},
		{"s sec second seconds secs", intervalUnit{"second", fieldSecond, 0, 0, MicrosPerSecond}},
		{"m min mins minute minutes", intervalUnit{"minute", fieldMinute, 0, 0, MicrosPerMinute}},
		{"h hour hours hr hrs", intervalUnit{"hour", fieldHour, 0, 0, MicrosPerHour}},
		{"d day days", intervalUnit{"day", fieldDay, 0, 1, 0}},
		{"w week weeks", intervalUnit{"week", fieldWeek, 0, 7, 0}},
		{"mon mons month months", intervalUnit{"month", fieldMonth, 1, 0, 0}},
		{"y year years yr yrs", intervalUnit{"year", fieldYear, 12, 0, 0}},
		{"dec decade decades decs", intervalUnit{"decade", fieldDecade, 120, 0, 0}},
		{"c cent centuries century", intervalUnit{"century", fieldCentury, 1200, 0, 0}},
		{"mil mils millennia millennium", intervalUnit{"millennium", fieldMillennium, 12000, 0, 0}},
	} {
		for name := range strings.FieldsSeq(u.names) {
			out[name] = u.intervalUnit
		}
	}
	return out
}()

// UnitNamed returns the unit of time that a word names, by the name that extract
// has for it: "hour" of "hrs". It returns "" for none.
func UnitNamed(word string) string { return unitNamed(word).name }

func unitNamed(word string) intervalUnit {
	return intervalUnits[strings.ToLower(word[:min(len(word), 10)])]
}

var (
	intervalQuantity = regexp.MustCompile(`^([+-]?)(\d*)(\.\d*)?$`)
	intervalTime     = regexp.MustCompile(`^([+-]?)(\d+):(\d+)(?::(\d+))?(\.\d*)?$`)
	intervalMonths   = regexp.MustCompile(`^([+-]?)(\d+)-(\d+)$`)
	intervalGlued    = regexp.MustCompile(`^([+-]?[\d.]+)([a-zA-Z]+)$`)
	intervalISO      = regexp.MustCompile(`^P(?:[+-]?[\d.]+[YMWD])*(?:T(?:[+-]?[\d.]+[HMS])*)?$`)
	intervalISOPart  = regexp.MustCompile(`T|[+-]?[\d.]+[A-Z]`)
)

// ParseInterval reads what PostgreSQL reads as an interval in its own style, in
// that of ISO 8601 with designators, and years and months with a hyphen. The
// algorithm is that of PostgreSQL's DecodeInterval: words from right to left, in
// which a number without a unit is of days where a time follows, and else of
// seconds.
func ParseInterval(s string) (Span, error) {
	r := intervalReader{bad: Errorf("22007", "invalid input syntax for type interval: %q", s).WithHint("write it like '1 month 3 days 04:05:06'")}
	words := intervalWords(s)
	if len(words) == 1 && len(words[0]) > 1 && intervalISO.MatchString(words[0]) {
		return r.iso(words[0])
	}
	ago := len(words) > 1 && strings.EqualFold(words[len(words)-1], "ago")
	if ago {
		words = words[:len(words)-1]
	}
	if len(words) == 0 {
		return Span{}, r.bad
	}
	unit, named := intervalUnits["second"], false
	for i := len(words) - 1; i >= 0; i-- {
		var err error
		word := words[i]
		u := unitNamed(word)
		isUnit := u.name != ""
		switch m := intervalTime.FindStringSubmatch(word); {
		case isUnit && !named:
			unit, named = u, true
			continue
		case isUnit:
			return Span{}, r.bad
		case m != nil && !named:
			err = r.time(m)
			unit = intervalUnits["day"]
		case intervalMonths.MatchString(word):
			err = r.monthsOf(intervalMonths.FindStringSubmatch(word))
			unit = intervalUnits["month"]
		default:
			err = r.add(word, unit)
		}
		if err != nil {
			return Span{}, err
		}
		named = false
	}
	if named {
		return Span{}, r.bad
	}
	span, err := r.sum()
	if ago {
		span = span.Neg()
	}
	return span, err
}

// intervalWords cuts a text at spaces, and a unit from the number before it.
func intervalWords(s string) []string {
	var words []string
	for word := range strings.FieldsSeq(s) {
		word = strings.Trim(word, "@,")
		switch m := intervalGlued.FindStringSubmatch(word); {
		case m != nil:
			words = append(words, m[1], m[2])
		case word != "":
			words = append(words, word)
		}
	}
	return words
}

// intervalReader sums up the parts of an interval.
type intervalReader struct {
	bad                  *Error
	given                intervalField
	months, days, micros float64 // whole
}

func (r *intervalReader) sum() (Span, error) {
	if max(math.Abs(r.months), math.Abs(r.days)) > math.MaxInt32 || math.Abs(r.micros) > math.MaxInt64/1000 {
		return Span{}, ErrSpanRange
	}
	return NewSpan(int64(r.months), int64(r.days), int64(r.micros))
}

// give notes that fields are given, each once.
func (r *intervalReader) give(f intervalField) error {
	if r.given&f != 0 {
		return r.bad
	}
	r.given |= f
	return nil
}

// add adds a number of a unit. What is behind the point becomes smaller units: of
// years months, of months days, of weeks and days time.
func (r *intervalReader) add(number string, u intervalUnit) error {
	m := intervalQuantity.FindStringSubmatch(number)
	if m == nil || m[2] == "" && len(m[3]) < 2 {
		return r.bad
	}
	whole, _ := strconv.ParseFloat("0"+m[2], 64)
	part, _ := strconv.ParseFloat("0"+m[3], 64)
	if whole > math.MaxInt64 {
		return ErrSpanRange
	}
	if m[1] == "-" {
		whole, part = -whole, -part
	}
	fields := u.field
	if u.field == fieldSecond && part != 0 {
		fields = fieldMicros | fieldMillis | fieldSecond
	}
	if err := r.give(fields); err != nil {
		return err
	}
	r.months += whole * float64(u.months)
	r.days += whole * float64(u.days)
	r.micros += whole * float64(u.micros)
	switch {
	case u.micros != 0:
		r.micros += halfDown(part * float64(u.micros))
	case u.months > 1:
		r.months += math.RoundToEven(part * float64(u.months))
	default:
		days := part * float64(max(u.days, u.months*30))
		if u.field == fieldDay {
			days = part
		}
		r.days += math.Trunc(days)
		r.micros += halfDown((days - math.Trunc(days)) * float64(MicrosPerDay))
	}
	return nil
}

// halfDown rounds, and halves towards zero.
func halfDown(x float64) float64 {
	whole := math.Trunc(x)
	if math.Abs(x-whole) > 0.5 {
		whole += math.Copysign(1, x)
	}
	return whole
}

// time adds hours, minutes and seconds, or minutes and seconds with a fraction.
func (r *intervalReader) time(m []string) error {
	if err := r.give(fieldsOfTime); err != nil {
		return err
	}
	hours, _ := strconv.ParseFloat(m[2], 64)
	minutes, _ := strconv.ParseFloat(m[3], 64)
	seconds, _ := strconv.ParseFloat("0"+m[4], 64)
	if m[4] == "" && m[5] != "" {
		hours, minutes, seconds = 0, hours, minutes
	}
	if minutes > 59 || seconds > 60 {
		return Errorf("22015", "interval field value out of range: %q", m[0])
	}
	part, _ := strconv.ParseFloat("0"+m[5], 64)
	us := (hours*3600+minutes*60+seconds)*float64(MicrosPerSecond) + math.RoundToEven(part*float64(MicrosPerSecond))
	if m[1] == "-" {
		us = -us
	}
	r.micros += us
	return nil
}

// monthsOf adds years and months that a hyphen joins.
func (r *intervalReader) monthsOf(m []string) error {
	if err := r.give(fieldMonth); err != nil {
		return err
	}
	years, _ := strconv.ParseFloat(m[2], 64)
	months, _ := strconv.ParseFloat(m[3], 64)
	if months > 11 {
		return Errorf("22015", "interval field value out of range: %q", m[0])
	}
	if years = years*12 + months; m[1] == "-" {
		years = -years
	}
	r.months += years
	return nil
}

// iso reads the format with designators of ISO 8601.
func (r *intervalReader) iso(s string) (Span, error) {
	units := map[byte]string{'Y': "year", 'M': "month", 'W': "week", 'D': "day"}
	for _, part := range intervalISOPart.FindAllString(s[1:], -1) {
		if part == "T" {
			units = map[byte]string{'H': "hour", 'M': "minute", 'S': "second"}
			continue
		}
		last := len(part) - 1
		if err := r.add(part[:last], intervalUnits[units[part[last]]]); err != nil {
			return Span{}, err
		}
	}
	return r.sum()
}
