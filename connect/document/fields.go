package document

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// field is a column as the server finds it in its documents.
type field struct {
	column *catalog.Column
	cell   shape.Cell
	flat   *shape.Flat
	// path leads to it with points between names: in a document for a cell of
	// the records themselves, else through the lists on the way.
	path string
	// within are the places on the way that must not be lists.
	within []string
}

// fieldOf finds a column of a shape's table; ok is false for what the server has
// no plain path to.
func fieldOf(t *catalog.Table, index int) (f field, ok bool) {
	if t.Flat == nil || index >= len(t.Flat.Cells) {
		return field{}, false
	}
	f = field{column: &t.Columns[index], cell: t.Flat.Cells[index], flat: t.Flat}
	if f.cell.From != shape.FromPath || f.cell.Of != nil {
		return f, false
	}
	var names []string
	for _, step := range t.Flat.Steps[1 : f.cell.Level+1] {
		more, ok := listNames(step)
		if !ok {
			return f, false
		}
		names = append(names, more...)
	}
	before := len(names)
	own, ok := plainNames(f.cell.Path)
	if !ok || len(own)+before == 0 {
		return f, false
	}
	names = append(names, own...)
	f.path = strings.Join(names, ".")
	for i := before + 1; i <= len(names); i++ {
		f.within = append(f.within, strings.Join(names[:i], "."))
	}
	return f, true
}

// root reports whether the field is of the record itself rather than of a list's
// elements.
func (f field) root() bool { return f.cell.Level == 0 }

// plainNames are the names of a path that consists of them alone.
func plainNames(path string) ([]string, bool) {
	steps, ok := shape.Plain(shape.JSONPath, path)
	var out []string
	for _, s := range steps {
		if s.Kind != shape.ByName || s.Name == "" || strings.ContainsAny(s.Name, ".$\x00") {
			return nil, false
		}
		out = append(out, s.Name)
	}
	return out, ok
}

// listNames are the names of a path to the elements of a list, as $.findings[:].
// With [*] the members of an object are rows too, which no server unwinds.
func listNames(path string) ([]string, bool) {
	to, isList := strings.CutSuffix(path, "[:]")
	names, ok := plainNames(to)
	return names, ok && isList && len(names) > 0
}

// class groups columns that a server treats alike.
func (f field) class() string {
	name := map[value.Kind]string{value.Text: "texts", value.Int2: "whole numbers", value.Int4: "whole numbers", value.Int8: "whole numbers",
		value.Float8: "floating-point numbers", value.Bool: "booleans", value.TimestampTZ: "timestamps"}[f.cell.Type.Kind]
	if f.cell.ID {
		name = "identifiers"
	}
	if name != "" && strings.Contains(f.path, ".") && f.root() {
		name += " in nested fields"
	}
	return name
}

// types are the BSON types of the values that fit the column.
func (f field) types() any {
	switch f.cell.Type.Kind {
	case value.Text:
		if f.cell.ID {
			return "objectId"
		}
		return "string"
	case value.Int2, value.Int4, value.Int8:
		return bson.A{"int", "long"}
	case value.Float8:
		return bson.A{"double", "int", "long"}
	case value.Bool:
		return "bool"
	}
	return "date"
}

var notList = bson.E{Key: "$not", Value: bson.D{{Key: "$type", Value: "array"}}}

// zero is in a text that cannot be carried.
var zero = bson.Regex{Pattern: `\x00`}

// fits is the condition that the column has a value that fits, of which more is
// asked by tests on the value.
func (f field) fits(tests ...bson.D) bson.D {
	own := bson.D{{Key: "$type", Value: f.types()}}
	equal := slices.ContainsFunc(tests, func(t bson.D) bool { return t[0].Key == "$eq" || t[0].Key == "$in" })
	if f.cell.Type.Kind == value.Text && !f.cell.ID && !equal {
		tests = append(slices.Clone(tests), bson.D{{Key: "$not", Value: zero}})
	}
	switch f.cell.Type.Kind {
	case value.Int2:
		own = append(own, bson.E{Key: "$gte", Value: int32(math.MinInt16)}, bson.E{Key: "$lte", Value: int32(math.MaxInt16)})
	case value.Int4:
		own = append(own, bson.E{Key: "$gte", Value: int32(math.MinInt32)}, bson.E{Key: "$lte", Value: int32(math.MaxInt32)})
	}
	own = append(own, notList)
	var apart bson.A
	for _, t := range tests {
		if slices.ContainsFunc(own, func(e bson.E) bool { return e.Key == t[0].Key }) {
			apart = append(apart, bson.D{{Key: f.path, Value: t}})
		} else {
			own = append(own, t...)
		}
	}
	all := bson.D{{Key: f.path, Value: own}}
	for _, at := range f.within[:len(f.within)-1] {
		all = append(all, bson.E{Key: at, Value: bson.D{notList}})
	}
	if len(apart) > 0 {
		return bson.D{{Key: "$and", Value: append(bson.A{all}, apart...)}}
	}
	return all
}

// strict reports whether a value that does not fit is an error.
func (f field) strict() bool { return f.cell.Misfit == shape.Fails || f.cell.Misfit == "" }

// unfit is a condition that holds for each document that has a value which does
// not fit the column, and for few others.
func (f field) unfit(decimals bool) bson.D {
	var any bson.A
	if f.root() {
		any = append(any, bson.D{{Key: f.path, Value: bson.D{{Key: "$ne", Value: nil}}}})
		for _, at := range f.within {
			any = append(any, bson.D{{Key: at, Value: bson.D{{Key: "$type", Value: "array"}}}})
		}
		return bson.D{{Key: "$nor", Value: bson.A{f.fits()}}, {Key: "$or", Value: any}}
	}
	others := bson.D{{Key: "$type", Value: f.otherTypes(decimals)}}
	if len(f.within) == 0 { // the elements themselves
		others = bson.D{{Key: "$elemMatch", Value: others}}
	}
	any = append(any, bson.D{{Key: f.path, Value: others}})
	for _, at := range f.within {
		any = append(any, bson.D{{Key: at, Value: bson.D{{Key: "$type", Value: "array"}}}})
	}
	switch k := f.cell.Type.Kind; k {
	case value.Int2, value.Int4:
		end := int64(math.MaxInt32)
		if k == value.Int2 {
			end = math.MaxInt16
		}
		any = append(any, bson.D{{Key: f.path, Value: bson.D{{Key: "$gt", Value: end}}}}, bson.D{{Key: f.path, Value: bson.D{{Key: "$lt", Value: -end - 1}}}})
	case value.Text:
		any = append(any, bson.D{{Key: f.path, Value: zero}})
	}
	return bson.D{{Key: "$or", Value: any}}
}

// allTypes are the BSON types of values that are something. A server that does not
// know decimals holds none.
var allTypes = []string{"double", "string", "object", "array", "binData", "objectId", "bool", "date", "regex", "int", "timestamp", "long", decimalType}

const decimalType = "decimal"

// otherTypes are those of values that do not fit the column.
func (f field) otherTypes(decimals bool) bson.A {
	own, several := f.types().(bson.A)
	if !several {
		own = bson.A{f.types()}
	}
	out := bson.A{}
	for _, t := range allTypes {
		if !slices.Contains(own, any(t)) && (t != decimalType || decimals) {
			out = append(out, t)
		}
	}
	return out
}

// flipped are the comparisons that hold exactly where the first does not, among
// values that can be compared: for floating numbers, NaN is the greatest, which
// servers leave out of every comparison.
var flipped = map[string]string{">": "$lte", ">=": "$lt"}

var comparisons = map[string]string{"=": "$eq", "<>": "$ne", "<": "$lt", "<=": "$lte", ">": "$gt", ">=": "$gte"}

// test is a comparison of the column's value with a constant.
func (f field) test(op string, v value.Value) (bson.D, bool) {
	c, ok := f.constant(v)
	if !ok || comparisons[op] == "" {
		return nil, false
	}
	if not := flipped[op]; not != "" && f.cell.Type.Kind == value.Float8 {
		return bson.D{{Key: "$not", Value: bson.D{{Key: not, Value: c}}}}, true
	}
	return bson.D{{Key: comparisons[op], Value: c}}, true
}

// constant is a value as the column's documents would hold it. Digits of an
// identifier sort as the identifier does; other strings are none.
func (f field) constant(v value.Value) (any, bool) {
	if f.cell.ID {
		if v.IsNull || v.Kind != value.Text || len(v.Str) != 24 || v.Str != strings.ToLower(v.Str) {
			return nil, false
		}
		id, err := bson.ObjectIDFromHex(v.Str)
		return id, err == nil
	}
	return constant(v)
}

// constants are several values, NULLs left out, which equal nothing; ok is false
// where one has no exact form.
func (f field) constants(values []value.Value) (out bson.A, not value.Value, ok bool) {
	out = bson.A{}
	for _, v := range values {
		if v.IsNull {
			continue
		}
		c, ok := f.constant(v)
		if !ok {
			return nil, v, false
		}
		out = append(out, c)
	}
	return out, value.Value{}, true
}

// extended writes a value as relaxed extended JSON.
func extended(v any) string {
	b, err := bson.MarshalExtJSON(bson.D{{Key: "v", Value: v}}, false, false)
	if err != nil {
		return fmt.Sprint(v)
	}
	return strings.TrimSuffix(strings.TrimPrefix(string(b), `{"v":`), "}")
}
