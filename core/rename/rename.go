package rename

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Plan is what would change, to be looked at first.
type Plan struct {
	Texts []Text `json:"texts"`
	// Moves are views that have another name.
	Moves []Move `json:"moves"`
	// Columns are those that have another name, as relation.column, in the order in
	// which they follow each other.
	Columns []string `json:"columns"`
}

// Text is a view's text before and after. View is its name before.
type Text struct {
	View string `json:"view"`
	Was  string `json:"was"`
	Is   string `json:"is"`
	// Note says what was done beside replacing the name; empty for nothing.
	Note string `json:"note"`
}

// Move is a view's name before and after.
type Move struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// Column gives a column of a view or table another name in every text that reads
// it. With through, views that pass the column on under its name do so under the
// new one, and so on; else they go on under the old one. A table's column is one
// that its source calls otherwise from now on: after is the catalogue as it is then.
func Column(ctx bind.Context, e *estate.Estate, relation, old, to string, through bool) (*Plan, error) {
	r := &columns{ctx: ctx, e: e, old: old, to: to, set: map[string]bool{relation: true}, stays: map[string]bool{}, qualify: map[string]bool{}}
	if old == to {
		return nil, value.Errorf(value.CodeBadParameter, "it is called %q already", to)
	}
	for {
		r.plan = &Plan{Texts: []Text{}, Moves: []Move{}, Columns: []string{relation + "." + old}}
		r.set = map[string]bool{relation: true}
		if err := r.follow(relation, through); err != nil {
			return nil, err
		}
		again, err := r.rewriteAll(relation)
		if err != nil {
			return nil, err
		}
		if again {
			continue
		}
		clash, err := r.check(relation)
		if err == nil || r.qualify[clash] || !slices.ContainsFunc(r.plan.Texts, func(t Text) bool { return t.View == clash }) {
			return r.plan, err
		}
		r.qualify[clash] = true // a bare name may mean another column by now
	}
}

// columns renames one column in many texts.
type columns struct {
	ctx   bind.Context
	e     *estate.Estate
	old   string
	to    string
	set   map[string]bool // relations whose column old is renamed
	stays map[string]bool // views that turned out to keep the old name
	// qualify are views whose bare names of the column have to be written with their
	// relations: the new name means another column, too.
	qualify map[string]bool
	plan    *Plan
}

// follow finds the views that pass the column on under its name.
func (r *columns) follow(relation string, through bool) error {
	for queue := []string{relation}; through && len(queue) > 0; queue = queue[1:] {
		for _, reader := range slices.Sorted(slices.Values(r.e.Readers(queue[0]))) {
			v := r.e.View(reader)
			if r.set[reader] || r.stays[reader] || v.Err != nil {
				continue
			}
			u, err := r.uses(v.View, v.SQL)
			if err != nil {
				return err
			}
			if u.passes && v.Table.Column(r.to) >= 0 {
				r.stays[reader] = true // it has a column of the new name
			} else if u.passes {
				r.set[reader] = true
				r.plan.Columns = append(r.plan.Columns, reader+"."+r.old)
				queue = append(queue, reader)
			}
		}
	}
	return nil
}

// rewriteAll writes the texts anew, and reports whether it has to be done again since
// a view keeps the old name after all.
func (r *columns) rewriteAll(relation string) (again bool, err error) {
	todo := map[string]bool{}
	if r.e.Catalog().View(relation) != nil {
		todo[relation] = true
	}
	for rel := range r.set {
		for _, reader := range r.e.Readers(rel) {
			todo[reader] = true
		}
	}
	names := make([]string, 0, len(todo))
	if todo[relation] {
		names = append(names, relation)
	}
	for _, v := range r.e.Views() { // lower layers first
		if todo[v.FullName()] && v.FullName() != relation {
			names = append(names, v.FullName())
		}
	}
	for _, name := range names {
		v := r.e.View(name)
		if v.Err != nil {
			return false, value.Errorf(value.CodeBadParameter, "%s does not bind as it is: %s", name, v.Err).WithHint("mend it first")
		}
		sql, note := v.SQL, ""
		if name == relation {
			if sql, err = r.own(v); err != nil {
				return false, fmt.Errorf("%s: %w", name, err)
			}
		}
		is, note, kept, err := r.reader(v.View, sql)
		if err != nil {
			return false, fmt.Errorf("%s: %w", name, err)
		}
		if kept && r.set[name] && name != relation {
			r.stays[name] = true
			return true, nil
		}
		if is != v.SQL {
			r.plan.Texts = append(r.plan.Texts, Text{View: name, Was: v.SQL, Is: is, Note: note})
		}
	}
	return false, nil
}

// check binds everything after the change and compares it with before. It returns the view
// that is not as it was, if any.
func (r *columns) check(relation string) (view string, err error) {
	after := r.e.Catalog()
	if t := after.Table(relation); t != nil && after.View(relation) == nil {
		n := *t
		n.Columns = slices.Clone(t.Columns)
		for i := range n.Columns {
			if n.Columns[i].Name == r.old {
				n.Columns[i].Name = r.to
			}
		}
		if t.Column(r.to) >= 0 {
			return "", value.Errorf(value.CodeDuplicate, "%s has a column called %q already", relation, r.to)
		}
		n.Keys, n.ForeignKeys = nil, nil
		after = after.WithTable(&n)
	}
	for _, t := range r.plan.Texts {
		v := *after.View(t.View)
		v.SQL = t.Is
		after = after.WithView(&v)
	}
	ctx := r.ctx
	ctx.Catalog = after
	return compare(r.e, estate.New(ctx, r.e), r.plan.Texts, func(view string) string { return view }, func(ref lineage.Ref) lineage.Ref {
		if r.set[ref.Table] && ref.Column == r.old {
			ref.Column = r.to
		}
		return ref
	})
}

// compare checks that views bind and give after a change what they gave before
// it, but for names.
func compare(before, after *estate.Estate, texts []Text, moved func(view string) string, renamed func(lineage.Ref) lineage.Ref) (view string, err error) {
	changed := map[string]bool{}
	for _, t := range texts {
		changed[t.View] = true
	}
	for _, was := range before.Views() {
		is := after.View(moved(was.FullName()))
		if was.Err != nil {
			continue
		}
		if is == nil || is.Err != nil {
			err := value.Errorf(value.CodeBadParameter, "%s would not bind any more: %v", moved(was.FullName()), is.Err)
			return was.FullName(), err.WithHint("change it first, or choose another name")
		}
		if !changed[was.FullName()] {
			continue
		}
		if why := differs(was, is, renamed); why != "" {
			return was.FullName(), value.Errorf(value.CodeBadParameter, "%s would mean something else: %s", was.FullName(), why).WithHint("choose another name, or change it by hand")
		}
	}
	return "", nil
}

func differs(was, is *estate.View, renamed func(lineage.Ref) lineage.Ref) string {
	if name := twice(is.Table); name != "" && twice(was.Table) == "" {
		return fmt.Sprintf("two of its columns would be called %q", name)
	}
	if len(was.Table.Columns) != len(is.Table.Columns) {
		return fmt.Sprintf("it has %d columns, and would have %d", len(was.Table.Columns), len(is.Table.Columns))
	}
	for i, c := range was.Table.Columns {
		n := is.Table.Columns[i]
		want := renamed(lineage.Ref{Table: was.FullName(), Column: c.Name}).Column
		if n.Name != want || n.Type != c.Type {
			return fmt.Sprintf("its column %s would be %s %s", c.Name, n.Name, n.Type)
		}
		if why := refsDiffer(was.Text().Columns[i].Carries, is.Text().Columns[i].Carries, renamed); why != "" {
			return "column " + c.Name + " " + why
		}
		if why := refsDiffer(was.Text().Columns[i].Influences, is.Text().Columns[i].Influences, renamed); why != "" {
			return "column " + c.Name + " " + why
		}
	}
	if why := refsDiffer(was.Text().Rows, is.Text().Rows, renamed); why != "" {
		return "its rows " + why
	}
	return ""
}

// twice is a name that two columns have, or empty.
func twice(t *catalog.Table) string {
	for i, c := range t.Columns {
		if t.Column(c.Name) < i {
			return c.Name
		}
	}
	return ""
}

func refsDiffer(was, is []lineage.Use, renamed func(lineage.Ref) lineage.Ref) string {
	key := func(r lineage.Ref) string { return fmt.Sprint(r.Table, ".", r.Column, " by ", r.Via) }
	list := func(uses []lineage.Use, f func(lineage.Ref) lineage.Ref) []string {
		var out []string
		for _, u := range uses {
			out = append(out, key(f(u.Ref)))
		}
		sort.Strings(out)
		return out
	}
	a, b := list(was, renamed), list(is, func(r lineage.Ref) lineage.Ref { return r })
	if slices.Equal(a, b) {
		return ""
	}
	for _, x := range b {
		if !slices.Contains(a, x) {
			return "would come from " + x
		}
	}
	return "would come from less"
}

// edits collects changes of a text by their places.
type edits struct {
	sql  string
	list []edit
}

type edit struct {
	at   syntax.Span
	with string
}

func (e *edits) replace(at syntax.Span, with string) {
	for _, have := range e.list {
		if have == (edit{at, with}) { // a text bound twice is told of twice
			return
		}
	}
	e.list = append(e.list, edit{at, with})
}

func (e *edits) text() string {
	sort.SliceStable(e.list, func(i, j int) bool { return e.list[i].at.Start < e.list[j].at.Start })
	var b strings.Builder
	from := 0
	for _, c := range e.list {
		b.WriteString(e.sql[from:c.at.Start] + c.with)
		from = c.at.End
	}
	return b.String() + e.sql[from:]
}

// lastPart is the place of the last word of a dotted name.
func lastPart(sql string, at syntax.Span) (syntax.Span, error) {
	tokens, err := syntax.Tokens(sql[at.Start:at.End])
	if err != nil {
		return at, err
	}
	t := tokens[len(tokens)-1]
	return syntax.Span{Start: at.Start + t.Start, End: at.Start + t.End}, nil
}

func relationOf(t *catalog.Table) string { return lineage.RelationOf(t) }
