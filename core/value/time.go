package value

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
)

// Microseconds in the fixed units of time.
const (
	MicrosPerSecond = int64(1_000_000)
	MicrosPerMinute = 60 * MicrosPerSecond
	MicrosPerHour   = 60 * MicrosPerMinute
	MicrosPerDay    = 24 * MicrosPerHour
)

// The range that dates and timestamps are kept in, years 1 to 9999: what every
// connected database can carry.
var (
	minDay = daysOf(1, 1, 1)
	maxDay = daysOf(9999, 12, 31)
)

func daysOf(y, m, d int) int32 {
	return int32(time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Unix() / 86400)
}

// MakeDate returns the day number of a calendar date, failing for a day that
// does not exist.
func MakeDate(y, m, d int) (int32, error) {
	if y < 1 || y > 9999 || m < 1 || m > 12 || d < 1 || d > daysIn(y, m) {
		return 0, Errorf(CodeBadDate, "date field value out of range: %d-%02d-%02d", y, m, d)
	}
	return int32(time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Unix() / 86400), nil
}

// CheckDate fails for a day outside the years 1 to 9999.
func CheckDate(day int64) (int32, error) {
	if day < int64(minDay) || day > int64(maxDay) {
		return 0, ErrDateRange
	}
	return int32(day), nil
}

// CheckTimestamp fails for a timestamp outside the years 1 to 9999.
func CheckTimestamp(us int64) (int64, error) {
	if _, err := CheckDate(floorDiv(us, MicrosPerDay)); err != nil {
		return 0, err
	}
	return us, nil
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// DayOf returns the day that a timestamp falls in.
func DayOf(us int64) int32 { return int32(floorDiv(us, MicrosPerDay)) }

// Civil returns the UTC calendar time of a timestamp.
func Civil(us int64) time.Time { return time.UnixMicro(us).UTC() }

// CivilDate returns midnight UTC of a day.
func CivilDate(day int32) time.Time { return time.Unix(int64(day)*86400, 0).UTC() }

// FormatDate writes a date as YYYY-MM-DD.
func FormatDate(day int32) string { return CivilDate(day).Format("2006-01-02") }

// FormatTimestamp writes a timestamp with as many fractional digits as needed.
func FormatTimestamp(us int64) string { return Civil(us).Format("2006-01-02 15:04:05.999999") }

// FormatTimestampTZ writes a timestamp with its offset, which is always UTC.
func FormatTimestampTZ(us int64) string { return FormatTimestamp(us) + "+00" }

var timestampText = regexp.MustCompile(
	`^(\d{4,5})-(\d{1,2})-(\d{1,2})(?:[ T](\d{1,2}):(\d{2})(?::(\d{2})(?:\.(\d+))?)?)?\s*(Z|UTC|[+-]\d{1,2}(?::?\d{2})?)?$`)

// ParseTimestampTZ reads an ISO 8601 date and time; without an offset it is
// taken as UTC.
func ParseTimestampTZ(s string) (int64, error) {
	return parseMoment("timestamp with time zone", s, true)
}

// ParseTimestamp reads an ISO 8601 date and time, ignoring an offset.
func ParseTimestamp(s string) (int64, error) { return parseMoment("timestamp", s, false) }

// ParseDate reads an ISO 8601 date; a time of day behind it is dropped.
func ParseDate(s string) (int32, error) {
	us, err := parseMoment("date", s, false)
	return DayOf(us), err
}

// maxZoneHours is how far from UTC an offset may be, as in PostgreSQL.
const maxZoneHours = 15

func parseMoment(typeName, s string, useOffset bool) (int64, error) {
	if us, ok := QuickMoment(s); ok {
		return us, nil
	}
	m := timestampText.FindStringSubmatch(strings.TrimSpace(s))
	if m == nil {
		return 0, Errorf("22007", "invalid input syntax for type %s: %q", typeName, s).WithHint("write dates as YYYY-MM-DD")
	}
	num := func(i int) int { n, _ := strconv.Atoi(m[i]); return n }
	day, err := MakeDate(num(1), num(2), num(3))
	if err != nil || num(4) > 24 || num(5) > 59 || num(6) > 60 || num(4) == 24 && num(5)+num(6) > 0 {
		return 0, Errorf(CodeBadDate, "date/time field value out of range: %q", s)
	}
	us := int64(day)*MicrosPerDay + int64(num(4))*MicrosPerHour + int64(num(5))*MicrosPerMinute + int64(num(6))*MicrosPerSecond
	if frac := m[7]; frac != "" {
		f, _ := strconv.ParseFloat("0."+frac, 64)
		us += int64(math.RoundToEven(f * 1e6))
	}
	if zone := m[8]; zone != "" && zone != "Z" && zone != "UTC" {
		digits := strings.ReplaceAll(zone[1:], ":", "")
		h, mins := digits, "0"
		if len(digits) > 2 {
			h, mins = digits[:len(digits)-2], digits[len(digits)-2:]
		}
		hours, _ := strconv.Atoi(h)
		minutes, _ := strconv.Atoi(mins)
		if hours > maxZoneHours || minutes > 59 {
			return 0, Errorf("22009", "time zone displacement out of range: %q", s)
		}
		offset := int64(hours)*MicrosPerHour + int64(minutes)*MicrosPerMinute
		if zone[0] == '+' {
			offset = -offset
		}
		if useOffset {
			us += offset
		}
	}
	return CheckTimestamp(us)
}

// Span is an interval: months, days and microseconds, kept apart because they
// have no fixed ratio.
type Span struct {
	Months, Days int32
	Micros       int64
}

// Arrow returns s in Arrow's representation, which counts nanoseconds.
func (s Span) Arrow() arrow.MonthDayNanoInterval {
	return arrow.MonthDayNanoInterval{Months: s.Months, Days: s.Days, Nanoseconds: s.Micros * 1000}
}

// SpanFromArrow is the inverse of Span.Arrow.
func SpanFromArrow(i arrow.MonthDayNanoInterval) Span {
	return Span{Months: i.Months, Days: i.Days, Micros: i.Nanoseconds / 1000}
}

// NewSpan returns the interval of the parts. Months and days go to 2^31, and time
// as far as Arrow's nanoseconds reach: 292 years.
func NewSpan(months, days, micros int64) (Span, error) {
	if max(months, -months, days, -days) > math.MaxInt32 || micros > math.MaxInt64/1000 || micros < -math.MaxInt64/1000 {
		return Span{}, ErrSpanRange
	}
	return Span{int32(months), int32(days), micros}, nil
}

// Total returns what all equal intervals share: the days, of which a month has
// 30, and the rest in microseconds, less than a day.
func (s Span) Total() (days, micros int64) {
	days = int64(s.Months)*30 + int64(s.Days) + floorDiv(s.Micros, MicrosPerDay)
	return days, s.Micros - floorDiv(s.Micros, MicrosPerDay)*MicrosPerDay
}

// Cmp compares with months of 30 days and days of 24 hours.
func (s Span) Cmp(o Span) int {
	days, micros := s.Total()
	oDays, oMicros := o.Total()
	return cmp.Or(cmp.Compare(days, oDays), cmp.Compare(micros, oMicros))
}

// Neg returns -s.
func (s Span) Neg() Span { return Span{-s.Months, -s.Days, -s.Micros} }

// Add returns the sum, unit by unit.
func (s Span) Add(o Span) (Span, error) {
	return NewSpan(int64(s.Months)+int64(o.Months), int64(s.Days)+int64(o.Days), s.Micros+o.Micros)
}

// maxDays is more days than lie between any two dates.
const maxDays = 4_000_000

// AddTo moves a timestamp by s: months first (the day cut to the month's
// last), then days, then time.
func (s Span) AddTo(us int64) (int64, error) {
	if s.Months != 0 {
		t := Civil(us)
		y, m := t.Year(), int(t.Month())-1+int(s.Months)
		y, m = y+int(floorDiv(int64(m), 12)), int((int64(m)%12+12)%12)+1
		if y < 1 || y > 9999 {
			return 0, ErrDateRange
		}
		day := daysOf(y, m, min(t.Day(), daysIn(y, m)))
		us = int64(day)*MicrosPerDay + (us - int64(DayOf(us))*MicrosPerDay)
	}
	if s.Days > maxDays || s.Days < -maxDays {
		return 0, ErrDateRange
	}
	return CheckTimestamp(us + int64(s.Days)*MicrosPerDay + s.Micros)
}

// String writes s as PostgreSQL does with IntervalStyle postgres.
func (s Span) String() string {
	var parts []string
	unit := func(n int32, name string) {
		if n == 0 {
			return
		}
		if n != 1 {
			name += "s"
		}
		sign := ""
		if n > 0 && len(parts) > 0 && strings.HasPrefix(parts[len(parts)-1], "-") {
			sign = "+"
		}
		parts = append(parts, fmt.Sprintf("%s%d %s", sign, n, name))
	}
	unit(s.Months/12, "year")
	unit(s.Months%12, "mon")
	unit(s.Days, "day")
	if s.Micros != 0 || len(parts) == 0 {
		us, sign := s.Micros, ""
		if us < 0 {
			us, sign = -us, "-"
		} else if len(parts) > 0 && strings.HasPrefix(parts[len(parts)-1], "-") {
			sign = "+"
		}
		text := fmt.Sprintf("%s%02d:%02d:%02d", sign, us/MicrosPerHour, us/MicrosPerMinute%60, us/MicrosPerSecond%60)
		if f := us % MicrosPerSecond; f != 0 {
			text += strings.TrimRight(fmt.Sprintf(".%06d", f), "0")
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, " ")
}
