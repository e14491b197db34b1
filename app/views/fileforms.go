package views

import (
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
)

// The forms that a project's files have, as their users write them: types of their own, so
// that what the API and the records call something may change. Shapes have the form of
// docs/shapes.md.

type projectFileForm struct {
	Layers []layerFileForm `json:"layers"`
}

type layerFileForm struct {
	Name        string                   `json:"name"`
	Description string                   `json:"description"`
	Views       map[string]string        `json:"views"`
	Notes       map[string]notesFileForm `json:"notes,omitempty"`
}

type notesFileForm struct {
	Labels  []string                  `json:"labels,omitempty"`
	Columns map[string]columnNoteForm `json:"columns,omitempty"`
}

type columnNoteForm struct {
	Description string   `json:"description,omitempty"`
	Labels      []string `json:"labels,omitempty"`
}

type sourceFileForm struct {
	Kind     string              `json:"kind"`
	Note     string              `json:"note,omitempty"`
	Config   configFileForm      `json:"config"`
	Hidden   []string            `json:"hidden,omitempty"`
	Shapes   []*shape.Shape      `json:"shapes,omitempty"`
	Types    connect.ColumnTypes `json:"types,omitempty"`
	Declared []keyFileForm       `json:"declared,omitempty"`
}

type configFileForm struct {
	Host     string         `json:"host,omitempty"`
	Port     int            `json:"port,omitempty"`
	Database string         `json:"database,omitempty"`
	User     string         `json:"user,omitempty"`
	Secret   string         `json:"secret,omitempty"`
	TLS      string         `json:"tls,omitempty"`
	CA       string         `json:"ca,omitempty"`
	Path     string         `json:"path,omitempty"`
	Limits   limitsFileForm `json:"limits,omitzero"`
}

type limitsFileForm struct {
	Connections int `json:"connections,omitempty"`
	Silence     int `json:"silence,omitempty"`
}

type keyFileForm struct {
	Table      string   `json:"table"`
	Columns    []string `json:"columns"`
	To         string   `json:"to,omitempty"`
	References []string `json:"references,omitempty"`
}

func noteForms(n catalog.Notes) notesFileForm {
	out := notesFileForm{Labels: n.Labels}
	for name, c := range n.Columns {
		if out.Columns == nil {
			out.Columns = map[string]columnNoteForm{}
		}
		out.Columns[name] = columnNoteForm(c)
	}
	return out
}

func (f notesFileForm) notes() catalog.Notes {
	out := catalog.Notes{Labels: f.Labels}
	for name, c := range f.Columns {
		if out.Columns == nil {
			out.Columns = map[string]catalog.ColumnNote{}
		}
		out.Columns[name] = catalog.ColumnNote(c)
	}
	return out
}

func (d sourceDoc) form() sourceFileForm {
	c := d.Config
	out := sourceFileForm{d.Kind, d.Note, configFileForm{c.Host, c.Port, c.Database, c.User, c.Secret, c.TLS, c.CA, c.Path, limitsFileForm(c.Limits)}, d.Hidden, d.Shapes, d.Types, nil}
	for _, k := range d.Declared {
		out.Declared = append(out.Declared, keyFileForm{k.Table, k.Columns, k.To, k.References})
	}
	return out
}

func (f sourceFileForm) doc() sourceDoc {
	c := f.Config
	out := sourceDoc{Kind: f.Kind, Note: f.Note, Hidden: f.Hidden, Shapes: f.Shapes, Types: f.Types,
		Config: connect.Config{Host: c.Host, Port: c.Port, Database: c.Database, User: c.User, Secret: c.Secret, TLS: c.TLS, CA: c.CA, Path: c.Path, Limits: connect.Limits(c.Limits)}}
	for _, k := range f.Declared {
		out.Declared = append(out.Declared, catalog.DeclaredKey{Table: k.Table, Columns: k.Columns, To: k.To, References: k.References})
	}
	return out
}
