package regex

import (
	"strings"

	"rovik/core/value"
)

// Similar turns a pattern of SIMILAR TO into a regular expression. Two quotes
// behind the escape divide it into three parts, of which the second is what SUBSTRING
// returns (PostgreSQL's similar_escape_internal).
func Similar(pattern, escape string) (string, error) {
	if len([]rune(escape)) > 1 {
		return "", value.Errorf("22025", "invalid escape string").WithHint("an escape is one character or empty")
	}
	var b strings.Builder
	b.WriteString("^(?:")
	escaped, class, quotes := false, false, 0
	for _, c := range pattern {
		switch {
		case escaped && c == '"' && !class:
			if quotes == 2 {
				return "", value.Errorf("2200C", "SQL regular expression may not contain more than two escape-double-quote separators")
			}
			b.WriteString([]string{"){1,1}?(", "){1,1}(?:"}[quotes])
			quotes++
			escaped = false
		case escaped:
			b.WriteByte('\\')
			b.WriteRune(c)
			escaped = false
		case string(c) == escape:
			escaped = true
		case class:
			if c == '\\' {
				b.WriteByte('\\')
			}
			b.WriteRune(c)
			class = c != ']'
		case c == '%':
			b.WriteString(".*")
		case c == '_':
			b.WriteByte('.')
		case c == '(':
			b.WriteString("(?:")
		default:
			if strings.ContainsRune(`.^$\`, c) {
				b.WriteByte('\\')
			}
			b.WriteRune(c)
			class = c == '['
		}
	}
	return b.String() + ")$", nil
}
