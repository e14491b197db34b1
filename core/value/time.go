package value

import (
	"cmp"
	"fmt"
	"math"
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

// The ends of dates and timestamps: Julian day 0, which is 4714-11-24 BC, and PostgreSQL's
// last date; a timestamp ends with the last whole year that microseconds since 1970 reach.
var (
	minDay    = daysOf(-4713, 11, 24)
	maxDay    = daysOf(maxYear, 12, 31)
	minMicros = int64(minDay) * MicrosPerDay
	maxMicros = (int64(daysOf(maxStampYear, 12, 31))+1)*MicrosPerDay - 1
)

const (
	maxYear      = 5_874_897
	maxStampYear = 294_246
)

// The infinite dates and timestamps.
const (
	InfinityDay        = math.MaxInt32
	MinusInfinityDay   = math.MinInt32
	InfinityStamp      = math.MaxInt64
	MinusInfinityStamp = math.MinInt64
)

// FiniteDay reports whether a date is none of the infinite ones.
func FiniteDay(day int32) bool { return day != InfinityDay && day != MinusInfinityDay }

// Finite reports whether a timestamp is none of the infinite ones.
func Finite(us int64) bool { return us != InfinityStamp && us != MinusInfinityStamp }

// CommonEra reports whether a date or timestamp is of the years 1 to 9999, which is what
// databases other than PostgreSQL hold.
func CommonEra(v Value) bool {
	day := v.Int
	if v.Kind != Date {
		day = floorDiv(v.Int, MicrosPerDay)
	}
	return day >= int64(daysOf(1, 1, 1)) && day <= int64(daysOf(9999, 12, 31))
}

func daysOf(y, m, d int) int32 {
	return int32(time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Unix() / 86400)
}

// MakeDate returns the day number of a calendar date, failing for a day that
// does not exist. A negative year is one before Christ.
func MakeDate(y, m, d int) (int32, error) {
	year := y
	if y < 0 {
		year = y + 1 // there is no year 0
	}
	if y == 0 || year < -4713 || year > maxYear || m < 1 || m > 12 || d < 1 || d > daysIn(year, m) {
		return 0, Errorf(CodeBadDate, "date field value out of range: %d-%02d-%02d", y, m, d)
	}
	return CheckDate(int64(daysOf(year, m, d)))
}

// CheckDate fails for a day beyond the dates that there are.
func CheckDate(day int64) (int32, error) {
	if day < int64(minDay) || day > int64(maxDay) {
		return 0, ErrDateRange
	}
	return int32(day), nil
}

// CheckTimestamp fails for a timestamp beyond those that there are.
func CheckTimestamp(us int64) (int64, error) {
	if us < minMicros || us > maxMicros {
		return 0, ErrStampRange
	}
	return us, nil
}

// StampOf returns the beginning of a day.
func StampOf(day int32) (int64, error) {
	switch {
	case day == InfinityDay:
		return InfinityStamp, nil
	case day == MinusInfinityDay:
		return MinusInfinityStamp, nil
	case int64(day) > maxMicros/MicrosPerDay:
		return 0, Errorf(CodeBadDate, "date out of range for timestamp")
	}
	return int64(day) * MicrosPerDay, nil
}

// DayOf returns the day that a timestamp falls in.
func DayOf(us int64) int32 {
	switch us {
	case InfinityStamp:
		return InfinityDay
	case MinusInfinityStamp:
		return MinusInfinityDay
	}
	return int32(floorDiv(us, MicrosPerDay))
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// Civil returns the UTC calendar time of a timestamp.
func Civil(us int64) time.Time { return time.UnixMicro(us).UTC() }

// CivilDate returns midnight UTC of a day.
func CivilDate(day int32) time.Time { return time.Unix(int64(day)*86400, 0).UTC() }

// FormatDate writes a date as YYYY-MM-DD, with BC behind a year before Christ.
func FormatDate(day int32) string {
	if !FiniteDay(day) {
		return infinite(day > 0)
	}
	return withEra(CivilDate(day), "2006-01-02", "")
}

// FormatTimestamp writes a timestamp with as many fractional digits as needed.
func FormatTimestamp(us int64) string { return formatStamp(us, "2006-01-02 15:04:05.999999", "") }

// FormatTimestampTZ writes a timestamp with its offset, which is always UTC.
func FormatTimestampTZ(us int64) string {
	return formatStamp(us, "2006-01-02 15:04:05.999999", "+00")
}

func formatStamp(us int64, layout, offset string) string {
	if !Finite(us) {
		return infinite(us > 0)
	}
	return withEra(Civil(us), layout, offset)
}

func infinite(plus bool) string {
	if plus {
		return "infinity"
	}
	return "-infinity"
}

// withEra writes a time by a layout that begins with the year.
func withEra(t time.Time, layout, offset string) string {
	year := t.Year()
	if year > 0 && year <= 9999 {
		return t.Format(layout) + offset
	}
	era := ""
	if year <= 0 {
		year, era = 1-year, " BC"
	}
	return fmt.Sprintf("%04d", year) + t.Format(layout[len("2006"):]) + offset + era
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

// AddTo moves a timestamp by s: months first (the day cut to the month's
// last), then days, then time. An infinite one stays.
func (s Span) AddTo(us int64) (int64, error) {
	if !Finite(us) {
		return us, nil
	}
	if s.Months != 0 {
		t := Civil(us)
		y, m := t.Year(), int(t.Month())-1+int(s.Months)
		y, m = y+int(floorDiv(int64(m), 12)), int((int64(m)%12+12)%12)+1
		if y < -4713 || y > maxStampYear {
			return 0, ErrStampRange
		}
		day := daysOf(y, m, min(t.Day(), daysIn(y, m)))
		us = int64(day)*MicrosPerDay + (us - int64(DayOf(us))*MicrosPerDay)
		if _, err := CheckTimestamp(us); err != nil {
			return 0, err
		}
	}
	if s.Days != 0 {
		day := int64(DayOf(us)) + int64(s.Days)
		if day < int64(minDay) || day > maxMicros/MicrosPerDay {
			return 0, ErrStampRange
		}
		us += int64(s.Days) * MicrosPerDay
	}
	us, err := AddInt(us, s.Micros)
	if err != nil {
		return 0, ErrStampRange
	}
	return CheckTimestamp(us)
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
