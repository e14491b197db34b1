package value

import (
	"errors"
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
	intervalTime     = regexp.MustCompile(`^([+-]?)(\d*):(\d*)(?::(\d*))?(\.\d*)?$`)
	intervalMonths   = regexp.MustCompile(`^([+-]?)(\d+)-(\d+)$`)
	isoNumber        = regexp.MustCompile(`^[+-]?(?:\d+\.?\d*|\.\d+)`)
)

// ParseInterval reads what PostgreSQL reads as an interval in its own style, in those of
// ISO 8601, and years and months with a hyphen. The algorithm is that of PostgreSQL's
// DecodeInterval: fields from right to left, in which a number without a unit is of days
// where hours follow, and else of seconds.
func ParseInterval(s string) (Span, error) { return parseInterval(s, "second") }

func parseInterval(s, last string) (Span, error) {
	r := intervalReader{bad: Errorf("22007", "invalid input syntax for type interval: %q", s).WithHint("write it like '1 month 3 days 04:05:06'"),
		beyond: Errorf("22015", "interval field value out of range: %q", s)}
	span, err := r.words(s, last)
	if errors.Is(err, r.bad) && strings.HasPrefix(s, "P") && len(s) > 1 {
		r.years, r.months, r.days, r.micros = 0, 0, 0, 0
		return r.iso(s[1:])
	}
	return span, err
}

// words reads PostgreSQL's own style; a number behind which nothing stands is of the unit
// last.
func (r *intervalReader) words(s, last string) (Span, error) {
	fields, err := (&timeReader{text: s}).fields()
	if err != nil {
		return Span{}, r.bad
	}
	unit, ago := intervalUnits[last], false
	for i := len(fields) - 1; i >= 0; i-- {
		text := fields[i].text
		switch kind := fields[i].kind; {
		case kind == timeWord && text == "ago":
			unit, ago = intervalUnit{}, true
			continue
		case kind == timeWord || kind == timeSpecial:
			if unit = unitNamed(text); unit.name == "" && text != "quarter" && text != "qtr" { // which no number has
				return Span{}, r.bad
			}
			continue
		}
		switch m := intervalTime.FindStringSubmatch(text); {
		case m != nil:
			err = r.time(m)
			unit = intervalUnits["day"]
			if errors.Is(err, r.beyond) && m[1] != "" {
				err = r.bad // as of a number with a sign
			}
		case intervalMonths.MatchString(text):
			err = r.monthsOf(intervalMonths.FindStringSubmatch(text))
			unit = intervalUnits["month"]
		default:
			if err = r.add(text, unit); unit.field == fieldHour {
				unit = intervalUnits["day"]
			}
		}
		if err != nil {
			return Span{}, err
		}
	}
	if r.given == 0 {
		return Span{}, r.bad
	}
	span, err := r.sum()
	if ago {
		span = span.Neg()
	}
	return span, err
}

// intervalReader sums up the parts of an interval.
type intervalReader struct {
	bad, beyond                 *Error
	given                       intervalField
	years, months, days, micros float64 // whole; the years as months
}

func (r *intervalReader) sum() (Span, error) {
	months := r.years + r.months
	if max(math.Abs(months), math.Abs(r.days)) > math.MaxInt32 || math.Abs(r.micros) > math.MaxInt64/1000 {
		return Span{}, ErrSpanRange
	}
	return NewSpan(int64(months), int64(r.days), int64(r.micros))
}

// inRange fails where a field has outgrown its place.
func (r *intervalReader) inRange() error {
	if max(math.Abs(r.years/12), math.Abs(r.months), math.Abs(r.days)) > math.MaxInt32 || math.Abs(r.micros) > math.MaxInt64 {
		return r.beyond
	}
	return nil
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
	if m == nil || m[2]+m[3] == "" || u.name == "" {
		return r.bad
	}
	whole, _ := strconv.ParseFloat("0"+m[2], 64)
	part, _ := strconv.ParseFloat("0"+m[3]+"0", 64)
	if m[3] == "" {
		part = 0
	}
	if whole > math.MaxInt64 {
		return r.beyond
	}
	if m[1] == "-" {
		whole, part = -whole, -part
	}
	fields := u.field
	if u.field == fieldSecond && part != 0 {
		fields = fieldMicros | fieldMillis | fieldSecond
	}
	if u.months > 1 {
		r.years += whole * float64(u.months)
	} else {
		r.months += whole * float64(u.months)
	}
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
	if err := r.inRange(); err != nil {
		return err
	}
	return r.give(fields)
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
	hours, _ := strconv.ParseFloat("0"+m[2], 64)
	minutes, _ := strconv.ParseFloat("0"+m[3], 64)
	seconds, _ := strconv.ParseFloat("0"+m[4], 64)
	if m[4] == "" && m[5] != "" {
		hours, minutes, seconds = 0, hours, minutes
	}
	if minutes > 59 || seconds > 60 {
		return r.beyond
	}
	part, _ := strconv.ParseFloat("0"+m[5], 64)
	us := (hours*3600+minutes*60+seconds)*float64(MicrosPerSecond) + math.RoundToEven(part*float64(MicrosPerSecond))
	if m[1] == "-" {
		us = -us
	}
	r.micros = us // whatever days have left
	return r.give(fieldsOfTime)
}

// monthsOf adds years and months that a hyphen joins.
func (r *intervalReader) monthsOf(m []string) error {
	if err := r.give(fieldMonth); err != nil {
		return err
	}
	years, _ := strconv.ParseFloat(m[2], 64)
	months, _ := strconv.ParseFloat(m[3], 64)
	if months > 11 {
		return r.beyond
	}
	if years = years*12 + months; m[1] == "-" {
		years = -years
	}
	r.months += years
	return r.inRange()
}

// iso reads the formats of ISO 8601 behind their P, with designators or like a date and
// time, as PostgreSQL's DecodeISO8601Interval does.
func (r *intervalReader) iso(s string) (Span, error) {
	units := map[byte]string{'Y': "year", 'M': "month", 'W': "week", 'D': "day"}
	like, mark, inTime, any := []string{"year", "month", "day"}, byte('-'), false, false
	add := func(number, unit string) error {
		r.given = 0 // a field may be given again
		return r.add(number, intervalUnits[unit])
	}
	for s != "" {
		if s[0] == 'T' {
			units = map[byte]string{'H': "hour", 'M': "minute", 'S': "second"}
			like, mark, inTime, any, s = []string{"hour", "minute", "second"}, ':', true, false, s[1:]
			continue
		}
		number := isoNumber.FindString(s)
		if number == "" {
			return Span{}, r.bad
		}
		rest := s[len(number):]
		if rest != "" && units[rest[0]] != "" {
			if err := add(number, units[rest[0]]); err != nil {
				return Span{}, err
			}
			any, s = true, rest[1:]
			continue
		}
		digits := strings.TrimLeft(number, "+-")
		width := len(digits) - len(strings.TrimLeft(digits, "0123456789"))
		if any {
			return Span{}, r.bad
		}
		parts := []string{number}
		switch glued := rest == "" || rest[0] == 'T'; {
		case glued && !inTime && width == 8:
			parts = []string{number[:len(number)-len(digits)+4], digits[4:6], digits[6:]}
		case glued && inTime && width == 6:
			parts = []string{number[:len(number)-len(digits)+2], digits[2:4], digits[4:]}
		case !glued && rest[0] != mark:
			return Span{}, r.bad
		}
		for len(parts) < 3 && rest != "" && rest[0] == mark {
			next := isoNumber.FindString(rest[1:])
			if next == "" {
				return Span{}, r.bad
			}
			parts, rest = append(parts, next), rest[1+len(next):]
		}
		for i, p := range parts {
			if err := add(p, like[i]); err != nil {
				return Span{}, err
			}
		}
		if rest != "" && (inTime || rest[0] != 'T') {
			return Span{}, r.bad
		}
		s = rest
	}
	return r.sum()
}

// intervalRanges are the fields that a type of intervals is cut to, by PostgreSQL's masks:
// the last of them, and what lies below it.
var intervalRanges = map[int]struct {
	last  string
	below Span // what is cut off: a whole of the last field
}{
	1 << 2: {"year", Span{Months: 12}}, 1 << 1: {"month", Span{Months: 1}}, 1<<2 | 1<<1: {"month", Span{Months: 1}}, 1 << 3: {"day", Span{Days: 1}},
	1 << 10: {"hour", Span{Micros: MicrosPerHour}}, 1<<3 | 1<<10: {"hour", Span{Micros: MicrosPerHour}},
	1 << 11: {"minute", Span{Micros: MicrosPerMinute}}, 1<<10 | 1<<11: {"minute", Span{Micros: MicrosPerMinute}}, 1<<3 | 1<<10 | 1<<11: {"minute", Span{Micros: MicrosPerMinute}},
	1 << 12: {"second", Span{Micros: 1}}, 1<<11 | 1<<12: {"second", Span{Micros: 1}}, 1<<10 | 1<<11 | 1<<12: {"second", Span{Micros: 1}},
	1<<3 | 1<<10 | 1<<11 | 1<<12: {"second", Span{Micros: 1}}, AllFields: {"second", Span{Micros: 1}},
}

// AllFields is PostgreSQL's mask of an interval that is not cut to fields.
const AllFields = 0x7FFF

// RoundMicros rounds microseconds to so many digits of a second, at most 6, halves away from zero.
func RoundMicros(micros int64, digits int) int64 {
	unit := int64(math.Pow10(6 - min(max(digits, 0), 6)))
	half := unit / 2
	if micros < 0 {
		half = -half
	}
	return (micros + half) / unit * unit
}

// ParseIntervalIn reads an interval of some fields, by PostgreSQL's mask of them, cut to
// these, with so many digits of a second; precision is -1 for all.
func ParseIntervalIn(s string, fields, precision int) (Span, error) {
	r, ok := intervalRanges[fields]
	if !ok || precision > 6 {
		return Span{}, Errorf(CodeUnsupported, "these fields of an interval are not supported")
	}
	span, err := parseInterval(s, r.last)
	if err != nil {
		return span, err
	}
	switch {
	case r.below.Months > 0:
		span = Span{Months: span.Months - span.Months%r.below.Months}
	case r.below.Days > 0:
		span.Micros = 0
	default:
		span.Micros -= span.Micros % r.below.Micros
	}
	if precision >= 0 {
		span.Micros = RoundMicros(span.Micros, precision)
	}
	return span, nil
}
