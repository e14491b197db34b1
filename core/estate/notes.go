package estate

import (
	"rovik/core/catalog"
	"rovik/core/lineage"
)

// Noted is what is said of a column: by itself, or by the column of a lower view
// that it is unchanged, whose view From then names.
type Noted struct {
	catalog.ColumnNote
	From string
}

// Noted returns what is said of a view's column. What it says of itself stands
// before what it inherits, the description and the labels each by themselves.
func (e *Estate) Noted(view, column string) Noted {
	return held(e, func() Noted { return e.noted(view, column) })
}

func (e *Estate) noted(view, column string) Noted {
	var out Noted
	at := Node{Relation: view, Column: column}
	for steps := 0; steps < maxInherited; steps++ {
		v := e.ctx.Catalog.View(at.Relation)
		if v == nil {
			break
		}
		note := v.Notes.Columns[at.Column]
		if out.Description == "" && note.Description != "" || len(out.Labels) == 0 && len(note.Labels) > 0 {
			if at.Relation != view {
				out.From = at.Relation
			}
		}
		if out.Description == "" {
			out.Description = note.Description
		}
		if len(out.Labels) == 0 {
			out.Labels = note.Labels
		}
		known := e.view(v)
		if known.Err != nil {
			break
		}
		c := known.Text().Column(at.Column)
		if c == nil || len(c.Carries) != 1 || c.Carries[0].Via != lineage.Unchanged {
			break
		}
		at = Node{Relation: c.Carries[0].Table, Column: c.Carries[0].Column}
	}
	return out
}

// maxInherited bounds how far up a note is looked for.
const maxInherited = 200
