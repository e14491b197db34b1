package kernel

import (
	"regexp"
	"regexp/syntax"
	"strings"
	"sync"

	"rovik/core/value"
)

// regex is a compiled regular expression. The syntax is PostgreSQL's advanced
// one as far as Go's engine, which needs time linear in its input, can follow:
// back references and lookaround are errors.
type regex struct {
	re   *regexp.Regexp
	all  bool // flag g
	nsub int
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
	parsed, err := syntax.Parse(regexWords.Replace(text), mode)
	if err != nil {
		return nil, value.Errorf("2201B", "invalid regular expression: %s", err)
	}
	if foldCase {
		foldASCII(parsed)
	}
	if r.re, err = regexp.Compile(parsed.String()); err != nil {
		return nil, value.Errorf("2201B", "invalid regular expression: %s", err)
	}
	if !lazy(parsed) {
		r.re.Longest()
	}
	r.nsub = r.re.NumSubexp()
	regexMutex.Lock()
	defer regexMutex.Unlock()
	if regexCount++; regexCount > 1000 {
		regexCache.Clear()
		regexCount = 0
	}
	regexCache.Store(key, r)
	return r, nil
}

func lazy(r *syntax.Regexp) bool {
	if r.Flags&syntax.NonGreedy != 0 && (r.Op == syntax.OpStar || r.Op == syntax.OpPlus || r.Op == syntax.OpQuest || r.Op == syntax.OpRepeat) {
		return true
	}
	for _, s := range r.Sub {
		if lazy(s) {
			return true
		}
	}
	return false
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

// split cuts s at matches; a match without length cuts between characters.
func (r *regex) split(s string) []string {
	var out []string
	last := 0
	for _, m := range r.re.FindAllStringIndex(s, -1) {
		if m[1] == m[0] && (m[0] == 0 || m[0] >= len(s)) {
			continue
		}
		out = append(out, s[last:m[0]])
		last = m[1]
	}
	return append(out, s[last:])
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
			case c >= '0' && c <= '9':
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

func (r *regex) replace(s, by string) string {
	t := template(by)
	if r.all {
		return r.re.ReplaceAllString(s, t)
	}
	m := r.re.FindStringSubmatchIndex(s)
	if m == nil {
		return s
	}
	return string(r.re.ExpandString(append([]byte{}, s[:m[0]]...), t, s, m)) + s[m[1]:]
}

// similar turns a SIMILAR TO pattern into a regular expression.
func similar(pattern, escape string) (string, error) {
	if len([]rune(escape)) > 1 {
		return "", value.Errorf("22019", "invalid escape string").WithHint("an escape is one character or empty")
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
	def2("similar to", t, t, value.Bool, func(s, p string) (bool, error) { return similarTo(s, p, `\`) })
	def3("similar to", t, t, t, value.Bool, similarTo)
	def3("regexp_replace", t, t, t, t, func(s, p, by string) (string, error) {
		re, err := compileRegex(p, "")
		if err != nil {
			return "", err
		}
		return re.replace(s, by), nil
	})
	box("regexp_replace", t, func(a []value.Value) (value.Value, error) {
		re, err := compileRegex(a[1].Str, a[3].Str)
		if err != nil {
			return nullValue(), err
		}
		return textValue(re.replace(a[0].Str, a[2].Str)), nil
	}, t, t, t, t)
	found := func(re *regex, s string) value.Value {
		m := re.re.FindStringSubmatchIndex(s)
		if m == nil {
			return nullValue()
		}
		from := 1
		if re.nsub == 0 {
			from = 0
		}
		var out []value.Value
		for i := from; i <= re.nsub; i++ {
			if m[2*i] < 0 {
				out = append(out, value.NullOf(t))
			} else {
				out = append(out, value.TextOf(s[m[2*i]:m[2*i+1]]))
			}
		}
		return listValue(out)
	}
	withFlags := func(name string, result value.Kind, f func(re *regex, s string) value.Value) {
		run := func(a []value.Value) (value.Value, error) {
			flags := ""
			if len(a) > 2 {
				flags = a[2].Str
			}
			re, err := compileRegex(a[1].Str, flags)
			if err != nil {
				return nullValue(), err
			}
			return f(re, a[0].Str), nil
		}
		box(name, result, run, t, t)
		box(name, result, run, t, t, t)
	}
	withFlags("regexp_match", texts, found)
	withFlags("regexp_split_to_array", texts, func(re *regex, s string) value.Value {
		var out []value.Value
		for _, p := range re.split(s) {
			out = append(out, value.TextOf(p))
		}
		return listValue(out)
	})
	box("regexp_count", i4, func(a []value.Value) (value.Value, error) {
		re, err := compileRegex(a[1].Str, "")
		if err != nil {
			return nullValue(), err
		}
		return intValue(int64(len(re.re.FindAllStringIndex(a[0].Str, -1)))), nil
	}, t, t)
	substr := func(re *regex, s string) value.Value {
		m := re.re.FindStringSubmatchIndex(s)
		if m == nil {
			return nullValue()
		}
		if re.nsub > 0 {
			if m[2] < 0 {
				return nullValue()
			}
			return textValue(s[m[2]:m[3]])
		}
		return textValue(s[m[0]:m[1]])
	}
	for _, name := range []string{"substring", "regexp_substr"} {
		box(name, t, func(a []value.Value) (value.Value, error) {
			re, err := compileRegex(a[1].Str, "")
			if err != nil {
				return nullValue(), err
			}
			if name == "regexp_substr" {
				if m := re.re.FindString(a[0].Str); re.re.MatchString(a[0].Str) {
					return textValue(m), nil
				}
				return nullValue(), nil
			}
			return substr(re, a[0].Str), nil
		}, t, t)
	}
	box("regexp_instr", i4, func(a []value.Value) (value.Value, error) {
		re, err := compileRegex(a[1].Str, "")
		if err != nil {
			return nullValue(), err
		}
		m := re.re.FindStringIndex(a[0].Str)
		if m == nil {
			return intValue(0), nil
		}
		return intValue(int64(length(a[0].Str[:m[0]])) + 1), nil
	}, t, t)
}
