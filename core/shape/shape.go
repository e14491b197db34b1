package shape

import (
	"fmt"
	"slices"

	"rovik/core/value"
)

// Language is the standard in which a shape's paths are written.
type Language string

// The languages of paths.
const (
	JSONPath Language = "jsonpath"
	XPath    Language = "xpath"
)

// Misfit says what becomes of a value that does not fit its column's type.
type Misfit string

// What becomes of misfits. AsText gives a column of text the value's text, and
// any other column NULL with the text in a column beside it.
const (
	Fails  Misfit = "error"
	IsNull Misfit = "null"
	AsText Misfit = "text"
)

// From says what a column is made of.
type From string

// What columns are made of: what a path leads to, a column of the parent's row,
// the row's position within its parent (of records: within the file), counted
// from 1, or the file's name.
const (
	FromPath     From = "path"
	FromParent   From = "parent"
	FromPosition From = "position"
	FromFile     From = "file"
)

// Shape is how the nested records of one set become tables.
type Shape struct {
	// Set names the records: a file or a folder of files, a collection.
	Set      string   `json:"set"`
	Language Language `json:"language"`
	// Table has a row for each record. Its Rows lead to the records of a file.
	Table *Table `json:"table" null:"never"`
}

// Table is a table that a shape makes, with those of its repeating parts.
type Table struct {
	Name string `json:"name"`
	// Rows is the path to the table's rows, from the row of its parent.
	Rows    string   `json:"rows"`
	Columns []Column `json:"columns"`
	Parts   []*Table `json:"parts,omitempty"`
}

// Column is a column of a shape's table. Path leads to it from the row; for
// FromParent it is the name of a column of the parent's table.
type Column struct {
	Name   string     `json:"name"`
	From   From       `json:"from"`
	Path   string     `json:"path,omitempty"`
	Type   value.Type `json:"type,omitzero"` // of what a path leads to
	Misfit Misfit     `json:"misfit,omitempty"`
	// ID says that the values are identifiers that a server makes, and no other
	// strings.
	ID bool `json:"id,omitempty"`
	// Seen tells what a sample had there, in words.
	Seen string `json:"seen,omitempty"`
}

// Flat is one table of a shape with everything that its rows are made of.
type Flat struct {
	Set      string   `json:"set"`
	Name     string   `json:"name"`
	Language Language `json:"language"`
	// Steps lead from a file to its records, and on from each row to the rows
	// of the next level.
	Steps []string `json:"steps"`
	Cells []Cell   `json:"cells"` // the columns
}

// Cell is a column of a Flat: made from the row at a level of its steps.
type Cell struct {
	Name   string     `json:"name"`
	Level  int        `json:"level"`
	From   From       `json:"from"`
	Path   string     `json:"path,omitempty"`
	Type   value.Type `json:"type"`
	Misfit Misfit     `json:"misfit,omitempty"`
	ID     bool       `json:"id,omitempty"`
	// Of is the type that the values of a column do not fit whose strings these
	// are.
	Of *value.Type `json:"of,omitempty"`
}

// MisfitSuffix ends the name of the column with the strings of misfits.
const MisfitSuffix = "_misfit"

const (
	MaxColumns = 1600 // of a table, as in PostgreSQL
	maxTables  = 200  // of a shape
	maxLevels  = 20
)

// Flats checks a shape and returns its tables, each parent before its parts.
func (s *Shape) Flats() ([]*Flat, error) {
	if s.Language != JSONPath && s.Language != XPath {
		return nil, wrong("there is no language of paths called %q", s.Language)
	}
	if s.Table == nil {
		return nil, wrong("the shape of %s has no table", s.Set)
	}
	f := &flattening{shape: s, names: map[string]bool{}}
	if err := f.table(s.Table, nil, nil, nil); err != nil {
		return nil, err
	}
	return f.out, nil
}

func wrong(format string, args ...any) *value.Error {
	return value.Errorf(value.CodeBadParameter, format, args...)
}

type flattening struct {
	shape *Shape
	names map[string]bool
	out   []*Flat
}

func (f *flattening) table(t *Table, steps []string, parent *Table, parentCells map[string]Cell) error {
	switch {
	case CleanName(t.Name) != t.Name:
		return wrong("%q cannot be the name of a table", t.Name).WithHint("names are lower-case letters, digits and _")
	case f.names[t.Name]:
		return wrong("two tables of the shape are called %s", t.Name).WithHint("rename one of them")
	case len(f.names) == maxTables:
		return wrong("the shape has more than %d tables", maxTables)
	case len(steps) == maxLevels:
		return wrong("the parts of the shape are nested more than %d deep", maxLevels)
	case len(t.Columns) == 0:
		return wrong("the table %s has no columns", t.Name).WithHint("add one, or drop the table")
	case len(t.Columns) > MaxColumns:
		return wrong("the table %s has more than %d columns", t.Name, MaxColumns)
	}
	f.names[t.Name] = true
	flat := &Flat{Set: f.shape.Set, Name: t.Name, Language: f.shape.Language, Steps: append(slices.Clone(steps), t.Rows)}
	level := len(flat.Steps) - 1
	if err := checkPath(f.shape.Language, t.Rows, level == 0); err != nil {
		return fmt.Errorf("the rows of %s: %w", t.Name, err)
	}
	cells := map[string]Cell{}
	var names Names
	for _, c := range t.Columns {
		cell := Cell{Name: c.Name, Level: level, From: c.From, Path: c.Path, Type: c.Type, Misfit: c.Misfit, ID: c.ID}
		if err := f.cell(t, c, &cell, parent, parentCells); err != nil {
			return err
		}
		if CleanName(c.Name) != c.Name {
			return wrong("%q cannot be the name of a column of %s", c.Name, t.Name).WithHint("names are lower-case letters, digits and _")
		}
		if _, taken := cells[c.Name]; taken {
			return wrong("two columns of %s are called %s", t.Name, c.Name).WithHint("rename one of them")
		}
		cells[names.Take(c.Name)] = cell
		flat.Cells = append(flat.Cells, cell)
	}
	for _, c := range slices.Clone(flat.Cells) {
		if c.Level == level && c.From == FromPath && c.Misfit == AsText && !c.Type.Kind.IsText() {
			of := c.Type
			c.Name, c.Of, c.Type = names.Take(c.Name+MisfitSuffix), &of, value.Of(value.Text)
			cells[c.Name] = c
			flat.Cells = append(flat.Cells, c)
		}
	}
	f.out = append(f.out, flat)
	for _, part := range t.Parts {
		if err := f.table(part, flat.Steps, t, cells); err != nil {
			return err
		}
	}
	return nil
}

// cell completes what a column is made of.
func (f *flattening) cell(t *Table, c Column, cell *Cell, parent *Table, parentCells map[string]Cell) error {
	switch c.From {
	case FromPosition:
		cell.Type = value.Of(value.Int8)
	case FromFile:
		cell.Type = value.Of(value.Text)
	case FromParent:
		if parent == nil {
			return wrong("%s has no parent to take its column %s from", t.Name, c.Name)
		}
		of, known := parentCells[c.Path]
		if !known {
			return wrong("%s has no column %q for the column %s of %s", parent.Name, c.Path, c.Name, t.Name).WithHint("choose one of its columns")
		}
		*cell = of
		cell.Name = c.Name
	case FromPath:
		if err := checkPath(f.shape.Language, c.Path, false); err != nil {
			return fmt.Errorf("the column %s of %s: %w", c.Name, t.Name, err)
		}
		if c.Misfit != Fails && c.Misfit != IsNull && c.Misfit != AsText {
			return wrong("the column %s of %s does not say what becomes of what does not fit: error, null or text", c.Name, t.Name)
		}
		if k := c.Type.Kind; k.IsArray() || k == value.Bytea || k == value.Char || k == value.Interval || k == value.Null || c.Type.Precision > 0 {
			return wrong("the column %s of %s cannot be %s", c.Name, t.Name, c.Type).WithHint("choose a number, text, boolean, date, timestamp or jsonb")
		}
		if c.ID && c.Type.Kind != value.Text {
			return wrong("the column %s of %s has identifiers and cannot be %s", c.Name, t.Name, c.Type).WithHint("choose text")
		}
	default:
		return wrong("the column %s of %s is made of nothing that there is: %q", c.Name, t.Name, c.From)
	}
	return nil
}

// Unique returns the names of columns that no two rows of a table can share:
// a record's file and position, and the positions of parts within it. It is nil
// where they are not all there.
func (f *Flat) Unique(files int) []string {
	var out []string
	at := map[int]string{}
	for _, c := range f.Cells {
		switch {
		case c.From == FromFile && files > 1 && len(out) == 0:
			out = append(out, c.Name)
		case c.From == FromPosition:
			at[c.Level] = c.Name
		}
	}
	if files > 1 && len(out) == 0 {
		return nil
	}
	for level := range f.Steps {
		if at[level] == "" {
			return nil
		}
		out = append(out, at[level])
	}
	return out
}
