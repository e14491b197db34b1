package kernel

import (
	"errors"
	"strings"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/decimal128"

	"rovik/core/value"
)

type (
	date  = arrow.Date32
	stamp = arrow.Timestamp
)

func toDate(d int32, err error) (date, error)    { return date(d), err }
func toStamp(us int64, err error) (stamp, error) { return stamp(us), err }

// startOf is where a finite day begins, which need not be a timestamp.
func startOf(d date) int64 { return int64(d) * value.MicrosPerDay }

// plusDays moves a date, unless it is infinite.
func plusDays(d date, n int64) (date, error) {
	if !value.FiniteDay(int32(d)) {
		return d, nil
	}
	return toDate(value.CheckDate(int64(d) + n))
}

// plusSpan is the timestamp that lies an interval behind the beginning of a day.
func plusSpan(d date, s value.Span) (int64, error) {
	us, err := value.StampOf(int32(d))
	if err != nil {
		return 0, err
	}
	return s.AddTo(us)
}

// errNoValue is given for a result that is NULL though no argument is.
var errNoValue = errors.New("no value")

// extract returns a field of a day and a time in it as PostgreSQL's extract does.
// kind tells a date, which has no time of day, from a timestamp.
func extract(field string, day, micros int64, kind value.Kind) (value.Decimal, error) {
	t := value.CivilDate(int32(day))
	whole := func(i int) (value.Decimal, error) { return value.DecimalFromInt(int64(i)), nil }
	isoYear, week := t.ISOWeek()
	unit, err := unitOf(field, kind.String())
	if err != nil {
		return value.Decimal{}, err
	}
	julian := value.DecimalFromInt(day + 2440588)
	switch unit {
	case "millennium":
		return whole(periodOf(t.Year(), 1000))
	case "year":
		return whole(withoutZero(t.Year()))
	case "isoyear":
		return whole(withoutZero(isoYear))
	case "decade":
		return whole(floorDiv(t.Year(), 10))
	case "century":
		return whole(periodOf(t.Year(), 100))
	case "quarter":
		return whole((int(t.Month())-1)/3 + 1)
	case "month":
		return whole(int(t.Month()))
	case "week":
		return whole(week)
	case "day":
		return whole(t.Day())
	case "dow":
		return whole(int(t.Weekday()))
	case "isodow":
		return whole((int(t.Weekday())+6)%7 + 1)
	case "doy":
		return whole(t.YearDay())
	case "epoch":
		if kind == value.Date {
			return value.DecimalFromInt(day * 86400), nil
		}
		return value.Decimal{Coef: decimal128.FromI64(day*value.MicrosPerDay + micros), Scale: 6}, nil
	}
	if kind == value.Date {
		if unit == "julian" {
			return julian, nil
		}
		return value.Decimal{}, noUnit(field, kind.String())
	}
	if kind == value.TimestampTZ && strings.HasPrefix(unit, "timezone") {
		return whole(0) // which is UTC
	}
	ofMinute := decimal128.FromI64(micros % value.MicrosPerMinute)
	switch unit {
	case "julian":
		part, err := value.DecimalFromInt(micros).Div(value.DecimalFromInt(value.MicrosPerDay))
		if err != nil {
			return part, err
		}
		return julian.Add(part)
	case "hour":
		return whole(int(micros / value.MicrosPerHour))
	case "minute":
		return whole(int(micros / value.MicrosPerMinute % 60))
	case "second":
		return value.Decimal{Coef: ofMinute, Scale: 6}, nil
	case "milliseconds":
		return value.Decimal{Coef: ofMinute, Scale: 3}, nil
	case "microseconds":
		return value.Decimal{Coef: ofMinute}, nil
	}
	return value.Decimal{}, noUnit(field, kind.String())
}

// extractDate returns a field of a date.
func extractDate(field string, d date) (value.Decimal, error) {
	if !value.FiniteDay(int32(d)) {
		return extractInfinite(field, d > 0, value.Date)
	}
	return extract(field, int64(d), 0, value.Date)
}

// extractStamp returns a field of a timestamp.
func extractStamp(field string, us int64, kind value.Kind) (value.Decimal, error) {
	if !value.Finite(us) {
		return extractInfinite(field, us > 0, kind)
	}
	day := int64(value.DayOf(us))
	return extract(field, day, us-day*value.MicrosPerDay, kind)
}

// extractInfinite returns a field of an infinite date or timestamp: those that go on
// growing are infinite, and of the others there are none.
func extractInfinite(field string, plus bool, kind value.Kind) (value.Decimal, error) {
	unit, err := unitOf(field, kind.String())
	if err != nil {
		return value.Decimal{}, err
	}
	switch unit {
	case "year", "decade", "century", "millennium", "julian", "isoyear", "epoch":
		return value.InfiniteDecimal(plus), nil
	}
	if _, err := extract(field, 0, 0, kind); err != nil {
		return value.Decimal{}, err
	}
	return value.Decimal{}, errNoValue
}

// withoutZero is a year as it is counted: the one before the year 1 is -1.
func withoutZero(year int) int {
	if year <= 0 {
		return year - 1
	}
	return year
}

// periodOf is the century or millennium that a year is in; there is none of number 0.
func periodOf(year, length int) int {
	if year > 0 {
		return (year + length - 1) / length
	}
	return -((length - 1 - (year - 1)) / length)
}

func truncate(field string, us int64) (int64, error) {
	t := value.Civil(us)
	day := func(y int, m time.Month, d int) (int64, error) {
		return value.CheckTimestamp(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).UnixMicro())
	}
	cut := func(unit int64) (int64, error) {
		return startOf(date(value.DayOf(us))) + (us-startOf(date(value.DayOf(us))))/unit*unit, nil
	}
	if !value.Finite(us) {
		return us, nil
	}
	unit, err := lengthOf(field, value.Timestamp.String())
	if err != nil {
		return 0, err
	}
	switch unit {
	case "microseconds":
		return us, nil
	case "milliseconds":
		return cut(1000)
	case "second":
		return cut(value.MicrosPerSecond)
	case "minute":
		return cut(value.MicrosPerMinute)
	case "hour":
		return cut(value.MicrosPerHour)
	case "day":
		return startOf(date(value.DayOf(us))), nil
	case "week":
		return day(t.Year(), t.Month(), t.Day()-(int(t.Weekday())+6)%7)
	case "month":
		return day(t.Year(), t.Month(), 1)
	case "quarter":
		return day(t.Year(), t.Month()-(t.Month()-1)%3, 1)
	case "year":
		return day(t.Year(), 1, 1)
	case "decade":
		return day(floorDiv(t.Year(), 10)*10, 1, 1)
	case "century":
		return day(floorDiv(t.Year()-1, 100)*100+1, 1, 1)
	case "millennium":
		return day(floorDiv(t.Year()-1, 1000)*1000+1, 1, 1)
	}
	return 0, noUnit(field, value.Timestamp.String())
}

func addTimes(r *registry) {
	d, ts, tz, iv, i4, t := value.Date, value.Timestamp, value.TimestampTZ, value.Interval, value.Int4, value.Text
	def2(r, "+", d, i4, d, func(a date, n int32) (date, error) { return plusDays(a, int64(n)) })
	def2(r, "+", i4, d, d, func(n int32, a date) (date, error) { return plusDays(a, int64(n)) })
	def2(r, "-", d, i4, d, func(a date, n int32) (date, error) { return plusDays(a, -int64(n)) })
	def2(r, "-", d, d, i4, func(a, b date) (int32, error) {
		if !value.FiniteDay(int32(a)) || !value.FiniteDay(int32(b)) {
			return 0, value.Errorf(value.CodeBadDate, "cannot subtract infinite dates")
		}
		return int32(a) - int32(b), nil
	})
	def2(r, "+", d, iv, ts, func(a date, s value.Span) (stamp, error) { return toStamp(plusSpan(a, s)) })
	def2(r, "-", d, iv, ts, func(a date, s value.Span) (stamp, error) { return toStamp(plusSpan(a, s.Neg())) })
	def2(r, "+", iv, iv, iv, value.Span.Add)
	def2(r, "-", iv, iv, iv, func(a, b value.Span) (value.Span, error) { return a.Add(b.Neg()) })
	def1(r, "neg", iv, iv, sure1(value.Span.Neg))
	for _, k := range []value.Kind{ts, tz} {
		def2(r, "+", k, iv, k, func(a stamp, s value.Span) (stamp, error) { return toStamp(s.AddTo(int64(a))) })
		def2(r, "-", k, iv, k, func(a stamp, s value.Span) (stamp, error) { return toStamp(s.Neg().AddTo(int64(a))) })
		def2(r, "-", k, k, iv, func(a, b stamp) (value.Span, error) {
			if !value.Finite(int64(a)) || !value.Finite(int64(b)) {
				return value.Span{}, value.Errorf(value.CodeBadDate, "cannot subtract infinite timestamps")
			}
			us, err := value.SubInt(int64(a), int64(b))
			if err != nil {
				return value.Span{}, value.ErrSpanRange
			}
			return value.Span{Days: int32(us / value.MicrosPerDay), Micros: us % value.MicrosPerDay}, nil
		})
		def2(r, "extract", t, k, value.Numeric, func(f string, a stamp) (value.Decimal, error) { return extractStamp(f, int64(a), k) })
		def2(r, "date_part", t, k, value.Float8, func(f string, a stamp) (float64, error) {
			x, err := extractStamp(f, int64(a), k)
			return x.Float64(), err
		})
		def2(r, "date_trunc", t, k, k, func(f string, a stamp) (stamp, error) { return toStamp(truncate(f, int64(a))) })
	}
	def2(r, "extract", t, d, value.Numeric, extractDate)
	def2(r, "date_part", t, d, value.Float8, func(f string, a date) (float64, error) {
		us, err := value.StampOf(int32(a))
		if err != nil {
			return 0, err
		}
		x, err := extractStamp(f, us, ts)
		return x.Float64(), err
	})
	def2(r, "date_trunc", t, d, tz, func(f string, a date) (stamp, error) {
		us, err := value.StampOf(int32(a))
		if err != nil {
			return 0, err
		}
		return toStamp(truncate(f, us))
	})
	def3(r, "make_date", i4, i4, i4, d, func(y, m, day int32) (date, error) {
		return toDate(value.MakeDate(int(y), int(m), int(day)))
	})
}

// floorDiv rounds down.
func floorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}
