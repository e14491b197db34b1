package plan

import (
	"fmt"
	"strings"

	"rovik/core/value"
)

// Print writes a plan as an indented tree, for traces and tests.
func Print(n Node) string {
	var b strings.Builder
	printNode(&b, n, 0)
	return b.String()
}

func printNode(b *strings.Builder, n Node, depth int) {
	b.WriteString(strings.Repeat("  ", depth))
	b.WriteString(Label(n))
	b.WriteByte('\n')
	for _, in := range n.Inputs() {
		printNode(b, in, depth+1)
	}
}

// Label describes an operator in one line.
func Label(n Node) string {
	switch n := n.(type) {
	case *Scan:
		names := make([]string, len(n.Cols))
		for i, c := range n.Cols {
			names[i] = fmt.Sprintf("%s#%d", c.Name, c.ID)
		}
		return "scan " + n.Table.FullName() + " (" + strings.Join(names, ", ") + ")"
	case *Filter:
		return "filter " + texts(n.Conds, " AND ")
	case *Project:
		return "project " + itemTexts(n.Items)
	case *Join:
		return n.Kind.String() + " on " + texts(n.On, " AND ")
	case *Aggregate:
		aggs := make([]string, len(n.Aggs))
		for i, a := range n.Aggs {
			aggs[i] = fmt.Sprintf("%s AS %s#%d", AggText(a.Agg), a.Name, a.ID)
		}
		return "aggregate [" + itemTexts(n.Groups) + "] " + strings.Join(aggs, ", ")
	case *Distinct:
		return "distinct"
	case *Sort:
		keys := make([]string, len(n.Keys))
		for i, k := range n.Keys {
			keys[i] = Text(k.Expr)
			if k.Desc {
				keys[i] += " DESC"
			}
			if k.NullsFirst != k.Desc {
				keys[i] += map[bool]string{true: " NULLS FIRST", false: " NULLS LAST"}[k.NullsFirst]
			}
		}
		return "sort " + strings.Join(keys, ", ")
	case *Limit:
		if n.Count < 0 {
			return fmt.Sprintf("offset %d", n.Offset)
		}
		if n.Offset == 0 {
			return fmt.Sprintf("limit %d", n.Count)
		}
		return fmt.Sprintf("limit %d offset %d", n.Count, n.Offset)
	case *Union:
		return "union all"
	case *Values:
		return fmt.Sprintf("values %d rows", len(n.Rows))
	case *Remote:
		return fmt.Sprintf("statement s%d at %s", n.Statement, n.Source)
	}
	return fmt.Sprintf("%T", n)
}

func itemTexts(items []Item) string {
	out := make([]string, len(items))
	for i, it := range items {
		if c, ok := it.Expr.(*Col); ok && c.ID == it.ID {
			out[i] = fmt.Sprintf("%s#%d", it.Name, it.ID)
		} else {
			out[i] = fmt.Sprintf("%s AS %s#%d", Text(it.Expr), it.Name, it.ID)
		}
	}
	return strings.Join(out, ", ")
}

func texts(exprs []Expr, sep string) string {
	out := make([]string, len(exprs))
	for i, e := range exprs {
		out[i] = Text(e)
	}
	return strings.Join(out, sep)
}

// AggText writes an aggregate call.
func AggText(a Agg) string {
	switch {
	case a.Arg == nil:
		return a.Func + "(*)"
	case a.Distinct:
		return a.Func + "(DISTINCT " + Text(a.Arg) + ")"
	}
	return a.Func + "(" + Text(a.Arg) + ")"
}

var infix = map[string]bool{
	"+": true, "-": true, "*": true, "/": true, "%": true, "||": true,
	"=": true, "<>": true, "<": true, "<=": true, ">": true, ">=": true,
	"and": true, "or": true, "like": true, "ilike": true,
	"is distinct from": true, "is not distinct from": true,
}

// Text writes an expression for people; columns show their name.
func Text(e Expr) string {
	switch e := e.(type) {
	case *Col:
		return e.Name
	case *Const:
		return Literal(e.Val)
	case *Cast:
		return "CAST(" + Text(e.Arg) + " AS " + e.Typ.String() + ")"
	case *Case:
		var b strings.Builder
		b.WriteString("CASE")
		for _, w := range e.Whens {
			b.WriteString(" WHEN " + Text(w.Cond) + " THEN " + Text(w.Result))
		}
		return b.String() + " ELSE " + Text(e.Else) + " END"
	case *Call:
		args := make([]string, len(e.Args))
		for i, a := range e.Args {
			args[i] = Text(a)
			if c, ok := a.(*Call); ok && infix[c.Op] && c.Op != e.Op {
				args[i] = "(" + args[i] + ")"
			}
		}
		switch {
		case infix[e.Op] && len(args) >= 2:
			return strings.Join(args[:2], " "+strings.ToUpper(e.Op)+" ") + restOf(e.Op, args)
		case strings.HasPrefix(e.Op, "is "):
			return args[0] + " " + strings.ToUpper(e.Op)
		case e.Op == "not":
			return "NOT " + args[0]
		case e.Op == "neg":
			return "-" + args[0]
		case e.Op == "in":
			return args[0] + " IN (" + strings.Join(args[1:], ", ") + ")"
		}
		return e.Op + "(" + strings.Join(args, ", ") + ")"
	}
	return fmt.Sprintf("%T", e)
}

func restOf(op string, args []string) string {
	if len(args) == 2 {
		return ""
	}
	if op == "like" || op == "ilike" {
		return " ESCAPE " + args[2]
	}
	sep := " " + strings.ToUpper(op) + " "
	return sep + strings.Join(args[2:], sep)
}

// Literal writes a constant as SQL.
func Literal(v value.Value) string {
	if v.IsNull {
		return "NULL"
	}
	switch v.Kind {
	case value.Text:
		return "'" + strings.ReplaceAll(v.Str, "'", "''") + "'"
	case value.Date, value.Timestamp, value.TimestampTZ, value.Interval:
		return v.Kind.String() + " '" + v.String() + "'"
	}
	return v.String()
}
