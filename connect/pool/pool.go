// Package pool shares a source's connections out among the statements of all runs,
// waits for a source no longer than its limits allow, and opens a statement again
// where the connection is lost before its first rows.
package pool

import (
	"context"
	"errors"
	"io"
	"time"

	"rovik/connect"
	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/value"
)

// waits are how long a lost connection is waited for before each further try. A
// server that is started again is back by then, one that is gone is not.
var waits = []time.Duration{100 * time.Millisecond, 300 * time.Millisecond, 900 * time.Millisecond}

// patience is how long a statement is tried in all: where a try itself took so
// long, the server is not on its way back.
const patience = 2 * time.Second

// steady opens a statement again where the connection is lost before its first
// rows: statements only read, so that nothing is done twice. Once rows have come
// the run has used them, and ends.
//
// It takes one of the source's connections, and waits for the source no longer
// than its limits allow.
type steady struct {
	slots  *Slots
	open   func(context.Context) (exec.Reader, error)
	ctx    context.Context // of the statement
	cancel context.CancelCauseFunc
	r      exec.Reader
	since  time.Time
	begun  bool
	tries  int
}

// Slots are the connections that a source may have at the same time.
type Slots struct {
	source  string
	free    chan struct{} // holds an entry for each that is taken
	silence time.Duration
}

// New returns the slots of a source, all free.
func New(source string, l connect.Limits) *Slots {
	l = l.Full()
	return &Slots{source, make(chan struct{}, l.Connections), time.Duration(l.Silence) * time.Second}
}

// take waits for a free connection.
func (s *Slots) take(ctx context.Context) error {
	wait := time.NewTimer(s.silence)
	defer wait.Stop()
	select {
	case s.free <- struct{}{}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	case <-wait.C:
		return value.Errorf(value.CodeSource, "%s: none of its %d connections became free within %s", s.source, cap(s.free), s.silence).
			WithHint("run fewer queries at once, or let the source have more connections")
	}
}

// Open starts a statement, again where the connection is lost.
func Open(ctx context.Context, slots *Slots, open func(context.Context) (exec.Reader, error)) (exec.Reader, error) {
	if err := slots.take(ctx); err != nil {
		return nil, err
	}
	s := &steady{slots: slots, open: open, since: time.Now(), r: ended{}}
	s.ctx, s.cancel = context.WithCancelCause(ctx)
	if err := s.start(ctx); err != nil {
		_ = s.Close() // nothing was opened
		return nil, err
	}
	return s, nil
}

// Unwrap returns the reader that the rows come from; see exec.Wrapper.
func (s *steady) Unwrap() exec.Reader { return s.r }

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
			WithHint("see what the server does, or let the source be waited for longer"))
	})
	err := work()
	silent.Stop()
	var why *value.Error
	if err != nil && !errors.Is(err, io.EOF) && errors.As(context.Cause(s.ctx), &why) {
		return why
	}
	return err
}

// again waits before another try, and tells whether there is to be one.
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

func (s *steady) Next(ctx context.Context) (kernel.Batch, error) {
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

// Close ends the statement and frees its connection.
func (s *steady) Close() error {
	err := s.r.Close()
	s.cancel(context.Canceled)
	<-s.slots.free
	return err
}

// ended is a reader that there is not.
type ended struct{}

func (ended) Next(context.Context) (kernel.Batch, error) { return kernel.Batch{}, context.Canceled }
func (ended) Close() error                               { return nil }
