package api

import (
	"time"

	"rovik/app/builder"
	"rovik/app/project"
	"rovik/app/queue"
	"rovik/app/runs"
	"rovik/app/sources"
	"rovik/app/views"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/explain"
	"rovik/core/form"
	"rovik/core/shape"
)

// State says that the server answers.
type State struct {
	State string `json:"state"`
}

// Catalog is everything that can be named.
type Catalog struct {
	Sources []sources.SourceInfo `json:"sources"`
	Layers  []catalog.Layer      `json:"layers"`
	Views   []views.Name         `json:"views"`
}

// Problem is what is wrong with a request.
type Problem struct {
	Code    string `json:"code"` // an SQLSTATE; empty where there is none
	Message string `json:"message"`
	Hint    string `json:"hint"` // what to do
	View    string `json:"view"` // whose text the place is in; empty for the query
	Start   int    `json:"start"`
	End     int    `json:"end"` // in bytes of the text; -1 where there is no place
}

// QueryRequest is a text to explain or run.
type QueryRequest struct {
	SQL     string `json:"sql"`
	FoldOff bool   `json:"foldOff,omitempty"` // keeps all work here
	Layer   string `json:"layer,omitempty"`
	View    string `json:"view,omitempty"` // whose definition it is, with its layer
	// Params are the values of $1, $2 …, in the spelling of their types; null is NULL.
	Params []*string `json:"params,omitempty"`
	// GoesOn lets a run go on while nobody follows its events or asks for its rows.
	GoesOn bool `json:"goesOn,omitempty"`
	// Limit is how many seconds a run may take; 0 for the server's usual limit.
	Limit int `json:"limit,omitempty"`
}

// Options are those of a run. Any limit past the longest is one second past it.
func (q QueryRequest) Options() runs.Options {
	const longest = int(runs.MostTime/time.Second) + 1
	return runs.Options{GoesOn: q.GoesOn, Limit: time.Duration(max(min(q.Limit, longest), -1)) * time.Second}
}

// Query is what a use case is asked.
func (q QueryRequest) Query() project.Query {
	return project.Query{SQL: q.SQL, FoldOff: q.FoldOff, Layer: q.Layer, View: q.View, Params: project.ParamsOf(q.Params)}
}

// PastRun is a run that has ended.
type PastRun struct {
	ID      string                  `json:"id"`
	SQL     string                  `json:"sql"`
	State   string                  `json:"state"`
	Error   string                  `json:"error"`
	BeganAt time.Time               `json:"beganAt"`
	Report  Encoded[explain.Report] `json:"report"`
}

// StartedRun is a run that has begun.
type StartedRun struct {
	ID      string           `json:"id"`
	Columns []explain.Column `json:"columns"`
}

// ActiveRun is a run that waits or goes on.
type ActiveRun struct {
	ID      string       `json:"id"`
	SQL     string       `json:"sql"`
	State   string       `json:"state" enum:"waiting,running"`
	Rows    int          `json:"rows"` // held so far
	BeganAt time.Time    `json:"beganAt"`
	Place   *queue.Place `json:"place"` // while it waits
	Limit   int          `json:"limit"` // seconds that it may take, once it goes on
}

// RunStatus is how far a run is. The first event and the last have the whole report, those
// between them what has changed in its numbers since the event before.
type RunStatus struct {
	ID       string            `json:"id"`
	State    string            `json:"state" enum:"waiting,running,done,failed,stopped"`
	Rows     int               `json:"rows"`              // held so far
	Cut      bool              `json:"cut"`               // more rows would have come
	Place    *queue.Place      `json:"place"`             // while it waits
	Limit    int               `json:"limit"`             // seconds that it may take, once it goes on
	Warning  string            `json:"warning,omitempty"` // what went wrong beside the run
	Problem  *Problem          `json:"problem"`
	Report   *explain.Report   `json:"report"`
	Progress *explain.Progress `json:"progress"`
}

// ViewRequest is a view to save.
type ViewRequest struct {
	Layer       string `json:"layer"`
	Name        string `json:"name"`
	SQL         string `json:"sql"`
	Description string `json:"description,omitempty"`
	Replace     bool   `json:"replace,omitempty"` // changes the view that is there; else the name must be free
	Base        int    `json:"base,omitempty"`    // the revision that the text is based on; 0 for any
	Message     string `json:"message,omitempty"` // what changed, and why
	// Said is the description of columns from now on, beside what was said before.
	Said map[string]string `json:"said,omitempty"`
}

// View is the view that the request has.
func (r ViewRequest) View() catalog.View {
	return catalog.View{Layer: r.Layer, Name: r.Name, SQL: r.SQL, Description: r.Description}
}

// NotesRequest is the description of a view from now on.
type NotesRequest struct {
	Description string                        `json:"description"`
	Labels      []string                      `json:"labels,omitempty"`
	Columns     map[string]catalog.ColumnNote `json:"columns,omitempty"`
	Base        int                           `json:"base,omitempty"` // the revision that it is based on; 0 for any
}

// RenameRequest is a change of names.
type RenameRequest struct {
	views.Renaming
	Seen    string `json:"seen,omitempty"` // of the plan that is to be carried out; empty to make the plan
	Message string `json:"message,omitempty"`
}

// BuildRequest is a text that the Builder shows, and the part of it that is asked of.
type BuildRequest struct {
	SQL    string    `json:"sql"`
	Layer  string    `json:"layer,omitempty"`
	Params []*string `json:"params,omitempty"` // as those of a query
	View   string    `json:"view,omitempty"`   // whose definition it is, with its layer
	Block  int       `json:"block,omitempty"`
	Output int       `json:"output,omitempty"`
	Column int       `json:"column,omitempty"` // of an output that is a star
	Name   string    `json:"name,omitempty"`   // a relation, or verbatim('source', $$ … $$), that is to be joined
	Joined int       `json:"joined,omitempty"` // an input that is joined, instead of a name
	Left   string    `json:"left,omitempty"`
	Right  string    `json:"right,omitempty"` // with left, what is compared
}

// Query is what a use case is asked.
func (r BuildRequest) Query() project.Query {
	return project.Query{SQL: r.SQL, Layer: r.Layer, View: r.View, Params: project.ParamsOf(r.Params)}
}

// Query is what a use case is asked.
func (r EditRequest) Query() project.Query {
	return project.Query{SQL: r.SQL, Layer: r.Layer, View: r.View, FoldOff: r.FoldOff, Params: project.ParamsOf(r.Params)}
}

// DraftedText is a first description.
type DraftedText struct {
	Description string `json:"description"`
}

// EditRequest is a text with edits to make in it.
type EditRequest struct {
	SQL     string      `json:"sql"`
	Seen    *string     `json:"seen,omitempty"` // the text whose form the edits are of; the same as sql where there is none
	Layer   string      `json:"layer,omitempty"`
	View    string      `json:"view,omitempty"`
	FoldOff bool        `json:"foldOff,omitempty"`
	Params  []*string   `json:"params,omitempty"` // as those of a query
	Edits   []form.Edit `json:"edits"`
}

// EditedText is the new text as a form, and explained or why it is not.
type EditedText struct {
	SQL     string          `json:"sql"`
	Built   *builder.Built  `json:"built" null:"never"`
	Report  *explain.Report `json:"report"`
	Problem *Problem        `json:"problem"` // why the new text is not explained
}

// NewSource is a source to try or to connect.
type NewSource struct {
	Name       string         `json:"name"`
	Kind       string         `json:"kind,omitempty"` // postgresql, mariadb, sqlite, document, parquet, csv, json or xml; from the connection string where it is empty
	Note       string         `json:"note,omitempty"`
	Connection string         `json:"connection,omitempty"` // a connection string in the place of the config
	Password   string         `json:"password,omitempty"`   // kept encrypted and never given out
	Config     connect.Config `json:"config,omitzero"`
}

// HideRequest names the tables that no query can name.
type HideRequest struct {
	Hidden []string `json:"hidden"`
	Force  bool     `json:"force,omitempty"` // also where views break
}

// TableRequest names a table of a source, and a column of it.
type TableRequest struct {
	Table  string `json:"table"` // name or schema.name
	Column string `json:"column,omitempty"`
}

// RetypeRequest asks for another type of a column.
type RetypeRequest struct {
	Table  string `json:"table"`
	Column string `json:"column"`
	Type   string `json:"type"` // empty for the proposed one
	Force  bool   `json:"force,omitempty"`
}

// KeyRequest declares a key, or takes a declared one back.
type KeyRequest struct {
	Key  catalog.DeclaredKey `json:"key"`
	Drop bool                `json:"drop,omitempty"`
}

// ShapeRequest asks about a set of nested records: for a proposal by the path to its
// records, for what a shape makes of a record, or to keep a shape.
type ShapeRequest struct {
	Set    string       `json:"set,omitempty"`
	Rows   string       `json:"rows,omitempty"`
	Shape  *shape.Shape `json:"shape,omitempty"`
	Record int64        `json:"record,omitempty"` // its number in the sample
	Force  bool         `json:"force,omitempty"`
}
