// Package views is about the views of a project: listing and describing them, saving and
// what that would do, revisions, renaming, and the project as files.
package views

import (
	"rovik/app/project"
	"rovik/app/sources"
	"rovik/core/catalog"
)

// Views are the views of a project. Its methods may be called at the same time.
type Views struct {
	project *project.Project
	sources *sources.Sources // that files connect
}

// Of returns the views of a project.
func Of(p *project.Project, s *sources.Sources) *Views { return &Views{p, s} }

// Info is a view with its columns, or why it does not bind.
type Info struct {
	Layer       string   `json:"layer"`
	Name        string   `json:"name"`
	SQL         string   `json:"sql"`
	Description string   `json:"description"`
	Revision    int      `json:"revision"`
	Columns     []Column `json:"columns"`
	Labels      []string `json:"labels"`
	Error       string   `json:"error"`
}

// Column is a column of a view with what is said of it. From is the view that
// this is inherited from; empty where the view says it itself.
type Column struct {
	Name        string   `json:"name"`
	Type        string   `json:"type"`
	Description string   `json:"description"`
	Labels      []string `json:"labels"`
	From        string   `json:"from"`
}

// Name is a view in a list of very many.
type Name struct {
	Layer       string   `json:"layer"`
	Name        string   `json:"name"`
	Description string   `json:"description"`
	Labels      []string `json:"labels"`
	Revision    int      `json:"revision"`
	Columns     int      `json:"columns"`
	Error       string   `json:"error"`
}

// Names lists all views by layer and name.
func (vs *Views) Names() []Name {
	out := []Name{}
	for _, v := range vs.project.Now().Estate().Views() {
		n := Name{Layer: v.Layer, Name: v.Name, Description: v.Description, Labels: append([]string{}, v.Notes.Labels...), Revision: v.Revision}
		if v.Err != nil {
			n.Error = v.Err.Error()
		} else {
			n.Columns = len(v.Table.Columns)
		}
		out = append(out, n)
	}
	return out
}

// View describes the view of that name.
func (vs *Views) View(name string) (*Info, error) {
	v, err := vs.project.Now().View(name)
	if err != nil {
		return nil, err
	}
	info := vs.Info(v)
	return &info, nil
}

// Info describes a view.
func (vs *Views) Info(v *catalog.View) Info {
	info := Info{Layer: v.Layer, Name: v.Name, SQL: v.SQL, Description: v.Description, Revision: v.Revision, Columns: []Column{}, Labels: append([]string{}, v.Notes.Labels...)}
	e := vs.project.Now().Estate()
	known := e.View(v.FullName())
	if known.Err != nil {
		info.Error = known.Err.Error()
		return info
	}
	for _, c := range known.Table.Columns {
		n := e.Noted(v.FullName(), c.Name)
		info.Columns = append(info.Columns, Column{c.Name, c.Type.String(), n.Description, append([]string{}, n.Labels...), n.From})
	}
	return info
}

// Broken is a view that does not bind.
type Broken struct {
	View string
	Err  error
}

// Broken returns the views that do not bind.
func (vs *Views) Broken() []Broken {
	var out []Broken
	for _, v := range vs.project.Now().Estate().Broken() {
		out = append(out, Broken{v.FullName(), v.Err})
	}
	return out
}
