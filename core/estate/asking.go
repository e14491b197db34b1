package estate

import (
	"slices"

	"golang.org/x/sync/errgroup"

	"rovik/core/catalog"
	"rovik/core/value"
)

// asked is a statement as it stands, with its source.
type asked struct{ source, statement string }

type answer struct {
	table *catalog.Table
	err   error
}

// mostAsked bounds how many statements sources are asked of at the same time.
const mostAsked = 8

// errAsking fails a view whose source is to be asked of a statement first.
var errAsking = value.Errorf(value.CodeConnection, "a source is being asked of a statement")

// held does something with the estate held, which may bind views. Sources are asked of
// statements as they stand while it is not held: what needs one that is not known yet is
// done again with the answer.
func held[T any](e *Estate, do func() T) T {
	said := map[asked]answer{}
	for {
		out, ask := heldOnce(e, said, do)
		if len(ask) == 0 {
			return out
		}
		answers := make([]answer, len(ask))
		var g errgroup.Group
		g.SetLimit(mostAsked)
		for i, a := range ask {
			g.Go(func() error {
				answers[i].err = value.Guarded(func() (err error) {
					answers[i].table, err = e.describe(a.source, a.statement)
					return err
				})
				return nil // which is that of a view
			})
		}
		_ = g.Wait()
		for i, a := range ask {
			said[a] = answers[i]
		}
	}
}

func heldOnce[T any](e *Estate, said map[asked]answer, do func() T) (out T, ask []asked) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.said, e.ask = said, nil
	out = do()
	ask = e.ask
	e.said, e.ask = nil, nil
	return out, ask
}

// described is what a source has said of a statement, or errAsking.
func (e *Estate) described(source, statement string) (*catalog.Table, error) {
	a := asked{source, statement}
	if is, known := e.said[a]; known {
		return is.table, is.err
	}
	if !slices.Contains(e.ask, a) {
		e.ask = append(e.ask, a)
	}
	return nil, errAsking
}
