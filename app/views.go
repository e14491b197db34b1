package app

import (
	"context"
	"slices"
	"strings"

	"rovik/core/catalog"
	"rovik/core/form"
	"rovik/core/plan"
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

// ViewInfos lists all views by layer and name.
func (a *App) ViewInfos() []ViewInfo {
	out := []ViewInfo{}
	for _, v := range a.Catalog().Views() {
		out = append(out, a.ViewInfo(v))
	}
	return out
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
	was := a.Catalog().View(name)
	if was == nil {
		_, _, err := a.viewColumn(name)
		return nil, err
	}
	v := *was
	v.Description, v.Notes = strings.TrimSpace(description), catalog.Notes{}
	var err error
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

// Draft writes a first description of a view's text, by rules, from its form and
// from what is expected of it.
func (a *App) Draft(q Query) (_ string, err error) {
	defer value.Guard(&err)
	built, err := a.Build(q)
	if err != nil {
		return "", err
	}
	rows := int64(-1)
	if b, err := a.bound(q, a.Catalog()); err == nil {
		rows = int64(plan.NewEstimator(b.Root).Knowing(a.measures.get).Rows(b.Root))
	}
	return form.Describe(built.Form, built.Facts, rows), nil
}
