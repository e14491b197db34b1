package document

import (
	"encoding/json"
	"math"
	"strconv"
	"unicode/utf8"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/core/shape"
	"rovik/core/value"
)

// record makes a nested record of a document.
func record(doc bson.Raw) (*value.JSONObject, error) {
	elements, err := doc.Elements()
	if err != nil {
		return nil, value.Errorf(value.CodeSource, "a document is damaged: %s", err)
	}
	out := &value.JSONObject{Keys: make([]string, len(elements)), Values: make([]value.JSONValue, len(elements))}
	for i, e := range elements {
		out.Keys[i] = e.Key()
		if out.Values[i], err = nested(e.Value()); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// nested makes a part of a record. Whole numbers are numbers, so that they are
// told from floating ones; what JSON has no form for is a Leaf.
func nested(v bson.RawValue) (value.JSONValue, error) {
	switch v.Type {
	case bson.TypeNull, bson.TypeUndefined:
		return nil, nil
	case bson.TypeEmbeddedDocument:
		return record(v.Document())
	case bson.TypeArray:
		elements, err := bson.Raw(v.Array()).Elements()
		if err != nil {
			return nil, value.Errorf(value.CodeSource, "a document is damaged: %s", err)
		}
		out := make([]value.JSONValue, len(elements))
		for i, e := range elements {
			if out[i], err = nested(e.Value()); err != nil {
				return nil, err
			}
		}
		return out, nil
	case bson.TypeString:
		s := v.StringValue()
		if !utf8.ValidString(s) {
			return nil, value.Errorf(value.CodeBadText, "a string is not UTF-8")
		}
		return s, nil
	case bson.TypeBoolean:
		return v.Boolean(), nil
	case bson.TypeInt32:
		return json.Number(strconv.FormatInt(int64(v.Int32()), 10)), nil
	case bson.TypeInt64:
		return json.Number(strconv.FormatInt(v.Int64(), 10)), nil
	case bson.TypeDouble:
		return shape.Leaf{Kind: value.Float8, Text: value.FormatFloat(v.Double())}, nil
	case bson.TypeDecimal128:
		text := v.Decimal128().String()
		if d, err := value.ParseDecimal(text); err == nil {
			return shape.Leaf{Kind: value.Numeric, Text: d.String()}, nil
		}
		return shape.Leaf{Kind: value.Text, Text: text}, nil
	case bson.TypeDateTime:
		ms := v.DateTime()
		if ms > math.MaxInt64/1000 || ms < math.MinInt64/1000 {
			return shape.Leaf{Kind: value.Text, Text: strconv.FormatInt(ms, 10) + " ms"}, nil
		}
		us, err := value.CheckTimestamp(ms * 1000)
		if err != nil {
			return shape.Leaf{Kind: value.Text, Text: strconv.FormatInt(ms, 10) + " ms"}, nil
		}
		return shape.Leaf{Kind: value.TimestampTZ, Text: value.IntOf(value.TimestampTZ, us).String()}, nil
	case bson.TypeObjectID:
		return shape.Leaf{Kind: value.Text, Text: v.ObjectID().Hex(), ID: true}, nil
	case bson.TypeBinary:
		subtype, data := v.Binary()
		if subtype == bson.TypeBinaryUUID && len(data) == 16 {
			return shape.Leaf{Kind: value.UUID, Text: uuidText(data)}, nil
		}
		return shape.Leaf{Kind: value.Bytea, Text: value.Value{Kind: value.Bytea, Str: string(data)}.String()}, nil
	}
	return shape.Leaf{Kind: value.Text, Text: v.String()}, nil // of a kind that is no data: as its text
}

func uuidText(b []byte) string {
	const digits = "0123456789abcdef"
	out := make([]byte, 0, 36)
	for i, c := range b {
		if i == 4 || i == 6 || i == 8 || i == 10 {
			out = append(out, '-')
		}
		out = append(out, digits[c>>4], digits[c&15])
	}
	return string(out)
}

// constant is a value as a document would hold it; ok is false where that is not
// exactly the same.
func constant(v value.Value) (out any, ok bool) {
	switch k := v.Kind; {
	case v.IsNull:
		return nil, false
	case k == value.Text:
		return v.Str, true
	case k.IsInteger():
		return v.Int, true
	case k == value.Float8:
		return v.Float, !math.IsNaN(v.Float) && math.Abs(v.Float) < 1<<53
	case k == value.Bool:
		return v.Truth(), true
	case k == value.TimestampTZ:
		return bson.DateTime(v.Int / 1000), v.Int%1000 == 0
	}
	return nil, false
}
