package plan

import "rovik/core/value"

// RespectsEquality reports whether e gives equal values for rows that are equal
// in the columns that it reads. Equal values of some types can be told apart:
// 1.0 and 1.00, 0 and -0, a day and 24 hours. What only compares or computes
// with such values respects that; what writes them or asks for their form does
// not. A condition may be copied to an equal column, or move below what
// takes equal rows away, only where this holds.
func RespectsEquality(e Expr) bool {
	switch e := e.(type) {
	case *Col, *Const, *ShippedKeys:
		return true
	case *Case:
		return allRespect(Children(e))
	case *Cast:
		return allIdentical([]Expr{e.Arg}) && RespectsEquality(e.Arg) || between(e.Arg.Type().Kind, e.Typ) && RespectsEquality(e.Arg)
	case *Call:
		return (allIdentical(e.Args) || respecting[e.Op] || adding[e.Op] && allNumbers(e.Args)) && allRespect(e.Args)
	}
	return false
}

// respecting are the operators that give equal results for equal operands of
// every type: they compare or choose. Those in adding do so for numbers.
var respecting = map[string]bool{"and": true, "or": true, "not": true, "=": true, "<>": true, "<": true, "<=": true, ">": true, ">=": true,
	"in": true, "is null": true, "is not null": true, "is true": true, "is not true": true, "is false": true, "is not false": true,
	"is distinct from": true, OpNullSafeEqual: true, "coalesce": true, "greatest": true, "least": true}

var adding = map[string]bool{"+": true, "-": true, "*": true, "neg": true, "abs": true}

func allNumbers(exprs []Expr) bool {
	for _, e := range exprs {
		if !e.Type().Kind.IsNumber() {
			return false
		}
	}
	return true
}

// between reports whether a cast is one of numbers, which does not look at how
// they are written.
func between(from value.Kind, to value.Type) bool { return from.IsNumber() && to.Kind.IsNumber() }

func allRespect(exprs []Expr) bool {
	for _, e := range exprs {
		if !RespectsEquality(e) {
			return false
		}
	}
	return true
}

// allIdentical reports whether equal values of the expressions are the same.
func allIdentical(exprs []Expr) bool {
	for _, e := range exprs {
		if !e.Type().Kind.Identical() {
			return false
		}
	}
	return true
}
