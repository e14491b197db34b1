package catalog

import (
	"fmt"
	"sort"
	"strings"
)

// Change is one thing that changed in a source. Column is empty
// for a change of the table; Was and Is are empty where there is nothing.
type Change struct {
	Table  string `json:"table"` // name or schema.name
	Column string `json:"column"`
	What   string `json:"what"`
	Was    string `json:"was"`
	Is     string `json:"is"`
	// Takes reports that something goes which a view may need.
	Takes bool `json:"takes"`
	// Views are those that read what changed.
	Views []string `json:"views"`
}

// What changes are about.
const (
	TableAdded   = "table added"
	TableGone    = "table gone"
	ColumnAdded  = "column added"
	ColumnGone   = "column gone"
	TypeChanged  = "type changed"
	NullsAllowed = "NULL"
	Collated     = "collation changed"
	KeyAdded     = "key added"
	KeyGone      = "key gone"
)

func (c Change) takes() bool {
	switch c.What {
	case TableGone, ColumnGone, TypeChanged, KeyGone, Collated:
		return true
	}
	return c.What == NullsAllowed && c.Is == "allowed"
}

// Difference compares a source with how it was known before: tables, columns,
// types, collations and keys, in the order of their names. Sizes and statistics
// are no differences.
func Difference(before, after *Source) []Change {
	if before == nil || after == nil {
		return nil
	}
	was, is := tablesByName(before), tablesByName(after)
	var out []Change
	for name, t := range was {
		if is[name] == nil {
			out = append(out, Change{Table: name, What: TableGone, Was: fmt.Sprintf("%d columns", len(t.Columns))})
		}
	}
	for name, t := range is {
		if was[name] == nil {
			out = append(out, Change{Table: name, What: TableAdded, Is: fmt.Sprintf("%d columns", len(t.Columns))})
			continue
		}
		out = append(out, tableDifference(name, was[name], t)...)
	}
	for i := range out {
		out[i].Takes = out[i].takes()
	}
	sort.SliceStable(out, func(i, j int) bool {
		a, b := out[i], out[j]
		if a.Table != b.Table {
			return a.Table < b.Table
		}
		return a.Column < b.Column
	})
	return out
}

// LocalName is the table's name within its source.
func (t *Table) LocalName() string {
	if t.Schema == "" {
		return t.Name
	}
	return t.Schema + "." + t.Name
}

func tablesByName(s *Source) map[string]*Table {
	out := map[string]*Table{}
	for _, t := range s.Tables {
		out[t.LocalName()] = t
	}
	return out
}

func tableDifference(name string, was, is *Table) []Change {
	var out []Change
	nulls := map[bool]string{true: "allowed", false: "never"}
	for _, old := range was.Columns {
		at := is.Column(old.Name)
		if at < 0 {
			out = append(out, Change{Table: name, Column: old.Name, What: ColumnGone, Was: old.Type.String()})
			continue
		}
		col := is.Columns[at]
		change := func(what, was, is string) {
			if was != is {
				out = append(out, Change{Table: name, Column: old.Name, What: what, Was: was, Is: is})
			}
		}
		change(TypeChanged, old.Type.String(), col.Type.String())
		change(Collated, old.Collation, col.Collation)
		change(NullsAllowed, nulls[old.Nullable], nulls[col.Nullable])
	}
	for _, col := range is.Columns {
		if was.Column(col.Name) < 0 {
			out = append(out, Change{Table: name, Column: col.Name, What: ColumnAdded, Is: col.Type.String()})
		}
	}
	had, has := keyTexts(was), keyTexts(is)
	for k := range had {
		if !has[k] {
			out = append(out, Change{Table: name, What: KeyGone, Was: k})
		}
	}
	for k := range has {
		if !had[k] {
			out = append(out, Change{Table: name, What: KeyAdded, Is: k})
		}
	}
	return out
}

func keyTexts(t *Table) map[string]bool {
	out := map[string]bool{}
	for _, k := range t.Keys {
		word := "unique"
		if k.Primary {
			word = "primary"
		}
		out[word+" ("+strings.Join(k.Columns, ", ")+")"] = true
	}
	for _, f := range t.ForeignKeys {
		out["("+strings.Join(f.Columns, ", ")+") → "+f.Table] = true
	}
	return out
}
