package form

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"rovik/core/syntax"
	"rovik/core/value"
)

// Edit is one change that the form makes. Do names it; the other fields are
// what it takes. Block counts the blocks of a union, At the items of a list.
type Edit struct {
	Do    string   `json:"do"`
	Block int      `json:"block,omitempty"`
	At    int      `json:"at,omitempty"`
	To    int      `json:"to,omitempty"`
	Items []int    `json:"items,omitempty"`
	Text  string   `json:"text,omitempty"`  // an expression
	Texts []string `json:"texts,omitempty"` // several
	Name  string   `json:"name,omitempty"`
	Names []string `json:"names,omitempty"`
	Kind  string   `json:"kind,omitempty"`
	Clean *Clean   `json:"clean,omitempty"`
}

// edits are what Apply can do, by name.
func edits() map[string]func(*document, Edit) error {
	return map[string]func(*document, Edit) error{
		"add input": (*document).addInput, "remove input": (*document).removeInput,
		"set join": (*document).setJoin, "set condition": (*document).setCondition, "set alias": (*document).setAlias,
		"add output": (*document).addOutput, "set output": (*document).setOutput, "remove output": (*document).removeOutput,
		"move output": (*document).moveOutput, "expand star": (*document).expandStar, "clean output": (*document).cleanOutput, "cast output": (*document).castOutput,
		"add filter": (*document).addFilter, "set filter": (*document).setFilter, "remove filter": (*document).removeFilter,
		"add group": (*document).addGroup, "remove group": (*document).removeGroup, "group": (*document).group, "pivot": (*document).pivot,
		"add order": (*document).addOrder, "set order": (*document).setOrder, "remove order": (*document).removeOrder,
		"set limit": (*document).setLimit, "set distinct": (*document).setDistinct, "first of each": (*document).firstOfEach,
		"add block": (*document).addBlock, "remove block": (*document).removeBlock,
	}
}

// Apply makes edits, one after the other, and returns the new text. Comments and
// formatting stay where nothing is touched. An edit whose result could not be read
// is refused.
func Apply(sql string, list ...Edit) (string, error) {
	for _, e := range list {
		next, err := apply(sql, e)
		if err != nil {
			return "", err
		}
		sql = next
	}
	return sql, nil
}

func apply(sql string, e Edit) (string, error) {
	do := edits()[e.Do]
	if do == nil {
		return "", refuse("there is no edit called %q", e.Do)
	}
	if strings.TrimSpace(sql) == "" {
		if e.Do != "add input" {
			return "", refuse("there is nothing to edit yet").WithHint("add a table or a view first")
		}
		return begin(e)
	}
	d, err := read(sql)
	if err != nil {
		return "", err
	}
	if d.form.Locked != nil {
		return "", refuse("%s", d.form.Locked.Locked)
	}
	if e.Block < 0 || e.Block >= len(d.blocks) {
		return "", refuse("there is no block %d", e.Block)
	}
	if err := do(d, e); err != nil {
		return "", err
	}
	next := d.changed()
	return next, prove(d, next, e)
}

func refuse(format string, args ...any) *value.Error {
	return value.Errorf(value.CodeBadParameter, format, args...)
}

// begin writes the first input of an empty text.
func begin(e Edit) (string, error) {
	alias := e.Text
	if alias == "" {
		alias = aliasFor(e.Name, nil)
	}
	a := syntax.Identifier(alias)
	from, err := FromItem(e.Name)
	return fmt.Sprintf("SELECT\n  %s.*\nFROM %s AS %s", a, from, a), err
}

// change puts a text in the place of a span.
type change struct {
	at   syntax.Span
	with string
}

func (d *document) replace(at syntax.Span, with string) {
	d.changes = append(d.changes, change{at, with})
}

func (d *document) insert(pos int, with string) {
	d.replace(syntax.Span{Start: pos, End: pos}, with)
}

func (d *document) changed() string {
	sort.SliceStable(d.changes, func(i, j int) bool { return d.changes[i].at.Start < d.changes[j].at.Start })
	var b strings.Builder
	from := 0
	open := false // a comment to the end of its line stands right before
	write := func(s string, comment bool) {
		if s == "" {
			return
		}
		if open && s[0] != '\n' {
			b.WriteByte('\n')
			s = strings.TrimLeft(s, " ")
		}
		b.WriteString(s)
		open = comment
	}
	for _, c := range d.changes {
		if c.at.Start >= from {
			write(d.sql[from:c.at.Start], d.commented(c.at.Start))
			from = c.at.Start
		}
		write(c.with, endsInComment(c.with))
		from = max(from, c.at.End)
	}
	write(d.sql[from:], false)
	return b.String()
}

// endsInComment reports whether a text ends with a comment to the end of its line.
func endsInComment(s string) bool {
	all, err := syntax.Tokens(s)
	return err == nil && len(all) > 0 && all[len(all)-1].Line && all[len(all)-1].End == len(s)
}

// lineStart and lineEnd bound the line of a place.
func (t *text) lineStart(pos int) int { return strings.LastIndexByte(t.sql[:pos], '\n') + 1 }

func (t *text) lineEnd(pos int) int {
	if i := strings.IndexByte(t.sql[pos:], '\n'); i >= 0 {
		return pos + i
	}
	return len(t.sql)
}

// indent is the white space that the line of a place starts with.
func (t *text) indent(pos int) string {
	line := t.sql[t.lineStart(pos):pos]
	return line[:len(line)-len(strings.TrimLeft(line, " \t"))]
}

// comments returns where the comments behind pos end, if nothing but a comma and
// white space stands with them on the rest of the line; else pos.
func (t *text) comments(pos int) int {
	end := t.lineEnd(pos)
	out := pos
	for _, tok := range t.all {
		if tok.Start < pos || tok.Start >= end {
			continue
		}
		if !tok.Comment {
			if t.sql[tok.Start:tok.End] == "," && out == pos {
				continue
			}
			return pos
		}
		out = tok.End
	}
	return out
}

// cut deletes a span and the white space that it leaves: the whole line with its
// comment, where nothing else stands on it.
func (d *document) cut(at syntax.Span) {
	begin, end := d.lineStart(at.Start), d.comments(at.End)
	alone := strings.TrimSpace(d.sql[begin:at.Start]) == "" && strings.TrimSpace(d.sql[end:d.lineEnd(end)]) == ""
	switch {
	case alone && begin > 0:
		d.replace(syntax.Span{Start: begin - 1, End: d.lineEnd(end)}, "")
	case alone:
		d.replace(syntax.Span{Start: begin, End: min(d.lineEnd(end)+1, len(d.sql))}, "")
	case at.End < len(d.sql) && d.sql[at.End] == ' ' && (at.Start == 0 || strings.IndexByte(" \t\n(", d.sql[at.Start-1]) >= 0):
		n := len(d.sql[at.End:]) - len(strings.TrimLeft(d.sql[at.End:], " "))
		d.replace(syntax.Span{Start: at.Start, End: at.End + n}, "")
	default:
		n := len(strings.TrimRight(d.sql[:at.Start], " "))
		d.replace(syntax.Span{Start: n, End: at.End}, "")
	}
}

// list is a list of items with commas between.
type list []syntax.Span

const longLine = 100

// stacked reports whether each item stands on a line of its own.
func (d *document) stacked(l list) bool {
	for i := 1; i < len(l); i++ {
		if !strings.Contains(d.sql[l[i-1].End:l[i].Start], "\n") {
			return false
		}
	}
	return strings.TrimSpace(d.sql[d.lineStart(l[0].Start):l[0].Start]) == "" || len(l) > 1
}

// put adds an item before the one at i, or at the end.
func (d *document) put(l list, i int, item string) {
	n := len(l)
	if i >= 0 && i < n {
		sep := ", "
		if d.stacked(l) {
			sep = ",\n" + d.indent(l[n-1].Start)
		}
		d.insert(l[i].Start, item+sep)
		return
	}
	last := l[n-1]
	tail := d.comments(last.End)
	long := last.End-d.lineStart(last.End)+len(item) > longLine
	sep := " "
	if d.stacked(l) || long || tail > last.End {
		in := d.indent(last.Start)
		if long && in == "" {
			in = "  "
		}
		sep = "\n" + in
	}
	d.insert(last.End, ",")
	d.insert(tail, sep+item)
}

// drop takes the item at i out of a list of several.
func (d *document) drop(l list, i int) {
	if i < len(l)-1 {
		comma := d.at(d.wordAt(l[i].End))
		d.cut(syntax.Span{Start: l[i].Start, End: comma.End})
		return
	}
	d.truncate(l, i)
}

// truncate takes the items from i on out of a list. A comment behind the item that
// is last then stays.
func (d *document) truncate(l list, i int) {
	comma := d.at(d.wordAt(l[i-1].End))
	d.replace(comma.Span, "")
	from, last := d.comments(comma.End), l[len(l)-1]
	if from > l[i].Start {
		from = comma.End
	}
	end := last.End
	if strings.Contains(d.sql[from:last.Start], "\n") {
		end = d.comments(last.End)
	}
	d.replace(syntax.Span{Start: from, End: end}, "")
}

// move takes the item at i to the place of the one at j, comments with it.
func (d *document) move(l list, i, j int) {
	type row struct{ item, note string }
	rows := make([]row, len(l))
	notes := make(list, len(l))
	for k, at := range l {
		after := at.End
		if k < len(l)-1 {
			after = d.at(d.wordAt(at.End)).End
		}
		notes[k] = syntax.Span{Start: after, End: after}
		if d.stacked(l) {
			notes[k].End = max(after, d.comments(after))
		}
		rows[k] = row{d.sql[at.Start:at.End], d.sql[notes[k].Start:notes[k].End]}
	}
	moved := rows[i]
	rows = slices.Insert(slices.Delete(rows, i, i+1), j, moved)
	for k, at := range l {
		d.replace(at, rows[k].item)
		d.replace(notes[k], rows[k].note)
	}
}

// add puts a new clause behind those that stand before it.
func (d *document) add(block int, name, body string) {
	c := d.blocks[block].clauses
	if slices.Contains(tailClauses, name) && d.tail != nil && len(d.tail) > 0 {
		c = append(slices.Clone(c), d.tail...)
	}
	end := 0
	for _, one := range c {
		if slices.Index(clauseOrder, one.name) < slices.Index(clauseOrder, name) {
			end = max(end, one.end)
		}
	}
	pos := d.comments(d.at(end - 1).End)
	d.insert(pos, d.breakAt(pos, d.indent(d.at(c[0].word).Start))+strings.ToUpper(name)+" "+body)
}

// breakAt is what stands before a new clause at a place: a line break, but not in
// a text that is all on one line.
func (d *document) breakAt(pos int, indent string) string {
	if !strings.Contains(strings.TrimSpace(d.sql), "\n") && d.comments(pos) == pos && !d.commented(pos) {
		return " "
	}
	return "\n" + indent
}

// commented reports whether a comment to the end of its line stands right before
// pos.
func (d *document) commented(pos int) bool {
	return slices.ContainsFunc(d.all, func(t syntax.Token) bool { return t.Line && t.End == pos })
}

// clauseOrder is the order of clauses in a text.
var clauseOrder = []string{"select", "from", "where", "group by", "having", "window", "order by", "limit", "offset", "fetch"}

// dropClause takes a clause out.
func (d *document) dropClause(c *clause) { d.cut(d.span(c.word, c.end)) }

// expression checks that a text is one expression, and returns it trimmed.
func expression(s string) (string, syntax.Expr, error) {
	s = strings.TrimSpace(s)
	if s == "" {
		return "", nil, refuse("an expression is missing")
	}
	tokens, err := syntax.Tokens(s)
	if err != nil {
		return "", nil, err
	}
	if slices.ContainsFunc(tokens, func(t syntax.Token) bool { return t.Comment }) {
		return "", nil, refuse("a comment is written in the SQL")
	}
	tree, err := syntax.Parse("SELECT " + s)
	if err != nil {
		return "", nil, placed(err, -len("SELECT "))
	}
	sel, is := tree.Body.(*syntax.Select)
	if !is || len(sel.Targets) != 1 || sel.Targets[0].Name != "" || len(sel.From) > 0 || sel.Where != nil || sel.GroupBy != nil || sel.Having != nil ||
		sel.Distinct || sel.Windows != nil || len(tree.OrderBy) > 0 || tree.Limit != nil || tree.Offset != nil {
		return "", nil, refuse("%q is not one expression", s)
	}
	return s, sel.Targets[0].Expr, nil
}

// placed moves the place of an error.
func placed(err error, by int) error {
	e, is := err.(*value.Error)
	if !is {
		return err
	}
	return e.At("", max(0, e.Start+by), max(0, e.End+by))
}

// condition is an expression that stands among others with AND between.
func condition(s string) (string, error) {
	s, _, err := expression(s)
	if err != nil {
		return "", err
	}
	return beside(s), nil
}

// beside writes a condition so that it can stand among others: in parentheses where OR
// joins its parts.
func beside(s string) string {
	all, err := syntax.Tokens(s)
	if err != nil {
		return s
	}
	t := text{sql: s, all: all}
	for i, tok := range all {
		if !tok.Comment {
			t.words = append(t.words, i)
		}
	}
	depth := 0
	for i := range t.words {
		switch {
		case t.is(i, "(", "[", "case") && !t.is(i-1, "."):
			depth++
		case t.is(i, ")", "]", "end") && !t.is(i-1, "."):
			depth--
		case depth == 0 && t.is(i, "or") && !t.is(i-1, "."):
			if len(all) > 0 && all[len(all)-1].Line {
				s += "\n"
			}
			return "(" + s + ")"
		}
	}
	return s
}

// item writes an item of the select list.
func item(expr, name string) string {
	if name == "" {
		return expr
	}
	return expr + " AS " + syntax.Identifier(name)
}

// FromItem is how an input stands in FROM: a relation's dotted name, or a
// statement as it stands, verbatim('source', $$ … $$).
func FromItem(name string) (string, error) {
	if !isVerbatim(name) {
		return syntax.Dotted(strings.Split(name, ".")...), nil
	}
	f, err := Of("SELECT 1 FROM " + name)
	if err != nil {
		return "", placed(err, -len("SELECT 1 FROM "))
	}
	if len(f.Blocks) != 1 || len(f.Blocks[0].Inputs) != 1 || f.Blocks[0].Inputs[0].Kind != KindVerbatim || f.Blocks[0].Inputs[0].Named || f.Blocks[0].Inputs[0].Text != strings.TrimSpace(name) {
		return "", refuse("that is no statement as it stands").WithHint("such as verbatim('source', $$ … $$)")
	}
	return f.Blocks[0].Inputs[0].Text, nil
}

func isVerbatim(name string) bool {
	return len(name) > len("verbatim(") && strings.EqualFold(name[:len("verbatim(")], "verbatim(")
}

// aliasFor chooses a short name for a relation that is not taken.
func aliasFor(name string, taken []string) string {
	if isVerbatim(name) {
		name = "verbatim"
	}
	name = name[strings.LastIndexByte(name, '.')+1:]
	var initials string
	for _, w := range strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r < 'a' || r > 'z' }) {
		initials += w[:1]
	}
	if initials == "" {
		initials = "t"
	}
	free := func(a string) bool { return !slices.Contains(taken, a) && syntax.Identifier(a) == a }
	for _, a := range []string{initials[:1], initials} {
		if free(a) {
			return a
		}
	}
	for n := 2; ; n++ {
		if a := fmt.Sprint(initials[:1], n); free(a) {
			return a
		}
	}
}
