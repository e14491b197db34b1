package records

import (
	"context"
	"database/sql"
	"fmt"

	"rovik/core/catalog"
)

// ProjectChange is a change of layers and views that is kept whole or not at all.
type ProjectChange struct {
	Layers []catalog.Layer // all of them, lowest first
	// Moves give views other names, with all their revisions; then Drop are
	// forgotten, and Put are kept as revisions with the message.
	Moves   []Move
	Drop    []*catalog.View
	Put     []*catalog.View
	Message string
}

// Move gives a view another name.
type Move struct{ FromLayer, FromName, ToLayer, ToName string }

// PutProject keeps a change of the project.
func (s *Store) PutProject(ctx context.Context, c ProjectChange) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("keeping the project: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing, once it is committed
	for _, v := range c.Drop {
		if _, err := tx.ExecContext(ctx, "DELETE FROM view WHERE layer = ? AND name = ?", v.Layer, v.Name); err != nil {
			return fmt.Errorf("forgetting the view %s: %w", v.FullName(), err)
		}
	}
	// Out of the way first: no two layers have the same place at any time.
	if _, err := tx.ExecContext(ctx, "UPDATE layer SET position = -1 - position"); err != nil {
		return fmt.Errorf("keeping the layers: %w", err)
	}
	for i, l := range c.Layers {
		_, err := tx.ExecContext(ctx, `INSERT INTO layer (name, position, description) VALUES (?, ?, ?)
			ON CONFLICT (name) DO UPDATE SET position = excluded.position, description = excluded.description`, l.Name, i, l.Description)
		if err != nil {
			return fmt.Errorf("keeping the layer %s: %w", l.Name, err)
		}
	}
	if err := moveViews(ctx, tx, c.Moves); err != nil {
		return fmt.Errorf("moving views: %w", err)
	}
	for _, v := range c.Put {
		if err := putView(ctx, tx, v, c.Message, AnyRevision); err != nil {
			return fmt.Errorf("keeping the view %s: %w", v.FullName(), err)
		}
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM layer WHERE position < 0"); err != nil {
		return fmt.Errorf("forgetting layers: %w", err)
	}
	return tx.Commit()
}

// moveViews gives views other names, by way of names that nothing has: two may
// change places. What is kept of a view that had the name before goes first.
func moveViews(ctx context.Context, tx *sql.Tx, moves []Move) error {
	aside := func(m Move) string { return m.FromName + "\x00moving" }
	for _, m := range moves {
		for _, table := range []string{"view", "revision"} {
			if _, err := tx.ExecContext(ctx, "UPDATE "+table+" SET name = ? WHERE layer = ? AND name = ?", aside(m), m.FromLayer, m.FromName); err != nil {
				return err
			}
		}
	}
	for _, m := range moves {
		var last int
		if err := tx.QueryRowContext(ctx, "SELECT coalesce(max(number), 0) FROM revision WHERE layer = ? AND name = ?", m.ToLayer, m.ToName).Scan(&last); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE view SET layer = ?, name = ?, revision = revision + ? WHERE layer = ? AND name = ?", m.ToLayer, m.ToName, last, m.FromLayer, aside(m)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, "UPDATE revision SET layer = ?, name = ?, number = number + ? WHERE layer = ? AND name = ?", m.ToLayer, m.ToName, last, m.FromLayer, aside(m)); err != nil {
			return err
		}
	}
	return nil
}
