package rename

import (
	"strings"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/form"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// uses is where a text uses the column, and how.
type uses struct {
	refs    []ref               // columns that are it
	keys    []syntax.Span       // names in ORDER BY and the like of outputs that are it, by a star
	others  []ref               // bare names of other columns that are called as it is to be
	outputs []output            // items of select lists that are it
	stars   []syntax.Span       // stars that it comes through, in any select list
	scans   []*syntax.TableName // relations that have it
	columns map[*syntax.TableName][]string
	merged  bool // USING or NATURAL makes one column of it and another
	passes  bool // the text's own output of that name is it
	starTop bool // through a star
}

// ref is a column's name at a place; of is what its relation is called there.
type ref struct {
	at syntax.Span
	of string
}

type output struct {
	at      syntax.Span
	aliased bool
	top     bool // of the text's own select list
}

// uses binds a text and finds what in it is the column.
func (r *columns) uses(v *catalog.View, sql string) (*uses, error) {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return nil, err
	}
	u := &uses{columns: map[*syntax.TableName][]string{}}
	ids, relations, called := plan.IDs{}, map[plan.ID]string{}, plan.IDs{}
	tables := map[int]*syntax.TableName{}
	targets := map[int]*syntax.Target{}
	top := leftmost(tree)
	syntax.Walk(tree, func(n syntax.Node) bool {
		switch n := n.(type) {
		case *syntax.TableName:
			tables[n.Start] = n
		case *syntax.Select:
			for i := range n.Targets {
				targets[n.Targets[i].Start] = &n.Targets[i]
			}
		}
		return true
	})
	tops, nameless := map[int]bool{}, map[int]bool{}
	for _, s := range branches(tree) {
		for _, t := range s.Targets {
			tops[t.Start], nameless[t.Start] = s == top, s != top
		}
	}
	ctx := r.ctx
	ctx.Catalog, ctx.Layer, ctx.View = r.e.Catalog(), v.Layer, v.FullName()
	ctx.Columns = func(v *catalog.View) (*catalog.Table, error) {
		known := r.e.View(v.FullName())
		return known.Table, known.Err
	}
	ctx.Watch = &bind.Watch{
		Relation: func(at syntax.Span, n plan.Node, name string, cols []plan.Column) {
			for _, c := range cols {
				relations[c.ID] = name
				if c.Name == r.to {
					called[c.ID] = true
				}
			}
			scan, is := n.(*plan.Scan)
			t := tables[at.Start]
			if !is || t == nil || !r.set[relationOf(scan.Table)] {
				return
			}
			for i, c := range cols {
				if scan.Table.Columns[scan.Cols[i].Index].Name == r.old && i >= len(t.Columns) { // or its alias names it
					ids[c.ID] = true
					if u.columns[t] == nil {
						u.scans = append(u.scans, t)
					}
					u.columns[t] = nil
					for _, c := range cols {
						u.columns[t] = append(u.columns[t], c.Name)
					}
				}
			}
		},
		Join: func(j *syntax.Join, n *plan.Join) {
			has := func(n plan.Node) bool { return plan.Outputs(n).Meets(ids) }
			for _, name := range j.Using {
				u.merged = u.merged || name == r.old && (has(n.Left) || has(n.Right))
			}
			u.merged = u.merged || j.Natural && (has(n.Left) || has(n.Right))
		},
		Column: func(at syntax.Span, id plan.ID) {
			switch {
			case ids[id]:
				u.refs = append(u.refs, ref{at, relations[id]})
			case called[id]:
				u.others = append(u.others, ref{at, relations[id]})
			}
		},
		Named: func(at syntax.Span, id plan.ID) {
			if ids[id] {
				u.keys = append(u.keys, at)
			}
		},
		Output: func(at syntax.Span, items []plan.Item) {
			t := targets[at.Start]
			for _, it := range items {
				c, is := it.Expr.(*plan.Col)
				if !is || !ids[c.ID] || t == nil {
					continue
				}
				if _, star := t.Expr.(*syntax.Star); star {
					ids[it.ID] = true // it keeps its name
					u.stars = append(u.stars, at)
					if tops[at.Start] {
						u.passes, u.starTop = true, true
					}
					continue
				}
				if _, bare := t.Expr.(*syntax.Column); bare {
					u.outputs = append(u.outputs, output{at, t.Name != "" || nameless[at.Start], tops[at.Start]})
					if tops[at.Start] && (t.Name == "" || t.Name == r.old) {
						u.passes = true
					}
				}
			}
		},
	}
	if _, err := bind.Bind(ctx, sql, tree); err != nil {
		return nil, err
	}
	return u, nil
}

// leftmost is the select that gives a query its columns' names.
func leftmost(q *syntax.Query) *syntax.Select {
	switch b := q.Body.(type) {
	case *syntax.Select:
		return b
	case *syntax.SetOp:
		return leftmost(b.Left)
	}
	return nil
}

// branches are the selects whose rows a query puts together.
func branches(q *syntax.Query) []*syntax.Select {
	switch b := q.Body.(type) {
	case *syntax.Select:
		return []*syntax.Select{b}
	case *syntax.SetOp:
		return append(branches(b.Left), branches(b.Right)...)
	}
	return nil
}

// reader writes a text that reads renamed columns. kept says that its own output
// goes on under the old name.
func (r *columns) reader(v *catalog.View, sql string) (is, note string, kept bool, err error) {
	u, err := r.uses(v, sql)
	if err != nil {
		return "", "", false, err
	}
	passOn := r.set[v.FullName()]
	if u.starTop && !passOn {
		// Its star would bring the new name: it is written out.
		if sql, err = r.expanded(v, sql); err != nil {
			return "", "", false, err
		}
		note = "* is written out, so that its columns keep their names"
		if u, err = r.uses(v, sql); err != nil {
			return "", "", false, err
		}
	}
	if u.merged {
		is, err := r.listed(u, sql)
		return is, "the old name goes on within this text, since USING needs it", true, err
	}
	e := &edits{sql: sql}
	name := syntax.Identifier(r.to)
	for _, ref := range u.refs {
		last, err := lastPart(sql, ref.at)
		if err != nil {
			return "", "", false, err
		}
		if r.qualify[v.FullName()] && last == ref.at && ref.of != "" {
			e.replace(last, syntax.Dotted(ref.of, r.to))
		} else {
			e.replace(last, name)
		}
	}
	for _, at := range u.keys {
		e.replace(at, name)
	}
	if r.qualify[v.FullName()] {
		note = "columns are written with their tables, so that the new name is clear"
		for _, ref := range u.others {
			if last, err := lastPart(sql, ref.at); err != nil || last != ref.at || ref.of == "" {
				continue
			}
			e.replace(ref.at, syntax.Dotted(ref.of, r.to))
		}
	}
	for _, o := range u.outputs {
		if !o.aliased && !(o.top && passOn) { // names within the text stay
			e.replace(syntax.Span{Start: o.at.End, End: o.at.End}, " AS "+syntax.Identifier(r.old))
		}
	}
	is = e.text()
	if passOn && v.FullName() != "" {
		if is, err = r.outputName(v, is); err != nil {
			return "", "", false, err
		}
	}
	return is, note, false, nil
}

// expanded writes the stars of a text's own select list out.
func (r *columns) expanded(v *catalog.View, sql string) (string, error) {
	f, err := form.Of(sql)
	if err != nil {
		return "", err
	}
	ctx := r.ctx
	ctx.Catalog, ctx.Layer, ctx.View, ctx.Watch = r.e.Catalog(), v.Layer, v.FullName(), nil
	facts, err := form.FactsOf(ctx, sql, f)
	if err != nil {
		return "", err
	}
	if len(f.Blocks) == 0 {
		return "", value.Errorf(value.CodeUnsupported, "its * cannot be written out: %s", f.Locked.Locked)
	}
	for i := len(f.Blocks[0].Outputs) - 1; i >= 0; i-- {
		if !f.Blocks[0].Outputs[i].Star {
			continue
		}
		var texts []string
		for _, c := range facts.Outputs[0][i] {
			texts = append(texts, c.SQL)
		}
		if sql, err = form.Apply(sql, form.Edit{Do: "expand star", At: i, Texts: texts}); err != nil {
			return "", err
		}
	}
	return sql, nil
}

// listed gives the relations of a text a list of columns with the old name in it.
func (r *columns) listed(u *uses, sql string) (string, error) {
	e := &edits{sql: sql}
	all, err := syntax.Tokens(sql)
	if err != nil {
		return "", err
	}
	for _, t := range u.scans {
		names := make([]string, len(u.columns[t]))
		for i, n := range u.columns[t] {
			names[i] = syntax.Identifier(n)
		}
		list := " (" + strings.Join(names, ", ") + ")"
		if t.Alias == "" {
			e.replace(syntax.Span{Start: t.End, End: t.End}, " AS "+syntax.Identifier(t.Parts[len(t.Parts)-1])+list)
			continue
		}
		// Behind the alias, in the place of a list that is there.
		at := syntax.Span{Start: -1}
		for i, k := range all {
			if k.Start >= t.End && !k.Comment && unquoted(sql[k.Start:k.End]) == t.Alias {
				at = syntax.Span{Start: k.End, End: k.End}
				if len(t.Columns) > 0 {
					for _, c := range all[i+1:] {
						if at.End = c.End; sql[c.Start:c.End] == ")" {
							break
						}
					}
				}
				break
			}
		}
		if at.Start < 0 {
			return "", value.Errorf(value.CodeUnsupported, "the alias %s was not found in the text", t.Alias)
		}
		e.replace(at, list)
	}
	return e.text(), nil
}

func unquoted(s string) string {
	if strings.HasPrefix(s, `"`) {
		return strings.ReplaceAll(strings.Trim(s, `"`), `""`, `"`)
	}
	return strings.ToLower(s)
}

// own gives the column its new name in the text that defines it.
func (r *columns) own(v *estate.View) (string, error) {
	if v.Table.Column(r.old) < 0 {
		return "", value.Errorf(value.CodeUndefinedColumn, "it has no column called %q", r.old)
	}
	if v.Table.Column(r.to) >= 0 {
		return "", value.Errorf(value.CodeDuplicate, "it has a column called %q already", r.to)
	}
	tree, err := syntax.Parse(v.SQL)
	if err != nil {
		return "", err
	}
	sql := v.SQL
	top := leftmost(tree)
	if top == nil {
		return "", value.Errorf(value.CodeUnsupported, "VALUES gives its columns their names").WithHint("put it into a subquery with a list of columns")
	}
	for _, t := range top.Targets {
		if _, star := t.Expr.(*syntax.Star); star {
			if sql, err = r.expanded(v.View, sql); err != nil {
				return "", err
			}
			break
		}
	}
	return r.outputName(v.View, sql)
}

// outputName renames the text's own output old, and what ORDER BY and GROUP BY call
// by it.
func (r *columns) outputName(v *catalog.View, sql string) (string, error) {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return "", err
	}
	top := leftmost(tree)
	tokens, err := syntax.Tokens(sql)
	if err != nil {
		return "", err
	}
	e := &edits{sql: sql}
	for _, t := range top.Targets {
		column, bare := t.Expr.(*syntax.Column)
		switch {
		case t.Name == r.old:
			// The name is the last word before the next comma or clause: behind the
			// expression, its closing parentheses and AS.
			for i, k := range tokens {
				if k.Start < t.End || k.Comment || unquoted(sql[k.Start:k.End]) != r.old {
					continue
				}
				if bare && column.Parts[len(column.Parts)-1] == r.to {
					from := k.Start
					if i > 0 && strings.EqualFold(sql[tokens[i-1].Start:tokens[i-1].End], "as") {
						from = tokens[i-1].Start
					}
					e.replace(syntax.Span{Start: len(strings.TrimRight(sql[:from], " \t\n")), End: k.End}, "")
				} else {
					e.replace(k.Span, syntax.Identifier(r.to))
				}
				break
			}
		case t.Name == "" && bare && column.Parts[len(column.Parts)-1] == r.old:
			e.replace(syntax.Span{Start: t.End, End: t.End}, " AS "+syntax.Identifier(r.to))
		case t.Name == "" && bare && column.Parts[len(column.Parts)-1] == r.to: // it was renamed with what it reads
		default:
			continue
		}
		byName := func(x syntax.Expr) {
			if c, is := x.(*syntax.Column); is && len(c.Parts) == 1 && c.Parts[0] == r.old && !r.isInput(v, sql, c.Span) {
				e.replace(c.Span, syntax.Identifier(r.to))
			}
		}
		for _, o := range tree.OrderBy {
			byName(o.Expr)
		}
		for _, g := range top.GroupBy {
			byName(g)
		}
	}
	return e.text(), nil
}

// isInput reports whether a bare name at a place means a column of the inputs, and
// not an output.
func (r *columns) isInput(v *catalog.View, sql string, at syntax.Span) bool {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return false
	}
	is := false
	ctx := r.ctx
	ctx.Catalog, ctx.Layer, ctx.View = r.e.Catalog(), v.Layer, v.FullName()
	ctx.Columns = func(v *catalog.View) (*catalog.Table, error) {
		known := r.e.View(v.FullName())
		return known.Table, known.Err
	}
	ctx.Watch = &bind.Watch{Column: func(where syntax.Span, _ plan.ID) { is = is || where == at }}
	_, err = bind.Bind(ctx, sql, tree)
	return err == nil && is
}
