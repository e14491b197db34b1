package exec

import (
	"context"
	"errors"
	"io"
	"sync"
	"sync/atomic"
	"time"

	"rovik/core/catalog"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/memory"
	"rovik/core/plan"
	"rovik/core/value"
)

// BatchRows is how many rows operators aim to put into a batch.
const BatchRows = 8192

// Reader gives the rows of a native statement. Next returns io.EOF at the end.
// Its batches have the statement's columns, by their kinds.
type Reader interface {
	Next(ctx context.Context) (kernel.Batch, error)
	Close() error
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
	Touched() []explain.Touched
}

// Unfitter is a Reader that counts what does not fit.
type Unfitter interface {
	Reader
	Unfit() []explain.Unfit
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
	Memory int64  // bytes that its operators may hold; 0 means the usual share
	// Measured is told of every statement that was read to its end: the
	// signature of its rows and their number. It may be nil.
	Measured func(signature string, rows int64)
	// Planned is how long planning took, for the report.
	Planned time.Duration
	// Closed is called once when the run is closed, or could not be started. It may be nil.
	Closed func()
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
	ops      map[plan.Node]*counters
	numbered []explain.Numbering
	returned atomic.Int64
	ended    atomic.Int64 // nanoseconds since began; 0 while running
	readers  sync.WaitGroup
	remotes  []*remoteOp
	conn     Connector
	verified bool
	share    *memory.Share
	measured func(signature string, rows int64)
	closed   func()
}

// counters measure a statement or an operator.
type counters struct {
	rows, bytes, nanos atomic.Int64
	keys, tooMany      atomic.Int64 // shipped, or too many to be
	touched            atomic.Pointer[[]explain.Touched]
	unfit              atomic.Pointer[[]explain.Unfit]
}

// Start returns a run, from which the caller takes batches with Next until
// io.EOF, and which it must Close. Several statements are opened at once; a
// single one when the first rows are asked for.
func Start(ctx context.Context, c *fold.Compiled, conn Connector, opts Options) (*Run, error) {
	r := &Run{Columns: c.Root.Columns(), compiled: c, planned: opts.Planned, began: time.Now(), conn: conn, measured: opts.Measured, closed: opts.Closed}
	r.ctx, r.cancel = context.WithCancelCause(Owned(ctx, r))
	r.share = memory.NewShare(r.ctx, "run", opts.Memory, r.cancel)
	b := &builder{run: r, shipments: map[int]*shippedKeys{}, conn: conn, comment: Comment(opts.ID), estimate: plan.NewEstimator(c.Root)}
	for range c.Statements {
		r.stmts = append(r.stmts, &counters{})
	}
	r.numbered, r.ops = explain.Numbered(c.Root), map[plan.Node]*counters{}
	for _, n := range r.numbered {
		r.ops[n.Node] = &counters{}
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
	r.share.Close()
	if r.closed != nil {
		r.closed()
		r.closed = nil
	}
}

// Progress returns how far the run is.
func (r *Run) Progress() *explain.Progress {
	p := &explain.Progress{RowsReturned: r.returned.Load()}
	for i, c := range r.stmts {
		s := explain.StatementProgress{ID: explain.StatementID(i + 1), Rows: c.rows.Load(), Bytes: c.bytes.Load(), Milliseconds: millis(c.nanos.Load()), ShippedKeys: int(c.keys.Load())}
		p.Statements = append(p.Statements, s)
		p.RowsCrossed, p.BytesCrossed = p.RowsCrossed+s.Rows, p.BytesCrossed+s.Bytes
	}
	for i, op := range r.numbered {
		c := r.ops[op.Node]
		p.Operators = append(p.Operators, explain.OperatorProgress{ID: explain.OperatorID(i), Rows: c.rows.Load(), Milliseconds: millis(c.nanos.Load())})
	}
	total := r.ended.Load()
	if total == 0 {
		total = int64(time.Since(r.began))
	}
	p.TotalMilliseconds = millis(total + int64(r.planned))
	return p
}

// Report returns what the run has done so far.
func (r *Run) Report() *explain.Report {
	rep, p := explain.Of(r.compiled, millis(int64(r.planned))), r.Progress()
	for i, c := range r.stmts {
		s, now := &rep.Statements[i], &p.Statements[i]
		s.ShippedKeys, s.Rows, s.Bytes, s.Milliseconds = now.ShippedKeys, &now.Rows, &now.Bytes, &now.Milliseconds
		if t := c.touched.Load(); t != nil {
			s.Touched = *t
		}
		if u := c.unfit.Load(); u != nil {
			s.Unfit = *u
		}
		if keys := c.tooMany.Load(); keys > 0 {
			rep.KeysGivenUp(r.compiled.Statements[i], int(keys))
		}
	}
	for i := range p.Operators {
		rep.Operators[i].Rows, rep.Operators[i].Milliseconds = &p.Operators[i].Rows, &p.Operators[i].Milliseconds
	}
	rep.TotalMilliseconds, rep.RowsCrossed, rep.BytesCrossed, rep.RowsReturned = &p.TotalMilliseconds, &p.RowsCrossed, &p.BytesCrossed, &p.RowsReturned
	return rep
}

func millis(nanos int64) float64 { return float64(nanos/1000) / 1000 }
