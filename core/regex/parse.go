package regex

import "rovik/core/value"

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

func isDigit(c rune) bool  { return c >= '0' && c <= '9' }
func isLetter(c rune) bool { return lower(c) >= 'a' && lower(c) <= 'z' }

func lower(c rune) rune {
	if c >= 'A' && c <= 'Z' {
		return c + 'a' - 'A'
	}
	return c
}
