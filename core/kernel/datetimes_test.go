package kernel

import (
	"testing"

	"rovik/core/plan"
	"rovik/core/value"
)

// computed computes a function of constants, given as text of their kinds.
func computed(t *testing.T, name string, args ...[2]string) string {
	t.Helper()
	exprs := make([]plan.Expr, len(args))
	kinds := make([]value.Kind, len(args))
	for i, a := range args {
		k, ok := value.KindNamed(a[0])
		if !ok {
			t.Fatalf("no type is called %s", a[0])
		}
		v, err := CastValue(value.TextOf(a[1]), value.Of(k))
		if err != nil {
			t.Fatal(err)
		}
		exprs[i], kinds[i] = constant(v), k
	}
	f, err := Resolve(name, kinds)
	if err != nil {
		t.Fatal(err)
	}
	got, err := eval(t, &plan.Call{Op: name, Args: exprs, Typ: value.Of(f.Result)}, Batch{Len: 1})
	if err != nil {
		return err.(*value.Error).Code
	}
	return got
}

// Parts of moments, by all names of the parts; the strings are PostgreSQL's.
func TestPartsOfMoments(t *testing.T) {
	const at = "2024-05-05 10:11:12.345678"
	for _, c := range []struct{ kind, text, unit, want string }{
		{"timestamp", at, "milliseconds", "12345.678"}, {"timestamp", at, "ms", "12345.678"}, {"timestamp", at, "microseconds", "12345678"},
		{"timestamp", at, "second", "12.345678"}, {"timestamp", at, "secs", "12.345678"}, {"timestamp", at, "MINUTE", "11"},
		{"timestamp", at, "hrs", "10"}, {"timestamp", at, "d", "5"}, {"timestamp", at, "qtr", "2"}, {"timestamp", at, "decade", "202"},
		{"timestamp", at, "c", "21"}, {"timestamp", at, "millennium", "3"}, {"timestamp", "2000-12-31", "millennium", "2"}, {"timestamp", at, "isodow", "7"},
		{"timestamp", at, "timezone", value.CodeUnsupported}, {"timestamp", at, "fortnight", value.CodeBadParameter}, {"timestamp", at, "today", value.CodeUnsupported},
		{"timestamptz", at + "+00", "timezone", "0"}, {"timestamptz", at + "+00", "timezone_minute", "0"}, {"timestamptz", at + "+02", "hour", "8"},
		{"date", "2024-05-05", "julian", "2460436"}, {"date", "2024-05-05", "jd", "2460436"}, {"date", "2024-05-05", "hour", value.CodeUnsupported},
		{"time", "10:00:01.5", "milliseconds", "1500.000"}, {"time", "10:00:01.5", "epoch", "36001.500000"}, {"time", "10:00", "year", value.CodeUnsupported},
		{"interval", "2500 years", "millennium", "2"}, {"interval", "15 days", "week", value.CodeUnsupported}, {"interval", "15 days", "dow", value.CodeUnsupported},
	} {
		if got := computed(t, "extract", [2]string{"text", c.unit}, [2]string{c.kind, c.text}); got != c.want {
			t.Errorf("%s of %s %s is %s, want %s", c.unit, c.kind, c.text, got, c.want)
		}
	}
	for _, c := range []struct{ kind, text, unit, want string }{
		{"timestamp", at, "century", "2001-01-01 00:00:00"}, {"timestamp", "2000-05-05", "century", "1901-01-01 00:00:00"}, {"timestamp", at, "mil", "2001-01-01 00:00:00"},
		{"timestamp", at, "hr", "2024-05-05 10:00:00"}, {"timestamp", at, "week", "2024-04-29 00:00:00"}, {"timestamp", at, "decade", "2020-01-01 00:00:00"},
		{"timestamp", "0009-05-05", "decade", "0001-01-01 00:00:00 BC"}, {"timestamp", at, "dow", value.CodeBadParameter}, {"timestamp", at, "epoch", value.CodeBadParameter},
		{"timestamp", at, "timezone", value.CodeUnsupported}, {"interval", "257 years 5 mons", "century", "200 years"}, {"interval", "257 years", "week", value.CodeUnsupported},
	} {
		if got := computed(t, "date_trunc", [2]string{"text", c.unit}, [2]string{c.kind, c.text}); got != c.want {
			t.Errorf("%s %s cut to %s is %s, want %s", c.kind, c.text, c.unit, got, c.want)
		}
	}
}

// Intervals are scaled part by part, and end where their parts do.
func TestIntervalArithmetic(t *testing.T) {
	double := func(x string) [2]string { return [2]string{"double precision", x} }
	interval := func(x string) [2]string { return [2]string{"interval", x} }
	for _, c := range []struct {
		op   string
		args [][2]string
		want string
	}{
		{"/", [][2]string{interval("49 months"), double("49")}, "1 mon"}, {"/", [][2]string{interval("49 days"), double("49")}, "1 day"},
		{"/", [][2]string{interval("1 year"), double("3")}, "4 mons"}, {"/", [][2]string{interval("10 days"), double("7")}, "1 day 10:17:08.571429"},
		{"/", [][2]string{interval("1 day"), double("Infinity")}, "00:00:00"}, {"/", [][2]string{interval("1 day"), double("0")}, "22012"},
		{"*", [][2]string{interval("1 mon"), double("1.5")}, "1 mon 15 days"}, {"*", [][2]string{interval("0 days"), double("Infinity")}, value.CodeBadDate},
		{"*", [][2]string{interval("1 day"), double("NaN")}, value.CodeBadDate}, {"*", [][2]string{interval("2147483647 days"), double("2")}, value.CodeBadDate},
		{"+", [][2]string{interval("2147483647 days"), interval("1 day")}, value.CodeBadDate}, {"-", [][2]string{interval("1 day"), interval("1 mon")}, "-1 mons +1 day"},
		{"+", [][2]string{interval("1 hour"), {"time", "23:30"}}, "00:30:00"}, {"+", [][2]string{{"timestamp", "2024-01-31"}, interval("1 mon")}, "2024-02-29 00:00:00"},
		{"+", [][2]string{{"timestamp", "2024-01-01"}, interval("2147483647 days")}, value.CodeBadDate},
		{"justify_hours", [][2]string{interval("25 hours -2 days")}, "-23:00:00"}, {"justify_days", [][2]string{interval("-1 month 45 days")}, "15 days"},
		{"justify_interval", [][2]string{interval("1 mon -1 hour")}, "29 days 23:00:00"}, {"justify_hours", [][2]string{interval("2147483647 days 24 hours")}, value.CodeBadDate},
	} {
		if got := computed(t, c.op, c.args...); got != c.want {
			t.Errorf("%s of %v is %s, want %s", c.op, c.args, got, c.want)
		}
	}
}

// A pattern that ends with its escape is an error only where matching comes to it.
func TestLikeComesToItsEscape(t *testing.T) {
	for _, c := range []struct {
		text, pattern string
		fails         bool
	}{
		{"", `\`, false}, {"a", `\`, true}, {"b", `a\`, false}, {"a", `a\`, false}, {"ab", `a\`, true}, {"", `%\`, false}, {"a", `%\`, true}, {"a", `%_\`, true},
		{"a", `__\`, false}, {"abb", `a%b\`, true}, {"ab", `a%b\`, false}, {"aéb", `%é\`, true}, {"é", `%é\`, false}, {"a", `\a\`, false}, {"aa", `\a\`, true},
	} {
		got := computed(t, "like", [2]string{"text", c.text}, [2]string{"text", c.pattern})
		if want := map[bool]string{true: value.CodeBadEscape, false: "false"}[c.fails]; got != want {
			t.Errorf("%q LIKE %q is %s, want %s", c.text, c.pattern, got, want)
		}
	}
}
