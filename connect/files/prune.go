package files

import (
	"math"
	"strings"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// bounds are what is known of a column's values in a part of a file. Where
// known is false, so are min and max; all values that are not NULL lie between
// them, but for a NaN, which files do not count.
type bounds struct {
	min, max  value.Value
	known     bool
	rows      int64
	nulls     int64 // -1 where not known
	mayHoldIt func(v value.Value) bool
}

// onlyNulls reports whether there is no value at all.
func (b bounds) onlyNulls() bool { return b.nulls >= 0 && b.nulls == b.rows }

// mayHold reports whether a condition may be true for some row of a part, by the
// bounds of its columns. False is certain.
func mayHold(e plan.Expr, of func(plan.ID) (bounds, bool)) bool {
	switch e := e.(type) {
	case *plan.Const:
		return !e.Val.IsNull && (e.Typ.Kind != value.Bool || e.Val.Int != 0)
	case *plan.Call:
		switch e.Op {
		case "and":
			for _, a := range e.Args {
				if !mayHold(a, of) {
					return false
				}
			}
			return true
		case "or":
			for _, a := range e.Args {
				if mayHold(a, of) {
					return true
				}
			}
			return false
		}
		t, ok := testOf(e)
		if !ok {
			return true
		}
		b, ok := of(t.column)
		return !ok || t.mayHold(b)
	}
	return true
}

// prunes reports whether bounds can show that a condition is false.
func prunes(e plan.Expr) bool {
	c, ok := e.(*plan.Call)
	if !ok {
		return false
	}
	switch c.Op {
	case "and":
		for _, a := range c.Args {
			if prunes(a) {
				return true
			}
		}
		return false
	case "or":
		for _, a := range c.Args {
			if !prunes(a) {
				return false
			}
		}
		return true
	}
	t, ok := testOf(c)
	return ok && (t.op != ">" && t.op != ">=" || !t.isFloat)
}

// test compares a column with constants.
type test struct {
	op      string
	column  plan.ID
	widen   value.Kind // the column is cast to it first; Null for not at all
	with    []value.Value
	isFloat bool
}

var mirrored = map[string]string{"=": "=", "<": ">", "<=": ">=", ">": "<", ">=": "<="}

// testOf takes a condition as a test of one column.
func testOf(c *plan.Call) (test, bool) {
	switch c.Op {
	case "=", "<", "<=", ">", ">=":
		if t, ok := column(c.Args[0], c.Op); ok {
			if k, isConst := c.Args[1].(*plan.Const); isConst {
				t.with = []value.Value{k.Val}
				return t, true
			}
		}
		if t, ok := column(c.Args[1], mirrored[c.Op]); ok {
			if k, isConst := c.Args[0].(*plan.Const); isConst {
				t.with = []value.Value{k.Val}
				return t, true
			}
		}
	case "is null", "is not null":
		return column(c.Args[0], c.Op)
	case "like":
		t, ok := column(c.Args[0], "prefix")
		k, isConst := c.Args[1].(*plan.Const)
		if !ok || !isConst || len(c.Args) > 2 || k.Val.IsNull {
			return test{}, false
		}
		end := strings.IndexAny(k.Val.Str, `%_\`)
		if end == 0 {
			return test{}, false
		}
		if end < 0 {
			end = len(k.Val.Str)
		}
		t.with = []value.Value{value.TextOf(k.Val.Str[:end])}
		return t, true
	case "in":
		t, ok := column(c.Args[0], "in")
		for _, a := range c.Args[1:] {
			k, isConst := a.(*plan.Const)
			if ok = ok && isConst; ok {
				t.with = append(t.with, k.Val)
			}
		}
		return t, ok
	case "= any":
		t, ok := column(c.Args[0], "in")
		k, isConst := c.Args[1].(*plan.Const)
		if ok = ok && isConst && !k.Val.IsNull; ok {
			t.with = k.Val.List
		}
		return t, ok
	}
	return test{}, false
}

// column takes an expression as a column, cast to a wider kind at most, which
// keeps the order of values.
func column(e plan.Expr, op string) (test, bool) {
	t := test{op: op}
	if c, ok := e.(*plan.Cast); ok {
		from, to := c.Arg.Type().Kind, c.Typ.Kind
		if _, widening := value.ImplicitSteps(from, to); !widening || c.Typ.Precision > 0 || !ordered(from) || !ordered(to) {
			return t, false
		}
		t.widen, e = to, c.Arg
	}
	c, ok := e.(*plan.Col)
	if !ok || !ordered(c.Typ.Kind) {
		return t, false
	}
	t.column, t.isFloat = c.ID, c.Typ.Kind.IsFloat() || t.widen.IsFloat()
	return t, true
}

// ordered reports whether files keep bounds of a kind in Rovik's order.
func ordered(k value.Kind) bool {
	switch k {
	case value.Int2, value.Int4, value.Int8, value.Float4, value.Float8, value.Numeric, value.Text, value.Date, value.Timestamp, value.TimestampTZ, value.Bool:
		return true
	}
	return false
}

func (t test) mayHold(b bounds) bool {
	switch t.op {
	case "is null":
		return b.nulls != 0
	case "is not null":
		return !b.onlyNulls()
	}
	if b.onlyNulls() {
		return false
	}
	low, high := b.min, b.max
	known := b.known
	if known && t.widen != value.Null {
		var err1, err2 error
		low, err1 = kernel.CastValue(low, value.Of(t.widen))
		high, err2 = kernel.CastValue(high, value.Of(t.widen))
		known = err1 == nil && err2 == nil
	}
	any := false
	for _, v := range t.with {
		any = any || !v.IsNull && (!known || t.between(low, high, v)) && (t.op != "=" && t.op != "in" || t.widen != value.Null || b.mayHoldIt == nil || b.mayHoldIt(v))
	}
	return any
}

// between reports whether some value from low to high, or a NaN, may pass.
func (t test) between(low, high, v value.Value) bool {
	if t.isFloat && math.IsNaN(v.Float) {
		return true
	}
	switch t.op {
	case "<":
		return value.Compare(low, v) < 0
	case "<=":
		return value.Compare(low, v) <= 0
	case ">":
		return t.isFloat || value.Compare(high, v) > 0
	case ">=":
		return t.isFloat || value.Compare(high, v) >= 0
	case "prefix":
		return value.Compare(high, v) >= 0 && (value.Compare(low, v) <= 0 || strings.HasPrefix(low.Str, v.Str))
	}
	return value.Compare(low, v) <= 0 && value.Compare(high, v) >= 0
}
