package records

import (
	"context"
	"fmt"
	"time"
)

// maxMeasured is how many measured row counts are kept.
const maxMeasured = 5000

// Measured returns the row counts that runs have measured, by signature.
func (s *Store) Measured(ctx context.Context) (map[string]float64, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT signature, row_count FROM measured")
	if err != nil {
		return nil, fmt.Errorf("reading what runs measured: %w", err)
	}
	defer rows.Close()
	out := map[string]float64{}
	for rows.Next() {
		var sig string
		var n float64
		if err := rows.Scan(&sig, &n); err != nil {
			return nil, fmt.Errorf("reading what runs measured: %w", err)
		}
		out[sig] = n
	}
	return out, rows.Err()
}

// PutMeasured keeps a measured row count, and drops the oldest ones past
// maxMeasured.
func (s *Store) PutMeasured(ctx context.Context, signature string, rows int64) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO measured (signature, row_count, at) VALUES (?, ?, ?)
		ON CONFLICT (signature) DO UPDATE SET row_count = excluded.row_count, at = excluded.at`, signature, rows, time.Now().UTC().Format(time.RFC3339Nano))
	if err == nil {
		_, err = s.db.ExecContext(ctx, "DELETE FROM measured WHERE signature IN (SELECT signature FROM measured ORDER BY at DESC LIMIT -1 OFFSET ?)", maxMeasured)
	}
	if err != nil {
		return fmt.Errorf("keeping what a run measured: %w", err)
	}
	return nil
}
