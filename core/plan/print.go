package plan

import (
	"fmt"
	"strings"

	"rovik/core/function"
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
		on := n.On
		if n.Test != nil {
			on = append(on[:len(on):len(on)], n.Test)
		}
		label := n.Kind.String() + " on " + texts(on, " AND ")
		if n.Mark != nil {
			label += fmt.Sprintf(" AS %s#%d", n.Mark.Name, n.Mark.ID)
		}
		return label
	case *Aggregate:
		aggs := make([]string, len(n.Aggs))
		for i, a := range n.Aggs {
			aggs[i] = fmt.Sprintf("%s AS %s#%d", AggText(a.Agg), a.Name, a.ID)
		}
		sets := ""
		for _, set := range n.Sets {
			sets += fmt.Sprint(set)
		}
		return "aggregate [" + itemTexts(n.Groups) + "]" + sets + " " + strings.Join(aggs, ", ")
	case *Window:
		items := make([]string, len(n.Items))
		for i, it := range n.Items {
			items[i] = fmt.Sprintf("%s AS %s#%d", WindowText(it.WindowCall), it.Name, it.ID)
		}
		return "window " + strings.Join(items, ", ")
	case *Unnest:
		calls := make([]string, len(n.Calls))
		for i, c := range n.Calls {
			calls[i] = c.Func + "(" + texts(c.Args, ", ") + ")"
		}
		return "unnest " + strings.Join(calls, ", ")
	case *SetOp:
		return setOpText(n)
	case *Recursive:
		return fmt.Sprintf("recursion %d", n.Work)
	case *WorkTable:
		return fmt.Sprintf("last round of recursion %d", n.Work)
	case *Distinct:
		if len(n.On) > 0 {
			return "distinct on " + texts(n.On, ", ")
		}
		return "distinct"
	case *Sort:
		return "sort " + keyTexts(n.Keys)
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
		if len(n.Rows) == 1 {
			return "values 1 row"
		}
		return fmt.Sprintf("values %d rows", len(n.Rows))
	case *Remote:
		return fmt.Sprintf("statement s%d at %s", n.Statement, n.Source)
	}
	return fmt.Sprintf("%T", n)
}

func setOpText(n *SetOp) string {
	s := "intersect"
	if n.Except {
		s = "except"
	}
	if n.All {
		s += " all"
	}
	return s
}

func keyTexts(list []SortKey) string {
	keys := make([]string, len(list))
	for i, k := range list {
		keys[i] = Text(k.Expr)
		if k.Desc {
			keys[i] += " DESC"
		}
		if k.NullsFirst != k.Desc {
			keys[i] += map[bool]string{true: " NULLS FIRST", false: " NULLS LAST"}[k.NullsFirst]
		}
	}
	return strings.Join(keys, ", ")
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
	args := texts(a.Args, ", ")
	switch {
	case len(a.Args) == 0 && len(a.Order) == 0:
		args = "*"
	case a.Distinct:
		args = "DISTINCT " + args
	}
	within := function.OrderedSet(a.Func)
	if len(a.Order) > 0 && !within {
		args += " ORDER BY " + keyTexts(a.Order)
	}
	out := a.Func + "(" + args + ")"
	if within {
		out = a.Func + "(" + texts(a.Args, ", ") + ") WITHIN GROUP (ORDER BY " + keyTexts(a.Order) + ")"
	}
	if a.Filter != nil {
		out += " FILTER (WHERE " + Text(a.Filter) + ")"
	}
	return out
}

// WindowText writes a window function.
func WindowText(w WindowCall) string {
	args := texts(w.Args, ", ")
	if w.Func == "count" && len(w.Args) == 0 {
		args = "*"
	}
	out := w.Func + "(" + args + ")"
	if w.Filter != nil {
		out += " FILTER (WHERE " + Text(w.Filter) + ")"
	}
	var over []string
	if len(w.Partition) > 0 {
		over = append(over, "PARTITION BY "+texts(w.Partition, ", "))
	}
	if len(w.Order) > 0 {
		over = append(over, "ORDER BY "+keyTexts(w.Order))
	}
	if !w.Frame.IsDefault() {
		over = append(over, w.Frame.Text(Text))
	}
	return out + " OVER (" + strings.Join(over, " ") + ")"
}

// Text writes a frame as SQL; value writes its offsets.
func (f Frame) Text(value func(Expr) string) string {
	bound := func(b Bound) string {
		switch b.Kind {
		case UnboundedPreceding:
			return "UNBOUNDED PRECEDING"
		case Preceding:
			return value(b.Offset) + " PRECEDING"
		case CurrentRow:
			return "CURRENT ROW"
		case Following:
			return value(b.Offset) + " FOLLOWING"
		}
		return "UNBOUNDED FOLLOWING"
	}
	return f.Mode.String() + " BETWEEN " + bound(f.Start) + " AND " + bound(f.End) +
		[...]string{"", " EXCLUDE CURRENT ROW", " EXCLUDE GROUP", " EXCLUDE TIES"}[f.Exclude]
}

// Text writes an expression for people; columns show their name.
func Text(e Expr) string {
	switch e := e.(type) {
	case *Col:
		return e.Name
	case *Const:
		return Literal(e.Val)
	case *ShippedKeys:
		return "keys of the other side"
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
		return callText(e)
	}
	return fmt.Sprintf("%T", e)
}

func callText(e *Call) string {
	f, _ := function.Of(e.Op)
	args := make([]string, len(e.Args))
	for i, a := range e.Args {
		args[i] = Text(a)
		if c, ok := a.(*Call); ok && c.Op != e.Op {
			if inner, _ := function.Of(c.Op); inner.Written == function.Infix {
				args[i] = "(" + args[i] + ")"
			}
		}
	}
	word := strings.ToUpper(e.Op)
	switch {
	case f.Quantifier != function.One:
		return args[0] + " " + strings.ToUpper(f.Of) + strings.ToUpper(strings.TrimPrefix(e.Op, f.Of)) + " (" + args[1] + ")"
	case f.Written == function.Infix && len(args) >= 2:
		return strings.Join(args[:2], " "+word+" ") + restOf(e.Op, args)
	case f.Written == function.Suffix:
		return args[0] + " " + word
	case e.Op == "not":
		return "NOT " + args[0]
	case f.Written == function.Prefix:
		return map[string]string{"neg": "-", "bitnot": "~"}[e.Op] + args[0]
	case e.Op == "in":
		return args[0] + " IN (" + strings.Join(args[1:], ", ") + ")"
	}
	return e.Op + "(" + strings.Join(args, ", ") + ")"
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
	case value.Text, value.Char:
		return "'" + strings.ReplaceAll(v.Str, "'", "''") + "'"
	case value.Date, value.Timestamp, value.TimestampTZ, value.Interval:
		return v.Kind.String() + " '" + v.String() + "'"
	case value.Bool, value.Int2, value.Int4, value.Int8, value.Numeric, value.Float8:
		return v.String()
	}
	return "'" + strings.ReplaceAll(v.String(), "'", "''") + "'::" + v.Kind.String()
}
