package rename

import (
	"slices"
	"strings"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Views gives views other names, also in other layers, in every text that reads
// them: moves maps full names. layers are the project's layers afterwards.
func Views(ctx bind.Context, e *estate.Estate, moves map[string]string, layers []catalog.Layer) (*Plan, error) {
	plan := &Plan{Texts: []Text{}, Moves: []Move{}, Columns: []string{}}
	todo := map[string]bool{}
	for from, to := range moves {
		if e.Catalog().View(from) == nil {
			return nil, value.Errorf(value.CodeUndefinedTable, "no view is called %q", from)
		}
		if to == from {
			continue
		}
		if e.Catalog().View(to) != nil && moves[to] == "" {
			return nil, value.Errorf(value.CodeDuplicate, "there is a view called %s already", to).WithHint("choose another name")
		}
		plan.Moves = append(plan.Moves, Move{from, to})
		for _, reader := range e.Readers(from) {
			todo[reader] = true
		}
	}
	slices.SortFunc(plan.Moves, func(a, b Move) int { return strings.Compare(a.From, b.From) })
	texts := map[string]string{}
	for _, v := range e.Views() {
		name := v.FullName()
		if !todo[name] {
			continue
		}
		if v.Err != nil {
			return nil, value.Errorf(value.CodeBadParameter, "%s does not bind as it is: %s", name, v.Err).WithHint("mend it first")
		}
		is, err := moved(v.SQL, moves)
		if err != nil {
			return nil, err
		}
		if is != v.SQL {
			texts[name] = is
			plan.Texts = append(plan.Texts, Text{View: name, Was: v.SQL, Is: is})
		}
	}
	name := func(full string) string {
		if to, ok := moves[full]; ok {
			return to
		}
		return full
	}
	var views []*catalog.View
	for _, v := range e.Views() {
		n := *v.View
		if is, ok := texts[v.FullName()]; ok {
			n.SQL = is
		}
		n.Layer, n.Name, _ = strings.Cut(name(v.FullName()), ".")
		views = append(views, &n)
	}
	ctx.Catalog = catalog.New(e.Catalog().Sources(), layers, views)
	changed := slices.Clone(plan.Texts)
	for _, m := range plan.Moves {
		changed = append(changed, Text{View: m.From})
	}
	_, err := compare(e, estate.New(ctx, nil), changed, name, func(r lineage.Ref) lineage.Ref {
		if e.Catalog().View(r.Table) != nil {
			r.Table = name(r.Table)
		}
		return r
	})
	return plan, err
}

// moved writes a text that reads views by their names before.
func moved(sql string, moves map[string]string) (string, error) {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return "", err
	}
	e := &edits{sql: sql}
	qualified := map[string]string{} // layer.view before its columns, and what stands there then
	syntax.Walk(tree, func(n syntax.Node) bool {
		t, is := n.(*syntax.TableName)
		if !is || len(t.Parts) != 2 {
			return true
		}
		from := strings.Join(t.Parts, ".")
		to, ok := moves[from]
		if !ok || to == from {
			return true
		}
		parts := strings.SplitN(to, ".", 2)
		with := syntax.Dotted(parts...)
		if t.Alias == "" && parts[1] != t.Parts[1] {
			// Its columns go on being called by the name that it had.
			with += " AS " + syntax.Identifier(t.Parts[1])
			qualified[from] = syntax.Identifier(t.Parts[1])
		} else if t.Alias == "" {
			qualified[from] = with
		}
		e.replace(t.Span, with)
		return true
	})
	syntax.Walk(tree, func(n syntax.Node) bool {
		var table []string
		at := n.At()
		switch n := n.(type) {
		case *syntax.Column:
			table = n.Parts[:len(n.Parts)-1]
		case *syntax.Star:
			table = n.Table
		}
		if with, ok := qualified[strings.Join(table, ".")]; ok && len(table) == 2 {
			tokens, err := syntax.Tokens(sql[at.Start:at.End])
			if err == nil && len(tokens) >= 3 {
				e.replace(syntax.Span{Start: at.Start, End: at.Start + tokens[2].End}, with)
			}
		}
		return true
	})
	return e.text(), nil
}
