package sqldb

import (
	"errors"
	"testing"
	"time"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// Parameters are numbered as the text needs them, and marks say where each
// piece's words came to lie, whatever was put around them.
func TestRopesFlatten(t *testing.T) {
	one, two := plan.Origin{View: "v", Start: 1, End: 2}, plan.Origin{Start: 3, End: 9}
	a, b := value.IntOf(value.Int4, 5), value.TextOf("x")
	inner := marked(fold.KindFilter, one, Text("a = ").Add(Param(a)))
	r := Text("WHERE ").Add(marked(fold.KindFilter, two, Text("(").Add(inner, Text(" OR b = "), Param(b), Text(" OR c = "), Param(a), Text(")"))), marked(fold.KindLimit, plan.Origin{}, Text(" LIMIT 1")))
	for shared, want := range map[bool]struct {
		text   string
		params int
	}{true: {"WHERE (a = $1 OR b = $2 OR c = $1) LIMIT 1", 2}, false: {"WHERE (a = ? OR b = ? OR c = ?) LIMIT 1", 3}} {
		d := &Dialect{SharedParameters: shared, Placeholder: func(i int, _ value.Value) string {
			if shared {
				return "$" + string(rune('0'+i))
			}
			return "?"
		}}
		n := r.flatten(d)
		if n.Text != want.text || len(n.Parameters) != want.params {
			t.Errorf("%s with %v", n.Text, n.Parameters)
		}
		var marks []string
		for _, m := range n.Marks {
			marks = append(marks, m.Origin.View+":"+n.Text[m.Start:m.End])
		}
		if len(marks) != 2 || marks[0] != "v:"+n.Text[7:13-map[bool]int{true: 0, false: 1}[shared]] || n.Text[n.Marks[1].Start] != '(' {
			t.Errorf("marks %v", marks)
		}
	}
}

func TestLikePatternsAreRewritten(t *testing.T) {
	call := func(args ...string) *plan.Call {
		c := &plan.Call{Op: "like", Args: []plan.Expr{&plan.Col{ID: 1}}}
		for _, a := range args {
			c.Args = append(c.Args, &plan.Const{Val: value.TextOf(a), Typ: value.Of(value.Text)})
		}
		return c
	}
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"a%_b"}, "a%_b"}, {[]string{`50\%`}, "50|%"}, {[]string{`a|b`}, "a||b"}, {[]string{`a!%b%`, "!"}, "a|%b%"},
		{[]string{`a\b`, ""}, `a\b`}, {[]string{`\\`}, `\`}, {[]string{"%%%"}, "%"},
	} {
		if got, ok := LikePattern(call(c.args...), '|'); !ok || got != c.want {
			t.Errorf("%q becomes %q, want %q", c.args, got, c.want)
		}
	}
	for _, bad := range []*plan.Call{call(`a\`), call("a", "!!"), {Op: "like", Args: []plan.Expr{&plan.Col{ID: 1}, &plan.Col{ID: 2}}}} {
		if got, ok := LikePattern(bad, '|'); ok {
			t.Errorf("%s becomes %q", plan.Text(bad), got)
		}
	}
}

func TestDigitsAreBounded(t *testing.T) {
	num := func(p, s int) plan.Expr {
		return &plan.Col{ID: 1, Typ: value.Type{Kind: value.Numeric, Precision: p, Scale: s}}
	}
	op := func(name string, a, b plan.Expr) plan.Expr {
		return &plan.Call{Op: name, Args: []plan.Expr{a, b}, Typ: value.Of(value.Numeric)}
	}
	dec, err := value.ParseDecimal("-12.5")
	if err != nil {
		t.Fatal(err)
	}
	integer := &plan.Col{ID: 2, Typ: value.Of(value.Int4)}
	for _, c := range []struct {
		e            plan.Expr
		whole, scale int
		ok           bool
	}{
		{num(12, 2), 10, 2, true}, {num(0, 0), 0, 0, false}, {integer, 10, 0, true}, {&plan.Cast{Arg: integer, Typ: value.Of(value.Numeric)}, 10, 0, true},
		{op("+", num(12, 2), num(5, 4)), 11, 4, true}, {op("*", num(12, 2), num(5, 4)), 11, 6, true}, {op("/", num(12, 2), num(5, 4)), 0, 0, false},
		{op("*", num(12, 2), num(0, 0)), 10, 2, false}, {&plan.Const{Val: value.DecimalOf(dec), Typ: value.Of(value.Numeric)}, 3, 1, true},
	} {
		whole, scale, ok := Digits(c.e)
		if ok != c.ok || ok && (whole != c.whole || scale != c.scale) {
			t.Errorf("%s has %d digits before and %d after the point, %v", plan.Text(c.e), whole, scale, ok)
		}
	}
}

// A cell tells an empty text from NULL and keeps numbers exact.
func TestCells(t *testing.T) {
	var c cell
	for _, x := range []struct {
		in   any
		want string
		null bool
	}{
		{nil, "", true}, {"", "", false}, {[]byte{}, "", false}, {"é", "é", false}, {[]byte("b"), "b", false}, {int64(-9223372036854775808), "-9223372036854775808", false},
		{uint64(18446744073709551615), "18446744073709551615", false}, {0.1, "0.1", false}, {1e300, "1e+300", false}, {true, "true", false},
		{time.Date(2024, 2, 29, 1, 2, 3, 4000, time.UTC), "2024-02-29 01:02:03.000004", false},
	} {
		if err := c.Scan(x.in); err != nil || c.null != x.null || !x.null && string(c.text) != x.want {
			t.Errorf("%v scans to %q, NULL %v, %v", x.in, c.text, c.null, err)
		}
	}
	if err := c.Scan(struct{}{}); err == nil {
		t.Error("a struct was scanned")
	}
}

func TestQuirksAreMeasured(t *testing.T) {
	answers := map[string]string{"a": "true", "b": "0", "c": "v", "d": "w", "e": "+00:00"}
	found := &catalog.Source{Name: "s", Quirks: map[string]catalog.Quirk{}}
	probes := []Probe{{Name: "A", SQL: "a"}, {Name: "B", SQL: "b"}, {Name: "C", SQL: "c", Want: "v"}, {Name: "D", SQL: "d", Want: "v"}, {Name: "E", SQL: "e", Meaning: "m"}}
	if err := Measure(found, probes, func(sql string) (string, error) { return answers[sql], nil }); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{"A": "yes", "B": "no", "C": "yes", "D": "no", "E": "+00:00"} {
		if !found.Is(name, want) {
			t.Errorf("%s was measured as %q, want %q", name, found.Quirks[name].Value, want)
		}
	}
	err := Measure(found, probes, func(string) (string, error) { return "", errors.New("no rights") })
	if err == nil || err.Error() != `measuring "A" of s: no rights` {
		t.Errorf("a probe that fails: %v", err)
	}
}
