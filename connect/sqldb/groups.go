package sqldb

import (
	"strings"

	"rovik/core/fold"
	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

func (p *Printer) aggregate(n *plan.Aggregate, in *block) *block {
	b := *in
	p.cols = in.cols
	b.cols = map[plan.ID]Rope{}
	b.grouped, b.groupOrg = true, n.Org
	b.computed = plan.IDs{}
	keys := make([]Rope, len(n.Groups))
	for i, g := range n.Groups {
		keys[i] = p.grouped(g.Expr)
		_, stored := keys[i].stored()
		if stored {
			keys[i] = Text(keys[i][0].text)
		}
		b.cols[g.ID] = keys[i]
		if _, isCol := g.Expr.(*plan.Col); !isCol || stored || g.Type.Kind.IsText() { // a text is grouped by with its collation
			b.computed[g.ID] = true
		}
		if _, isCast := g.Expr.(*plan.Cast); isCast && !g.Type.Kind.IsText() {
			b.cols[g.ID] = p.Expr(g.Expr) // groups by less than it shows: a widening changes no group
		}
		if _, constant := g.Expr.(*plan.Const); !constant { // grouping by a constant makes no groups; see below
			b.group = append(b.group, keys[i])
		}
	}
	if n.Sets != nil {
		p.groupingSets(n, &b, keys)
	} else if len(n.Groups) > 0 && len(b.group) == 0 {
		// Groups by constants alone give no row for no rows.
		b.having = append(b.having, Text("COUNT(*) > 0"))
	}
	for _, a := range n.Aggs {
		b.cols[a.ID] = marked(fold.KindAggregate, a.Org, p.aggregateCall(a.Agg))
	}
	if len(n.Columns()) == 0 {
		return p.oneRow(&b)
	}
	return &b
}

// grouped writes what is grouped by.
func (p *Printer) grouped(e plan.Expr) Rope {
	if c, isCol := e.(*plan.Col); isCol && p.Source.Dialect.GroupsAsIs != nil && p.Source.Dialect.GroupsAsIs(p.Source, c) {
		return p.Expr(e)
	}
	return p.Compared(e)
}

// oneRow is an aggregation of which nothing is read: that it gives one row.
func (p *Printer) oneRow(b *block) *block {
	count := plan.Column{Name: "n", Type: value.Of(value.Int8)}
	b.cols[count.ID] = Text("COUNT(*)")
	out := p.wrap(b, []plan.Column{count})
	out.cols = map[plan.ID]Rope{}
	return out
}

// groupingSets writes GROUP BY GROUPING SETS, and the set's bits by GROUPING,
// whose last argument has the lowest bit.
func (p *Printer) groupingSets(n *plan.Aggregate, b *block, keys []Rope) {
	var sets []Rope
	for _, set := range n.Sets {
		var members []Rope
		for _, i := range set {
			members = append(members, keys[i])
		}
		sets = append(sets, Text("(").Add(Join(members, ", "), Text(")")))
	}
	b.group = []Rope{Text("GROUPING SETS (").Add(Join(sets, ", "), Text(")"))}
	if n.SetID == nil {
		return
	}
	bits := Text("0")
	if len(keys) > 0 {
		var reversed []Rope
		for i := len(keys) - 1; i >= 0; i-- {
			reversed = append(reversed, keys[i])
		}
		bits = Text("GROUPING(").Add(Join(reversed, ", "), Text(")"))
	}
	b.cols[n.SetID.ID] = Text("CAST(").Add(bits, Text(" AS bigint)"))
}

// aggregateCall writes an aggregate; a FILTER that the database does not know
// goes into the argument, NULL for rows that do not count.
func (p *Printer) aggregateCall(a plan.Agg) Rope {
	compared := a.Distinct || a.Func == "min" || a.Func == "max"
	asText := p.Source.Dialect.AsText
	if !a.Distinct || len(a.Order) == 0 {
		asText = nil
	}
	var args []Rope
	for _, e := range a.Args {
		_, constant := e.(*plan.Const)
		if text := e.Type().Kind.IsText(); text && asText != nil && !constant {
			args = append(args, p.binary(e, asText(p.Operand(e))))
		} else if compared && text { // of other kinds the type counts, as of a widened column's minimum
			args = append(args, p.Compared(e))
		} else {
			args = append(args, p.Expr(e))
		}
	}
	filter := Rope(nil)
	if a.Filter != nil {
		filter = p.Expr(a.Filter)
	}
	if filter != nil && !p.Source.Dialect.FilterClause {
		value := Text("1")
		if len(args) > 0 {
			value = args[0]
		}
		args = []Rope{Text("CASE WHEN ").Add(filter, Text(" THEN "), value, Text(" END"))}
		filter = nil
	}
	list := Join(args, ", ")
	if len(args) == 0 && !function.OrderedSet(a.Func) {
		list = Text("*")
	}
	if a.Distinct {
		list = Text("DISTINCT ").Add(list)
	}
	out := Text(strings.ToUpper(a.Func) + "(").Add(list)
	if len(a.Order) > 0 {
		var keys []Rope
		for _, k := range a.Order {
			key := p.Compared(k.Expr)
			if k.Expr.Type().Kind.IsText() && asText != nil {
				key = p.binary(k.Expr, asText(p.Operand(k.Expr)))
			}
			keys = append(keys, p.sortBy(key, k))
		}
		order := Text("ORDER BY ").Add(Join(keys, ", "))
		if function.OrderedSet(a.Func) {
			out = out.Add(Text(") WITHIN GROUP ("), order)
		} else {
			out = out.Add(Text(" "), order)
		}
	}
	out = out.Add(Text(")"))
	if filter != nil {
		out = out.Add(Text(" FILTER (WHERE "), filter, Text(")"))
	}
	return out
}

// window writes a window function with its OVER.
func (p *Printer) window(w plan.WindowCall) Rope {
	a := plan.Agg{Func: w.Func, Args: w.Args, Filter: w.Filter}
	out := p.aggregateCall(a)
	if len(w.Args) == 0 && w.Func != "count" {
		out = Text(strings.ToUpper(w.Func) + "()")
	}
	var parts []Rope
	if len(w.Partition) > 0 {
		var keys []Rope
		for _, e := range w.Partition {
			keys = append(keys, p.Compared(e))
		}
		parts = append(parts, Text("PARTITION BY ").Add(Join(keys, ", ")))
	}
	var keys []Rope
	for _, k := range w.Order {
		if _, constant := k.Expr.(*plan.Const); !constant {
			keys = append(keys, p.sortKey(k))
		}
	}
	if len(keys) > 0 {
		parts = append(parts, Text("ORDER BY ").Add(Join(keys, ", ")))
	}
	if !w.Frame.IsDefault() {
		parts = append(parts, p.frame(w.Frame))
	}
	return out.Add(Text(" OVER ("), Join(parts, " "), Text(")"))
}

func (p *Printer) frame(f plan.Frame) Rope {
	bound := func(b plan.Bound) Rope {
		if b.Offset == nil {
			return Text([...]string{"UNBOUNDED PRECEDING", "", "CURRENT ROW", "", "UNBOUNDED FOLLOWING"}[b.Kind])
		}
		word := " FOLLOWING"
		if b.Kind == plan.Preceding {
			word = " PRECEDING"
		}
		if c, ok := Const(b.Offset); ok && c.Kind.IsInteger() {
			return Text(c.String() + word)
		}
		return p.Expr(b.Offset).Add(Text(word))
	}
	out := Text(f.Mode.String()+" BETWEEN ").Add(bound(f.Start), Text(" AND "), bound(f.End))
	return out.Add(Text([...]string{"", " EXCLUDE CURRENT ROW", " EXCLUDE GROUP", " EXCLUDE TIES"}[f.Exclude]))
}
