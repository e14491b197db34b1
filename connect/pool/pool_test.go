package pool

import (
	"context"
	"errors"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/connect"
	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/value"
)

// errHangs stands for no answer at all.
var errHangs = errors.New("hangs")

// scripted gives what it is told to, one answer after the other.
type scripted struct{ answers []error }

func (s *scripted) Next(ctx context.Context) (kernel.Batch, error) {
	if s.answers[0] == errHangs {
		<-ctx.Done()
		return kernel.Batch{}, ctx.Err()
	}
	err := s.answers[0]
	s.answers = s.answers[1:]
	return kernel.Batch{Len: 1}, err
}

func (s *scripted) Close() error { return nil }

// A connection that is lost before the first rows is tried again a few times, and
// not where each try takes long, where rows were given, or for other errors.
func TestLostConnectionsAreTriedAgain(t *testing.T) {
	lost := value.Errorf(value.CodeConnection, "lost")
	wrong := value.Errorf(value.CodeSource, "wrong")
	old := waits
	waits = []time.Duration{0, 0, 0}
	defer func() { waits = old }()
	for name, c := range map[string]struct {
		opens []error   // what opening says, the last again and again
		reads [][]error // what the readers then say
		slow  bool
		want  error
		tries int
	}{
		"well at once":          {[]error{nil}, [][]error{{nil, io.EOF}}, false, io.EOF, 1},
		"back at the third":     {[]error{lost, lost, nil}, [][]error{{io.EOF}}, false, io.EOF, 3},
		"gone":                  {[]error{lost}, nil, false, lost, 4},
		"slow to say":           {[]error{lost}, nil, true, lost, 1},
		"another error":         {[]error{wrong}, nil, false, wrong, 1},
		"lost before the rows":  {[]error{nil}, [][]error{{lost}, {lost}, {nil, io.EOF}}, false, io.EOF, 3},
		"lost behind some rows": {[]error{nil}, [][]error{{nil, lost}, {nil}}, false, lost, 1},
	} {
		tries := 0
		slots := &Slots{source: "lending", taken: make(chan struct{}, 1), silence: time.Minute}
		s := &steady{slots: slots, since: time.Now(), open: func(context.Context) (exec.Reader, error) {
			err := c.opens[min(tries, len(c.opens)-1)]
			tries++
			if err != nil {
				return nil, err
			}
			r := &scripted{c.reads[0]}
			c.reads = c.reads[1:]
			return r, nil
		}}
		s.ctx, s.cancel = context.WithCancelCause(t.Context())
		if c.slow {
			s.since = s.since.Add(-2 * patience)
		}
		err := s.start(t.Context())
		for err == nil {
			_, err = s.Next(t.Context())
		}
		if !errors.Is(err, c.want) || tries != c.tries {
			t.Errorf("%s: %v after %d tries, want %v after %d", name, err, tries, c.want, c.tries)
		}
	}
}

// A source has so many connections and no more, and is waited for no longer than
// it may be: each ends with an error that says so, and frees what was taken.
func TestLimitsOfASource(t *testing.T) {
	slots := New("lending", connect.Limits{Connections: 3, Silence: 1})
	slots.silence = 30 * time.Millisecond
	opened := func(answers ...error) (exec.Reader, error) {
		return Open(t.Context(), slots, func(ctx context.Context) (exec.Reader, error) {
			if answers[0] == errHangs {
				<-ctx.Done()
				return nil, ctx.Err()
			}
			return &scripted{answers[1:]}, answers[0]
		})
	}
	first, err := opened(nil, nil, errHangs)
	if err != nil {
		t.Fatal(err)
	}
	second, err := opened(nil, io.EOF)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := opened(nil); err == nil || !strings.Contains(err.Error(), "lending: none of its 3 connections became free within 30ms") {
		t.Errorf("a third statement: %v", err)
	}
	if err := second.Close(); err != nil {
		t.Fatal(err)
	}
	if _, err := opened(errHangs); err == nil || !strings.Contains(err.Error(), "lending gave no answer for 30ms") {
		t.Errorf("a source that does not answer: %v", err)
	}
	if _, err := opened(value.Errorf(value.CodeSource, "wrong")); err == nil || err.Error() != "wrong" {
		t.Errorf("a source that says no: %v", err)
	}
	if _, err := first.Next(t.Context()); err != nil {
		t.Errorf("the first rows: %v", err)
	}
	if _, err := first.Next(t.Context()); err == nil || !strings.Contains(err.Error(), "lending gave no answer for 30ms") {
		t.Errorf("a source that falls silent: %v", err)
	}
	if err := first.Close(); err != nil || len(slots.taken) != 0 {
		t.Errorf("at the end %d connections are taken, %v", len(slots.taken), err)
	}
	for _, l := range []connect.Limits{{Connections: 1}, {Connections: -2}, {Connections: 101}, {Silence: -1}, {Silence: 100_000}} {
		if l.Check() == nil {
			t.Errorf("%+v are no limits", l)
		}
	}
}

// counting gives so many batches of one row, and notes when it is closed.
type counting struct {
	left   int
	closed *int
}

func (c *counting) Next(context.Context) (kernel.Batch, error) {
	if c.left--; c.left < 0 {
		return kernel.Batch{}, io.EOF
	}
	b := value.NewBuilder(value.Int8)
	value.Append(b, value.IntOf(value.Int8, int64(c.left)))
	return kernel.Batch{Len: 1, Cols: []arrow.Array{b.NewArray()}}, nil
}

func (c *counting) Close() error { *c.closed++; return nil }

// A run that needs more connections than a source has reads the statements that it
// has open to their ends, and loses no row.
func TestARunNeverWaitsForItself(t *testing.T) {
	slots := New("lending", connect.Limits{Connections: 3, Silence: 5})
	ctx := exec.Owned(t.Context(), "run 1")
	closed := 0
	var open []exec.Reader
	for i := range 6 {
		r, err := Open(ctx, slots, func(context.Context) (exec.Reader, error) { return &counting{left: 10 + i, closed: &closed}, nil })
		if err != nil {
			t.Fatal(err)
		}
		if _, err := r.Next(ctx); err != nil {
			t.Fatal(err)
		}
		open = append(open, r)
	}
	if len(slots.taken) != 2 || closed != 4 {
		t.Errorf("%d connections are taken, and %d statements were closed", len(slots.taken), closed)
	}
	for i, r := range open {
		rows := 1
		for {
			b, err := r.Next(ctx)
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			rows++
			if got := value.At(value.Int8, b.Cols[0], 0).Int; got != int64(10+i-rows) {
				t.Fatalf("row %d of statement %d is %d", rows, i, got)
			}
		}
		if rows != 10+i {
			t.Errorf("statement %d gave %d rows", i, rows)
		}
		if err := r.Close(); err != nil {
			t.Error(err)
		}
	}
	if len(slots.taken) != 0 || len(slots.holders) != 0 || closed != 6 {
		t.Errorf("at the end %d connections are taken, and %d statements were closed", len(slots.taken), closed)
	}
	// What is too much to be held is an error where the rows end that are.
	was := most
	defer func() { most = was }()
	most = 20
	first, err := Open(ctx, slots, func(context.Context) (exec.Reader, error) { return &counting{left: 1000, closed: &closed}, nil })
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		r, err := Open(ctx, slots, func(context.Context) (exec.Reader, error) { return &counting{left: 2, closed: &closed}, nil })
		if err != nil {
			t.Fatal(err)
		}
		defer r.Close()
	}
	for err == nil {
		_, err = first.Next(ctx)
	}
	if !strings.Contains(err.Error(), "this run needs more than its 3 connections") {
		t.Errorf("too many rows to hold: %v", err)
	}
	// Another run waits, as before.
	slots.silence = 20 * time.Millisecond
	if _, err := Open(exec.Owned(t.Context(), "run 2"), slots, func(context.Context) (exec.Reader, error) { return &counting{closed: &closed}, nil }); err == nil || !strings.Contains(err.Error(), "none of its 3 connections") {
		t.Errorf("a statement of another run: %v", err)
	}
}
