package kernel

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"rovik/core/value"
)

// numberReader is to_number of a text by its pattern.
type numberReader struct {
	*numberPattern
	in                string
	at                int
	mark              byte // the sign that was read, or ' '
	number            []byte
	readPre, readPost int
	readPoint         bool
}

func (r *numberReader) over() bool { return r.at >= len(r.in) }

// skip reads over so many characters that say nothing of a number.
func (r *numberReader) skip(n int) {
	for ; n > 0 && !r.over() && strings.IndexByte("0123456789.,+-", r.in[r.at]) < 0; n-- {
		_, size := utf8.DecodeRuneInString(r.in[r.at:])
		r.at += size
	}
}

// readNumber is to_number; ok is false where the pattern is empty, for NULL.
func readNumber(s, pattern string) (out value.Decimal, ok bool, err error) {
	p, err := parseNumberPattern(pattern)
	if err != nil || pattern == "" {
		return out, false, err
	}
	switch {
	case p.exponent:
		return out, false, value.Errorf(value.CodeUnsupported, `"EEEE" not supported for input`)
	case p.roman:
		return out, false, value.Errorf(value.CodeUnsupported, `"RN" not supported for input`)
	}
	r := &numberReader{numberPattern: p, in: s, mark: ' '}
	for _, n := range p.nodes {
		if r.over() {
			break
		}
		if n.word == "" {
			_, size := utf8.DecodeRuneInString(r.in[r.at:])
			r.at += size
			continue
		}
		r.word(strings.ToUpper(n.word))
	}
	text := string(r.number)
	if r.mark != ' ' {
		text = string(r.mark) + text
	}
	d, err := value.ParseDecimal(strings.TrimSuffix(text, "."))
	if err != nil {
		return out, false, err
	}
	if d, err = d.Fit(p.pre+p.multi+r.readPost, r.readPost); err != nil {
		return out, false, err
	}
	if p.v {
		power, err := value.ParseDecimal("1e-" + strconv.Itoa(p.multi))
		if err != nil {
			return out, false, err
		}
		// A power of ten has sixteen places at least.
		if power, err = power.Round(max(p.multi, 16)); err != nil {
			return out, false, err
		}
		d, err = d.Mul(power)
		return d, true, err
	}
	return d, true, nil
}

// word reads what a word of the pattern stands for.
func (r *numberReader) word(word string) {
	switch word {
	case "9", "0", ".", "D":
		if r.digit(word); !r.over() {
			r.at++
		}
	case ",", "G":
		if !r.fill && r.in[r.at] == ',' {
			r.at++
		}
	case "L":
		r.skip(1)
	case "TH":
		if r.mark != '-' && !r.decimal {
			r.skip(2)
		}
	case "MI", "PL", "SG":
		c := r.in[r.at]
		if c == '-' && word != "PL" || c == '+' && word != "MI" {
			r.mark = c
			r.at++
		} else {
			r.skip(1)
		}
	}
}

// digit reads a digit, the point or a sign beside them, all but the character that
// is done with then.
func (r *numberReader) digit(word string) {
	if r.in[r.at] == ' ' {
		r.at++
	}
	if r.over() {
		return
	}
	if r.mark == ' ' && (word == "0" || word == "9") && r.readPre+r.readPost == 0 {
		switch c := r.in[r.at]; {
		case c == '-', c == '<' && r.bracket:
			r.mark = '-'
			r.at++
		case c == '+':
			r.mark = '+'
			r.at++
		}
	}
	if r.over() {
		return
	}
	read := false
	switch c := r.in[r.at]; {
	case isDigit(c):
		if r.readPoint && r.readPost == r.post {
			return
		}
		r.number = append(r.number, c)
		if r.readPoint {
			r.readPost++
		} else {
			r.readPre++
		}
		read = true
	case r.decimal && !r.readPoint && c == '.':
		r.number = append(r.number, '.')
		r.readPoint, read = true, true
	}
	if r.mark == ' ' && r.readPre+r.readPost > 0 {
		if r.sign && read && r.at+1 < len(r.in) && !isDigit(r.in[r.at+1]) {
			if c := r.in[r.at+1]; c == '-' || c == '+' {
				r.mark = c
				r.at++
			}
		} else if !read && !r.sign && (r.plus || r.minus) && (r.in[r.at] == '-' || r.in[r.at] == '+') {
			r.mark = r.in[r.at]
		}
	}
}
