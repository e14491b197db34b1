package kernel

import (
	"strings"

	"rovik/core/value"
)

// parseIdent is parse_ident: the parts of a dotted name, those without quotes in small letters.
// What follows the name is an error where strict.
func parseIdent(name string, strict bool) ([]value.Value, error) {
	wrong := func(format string, args ...any) error {
		err := value.Errorf(value.CodeBadParameter, "string is not a valid identifier: %q", name)
		if format != "" {
			err = err.WithHint(format, args...)
		}
		return err
	}
	const space = " \t\n\v\f\r"
	var parts []value.Value
	rest, afterDot := strings.TrimLeft(name, space), false
	for {
		switch {
		case strings.HasPrefix(rest, `"`):
			var part strings.Builder
			rest = rest[1:]
			for {
				end := strings.IndexByte(rest, '"')
				if end < 0 {
					return nil, wrong("a quotation mark is missing at the end")
				}
				part.WriteString(rest[:end])
				rest = rest[end+1:]
				if !strings.HasPrefix(rest, `"`) {
					break
				}
				part.WriteByte('"')
				rest = rest[1:]
			}
			if part.Len() == 0 {
				return nil, wrong("a name in quotation marks has at least one character")
			}
			parts = append(parts, value.TextOf(part.String()))
		case rest != "" && startsName(rest[0]):
			n := 1
			for n < len(rest) && (startsName(rest[n]) || rest[n] >= '0' && rest[n] <= '9' || rest[n] == '$') {
				n++
			}
			parts = append(parts, value.TextOf(smallASCII(rest[:n])))
			rest = rest[n:]
		case afterDot:
			return nil, wrong(`there is no name after "."`)
		case strings.HasPrefix(rest, "."):
			return nil, wrong(`there is no name before "."`)
		default:
			return nil, wrong("")
		}
		rest = strings.TrimLeft(rest, space)
		switch {
		case strings.HasPrefix(rest, "."):
			rest, afterDot = strings.TrimLeft(rest[1:], space), true
			continue
		case rest != "" && strict:
			return nil, wrong("")
		}
		return parts, nil
	}
}

func startsName(c byte) bool {
	return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80
}

func smallASCII(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'A' && r <= 'Z' {
			return r + 'a' - 'A'
		}
		return r
	}, s)
}

func addIdentifiers(r *registry) {
	texts := value.ArrayOf(value.Text)
	box(r, "parse_ident", texts, func(a []value.Value) (value.Value, error) {
		parts, err := parseIdent(a[0].Str, true)
		return listValue(parts), err
	}, value.Text)
	box(r, "parse_ident", texts, func(a []value.Value) (value.Value, error) {
		parts, err := parseIdent(a[0].Str, a[1].Truth())
		return listValue(parts), err
	}, value.Text, value.Bool)
}
