package views

import (
	"context"
	"maps"
	"slices"
	"strings"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/value"
)

// Describe keeps what is said of a view: its description, labels, and what is said
// of its columns beside what they inherit. It is a revision of its own.
func (vs *Views) Describe(ctx context.Context, name, description string, notes catalog.Notes, base int) (*catalog.View, error) {
	was, err := vs.project.Now().View(name)
	if err != nil {
		return nil, err
	}
	v := *was
	v.Description, v.Notes = strings.TrimSpace(description), catalog.Notes{}
	if v.Notes.Labels, err = labels(notes.Labels); err != nil {
		return nil, err
	}
	known := vs.project.Now().Estate().View(name)
	for column, n := range notes.Columns {
		if known.Err == nil && known.Table.Column(column) < 0 {
			return nil, project.NoColumn("view", known.Table, column)
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
	return vs.SaveRevision(ctx, v, "Described", base)
}

// NotesWith are the notes of the view of that name, which may be new, with other
// descriptions of the columns that said names.
func (vs *Views) NotesWith(name string, said map[string]string) catalog.Notes {
	var n catalog.Notes
	if v := vs.project.Now().Catalog().View(name); v != nil {
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
			return nil, value.Errorf(value.CodeBadParameter, "a view has at most %d labels, of at most %d characters each", maxLabels, maxLabel)
		}
		if l != "" && !slices.Contains(out, l) {
			out = append(out, l)
		}
	}
	return out, nil
}
