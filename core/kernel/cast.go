package kernel

import (
	"math"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/value"
)

// casts are kept with the functions, under a name that no one can call: the
// target kind follows it, since overloads are chosen by arguments alone.
func castName(to value.Kind) string { return "cast " + to.String() }

// CanCast tells whether CAST(from AS to) exists.
func CanCast(from, to value.Kind) bool {
	return from == to || lookup(castName(to), []value.Kind{from}) != nil
}

func defCast[A, R any](from, to value.Kind, f func(A) (R, error)) {
	def1(castName(to), from, to, f)
}

func defIntCasts[A value.Integer](from value.Kind) {
	if from != value.Int2 {
		defCast(from, value.Int2, value.IntToInt[A, int16])
	}
	if from != value.Int4 {
		defCast(from, value.Int4, value.IntToInt[A, int32])
	}
	if from != value.Int8 {
		defCast(from, value.Int8, value.IntToInt[A, int64])
	}
	defCast(from, value.Numeric, sure1(func(a A) value.Decimal { return value.DecimalFromInt(int64(a)) }))
	defCast(from, value.Float8, sure1(func(a A) float64 { return float64(a) }))
}

func defToInt[A any](from value.Kind, f func(A) (int64, error)) {
	defCast(from, value.Int8, f)
	defCast(from, value.Int4, func(a A) (int32, error) {
		i, err := f(a)
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int32](i)
	})
	defCast(from, value.Int2, func(a A) (int16, error) {
		i, err := f(a)
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int16](i)
	})
}

// defText defines the casts between text and a kind by the kind's own parser
// and printer.
func defText[A any](k value.Kind, parse func(string) (A, error), format func(A) string) {
	defCast(value.Text, k, parse)
	defCast(k, value.Text, sure1(format))
}

func intText[T value.Integer](k value.Kind) {
	defText(k, func(s string) (T, error) {
		i, err := value.ParseInt(k, s)
		return T(i), err
	}, func(i T) string { return value.IntOf(k, int64(i)).String() })
}

func init() {
	type dec = value.Decimal
	b, i4, num, f8 := value.Bool, value.Int4, value.Numeric, value.Float8
	d, ts, tz := value.Date, value.Timestamp, value.TimestampTZ
	defIntCasts[int16](value.Int2)
	defIntCasts[int32](i4)
	defIntCasts[int64](value.Int8)
	defToInt(num, dec.Int64)
	defToInt(f8, value.FloatToInt[int64])
	defCast(num, f8, sure1(dec.Float64))
	defCast(f8, num, floatToDecimal)
	defCast(i4, b, sure1(func(i int32) bool { return i != 0 }))
	defCast(b, i4, sure1(func(x bool) int32 {
		if x {
			return 1
		}
		return 0
	}))
	intText[int16](value.Int2)
	intText[int32](i4)
	intText[int64](value.Int8)
	defText(b, value.ParseBool, value.FormatBool)
	defText(num, value.ParseDecimal, dec.String)
	defText(f8, value.ParseFloat, value.FormatFloat)
	defText(d, func(s string) (date, error) { return toDate(value.ParseDate(s)) }, func(x date) string { return value.FormatDate(int32(x)) })
	defText(ts, func(s string) (stamp, error) { return toStamp(value.ParseTimestamp(s)) }, func(x stamp) string { return value.FormatTimestamp(int64(x)) })
	defText(tz, func(s string) (stamp, error) { return toStamp(value.ParseTimestampTZ(s)) }, func(x stamp) string { return value.FormatTimestampTZ(int64(x)) })
	defText(value.Interval, value.ParseInterval, value.Span.String)
	for _, k := range []value.Kind{ts, tz} {
		defCast(d, k, sure1(func(x date) stamp { return stamp(startOf(x)) }))
		defCast(k, d, sure1(func(x stamp) date { return date(value.DayOf(int64(x))) }))
	}
	defCast(ts, tz, sure1(func(x stamp) stamp { return x }))
	defCast(tz, ts, sure1(func(x stamp) stamp { return x }))
}

// fitDecimals rounds numerics to a type's precision and scale.
func fitDecimals(v vector, t value.Type, n int) (arrow.Array, error) {
	x, out := cellsOf[value.Decimal](v), sinkOf[value.Decimal](value.Numeric, n)
	for i := range n {
		if x.null(i) {
			out.AppendNull()
			continue
		}
		d, err := x.at(i).Fit(t.Precision, t.Scale)
		if err != nil {
			return nil, err
		}
		out.Append(d)
	}
	return out.NewArray(), nil
}

// CastValue converts a constant.
func CastValue(v value.Value, to value.Type) (value.Value, error) {
	if v.IsNull || v.Kind == value.Null && to.Kind == value.Text {
		out := value.NullOf(to.Kind)
		if !v.IsNull {
			out = value.TextOf(v.Str)
		}
		return out, nil
	}
	if v.Kind == value.Null {
		v.Kind = value.Text
	}
	out := v
	if v.Kind != to.Kind {
		f := lookup(castName(to.Kind), []value.Kind{v.Kind})
		if f == nil {
			return v, value.Errorf("42846", "cannot cast type %s to %s", v.Kind, to.Kind)
		}
		arr, err := f.eval(to.Kind, []vector{{arr: value.Repeat(v, 1), stride: 1}}, 1)
		if err != nil {
			return v, err
		}
		out = value.At(to.Kind, arr, 0)
	}
	if to.Kind == value.Numeric && to.Precision > 0 {
		fit, err := out.Dec.Fit(to.Precision, to.Scale)
		return value.DecimalOf(fit), err
	}
	if out.Kind == value.Float8 && math.IsNaN(out.Float) {
		out.Float = math.NaN()
	}
	return out, nil
}
