package catalog

import (
	"fmt"
	"slices"
	"time"
)

// DeclaredKey is a key that a person declared, since its source has none: unique
// columns of a table or, where To is set, columns that hold keys of another.
// Nothing in the source enforces it. So it counts for estimates and for what
// people are shown, and no answer ever depends on it.
type DeclaredKey struct {
	Table      string   `json:"table"` // as name or schema.name
	Columns    []string `json:"columns"`
	To         string   `json:"to,omitempty"` // the other table's full name
	References []string `json:"references,omitempty"`
	// What was measured, and when: rows of which all columns have values, rows of
	// which some are NULL, and values that more than one row has or, where To is
	// set, that the other table lacks.
	MeasuredAt time.Time `json:"measuredAt,omitzero"`
	Rows       int64     `json:"rows,omitempty"`
	Nulls      int64     `json:"nulls,omitempty"`
	Breaks     int64     `json:"breaks,omitempty"`
}

// Same reports whether both declare the same, whatever was measured.
func (k DeclaredKey) Same(o DeclaredKey) bool {
	return k.Table == o.Table && k.To == o.To && slices.Equal(k.Columns, o.Columns) && slices.Equal(k.References, o.References)
}

// note says what was measured of a key.
func (k DeclaredKey) note() string {
	text := fmt.Sprintf("Declared; it held for %d rows", k.Rows)
	if k.Breaks > 0 {
		text = fmt.Sprintf("Declared, and it does not hold: of %d rows, %d values break it", k.Rows, k.Breaks)
	}
	if k.Nulls > 0 {
		text += fmt.Sprintf(", %d rows have NULL in it", k.Nulls)
	}
	return text + k.MeasuredAt.Format(", measured 2006-01-02 15:04 MST.")
}

// WithDeclared returns the source with the declared keys of the tables and
// columns that it has.
func (s *Source) WithDeclared(keys []DeclaredKey) *Source {
	if len(keys) == 0 {
		return s
	}
	out := *s
	out.Tables = slices.Clone(s.Tables)
	for i, t := range out.Tables {
		for _, k := range keys {
			if k.Table == t.LocalName() && !slices.ContainsFunc(k.Columns, func(c string) bool { return t.Column(c) < 0 }) {
				out.Tables[i] = out.Tables[i].withDeclared(k)
			}
		}
	}
	return &out
}

func (t *Table) withDeclared(k DeclaredKey) *Table {
	out := *t
	if k.To != "" {
		out.ForeignKeys = append(slices.Clone(t.ForeignKeys), ForeignKey{Columns: k.Columns, Table: k.To, References: k.References, Declared: k.note()})
		return &out
	}
	out.Keys = append(slices.Clone(t.Keys), Key{Columns: k.Columns, Declared: k.note()})
	if at := t.Column(k.Columns[0]); len(k.Columns) == 1 && k.Breaks == 0 && t.Columns[at].Distinct == 0 {
		out.Columns = slices.Clone(t.Columns)
		out.Columns[at].Distinct = k.Rows
	}
	return &out
}
