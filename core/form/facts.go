package form

import (
	"slices"
	"sort"
	"strings"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Facts are what binding finds of a form's parts, in the order of Form.Blocks and
// their lists. Where the text does not bind, those that came before the mistake
// are there.
type Facts struct {
	Inputs  [][]InputFacts `json:"inputs"`
	Outputs [][][]Column   `json:"outputs"` // what each output gives; several for *
}

// InputFacts are what is known of an input.
type InputFacts struct {
	Columns []Column   `json:"columns"`
	Sources []string   `json:"sources"` // that it reads
	Join    *JoinFacts `json:"join,omitempty"`
	alias   string
}

// Column is a column that the text can name, and how.
type Column struct {
	Name string `json:"name"`
	Type string `json:"type"`
	SQL  string `json:"sql"` // how the text names it; empty for an output that is computed
	// Table and Of are the table and its column whose values it carries unchanged;
	// empty where they are computed.
	Table     string `json:"table,omitempty"`
	Of        string `json:"of,omitempty"`
	Collation string `json:"collation,omitempty"`
}

// JoinFacts tell what a join does to rows. LeftUnique says that no two rows of the
// inputs before it agree in what is compared, by a key; RightUnique the same of
// the input itself.
type JoinFacts struct {
	LeftUnique  bool   `json:"leftUnique"`
	RightUnique bool   `json:"rightUnique"`
	Tests       []Test `json:"tests"`
}

// Test is one equality of a join.
type Test struct {
	Left  Side `json:"left"`
	Right Side `json:"right"`
}

// Side is one side of an equality.
type Side struct {
	Text      string `json:"text"`
	Type      string `json:"type"`
	Source    string `json:"source,omitempty"`
	Collation string `json:"collation,omitempty"`
}

// FactsOf binds a text and tells what its parts are. The error is binding's.
func FactsOf(ctx bind.Context, sql string, f *Form) (*Facts, error) {
	parse := ctx.Parse
	if parse == nil {
		parse = syntax.Parse
	}
	w := watcher{sql: sql, relations: map[int]InputFacts{}, joins: map[int]*JoinFacts{}, outputs: map[int][]Column{}, names: map[plan.ID]string{}, carried: map[plan.ID]carried{}}
	ctx.Watch = &bind.Watch{Relation: w.relation, Join: w.join, Output: w.output}
	tree, err := parse(sql)
	if err == nil {
		_, err = bind.Bind(ctx, sql, tree)
	}
	out := &Facts{Inputs: [][]InputFacts{}, Outputs: [][][]Column{}}
	for _, b := range f.Blocks {
		ins := make([]InputFacts, len(b.Inputs))
		for i, in := range b.Inputs {
			ins[i] = InputFacts{Columns: []Column{}, Sources: []string{}}
			// What the tree calls an item's place lies within the item.
			for at, r := range w.relations {
				if at >= in.Start && at < in.End && (in.Kind == KindRelation || in.Kind == KindNamed || r.alias == in.Alias) {
					ins[i].Columns, ins[i].Sources = r.Columns, r.Sources
				}
			}
			for at, j := range w.joins {
				if at >= in.Start && at < in.End {
					ins[i].Join = j
				}
			}
		}
		outs := make([][]Column, len(b.Outputs))
		for i, o := range b.Outputs {
			if outs[i] = w.outputs[o.Expr.Start]; outs[i] == nil {
				first := o.End
				for at, cols := range w.outputs { // in parentheses
					if at >= o.Start && at < first {
						outs[i], first = cols, at
					}
				}
			}
			if outs[i] == nil {
				outs[i] = []Column{}
			}
		}
		out.Inputs, out.Outputs = append(out.Inputs, ins), append(out.Outputs, outs)
	}
	return out, err
}

// InputOf finds the one input of a block that an expression's columns are of.
func (f *Form) InputOf(facts *Facts, block int, expr string) (int, error) {
	_, x, err := expression(expr)
	if err != nil {
		return 0, err
	}
	if block < 0 || block >= len(f.Blocks) {
		return 0, refuse("there is no block %d", block)
	}
	found := -1
	syntax.Walk(&syntax.Query{Body: &syntax.Select{Targets: []syntax.Target{{Expr: x}}}}, func(n syntax.Node) bool {
		c, is := n.(*syntax.Column)
		if !is {
			return true
		}
		at := slices.IndexFunc(f.Blocks[block].Inputs, func(in Input) bool { return len(c.Parts) > 1 && c.Parts[len(c.Parts)-2] == in.Alias })
		if len(c.Parts) == 1 && block < len(facts.Inputs) {
			at = slices.IndexFunc(facts.Inputs[block], func(in InputFacts) bool {
				return slices.ContainsFunc(in.Columns, func(col Column) bool { return col.Name == c.Parts[0] })
			})
		}
		switch {
		case at < 0:
			err = refuse("%s is no column of an input", strings.Join(c.Parts, "."))
		case found >= 0 && found != at:
			err = refuse("%s is of several inputs", expr)
		}
		found = at
		return true
	})
	if err == nil && found < 0 {
		err = refuse("%s is of no input", expr)
	}
	return found, err
}

// watcher collects what binding tells, by where in the text it starts.
type watcher struct {
	sql       string
	relations map[int]InputFacts
	joins     map[int]*JoinFacts
	outputs   map[int][]Column
	names     map[plan.ID]string // how the text names a column
	carried   map[plan.ID]carried
}

// carried is the table's column that a column of the plan is, unchanged.
type carried struct {
	table *catalog.Table
	index int
}

func (w *watcher) relation(at syntax.Span, n plan.Node, name string, cols []plan.Column) {
	w.trace(n)
	f := InputFacts{Columns: []Column{}, Sources: []string{}, alias: name}
	for s := range plan.Sources(n) {
		f.Sources = append(f.Sources, s)
	}
	sort.Strings(f.Sources)
	for _, c := range cols {
		text := syntax.Identifier(c.Name)
		if name != "" {
			text = syntax.Identifier(name) + "." + text
		}
		w.names[c.ID] = text
		f.Columns = append(f.Columns, w.column(c, text, c.ID))
	}
	w.relations[at.Start] = f
}

func (w *watcher) column(c plan.Column, text string, id plan.ID) Column {
	out := Column{Name: c.Name, Type: c.Type.String(), SQL: text}
	if from, ok := w.carried[id]; ok {
		col := from.table.Columns[from.index]
		out.Table, out.Of, out.Collation = from.table.FullName(), col.Name, col.Collation
	}
	return out
}

// trace notes which columns of a plan are a table's as they stand.
func (w *watcher) trace(n plan.Node) {
	for _, in := range n.Inputs() {
		w.trace(in)
	}
	pass := func(items []plan.Item) {
		for _, it := range items {
			if c, is := it.Expr.(*plan.Col); is {
				if from, ok := w.carried[c.ID]; ok {
					w.carried[it.ID] = from
				}
			}
		}
	}
	switch n := n.(type) {
	case *plan.Scan:
		for _, c := range n.Cols {
			w.carried[c.ID] = carried{n.Table, c.Index}
		}
	case *plan.Project:
		pass(n.Items)
	case *plan.Aggregate:
		pass(n.Groups)
	}
}

func (w *watcher) output(at syntax.Span, items []plan.Item) {
	cols := []Column{}
	for _, it := range items {
		c := Column{Name: it.Name, Type: it.Type.String()}
		if col, is := it.Expr.(*plan.Col); is {
			c = w.column(it.Column, w.names[col.ID], col.ID)
		}
		cols = append(cols, c)
	}
	w.outputs[at.Start] = cols
}

func (w *watcher) join(j *syntax.Join, n *plan.Join) {
	left, right := n.Left, n.Right
	if j.Kind == syntax.Right {
		left, right = right, left
	}
	lo, ro := plan.Outputs(left), plan.Outputs(right)
	f := &JoinFacts{Tests: []Test{}}
	lc, rc := plan.IDs{}, plan.IDs{}
	for _, c := range n.On {
		l, r, ok := plan.EquiKeys(c, lo, ro)
		if !ok {
			continue
		}
		if col, is := l.(*plan.Col); is {
			lc[col.ID] = true
		}
		if col, is := r.(*plan.Col); is {
			rc[col.ID] = true
		}
		f.Tests = append(f.Tests, Test{w.side(l), w.side(r)})
	}
	f.LeftUnique, f.RightUnique = unique(left, lc), unique(right, rc)
	w.joins[j.Right.At().Start] = f
}

func (w *watcher) side(e plan.Expr) Side {
	for {
		cast, is := e.(*plan.Cast)
		if !is || cast.Org != cast.Arg.Origin() { // written in the text
			break
		}
		e = cast.Arg
	}
	s := Side{Type: e.Type().String()}
	if o := e.Origin(); o.Known() && o.View == "" && o.End <= len(w.sql) {
		s.Text = w.sql[o.Start:o.End]
	}
	uses := plan.Uses(e)
	for id := range uses {
		if from, ok := w.carried[id]; ok {
			s.Source = from.table.Source
			if k := e.Type().Kind; k == value.Text || k == value.Char {
				s.Collation = from.table.Columns[from.index].Collation
			}
		}
	}
	return s
}

func unique(n plan.Node, fixed plan.IDs) bool {
	for _, key := range plan.Keys(n) {
		if key.Within(fixed) {
			return true
		}
	}
	return false
}
