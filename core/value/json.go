package value

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/cockroachdb/apd/v3"
)

// JSONValue is a parsed JSON document: nil, bool, json.Number, string,
// []JSONValue or *JSONObject.
type JSONValue any

// JSONObject is an object with its members in their written order.
type JSONObject struct {
	Keys   []string
	Values []JSONValue
}

// Get returns the member called key; the last one wins where it is repeated.
func (o *JSONObject) Get(key string) (JSONValue, bool) {
	for i := len(o.Keys) - 1; i >= 0; i-- {
		if o.Keys[i] == key {
			return o.Values[i], true
		}
	}
	return nil, false
}

// JSONType is what JSON calls a value: null, boolean, number, string, array or object.
func JSONType(v JSONValue) string {
	switch v.(type) {
	case nil:
		return "null"
	case bool:
		return "boolean"
	case json.Number:
		return "number"
	case string:
		return "string"
	case []JSONValue:
		return "array"
	}
	return "object"
}

const maxJSONDepth = 1000

// DecodeJSON parses a document.
func DecodeJSON(s string) (JSONValue, error) {
	d := json.NewDecoder(strings.NewReader(s))
	d.UseNumber()
	v, err := decodeNext(d, 0)
	if err == nil {
		if _, more := d.Token(); !errors.Is(more, io.EOF) {
			err = errors.New("something follows the document")
		}
	}
	if err != nil {
		var wrong *json.SyntaxError
		switch {
		case errors.As(err, &wrong):
			err = fmt.Errorf("unexpected text after byte %d", d.InputOffset())
		case errors.Is(err, io.ErrUnexpectedEOF):
			err = errors.New("the document ends too early")
		}
		return nil, Errorf(CodeBadText, "invalid input syntax for type json: %s", err)
	}
	return v, nil
}

func decodeNext(d *json.Decoder, depth int) (JSONValue, error) {
	if depth > maxJSONDepth {
		return nil, errors.New("it is nested too deeply")
	}
	t, err := d.Token()
	if err != nil {
		if errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF
		}
		return nil, err
	}
	delim, ok := t.(json.Delim)
	if !ok {
		return t, nil
	}
	switch delim {
	case '[':
		list := []JSONValue{}
		for d.More() {
			v, err := decodeNext(d, depth+1)
			if err != nil {
				return nil, err
			}
			list = append(list, v)
		}
		_, err := d.Token()
		return list, err
	case '{':
		o := &JSONObject{}
		for d.More() {
			key, err := d.Token()
			if err != nil {
				return nil, err
			}
			v, err := decodeNext(d, depth+1)
			if err != nil {
				return nil, err
			}
			name, isText := key.(string)
			if !isText {
				return nil, errors.New("a key is not a text")
			}
			o.Keys, o.Values = append(o.Keys, name), append(o.Values, v)
		}
		_, err := d.Token()
		return o, err
	}
	return nil, errors.New("unexpected " + delim.String())
}

// ParseJSON checks a document; jsonb also gets its canonical spelling: spaces
// after separators, each key once, shorter keys first.
func ParseJSON(k Kind, s string) (string, error) {
	v, err := DecodeJSON(s)
	if err != nil || k == JSON {
		return s, err
	}
	if err := checkEscapes(s); err != nil {
		return s, err
	}
	if err := checkNumbers(v); err != nil {
		return s, err
	}
	return EncodeJSONB(v), nil
}

// checkEscapes fails for what a jsonb text cannot hold: a zero, and half a
// surrogate pair.
func checkEscapes(s string) error {
	return eachEscape(s, func(unit uint64) error {
		if unit == 0 {
			return Errorf("22P05", "\\u0000 cannot be converted to text")
		}
		return nil
	})
}

// CheckPairs fails for a JSON text with half a surrogate pair, in the place of which
// DecodeJSON puts another character.
func CheckPairs(s string) error {
	if !strings.Contains(s, `\u`) {
		return nil
	}
	return eachEscape(s, func(uint64) error { return nil })
}

// eachEscape calls f for the units that escapes of a valid JSON text name, and
// fails for half a surrogate pair.
func eachEscape(s string, f func(unit uint64) error) error {
	high := false // the escape before was the first of a pair
	for i := 0; i < len(s); i++ {
		var unit uint64
		if s[i] == '\\' {
			if i++; s[i] == 'u' {
				unit, _ = strconv.ParseUint(s[i+1:i+5], 16, 16)
				i += 4
				if err := f(unit); err != nil {
					return err
				}
			}
		}
		low := unit >= 0xdc00 && unit < 0xe000
		if low != high {
			return Errorf(CodeBadText, "invalid input syntax for type json: half a Unicode surrogate pair")
		}
		high = unit >= 0xd800 && unit < 0xdc00
	}
	return nil
}

// checkNumbers fails for numbers past PostgreSQL's numeric.
func checkNumbers(v JSONValue) error {
	switch v := v.(type) {
	case json.Number:
		_, err := numberOf(v)
		return err
	case []JSONValue:
		for _, x := range v {
			if err := checkNumbers(x); err != nil {
				return err
			}
		}
	case *JSONObject:
		return checkNumbers(v.Values)
	}
	return nil
}

// numberOf returns a document's number, which may have more digits than a Decimal.
func numberOf(n json.Number) (*apd.Decimal, error) {
	const before, behind = 131072, 16383 // digits of the decimal point
	d, _, err := apd.NewFromString(n.String())
	if err != nil || int64(d.Exponent)+d.NumDigits() > before || d.Exponent < -behind {
		return nil, Errorf(CodeOutOfRange, "value overflows numeric format")
	}
	return d, nil
}

// EncodeJSONB writes a document as PostgreSQL prints jsonb.
func EncodeJSONB(v JSONValue) string {
	var b strings.Builder
	encodeJSON(&b, v, ": ", ", ", true)
	return b.String()
}

// EncodeJSON writes a document without spaces, members in their order.
func EncodeJSON(v JSONValue) string {
	var b strings.Builder
	encodeJSON(&b, v, ":", ",", false)
	return b.String()
}

// QuoteJSON writes a text as a JSON string.
func QuoteJSON(s string) string {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	_ = e.Encode(s) // a text always encodes
	out := strings.TrimSuffix(b.String(), "\n")
	return strings.NewReplacer(`\u2028`, "\u2028", `\u2029`, "\u2029").Replace(out)
}

func encodeJSON(b *strings.Builder, v JSONValue, colon, comma string, canonical bool) {
	switch v := v.(type) {
	case nil:
		b.WriteString("null")
	case bool:
		b.WriteString(FormatBool(v))
	case json.Number:
		s := v.String()
		if canonical {
			s = plainNumber(v)
		}
		b.WriteString(s)
	case string:
		b.WriteString(QuoteJSON(v))
	case []JSONValue:
		b.WriteByte('[')
		for i, x := range v {
			if i > 0 {
				b.WriteString(comma)
			}
			encodeJSON(b, x, colon, comma, canonical)
		}
		b.WriteByte(']')
	case *JSONObject:
		if canonical {
			v = v.canonical()
		}
		b.WriteByte('{')
		for i, k := range v.Keys {
			if i > 0 {
				b.WriteString(comma)
			}
			b.WriteString(QuoteJSON(k))
			b.WriteString(colon)
			encodeJSON(b, v.Values[i], colon, comma, canonical)
		}
		b.WriteByte('}')
	}
}

// plainNumber writes a number without an exponent, as PostgreSQL does.
func plainNumber(n json.Number) string {
	s := n.String()
	if d, err := ParseDecimal(s); err == nil {
		return d.String()
	}
	d, err := numberOf(n)
	if err != nil {
		return s
	}
	d.Negative = d.Negative && !d.IsZero()
	return d.Text('f')
}

// compareKeys orders the keys of jsonb: shorter ones first, then by code point.
func compareKeys(a, b string) int {
	if d := cmp.Compare(len(a), len(b)); d != 0 {
		return d
	}
	return strings.Compare(a, b)
}

// Member returns the member of an object of jsonb that has a key.
func (o *JSONObject) Member(key string) (JSONValue, bool) {
	i, there := slices.BinarySearchFunc(o.Keys, key, compareKeys)
	if !there {
		return nil, false
	}
	return o.Values[i], true
}

// canonical keeps each key once, in the order of jsonb.
func (o *JSONObject) canonical() *JSONObject {
	last := map[string]JSONValue{}
	for i, k := range o.Keys {
		last[k] = o.Values[i]
	}
	c := &JSONObject{}
	for k := range last {
		c.Keys = append(c.Keys, k)
	}
	slices.SortFunc(c.Keys, compareKeys)
	for _, k := range c.Keys {
		c.Values = append(c.Values, last[k])
	}
	return c
}

// canonicalJSON spells equal documents alike: numbers lose trailing zeros.
func canonicalJSON(s string) string {
	v, err := DecodeJSON(s)
	if err != nil {
		return s
	}
	return JSONKey(v)
}

// JSONKey is one text for all documents that are equal as jsonb.
func JSONKey(v JSONValue) string { return EncodeJSONB(trimNumbers(v)) }

func trimNumbers(v JSONValue) JSONValue {
	switch v := v.(type) {
	case json.Number:
		if d, err := ParseDecimal(v.String()); err == nil {
			return json.Number(d.Canonical().String())
		}
		if d, err := numberOf(v); err == nil {
			d.Reduce(d)
			return json.Number(d.Text('f'))
		}
	case []JSONValue:
		out := make([]JSONValue, len(v))
		for i, x := range v {
			out[i] = trimNumbers(x)
		}
		return out
	case *JSONObject:
		out := &JSONObject{Keys: v.Keys}
		for _, x := range v.Values {
			out.Values = append(out.Values, trimNumbers(x))
		}
		return out
	}
	return v
}

// CompareJSON orders jsonb documents as PostgreSQL does: by kind (object,
// array, boolean, number, text, null from high to low), then size, then parts.
func CompareJSON(a, b string) int {
	x, err1 := DecodeJSON(a)
	y, err2 := DecodeJSON(b)
	if err1 != nil || err2 != nil {
		return strings.Compare(a, b)
	}
	return compareJSON(x, y)
}

func jsonRank(v JSONValue) int {
	switch v := v.(type) {
	case *JSONObject:
		return 6
	case []JSONValue:
		if len(v) == 0 {
			return 0 // PostgreSQL sorts empty arrays below everything
		}
		return 5
	case bool:
		return 4
	case json.Number:
		return 3
	case string:
		return 2
	}
	return 1
}

func compareJSON(a, b JSONValue) int {
	if r := jsonRank(a) - jsonRank(b); r != 0 {
		return r
	}
	switch x := a.(type) {
	case bool:
		y := b.(bool)
		switch {
		case x == y:
			return 0
		case y:
			return -1
		}
		return 1
	case json.Number:
		y := b.(json.Number)
		dx, err1 := ParseDecimal(x.String())
		dy, err2 := ParseDecimal(y.String())
		if err1 == nil && err2 == nil {
			return dx.Cmp(dy)
		}
		nx, err1 := numberOf(x)
		ny, err2 := numberOf(y)
		if err1 == nil && err2 == nil {
			return nx.Cmp(ny)
		}
		return strings.Compare(x.String(), y.String())
	case string:
		return strings.Compare(x, b.(string))
	case []JSONValue:
		y := b.([]JSONValue)
		if len(x) != len(y) {
			return len(x) - len(y)
		}
		for i := range x {
			if c := compareJSON(x[i], y[i]); c != 0 {
				return c
			}
		}
	case *JSONObject:
		x, y := x.canonical(), b.(*JSONObject).canonical()
		if len(x.Keys) != len(y.Keys) {
			return len(x.Keys) - len(y.Keys)
		}
		for i := range x.Keys {
			if c := strings.Compare(x.Keys[i], y.Keys[i]); c != 0 {
				return c
			}
			if c := compareJSON(x.Values[i], y.Values[i]); c != 0 {
				return c
			}
		}
	}
	return 0
}
