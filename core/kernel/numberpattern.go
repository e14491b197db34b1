package kernel

import (
	"math"
	"strconv"
	"strings"

	"rovik/core/value"
)

// numberWords are the words of patterns for numbers.
var numberWords = wordsByFirst(`, . 0 9 B C D EEEE FM G L MI PL PR RN SG SP S TH V b c d eeee fm g l mi pl pr rn sg sp s th v`)

// numberPattern is what a pattern for numbers says as a whole.
type numberPattern struct {
	nodes                                                               []patternNode
	pre, post, multi                                                    int // digits before and behind the point, and behind V
	zeroStart, zeroEnd                                                  int // the first 0 from 1, or 0; where the last one is
	signBefore                                                          int // digits before the S
	zero, decimal, fill, sign, bracket, minus, plus, roman, v, exponent bool
	blank                                                               bool
	signAt                                                              int // of S
}

const (
	signNone = iota
	signPre
	signPost
)

// parseNumberPattern takes a pattern apart, and fails for words that do not go
// together.
func parseNumberPattern(pattern string) (*numberPattern, error) {
	p := &numberPattern{nodes: patternNodes(pattern, numberWords, false)}
	for i := range p.nodes {
		if n := &p.nodes[i]; n.word != "" {
			if says := p.add(strings.ToUpper(n.word)); says != "" {
				return nil, value.Errorf(value.CodeSyntax, "%s", says)
			}
		}
	}
	return p, nil
}

// add takes in a word; it returns what is wrong with it.
func (p *numberPattern) add(word string) string {
	if p.exponent && word != "EEEE" {
		return `"EEEE" must be the last pattern used`
	}
	switch word {
	case "9":
		switch {
		case p.bracket:
			return `"9" must be ahead of "PR"`
		case p.v:
			p.multi++
		case p.decimal:
			p.post++
		default:
			p.pre++
		}
	case "0":
		if p.bracket {
			return `"0" must be ahead of "PR"`
		}
		if !p.zero && !p.decimal {
			p.zero, p.zeroStart = true, p.pre+1
		}
		if p.decimal {
			p.post++
		} else {
			p.pre++
		}
		p.zeroEnd = p.pre + p.post
	case "B":
		p.blank = p.blank || p.pre == 0 && p.post == 0 && !p.zero
	case ".", "D":
		switch {
		case p.decimal:
			return "multiple decimal points"
		case p.v:
			return `cannot use "V" and decimal point together`
		}
		p.decimal = true
	case "FM":
		p.fill = true
	case "S":
		switch {
		case p.sign:
			return `cannot use "S" twice`
		case p.plus || p.minus || p.bracket:
			return `cannot use "S" and "PL"/"MI"/"SG"/"PR" together`
		}
		p.sign = true
		if p.signAt = signPost; !p.decimal {
			p.signAt, p.signBefore = signPre, p.pre
		}
	case "MI", "PL", "SG":
		if p.sign {
			return `cannot use "S" and "` + word + `" together`
		}
		p.minus, p.plus = p.minus || word != "PL", p.plus || word != "MI"
	case "PR":
		if p.sign || p.plus || p.minus {
			return `cannot use "PR" and "S"/"PL"/"MI"/"SG" together`
		}
		p.bracket = true
	case "RN":
		p.roman = true
	case "V":
		if p.decimal {
			return `cannot use "V" and decimal point together`
		}
		p.v = true
	case "EEEE":
		switch {
		case p.exponent:
			return `cannot use "EEEE" twice`
		case p.blank || p.fill || p.sign || p.bracket || p.minus || p.plus || p.roman || p.v:
			return `"EEEE" is incompatible with other formats`
		}
		p.exponent = true
	}
	return ""
}

// shownNumber is a number as its pattern is to have it: its digits without sign,
// with so many behind the point as the pattern has.
type shownNumber struct {
	digits   string
	negative bool
}

// formatDigits is to_char of a number. shown rounds it to so many places, multiplied
// by a power of ten; sci writes it with an exponent, and whole is it as an integer
// for Roman digits.
func formatDigits(pattern string, shown func(places, power int) (shownNumber, error), sci func(places int) (string, error), whole func() (int64, error)) (string, error) {
	p, err := parseNumberPattern(pattern)
	if err != nil || pattern == "" {
		return "", err
	}
	switch {
	case p.roman:
		n, err := whole()
		if err != nil {
			return "", err
		}
		return p.write(shownNumber{digits: roman(n)}, 0)
	case p.exponent:
		s, err := sci(p.post)
		if err == nil && !strings.HasPrefix(s, "-") {
			s = " " + s
		}
		return s, err
	}
	n, err := shown(p.post, p.multi)
	if err != nil {
		return "", err
	}
	ints, frac, _ := strings.Cut(n.digits, ".")
	p.pre, p.post = p.pre+p.multi, len(frac)
	spaces := p.pre - len(ints)
	if spaces < 0 {
		spaces = 0
		n.digits = strings.Repeat("#", p.pre) + "." + strings.Repeat("#", p.post)
	}
	return p.write(n, spaces)
}

// roman writes 1 to 3999 in Roman digits.
func roman(n int64) string {
	if n < 1 || n > 3999 {
		return strings.Repeat("#", 15)
	}
	var b strings.Builder
	for _, d := range []struct {
		n int64
		s string
	}{{1000, "M"}, {900, "CM"}, {500, "D"}, {400, "CD"}, {100, "C"}, {90, "XC"}, {50, "L"}, {40, "XL"}, {10, "X"}, {9, "IX"}, {5, "V"}, {4, "IV"}, {1, "I"}} {
		for ; n >= d.n; n -= d.n {
			b.WriteString(d.s)
		}
	}
	return b.String()
}

// numberWriter writes a number by its pattern, digit by digit.
type numberWriter struct {
	*numberPattern
	out       strings.Builder
	number    string
	negative  bool
	spaces    int // digits of the pattern before the number's
	at        int // in number
	current   int // digits of the pattern so far
	count     int
	relevant  int  // the last digit that is shown with FM, or -1
	signDone  bool // or not wanted
	inDigits  bool // the last digit was written
	zeroAfter int  // digits of the pattern before the first 0
}

func (p *numberPattern) write(n shownNumber, spaces int) (string, error) {
	w := &numberWriter{numberPattern: p, number: n.digits, negative: n.negative, spaces: spaces, relevant: -1, zeroAfter: max(p.zeroStart-1, 0)}
	if p.roman {
		*p = numberPattern{nodes: p.nodes, fill: p.fill, roman: true}
	}
	if p.plus || p.minus {
		w.signDone = p.minus
	} else {
		if !n.negative && p.fill {
			p.bracket = false
		}
		w.signDone = !n.negative && p.fill && !p.sign
		if p.signAt == signPre && p.pre == p.signBefore {
			p.signAt = signPost
		}
	}
	w.count = p.post + p.pre - 1
	if p.fill && p.decimal {
		if point := strings.IndexByte(w.number, '.'); point >= 0 {
			w.relevant = point + len(strings.TrimRight(w.number[point:], "0")) - 1
			if p.zeroEnd > spaces {
				w.relevant = max(w.relevant, min(len(w.number)-1, p.zeroEnd-spaces))
			}
		}
	}
	if !w.signDone && spaces == 0 {
		w.count++
	}
	for _, node := range p.nodes {
		if node.word == "" {
			w.out.WriteString(node.text)
		} else if err := w.word(node.word); err != nil {
			return "", err
		}
	}
	// Where the pattern has more digits than the number, all behind is lost.
	out, _, _ := strings.Cut(w.out.String(), "\x00")
	return out, nil
}

// word writes what a word of the pattern stands for.
func (w *numberWriter) word(word string) error {
	filler := func(s string, yes bool) {
		switch {
		case yes:
			w.out.WriteString(s)
		case !w.fill:
			w.out.WriteByte(' ')
		}
	}
	switch strings.ToUpper(word) {
	case "9", "0", ".", "D":
		w.digit(word)
	case ",", "G":
		filler(",", w.inDigits)
	case "L":
		w.out.WriteByte(' ')
	case "RN":
		s := w.number
		if word == "rn" {
			s = strings.ToLower(s)
		}
		if !w.fill {
			s = strings.Repeat(" ", max(15-len(s), 0)) + s
		}
		w.out.WriteString(s)
	case "TH":
		if w.roman || strings.HasPrefix(w.number, "#") || w.negative || w.decimal {
			return nil
		}
		s, err := withOrdinal(w.number, word)
		if err != nil {
			return err
		}
		w.out.WriteString(s[len(w.number):])
	case "MI":
		filler("-", w.negative)
	case "PL":
		filler("+", !w.negative && !w.roman)
	case "SG":
		if w.roman { // has no sign
			w.out.WriteByte(0)
			break
		}
		w.out.WriteByte(w.signOf('+'))
	}
	return nil
}

func (w *numberWriter) signOf(positive byte) byte {
	if w.negative {
		return '-'
	}
	return positive
}

// beforePoint tells of the 0 before the point of a number below 1, which is shown as
// a space.
func (w *numberWriter) beforePoint() bool {
	return !w.zero && w.at == 0 && strings.HasPrefix(w.number, "0") && w.post != 0
}

// digit writes a digit or the point, with a sign before the first and behind the
// last.
func (w *numberWriter) digit(word string) {
	if w.roman {
		return
	}
	w.inDigits = false
	endsAtPoint := w.relevant >= 0 && w.number[w.relevant] == '.'
	if !w.signDone && (w.current >= w.spaces || w.zero && w.zeroAfter == w.current) && (!w.beforePoint() || endsAtPoint) {
		switch {
		case w.sign:
			if w.signAt == signPre {
				w.out.WriteByte(w.signOf('+'))
				w.signDone = true
			}
		case w.bracket:
			w.out.WriteByte(map[bool]byte{true: '<', false: ' '}[w.negative])
			w.signDone = true
		default:
			if w.negative || !w.fill {
				w.out.WriteByte(w.signOf(' '))
			}
			w.signDone = true
		}
	}
	switch {
	case w.current < w.spaces && (w.zeroAfter > w.current || !w.zero):
		if !w.fill {
			w.out.WriteByte(' ')
		}
	case w.zero && w.current < w.spaces:
		w.out.WriteByte('0')
		w.inDigits = true
	default:
		switch {
		case w.at < len(w.number) && w.number[w.at] == '.':
			if w.relevant < 0 || !endsAtPoint || w.fill {
				w.out.WriteByte('.')
			}
		case w.relevant >= 0 && w.at > w.relevant && word != "0":
		case w.beforePoint():
			if !w.fill {
				w.out.WriteByte(' ')
			} else if endsAtPoint {
				w.out.WriteByte('0')
			}
		case w.at == len(w.number):
			w.out.WriteByte(0)
			w.inDigits = true
		default:
			w.out.WriteByte(w.number[w.at])
			w.inDigits = true
		}
		if w.at < len(w.number) {
			w.at++
		}
	}
	end := w.count
	if w.spaces > 0 {
		end++
	}
	if w.decimal {
		end++
	}
	if w.relevant >= 0 && w.relevant == w.at {
		end = w.current
	}
	if w.current+1 == end {
		if w.signDone && w.bracket {
			w.out.WriteByte(map[bool]byte{true: '>', false: ' '}[w.negative])
		} else if w.sign && w.signAt == signPost {
			w.out.WriteByte(w.signOf('+'))
		}
	}
	w.current++
}

// The three forms of numbers, for formatDigits.

func formatNumber(d value.Decimal, pattern string) (string, error) {
	return formatDigits(pattern, func(places, power int) (shownNumber, error) {
		var err error
		if power > 0 {
			var ten value.Decimal
			if ten, err = value.ParseDecimal("1e" + strconv.Itoa(power)); err == nil {
				d, err = d.Mul(ten)
			}
		}
		if err == nil {
			d, err = d.Round(places)
		}
		s := d.String()
		return shownNumber{strings.TrimPrefix(s, "-"), strings.HasPrefix(s, "-")}, err
	}, func(places int) (string, error) { return scientific(d, places) }, func() (int64, error) {
		r, err := d.Round(0)
		if err != nil {
			return 0, err
		}
		n, err := strconv.ParseInt(r.String(), 10, 32)
		if err != nil {
			return 0, value.Errorf(value.CodeOutOfRange, "integer out of range")
		}
		return n, nil
	})
}

// scientific writes a numeric with an exponent, rounded half away from zero.
func scientific(d value.Decimal, places int) (string, error) {
	text := strings.TrimPrefix(d.String(), "-")
	ints, frac, _ := strings.Cut(text, ".")
	digits := strings.TrimLeft(ints+frac, "0")
	exponent := len(ints) - 1 - (len(ints+frac) - len(digits))
	if digits == "" {
		digits, exponent = "0", 0
	}
	if len(digits) > places+1 {
		up := digits[places+1] >= '5'
		digits = digits[:places+1]
		if up {
			b := []byte(digits)
			i := len(b) - 1
			for ; i >= 0 && b[i] == '9'; i-- {
				b[i] = '0'
			}
			if i >= 0 {
				b[i]++
			} else {
				b = append([]byte{'1'}, b...)
			}
			digits = string(b)
		}
	}
	before := max(len(digits)-places, 1) // 2 where rounding gave a digit more
	digits += strings.Repeat("0", places+before-len(digits))
	out := digits[:before]
	if places > 0 {
		out += "." + digits[before:]
	}
	sign, e := "+", exponent
	if exponent < 0 {
		sign, e = "-", -exponent
	}
	es := strconv.Itoa(e)
	if len(es) < 2 {
		es = "0" + es
	}
	if d.Sign() < 0 {
		out = "-" + out
	}
	return out + "e" + sign + es, nil
}

// formatInteger is to_char of an integer of so many bits.
func formatInteger(n int64, bits int, pattern string) (string, error) {
	return formatDigits(pattern, func(places, power int) (shownNumber, error) {
		v := n
		for range power {
			p := v * 10
			if p/10 != v || bits == 32 && p != int64(int32(p)) {
				return shownNumber{}, value.Errorf(value.CodeOutOfRange, "%s out of range", map[int]string{32: "integer", 64: "bigint"}[bits])
			}
			v = p
		}
		s := strconv.FormatInt(v, 10)
		out := shownNumber{strings.TrimPrefix(s, "-"), v < 0}
		if places > 0 {
			out.digits += "." + strings.Repeat("0", places)
		}
		return out, nil
	}, func(places int) (string, error) {
		if bits == 32 {
			return strconv.FormatFloat(float64(n), 'e', places, 64), nil
		}
		return scientific(value.DecimalFromInt(n), places)
	}, func() (int64, error) {
		if n != int64(int32(n)) {
			return 0, value.Errorf(value.CodeOutOfRange, "integer out of range")
		}
		return n, nil
	})
}

// formatFloat is to_char of a double, or of a real: significant is how many digits
// it has for certain.
func formatFloat(f float64, significant int, pattern string) (string, error) {
	if math.IsNaN(f) || math.IsInf(f, 0) {
		return "", value.Errorf(value.CodeUnsupported, "to_char of %s is not supported", value.FormatFloat(f)).WithHint("cast it to text")
	}
	return formatDigits(pattern, func(places, power int) (shownNumber, error) {
		v := f * math.Pow(10, float64(power))
		whole := len(strconv.FormatFloat(math.Abs(v), 'f', 0, 64))
		if whole >= significant {
			places = 0
		} else {
			places = min(places, significant-whole)
		}
		s := strconv.FormatFloat(v, 'f', places, 64)
		return shownNumber{strings.TrimPrefix(s, "-"), strings.HasPrefix(s, "-")}, nil
	}, func(places int) (string, error) { return strconv.FormatFloat(f, 'e', places, 64), nil },
		func() (int64, error) { return int64(math.RoundToEven(f)), nil })
}
