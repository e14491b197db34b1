package form

import (
	"slices"
	"strings"

	"rovik/core/syntax"
)

// Part is a part of the text; Start and End count bytes.
type Part struct {
	Start int    `json:"start"`
	End   int    `json:"end"`
	Text  string `json:"text"`
	// Locked says why the form cannot show more of it; empty where it does.
	Locked string `json:"locked,omitempty"`
}

// Form is a query as a form: one block, or several whose rows a union puts under
// the names of the first.
type Form struct {
	With   []Part  `json:"with"` // named queries, locked
	Blocks []Block `json:"blocks"`
	Union  string  `json:"union" enum:",union,union all"` // "union" or "union all" between blocks
	Order  []Order `json:"order"`
	Limit  *Part   `json:"limit,omitempty"`
	Offset *Part   `json:"offset,omitempty"`
	// Locked is the whole query, where the form has no parts of it.
	Locked *Part `json:"locked,omitempty"`
}

// Block is one SELECT.
type Block struct {
	Part
	Distinct   bool     `json:"distinct"`
	DistinctOn []Part   `json:"distinctOn"` // the first row for each of these
	Outputs    []Output `json:"outputs"`
	Inputs     []Input  `json:"inputs"`
	Filters    []Part   `json:"filters"` // all of them hold for a row
	Groups     []Part   `json:"groups"`
	Having     []Part   `json:"having"`
	Windows    *Part    `json:"windows,omitempty"` // locked
}

// Output is an item of the select list. Name is what AS gives it; Star tells * and
// table.* from one column.
type Output struct {
	Part
	Expr Part   `json:"expr"`
	Name string `json:"name"`
	Star bool   `json:"star"`
}

// Kinds of inputs.
const (
	KindRelation = "relation" // a table or a view
	KindNamed    = "named"    // a query of WITH
	KindVerbatim = "verbatim" // a statement as it stands
	KindQuery    = "query"    // a query in parentheses
	KindFunction = "function"
	KindLocked   = "locked" // all of FROM, where it is no list of joins
)

// Input is an item of FROM, joined to those before it.
type Input struct {
	Part
	Kind  string `json:"kind" enum:"relation,named,verbatim,query,function,locked"`
	Name  string `json:"name"`  // of a relation, dotted
	Alias string `json:"alias"` // what its columns are called by
	Named bool   `json:"named"` // Alias is the text's own, not the name's last part
	// Join is how it joins: "inner", "left", "right", "full", "cross", or "comma";
	// empty for the first.
	Join  string   `json:"join" enum:",inner,left,right,full,cross,comma"`
	On    []Part   `json:"on"`    // all of them hold
	Using []string `json:"using"` // columns that both sides have
	// Condition is the whole of what follows ON or USING, nil for none.
	Condition *Part `json:"condition,omitempty"`
	Natural   bool  `json:"natural"`
}

// Order is an item of ORDER BY.
type Order struct {
	Part
	Expr string `json:"expr"`
	Desc bool   `json:"desc"`
}

// Of reads the form of a text. Errors are the parser's.
func Of(sql string) (*Form, error) {
	if strings.TrimSpace(sql) == "" {
		return &Form{With: []Part{}, Blocks: []Block{}, Order: []Order{}}, nil
	}
	d, err := read(sql)
	if err != nil {
		return nil, err
	}
	return d.form, nil
}

// document is a text that has been read: the form, and what an edit needs besides.
type document struct {
	text
	form    *Form
	blocks  []blockPlaces
	tail    clauses // ORDER BY, LIMIT and OFFSET of the whole
	changes []change
}

// blockPlaces are the clauses of a block and the commas of its lists.
type blockPlaces struct {
	clauses clauses
	joins   []joinPlaces
}

func read(sql string) (*document, error) {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return nil, err
	}
	all, err := syntax.Tokens(sql)
	if err != nil {
		return nil, err
	}
	d := &document{text: text{sql: sql, all: all}, form: &Form{With: []Part{}, Blocks: []Block{}, Order: []Order{}}}
	for i, t := range all {
		if !t.Comment {
			d.words = append(d.words, i)
		}
	}
	d.query(tree)
	return d, nil
}

// named are the queries of WITH.
type named map[string]bool

func (d *document) query(q *syntax.Query) {
	with := named{}
	for _, c := range q.With {
		with[c.Name] = true
	}
	selects, union, why := blocks(q.Body, "")
	if why != "" {
		d.lock(why)
		return
	}
	d.form.Union = union
	for _, s := range selects {
		if len(s.Targets) == 0 {
			d.lock("a SELECT without columns is edited in the SQL")
			return
		}
	}
	if len(q.With) > 0 {
		d.with(q, selects[0])
	}
	for i, s := range selects {
		first := d.wordBefore(s.Targets[0].Start, "select")
		c, end := d.clauses(first)
		if i == len(selects)-1 {
			d.tail = c
			if d.is(end, ")") { // the last one stands in parentheses: what follows is of the whole
				for d.is(end, ")") {
					end++
				}
				d.tail, end = d.clausesFrom(end)
			}
			if end < len(d.words) && !d.is(end, ";") {
				d.lock("this ending is edited in the SQL")
				return
			}
		}
		d.block(s, c, with)
	}
	d.order(q)
	if q.WithTies || len(q.OrderBy) != len(d.form.Order) {
		d.lock("FETCH FIRST … WITH TIES is edited in the SQL")
	}
}

// lock leaves nothing but the text as it stands.
func (d *document) lock(why string) {
	d.form = &Form{With: []Part{}, Blocks: []Block{}, Order: []Order{}, Locked: d.lockedPart(syntax.Span{Start: 0, End: len(d.sql)}, why)}
	d.blocks = nil
}

// blocks lists the selects of a union, and why there are none.
func blocks(body syntax.Body, op string) (out []*syntax.Select, union, why string) {
	switch b := body.(type) {
	case *syntax.Select:
		return []*syntax.Select{b}, op, ""
	case *syntax.SetOp:
		own := b.Op
		if b.All {
			own += " all"
		}
		switch {
		case b.Op != "union":
			return nil, "", strings.ToUpper(b.Op) + " is edited in the SQL"
		case op != "" && own != op:
			return nil, "", "a union of different kinds is edited in the SQL"
		case !plain(b.Left) || !plain(b.Right):
			return nil, "", "a union of queries with their own WITH, ORDER BY or LIMIT is edited in the SQL"
		}
		left, _, why := blocks(b.Left.Body, own)
		if why != "" {
			return nil, "", why
		}
		right, is := b.Right.Body.(*syntax.Select)
		if !is {
			return nil, "", "a union within a union is edited in the SQL"
		}
		return append(left, right), own, ""
	}
	return nil, "", "VALUES is edited in the SQL"
}

func plain(q *syntax.Query) bool {
	return len(q.With) == 0 && len(q.OrderBy) == 0 && q.Limit == nil && q.Offset == nil
}

// tailClauses belong to the whole query, not to its last block.
var tailClauses = []string{"order by", "limit", "offset", "fetch"}

// with locks the named queries.
func (d *document) with(q *syntax.Query, first *syntax.Select) {
	why := "a named query is edited in the SQL"
	end := d.at(d.wordBefore(first.Targets[0].Start, "select")).Start
	for i, c := range q.With {
		stop := end
		if i+1 < len(q.With) {
			stop = q.With[i+1].Start
		}
		s := strings.TrimRight(d.sql[c.Start:stop], " \t\r\n,(")
		d.form.With = append(d.form.With, Part{c.Start, c.Start + len(s), s, why})
	}
}

// order reads ORDER BY, LIMIT and OFFSET of the whole.
func (d *document) order(q *syntax.Query) {
	if c := d.tail.get("order by"); c != nil {
		items := d.split(c.first, c.end, ",")
		for i, it := range items {
			if i < len(q.OrderBy) {
				o := q.OrderBy[i]
				d.form.Order = append(d.form.Order, Order{Part: d.part(it), Expr: d.grown(o.Expr, it).Text, Desc: o.Desc})
			}
		}
	}
	if c := d.tail.get("limit"); c != nil && q.Limit != nil {
		p := d.part(d.span(c.first, c.end))
		d.form.Limit = &p
	}
	if c := d.tail.get("fetch"); c != nil {
		d.form.Limit = d.lockedPart(d.span(c.word, c.end), "FETCH is edited in the SQL")
	}
	if c := d.tail.get("offset"); c != nil && q.Offset != nil {
		p := d.part(d.span(c.first, c.end))
		d.form.Offset = &p
	}
}

// block reads one select.
func (d *document) block(s *syntax.Select, c clauses, with named) {
	places := blockPlaces{clauses: c}
	last := 0
	for i, one := range c {
		if !slices.Contains(tailClauses, one.name) {
			last = i
		}
	}
	b := Block{Part: d.part(d.span(c[0].word, c[last].end)), Distinct: s.Distinct, DistinctOn: []Part{}, Outputs: []Output{}, Inputs: []Input{},
		Filters: []Part{}, Groups: []Part{}, Having: []Part{}}
	for _, e := range s.DistinctOn {
		b.DistinctOn = append(b.DistinctOn, d.part(e.At()))
	}
	items := d.split(c[0].first, c[0].end, ",")
	for i, it := range items {
		if i >= len(s.Targets) {
			break
		}
		t := s.Targets[i]
		_, star := t.Expr.(*syntax.Star)
		b.Outputs = append(b.Outputs, Output{Part: d.part(it), Expr: d.grown(t.Expr, it), Name: t.Name, Star: star})
	}
	if from := c.get("from"); from != nil {
		b.Inputs, places.joins = d.from(s.From, from, with)
	}
	if w := c.get("where"); w != nil {
		b.Filters = d.conditions(s.Where, d.span(w.first, w.end))
	}
	if g := c.get("group by"); g != nil {
		b.Groups = d.groups(s, g)
	}
	if h := c.get("having"); h != nil {
		b.Having = d.conditions(s.Having, d.span(h.first, h.end))
	}
	if w := c.get("window"); w != nil {
		b.Windows = d.lockedPart(d.span(w.first, w.end), "named windows are edited in the SQL")
	}
	d.form.Blocks = append(d.form.Blocks, b)
	d.blocks = append(d.blocks, places)
}

func (d *document) groups(s *syntax.Select, g *clause) []Part {
	whole := d.span(g.first, g.end)
	for _, e := range s.GroupBy {
		if _, is := e.(*syntax.GroupingSet); is || s.GroupDistinct {
			return []Part{*d.lockedPart(whole, "grouping sets are edited in the SQL")}
		}
	}
	out := []Part{}
	for _, it := range d.split(g.first, g.end, ",") {
		out = append(out, d.part(it))
	}
	return out
}

// conditions cuts a condition at its outermost ANDs.
func (d *document) conditions(x syntax.Expr, whole syntax.Span) []Part {
	op, is := x.(*syntax.Op)
	if !is || op.Name != "and" {
		return []Part{d.part(whole)}
	}
	out := []Part{}
	for i, a := range op.Args {
		out = append(out, d.grown(a, whole))
		if i == 0 {
			continue
		}
		// Nothing but AND stands between two of them, or some parenthesis is open.
		if and := d.wordAt(out[i-1].End); !d.is(and, "and") || and+1 != d.wordAt(out[i].Start) {
			return []Part{d.part(whole)}
		}
	}
	if out[0].Start != whole.Start || out[len(out)-1].End != whole.End {
		return []Part{d.part(whole)}
	}
	return out
}

// from reads the items of FROM: token by token for their places, from the tree
// for what they are.
func (d *document) from(tables []syntax.Table, c *clause, with named) ([]Input, []joinPlaces) {
	var leaves []leaf
	for i, t := range tables {
		join := ""
		if i > 0 {
			join = "comma"
		}
		leaves = append(leaves, flatten(t, join)...)
	}
	places := d.joins(c.first, c.end)
	whole := d.span(c.first, c.end)
	if len(places) != len(leaves) {
		return []Input{{Part: *d.lockedPart(whole, "joins in parentheses are edited in the SQL"), Kind: KindLocked, On: []Part{}, Using: []string{}}}, nil
	}
	out := make([]Input, len(leaves))
	for i, l := range leaves {
		in := Input{Part: d.part(places[i].item), Join: l.join, On: []Part{}, Using: []string{}}
		d.describe(&in, l.table, with)
		if j := l.by; j != nil {
			in.Natural = j.Natural
			if len(j.Using) > 0 {
				in.Using = j.Using
			}
			if p := places[i].condition; p.End > p.Start {
				whole := d.part(p)
				in.Condition = &whole
				if j.On != nil {
					in.On = d.conditions(j.On, p)
				}
			}
		}
		out[i] = in
	}
	return out, places
}

// describe says what an input is.
func (d *document) describe(in *Input, t syntax.Table, with named) {
	switch t := t.(type) {
	case *syntax.TableName:
		in.Kind, in.Name = KindRelation, strings.Join(t.Parts, ".")
		in.Alias, in.Named = t.Alias, t.Alias != ""
		if !in.Named {
			in.Alias = t.Parts[len(t.Parts)-1]
		}
		if len(t.Parts) == 1 && with[t.Parts[0]] {
			in.Kind = KindNamed
		}
	case *syntax.Subquery:
		in.Kind, in.Alias, in.Named = KindQuery, t.Alias, t.Alias != ""
		in.Locked = "a query in parentheses is edited in the SQL"
	case *syntax.TableFunc:
		in.Kind, in.Alias, in.Named = KindFunction, t.Alias, t.Alias != ""
		if f, is := t.Funcs[0].(*syntax.Func); is && f.Name == "verbatim" && len(t.Funcs) == 1 {
			in.Kind = KindVerbatim
			if l, is := first(f.Args).(*syntax.Literal); is {
				in.Name = l.Text
			}
		}
		in.Locked = "a function is edited in the SQL"
		if in.Kind == KindVerbatim {
			in.Locked = "a statement in the source's own language is edited in the SQL"
		}
	}
}

func first(args []syntax.Expr) syntax.Expr {
	if len(args) == 0 {
		return nil
	}
	return args[0]
}

// leaf is a table of FROM with the join that brings it in.
type leaf struct {
	table syntax.Table
	join  string
	by    *syntax.Join
}

var joinWords = map[syntax.JoinKind]string{syntax.Inner: "inner", syntax.Left: "left", syntax.Cross: "cross", syntax.Right: "right", syntax.Full: "full"}

// flatten lists the tables of joins that lean to the left. Others come out as
// one too many or too few, and are locked.
func flatten(t syntax.Table, join string) []leaf {
	j, is := t.(*syntax.Join)
	if !is || j.Alias != "" {
		return []leaf{{t, join, nil}}
	}
	if _, nested := j.Right.(*syntax.Join); nested {
		return []leaf{{t, join, nil}, {nil, "", nil}, {nil, "", nil}}
	}
	return append(flatten(j.Left, join), leaf{j.Right, joinWords[j.Kind], j})
}
