package kernel

import (
	"errors"
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// likeToken is one element of a LIKE pattern: literal text, any one character,
// or any text.
type likeToken struct {
	kind byte // 't' text, '_' or '%'
	text string
}

// ParseLike takes a LIKE pattern apart. The escape is one character or empty
// for none. Kinds are 't' (text), '_' and '%'.
func ParseLike(pattern, escape string) (kinds []byte, texts []string, err error) {
	tokens, err := likeTokens(pattern, escape)
	for _, t := range tokens {
		kinds, texts = append(kinds, t.kind), append(texts, t.text)
	}
	return kinds, texts, err
}

func likeTokens(pattern, escape string) ([]likeToken, error) {
	esc := rune(-1)
	if escape != "" {
		r, size := utf8.DecodeRuneInString(escape)
		if size != len(escape) {
			return nil, value.Errorf("22019", "invalid escape string").WithHint("an escape is one character or empty")
		}
		esc = r
	}
	var tokens []likeToken
	var text strings.Builder
	flush := func() {
		if text.Len() > 0 {
			tokens = append(tokens, likeToken{'t', text.String()})
			text.Reset()
		}
	}
	escaped := false
	for _, r := range pattern {
		switch {
		case escaped:
			text.WriteRune(r)
			escaped = false
		case r == esc:
			escaped = true
		case r == '%':
			flush()
			if len(tokens) == 0 || tokens[len(tokens)-1].kind != '%' {
				tokens = append(tokens, likeToken{kind: '%'})
			}
		case r == '_':
			flush()
			tokens = append(tokens, likeToken{kind: '_'})
		default:
			text.WriteRune(r)
		}
	}
	if escaped {
		return nil, errLikeEscape
	}
	flush()
	return tokens, nil
}

// likeMatcher makes a function that matches strings against a pattern.
func likeMatcher(pattern, escape string) (func(string) bool, error) {
	tokens, err := likeTokens(pattern, escape)
	if err != nil {
		return nil, err
	}
	shape := make([]byte, len(tokens))
	for i, t := range tokens {
		shape[i] = t.kind
	}
	switch string(shape) {
	case "":
		return func(s string) bool { return s == "" }, nil
	case "t":
		return func(s string) bool { return s == tokens[0].text }, nil
	case "%":
		return func(string) bool { return true }, nil
	case "t%":
		return func(s string) bool { return strings.HasPrefix(s, tokens[0].text) }, nil
	case "%t":
		return func(s string) bool { return strings.HasSuffix(s, tokens[1].text) }, nil
	case "%t%":
		return func(s string) bool { return strings.Contains(s, tokens[1].text) }, nil
	}
	return func(s string) bool { return likeMatch(s, tokens) }, nil
}

// likeMatch matches greedily with one point to come back to: after a %, the
// shortest text that lets the rest match is enough.
func likeMatch(s string, tokens []likeToken) bool {
	i, t := 0, 0
	backI, backT := -1, -1
	for {
		if t < len(tokens) {
			switch tok := tokens[t]; tok.kind {
			case '%':
				backI, backT = i, t+1
				t++
				continue
			case '_':
				if i < len(s) {
					_, size := utf8.DecodeRuneInString(s[i:])
					i, t = i+size, t+1
					continue
				}
			default:
				if strings.HasPrefix(s[i:], tok.text) {
					i, t = i+len(tok.text), t+1
					continue
				}
			}
		} else if i == len(s) {
			return true
		}
		if backT < 0 || backI >= len(s) {
			return false
		}
		_, size := utf8.DecodeRuneInString(s[backI:])
		backI += size
		i, t = backI, backT
	}
}

var errLikeEscape = value.Errorf(value.CodeBadEscape, "LIKE pattern must not end with escape character")

// reachesEscape reports whether matching comes to the escape that a pattern ends
// with; such a pattern matches no text. The algorithm is PostgreSQL's MatchText,
// which gives up where the text is at its end.
func reachesEscape(s, pattern, escape string) bool {
	reached := false
	var match func(s, p string) (giveUp bool)
	match = func(s, p string) bool {
		for s != "" {
			_, next := utf8.DecodeRuneInString(s)
			switch {
			case p == escape:
				reached = true
				return true
			case strings.HasPrefix(p, escape):
				if p = p[len(escape):]; p[0] != s[0] {
					return false
				}
				s, p = s[1:], p[1:]
			case p[0] == '%':
				for !strings.HasPrefix(p, escape) && (p[0] == '%' || p[0] == '_') {
					if p[0] == '_' {
						if s == "" {
							return true
						}
						_, next := utf8.DecodeRuneInString(s)
						s = s[next:]
					}
					p = p[1:]
				}
				if p == escape {
					reached = true
					return true
				}
				first := strings.TrimPrefix(p, escape)[0]
				for s != "" {
					if s[0] == first && match(s, p) {
						return true
					}
					_, next := utf8.DecodeRuneInString(s)
					s = s[next:]
				}
				return true
			case p[0] == '_':
				s, p = s[next:], p[1:]
			case p[0] != s[0]:
				return false
			default:
				s, p = s[1:], p[1:]
			}
		}
		return true
	}
	match(s, pattern)
	return reached
}

func defLike(r *registry, name string, fold func(string) string) {
	f := func(s, p, esc string) (bool, error) {
		if utf8.RuneCountInString(esc) <= 1 && esc != `\` {
			p, esc = escapedByBackslash(p, esc), `\` // before letters are folded
		}
		m, err := likeMatcher(fold(p), esc)
		if errors.Is(err, errLikeEscape) && !reachesEscape(fold(s), fold(p), esc) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		return m(fold(s)), nil
	}
	def3(r, name, value.Text, value.Text, value.Text, value.Bool, f)
	def3(r, name, value.Char, value.Text, value.Text, value.Bool, f)
	for _, k := range []value.Kind{value.Text, value.Char} { // patterns see the padding
		def2(r, name, k, value.Text, value.Bool, func(s, p string) (bool, error) { return f(s, p, `\`) })
	}
}

// escapedByBackslash writes a pattern with a backslash in the place of its escape,
// which may be none.
func escapedByBackslash(pattern, escape string) string {
	var b strings.Builder
	escaped := false
	for _, c := range pattern {
		switch {
		case string(c) == escape && !escaped:
			b.WriteByte('\\')
			escaped = true
			continue
		case c == '\\' && !escaped:
			b.WriteString(`\\`)
		default:
			b.WriteRune(c)
		}
		escaped = false
	}
	return b.String()
}

func addLike(r *registry) {
	defLike(r, "like", func(s string) string { return s })
	defLike(r, "ilike", lower)
}
