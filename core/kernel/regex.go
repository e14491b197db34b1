package kernel

import (
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
	"sync"

	"rovik/core/value"
)

// regex is a compiled regular expression. The syntax is PostgreSQL's advanced
// one as far as Go's engine, which needs time linear in its input, can follow:
// back references and lookaround are errors.
type regex struct {
	re    *regexp.Regexp
	root  *piece
	plain bool // Go's engine finds the first match that PostgreSQL finds
	all   bool // flag g
	nsub  int
}

var (
	regexCache sync.Map // string → *regex
	regexCount int
	regexMutex sync.Mutex
)

// Words of PostgreSQL's syntax that Go spells otherwise.
var regexWords = strings.NewReplacer(`\\`, `\\`, `\m`, `\b`, `\M`, `\b`, `\y`, `\b`, `\Y`, `\B`, `\Z`, `\z`, `[[:<:]]`, `\b`, `[[:>:]]`, `\b`)

func compileRegex(pattern, flags string) (*regex, error) {
	key := flags + "/" + pattern
	if r, ok := regexCache.Load(key); ok {
		return r.(*regex), nil
	}
	r := &regex{}
	foldCase, newline := false, false
	for _, f := range flags {
		switch f {
		case 'g':
			r.all = true
		case 'i':
			foldCase = true
		case 'c':
			foldCase = false
		case 'n', 'm':
			newline = true
		case 's':
			newline = false
		default:
			return nil, value.Errorf(value.CodeBadParameter, "invalid regular expression option: %q", string(f))
		}
	}
	text := pattern
	if rest, ok := strings.CutPrefix(text, "(?i)"); ok {
		text, foldCase = rest, true
	}
	mode := syntax.Perl | syntax.DotNL
	if newline {
		mode = syntax.Perl &^ syntax.OneLine
	}
	text, numbers, err := numbered(regexWords.Replace(text))
	if err != nil {
		return nil, err
	}
	parsed, err := syntax.Parse(text, mode)
	if err != nil {
		return nil, value.Errorf("2201B", "invalid regular expression: %s", err)
	}
	if foldCase {
		foldASCII(parsed)
	}
	if r.re, err = regexp.Compile(parsed.String()); err != nil {
		return nil, value.Errorf("2201B", "invalid regular expression: %s", err)
	}
	r.re.Longest()
	r.root, r.nsub = pieces(parsed, numbers), slices.Max(numbers)
	r.plain = r.nsub == 0 && r.root.pref != shortest
	regexMutex.Lock()
	defer regexMutex.Unlock()
	if regexCount++; regexCount > 1000 {
		regexCache.Clear()
		regexCount = 0
	}
	regexCache.Store(key, r)
	return r, nil
}

// numbered makes parentheses that only group ones that Go's parser keeps, and
// returns for each of them its number, or 0 where it only groups. A quantifier
// needs something before it that is no place.
func numbered(pattern string) (string, []int, error) {
	var b strings.Builder
	numbers, last := []int{0}, 0
	class, operand := false, false
	for i := 0; i < len(pattern); i++ {
		c := pattern[i]
		b.WriteByte(c)
		before := operand
		operand = class || strings.IndexByte("^$|(", c) < 0
		switch {
		case !before && !class && (strings.IndexByte("*+?", c) >= 0 || c == '{' && i+1 < len(pattern) && pattern[i+1] >= '0' && pattern[i+1] <= '9'):
			return "", nil, value.Errorf("2201B", "invalid regular expression: quantifier operand invalid")
		case c == '\\' && i+1 < len(pattern):
			i++
			b.WriteByte(pattern[i])
			operand = strings.IndexByte("AbBz", pattern[i]) < 0
		case class && c == '[' && i+1 < len(pattern) && strings.IndexByte(":.=", pattern[i+1]) >= 0:
			if end := strings.Index(pattern[i+2:], pattern[i+1:i+2]+"]"); end >= 0 {
				b.WriteString(pattern[i+1 : i+2+end+2])
				i += 2 + end + 1
			}
		case class:
			class = c != ']'
		case c == '[':
			class = true
			for _, first := range []string{"^", "]"} { // a bracket that is first is itself
				if strings.HasPrefix(pattern[i+1:], first) {
					b.WriteString(first)
					i++
				}
			}
		case c == '(' && strings.HasPrefix(pattern[i:], "(?:"):
			numbers = append(numbers, 0)
			i += len("?:")
		case c == '(' && !strings.HasPrefix(pattern[i:], "(?"):
			last++
			numbers = append(numbers, last)
		}
	}
	return b.String(), numbers, nil
}

// foldASCII lets every ASCII letter stand for both its cases, as the C
// collation does, and leaves other letters alone.
func foldASCII(r *syntax.Regexp) {
	other := func(c rune) (rune, bool) {
		switch {
		case c >= 'a' && c <= 'z':
			return c - 32, true
		case c >= 'A' && c <= 'Z':
			return c + 32, true
		}
		return c, false
	}
	switch r.Op {
	case syntax.OpLiteral:
		subs := make([]*syntax.Regexp, len(r.Rune))
		for i, c := range r.Rune {
			if o, ok := other(c); ok {
				subs[i] = &syntax.Regexp{Op: syntax.OpCharClass, Rune: []rune{min(c, o), min(c, o), max(c, o), max(c, o)}}
			} else {
				subs[i] = &syntax.Regexp{Op: syntax.OpLiteral, Rune: []rune{c}}
			}
		}
		*r = syntax.Regexp{Op: syntax.OpConcat, Sub: subs}
		return
	case syntax.OpCharClass:
		var add []rune
		for i := 0; i < len(r.Rune); i += 2 {
			for c := max(r.Rune[i], 'A'); c <= min(r.Rune[i+1], 'z'); c++ {
				if o, ok := other(c); ok {
					add = append(add, o, o)
				}
			}
		}
		merged := append(append([]rune{}, r.Rune...), add...)
		// The printer wants sorted ranges.
		var alternatives []*syntax.Regexp
		for i := 0; i < len(merged); i += 2 {
			alternatives = append(alternatives, &syntax.Regexp{Op: syntax.OpCharClass, Rune: merged[i : i+2]})
		}
		if len(add) > 0 {
			*r = syntax.Regexp{Op: syntax.OpAlternate, Sub: alternatives}
		}
		return
	}
	for _, s := range r.Sub {
		foldASCII(s)
	}
}

// each calls f for each match until f returns false; see matcher.all.
func (r *regex) each(s string, f func(at []int) bool) error {
	if !r.re.MatchString(s) {
		return nil
	}
	m := matcher{root: r.root, nsub: r.nsub, text: s}
	return m.all(f)
}

// first returns the first match, or nil.
func (r *regex) first(s string) (at []int, err error) {
	if r.plain {
		return r.re.FindStringIndex(s), nil
	}
	err = r.each(s, func(m []int) bool { at = m; return false })
	return at, err
}

// groups returns the texts of the parentheses of a match, or of the whole where
// there are none.
func (r *regex) groups(s string, at []int) []value.Value {
	var out []value.Value
	for i := min(1, r.nsub); i <= r.nsub; i++ {
		if at[2*i] < 0 {
			out = append(out, value.NullOf(value.Text))
		} else {
			out = append(out, value.TextOf(s[at[2*i]:at[2*i+1]]))
		}
	}
	return out
}

// split cuts s at matches; a match without length cuts between characters, and not
// behind another match.
func (r *regex) split(s string) ([]string, error) {
	var out []string
	last := 0
	err := r.each(s, func(m []int) bool {
		if m[1] > m[0] || m[0] > last && m[0] < len(s) {
			out = append(out, s[last:m[0]])
			last = m[1]
		}
		return true
	})
	return append(out, s[last:]), err
}

// template turns \1 and \& of a replacement into Go's form.
func template(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '$':
			b.WriteString("$$")
		case s[i] == '\\' && i+1 < len(s):
			i++
			switch c := s[i]; {
			case c >= '1' && c <= '9':
				b.WriteString("${" + string(c) + "}")
			case c == '&':
				b.WriteString("${0}")
			case c == '\\':
				b.WriteByte('\\')
			default:
				b.WriteString(`\` + string(c))
			}
		default:
			b.WriteByte(s[i])
		}
	}
	return b.String()
}

func (r *regex) replace(s, by string) (string, error) {
	var out []byte
	t, last := template(by), 0
	put := func(m []int) bool {
		out = r.re.ExpandString(append(out, s[last:m[0]]...), t, s, m)
		last = m[1]
		return r.all
	}
	if r.all {
		err := r.each(s, put)
		return string(out) + s[last:], err
	}
	m, err := r.first(s)
	if m != nil {
		put(m)
	}
	return string(out) + s[last:], err
}

// similar turns a SIMILAR TO pattern into a regular expression.
func similar(pattern, escape string) (string, error) {
	if len([]rune(escape)) > 1 {
		return "", value.Errorf("22025", "invalid escape string").WithHint("an escape is one character or empty")
	}
	var b strings.Builder
	b.WriteString("^(?:")
	escaped, class := false, false
	for _, c := range pattern {
		switch {
		case escaped:
			b.WriteString(regexp.QuoteMeta(string(c)))
			escaped = false
		case string(c) == escape:
			escaped = true
		case class:
			b.WriteRune(c)
			class = c != ']'
		case c == '%':
			b.WriteString(".*")
		case c == '_':
			b.WriteByte('.')
		case c == '[':
			class = true
			b.WriteRune(c)
		case strings.ContainsRune(`.^$\`, c):
			b.WriteString(`\` + string(c))
		default:
			b.WriteRune(c)
		}
	}
	return b.String() + ")$", nil
}

func init() {
	t, i4, texts := value.Text, value.Int4, value.ArrayOf(value.Text)
	match := func(flags string) func(s, p string) (bool, error) {
		return func(s, p string) (bool, error) {
			re, err := compileRegex(p, flags)
			if err != nil {
				return false, err
			}
			return re.re.MatchString(s), nil
		}
	}
	for _, k := range []value.Kind{t, value.Char} {
		def2("~", k, t, value.Bool, match(""))
		def2("~*", k, t, value.Bool, match("i"))
	}
	def2("regexp_like", t, t, value.Bool, match(""))
	def3("regexp_like", t, t, t, value.Bool, func(s, p, flags string) (bool, error) { return match(flags)(s, p) })
	similarTo := func(s, p, e string) (bool, error) {
		re, err := similar(p, e)
		if err != nil {
			return false, err
		}
		return match("")(s, re)
	}
	for _, k := range []value.Kind{t, value.Char} { // patterns see the padding
		def2("similar to", k, t, value.Bool, func(s, p string) (bool, error) { return similarTo(s, p, `\`) })
		define(boxed("similar to", []value.Kind{k, t, t}, value.Bool, false, func(a []value.Value) (value.Value, error) {
			if a[1].IsNull || a[2].IsNull {
				return nullValue(), nil
			}
			if _, err := similar(a[1].Str, a[2].Str); err != nil || a[0].IsNull { // whatever there is to match
				return nullValue(), err
			}
			is, err := similarTo(a[0].Str, a[1].Str, a[2].Str)
			return boolValue(is), err
		}))
	}
	def3("regexp_replace", t, t, t, t, func(s, p, by string) (string, error) {
		re, err := compileRegex(p, "")
		if err != nil {
			return "", err
		}
		return re.replace(s, by)
	})
	box("regexp_replace", t, func(a []value.Value) (value.Value, error) {
		re, err := compileRegex(a[1].Str, a[3].Str)
		if err != nil {
			return nullValue(), err
		}
		out, err := re.replace(a[0].Str, a[2].Str)
		return textValue(out), err
	}, t, t, t, t)
	found := func(re *regex, s string) (value.Value, error) {
		m, err := re.first(s)
		if m == nil {
			return nullValue(), err
		}
		return listValue(re.groups(s, m)), err
	}
	withFlags := func(name string, result value.Kind, f func(re *regex, s string) (value.Value, error)) {
		run := func(a []value.Value) (value.Value, error) {
			flags := ""
			if len(a) > 2 {
				flags = a[2].Str
			}
			re, err := compileRegex(a[1].Str, flags)
			if err != nil {
				return nullValue(), err
			}
			return f(re, a[0].Str)
		}
		box(name, result, run, t, t)
		box(name, result, run, t, t, t)
	}
	withFlags("regexp_match", texts, found)
	withFlags("regexp_split_to_array", texts, func(re *regex, s string) (value.Value, error) {
		parts, err := re.split(s)
		var out []value.Value
		for _, p := range parts {
			out = append(out, value.TextOf(p))
		}
		return listValue(out), err
	})
	box("regexp_count", i4, func(a []value.Value) (value.Value, error) {
		re, err := compileRegex(a[1].Str, "")
		if err != nil {
			return nullValue(), err
		}
		n := int64(0)
		err = re.each(a[0].Str, func([]int) bool { n++; return true })
		return intValue(n), err
	}, t, t)
	for _, name := range []string{"substring", "regexp_substr"} {
		box(name, t, func(a []value.Value) (value.Value, error) {
			re, err := compileRegex(a[1].Str, "")
			if err != nil {
				return nullValue(), err
			}
			m, err := re.first(a[0].Str)
			switch {
			case m == nil:
				return nullValue(), err
			case name == "regexp_substr":
				return textValue(a[0].Str[m[0]:m[1]]), err
			}
			return re.groups(a[0].Str, m)[0], err
		}, t, t)
	}
	box("regexp_instr", i4, func(a []value.Value) (value.Value, error) {
		re, err := compileRegex(a[1].Str, "")
		if err != nil {
			return nullValue(), err
		}
		m, err := re.first(a[0].Str)
		if m == nil {
			return intValue(0), err
		}
		return intValue(int64(length(a[0].Str[:m[0]])) + 1), nil
	}, t, t)
}
