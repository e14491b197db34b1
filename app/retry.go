package app

import (
	"context"
	"errors"
	"time"

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
type steady struct {
	open  func() (exec.Reader, error)
	r     exec.Reader
	since time.Time
	begun bool
	tries int
}

// openSteady starts a statement, again where the connection is lost.
func openSteady(ctx context.Context, open func() (exec.Reader, error)) (exec.Reader, error) {
	s := &steady{open: open, since: time.Now()}
	return s, s.start(ctx)
}

// start opens the statement, as often as waits allows.
func (s *steady) start(ctx context.Context) (err error) {
	for {
		if s.r, err = s.open(); err == nil || !s.again(ctx, err) {
			return err
		}
	}
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
		b, err := s.r.Next(ctx)
		if err == nil {
			s.begun = true
			return b, nil
		}
		if !s.again(ctx, err) {
			return b, err
		}
		_ = s.r.Close() // it is broken already
		if err := s.start(ctx); err != nil {
			s.r = ended{}
			return kernel.Batch{}, err
		}
	}
}

func (s *steady) Close() error { return s.r.Close() }

// Touched tells how much was read; see exec.Toucher.
func (s *steady) Touched() []exec.Touched {
	if t, ok := s.r.(exec.Toucher); ok {
		return t.Touched()
	}
	return nil
}

// Unfit tells what did not fit; see exec.Unfitter.
func (s *steady) Unfit() []exec.Unfit {
	if u, ok := s.r.(exec.Unfitter); ok {
		return u.Unfit()
	}
	return nil
}

// ended is a reader that there is not.
type ended struct{}

func (ended) Next(context.Context) (kernel.Batch, error) { return kernel.Batch{}, context.Canceled }
func (ended) Close() error                               { return nil }
