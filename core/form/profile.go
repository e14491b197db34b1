package form

import (
	"fmt"
	"regexp"
	"sort"
	"strings"

	"rovik/core/value"
)

// Count is a value of a column with the number of its rows; nil is NULL.
type Count struct {
	Value *string `json:"value"`
	Rows  int64   `json:"rows"`
}

// Profile is what was measured of a column.
type Profile struct {
	Type   value.Kind
	Values []Count // distinct values, the most frequent first
	Whole  bool    // Values has all of them
}

// Offer is a cleaning step that a profile suggests.
type Offer struct {
	Clean Clean  `json:"clean"`
	Title string `json:"title"`
	Why   string `json:"why"`
	// Rows counts those whose value the step changes; Fails the rows whose value
	// cannot be taken as the type, some of which are named.
	Rows   int64    `json:"rows"`
	Fails  int64    `json:"fails"`
	Failed []string `json:"failed"`
}

const (
	fewValues   = 24   // that are offered to be mapped
	fewFailures = 12   // that are named one by one
	mostFit     = 0.75 // of the values have to be of a type for it to be offered
)

// Offers are the cleaning steps that a profile suggests.
func (p *Profile) Offers() []Offer {
	var nulls, blank, spaced, rows int64
	for _, v := range p.Values {
		rows += v.Rows
		switch {
		case v.Value == nil:
			nulls += v.Rows
		case *v.Value == "":
			blank += v.Rows
		case p.isText() && strings.Trim(*v.Value, " ") != *v.Value:
			spaced += v.Rows
		}
	}
	out := []Offer{}
	offer := func(c Clean, rows int64, title, why string, args ...any) {
		out = append(out, Offer{Clean: c, Title: title, Why: fmt.Sprintf(why, args...), Rows: rows, Failed: []string{}})
	}
	if spaced > 0 {
		offer(Clean{Step: StepTrim}, spaced, "Trim spaces", "%s spaces at an end", counted(spaced, "row has", "rows have"))
	}
	if step, n, example := p.cases(); n > 0 {
		offer(Clean{Step: step}, n, "Unify case: "+map[string]string{StepUpper: "UPPER", StepLower: "lower"}[step], "%s change, as in %s", counted(n, "row would", "rows would"), example)
	}
	if blank > 0 {
		offer(Clean{Step: StepBlank}, blank, "Empty text to NULL", "%s an empty text", counted(blank, "row has", "rows have"))
	}
	if nulls > 0 {
		offer(Clean{Step: StepFill, Value: p.filler()}, nulls, "Replace NULL", "%s no value", counted(nulls, "row has", "rows have"))
	}
	if p.isText() {
		out = append(out, p.types()...)
		if sep, n := p.separator(); n > 0 {
			offer(Clean{Step: StepSplit, Value: sep, Nth: 1}, n, fmt.Sprintf("Split at %q", sep), "%s %q in it", counted(n, "row has", "rows have"), sep)
		}
	}
	if n := len(p.Values); p.Whole && n > 1 && n <= fewValues && p.Type != value.Bool {
		c := Clean{Step: StepMap}
		for _, v := range p.Values {
			if v.Value != nil {
				c.From, c.To = append(c.From, *v.Value), append(c.To, *v.Value)
			}
		}
		offer(c, rows-nulls, "Map codes", "there are %s", counted(int64(len(c.From)), "value", "values"))
	}
	return out
}

func (p *Profile) isText() bool { return p.Type == value.Text || p.Type == value.Char }

// filler is a first idea of what NULL may become.
func (p *Profile) filler() string {
	switch p.Type {
	case value.Int2, value.Int4, value.Int8, value.Numeric, value.Float4, value.Float8:
		return "0"
	case value.Bool:
		return "false"
	case value.Date:
		return "9999-12-31"
	case value.Timestamp, value.TimestampTZ:
		return "9999-12-31 00:00:00"
	case value.Text, value.Char:
		return "unknown"
	}
	return ""
}

func counted(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s + " " + many
}

// cases finds values that differ in case alone: which case most rows have, and how
// many rows would change.
func (p *Profile) cases() (step string, rows int64, example string) {
	if !p.isText() {
		return "", 0, ""
	}
	spellings := map[string][]string{}
	for _, v := range p.Values {
		if v.Value != nil {
			k := strings.ToLower(strings.Trim(*v.Value, " "))
			spellings[k] = append(spellings[k], strings.Trim(*v.Value, " "))
		}
	}
	for _, s := range spellings {
		for _, other := range s[1:] {
			if other != s[0] && (example == "" || s[0]+" and "+other < example) {
				example = s[0] + " and " + other
			}
		}
	}
	if example == "" {
		return "", 0, ""
	}
	var upper, lower int64
	for _, v := range p.Values {
		if v.Value != nil {
			if strings.ToUpper(*v.Value) != *v.Value {
				upper += v.Rows
			}
			if strings.ToLower(*v.Value) != *v.Value {
				lower += v.Rows
			}
		}
	}
	if upper <= lower {
		return StepUpper, upper, example
	}
	return StepLower, lower, example
}

// aDay matches the days that there are, a leap year's last of February among
// them.
const aDay = `([0-9]{3}[1-9]|[0-9]{2}[1-9][0-9]|[0-9][1-9][0-9]{2}|[1-9][0-9]{3})-` +
	`((0[13578]|1[02])-(0[1-9]|[12][0-9]|3[01])|(0[469]|11)-(0[1-9]|[12][0-9]|30)|02-(0[1-9]|1[0-9]|2[0-8]))` +
	`|([0-9]{2}(0[48]|[2468][048]|[13579][26])|([02468][48]|[13579][26]|[2468]0)00)-02-29`

// guards are patterns that only strings match of which the cast to a type cannot
// fail.
var guards = map[value.Kind]string{
	value.Int8:      `^ *[-+]?[0-9]{1,18} *$`,
	value.Numeric:   `^ *[-+]?[0-9]{1,20}(\.[0-9]{1,18})? *$`,
	value.Date:      `^(` + aDay + `)$`,
	value.Timestamp: `^(` + aDay + `)[ T]([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9](\.[0-9]{1,6})?)?$`,
}

// types offers the narrowest type that most strings can be taken as. Texts that
// cannot be are named one by one where all are known and few; else a pattern
// tells them, which may leave out some that the cast would take.
func (p *Profile) types() []Offer {
	for _, k := range []value.Kind{value.Int8, value.Numeric, value.Date, value.Timestamp} {
		r := p.readAs(k, func(s string) bool {
			_, err := value.Parse(k, s)
			day, isDate := dateOnly(s)
			return err == nil && (k != value.Timestamp || !isDate || !day) // a date is offered as such
		})
		if r.rows == 0 || float64(r.fits) < mostFit*float64(r.rows) && float64(r.different-len(r.failed)) < mostFit*float64(r.different) {
			continue
		}
		guard := ""
		if len(r.failed) > fewFailures || !p.Whole {
			guard = guards[k]
			r = p.readAs(k, regexp.MustCompile(guard).MatchString)
		}
		sort.Strings(r.failed)
		fails := r.rows - r.fits
		o := Offer{Clean: Clean{Step: StepType, Value: value.Of(k).String(), Guard: guard}, Rows: r.fits, Fails: fails, Failed: r.failed[:min(len(r.failed), fewFailures)],
			Title: "Text to " + value.Of(k).String(), Why: fmt.Sprintf("%s as %s", counted(r.fits, "row can be read", "rows can be read"), value.Of(k))}
		if fails > 0 {
			o.Why += fmt.Sprintf(", %s", counted(fails, "cannot and becomes NULL", "cannot and become NULL"))
			if guard == "" {
				o.Clean.From = r.failed
			}
		}
		if r.zeros > 0 {
			o.Why += fmt.Sprintf("; leading zeros would be lost in %s", counted(r.zeros, "row", "rows"))
		}
		return []Offer{o}
	}
	return nil
}

// reading counts the rows of a profile that fit a type, and names the values that
// do not.
type reading struct {
	rows, fits, zeros int64
	different         int
	failed            []string
}

func (p *Profile) readAs(k value.Kind, fits func(string) bool) reading {
	r := reading{failed: []string{}}
	for _, v := range p.Values {
		if v.Value == nil {
			continue
		}
		r.rows, r.different = r.rows+v.Rows, r.different+1
		if !fits(*v.Value) {
			r.failed = append(r.failed, *v.Value)
			continue
		}
		r.fits += v.Rows
		if s := strings.TrimLeft(*v.Value, "+-"); k == value.Int8 && len(s) > 1 && s[0] == '0' {
			r.zeros += v.Rows
		}
	}
	return r
}

// dateOnly reports whether a text is a date without a time.
func dateOnly(s string) (bool, bool) {
	_, err := value.ParseDate(s)
	return len(strings.TrimSpace(s)) <= 10, err == nil
}

// separator finds what most strings can be split at.
func (p *Profile) separator() (string, int64) {
	for _, sep := range []string{"; ", ";", ", ", " / ", "/", " – ", " - ", "|"} {
		var has, rows int64
		for _, v := range p.Values {
			if v.Value != nil {
				rows += v.Rows
				if strings.Contains(*v.Value, sep) {
					has += v.Rows
				}
			}
		}
		if rows > 0 && float64(has) >= mostFit*float64(rows) {
			return sep, has
		}
	}
	return "", 0
}
