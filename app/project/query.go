package project

import (
	"context"
	"encoding/json"
	"time"

	"rovik/app/queue"
	"rovik/connect"
	"rovik/connect/pool"
	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/memory"
	"rovik/core/plan"
	"rovik/core/rewrite"
	"rovik/core/value"
)

// Query is a text to explain or run. View and Layer are set where the text is (to be) the
// definition of a view.
type Query struct {
	SQL         string
	FoldOff     bool
	Layer, View string
	// Params are the values of $1, $2 …; see ParamsOf.
	Params Params
}

// Params are values of parameters in one comparable text.
type Params string

// ParamsOf packs the values of parameters, from $1 on; nil is NULL.
func ParamsOf(values []*string) Params {
	if len(values) == 0 {
		return ""
	}
	packed := make([][]byte, len(values)) // as bytes, which need not be text
	for i, v := range values {
		if v != nil {
			packed[i] = []byte(*v)
		}
	}
	b, err := json.Marshal(packed)
	if err != nil {
		panic(err) // bytes have a form
	}
	return Params(b)
}

func (p Params) values() []*string {
	if p == "" {
		return nil
	}
	var packed [][]byte
	if err := json.Unmarshal([]byte(p), &packed); err != nil {
		panic(err) // ParamsOf made it
	}
	out := make([]*string, len(packed))
	for i, b := range packed {
		if b != nil {
			v := string(b)
			out[i] = &v
		}
	}
	return out
}

// Definition is the text of a view as a query.
func Definition(v *catalog.View) Query { return Query{SQL: v.SQL, Layer: v.Layer, View: v.Name} }

// Binding is what a query is bound in, while ctx goes on and no longer than planning may take.
func (s *Snapshot) Binding(ctx context.Context, q Query) bind.Context {
	view := ""
	if q.View != "" {
		view = q.Layer + "." + q.View
	}
	return bind.Context{Catalog: s.catalog, Parse: s.project.parse, Now: time.Now(), Describe: s.describe, Effort: s.project.effort(ctx), Layer: q.Layer, View: view, Params: &bind.Params{Values: q.Params.values()}}
}

// effort bounds the planning of one query.
func (p *Project) effort(ctx context.Context) func() *plan.Effort {
	var take func(bytes int64) error
	if share, is := ctx.Value(planningKey{}).(*memory.Share); is {
		take = func(bytes int64) error { return share.Take(bytes, "query") }
	}
	return func() *plan.Effort { return plan.NewEffort(ctx, p.limits.Planning, take) }
}

type planningKey struct{}

// planning returns a context in which one query is planned, with a share of the memory,
// which close gives back.
func planning(ctx context.Context) (_ context.Context, end func()) {
	ctx, cancel := context.WithCancelCause(ctx)
	share := memory.NewShare(ctx, "planning", 0, cancel)
	return context.WithValue(ctx, planningKey{}, share), func() {
		share.Close()
		cancel(nil)
	}
}

// Parameters returns the types of a query's parameters, from $1 on.
func (s *Snapshot) Parameters(ctx context.Context, q Query) ([]value.Kind, error) {
	tree, err := s.project.parse(q.SQL)
	if err != nil {
		return nil, err
	}
	in := s.Binding(ctx, q)
	in.Params.Unset = true
	b, err := bind.Bind(in, q.SQL, tree)
	if err != nil {
		return nil, err
	}
	return b.Params, nil
}

// Bind parses and binds a query.
func (s *Snapshot) Bind(ctx context.Context, q Query) (*plan.Query, error) {
	tree, err := s.project.parse(q.SQL)
	if err != nil {
		return nil, err
	}
	return bind.Bind(s.Binding(ctx, q), q.SQL, tree)
}

// Measured returns how many rows runs have measured for a part of a plan, by its
// signature.
func (s *Snapshot) Measured(signature string) (float64, bool) {
	return s.project.measured.get(signature)
}

// Compile takes a query from its text to the statements of its sources, without reading
// any data. trace, where not nil, is told of each rewrite.
func (s *Snapshot) Compile(ctx context.Context, q Query, trace func(rewrite.Step)) (c *fold.Compiled, took time.Duration, err error) {
	defer value.Guard(&err)
	began := time.Now()
	if trace == nil {
		if c := s.plans.get(q); c != nil {
			return c, time.Since(began), nil
		}
	}
	ctx, end := planning(ctx)
	defer end()
	c, err = s.compile(ctx, q, trace)
	if err == nil && !c.Volatile {
		s.plans.put(q, c)
	}
	return c, time.Since(began), err
}

func (s *Snapshot) compile(ctx context.Context, q Query, trace func(rewrite.Step)) (*fold.Compiled, error) {
	b, err := s.Bind(ctx, q)
	if err != nil {
		return nil, err
	}
	for name := range plan.Sources(b.Root) {
		if src := s.sources[name]; src != nil {
			if unready, is := src.Conn.(broken); is {
				return nil, unready.err
			}
		}
	}
	b.Measured = s.Measured
	if b, err = rewrite.Apply(b, trace); err != nil {
		return nil, err
	}
	return fold.Compile(b, s.folding, fold.Options{Off: q.FoldOff})
}

// Explain says what a query would do.
func (s *Snapshot) Explain(ctx context.Context, q Query) (*explain.Report, error) {
	c, took, err := s.Compile(ctx, q, nil)
	if err != nil {
		return nil, err
	}
	return explain.Of(c, float64(took.Microseconds())/1000), nil
}

// ExplainView explains the view of a full name that is there.
func (s *Snapshot) ExplainView(ctx context.Context, name string) (*explain.Report, error) {
	return s.Explain(ctx, Definition(s.catalog.View(name)))
}

// Prepared is a query that was planned and may run.
type Prepared struct {
	Columns  []plan.Column
	snapshot *Snapshot
	compiled *fold.Compiled
	took     time.Duration
}

// Prepare plans a query.
func (s *Snapshot) Prepare(ctx context.Context, q Query) (*Prepared, error) {
	c, took, err := s.Compile(ctx, q, nil)
	if err != nil {
		return nil, err
	}
	return &Prepared{c.Root.Columns(), s, c, took}, nil
}

// Report says what the query would do.
func (p *Prepared) Report() *explain.Report {
	return explain.Of(p.compiled, float64(p.took.Microseconds())/1000)
}

// Work returns how many rows the query is expected to read, and to make on the way.
func (p *Prepared) Work() float64 {
	rows := 0.0
	for _, st := range p.compiled.Statements {
		rows += st.Rows
	}
	estimate := plan.NewEstimator(p.compiled.Root)
	for _, n := range explain.Numbered(p.compiled.Root) {
		rows += estimate.Rows(n.Node)
	}
	return rows
}

// Start runs the query whose turn has come. The turn ends once the run is closed. The
// caller takes its rows and closes it.
func (p *Prepared) Start(ctx context.Context, id string, turn *queue.Turn) (*exec.Run, error) {
	if !turn.Large() {
		ctx = pool.Aside(ctx)
	}
	return exec.Start(ctx, p.compiled, p.snapshot, exec.Options{ID: id, Planned: p.took, Measured: p.snapshot.project.measure, Closed: turn.Leave})
}

// Start runs a query once its turn has come. The caller takes its rows and closes it.
func (s *Snapshot) Start(ctx context.Context, q Query, id string) (*exec.Run, error) {
	p, err := s.Prepare(ctx, q)
	if err != nil {
		return nil, err
	}
	turn, err := s.project.queue.Enter(ctx, p.Work())
	if err != nil {
		return nil, err
	}
	return p.Start(ctx, id, turn)
}

// RunThrough runs a query to its end, drops the rows and reports.
func (s *Snapshot) RunThrough(ctx context.Context, q Query) (*explain.Report, error) {
	run, err := s.Start(ctx, q, NewRunID())
	if err != nil {
		return nil, err
	}
	defer run.Close()
	if err := run.Each(func(kernel.Batch) error { return nil }); err != nil {
		return nil, err
	}
	return run.Report(), nil
}

// Rows runs a query of few rows that the page asks for itself, and gives them as text; NULL is nil.
func (s *Snapshot) Rows(ctx context.Context, q Query) ([][]*string, error) {
	run, err := s.Start(queue.Previewing(ctx), q, NewRunID())
	if err != nil {
		return nil, err
	}
	defer run.Close()
	out := [][]*string{}
	err = run.Each(func(b kernel.Batch) error {
		for r := range b.Len {
			out = append(out, exec.RowTexts(run.Columns, b, r))
		}
		return nil
	})
	return out, err
}

// Open hands statements to their sources; see exec.Connector.
func (s *Snapshot) Open(ctx context.Context, st *fold.Statement, text string) (exec.Reader, error) {
	src, err := s.connected(st.Source)
	if err != nil {
		return nil, err
	}
	open := func(ctx context.Context) (exec.Reader, error) { return src.Conn.Open(ctx, st, text) }
	var r exec.Reader
	if !src.IsFiles() {
		r, err = pool.Open(ctx, src.slots, open)
	} else {
		r, err = open(ctx)
	}
	if err != nil {
		return nil, s.noticed(st.Source, err)
	}
	return &noticing{r, func(err error) error { return s.noticed(st.Source, err) }}, nil
}

// Verify compares tables with what is known of them; see exec.Verifier.
func (s *Snapshot) Verify(ctx context.Context, source string, tables []*catalog.Table, reads plan.Reads) error {
	src, err := s.connected(source)
	if err != nil {
		return err
	}
	if v, ok := src.Conn.(connect.Verifier); ok {
		return v.Verify(ctx, tables, reads)
	}
	return nil
}

// noticed tells of a source that has drifted, and returns the error.
func (s *Snapshot) noticed(source string, err error) error {
	if value.Code(err) == value.CodeChanged && s.project.hooks.Drifted != nil {
		s.project.hooks.Drifted(source, err)
	}
	return err
}

// noticing is a reader whose errors are noticed.
type noticing struct {
	exec.Reader
	notice func(error) error
}

// Next gives the next rows; see exec.Reader.
func (n *noticing) Next(ctx context.Context) (kernel.Batch, error) {
	b, err := n.Reader.Next(ctx)
	return b, n.notice(err)
}

// Unwrap returns the reader itself; see exec.Wrapper.
func (n *noticing) Unwrap() exec.Reader { return n.Reader }
