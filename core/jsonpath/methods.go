package jsonpath

import (
	"encoding/json"
	"math"
	"regexp"
	"strconv"
	"strings"

	"rovik/core/value"
)

func (x *execution) method(i *item, v value.JSONValue, found *items) result {
	switch i.text {
	case "type":
		return x.next(i, typeOf(v), found)
	case "size":
		size := 1
		if list, isArray := v.([]value.JSONValue); isArray {
			size = len(list)
		} else if !x.lax {
			return x.misfit(codeNoArray, "jsonpath item method .size() can only be applied to an array")
		}
		return x.next(i, numberOf(value.DecimalFromInt(int64(size))), found)
	case "abs", "floor", "ceiling":
		n, ok := numeric(v)
		if !ok {
			return x.fail(codeNotNumeric, "jsonpath item method .%s() can only be applied to a numeric value", i.text)
		}
		var err error
		switch i.text {
		case "floor":
			n, err = n.Floor()
		case "ceiling":
			n, err = n.Ceil()
		default:
			if n.Sign() < 0 {
				n = n.Neg()
			}
		}
		if err != nil {
			panic(asError(err))
		}
		if i.next == nil && found == nil {
			return some
		}
		return x.next(i, numberOf(n), found)
	case "double":
		return x.double(i, v, found)
	case "datetime":
		text, ok := v.(string)
		if !ok {
			return x.fail(codeDatetime, "jsonpath item method .datetime() can only be applied to a string")
		}
		m, ok := readMoment(text)
		if !ok {
			return x.fail(codeDatetime, "datetime format is not recognized: %q", text)
		}
		if i.next == nil && found == nil {
			return some
		}
		return x.next(i, m, found)
	}
	return x.members(i, v, found)
}

func typeOf(v value.JSONValue) string {
	if m, is := v.(moment); is {
		return m.name()
	}
	return value.JSONType(v)
}

func (x *execution) double(i *item, v value.JSONValue, found *items) result {
	switch s := v.(type) {
	case json.Number:
		if f, err := strconv.ParseFloat(s.String(), 64); err != nil || math.IsInf(f, 0) {
			return x.fail(codeNotNumeric, "numeric argument of jsonpath item method .double() is out of range for type double precision")
		}
		return x.next(i, v, found)
	case string:
		f, err := value.Parse(value.Float8, s)
		if err != nil || math.IsInf(f.Float, 0) || math.IsNaN(f.Float) {
			return x.fail(codeNotNumeric, "string argument of jsonpath item method .double() is not a valid representation of a double precision number")
		}
		d, err := value.ParseDecimal(strconv.FormatFloat(f.Float, 'g', 15, 64))
		if err != nil {
			panic(asError(err))
		}
		return x.next(i, numberOf(d), found)
	}
	return x.fail(codeNotNumeric, "jsonpath item method .double() can only be applied to a string or numeric value")
}

// members gives each member of an object as one of its own, with the id of the object. Ids of
// objects within a document are places in its stored form, which are not known here.
func (x *execution) members(i *item, v value.JSONValue, found *items) result {
	object, ok := v.(*value.JSONObject)
	if !ok {
		return x.fail(codeNoObject, "jsonpath item method .keyvalue() can only be applied to an object")
	}
	if root, is := x.root.(*value.JSONObject); !is || root != object {
		panic(value.Errorf(value.CodeUnsupported, ".keyvalue() of an object within the document is not supported yet").WithHint("take the object out first, with -> or jsonb_path_query"))
	}
	out := none
	for at, key := range object.Keys {
		if i.next == nil && found == nil {
			return some
		}
		member := &value.JSONObject{Keys: []string{"id", "key", "value"}, Values: []value.JSONValue{json.Number("0"), key, object.Values[at]}}
		if out = x.next(i, member, found); ended(out, found) {
			return out
		}
	}
	return out
}

// moment is a date or time that .datetime() has read.
type moment struct {
	kind   value.Kind // Date, Time or Timestamp
	micros int64      // since 2000, or since midnight
	zoned  bool
	offset int // of the zone, in seconds east
}

var momentForm = regexp.MustCompile(`^\s*(?:(\d{1,4})-(\d{1,2})-(\d{1,2}))?(?:([ T]*)(\d{1,2}):(\d{1,2}):(\d{1,2})(\.\d{1,6})? *([+-]\d{1,2}(?::\d{1,2})?)?)?$`)

// readMoment reads a date, a time or both, in the forms of ISO 8601.
func readMoment(s string) (m moment, ok bool) {
	p := momentForm.FindStringSubmatch(s)
	if p == nil || p[1] == "" && p[5] == "" || (p[1] != "") != (p[4] != "") && p[5] != "" {
		return m, false
	}
	date, clock := p[1]+"-"+p[2]+"-"+p[3], p[5]+":"+p[6]+":"+p[7]+p[8]
	text := strings.TrimSpace(clock)
	switch {
	case p[5] == "":
		m.kind, text = value.Date, date
	case p[1] == "":
		m.kind = value.Time
	default:
		m.kind, text = value.Timestamp, date+" "+clock
	}
	v, err := value.Parse(m.kind, text)
	if err != nil {
		return m, false
	}
	m.micros = v.Int
	if p[9] != "" {
		m.zoned = true
		hours, minutes, _ := strings.Cut(p[9][1:], ":")
		h, _ := strconv.Atoi(hours)
		min, _ := strconv.Atoi(minutes)
		if m.offset = h*3600 + min*60; p[9][0] == '-' {
			m.offset = -m.offset
		}
		m.micros -= int64(m.offset) * 1_000_000
	}
	return m, true
}

func (m moment) name() string {
	switch {
	case m.kind == value.Date:
		return "date"
	case m.zoned:
		return m.kind.String() + " with time zone"
	}
	return m.kind.String() + " without time zone"
}

// text is the moment in ISO 8601, in its own zone.
func (m moment) text() string {
	s := value.IntOf(m.kind, m.micros+int64(m.offset)*1_000_000).String()
	if m.kind == value.Timestamp {
		s = strings.Replace(s, " ", "T", 1)
	}
	if !m.zoned {
		return s
	}
	sign, off := "+", m.offset
	if off < 0 {
		sign, off = "-", -off
	}
	two := func(n int) string { return string(rune('0'+n/10)) + string(rune('0'+n%10)) }
	return s + sign + two(off/3600) + ":" + two(off/60%60)
}

// order compares two of them. A time and a date do not compare; what has a zone and what has none
// compare only where the caller allows the session's.
func (m moment) order(o moment, zoned bool) (int, bool) {
	if (m.kind == value.Time) != (o.kind == value.Time) {
		return 0, false
	}
	if m.zoned != o.zoned && !zoned {
		without, with := m, o
		if m.zoned {
			without, with = o, m
		}
		panic(value.Errorf(value.CodeUnsupported, "cannot convert value from %s to %s without time zone usage", short(without), short(with)).WithHint("use the _tz() function for what compares times with and without a zone"))
	}
	at := func(m moment) int64 {
		if m.kind == value.Date {
			return m.micros * value.MicrosPerDay
		}
		return m.micros
	}
	switch a, b := at(m), at(o); {
	case a < b:
		return -1, true
	case a > b:
		return 1, true
	}
	if m.kind == value.Time && m.offset != o.offset { // of one moment the western clock is later
		return map[bool]int{true: -1, false: 1}[m.offset > o.offset], true
	}
	return 0, true
}

func short(m moment) string {
	name := m.kind.String()
	if m.zoned {
		name += "tz"
	}
	return name
}

// plainJSON is a value as JSON has it: a date or a time is its text.
func plainJSON(v value.JSONValue) value.JSONValue {
	if m, is := v.(moment); is {
		return m.text()
	}
	return v
}
