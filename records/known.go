package records

import (
	"context"
	"fmt"
)

// Known returns what is kept of views, by name.
func (s *Store) Known(ctx context.Context) (map[string][]byte, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT name, data FROM known")
	if err != nil {
		return nil, fmt.Errorf("reading what is known of views: %w", err)
	}
	defer rows.Close()
	out := map[string][]byte{}
	for rows.Next() {
		var name string
		var data []byte
		if err := rows.Scan(&name, &data); err != nil {
			return nil, fmt.Errorf("reading what is known of views: %w", err)
		}
		out[name] = data
	}
	return out, rows.Err()
}

// PutKnown keeps what is known of views, and forgets views that are not there.
func (s *Store) PutKnown(ctx context.Context, known map[string][]byte) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("keeping what is known of views: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing, once it is committed
	put, err := tx.PrepareContext(ctx, "INSERT INTO known (name, data) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET data = excluded.data")
	if err != nil {
		return fmt.Errorf("keeping what is known of views: %w", err)
	}
	defer put.Close()
	for name, data := range known {
		if _, err := put.ExecContext(ctx, name, data); err != nil {
			return fmt.Errorf("keeping what is known of %s: %w", name, err)
		}
	}
	if _, err := tx.ExecContext(ctx, "DELETE FROM known WHERE name NOT IN (SELECT layer || '.' || name FROM view)"); err != nil {
		return fmt.Errorf("forgetting what was known of views: %w", err)
	}
	return tx.Commit()
}
