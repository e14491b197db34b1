package form

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rovik/core/value"
)

// A guard lets through just what the cast takes, of strings that look like the type:
// every day of years of all sorts, and numbers at their ends.
func TestGuardsNeverLetACastFail(t *testing.T) {
	match := map[value.Kind]func(string) bool{}
	for k, g := range guards {
		match[k] = regexp.MustCompile(g).MatchString
	}
	agree := func(k value.Kind, s string) {
		t.Helper()
		if _, err := value.Parse(k, s); match[k](s) != (err == nil) {
			t.Errorf("%q as %s: the guard says %v, the cast %v", s, value.Of(k), match[k](s), err)
		}
	}
	for _, year := range []int{1, 4, 400, 1600, 1900, 1996, 2000, 2023, 2024, 2100, 9999} {
		for month := 0; month <= 13; month++ {
			for day := 0; day <= 32; day++ {
				s := fmt.Sprintf("%04d-%02d-%02d", year, month, day)
				agree(value.Date, s)
				agree(value.Timestamp, s+" 23:59:59.999999")
			}
		}
	}
	for _, s := range []string{"2024-01-01 24:00:01", "2024-01-01 12:60:00", "2024-01-01T12:05", "2024-01-01 12:05:61"} {
		agree(value.Timestamp, s)
	}
	for _, s := range []string{"0", "-12", "+7", " 5 ", "007", strings.Repeat("9", 18), "1.5", "", "x", "1 2", "--1"} {
		agree(value.Int8, s)
	}
	for _, s := range []string{"0.10", "-3", strings.Repeat("9", 20) + "." + strings.Repeat("1", 18), "1,5", ".", "n/a"} {
		agree(value.Numeric, s)
	}
	for k := range guards { // what only looks like it
		for _, s := range []string{"0000-01-01", "12 March", "infinity", "1e400000", "NaN", "''"} {
			if _, err := value.Parse(k, s); match[k](s) && err != nil {
				t.Errorf("%q as %s passes the guard, and fails: %v", s, value.Of(k), err)
			}
		}
	}
}

func profileOf(k value.Kind, whole bool, values ...string) *Profile {
	p := &Profile{Type: k, Whole: whole}
	for _, v := range values {
		if v == "NULL" {
			p.Values = append(p.Values, Count{nil, 1})
			continue
		}
		p.Values = append(p.Values, Count{&v, 1})
	}
	return p
}

// What is offered follows from the values, and says how many rows it is about.
func TestOffers(t *testing.T) {
	days := []string{}
	for i := range 20 {
		days = append(days, fmt.Sprintf("2024-02-%02d", i+1))
	}
	many := append(slices.Clone(days), days...)
	for i := range 13 {
		many = append(many, fmt.Sprint("n/a ", i))
	}
	for _, c := range []struct {
		what string
		p    *Profile
		want string // step, rows and fails of each offer
	}{
		{"nothing to say", profileOf(value.Bool, true, "true", "false"), ""},
		{"spaces", profileOf(value.Text, false, "a ", "b", " c"), "trim 2 0"},
		{"case", profileOf(value.Text, false, "Ab", "AB", "CD", "EF"), "upper 1 0"},
		{"case, mostly small", profileOf(value.Text, false, "ab", "Ab", "cd", "ef"), "lower 1 0"},
		{"empty", profileOf(value.Text, false, "", "b", "NULL"), "blank 1 0, fill 1 0"},
		{"whole numbers", profileOf(value.Text, true, "1", "02"), "type 2 0, map 2 0"},
		{"numbers", profileOf(value.Text, false, "1.5", "2", "3", "x"), "type 3 1"},
		{"days", profileOf(value.Text, false, days...), "type 20 0"},
		{"days and more failures than are named", profileOf(value.Text, true, many...), "type 40 13"},
		{"a few days alone", profileOf(value.Text, false, "2024-01-01", "b", "c", "d"), ""},
		{"parts", profileOf(value.Text, false, "a; b", "c; d"), "split 2 0"},
		{"codes", profileOf(value.Int4, true, "1", "2", "NULL"), "fill 1 0, map 2 0"},
	} {
		var got []string
		for _, o := range c.p.Offers() {
			got = append(got, fmt.Sprint(o.Clean.Step, " ", o.Rows, " ", o.Fails))
			if o.Title == "" || o.Why == "" {
				t.Errorf("%s: %s says nothing", c.what, o.Clean.Step)
			}
			if _, err := o.Clean.Apply("a.x", c.p.Type); err != nil {
				t.Errorf("%s: %s: %v", c.what, o.Clean.Step, err)
			}
		}
		if s := strings.Join(got, ", "); s != c.want {
			t.Errorf("%s: offered %q, want %q", c.what, s, c.want)
		}
	}
}

func valuesOf(whole bool, list ...string) Values {
	v := Values{Rows: map[string]int64{}, Whole: whole}
	for _, s := range list {
		v.Rows[s]++
	}
	return v
}

// Meeting counts values and rows; a fix makes more of them meet, and changes only
// the side that needs it.
func TestMeetingsAndFixes(t *testing.T) {
	left, right := valuesOf(true, "a", "a", "b", "c"), valuesOf(true, "a", "b", "d")
	m := Meet(left, right)
	if m.Values != 3 || m.Meet != 2 || m.Rows != 4 || m.MeetRows != 3 || m.Unique || !m.Whole || len(m.Alone) != 1 || *m.Alone[0].Value != "c" {
		t.Errorf("they meet as %+v", m)
	}
	if m := Meet(right, left); !m.Unique || m.Meet != 2 {
		t.Errorf("the other way: %+v", m)
	}
	if m := Meet(valuesOf(false, "a"), right); m.Whole {
		t.Error("a sample is called whole")
	}
	for _, c := range []struct {
		what        string
		left, right Values
		want        string // the first fix's sides and its rows
	}{
		{"nothing to mend", valuesOf(true, "a"), valuesOf(true, "a"), ""},
		{"nothing helps", valuesOf(true, "a"), valuesOf(true, "b"), ""},
		{"case", valuesOf(true, "ab", "CD"), valuesOf(true, "AB", "CD"), "upper(x) = x 2"},
		{"spaces", valuesOf(true, "ab"), valuesOf(true, "ab "), "x = btrim(x) 1"},
		{"zeros", valuesOf(true, "0042"), valuesOf(true, "42"), "ltrim(x, '0') = x 1"},
		{"case and spaces, each in its own value", valuesOf(true, "ab", "CD ", "EF"), valuesOf(true, "AB", "CD", "EF"), "upper(btrim(x)) = x 3"},
		{"case and spaces in one value", valuesOf(true, "ab "), valuesOf(true, "AB"), "upper(btrim(x)) = x 1"},
		{"spaces that help only with case", valuesOf(true, "ab", "cd "), valuesOf(true, "AB", "CD"), "upper(btrim(x)) = x 2"},
		{"all three", valuesOf(true, " 007a", "B"), valuesOf(true, "7A", "B"), "upper(ltrim(btrim(x), '0')) = x 2"},
		{"a sample may need it", valuesOf(false, "ab"), valuesOf(false, "AB"), "upper(x) = upper(x) 1"},
	} {
		got := ""
		if fixes := Fixes(c.left, c.right); len(fixes) > 0 {
			got = fmt.Sprint(fixes[0].Left, " = ", fixes[0].Right, " ", fixes[0].LeftMeets.MeetRows)
			if fixes[0].Example == "" {
				t.Errorf("%s has no example", c.what)
			}
		}
		if got != c.want {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
	for _, s := range []string{"Ab", "ab ", "AB", "0x"} {
		if !slices.Contains(Spellings([]string{s}), strings.ToUpper(s)) {
			t.Errorf("%q has no spelling in capitals", s)
		}
	}
}
