package regex

import (
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// A parser reads PostgreSQL's advanced and extended syntax.
type parser struct {
	text     []rune
	at       int
	depth    int
	inPlace  bool    // inside lookaround, where nothing is kept
	groups   []*node // by number − 1; nil while it is read
	advanced bool    // escapes, lookaround and lazy quantifiers are read
	literal  bool
	fold     bool // i: case does not count
	stop     bool // p, n: . and [^…] do not match a newline
	lines    bool // w, n: ^ and $ match at newlines
	spaced   bool // x: white space and comments do not count
}

const (
	mostTurns = 255 // of a bound, as PostgreSQL's DUPMAX
	mostDepth = 1000
)

var (
	errOperand = invalid("quantifier operand invalid")
	errParens  = invalid("parentheses () not balanced")
	errBracket = invalid("brackets [] not balanced")
	errBraces  = invalid("braces {} not balanced")
	errCount   = invalid("invalid repetition count(s)")
	errRange   = invalid("invalid character range")
	errEscape  = invalid(`invalid escape \ sequence`)
	errClass   = invalid("invalid character class")
	errElement = invalid("invalid collating element")
	errBack    = invalid("invalid backreference number")
	errOption  = invalid("invalid embedded option")
	errComplex = invalid("regular expression is too complex")
	errBasic   = value.Errorf("0A000", "basic regular expressions are not supported").WithHint("leave out options b and e and write the expression in the advanced syntax")
)

// option sets one option, and reports whether there is one of that letter.
func (p *parser) option(c rune) (known bool, err error) {
	switch c {
	case 'b':
		return true, errBasic
	case 'c', 'i':
		p.fold = c == 'i'
	case 'e':
		p.advanced, p.literal = false, false
	case 'm', 'n':
		p.stop, p.lines = true, true
	case 'p':
		p.stop, p.lines = true, false
	case 'q':
		p.literal, p.advanced = true, false
	case 's':
		p.stop, p.lines = false, false
	case 't', 'x':
		p.spaced = c == 'x'
	case 'w':
		p.stop, p.lines = false, true
	default:
		return false, nil
	}
	return true, nil
}

// options reads the letters given to a function, of which g asks for all matches.
func (p *parser) options(letters string) (global bool, err error) {
	for _, c := range letters {
		if c == 'g' {
			global = true
			continue
		}
		if c == 'e' { // PostgreSQL's functions read basic expressions for it
			return false, errBasic
		}
		known, err := p.option(c)
		if err != nil {
			return false, err
		}
		if !known {
			return false, value.Errorf(value.CodeBadParameter, "invalid regular expression option: %q", string(c))
		}
	}
	if p.literal && (p.spaced || p.stop || p.lines) {
		return false, invalid("invalid argument to regex function")
	}
	return global, nil
}

// prefix reads what can stand before the expression proper: *** and options.
func (p *parser) prefix() error {
	if p.literal {
		return nil
	}
	if p.has("***") && len(p.text) > 3 {
		switch p.text[3] {
		case '=':
			p.literal, p.advanced, p.spaced, p.stop, p.lines = true, false, false, false, false
			p.at += 4
			return nil
		case ':':
			p.advanced = true
			p.at += 4
		case '?':
			return invalid("invalid regexp (reg version 0.8)")
		default:
			return errOperand
		}
	}
	if !p.advanced || !p.has("(?") || p.at+2 >= len(p.text) || !isLetter(p.text[p.at+2]) {
		return nil
	}
	for p.at += 2; p.at < len(p.text) && isLetter(p.text[p.at]); p.at++ {
		if known, err := p.option(p.text[p.at]); err != nil {
			return err
		} else if !known {
			return errOption
		}
	}
	if !p.eat(")") {
		return errOption
	}
	if p.literal {
		p.spaced, p.stop, p.lines = false, false, false
	}
	return nil
}

func (p *parser) parse() (*node, error) {
	if err := p.prefix(); err != nil {
		return nil, err
	}
	if p.literal {
		all := &node{op: opConcat}
		for _, c := range p.text[p.at:] {
			all.subs = append(all.subs, p.character(c))
		}
		return all, nil
	}
	n, err := p.alternatives()
	if err == nil && p.at < len(p.text) { // a parenthesis that nothing opened
		err = errParens
	}
	return n, err
}

// has reports whether the text goes on with s.
func (p *parser) has(s string) bool {
	for i, c := range []rune(s) {
		if p.at+i >= len(p.text) || p.text[p.at+i] != c {
			return false
		}
	}
	return true
}

func (p *parser) eat(s string) bool {
	if !p.has(s) {
		return false
	}
	p.at += len(s)
	return true
}

// peek returns the next character, or -1 at the end.
func (p *parser) peek() rune {
	if p.at < len(p.text) {
		return p.text[p.at]
	}
	return -1
}

// skip passes over comments, and over white space where that does not count.
func (p *parser) skip() {
	for p.at < len(p.text) {
		switch {
		case p.spaced && classes["space"].has(p.text[p.at]):
			p.at++
		case p.spaced && p.text[p.at] == '#':
			p.until('\n')
		case p.advanced && p.has("(?#"):
			p.until(')')
			p.at = min(p.at+1, len(p.text))
		default:
			return
		}
	}
}

func (p *parser) until(c rune) {
	for p.at < len(p.text) && p.text[p.at] != c {
		p.at++
	}
}

func (p *parser) alternatives() (*node, error) {
	if p.depth++; p.depth > mostDepth {
		return nil, errComplex
	}
	defer func() { p.depth-- }()
	all := &node{op: opAlternate}
	for {
		branch, err := p.branch()
		if err != nil {
			return nil, err
		}
		all.subs = append(all.subs, branch)
		if !p.eat("|") {
			break
		}
	}
	if len(all.subs) == 1 {
		return all.subs[0], nil
	}
	return all, nil
}

func (p *parser) branch() (*node, error) {
	all := &node{op: opConcat}
	for {
		p.skip()
		if c := p.peek(); c < 0 || c == '|' || c == ')' && p.depth > 1 {
			break
		}
		n, err := p.quantified()
		if err != nil {
			return nil, err
		}
		all.subs = append(all.subs, n)
	}
	switch len(all.subs) {
	case 0:
		return &node{op: opEmpty}, nil
	case 1:
		return all.subs[0], nil
	}
	return all, nil
}

// quantified reads an atom and its quantifier. Conditions on places have none.
func (p *parser) quantified() (*node, error) {
	n, place, err := p.atom()
	if err != nil || place {
		return n, err
	}
	p.skip()
	least, most := 0, -1
	switch c := p.peek(); {
	case c == '*':
	case c == '+':
		least = 1
	case c == '?':
		most = 1
	case c == '{' && p.bound():
		return p.bounded(n)
	default:
		return n, nil
	}
	p.at++
	return &node{op: opRepeat, subs: []*node{n}, least: least, most: most, pref: p.preference()}, nil
}

// preference reads the mark of a lazy quantifier.
func (p *parser) preference() preference {
	if p.advanced && p.eat("?") {
		return shortest
	}
	return longest
}

// bound reports whether the brace here begins a bound; else it is a character.
func (p *parser) bound() bool {
	i := p.at + 1
	if p.spaced {
		rest := parser{text: p.text, at: i, spaced: true}
		rest.skip()
		i = rest.at
	}
	return i < len(p.text) && isDigit(p.text[i])
}

// bounded reads {m}, {m,} or {m,n} behind n. Only those with a comma prefer.
func (p *parser) bounded(n *node) (*node, error) {
	blank := func() {
		if p.spaced {
			comments := p.advanced
			p.advanced = false
			p.skip()
			p.advanced = comments
		}
	}
	number := func() (int, error) {
		k := 0
		for blank(); isDigit(p.peek()); blank() {
			if k = 10*k + int(p.peek()-'0'); k > mostTurns {
				return 0, errCount
			}
			p.at++
		}
		return k, nil
	}
	p.at++
	least, err := number()
	if err != nil {
		return nil, err
	}
	most, pref, comma := least, noPreference, p.eat(",")
	if comma {
		most = -1
		if blank(); isDigit(p.peek()) {
			if most, err = number(); err != nil {
				return nil, err
			}
			if least > most {
				return nil, errCount
			}
		}
	}
	switch {
	case p.peek() < 0:
		return nil, errBraces
	case !p.eat("}"):
		return nil, errCount
	}
	if lazy := p.preference(); comma {
		pref = lazy
	}
	if most == 0 {
		return &node{op: opEmpty}, nil
	}
	return &node{op: opRepeat, subs: []*node{n}, least: least, most: most, pref: pref}, nil
}

// atom reads what a quantifier applies to, or a condition on the place.
func (p *parser) atom() (n *node, place bool, err error) {
	c := p.text[p.at]
	at := func(text, line op) (*node, bool, error) {
		p.at++
		if p.lines {
			text = line
		}
		return &node{op: text}, true, nil
	}
	switch {
	case c == '^':
		return at(opBeginText, opBeginLine)
	case c == '$':
		return at(opEndText, opEndLine)
	case c == '*' || c == '+' || c == '?' || c == '{' && p.bound():
		return nil, false, errOperand
	case c == ')' && p.advanced:
		return nil, false, errParens
	case c == '(':
		return p.parenthesized()
	case p.eat("[[:<:]]"):
		return &node{op: opWordStart}, true, nil
	case p.eat("[[:>:]]"):
		return &node{op: opWordEnd}, true, nil
	case c == '[':
		n, err = p.bracket()
		return n, false, err
	case c == '\\':
		return p.escape()
	}
	p.at++
	if c == '.' {
		return p.not(nil), false, nil
	}
	return p.character(c), false, nil
}

// parenthesized reads a group or lookaround.
func (p *parser) parenthesized() (n *node, place bool, err error) {
	p.at++
	group := &node{op: opGroup}
	keeps := !p.inPlace
	if p.advanced && p.eat("?") {
		keeps = false
		switch {
		case p.eat(":"):
			group = nil
		case p.eat("="):
			group.op = opAhead
		case p.eat("!"):
			group.op, group.not = opAhead, true
		case p.eat("<="):
			group.op = opBehind
		case p.eat("<!"):
			group.op, group.not = opBehind, true
		default:
			return nil, false, errOperand
		}
		if place = group != nil; place {
			defer func(was bool) { p.inPlace = was }(p.inPlace)
			p.inPlace = true
		}
	} else if !keeps {
		group = nil
	}
	if keeps {
		p.groups = append(p.groups, nil)
		group.number = len(p.groups)
	}
	inner, err := p.alternatives()
	if err != nil {
		return nil, false, err
	}
	if !p.eat(")") {
		return nil, false, errParens
	}
	if group == nil {
		return inner, false, nil
	}
	group.subs = []*node{inner}
	if keeps {
		p.groups[group.number-1] = group
	}
	return group, place, nil
}

// character matches c itself.
func (p *parser) character(c rune) *node { return p.class(set{c, c}) }

func (p *parser) class(s set) *node {
	if p.fold {
		s = s.folded()
	}
	return &node{op: opClass, set: s}
}

// not matches every character that is not in s.
func (p *parser) not(s set) *node {
	if p.fold {
		s = s.folded()
	}
	if p.stop {
		s = s.with('\n', '\n')
	}
	return &node{op: opClass, set: s.complement()}
}

// named returns a class by its name.
func (p *parser) named(name string) (set, error) {
	s, ok := classes[name]
	if !ok {
		return nil, errClass
	}
	if p.fold && (name == "lower" || name == "upper") {
		s = classes["alpha"]
	}
	return s, nil
}

var (
	placeEscapes = map[rune]op{
		'A': opBeginText, 'Z': opEndText, 'm': opWordStart, 'M': opWordEnd, 'y': opWordEdge, 'Y': opNoWordEdge,
	}
	classEscapes = map[rune]set{
		'd': classes["digit"], 's': classes["space"], 'w': classes["word"],
		'D': classes["digit"].complement(), 'S': classes["space"].complement(), 'W': classes["word"].complement(),
	}
	characterEscapes = map[rune]rune{
		'a': '\a', 'b': '\b', 'B': '\\', 'e': 27, 'f': '\f', 'n': '\n', 'r': '\r', 't': '\t', 'v': '\v',
	}
)

// escape reads a backslash and what it means outside of brackets.
func (p *parser) escape() (n *node, place bool, err error) {
	p.at++
	c := p.peek()
	switch {
	case c < 0:
		return nil, false, errEscape
	case !p.advanced:
		p.at++
		return p.character(c), false, nil
	}
	if op, ok := placeEscapes[c]; ok {
		p.at++
		return &node{op: op}, true, nil
	}
	if s, ok := classEscapes[c]; ok {
		p.at++
		return p.class(s), false, nil
	}
	if number, ok := p.backReference(); ok {
		if p.inPlace || number > len(p.groups) || p.groups[number-1] == nil {
			return nil, false, errBack
		}
		return &node{op: opBack, number: number, subs: []*node{p.groups[number-1].withoutPlaces()}, fold: p.fold}, false, nil
	}
	c, err = p.escaped()
	return p.character(c), false, err
}

// backReference reads the number of a group: one digit, or the number of one
// that has begun.
func (p *parser) backReference() (number int, ok bool) {
	if c := p.peek(); c < '1' || c > '9' {
		return 0, false
	}
	end := p.at
	for end < len(p.text) && isDigit(p.text[end]) && number < 1_000_000 {
		number = 10*number + int(p.text[end]-'0')
		end++
	}
	if end > p.at+1 && number > len(p.groups) {
		return 0, false
	}
	p.at = end
	return number, true
}

// escaped reads the character that follows a backslash stands for.
func (p *parser) escaped() (rune, error) {
	c := p.peek()
	if c < 0 {
		return 0, errEscape
	}
	p.at++
	if s, ok := characterEscapes[c]; ok {
		return s, nil
	}
	switch {
	case c == 'c':
		if p.at == len(p.text) {
			return 0, errEscape
		}
		p.at++
		return p.text[p.at-1] & 0o37, nil
	case c == 'u':
		return p.coded(16, 4, 4)
	case c == 'U':
		return p.coded(16, 8, 8)
	case c == 'x':
		return p.coded(16, 1, 255)
	case isDigit(c):
		p.at--
		start := p.at
		code, err := p.coded(8, 1, 3)
		if code > 0xff {
			p.at = start + 2
			code >>= 3
		}
		return code, err
	case isLetter(c):
		return 0, errEscape
	}
	return c, nil
}

// coded reads the number of a character.
func (p *parser) coded(base, least, most int) (rune, error) {
	code, n := 0, 0
	for ; n < most && p.at < len(p.text); n++ {
		digit := strings.IndexRune("0123456789abcdef", lower(p.text[p.at]))
		if digit < 0 || digit >= base {
			break
		}
		if code = code*base + digit; code > utf8.MaxRune {
			return 0, errEscape
		}
		p.at++
	}
	if n < least {
		return 0, errEscape
	}
	return rune(code), nil
}

// bracket reads a bracket expression.
func (p *parser) bracket() (*node, error) {
	p.at++
	not := p.eat("^")
	var all set
	for first := true; ; first = false {
		switch c := p.peek(); {
		case c < 0:
			return nil, errBracket
		case c == ']' && !first:
			p.at++
			if not {
				return p.not(all), nil
			}
			return p.class(all), nil
		case c == '-' && !first && !p.has("-]"):
			return nil, errRange // a range from nothing
		}
		part, single, err := p.bracketPart()
		if err != nil {
			return nil, err
		}
		if !single || !p.has("-") || p.has("-]") {
			all = all.union(part)
			continue
		}
		p.at++
		if p.peek() < 0 {
			return nil, errBracket
		}
		end, single, err := p.bracketPart()
		switch {
		case err != nil:
			return nil, err
		case !single || part[0] > end[0]:
			return nil, errRange
		}
		all = all.with(part[0], end[0])
	}
}

// bracketPart reads a character, or a class of characters that begins no range.
func (p *parser) bracketPart() (part set, single bool, err error) {
	c := p.text[p.at]
	p.at++
	switch {
	case c == '\\' && p.advanced:
		if s, ok := classEscapes[p.peek()]; ok {
			p.at++
			return s, false, nil
		}
		c, err = p.escaped()
	case c == '[' && p.at < len(p.text) && strings.ContainsRune(".=:", p.text[p.at]):
		mark := p.text[p.at]
		p.at++
		start := p.at
		for !p.has(string(mark) + "]") {
			if p.at++; p.at >= len(p.text) {
				return nil, false, errBracket
			}
		}
		name := string(p.text[start:p.at])
		p.at += 2
		if mark == ':' {
			s, err := p.named(name)
			return s, false, err
		}
		element := []rune(name)
		if len(element) != 1 {
			return nil, false, errElement
		}
		return set{element[0], element[0]}, mark == '.', nil
	}
	return set{c, c}, true, err
}

func isDigit(c rune) bool  { return c >= '0' && c <= '9' }
func isLetter(c rune) bool { return lower(c) >= 'a' && lower(c) <= 'z' }

func lower(c rune) rune {
	if c >= 'A' && c <= 'Z' {
		return c + 'a' - 'A'
	}
	return c
}
