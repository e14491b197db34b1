package kernel

import (
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// The patterns of to_char, to_date, to_timestamp and to_number are PostgreSQL's, as
// the chapter "Data Type Formatting Functions" of its manual has them; where that is
// silent they do as its version 15 does. Words are English.

// patternNode is a word of a pattern, or one character as it stands.
type patternNode struct {
	word string // as in the pattern; "" for a character
	text string // the character
	// plain says that the character is a space or, in patterns for timestamps, a
	// separator, outside of quotes.
	plain   bool
	fill    bool   // FM
	local   bool   // TM: names as the locale has them, without padding
	ordinal string // TH or th
}

// wordsByFirst sorts words by their first letter, the order within kept: the first
// that a text begins with is the one.
func wordsByFirst(words string) map[byte][]string {
	out := map[byte][]string{}
	for _, w := range strings.Fields(words) {
		out[w[0]] = append(out[w[0]], w)
	}
	return out
}

// wordAt returns the word that a pattern begins with, or "".
func wordAt(words map[byte][]string, pattern string) string {
	for _, w := range words[pattern[0]] {
		if strings.HasPrefix(pattern, w) {
			return w
		}
	}
	return ""
}

// patternNodes takes a pattern apart. timestamps says that it is one for dates and
// times, whose words take FM before them and TH behind.
func patternNodes(pattern string, words map[byte][]string, timestamps bool) []patternNode {
	var out []patternNode
	char := func(s string, plain bool) int {
		_, size := utf8.DecodeRuneInString(s)
		out = append(out, patternNode{text: s[:size], plain: plain})
		return size
	}
	for s := pattern; s != ""; {
		n := patternNode{}
		if timestamps {
			switch {
			case strings.HasPrefix(s, "FM"), strings.HasPrefix(s, "fm"):
				n.fill, s = true, s[2:]
			case strings.HasPrefix(s, "TM"), strings.HasPrefix(s, "tm"):
				n.local, s = true, s[2:]
			}
			if s == "" {
				break
			}
		}
		if n.word = wordAt(words, s); n.word != "" {
			s = s[len(n.word):]
			if timestamps {
				for _, suffix := range []string{"TH", "th", "SP"} {
					if strings.HasPrefix(s, suffix) {
						if s = s[2:]; suffix != "SP" {
							n.ordinal = suffix
						}
						break
					}
				}
			}
			out = append(out, n)
			continue
		}
		if s[0] == '"' {
			for s = s[1:]; s != "" && s[0] != '"'; {
				if s[0] == '\\' && len(s) > 1 {
					s = s[1:]
				}
				s = s[char(s, false):]
			}
			s = strings.TrimPrefix(s, `"`)
			continue
		}
		if strings.HasPrefix(s, `\"`) {
			s = s[1:]
		}
		s = s[char(s, isSpace(s[0]) || timestamps && isSeparator(s[0])):]
	}
	return out
}

func isSpace(c byte) bool { return c == ' ' || c >= '\t' && c <= '\r' }
func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// isSeparator tells of the printable characters of ASCII that are no letters or
// digits.
func isSeparator(c byte) bool {
	return c > ' ' && c < 0x7f && !isDigit(c) && (c|0x20 < 'a' || c|0x20 > 'z')
}

// withOrdinal adds st, nd, rd or th to a number.
func withOrdinal(number, like string) (string, error) {
	if like == "" {
		return number, nil
	}
	n := len(number)
	if n == 0 || !isDigit(number[n-1]) {
		return "", value.Errorf("22P02", "%q is not a number", number)
	}
	suffix := "th"
	if n < 2 || number[n-2] != '1' {
		switch number[n-1] {
		case '1':
			suffix = "st"
		case '2':
			suffix = "nd"
		case '3':
			suffix = "rd"
		}
	}
	if like == "TH" {
		suffix = strings.ToUpper(suffix)
	}
	return number + suffix, nil
}
