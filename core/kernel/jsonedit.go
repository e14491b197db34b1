package kernel

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"

	"rovik/core/value"
)

// Functions that look for parts of a jsonb document and give it changed.

// scalarOf makes a cast of jsonb to another type, from a number or a boolean.
func scalarOf[R any](to value.Kind, convert func(v value.JSONValue) (R, bool, error)) func(string) (R, error) {
	return func(s string) (R, error) {
		var none R
		v, err := value.DecodeJSON(s)
		if err != nil {
			return none, err
		}
		out, ok, err := convert(v)
		if err == nil && !ok {
			err = value.Errorf(value.CodeBadParameter, "cannot cast jsonb %s to type %s", value.JSONType(v), to)
		}
		return out, err
	}
}

// addJSONBCasts adds the casts of jsonb numbers and booleans.
func addJSONBCasts(r *registry) {
	number := func(v value.JSONValue) (value.Decimal, bool, error) {
		n, ok := v.(json.Number)
		if !ok {
			return value.Decimal{}, false, nil
		}
		d, err := value.ParseDecimal(n.String())
		return d, true, err
	}
	defCast(r, value.JSONB, value.Bool, scalarOf(value.Bool, func(v value.JSONValue) (bool, bool, error) { b, ok := v.(bool); return b, ok, nil }))
	defCast(r, value.JSONB, value.Numeric, scalarOf(value.Numeric, number))
	defCast(r, value.JSONB, value.Float8, scalarOf(value.Float8, func(v value.JSONValue) (float64, bool, error) {
		d, ok, err := number(v)
		return d.Float64(), ok, err
	}))
	defCast(r, value.JSONB, value.Float4, scalarOf(value.Float4, func(v value.JSONValue) (float32, bool, error) {
		d, ok, err := number(v)
		if !ok || err != nil {
			return 0, ok, err
		}
		f, err := value.ToReal(d.Float64())
		return f, true, err
	}))
	whole := func(to value.Kind) func(string) (int64, error) {
		return scalarOf(to, func(v value.JSONValue) (int64, bool, error) {
			d, ok, err := number(v)
			if !ok || err != nil {
				return 0, ok, err
			}
			i, err := d.Int64()
			return i, true, err
		})
	}
	defCast(r, value.JSONB, value.Int8, whole(value.Int8))
	defCast(r, value.JSONB, value.Int4, func(s string) (int32, error) {
		i, err := whole(value.Int4)(s)
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int32](i)
	})
	defCast(r, value.JSONB, value.Int2, func(s string) (int16, error) {
		i, err := whole(value.Int2)(s)
		if err != nil {
			return 0, err
		}
		return value.IntToInt[int64, int16](i)
	})
}

func addJSONEdits(r *registry) {
	jb, t, i4, b := value.JSONB, value.Text, value.Int4, value.Bool
	texts := value.ArrayOf(t)

	box(r, "?", b, func(a []value.Value) (value.Value, error) {
		v, err := value.DecodeJSON(a[0].Str)
		return boolValue(err == nil && jsonHas(v, a[1].Str)), err
	}, jb, t)
	for sign, all := range map[string]bool{"?|": false, "?&": true} {
		box(r, sign, b, func(a []value.Value) (value.Value, error) {
			v, err := value.DecodeJSON(a[0].Str)
			if err != nil {
				return nullValue(), err
			}
			for _, key := range a[1].List {
				if !key.IsNull && jsonHas(v, key.Str) != all {
					return boolValue(!all), nil
				}
			}
			return boolValue(all), nil
		}, jb, texts)
	}
	edit := func(name string, f func(v value.JSONValue, a []value.Value) (value.JSONValue, error), args ...value.Kind) {
		box(r, name, jb, func(a []value.Value) (value.Value, error) {
			v, err := value.DecodeJSON(a[0].Str)
			if err != nil {
				return nullValue(), err
			}
			if v, err = f(v, a); err != nil {
				return nullValue(), err
			}
			return jsonValue(v, jb), nil
		}, args...)
	}
	edit("-", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) { return withoutKeys(v, a[1:]) }, jb, t)
	edit("-", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) { return withoutKeys(v, a[1].List) }, jb, texts)
	edit("-", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) { return withoutElement(v, a[1].Int) }, jb, i4)
	change := func(v value.JSONValue, path []value.Value, doing string, at jsonChange) (value.JSONValue, error) {
		switch v.(type) {
		case []value.JSONValue, *value.JSONObject:
		default:
			return nil, value.Errorf(value.CodeBadParameter, "cannot %s path in scalar", doing)
		}
		if len(path) == 0 {
			return v, nil
		}
		return changeJSON(v, path, 1, at)
	}
	edit("#-", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) {
		return change(v, a[1].List, "delete", jsonChange{remove: true})
	}, jb, texts)
	set := func(v value.JSONValue, a []value.Value, at jsonChange) (value.JSONValue, error) {
		var err error
		if at.value, err = value.DecodeJSON(a[2].Str); err != nil {
			return nil, err
		}
		return change(v, a[1].List, "set", at)
	}
	edit("jsonb_set", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) {
		return set(v, a, jsonChange{replace: true, create: true})
	}, jb, texts, jb)
	edit("jsonb_set", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) {
		return set(v, a, jsonChange{replace: true, create: a[3].Int != 0})
	}, jb, texts, jb, b)
	edit("jsonb_insert", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) {
		return set(v, a, jsonChange{create: true})
	}, jb, texts, jb)
	edit("jsonb_insert", func(v value.JSONValue, a []value.Value) (value.JSONValue, error) {
		return set(v, a, jsonChange{create: true, after: a[3].Int != 0})
	}, jb, texts, jb, b)
	for n := 3; n <= 5; n++ {
		lax := func(a []value.Value) (value.Value, error) {
			if a[0].IsNull || a[1].IsNull || n > 3 && a[3].IsNull {
				return nullValue(), nil
			}
			treatment := "use_json_null"
			if n > 4 {
				treatment = a[4].Str
			}
			at := jsonChange{replace: true, create: n == 3 || a[3].Truth()}
			if a[2].IsNull || n > 4 && a[4].IsNull {
				switch {
				case n > 4 && a[4].IsNull:
					treatment = ""
				case treatment == "raise_exception":
					return nullValue(), value.Errorf("22004", "JSON value must not be null")
				case treatment == "return_target":
					return a[0], nil
				case treatment == "delete_key":
					at = jsonChange{remove: true}
				}
				if !slices.Contains([]string{"use_json_null", "delete_key"}, treatment) {
					return nullValue(), value.Errorf(value.CodeBadParameter, "null_value_treatment must be \"delete_key\", \"return_target\", \"use_json_null\", or \"raise_exception\"")
				}
				a = slices.Clone(a)
				a[2].Str = "null"
			}
			v, err := value.DecodeJSON(a[0].Str)
			if err != nil {
				return nullValue(), err
			}
			if at.remove {
				v, err = change(v, a[1].List, "delete", at)
			} else {
				v, err = set(v, a, at)
			}
			if err != nil {
				return nullValue(), err
			}
			return jsonValue(v, jb), nil
		}
		define(r, boxed("jsonb_set_lax", []value.Kind{jb, texts, jb, b, t}[:n], jb, false, lax))
	}
	box(r, "jsonb_pretty", t, func(a []value.Value) (value.Value, error) {
		v, err := value.DecodeJSON(a[0].Str)
		var out strings.Builder
		prettyJSON(&out, v, "")
		return textValue(out.String()), err
	}, jb)
}

// jsonHas reports whether key is a member of an object of jsonb, or a text in an array or
// alone.
func jsonHas(v value.JSONValue, key string) bool {
	switch v := v.(type) {
	case *value.JSONObject:
		_, ok := v.Member(key)
		return ok
	case []value.JSONValue:
		return slices.ContainsFunc(v, func(x value.JSONValue) bool { return x == value.JSONValue(key) })
	}
	return v == value.JSONValue(key)
}

func withoutKeys(v value.JSONValue, keys []value.Value) (value.JSONValue, error) {
	gone := map[string]bool{}
	for _, k := range keys {
		if !k.IsNull {
			gone[k.Str] = true
		}
	}
	switch v := v.(type) {
	case *value.JSONObject:
		out := &value.JSONObject{}
		for i, k := range v.Keys {
			if !gone[k] {
				out.Keys, out.Values = append(out.Keys, k), append(out.Values, v.Values[i])
			}
		}
		return out, nil
	case []value.JSONValue:
		out := []value.JSONValue{}
		for _, x := range v {
			if s, ok := x.(string); !ok || !gone[s] {
				out = append(out, x)
			}
		}
		return out, nil
	}
	return nil, value.Errorf(value.CodeBadParameter, "cannot delete from scalar")
}

func withoutElement(v value.JSONValue, at int64) (value.JSONValue, error) {
	switch v := v.(type) {
	case *value.JSONObject:
		return nil, value.Errorf(value.CodeBadParameter, "cannot delete from object using integer index")
	case []value.JSONValue:
		if at < 0 {
			at += int64(len(v))
		}
		if at < 0 || at >= int64(len(v)) {
			return v, nil
		}
		return slices.Delete(v, int(at), int(at)+1), nil
	}
	return nil, value.Errorf(value.CodeBadParameter, "cannot delete from scalar")
}

// jsonChange says what happens at the end of a path.
type jsonChange struct {
	value   value.JSONValue
	remove  bool // what is there
	replace bool // what is there; otherwise the value goes before it
	after   bool // the value goes after what is there
	create  bool // the value, where there is nothing
}

// changeJSON changes v at a path of keys and positions; depth counts the steps
// from 1. Where the path leads nowhere, v stays as it is.
func changeJSON(v value.JSONValue, path []value.Value, depth int, c jsonChange) (value.JSONValue, error) {
	if path[0].IsNull {
		return nil, value.Errorf("22004", "path element at position %d is null", depth)
	}
	step, last := path[0].Str, len(path) == 1
	switch v := v.(type) {
	case *value.JSONObject:
		// The last of repeated keys is the one that counts.
		at := len(v.Keys) - 1
		for at >= 0 && v.Keys[at] != step {
			at--
		}
		out := &value.JSONObject{Keys: slices.Clone(v.Keys), Values: slices.Clone(v.Values)}
		switch {
		case at < 0 && last && c.create:
			out.Keys, out.Values = append(out.Keys, step), append(out.Values, c.value)
		case at < 0:
		case !last:
			inner, err := changeJSON(v.Values[at], path[1:], depth+1, c)
			if err != nil {
				return nil, err
			}
			out.Values[at] = inner
		case c.remove:
			return withoutKeys(v, path)
		case !c.replace:
			return nil, value.Errorf(value.CodeBadParameter, "cannot replace existing key").WithHint("use jsonb_set")
		default:
			out.Values[at] = c.value
		}
		return out, nil
	case []value.JSONValue:
		n, err := strconv.ParseInt(strings.TrimSpace(step), 10, 32)
		if err != nil {
			return nil, value.Errorf("22P02", "path element at position %d is not an integer: %q", depth, step)
		}
		at := int(n)
		if at < 0 {
			at += len(v)
		}
		present := at >= 0 && at < len(v)
		switch {
		case !present && last && c.create:
			return slices.Insert(slices.Clone(v), max(0, min(at, len(v))), c.value), nil
		case !present:
			return v, nil
		case !last:
			inner, err := changeJSON(v[at], path[1:], depth+1, c)
			if err != nil {
				return nil, err
			}
			out := slices.Clone(v)
			out[at] = inner
			return out, nil
		case c.remove:
			return slices.Delete(slices.Clone(v), at, at+1), nil
		case c.replace:
			out := slices.Clone(v)
			out[at] = c.value
			return out, nil
		case c.after:
			at++
		}
		return slices.Insert(slices.Clone(v), at, c.value), nil
	}
	return v, nil
}

// prettyJSON writes a document over several lines, four spaces a level.
func prettyJSON(out *strings.Builder, v value.JSONValue, indent string) {
	inner := indent + "    "
	member := func(i int, key string, v value.JSONValue) {
		if i > 0 {
			out.WriteString(",")
		}
		out.WriteString("\n" + inner + key)
		prettyJSON(out, v, inner)
	}
	switch v := v.(type) {
	case []value.JSONValue:
		out.WriteString("[")
		for i, x := range v {
			member(i, "", x)
		}
		out.WriteString("\n" + indent + "]")
	case *value.JSONObject:
		out.WriteString("{")
		for i, k := range v.Keys {
			member(i, value.QuoteJSON(k)+": ", v.Values[i])
		}
		out.WriteString("\n" + indent + "}")
	default:
		out.WriteString(value.EncodeJSON(v))
	}
}
