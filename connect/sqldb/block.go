package sqldb

import (
	"fmt"
	"strconv"
	"strings"

	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// block is a SELECT under construction. Operators of a plan go into one block
// as long as SQL's order of clauses allows; then it is wrapped as a table.
type block struct {
	cols     map[plan.ID]Rope
	from     Rope
	joined   bool // from holds a join
	where    []Rope
	group    []Rope
	groupOrg plan.Origin
	grouped  bool
	having   []Rope
	distinct Rope
	order    []Rope
	sort     plan.Origin
	limit    Rope
	set      Rope // UNION ALL, instead of all the above
}

// plainFrom tells whether the block is only FROM and WHERE.
func (b *block) plainFrom() bool {
	return !b.grouped && b.distinct == nil && b.order == nil && b.limit == nil && b.set == nil
}

func (p *Printer) block(n plan.Node) (*block, error) {
	if s, ok := n.(*plan.Scan); ok {
		return p.scan(s), nil
	}
	if j, ok := n.(*plan.Join); ok {
		return p.join(j)
	}
	if u, ok := n.(*plan.Union); ok {
		return p.union(u)
	}
	in, err := p.block(n.Inputs()[0])
	if err != nil {
		return nil, err
	}
	below := n.Inputs()[0].Columns()
	switch n := n.(type) {
	case *plan.Filter:
		if in.distinct != nil || in.limit != nil || in.set != nil || in.order != nil {
			in = p.wrap(in, below)
		}
		b := *in
		p.cols = b.cols
		for _, c := range n.Conds {
			r := marked(fold.KindFilter, c.Origin(), p.condition(c))
			if b.grouped {
				b.having = append(b.having[:len(b.having):len(b.having)], r)
			} else {
				b.where = append(b.where[:len(b.where):len(b.where)], r)
			}
		}
		return &b, nil
	case *plan.Project:
		if in.set != nil && sameColumns(n.Items, below) {
			return in, nil
		}
		if in.set != nil || in.distinct != nil && !permutes(n.Items, below) {
			in = p.wrap(in, below)
		}
		b := *in
		p.cols = in.cols
		b.cols = map[plan.ID]Rope{}
		for _, it := range n.Items {
			r := p.Expr(it.Expr)
			if _, isCol := it.Expr.(*plan.Col); !isCol {
				r = marked(fold.KindExpression, it.Expr.Origin(), r)
			}
			b.cols[it.ID] = r
		}
		return &b, nil
	case *plan.Aggregate:
		if !in.plainFrom() {
			in = p.wrap(in, below)
		}
		return p.aggregate(n, in), nil
	case *plan.Distinct:
		if in.distinct != nil || in.limit != nil || in.order != nil || in.set != nil {
			in = p.wrap(in, below)
		}
		b := *in
		b.distinct = marked(fold.KindDistinct, n.Org, Text("DISTINCT"))
		p.cols = in.cols
		b.cols = map[plan.ID]Rope{}
		for _, c := range below {
			b.cols[c.ID] = p.Compared(c.Ref())
		}
		return &b, nil
	case *plan.Sort:
		if in.distinct != nil || in.limit != nil || in.order != nil || in.set != nil {
			in = p.wrap(in, below)
		}
		b := *in
		p.cols = in.cols
		b.sort = n.Org
		for _, k := range n.Keys {
			b.order = append(b.order, p.sortKey(k))
		}
		return &b, nil
	case *plan.Limit:
		if in.limit != nil || in.set != nil {
			in = p.wrap(in, below)
		}
		b := *in
		b.limit = marked(fold.KindLimit, n.Org, Text(p.limitText(n)))
		return &b, nil
	}
	return nil, fmt.Errorf("sqldb: %T does not go into a statement", n)
}

// permutes tells whether items pass on every one of cols once, in any order.
func permutes(items []plan.Item, cols []plan.Column) bool {
	seen := plan.IDs{}
	for _, it := range items {
		if c, ok := it.Expr.(*plan.Col); ok {
			seen[c.ID] = true
		}
	}
	return len(items) == len(cols) && len(seen) == len(cols)
}

// sameColumns tells whether items pass on cols as they are.
func sameColumns(items []plan.Item, cols []plan.Column) bool {
	for i, it := range items {
		if c, ok := it.Expr.(*plan.Col); !ok || i >= len(cols) || c.ID != cols[i].ID || it.Name != cols[i].Name {
			return false
		}
	}
	return len(items) == len(cols)
}

func (p *Printer) limitText(n *plan.Limit) string {
	count := p.Source.Dialect.Unlimited
	if n.Count >= 0 {
		count = strconv.FormatInt(n.Count, 10)
	}
	var parts []string
	if count != "" {
		parts = append(parts, "LIMIT "+count)
	}
	if n.Offset > 0 {
		parts = append(parts, "OFFSET "+strconv.FormatInt(n.Offset, 10))
	}
	return strings.Join(parts, " ")
}

func (p *Printer) sortKey(k plan.SortKey) Rope {
	d := p.Source.Dialect
	key := p.Compared(k.Expr)
	if _, constant := k.Expr.(*plan.Const); constant {
		key = Text("(").Add(key, Text(")")) // a bare number would mean a column's position
	}
	out := key
	if k.Desc {
		out = out.Add(Text(" DESC"))
	}
	// Sorting NULLs low puts them first ascending and last descending.
	native := d.NullsLow != k.Desc
	switch {
	case native == k.NullsFirst:
	case d.NullsWord:
		out = out.Add(Text(map[bool]string{true: " NULLS FIRST", false: " NULLS LAST"}[k.NullsFirst]))
	default:
		direction := ""
		if k.NullsFirst {
			direction = " DESC"
		}
		out = key.Add(Text(" IS NULL"+direction+", "), out)
	}
	return out
}

// alias returns a name for a table that no other one of the statement has.
func (p *Printer) alias(base string) string {
	p.aliases[base]++
	if n := p.aliases[base]; n > 1 {
		return p.alias(fmt.Sprintf("%s_%d", base, n))
	}
	return base
}

func (p *Printer) scan(s *plan.Scan) *block {
	d := p.Source.Dialect
	alias := p.alias(s.Table.Name)
	name := d.Quote(s.Table.Name)
	if s.Table.Schema != "" {
		name = d.Quote(s.Table.Schema) + "." + name
	}
	b := &block{cols: map[plan.ID]Rope{}, from: Text(name)}
	if alias != s.Table.Name {
		b.from = Text(name + " AS " + d.Quote(alias))
	}
	for _, c := range s.Cols {
		col := &s.Table.Columns[c.Index]
		if col.Type.Kind == value.Text && col.ReadAs == "" {
			p.collations[c.ID] = col.Collation
		}
		b.cols[c.ID] = Text(d.Column(col, d.Quote(alias)+"."+d.Quote(col.Name)))
	}
	return b
}

func (p *Printer) join(n *plan.Join) (*block, error) {
	sides := make([]*block, 2)
	for i, in := range n.Inputs() {
		b, err := p.block(in)
		if err != nil {
			return nil, err
		}
		// A filtered join on the null-supplied side keeps its conditions in a
		// table of its own; a single table's go into ON.
		if !b.plainFrom() || i == 1 && n.Kind == plan.LeftJoin && b.joined && len(b.where) > 0 {
			b = p.wrap(b, in.Columns())
		}
		sides[i] = b
	}
	l, r := sides[0], sides[1]
	b := &block{cols: map[plan.ID]Rope{}, joined: true}
	for _, s := range sides {
		for id, c := range s.cols {
			b.cols[id] = c
		}
	}
	p.cols = b.cols
	on := []Rope{}
	for _, c := range n.On {
		cond := p.condition(c)
		if o := c.Origin(); o.View != n.Org.View || o.Start < n.Org.Start || o.End > n.Org.End {
			cond = marked(fold.KindFilter, o, cond)
		}
		on = append(on, cond)
	}
	b.where = l.where
	if n.Kind == plan.LeftJoin {
		on = append(on, r.where...)
	} else {
		b.where = append(b.where[:len(b.where):len(b.where)], r.where...)
	}
	right := r.from
	if r.joined {
		right = Text("(").Add(right, Text(")"))
	}
	word := "JOIN "
	switch {
	case n.Kind == plan.LeftJoin:
		word = "LEFT JOIN "
		if len(on) == 0 {
			on = []Rope{Text("TRUE")}
		}
	case len(on) == 0:
		word = "CROSS JOIN "
	}
	clause := Text(word).Add(right)
	if len(on) > 0 {
		clause = clause.Add(Text(" ON "), Join(on, " AND "))
	}
	b.from = l.from.Add(Text("\n  "), marked(fold.KindJoin, n.Org, clause))
	return b, nil
}

func (p *Printer) aggregate(n *plan.Aggregate, in *block) *block {
	b := *in
	p.cols = in.cols
	b.cols = map[plan.ID]Rope{}
	b.grouped, b.groupOrg = true, n.Org
	for _, g := range n.Groups {
		r := p.Compared(g.Expr)
		b.cols[g.ID] = r
		if _, constant := g.Expr.(*plan.Const); constant {
			continue // grouping by a constant makes no groups; see below
		}
		b.group = append(b.group, r)
	}
	if len(n.Groups) > 0 && len(b.group) == 0 {
		// Groups by constants alone give no row for no rows.
		b.having = append(b.having, Text("COUNT(*) > 0"))
	}
	for _, a := range n.Aggs {
		arg := Text("*")
		if a.Arg != nil {
			arg = p.Expr(a.Arg)
			if a.Distinct || a.Func == "min" || a.Func == "max" {
				arg = p.Compared(a.Arg)
			}
			if a.Distinct {
				arg = Text("DISTINCT ").Add(arg)
			}
		}
		b.cols[a.ID] = marked(fold.KindAggregate, a.Org, Text(strings.ToUpper(a.Func)+"(").Add(arg, Text(")")))
	}
	return &b
}

func (p *Printer) union(n *plan.Union) (*block, error) {
	var parts []Rope
	for i, part := range n.Parts {
		b, err := p.block(part)
		if err != nil {
			return nil, err
		}
		cols := part.Columns()
		if b.limit != nil || b.order != nil || b.set != nil {
			b = p.wrap(b, cols)
		}
		// Text of different collations meets here: each is told to compare by
		// code point.
		p.cols = b.cols
		exact := *b
		exact.cols = map[plan.ID]Rope{}
		for j, c := range cols {
			exact.cols[c.ID] = p.Compared(c.Ref())
			cols[j].Name = n.Cols[j].Name
		}
		if i > 0 {
			parts = append(parts, Text("\n").Add(marked(fold.KindSet, n.Org, Text("UNION ALL")), Text("\n")))
		}
		parts = append(parts, p.selectText(&exact, cols))
	}
	out := &block{cols: map[plan.ID]Rope{}, set: Join(parts, "")}
	names := columnNames(n.Cols)
	for i, c := range n.Cols {
		out.cols[c.ID] = Text(p.Source.Dialect.Quote(names[i]))
	}
	return out, nil
}

// wrap makes a block into a table that another block reads.
func (p *Printer) wrap(b *block, cols []plan.Column) *block {
	d := p.Source.Dialect
	alias := p.alias("t")
	inner := p.selectText(b, cols)
	names := columnNames(cols)
	out := &block{cols: map[plan.ID]Rope{}, from: Text("(").Add(inner, Text(") AS "+d.Quote(alias)))}
	for i, c := range cols {
		out.cols[c.ID] = Text(d.Quote(alias) + "." + d.Quote(names[i]))
	}
	return out
}

// columnNames makes column names unique.
func columnNames(cols []plan.Column) []string {
	seen := map[string]bool{}
	names := make([]string, len(cols))
	for i, c := range cols {
		name := c.Name
		for n := 2; seen[name] || name == ""; n++ {
			name = fmt.Sprintf("%s_%d", c.Name, n)
		}
		if len(name) > 60 {
			name = fmt.Sprintf("c%d", i+1)
		}
		seen[name] = true
		names[i] = name
	}
	return names
}

// selectText writes a block with its select list.
func (p *Printer) selectText(b *block, cols []plan.Column) Rope {
	if b.set != nil {
		return b.set
	}
	d := p.Source.Dialect
	names := columnNames(cols)
	var list []Rope
	for i, c := range cols {
		r := b.cols[c.ID]
		quoted := d.Quote(names[i])
		if len(r) != 1 || !strings.HasSuffix(r[0].text, "."+quoted) {
			r = r.Add(Text(" AS " + quoted))
		}
		list = append(list, r)
	}
	if len(list) == 0 {
		list = []Rope{Text("1")}
	}
	out := Text("SELECT ")
	if b.distinct != nil {
		out = out.Add(b.distinct, Text(" "))
	}
	out = out.Add(Join(list, ", "), Text("\nFROM "), b.from)
	if len(b.where) > 0 {
		out = out.Add(Text("\nWHERE "), Join(b.where, "\n  AND "))
	}
	if len(b.group) > 0 {
		out = out.Add(Text("\nGROUP BY "), marked(fold.KindAggregate, b.groupOrg, Join(b.group, ", ")))
	}
	if len(b.having) > 0 {
		out = out.Add(Text("\nHAVING "), Join(b.having, "\n  AND "))
	}
	if len(b.order) > 0 {
		out = out.Add(Text("\nORDER BY "), marked(fold.KindSort, b.sort, Join(b.order, ", ")))
	}
	if b.limit != nil {
		out = out.Add(Text("\n"), b.limit)
	}
	return out
}

// Digits bounds the decimal digits of an exact number: whole ones and decimals.
// ok is false where nothing bounds them.
func Digits(e plan.Expr) (whole, scale int, ok bool) {
	byKind := func(t value.Type) (int, int, bool) {
		switch t.Kind {
		case value.Int2:
			return 5, 0, true
		case value.Int4:
			return 10, 0, true
		case value.Int8:
			return 19, 0, true
		case value.Numeric:
			return t.Precision - t.Scale, t.Scale, t.Precision > 0
		}
		return 0, 0, false
	}
	switch e := e.(type) {
	case *plan.Const:
		if e.Val.IsNull {
			return 1, 0, true
		}
		if e.Val.Kind == value.Numeric {
			return len(strings.SplitN(e.Val.Dec.String(), ".", 2)[0]), int(e.Val.Dec.Scale), true
		}
	case *plan.Cast:
		if e.Typ.Kind == value.Numeric && e.Typ.Precision == 0 {
			return Digits(e.Arg)
		}
	case *plan.Call:
		if e.Typ.Kind != value.Numeric || len(e.Args) != 2 {
			break
		}
		aw, as, aok := Digits(e.Args[0])
		bw, bs, bok := Digits(e.Args[1])
		switch e.Op {
		case "+", "-":
			return max(aw, bw) + 1, max(as, bs), aok && bok
		case "*":
			return aw + bw, as + bs, aok && bok
		}
	}
	return byKind(e.Type())
}
