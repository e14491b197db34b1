package bind

import (
	"strings"
	"unicode/utf8"

	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Params are what $1, $2 … of a query stand for.
type Params struct {
	// Values are texts in the spelling of their types; nil is NULL.
	Values []*string
	// Types are those that are given; where one is missing or Null, the parameter's is found from
	// where it first stands.
	Types []value.Kind
	// Unset lets values be missing: these are NULL, for what only describes the query.
	Unset bool
}

// maxParams bounds the number of a parameter, as PostgreSQL's protocol does.
const maxParams = 65535

// slots are a query's parameters while it is bound.
type slots struct {
	types []value.Kind // found so far; Null where none is
	seen  []bool
	// open are the constants of parameters whose type is still to be found.
	open map[*plan.Const]int
}

// param binds a parameter: a constant of its type, or one whose type is found like an untyped
// literal's.
func (b *binder) param(p *syntax.Param, org plan.Origin) plan.Expr {
	err := value.Errorf("42P02", "there is no parameter $%d", p.Number)
	given := b.ctx.Params
	switch {
	case b.view != "" || b.ctx.View != "":
		b.fail(p.Span, err.WithHint("a view takes no parameters: leave the condition to the queries that read it"))
	case p.Number < 1 || p.Number > maxParams || given == nil || !given.Unset && p.Number > len(given.Values):
		b.fail(p.Span, err.WithHint("give the query a value for it"))
	}
	at := p.Number - 1
	for len(b.slots.types) <= at {
		declared := value.Null
		if n := len(b.slots.types); n < len(given.Types) {
			declared = given.Types[n]
		}
		b.slots.types, b.slots.seen = append(b.slots.types, declared), append(b.slots.seen, false)
	}
	b.slots.seen[at] = true
	c := &plan.Const{Val: value.NullOf(value.Null), Typ: value.Of(value.Null), Org: org}
	if at < len(given.Values) && given.Values[at] != nil {
		if text := *given.Values[at]; !utf8.ValidString(text) || strings.IndexByte(text, 0) >= 0 {
			b.fail(p.Span, value.Errorf("22021", "the value of parameter $%d holds bytes that are not text in UTF-8", p.Number).WithHint(`give bytes as \x and hexadecimal digits`))
		}
		c.Val = value.Value{Kind: value.Null, Str: *given.Values[at]}
	}
	if kind := b.slots.types[at]; kind != value.Null {
		v, err := b.castValue(c.Val, value.Of(kind))
		b.check(p.Span, err)
		return &plan.Const{Val: v, Typ: value.Of(kind), Org: org}
	}
	if b.slots.open == nil {
		b.slots.open = map[*plan.Const]int{}
	}
	b.slots.open[c] = p.Number
	return c
}

// deduce notes the type that a parameter gets where it stands.
func (b *binder) deduce(c *plan.Const, to value.Kind, at syntax.Span) {
	n, open := b.slots.open[c]
	if !open {
		return
	}
	if have := b.slots.types[n-1]; have != value.Null && have != to {
		b.fail(at, value.Errorf("42P08", "inconsistent types deduced for parameter $%d: %s and %s", n, have, to).WithHint("cast it where it first stands: CAST($%d AS %s)", n, to))
	}
	b.slots.types[n-1] = to
}

// detached returns a parameter's value without telling its type: where that does not matter.
func (b *binder) detached(e plan.Expr) plan.Expr {
	if c, is := e.(*plan.Const); is && b.slots.open[c] > 0 {
		copied := *c
		return &copied
	}
	return e
}

// deduced returns the types of all parameters.
func (b *binder) deduced() []value.Kind {
	for i, seen := range b.slots.seen {
		if !seen && b.slots.types[i] == value.Null {
			b.fail(syntax.Span{}, value.Errorf("42P18", "could not determine data type of parameter $%d", i+1).WithHint("number the parameters from 1 on, without gaps"))
		}
		if b.slots.types[i] == value.Null {
			b.slots.types[i] = value.Text
		}
	}
	return b.slots.types
}
