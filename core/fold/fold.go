package fold

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/value"
)

// Verdict says who evaluates a piece.
type Verdict string

// The verdicts.
const (
	Folded   Verdict = "folded"   // the source does it exactly
	Narrowed Verdict = "narrowed" // the source applies a wider condition, Rovik rechecks
	Kept     Verdict = "kept"     // Rovik does it
)

// Compare orders verdicts, the best first.
func (v Verdict) Compare(o Verdict) int {
	order := []Verdict{Folded, Narrowed, Kept}
	return slices.Index(order, v) - slices.Index(order, o)
}

// Reason says why a piece did not fold, and what would make it fold.
type Reason struct {
	Code   string `json:"code"`
	Text   string `json:"text"`
	Remedy string `json:"remedy"`
}

// Native is a statement in a source's own language.
type Native struct {
	Language   string
	Text       string
	Parameters []value.Value
	// Own is the statement as the source itself wants it, where it does not go
	// by the text.
	Own any
	// Marks says which parts of the text stand for which piece.
	Marks []Mark
	// WithKeys is set for a statement that takes shipped keys: it returns the
	// statement for some of them, at most MaxKeys at once, or for none of them
	// without the condition on them.
	WithKeys func(keys []value.Value) (text string, parameters []value.Value)
	MaxKeys  int
}

// Mark is a part of a native statement that does a piece's work.
type Mark struct {
	Kind       Kind
	Origin     plan.Origin
	Start, End int
}

// Statement is one native statement of a compiled query.
type Statement struct {
	Number  int
	Source  string
	Columns []plan.Column // of its result, in order
	Rows    float64       // estimated
	// Signature names the rows for estimates of later runs; "" for none.
	Signature string
	// Tables are those that it reads, as they were known when it was planned: what
	// the plan relies on without being told when it changes.
	Tables []*catalog.Table
	// Reads are the columns of them on which the plan relies.
	Reads plan.Reads
	Native
}

// shipment is a join whose keys go into a statement that has no number yet.
type shipment struct {
	join *plan.Join
	ref  *statementRef
}

// Options change how a query is compiled.
type Options struct {
	// Off folds nothing: sources are read as bare columns.
	Off bool
}

// Compiled is a query cut at the waterline.
type Compiled struct {
	Root       plan.Node // with plan.Remote where sources take over
	Statements []*Statement
	Pieces     []*Piece
	Rewrites   []plan.Rewriting
	Volatile   bool // the time of binding is in it, as now() puts it there
	// Relied are tables that no statement reads but whose keys or columns decided
	// that none has to, by source.
	Relied map[string][]*catalog.Table
	// Reads are the columns that the query names.
	Reads plan.Reads
	texts *plan.Query
}

// Text returns the words at an origin, on one line.
func (c *Compiled) Text(o plan.Origin) string { return oneLine(c.texts.Text(o)) }

// Compile folds a rewritten query into the sources.
func Compile(q *plan.Query, sources map[string]Source, opts Options) (_ *Compiled, err error) {
	defer value.Catch(&err)
	less := map[string]smaller{}
	for {
		f := &folder{q: q, sources: sources, off: opts.Off, less: less, estimate: plan.NewEstimator(q.Root).Knowing(q.Measured)}
		c, err := f.compile()
		if err != nil {
			return nil, err
		}
		// Where a statement does not fit into its source's bounds, less of that source is folded.
		again := false
		for source, why := range f.tooLarge {
			if by := less[source].by; by < oneColumn && !opts.Off {
				less[source] = smaller{by + 1, why}
				again = true
			}
		}
		if !again {
			return c, nil
		}
	}
}

func (f *folder) compile() (*Compiled, error) {
	q := f.q
	p, err := f.fold(q.Root)
	if err != nil {
		return nil, err
	}
	root := f.surface(p)
	if f.err != nil {
		return nil, f.err
	}
	for _, s := range f.ships {
		s.join.Ship.Statement = s.ref.find().number
	}
	return &Compiled{Root: root, Statements: f.statements, Relied: f.relied(), Reads: f.q.Reads, Pieces: f.finishPieces(), Rewrites: q.Rewrites, Volatile: q.Volatile, texts: &plan.Query{Texts: q.Texts}}, nil
}

type folder struct {
	// reducing counts the aggregations around that fold with their input, shrinking
	// DISTINCT and LIMIT too, and joining the joins around.
	reducing, shrinking, joining int

	ships      []shipment
	q          *plan.Query
	sources    map[string]Source
	off        bool
	less       map[string]smaller // by source
	tooLarge   map[string]*Reason // why a statement of a source does not fit
	estimate   *plan.Estimator
	statements []*Statement
	notes      []*note
	columns    map[plan.ID]TableColumn
	err        error
}

// relied returns the tables that a rewrite relied on and no statement reads.
func (f *folder) relied() map[string][]*catalog.Table {
	var out map[string][]*catalog.Table
next:
	for _, t := range f.q.Relied {
		for _, s := range f.statements {
			if slices.Contains(s.Tables, t) {
				continue next
			}
		}
		if out == nil {
			out = map[string][]*catalog.Table{}
		}
		out[t.Source] = append(out[t.Source], t)
	}
	return out
}

// tablesOf returns the tables that a plan reads, each once, with the columns that
// the query reads of them there or names anywhere.
func (f *folder) tablesOf(n plan.Node) ([]*catalog.Table, plan.Reads) {
	reads := plan.Reads{}
	reads.Add(n)
	tables := slices.SortedFunc(maps.Keys(reads), func(a, b *catalog.Table) int { return cmp.Compare(a.FullName(), b.FullName()) })
	for _, t := range tables {
		maps.Copy(reads[t], f.q.Reads[t])
	}
	return tables, reads
}

// source returns a source that is told of the plan's columns, or nil where none of
// that name is connected.
func (f *folder) source(name string) *judge {
	src := f.sources[name]
	if src == nil {
		return nil
	}
	if in, ok := src.(ColumnAware); ok {
		src = in.Reading(f.column)
	}
	return &judge{src, f.off, f.less[name]}
}

// column returns the column of a table that an id of the plan stands for.
func (f *folder) column(id plan.ID) TableColumn {
	if f.columns == nil {
		f.columns = map[plan.ID]TableColumn{}
		var nodes []plan.Node
		plan.Visit(f.q.Root, func(n plan.Node) { nodes = append(nodes, n) })
		for _, n := range slices.Backward(nodes) { // inputs first
			f.noteColumns(n)
		}
	}
	return f.columns[id]
}

func (f *folder) noteColumns(n plan.Node) {
	switch n := n.(type) {
	case *plan.Scan:
		for _, c := range n.Cols {
			f.columns[c.ID] = TableColumn{Table: n.Table, Index: c.Index}
		}
	case *plan.Aggregate:
		for _, g := range n.Groups {
			if c, ok := g.Expr.(*plan.Col); ok && f.columns[c.ID].Table != nil {
				of := f.columns[c.ID]
				of.Grouped = true
				f.columns[g.ID] = of
			}
		}
	}
}

// place is where a part of the plan ended up: below the waterline (half), or
// above it (node, with the reason why).
type place struct {
	half *half
	node plan.Node
	why  *Reason
}

// half is a plan that its source runs, with work on its rows that is still
// undecided or left to Rovik. Projections are not applied but remembered as
// definitions, so that what is above sees through them.
type half struct {
	source  *judge
	frag    plan.Node
	out     []plan.Column
	defs    plan.Defs   // of output columns that are not columns of frag
	filters []plan.Expr // over frag's columns, for Rovik to check
	ref     *statementRef
	why     *Reason // of the first filter that is left to Rovik
	// shipped is how many rows the keys of another side are expected to find,
	// where they are sent along.
	shipped float64
}

// statementRef names a statement that has no number yet. Halves that are
// joined come to share one.
type statementRef struct {
	parent *statementRef
	number int
}

func (r *statementRef) find() *statementRef {
	for r.parent != nil {
		r = r.parent
	}
	return r
}

func (f *folder) fold(n plan.Node) (place, error) {
	f.q.IDs.Effort.Spend(1)
	switch n := n.(type) {
	case *plan.Scan:
		src := f.source(n.Table.Source)
		if src == nil {
			return place{}, value.Errorf(value.CodeSource, "the source %s is not connected", n.Table.Source).
				WithHint("look at it on the Sources page")
		}
		return place{half: &half{source: src, frag: n, out: n.Columns(), defs: plan.Defs{}, ref: &statementRef{}}}, nil
	case *plan.Values:
		return place{node: n, why: &Reason{"no-source", "It reads no source.", "None is needed: it costs nothing to do here."}}, nil
	case *plan.Join:
		return f.join(n)
	case *plan.Union:
		return f.set(n, n.Org)
	case *plan.SetOp:
		return f.set(n, n.Org)
	case *plan.WorkTable:
		return place{node: n, why: recursionKept()}, nil
	case *plan.Recursive:
		return f.recursive(n)
	}
	if agg, ok := n.(*plan.Aggregate); ok && f.foldable(agg) {
		f.reducing++
		defer func() { f.reducing-- }()
	}
	if shrinks(n) {
		f.shrinking++
		defer func() { f.shrinking-- }()
	}
	in, err := f.fold(n.Inputs()[0])
	if err != nil {
		return place{}, err
	}
	switch n := n.(type) {
	case *plan.Filter:
		return f.filter(n, in), nil
	case *plan.Project:
		return f.project(n, in), nil
	case *plan.Aggregate:
		return f.aggregate(n, in), nil
	case *plan.Distinct:
		return f.distinct(n, in), nil
	case *plan.Sort:
		return f.sort(n, in), nil
	case *plan.Limit:
		return f.limit(n, in), nil
	case *plan.Window:
		return f.window(n, in), nil
	case *plan.Unnest:
		return f.unnest(n, in), nil
	}
	return place{}, fmt.Errorf("fold: no rule for %T", n)
}

// surface brings a part above the waterline.
func (f *folder) surface(p place) plan.Node {
	if p.half == nil {
		return p.node
	}
	return f.materialize(p.half)
}

// above notes that an operator over p is kept, and why.
func (f *folder) above(p place) *Reason {
	if p.half != nil {
		if p.half.why != nil {
			return inputKept(p.half.why)
		}
		return nil
	}
	return inputKept(p.why)
}

func inputKept(why *Reason) *Reason {
	if why.Code == "input-kept" || why.Code == "no-source" {
		return why
	}
	return &Reason{"input-kept", "Its input is computed by Rovik, so this is too: " + lowerFirst(why.Text), why.Remedy}
}

func (f *folder) filter(n *plan.Filter, in place) place {
	if in.half == nil {
		for _, c := range n.Conds {
			f.note(KindFilter, c.Origin(), Kept, nil, f.above(in))
		}
		return place{node: n.WithInputs([]plan.Node{in.node}), why: in.why}
	}
	h := *in.half
	var remote []plan.Expr
	for _, c := range n.Conds {
		c = plan.Substitute(c, h.defs)
		wider, r := h.source.Filter(c)
		if len(h.filters) > 0 && plan.MayFail(c) && r == nil {
			wider, r = nil, guardedReason()
		}
		switch {
		case r == nil:
			remote = append(remote, c)
			f.note(KindFilter, c.Origin(), Folded, h.ref, nil)
			continue
		case wider != nil:
			remote = append(remote, plan.WithOrigin(wider, c.Origin()))
			f.note(KindFilter, c.Origin(), Narrowed, h.ref, r)
		default:
			f.note(KindFilter, c.Origin(), Kept, h.ref, r)
		}
		h.leave(c, r)
	}
	if len(remote) > 0 {
		h.frag = &plan.Filter{Input: h.frag, Conds: remote}
	}
	return place{half: &h}
}

func guardedReason() *Reason {
	return &Reason{"guarded", "It can fail for a row, and a condition before it that Rovik checks may be there to prevent that.",
		"Make the condition before it fold, or this one unable to fail."}
}

// leave hands a condition to Rovik.
func (h *half) leave(cond plan.Expr, why *Reason) {
	h.filters = append(h.filters[:len(h.filters):len(h.filters)], cond)
	if h.why == nil {
		h.why = why
	}
}

func (f *folder) project(n *plan.Project, in place) place {
	if in.half == nil {
		for _, it := range n.Items {
			if isPiece(it.Expr) {
				f.note(KindExpression, it.Expr.Origin(), Kept, nil, f.above(in))
			}
		}
		return place{node: n.WithInputs([]plan.Node{in.node}), why: in.why}
	}
	h := *in.half
	h.out = n.Columns()
	h.defs = plan.Defs{}
	for _, it := range n.Items {
		e := plan.Substitute(it.Expr, in.half.defs)
		if c, ok := e.(*plan.Col); !ok || c.ID != it.ID {
			h.defs[it.ID] = e
		}
	}
	return place{half: &h}
}

// isPiece reports whether an output expression is work that someone wrote: more
// than a column, a constant, or what a rewrite put in a column's place.
func isPiece(e plan.Expr) bool {
	if _, isConst := e.(*plan.Const); isConst || isColumn(e) {
		return false
	}
	written := len(plan.Uses(e)) == 0
	for _, part := range plan.Children(e) {
		plan.Walk(part, func(p plan.Expr) bool {
			written = written || p.Origin().Known()
			return !written
		})
	}
	return written
}

func isColumn(e plan.Expr) bool {
	_, ok := e.(*plan.Col)
	return ok
}

// def returns how an output column is computed from the fragment's columns.
func (h *half) def(c plan.Column) plan.Expr {
	if d, ok := h.defs[c.ID]; ok {
		return d
	}
	return c.Ref()
}

// items returns the output columns as a projection over the fragment.
func (h *half) items() []plan.Item {
	items := make([]plan.Item, len(h.out))
	for i, c := range h.out {
		items[i] = plan.Item{Column: c, Expr: h.def(c)}
	}
	return items
}

func substitute(n plan.Node, defs plan.Defs) plan.Node {
	return plan.MapExprs(n, func(e plan.Expr) plan.Expr { return plan.Substitute(e, defs) })
}

func substituteAgg(a plan.Agg, defs plan.Defs) plan.Agg {
	n := &plan.Aggregate{Aggs: []plan.AggItem{{Agg: a}}}
	return substitute(n, defs).(*plan.Aggregate).Aggs[0].Agg
}

func firstReason(n int, judge func(i int) *Reason) *Reason {
	for i := range n {
		if r := judge(i); r != nil {
			return r
		}
	}
	return nil
}

// exactOutput judges that the source computes all output columns of h, and
// that nothing is left to Rovik.
func (h *half) exactOutput() *Reason {
	if h.why != nil {
		return inputKept(h.why)
	}
	return firstReason(len(h.out), func(i int) *Reason { return h.source.Value(h.def(h.out[i])) })
}
