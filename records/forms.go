package records

import (
	"encoding/json"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// The forms in which the records keep what is no column of theirs, as JSON. They are types
// of their own: what the API and files call something may change, and what was kept stays
// readable. Where a form has the fields of what it keeps, it is converted as a whole, so
// that a field that is new there does not compile here.

type keptSource struct {
	Name    string               `json:"name"`
	Kind    string               `json:"kind"`
	Version string               `json:"version"`
	Tables  []keptTable          `json:"tables"`
	Quirks  map[string]keptQuirk `json:"quirks"`
}

type keptQuirk struct {
	Value      string     `json:"value"`
	Meaning    string     `json:"meaning"`
	MeasuredAt *time.Time `json:"measuredAt,omitempty"`
	Version    string     `json:"version,omitempty"`
}

type keptTable struct {
	Source      string           `json:"source"`
	Schema      string           `json:"schema"`
	Name        string           `json:"name"`
	Columns     []keptColumn     `json:"columns"`
	Left        []keptLeft       `json:"left,omitempty"`
	Keys        []keptKey        `json:"keys"`
	ForeignKeys []keptForeignKey `json:"foreignKeys"`
	Rows        int64            `json:"rows"`
	Flat        *keptFlat        `json:"flat,omitempty"`
	Verbatim    string           `json:"verbatim,omitempty"`
}

type keptColumn struct {
	Name      string       `json:"name"`
	Type      value.Type   `json:"type"`
	Native    string       `json:"native"`
	Nullable  bool         `json:"nullable"`
	Collation string       `json:"collation,omitempty"`
	ReadAs    string       `json:"readAs,omitempty"`
	Note      string       `json:"note,omitempty"`
	Distinct  int64        `json:"distinct,omitempty"`
	NullShare float64      `json:"nullShare,omitempty"`
	Choices   []keptChoice `json:"choices,omitempty"`
	Chosen    bool         `json:"chosen,omitempty"`
	Misfits   int64        `json:"misfits,omitempty"`
	Common    []keptCommon `json:"common,omitempty"`
	Bounds    []string     `json:"bounds,omitempty"`
}

type keptChoice struct {
	Type  string `json:"type"`
	About string `json:"about"`
}

type keptLeft struct {
	Name   string `json:"name"`
	Native string `json:"native"`
	Reason string `json:"reason"`
	AsText string `json:"asText,omitempty"`
}

type keptCommon struct {
	Value string  `json:"value"`
	Share float64 `json:"share"`
}

type keptKey struct {
	Columns  []string `json:"columns"`
	Primary  bool     `json:"primary"`
	Declared string   `json:"declared,omitempty"`
}

type keptForeignKey struct {
	Columns    []string `json:"columns"`
	Table      string   `json:"table"`
	References []string `json:"references"`
	Declared   string   `json:"declared,omitempty"`
}

type keptFlat struct {
	Set      string         `json:"set"`
	Name     string         `json:"name"`
	Language shape.Language `json:"language"`
	Steps    []string       `json:"steps"`
	Cells    []keptCell     `json:"cells"`
}

type keptCell struct {
	Name   string       `json:"name"`
	Level  int          `json:"level"`
	From   shape.From   `json:"from"`
	Path   string       `json:"path,omitempty"`
	Type   value.Type   `json:"type"`
	Misfit shape.Misfit `json:"misfit,omitempty"`
	ID     bool         `json:"id,omitempty"`
	Of     *value.Type  `json:"of,omitempty"`
}

// keptShape and keptShapeTable keep a shape; its columns are shape's.
type keptShape struct {
	Set      string          `json:"set"`
	Language shape.Language  `json:"language"`
	Table    *keptShapeTable `json:"table"`
}

type keptShapeTable struct {
	Name    string            `json:"name"`
	Rows    string            `json:"rows"`
	Columns []keptShapeColumn `json:"columns"`
	Parts   []*keptShapeTable `json:"parts,omitempty"`
}

type keptShapeColumn struct {
	Name   string       `json:"name"`
	From   shape.From   `json:"from"`
	Path   string       `json:"path,omitempty"`
	Type   value.Type   `json:"type,omitzero"`
	Misfit shape.Misfit `json:"misfit,omitempty"`
	ID     bool         `json:"id,omitempty"`
	Seen   string       `json:"seen,omitempty"`
}

type keptConfig struct {
	Host     string     `json:"host,omitempty"`
	Port     int        `json:"port,omitempty"`
	Database string     `json:"database,omitempty"`
	User     string     `json:"user,omitempty"`
	Secret   string     `json:"secret,omitempty"`
	TLS      string     `json:"tls,omitempty"`
	CA       string     `json:"ca,omitempty"`
	Path     string     `json:"path,omitempty"`
	Limits   keptLimits `json:"limits,omitzero"`
}

type keptLimits struct {
	Connections int `json:"connections,omitempty"`
	Silence     int `json:"silence,omitempty"`
}

type keptDeclared struct {
	Table      string    `json:"table"`
	Columns    []string  `json:"columns"`
	To         string    `json:"to,omitempty"`
	References []string  `json:"references,omitempty"`
	MeasuredAt time.Time `json:"measuredAt,omitzero"`
	Rows       int64     `json:"rows,omitempty"`
	Nulls      int64     `json:"nulls,omitempty"`
	Breaks     int64     `json:"breaks,omitempty"`
}

type keptNotes struct {
	Labels  []string                  `json:"labels,omitempty"`
	Columns map[string]keptColumnNote `json:"columns,omitempty"`
}

type keptColumnNote struct {
	Description string   `json:"description,omitempty"`
	Labels      []string `json:"labels,omitempty"`
}

// each converts a list; an empty one stays one, and nil stays nil.
func each[A, B any](list []A, f func(A) B) []B {
	if list == nil {
		return nil
	}
	out := make([]B, len(list))
	for i, x := range list {
		out[i] = f(x)
	}
	return out
}

// entries converts the values of a map.
func entries[A, B any](m map[string]A, f func(A) B) map[string]B {
	if m == nil {
		return nil
	}
	out := make(map[string]B, len(m))
	for k, x := range m {
		out[k] = f(x)
	}
	return out
}

func foundForm(s *catalog.Source) keptSource {
	return keptSource{s.Name, s.Kind, s.Version, each(s.Tables, tableForm), entries(s.Quirks, func(q catalog.Quirk) keptQuirk { return keptQuirk(q) })}
}

func (k keptSource) found() *catalog.Source {
	return &catalog.Source{Name: k.Name, Kind: k.Kind, Version: k.Version, Tables: each(k.Tables, keptTable.table), Quirks: entries(k.Quirks, func(q keptQuirk) catalog.Quirk { return catalog.Quirk(q) })}
}

func tableForm(t *catalog.Table) keptTable {
	out := keptTable{t.Source, t.Schema, t.Name, each(t.Columns, columnForm), each(t.Left, func(l catalog.LeftColumn) keptLeft { return keptLeft(l) }),
		each(t.Keys, func(x catalog.Key) keptKey { return keptKey(x) }), each(t.ForeignKeys, func(f catalog.ForeignKey) keptForeignKey { return keptForeignKey(f) }), t.Rows, nil, t.Verbatim}
	if f := t.Flat; f != nil {
		out.Flat = &keptFlat{f.Set, f.Name, f.Language, f.Steps, each(f.Cells, func(c shape.Cell) keptCell { return keptCell(c) })}
	}
	return out
}

func (k keptTable) table() *catalog.Table {
	out := &catalog.Table{Source: k.Source, Schema: k.Schema, Name: k.Name, Columns: each(k.Columns, keptColumn.column), Left: each(k.Left, func(l keptLeft) catalog.LeftColumn { return catalog.LeftColumn(l) }),
		Keys: each(k.Keys, func(x keptKey) catalog.Key { return catalog.Key(x) }), ForeignKeys: each(k.ForeignKeys, func(f keptForeignKey) catalog.ForeignKey { return catalog.ForeignKey(f) }), Rows: k.Rows, Verbatim: k.Verbatim}
	if f := k.Flat; f != nil {
		out.Flat = &shape.Flat{Set: f.Set, Name: f.Name, Language: f.Language, Steps: f.Steps, Cells: each(f.Cells, func(c keptCell) shape.Cell { return shape.Cell(c) })}
	}
	return out
}

func columnForm(c catalog.Column) keptColumn {
	return keptColumn{c.Name, c.Type, c.Native, c.Nullable, c.Collation, c.ReadAs, c.Note, c.Distinct, c.NullShare, each(c.Choices, func(o catalog.Choice) keptChoice { return keptChoice(o) }), c.Chosen, c.Misfits, each(c.Common, func(v catalog.CommonValue) keptCommon { return keptCommon(v) }), c.Bounds}
}

func (k keptColumn) column() catalog.Column {
	return catalog.Column{Name: k.Name, Type: k.Type, Native: k.Native, Nullable: k.Nullable, Collation: k.Collation, ReadAs: k.ReadAs, Note: k.Note, Distinct: k.Distinct, NullShare: k.NullShare,
		Choices: each(k.Choices, func(o keptChoice) catalog.Choice { return catalog.Choice(o) }), Chosen: k.Chosen, Misfits: k.Misfits, Common: each(k.Common, func(v keptCommon) catalog.CommonValue { return catalog.CommonValue(v) }), Bounds: k.Bounds}
}

func shapeForm(s *shape.Shape) keptShape {
	return keptShape{s.Set, s.Language, shapeTableForm(s.Table)}
}

func (k keptShape) shape() *shape.Shape {
	return &shape.Shape{Set: k.Set, Language: k.Language, Table: k.Table.table()}
}

func shapeTableForm(t *shape.Table) *keptShapeTable {
	if t == nil {
		return nil
	}
	return &keptShapeTable{t.Name, t.Rows, each(t.Columns, func(c shape.Column) keptShapeColumn { return keptShapeColumn(c) }), each(t.Parts, shapeTableForm)}
}

func (k *keptShapeTable) table() *shape.Table {
	if k == nil {
		return nil
	}
	return &shape.Table{Name: k.Name, Rows: k.Rows, Columns: each(k.Columns, func(c keptShapeColumn) shape.Column { return shape.Column(c) }), Parts: each(k.Parts, (*keptShapeTable).table)}
}

func configForm(c connect.Config) keptConfig {
	return keptConfig{c.Host, c.Port, c.Database, c.User, c.Secret, c.TLS, c.CA, c.Path, keptLimits(c.Limits)}
}

func (k keptConfig) config() connect.Config {
	return connect.Config{Host: k.Host, Port: k.Port, Database: k.Database, User: k.User, Secret: k.Secret, TLS: k.TLS, CA: k.CA, Path: k.Path, Limits: connect.Limits(k.Limits)}
}

func notesForm(n catalog.Notes) keptNotes {
	return keptNotes{n.Labels, entries(n.Columns, func(c catalog.ColumnNote) keptColumnNote { return keptColumnNote(c) })}
}

func (k keptNotes) notes() catalog.Notes {
	return catalog.Notes{Labels: k.Labels, Columns: entries(k.Columns, func(c keptColumnNote) catalog.ColumnNote { return catalog.ColumnNote(c) })}
}

// notesText writes notes as they are kept; notesOf reads them.
func notesText(n catalog.Notes) (string, error) {
	b, err := json.Marshal(notesForm(n))
	return string(b), err
}

func notesOf(text string) (catalog.Notes, error) {
	var k keptNotes
	err := json.Unmarshal([]byte(text), &k)
	return k.notes(), err
}
