package kernel

import (
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

func startOf(d date) int64 { return int64(d) * value.MicrosPerDay }

// extract returns a field of a timestamp as PostgreSQL's extract does.
// kind tells a date, which has no time of day, from a timestamp.
func extract(field string, us int64, kind value.Kind) (value.Decimal, error) {
	t := value.Civil(us)
	whole := func(i int) (value.Decimal, error) { return value.DecimalFromInt(int64(i)), nil }
	_, week := t.ISOWeek()
	isoYear, _ := t.ISOWeek()
	unit, err := unitOf(field, kind.String())
	if err != nil {
		return value.Decimal{}, err
	}
	day := int64(value.DayOf(us))
	julian := value.DecimalFromInt(day + 2440588)
	switch unit {
	case "millennium":
		return whole((t.Year() + 999) / 1000)
	case "year":
		return whole(t.Year())
	case "isoyear":
		return whole(isoYear)
	case "decade":
		return whole(t.Year() / 10)
	case "century":
		return whole((t.Year() + 99) / 100)
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
			return value.DecimalFromInt(us / value.MicrosPerSecond), nil
		}
		return value.Decimal{Coef: decimal128.FromI64(us), Scale: 6}, nil
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
	micros := us - day*value.MicrosPerDay
	ofMinute := decimal128.FromI64(micros % value.MicrosPerMinute)
	switch unit {
	case "julian":
		part, err := value.DecimalFromInt(micros).Div(value.DecimalFromInt(value.MicrosPerDay))
		if err != nil {
			return part, err
		}
		return julian.Add(part)
	case "hour":
		return whole(t.Hour())
	case "minute":
		return whole(t.Minute())
	case "second":
		return value.Decimal{Coef: ofMinute, Scale: 6}, nil
	case "milliseconds":
		return value.Decimal{Coef: ofMinute, Scale: 3}, nil
	case "microseconds":
		return value.Decimal{Coef: ofMinute}, nil
	}
	return value.Decimal{}, noUnit(field, kind.String())
}

func truncate(field string, us int64) (int64, error) {
	t := value.Civil(us)
	day := func(y int, m time.Month, d int) (int64, error) {
		return value.CheckTimestamp(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).UnixMicro())
	}
	cut := func(unit int64) (int64, error) {
		return startOf(date(value.DayOf(us))) + (us-startOf(date(value.DayOf(us))))/unit*unit, nil
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
	def2(r, "+", d, i4, d, func(a date, n int32) (date, error) { return toDate(value.CheckDate(int64(a) + int64(n))) })
	def2(r, "+", i4, d, d, func(n int32, a date) (date, error) { return toDate(value.CheckDate(int64(a) + int64(n))) })
	def2(r, "-", d, i4, d, func(a date, n int32) (date, error) { return toDate(value.CheckDate(int64(a) - int64(n))) })
	def2(r, "-", d, d, i4, sure2(func(a, b date) int32 { return int32(a) - int32(b) }))
	def2(r, "+", d, iv, ts, func(a date, s value.Span) (stamp, error) { return toStamp(s.AddTo(startOf(a))) })
	def2(r, "-", d, iv, ts, func(a date, s value.Span) (stamp, error) { return toStamp(s.Neg().AddTo(startOf(a))) })
	def2(r, "+", iv, iv, iv, value.Span.Add)
	def2(r, "-", iv, iv, iv, func(a, b value.Span) (value.Span, error) { return a.Add(b.Neg()) })
	def1(r, "neg", iv, iv, sure1(value.Span.Neg))
	for _, k := range []value.Kind{ts, tz} {
		def2(r, "+", k, iv, k, func(a stamp, s value.Span) (stamp, error) { return toStamp(s.AddTo(int64(a))) })
		def2(r, "-", k, iv, k, func(a stamp, s value.Span) (stamp, error) { return toStamp(s.Neg().AddTo(int64(a))) })
		def2(r, "-", k, k, iv, sure2(func(a, b stamp) value.Span {
			us := int64(a) - int64(b)
			return value.Span{Days: int32(us / value.MicrosPerDay), Micros: us % value.MicrosPerDay}
		}))
		def2(r, "extract", t, k, value.Numeric, func(f string, a stamp) (value.Decimal, error) { return extract(f, int64(a), k) })
		def2(r, "date_part", t, k, value.Float8, func(f string, a stamp) (float64, error) {
			x, err := extract(f, int64(a), k)
			return x.Float64(), err
		})
		def2(r, "date_trunc", t, k, k, func(f string, a stamp) (stamp, error) { return toStamp(truncate(f, int64(a))) })
	}
	def2(r, "extract", t, d, value.Numeric, func(f string, a date) (value.Decimal, error) { return extract(f, startOf(a), d) })
	def2(r, "date_part", t, d, value.Float8, func(f string, a date) (float64, error) {
		x, err := extract(f, startOf(a), ts)
		return x.Float64(), err
	})
	def2(r, "date_trunc", t, d, tz, func(f string, a date) (stamp, error) { return toStamp(truncate(f, startOf(a))) })
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
