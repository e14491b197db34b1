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
	computed plan.IDs // columns that are, or are made of, computed group keys
	constant plan.IDs // columns that are constants
	windowed bool     // a column is a window function
	distinct Rope
	on       bool // distinct is DISTINCT ON, and order decides what it keeps
	order    []Rope
	sort     plan.Origin
	limit    Rope
	set      Rope // UNION ALL, instead of all the above
}

// plainFrom reports whether the block is only FROM and WHERE.
func (b *block) plainFrom() bool {
	return !b.grouped && !b.windowed && b.distinct == nil && b.order == nil && b.limit == nil && b.set == nil
}

// bare reports whether nothing follows the select list yet.
func (b *block) bare() bool {
	return b.distinct == nil && b.order == nil && b.limit == nil && b.set == nil
}

func (p *Printer) block(n plan.Node) (*block, error) {
	if s, ok := n.(*plan.Scan); ok {
		return p.scan(s), nil
	}
	if j, ok := n.(*plan.Join); ok {
		return p.join(j)
	}
	switch n.(type) {
	case *plan.Union, *plan.SetOp:
		return p.set(n)
	}
	in, err := p.block(n.Inputs()[0])
	if err != nil {
		return nil, err
	}
	below := n.Inputs()[0].Columns()
	switch n := n.(type) {
	case *plan.Filter:
		if !in.bare() || in.windowed || p.Source.Dialect.HavingColumns && plan.Uses(n.Conds...).Meets(in.computed) {
			in = p.wrap(in, below)
		}
		if in.grouped && len(in.group) == 0 {
			in = p.wrap(in, below) // not every source has HAVING without groups
		}
		b := *in
		p.cols = b.cols
		valid := guards{}
		for _, c := range n.Conds {
			r := marked(fold.KindFilter, c.Origin(), p.condition(c, valid))
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
		if in.set != nil || in.distinct != nil && !in.on && !permutes(n.Items, below) {
			in = p.wrap(in, below)
		}
		if in.grouped && len(in.group) == 0 && !reads(n.Items, below) {
			in = p.wrap(in, below) // else nothing would tell that it is one row
		}
		b := *in
		p.cols = in.cols
		b.cols = map[plan.ID]Rope{}
		b.computed = plan.IDs{}
		constant := plan.IDs{}
		b.constant = constant
		for _, it := range n.Items {
			if plan.Uses(it.Expr).Meets(in.computed) {
				b.computed[it.ID] = true
			}
			r := p.Expr(it.Expr)
			if !in.orderedBy(it.Expr) {
				constant[it.ID] = true
			}
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
		if n.On != nil {
			return p.distinctOn(n, in), nil
		}
		if !in.bare() {
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
		if !in.bare() {
			in = p.wrap(in, below)
		}
		b := *in
		p.cols = in.cols
		b.sort = n.Org
		for _, k := range n.Keys {
			if !b.orderedBy(k.Expr) {
				continue
			}
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
	case *plan.Window:
		if !in.bare() || in.windowed {
			in = p.wrap(in, below)
		}
		b := *in
		b.windowed = true
		p.cols = in.cols
		b.cols = map[plan.ID]Rope{}
		for id, r := range in.cols {
			b.cols[id] = r
		}
		for _, it := range n.Items {
			b.cols[it.ID] = marked(fold.KindWindow, it.Org, p.window(it.WindowCall))
		}
		return &b, nil
	}
	return nil, fmt.Errorf("sqldb: %T does not go into a statement", n)
}

// orderedBy reports whether rows can differ in e. A constant as a sort key would
// be taken for the position of a column.
func (b *block) orderedBy(e plan.Expr) bool {
	switch e := e.(type) {
	case *plan.Const:
		return false
	case *plan.Col:
		return !b.constant[e.ID]
	case *plan.Cast:
		return b.orderedBy(e.Arg)
	}
	return true
}

// reads reports whether items read any of cols.
func reads(items []plan.Item, cols []plan.Column) bool {
	uses := plan.IDs{}
	for _, it := range items {
		uses.AddUses(it.Expr)
	}
	for _, c := range cols {
		if uses[c.ID] {
			return true
		}
	}
	return false
}

// permutes reports whether items pass on every one of cols once, in any order.
func permutes(items []plan.Item, cols []plan.Column) bool {
	seen := plan.IDs{}
	for _, it := range items {
		if c, ok := it.Expr.(*plan.Col); ok {
			seen[c.ID] = true
		}
	}
	return len(items) == len(cols) && len(seen) == len(cols)
}

// sameColumns reports whether items pass on cols as they are.
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
	if n.Ties != nil {
		return fmt.Sprintf("OFFSET %d FETCH FIRST %d ROWS WITH TIES", n.Offset, n.Count)
	}
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

func (p *Printer) sortKey(k plan.SortKey) Rope { return p.sortBy(p.Compared(k.Expr), k) }

// sortBy writes a sort key whose expression is written already.
func (p *Printer) sortBy(key Rope, k plan.SortKey) Rope {
	d := p.Source.Dialect
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
	if s.Only && d.Only {
		name = "ONLY " + name
	}
	b := &block{cols: map[plan.ID]Rope{}, from: Text(name)}
	if s.Table.Verbatim != "" {
		name = Nested(s.Table.Verbatim)
		b.from = Text(name + " AS " + d.Quote(alias))
	} else if alias != s.Table.Name {
		b.from = Text(name + " AS " + d.Quote(alias))
	}
	for _, c := range s.Cols {
		col := &s.Table.Columns[c.Index]
		if col.Type.Kind == value.Text && col.ReadAs == "" {
			p.collations[c.ID] = col.Collation
		}
		column := d.Column(col, d.Quote(alias)+"."+d.Quote(col.Name))
		b.cols[c.ID] = Text(column)
		if d.Valid != nil {
			if valid := d.Valid(col, column); valid != "" {
				b.cols[c.ID] = Rope{{text: valid, stored: column}}
			}
		}
	}
	return b
}

// stored returns the block with columns that are given out as they stand, where
// rows may be told apart by them: who reads the rows makes NULL of what is no value.
func (b *block) stored() *block {
	if b.grouped || b.distinct != nil || b.set != nil {
		return b
	}
	out := *b
	out.cols = make(map[plan.ID]Rope, len(b.cols))
	for id, r := range b.cols {
		out.cols[id], _ = r.stored()
	}
	return &out
}

// distinctOn keeps the first row for each value by the block's order.
func (p *Printer) distinctOn(n *plan.Distinct, in *block) *block {
	if in.distinct != nil || in.limit != nil || in.set != nil {
		in = p.wrap(in, n.Input.Columns())
	}
	b := *in
	p.cols = in.cols
	var keys []Rope
	for _, e := range n.On {
		keys = append(keys, p.Compared(e))
	}
	b.on = true
	b.distinct = marked(fold.KindDistinct, n.Org, Text("DISTINCT ON (").Add(Join(keys, ", "), Text(")")))
	return &b
}

// set writes a union or another set operation.
func (p *Printer) set(n plan.Node) (*block, error) {
	word, org := "UNION ALL", plan.Origin{}
	switch n := n.(type) {
	case *plan.Union:
		org = n.Org
	case *plan.SetOp:
		word, org = "INTERSECT", n.Org
		if n.Except {
			word = "EXCEPT"
		}
		if n.All {
			word += " ALL"
		}
	}
	whole := n.Columns()
	var parts []Rope
	for i, part := range n.Inputs() {
		if inner := unionAsItIs(part, whole); inner != nil && word == "UNION ALL" {
			part = inner
		}
		b, err := p.block(part)
		if err != nil {
			return nil, err
		}
		cols := part.Columns()
		if i > 0 {
			parts = append(parts, Text("\n").Add(marked(fold.KindSet, org, Text(word)), Text("\n")))
		}
		if _, is := part.(*plan.Union); is && word == "UNION ALL" && b.set != nil {
			parts = append(parts, b.set) // its arms are as good as those around it
			continue
		}
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
			cols[j].Name = whole[j].Name
		}
		parts = append(parts, p.selectText(&exact, cols))
	}
	out := &block{cols: map[plan.ID]Rope{}, set: Join(parts, "")}
	names := columnNames(whole)
	for i, c := range whole {
		out.cols[c.ID] = Text(p.Source.Dialect.Quote(names[i]))
	}
	return out, nil
}

// unionAsItIs returns the union whose columns a part of another passes on as they are, under the
// names that whole has; nil for any other part.
func unionAsItIs(part plan.Node, whole []plan.Column) *plan.Union {
	p, is := part.(*plan.Project)
	if !is {
		return nil
	}
	u, is := p.Input.(*plan.Union)
	if !is || len(u.Cols) != len(p.Items) {
		return nil
	}
	for i, it := range p.Items {
		if c, is := it.Expr.(*plan.Col); !is || c.ID != u.Cols[i].ID || u.Cols[i].Name != whole[i].Name {
			return nil
		}
	}
	return u
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
	next := map[string]int{} // number to try for a name that is taken
	names := make([]string, len(cols))
	for i, c := range cols {
		name := c.Name
		for seen[name] || name == "" {
			n := max(next[c.Name], 2)
			name = fmt.Sprintf("%s_%d", c.Name, n)
			next[c.Name] = n + 1
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
		if e.Val.Kind == value.Numeric && !e.Val.Dec.Special() {
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
