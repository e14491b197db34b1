package kernel

import "rovik/core/value"

// nullable makes a function of a value and a pattern NULL where the pattern is empty.
func nullable(f func(v value.Value, pattern string) (string, error)) func(a []value.Value) (value.Value, error) {
	return func(a []value.Value) (value.Value, error) {
		if a[1].Str == "" {
			return nullValue(), nil
		}
		s, err := f(a[0], a[1].Str)
		return textValue(s), err
	}
}

func addFormat(r *registry) {
	t, num := value.Text, value.Numeric
	for k, zone := range map[value.Kind]string{value.Timestamp: "", value.TimestampTZ: "UTC"} {
		write := nullable(func(v value.Value, p string) (string, error) { return formatMoment(fieldsOfMoment(v.Int, zone), p) })
		box(r, "to_char", t, func(a []value.Value) (value.Value, error) {
			if !value.Finite(a[0].Int) {
				return nullValue(), nil
			}
			return write(a)
		}, k, t)
	}
	box(r, "to_char", t, nullable(func(v value.Value, p string) (string, error) { return formatMoment(fieldsOfSpan(v.Span), p) }), value.Interval, t)
	def2(r, "to_char", num, t, t, formatNumber)
	numbers := map[value.Kind]func(v value.Value, p string) (string, error){
		value.Int4:   func(v value.Value, p string) (string, error) { return formatInteger(v.Int, 32, p) },
		value.Int8:   func(v value.Value, p string) (string, error) { return formatInteger(v.Int, 64, p) },
		value.Float4: func(v value.Value, p string) (string, error) { return formatFloat(v.Float, 6, p) },
		value.Float8: func(v value.Value, p string) (string, error) { return formatFloat(v.Float, 15, p) },
	}
	for k, f := range numbers {
		box(r, "to_char", t, func(a []value.Value) (value.Value, error) {
			s, err := f(a[0], a[1].Str)
			return textValue(s), err
		}, k, t)
	}
	def2(r, "to_timestamp", t, t, value.TimestampTZ, func(s, p string) (stamp, error) { return toStamp(readMoment(s, p)) })
	def2(r, "to_date", t, t, value.Date, func(s, p string) (date, error) {
		us, err := readMoment(s, p)
		return date(value.DayOf(us)), err
	})
	box(r, "to_number", num, func(a []value.Value) (value.Value, error) {
		d, ok, err := readNumber(a[0].Str, a[1].Str)
		if err != nil || !ok {
			return nullValue(), err
		}
		return value.DecimalOf(d), nil
	}, t, t)
}
