package app

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"
	"time"

	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/shape"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Changes that an impact is asked of.
const (
	ChangeGone    = "gone"
	ChangeRenamed = "renamed"
	ChangeType    = "type"
)

// Impact is what depends on a column, table or view, and what would become of it.
type Impact struct {
	Of estate.Node `json:"of"`
	// Views depend on it, with their columns that do and how; a view of which no
	// column does is only the reader of a table's rows.
	Views []ImpactView `json:"views"`
	// Change is what was asked of: gone, renamed or type.
	Change string `json:"change"`
	// Broken would not bind if the change were made.
	Broken []WouldBreak `json:"broken"`
	// Revisions are earlier texts that depend on it, Definitions what was said of
	// the source that names it, and Consumers what was run lately that read it.
	Revisions   []ImpactRevision `json:"revisions"`
	Definitions []string         `json:"definitions"`
	Consumers   []ImpactConsumer `json:"consumers"`
	// Cut says that there are more of these than were looked at.
	Cut bool `json:"cut"`
}

// ImpactRevision is an earlier text of a view. Error says why it could not be
// restored after the change, where it could now.
type ImpactRevision struct {
	View   string `json:"view"`
	Number int    `json:"number"`
	Error  string `json:"error"`
}

// ImpactConsumer is a text that was run, lately LastAt, Times among the last runs.
type ImpactConsumer struct {
	SQL    string    `json:"sql"`
	Times  int       `json:"times"`
	LastAt time.Time `json:"lastAt"`
	Run    string    `json:"run"` // the last one
}

// ImpactView is a view that depends on something.
type ImpactView struct {
	Name    string         `json:"name"`
	Direct  bool           `json:"direct"` // its text names it
	Rows    bool           `json:"rows"`   // which rows it has depends on it
	Columns []ImpactColumn `json:"columns"`
}

// ImpactColumn is a column that depends on something, and how.
type ImpactColumn struct {
	Name string      `json:"name"`
	How  estate.Role `json:"how"`
}

// Impact tells what depends on a column, or on a whole relation, and what would
// break if it went, were renamed, or had another type.
func (a *App) Impact(ctx context.Context, name, change, typ string) (_ *Impact, err error) {
	defer value.Guard(&err)
	n, err := a.node(name)
	if err != nil {
		return nil, err
	}
	s := a.state.Load()
	changed, err := s.changedTable(n, change, typ)
	if err != nil {
		return nil, err
	}
	g := s.estate.DownstreamOf(n)
	out := &Impact{Of: n, Change: change, Views: s.dependents(n, g), Broken: []WouldBreak{}, Revisions: []ImpactRevision{}, Definitions: s.definitionsOf(n), Consumers: []ImpactConsumer{}}
	after := s.estate.Changed(changed)
	for _, view := range s.estate.Downstream(n.Relation) {
		if was, is := s.estate.View(view), after.View(view); was.Err == nil && is.Err != nil {
			out.Broken = append(out.Broken, wouldNotBind(view, is.Err))
		}
	}
	reached := reachedFrom(s, n, g)
	for _, b := range out.Broken { // whoever reads these breaks too
		reached[b.View] = map[string]bool{"": true}
	}
	if err := a.revisionsThat(ctx, s, reached, after, out); err != nil {
		return nil, err
	}
	return out, a.consumersThat(ctx, s, reached, out)
}

const (
	// lookedRevisions and lookedConsumers bound what an impact looks at.
	lookedRevisions = 400
	lookedConsumers = 500
	mostConsumers   = 20
)

// reached are the nodes that a change can be noticed at, by relation; a relation
// of which all of it counts has the node without a column.
type reached map[string]map[string]bool

func reachedFrom(s *state, n estate.Node, down *estate.Graph) reached {
	out := reached{n.Relation: {n.Column: true}}
	for _, g := range down.Nodes {
		if out[g.Relation] == nil {
			out[g.Relation] = map[string]bool{}
		}
		out[g.Relation][g.Column] = true
	}
	if n.Column == "" {
		for _, view := range s.estate.Downstream(n.Relation) {
			out[view] = map[string]bool{"": true}
		}
	}
	return out
}

// by tells whether a text of that lineage depends on any of the nodes.
func (r reached) by(v *estate.View) bool {
	for _, rel := range v.Reads {
		if r[rel][""] {
			return true
		}
	}
	has := func(uses []lineage.Use) bool {
		return slices.ContainsFunc(uses, func(u lineage.Use) bool { return r[u.Table][u.Column] })
	}
	t := v.Text()
	if t == nil { // it does not bind
		return false
	}
	return has(t.Rows) || slices.ContainsFunc(t.Columns, func(c lineage.Column) bool { return has(c.Carries) || has(c.Influences) })
}

// relations are the names of the relations, the last part of each.
func (r reached) relations() []string {
	var out []string
	for _, rel := range slices.Sorted(maps.Keys(r)) {
		out = append(out, rel[strings.LastIndexByte(rel, '.')+1:])
	}
	return slices.Compact(out)
}

// revisionsThat finds the earlier texts that depend on any of the nodes, and
// whether they would bind after the change.
func (a *App) revisionsThat(ctx context.Context, s *state, r reached, after *estate.Estate, out *Impact) error {
	earlier, err := a.store.EarlierTexts(ctx, r.relations(), lookedRevisions+1)
	if err != nil {
		return err
	}
	if out.Cut = len(earlier) > lookedRevisions; out.Cut {
		earlier = earlier[:lookedRevisions]
	}
	for _, v := range earlier {
		was := s.estate.Of(v)
		if was.Err != nil || !r.by(was) {
			continue
		}
		found := ImpactRevision{View: v.FullName(), Number: v.Revision}
		if is := after.Of(v); is.Err != nil {
			found.Error = is.Err.Error()
		}
		out.Revisions = append(out.Revisions, found)
	}
	return nil
}

// consumersThat finds the texts that were run lately and depend on any of the
// nodes. Only those are bound that name a relation of theirs.
func (a *App) consumersThat(ctx context.Context, s *state, r reached, out *Impact) error {
	runs, err := a.store.RunTexts(ctx, lookedConsumers)
	if err != nil {
		return err
	}
	at := map[string]int{}
	for _, run := range runs {
		if i, seen := at[run.SQL]; seen {
			if i >= 0 {
				out.Consumers[i].Times++
			}
			continue
		}
		at[run.SQL] = -1
		if len(out.Consumers) < mostConsumers && a.names(run.SQL, r) && r.by(s.estate.Of(&catalog.View{SQL: run.SQL})) {
			at[run.SQL] = len(out.Consumers)
			out.Consumers = append(out.Consumers, ImpactConsumer{SQL: run.SQL, Times: 1, LastAt: run.BeganAt, Run: run.ID})
		}
	}
	return nil
}

// names tells whether a text names any of the relations.
func (a *App) names(sql string, r reached) bool {
	tree, err := a.trees.parse(sql)
	if err != nil {
		return false
	}
	found := false
	syntax.Walk(tree, func(n syntax.Node) bool {
		if t, is := n.(*syntax.TableName); is {
			name := strings.Join(t.Parts, ".")
			if table := a.Catalog().Table(name); table != nil {
				name = table.FullName()
			}
			found = found || r[name] != nil
		}
		return !found
	})
	return found
}

// definitionsOf lists what was said of a source by hand that names a column or
// table.
func (s *state) definitionsOf(n estate.Node) []string {
	out := []string{}
	for _, name := range slices.Sorted(maps.Keys(s.sources)) {
		rec := s.sources[name].record
		is := func(table string, columns []string) bool {
			t := s.catalog.Table(table)
			return t != nil && t.FullName() == n.Relation && (n.Column == "" || slices.Contains(columns, n.Column))
		}
		for _, k := range rec.Declared {
			if is(name+"."+k.Table, k.Columns) || k.To != "" && is(k.To, k.References) {
				text := fmt.Sprintf("the declared key %s.%s (%s)", name, k.Table, strings.Join(k.Columns, ", "))
				if k.To != "" {
					text += fmt.Sprintf(" to %s (%s)", k.To, strings.Join(k.References, ", "))
				}
				out = append(out, text)
			}
		}
		for _, table := range slices.Sorted(maps.Keys(rec.Types)) {
			for _, column := range slices.Sorted(maps.Keys(rec.Types[table])) {
				if is(name+"."+table, []string{column}) {
					out = append(out, fmt.Sprintf("%s.%s.%s is read as %s", name, table, column, rec.Types[table][column]))
				}
			}
		}
		for _, sh := range rec.Shapes {
			for _, t := range tablesOf(sh.Table) {
				var columns []string
				for _, c := range t.Columns {
					columns = append(columns, c.Name)
				}
				if is(name+"."+t.Name, columns) {
					out = append(out, fmt.Sprintf("the shape of %s.%s makes it", name, sh.Set))
				}
			}
		}
	}
	return out
}

// changedTable is a relation as it would be after a change of one column, or of
// all where there is none.
func (s *state) changedTable(n estate.Node, change, typ string) (*catalog.Table, error) {
	var t catalog.Table
	if v := s.estate.View(n.Relation); v != nil {
		t = *v.Table
	} else {
		t = *s.catalog.Table(n.Relation)
	}
	to, err := value.ParseType(typ)
	if change == ChangeType && err != nil {
		return nil, value.Errorf(value.CodeBadParameter, "%s", err).WithHint("say of which type it would be")
	}
	columns := t.Columns
	t.Columns, t.Keys = nil, nil
	for _, c := range columns {
		if n.Column != "" && c.Name != n.Column {
			t.Columns = append(t.Columns, c)
			continue
		}
		switch change {
		case ChangeGone:
		case ChangeRenamed:
			c.Name += " renamed"
			t.Columns = append(t.Columns, c)
		case ChangeType:
			c.Type = to
			t.Columns = append(t.Columns, c)
		default:
			return nil, value.Errorf(value.CodeBadParameter, "%q is no change", change).WithHint("there is gone, renamed and type")
		}
	}
	return &t, nil
}

// dependents lists the views that depend on a node, by name; down is what the node
// reaches.
func (s *state) dependents(n estate.Node, down *estate.Graph) []ImpactView {
	e := s.estate
	direct := map[string]bool{}
	for _, r := range e.Readers(n.Relation) {
		direct[r] = true
	}
	byName := map[string]*ImpactView{}
	at := func(view string) *ImpactView {
		if byName[view] == nil {
			byName[view] = &ImpactView{Name: view, Direct: direct[view], Columns: []ImpactColumn{}}
		}
		return byName[view]
	}
	for _, g := range down.Nodes {
		switch {
		case g.Role == estate.Asked:
		case g.Column == "":
			at(g.Relation).Rows = true
		default:
			v := at(g.Relation)
			v.Columns = append(v.Columns, ImpactColumn{g.Column, g.Role})
		}
	}
	if n.Column == "" { // whoever reads it, depends on it
		for _, view := range e.Downstream(n.Relation) {
			at(view)
		}
	}
	out := make([]ImpactView, 0, len(byName))
	for _, v := range byName {
		out = append(out, *v)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

// tablesOf lists a shape's table and those of its parts.
func tablesOf(t *shape.Table) []*shape.Table {
	out := []*shape.Table{t}
	for _, p := range t.Parts {
		out = append(out, tablesOf(p)...)
	}
	return out
}
