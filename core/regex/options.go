package regex

import "rovik/core/value"

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
