package app

import (
	"context"
	"errors"
	"io"
	"testing"
	"time"

	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/value"
)

// scripted gives what it is told to, one answer after the other.
type scripted struct{ answers []error }

func (s *scripted) Next(context.Context) (kernel.Batch, error) {
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
		s := &steady{since: time.Now(), open: func() (exec.Reader, error) {
			err := c.opens[min(tries, len(c.opens)-1)]
			tries++
			if err != nil {
				return nil, err
			}
			r := &scripted{c.reads[0]}
			c.reads = c.reads[1:]
			return r, nil
		}}
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
