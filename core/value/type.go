package value

import (
	"fmt"
	"strings"
)

// Kind is a type without its modifiers.
type Kind uint8

// The kinds. Null is the type of a bare NULL or an untyped text literal until
// its context gives it one; no bound expression keeps it.
const (
	Null Kind = iota
	Bool
	Int2
	Int4
	Int8
	Numeric
	Float8
	Text
	Date
	Timestamp
	TimestampTZ
	Interval
	Float4
	Char // char(n): text without its padding, whose length is the type's Precision
	Time
	UUID
	Bytea
	JSON
	JSONB
	kindCount
)

// arrayFlag makes the kind of arrays out of the kind of their elements.
const arrayFlag Kind = 0x40

// ArrayOf returns the kind of arrays of k.
func ArrayOf(k Kind) Kind { return k | arrayFlag }

// IsArray reports whether k is a kind of arrays.
func (k Kind) IsArray() bool { return k&arrayFlag != 0 }

// Elem returns the kind of an array kind's elements.
func (k Kind) Elem() Kind { return k &^ arrayFlag }

// MaxDigits is the largest number of decimal digits of a numeric value.
const MaxDigits = 38

var kindNames = [kindCount]string{
	Null: "unknown", Bool: "boolean", Int2: "smallint", Int4: "integer", Int8: "bigint",
	Numeric: "numeric", Float8: "double precision", Text: "text", Date: "date",
	Timestamp: "timestamp", TimestampTZ: "timestamptz", Interval: "interval",
	Float4: "real", Char: "char", Time: "time", UUID: "uuid", Bytea: "bytea", JSON: "json", JSONB: "jsonb",
}

// kindAliases are the spellings that SQL accepts in casts and definitions.
var kindAliases = map[string]Kind{
	"bool": Bool, "boolean": Bool,
	"int2": Int2, "smallint": Int2, "int4": Int4, "int": Int4, "integer": Int4,
	"int8": Int8, "bigint": Int8, "numeric": Numeric, "decimal": Numeric,
	"float8": Float8, "double precision": Float8,
	"text": Text, "varchar": Text,
	"date": Date, "timestamp": Timestamp, "timestamptz": TimestampTZ, "interval": Interval,
	"float4": Float4, "real": Float4, "bpchar": Char, "char": Char, "character": Char, "character varying": Text,
	"time": Time, "time without time zone": Time, "timestamp without time zone": Timestamp, "timestamp with time zone": TimestampTZ,
	"uuid": UUID, "bytea": Bytea, "json": JSON, "jsonb": JSONB,
}

// Kinds lists every kind that a column can have, arrays aside.
func Kinds() []Kind {
	var ks []Kind
	for k := Bool; k < kindCount; k++ {
		ks = append(ks, k)
	}
	return ks
}

func (k Kind) String() string {
	if k.IsArray() {
		return kindNames[k.Elem()] + "[]"
	}
	return kindNames[k]
}

// IsInteger reports whether k is one of the three integer kinds.
func (k Kind) IsInteger() bool { return k == Int2 || k == Int4 || k == Int8 }

// IsNumber reports whether arithmetic is defined on k.
func (k Kind) IsNumber() bool { return k.IsInteger() || k == Numeric || k.IsFloat() }

// IsFloat reports whether k is a binary floating-point kind.
func (k Kind) IsFloat() bool { return k == Float8 || k == Float4 }

// IsText reports whether k's values are texts that compare by code point.
func (k Kind) IsText() bool { return k == Text || k == Char }

// Identical reports whether equal values of the kind are the same value, so that
// nothing can tell them apart: not numbers with decimals, whose scales and signs
// of zero differ, nor padded text, intervals and JSON.
func (k Kind) Identical() bool {
	switch e := k.Elem(); {
	case k.IsArray():
		return e.Identical()
	case k == Numeric, k.IsFloat(), k == Char, k == Interval, k == JSONB, k == JSON:
		return false
	}
	return true
}

// Comparable reports whether = is defined on k.
func (k Kind) Comparable() bool { return k.Elem() != JSON }

// IsTime reports whether k is a date or a timestamp.
func (k Kind) IsTime() bool { return k == Date || k == Timestamp || k == TimestampTZ }

// KindNamed returns the kind that SQL calls name, in any letter case.
func KindNamed(name string) (Kind, bool) {
	name = strings.ToLower(name)
	elem, isArray := strings.CutSuffix(name, "[]")
	k, ok := kindAliases[elem]
	if ok && isArray {
		k = ArrayOf(k)
	}
	return k, ok
}

// Type is a kind with its modifiers. Precision and Scale count a numeric's
// decimal digits; a char's Precision is its length. A Precision of 0 means
// unconstrained.
type Type struct {
	Kind      Kind
	Precision int
	Scale     int
}

// Of returns the type of kind k without modifiers.
func Of(k Kind) Type { return Type{Kind: k} }

func (t Type) String() string {
	if t.Kind == Numeric && t.Precision > 0 {
		return fmt.Sprintf("numeric(%d,%d)", t.Precision, t.Scale)
	}
	if t.Kind == Char && t.Precision > 0 {
		return fmt.Sprintf("char(%d)", t.Precision)
	}
	return t.Kind.String()
}

// ParseType reads what Type.String writes, and the usual aliases.
func ParseType(s string) (Type, error) {
	name, mods, hasMods := strings.Cut(strings.TrimSpace(s), "(")
	k, ok := KindNamed(strings.TrimSpace(name))
	if !ok {
		return Type{}, fmt.Errorf("no type is called %q", s)
	}
	t := Of(k)
	if hasMods && k == Numeric {
		if _, err := fmt.Sscanf(mods, "%d,%d)", &t.Precision, &t.Scale); err != nil {
			return Type{}, fmt.Errorf("the modifiers of %q are not (precision,scale): %w", s, err)
		}
	}
	if hasMods && k == Char {
		if _, err := fmt.Sscanf(mods, "%d)", &t.Precision); err != nil {
			return Type{}, fmt.Errorf("the length of %q is not a number: %w", s, err)
		}
	}
	return t, nil
}

// MarshalText writes the type's SQL name.
func (t Type) MarshalText() ([]byte, error) { return []byte(t.String()), nil }

// UnmarshalText reads what MarshalText wrote.
func (t *Type) UnmarshalText(b []byte) error {
	parsed, err := ParseType(string(b))
	*t = parsed
	return err
}

// implicit lists, for each kind, the kinds that a value of it turns into
// without being asked, nearest first. Double precision comes before real, as
// the preferred kind of number.
var implicit = map[Kind][]Kind{
	Int2:      {Int4, Int8, Numeric, Float8, Float4},
	Int4:      {Int8, Numeric, Float8, Float4},
	Int8:      {Numeric, Float8, Float4},
	Numeric:   {Float8, Float4},
	Float4:    {Float8},
	Char:      {Text},
	Text:      {Char},
	Date:      {Timestamp, TimestampTZ},
	Timestamp: {TimestampTZ},
	Time:      {Interval},
}

// ImplicitSteps says how far kind from is from kind to along the implicit
// casts: 0 for the same kind, and ok false where there is no implicit cast.
func ImplicitSteps(from, to Kind) (steps int, ok bool) {
	if from == to || from == Null {
		return 0, true
	}
	for i, k := range implicit[from] {
		if k == to {
			return i + 1, true
		}
	}
	return 0, false
}

// Common returns the kind that values of kinds a and b both turn into
// implicitly, as UNION, CASE, COALESCE and VALUES need it. a is that of what comes
// first, which stays where each turns into the other: text beside char(n) is what
// stands first, as PostgreSQL has it.
func Common(a, b Kind) (Kind, bool) {
	switch {
	case a == Null:
		return b, true
	case a == Time && b == Interval, a == Interval && b == Time: // of two categories
		return Null, false
	}
	if _, ok := ImplicitSteps(b, a); ok {
		return a, true
	}
	if _, ok := ImplicitSteps(a, b); ok {
		return b, true
	}
	return Null, false
}
