package files

import (
	"fmt"
	"path/filepath"
	"strings"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// unifier makes the columns of a table out of those of its files.
type unifier struct {
	columns []catalog.Column
	byName  map[string]int
	seen    []int     // in how many files
	nulls   []float64 // how many rows are NULL, where that is known
	rows    int64
	files   int
	first   file
	more    bool // there are columns past those that a table has
	// mixed is as what values of kinds are read that have no other in common.
	mixed value.Kind
}

func (u *unifier) add(f file, c *contents) {
	if u.files == 0 {
		u.first = f
	}
	u.files++
	u.rows += c.rows
	for _, col := range c.columns {
		i, known := u.byName[col.Name]
		if !known && len(u.columns) == shape.MaxColumns {
			u.more = true
			continue
		}
		if !known {
			u.byName[col.Name] = len(u.columns)
			u.columns, u.seen, u.nulls = append(u.columns, col), append(u.seen, 1), append(u.nulls, col.NullShare*float64(c.rows))
			continue
		}
		have := &u.columns[i]
		u.seen[i]++
		u.nulls[i] += col.NullShare * float64(c.rows)
		have.Nullable = have.Nullable || col.Nullable
		have.Distinct = max(have.Distinct, col.Distinct)
		have.Bounds = widest(have, &col)
		differ := func(kind value.Kind) {
			have.Type = value.Of(kind)
			have.Note = fmt.Sprintf("Files differ: %s in %s, %s in %s; it is read as %s.", have.Native, filepath.Base(u.first.path), col.Native, filepath.Base(f.path), kind)
		}
		switch kind, ok := value.Common(have.Type.Kind, col.Type.Kind); {
		case have.Type == col.Type && have.ReadAs == col.ReadAs:
		case unknown(col):
		case unknown(*have):
			have.Type, have.ReadAs, have.Native, have.Note, have.Bounds, have.Distinct = col.Type, col.ReadAs, col.Native, col.Note, col.Bounds, col.Distinct
		case ok && kind.IsText() == have.Type.Kind.IsText() && have.ReadAs == "" && col.ReadAs == "":
			differ(kind)
		default:
			differ(u.mixed)
			have.ReadAs, have.Bounds, have.Distinct = asText, nil, 0
		}
	}
}

// unknown tells of a column without a value, of which no type is known.
func unknown(c catalog.Column) bool { return c.Type.Kind == value.Null && c.ReadAs == "" }

// asText is the ReadAs of a column whose values are read as text, whatever type
// they have in a file.
const asText = "text"

// leftOut is the ReadAs of a column that cannot be carried, until finish drops
// it.
const leftOut = "left out"

// widest puts the bounds of two files together, where both have some.
func widest(a, b *catalog.Column) []string {
	if len(a.Bounds) != 2 || len(b.Bounds) != 2 {
		return nil
	}
	k := a.Type.Kind
	out := append([]string{}, a.Bounds...)
	for i, less := range []bool{true, false} {
		x, err1 := value.Parse(k, a.Bounds[i])
		y, err2 := value.Parse(k, b.Bounds[i])
		if err1 != nil || err2 != nil {
			return nil
		}
		if (value.Compare(y, x) < 0) == less {
			out[i] = b.Bounds[i]
		}
	}
	return out
}

// finish returns the columns, and those that cannot be carried unless they were
// chosen to be read as text. One that some files do not have is NULL there.
func (u *unifier) finish(chosen func(column string) bool) (out []catalog.Column, left []catalog.LeftColumn) {
	for i, c := range u.columns {
		if unknown(c) {
			c.Type = value.Of(value.Text)
		}
		if c.ReadAs == leftOut {
			if !chosen(c.Name) {
				left = append(left, catalog.LeftColumn{Name: c.Name, Native: c.Native, Reason: c.Note, AsText: "lists and nested values as JSON"})
				continue
			}
			c.Type, c.ReadAs, c.Chosen, c.Bounds, c.Distinct = value.Of(value.Text), "", true, nil, 0
			c.Note = strings.TrimSpace(c.Note + " It is read as text, as was chosen.")
		}
		if u.seen[i] < u.files {
			c.Nullable = true
			c.Note = strings.TrimSpace(c.Note + fmt.Sprintf(" %d of %d files do not have it: NULL there.", u.files-u.seen[i], u.files))
		}
		if u.rows > 0 {
			c.NullShare = u.nulls[i] / float64(u.rows)
		}
		if n := within(c); c.Distinct == 0 && n > 0 {
			c.Distinct = min(n, u.rows)
		}
		out = append(out, c)
	}
	return out, left
}

// within counts the values that there can be between a column's bounds, or
// returns 0 where that is not known.
func within(c catalog.Column) int64 {
	k := c.Type.Kind
	if len(c.Bounds) != 2 || !k.IsInteger() && k != value.Date {
		return 0
	}
	low, err1 := value.Parse(k, c.Bounds[0])
	high, err2 := value.Parse(k, c.Bounds[1])
	if n := high.Int - low.Int + 1; err1 == nil && err2 == nil && n > 0 {
		return n
	}
	return 0
}
