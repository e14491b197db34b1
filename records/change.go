package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"rovik/core/catalog"
)

// Change is a change of the project. Apply keeps it whole or not at all.
type Change struct {
	// Layers are all layers, lowest first; nil leaves them as they are.
	Layers []catalog.Layer
	// Moves give views other names, with all their revisions; then Drop are
	// forgotten, and Put are kept as revisions with the message.
	Moves   []Move
	Drop    []*catalog.View
	Put     []*catalog.View
	Message string
	// Base is the revision that the texts of Put are based on.
	Base int
	// Sources are added or replaced; Gone are forgotten, with their passwords and
	// their history. Secrets are passwords to keep, by source.
	Sources []*Source
	Gone    []string
	Secrets map[string]string
}

// Move gives a view another name.
type Move struct{ FromLayer, FromName, ToLayer, ToName string }

// What a view that is saved may be based on, besides a revision's number.
const (
	NewView     = 0  // it is not there yet
	AnyRevision = -1 // whatever there is now
)

// ErrStale is returned for a view that was saved meanwhile, ErrTaken for a new one
// whose name is in use.
var (
	ErrStale = errors.New("the view was saved meanwhile")
	ErrTaken = errors.New("the name is taken")
)

// Apply keeps a change in one transaction, as the next one after those that it was
// decided on; see State. It returns the revision of each view that was moved or put, by
// its full name, and sets it in those that were put. Where another process was faster,
// ErrOvertaken is returned.
func (s *Store) Apply(ctx context.Context, c Change, after int64) (revisions map[string]int, err error) {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return nil, fmt.Errorf("keeping a change of the project: %w", locked(s.home, err))
	}
	defer func() { _ = tx.Rollback() }() // nothing, once it is committed
	next, err := tx.ExecContext(ctx, "UPDATE change_count SET number = number + 1 WHERE number = ?", after)
	if err != nil {
		return nil, fmt.Errorf("keeping a change of the project: %w", err)
	}
	if n, err := next.RowsAffected(); err != nil || n == 0 {
		return nil, errors.Join(err, ErrOvertaken)
	}
	revisions = map[string]int{}
	if err := applyViews(ctx, tx, c, revisions); err != nil {
		return nil, err
	}
	if err := s.applySources(ctx, tx, c); err != nil {
		return nil, err
	}
	return revisions, tx.Commit()
}

func applyViews(ctx context.Context, tx *sql.Tx, c Change, revisions map[string]int) error {
	for _, v := range c.Drop {
		if _, err := tx.ExecContext(ctx, "DELETE FROM view WHERE layer = ? AND name = ?", v.Layer, v.Name); err != nil {
			return fmt.Errorf("forgetting the view %s: %w", v.FullName(), err)
		}
	}
	if c.Layers != nil {
		if err := putLayers(ctx, tx, c.Layers); err != nil {
			return err
		}
	}
	if err := moveViews(ctx, tx, c.Moves, revisions); err != nil {
		return fmt.Errorf("moving views: %w", err)
	}
	for _, v := range c.Put {
		switch err := putView(ctx, tx, v, c.Message, c.Base); {
		case errors.Is(err, ErrStale), errors.Is(err, ErrTaken):
			return err
		case err != nil:
			return fmt.Errorf("keeping the view %s: %w", v.FullName(), err)
		}
		revisions[v.FullName()] = v.Revision
	}
	if c.Layers != nil {
		if _, err := tx.ExecContext(ctx, "DELETE FROM layer WHERE position < 0"); err != nil {
			return fmt.Errorf("forgetting layers: %w", err)
		}
	}
	return nil
}

// putLayers keeps layers; those that are there no more have a negative position.
func putLayers(ctx context.Context, tx *sql.Tx, layers []catalog.Layer) error {
	// Out of the way first: no two layers have the same place at any time.
	if _, err := tx.ExecContext(ctx, "UPDATE layer SET position = -1 - position"); err != nil {
		return fmt.Errorf("keeping the layers: %w", err)
	}
	for i, l := range layers {
		_, err := tx.ExecContext(ctx, `INSERT INTO layer (name, position, description) VALUES (?, ?, ?)
			ON CONFLICT (name) DO UPDATE SET position = excluded.position, description = excluded.description`, l.Name, i, l.Description)
		if err != nil {
			return fmt.Errorf("keeping the layer %s: %w", l.Name, err)
		}
	}
	return nil
}

// moveViews gives views other names, by way of names that nothing has: two may
// change places. What is kept of a view that had the name before goes first.
func moveViews(ctx context.Context, tx *sql.Tx, moves []Move, revisions map[string]int) error {
	aside := func(m Move) string { return m.FromName + "\x00moving" }
	for _, m := range moves {
		for _, table := range []string{"view", "revision"} {
			if _, err := tx.ExecContext(ctx, "UPDATE "+table+" SET name = ? WHERE layer = ? AND name = ?", aside(m), m.FromLayer, m.FromName); err != nil {
				return err
			}
		}
	}
	for _, m := range moves {
		var last, now int
		if err := tx.QueryRowContext(ctx, "SELECT coalesce(max(number), 0) FROM revision WHERE layer = ? AND name = ?", m.ToLayer, m.ToName).Scan(&last); err != nil {
			return err
		}
		if err := tx.QueryRowContext(ctx, "UPDATE view SET layer = ?, name = ?, revision = revision + ? WHERE layer = ? AND name = ? RETURNING revision",
			m.ToLayer, m.ToName, last, m.FromLayer, aside(m)).Scan(&now); err != nil {
			return err
		}
		revisions[m.ToLayer+"."+m.ToName] = now
		if _, err := tx.ExecContext(ctx, "UPDATE revision SET layer = ?, name = ?, number = number + ? WHERE layer = ? AND name = ?", m.ToLayer, m.ToName, last, m.FromLayer, aside(m)); err != nil {
			return err
		}
	}
	return nil
}

func (s *Store) applySources(ctx context.Context, tx *sql.Tx, c Change) error {
	for name, password := range c.Secrets {
		if err := s.putSecret(ctx, tx, name, password); err != nil {
			return err
		}
	}
	for _, src := range c.Sources {
		if err := putSource(ctx, tx, src); err != nil {
			return fmt.Errorf("keeping the source %s: %w", src.Name, err)
		}
	}
	for _, name := range c.Gone {
		for _, statement := range []string{"DELETE FROM source WHERE name = ?", "DELETE FROM source_event WHERE source = ?", "DELETE FROM secret WHERE name = ?"} {
			if _, err := tx.ExecContext(ctx, statement, name); err != nil {
				return fmt.Errorf("forgetting the source %s: %w", name, err)
			}
		}
	}
	return nil
}
