package kernel

import (
	"math"
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// mapASCII changes letters as the C collation does: ASCII ones alone.
func mapASCII(s string, from, to byte, delta int) string {
	for i := 0; i < len(s); i++ {
		if s[i] >= from && s[i] <= to {
			b := []byte(s)
			for ; i < len(b); i++ {
				if b[i] >= from && b[i] <= to {
					b[i] = byte(int(b[i]) + delta)
				}
			}
			return string(b)
		}
	}
	return s
}

func lower(s string) string { return mapASCII(s, 'A', 'Z', 'a'-'A') }
func upper(s string) string { return mapASCII(s, 'a', 'z', 'A'-'a') }

func initcap(s string) string {
	b, inWord := []byte(lower(s)), false
	for i, c := range b {
		letter := c >= 'a' && c <= 'z'
		if letter && !inWord {
			b[i] = c - 'a' + 'A'
		}
		inWord = letter || c >= '0' && c <= '9'
	}
	return string(b)
}

// runeOffset returns the byte offset of character n, or len(s).
func runeOffset(s string, n int) int {
	if n <= 0 {
		return 0
	}
	for i := range s {
		if n == 0 {
			return i
		}
		n--
	}
	return len(s)
}

// substring takes the characters from start (counted from 1) up to, not
// including, end.
func substring(s string, start, end int64) string {
	if start < 1 {
		start = 1
	}
	if end <= start {
		return ""
	}
	limit := int64(len(s)) + 1
	from := runeOffset(s, int(min(start-1, limit)))
	return s[from : from+runeOffset(s[from:], int(min(end-start, limit)))]
}

func length(s string) int32 { return int32(utf8.RuneCountInString(s)) }

func left(s string, n int32) string {
	if n < 0 {
		n = max(length(s)+n, 0)
	}
	return s[:runeOffset(s, int(n))]
}

func right(s string, n int32) string {
	if n == math.MinInt32 {
		return s // as PostgreSQL, whose -n is no number of characters
	}
	if n < 0 {
		return s[runeOffset(s, int(-int64(n))):]
	}
	return s[runeOffset(s, int(max(length(s)-n, 0))):]
}

// pad fills s to n characters with fill, on its left or right; longer text is
// cut at its end.
func pad(s string, n int32, fill string, onLeft bool) (string, error) {
	have := length(s)
	if n <= have || fill == "" {
		return left(s, max(n, 0)), nil
	}
	missing := int(n - have)
	if missing*utf8.UTFMax > value.MaxText {
		return "", errTooLong
	}
	f := strings.Repeat(fill, missing/int(length(fill))+1)
	f = f[:runeOffset(f, missing)]
	if onLeft {
		return f + s, nil
	}
	return s + f, nil
}

func splitPart(s, sep string, n int32) (string, error) {
	if n == 0 {
		return "", value.Errorf(value.CodeBadParameter, "field position must not be zero")
	}
	parts := []string{s}
	if sep != "" {
		parts = strings.Split(s, sep)
	} else if s == "" {
		parts = nil
	}
	i := int(n) - 1
	if n < 0 {
		i = len(parts) + int(n)
	}
	if i < 0 || i >= len(parts) {
		return "", nil
	}
	return parts[i], nil
}

func addText(r *registry) {
	t, i4 := value.Text, value.Int4
	def1(r, "lower", t, t, sure1(lower))
	def1(r, "upper", t, t, sure1(upper))
	def1(r, "initcap", t, t, sure1(initcap))
	for _, n := range []string{"length", "char_length", "character_length"} {
		def1(r, n, t, i4, sure1(length))
	}
	def1(r, "octet_length", t, i4, sure1(func(s string) int32 { return int32(len(s)) }))
	trims := map[string]func(s, chars string) string{"btrim": strings.Trim, "ltrim": strings.TrimLeft, "rtrim": strings.TrimRight}
	for n, f := range trims {
		def1(r, n, t, t, sure1(func(s string) string { return f(s, " ") }))
		def2(r, n, t, t, t, sure2(f))
	}
	def2(r, "substring", t, i4, t, sure2(func(s string, from int32) string { return substring(s, int64(from), 1<<40) }))
	def3(r, "substring", t, i4, i4, t, func(s string, from, n int32) (string, error) {
		if n < 0 {
			return "", value.Errorf("22011", "negative substring length not allowed")
		}
		return substring(s, int64(from), int64(from)+int64(n)), nil
	})
	r.functions["substr"] = renamed("substr", r.functions["substring"])
	def2(r, "left", t, i4, t, sure2(left))
	def2(r, "right", t, i4, t, sure2(right))
	def3(r, "replace", t, t, t, t, func(s, from, to string) (string, error) {
		if from == "" {
			return s, nil
		}
		if more := len(to) - len(from); more > 0 && len(s) > value.MaxText/(1+len(to)) && times(more, int64(strings.Count(s, from)))+int64(len(s)) > value.MaxText {
			return "", errTooLong
		}
		return strings.ReplaceAll(s, from, to), nil
	})
	def2(r, "strpos", t, t, i4, sure2(strpos))
	def2(r, "position", t, t, i4, sure2(strpos)) // the grammar has put the text first
	def2(r, "starts_with", t, t, value.Bool, sure2(strings.HasPrefix))
	def3(r, "lpad", t, i4, t, t, func(s string, n int32, f string) (string, error) { return pad(s, n, f, true) })
	def3(r, "rpad", t, i4, t, t, func(s string, n int32, f string) (string, error) { return pad(s, n, f, false) })
	def2(r, "lpad", t, i4, t, func(s string, n int32) (string, error) { return pad(s, n, " ", true) })
	def2(r, "rpad", t, i4, t, func(s string, n int32) (string, error) { return pad(s, n, " ", false) })
	def3(r, "split_part", t, t, i4, t, splitPart)
	def2(r, "repeat", t, i4, t, func(s string, n int32) (string, error) {
		if len(s)*int(max(n, 0)) > value.MaxText {
			return "", errTooLong
		}
		return strings.Repeat(s, int(max(n, 0))), nil
	})
	def1(r, "reverse", t, t, sure1(func(s string) string {
		r := []rune(s)
		for i, j := 0, len(r)-1; i < j; i, j = i+1, j-1 {
			r[i], r[j] = r[j], r[i]
		}
		return string(r)
	}))
	def1(r, "ascii", t, i4, sure1(func(s string) int32 {
		r, size := utf8.DecodeRuneInString(s)
		if size == 0 {
			return 0
		}
		return r
	}))
	def2(r, "||", t, t, t, func(a, b string) (string, error) {
		if len(a)+len(b) > value.MaxText {
			return "", errTooLong
		}
		return a + b, nil
	})
}

func strpos(s, sub string) int32 {
	i := strings.Index(s, sub)
	if i < 0 {
		return 0
	}
	return length(s[:i]) + 1
}

func renamed(name string, fs []*Func) []*Func {
	out := make([]*Func, len(fs))
	for i, f := range fs {
		c := *f
		c.Name = name
		out[i] = &c
	}
	return out
}
