package tracing

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/shape"
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
	Views []estate.Dependent `json:"views"`
	// Change is what was asked of: gone, renamed or type.
	Change string `json:"change"`
	// Broken would not bind if the change were made.
	Broken []project.WouldBreak `json:"broken"`
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

// Impact tells what depends on a column, or on a whole relation, and what would
// break if it went, were renamed, or had another type.
func (t Tracing) Impact(ctx context.Context, name, change, typ string) (_ *Impact, err error) {
	defer value.Guard(&err)
	n, err := t.now.Node(name)
	if err != nil {
		return nil, err
	}
	changed, err := t.changedTable(n, change, typ)
	if err != nil {
		return nil, err
	}
	e := t.now.Estate()
	g := e.DownstreamOf(n)
	out := &Impact{Of: n, Change: change, Views: e.Dependents(n, g), Broken: []project.WouldBreak{}, Revisions: []ImpactRevision{}, Definitions: t.definitionsOf(n), Consumers: []ImpactConsumer{}}
	after := e.Changed(changed)
	for _, view := range e.Downstream(n.Relation) {
		if was, is := e.View(view), after.View(view); was.Err == nil && is.Err != nil {
			out.Broken = append(out.Broken, project.Breaks(view, is.Err))
		}
	}
	reached := reachedFrom(e, n, g)
	for _, b := range out.Broken { // whoever reads these breaks too
		reached[b.View] = map[string]bool{"": true}
	}
	if err := t.revisionsThat(ctx, reached, after, out); err != nil {
		return nil, err
	}
	return out, t.consumersThat(ctx, reached, out)
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

func reachedFrom(e *estate.Estate, n estate.Node, down *estate.Graph) reached {
	out := reached{n.Relation: {n.Column: true}}
	for _, g := range down.Nodes {
		if out[g.Relation] == nil {
			out[g.Relation] = map[string]bool{}
		}
		out[g.Relation][g.Column] = true
	}
	if n.Column == "" {
		for _, view := range e.Downstream(n.Relation) {
			out[view] = map[string]bool{"": true}
		}
	}
	return out
}

// by reports whether a text of that lineage depends on any of the nodes.
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
func (t Tracing) revisionsThat(ctx context.Context, r reached, after *estate.Estate, out *Impact) error {
	earlier, err := t.now.Records().EarlierTexts(ctx, r.relations(), lookedRevisions+1)
	if err != nil {
		return err
	}
	if out.Cut = len(earlier) > lookedRevisions; out.Cut {
		earlier = earlier[:lookedRevisions]
	}
	for _, v := range earlier {
		was := t.now.Estate().Of(v)
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
func (t Tracing) consumersThat(ctx context.Context, r reached, out *Impact) error {
	runs, err := t.now.Records().RunTexts(ctx, lookedConsumers)
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
		if len(out.Consumers) < mostConsumers && t.names(run.SQL, r) && r.by(t.now.Estate().Of(&catalog.View{SQL: run.SQL})) {
			at[run.SQL] = len(out.Consumers)
			out.Consumers = append(out.Consumers, ImpactConsumer{SQL: run.SQL, Times: 1, LastAt: run.BeganAt, Run: run.ID})
		}
	}
	return nil
}

// names reports whether a text names any of the relations.
func (t Tracing) names(sql string, r reached) bool {
	return t.now.Names(sql, func(name string) bool {
		if table := t.now.Catalog().Table(name); table != nil {
			name = table.FullName()
		}
		return r[name] != nil
	})
}

// definitionsOf lists what was said of a source by hand that names a column or
// table.
func (t Tracing) definitionsOf(n estate.Node) []string {
	out := []string{}
	for _, src := range t.now.Sources() {
		rec, name := src.Record, src.Record.Name
		is := func(table string, columns []string) bool {
			found := t.now.Catalog().Table(table)
			return found != nil && found.FullName() == n.Relation && (n.Column == "" || slices.Contains(columns, n.Column))
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
func (t Tracing) changedTable(n estate.Node, change, typ string) (*catalog.Table, error) {
	var out catalog.Table
	if v := t.now.Estate().View(n.Relation); v != nil {
		out = *v.Table
	} else {
		out = *t.now.Catalog().Table(n.Relation)
	}
	to, err := value.ParseType(typ)
	if change == ChangeType && err != nil {
		return nil, value.Errorf(value.CodeBadParameter, "%s", err).WithHint("say which type it would have")
	}
	columns, keys := out.Columns, out.Keys
	out.Columns, out.Keys = nil, nil
	for _, c := range columns {
		if n.Column != "" && c.Name != n.Column {
			out.Columns = append(out.Columns, c)
			continue
		}
		switch change {
		case ChangeGone:
		case ChangeRenamed:
			c.Name += " renamed"
			out.Columns = append(out.Columns, c)
		case ChangeType:
			c.Type = to
			out.Columns = append(out.Columns, c)
		default:
			return nil, value.Errorf(value.CodeBadParameter, "%q is not a kind of change", change).WithHint("use gone, renamed or type")
		}
	}
	// A key stays for as long as its columns are there: a view that groups by it may go on
	// reading the others.
	for _, k := range keys {
		had := k.Columns
		k.Columns = slices.Clone(had)
		for i, c := range had {
			if change == ChangeRenamed && (n.Column == "" || n.Column == c) {
				k.Columns[i] += " renamed"
			}
		}
		if !slices.ContainsFunc(k.Columns, func(c string) bool { return out.Column(c) < 0 }) {
			out.Keys = append(out.Keys, k)
		}
	}
	return &out, nil
}

// tablesOf lists a shape's table and those of its parts.
func tablesOf(t *shape.Table) []*shape.Table {
	out := []*shape.Table{t}
	for _, p := range t.Parts {
		out = append(out, tablesOf(p)...)
	}
	return out
}
