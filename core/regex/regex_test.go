package regex

import (
	"strings"
	"testing"
	"unicode/utf8"
)

// What parentheses hold is what PostgreSQL says of the same.
func TestPartsOfMatches(t *testing.T) {
	for _, c := range []struct{ pattern, text, want string }{
		{`(a|ab)(c|bcd)(d*)`, "abcd", "abcd: ab c d"},
		{`Y*?([0-9]{1,3})`, "XY1234Z", "Y1: 1"},
		{`Y*([0-9]{1,3})`, "XY1234Z", "Y123: 123"},
		{`(.*)(\d+)(.*)`, "abc01234xyz", "abc01234xyz: abc0123 4 xyz"},
		{`(.*?)(\d+)(.*)`, "abc01234xyz", "abc0: abc 0 "},
		{`(a+)*`, "aaa", "aaa: aaa"},
		{`(a+)+`, "aaa", "aaa: a"},
		{`(a*)+`, "aaa", "aaa: "},
		{`(a*)*`, "b", ": "},
		{`(a??)*`, "b", ": -"},
		{`((ab)(c|d))*`, "abcabd", "abcabd: abd ab d"},
		{`(?:b??)?(?:(?:a{0,2}?)?(?:c+?ab??){0,2}?b*?)(([^a]?[ab]{0,2}?c?)[^a]?)`, "abc", "abc: c c"},
		{`a?(?:ab)?(.*)`, "abx", "abx: x"},
		{`(é+)(.)`, "ééa", "ééa: éé a"},
		{`[](](x)|\((y)`, "(y", "(y: - y"},
	} {
		re, err := Compile(c.pattern, "")
		if err != nil {
			t.Fatal(err)
		}
		at, err := re.First(c.text)
		if err != nil || at == nil {
			t.Errorf("%s finds %v in %q, %v", c.pattern, at, c.text, err)
			continue
		}
		var parts []string
		for i := 1; i <= re.Groups(); i++ {
			part := "-"
			if at[2*i] >= 0 {
				part = c.text[at[2*i]:at[2*i+1]]
			}
			parts = append(parts, part)
		}
		if got := c.text[at[0]:at[1]] + ": " + strings.Join(parts, " "); got != c.want {
			t.Errorf("%s finds %q in %q, want %q", c.pattern, got, c.text, c.want)
		}
	}
}

func TestRegexWorkIsBounded(t *testing.T) {
	re, err := Compile(`((a|b)*x)*`, "g")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := re.Replace(strings.Repeat("ab", 200_000), "y", 0, 0); err == nil {
		t.Error("a text without an end was replaced in")
	}
	long := strings.Repeat("ab ", 20_000)
	plain, err := Compile(`\w+`, "g")
	if err != nil {
		t.Fatal(err)
	}
	if out, err := plain.Replace(long, "x", 0, 0); err != nil || out != strings.Repeat("x ", 20_000) {
		t.Errorf("%d bytes came of a long text, %v", len(out), err)
	}
}

// Patterns that PostgreSQL refuses are refused, with its reason.
func TestPatternsThatAreNone(t *testing.T) {
	for pattern, want := range map[string]string{
		`a**`:           "quantifier operand invalid",
		`^*`:            "quantifier operand invalid",
		`(?=a)*`:        "quantifier operand invalid",
		`(?a`:           "invalid embedded option",
		`(?<a)`:         "quantifier operand invalid",
		`***a`:          "quantifier operand invalid",
		`(a`:            "parentheses () not balanced",
		`a)`:            "parentheses () not balanced",
		`[a`:            "brackets [] not balanced",
		`[a-`:           "brackets [] not balanced",
		`[b-a]`:         "invalid character range",
		`[a-\d]`:        "invalid character range",
		`[a-c-e]`:       "invalid character range",
		`[[:letters:]]`: "invalid character class",
		`[[.comma.]]`:   "invalid collating element",
		`a{1`:           "braces {} not balanced",
		`a{2,1}`:        "invalid repetition count(s)",
		`a{256}`:        "invalid repetition count(s)",
		`a{1x}`:         "invalid repetition count(s)",
		`\1`:            "invalid backreference number",
		`(a\1)`:         "invalid backreference number",
		`(a)(?=\1)`:     "invalid backreference number",
		`\q`:            `invalid escape \ sequence`,
		`a\`:            `invalid escape \ sequence`,
		`\u12`:          `invalid escape \ sequence`,
		`(?z)a`:         "invalid embedded option",
		`(?b)a`:         "basic regular expressions are not supported",
		strings.Repeat("(", 2000) + strings.Repeat(")", 2000): "regular expression is too complex",
	} {
		if _, err := Compile(pattern, ""); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.40s: %v, want %s", pattern, err, want)
		}
	}
	if _, err := Compile("a", "y"); err == nil {
		t.Error("an option that is none was taken")
	}
}

// Whatever a pattern is, it compiles or is refused, and what it finds lies in the
// text; Go's engine and the walk agree on whether there is a match.
func FuzzCompile(f *testing.F) {
	for _, s := range []string{`(a|ab)(c|bcd)(d*)`, `(?<=a)b(?!c)\1`, `((a)\2)*?`, `(?x) a {1 ,2} # b`, `[[:<:]]\w+[[:>:]]`, `***=a.b`, `\x61\u0062\12`, `(?i)[^a-c]é`} {
		f.Add(s, "aab1b cabéab\nbbb")
	}
	f.Fuzz(func(t *testing.T, pattern, text string) {
		if len(pattern) > 50 || len(text) > 200 || !utf8.ValidString(pattern) || !utf8.ValidString(text) {
			return
		}
		r, err := Compile(pattern, "")
		if err != nil {
			return
		}
		end := 0
		found := false
		m := matcher{Regex: r, text: text}
		if err := m.all(0, func(at []int) bool {
			found = true
			if at[0] < end || at[1] < at[0] || at[1] > len(text) {
				t.Fatalf("%q matches %v in %q behind %d", pattern, at, text, end)
			}
			end = at[1]
			return true
		}); err != nil {
			return
		}
		if r.engine != nil && r.engine.MatchString(text) != found {
			t.Fatalf("%q in %q: the engine and the walk disagree", pattern, text)
		}
	})
}
