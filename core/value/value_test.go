package value

import (
	"math"
	"testing"
)

func TestTypesRoundTrip(t *testing.T) {
	for _, k := range Kinds() {
		typ := Of(k)
		if got, err := ParseType(typ.String()); err != nil || got != typ {
			t.Errorf("%s reads back as %s, %v", typ, got, err)
		}
		if k.Arrow() == nil {
			t.Errorf("%s has no Arrow type", k)
		}
	}
	if got, err := ParseType("numeric(12,2)"); err != nil || got != (Type{Numeric, 12, 2}) {
		t.Errorf("numeric(12,2) reads as %v, %v", got, err)
	}
	for _, bad := range []string{"", "blob", "numeric(x)"} {
		if got, err := ParseType(bad); err == nil {
			t.Errorf("%q was read as %s", bad, got)
		}
	}
}

func TestImplicitCastsFormOneWayStreets(t *testing.T) {
	for _, a := range Kinds() {
		for _, b := range Kinds() {
			_, ab := ImplicitSteps(a, b)
			_, ba := ImplicitSteps(b, a)
			texts := a.IsText() && b.IsText()
			if ab && ba && a != b && !texts {
				t.Errorf("%s and %s turn into each other", a, b)
			}
			c1, ok1 := Common(a, b)
			c2, ok2 := Common(b, a)
			if ok1 != ok2 || c1 != c2 && !texts {
				t.Errorf("the common kind of %s and %s depends on their order", a, b)
			}
		}
	}
	if k, ok := Common(Int4, Numeric); !ok || k != Numeric {
		t.Errorf("integer and numeric meet in %s", k)
	}
	if first, ok := Common(Char, Text); !ok || first != Char {
		t.Errorf("char and text meet in %s, and not in what stands first", first)
	}
	for _, apart := range [][2]Kind{{Text, Int4}, {Time, Interval}, {Interval, Time}} {
		if _, ok := Common(apart[0], apart[1]); ok {
			t.Errorf("%s and %s meet", apart[0], apart[1])
		}
	}
}

// Every kind's values survive the way into an array and back, print and parse
// to themselves, and hash alike exactly when they are equal.
func TestValuesThroughArrays(t *testing.T) {
	dec := func(s string) Value { return DecimalOf(mustDecimal(t, s)) }
	groups := [][]Value{ // equal within a group, different between groups, ascending
		{IntOf(Int2, -5)}, {IntOf(Int2, 7)},
		{IntOf(Int8, math.MinInt64)}, {IntOf(Int8, math.MaxInt64)},
		{dec("-1.5"), dec("-1.500")}, {dec("0"), dec("0.00")}, {dec("1"), dec("1.0")},
		{FloatOf(math.Inf(-1))}, {FloatOf(0), FloatOf(math.Copysign(0, -1))}, {FloatOf(1.5)}, {FloatOf(math.Inf(1))}, {FloatOf(math.NaN()), FloatOf(-math.NaN())},
		{TextOf("")}, {TextOf("A")}, {TextOf("a")}, {TextOf("a ")}, {TextOf("é")},
		{IntOf(Date, -1)}, {IntOf(Date, 20000)},
		{IntOf(Timestamp, -1)}, {IntOf(Timestamp, 1_700_000_000_123_456)},
		{{Kind: Interval, Span: Span{Days: 29}}}, {{Kind: Interval, Span: Span{Months: 1}}, {Kind: Interval, Span: Span{Days: 30}}, {Kind: Interval, Span: Span{Micros: 30 * MicrosPerDay}}},
		{BoolOf(false)}, {BoolOf(true)},
	}
	keys := map[string]int{}
	for i, g := range groups {
		for _, v := range g {
			arr := Repeat(v, 2)
			back := At(v.Kind, arr, 1)
			if Compare(v, back) != 0 {
				t.Errorf("%s comes back as %s", v, back)
			}
			if parsed, err := Parse(v.Kind, v.String()); err != nil || Compare(parsed, v) != 0 {
				t.Errorf("%s %s parses as %s, %v", v.Kind, v, parsed, err)
			}
			key := string(AppendKey([]byte{byte(v.Kind)}, arr, 0))
			if other, seen := keys[key]; seen && other != i {
				t.Errorf("%s has the key of another value", v)
			}
			keys[key] = i
			if string(AppendKey([]byte{byte(g[0].Kind)}, Repeat(g[0], 1), 0)) != key {
				t.Errorf("%s and %s are equal and have different keys", g[0], v)
			}
			if i > 0 && groups[i-1][0].Kind == v.Kind && CompareAt(Repeat(groups[i-1][0], 1), 0, arr, 0) >= 0 {
				t.Errorf("%s does not sort after %s", v, groups[i-1][0])
			}
		}
	}
	if null := At(Text, Repeat(NullOf(Text), 1), 0); !null.IsNull || null.String() != "NULL" {
		t.Error("NULL does not come back")
	}
}

func TestIntegerArithmeticEndsAtItsRange(t *testing.T) {
	type op func(a, b int32) (int32, error)
	for _, c := range []struct {
		name string
		f    op
		a, b int32
		want int32
		code string
	}{
		{"+", AddInt[int32], math.MaxInt32, 1, 0, CodeOutOfRange}, {"+", AddInt[int32], -5, 3, -2, ""},
		{"-", SubInt[int32], math.MinInt32, 1, 0, CodeOutOfRange}, {"-", SubInt[int32], 0, math.MinInt32, 0, CodeOutOfRange},
		{"*", MulInt[int32], 65536, 65536, 0, CodeOutOfRange}, {"*", MulInt[int32], -3, 7, -21, ""},
		{"/", DivInt[int32], -7, 2, -3, ""}, {"/", DivInt[int32], math.MinInt32, -1, 0, CodeOutOfRange}, {"/", DivInt[int32], 1, 0, 0, CodeDivisionByZero},
		{"%", ModInt[int32], -7, 2, -1, ""}, {"%", ModInt[int32], math.MinInt32, -1, 0, ""}, {"%", ModInt[int32], 1, 0, 0, CodeDivisionByZero},
	} {
		if got, err := c.f(c.a, c.b); got != c.want || Code(err) != c.code {
			t.Errorf("%d %s %d = %d, %v", c.a, c.name, c.b, got, err)
		}
	}
	for _, p := range [][2]int64{{math.MaxInt64, 2}, {math.MinInt64, -1}, {math.MinInt64, 2}, {1 << 32, 1 << 31}} {
		if _, err := MulInt(p[0], p[1]); err == nil {
			t.Errorf("%d * %d fits", p[0], p[1])
		}
	}
	if _, err := AddInt[int64](math.MinInt64, math.MinInt64); err == nil {
		t.Error("the sum of two smallest bigints fits")
	}
	if _, err := SubInt[int64](math.MaxInt64, -1); err == nil {
		t.Error("bigint subtraction does not overflow")
	}
}

func TestTimes(t *testing.T) {
	for in, want := range map[string]string{
		"2024-02-29": "2024-02-29 00:00:00", "2024-2-9 7:08": "2024-02-09 07:08:00", "2024-02-29T10:20:30.5": "2024-02-29 10:20:30.5",
		"2024-02-29 10:20:30.1234567": "2024-02-29 10:20:30.123457", "0001-01-01": "0001-01-01 00:00:00", "2024-12-31 24:00": "2025-01-01 00:00:00",
	} {
		us, err := ParseTimestamp(in)
		if err != nil || FormatTimestamp(us) != want {
			t.Errorf("%q reads as %s, %v", in, FormatTimestamp(us), err)
		}
	}
	for _, bad := range []string{"", "today", "2023-02-29", "2024-01-01 25:00", "294277-01-01", "2024-01-01 10:61", "2024-01-01 10:00 +x"} {
		if us, err := ParseTimestampTZ(bad); err == nil {
			t.Errorf("%q was read as %s", bad, FormatTimestamp(us))
		}
	}
	us, err := ParseTimestampTZ("2024-06-01 01:30:00+02:30")
	if err != nil || FormatTimestampTZ(us) != "2024-05-31 23:00:00+00" {
		t.Errorf("an offset: %s, %v", FormatTimestampTZ(us), err)
	}
}

func TestIntervals(t *testing.T) {
	for in, want := range map[string]string{ // as PostgreSQL prints them
		"1 day": "1 day", "1 year 2 months 3 days 04:05:06.7": "1 year 2 mons 3 days 04:05:06.7", "90 minutes": "01:30:00", "-1 day": "-1 days",
		"1.5 hours": "01:30:00", "2 weeks": "14 days", "1 mon -1 day": "1 mon -1 days", "-00:00:01": "-00:00:01", "0 days": "00:00:00",
		"1": "00:00:01", "1.5 months": "1 mon 15 days", "1.25 weeks": "8 days 18:00:00", "1.55 years": "1 year 7 mons", "0.33 decades": "3 years 4 mons",
		"1 century 2 years": "102 years", "2 h 3 m 4 s": "02:03:04", "1 day -2 hours ago": "-1 days +02:00:00", "@ 1 day": "1 day", "1day 2hours": "1 day 02:00:00",
		"1-2 3 04:05:06": "1 year 2 mons 3 days 04:05:06", "-1-2": "-1 years -2 mons", "1.5 day 12:00": "1 day 24:00:00", "-2 12:00": "-2 days +12:00:00",
		"12:30.5": "00:12:30.5", "1:2:3.1234567": "01:02:03.123457", ".5 hours": "00:30:00", "1 second 2 ms": "00:00:01.002", "12:30:60": "12:31:00",
		"P1Y2M3DT4H5M6S": "1 year 2 mons 3 days 04:05:06", "PT1.5S": "00:00:01.5", "P-1DT-2H": "-1 days -02:00:00", "PT": "00:00:00",
		"0.0000015 seconds": "00:00:00.000001", "178000000 years": "178000000 years", "1 microsecondsx": "00:00:00.000001",
	} {
		s, err := ParseInterval(in)
		if err != nil || s.String() != want {
			t.Errorf("%q prints as %q, %v", in, s, err)
		}
	}
	for _, bad := range []string{"", "one day", "1 fortnight", "9999999999 years", "178956971 years", "1 day 2 days", "1 mon 1 month", "1 hour 01:00:00", "1 2",
		"1 microsecond 01:00:00", "1.5 seconds 2 ms", "12:61", "12:30:61", "1-13", "ago", "1 ago day", "P", "P1S", "1 day 2 3", "-", "1 quarter", "3000000000 days"} {
		if s, err := ParseInterval(bad); err == nil {
			t.Errorf("%q was read as %s", bad, s)
		}
	}
	if _, err := (Span{Days: math.MaxInt32}).Add(Span{Days: 1}); err == nil {
		t.Error("days wrap round")
	}
	if (Span{Months: math.MaxInt32}).Cmp(Span{Days: 1}) != 1 {
		t.Error("many months are less than a day")
	}
	if _, err := (Span{Days: math.MaxInt32}).AddTo(0); err == nil {
		t.Error("the day after all days is one")
	}
	end, _ := ParseTimestamp("2024-01-31 12:00:00")
	if got, err := (Span{Months: 1}).AddTo(end); err != nil || FormatTimestamp(got) != "2024-02-29 12:00:00" {
		t.Errorf("a month after January 31 is %s, %v", FormatTimestamp(got), err)
	}
	if got, err := (Span{Months: -13}).AddTo(end); err != nil || FormatTimestamp(got) != "2022-12-31 12:00:00" {
		t.Errorf("13 months before is %s, %v", FormatTimestamp(got), err)
	}
	if _, err := (Span{Months: 12 * 300_000}).AddTo(end); err == nil {
		t.Error("the year 302024 is one of timestamps")
	}
}

func TestErrorsKeepTheirInnermostPlace(t *testing.T) {
	inner := Errorf(CodeBadText, "bad").At("v", 3, 5)
	if outer := inner.At("", 0, 9); outer.View != "v" || outer.Start != 3 {
		t.Errorf("the place moved to %+v", outer)
	}
	if hinted := inner.WithHint("do %d", 1); hinted.Hint != "do 1" || inner.Hint != "" {
		t.Error("WithHint changed its receiver, or did nothing")
	}
}
