package bind

import (
	"strings"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// takesRows are the functions that take whole rows, with the kind that these become.
var takesRows = map[string]value.Kind{
	"to_json": value.JSON, "row_to_json": value.JSON, "json_agg": value.JSON, "json_build_array": value.JSON, "json_build_object": value.JSON, "json_object_agg": value.JSON,
	"to_jsonb": value.JSONB, "jsonb_agg": value.JSONB, "jsonb_build_array": value.JSONB, "jsonb_build_object": value.JSONB, "jsonb_object_agg": value.JSONB,
}

// bindArgs binds the arguments of a call. A row among those of a function that takes rows
// is a JSON object of its columns.
func (x *exprBinder) bindArgs(f *syntax.Func) []plan.Expr {
	kind, takes := takesRows[f.Name]
	out := make([]plan.Expr, len(f.Args))
	for i, a := range pathText(f.Name, f.Args) {
		if takes {
			if e := x.rowAsJSON(a, kind); e != nil {
				out[i] = e
				continue
			}
		}
		out[i] = x.bind(a)
	}
	return out
}

// rowAsJSON is the JSON of a row: of ROW (…), or of a relation of FROM by its name. It is
// nil for another expression.
func (x *exprBinder) rowAsJSON(e syntax.Expr, kind value.Kind) plan.Expr {
	b := x.b
	org := b.origin(e.At())
	switch e := e.(type) {
	case *syntax.Row:
		call := &plan.Call{Op: opRow(kind), Typ: value.Of(kind), Org: org}
		for i, item := range e.Items {
			v := x.rowAsJSON(item, kind)
			if v == nil {
				v = b.settle(x.bind(item))
			}
			call.Args = append(call.Args, textConst("f"+value.IntOf(value.Int8, int64(i+1)).String()), v)
		}
		return call
	case *syntax.Star:
		if len(e.Table) == 0 {
			return nil
		}
		return x.relationAsJSON(e.Table, kind, e.Span)
	case *syntax.Column:
		return x.relationAsJSON(e.Parts, kind, e.Span)
	}
	return nil
}

// isRow reports whether an expression is a whole row.
func (x *exprBinder) isRow(e syntax.Expr) bool {
	switch e := e.(type) {
	case *syntax.Row:
		return true
	case *syntax.Star:
		return len(e.Table) > 0
	case *syntax.Column:
		return x.relationNamed(e.Parts) != nil
	}
	return false
}

// opRow names the function that makes the JSON of a row.
func opRow(kind value.Kind) string { return "row to " + kind.String() }

func textConst(s string) plan.Expr {
	return &plan.Const{Val: value.TextOf(s), Typ: value.Of(value.Text)}
}

// relationAsJSON is the JSON of a relation's row; nil where the name is that of a column.
func (x *exprBinder) relationAsJSON(parts []string, kind value.Kind, at syntax.Span) plan.Expr {
	r := x.relationNamed(parts)
	if r == nil {
		return nil
	}
	call := &plan.Call{Op: opRow(kind), Typ: value.Of(kind), Org: x.b.origin(at)}
	for _, c := range r.cols {
		ref := c.Ref()
		ref.Org = call.Org
		call.Args = append(call.Args, textConst(c.Name), ref)
	}
	missing := x.rowMissing(r, at)
	if missing == nil {
		return call
	}
	null := &plan.Const{Val: value.NullOf(kind), Typ: value.Of(kind), Org: call.Org}
	return &plan.Case{Whens: []plan.When{{Cond: missing, Result: null}}, Else: call, Typ: value.Of(kind), Org: call.Org}
}

// relationNamed finds the relation that a name means where no column has it.
func (x *exprBinder) relationNamed(parts []string) *relation {
	for s := x.scope; s != nil; s = s.outer {
		if len(s.find(parts[len(parts)-1], parts[:len(parts)-1])) > 0 {
			return nil
		}
		for i := range s.relations {
			if r := &s.relations[i]; r.answers(parts) && !r.merged {
				return r
			}
		}
	}
	return nil
}

// rowMissing is true where a row of an outer join's other side has no partner, whose row is
// NULL; nil for a relation that is never missing.
func (x *exprBinder) rowMissing(r *relation, at syntax.Span) plan.Expr {
	if !r.padded {
		return nil
	}
	if r.scan != nil {
		for i, c := range r.scan.Table.Columns {
			if !c.Nullable && i < len(r.cols) && r.cols[i].Name == c.Name {
				return &plan.Call{Op: "is null", Args: []plan.Expr{r.cols[i].Ref()}, Typ: value.Of(value.Bool), Org: x.b.origin(at)}
			}
		}
	}
	x.b.fail(at, value.Errorf(value.CodeUnsupported, "the row of %s may be missing in an outer join, and no column tells", r.name).
		WithHint("name the columns that are wanted, as json_build_object('a', %s.a)", r.name))
	return nil
}

// countRows binds count of a whole row: of all rows, or of those that an outer join has.
func (x *exprBinder) countRows(f *syntax.Func) *syntax.Func {
	if f.Name != "count" || len(f.Args) != 1 || f.Distinct {
		return f
	}
	col, ok := f.Args[0].(*syntax.Column)
	if !ok {
		return f
	}
	r := x.relationNamed(col.Parts)
	if r == nil {
		return f
	}
	out := *f
	if missing := x.rowMissing(r, col.Span); missing != nil {
		key := missing.(*plan.Call).Args[0].(*plan.Col)
		for _, c := range r.cols {
			if c.ID == key.ID {
				out.Args = []syntax.Expr{&syntax.Column{Span: col.Span, Parts: append(append([]string{}, col.Parts...), c.Name)}}
			}
		}
		return &out
	}
	out.Args, out.Star = nil, true
	return &out
}

// arranged puts arguments that are given by name in their places, with the defaults of those
// that are missing.
func (b *binder) arranged(f *syntax.Func) *syntax.Func {
	if len(f.Names) == 0 {
		return f
	}
	params := function.Parameters(f.Name)
	if params == nil {
		b.fail(f.Span, value.Errorf(value.CodeUnsupported, "arguments of %s are not given by name", f.Name).WithHint("give them in their order"))
	}
	out := *f
	out.Names, out.Args = nil, make([]syntax.Expr, len(params))
	for i, a := range f.Args {
		name := f.Names[i]
		at := i
		if name == "" && i > 0 && f.Names[i-1] != "" {
			b.fail(a.At(), value.Errorf(value.CodeSyntax, "positional argument cannot follow named argument"))
		}
		if name != "" {
			for at = 0; at < len(params) && params[at].Name != name; at++ {
			}
		}
		if at >= len(params) {
			b.fail(a.At(), value.Errorf(value.CodeUndefinedFunc, "function %s has no parameter %q", f.Name, name).WithHint("there is %s", parameterNames(params)))
		}
		if out.Args[at] != nil {
			b.fail(a.At(), value.Errorf(value.CodeSyntax, "argument name %q used more than once", name))
		}
		out.Args[at] = a
	}
	for i, p := range params {
		if out.Args[i] != nil {
			continue
		}
		lit := &syntax.Literal{Span: f.Span, Kind: syntax.LiteralInt, Text: p.Default}
		switch p.Default {
		case "":
			b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "%s takes %s too", f.Name, p.Name))
		case "true", "false":
			lit.Kind = syntax.LiteralBool
		}
		if text, is := strings.CutPrefix(p.Default, "'"); is {
			lit.Kind, lit.Text = syntax.LiteralText, text
		}
		out.Args[i] = lit
	}
	return &out
}

func parameterNames(params []function.Parameter) string {
	var names []string
	for _, p := range params {
		names = append(names, p.Name)
	}
	return strings.Join(names, ", ")
}
