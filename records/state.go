package records

import (
	"context"
	"errors"
	"fmt"

	"rovik/core/catalog"
)

// State is all that a project is made of, as the records have it at one moment.
type State struct {
	Changes int64 // that were kept until then
	Sources []*Source
	Layers  []catalog.Layer // the lowest first
	Views   []*catalog.View
}

// ErrOvertaken is returned for a change that was decided on what is not so any more:
// another process has kept one.
var ErrOvertaken = errors.New("another process has changed the project")

// Changes returns how many changes of the project were kept.
func (s *Store) Changes(ctx context.Context) (n int64, err error) {
	if err = s.db.QueryRowContext(ctx, "SELECT number FROM change_count").Scan(&n); err != nil {
		err = fmt.Errorf("reading how many changes there were: %w", err)
	}
	return n, err
}

// State returns what is kept now. Another process may keep changes meanwhile, and then
// all is read again.
func (s *Store) State(ctx context.Context) (*State, error) {
	for {
		k, err := s.read(ctx)
		if err != nil {
			return nil, err
		}
		if n, err := s.Changes(ctx); err != nil || n == k.Changes {
			return k, err
		}
	}
}

func (s *Store) read(ctx context.Context) (*State, error) {
	k := &State{}
	var err error
	if k.Changes, err = s.Changes(ctx); err != nil {
		return nil, err
	}
	if k.Sources, err = s.Sources(ctx); err != nil {
		return nil, err
	}
	if k.Layers, err = s.Layers(ctx); err != nil {
		return nil, err
	}
	k.Views, err = s.Views(ctx)
	return k, err
}

// Same reports whether two records of a source are kept alike, with their passwords.
func (s *Source) Same(o *Source) bool { return s.Kept != "" && s.Kept == o.Kept }
