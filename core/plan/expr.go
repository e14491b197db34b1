package plan

import (
	"rovik/core/function"
	"rovik/core/value"
)

// ID identifies a column within one plan.
type ID int

// Origin is the place in the text that something was written at. View is the
// full name of the view, empty for the query itself.
type Origin struct {
	View       string
	Start, End int
}

// Known reports whether the origin is a real place.
func (o Origin) Known() bool { return o.End > o.Start }

// Expr is a typed expression over the columns of an operator's inputs.
type Expr interface {
	Type() value.Type
	Origin() Origin
}

type (
	// Col reads a column.
	Col struct {
		ID   ID
		Name string
		Typ  value.Type
		Org  Origin
	}
	// Const is a constant.
	Const struct {
		Val value.Value
		Typ value.Type
		Org Origin
	}
	// Call applies an operator or function. Op is lower case: "+", "and",
	// "is null", "in", "lower" …; the argument types select the overload.
	Call struct {
		Op   string
		Args []Expr
		Typ  value.Type
		Org  Origin
	}
	// Case takes the result of the first branch whose condition is true.
	Case struct {
		Whens []When
		Else  Expr // never nil
		Typ   value.Type
		Org   Origin
	}
	// Cast converts its argument to Typ.
	Cast struct {
		Arg Expr
		Typ value.Type
		Org Origin
	}
	// ShippedKeys stands for the values that one side of a join sends into the
	// statement of the other. It is known when the query runs, and stands only
	// as the list of an "in" that a source is sent.
	ShippedKeys struct{ Typ value.Type }
)

// OpLooseEqual is equality as some source sees it: true wherever = is, and
// perhaps for more. It stands only in conditions that a source narrows by.
const OpLooseEqual = "loosely ="

// OpNullSafeEqual is equality for which NULL equals NULL.
const OpNullSafeEqual = "is not distinct from"

// When is one branch of a Case.
type When struct{ Cond, Result Expr }

// Type returns the type of the column.
func (e *Col) Type() value.Type { return e.Typ }

// Type returns the type of the constant.
func (e *Const) Type() value.Type { return e.Typ }

// Type returns the result type of the call.
func (e *Call) Type() value.Type { return e.Typ }

// Type returns the common type of the branches.
func (e *Case) Type() value.Type { return e.Typ }

// Type returns the type that the argument is converted to.
func (e *Cast) Type() value.Type { return e.Typ }

// Type returns the type of the keys.
func (e *ShippedKeys) Type() value.Type { return e.Typ }

// Origin returns no place: keys are not written.
func (e *ShippedKeys) Origin() Origin { return Origin{} }

// Origin returns where the column is named.
func (e *Col) Origin() Origin { return e.Org }

// Origin returns where the constant is written.
func (e *Const) Origin() Origin { return e.Org }

// Origin returns where the call is written.
func (e *Call) Origin() Origin { return e.Org }

// Origin returns where the CASE is written.
func (e *Case) Origin() Origin { return e.Org }

// Origin returns where the cast is written.
func (e *Cast) Origin() Origin { return e.Org }

// Children returns the direct parts of e.
func Children(e Expr) []Expr {
	switch e := e.(type) {
	case *Call:
		return e.Args
	case *Cast:
		return []Expr{e.Arg}
	case *Case:
		out := make([]Expr, 0, 2*len(e.Whens)+1)
		for _, w := range e.Whens {
			out = append(out, w.Cond, w.Result)
		}
		return append(out, e.Else)
	}
	return nil
}

// withChildren returns e with its parts replaced, in the order of Children.
func withChildren(e Expr, parts []Expr) Expr {
	switch e := e.(type) {
	case *Call:
		c := *e
		c.Args = parts
		return &c
	case *Cast:
		c := *e
		c.Arg = parts[0]
		return &c
	case *Case:
		c := *e
		c.Whens = make([]When, len(e.Whens))
		for i := range c.Whens {
			c.Whens[i] = When{parts[2*i], parts[2*i+1]}
		}
		c.Else = parts[len(parts)-1]
		return &c
	}
	return e
}

// Map rebuilds e bottom up, replacing every part by what f makes of it.
func Map(e Expr, f func(Expr) Expr) Expr {
	changed := false
	mapped := MapParts(e, func(p Expr) Expr {
		m := Map(p, f)
		changed = changed || m != p
		return m
	})
	if changed {
		e = mapped
	}
	return f(e)
}

// MapParts rebuilds e with its direct parts replaced by what f makes of them.
func MapParts(e Expr, f func(Expr) Expr) Expr {
	old := Children(e)
	if len(old) == 0 {
		return e
	}
	parts := make([]Expr, len(old))
	for i, p := range old {
		parts[i] = f(p)
	}
	return withChildren(e, parts)
}

// Walk visits e and its parts, outermost first, as long as f returns true.
func Walk(e Expr, f func(Expr) bool) {
	if !f(e) {
		return
	}
	for _, p := range Children(e) {
		Walk(p, f)
	}
}

// IDs is a set of columns.
type IDs map[ID]bool

// AddUses adds the columns that e reads.
func (s IDs) AddUses(exprs ...Expr) IDs {
	for _, e := range exprs {
		Walk(e, func(p Expr) bool {
			if c, ok := p.(*Col); ok {
				s[c.ID] = true
			}
			return true
		})
	}
	return s
}

// Uses returns the columns that the expressions read.
func Uses(exprs ...Expr) IDs { return IDs{}.AddUses(exprs...) }

// Within reports whether every column of s is in o.
func (s IDs) Within(o IDs) bool {
	for id := range s {
		if !o[id] {
			return false
		}
	}
	return true
}

// Meets reports whether s and o share a column.
func (s IDs) Meets(o IDs) bool {
	for id := range s {
		if o[id] {
			return true
		}
	}
	return false
}

// Defs says how columns are computed from others.
type Defs map[ID]Expr

// Substitute replaces the columns that defs defines. The result as a whole
// keeps the origin of e, so that a piece stays the piece it was; a bare column
// gives way to the piece that defines it. What was written nowhere, as a rewrite
// made it, stands where the column that it replaces was written.
func Substitute(e Expr, defs Defs) Expr {
	if len(defs) == 0 {
		return e
	}
	out := Map(e, func(p Expr) Expr {
		if c, ok := p.(*Col); ok {
			if d, ok := defs[c.ID]; ok {
				if !d.Origin().Known() {
					d = WithOrigin(d, c.Org)
				}
				return d
			}
		}
		return p
	})
	if out == e {
		return e
	}
	if _, bare := e.(*Col); bare && out.Origin().Known() {
		return out
	}
	return WithOrigin(out, e.Origin())
}

// WithOrigin returns e as if written at o; an unknown o changes nothing.
func WithOrigin(e Expr, o Origin) Expr {
	if !o.Known() || e.Origin() == o {
		return e
	}
	switch e := e.(type) {
	case *Col:
		c := *e
		c.Org = o
		return &c
	case *Const:
		c := *e
		c.Org = o
		return &c
	case *Call:
		c := *e
		c.Org = o
		return &c
	case *Case:
		c := *e
		c.Org = o
		return &c
	case *Cast:
		c := *e
		c.Org = o
		return &c
	}
	return e
}

// Equal reports whether two expressions compute the same, by structure.
func Equal(a, b Expr) bool {
	switch x := a.(type) {
	case *Col:
		y, ok := b.(*Col)
		return ok && x.ID == y.ID
	case *Const:
		y, ok := b.(*Const)
		return ok && x.Typ == y.Typ && x.Val.IsNull == y.Val.IsNull &&
			(x.Val.IsNull || x.Val.Kind == y.Val.Kind && value.Compare(x.Val, y.Val) == 0 && x.Val.Dec.Scale == y.Val.Dec.Scale)
	case *Call:
		y, ok := b.(*Call)
		return ok && x.Op == y.Op && x.Typ == y.Typ && equalAll(x.Args, y.Args)
	case *Cast:
		y, ok := b.(*Cast)
		return ok && x.Typ == y.Typ && Equal(x.Arg, y.Arg)
	case *ShippedKeys:
		_, ok := b.(*ShippedKeys)
		return ok
	case *Case:
		y, ok := b.(*Case)
		return ok && x.Typ == y.Typ && equalAll(Children(x), Children(y))
	}
	return false
}

// EqualAgg reports whether two aggregate calls compute the same.
func EqualAgg(a, b Agg) bool {
	if a.Func != b.Func || a.Distinct != b.Distinct || !equalAll(a.Args, b.Args) || len(a.Order) != len(b.Order) ||
		(a.Filter == nil) != (b.Filter == nil) || a.Filter != nil && !Equal(a.Filter, b.Filter) {
		return false
	}
	for i, k := range a.Order {
		if o := b.Order[i]; k.Desc != o.Desc || k.NullsFirst != o.NullsFirst || !Equal(k.Expr, o.Expr) {
			return false
		}
	}
	return true
}

// EqualSetCall reports whether two calls of set-returning functions give the
// same rows.
func EqualSetCall(a, b SetCall) bool { return a.Func == b.Func && equalAll(a.Args, b.Args) }

func equalAll(a, b []Expr) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !Equal(a[i], b[i]) {
			return false
		}
	}
	return true
}

// Conjuncts splits a condition at its ANDs, outermost level.
func Conjuncts(e Expr) []Expr {
	if c, ok := e.(*Call); ok && c.Op == "and" {
		var out []Expr
		for _, a := range c.Args {
			out = append(out, Conjuncts(a)...)
		}
		return out
	}
	return []Expr{e}
}

// And joins conditions; none is the constant true.
func And(conds []Expr) Expr {
	switch len(conds) {
	case 0:
		return True()
	case 1:
		return conds[0]
	}
	return &Call{Op: "and", Args: conds, Typ: value.Of(value.Bool)}
}

// True returns the constant true.
func True() Expr { return &Const{Val: value.BoolOf(true), Typ: value.Of(value.Bool)} }

// IsTrue reports whether e is the constant true.
func IsTrue(e Expr) bool {
	c, ok := e.(*Const)
	return ok && c.Val.Truth()
}

// EquiKeys returns the two sides of an equality (= or IS NOT DISTINCT FROM) of which one side reads only
// columns of left and the other only columns of right, left side first.
func EquiKeys(e Expr, left, right IDs) (l, r Expr, ok bool) {
	c, isCall := e.(*Call)
	if !isCall || c.Op != "=" && c.Op != OpNullSafeEqual {
		return nil, nil, false
	}
	a, b := Uses(c.Args[0]), Uses(c.Args[1])
	switch {
	case len(a) == 0 || len(b) == 0:
		return nil, nil, false
	case a.Within(left) && b.Within(right):
		return c.Args[0], c.Args[1], true
	case a.Within(right) && b.Within(left):
		return c.Args[1], c.Args[0], true
	}
	return nil, nil, false
}

// dividesByConstant reports whether a call divides by a constant for which that
// always works.
func dividesByConstant(c *Call) bool {
	if c.Op != "/" && c.Op != "%" || len(c.Args) != 2 || !c.Typ.Kind.IsInteger() {
		return false
	}
	k, ok := c.Args[1].(*Const)
	return ok && !k.Val.IsNull && k.Val.Int != 0 && k.Val.Int != -1
}

// Refuses reports whether evaluating e can raise an error for a row because of
// what its values mean, not only because a sum or product grows too large.
func Refuses(e Expr) bool {
	refuses := false
	Walk(e, func(p Expr) bool {
		if c, ok := p.(*Call); ok && adding[c.Op] && allNumbers(c.Args) {
			return true
		}
		alone := MapParts(p, func(part Expr) Expr { return &Col{Typ: part.Type()} })
		if c, ok := p.(*Call); ok { // constants tell what a call does
			args := append([]Expr{}, c.Args...)
			for i, a := range args {
				if _, isConst := a.(*Const); !isConst {
					args[i] = &Col{Typ: a.Type()}
				}
			}
			alone = withChildren(c, args)
		}
		refuses = refuses || MayFail(alone)
		return !refuses
	})
	return refuses
}

// MayFail reports whether evaluating e can raise an error for some row: a cast
// that reads text or narrows, a division by what may be zero, an overflow.
func MayFail(e Expr) bool {
	fails := false
	Walk(e, func(p Expr) bool {
		switch p := p.(type) {
		case *Cast:
			_, widening := value.ImplicitSteps(p.Arg.Type().Kind, p.Typ.Kind)
			fails = fails || !(widening || p.Typ.Kind == value.Text) || p.Typ.Precision > 0
		case *Call:
			f, _ := function.Of(p.Op)
			switch {
			case f.Total, dividesByConstant(p):
			case p.Op == "like", p.Op == "ilike":
				_, constant := p.Args[1].(*Const)
				fails = fails || !constant || len(p.Args) > 2
			case p.Op == "extract" || p.Op == "date_trunc" || p.Op == "date_part":
				_, constant := p.Args[0].(*Const)
				fails = fails || !constant
			default:
				fails = true
			}
		}
		return !fails
	})
	return fails
}
