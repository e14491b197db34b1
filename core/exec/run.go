// Package exec runs compiled queries: streaming operators over Arrow batches,
// with every source read at the same time.
package exec

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// BatchRows is how many rows operators aim to put into a batch.
const BatchRows = 8192

// DefaultMemory is the budget, in bytes, for what a run's joins, sorts and
// groups hold.
const DefaultMemory = 2 << 30

// Reader gives the rows of a native statement. Next returns io.EOF at the end.
// Its batches have the statement's columns, by their kinds.
type Reader interface {
	Next(ctx context.Context) (kernel.Batch, error)
	Close() error
}

// Touched tells how much of something a reader has read, of how much there is.
type Touched struct {
	What string `json:"what"`
	Read int64  `json:"read"`
	Of   int64  `json:"of"`
}

// Wrapper is a Reader around another, which may be a Toucher or an Unfitter.
type Wrapper interface {
	Reader
	Unwrap() Reader
}

// readerAs returns r, or the first reader within, as a T.
func readerAs[T any](r Reader) (T, bool) {
	for {
		if t, ok := r.(T); ok {
			return t, true
		}
		w, ok := r.(Wrapper)
		if !ok {
			var none T
			return none, false
		}
		r = w.Unwrap()
	}
}

// Toucher is a Reader that knows how much it leaves unread.
type Toucher interface {
	Reader
	Touched() []Touched
}

// Unfit tells of values that did not fit the type of their column, and what
// became of them.
type Unfit struct {
	Column  string `json:"column"`
	Type    string `json:"type"`
	Count   int64  `json:"count"`
	Became  string `json:"became"` // "null" or "text"
	Example string `json:"example"`
}

// Unfitter is a Reader that counts what does not fit.
type Unfitter interface {
	Reader
	Unfit() []Unfit
}

// Connector opens native statements. text is the statement with the run's
// comment in front.
type Connector interface {
	Open(ctx context.Context, s *fold.Statement, text string) (Reader, error)
}

// Verifier is a Connector that can compare tables that no statement reads with what
// is known of them, as far as reads names their columns.
type Verifier interface {
	Connector
	Verify(ctx context.Context, source string, tables []*catalog.Table, reads plan.Reads) error
}

// Options of a run.
type Options struct {
	ID     string // names the run in the comment of its statements
	Memory int64  // bytes; 0 means DefaultMemory
	// Measured is told of every statement that was read to its end: the
	// signature of its rows and their number. It may be nil.
	Measured func(signature string, rows int64)
	// Planned is how long planning took, for the report.
	Planned time.Duration
}

// Comment returns what every native statement of a run starts with.
func Comment(runID string) string { return "/* Rovik run " + runID + " */ " }

// Run is a running query. Next is for one goroutine; Report and Stop are for
// any.
type Run struct {
	Columns []plan.Column

	compiled *fold.Compiled
	planned  time.Duration
	began    time.Time
	ctx      context.Context
	cancel   context.CancelCauseFunc
	root     operator
	stmts    []*counters
	ops      []*counters
	returned atomic.Int64
	ended    atomic.Int64 // nanoseconds since began; 0 while running
	readers  sync.WaitGroup
	remotes  []*remoteOp
	conn     Connector
	verified bool
	budget   *budget
	measured func(signature string, rows int64)
}

// counters measure a statement or an operator.
type counters struct {
	rows, bytes, nanos atomic.Int64
	keys, tooMany      atomic.Int64 // shipped, or too many to be
	touched            atomic.Pointer[[]Touched]
	unfit              atomic.Pointer[[]Unfit]
}

// Start returns a run, from which the caller takes batches with Next until
// io.EOF, and which it must Close. Several statements are opened at once; a
// single one when the first rows are asked for.
func Start(ctx context.Context, c *fold.Compiled, conn Connector, opts Options) (*Run, error) {
	if opts.Memory == 0 {
		opts.Memory = DefaultMemory
	}
	r := &Run{Columns: c.Root.Columns(), compiled: c, planned: opts.Planned, began: time.Now(), conn: conn, budget: &budget{limit: opts.Memory}, measured: opts.Measured}
	r.ctx, r.cancel = context.WithCancelCause(Owned(ctx, r))
	b := &builder{run: r, shipments: map[int]*shippedKeys{}, conn: conn, comment: Comment(opts.ID), estimate: plan.NewEstimator(c.Root)}
	for range c.Statements {
		r.stmts = append(r.stmts, &counters{})
	}
	root, err := b.build(c.Root)
	if err != nil {
		r.Close()
		return nil, err
	}
	r.root = root
	return r, nil
}

type ownerKey struct{}

// Owned returns a context in which statements of one run are opened.
func Owned(ctx context.Context, run any) context.Context {
	return context.WithValue(ctx, ownerKey{}, run)
}

// Owner returns what tells the statements of one run from those of others, by the
// context that they are opened in; nil for none.
func Owner(ctx context.Context) any { return ctx.Value(ownerKey{}) }

// Stopped is the cause of a run's end that a person asked for.
var Stopped = value.Errorf(value.CodeCancelled, "the run was stopped")

// Stop ends the run; Next then returns Stopped.
func (r *Run) Stop() { r.cancel(Stopped) }

// Next returns the next rows, or io.EOF.
func (r *Run) Next() (kernel.Batch, error) {
	b, err := r.work()
	switch {
	case err == nil:
		r.returned.Add(int64(b.Len))
		return b, nil
	case errors.Is(err, io.EOF):
		r.end()
		return kernel.Batch{}, io.EOF
	}
	if cause := context.Cause(r.ctx); cause != nil {
		err = cause
	}
	if errors.Is(err, context.DeadlineExceeded) {
		err = value.Errorf(value.CodeCancelled, "the run reached its time limit").WithHint("narrow the query, or raise the limit")
	} else if errors.Is(err, context.Canceled) {
		err = Stopped
	}
	r.end()
	return kernel.Batch{}, err
}

func (r *Run) work() (b kernel.Batch, err error) {
	defer value.Guard(&err)
	if v, ok := r.conn.(Verifier); ok && !r.verified {
		for source, tables := range r.compiled.Relied {
			if err := v.Verify(r.ctx, source, tables, r.compiled.Reads); err != nil {
				return b, err
			}
		}
	}
	r.verified = true
	return r.root.next(r.ctx)
}

func (r *Run) end() { r.ended.CompareAndSwap(0, int64(time.Since(r.began))) }

// Close ends the run, whatever is still open, and waits for its sources. It is
// for the goroutine that calls Next.
func (r *Run) Close() {
	r.end()
	r.cancel(Stopped)
	r.readers.Wait()
	for _, o := range r.remotes {
		o.close()
	}
	r.remotes = nil
}

// Report returns what the run has done so far.
func (r *Run) Report() *Report {
	rep := Explain(r.compiled, millis(int64(r.planned)))
	var rows, bytes int64
	for i, c := range r.stmts {
		n, by, ms := c.rows.Load(), c.bytes.Load(), millis(c.nanos.Load())
		rep.Statements[i].ShippedKeys = int(c.keys.Load())
		if t := c.touched.Load(); t != nil {
			rep.Statements[i].Touched = *t
		}
		if u := c.unfit.Load(); u != nil {
			rep.Statements[i].Unfit = *u
		}
		if keys := c.tooMany.Load(); keys > 0 {
			rep.keysGivenUp(r.compiled.Statements[i], int(keys))
		}
		rep.Statements[i].Rows, rep.Statements[i].Bytes, rep.Statements[i].Milliseconds = &n, &by, &ms
		rows, bytes = rows+n, bytes+by
	}
	for i, c := range r.ops {
		n, ms := c.rows.Load(), millis(c.nanos.Load())
		rep.Operators[i].Rows, rep.Operators[i].Milliseconds = &n, &ms
	}
	total := r.ended.Load()
	if total == 0 {
		total = int64(time.Since(r.began))
	}
	ms := millis(total + int64(r.planned))
	returned := r.returned.Load()
	rep.TotalMilliseconds, rep.RowsCrossed, rep.BytesCrossed, rep.RowsReturned = &ms, &rows, &bytes, &returned
	return rep
}

func millis(nanos int64) float64 { return float64(nanos/1000) / 1000 }

// budget counts the memory that operators hold.
type budget struct {
	limit int64
	used  atomic.Int64
}

func (b *budget) take(n int64, what string) error {
	if b.used.Add(n) > b.limit {
		return value.Errorf(value.CodeMemory, "the run's %s needs more than its %d MiB of memory", what, b.limit>>20).
			WithHint("filter earlier, or take fewer columns")
	}
	return nil
}

// operator gives batches until io.EOF.
type operator interface {
	next(ctx context.Context) (kernel.Batch, error)
}

// measured counts what an operator gives and how long it and its inputs take.
type measured struct {
	operator
	c *counters
}

// next also ends a run that was stopped while operators work on what they hold,
// when no source would notice.
func (m measured) next(ctx context.Context) (kernel.Batch, error) {
	if err := ctx.Err(); err != nil {
		return kernel.Batch{}, err
	}
	began := time.Now()
	b, err := m.operator.next(ctx)
	m.c.nanos.Add(int64(time.Since(began)))
	if err == nil {
		m.c.rows.Add(int64(b.Len))
	}
	return b, err
}

// builder makes operators of plan nodes, numbering them as Explain does.
type builder struct {
	run       *Run
	conn      Connector
	comment   string
	estimate  *plan.Estimator
	works     map[int]*workRows
	shipments map[int]*shippedKeys // by statement
	// rounds is set while the step of a recursion is built: what it reads of
	// sources is held there, and its operators are counted once.
	rounds *rounds
}

// rounds is what the rounds of one recursion share.
type rounds struct {
	held     map[plan.Node]*heldRows
	asked    map[plan.Node]*remoteOp // takes keys of the present round
	counters map[plan.Node]*counters
}

// remote reads a statement in a round. What it reads is held for the rounds
// that follow, unless the statement takes keys that each round makes anew. Once
// the keys of a round were too many, all rows are read once and held.
func (r *rounds) remote(b *builder, n *plan.Remote) operator {
	h := r.held[n]
	if keys := b.shipments[n.Statement]; h == nil && keys != nil && keys.eachRound {
		last := r.asked[n]
		if last == nil || !last.keys.plain {
			op := b.remote(n)
			r.asked[n] = op
			return op
		}
		keys.plain = true
	}
	if h == nil {
		h = &heldRows{in: b.remote(n), budget: b.run.budget}
		r.held[n] = h
	}
	return &replayOp{held: h}
}

// readsWork reports whether n reads the rows of a recursion's last round.
func readsWork(n plan.Node) bool {
	found := false
	plan.Visit(n, func(n plan.Node) {
		_, is := n.(*plan.WorkTable)
		found = found || is
	})
	return found
}

func layoutOf(cols []plan.Column) map[plan.ID]int {
	l := make(map[plan.ID]int, len(cols))
	for i, c := range cols {
		l[c.ID] = i
	}
	return l
}

func compileAll(exprs []plan.Expr, cols []plan.Column) ([]*kernel.Program, error) {
	layout := layoutOf(cols)
	out := make([]*kernel.Program, len(exprs))
	for i, e := range exprs {
		p, err := kernel.Compile(e, layout)
		if err != nil {
			return nil, err
		}
		out[i] = p
	}
	return out, nil
}

func (b *builder) build(n plan.Node) (operator, error) {
	if r, ok := n.(*plan.Remote); ok {
		if b.rounds == nil {
			return b.remote(r), nil
		}
		return b.rounds.remote(b, r), nil
	}
	c := &counters{}
	if b.rounds != nil && b.rounds.counters[n] != nil {
		c = b.rounds.counters[n]
	} else {
		b.run.ops = append(b.run.ops, c)
		if b.rounds != nil {
			b.rounds.counters[n] = c
		}
	}
	op, err := b.operator(n)
	if err != nil {
		return nil, err
	}
	return measured{op, c}, nil
}

func (b *builder) operator(n plan.Node) (operator, error) {
	switch n := n.(type) {
	case *plan.Join:
		return b.join(n)
	case *plan.Recursive:
		return b.recursive(n)
	}
	// Every other operator reads its inputs as they are, each built once.
	inputs := make([]operator, 0, 2)
	for _, part := range n.Inputs() {
		op, err := b.build(part)
		if err != nil {
			return nil, err
		}
		inputs = append(inputs, op)
	}
	var in operator
	if len(inputs) > 0 {
		in = inputs[0]
	}
	switch n := n.(type) {
	case *plan.Filter:
		conds, err := compileAll(n.Conds, n.Input.Columns())
		return &filterOp{in, conds}, err
	case *plan.Project:
		exprs := make([]plan.Expr, len(n.Items))
		for i, it := range n.Items {
			exprs[i] = it.Expr
		}
		programs, err := compileAll(exprs, n.Input.Columns())
		return &projectOp{in, programs}, err
	case *plan.Limit:
		// A limit over a sort keeps only the rows it needs.
		if m, ok := in.(measured); ok && n.Count >= 0 && n.Ties == nil {
			if s, ok := m.operator.(*sortOp); ok {
				s.top = n.Count + n.Offset
			}
		}
		l := &limitOp{in: in, skip: n.Offset, left: n.Count}
		if n.Ties != nil {
			var keys []plan.Expr
			for _, k := range n.Ties {
				keys = append(keys, k.Expr)
			}
			var err error
			l.ties, err = compileAll(keys, n.Input.Columns())
			return l, err
		}
		return l, nil
	case *plan.Sort:
		exprs := make([]plan.Expr, len(n.Keys))
		for i, k := range n.Keys {
			exprs[i] = k.Expr
		}
		programs, err := compileAll(exprs, n.Input.Columns())
		return &sortOp{in: in, keys: n.Keys, programs: programs, kinds: kindsOf(n.Columns()), budget: b.run.budget, top: -1}, err
	case *plan.Distinct:
		d := &distinctOp{in: in, seen: map[string]struct{}{}, budget: b.run.budget}
		if n.On != nil {
			var err error
			d.on, err = compileAll(n.On, n.Input.Columns())
			return d, err
		}
		return d, nil
	case *plan.Window:
		return newWindowOp(n, in, b.run.budget)
	case *plan.Unnest:
		return newUnnestOp(n, in)
	case *plan.SetOp:
		return &setOp{left: inputs[0], right: inputs[1], n: n, budget: b.run.budget}, nil
	case *plan.WorkTable:
		return &workOp{work: b.works[n.Work]}, nil
	case *plan.Aggregate:
		return newAggregateOp(n, in, b.run.budget)
	case *plan.Union:
		return &unionOp{parts: inputs}, nil
	case *plan.Values:
		return &valuesOp{n: n}, nil
	}
	return nil, fmt.Errorf("exec: no operator for %T", n)
}

// recursive builds a recursion. Its step is built anew for each round, with
// the first one now, so that sources are asked and operators counted.
func (b *builder) recursive(n *plan.Recursive) (operator, error) {
	base, err := b.build(n.Base)
	if err != nil {
		return nil, err
	}
	work := &workRows{}
	inner := *b
	inner.works = map[int]*workRows{n.Work: work}
	for k, w := range b.works {
		inner.works[k] = w
	}
	inner.rounds = b.rounds
	if inner.rounds == nil {
		inner.rounds = &rounds{held: map[plan.Node]*heldRows{}, asked: map[plan.Node]*remoteOp{}, counters: map[plan.Node]*counters{}}
	}
	first, err := inner.build(n.Step)
	if err != nil {
		return nil, err
	}
	step := func() (operator, error) {
		if op := first; op != nil {
			first = nil
			return op, nil
		}
		return inner.build(n.Step)
	}
	return &recursiveOp{base: base, step: step, work: work, all: n.All, seen: map[string]struct{}{}, budget: b.run.budget, kinds: kindsOf(n.Cols)}, nil
}

// remote reads a statement. Where there are several, each is opened at once
// and read ahead by a goroutine; a single one is opened and read by whoever
// asks for its rows, and ahead only from its second batch on, so that a small
// result costs no switching.
func (b *builder) remote(r *plan.Remote) *remoteOp {
	run := b.run
	op := &remoteOp{run: run, conn: b.conn, statement: run.compiled.Statements[r.Statement-1], c: run.stmts[r.Statement-1]}
	op.comment = b.comment
	op.keys = b.shipments[r.Statement]
	run.remotes = slices.DeleteFunc(run.remotes, func(o *remoteOp) bool { return o.statement == op.statement && o.ended.Load() })
	run.remotes = append(run.remotes, op)
	if len(run.compiled.Statements) > 1 && op.keys == nil {
		op.readAhead()
	}
	return op
}

// remoteOp gives the rows of a statement.
type remoteOp struct {
	run       *Run
	conn      Connector
	statement *fold.Statement
	comment   string
	keys      *shippedKeys // where the statement takes some
	c         *counters

	began  time.Time
	before int64 // nanoseconds of the rounds before
	reader Reader
	over   error       // what ended the reading
	ended  atomic.Bool // over is set, for other goroutines
	// batches is set once a goroutine reads ahead; err is then its error, set
	// before batches is closed.
	batches chan kernel.Batch
	err     error
}

func (o *remoteOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.batches == nil {
		b, err := o.read(ctx)
		if err == nil && b.Len >= BatchRows {
			o.readAhead()
		}
		return b, err
	}
	select {
	case b, ok := <-o.batches:
		if ok {
			return b, nil
		}
		if o.err != nil {
			return kernel.Batch{}, o.err
		}
		return kernel.Batch{}, io.EOF
	case <-ctx.Done():
		return kernel.Batch{}, ctx.Err()
	}
}

// read takes the next batch from the source.
func (o *remoteOp) read(ctx context.Context) (b kernel.Batch, err error) {
	defer value.Guard(&err)
	if o.over != nil {
		return kernel.Batch{}, o.over
	}
	if o.reader == nil {
		if o.began.IsZero() {
			o.began, o.before = time.Now(), o.c.nanos.Load()
		}
		st := o.statement
		if o.keys != nil {
			var more bool
			if st, more = o.keys.next(o.statement); !more {
				o.finish(io.EOF)
				return kernel.Batch{}, io.EOF
			}
		}
		r, err := o.conn.Open(ctx, st, o.comment+st.Text)
		if err != nil {
			return kernel.Batch{}, err
		}
		o.reader = r
	}
	b, err = o.reader.Next(ctx)
	if t, ok := readerAs[Toucher](o.reader); ok {
		touched := t.Touched()
		o.c.touched.Store(&touched)
	}
	if u, ok := readerAs[Unfitter](o.reader); ok {
		unfit := u.Unfit()
		o.c.unfit.Store(&unfit)
	}
	o.c.nanos.Store(o.before + int64(time.Since(o.began)))
	if errors.Is(err, io.EOF) && o.keys != nil && o.keys.left() {
		err := o.reader.Close()
		o.reader = nil
		if err != nil {
			o.finish(err)
			return kernel.Batch{}, err
		}
		return o.read(ctx)
	}
	if err != nil {
		// Closed at once, so that the end of the run finds nothing to cancel.
		if cerr := o.reader.Close(); cerr != nil && errors.Is(err, io.EOF) {
			err = cerr
		}
		o.reader = nil
		o.finish(err)
		if errors.Is(err, io.EOF) && o.run.measured != nil && o.keys == nil {
			o.run.measured(o.statement.Signature, o.c.rows.Load())
		}
		return b, err
	}
	o.c.rows.Add(int64(b.Len))
	o.c.bytes.Add(b.Bytes())
	return b, nil
}

// finish notes what ended the reading.
func (o *remoteOp) finish(err error) {
	o.over = err
	o.ended.Store(true)
}

func (o *remoteOp) readAhead() {
	o.batches = make(chan kernel.Batch, 4)
	ctx := o.run.ctx
	o.run.readers.Add(1)
	go func() {
		defer o.run.readers.Done()
		defer close(o.batches)
		o.err = value.Guarded(func() error {
			for {
				b, err := o.read(ctx)
				if errors.Is(err, io.EOF) {
					return nil
				}
				if err != nil {
					if !deferred(err) {
						o.run.cancel(err) // nobody has to wait for the other sources
					}
					return err
				}
				select {
				case o.batches <- b:
				case <-ctx.Done():
					return ctx.Err()
				}
			}
		})
	}()
}

// deferred reports whether an error is one of the data, which counts only where
// the rows are asked for.
func deferred(err error) bool {
	code := value.Code(err)
	return len(code) == 5 && (code[:2] == "22" || code[:2] == "21")
}

// close ends the reading; the goroutine that read ahead has ended before.
func (o *remoteOp) close() {
	if o.reader != nil {
		// What closing says of a run that was cut short is of no interest, and
		// of one that ended it has been said.
		_ = o.reader.Close()
	}
}
