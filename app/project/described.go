package project

import (
	"context"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// described is what sources have said of statements in their own language, by source and
// statement, for as long as the sources are the same; failures for a while, so that a
// source that does not answer is not asked at every key.
type described struct {
	*lru.Cache[[2]string, description]
}

type description struct {
	table *catalog.Table
	err   error
	at    time.Time
}

const (
	describeTimeout  = 10 * time.Second
	failureRemembers = 20 * time.Second
	maxDescribed     = 500
)

func newDescribed() *described {
	c, err := lru.New[[2]string, description](maxDescribed)
	if err != nil {
		panic(err) // of a size that is none
	}
	return &described{c}
}

// describe asks a source for the columns of a statement; see bind.Context.
func (s *Snapshot) describe(source, statement string) (*catalog.Table, error) {
	key, lost := [2]string{source, statement}, [2]string{source, ""}
	if d, known := s.described.Get(key); known && (d.err == nil || time.Since(d.at) < failureRemembers) {
		return d.table, d.err
	}
	if away, known := s.described.Get(lost); known && time.Since(away.at) < failureRemembers {
		return nil, away.err // whatever it is asked
	}
	src, err := s.connected(source)
	if err != nil {
		return nil, err
	}
	conn, ok := src.Conn.(connect.Describer)
	if !ok {
		return nil, value.Errorf(value.CodeUnsupported, "%s takes no statements of its own language", source).WithHint("name its tables instead")
	}
	ctx, cancel := context.WithTimeout(context.Background(), describeTimeout)
	defer cancel()
	d := description{at: time.Now()}
	d.table, d.err = conn.Describe(ctx, statement)
	s.described.Add(key, d)
	if value.Code(d.err) == value.CodeConnection || ctx.Err() != nil {
		s.described.Add(lost, d)
	}
	return d.table, d.err
}
