package kernel

import (
	"fmt"
	"sort"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"rovik/core/value"
)

// The patterns of to_char, to_date and to_timestamp are PostgreSQL's; words
// are English.

var dateWords = func() []string {
	words := []string{"YYYY", "IYYY", "YYY", "YY", "Y", "Q", "MM", "MONTH", "Month", "month", "MON", "Mon", "mon", "DDD", "DD", "D", "ID", "IDDD", "DAY", "Day", "day", "DY", "Dy", "dy",
		"WW", "IW", "W", "J", "HH24", "HH12", "HH", "MI", "SSSSS", "SSSS", "SS", "MS", "US", "AM", "PM", "am", "pm", "A.M.", "P.M.", "a.m.", "p.m.", "CC", "Y,YYY", "TZ", "tz", "OF", "FF3", "FF6"}
	sort.Slice(words, func(i, j int) bool { return len(words[i]) > len(words[j]) })
	return words
}()

// dateToken is a word of a pattern, or text as it stands.
type dateToken struct {
	word    string // "" for text
	text    string
	fill    bool // FM: no padding
	ordinal string
}

func dateTokens(pattern string) []dateToken {
	var out []dateToken
	text := func(s string) {
		if n := len(out); n > 0 && out[n-1].word == "" {
			out[n-1].text += s
			return
		}
		out = append(out, dateToken{text: s})
	}
	for i := 0; i < len(pattern); {
		if pattern[i] == '"' {
			end := strings.IndexByte(pattern[i+1:], '"')
			if end < 0 {
				end = len(pattern) - i - 1
			}
			text(pattern[i+1 : i+1+end])
			i = min(i+end+2, len(pattern))
			continue
		}
		fill := false
		rest := pattern[i:]
		if len(rest) > 2 && strings.EqualFold(rest[:2], "FM") {
			fill, rest = true, rest[2:]
		}
		word := ""
		for _, w := range dateWords {
			upper := strings.ToUpper(w) == w
			if strings.HasPrefix(rest, w) || upper && len(rest) >= len(w) && strings.EqualFold(rest[:len(w)], w) && !caseWord(w) {
				word = w
				break
			}
		}
		if word == "" {
			_, size := firstRune(pattern[i:])
			text(pattern[i : i+size])
			i += size
			continue
		}
		t := dateToken{word: word, fill: fill}
		i = len(pattern) - len(rest) + len(word)
		if s := pattern[i:]; strings.HasPrefix(s, "TH") || strings.HasPrefix(s, "th") {
			t.ordinal = s[:2]
			i += 2
		}
		out = append(out, t)
	}
	return out
}

// caseWord tells whether the case of a word decides that of what it prints.
func caseWord(w string) bool {
	switch strings.ToUpper(w) {
	case "MONTH", "MON", "DAY", "DY", "AM", "PM", "A.M.", "P.M.", "TZ":
		return true
	}
	return false
}

func firstRune(s string) (rune, int) {
	return utf8.DecodeRuneInString(s)
}

func ordinalOf(n int, like string) string {
	suffix := "th"
	if n%100 < 11 || n%100 > 13 {
		suffix = [...]string{"th", "st", "nd", "rd", "th", "th", "th", "th", "th", "th"}[n%10]
	}
	if like == "TH" {
		return strings.ToUpper(suffix)
	}
	return suffix
}

// formatMoment is to_char of a timestamp.
func formatMoment(us int64, pattern string) (string, error) {
	t := value.Civil(us)
	var b strings.Builder
	for _, tok := range dateTokens(pattern) {
		if tok.word == "" {
			b.WriteString(tok.text)
			continue
		}
		number := func(n, width int) {
			if tok.fill {
				width = 0
			}
			fmt.Fprintf(&b, "%0*d", width, n)
			if tok.ordinal != "" {
				b.WriteString(ordinalOf(n, tok.ordinal))
			}
		}
		name := func(s string, width int) {
			switch {
			case tok.word == strings.ToUpper(tok.word):
				s = strings.ToUpper(s)
			case tok.word == strings.ToLower(tok.word):
				s = strings.ToLower(s)
			}
			if tok.fill {
				width = 0
			}
			fmt.Fprintf(&b, "%-*s", width, s)
		}
		isoYear, isoWeek := t.ISOWeek()
		micros := t.Nanosecond() / 1000
		half := []string{"AM", "PM"}[t.Hour()/12]
		switch w := tok.word; w {
		case "YYYY":
			number(t.Year(), 4)
		case "Y,YYY":
			b.WriteString(fmt.Sprintf("%d,%03d", t.Year()/1000, t.Year()%1000))
		case "IYYY":
			number(isoYear, 4)
		case "YYY":
			number(t.Year()%1000, 3)
		case "YY":
			number(t.Year()%100, 2)
		case "Y":
			number(t.Year()%10, 1)
		case "CC":
			number((t.Year()+99)/100, 2)
		case "Q":
			number((int(t.Month())-1)/3+1, 1)
		case "MM":
			number(int(t.Month()), 2)
		case "MONTH", "Month", "month":
			name(t.Month().String(), 9)
		case "MON", "Mon", "mon":
			name(t.Month().String()[:3], 3)
		case "DDD":
			number(t.YearDay(), 3)
		case "DD":
			number(t.Day(), 2)
		case "D":
			number(int(t.Weekday())+1, 1)
		case "ID":
			number((int(t.Weekday())+6)%7+1, 1)
		case "IDDD":
			number((isoWeek-1)*7+(int(t.Weekday())+6)%7+1, 3)
		case "DAY", "Day", "day":
			name(t.Weekday().String(), 9)
		case "DY", "Dy", "dy":
			name(t.Weekday().String()[:3], 3)
		case "WW":
			number((t.YearDay()-1)/7+1, 2)
		case "W":
			number((t.Day()-1)/7+1, 1)
		case "IW":
			number(isoWeek, 2)
		case "J":
			number(int(value.DayOf(us))+2440588, 0)
		case "HH24":
			number(t.Hour(), 2)
		case "HH12", "HH":
			number((t.Hour()+11)%12+1, 2)
		case "MI":
			number(t.Minute(), 2)
		case "SS":
			number(t.Second(), 2)
		case "SSSS", "SSSSS":
			number(t.Hour()*3600+t.Minute()*60+t.Second(), 0)
		case "MS", "FF3":
			number(micros/1000, 3)
		case "US", "FF6":
			number(micros, 6)
		case "AM", "PM":
			b.WriteString(half)
		case "am", "pm":
			b.WriteString(strings.ToLower(half))
		case "A.M.", "P.M.", "a.m.", "p.m.":
			s := half[:1] + "." + half[1:] + "."
			if w[0] >= 'a' {
				s = strings.ToLower(s)
			}
			b.WriteString(s)
		default:
			return "", value.Errorf(value.CodeUnsupported, "the pattern %s is not supported in to_char", w)
		}
	}
	return b.String(), nil
}

// parseMoment is to_timestamp and to_date: words read numbers and names, other
// characters skip one.
func parseMoment(s, pattern string) (int64, error) {
	year, month, day, doy := 1, 1, 1, 0
	hour, minute, second, micros := 0, 0, 0, 0
	pm, half := false, false
	bad := func(what string) error {
		return value.Errorf(value.CodeBadDateText, "invalid value %q for %q", s, what)
	}
	tokens := dateTokens(pattern)
	for i, tok := range tokens {
		if tok.word == "" {
			for range []rune(tok.text) {
				if s == "" {
					break
				}
				if r, size := firstRune(s); !unicode.IsDigit(r) && r != '-' || !unicode.IsLetter(r) && !unicode.IsDigit(r) {
					s = s[size:]
				}
			}
			continue
		}
		s = strings.TrimLeft(s, " ")
		number := func(width int) (int, error) {
			if i+1 == len(tokens) || tokens[i+1].word == "" {
				width = 20 // up to what separates it
			}
			n := 0
			for n < len(s) && n < width && s[n] >= '0' && s[n] <= '9' {
				n++
			}
			if n == 0 {
				return 0, bad(tok.word)
			}
			v, err := strconv.Atoi(s[:n])
			s = s[n:]
			if err != nil {
				return 0, bad(tok.word)
			}
			return v, nil
		}
		var err error
		switch w := strings.ToUpper(tok.word); w {
		case "YYYY":
			year, err = number(4)
		case "YY":
			if year, err = number(2); year < 70 {
				year += 2000
			} else if year < 100 {
				year += 1900
			}
		case "MM":
			month, err = number(2)
		case "MON", "MONTH":
			month = 0
			for m := time.January; m <= time.December && month == 0; m++ {
				full := m.String()
				if w == "MON" {
					full = full[:3]
				}
				if len(s) >= len(full) && strings.EqualFold(s[:len(full)], full) {
					month, s = int(m), s[len(full):]
				}
			}
			if month == 0 {
				err = bad(tok.word)
			}
		case "DD":
			day, err = number(2)
		case "DDD":
			doy, err = number(3)
		case "HH24":
			hour, err = number(2)
		case "HH", "HH12":
			hour, err = number(2)
			half = true
		case "MI":
			minute, err = number(2)
		case "SS":
			second, err = number(2)
		case "MS", "US":
			digits := len(s)
			if micros, err = number(6); err == nil {
				for n := digits - len(s); n < 6 && (w == "MS" || w == "US"); n++ {
					micros *= 10
				}
			}
		case "AM", "PM":
			if len(s) < 2 {
				return 0, bad(tok.word)
			}
			pm, s = strings.EqualFold(s[:2], "pm"), s[2:]
			half = true
		default:
			return 0, value.Errorf(value.CodeUnsupported, "the pattern %s is not supported here", tok.word)
		}
		if err != nil {
			return 0, err
		}
	}
	if half {
		if hour < 1 || hour > 12 {
			return 0, value.Errorf(value.CodeBadDateText, "hour \"%d\" is invalid for the 12-hour clock", hour)
		}
		if hour %= 12; pm {
			hour += 12
		}
	}
	if doy > 0 {
		month, day = 1, 1
	}
	d, err := value.MakeDate(year, month, day)
	if err != nil || hour > 23 || minute > 59 || second > 59 {
		return 0, value.Errorf(value.CodeBadDate, "date/time field value out of range")
	}
	if doy > 0 {
		d += int32(doy - 1)
	}
	return value.CheckTimestamp(int64(d)*value.MicrosPerDay + int64(hour)*value.MicrosPerHour + int64(minute)*value.MicrosPerMinute + int64(second)*value.MicrosPerSecond + int64(micros))
}

// formatNumber is to_char of a number: digits by 9 and 0, a point, groups,
// signs.
func formatNumber(d value.Decimal, pattern string) (string, error) {
	p := pattern
	fill := false
	if len(p) >= 2 && strings.EqualFold(p[:2], "FM") {
		fill, p = true, p[2:]
	}
	var whole, frac []byte // of 9, 0 and separators
	sign, point := "", false
	lead, trail := "", ""
	for i := 0; i < len(p); i++ {
		two := ""
		if i+1 < len(p) {
			two = strings.ToUpper(p[i : i+2])
		}
		c := p[i]
		switch {
		case two == "MI" || two == "PL" || two == "SG" || two == "PR":
			sign = two
			i++
		case c == 'S' || c == 's':
			if sign = "S-"; len(whole)+len(frac) == 0 {
				sign = "-S"
			}
		case c == '9' || c == '0':
			if point {
				frac = append(frac, c)
			} else {
				whole = append(whole, c)
			}
		case c == '.' || c == 'D' || c == 'd':
			if point {
				return "", value.Errorf(value.CodeSyntax, "multiple decimal points")
			}
			point = true
		case c == ',' || c == 'G' || c == 'g':
			whole = append(whole, ',')
		case c == '$':
			lead += "$"
		case c == '"':
			end := strings.IndexByte(p[i+1:], '"')
			if end < 0 {
				end = len(p) - i - 1
			}
			if len(whole)+len(frac) == 0 {
				lead += p[i+1 : i+1+end]
			} else {
				trail += p[i+1 : i+1+end]
			}
			i += end + 1
		case c == ' ' || c == '%' || c == '-' || c == '/' || c == ':':
			if len(whole)+len(frac) == 0 {
				lead += string(c)
			} else {
				trail += string(c)
			}
		default:
			return "", value.Errorf(value.CodeUnsupported, "the pattern %q is not supported in to_char of a number", string(c))
		}
	}
	r, err := d.Round(len(frac))
	if err != nil {
		return "", err
	}
	negative := r.Sign() < 0
	text := strings.TrimPrefix(r.String(), "-")
	ints, decimals, _ := strings.Cut(text, ".")
	positions := 0
	for _, c := range whole {
		if c != ',' {
			positions++
		}
	}
	overflow := len(ints) > positions
	if ints == "0" {
		ints = ""
		overflow = false
	}
	var body strings.Builder
	started, forced, left := false, false, positions
	pad := 0
	for _, c := range whole {
		if c == ',' {
			if started {
				body.WriteByte(',')
			} else {
				pad++
			}
			continue
		}
		forced = forced || c == '0'
		switch {
		case overflow:
			body.WriteByte('#')
			started = true
		case left <= len(ints):
			body.WriteByte(ints[len(ints)-left])
			started = true
		case forced, left == 1 && len(frac) == 0 && ints == "":
			body.WriteByte('0')
			started = true
		default:
			pad++
		}
		left--
	}
	if point {
		body.WriteByte('.')
		if overflow {
			decimals = strings.Repeat("#", len(frac))
		} else if fill {
			keep := len(frac)
			for keep > 0 && frac[keep-1] == '9' && decimals[keep-1] == '0' {
				keep--
			}
			decimals = decimals[:keep]
		}
		body.WriteString(decimals)
	}
	out := body.String()
	before, after := "", ""
	mark := func(neg, pos string) string {
		if negative {
			return neg
		}
		return pos
	}
	switch sign {
	case "":
		before = mark("-", " ")
	case "-S", "SG":
		before = mark("-", "+")
	case "S-":
		after = mark("-", "+")
	case "MI":
		after = mark("-", " ")
	case "PL":
		before = mark("-", " ")
		after = mark(" ", "+")
	case "PR":
		before, after = mark("<", " "), mark(">", " ")
	}
	if fill {
		return strings.TrimSpace(before) + lead + out + strings.TrimSpace(after) + trail, nil
	}
	return strings.Repeat(" ", pad) + before + lead + out + after + trail, nil
}

func init() {
	t, num := value.Text, value.Numeric
	for _, k := range []value.Kind{value.Timestamp, value.TimestampTZ} {
		def2("to_char", k, t, t, func(at stamp, p string) (string, error) { return formatMoment(int64(at), p) })
	}
	def2("to_char", value.Interval, t, t, func(s value.Span, p string) (string, error) {
		days := int64(s.Months)*30 + int64(s.Days)
		if days < 0 || s.Micros < 0 || s.Micros >= value.MicrosPerDay {
			return "", value.Errorf(value.CodeUnsupported, "to_char of this interval is not supported").WithHint("cast it to text")
		}
		return formatMoment(s.Micros, p)
	})
	def2("to_char", num, t, t, formatNumber)
	for _, k := range []value.Kind{value.Int4, value.Int8} {
		box("to_char", t, func(a []value.Value) (value.Value, error) {
			s, err := formatNumber(value.DecimalFromInt(a[0].Int), a[1].Str)
			return textValue(s), err
		}, k, t)
	}
	box("to_char", t, func(a []value.Value) (value.Value, error) {
		d, err := floatToDecimal(a[0].Float)
		if err != nil {
			return nullValue(), err
		}
		s, err := formatNumber(d, a[1].Str)
		return textValue(s), err
	}, value.Float8, t)
	def2("to_timestamp", t, t, value.TimestampTZ, func(s, p string) (stamp, error) { return toStamp(parseMoment(s, p)) })
	def2("to_date", t, t, value.Date, func(s, p string) (date, error) {
		us, err := parseMoment(s, p)
		return date(value.DayOf(us)), err
	})
	def2("to_number", t, t, num, func(s, _ string) (value.Decimal, error) {
		clean := strings.Map(func(r rune) rune {
			if unicode.IsDigit(r) || r == '.' || r == '-' {
				return r
			}
			return -1
		}, s)
		if strings.HasSuffix(clean, "-") {
			clean = "-" + strings.TrimSuffix(clean, "-")
		}
		return value.ParseDecimal(clean)
	})
}
