package value

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"unicode/utf8"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"
	"github.com/apache/arrow-go/v18/arrow/memory"
)

// decimalWidth is the width of a numeric in an Arrow array: sixteen bytes of
// coefficient, little end first, and one byte of scale. Arrow's own decimals
// have one scale for a whole array; PostgreSQL's have one each.
const decimalWidth = 17

var arrowTypes = [kindCount]arrow.DataType{
	Null: arrow.BinaryTypes.String, Bool: arrow.FixedWidthTypes.Boolean,
	Int2: arrow.PrimitiveTypes.Int16, Int4: arrow.PrimitiveTypes.Int32, Int8: arrow.PrimitiveTypes.Int64,
	Numeric: &arrow.FixedSizeBinaryType{ByteWidth: decimalWidth},
	Float8:  arrow.PrimitiveTypes.Float64, Text: arrow.BinaryTypes.String,
	Date:        arrow.FixedWidthTypes.Date32,
	Timestamp:   &arrow.TimestampType{Unit: arrow.Microsecond},
	TimestampTZ: &arrow.TimestampType{Unit: arrow.Microsecond, TimeZone: "UTC"},
	Interval:    arrow.FixedWidthTypes.MonthDayNanoInterval,
	Float4:      arrow.PrimitiveTypes.Float32, Char: paddedType, Time: arrow.FixedWidthTypes.Time64us,
	UUID: arrow.BinaryTypes.String, Bytea: arrow.BinaryTypes.Binary, JSON: arrow.BinaryTypes.String, JSONB: jsonbType,
}

// jsonbType marks JSON whose equality is not that of its text.
var jsonbType = arrow.BinaryTypes.LargeString

// paddedType marks text of a fixed length, whose trailing spaces do not count where
// it is compared.
var paddedType = arrow.BinaryTypes.LargeBinary

// Unpadded returns text of a fixed length without its trailing spaces.
func Unpadded(s string) string { return strings.TrimRight(s, " ") }

// Padded returns text with spaces behind it up to n characters, and cut there.
func Padded(s string, n int) string {
	if have := utf8.RuneCountInString(s); have < n {
		return s + strings.Repeat(" ", n-have)
	}
	at := 0
	for range n {
		_, size := utf8.DecodeRuneInString(s[at:])
		at += size
	}
	return s[:at]
}

// Arrow returns the type of the arrays that hold values of kind k.
func (k Kind) Arrow() arrow.DataType {
	if k.IsArray() {
		return arrow.ListOf(arrowTypes[k.Elem()])
	}
	return arrowTypes[k]
}

// Memory is what arrays are allocated from: the Go heap, so that the garbage
// collector frees them and no one has to count references. Where a large one finds no
// Room, it panics with that error, for Guard.
var Memory memory.Allocator = bounded{memory.NewGoAllocator()}

// Room says whether the process can hold so many bytes more. It is set before anything is
// computed.
var Room = func(bytes int64) error { return nil }

// MaxText bounds, in bytes, what one call of a function makes of smaller text.
const MaxText = 256 << 20

// large is the size from which on an array is asked Room for.
const large = 1 << 20

type bounded struct{ memory.Allocator }

func (b bounded) Allocate(size int) []byte {
	ask(size)
	return b.Allocator.Allocate(size)
}

func (b bounded) Reallocate(size int, old []byte) []byte {
	if size > cap(old) {
		ask(size)
	}
	return b.Allocator.Reallocate(size, old)
}

func ask(size int) {
	if size < large {
		return
	}
	if err := Room(int64(size)); err != nil {
		panic(err)
	}
}

// NewBuilder returns a builder for arrays of kind k.
func NewBuilder(k Kind) array.Builder { return array.NewBuilder(Memory, k.Arrow()) }

// PutDecimal writes d in its array form into b, which has decimalWidth bytes.
func PutDecimal(b []byte, d Decimal) {
	_ = b[decimalWidth-1]
	binary.LittleEndian.PutUint64(b, d.Coef.LowBits())
	binary.LittleEndian.PutUint64(b[8:], uint64(d.Coef.HighBits()))
	b[16] = d.Scale
}

// GetDecimal reads what PutDecimal wrote.
func GetDecimal(b []byte) Decimal {
	_ = b[decimalWidth-1]
	return Decimal{
		Coef:  decimal128.New(int64(binary.LittleEndian.Uint64(b[8:])), binary.LittleEndian.Uint64(b)),
		Scale: b[16],
	}
}

// AppendDecimal appends d to the builder of a numeric array.
func AppendDecimal(b *array.FixedSizeBinaryBuilder, d Decimal) {
	var buf [decimalWidth]byte
	PutDecimal(buf[:], d)
	b.Append(buf[:])
}

// Append appends v to a builder made by NewBuilder for v's kind.
func Append(b array.Builder, v Value) {
	if v.IsNull {
		b.AppendNull()
		return
	}
	switch b := b.(type) {
	case *array.BooleanBuilder:
		b.Append(v.Int != 0)
	case *array.Int16Builder:
		b.Append(int16(v.Int))
	case *array.Int32Builder:
		b.Append(int32(v.Int))
	case *array.Int64Builder:
		b.Append(v.Int)
	case *array.FixedSizeBinaryBuilder:
		AppendDecimal(b, v.Dec)
	case *array.Float64Builder:
		b.Append(v.Float)
	case *array.StringBuilder:
		b.Append(v.Str)
	case *array.Date32Builder:
		b.Append(arrow.Date32(v.Int))
	case *array.TimestampBuilder:
		b.Append(arrow.Timestamp(v.Int))
	case *array.MonthDayNanoIntervalBuilder:
		b.Append(v.Span.Arrow())
	case *array.Float32Builder:
		b.Append(float32(v.Float))
	case *array.Time64Builder:
		b.Append(arrow.Time64(v.Int))
	case *array.BinaryBuilder:
		b.AppendString(v.Str)
	case *array.LargeStringBuilder:
		b.Append(v.Str)
	case *array.ListBuilder:
		b.Append(true)
		for _, x := range v.List {
			Append(b.ValueBuilder(), x)
		}
	default:
		panic(fmt.Sprintf("value.Append: no values lie in %T", b))
	}
}

// At reads row i of an array of kind k.
func At(k Kind, a arrow.Array, i int) Value {
	if a.IsNull(i) {
		return NullOf(k)
	}
	v := Value{Kind: k}
	switch a := a.(type) {
	case *array.Boolean:
		return BoolOf(a.Value(i))
	case *array.Int16:
		v.Int = int64(a.Value(i))
	case *array.Int32:
		v.Int = int64(a.Value(i))
	case *array.Int64:
		v.Int = a.Value(i)
	case *array.FixedSizeBinary:
		v.Dec = GetDecimal(a.Value(i))
	case *array.Float64:
		v.Float = a.Value(i)
	case *array.String:
		v.Str = a.Value(i)
	case *array.LargeBinary:
		v.Str = string(a.Value(i))
	case *array.Date32:
		v.Int = int64(a.Value(i))
	case *array.Timestamp:
		v.Int = int64(a.Value(i))
	case *array.MonthDayNanoInterval:
		v.Span = SpanFromArrow(a.Value(i))
	case *array.Float32:
		v.Float = float64(a.Value(i))
	case *array.Time64:
		v.Int = int64(a.Value(i))
	case *array.Binary:
		v.Str = a.ValueString(i)
	case *array.LargeString:
		v.Str = a.Value(i)
	case *array.List:
		start, end := a.ValueOffsets(i)
		v.List = make([]Value, 0, end-start)
		for j := start; j < end; j++ {
			v.List = append(v.List, At(k.Elem(), a.ListValues(), int(j)))
		}
	default:
		panic(fmt.Sprintf("value.At: no values lie in %T", a))
	}
	return v
}

// Repeat returns an array of n times v.
func Repeat(v Value, n int) arrow.Array {
	b := NewBuilder(v.Kind)
	b.Reserve(n)
	for range n {
		Append(b, v)
	}
	return b.NewArray()
}

// AppendKey appends bytes to key that are equal for two rows exactly where
// their values are equal, NULL being equal to NULL. It serves hash tables.
func AppendKey(key []byte, a arrow.Array, i int) []byte {
	if a.IsNull(i) {
		return append(key, 0)
	}
	key = append(key, 1)
	switch a := a.(type) {
	case *array.Boolean:
		if a.Value(i) {
			return append(key, 1)
		}
		return append(key, 0)
	case *array.Int16:
		return binary.LittleEndian.AppendUint64(key, uint64(a.Value(i)))
	case *array.Int32:
		return binary.LittleEndian.AppendUint64(key, uint64(a.Value(i)))
	case *array.Int64:
		return binary.LittleEndian.AppendUint64(key, uint64(a.Value(i)))
	case *array.FixedSizeBinary:
		var buf [decimalWidth]byte
		PutDecimal(buf[:], GetDecimal(a.Value(i)).Canonical())
		return append(key, buf[:]...)
	case *array.Float64:
		f := a.Value(i)
		if f == 0 {
			f = 0 // -0 equals 0
		}
		if math.IsNaN(f) {
			f = math.NaN()
		}
		return binary.LittleEndian.AppendUint64(key, math.Float64bits(f))
	case *array.String:
		s := a.Value(i)
		return append(binary.LittleEndian.AppendUint32(key, uint32(len(s))), s...)
	case *array.Date32:
		return binary.LittleEndian.AppendUint32(key, uint32(a.Value(i)))
	case *array.Timestamp:
		return binary.LittleEndian.AppendUint64(key, uint64(a.Value(i)))
	case *array.MonthDayNanoInterval:
		days, micros := SpanFromArrow(a.Value(i)).Total()
		key = binary.LittleEndian.AppendUint64(key, uint64(days))
		return binary.LittleEndian.AppendUint64(key, uint64(micros))
	case *array.Float32:
		f := a.Value(i)
		if f == 0 {
			f = 0 // -0 equals 0
		}
		if f != f {
			f = float32(math.NaN())
		}
		return binary.LittleEndian.AppendUint32(key, math.Float32bits(f))
	case *array.Time64:
		return binary.LittleEndian.AppendUint64(key, uint64(a.Value(i)))
	case *array.Binary:
		s := a.Value(i)
		return append(binary.LittleEndian.AppendUint32(key, uint32(len(s))), s...)
	case *array.LargeBinary:
		s := bytes.TrimRight(a.Value(i), " ")
		return append(binary.LittleEndian.AppendUint32(key, uint32(len(s))), s...)
	case *array.LargeString:
		s := canonicalJSON(a.Value(i))
		return append(binary.LittleEndian.AppendUint32(key, uint32(len(s))), s...)
	case *array.List:
		start, end := a.ValueOffsets(i)
		key = binary.LittleEndian.AppendUint32(key, uint32(end-start))
		for j := start; j < end; j++ {
			key = AppendKey(key, a.ListValues(), int(j))
		}
		return key
	}
	panic(fmt.Sprintf("value.AppendKey: no values lie in %T", a))
}

// CompareAt orders row i of a against row j of b, two arrays of one type, with
// neither row NULL.
func CompareAt(a arrow.Array, i int, b arrow.Array, j int) int {
	switch a := a.(type) {
	case *array.Boolean:
		return Compare(BoolOf(a.Value(i)), BoolOf(b.(*array.Boolean).Value(j)))
	case *array.Int16:
		return cmpOrdered(a.Value(i), b.(*array.Int16).Value(j))
	case *array.Int32:
		return cmpOrdered(a.Value(i), b.(*array.Int32).Value(j))
	case *array.Int64:
		return cmpOrdered(a.Value(i), b.(*array.Int64).Value(j))
	case *array.FixedSizeBinary:
		return GetDecimal(a.Value(i)).Cmp(GetDecimal(b.(*array.FixedSizeBinary).Value(j)))
	case *array.Float64:
		return CompareFloat(a.Value(i), b.(*array.Float64).Value(j))
	case *array.String:
		return cmpOrdered(a.Value(i), b.(*array.String).Value(j))
	case *array.Date32:
		return cmpOrdered(a.Value(i), b.(*array.Date32).Value(j))
	case *array.Timestamp:
		return cmpOrdered(a.Value(i), b.(*array.Timestamp).Value(j))
	case *array.MonthDayNanoInterval:
		return SpanFromArrow(a.Value(i)).Cmp(SpanFromArrow(b.(*array.MonthDayNanoInterval).Value(j)))
	case *array.Float32:
		return CompareFloat(float64(a.Value(i)), float64(b.(*array.Float32).Value(j)))
	case *array.Time64:
		return cmpOrdered(int64(a.Value(i)), int64(b.(*array.Time64).Value(j)))
	case *array.Binary:
		return bytes.Compare(a.Value(i), b.(*array.Binary).Value(j))
	case *array.LargeBinary:
		return bytes.Compare(bytes.TrimRight(a.Value(i), " "), bytes.TrimRight(b.(*array.LargeBinary).Value(j), " "))
	case *array.LargeString:
		return CompareJSON(a.Value(i), b.(*array.LargeString).Value(j))
	case *array.List:
		return compareListsAt(a, i, b.(*array.List), j)
	}
	panic(fmt.Sprintf("value.CompareAt: no values lie in %T", a))
}

func cmpOrdered[T int16 | int32 | int64 | string | arrow.Date32 | arrow.Timestamp](a, b T) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// compareListsAt orders two arrays element by element, NULL after all values
// and a shorter array before a longer one that begins with it.
func compareListsAt(a *array.List, i int, b *array.List, j int) int {
	as, ae := a.ValueOffsets(i)
	bs, be := b.ValueOffsets(j)
	av, bv := a.ListValues(), b.ListValues()
	for as < ae && bs < be {
		an, bn := av.IsNull(int(as)), bv.IsNull(int(bs))
		switch {
		case an && bn:
		case an:
			return 1
		case bn:
			return -1
		default:
			if c := CompareAt(av, int(as), bv, int(bs)); c != 0 {
				return c
			}
		}
		as, bs = as+1, bs+1
	}
	return cmpOrdered(ae-as, be-bs)
}
