package sqldb

import (
	"strings"

	"rovik/core/kernel"
	"rovik/core/plan"
)

// RewriteLike writes the constant pattern of a LIKE in another notation: its
// signs for any text and any character, and a way to write other characters.
// ok is false where the pattern or its escape is not a valid constant.
func RewriteLike(c *plan.Call, anyText, anyChar string, char func(rune) string) (string, bool) {
	pattern, ok := Const(c.Args[1])
	escape := `\`
	if len(c.Args) == 3 {
		v, isConst := Const(c.Args[2])
		ok, escape = ok && isConst, v.Str
	}
	if !ok {
		return "", false
	}
	kinds, texts, err := kernel.ParseLike(pattern.Str, escape)
	if err != nil {
		return "", false
	}
	var b strings.Builder
	for i, k := range kinds {
		switch k {
		case '%':
			b.WriteString(anyText)
		case '_':
			b.WriteString(anyChar)
		default:
			for _, r := range texts[i] {
				b.WriteString(char(r))
			}
		}
	}
	return b.String(), true
}

// LikePattern rewrites a constant pattern to another escape character.
func LikePattern(c *plan.Call, escape rune) (string, bool) {
	return RewriteLike(c, "%", "_", func(r rune) string {
		if r == '%' || r == '_' || r == escape {
			return string(escape) + string(r)
		}
		return string(r)
	})
}
