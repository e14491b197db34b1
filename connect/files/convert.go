package files

import (
	"bytes"
	"encoding/json"
	"strings"
	"unicode/utf8"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/decimal128"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// typeOf tells as what an Arrow type is carried: with a note where something
// is to be known, and of kind Null, with the reason, where it is not.
func typeOf(t arrow.DataType) (typ value.Type, note string) {
	switch t := t.(type) {
	case *arrow.NullType: // without a value
		return value.Type{}, ""
	case *arrow.BooleanType:
		return value.Of(value.Bool), ""
	case *arrow.Int8Type, *arrow.Int16Type, *arrow.Uint8Type:
		return value.Of(value.Int2), ""
	case *arrow.Int32Type, *arrow.Uint16Type:
		return value.Of(value.Int4), ""
	case *arrow.Int64Type, *arrow.Uint32Type:
		return value.Of(value.Int8), ""
	case *arrow.Uint64Type:
		return value.Type{Kind: value.Numeric, Precision: 20}, "Unsigned 64-bit numbers are carried as numeric."
	case *arrow.Float32Type:
		return value.Of(value.Float4), ""
	case *arrow.Float64Type:
		return value.Of(value.Float8), ""
	case *arrow.StringType, *arrow.LargeStringType:
		return value.Of(value.Text), ""
	case *arrow.BinaryType, *arrow.LargeBinaryType, *arrow.FixedSizeBinaryType:
		return value.Of(value.Bytea), ""
	case *arrow.Date32Type, *arrow.Date64Type:
		return value.Of(value.Date), ""
	case *arrow.Time32Type:
		return value.Of(value.Time), ""
	case *arrow.Time64Type:
		if t.Unit == arrow.Nanosecond {
			note = "Nanoseconds that are not whole microseconds are an error when they are read."
		}
		return value.Of(value.Time), note
	case *arrow.TimestampType:
		if t.Unit == arrow.Nanosecond {
			note = "Nanoseconds that are not whole microseconds are an error when they are read."
		}
		if t.TimeZone != "" {
			return value.Of(value.TimestampTZ), note
		}
		return value.Of(value.Timestamp), note
	case *arrow.Decimal128Type:
		if t.Scale < 0 || t.Scale > t.Precision {
			return value.Type{}, "A decimal with more places than digits is not carried."
		}
		return value.Type{Kind: value.Numeric, Precision: int(t.Precision), Scale: int(t.Scale)}, ""
	case *arrow.DictionaryType:
		return typeOf(t.ValueType)
	case arrow.ExtensionType:
		switch t.ExtensionName() {
		case "arrow.uuid":
			return value.Of(value.UUID), ""
		case "arrow.json":
			return value.Of(value.JSON), ""
		}
		return typeOf(t.StorageType())
	case *arrow.StructType, *arrow.MapType:
		return value.Type{}, "A value of several parts has no type of a column."
	case arrow.ListLikeType:
		elem, _ := typeOf(t.Elem())
		if elem.Kind == value.Null || elem.Kind.IsArray() {
			return value.Type{}, "A list of " + t.Elem().String() + " has no type of a column."
		}
		return value.Of(value.ArrayOf(elem.Kind)), ""
	}
	return value.Type{}, "The type " + t.String() + " is not carried."
}

// convert turns an array of a file into the one that holds values of kind k,
// which is that of typeOf. Where both are laid out alike, nothing is copied.
func convert(arr arrow.Array, k value.Kind) (arrow.Array, error) {
	switch a := arr.(type) {
	case *array.Dictionary:
		return convertDictionary(a, k)
	case array.ExtensionArray:
		return convert(a.Storage(), k)
	case *array.String:
		return a, validText(a.ValueBytes(), a.Len(), a.ValueOffset, a)
	case *array.Timestamp:
		return convertTimes(a, a.DataType().(*arrow.TimestampType).Unit, k)
	}
	if arrow.TypeEqual(arr.DataType(), k.Arrow()) {
		return arr, nil
	}
	out := value.NewBuilder(k)
	out.Reserve(arr.Len())
	for i := range arr.Len() {
		v, err := cellOf(arr, i, k)
		if err != nil {
			return nil, err
		}
		value.Append(out, v)
	}
	return out.NewArray(), nil
}

// validText checks that strings are UTF-8 without the character 0: all bytes at
// once, and then that no text begins within a letter.
func validText(all []byte, n int, offset func(int) int, a arrow.Array) error {
	bad := !utf8.Valid(all) || bytes.IndexByte(all, 0) >= 0
	base := 0
	if n > 0 {
		base = offset(0)
	}
	for i := 0; i < n && !bad; i++ {
		at := offset(i) - base
		bad = at < len(all) && !utf8.RuneStart(all[at])
	}
	if bad {
		return value.Errorf(value.CodeBadText, "a string is not UTF-8 or contains a NUL character").WithHint("expose the column as bytes, or write the file again")
	}
	return nil
}

func convertDictionary(a *array.Dictionary, k value.Kind) (arrow.Array, error) {
	words, err := convert(a.Dictionary(), k)
	if err != nil {
		return nil, err
	}
	rows := make([]int32, a.Len())
	for i := range rows {
		rows[i] = -1
		if a.IsValid(i) {
			rows[i] = int32(a.GetValueIndex(i))
		}
	}
	return kernel.Take(words, rows), nil
}

// convertTimes gives timestamps in microseconds.
func convertTimes(a *array.Timestamp, unit arrow.TimeUnit, k value.Kind) (arrow.Array, error) {
	if unit == arrow.Microsecond {
		d := a.Data()
		return array.NewTimestampData(array.NewData(k.Arrow(), d.Len(), d.Buffers(), nil, d.NullN(), d.Offset())), nil
	}
	out := array.NewTimestampBuilder(value.Memory, k.Arrow().(*arrow.TimestampType))
	out.Reserve(a.Len())
	for i := range a.Len() {
		if a.IsNull(i) {
			out.AppendNull()
			continue
		}
		n := int64(a.Value(i))
		micros, ok := toMicros(n, unit, false)
		if !ok {
			return nil, value.Errorf(value.CodeBadDate, "a timestamp is out of range")
		}
		if unit == arrow.Nanosecond && n%1000 != 0 {
			return nil, tooFine()
		}
		out.Append(arrow.Timestamp(micros))
	}
	return out.NewArray(), nil
}

func tooFine() error {
	return value.Errorf(value.CodeBadDate, "a time has nanoseconds that are not whole microseconds").WithHint("write the file with microseconds")
}

// cellOf reads one value, for the types that are rare.
func cellOf(arr arrow.Array, i int, k value.Kind) (value.Value, error) {
	if arr.IsNull(i) {
		return value.NullOf(k), nil
	}
	number := func(n int64) (value.Value, error) { return value.IntOf(k, n), nil }
	switch a := arr.(type) {
	case *array.Int8:
		return number(int64(a.Value(i)))
	case *array.Uint8:
		return number(int64(a.Value(i)))
	case *array.Uint16:
		return number(int64(a.Value(i)))
	case *array.Uint32:
		return number(int64(a.Value(i)))
	case *array.Uint64:
		return value.DecimalOf(value.Decimal{Coef: decimal128.FromU64(a.Value(i))}), nil
	case *array.Decimal128:
		return value.DecimalOf(value.Decimal{Coef: a.Value(i), Scale: uint8(a.DataType().(*arrow.Decimal128Type).Scale)}), nil
	case *array.LargeString:
		s := a.Value(i)
		if !utf8.ValidString(s) || bytes.IndexByte([]byte(s), 0) >= 0 {
			return value.Value{}, value.Errorf(value.CodeBadText, "a string is not UTF-8 or contains a NUL character")
		}
		return value.Value{Kind: k, Str: s}, nil
	case *array.Binary:
		return value.Value{Kind: k, Str: string(a.Value(i))}, nil
	case *array.LargeBinary:
		return value.Value{Kind: k, Str: string(a.Value(i))}, nil
	case *array.FixedSizeBinary:
		if k == value.UUID {
			s, err := value.ParseUUID(hexOf(a.Value(i)))
			return value.Value{Kind: k, Str: s}, err
		}
		return value.Value{Kind: k, Str: string(a.Value(i))}, nil
	case *array.String:
		if k == value.JSON {
			s, err := value.ParseJSON(k, a.Value(i))
			return value.Value{Kind: k, Str: s}, err
		}
		return value.Value{Kind: k, Str: a.Value(i)}, nil
	case *array.Date64:
		return number(int64(a.Value(i)) / 86_400_000)
	case *array.Time32:
		if a.DataType().(*arrow.Time32Type).Unit == arrow.Second {
			return number(int64(a.Value(i)) * 1_000_000)
		}
		return number(int64(a.Value(i)) * 1000)
	case *array.Time64:
		if int64(a.Value(i))%1000 != 0 {
			return value.Value{}, tooFine()
		}
		return number(int64(a.Value(i)) / 1000)
	case array.ListLike:
		from, to := a.ValueOffsets(i)
		items := make([]value.Value, 0, to-from)
		elems, err := convert(array.NewSlice(a.ListValues(), from, to), k.Elem())
		if err != nil {
			return value.Value{}, err
		}
		for j := range elems.Len() {
			items = append(items, value.At(k.Elem(), elems, j))
		}
		return value.ListOf(k.Elem(), items), nil
	}
	return value.Value{}, value.Errorf(value.CodeUnsupported, "values of the type %s are not carried", arr.DataType())
}

// textsOf writes values that have no type here as text: nested ones as JSON.
func textsOf(arr arrow.Array) (arrow.Array, error) {
	out := value.NewBuilder(value.Text)
	out.Reserve(arr.Len())
	for i := range arr.Len() {
		v := value.NullOf(value.Text)
		if arr.IsValid(i) {
			text := arr.ValueStr(i)
			if _, nested := arr.DataType().(arrow.NestedType); nested {
				var b strings.Builder
				enc := json.NewEncoder(&b)
				enc.SetEscapeHTML(false)
				if err := enc.Encode(arr.GetOneForMarshal(i)); err != nil {
					return nil, value.Errorf(value.CodeBadText, "a nested value cannot be written as JSON: %s", err)
				}
				text = strings.TrimSuffix(b.String(), "\n")
			}
			if !utf8.ValidString(text) || strings.IndexByte(text, 0) >= 0 {
				return nil, value.Errorf(value.CodeBadText, "a string is not UTF-8 or contains a NUL character")
			}
			v = value.TextOf(text)
		}
		value.Append(out, v)
	}
	return out.NewArray(), nil
}

func hexOf(b []byte) string {
	const digits = "0123456789abcdef"
	out := make([]byte, 0, 2*len(b))
	for _, c := range b {
		out = append(out, digits[c>>4], digits[c&15])
	}
	return string(out)
}

// castArray widens an array to another kind.
func castArray(arr arrow.Array, from value.Kind, to value.Type) (arrow.Array, error) {
	if from.IsArray() && to.Kind == value.Text {
		return textsOf(arr)
	}
	p, err := kernel.Compile(&plan.Cast{Arg: &plan.Col{ID: 1, Typ: value.Of(from)}, Typ: to}, map[plan.ID]int{1: 0})
	if err != nil {
		return nil, err
	}
	return p.Eval(kernel.Batch{Len: arr.Len(), Cols: []arrow.Array{arr}})
}
