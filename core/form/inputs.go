package form

import (
	"slices"
	"strings"

	"rovik/core/syntax"
)

// joinText is how each kind of join is written.
var joinText = map[string]string{"inner": "JOIN", "left": "LEFT JOIN", "right": "RIGHT JOIN", "full": "FULL JOIN", "cross": "CROSS JOIN"}

// aliases are the names by which inputs of any block are called.
func (d *document) aliases() []string {
	var out []string
	for _, b := range d.form.Blocks {
		for _, in := range b.Inputs {
			out = append(out, in.Alias)
		}
	}
	return out
}

// addInput joins the relation Name to those before it: Kind is how, Texts are
// the conditions, in which the word {new} stands for its alias. Text may choose
// the alias.
func (d *document) addInput(e Edit) error {
	b := &d.form.Blocks[e.Block]
	alias := e.Text
	if alias == "" {
		alias = aliasFor(e.Name, d.aliases())
	}
	alias = syntax.Identifier(alias)
	from, err := FromItem(e.Name)
	if err != nil {
		return err
	}
	named := from + " AS " + alias
	places := d.blocks[e.Block]
	clause := places.clauses.get("from")
	if clause == nil {
		d.add(e.Block, "from", named)
		return nil
	}
	if len(b.Inputs) == 1 && b.Inputs[0].Kind == KindLocked {
		return refuse("%s", b.Inputs[0].Locked)
	}
	words, ok := joinText[e.Kind]
	if !ok {
		return refuse("%q is no kind of join", e.Kind)
	}
	if e.Kind != "cross" {
		on := "true"
		if len(e.Texts) > 0 {
			var conds []string
			for _, c := range e.Texts {
				c, err := condition(strings.ReplaceAll(c, "{new}", alias))
				if err != nil {
					return err
				}
				conds = append(conds, c)
			}
			on = strings.Join(conds, " AND ")
		}
		named += " ON " + on
	}
	end := d.at(clause.end - 1).End
	pos := d.comments(end)
	d.insert(pos, d.breakAt(pos, d.indent(d.at(clause.word).Start))+words+" "+named)
	return nil
}

// input returns the input that an edit is of.
func (d *document) input(e Edit) (*Input, *joinPlaces, error) {
	b := &d.form.Blocks[e.Block]
	if e.At < 0 || e.At >= len(b.Inputs) {
		return nil, nil, refuse("there is no input %d", e.At)
	}
	in := &b.Inputs[e.At]
	if in.Kind == KindLocked {
		return nil, nil, refuse("%s", in.Locked)
	}
	return in, &d.blocks[e.Block].joins[e.At], nil
}

// removeInput takes an input out, and the outputs that are bare columns of it.
// What else names it stays, and is an error there.
func (d *document) removeInput(e Edit) error {
	in, places, err := d.input(e)
	if err != nil {
		return err
	}
	b := &d.form.Blocks[e.Block]
	var own []int
	for i, o := range b.Outputs {
		if qualifier(o.Expr.Text) == in.Alias && in.Alias != "" {
			own = append(own, i)
		}
	}
	switch all := d.blocks[e.Block].joins; {
	case len(all) == 1:
		return refuse("this is the only input").WithHint("add another one first")
	case e.At > 0:
		end := max(places.item.End, places.condition.End)
		d.cut(syntax.Span{Start: places.words.Start, End: end})
	default:
		// The next one comes first, without what joined it.
		next := all[1]
		d.replace(syntax.Span{Start: places.item.Start, End: next.item.Start}, "")
		if next.keyword.End > 0 {
			d.replace(syntax.Span{Start: next.item.End, End: next.condition.End}, "")
		}
	}
	if len(own) == 0 || len(d.form.Blocks) > 1 {
		return nil
	}
	if len(own) == len(b.Outputs) { // something has to be there
		d.replace(b.Outputs[own[0]].span(), "*")
		own = own[1:]
	}
	return d.dropOutputs(e.Block, own)
}

func (p Part) span() syntax.Span { return syntax.Span{Start: p.Start, End: p.End} }

// qualifier is the table that a bare column or star is qualified by.
func qualifier(expr string) string {
	_, x, err := expression(expr)
	if err != nil {
		return ""
	}
	switch x := x.(type) {
	case *syntax.Column:
		if len(x.Parts) == 2 {
			return x.Parts[0]
		}
	case *syntax.Star:
		if len(x.Table) == 1 {
			return x.Table[0]
		}
	}
	return ""
}

// setJoin changes how an input joins those before it.
func (d *document) setJoin(e Edit) error {
	in, places, err := d.input(e)
	if err != nil {
		return err
	}
	words, ok := joinText[e.Kind]
	switch {
	case !ok:
		return refuse("%q is no kind of join", e.Kind)
	case in.Join == "":
		return refuse("the first input joins nothing")
	case in.Natural:
		return refuse("a NATURAL join is edited in the SQL")
	case in.Join == "comma":
		words = "\n" + d.indent(d.lineOf(e.Block)) + words
		d.replace(syntax.Span{Start: places.words.Start, End: places.item.Start}, words+" ")
	default:
		d.replace(places.words, words)
	}
	has := places.keyword.End > 0
	switch {
	case e.Kind == "cross" && has:
		d.replace(syntax.Span{Start: places.item.End, End: places.condition.End}, "")
	case e.Kind != "cross" && !has:
		d.insert(places.item.End, " ON true")
	}
	return nil
}

// lineOf is where the first word of a block stands.
func (d *document) lineOf(block int) int { return d.at(d.blocks[block].clauses[0].word).Start }

// setCondition gives a join its conditions, Texts.
func (d *document) setCondition(e Edit) error {
	in, places, err := d.input(e)
	if err != nil {
		return err
	}
	if in.Join == "" || in.Join == "cross" || in.Join == "comma" || in.Natural {
		return refuse("this join has no condition").WithHint("choose another kind of join first")
	}
	var conds []string
	for _, c := range e.Texts {
		c, err := condition(c)
		if err != nil {
			return err
		}
		conds = append(conds, c)
	}
	if len(conds) == 0 {
		conds = []string{"true"}
	}
	if len(conds) == len(in.On) { // each where it stands
		for i, c := range conds {
			d.replace(in.On[i].span(), c)
		}
		return nil
	}
	d.replace(syntax.Span{Start: places.keyword.Start, End: places.condition.End}, "ON "+strings.Join(conds, " AND "))
	return nil
}

// setAlias calls an input by another name, wherever its columns are named.
func (d *document) setAlias(e Edit) error {
	in, _, err := d.input(e)
	if err != nil {
		return err
	}
	name := strings.TrimSpace(e.Name)
	switch {
	case name == "" || in.Kind != KindRelation && in.Kind != KindNamed && !in.Named:
		return refuse("an input needs a name")
	case slices.Contains(d.aliases(), name):
		return refuse("%q is the name of another input", name)
	}
	tree, err := syntax.Parse(d.sql)
	if err != nil {
		return err
	}
	if aliased(tree, in.Alias) > 1 {
		return refuse("%q means different inputs in different parts of the text", in.Alias).WithHint("rename it in the SQL")
	}
	old := in.Alias
	syntax.Walk(tree, func(n syntax.Node) bool {
		var parts []string
		switch n := n.(type) {
		case *syntax.Column:
			if len(n.Parts) > 1 {
				parts = n.Parts
			}
		case *syntax.Star:
			parts = n.Table
		}
		if len(parts) > 0 && parts[0] == old {
			d.replace(d.at(d.wordAt(n.At().Start)).Span, syntax.Identifier(name))
		}
		return true
	})
	if !in.Named {
		d.insert(in.End, " AS "+syntax.Identifier(name))
		return nil
	}
	// The alias is the word behind the item's own end, with AS or without.
	first, end := d.wordAt(in.Start), d.wordAt(in.End)
	for i := end - 1; i > first; i-- {
		if d.is(i, old, syntax.Identifier(old)) && !d.is(i-1, ".") {
			d.replace(d.at(i).Span, syntax.Identifier(name))
			return nil
		}
	}
	return refuse("the name could not be found in the text").WithHint("rename it in the SQL")
}

// aliased counts the inputs anywhere that are called by a name.
func aliased(tree *syntax.Query, alias string) int {
	n := 0
	syntax.Walk(tree, func(x syntax.Node) bool {
		switch t := x.(type) {
		case *syntax.TableName:
			if t.Alias == alias || t.Alias == "" && t.Parts[len(t.Parts)-1] == alias {
				n++
			}
		case *syntax.Subquery:
			if t.Alias == alias {
				n++
			}
		case *syntax.TableFunc:
			if t.Alias == alias {
				n++
			}
		}
		return true
	})
	return n
}
