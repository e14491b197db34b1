package connect

import (
	"fmt"
	"slices"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// ShapedTable describes a table of a shape by what was seen of its columns in so
// many rows. before are the tables of the shape that stand before it.
func ShapedTable(source string, flat *shape.Flat, seen []shape.Seen, rows int64, before []*catalog.Table) *catalog.Table {
	out := &catalog.Table{Source: source, Name: flat.Name, Rows: rows, Flat: flat}
	for i, cell := range flat.Cells {
		out.Columns = append(out.Columns, shapedColumn(cell, &seen[i], rows))
	}
	out.ForeignKeys = toParent(out, before)
	return out
}

// toParent is how a part refers to the table of its parent, which stands before
// it.
func toParent(t *catalog.Table, before []*catalog.Table) []catalog.ForeignKey {
	for _, p := range before {
		if !slices.Equal(p.Flat.Steps, t.Flat.Steps[:len(t.Flat.Steps)-1]) {
			continue
		}
		key := catalog.ForeignKey{Table: p.FullName()}
		for _, c := range t.Flat.Cells {
			for _, up := range p.Flat.Cells {
				if c.Level == up.Level && c.From == up.From && c.Path == up.Path && c.Of == nil && up.Of == nil {
					key.Columns, key.References = append(key.Columns, c.Name), append(key.References, up.Name)
					break
				}
			}
		}
		if len(key.Columns) > 0 {
			return []catalog.ForeignKey{key}
		}
	}
	return nil
}

// shapedColumn describes a column of a shape's table by what was seen there.
func shapedColumn(cell shape.Cell, seen *shape.Seen, rows int64) catalog.Column {
	col := catalog.Column{Name: cell.Name, Type: cell.Type, Native: cell.Path}
	switch cell.From {
	case shape.FromPosition:
		col.Native = "position"
		return col
	case shape.FromFile:
		col.Native = "file"
		return col
	}
	if cell.Of != nil {
		col.Nullable, col.Note = true, "The strings that are no "+cell.Of.String()+"."
		if rows > 0 {
			col.NullShare = 1
		}
		return col
	}
	missing := seen.Of[shape.Missing] + seen.Of[shape.Nil]
	became := map[shape.Misfit]string{shape.Fails: "an error", shape.IsNull: "NULL", shape.AsText: "NULL, with the text in the column beside it"}[cell.Misfit]
	if cell.Misfit == shape.AsText && cell.Type.Kind == value.Text {
		became = "carried as their text"
	}
	if seen.Misfits > 0 {
		col.Note = fmt.Sprintf("%s; %d do not fit %s, as %s: %s.", seen, seen.Misfits, cell.Type, seen.Example, became)
	} else if seen.Mixed() {
		col.Note = seen.String() + "."
	}
	if seen.Misfits > 0 && became != "carried as their text" {
		missing += seen.Misfits
	}
	col.Misfits = seen.Misfits
	col.Nullable = true // nothing keeps the next record from having none
	if rows > 0 {
		col.NullShare = float64(missing) / float64(rows)
	}
	return col
}
