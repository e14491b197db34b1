package jsonpath

import (
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"rovik/core/value"
)

type tokenKind int

const (
	tokenEnd tokenKind = iota
	tokenWord
	tokenString
	tokenNumber
	tokenVariable
	tokenSign
)

// token is a word, a text, a number or a sign; raw is how it is written.
type token struct {
	kind tokenKind
	text string
	raw  string
}

// signs are those of more than one character first.
var signs = []string{"**", "&&", "||", "==", "!=", "<>", "<=", ">=", "$", "@", "(", ")", "[", "]", "{", "}", ".", ",", "*", "/", "%", "+", "-", "?", "!", "<", ">", "=", "&", "|", ":", "#"}

const (
	blank   = " \t\n\r\f"
	special = `?%$.[]{}()|&!=<>@#,*:-+/` + blank + `\"`
)

func syntaxError(format string, args ...any) error {
	return value.Errorf(value.CodeSyntax, format+" of jsonpath input", args...)
}

// lex splits a path into tokens, the last of which is the end.
func lex(s string) (out []token, err error) {
	for at := 0; at < len(s); {
		rest := s[at:]
		switch c := s[at]; {
		case strings.IndexByte(blank, c) >= 0:
			at++
		case strings.HasPrefix(rest, "/*"):
			end := strings.Index(rest[2:], "*/")
			if end < 0 {
				return nil, syntaxError("unexpected end of comment")
			}
			at += end + 4
		case c == '"':
			text, n, err := quoted(rest)
			if err != nil {
				return nil, err
			}
			out = append(out, token{tokenString, text, rest[:n]})
			at += n
		case c == '$' && strings.HasPrefix(rest[1:], `"`):
			text, n, err := quoted(rest[1:])
			if err != nil {
				return nil, err
			}
			out = append(out, token{tokenVariable, text, rest[:n+1]})
			at += n + 1
		case c == '$' && len(rest) > 1 && strings.IndexByte(special, rest[1]) < 0:
			text, n, err := bare(rest[1:])
			if err != nil {
				return nil, err
			}
			out = append(out, token{tokenVariable, text, rest[:n+1]})
			at += n + 1
		case c >= '0' && c <= '9' || c == '.' && len(rest) > 1 && rest[1] >= '0' && rest[1] <= '9':
			n := number(rest)
			if n < len(rest) && strings.IndexByte(special, rest[n]) < 0 || c == '0' && n > 1 && rest[1] >= '0' && rest[1] <= '9' {
				return nil, syntaxError("trailing junk after numeric literal at or near %q", rest[:min(n+1, len(rest))])
			}
			out = append(out, token{tokenNumber, rest[:n], rest[:n]})
			at += n
		case strings.IndexByte(special, c) < 0 || c == '\\':
			text, n, err := bare(rest)
			if err != nil {
				return nil, err
			}
			out = append(out, token{tokenWord, text, rest[:n]})
			at += n
		default:
			sign := rest[:1]
			for _, s := range signs {
				if strings.HasPrefix(rest, s) {
					sign = s
					break
				}
			}
			out = append(out, token{tokenSign, sign, sign})
			at += len(sign)
		}
	}
	return append(out, token{}), nil
}

// number is how long the number is that a text begins with.
func number(s string) int {
	digits := func(at int) int {
		for at < len(s) && s[at] >= '0' && s[at] <= '9' {
			at++
		}
		return at
	}
	n := digits(0)
	if n < len(s) && s[n] == '.' {
		n = digits(n + 1)
	}
	if n < len(s) && (s[n] == 'e' || s[n] == 'E') {
		power := n + 1
		if power < len(s) && (s[power] == '+' || s[power] == '-') {
			power++
		}
		if end := digits(power); end > power {
			n = end
		}
	}
	return n
}

// quoted reads a text in quotation marks, and returns how long it is with them.
func quoted(s string) (string, int, error) {
	var out strings.Builder
	for at := 1; at < len(s); {
		switch s[at] {
		case '"':
			return out.String(), at + 1, nil
		case '\\':
			n, err := escape(&out, s[at:])
			if err != nil {
				return "", 0, err
			}
			at += n
		default:
			out.WriteByte(s[at])
			at++
		}
	}
	return "", 0, syntaxError("unterminated quoted string at end")
}

// bare reads a word without quotation marks.
func bare(s string) (string, int, error) {
	var out strings.Builder
	at := 0
	for at < len(s) {
		if s[at] == '\\' {
			n, err := escape(&out, s[at:])
			if err != nil {
				return "", 0, err
			}
			at += n
			continue
		}
		if strings.IndexByte(special, s[at]) >= 0 {
			break
		}
		out.WriteByte(s[at])
		at++
	}
	return out.String(), at, nil
}

// escape reads what follows a backslash, and returns how long it is with it.
func escape(out *strings.Builder, s string) (int, error) {
	if len(s) < 2 {
		return 0, syntaxError("unexpected end after backslash")
	}
	if plain := strings.IndexByte("bfnrtv", s[1]); plain >= 0 {
		out.WriteByte("\b\f\n\r\t\v"[plain])
		return 2, nil
	}
	switch s[1] {
	case 'x':
		n, err := hex(s, 2, 4)
		if err != nil {
			return 0, syntaxError("invalid hexadecimal character sequence")
		}
		return 4, character(out, n)
	case 'u':
		unit, length, err := codeUnit(s)
		if err != nil {
			return 0, err
		}
		if utf16.IsSurrogate(rune(unit)) {
			low, n, err := codeUnit(s[length:])
			both := utf16.DecodeRune(rune(unit), rune(low))
			if err != nil || both == utf8.RuneError {
				return 0, value.Errorf(value.CodeBadText, "invalid input syntax for type jsonpath: Unicode high and low surrogates must come in pairs")
			}
			unit, length = uint64(both), length+n
		}
		return length, character(out, unit)
	}
	_, n := utf8.DecodeRuneInString(s[1:])
	out.WriteString(s[1 : 1+n])
	return 1 + n, nil
}

// codeUnit reads \uXXXX or \u{X…}.
func codeUnit(s string) (uint64, int, error) {
	if !strings.HasPrefix(s, `\u`) {
		return 0, 0, syntaxError("invalid Unicode escape sequence")
	}
	if strings.HasPrefix(s, `\u{`) {
		if end := strings.IndexByte(s, '}'); end > 3 && end <= 9 {
			n, err := hex(s, 3, end)
			if err == nil {
				return n, end + 1, nil
			}
		}
		return 0, 0, syntaxError("invalid Unicode escape sequence")
	}
	n, err := hex(s, 2, 6)
	if err != nil {
		return 0, 0, syntaxError("invalid Unicode escape sequence")
	}
	return n, 6, nil
}

func hex(s string, from, to int) (uint64, error) {
	if to > len(s) {
		return 0, strconv.ErrSyntax
	}
	return strconv.ParseUint(s[from:to], 16, 32)
}

func character(out *strings.Builder, n uint64) error {
	if n == 0 {
		return value.Errorf("22P05", "unsupported Unicode escape sequence: \\u0000 cannot be converted to text")
	}
	if n > utf8.MaxRune {
		return syntaxError("invalid Unicode escape sequence")
	}
	out.WriteRune(rune(n))
	return nil
}
