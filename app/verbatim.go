package app

import (
	"context"
	"sync"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// describedCache keeps what sources have said of statements in their own
// language, for as long as the catalogue is the same; failures for a while, so
// that a source that does not answer is not asked at every key.
type describedCache struct {
	mu   sync.Mutex
	said map[[2]string]described
}

type described struct {
	table *catalog.Table
	err   error
	at    time.Time
}

const (
	describeTimeout  = 10 * time.Second
	failureRemembers = 20 * time.Second
	maxDescribed     = 500
)

// describe asks a source for the columns of a statement; see bind.Context.
func (s *state) describe(source, statement string) (*catalog.Table, error) {
	key, lost := [2]string{source, statement}, [2]string{source, ""}
	s.described.mu.Lock()
	d, known := s.described.said[key]
	away := s.described.said[lost]
	s.described.mu.Unlock()
	if known && (d.err == nil || time.Since(d.at) < failureRemembers) {
		return d.table, d.err
	}
	if away.err != nil && time.Since(away.at) < failureRemembers {
		return nil, away.err // whatever it is asked
	}
	c := s.sources[source]
	if c == nil {
		return nil, value.Errorf(value.CodeSource, "the source %s is not connected any more", source)
	}
	conn, ok := c.conn.(connect.Describer)
	if !ok {
		return nil, value.Errorf(value.CodeUnsupported, "%s takes no statements of its own language", source).WithHint("name its tables instead")
	}
	ctx, cancel := context.WithTimeout(context.Background(), describeTimeout)
	defer cancel()
	d = described{at: time.Now()}
	d.table, d.err = conn.Describe(ctx, statement)
	s.described.mu.Lock()
	defer s.described.mu.Unlock()
	if s.described.said == nil || len(s.described.said) >= maxDescribed {
		s.described.said = map[[2]string]described{}
	}
	s.described.said[key] = d
	if value.Code(d.err) == value.CodeConnection || ctx.Err() != nil {
		s.described.said[lost] = d
	}
	return d.table, d.err
}
