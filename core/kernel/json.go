package kernel

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"rovik/core/value"
)

// jsonText writes a part of a document as ->> does: text without quotes, and
// JSON's null as NULL.
func jsonText(v value.JSONValue, k value.Kind) value.Value {
	switch v := v.(type) {
	case nil:
		return nullValue()
	case string:
		return textValue(v)
	}
	return jsonValue(v, k)
}

func jsonValue(v value.JSONValue, k value.Kind) value.Value {
	if k == value.JSONB {
		return textValue(value.EncodeJSONB(v))
	}
	return textValue(value.EncodeJSON(v))
}

// jsonStep goes into a member or element; an element may be counted from the
// end.
func jsonStep(v value.JSONValue, step string, index bool) (value.JSONValue, bool) {
	switch v := v.(type) {
	case *value.JSONObject:
		if !index {
			return v.Get(step)
		}
	case []value.JSONValue:
		i, err := strconv.Atoi(step)
		if err != nil {
			return nil, false
		}
		if i < 0 {
			i += len(v)
		}
		if i >= 0 && i < len(v) {
			return v[i], true
		}
	}
	return nil, false
}

// rawPart takes a member or an element out of a json text as it is written.
func rawPart(doc, key string, index bool) (string, bool, error) {
	switch {
	case !index:
		var members map[string]json.RawMessage
		if !strings.HasPrefix(strings.TrimSpace(doc), "{") {
			return "", false, nil
		}
		if err := json.Unmarshal([]byte(doc), &members); err != nil {
			return "", false, value.Errorf(value.CodeBadText, "invalid input syntax for type json: %s", err)
		}
		part, ok := members[key]
		return string(part), ok, nil
	case strings.HasPrefix(strings.TrimSpace(doc), "["):
		var elements []json.RawMessage
		if err := json.Unmarshal([]byte(doc), &elements); err != nil {
			return "", false, value.Errorf(value.CodeBadText, "invalid input syntax for type json: %s", err)
		}
		i, err := strconv.Atoi(key)
		if i < 0 {
			i += len(elements)
		}
		if err != nil || i < 0 || i >= len(elements) {
			return "", false, nil
		}
		return string(elements[i]), true, nil
	}
	return "", false, nil
}

// rawResult makes the value of a part of a json text, as json or as text.
func rawResult(part string, ok bool, err error) func(text bool) (value.Value, error) {
	return func(text bool) (value.Value, error) {
		if err != nil || !ok {
			return nullValue(), err
		}
		if !text {
			return textValue(part), nil
		}
		v, err := value.DecodeJSON(part)
		if err != nil {
			return nullValue(), err
		}
		switch v := v.(type) {
		case nil:
			return nullValue(), nil
		case string:
			return textValue(v), nil
		}
		return textValue(part), nil
	}
}

// toJSON turns any value into a document.
func toJSON(v value.Value) value.JSONValue {
	if v.IsNull {
		return nil
	}
	if v.Kind.IsArray() {
		list := []value.JSONValue{}
		for _, x := range v.List {
			list = append(list, toJSON(x))
		}
		return list
	}
	switch v.Kind {
	case value.Bool:
		return v.Truth()
	case value.Int2, value.Int4, value.Int8:
		return json.Number(v.String())
	case value.Numeric:
		if !v.Dec.Special() {
			return json.Number(v.String())
		}
	case value.Float4, value.Float8:
		if s := v.String(); s != "NaN" && s != "Infinity" && s != "-Infinity" {
			return json.Number(s)
		}
	case value.JSON, value.JSONB:
		if doc, err := value.DecodeJSON(v.Str); err == nil {
			return doc
		}
	case value.Timestamp, value.TimestampTZ:
		s := strings.Replace(v.String(), " ", "T", 1)
		if v.Kind == value.TimestampTZ {
			s = strings.Replace(s, "+00", "+00:00", 1)
		}
		return s
	}
	return v.String()
}

// jsonContains is @> of jsonb: objects by members, arrays by elements, and an array
// contains a scalar of its own.
func jsonContains(a, b value.JSONValue, top bool) bool {
	switch y := b.(type) {
	case *value.JSONObject:
		x, ok := a.(*value.JSONObject)
		if !ok {
			return false
		}
		for i, k := range y.Keys {
			inner, has := x.Member(k)
			if !has || !jsonContains(inner, y.Values[i], false) {
				return false
			}
		}
		return true
	case []value.JSONValue:
		x, ok := a.([]value.JSONValue)
		if !ok {
			return false
		}
		scalars := map[string]bool{} // of x
		var nested []value.JSONValue
		for _, have := range x {
			if isScalar(have) {
				scalars[value.JSONKey(have)] = true
			} else {
				nested = append(nested, have)
			}
		}
		for _, want := range y {
			if isScalar(want) {
				if !scalars[value.JSONKey(want)] {
					return false
				}
			} else if !slices.ContainsFunc(nested, func(have value.JSONValue) bool { return jsonContains(have, want, false) }) {
				return false
			}
		}
		return true
	}
	if x, ok := a.([]value.JSONValue); ok {
		if !top {
			return false
		}
		for _, have := range x {
			if jsonContains(have, b, false) {
				return true
			}
		}
		return false
	}
	if _, ok := a.(*value.JSONObject); ok {
		return false
	}
	return value.CompareJSON(value.EncodeJSON(a), value.EncodeJSON(b)) == 0
}

func stripNulls(v value.JSONValue) value.JSONValue {
	switch v := v.(type) {
	case []value.JSONValue:
		out := []value.JSONValue{}
		for _, x := range v {
			out = append(out, stripNulls(x))
		}
		return out
	case *value.JSONObject:
		out := &value.JSONObject{}
		for i, k := range v.Keys {
			if v.Values[i] != nil {
				out.Keys, out.Values = append(out.Keys, k), append(out.Values, stripNulls(v.Values[i]))
			}
		}
		return out
	}
	return v
}

func isScalar(v value.JSONValue) bool {
	switch v.(type) {
	case []value.JSONValue, *value.JSONObject:
		return false
	}
	return true
}

func addJSON(r *registry) {
	t, i4 := value.Text, value.Int4
	for _, k := range []value.Kind{value.JSON, value.JSONB} {
		prefix := k.String()
		// doc makes a function of the parsed first argument.
		doc := func(f func(v value.JSONValue, a []value.Value) (value.Value, error)) scalar {
			return func(a []value.Value) (value.Value, error) {
				v, err := value.DecodeJSON(a[0].Str)
				if err != nil {
					return nullValue(), err
				}
				return f(v, a)
			}
		}
		step := func(text bool, index bool) scalar {
			if k == value.JSON {
				return func(a []value.Value) (value.Value, error) {
					key := a[1].Str
					if index {
						key = strconv.FormatInt(a[1].Int, 10)
					} else if strings.HasPrefix(strings.TrimSpace(a[0].Str), "[") {
						return nullValue(), nil
					}
					return rawResult(rawPart(a[0].Str, key, index))(text)
				}
			}
			return doc(func(v value.JSONValue, a []value.Value) (value.Value, error) {
				key := a[1].Str
				if index {
					key = strconv.FormatInt(a[1].Int, 10)
				} else if _, isList := v.([]value.JSONValue); isList {
					return nullValue(), nil
				}
				part, ok := jsonStep(v, key, index)
				if i := a[1].Int; index && (i == 0 || i == -1) && isScalar(v) {
					part, ok = v, true // a lone value counts as a list of one
				}
				switch {
				case !ok:
					return nullValue(), nil
				case text:
					return jsonText(part, k), nil
				}
				return jsonValue(part, k), nil
			})
		}
		path := func(text bool, steps func(a []value.Value) []value.Value) scalar {
			if k == value.JSON {
				return func(a []value.Value) (value.Value, error) {
					part, ok := a[0].Str, true
					var err error
					for _, s := range steps(a) {
						if s.IsNull {
							return nullValue(), nil
						}
						if part, ok, err = rawPart(part, s.Str, strings.HasPrefix(strings.TrimSpace(part), "[")); !ok {
							break
						}
					}
					return rawResult(part, ok, err)(text)
				}
			}
			return doc(func(v value.JSONValue, a []value.Value) (value.Value, error) {
				for _, s := range steps(a) {
					var ok bool
					if s.IsNull {
						return nullValue(), nil
					}
					if v, ok = jsonStep(v, s.Str, false); !ok {
						return nullValue(), nil
					}
				}
				if text {
					return jsonText(v, k), nil
				}
				return jsonValue(v, k), nil
			})
		}
		box(r, "->", k, step(false, false), k, t)
		box(r, "->", k, step(false, true), k, i4)
		box(r, "->>", t, step(true, false), k, t)
		box(r, "->>", t, step(true, true), k, i4)
		list := func(a []value.Value) []value.Value { return a[1].List }
		box(r, "#>", k, path(false, list), k, value.ArrayOf(t))
		box(r, "#>>", t, path(true, list), k, value.ArrayOf(t))
		rest := func(a []value.Value) []value.Value { return a[1:] }
		for n := 1; n <= 5; n++ {
			kinds := []value.Kind{k}
			for range n {
				kinds = append(kinds, t)
			}
			box(r, prefix+"_extract_path", k, path(false, rest), kinds...)
			box(r, prefix+"_extract_path_text", t, path(true, rest), kinds...)
		}
		box(r, prefix+"_array_length", i4, doc(func(v value.JSONValue, _ []value.Value) (value.Value, error) {
			l, ok := v.([]value.JSONValue)
			if !ok {
				return nullValue(), value.Errorf(value.CodeBadParameter, "cannot get array length of a non-array")
			}
			return intValue(int64(len(l))), nil
		}), k)
		box(r, prefix+"_typeof", t, doc(func(v value.JSONValue, _ []value.Value) (value.Value, error) {
			return textValue(value.JSONType(v)), nil
		}), k)
		box(r, prefix+"_strip_nulls", k, doc(func(v value.JSONValue, _ []value.Value) (value.Value, error) { return jsonValue(stripNulls(v), k), nil }), k)
		r.polymorphic["row to "+prefix] = func(kinds []value.Kind) *Func {
			if len(kinds)%2 != 0 {
				return nil
			}
			return boxed("row to "+prefix, kinds, k, false, func(a []value.Value) (value.Value, error) {
				out := &value.JSONObject{}
				for i := 0; i < len(a); i += 2 {
					out.Keys, out.Values = append(out.Keys, a[i].Str), append(out.Values, toJSON(a[i+1]))
				}
				return jsonValue(out, k), nil
			})
		}
		def1(r, "record of "+prefix, k, k, func(s string) (string, error) {
			v, err := value.DecodeJSON(s)
			if _, ok := v.(*value.JSONObject); err == nil && !ok {
				err = value.Errorf(value.CodeBadParameter, "argument must be an object, or an array of objects")
			}
			return s, err
		})
		texts := value.ArrayOf(t)
		object := func(keys, values []value.Value) (value.Value, error) {
			out := &value.JSONObject{}
			for i, key := range keys {
				if key.IsNull {
					return nullValue(), value.Errorf("22004", "null value not allowed for object key")
				}
				out.Keys, out.Values = append(out.Keys, key.Str), append(out.Values, toJSON(values[i]))
			}
			return builtJSON(out, k), nil
		}
		box(r, prefix+"_object", k, func(a []value.Value) (value.Value, error) {
			if len(a[0].List)%2 != 0 {
				return nullValue(), value.Errorf("2202E", "array must have even number of elements")
			}
			var keys, values []value.Value
			for i, v := range a[0].List {
				if i%2 == 0 {
					keys = append(keys, v)
				} else {
					values = append(values, v)
				}
			}
			return object(keys, values)
		}, texts)
		box(r, prefix+"_object", k, func(a []value.Value) (value.Value, error) {
			if len(a[0].List) != len(a[1].List) {
				return nullValue(), value.Errorf("2202E", "mismatched array dimensions")
			}
			return object(a[0].List, a[1].List)
		}, texts, texts)
		r.polymorphic["to_"+prefix] = func(kinds []value.Kind) *Func {
			if len(kinds) != 1 || kinds[0] == value.Null {
				return nil
			}
			return boxed("to_"+prefix, kinds, k, true, func(a []value.Value) (value.Value, error) { return jsonValue(toJSON(a[0]), k), nil })
		}
		r.polymorphic[prefix+"_build_array"] = func(kinds []value.Kind) *Func {
			return boxed(prefix+"_build_array", kinds, k, false, func(a []value.Value) (value.Value, error) {
				out := []value.JSONValue{}
				for _, x := range a {
					out = append(out, toJSON(x))
				}
				return builtJSON(out, k), nil
			})
		}
		r.polymorphic[prefix+"_build_object"] = func(kinds []value.Kind) *Func {
			return boxed(prefix+"_build_object", kinds, k, false, func(a []value.Value) (value.Value, error) {
				if len(a)%2 != 0 {
					return nullValue(), value.Errorf(value.CodeBadParameter, "argument list must have even number of elements")
				}
				out := &value.JSONObject{}
				for i := 0; i < len(a); i += 2 {
					if a[i].IsNull {
						return nullValue(), value.Errorf("22004", "argument %d: key must not be null", i+1)
					}
					out.Keys, out.Values = append(out.Keys, a[i].String()), append(out.Values, toJSON(a[i+1]))
				}
				return builtJSON(out, k), nil
			})
		}
	}
	pair := func(f func(a, b value.JSONValue) bool) scalar {
		return func(a []value.Value) (value.Value, error) {
			x, err := value.DecodeJSON(a[0].Str)
			if err != nil {
				return nullValue(), err
			}
			y, err := value.DecodeJSON(a[1].Str)
			return boolValue(f(x, y)), err
		}
	}
	jb := value.JSONB
	box(r, "@>", value.Bool, pair(func(a, b value.JSONValue) bool { return jsonContains(a, b, true) }), jb, jb)
	box(r, "<@", value.Bool, pair(func(a, b value.JSONValue) bool { return jsonContains(b, a, true) }), jb, jb)
	box(r, "||", jb, func(a []value.Value) (value.Value, error) {
		x, err := value.DecodeJSON(a[0].Str)
		if err != nil {
			return nullValue(), err
		}
		y, err := value.DecodeJSON(a[1].Str)
		if err != nil {
			return nullValue(), err
		}
		xo, ok1 := x.(*value.JSONObject)
		yo, ok2 := y.(*value.JSONObject)
		if ok1 && ok2 {
			return jsonValue(&value.JSONObject{Keys: append(append([]string{}, xo.Keys...), yo.Keys...), Values: append(append([]value.JSONValue{}, xo.Values...), yo.Values...)}, jb), nil
		}
		list := func(v value.JSONValue) []value.JSONValue {
			if l, ok := v.([]value.JSONValue); ok {
				return l
			}
			return []value.JSONValue{v}
		}
		return jsonValue(append(append([]value.JSONValue{}, list(x)...), list(y)...), jb), nil
	}, jb, jb)
	defComparisons(r, jb, value.CompareJSON)
}

// builtJSON writes what the build functions make: json with a space after
// separators, as PostgreSQL does.
func builtJSON(v value.JSONValue, k value.Kind) value.Value {
	if k == value.JSONB {
		return jsonValue(v, k)
	}
	return textValue(spacedJSON(v))
}

func spacedJSON(v value.JSONValue) string {
	switch v := v.(type) {
	case []value.JSONValue:
		out := "["
		for i, x := range v {
			if i > 0 {
				out += ", "
			}
			out += value.EncodeJSON(x)
		}
		return out + "]"
	case *value.JSONObject:
		out := "{"
		for i, k := range v.Keys {
			if i > 0 {
				out += ", "
			}
			out += value.QuoteJSON(k) + " : " + value.EncodeJSON(v.Values[i])
		}
		return out + "}"
	}
	return value.EncodeJSON(v)
}
