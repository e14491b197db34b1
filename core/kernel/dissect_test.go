package kernel

import (
	"strings"
	"testing"
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
		re, err := compileRegex(c.pattern, "")
		if err != nil {
			t.Fatal(err)
		}
		at, err := re.first(c.text)
		if err != nil || at == nil {
			t.Errorf("%s finds %v in %q, %v", c.pattern, at, c.text, err)
			continue
		}
		var parts []string
		for _, v := range re.groups(c.text, at) {
			if v.IsNull {
				v.Str = "-"
			}
			parts = append(parts, v.Str)
		}
		if got := c.text[at[0]:at[1]] + ": " + strings.Join(parts, " "); got != c.want {
			t.Errorf("%s finds %q in %q, want %q", c.pattern, got, c.text, c.want)
		}
	}
}

func TestRegexWorkIsBounded(t *testing.T) {
	re, err := compileRegex(`((a|b)*x)*`, "g")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := re.replace(strings.Repeat("ab", 200_000), "y"); err == nil {
		t.Error("a text without an end was replaced in")
	}
	long := strings.Repeat("ab ", 20_000)
	plain, err := compileRegex(`\w+`, "g")
	if err != nil {
		t.Fatal(err)
	}
	if out, err := plain.replace(long, "x"); err != nil || out != strings.Repeat("x ", 20_000) {
		t.Errorf("%d bytes came of a long text, %v", len(out), err)
	}
}
