package kernel

import (
	"crypto/md5"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// translate replaces characters one by one; those without a counterpart go.
func translate(s, from, to string) string {
	target := []rune(to)
	by := map[rune]rune{}
	for i, r := range []rune(from) {
		if _, ok := by[r]; ok {
			continue
		}
		if by[r] = -1; i < len(target) {
			by[r] = target[i]
		}
	}
	return strings.Map(func(r rune) rune {
		if t, ok := by[r]; ok {
			return t
		}
		return r
	}, s)
}

func chr(n int32) (string, error) {
	switch {
	case n == 0:
		return "", value.Errorf("54000", "null character not permitted")
	case n < 0:
		return "", value.Errorf("22023", "character number must be positive")
	case n > utf8.MaxRune || n >= 0xD800 && n < 0xE000:
		return "", value.Errorf("54000", "requested character not valid for encoding: %d", n)
	}
	return string(rune(n)), nil
}

func overlay(s, by string, from, n int64) (string, error) {
	if from <= 0 {
		return "", value.Errorf("22011", "negative substring length not allowed")
	}
	if end := from + n; end != int64(int32(end)) {
		return "", value.ErrIntegerRange
	}
	return substring(s, 1, from) + by + substring(s, from+n, 1<<40), nil
}

func quoteLiteral(s string) string {
	out := "'" + strings.ReplaceAll(s, "'", "''") + "'"
	if strings.Contains(s, `\`) {
		out = " E" + strings.ReplaceAll(out, `\`, `\\`)
		out = out[1:]
	}
	return out
}

func quoteIdent(s string) string {
	plain := s != "" && (s[0] == '_' || s[0] >= 'a' && s[0] <= 'z')
	for i := 0; i < len(s); i++ {
		c := s[i]
		plain = plain && (c == '_' || c >= 'a' && c <= 'z' || c >= '0' && c <= '9')
	}
	if plain && !reserved[s] {
		return s
	}
	return `"` + strings.ReplaceAll(s, `"`, `""`) + `"`
}

var reserved = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`all analyse analyze and any array as asc asymmetric both case cast check collate column constraint create
		current_date current_time current_timestamp current_user default deferrable desc distinct do else end except false fetch for foreign from grant
		group having in initially intersect into lateral leading limit localtime localtimestamp not null offset on only or order placing primary
		references returning select session_user some symmetric table then to trailing true union unique user using variadic when where window with
		between bigint bit boolean char character coalesce dec decimal exists extract float greatest grouping inout int integer interval least national
		nchar none normalize nullif numeric out overlay position precision real row setof smallint substring time timestamp treat trim values varchar
		authorization binary collation concurrently cross current_schema freeze full ilike inner is isnull join left like natural notnull outer overlaps
		right similar tablesample verbose`) {
		m[w] = true
	}
	return m
}()

// format is PostgreSQL's format(): %s, %I, %L, %%, positions and widths.
func format(a []value.Value) (value.Value, error) {
	if a[0].IsNull {
		return nullValue(), nil
	}
	var b strings.Builder
	f, next := a[0].Str, 1
	for i := 0; i < len(f); i++ {
		if f[i] != '%' {
			b.WriteByte(f[i])
			continue
		}
		i++
		start := i
		for i < len(f) && f[i] >= '0' && f[i] <= '9' {
			i++
		}
		if i < len(f) && f[i] == '$' {
			n, err := strconv.Atoi(f[start:i])
			if err != nil || n == 0 {
				return nullValue(), value.Errorf(value.CodeBadParameter, "format specifies argument 0, but arguments are numbered from 1")
			}
			next = n
			i++
			start = i
		} else {
			i = start
		}
		left := i < len(f) && f[i] == '-'
		if left {
			i++
		}
		start = i
		for i < len(f) && f[i] >= '0' && f[i] <= '9' {
			i++
		}
		width, _ := strconv.Atoi(f[start:i])
		if i >= len(f) {
			return nullValue(), value.Errorf(value.CodeBadParameter, "unterminated format() type specifier")
		}
		if f[i] == '%' {
			b.WriteByte('%')
			continue
		}
		if !strings.ContainsRune("sIL", rune(f[i])) {
			return nullValue(), value.Errorf(value.CodeBadParameter, "unrecognized format() type specifier %q", string(f[i]))
		}
		if next >= len(a) {
			return nullValue(), value.Errorf(value.CodeBadParameter, "too few arguments for format()")
		}
		v := a[next]
		next++
		text := ""
		if !v.IsNull {
			if text = v.String(); v.Kind == value.Bool {
				text = text[:1]
			}
		}
		switch f[i] {
		case 'I':
			if v.IsNull {
				return nullValue(), value.Errorf("22004", "null values cannot be formatted as an SQL identifier")
			}
			text = quoteIdent(text)
		case 'L':
			if text = quoteLiteral(text); v.IsNull {
				text = "NULL"
			}
		}
		pad := strings.Repeat(" ", max(min(width, value.MaxText)-utf8.RuneCountInString(text), 0))
		if left {
			b.WriteString(text + pad)
		} else {
			b.WriteString(pad + text)
		}
	}
	return textValue(b.String()), nil
}

func encode(b []byte, how string) (string, error) {
	switch strings.ToLower(how) {
	case "hex":
		return hex.EncodeToString(b), nil
	case "base64":
		s := base64.StdEncoding.EncodeToString(b)
		var lines []string
		for ; len(s) > 76; s = s[76:] {
			lines = append(lines, s[:76])
		}
		return strings.Join(append(lines, s), "\n"), nil
	case "escape":
		var out strings.Builder
		for _, c := range b {
			switch {
			case c == 0 || c >= 0x80:
				fmt.Fprintf(&out, `\%03o`, c)
			case c == '\\':
				out.WriteString(`\\`)
			default:
				out.WriteByte(c)
			}
		}
		return out.String(), nil
	}
	return "", value.Errorf(value.CodeBadParameter, "unrecognized encoding: %q", how)
}

func decode(s, how string) ([]byte, error) {
	var b []byte
	var err error
	switch strings.ToLower(how) {
	case "hex":
		b, err = hex.DecodeString(strings.Join(strings.Fields(s), ""))
	case "base64":
		b, err = base64.StdEncoding.DecodeString(strings.Join(strings.Fields(s), ""))
	case "escape":
		var t string
		t, err = value.ParseBytes(strings.ReplaceAll(s, `\x`, `\\x`))
		b = []byte(t)
	default:
		return nil, value.Errorf(value.CodeBadParameter, "unrecognized encoding: %q", how)
	}
	if err != nil {
		return nil, value.Errorf(value.CodeBadParameter, "the text is not valid %s data", how)
	}
	return b, nil
}

func addTextFunctions(r *registry) {
	t, i4, i8, by := value.Text, value.Int4, value.Int8, value.Bytea
	def3(r, "translate", t, t, t, t, sure3(translate))
	def1(r, "chr", i4, t, chr)
	def1(r, "bit_length", t, i4, sure1(func(s string) int32 { return int32(8 * len(s)) }))
	box(r, "overlay", t, func(a []value.Value) (value.Value, error) {
		s, err := overlay(a[0].Str, a[1].Str, a[2].Int, a[3].Int)
		return textValue(s), err
	}, t, t, i4, i4)
	def3(r, "overlay", t, t, i4, t, func(s, with string, from int32) (string, error) {
		return overlay(s, with, int64(from), int64(length(with)))
	})
	def1(r, "md5", t, t, sure1(func(s string) string { sum := md5.Sum([]byte(s)); return hex.EncodeToString(sum[:]) }))
	def1(r, "md5", by, t, sure1(func(b []byte) string { sum := md5.Sum(b); return hex.EncodeToString(sum[:]) }))
	def1(r, "sha256", by, by, sure1(func(b []byte) []byte { sum := sha256.Sum256(b); return sum[:] }))
	def1(r, "sha512", by, by, sure1(func(b []byte) []byte { sum := sha512.Sum512(b); return sum[:] }))
	def1(r, "to_hex", i4, t, sure1(func(n int32) string { return strconv.FormatUint(uint64(uint32(n)), 16) }))
	def1(r, "to_hex", i8, t, sure1(func(n int64) string { return strconv.FormatUint(uint64(n), 16) }))
	def1(r, "quote_literal", t, t, sure1(quoteLiteral))
	def1(r, "quote_ident", t, t, sure1(quoteIdent))
	define(r, boxed("quote_nullable", []value.Kind{t}, t, false, func(a []value.Value) (value.Value, error) {
		if a[0].IsNull {
			return textValue("NULL"), nil
		}
		return textValue(quoteLiteral(a[0].Str)), nil
	}))
	r.polymorphic["format"] = func(kinds []value.Kind) *Func {
		if len(kinds) == 0 || kinds[0] != t {
			return nil
		}
		return boxed("format", kinds, t, false, format)
	}
	def2(r, "^@", t, t, value.Bool, sure2(strings.HasPrefix))

	def1(r, "length", by, i4, sure1(func(b []byte) int32 { return int32(len(b)) }))
	def1(r, "octet_length", by, i4, sure1(func(b []byte) int32 { return int32(len(b)) }))
	def2(r, "encode", by, t, t, encode)
	def2(r, "decode", t, t, by, decode)
	def2(r, "convert_from", by, t, t, func(b []byte, enc string) (string, error) {
		if e := strings.ToUpper(enc); e != "UTF8" && e != "UTF-8" {
			return "", value.Errorf(value.CodeUnsupported, "only UTF8 is converted here, not %s", enc)
		}
		if !utf8.Valid(b) {
			return "", value.Errorf("22021", "invalid byte sequence for encoding \"UTF8\"")
		}
		return string(b), nil
	})
	def2(r, "convert_to", t, t, by, func(s, enc string) ([]byte, error) {
		if e := strings.ToUpper(enc); e != "UTF8" && e != "UTF-8" {
			return nil, value.Errorf(value.CodeUnsupported, "only UTF8 is converted here, not %s", enc)
		}
		return []byte(s), nil
	})
	def2(r, "||", by, by, by, sure2(func(a, b []byte) []byte { return append(append([]byte{}, a...), b...) }))
	def2(r, "get_byte", by, i4, i4, func(b []byte, n int32) (int32, error) {
		if n < 0 || int(n) >= len(b) {
			return 0, value.Errorf("2202E", "index %d out of valid range, 0..%d", n, len(b)-1)
		}
		return int32(b[n]), nil
	})
	defComparisons(r, by, func(a, b []byte) int { return strings.Compare(string(a), string(b)) })
	defComparisons(r, value.UUID, strings.Compare)
	unpadded := func(s string) string { return value.Unpadded(s) }
	defComparisons(r, value.Char, func(a, b string) int { return strings.Compare(unpadded(a), unpadded(b)) })
	defComparisons(r, value.Time, func(a, b clock) int { return ordered(int64(a), int64(b)) })
	def1(r, "length", value.Char, i4, sure1(func(s string) int32 { return length(unpadded(s)) }))
	def1(r, "octet_length", value.Char, i4, sure1(func(s string) int32 { return int32(len(s)) }))
	def1(r, "char output", value.Char, value.Text, sure1(func(s string) string { return s }))
}
