package kernel

import (
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"

	"rovik/core/value"
)

// normalForm is a Unicode normalization form by its name, in any letter case.
func normalForm(name string) (norm.Form, error) {
	form, ok := map[string]norm.Form{"NFC": norm.NFC, "NFD": norm.NFD, "NFKC": norm.NFKC, "NFKD": norm.NFKD}[strings.ToUpper(name)]
	if !ok {
		return form, value.Errorf(value.CodeBadParameter, "invalid normalization form: %s", name)
	}
	return form, nil
}

// unescaped reads the escapes \XXXX, \+XXXXXX, \uXXXX and \UXXXXXXXX.
func unescaped(s string) (string, error) {
	var out strings.Builder
	high := rune(0)
	bad := func() (string, error) {
		return "", value.Errorf(value.CodeSyntax, "invalid Unicode escape").WithHint(`Unicode escapes are \XXXX, \+XXXXXX, \uXXXX, or \UXXXXXXXX`)
	}
	for i := 0; i < len(s); {
		if s[i] != '\\' {
			if high != 0 {
				return "", value.Errorf(value.CodeSyntax, "invalid Unicode surrogate pair")
			}
			_, size := utf8.DecodeRuneInString(s[i:])
			out.WriteString(s[i : i+size])
			i += size
			continue
		}
		if strings.HasPrefix(s[i:], `\\`) {
			if high != 0 {
				return "", value.Errorf(value.CodeSyntax, "invalid Unicode surrogate pair")
			}
			out.WriteByte('\\')
			i += 2
			continue
		}
		from, digits := i+1, 4
		if from < len(s) {
			switch s[from] {
			case '+':
				from, digits = from+1, 6
			case 'u':
				from++
			case 'U':
				from, digits = from+1, 8
			}
		}
		if from+digits > len(s) || strings.ContainsAny(s[from:from+digits], "+-_") {
			return bad()
		}
		n, err := strconv.ParseUint(s[from:from+digits], 16, 32)
		if err != nil {
			return bad()
		}
		i = from + digits
		c := rune(n)
		switch {
		case n == 0 || n > 0x10FFFF:
			return "", value.Errorf(value.CodeBadParameter, "invalid Unicode code point: %04X", n)
		case high != 0:
			c = utf16.DecodeRune(high, c)
			if c == utf8.RuneError {
				return "", value.Errorf(value.CodeSyntax, "invalid Unicode surrogate pair")
			}
			high = 0
		case utf16.IsSurrogate(c) && c < 0xDC00:
			high = c
			continue
		case utf16.IsSurrogate(c):
			return "", value.Errorf(value.CodeSyntax, "invalid Unicode surrogate pair")
		}
		out.WriteRune(c)
	}
	if high != 0 {
		return "", value.Errorf(value.CodeSyntax, "invalid Unicode surrogate pair")
	}
	return out.String(), nil
}

func addUnicode(r *registry) {
	t := value.Text
	normalize := func(s, form string) (string, error) {
		f, err := normalForm(form)
		if err != nil {
			return "", err
		}
		return f.String(s), nil
	}
	isNormal := func(s, form string) (bool, error) {
		f, err := normalForm(form)
		return err == nil && f.IsNormalString(s), err
	}
	def1(r, "normalize", t, t, func(s string) (string, error) { return normalize(s, "NFC") })
	def2(r, "normalize", t, t, t, normalize)
	def1(r, "is_normalized", t, value.Bool, func(s string) (bool, error) { return isNormal(s, "NFC") })
	def2(r, "is_normalized", t, t, value.Bool, isNormal)
	def1(r, "unistr", t, t, unescaped)
}
