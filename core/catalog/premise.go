package catalog

import (
	"fmt"
	"slices"
)

// Broken compares what plans rely on of a table, as it was read, with what it is
// now: its columns with their types, collations and absence of NULL, and its
// keys. It returns what does not hold any more, or "". New columns and keys break
// nothing, nor do keys that were declared by hand, on which nothing relies.
//
// With reads, only columns that it names count, and keys of them.
func (t *Table) Broken(now *Table, reads map[string]bool) string {
	if now == nil {
		return "there is no table " + t.FullName()
	}
	for i := range t.Columns {
		was := &t.Columns[i]
		if reads != nil && !reads[was.Name] {
			continue
		}
		at := slices.IndexFunc(now.Columns, func(c Column) bool { return c.Name == was.Name })
		if at < 0 {
			return fmt.Sprintf("%s has no column %s", t.FullName(), was.Name)
		}
		is := &now.Columns[at]
		switch {
		case was.Type != is.Type || was.Native != is.Native:
			return fmt.Sprintf("%s.%s is %s now, and was %s", t.FullName(), was.Name, is.Native, was.Native)
		case was.ReadAs != is.ReadAs:
			return fmt.Sprintf("%s.%s is to be read otherwise", t.FullName(), was.Name)
		case was.Collation != is.Collation:
			return fmt.Sprintf("%s.%s compares by the collation %s now, and did by %s", t.FullName(), was.Name, is.Collation, was.Collation)
		case !was.Nullable && is.Nullable:
			return fmt.Sprintf("%s.%s may be NULL now", t.FullName(), was.Name)
		}
	}
	for _, k := range t.Keys {
		if reads != nil && slices.ContainsFunc(k.Columns, func(c string) bool { return !reads[c] }) {
			continue
		}
		if k.Declared == "" && !slices.ContainsFunc(now.Keys, k.sameColumns) {
			return fmt.Sprintf("nothing makes %v of %s unique any more", k.Columns, t.FullName())
		}
	}
	return ""
}

// enforcing are the kinds of sources that keep a column free of NULL where they say
// so.
var enforcing = map[string]bool{"postgresql": true, "mariadb": true, "sqlite": true}

// Unenforced returns the source with only what it enforces: of files and documents
// it may be that no NULL was seen, which says nothing of the next one.
func (s *Source) Unenforced() *Source {
	if enforcing[s.Kind] {
		return s
	}
	out := *s
	out.Tables = make([]*Table, len(s.Tables))
	for i, t := range s.Tables {
		table := *t
		table.Columns = slices.Clone(t.Columns)
		for c := range table.Columns {
			table.Columns[c].Nullable = true
		}
		out.Tables[i] = &table
	}
	return &out
}

func (k Key) sameColumns(o Key) bool {
	if len(k.Columns) != len(o.Columns) {
		return false
	}
	for _, c := range k.Columns {
		if !slices.Contains(o.Columns, c) {
			return false
		}
	}
	return true
}
