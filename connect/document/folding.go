package document

import (
	"fmt"
	"slices"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// folding judges plans over documents: what the server can be asked for in a
// find or an aggregation, so far as its quirks were measured to let it.
type folding struct {
	name   string
	found  *catalog.Source
	column func(plan.ID) fold.TableColumn
}

// Reading returns the judge of a plan; see fold.ColumnAware.
func (f *folding) Reading(of func(plan.ID) fold.TableColumn) fold.Source {
	return &folding{f.name, f.found, of}
}

func (f *folding) Name() string { return f.name }

// KeyBatch is how many shipped keys one statement takes.
func (f *folding) KeyBatch() int { return 1000 }

func computed() *fold.Reason {
	return &fold.Reason{Code: "no-equivalent", Text: "The document server is asked for columns and conditions; Rovik computes.", Remedy: "None is needed where few rows cross: filter below it."}
}

// Value judges an expression: columns are read, and keys are compared.
func (f *folding) Value(e plan.Expr) *fold.Reason {
	if _, isCol := e.(*plan.Col); isCol {
		return nil
	}
	if c, isCall := e.(*plan.Call); isCall && c.Op == "in" && len(c.Args) == 2 {
		if _, shipped := c.Args[1].(*plan.ShippedKeys); shipped {
			if m := f.match(c); m.filter == nil {
				return m.why
			}
			return nil
		}
	}
	return computed()
}

// Filter judges a condition; see fold.Source.
func (f *folding) Filter(e plan.Expr) (plan.Expr, *fold.Reason) {
	m := f.match(e)
	switch {
	case m.filter == nil:
		if m.why == nil {
			m.why = computed()
		}
		return nil, m.why
	case m.exact:
		return nil, nil
	}
	return e, m.why
}

// Group judges grouping by a column. Whole numbers are grouped with floating
// ones by the server, so that all have to be whole: Operator looks for that.
func (f *folding) Group(e plan.Expr) *fold.Reason {
	at, why := f.plainField(e)
	if why != nil {
		return why
	}
	if at.cell.Type.Kind == value.Float8 {
		return &fold.Reason{Code: "float-order", Text: "The server groups floating numbers in its own way.", Remedy: "Round it into a whole number above."}
	}
	if !at.root() {
		return f.able(unwindingOf(at.flat))
	}
	return f.able("groups by " + at.class())
}

func (f *folding) plainField(e plan.Expr) (field, *fold.Reason) {
	col, isCol := e.(*plan.Col)
	if !isCol {
		return field{}, computed()
	}
	return f.field(col)
}

// Order judges sorting by a column: Operator sees to it that each has a value.
func (f *folding) Order(k plan.SortKey) *fold.Reason {
	at, why := f.plainField(k.Expr)
	switch {
	case why != nil:
		return why
	case !at.root():
		return rechecked()
	case at.cell.Type.Kind == value.Float8:
		return &fold.Reason{Code: "float-order", Text: "The server sorts NaN first, Rovik last.", Remedy: "None is needed where few rows cross: filter below it."}
	}
	return f.able("sorts " + at.class())
}

// accumulators are the aggregates that a server may know.
var accumulators = map[string]string{"sum": "$sum", "min": "$min", "max": "$max"}

// Aggregate judges an aggregate; Operator sees to it that its column has values.
func (f *folding) Aggregate(a plan.Agg) *fold.Reason {
	if !a.Plain() || len(a.Args) > 1 {
		return computed()
	}
	if a.Func == "count" && len(a.Args) == 0 {
		return f.able("counts")
	}
	if a.Func == "count" {
		at, why := f.plainField(a.Args[0])
		if why == nil && !at.root() {
			why = rechecked()
		}
		return why
	}
	if accumulators[a.Func] == "" {
		return computed()
	}
	at, why := f.plainField(a.Args[0])
	switch k := at.cell.Type.Kind; {
	case why != nil:
		return why
	case !at.root():
		return rechecked()
	case a.Func == "sum" && k != value.Int2 && k != value.Int4:
		return &fold.Reason{Code: "overflow-differs", Text: "Sums of large or floating numbers are floating numbers to the server.", Remedy: "Declare the column as integer in its shape, if it is one."}
	case k == value.Float8 || k == value.Bool:
		return computed()
	}
	return f.able(fmt.Sprintf("%s of %s", a.Func, at.class()))
}

// Operator judges what the server would do with what it runs so far.
func (f *folding) Operator(n plan.Node) *fold.Reason {
	switch n := n.(type) {
	case *plan.Limit:
		if n.Ties != nil {
			return computed()
		}
		c, why := f.chain(n.Input)
		if why != nil {
			return why
		}
		if c.lists() {
			return &fold.Reason{Code: "input-kept", Text: "Rovik flattens the documents, and stops reading when it has enough rows.", Remedy: "None is needed: no more documents cross than it takes."}
		}
		return nil
	case *plan.Sort:
		c, why := f.chain(n.Input)
		if why == nil && c.lists() {
			why = rechecked()
		}
		for _, k := range n.Keys {
			if why == nil {
				why = c.has(k.Expr)
			}
		}
		return why
	case *plan.Aggregate:
		if n.Sets != nil {
			return computed()
		}
		c, why := f.grouped(n.Input)
		for _, g := range n.Groups {
			if why == nil {
				why = f.groupable(c, g.Expr)
			}
		}
		for _, a := range n.Aggs {
			if why == nil && len(a.Args) == 1 {
				if why = c.has(a.Args[0]); c.lists() {
					why = rechecked()
				}
			}
		}
		return why
	case *plan.Distinct:
		p, ok := n.Input.(*plan.Project)
		if !ok || len(n.On) > 0 {
			return computed()
		}
		c, why := f.grouped(p.Input)
		for _, it := range p.Items {
			if why == nil {
				why = f.groupable(c, it.Expr)
			}
		}
		return why
	}
	return computed()
}

// grouped takes apart what the server is to group: rows of lists only where it
// unwinds them.
func (f *folding) grouped(n plan.Node) (*chain, *fold.Reason) {
	c, why := f.chain(n)
	if why != nil || !c.lists() {
		return c, why
	}
	for _, step := range c.scan.Table.Flat.Steps[1:] {
		if _, plain := listNames(step); !plain {
			return c, computed()
		}
	}
	return c, f.able(unwindingOf(c.scan.Table.Flat))
}

// groupable judges grouping the rows of a chain by a column.
func (f *folding) groupable(c *chain, e plan.Expr) *fold.Reason {
	at, why := f.plainField(e)
	if why != nil {
		return why
	}
	if c.lists() {
		if at.cell.Level != len(at.flat.Steps)-1 {
			return &fold.Reason{Code: "input-kept", Text: "Rows of a list are grouped by what is in the list alone.", Remedy: "Group by the record's own columns above."}
		}
		if k := at.cell.Type.Kind; k != value.Text && k != value.Bool && k != value.TimestampTZ {
			return &fold.Reason{Code: "cast-differs", Text: "The server groups whole and floating numbers together.", Remedy: "None is needed where few rows cross."}
		}
		return nil
	}
	if at.cell.Type.Kind.IsInteger() {
		return c.has(e)
	}
	return nil
}

// chain is what the server would run, taken apart: a scan and what its rows go
// through.
type chain struct {
	f      *folding
	scan   *plan.Scan
	stages []plan.Node
	sure   plan.IDs
}

// lists reports whether the rows are of lists within the documents.
func (c *chain) lists() bool { return c.scan.Table.Flat != nil && len(c.scan.Table.Flat.Steps) > 1 }

// has tells why a column may be without a value.
func (c *chain) has(e plan.Expr) *fold.Reason {
	col, isCol := e.(*plan.Col)
	if isCol && c.sure[col.ID] {
		return nil
	}
	name := "It"
	if isCol {
		name = col.Name
	}
	return &fold.Reason{Code: "quirk-differs", Text: fmt.Sprintf("%s may be missing or of another type in a document, which the server counts and sorts in its own way.", name),
		Remedy: fmt.Sprintf("Add WHERE %s IS NOT NULL, if that is what is meant.", name)}
}

// chain takes a plan apart; what a server has grouped it does not go on with.
func (f *folding) chain(n plan.Node) (*chain, *fold.Reason) {
	c := &chain{f: f, sure: plan.IDs{}}
	for {
		switch at := n.(type) {
		case *plan.Scan:
			c.scan = at
			slices.Reverse(c.stages)
			return c, nil
		case *plan.Filter:
			for _, cond := range at.Conds {
				for id := range f.match(cond).sure {
					c.sure[id] = true
				}
			}
			c.stages = append(c.stages, at)
			n = at.Input
		case *plan.Sort:
			c.stages = append(c.stages, at)
			n = at.Input
		case *plan.Limit:
			c.stages = append(c.stages, at)
			n = at.Input
		default:
			return nil, computed()
		}
	}
}

// Windows are Rovik's work.
var _ interface {
	fold.Filterer
	fold.Grouper
	fold.Sorter
	fold.Operator
	fold.KeyTaker
	fold.ColumnAware
} = (*folding)(nil)
