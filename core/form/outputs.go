package form

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"rovik/core/syntax"
)

func (d *document) outputs(block int) list {
	var out list
	for _, o := range d.form.Blocks[block].Outputs {
		out = append(out, o.span())
	}
	return out
}

func (d *document) output(e Edit) (*Output, error) {
	outs := d.form.Blocks[e.Block].Outputs
	if e.At < 0 || e.At >= len(outs) {
		return nil, refuse("there is no output column %d", e.At)
	}
	return &outs[e.At], nil
}

// addOutput adds the expression Text under Name, before the column At, or at the
// end where that is -1. The other blocks of a union get a NULL.
func (d *document) addOutput(e Edit) error {
	s, _, err := expression(e.Text)
	if err != nil {
		return err
	}
	for b := range d.form.Blocks {
		text := item(s, e.Name)
		if b != e.Block {
			if d.starred(b) || d.starred(e.Block) {
				return refuse("a union with * cannot take another column").WithHint("write its columns out first")
			}
			if text = "NULL"; b == 0 {
				text = item(text, nameOr(e.Name, s))
			}
		}
		l := d.outputs(b)
		d.put(l, e.At, text)
		if e.At >= 0 && e.At < len(l) {
			if err := d.follow(b, places(len(l), func(i int) int {
				if i >= e.At {
					return i + 1
				}
				return i
			})); err != nil {
				return err
			}
		}
	}
	return nil
}

// nameOr is a column's name: the one given, or that which its expression gives it;
// empty for none.
func nameOr(name, expr string) string {
	if name != "" {
		return name
	}
	if _, x, err := expression(expr); err == nil && syntax.OutputName(x) != syntax.NoName {
		return syntax.OutputName(x)
	}
	return ""
}

// bareName is the name of a bare column, which AS would say twice; else empty.
func bareName(expr string) string {
	if _, x, err := expression(expr); err == nil {
		if c, is := x.(*syntax.Column); is {
			return c.Parts[len(c.Parts)-1]
		}
	}
	return ""
}

func (d *document) starred(block int) bool {
	return slices.ContainsFunc(d.form.Blocks[block].Outputs, func(o Output) bool { return o.Star })
}

// setOutput changes an output's expression, where Text is not empty, and its name;
// without a name it is called what its expression says.
func (d *document) setOutput(e Edit) error {
	o, err := d.output(e)
	if err != nil {
		return err
	}
	expr := o.Expr.Text
	if strings.TrimSpace(e.Text) != "" {
		var x syntax.Expr
		if expr, x, err = expression(e.Text); err != nil {
			return err
		}
		if _, star := x.(*syntax.Star); star {
			e.Name = ""
		}
	}
	if e.Name == bareName(expr) && e.Name != o.Name {
		e.Name = ""
	}
	if was, is := nameOr(o.Name, bareText(o.Expr.Text)), nameOr(e.Name, expr); was != is {
		d.renamed(e.Block, e.At, is)
	}
	if expr != o.Expr.Text {
		d.replace(o.Expr.span(), expr)
	}
	switch first, end := d.wordAt(o.Expr.End), d.wordAt(o.End); {
	case e.Name == o.Name:
	case o.Name == "":
		d.insert(o.Expr.End, " AS "+syntax.Identifier(e.Name))
	case e.Name == "":
		d.dropWords(first, end)
	default:
		d.replace(d.at(end-1).Span, syntax.Identifier(e.Name))
	}
	return nil
}

// dropWords takes words out, each with the white space before it, and leaves the
// comments between them.
func (d *document) dropWords(first, end int) {
	for i := first; i < end; i++ {
		from := d.at(i).Start
		for from > 0 && (d.sql[from-1] == ' ' || d.sql[from-1] == '\t') {
			from--
		}
		d.replace(syntax.Span{Start: from, End: d.at(i).End}, "")
	}
}

// removeOutput takes out the outputs Items, in every block of a union.
func (d *document) removeOutput(e Edit) error {
	items := slices.Clone(e.Items)
	if len(items) == 0 {
		items = []int{e.At}
	}
	for b := range d.form.Blocks {
		for _, i := range items {
			if i < 0 || i >= len(d.form.Blocks[b].Outputs) {
				return refuse("there is no output column %d", i)
			}
		}
		if len(items) >= len(d.form.Blocks[b].Outputs) {
			return refuse("one output column has to be left")
		}
		if len(d.form.Blocks) > 1 && d.starred(b) {
			return refuse("a union with * cannot lose a column").WithHint("write its columns out first")
		}
		if err := d.dropOutputs(b, items); err != nil {
			return err
		}
	}
	return nil
}

// dropOutputs takes several outputs out at once: each with the comma behind it,
// or before it where all that follow go too.
func (d *document) dropOutputs(block int, items []int) error {
	l := d.outputs(block)
	sort.Ints(items)
	to := places(len(l), func(i int) int {
		before, gone := slices.BinarySearch(items, i)
		if gone {
			return -1
		}
		return i - before
	})
	if err := d.follow(block, to); err != nil {
		return err
	}
	gone := map[int]bool{}
	for _, i := range items {
		gone[i] = true
	}
	lastKept := len(l) - 1
	for gone[lastKept] {
		lastKept--
	}
	for i := range lastKept {
		if gone[i] {
			d.drop(l, i)
		}
	}
	if lastKept < len(l)-1 {
		d.truncate(l, lastKept+1)
	}
	return nil
}

// moveOutput takes the output At to the place To, in every block of a union.
func (d *document) moveOutput(e Edit) error {
	for b := range d.form.Blocks {
		l := d.outputs(b)
		if e.At < 0 || e.At >= len(l) || e.To < 0 || e.To >= len(l) {
			return refuse("there is no output column %d or %d", e.At, e.To)
		}
		d.move(l, e.At, e.To)
		if err := d.follow(b, moved(len(l), e.At, e.To)); err != nil {
			return err
		}
	}
	return nil
}

// moved says where each of n items goes when one of them moves.
func moved(n, from, to int) []int {
	order := slices.Insert(slices.Delete(places(n, func(i int) int { return i }), from, from+1), to, from)
	return places(n, func(i int) int { return slices.Index(order, i) })
}

// expandStar writes the columns of a star out: Texts are they.
func (d *document) expandStar(e Edit) error {
	o, err := d.output(e)
	if err != nil {
		return err
	}
	if !o.Star || len(e.Texts) == 0 {
		return refuse("there is no * to write out")
	}
	for _, t := range e.Texts {
		if _, _, err := expression(t); err != nil {
			return err
		}
	}
	d.replace(o.span(), d.wrapped(e.Texts, o.Start))
	return d.follow(e.Block, places(len(d.form.Blocks[e.Block].Outputs), func(i int) int {
		if i > e.At {
			return i + len(e.Texts) - 1
		}
		return i
	}))
}

// wrapped joins items with commas, breaking lines before they get too long.
func (d *document) wrapped(items []string, at int) string {
	indent := d.indent(at)
	if indent == "" && strings.TrimSpace(d.sql[d.lineStart(at):at]) != "" {
		indent = "  "
	}
	var b strings.Builder
	width := at - d.lineStart(at)
	for i, it := range items {
		if i > 0 {
			if b.WriteByte(','); width+len(it)+2 > longLine {
				b.WriteString("\n" + indent)
				width = len(indent)
			} else {
				b.WriteByte(' ')
				width += 2
			}
		}
		b.WriteString(it)
		width += len(it)
	}
	return b.String()
}

// group makes rows one for each group: the outputs Items are what it groups by,
// the others go, and Texts come in their place, called Names.
func (d *document) group(e Edit) error {
	b := &d.form.Blocks[e.Block]
	if len(d.form.Blocks) > 1 {
		return refuse("rows of a union are grouped in a view that reads it")
	}
	if len(b.Groups) > 0 {
		return refuse("the rows are grouped already")
	}
	var keep, by []string
	for _, i := range e.Items {
		if i < 0 || i >= len(b.Outputs) || b.Outputs[i].Star {
			return refuse("there is no output column %d to group by", i)
		}
		keep, by = append(keep, b.Outputs[i].Text), append(by, b.Outputs[i].Expr.Text)
	}
	measures, err := itemsOf(e.Texts, e.Names)
	if err != nil {
		return err
	}
	all := append(keep, measures...)
	if len(all) == 0 {
		return refuse("choose columns to group by, or what to measure")
	}
	c := d.blocks[e.Block].clauses[0]
	d.replace(d.span(c.first, c.end), d.wrapped(all, d.at(c.first).Start))
	if len(by) > 0 {
		d.add(e.Block, "group by", strings.Join(by, ", "))
	}
	return nil
}

func itemsOf(texts, names []string) ([]string, error) {
	var out []string
	for i, t := range texts {
		s, _, err := expression(t)
		if err != nil {
			return nil, err
		}
		name := ""
		if i < len(names) {
			name = names[i]
		}
		out = append(out, item(s, name))
	}
	return out, nil
}

// pivot adds a column for each of the values Texts of the expression Name: what
// the aggregate Text measures for the rows with this value, called Names. Outputs
// that are no aggregates are what the rows are grouped by.
func (d *document) pivot(e Edit) error {
	b := &d.form.Blocks[e.Block]
	if len(d.form.Blocks) > 1 {
		return refuse("rows of a union are turned in a view that reads it")
	}
	of, _, err := expression(e.Name)
	if err != nil {
		return err
	}
	measure, x, err := expression(e.Text)
	if err != nil {
		return err
	}
	call, is := x.(*syntax.Func)
	if !is || call.Filter != nil || call.Over != nil {
		return refuse("%q is no aggregate to measure by", measure).WithHint("such as count(*), sum(amount) or max(day)")
	}
	if len(e.Texts) == 0 {
		return refuse("choose the values that get a column")
	}
	if len(b.Groups) == 0 && len(e.Items) > 0 { // not grouped yet: the outputs Items are what to group by
		var keep, by []string
		for _, i := range e.Items {
			if i < 0 || i >= len(b.Outputs) || b.Outputs[i].Star {
				return refuse("there is no output column %d to group by", i)
			}
			keep, by = append(keep, b.Outputs[i].Text), append(by, b.Outputs[i].Expr.Text)
		}
		c := d.blocks[e.Block].clauses[0]
		cols, err := pivoted(of, measure, e)
		if err != nil {
			return err
		}
		d.replace(d.span(c.first, c.end), d.stackedText(append(keep, cols...), e.Block))
		d.add(e.Block, "group by", strings.Join(by, ", "))
		return nil
	}
	if len(b.Groups) == 0 {
		return refuse("choose the columns that one row is left for each of")
	}
	cols, err := pivoted(of, measure, e)
	if err != nil {
		return err
	}
	d.put(d.outputs(e.Block), -1, strings.Join(cols, ",\n"+"  "+d.indent(d.lineOf(e.Block))))
	return nil
}

// stackedText writes items one below the other.
func (d *document) stackedText(items []string, block int) string {
	return strings.Join(items, ",\n  "+d.indent(d.lineOf(block)))
}

func pivoted(of, measure string, e Edit) ([]string, error) {
	var out []string
	for i, v := range e.Texts {
		v, _, err := expression(v)
		if err != nil {
			return nil, err
		}
		test := of + " = " + v
		if strings.EqualFold(v, "null") {
			test = of + " IS NULL"
		}
		name := fmt.Sprint("value_", i+1)
		if i < len(e.Names) && e.Names[i] != "" {
			name = e.Names[i]
		}
		out = append(out, item(measure+" FILTER (WHERE "+test+")", name))
	}
	return out, nil
}
