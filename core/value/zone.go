package value

import (
	_ "embed"
	"regexp"
	"strconv"
	"strings"
	"time"
	_ "time/tzdata" // zones where the machine has none
	"unicode"
)

// zoneAbbreviation is what an abbreviation of a time zone means: an offset, in seconds east
// of UTC, or the zone that it is used in.
type zoneAbbreviation struct {
	seconds int
	summer  bool
	zone    string
}

// abbreviations are those that PostgreSQL knows unless told otherwise, a line each: the
// abbreviation, then its offset in seconds with D for summer time, or its zone.
//
//go:embed abbreviations.txt
var abbreviations string

var zoneAbbreviations = func() map[string]zoneAbbreviation {
	out := map[string]zoneAbbreviation{}
	for line := range strings.Lines(abbreviations) {
		words := strings.Fields(line)
		if n, err := strconv.Atoi(words[1]); err == nil {
			out[words[0]] = zoneAbbreviation{seconds: n, summer: len(words) > 2}
		} else {
			out[words[0]] = zoneAbbreviation{zone: words[1]}
		}
	}
	return out
}()

// Zone returns the time zone of an abbreviation, as CEST, or a name.
func Zone(name string) (*time.Location, error) {
	if z, ok := zoneAbbreviations[strings.ToLower(name)]; ok {
		if z.zone == "" {
			return time.FixedZone(name, z.seconds), nil
		}
		name = z.zone
	}
	if loc, ok := zoneNamed(name); ok {
		return loc, nil
	}
	return nil, Errorf(CodeBadParameter, "time zone %q not recognized", name)
}

// ZoneOrOffset returns the time zone of an offset to the east, as +05:30, or of what Zone
// takes.
func ZoneOrOffset(name string) (*time.Location, error) {
	if strings.HasPrefix(name, "+") || strings.HasPrefix(name, "-") {
		offset, err := zoneOffset(name, name)
		if err != nil {
			return nil, err
		}
		return time.FixedZone(name, offset), nil
	}
	return Zone(name)
}

// zoneSpec is the POSIX form of a zone without summer time, whose offset counts to the west.
var zoneSpec = regexp.MustCompile(`^(?:[^\d,+<-]*|<[^<>]+>)([+-]?\d{1,3})(?::(\d{1,2}))?(?::(\d{1,2}))?$`)

// zoneNamed finds a zone by its name, in any letter case, or by its POSIX form.
func zoneNamed(name string) (*time.Location, bool) {
	if name == "" || strings.EqualFold(name, "local") {
		return nil, false
	}
	for _, spelled := range []string{name, strings.ToUpper(name), titled(name)} {
		if loc, err := time.LoadLocation(spelled); err == nil {
			return loc, true
		}
	}
	m := zoneSpec.FindStringSubmatch(name)
	if m == nil {
		return nil, false
	}
	hours, _ := strconv.Atoi(m[1])
	minutes, _ := strconv.Atoi(m[2])
	seconds, _ := strconv.Atoi(m[3])
	rest := minutes*60 + seconds
	if hours > 167 || hours < -167 {
		return nil, false
	}
	if strings.HasPrefix(m[1], "-") {
		rest = -rest
	}
	return time.FixedZone(name, -(hours*3600 + rest)), true
}

// titled writes the parts of a zone's name as they are usually written: America/New_York,
// Africa/Dar_es_Salaam.
func titled(name string) string {
	var b strings.Builder
	parts := strings.FieldsFunc(strings.ToLower(name), func(c rune) bool { return strings.ContainsRune("/_-", c) })
	at := 0
	for _, p := range parts {
		if at > 0 {
			b.WriteByte(name[at])
			at++
		}
		at += len(p)
		switch p {
		case "of", "es", "au":
			b.WriteString(p)
		default:
			b.WriteRune(unicode.ToUpper(rune(p[0])))
			b.WriteString(p[1:])
		}
	}
	return b.String()
}

// zoneOffset reads an offset as +5, +05:30 or -0530: seconds east of UTC. whole is the text
// that it stands in, for the error.
func zoneOffset(s, whole string) (int, error) {
	bad := Errorf(CodeBadDateText, "invalid input syntax for a time zone: %q", whole)
	if s == "" || s[0] != '+' && s[0] != '-' {
		return 0, bad
	}
	hours, rest, ok := leadingInt(s[1:])
	minutes, seconds := 0, 0
	switch {
	case !ok:
		return 0, bad
	case strings.HasPrefix(rest, ":"):
		minutes, rest, _ = leadingInt(rest[1:])
		if strings.HasPrefix(rest, ":") {
			seconds, rest, _ = leadingInt(rest[1:])
		}
	case rest == "" && len(s) > 3:
		hours, minutes = hours/100, hours%100
	}
	if hours > 15 || minutes > 59 || seconds > 59 {
		return 0, Errorf("22009", "time zone displacement out of range: %q", whole)
	}
	if rest != "" {
		return 0, bad
	}
	offset := hours*3600 + minutes*60 + seconds
	if s[0] == '-' {
		offset = -offset
	}
	return offset, nil
}

// ToZone shows a timestamp by the clocks of a zone.
func ToZone(loc *time.Location, us int64) (int64, error) {
	if !Finite(us) {
		return us, nil
	}
	_, offset := time.UnixMicro(us).In(loc).Zone()
	return CheckTimestamp(us + int64(offset)*MicrosPerSecond)
}

// FromZone reads a clock of a zone; where it is shown twice or never, the
// standard offset counts, as in PostgreSQL.
func FromZone(loc *time.Location, us int64) (int64, error) {
	if !Finite(us) {
		return us, nil
	}
	c := Civil(us)
	before := time.Date(c.Year(), c.Month(), c.Day()-1, c.Hour(), c.Minute(), c.Second(), 0, loc)
	after := time.Date(c.Year(), c.Month(), c.Day()+1, c.Hour(), c.Minute(), c.Second(), 0, loc)
	_, o1 := before.Zone()
	_, o2 := after.Zone()
	if o1 == o2 {
		return CheckTimestamp(us - int64(o1)*MicrosPerSecond)
	}
	early, late := us-int64(o1)*MicrosPerSecond, us-int64(o2)*MicrosPerSecond
	fits := func(at int64, want int) bool {
		_, have := time.UnixMicro(at).In(loc).Zone()
		return have == want
	}
	switch one, two := fits(early, o1), fits(late, o2); {
	case one && !two:
		return CheckTimestamp(early)
	case two && !one:
		return CheckTimestamp(late)
	case one && two: // shown twice: PostgreSQL takes the standard time
		return CheckTimestamp(max(early, late))
	}
	// Never shown: as before the change.
	return CheckTimestamp(early)
}
