package sqldb

import (
	"fmt"
	"maps"
	"strings"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// Printer writes one statement.
type Printer struct {
	Source  *Source
	aliases map[string]int
	cols    map[plan.ID]Rope
	// collations are those of the plain text columns that are scanned.
	collations map[plan.ID]string
}

// SameCollation reports whether the text columns among operands, beside
// constants, compare by one collation of their own, of which holds must say that
// it is one that a constant can be compared by. Expressions may not.
func (p *Printer) SameCollation(operands []plan.Expr, holds func(collation string) bool) bool {
	name := ""
	for _, e := range operands {
		switch e := e.(type) {
		case *plan.Const, *plan.ShippedKeys:
		case *plan.Col:
			c, ok := p.collations[e.ID]
			if !ok || name != "" && c != name || !holds(c) {
				return false
			}
			name = c
		default:
			return false
		}
	}
	return true
}

// Expr writes an expression over the columns of the block at hand.
func (p *Printer) Expr(e plan.Expr) Rope {
	switch e := e.(type) {
	case *plan.Col:
		r, ok := p.cols[e.ID]
		if !ok {
			panic(fmt.Sprintf("sqldb: column %s#%d is not in reach of its statement", e.Name, e.ID))
		}
		return r
	case *plan.ShippedKeys:
		return Keys()
	case *plan.Const:
		return p.constant(e)
	case *plan.Cast:
		w, _ := p.Source.Dialect.Cast(p.Source, e)
		return w(p, e)
	case *plan.Case:
		out := []Rope{Text("CASE")}
		for _, w := range e.Whens {
			out = append(out, Text(" WHEN "), p.Expr(w.Cond), Text(" THEN "), p.Expr(w.Result))
		}
		return Join(append(out, Text(" ELSE "), p.Expr(e.Else), Text(" END")), "")
	case *plan.Call:
		return p.Source.Dialect.Calls[e.Op].Write(p, e)
	}
	panic(fmt.Sprintf("sqldb: no way to write %T", e))
}

// constant writes a constant as a parameter; NULL and booleans, which
// carry nothing that could be taken for SQL, stand in the text.
func (p *Printer) constant(e *plan.Const) Rope {
	switch {
	case e.Val.IsNull:
		if p.Source.Dialect.Null != nil {
			return Text(p.Source.Dialect.Null(e.Typ))
		}
		return Text("NULL")
	case e.Val.Kind == value.Bool:
		return Text(strings.ToUpper(value.FormatBool(e.Val.Int != 0)))
	}
	return Param(e.Val)
}

// Exprs writes expressions.
func (p *Printer) Exprs(exprs []plan.Expr) []Rope {
	out := make([]Rope, len(exprs))
	for i, e := range exprs {
		out[i] = p.Expr(e)
	}
	return out
}

// Operand writes an expression as an operand, in parentheses where it is not
// plainly one.
func (p *Printer) Operand(e plan.Expr) Rope {
	r := p.Expr(e)
	if c, ok := e.(*plan.Call); ok {
		if f, _ := function.Of(c.Op); f.Written != function.Call {
			return Text("(").Add(r, Text(")"))
		}
	}
	if c, ok := Const(e); ok && (c.Int < 0 || c.Float < 0 || c.Dec.Sign() < 0) {
		return Text("(").Add(r, Text(")"))
	}
	return r
}

// guards are the columns that conditions beside each other have asked to be valid.
type guards map[string]bool

// condition writes one of several conditions that AND joins. In a comparison
// columns stand as they are stored, so that the source can use an index; that
// their values are valid is a condition beside.
func (p *Printer) condition(e plan.Expr, valid guards) Rope {
	c, ok := e.(*plan.Call)
	switch {
	case !ok:
		return p.Expr(e)
	case c.Op == "or":
		return p.Operand(e)
	case !comparisons[c.Op]:
		return p.Expr(e)
	}
	cols := maps.Clone(p.cols)
	var ask []Rope
	columns := 0
	for _, a := range c.Args {
		col, isCol := a.(*plan.Col)
		if _, isConst := Const(a); isConst {
			continue
		}
		if _, keys := a.(*plan.ShippedKeys); keys {
			continue
		}
		columns++
		if !isCol {
			continue
		}
		if stored, ok := p.cols[col.ID].stored(); ok {
			ask = append(ask, p.cols[col.ID])
			cols[col.ID] = stored
		}
	}
	switch {
	case len(ask) == 0:
		return p.Expr(e)
	case c.Op != "=" && c.Op != "in":
	case len(ask) < max(columns, 2):
		ask = nil // what is equal to a valid value is one
	default:
		ask = ask[:1]
	}
	within := p.cols
	p.cols = cols
	out := p.Expr(e)
	p.cols = within
	for _, r := range ask {
		if !valid[r[0].text] {
			valid[r[0].text] = true
			out = out.Add(Text(" AND "), r, Text(" IS NOT NULL"))
		}
	}
	return out
}

// comparisons are those that are not true for NULL.
var comparisons = map[string]bool{"=": true, "<>": true, "<": true, "<=": true, ">": true, ">=": true, "in": true}

// Compared writes an operand of a comparison, a group or a sort: text so that
// it compares by code point, other kinds as they are. Widening casts between
// numbers change no comparison and are left out.
func (p *Printer) Compared(e plan.Expr) Rope {
	if c, ok := e.(*plan.Cast); ok && c.Arg.Type().Kind.IsInteger() && (c.Typ.Kind.IsInteger() || c.Typ.Kind == value.Numeric) {
		if _, widening := value.ImplicitSteps(c.Arg.Type().Kind, c.Typ.Kind); widening {
			return p.Compared(c.Arg)
		}
	}
	r := p.Operand(e)
	if !e.Type().Kind.IsText() {
		return r
	}
	if _, ok := e.(*plan.Const); ok {
		return r // takes the collation of what it is compared with
	}
	return p.binary(e, r)
}

func (p *Printer) binary(e plan.Expr, r Rope) Rope {
	before, after, _ := p.Source.Dialect.Binary(p.Source, e)
	return Text(before).Add(r, Text(after))
}

// first writes the first operand of a comparison, which names the collation
// where the others are constants too.
func (p *Printer) first(operands []plan.Expr) Rope {
	for _, e := range operands {
		if _, ok := e.(*plan.Const); !ok || !e.Type().Kind.IsText() {
			return p.Compared(operands[0])
		}
	}
	return p.binary(operands[0], p.Expr(operands[0]))
}

// Call writes name(args).
func Call(name string) Writer {
	return func(p *Printer, e plan.Expr) Rope {
		return Text(name+"(").Add(Join(p.Exprs(plan.Children(e)), ", "), Text(")"))
	}
}

// Infix writes a op b …
func Infix(sign string) Writer {
	return func(p *Printer, e plan.Expr) Rope {
		var parts []Rope
		for _, a := range plan.Children(e) {
			parts = append(parts, p.Operand(a))
		}
		return Join(parts, " "+sign+" ")
	}
}

// Compare writes a comparison.
func Compare(sign string) Writer {
	return func(p *Printer, e plan.Expr) Rope {
		parts := plan.Children(e)
		return p.first(parts).Add(Text(" "+sign+" "), p.Compared(parts[1]))
	}
}

// Suffix writes x word.
func Suffix(word string) Writer {
	return func(p *Printer, e plan.Expr) Rope { return p.Operand(plan.Children(e)[0]).Add(Text(" " + word)) }
}

// Prefix writes word x.
func Prefix(word string) Writer {
	return func(p *Printer, e plan.Expr) Rope { return Text(word).Add(p.Operand(plan.Children(e)[0])) }
}

// In writes membership in a list.
func In(p *Printer, e plan.Expr) Rope {
	parts := plan.Children(e)
	var list []Rope
	for _, x := range parts[1:] {
		list = append(list, p.Expr(x))
	}
	return p.first(parts).Add(Text(" IN ("), Join(list, ", "), Text(")"))
}

// Bare writes a cast's argument alone, where the database needs no word for it.
func Bare(p *Printer, e plan.Expr) Rope { return p.Expr(plan.Children(e)[0]) }

// CastAs writes CAST(x AS name).
func CastAs(name string) Writer {
	return func(p *Printer, e plan.Expr) Rope {
		return Text("CAST(").Add(p.Expr(plan.Children(e)[0]), Text(" AS "+name+")"))
	}
}

// Template writes its arguments into a pattern: %1 is the first argument.
func Template(pattern string) Writer {
	return func(p *Printer, e plan.Expr) Rope {
		args := plan.Children(e)
		var out Rope
		rest := pattern
		for {
			before, after, found := strings.Cut(rest, "%")
			out = out.Add(Text(before))
			if !found {
				return out
			}
			out = out.Add(p.Operand(args[after[0]-'1']))
			rest = after[1:]
		}
	}
}

// Common returns the rules that every SQL database shares.
func Common() map[string]Rule {
	rules := map[string]Rule{
		"and":         {Write: Infix("AND")},
		"or":          {Write: Infix("OR")},
		"not":         {Write: Prefix("NOT ")},
		"is null":     {Write: Suffix("IS NULL")},
		"is not null": {Write: Suffix("IS NOT NULL")},
		"coalesce":    {Write: Call("COALESCE")},
		"in":          {Judge: Comparison, Write: In},
	}
	for _, w := range []string{"is true", "is not true", "is false", "is not false"} {
		rules[w] = Rule{Write: Suffix(strings.ToUpper(w))}
	}
	for _, sign := range []string{"=", "<>", "<", "<=", ">", ">="} {
		rules[sign] = Rule{Judge: Comparison, Write: Compare(sign)}
	}
	return rules
}
