package exec

import (
	"context"
	"errors"
	"io"
	"slices"
	"sync/atomic"
	"time"

	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

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
