package kernel

import (
	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/value"
)

// casts are kept with the functions, under a name that no one can call: the
// target kind follows it, since overloads are chosen by arguments alone.
func castName(to value.Kind) string { return "cast " + to.String() }

// CanCast reports whether CAST(from AS to) exists.
func CanCast(from, to value.Kind) bool {
	return from == to || castFunc(from, to) != nil
}

// castFunc returns what converts one kind to another, or nil.
func castFunc(from, to value.Kind) *Func {
	if f := lookup(castName(to), []value.Kind{from}); f != nil {
		return f
	}
	convert := func(f scalar) *Func { return boxed(castName(to), []value.Kind{from}, to, true, f) }
	switch {
	case from == value.Text && to.IsArray():
		return convert(func(a []value.Value) (value.Value, error) {
			items, err := value.ParseList(to.Elem(), a[0].Str)
			return listValue(items), err
		})
	case from.IsArray() && to == value.Text:
		return convert(func(a []value.Value) (value.Value, error) { return textValue(a[0].String()), nil })
	case from.IsArray() && to.IsArray() && CanCast(from.Elem(), to.Elem()):
		return convert(func(a []value.Value) (value.Value, error) {
			items := make([]value.Value, len(a[0].List))
			for i, x := range a[0].List {
				var err error
				if items[i], err = CastValue(x, value.Of(to.Elem())); err != nil {
					return nullValue(), err
				}
			}
			return listValue(items), nil
		})
	}
	return nil
}

func defCast[A, R any](r *registry, from, to value.Kind, f func(A) (R, error)) {
	def1(r, castName(to), from, to, f)
}

func defIntCasts[A value.Integer](r *registry, from value.Kind) {
	if from != value.Int2 {
		defCast(r, from, value.Int2, value.IntToInt[A, int16])
	}
	if from != value.Int4 {
		defCast(r, from, value.Int4, value.IntToInt[A, int32])
	}
	if from != value.Int8 {
		defCast(r, from, value.Int8, value.IntToInt[A, int64])
	}
	defCast(r, from, value.Numeric, sure1(func(a A) value.Decimal { return value.DecimalFromInt(int64(a)) }))
	defCast(r, from, value.Float8, sure1(func(a A) float64 { return float64(a) }))
}

func defToInt[A any](r *registry, from value.Kind, f func(A) (int64, error)) {
	defCast(r, from, value.Int8, f)
	defCast(r, from, value.Int4, func(a A) (int32, error) {
		i, err := f(a)
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int32](i)
	})
	defCast(r, from, value.Int2, func(a A) (int16, error) {
		i, err := f(a)
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int16](i)
	})
}

// defText defines the casts between text and a kind by the kind's own parser
// and printer.
func defText[A any](r *registry, k value.Kind, parse func(string) (A, error), format func(A) string) {
	defCast(r, value.Text, k, parse)
	defCast(r, k, value.Text, sure1(format))
}

func intText[T value.Integer](r *registry, k value.Kind) {
	defText(r, k, func(s string) (T, error) {
		i, err := value.ParseInt(k, s)
		return T(i), err
	}, func(i T) string { return value.IntOf(k, int64(i)).String() })
}

func addCasts(r *registry) {
	type dec = value.Decimal
	b, i4, num, f8 := value.Bool, value.Int4, value.Numeric, value.Float8
	d, ts, tz := value.Date, value.Timestamp, value.TimestampTZ
	defIntCasts[int16](r, value.Int2)
	defIntCasts[int32](r, i4)
	defIntCasts[int64](r, value.Int8)
	defToInt(r, num, dec.Int64)
	defToInt(r, f8, value.FloatToInt[int64])
	defCast(r, num, f8, sure1(dec.Float64))
	defCast(r, f8, num, floatToDecimal)
	defCast(r, i4, b, sure1(func(i int32) bool { return i != 0 }))
	defCast(r, b, i4, sure1(func(x bool) int32 {
		if x {
			return 1
		}
		return 0
	}))
	intText[int16](r, value.Int2)
	intText[int32](r, i4)
	intText[int64](r, value.Int8)
	defText(r, b, value.ParseBool, value.FormatBool)
	defText(r, num, value.ParseDecimal, dec.String)
	defText(r, f8, value.ParseFloat, value.FormatFloat)
	defText(r, d, func(s string) (date, error) { return toDate(value.ParseDate(s)) }, func(x date) string { return value.FormatDate(int32(x)) })
	defText(r, ts, func(s string) (stamp, error) { return toStamp(value.ParseTimestamp(s)) }, func(x stamp) string { return value.FormatTimestamp(int64(x)) })
	defText(r, tz, func(s string) (stamp, error) { return toStamp(value.ParseTimestampTZ(s)) }, func(x stamp) string { return value.FormatTimestampTZ(int64(x)) })
	defText(r, value.Interval, value.ParseInterval, value.Span.String)
	for _, k := range []value.Kind{ts, tz} {
		defCast(r, d, k, func(x date) (stamp, error) { return toStamp(value.StampOf(int32(x))) })
		defCast(r, k, d, sure1(func(x stamp) date { return date(value.DayOf(int64(x))) }))
	}
	f4, tm, ch := value.Float4, value.Time, value.Char
	defCast(r, f4, f8, sure1(func(x float32) float64 { return float64(x) }))
	defCast(r, f8, f4, func(x float64) (float32, error) { return value.ToReal(x) })
	defCast(r, num, f4, func(x dec) (float32, error) { return value.ToReal(x.Float64()) })
	defCast(r, f4, num, func(x float32) (dec, error) { return realToDecimal(float64(x)) })
	defToInt(r, f4, func(x float32) (int64, error) { return value.FloatToInt[int64](float64(x)) })
	defText(r, f4, func(s string) (float32, error) { f, err := value.ParseReal(s); return float32(f), err }, func(x float32) string { return value.FormatReal(float64(x)) })
	defCast(r, value.Int2, f4, sure1(func(x int16) float32 { return float32(x) }))
	defCast(r, i4, f4, sure1(func(x int32) float32 { return float32(x) }))
	defCast(r, value.Int8, f4, sure1(func(x int64) float32 { return float32(x) }))
	defText(r, tm, func(s string) (clock, error) { us, err := value.ParseTime(s); return clock(us), err }, func(x clock) string { return value.FormatTime(int64(x)) })
	for _, k := range []value.Kind{ts, tz} {
		defCast(r, k, tm, func(x stamp) (clock, error) {
			if !value.Finite(int64(x)) {
				return 0, errNoValue
			}
			return clock(int64(x) - startOf(date(value.DayOf(int64(x))))), nil
		})
	}
	defCast(r, tm, value.Interval, sure1(func(x clock) value.Span { return value.Span{Micros: int64(x)} }))
	defCast(r, value.Interval, tm, sure1(func(s value.Span) clock {
		us := s.Micros % value.MicrosPerDay
		if us < 0 {
			us += value.MicrosPerDay
		}
		return clock(us)
	}))
	defText(r, value.UUID, value.ParseUUID, func(s string) string { return s })
	defText(r, value.Bytea, func(s string) ([]byte, error) { b, err := value.ParseBytes(s); return []byte(b), err },
		func(b []byte) string { return value.Value{Kind: value.Bytea, Str: string(b)}.String() })
	defText(r, ch, sure1(func(s string) string { return s }), value.Unpadded)
	for _, k := range []value.Kind{value.JSON, value.JSONB} {
		defText(r, k, func(s string) (string, error) { return value.ParseJSON(k, s) }, func(s string) string { return s })
	}
	defCast(r, value.JSON, value.JSONB, func(s string) (string, error) { return value.ParseJSON(value.JSONB, s) })
	addJSONBCasts(r)
	defCast(r, value.JSONB, value.JSON, sure1(func(s string) string { return s }))
	defCast(r, ts, tz, sure1(func(x stamp) stamp { return x }))
	defCast(r, tz, ts, sure1(func(x stamp) stamp { return x }))
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

// realToDecimal keeps 6 significant digits, as PostgreSQL's cast does.
func realToDecimal(f float64) (value.Decimal, error) { return decimalOf(f, 6) }

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
		f := castFunc(v.Kind, to.Kind)
		if f == nil {
			return v, value.Errorf("42846", "cannot cast type %s to %s", v.Kind, to.Kind)
		}
		arr, err := f.eval(to.Kind, []vector{{arr: value.Repeat(v, 1), stride: 1}}, 1)
		if err != nil {
			return v, err
		}
		out = value.At(to.Kind, arr, 0)
	}
	if to.Precision > 0 && to.Kind == value.Numeric {
		fit, err := out.Dec.Fit(to.Precision, to.Scale)
		return value.DecimalOf(fit), err
	}
	if to.Precision > 0 && to.Kind == value.Char {
		out.Str = value.Padded(out.Str, to.Precision)
	}
	return out, nil
}
