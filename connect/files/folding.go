package files

import (
	"fmt"
	"strings"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/shape"
)

// folding judges plans over files: they are only read. What can be left unread
// without changing the answer is; all else is Rovik's.
type folding struct {
	fold.KeepAll
	name   string
	format format
	column func(plan.ID) fold.TableColumn
}

func newFolding(name string, f format, of func(plan.ID) fold.TableColumn) *folding {
	return &folding{fold.KeepAll{Why: onlyRead}, name, f, of}
}

// Reading returns the judge of a plan; see fold.ColumnAware.
func (f *folding) Reading(of func(plan.ID) fold.TableColumn) fold.Source {
	return newFolding(f.name, f.format, of)
}

// PartColumn is the ReadAs of a column whose values are in the folders' names.
const PartColumn = "folder"

func onlyRead(what string) *fold.Reason {
	return &fold.Reason{Code: "no-equivalent", Text: what + " is Rovik's work: files are only read.", Remedy: "None is needed where little is read: filter below it by what folders and statistics tell."}
}

func (f *folding) Name() string { return f.name }

// Value judges an expression: a column is read, nothing is computed.
func (f *folding) Value(e plan.Expr) *fold.Reason {
	if _, isCol := e.(*plan.Col); isCol {
		return nil
	}
	return onlyRead("Computing")
}

// Filter judges a condition. On the folders' names it is exact; by the bounds
// that a format keeps of its parts, those are skipped that cannot meet it.
func (f *folding) Filter(e plan.Expr) (plan.Expr, *fold.Reason) {
	if f.onParts(e) {
		return nil, nil
	}
	if f.format.keepsBounds() && prunes(e) {
		return e, &fold.Reason{Code: "parts-skipped",
			Text:   "Parts of files that cannot meet it by their statistics are not read; Rovik checks the rows of the others.",
			Remedy: "None is needed where the files are sorted by what it compares; else write them so, or in folders named by it."}
	}
	return nil, onlyRead("Checking it")
}

// onParts reports whether a condition reads the folders' names alone.
func (f *folding) onParts(e plan.Expr) bool {
	reads := false
	ok := true
	plan.Walk(e, func(p plan.Expr) bool {
		if c, isCol := p.(*plan.Col); isCol {
			reads = true
			of := f.column(c.ID)
			ok = ok && of.Table != nil && of.Table.Columns[of.Index].ReadAs == PartColumn
		}
		_, keys := p.(*plan.ShippedKeys)
		ok = ok && !keys
		return ok
	})
	return ok && reads && !plan.MayFail(e)
}

// Operator judges an operator: a limit is where reading ends; see fold.Operator.
func (f *folding) Operator(n plan.Node) *fold.Reason {
	if l, ok := n.(*plan.Limit); ok && l.Ties == nil {
		return nil
	}
	return f.KeepAll.Operator(n)
}

// reading is a native statement: columns of a table, and steps that rows pass
// in their order.
type reading struct {
	table   string
	flat    *shape.Flat // of a shape's table
	columns []catalog.Column
	parts   []string           // the columns of the folders' names, in their order
	ids     map[plan.ID]string // of the scan's columns
	steps   []step
}

// step is a filter on the folders' names, a condition that parts may be skipped
// by, or a limit.
type step struct {
	exact, wide   plan.Expr
	limit         bool
	count, offset int64 // of a limit; count -1 for all
}

// Render writes a reading; see fold.Source.
func (f *folding) Render(root plan.Node) (fold.Native, error) {
	p, ok := root.(*plan.Project)
	if !ok {
		return fold.Native{}, fmt.Errorf("files: a statement that is a %T", root)
	}
	r := &reading{ids: map[plan.ID]string{}}
	w := &writer{}
	if err := f.steps(p.Input, r, w); err != nil {
		return fold.Native{}, err
	}
	var names []string
	for _, it := range p.Items {
		c, ok := it.Expr.(*plan.Col)
		if !ok || r.ids[c.ID] == "" {
			return fold.Native{}, fmt.Errorf("files: a column that is %s", plan.Text(it.Expr))
		}
		names = append(names, r.ids[c.ID])
		r.columns = append(r.columns, w.table.Columns[w.table.Column(r.ids[c.ID])])
	}
	from := "\nFROM " + r.table
	if r.flat != nil {
		from = "\nFROM " + r.flat.Set + " ROWS " + strings.Join(r.flat.Steps, " THEN ")
	}
	head := "READ " + strings.Join(names, ", ") + from
	if len(r.columns) == 0 {
		head = "COUNT ROWS" + from
	}
	for i := range w.marks {
		w.marks[i].Start += len(head)
		w.marks[i].End += len(head)
	}
	return fold.Native{Language: "file", Text: head + w.text.String(), Marks: w.marks, Own: r}, nil
}

// writer writes the steps, with the places of their pieces.
type writer struct {
	table *catalog.Table
	text  strings.Builder
	marks []fold.Mark
}

func (w *writer) line(kind fold.Kind, at plan.Origin, before, what string) {
	w.text.WriteString("\n" + before)
	start := w.text.Len()
	w.text.WriteString(what)
	w.marks = append(w.marks, fold.Mark{Kind: kind, Origin: at, Start: start, End: w.text.Len()})
}

// steps takes a fragment apart, the scan first.
func (f *folding) steps(n plan.Node, r *reading, w *writer) error {
	switch n := n.(type) {
	case *plan.Scan:
		r.table, r.flat, w.table = n.Table.Name, n.Table.Flat, n.Table
		for _, c := range n.Table.Columns {
			if c.ReadAs == PartColumn {
				r.parts = append(r.parts, c.Name)
			}
		}
		for _, c := range n.Cols {
			r.ids[c.ID] = n.Table.Columns[c.Index].Name
		}
		return nil
	case *plan.Filter:
		if err := f.steps(n.Input, r, w); err != nil {
			return err
		}
		for _, c := range n.Conds {
			if f.onParts(c) {
				r.steps = append(r.steps, step{exact: c})
				w.line(fold.KindFilter, c.Origin(), "ONLY FOLDERS WHERE ", plan.Text(c))
			} else {
				r.steps = append(r.steps, step{wide: c})
				w.line(fold.KindFilter, c.Origin(), "SKIP PARTS WITHOUT ", plan.Text(c))
			}
		}
		return nil
	case *plan.Limit:
		if err := f.steps(n.Input, r, w); err != nil {
			return err
		}
		r.steps = append(r.steps, step{limit: true, count: n.Count, offset: n.Offset})
		text := "ALL ROWS"
		if n.Count >= 0 {
			text = fmt.Sprintf("%d ROWS", n.Count)
		}
		if n.Offset > 0 {
			text += fmt.Sprintf(" AFTER %d", n.Offset)
		}
		w.line(fold.KindLimit, n.Org, "STOP AFTER ", text)
		return nil
	}
	return fmt.Errorf("files: no rule for %T", n)
}

var _ interface {
	fold.Filterer
	fold.Operator
	fold.ColumnAware
} = (*folding)(nil)
