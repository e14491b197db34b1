package kernel

import (
	"math"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/decimal128"

	"rovik/core/value"
)

type clock = arrow.Time64

// scaleSpan multiplies an interval.
func scaleSpan(s value.Span, f float64) (value.Span, error) {
	if math.IsInf(f, 0) {
		f = math.NaN() // whatever the interval, out of range
	}
	return spanBy(s, func(part float64) float64 { return part * f })
}

// divideSpan divides an interval.
func divideSpan(s value.Span, f float64) (value.Span, error) {
	if f == 0 {
		return s, value.ErrDivisionByZero
	}
	return spanBy(s, func(part float64) float64 { return part / f })
}

// spanBy scales each part of an interval; parts of months become days, and parts
// of days time, as in PostgreSQL's interval_mul and interval_div.
func spanBy(s value.Span, by func(part float64) float64) (value.Span, error) {
	months := by(float64(s.Months))
	days := by(float64(s.Days))
	if !(math.Abs(months) <= math.MaxInt32 && math.Abs(days) <= math.MaxInt32) {
		return s, value.ErrSpanRange
	}
	out := value.Span{Months: int32(months), Days: int32(days)}
	tsround := func(x float64) float64 { return math.RoundToEven(x*1e6) / 1e6 }
	monthRest := tsround((months - float64(out.Months)) * 30)
	secRest := tsround((days - float64(out.Days) + monthRest - float64(int(monthRest))) * 86400)
	if math.Abs(secRest) >= 86400 {
		out.Days += int32(secRest / 86400)
		secRest -= float64(int32(secRest/86400)) * 86400
	}
	out.Days += int32(monthRest)
	micros := math.RoundToEven(by(float64(s.Micros)) + secRest*1e6)
	if math.Abs(micros) > math.MaxInt64/2 {
		return s, value.ErrSpanRange
	}
	return value.NewSpan(int64(out.Months), int64(out.Days), int64(micros))
}

// age counts years, months, days and time between two timestamps. PostgreSQL takes
// infinity for the timestamp of the greatest number, and minus infinity for none.
func age(a, b int64) (value.Span, error) {
	if a == value.MinusInfinityStamp || b == value.MinusInfinityStamp {
		return value.Span{}, value.ErrStampRange
	}
	sign := int64(1)
	if a < b {
		a, b, sign = b, a, -1
	}
	x, y := civilOrEnd(a), civilOrEnd(b)
	micros := microsOfDay(x) - microsOfDay(y)
	days := x.Day() - y.Day()
	months := (x.Year()-y.Year())*12 + int(x.Month()) - int(y.Month())
	if micros < 0 {
		micros += value.MicrosPerDay
		days--
	}
	if days < 0 {
		// The days of the earlier month fill up; for a negative age, those of
		// the month of the subtracted moment.
		if sign > 0 {
			days += daysInMonth(y.Year(), y.Month())
		} else {
			days += daysInMonth(y.Year(), y.Month())
		}
		months--
	}
	return value.Span{Months: int32(sign) * int32(months), Days: int32(sign) * int32(days), Micros: sign * micros}, nil
}

// civilOrEnd is the calendar time of a timestamp; that of infinity is the last that 64 bits
// count in microseconds from 2000 on.
func civilOrEnd(us int64) time.Time {
	if us == value.InfinityStamp {
		return value.Civil(us).Add(time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC).Sub(time.Unix(0, 0)))
	}
	return value.Civil(us)
}

func microsOfDay(t time.Time) int64 {
	return int64(t.Hour())*value.MicrosPerHour + int64(t.Minute())*value.MicrosPerMinute + int64(t.Second())*value.MicrosPerSecond + int64(t.Nanosecond())/1000
}

func daysInMonth(y int, m time.Month) int {
	return time.Date(y, m+1, 0, 0, 0, 0, 0, time.UTC).Day()
}

func spanField(field string, s value.Span) (value.Decimal, error) {
	whole := func(n int64) (value.Decimal, error) { return value.DecimalFromInt(n), nil }
	micros := func(n int64) value.Decimal { return value.Decimal{Coef: decimal128.FromI64(n), Scale: 6} }
	unit, err := unitOf(field, "interval")
	if err != nil {
		return value.Decimal{}, err
	}
	switch unit {
	case "millennium":
		return whole(int64(s.Months / 12000))
	case "year":
		return whole(int64(s.Months / 12))
	case "month":
		return whole(int64(s.Months % 12))
	case "quarter":
		return whole(int64(s.Months%12/3 + 1))
	case "decade":
		return whole(int64(s.Months / 120))
	case "century":
		return whole(int64(s.Months / 1200))
	case "day":
		return whole(int64(s.Days))
	case "hour":
		return whole(s.Micros / value.MicrosPerHour)
	case "minute":
		return whole(s.Micros / value.MicrosPerMinute % 60)
	case "second":
		return micros(s.Micros % value.MicrosPerMinute), nil
	case "milliseconds":
		return value.Decimal{Coef: decimal128.FromI64(s.Micros % value.MicrosPerMinute), Scale: 3}, nil
	case "microseconds":
		return whole(s.Micros % value.MicrosPerMinute)
	case "epoch":
		years, months := int64(s.Months/12), int64(s.Months%12)
		secs := years*31557600 + months*30*86400 + int64(s.Days)*86400
		return micros(secs*value.MicrosPerSecond + s.Micros), nil
	}
	return value.Decimal{}, noUnit(field, "interval")
}

func clockField(field string, us int64) (value.Decimal, error) {
	unit, err := unitOf(field, value.Time.String())
	switch unit {
	case "hour", "minute", "second", "epoch", "milliseconds", "microseconds":
		return extract(unit, 0, us, value.Timestamp)
	}
	if err == nil {
		err = noUnit(field, value.Time.String())
	}
	return value.Decimal{}, err
}

// toZone shows a timestamp by the clocks of a zone.
func toZone(name string, us int64) (int64, error) {
	if !value.Finite(us) {
		return us, nil
	}
	loc, err := value.Zone(name)
	if err != nil {
		return 0, err
	}
	return value.ToZone(loc, us)
}

// fromZone reads a clock of a zone.
func fromZone(name string, us int64) (int64, error) {
	if !value.Finite(us) {
		return us, nil
	}
	loc, err := value.Zone(name)
	if err != nil {
		return 0, err
	}
	return value.FromZone(loc, us)
}

// truncateIn cuts a timestamp by the clocks of a zone.
func truncateIn(field string, us int64, zone string) (int64, error) {
	if !value.Finite(us) {
		return us, nil
	}
	loc, err := value.Zone(zone)
	if err != nil {
		return 0, err
	}
	local, err := value.ToZone(loc, us)
	if err != nil {
		return 0, err
	}
	cut, err := truncate(field, local)
	if err != nil {
		return 0, err
	}
	if unit, _ := lengthOf(field, ""); unit == "hour" || unit == "minute" || unit == "second" || unit == "milliseconds" || unit == "microseconds" {
		return us - (local - cut), nil // of the same offset
	}
	return value.FromZone(loc, cut)
}

func dateBin(stride value.Span, us, origin int64) (int64, error) {
	switch {
	case !value.Finite(us):
		return us, nil
	case !value.Finite(origin):
		return 0, value.Errorf(value.CodeBadDate, "origin out of range")
	}
	if stride.Months != 0 {
		return 0, value.Errorf(value.CodeUnsupported, "timestamps cannot be binned into intervals containing months or years")
	}
	step := int64(stride.Days)*value.MicrosPerDay + stride.Micros
	if step <= 0 {
		return 0, value.Errorf(value.CodeBadDate, "stride must be greater than zero")
	}
	diff := us - origin
	rest := diff % step
	if rest < 0 {
		rest += step
	}
	return value.CheckTimestamp(us - rest)
}

// carry moves whole units of size from little to big, and gives both the same sign.
func carry(big, little *int64, size int64) {
	*big += *little / size
	*little %= size
	switch {
	case *big > 0 && *little < 0:
		*little += size
		*big--
	case *big < 0 && *little > 0:
		*little -= size
		*big++
	}
}

func parts(s value.Span) (months, days, micros int64) {
	return int64(s.Months), int64(s.Days), s.Micros
}

func justifyHours(s value.Span) (value.Span, error) {
	months, days, micros := parts(s)
	carry(&days, &micros, value.MicrosPerDay)
	return value.NewSpan(months, days, micros)
}

func justifyDays(s value.Span) (value.Span, error) {
	months, days, micros := parts(s)
	carry(&months, &days, 30)
	return value.NewSpan(months, days, micros)
}

// justifyInterval is PostgreSQL's interval_justify_interval: units of one sign.
func justifyInterval(s value.Span) (value.Span, error) {
	months, days, micros := parts(s)
	days += micros / value.MicrosPerDay
	micros %= value.MicrosPerDay
	months += days / 30
	days %= 30
	switch {
	case months > 0 && (days < 0 || days == 0 && micros < 0):
		days += 30
		months--
	case months < 0 && (days > 0 || days == 0 && micros > 0):
		days -= 30
		months++
	}
	carry(&days, &micros, value.MicrosPerDay)
	return value.NewSpan(months, days, micros)
}

func truncSpan(field string, s value.Span) (value.Span, error) {
	unit, err := lengthOf(field, "interval")
	if err != nil {
		return s, err
	}
	switch unit {
	case "microseconds":
	case "milliseconds":
		s.Micros -= s.Micros % 1000
	case "second":
		s.Micros -= s.Micros % value.MicrosPerSecond
	case "minute":
		s.Micros -= s.Micros % value.MicrosPerMinute
	case "hour":
		s.Micros -= s.Micros % value.MicrosPerHour
	case "day":
		s.Micros = 0
	case "month":
		s = value.Span{Months: s.Months}
	case "quarter":
		s = value.Span{Months: s.Months - s.Months%3}
	case "year":
		s = value.Span{Months: s.Months - s.Months%12}
	case "decade":
		s = value.Span{Months: s.Months - s.Months%120}
	case "century":
		s = value.Span{Months: s.Months - s.Months%1200}
	case "millennium":
		s = value.Span{Months: s.Months - s.Months%12000}
	default:
		return s, noUnit(field, "interval")
	}
	return s, nil
}

// overlaps compares two periods of a start and an end, in either order. A period
// with one end missing is known by the other alone: the answer may still be true.
func overlaps(a []value.Value) (value.Value, error) {
	period := func(start, end value.Value) (value.Value, value.Value) {
		if start.IsNull || !end.IsNull && value.Compare(start, end) > 0 {
			return end, start
		}
		return start, end
	}
	s1, e1 := period(a[0], a[1])
	s2, e2 := period(a[2], a[3])
	if s1.IsNull || s2.IsNull {
		return value.NullOf(value.Bool), nil
	}
	if value.Compare(s1, s2) > 0 {
		s1, e1, s2, e2 = s2, e2, s1, e1
	}
	equal := value.Compare(s1, s2) == 0
	switch {
	case equal && (e1.IsNull || e2.IsNull), !equal && e1.IsNull:
		return value.NullOf(value.Bool), nil
	case equal, value.Compare(s2, e1) < 0:
		return value.BoolOf(true), nil
	case e2.IsNull:
		return value.NullOf(value.Bool), nil
	}
	return value.BoolOf(false), nil
}

func addTimeFunctions(r *registry) {
	d, ts, tz, tm, iv := value.Date, value.Timestamp, value.TimestampTZ, value.Time, value.Interval
	i4, f8, t, num := value.Int4, value.Float8, value.Text, value.Numeric
	def2(r, "*", iv, f8, iv, scaleSpan)
	def2(r, "*", f8, iv, iv, func(f float64, s value.Span) (value.Span, error) { return scaleSpan(s, f) })
	def2(r, "/", iv, f8, iv, divideSpan)
	for _, k := range []value.Kind{ts, tz} {
		def2(r, "age", k, k, iv, func(a, b stamp) (value.Span, error) { return age(int64(a), int64(b)) })
		def3(r, "date_bin", iv, k, k, k, func(s value.Span, at, origin stamp) (stamp, error) {
			return toStamp(dateBin(s, int64(at), int64(origin)))
		})
		def1(r, "isfinite", k, value.Bool, sure1(func(x stamp) bool { return value.Finite(int64(x)) }))
		define(r, boxed("overlaps", []value.Kind{k, k, k, k}, value.Bool, false, overlaps))
	}
	for _, k := range []value.Kind{d, tm} {
		define(r, boxed("overlaps", []value.Kind{k, k, k, k}, value.Bool, false, overlaps))
	}
	def1(r, "isfinite", d, value.Bool, sure1(func(x date) bool { return value.FiniteDay(int32(x)) }))
	def1(r, "isfinite", iv, value.Bool, sure1(func(value.Span) bool { return true }))
	def2(r, "extract", t, iv, num, spanField)
	def2(r, "extract", t, tm, num, func(f string, c clock) (value.Decimal, error) { return clockField(f, int64(c)) })
	part := func(x value.Decimal, err error) (float64, error) { return x.Float64(), err }
	def2(r, "date_part", t, iv, f8, func(f string, s value.Span) (float64, error) { return part(spanField(f, s)) })
	def2(r, "date_part", t, tm, f8, func(f string, c clock) (float64, error) { return part(clockField(f, int64(c))) })
	def2(r, "date_trunc", t, iv, iv, truncSpan)
	def1(r, "justify_hours", iv, iv, justifyHours)
	def1(r, "justify_days", iv, iv, justifyDays)
	def1(r, "justify_interval", iv, iv, justifyInterval)
	def2(r, "timezone", t, tz, ts, func(z string, at stamp) (stamp, error) { return toStamp(toZone(z, int64(at))) })
	def2(r, "timezone", t, ts, tz, func(z string, at stamp) (stamp, error) { return toStamp(fromZone(z, int64(at))) })
	def1(r, "to_timestamp", f8, tz, func(f float64) (stamp, error) {
		switch {
		case math.IsNaN(f):
			return 0, value.Errorf(value.CodeBadDate, "timestamp cannot be NaN")
		case math.IsInf(f, 1):
			return value.InfinityStamp, nil
		case math.IsInf(f, -1):
			return value.MinusInfinityStamp, nil
		case math.Abs(f) > 9.2e12:
			return 0, value.Errorf(value.CodeBadDate, "timestamp out of range: %q", value.FormatFloat(f))
		}
		return toStamp(value.CheckTimestamp(int64(math.RoundToEven(f * 1e6))))
	})
	makeMoment := func(a []value.Value) (int64, error) {
		day, err := value.MakeDate(int(a[0].Int), int(a[1].Int), int(a[2].Int))
		if err != nil {
			return 0, err
		}
		us, err := makeClock(a[3].Int, a[4].Int, a[5].Float)
		if err != nil {
			return 0, err
		}
		return value.CheckTimestamp(int64(day)*value.MicrosPerDay + us)
	}
	box(r, "make_timestamp", ts, func(a []value.Value) (value.Value, error) {
		us, err := makeMoment(a)
		return intValue(us), err
	}, i4, i4, i4, i4, i4, f8)
	box(r, "make_timestamptz", tz, func(a []value.Value) (value.Value, error) {
		us, err := makeMoment(a)
		return intValue(us), err
	}, i4, i4, i4, i4, i4, f8)
	box(r, "make_timestamptz", tz, func(a []value.Value) (value.Value, error) {
		us, err := makeMoment(a)
		if err != nil {
			return nullValue(), err
		}
		loc, err := value.ZoneOrOffset(a[6].Str)
		if err != nil {
			return nullValue(), err
		}
		us, err = value.FromZone(loc, us)
		return intValue(us), err
	}, i4, i4, i4, i4, i4, f8, t)
	def3(r, "date_trunc", t, tz, t, tz, func(f string, a stamp, z string) (stamp, error) { return toStamp(truncateIn(f, int64(a), z)) })
	for _, k := range []value.Kind{ts, tz} {
		def1(r, "date", k, d, sure1(func(a stamp) date { return date(value.DayOf(int64(a))) }))
	}
	inZone := func(s value.Span) (*time.Location, error) {
		if s.Months != 0 || s.Days != 0 {
			return nil, value.Errorf(value.CodeBadParameter, "interval time zone %q must not include months or days", s)
		}
		return time.FixedZone("", int(s.Micros/value.MicrosPerSecond)), nil
	}
	def2(r, "timezone", iv, tz, ts, func(s value.Span, at stamp) (stamp, error) {
		if !value.Finite(int64(at)) {
			return at, nil
		}
		loc, err := inZone(s)
		if err != nil {
			return 0, err
		}
		return toStamp(value.ToZone(loc, int64(at)))
	})
	def2(r, "timezone", iv, ts, tz, func(s value.Span, at stamp) (stamp, error) {
		if !value.Finite(int64(at)) {
			return at, nil
		}
		loc, err := inZone(s)
		if err != nil {
			return 0, err
		}
		return toStamp(value.FromZone(loc, int64(at)))
	})
	box(r, "make_time", tm, func(a []value.Value) (value.Value, error) {
		us, err := makeClock(a[0].Int, a[1].Int, a[2].Float)
		return intValue(us), err
	}, i4, i4, f8)
	kinds := []value.Kind{i4, i4, i4, i4, i4, i4, f8}
	for n := 0; n <= len(kinds); n++ {
		box(r, "make_interval", iv, func(a []value.Value) (value.Value, error) {
			var p [7]int64
			for i, v := range a {
				if p[i] = v.Int; i == 6 {
					seconds := math.RoundToEven(v.Float * 1e6)
					if !(math.Abs(seconds) < math.MaxInt64/16) {
						return value.Value{}, value.ErrSpanRange
					}
					p[i] = int64(seconds)
				}
			}
			span, err := value.NewSpan(p[0]*12+p[1], p[2]*7+p[3], p[4]*value.MicrosPerHour+p[5]*value.MicrosPerMinute+p[6])
			return value.Value{Span: span}, err
		}, kinds[:n]...)
	}
	addClock := func(c clock, s value.Span) clock {
		us := (int64(c) + s.Micros) % value.MicrosPerDay
		if us < 0 {
			us += value.MicrosPerDay
		}
		return clock(us)
	}
	def2(r, "+", tm, iv, tm, sure2(addClock))
	def2(r, "+", iv, tm, tm, sure2(func(s value.Span, c clock) clock { return addClock(c, s) }))
	def2(r, "-", tm, iv, tm, sure2(func(c clock, s value.Span) clock { return addClock(c, s.Neg()) }))
	def2(r, "-", tm, tm, iv, sure2(func(a, b clock) value.Span { return value.Span{Micros: int64(a) - int64(b)} }))
	def2(r, "+", d, tm, ts, func(a date, c clock) (stamp, error) { return toStamp(plusSpan(a, value.Span{Micros: int64(c)})) })
	for _, k := range []value.Kind{ts, tz} {
		def2(r, OpPrecision, k, value.Int4, k, sure2(func(at stamp, digits int32) stamp {
			if !value.Finite(int64(at)) {
				return at
			}
			return stamp(value.RoundMicros(int64(at), int(digits)))
		}))
	}
	def2(r, OpPrecision, tm, value.Int4, tm, sure2(func(c clock, digits int32) clock { return clock(value.RoundMicros(int64(c), int(digits))) }))
	def2(r, OpPrecision, iv, value.Int4, iv, sure2(func(s value.Span, digits int32) value.Span {
		s.Micros = value.RoundMicros(s.Micros, int(digits))
		return s
	}))
	for name, k := range map[string]value.Kind{"timestamp": ts, "timestamptz": tz} {
		def2(r, name, d, tm, k, func(a date, c clock) (stamp, error) { return toStamp(plusSpan(a, value.Span{Micros: int64(c)})) })
	}
	def2(r, "+", iv, d, ts, func(s value.Span, a date) (stamp, error) { return toStamp(plusSpan(a, s)) })
	for _, k := range []value.Kind{ts, tz} {
		def2(r, "+", iv, k, k, func(s value.Span, a stamp) (stamp, error) { return toStamp(s.AddTo(int64(a))) })
	}
}

// OpPrecision rounds a time to so many digits of a second, as a cast to a type of that precision does.
const OpPrecision = "to precision"

func makeClock(h, m int64, s float64) (int64, error) {
	us := h*value.MicrosPerHour + m*value.MicrosPerMinute + int64(math.RoundToEven(s*1e6))
	if h < 0 || m < 0 || m > 59 || s < 0 || s > 60 || h > 24 || us > value.MicrosPerDay || math.IsNaN(s) {
		return 0, value.Errorf(value.CodeBadDate, "time field value out of range: %d:%02d:%02g", h, m, s)
	}
	return us, nil
}
