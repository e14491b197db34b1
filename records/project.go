package records

import (
	"context"
	"fmt"

	"rovik/core/catalog"
)

// PutProject makes the layers what they are given as, keeps views as revisions
// with the message and forgets others, all or nothing.
func (s *Store) PutProject(ctx context.Context, layers []catalog.Layer, put, drop []*catalog.View, message string) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("keeping the project: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing, once it is committed
	for _, v := range drop {
		if _, err := tx.ExecContext(ctx, "DELETE FROM view WHERE layer = ? AND name = ?", v.Layer, v.Name); err != nil {
			return fmt.Errorf("forgetting the view %s: %w", v.FullName(), err)
		}
	}
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
	for _, v := range put {
		if err := putView(ctx, tx, v, message, AnyRevision); err != nil {
			return fmt.Errorf("keeping the view %s: %w", v.FullName(), err)
		}
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM layer WHERE position < 0"); err != nil {
		return fmt.Errorf("forgetting layers: %w", err)
	}
	return tx.Commit()
}
