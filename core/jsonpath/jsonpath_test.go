package jsonpath

import (
	"strings"
	"testing"

	"rovik/core/value"
)

// How a path is written once it is read, and what it finds; an error's class where it fails.
func TestPaths(t *testing.T) {
	const document = `{"objects": [{"title": "Harbour", "year": 1887, "loans": [1, 2]}, {"title": "Kiln", "year": "about 1900"}], "room": null}`
	doc, err := value.DecodeJSON(document)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ path, written, found string }{
		{"$.room", `$."room"`, "[null]"},
		{"$ . objects [ * ] . title", `$."objects"[*]."title"`, `["Harbour", "Kiln"]`},
		{"$.objects.title /* all */", `$."objects"."title"`, `["Harbour", "Kiln"]`},
		{"strict $.objects.title", `strict $."objects"."title"`, "2203A"},
		{"strict $.objects[2]", `strict $."objects"[2]`, "22033"},
		{"$.objects[last].year", `$."objects"[last]."year"`, `["about 1900"]`},
		{"$.objects[0 to last, 1].loans.size()", `$."objects"[0 to last,1]."loans".size()`, "[2]"},
		{`$.** ? (@.year < 1900).title`, `$.**?(@."year" < 1900)."title"`, `["Harbour", "Harbour"]`},
		{`$.objects[*] ? (@.title like_regex "^h" flag "i" && !(@.year == 1)).year`, `$."objects"[*]?(@."title" like_regex "^h" flag "i" && !(@."year" == 1))."year"`, "[1887]"},
		{`$.objects[*].year + 1`, `($."objects"[*]."year" + 1)`, "22038"},
		{`-$.objects[0].loans[*] * 2`, `(-$."objects"[0]."loans"[*] * 2)`, "22038"},
		{`(1 + 2) * 3 == 9`, `((1 + 2) * 3 == 9)`, "[true]"},
		{`$.objects[0].year / 0`, `($."objects"[0]."year" / 0)`, "22012"},
		{`($.objects[0].year > 1800) is unknown`, `($."objects"[0]."year" > 1800) is unknown`, "[false]"},
		{`"2024-02-29".datetime().type()`, `"2024-02-29".datetime().type()`, `["date"]`},
		{`"2024-02-29 10:00:00+02".datetime()`, `"2024-02-29 10:00:00+02".datetime()`, `["2024-02-29T10:00:00+02:00"]`},
		{`$x`, `$"x"`, "42704"},
		{`$.keyvalue().key`, `$.keyvalue()."key"`, `["objects", "room"]`},
		{`$."\u0041\x42"`, `$."AB"`, "[]"},
		{`@`, "", "42601"}, {`last`, "", "42601"}, {`$[`, "", "42601"}, {`$ ? (@.a)`, "", "42601"}, {`1a`, "", "42601"}, {`$.a ==`, "", "42601"}, {"", "", "22P02"},
		{`"open`, "", "42601"}, {`/* open`, "", "42601"}, {`$ ? (@ like_regex "(")`, "", "2201B"}, {`$ ? (@ like_regex "a" flag "y")`, "", "42601"},
		{`$ ? (@ like_regex "a" flag "x")`, "", "0A000"}, {`$."\u0000"`, "", "22P05"}, {`$."\ud800"`, "", "22P02"}, {`$.a.datetime("HH24")`, "", "0A000"},
	} {
		path, err := Parse(c.path)
		if err == nil && path.String() != c.written {
			t.Errorf("%s is written %s, and should be %s", c.path, path, c.written)
		}
		got := ""
		if err == nil {
			var items []value.JSONValue
			if items, err = path.Query(doc, Options{}); items == nil {
				items = []value.JSONValue{}
			}
			got = value.EncodeJSONB(items)
		}
		if err != nil {
			got = value.Code(err)
		}
		if got != c.found {
			t.Errorf("%s gives %s (%v), and should give %s", c.path, got, err, c.found)
		}
	}
}

// A path written in its own spelling is read as the same path, where it has no steps behind a condition.
func TestPathsAreReadAgain(t *testing.T) {
	for _, text := range []string{`$.a[*] ? (@.b > 1 || exists (@.c) && !(@.d == "x"))`, `strict $.**{2 to last}.a[last - 1, 0 to 2]`, `-($.a + 1) * 2 % 3`, `$.a starts with $x`, `(1).type()`, `$.a.b.double().abs()`} {
		first, err := Parse(text)
		if err != nil {
			t.Fatal(text, err)
		}
		again, err := Parse(first.String())
		if err != nil || again.String() != first.String() {
			t.Errorf("%s is written %s, and read again %s (%v)", text, first, again, err)
		}
	}
}

// Hostile paths end with an error.
func TestPathsAreBounded(t *testing.T) {
	deep := strings.Repeat("[", 50) + strings.Repeat("]", 50)
	doc, err := value.DecodeJSON("[" + strings.Repeat(deep+",", 200) + "1]")
	if err != nil {
		t.Fatal(err)
	}
	for _, text := range []string{strings.Repeat("(", 100_000) + "1", strings.Repeat("-", 100_000) + "$", strings.Repeat("!(", 50_000), "$" + strings.Repeat(".a", 100_000),
		"1" + strings.Repeat("+1", 100_000), "$ ? (1 == 1" + strings.Repeat(" && 1 == 1", 100_000) + ")", "$" + strings.Repeat(".**", 8)} {
		path, err := Parse(text)
		if err == nil {
			_, err = path.Query(doc, Options{})
		}
		if err == nil {
			t.Errorf("%.20s… gives no error", text)
		}
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"$.a[*] ? (@ > 1)", `strict $."x".**{1 to last}`, `$ like_regex "a" flag "i"`, `"\u{1F600}"`, "1.5e3 + $x[last]"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if p, err := Parse(s); err == nil {
			_ = p.String()
			_, _ = p.Query([]value.JSONValue{"a", nil}, Options{Silent: true})
		}
	})
}
