package value

import "strings"

// MaxList is the largest number of elements of an array that Rovik makes.
const MaxList = 1 << 20

// FormatList writes an array as PostgreSQL prints it: {a,NULL,"b c"}.
func FormatList(items []Value) string {
	var b strings.Builder
	b.WriteByte('{')
	for i, v := range items {
		if i > 0 {
			b.WriteByte(',')
		}
		s := v.String()
		if v.Kind == Bool && !v.IsNull {
			s = s[:1]
		}
		if v.IsNull || !needsQuotes(s) {
			b.WriteString(s)
			continue
		}
		b.WriteByte('"')
		b.WriteString(strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s))
		b.WriteByte('"')
	}
	b.WriteByte('}')
	return b.String()
}

func needsQuotes(s string) bool {
	return s == "" || strings.EqualFold(s, "null") || strings.ContainsAny(s, "{}\",\\ \t\n\r\v\f")
}

// ParseList reads what FormatList writes: an array of one dimension.
func ParseList(elem Kind, s string) ([]Value, error) {
	bad := func() error { return Errorf(CodeBadText, "malformed array literal: %q", s) }
	t := strings.TrimSpace(s)
	if len(t) < 2 || t[0] != '{' || t[len(t)-1] != '}' {
		return nil, bad()
	}
	t = t[1 : len(t)-1]
	items := []Value{}
	if strings.TrimSpace(t) == "" {
		return items, nil
	}
	for i := 0; ; {
		for i < len(t) && t[i] == ' ' {
			i++
		}
		var word strings.Builder
		quoted := false
		if i < len(t) && t[i] == '"' {
			quoted = true
			for i++; ; i++ {
				if i >= len(t) {
					return nil, bad()
				}
				if t[i] == '"' {
					i++
					break
				}
				if t[i] == '\\' && i+1 < len(t) {
					i++
				}
				word.WriteByte(t[i])
			}
			for i < len(t) && t[i] == ' ' {
				i++
			}
		} else {
			for ; i < len(t) && t[i] != ','; i++ {
				switch t[i] {
				case '{', '}':
					return nil, Errorf(CodeUnsupported, "only one-dimensional arrays are supported")
				case '"':
					return nil, bad()
				case '\\':
					if i++; i >= len(t) {
						return nil, bad()
					}
				}
				word.WriteByte(t[i])
			}
		}
		text := word.String()
		if !quoted {
			if text = strings.TrimRight(text, " "); text == "" {
				return nil, bad()
			}
		}
		if !quoted && strings.EqualFold(text, "null") {
			items = append(items, NullOf(elem))
		} else {
			v, err := Parse(elem, text)
			if err != nil {
				return nil, err
			}
			items = append(items, v)
		}
		if i >= len(t) {
			return items, nil
		}
		if t[i] != ',' {
			return nil, bad()
		}
		i++
	}
}

func compareLists(a, b []Value) int {
	for i := range min(len(a), len(b)) {
		switch {
		case a[i].IsNull && b[i].IsNull:
		case a[i].IsNull:
			return 1
		case b[i].IsNull:
			return -1
		default:
			if c := Compare(a[i], b[i]); c != 0 {
				return c
			}
		}
	}
	return len(a) - len(b)
}
