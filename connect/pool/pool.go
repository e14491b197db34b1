// Package pool shares a source's connections out among the statements of all runs,
// waits for a source no longer than its limits allow, and opens a statement again
// where the connection is lost before its first rows.
package pool

import (
	"context"
	"errors"
	"io"
	"slices"
	"sync"
	"time"

	"rovik/connect"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/kernel"
	"rovik/core/value"
)

// waits are how long a lost connection is waited for before each further try. A
// server that is started again is back by then, one that is gone is not.
var waits = []time.Duration{100 * time.Millisecond, 300 * time.Millisecond, 900 * time.Millisecond}

// patience is how long a statement is tried in all: where a try itself took so
// long, the server is not on its way back.
const patience = 2 * time.Second

// most bounds the bytes of a statement's rows that are held so that its connection is
// free.
var most int64 = 256 << 20

// steady opens a statement again where the connection is lost before its first
// rows: statements only read, so that nothing is done twice. Once rows have come
// the run has used them, and ends.
//
// It takes one of the source's connections, and waits for the source no longer
// than its limits allow. Where its run needs the connection for another statement, it
// reads its rows to the end and holds them: a run never waits for itself.
type steady struct {
	slots  *Slots
	owner  any  // the run
	common bool // takes none of the connections set aside
	open   func(context.Context) (exec.Reader, error)
	ctx    context.Context // of the statement
	cancel context.CancelCauseFunc
	since  time.Time
	begun  bool
	tries  int

	mu   sync.Mutex // guards what follows, and reading
	r    exec.Reader
	free bool // its connection is given back
	held []kernel.Batch
	over error // what comes behind the rows that are held; nil while there is more to read
}

// Slots are the connections that a source may have at the same time, but for one: by
// that one a statement is ended whatever the others do. Some are set aside for runs that
// take little.
type Slots struct {
	source  string
	taken   chan struct{} // holds an entry for each that is taken
	common  chan struct{} // likewise, but for those set aside; nil where there are too few
	silence time.Duration

	mu      sync.Mutex
	holders []*steady // that have a connection, the first that took one first
}

// New returns the slots of a source, all free.
func New(source string, l connect.Limits) *Slots {
	l = l.Full()
	s := &Slots{source: source, taken: make(chan struct{}, max(1, l.Connections-1)), silence: time.Duration(l.Silence) * time.Second}
	if n := cap(s.taken); n > 2 {
		s.common = make(chan struct{}, n-max(1, n/4))
	}
	return s
}

type asideKey struct{}

// Aside returns a context whose statements may take connections that are set aside.
func Aside(ctx context.Context) context.Context { return context.WithValue(ctx, asideKey{}, true) }

// take gives a connection to s, waiting for a free one.
func (l *Slots) take(ctx context.Context, s *steady) error {
	wait := time.NewTimer(l.silence)
	defer wait.Stop()
	if s.common {
		if err := l.one(ctx, l.common, s, wait.C); err != nil {
			return err
		}
	}
	if err := l.one(ctx, l.taken, s, wait.C); err != nil {
		if s.common {
			<-l.common
		}
		return err
	}
	l.mu.Lock()
	l.holders = append(l.holders, s)
	l.mu.Unlock()
	return nil
}

// one takes one of places, waiting for a free one until late.
func (l *Slots) one(ctx context.Context, places chan struct{}, s *steady, late <-chan time.Time) error {
	for {
		select {
		case places <- struct{}{}:
			return nil
		default:
		}
		if own := l.own(s.owner); own != nil {
			own.hold()
			continue
		}
		select {
		case places <- struct{}{}:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		case <-late:
			return value.Errorf(value.CodeSource, "%s: none of its %d connections became free within %s", l.source, cap(l.taken)+1, l.silence).
				WithHint("run fewer queries at once, or allow the source more connections")
		}
	}
}

// own returns the statement of a run that has had a connection for the longest time, or nil.
func (l *Slots) own(run any) *steady {
	l.mu.Lock()
	defer l.mu.Unlock()
	if i := slices.IndexFunc(l.holders, func(s *steady) bool { return run != nil && s.owner == run }); i >= 0 {
		return l.holders[i]
	}
	return nil
}

// release takes the connection of s back.
func (l *Slots) release(s *steady) {
	l.mu.Lock()
	l.holders = slices.DeleteFunc(l.holders, func(o *steady) bool { return o == s })
	l.mu.Unlock()
	<-l.taken
	if s.common {
		<-l.common
	}
}

// Open starts a statement, again where the connection is lost. ctx says which run it is
// of; see exec.Owner.
func Open(ctx context.Context, slots *Slots, open func(context.Context) (exec.Reader, error)) (exec.Reader, error) {
	s := &steady{slots: slots, owner: exec.Owner(ctx), open: open, since: time.Now(), r: ended{}}
	s.common = slots.common != nil && ctx.Value(asideKey{}) == nil
	s.mu.Lock() // its connection is not given away while it opens
	defer s.mu.Unlock()
	if err := slots.take(ctx, s); err != nil {
		return nil, err
	}
	s.ctx, s.cancel = context.WithCancelCause(ctx)
	if err := s.start(ctx); err != nil {
		_ = s.end() // nothing was opened
		return nil, err
	}
	return s, nil
}

// start opens the statement, as often as waits allows.
func (s *steady) start(ctx context.Context) error {
	for {
		err := s.waiting(func() (err error) {
			s.r, err = s.open(s.ctx)
			return err
		})
		if err == nil {
			return nil
		}
		s.r = ended{}
		if !s.again(ctx, err) {
			return err
		}
	}
}

// waiting does what waits for the source, and ends the statement where that
// takes too long.
func (s *steady) waiting(work func() error) error {
	silent := time.AfterFunc(s.slots.silence, func() {
		s.cancel(value.Errorf(value.CodeSource, "%s gave no answer for %s", s.slots.source, s.slots.silence).
			WithHint("check what the server is doing, or raise the time limit of the source"))
	})
	err := work()
	silent.Stop()
	var why *value.Error
	if err != nil && !errors.Is(err, io.EOF) && errors.As(context.Cause(s.ctx), &why) {
		return why
	}
	return err
}

// again waits before another try, and reports whether there is to be one.
func (s *steady) again(ctx context.Context, err error) bool {
	var ve *value.Error
	if s.begun || s.tries == len(waits) || time.Since(s.since) > patience || !errors.As(err, &ve) || ve.Code != value.CodeConnection {
		return false
	}
	wait := time.NewTimer(waits[s.tries])
	defer wait.Stop()
	s.tries++
	select {
	case <-wait.C:
		return true
	case <-ctx.Done():
		return false
	}
}

// Next gives the next rows; see exec.Reader.
func (s *steady) Next(ctx context.Context) (kernel.Batch, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case len(s.held) > 0:
		b := s.held[0]
		s.held = s.held[1:]
		return b, nil
	case s.over != nil:
		return kernel.Batch{}, s.over
	}
	return s.read(ctx)
}

// read takes the next rows from the source.
func (s *steady) read(ctx context.Context) (kernel.Batch, error) {
	for {
		var b kernel.Batch
		err := s.waiting(func() (err error) {
			b, err = s.r.Next(s.ctx)
			return err
		})
		if err == nil {
			s.begun = true
			return b, nil
		}
		if !s.again(ctx, err) {
			return b, err
		}
		_ = s.r.Close() // it is broken already
		if err := s.start(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
}

// hold reads what is left of the rows, holds them, and gives the connection back.
func (s *steady) hold() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.free {
		return
	}
	var bytes int64
	for s.over == nil {
		b, err := s.read(s.ctx)
		if err != nil {
			s.over = err
			break
		}
		s.held = append(s.held, b)
		if bytes += b.Bytes(); bytes > most {
			s.over = value.Errorf(value.CodeSource, "%s: this run needs more than its %d connections at the same time, and a statement gives more rows than can be held meanwhile", s.slots.source, cap(s.slots.taken)+1).
				WithHint("allow the source more connections, or narrow the query")
		}
	}
	if err := s.end(); err != nil && errors.Is(s.over, io.EOF) {
		s.over = err
	}
}

// Close ends the statement and frees its connection.
func (s *steady) Close() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.held, s.over = nil, context.Canceled
	return s.end()
}

// end closes the reader and gives the connection back, once.
func (s *steady) end() error {
	if s.free {
		return nil
	}
	s.free = true
	err := s.r.Close()
	s.cancel(context.Canceled)
	s.slots.release(s)
	return err
}

// Unfit tells what did not fit; see exec.Unfitter.
func (s *steady) Unfit() []explain.Unfit {
	s.mu.Lock()
	defer s.mu.Unlock()
	if u, ok := s.r.(exec.Unfitter); ok {
		return u.Unfit()
	}
	return nil
}

// ended is a reader that there is not.
type ended struct{}

func (ended) Next(context.Context) (kernel.Batch, error) { return kernel.Batch{}, context.Canceled }
func (ended) Close() error                               { return nil }
