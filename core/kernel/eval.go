package kernel

import (
	"errors"
	"fmt"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// Program is an expression made ready to run over batches of a fixed layout.
type Program struct {
	kind value.Kind
	run  node
}

// setting is what expressions are compiled in.
type setting struct {
	layout   map[plan.ID]int
	room     Room
	planning bool // room is asked for what may be needed, and not for what is alone
}

// node evaluates one expression over a batch.
type node interface {
	eval(b Batch) (vector, error)
}

// Compile readies an expression whose columns lie at the given positions of
// the batches.
func Compile(e plan.Expr, layout map[plan.ID]int) (*Program, error) {
	return CompileWithin(e, layout, nil)
}

// CompileWithin is Compile of an expression whose functions ask for room.
func CompileWithin(e plan.Expr, layout map[plan.ID]int, room Room) (*Program, error) {
	n, err := compile(e, setting{layout: layout, room: room})
	if err != nil {
		return nil, err
	}
	return &Program{kind: e.Type().Kind, run: n}, nil
}

// Eval returns the expression's value for every row of b.
func (p *Program) Eval(b Batch) (arrow.Array, error) {
	v, err := p.run.eval(b)
	if err != nil {
		return nil, err
	}
	return v.expand(p.kind, b.Len), nil
}

// Select returns the rows of b for which every condition is true. Later
// conditions see only the rows that earlier ones let through.
func Select(b Batch, conds []*Program) (Batch, error) {
	for _, c := range conds {
		if b.Len == 0 {
			return b, nil
		}
		v, err := c.run.eval(b)
		if err != nil {
			return Batch{}, err
		}
		keep := v.arr.(*array.Boolean)
		if v.stride == 0 {
			if keep.IsNull(0) || !keep.Value(0) {
				return b.Slice(0, 0), nil
			}
			continue
		}
		rows := make([]int32, 0, b.Len)
		for i := range b.Len {
			if !keep.IsNull(i) && keep.Value(i) {
				rows = append(rows, int32(i))
			}
		}
		if len(rows) < b.Len {
			b = b.Take(rows)
		}
	}
	return b, nil
}

func compile(e plan.Expr, in setting) (node, error) {
	switch e := e.(type) {
	case *plan.Col:
		i, ok := in.layout[e.ID]
		if !ok {
			return nil, fmt.Errorf("column %s#%d is not there to compute with", e.Name, e.ID)
		}
		return columnNode(i), nil
	case *plan.Const:
		return constNode{vector{arr: value.Repeat(e.Val, 1)}}, nil
	case *plan.Cast:
		return compileCast(e, in)
	case *plan.Case:
		return compileCase(e, in)
	case *plan.Call:
		return compileCall(e, in)
	}
	return nil, fmt.Errorf("no way to compute %T", e)
}

func compileAll(exprs []plan.Expr, in setting) ([]node, error) {
	out := make([]node, len(exprs))
	for i, e := range exprs {
		n, err := compile(e, in)
		if err != nil {
			return nil, err
		}
		out[i] = n
	}
	return out, nil
}

type columnNode int

func (c columnNode) eval(b Batch) (vector, error) { return vector{b.Cols[c], 1}, nil }

type constNode struct{ v vector }

func (c constNode) eval(Batch) (vector, error) { return c.v, nil }

// placed gives errors of e's evaluation their place in the text.
func placed(e plan.Expr, err error) error {
	if ve, ok := err.(*value.Error); ok && e.Origin().Known() {
		o := e.Origin()
		return ve.At(o.View, o.Start, o.End)
	}
	return err
}

type callNode struct {
	f    *Func
	args []node
	expr plan.Expr
	setting
}

func (c callNode) eval(b Batch) (vector, error) {
	args := make([]vector, len(c.args))
	constant := true
	for i, a := range c.args {
		v, err := a.eval(b)
		if err != nil {
			return vector{}, err
		}
		args[i] = v
		constant = constant && v.stride == 0
	}
	n, stride := b.Len, 1
	if constant {
		n, stride = min(1, b.Len), 0
		if n == 0 {
			return vector{arr: value.NewBuilder(c.f.Result).NewArray(), stride: 1}, nil
		}
	}
	eval := c.f.eval
	if most := growths[c.f.Name]; most != nil {
		eval = func(_ value.Kind, args []vector, n int) (arrow.Array, error) { return c.grow(most, args, n) }
	} else if rows := portion(args, n); rows < n {
		eval = func(_ value.Kind, args []vector, n int) (arrow.Array, error) { return c.inPortions(rows, args, n) }
	}
	arr, err := eval(c.f.Result, args, n)
	if err != nil {
		return vector{}, placed(c.expr, err)
	}
	return vector{arr, stride}, nil
}

func kindsOf(exprs []plan.Expr) []value.Kind {
	out := make([]value.Kind, len(exprs))
	for i, e := range exprs {
		out[i] = e.Type().Kind
	}
	return out
}

func compileCall(e *plan.Call, in setting) (node, error) {
	args, err := compileAll(e.Args, in)
	if err != nil {
		return nil, err
	}
	switch e.Op {
	case "and", "or":
		return logicNode{args, e.Op == "or", usesOf(e, in)}, nil
	case "is null", "is not null":
		return nullTest{args[0], e.Op == "is null"}, nil
	case "is true", "is not true", "is false", "is not false":
		return boolTest{args[0], e.Op == "is true" || e.Op == "is not true", e.Op == "is not true" || e.Op == "is not false"}, nil
	case "coalesce":
		return firstNode{args, e.Typ.Kind, usesOf(e, in)}, nil
	case "greatest", "least":
		return extremeNode{args, e.Typ.Kind, e.Op == "greatest"}, nil
	case "concat":
		return concatNode{args}, nil
	case "concat_ws":
		return separatedNode{args}, nil
	case "in":
		return compileIn(e, args, usesOf(e, in))
	case "is distinct from", "is not distinct from":
		return distinctNode{args[0], args[1], e.Op == "is distinct from"}, nil
	case "like", "ilike":
		if n, ok, err := compileLike(e, args); ok || err != nil {
			return n, placed(e, err)
		}
	}
	f := exactly(e.Op, kindsOf(e.Args))
	if f == nil {
		return nil, noSuchFunction(e.Op, kindsOf(e.Args))
	}
	return callNode{f, args, e, in}, nil
}

// exactly returns the overload for these kinds, fixed or polymorphic.
func exactly(name string, kinds []value.Kind) *Func {
	if f := lookup(name, kinds); f != nil {
		return f
	}
	if f := polymorphicOverload(name, kinds); f != nil {
		return f
	}
	if facts, _ := function.Of(name); facts.Quantifier != function.One && len(kinds) == 2 && kinds[1].IsArray() {
		if f := exactly(facts.Of, []value.Kind{kinds[0], kinds[1].Elem()}); f != nil {
			return quantified(f, facts.Quantifier == function.All, kinds[1])
		}
	}
	return nil
}

// compileLike readies the pattern once where it is a constant.
func compileLike(e *plan.Call, args []node) (node, bool, error) {
	escape := `\`
	if len(e.Args) == 3 {
		c, ok := e.Args[2].(*plan.Const)
		if !ok || c.Val.IsNull {
			return nil, false, nil
		}
		escape = c.Val.Str
	}
	pattern, ok := e.Args[1].(*plan.Const)
	if !ok || pattern.Val.IsNull || pattern.Typ.Kind == value.Bytea {
		return nil, false, nil
	}
	fold := func(s string) string { return s }
	if e.Op == "ilike" {
		fold = lower
	}
	match, err := likeMatcher(fold(pattern.Val.Str), escape)
	if errors.Is(err, errLikeEscape) {
		return nil, false, nil // an error for the strings that reach the escape
	}
	if err != nil {
		return nil, false, err
	}
	f := &Func{Result: value.Bool, eval: func(_ value.Kind, args []vector, n int) (arrow.Array, error) {
		x, out := cellsOf[string](args[0]), sinkOf[bool](value.Bool, n)
		for i := range n {
			if x.null(i) {
				out.AppendNull()
			} else {
				out.Append(match(fold(x.at(i))))
			}
		}
		return out.NewArray(), nil
	}}
	return callNode{f: f, args: args[:1], expr: e}, true, nil
}

func compileCast(e *plan.Cast, in setting) (node, error) {
	arg, err := compile(e.Arg, in)
	if err != nil {
		return nil, err
	}
	from := e.Arg.Type().Kind
	if from != e.Typ.Kind {
		f := castFunc(from, e.Typ.Kind)
		if f == nil {
			return nil, value.Errorf("42846", "cannot cast type %s to %s", from, e.Typ.Kind)
		}
		arg = callNode{f: f, args: []node{arg}, expr: e}
	}
	if e.Typ.Kind == value.Numeric && e.Typ.Precision > 0 {
		f := &Func{Result: value.Numeric, eval: func(_ value.Kind, args []vector, n int) (arrow.Array, error) {
			return fitDecimals(args[0], e.Typ, n)
		}}
		arg = callNode{f: f, args: []node{arg}, expr: e}
	}
	if e.Typ.Kind == value.Char && e.Typ.Precision > 0 {
		f := boxed("char", []value.Kind{value.Char}, value.Char, true, func(a []value.Value) (value.Value, error) {
			return value.Value{Kind: value.Char, Str: value.Padded(a[0].Str, e.Typ.Precision)}, nil
		})
		arg = callNode{f: f, args: []node{arg}, expr: e}
	}
	return arg, nil
}
