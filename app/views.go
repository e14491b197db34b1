package app

import (
	"context"
	"maps"
	"slices"
	"strings"

	"rovik/core/catalog"
	"rovik/core/form"
	"rovik/core/plan"
	"rovik/core/rewrite"
	"rovik/core/value"
)

// ViewInfo is a view with its columns, or why it does not bind.
type ViewInfo struct {
	Layer       string       `json:"layer"`
	Name        string       `json:"name"`
	SQL         string       `json:"sql"`
	Description string       `json:"description"`
	Revision    int          `json:"revision"`
	Columns     []ViewColumn `json:"columns"`
	Labels      []string     `json:"labels"`
	Error       string       `json:"error"`
}

// ViewColumn is a column of a view with what is said of it. From is the view that
// this is inherited from; empty where the view says it itself.
type ViewColumn struct {
	Name        string   `json:"name"`
	Type        string   `json:"type"`
	Description string   `json:"description"`
	Labels      []string `json:"labels"`
	From        string   `json:"from"`
}

// ViewName is a view in a list of very many.
type ViewName struct {
	Layer       string   `json:"layer"`
	Name        string   `json:"name"`
	Description string   `json:"description"`
	Labels      []string `json:"labels"`
	Revision    int      `json:"revision"`
	Columns     int      `json:"columns"`
	Error       string   `json:"error"`
}

// ViewNames lists all views by layer and name.
func (a *App) ViewNames() []ViewName {
	out := []ViewName{}
	for _, v := range a.state.Load().estate.Views() {
		n := ViewName{Layer: v.Layer, Name: v.Name, Description: v.Description, Labels: append([]string{}, v.Notes.Labels...), Revision: v.Revision}
		if v.Err != nil {
			n.Error = v.Err.Error()
		} else {
			n.Columns = len(v.Table.Columns)
		}
		out = append(out, n)
	}
	return out
}

// viewNamed returns the view of that name.
func (a *App) viewNamed(name string) (*catalog.View, error) {
	if v := a.Catalog().View(name); v != nil {
		return v, nil
	}
	view, _, err := a.viewColumn(name)
	if err == nil {
		err = value.Errorf(value.CodeUndefinedTable, "%s is a column, not a view", name).WithHint("its view is %s", view.FullName())
	}
	return nil, err
}

// View describes the view of that name.
func (a *App) View(name string) (*ViewInfo, error) {
	v, err := a.viewNamed(name)
	if err != nil {
		return nil, err
	}
	info := a.ViewInfo(v)
	return &info, nil
}

// ViewInfo describes a view.
func (a *App) ViewInfo(v *catalog.View) ViewInfo {
	info := ViewInfo{Layer: v.Layer, Name: v.Name, SQL: v.SQL, Description: v.Description, Revision: v.Revision, Columns: []ViewColumn{}, Labels: append([]string{}, v.Notes.Labels...)}
	e := a.state.Load().estate
	known := e.View(v.FullName())
	if known.Err != nil {
		info.Error = known.Err.Error()
		return info
	}
	for _, c := range known.Table.Columns {
		n := e.Noted(v.FullName(), c.Name)
		info.Columns = append(info.Columns, ViewColumn{c.Name, c.Type.String(), n.Description, append([]string{}, n.Labels...), n.From})
	}
	return info
}

// Describe keeps what is said of a view: its description, labels, and what is said
// of its columns beside what they inherit. It is a revision of its own.
func (a *App) Describe(ctx context.Context, name, description string, notes catalog.Notes, base int) (*catalog.View, error) {
	was, err := a.viewNamed(name)
	if err != nil {
		return nil, err
	}
	v := *was
	v.Description, v.Notes = strings.TrimSpace(description), catalog.Notes{}
	if v.Notes.Labels, err = labels(notes.Labels); err != nil {
		return nil, err
	}
	known := a.state.Load().estate.View(name)
	for column, n := range notes.Columns {
		if known.Err == nil && known.Table.Column(column) < 0 {
			return nil, noColumn("view", known.Table, column)
		}
		note := catalog.ColumnNote{Description: strings.TrimSpace(n.Description)}
		if note.Labels, err = labels(n.Labels); err != nil {
			return nil, err
		}
		if note.Description != "" || len(note.Labels) > 0 {
			if v.Notes.Columns == nil {
				v.Notes.Columns = map[string]catalog.ColumnNote{}
			}
			v.Notes.Columns[column] = note
		}
	}
	return a.SaveRevision(ctx, v, "Described", base)
}

// NotesWith are the notes of the view of that name, which may be new, with other
// descriptions of the columns that said names.
func (a *App) NotesWith(name string, said map[string]string) catalog.Notes {
	var n catalog.Notes
	if v := a.Catalog().View(name); v != nil {
		n = v.Notes
	}
	n.Columns = maps.Clone(n.Columns)
	if n.Columns == nil {
		n.Columns = map[string]catalog.ColumnNote{}
	}
	for column, text := range said {
		note := n.Columns[column]
		note.Description = strings.TrimSpace(text)
		if n.Columns[column] = note; note.Description == "" && len(note.Labels) == 0 {
			delete(n.Columns, column)
		}
	}
	return n
}

const (
	maxLabels = 20
	maxLabel  = 40
)

// labels trims labels, and drops repeated and empty ones.
func labels(list []string) ([]string, error) {
	var out []string
	for _, l := range list {
		l = strings.Join(strings.Fields(l), " ")
		if len([]rune(l)) > maxLabel || len(out) >= maxLabels {
			return nil, value.Errorf(value.CodeBadParameter, "labels are at most %d, of at most %d characters", maxLabels, maxLabel)
		}
		if l != "" && !slices.Contains(out, l) {
			out = append(out, l)
		}
	}
	return out, nil
}

// Draft writes a first description of a view's text, by rules, from its form, its
// lineage, and what is known and expected of its rows.
func (a *App) Draft(q Query) (_ string, err error) {
	defer value.Guard(&err)
	built, err := a.Build(q)
	if err != nil {
		return "", err
	}
	known := form.Known{Rows: -1}
	if b, err := a.bound(q, a.Catalog()); err == nil {
		known.Rows = int64(plan.NewEstimator(b.Root).Knowing(a.measures.get).Rows(b.Root))
		known.Key = keyOf(b.Root)
		known.Sources = slices.Sorted(maps.Keys(plan.Sources(b.Root)))
	}
	return form.Describe(built.Form, built.Facts, known), nil
}

// keyOf names the fewest output columns in which no two rows agree; none where
// nothing says so.
func keyOf(root plan.Node) []string {
	var best []string
	for _, key := range rewrite.Keys(root) {
		var names []string
		for _, c := range root.Columns() {
			if key[c.ID] && !slices.Contains(names, c.Name) {
				names = append(names, c.Name)
			}
		}
		if len(names) == len(key) && len(names) > 0 && (best == nil || len(names) < len(best)) {
			best = names
		}
	}
	return best
}

// maxNames bounds the names that are offered.
const maxNames = 40

// ColumnNames lists columns of views and tables whose dotted names have a text in
// them.
func (a *App) ColumnNames(like string) []string {
	out := []string{}
	like = strings.ToLower(strings.TrimSpace(like))
	add := func(relation string, t *catalog.Table) {
		for i := range t.Columns {
			if n := relation + "." + t.Columns[i].Name; len(out) < maxNames && strings.Contains(strings.ToLower(n), like) {
				out = append(out, n)
			}
		}
	}
	s := a.state.Load()
	for _, v := range s.estate.Views() {
		if v.Err == nil {
			add(v.FullName(), v.Table)
		}
	}
	for _, src := range s.catalog.Sources() {
		for _, t := range src.Tables {
			add(t.FullName(), t)
		}
	}
	return out
}
