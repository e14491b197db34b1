package regex

import (
	"strings"
	"unicode/utf8"
)

// What a character stands for behind a backslash and in brackets.

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
