package form

import (
	"fmt"
	"slices"
	"strings"

	"rovik/core/syntax"
)

// addFilter adds the condition Text to WHERE, or to HAVING where Kind is "having".
func (d *document) addFilter(e Edit) error {
	s, err := condition(e.Text)
	if err != nil {
		return err
	}
	conds, c, name := d.filters(e)
	if c == nil {
		d.add(e.Block, name, s)
		return nil
	}
	last := conds[len(conds)-1]
	if len(conds) == 1 {
		// What was one condition gets others beside it.
		if both := beside(last.Text); both != last.Text {
			d.replace(last.span(), both)
		}
	}
	pos := d.comments(last.End)
	d.insert(pos, d.breakAt(pos, d.indent(d.at(c.word).Start)+"  ")+"AND "+s)
	return nil
}

func (d *document) filters(e Edit) ([]Part, *clause, string) {
	if e.Kind == "having" {
		return d.form.Blocks[e.Block].Having, d.blocks[e.Block].clauses.get("having"), "having"
	}
	return d.form.Blocks[e.Block].Filters, d.blocks[e.Block].clauses.get("where"), "where"
}

func (d *document) setFilter(e Edit) error {
	conds, _, _ := d.filters(e)
	if e.At < 0 || e.At >= len(conds) {
		return refuse("there is no condition %d", e.At)
	}
	s, _, err := expression(e.Text)
	if err == nil && len(conds) > 1 {
		s, err = condition(e.Text)
	}
	if err != nil {
		return err
	}
	d.replace(conds[e.At].span(), s)
	return nil
}

func (d *document) removeFilter(e Edit) error {
	conds, c, _ := d.filters(e)
	switch {
	case e.At < 0 || e.At >= len(conds):
		return refuse("there is no condition %d", e.At)
	case len(conds) == 1:
		d.dropClause(c)
	case e.At == 0:
		and := d.at(d.wordAt(conds[0].End))
		d.replace(syntax.Span{Start: conds[0].Start, End: conds[1].Start}, d.commentsIn(and.End, conds[1].Start))
	default:
		and := d.at(d.wordAt(conds[e.At-1].End))
		d.cut(syntax.Span{Start: and.Start, End: conds[e.At].End})
	}
	return nil
}

// commentsIn returns the text from one place to another, if there are comments
// in it.
func (d *document) commentsIn(from, to int) string {
	if strings.TrimSpace(d.sql[from:to]) == "" {
		return ""
	}
	return strings.TrimLeft(d.sql[from:to], " ")
}

func spans(parts []Part) list {
	var out list
	for _, p := range parts {
		out = append(out, p.span())
	}
	return out
}

func (d *document) addGroup(e Edit) error {
	s, _, err := expression(e.Text)
	if err != nil {
		return err
	}
	groups := d.form.Blocks[e.Block].Groups
	switch {
	case len(groups) == 0:
		d.add(e.Block, "group by", s)
	case groups[0].Locked != "":
		return refuse("%s", groups[0].Locked)
	default:
		d.put(spans(groups), -1, s)
	}
	return nil
}

func (d *document) removeGroup(e Edit) error {
	groups := d.form.Blocks[e.Block].Groups
	switch {
	case e.At < 0 || e.At >= len(groups):
		return refuse("there is no group %d", e.At)
	case groups[0].Locked != "":
		return refuse("%s", groups[0].Locked)
	case len(groups) == 1:
		d.dropClause(d.blocks[e.Block].clauses.get("group by"))
	default:
		d.drop(spans(groups), e.At)
	}
	return nil
}

func (d *document) orders() list {
	var out list
	for _, o := range d.form.Order {
		out = append(out, o.span())
	}
	return out
}

func order(text, kind string) (string, error) {
	s, _, err := expression(text)
	if err == nil && kind == "descending" {
		s += " DESC"
	}
	return s, err
}

func (d *document) addOrder(e Edit) error {
	s, err := order(e.Text, e.Kind)
	if err != nil {
		return err
	}
	if len(d.form.Order) == 0 {
		d.add(len(d.blocks)-1, "order by", s)
		return nil
	}
	d.put(d.orders(), -1, s)
	return nil
}

func (d *document) setOrder(e Edit) error {
	if e.At < 0 || e.At >= len(d.form.Order) {
		return refuse("there is no sort key %d", e.At)
	}
	s, err := order(e.Text, e.Kind)
	if err == nil {
		d.replace(d.form.Order[e.At].span(), s)
	}
	return err
}

func (d *document) removeOrder(e Edit) error {
	switch n := len(d.form.Order); {
	case e.At < 0 || e.At >= n:
		return refuse("there is no sort key %d", e.At)
	case n == 1:
		d.dropClause(d.tail.get("order by"))
	case d.firstBy(e.At):
		return refuse("the first row of each is told by this sort key").WithHint("take the other sort keys out first")
	default:
		d.drop(d.orders(), e.At)
	}
	return nil
}

// firstBy reports whether a sort key is one of those that DISTINCT ON needs first.
func (d *document) firstBy(key int) bool {
	s := d.says()
	k := s.Order[key]
	return len(s.Blocks) == 1 && slices.ContainsFunc(s.Blocks[0].On, func(on keySays) bool { return on.Output == k.Output && on.Expr == k.Expr })
}

// setLimit keeps the first Text rows, or all where that is empty.
func (d *document) setLimit(e Edit) error {
	c := d.tail.get("limit")
	switch l := d.form.Limit; {
	case l != nil && l.Locked != "":
		return refuse("%s", l.Locked)
	case strings.TrimSpace(e.Text) == "":
		if c != nil {
			d.dropClause(c)
		}
		return nil
	}
	s, _, err := expression(e.Text)
	switch {
	case err != nil:
		return err
	case c == nil:
		d.add(len(d.blocks)-1, "limit", s)
	default:
		d.replace(d.form.Limit.span(), s)
	}
	return nil
}

// setDistinct drops duplicates where Kind is "on", and no more where it is
// "off".
func (d *document) setDistinct(e Edit) error {
	b := d.form.Blocks[e.Block]
	c := d.blocks[e.Block].clauses[0]
	switch {
	case b.Distinct && e.Kind == "off":
		d.dropWords(c.word+1, c.first)
	case !b.Distinct && e.Kind == "on":
		d.insert(d.at(c.word).End, " DISTINCT")
	}
	return nil
}

// firstOfEach keeps one row for each of the expressions Texts: the first by Name,
// the last where Kind is "descending".
func (d *document) firstOfEach(e Edit) error {
	b := d.form.Blocks[e.Block]
	switch {
	case len(d.form.Blocks) > 1:
		return refuse("duplicates of a union are removed in a view that reads it")
	case b.Distinct:
		return refuse("duplicates are removed already")
	case len(b.Groups) > 0:
		return refuse("the rows are grouped")
	case len(e.Texts) == 0:
		return refuse("choose the columns of which one row is left for each")
	}
	var keys []string
	for _, k := range e.Texts {
		s, _, err := expression(k)
		if err != nil {
			return err
		}
		keys = append(keys, s)
	}
	sort := slices.Clone(keys)
	if strings.TrimSpace(e.Name) != "" {
		s, err := order(e.Name, e.Kind)
		if err != nil {
			return err
		}
		sort = append(sort, s)
	}
	d.insert(d.at(d.blocks[e.Block].clauses[0].word).End, fmt.Sprintf(" DISTINCT ON (%s)", strings.Join(keys, ", ")))
	if n := len(d.form.Order); n > 0 {
		d.insert(d.form.Order[0].Start, strings.Join(sort, ", ")+", ")
	} else {
		d.add(e.Block, "order by", strings.Join(sort, ", "))
	}
	return nil
}

// addBlock puts the rows of the relation Name under those that are there: Names are
// its columns, one for each output, empty for none, or Texts expressions, in which
// {new} stands for its alias.
func (d *document) addBlock(e Edit) error {
	first := d.form.Blocks[0]
	if d.tail.get("order by") != nil || d.tail.get("limit") != nil || d.tail.get("fetch") != nil || d.tail.get("offset") != nil {
		return refuse("a query with an order or a limit cannot take more rows").WithHint("remove these first")
	}
	if d.starred(0) {
		return refuse("columns are matched one by one").WithHint("write * out first")
	}
	for _, name := range e.Names {
		if name != "" {
			name = "{new}." + syntax.Identifier(name)
		}
		e.Texts = append(e.Texts, name)
	}
	if len(e.Texts) != len(first.Outputs) {
		return refuse("there are %d columns to match, not %d", len(first.Outputs), len(e.Texts))
	}
	from, err := FromItem(e.Name)
	if err != nil {
		return err
	}
	alias := syntax.Identifier(aliasFor(e.Name, d.aliases()))
	items := make([]string, len(e.Texts))
	for i, t := range e.Texts {
		if strings.TrimSpace(t) == "" {
			t = "NULL"
		}
		s, _, err := expression(strings.ReplaceAll(t, "{new}", alias))
		if err != nil {
			return err
		}
		items[i] = s
	}
	words := d.form.Union
	if words == "" {
		if words = "union all"; e.Kind == "union" {
			words = e.Kind
		}
	}
	in := d.indent(d.lineOf(0))
	last := d.at(len(d.words) - 1)
	if d.is(len(d.words)-1, ";") {
		d.replace(last.Span, "")
		last = d.at(len(d.words) - 2)
	}
	d.insert(d.comments(last.End), "\n"+in+strings.ToUpper(words)+"\n"+in+"SELECT\n"+in+"  "+d.wrapped(items, d.lineOf(0))+"\n"+in+"FROM "+from+" AS "+alias)
	return nil
}

// removeBlock takes a block out of a union. Where the first goes, the second
// gives the columns their names.
func (d *document) removeBlock(e Edit) error {
	if len(d.blocks) == 1 {
		return refuse("this is the only block")
	}
	begin := func(i int) int { return d.at(d.blocks[i].clauses[0].word).Start }
	if e.Block == 0 {
		if d.starred(0) || d.starred(1) {
			return refuse("the first block names the columns, and * in it or the next hides them").WithHint("write its columns out first")
		}
		for i, o := range d.form.Blocks[1].Outputs {
			was := d.form.Blocks[0].Outputs
			if i < len(was) {
				if name := nameOr(was[i].Name, was[i].Expr.Text); name != nameOr(o.Name, o.Expr.Text) {
					d.replace(o.span(), item(o.Expr.Text, name))
				}
			}
		}
		d.replace(syntax.Span{Start: begin(0), End: begin(1)}, "")
		return nil
	}
	union := d.at(d.wordAt(d.form.Blocks[e.Block-1].End)).Start
	for union > 0 && (d.sql[union-1] == ' ' || d.sql[union-1] == '\n' || d.sql[union-1] == '\t') {
		union--
	}
	d.replace(syntax.Span{Start: union, End: d.form.Blocks[e.Block].End}, "")
	return nil
}
