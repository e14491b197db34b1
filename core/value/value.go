package value

import (
	"encoding/hex"
	"math"
	"strconv"
	"strings"
)

// Value is one scalar: a literal of a query, or a result read out of a batch.
// Which field holds it follows from the kind: Bool, the integers, Date (days
// since 1970-01-01), Time and the timestamps (microseconds since then or since
// midnight) use Int; strings, uuids, JSON and the bytes of a bytea use Str.
type Value struct {
	Kind   Kind
	IsNull bool
	Int    int64
	Float  float64
	Str    string
	Dec    Decimal
	Span   Span
	List   []Value // an array's elements
}

// NullOf returns the NULL of kind k.
func NullOf(k Kind) Value { return Value{Kind: k, IsNull: true} }

// BoolOf returns a boolean value.
func BoolOf(b bool) Value {
	v := Value{Kind: Bool}
	if b {
		v.Int = 1
	}
	return v
}

// IntOf returns an integer, date or timestamp value of kind k.
func IntOf(k Kind, i int64) Value { return Value{Kind: k, Int: i} }

// TextOf returns a text value.
func TextOf(s string) Value { return Value{Kind: Text, Str: s} }

// FloatOf returns a double precision value.
func FloatOf(f float64) Value { return Value{Kind: Float8, Float: f} }

// DecimalOf returns a numeric value.
func DecimalOf(d Decimal) Value { return Value{Kind: Numeric, Dec: d} }

// ListOf returns an array of elements of kind elem.
func ListOf(elem Kind, items []Value) Value { return Value{Kind: ArrayOf(elem), List: items} }

// Truth reports whether v is the boolean true.
func (v Value) Truth() bool { return v.Kind == Bool && !v.IsNull && v.Int != 0 }

// String writes v as PostgreSQL prints it with DateStyle ISO; NULL is "NULL".
func (v Value) String() string {
	if v.IsNull {
		return "NULL"
	}
	if v.Kind.IsArray() {
		return FormatList(v.List)
	}
	switch v.Kind {
	case Bool:
		return FormatBool(v.Int != 0)
	case Int2, Int4, Int8:
		return strconv.FormatInt(v.Int, 10)
	case Numeric:
		return v.Dec.String()
	case Float8:
		return FormatFloat(v.Float)
	case Float4:
		return FormatReal(v.Float)
	case Time:
		return FormatTime(v.Int)
	case Bytea:
		return `\x` + hex.EncodeToString([]byte(v.Str))
	case Date:
		return FormatDate(int32(v.Int))
	case Timestamp:
		return FormatTimestamp(v.Int)
	case TimestampTZ:
		return FormatTimestampTZ(v.Int)
	case Interval:
		return v.Span.String()
	}
	return v.Str
}

// FormatBool writes a boolean as a cast to text does.
func FormatBool(b bool) string {
	if b {
		return "true"
	}
	return "false"
}

// FormatFloat writes the shortest decimal that reads back as f, in
// PostgreSQL's spelling.
func FormatFloat(f float64) string { return formatFloat(f, 64, 1e15) }

// FormatReal does the same for a real.
func FormatReal(f float64) string { return formatFloat(f, 32, 1e6) }

func formatFloat(f float64, bits int, wide float64) string {
	switch {
	case math.IsNaN(f):
		return "NaN"
	case math.IsInf(f, 1):
		return "Infinity"
	case math.IsInf(f, -1):
		return "-Infinity"
	}
	if a := math.Abs(f); a != 0 && (a < 1e-4 || a >= wide) {
		return strconv.FormatFloat(f, 'e', -1, bits)
	}
	return strconv.FormatFloat(f, 'f', -1, bits)
}

// ParseBool reads what PostgreSQL's boolean input accepts.
func ParseBool(s string) (bool, error) {
	t := strings.ToLower(strings.TrimSpace(s))
	if t != "" {
		for _, w := range []string{"true", "yes", "on", "1"} {
			if strings.HasPrefix(w, t) && t != "o" {
				return true, nil
			}
		}
		for _, w := range []string{"false", "no", "off", "0"} {
			if strings.HasPrefix(w, t) && t != "o" {
				return false, nil
			}
		}
	}
	return false, Errorf(CodeBadText, "invalid input syntax for type boolean: %q", s)
}

// ParseInt reads an integer of kind k.
func ParseInt(k Kind, s string) (int64, error) {
	bits := map[Kind]int{Int2: 16, Int4: 32, Int8: 64}[k]
	t := strings.TrimSpace(s)
	i, err := strconv.ParseInt(t, 10, bits)
	if err == nil {
		return i, nil
	}
	if ne, ok := err.(*strconv.NumError); ok && ne.Err == strconv.ErrRange {
		return 0, Errorf(CodeOutOfRange, "value %q is out of range for type %s", s, k)
	}
	return 0, Errorf(CodeBadText, "invalid input syntax for type %s: %q", k, s)
}

// ParseFloat reads a double.
func ParseFloat(s string) (float64, error) {
	t := strings.ToLower(strings.TrimSpace(s))
	if strings.ContainsAny(t, "x_p") {
		return 0, Errorf(CodeBadText, "invalid input syntax for type double precision: %q", s)
	}
	f, err := strconv.ParseFloat(t, 64)
	if err == nil && !underflowed(f, t) {
		return f, nil
	}
	if err == nil {
		return 0, Errorf(CodeOutOfRange, "%q is out of range for type double precision", s)
	}
	if ne, ok := err.(*strconv.NumError); ok && ne.Err == strconv.ErrRange {
		return 0, Errorf(CodeOutOfRange, "%q is out of range for type double precision", s)
	}
	return 0, Errorf(CodeBadText, "invalid input syntax for type double precision: %q", s)
}

// Parse reads text as a value of kind k, as a cast from text does.
func Parse(k Kind, s string) (Value, error) {
	v := Value{Kind: k}
	var err error
	if k.IsArray() {
		v.List, err = ParseList(k.Elem(), s)
		return v, err
	}
	switch k {
	case Bool:
		var b bool
		b, err = ParseBool(s)
		v = BoolOf(b)
	case Int2, Int4, Int8:
		v.Int, err = ParseInt(k, s)
	case Numeric:
		v.Dec, err = ParseDecimal(s)
	case Float8:
		v.Float, err = ParseFloat(s)
	case Float4:
		v.Float, err = ParseReal(s)
	case Time:
		v.Int, err = ParseTime(s)
	case UUID:
		v.Str, err = ParseUUID(s)
	case Bytea:
		v.Str, err = ParseBytes(s)
	case JSON, JSONB:
		v.Str, err = ParseJSON(k, s)
	case Date:
		var d int32
		d, err = ParseDate(s)
		v.Int = int64(d)
	case Timestamp:
		v.Int, err = ParseTimestamp(s)
	case TimestampTZ:
		v.Int, err = ParseTimestampTZ(s)
	case Interval:
		v.Span, err = ParseInterval(s)
	default:
		v.Str = s
	}
	return v, err
}

// Compare orders two values of one kind, neither of them NULL.
func Compare(a, b Value) int {
	if a.Kind.IsArray() {
		return compareLists(a.List, b.List)
	}
	switch a.Kind {
	case Numeric:
		return a.Dec.Cmp(b.Dec)
	case Float8, Float4:
		return CompareFloat(a.Float, b.Float)
	case Text, Null, UUID, Bytea, JSON:
		return strings.Compare(a.Str, b.Str)
	case Char:
		return strings.Compare(Unpadded(a.Str), Unpadded(b.Str))
	case JSONB:
		return CompareJSON(a.Str, b.Str)
	case Interval:
		return a.Span.Cmp(b.Span)
	}
	switch {
	case a.Int < b.Int:
		return -1
	case a.Int > b.Int:
		return 1
	}
	return 0
}
