package bind

import (
	"strings"

	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// recordFunctions make rows of JSON, whose columns the query defines.
var recordFunctions = map[string]bool{"json_to_record": true, "jsonb_to_record": true, "json_to_recordset": true, "jsonb_to_recordset": true}

// records binds a function in FROM whose columns are defined behind it: rows of the elements
// of an array, or one of an object, with the members by the names of the columns.
func (x *exprBinder) records(t *syntax.TableFunc) (plan.Node, []plan.Column) {
	b := x.b
	f, isCall := t.Funcs[0].(*syntax.Func)
	if !isCall || len(t.Funcs) > 1 || !recordFunctions[f.Name] {
		b.fail(t.Funcs[0].At(), value.Errorf("42601", "a column definition list is only allowed for functions returning \"record\"").WithHint("as json_to_recordset(…) AS t(a integer, b text)"))
	}
	if len(f.Args) != 1 {
		b.fail(f.Span, value.Errorf(value.CodeUndefinedFunc, "%s takes one argument", f.Name))
	}
	kind := value.JSON
	if strings.HasPrefix(f.Name, "jsonb") {
		kind = value.JSONB
	}
	org := b.origin(f.Span)
	var input plan.Node
	var document plan.Expr
	if strings.HasSuffix(f.Name, "set") {
		call := x.setCall(&syntax.Func{Span: f.Span, Name: kind.String() + "_array_elements", Args: f.Args})
		input = &plan.Unnest{Input: x.subs.attach(oneRow()), Calls: []plan.SetCall{call}, Org: org}
		document = call.Cols[0].Ref()
	} else {
		document = b.coerce(x.bind(f.Args[0]), value.Of(kind), f.Args[0].At())
		input = x.subs.attach(oneRow())
	}
	record := &plan.Call{Op: "record of " + kind.String(), Args: []plan.Expr{document}, Typ: value.Of(kind), Org: org}
	var items []plan.Item
	for _, d := range t.Defs {
		to := x.definedType(d.Type)
		key := textConst(d.Name)
		var member plan.Expr = &plan.Call{Op: "->>", Args: []plan.Expr{record, key}, Typ: value.Of(value.Text), Org: org}
		if to.Kind == value.JSON || to.Kind == value.JSONB {
			missing := &plan.Call{Op: "is null", Args: []plan.Expr{member}, Typ: value.Of(value.Bool), Org: org}
			whole := plan.Expr(&plan.Call{Op: "->", Args: []plan.Expr{record, key}, Typ: value.Of(kind), Org: org})
			if to.Kind != kind {
				whole = &plan.Cast{Arg: whole, Typ: to, Org: org}
			}
			member = &plan.Case{Whens: []plan.When{{Cond: missing, Result: &plan.Const{Val: value.NullOf(to.Kind), Typ: to, Org: org}}}, Else: whole, Typ: to, Org: org}
		} else if to.Kind != value.Text {
			member = &plan.Cast{Arg: member, Typ: to, Org: org}
		}
		items = append(items, plan.Item{Column: plan.Column{ID: b.ids.Next(), Name: d.Name, Type: to}, Expr: member})
	}
	return &plan.Project{Input: input, Items: items}, plan.Columns(items)
}

// definedType is the type of a defined column.
func (x *exprBinder) definedType(t *syntax.Cast) value.Type {
	typed := *t
	typed.Expr = &syntax.Literal{Span: t.Span} // NULL
	to := x.cast(&typed, x.b.origin(t.Span)).Type()
	if to.Kind.IsArray() {
		x.b.fail(t.Span, value.Errorf(value.CodeUnsupported, "an array among defined columns is not supported").WithHint("define it as %s, and take it apart", value.JSONB))
	}
	if len(t.Mods) > 0 && to.Kind != value.Numeric {
		x.b.fail(t.Span, value.Errorf(value.CodeUnsupported, "a length of a defined column is not supported").WithHint("define it as text, and cast it"))
	}
	return to
}
