package lineage

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"sort"
	"strings"

	"rovik/core/catalog"
	"rovik/core/function"
	"rovik/core/plan"
)

// Via says how a column reaches another.
type Via string

// The ways: the first three carry values, the others influence them. ByRows is
// that of a relation's rows, whatever is in them.
const (
	Unchanged   Via = "unchanged"
	Transformed Via = "transformed"
	Aggregated  Via = "aggregated"
	ByFilter    Via = "filter"
	ByJoin      Via = "join"
	ByGroup     Via = "group"
	BySort      Via = "sort"
	ByWindow    Via = "window"
	ByCondition Via = "condition"
	ByRows      Via = "rows"
)

// Carries reports whether values come through.
func (v Via) Carries() bool { return v == Unchanged || v == Transformed || v == Aggregated }

// Then is the way of two that follow each other and both carry.
func (v Via) Then(next Via) Via {
	if v == Aggregated || v == Transformed && next == Unchanged {
		return v
	}
	return next
}

// Ref is a column of a relation that a text reads, and how it reaches an output
// column. An empty Column stands for which rows the relation has.
type Ref struct {
	Table  string `json:"table"` // source.table or layer.view
	Column string `json:"column"`
	Via    Via    `json:"via"`
}

// Span is a place in a text, in bytes.
type Span struct {
	Start int `json:"start"`
	End   int `json:"end"`
}

// Use is a Ref with the places where it comes in, from the inside out.
type Use struct {
	Ref
	Spans []Span `json:"spans"`
}

// Column is the lineage of one output column of a text. Influences are those of
// the column alone.
type Column struct {
	Name       string `json:"name"`
	Type       string `json:"type"`
	Carries    []Use  `json:"carries"`
	Influences []Use  `json:"influences"`
}

// Text is the lineage of one text. Rows influence which rows there are, and so
// every column.
type Text struct {
	Columns []Column `json:"columns"`
	Rows    []Use    `json:"rows"`
}

// Column returns the lineage of the column called name, or nil.
func (t *Text) Column(name string) *Column {
	for i := range t.Columns {
		if t.Columns[i].Name == name {
			return &t.Columns[i]
		}
	}
	return nil
}

// maxSpans bounds the places that are kept of one use.
const maxSpans = 8

// set collects refs with their places.
type set map[Ref][]Span

func (s set) put(r Ref, spans ...Span) {
	have := s[r]
	for _, p := range spans {
		if len(have) < maxSpans && !slices.Contains(have, p) {
			have = append(have[:len(have):len(have)], p)
		}
	}
	s[r] = have
}

// add puts everything of o into s, and reports whether s became larger.
func (s set) add(o set) bool {
	before := len(s)
	for r, spans := range o {
		s.put(r, spans...)
	}
	return len(s) > before
}

// through returns s with every carried value at least via.
func (s set) through(via Via) set {
	out := set{}
	for r, spans := range s {
		r.Via = r.Via.Then(via)
		out.put(r, spans...)
	}
	return out
}

// at returns s with a place added to each.
func (s set) at(o plan.Origin) set {
	if !o.Known() {
		return s
	}
	out := set{}
	for r, spans := range s {
		out.put(r, spans...)
		out.put(r, Span{o.Start, o.End})
	}
	return out
}

// as returns s with every ref turned into an influence at a place.
func (s set) as(via Via, o plan.Origin) set {
	out := set{}
	for r := range s {
		if r.Column != "" {
			r.Via = via
		}
		out.put(r)
		if o.Known() {
			out.put(r, Span{o.Start, o.End})
		}
	}
	return out
}

func (s set) sorted() []Use {
	out := make([]Use, 0, len(s))
	for r, spans := range s {
		out = append(out, Use{r, spans})
	}
	sort.Slice(out, func(i, j int) bool {
		a, b := out[i].Ref, out[j].Ref
		if a.Table != b.Table {
			return a.Table < b.Table
		}
		if a.Column != b.Column {
			return a.Column < b.Column
		}
		return a.Via < b.Via
	})
	return out
}

// flow is what is known of one column of an operator.
type flow struct{ carries, influences set }

func newFlow() flow { return flow{set{}, set{}} }

// add puts what is known of o into f, and reports whether that was news.
func (f flow) add(o flow) bool {
	a, b := f.carries.add(o.carries), f.influences.add(o.influences)
	return a || b
}

// Of returns the lineage of a bound query over the relations that it scans.
func Of(root plan.Node) *Text {
	t := &tracer{flows: map[plan.ID]flow{}, works: map[int]*work{}}
	rows := t.trace(root)
	out := &Text{Rows: rows.sorted()}
	for _, c := range root.Columns() {
		f := t.flows[c.ID]
		out.Columns = append(out.Columns, Column{Name: c.Name, Type: c.Type.String(), Carries: f.carries.sorted(), Influences: f.influences.sorted()})
	}
	return out
}

// RelationOf names what a scan reads. A statement as it stands is told from
// others of its source by a hash.
func RelationOf(t *catalog.Table) string {
	if t.Verbatim == "" {
		return t.FullName()
	}
	sum := sha256.Sum256([]byte(t.Verbatim))
	return t.Source + verbatimMark + hex.EncodeToString(sum[:4])
}

const verbatimMark = ".verbatim#"

// IsVerbatim reports whether a relation is a statement as it stands, inside of
// which nothing is known.
func IsVerbatim(relation string) bool { return strings.Contains(relation, verbatimMark) }

// tracer walks a plan from its scans up. A subquery reads columns of the query
// around it, so that all columns are in one map.
type tracer struct {
	flows map[plan.ID]flow
	works map[int]*work
}

// work is what is known of the rows that a recursion goes round with.
type work struct {
	columns []flow
	rows    set
}

// trace notes the flow of every column of n, and returns what decides which rows
// there are.
func (t *tracer) trace(n plan.Node) set {
	switch n := n.(type) {
	case *plan.Scan:
		relation := RelationOf(n.Table)
		for _, c := range n.Cols {
			t.flows[c.ID] = flow{set{Ref{relation, n.Table.Columns[c.Index].Name, Unchanged}: nil}, set{}}
		}
		return set{Ref{relation, "", ByRows}: nil}.at(n.Org)
	case *plan.WorkTable:
		w := t.works[n.Work]
		for i, c := range n.Cols {
			t.flows[c.ID] = w.columns[i]
		}
		return w.rows
	case *plan.Recursive:
		return t.recursive(n)
	case *plan.Join:
		return t.join(n)
	}
	rows := set{}
	for _, in := range n.Inputs() {
		rows.add(t.trace(in))
	}
	switch n := n.(type) {
	case *plan.Filter:
		for _, c := range n.Conds {
			rows.add(t.influence(c, ByFilter))
		}
	case *plan.Window:
		for _, it := range n.Items {
			t.flows[it.ID] = t.window(it.WindowCall)
		}
	case *plan.Unnest:
		for _, c := range n.Calls {
			f := newFlow()
			for _, e := range c.Args {
				arg := t.value(e)
				f.add(flow{arg.carries.through(Transformed), arg.influences})
				rows.add(t.influence(e, ByJoin))
			}
			for _, col := range c.Cols {
				t.flows[col.ID] = flow{f.carries.at(c.Org), f.influences}
			}
		}
		if n.Ordinality != nil {
			t.flows[n.Ordinality.ID] = newFlow()
		}
	case *plan.Sort:
		for _, k := range deciding(n) {
			rows.add(t.influenceAt(k.Expr, BySort, k.Org))
		}
	case *plan.Distinct:
		for _, e := range n.On {
			rows.add(t.influence(e, ByGroup))
		}
		if len(n.On) == 0 {
			rows.add(t.all(n.Columns(), ByGroup, n.Org))
		}
	case *plan.Project:
		for _, it := range n.Items {
			f := t.value(it.Expr)
			t.flows[it.ID] = flow{f.carries.at(it.Expr.Origin()), f.influences}
		}
	case *plan.Aggregate:
		return t.aggregate(n, rows)
	case *plan.Union:
		for i, c := range n.Cols {
			f := newFlow()
			for _, p := range n.Parts {
				f.add(t.flows[p.Columns()[i].ID])
			}
			t.flows[c.ID] = f
		}
	case *plan.SetOp: // values come from the left, the right decides which
		for i, c := range n.Cols {
			t.flows[c.ID] = t.flows[n.Left.Columns()[i].ID]
		}
		rows.add(t.all(n.Left.Columns(), ByFilter, n.Org))
		rows.add(t.all(n.Right.Columns(), ByFilter, n.Org))
	}
	return rows
}

// deciding are the keys of a sort up to those in which no two rows agree: what follows only
// breaks ties that there are not.
func deciding(n *plan.Sort) []plan.SortKey {
	unique, filled := plan.Keys(n.Input), plan.NotNull(n.Input)
	by := plan.IDs{}
	for i, k := range n.Keys {
		if c, ok := k.Expr.(*plan.Col); ok && filled[c.ID] {
			by[c.ID] = true
		}
		for _, key := range unique {
			if key.Within(by) {
				return n.Keys[:i+1]
			}
		}
	}
	return n.Keys
}

// all is the influence of whole rows.
func (t *tracer) all(columns []plan.Column, via Via, at plan.Origin) set {
	out := set{}
	for _, c := range columns {
		f := t.flows[c.ID]
		out.add(f.carries.as(via, at))
		out.add(f.influences.as(via, at))
	}
	return out
}

// join traces the left side first, whose columns a correlated right side reads.
func (t *tracer) join(n *plan.Join) set {
	rows := t.trace(n.Left)
	right := t.trace(n.Right)
	via := ByJoin
	if n.Kind.LeftOnly() || n.Kind == plan.SingleJoin { // it is a subquery
		via = ByFilter
	}
	for _, c := range n.On {
		right.add(t.influence(c, via))
	}
	if n.Test != nil {
		right.add(t.influence(n.Test, via))
	}
	switch kind := n.Kind; {
	case kind == plan.MarkJoin: // every left row comes out once
		t.flows[n.Mark.ID] = flow{set{}, right}
	case kind == plan.SingleJoin, kind == plan.LeftJoin && plan.AtMostOne(n): // so it does here, with what was found for it
		for _, c := range n.Right.Columns() {
			f := newFlow()
			f.add(t.flows[c.ID])
			f.influences.add(right)
			t.flows[c.ID] = f
		}
	default:
		rows.add(right)
	}
	return rows
}

// recursive goes round until nothing new comes in.
func (t *tracer) recursive(n *plan.Recursive) set {
	w := &work{rows: set{}}
	t.works[n.Work] = w
	for range n.Cols {
		w.columns = append(w.columns, newFlow())
	}
	take := func(in plan.Node) (news bool) {
		news = w.rows.add(t.trace(in))
		for i, c := range in.Columns() {
			news = w.columns[i].add(t.flows[c.ID]) || news
		}
		return news
	}
	take(n.Base)
	for take(n.Step) {
	}
	rows := set{}
	rows.add(w.rows)
	for i, c := range n.Cols {
		t.flows[c.ID] = w.columns[i]
	}
	if !n.All {
		rows.add(t.all(n.Cols, ByGroup, n.Org))
	}
	return rows
}

// passes are the window functions that give a value of another row as it is.
var passes = map[string]bool{"lag": true, "lead": true, "first_value": true, "last_value": true, "nth_value": true}

func (t *tracer) window(w plan.WindowCall) flow {
	f := newFlow()
	via := Aggregated
	if passes[w.Func] {
		via = Transformed
	}
	for _, e := range w.Args {
		arg := t.value(e)
		f.add(flow{arg.carries.through(via).at(w.Org), arg.influences})
	}
	for _, e := range w.Partition {
		f.influences.add(t.influence(e, ByWindow))
	}
	for _, k := range w.Order {
		f.influences.add(t.influence(k.Expr, ByWindow))
	}
	if w.Filter != nil {
		f.influences.add(t.influence(w.Filter, ByFilter))
	}
	return f
}

func (t *tracer) aggregate(n *plan.Aggregate, rows set) set {
	for _, g := range n.Groups {
		f := t.value(g.Expr)
		t.flows[g.ID] = flow{f.carries.at(g.Expr.Origin()), f.influences}
		rows.add(t.influence(g.Expr, ByGroup))
	}
	if n.SetID != nil {
		t.flows[n.SetID.ID] = newFlow()
	}
	for _, a := range n.Aggs {
		f := newFlow()
		values := a.Args
		if function.OrderedSet(a.Func) {
			values = append(values[:len(values):len(values)], a.Order[0].Expr)
		}
		for _, e := range values {
			if countsRows(a.Agg, e, n.Input) {
				continue
			}
			arg := t.value(e)
			f.add(flow{arg.carries.through(Aggregated).at(a.Org), arg.influences})
		}
		if a.Filter != nil {
			f.influences.add(t.influence(a.Filter, ByFilter))
		}
		for _, k := range a.Order {
			f.influences.add(t.influence(k.Expr, BySort))
		}
		if len(n.Groups) == 0 { // one row, whatever there is
			f.influences.add(rows)
		}
		t.flows[a.ID] = f
	}
	if len(n.Groups) == 0 && n.Sets == nil {
		return set{}
	}
	return rows
}

// countsRows reports whether a count of a column is that of the rows: it is never NULL and,
// under DISTINCT, unique.
func countsRows(a plan.Agg, arg plan.Expr, in plan.Node) bool {
	c, ok := arg.(*plan.Col)
	if a.Func != "count" || !ok || !plan.NotNull(in)[c.ID] {
		return false
	}
	return !a.Distinct || slices.ContainsFunc(plan.Keys(in), func(key plan.IDs) bool { return key.Within(plan.IDs{c.ID: true}) })
}

// value is the flow of an expression. Conditions of CASE influence it and are
// not carried.
func (t *tracer) value(e plan.Expr) flow {
	out := newFlow()
	switch e := e.(type) {
	case *plan.Col:
		return t.flows[e.ID]
	case *plan.Case:
		results := []plan.Expr{e.Else}
		for _, w := range e.Whens {
			out.influences.add(t.influence(w.Cond, ByCondition))
			results = append(results, w.Result)
		}
		for _, r := range results {
			f := t.value(r)
			out.add(flow{f.carries.through(Transformed), f.influences})
		}
		return out
	}
	for _, p := range plan.Children(e) {
		f := t.value(p)
		out.add(flow{f.carries.through(Transformed), f.influences})
	}
	return out
}

// influence is everything that an expression depends on.
func (t *tracer) influence(e plan.Expr, via Via) set { return t.influenceAt(e, via, e.Origin()) }

// influenceAt is influence where the place is known better than by the
// expression.
func (t *tracer) influenceAt(e plan.Expr, via Via, at plan.Origin) set {
	if !at.Known() {
		at = e.Origin()
	}
	f := t.value(e)
	out := f.carries.as(via, at)
	out.add(f.influences.as(via, at))
	return out
}
