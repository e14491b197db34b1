package records

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"rovik/core/catalog"
)

// Revision is a text that a view had.
type Revision struct {
	Number                    int
	SQL, Description, Message string
	Notes                     catalog.Notes
	SavedAt                   time.Time
}

// Views returns all views.
func (s *Store) Views(ctx context.Context) ([]*catalog.View, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT layer, name, sql, description, revision, notes FROM view ORDER BY layer, name")
	if err != nil {
		return nil, fmt.Errorf("reading the views: %w", err)
	}
	defer rows.Close()
	var out []*catalog.View
	for rows.Next() {
		var v catalog.View
		var notes string
		if err := rows.Scan(&v.Layer, &v.Name, &v.SQL, &v.Description, &v.Revision, &notes); err != nil {
			return nil, fmt.Errorf("reading the views: %w", err)
		}
		if v.Notes, err = notesOf(notes); err != nil {
			_ = s.cannotRead("the notes of "+v.FullName(), err) // the view stands without them
		}
		out = append(out, &v)
	}
	return out, rows.Err()
}

// putView keeps a view as its next revision.
func putView(ctx context.Context, tx *sql.Tx, v *catalog.View, message string, base int) error {
	at := time.Now().UTC().Format(timeFormat)
	var have, last int
	err := tx.QueryRowContext(ctx, "SELECT revision FROM view WHERE layer = ? AND name = ?", v.Layer, v.Name).Scan(&have)
	exists := err == nil
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	switch {
	case base == NewView && exists:
		return ErrTaken
	case base > 0 && have != base:
		return ErrStale
	}
	if err := tx.QueryRowContext(ctx, "SELECT coalesce(max(number), 0) FROM revision WHERE layer = ? AND name = ?", v.Layer, v.Name).Scan(&last); err != nil {
		return err
	}
	v.Revision = last + 1
	notes, err := notesText(v.Notes)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `INSERT INTO view (layer, name, sql, description, saved_at, revision, notes) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (layer, name) DO UPDATE SET sql = excluded.sql, description = excluded.description, saved_at = excluded.saved_at,
			revision = excluded.revision, notes = excluded.notes`,
		v.Layer, v.Name, v.SQL, v.Description, at, v.Revision, notes); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "INSERT INTO revision (layer, name, number, sql, description, message, saved_at, notes) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
		v.Layer, v.Name, v.Revision, v.SQL, v.Description, message, at, notes)
	return err
}

// Revisions returns the texts that a view had, newest first.
func (s *Store) Revisions(ctx context.Context, layer, name string) ([]*Revision, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT number, sql, description, message, saved_at, notes FROM revision WHERE layer = ? AND name = ? ORDER BY number DESC", layer, name)
	if err != nil {
		return nil, fmt.Errorf("reading the revisions of %s.%s: %w", layer, name, err)
	}
	defer rows.Close()
	out := []*Revision{}
	for rows.Next() {
		var r Revision
		var at, notes string
		err := rows.Scan(&r.Number, &r.SQL, &r.Description, &r.Message, &at, &notes)
		if err == nil {
			r.Notes, err = notesOf(notes)
		}
		if err != nil {
			return nil, fmt.Errorf("reading the revisions of %s.%s: %w", layer, name, err)
		}
		r.SavedAt, _ = time.Parse(timeFormat, at)
		out = append(out, &r)
	}
	return out, rows.Err()
}

// EarlierTexts returns the texts that views had before, and have no more, in which
// any of the words stands, newest first.
func (s *Store) EarlierTexts(ctx context.Context, words []string, limit int) ([]*catalog.View, error) {
	list, err := json.Marshal(words)
	if err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, `SELECT r.layer, r.name, r.number, r.sql FROM revision r JOIN view v ON v.layer = r.layer AND v.name = r.name
		WHERE r.sql <> v.sql AND EXISTS (SELECT 1 FROM json_each(?) AS w WHERE instr(lower(r.sql), lower(w.value)) > 0)
		ORDER BY r.saved_at DESC, r.layer, r.name, r.number DESC LIMIT ?`, string(list), limit)
	if err != nil {
		return nil, fmt.Errorf("reading revisions: %w", err)
	}
	defer rows.Close()
	var out []*catalog.View
	for rows.Next() {
		var v catalog.View
		if err := rows.Scan(&v.Layer, &v.Name, &v.Revision, &v.SQL); err != nil {
			return nil, fmt.Errorf("reading revisions: %w", err)
		}
		out = append(out, &v)
	}
	return out, rows.Err()
}
