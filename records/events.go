package records

import (
	"context"
	"encoding/json"
	"fmt"
	"time"
)

// Event is what was found of a source at a time. Found are the differences from
// what was known, as JSON; Error says why the source was not reached.
type Event struct {
	Source, Kind, Error string
	At                  time.Time
	Found               json.RawMessage
}

// maxEvents is how many events are kept of each source.
const maxEvents = 200

// AddEvent keeps an event, and drops the oldest of its source past maxEvents.
func (s *Store) AddEvent(ctx context.Context, e *Event) error {
	_, err := s.db.ExecContext(ctx, "INSERT INTO source_event (source, at, kind, error, found) VALUES (?, ?, ?, ?, ?)",
		e.Source, e.At.UTC().Format(timeFormat), e.Kind, e.Error, string(e.Found))
	if err == nil {
		_, err = s.db.ExecContext(ctx, "DELETE FROM source_event WHERE id IN (SELECT id FROM source_event WHERE source = ? ORDER BY id DESC LIMIT -1 OFFSET ?)", e.Source, maxEvents)
	}
	if err != nil {
		return fmt.Errorf("keeping what was found of %s: %w", e.Source, err)
	}
	return nil
}

// Events returns the latest events of a source, newest first.
func (s *Store) Events(ctx context.Context, source string, limit int) ([]*Event, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT at, kind, error, found FROM source_event WHERE source = ? ORDER BY id DESC LIMIT ?", source, limit)
	if err != nil {
		return nil, fmt.Errorf("reading what was found of %s: %w", source, err)
	}
	defer rows.Close()
	var out []*Event
	for rows.Next() {
		e := &Event{Source: source}
		var at, found string
		if err := rows.Scan(&at, &e.Kind, &e.Error, &found); err != nil {
			return nil, fmt.Errorf("reading what was found of %s: %w", source, err)
		}
		e.At, _ = time.Parse(timeFormat, at)
		e.Found = json.RawMessage(found)
		out = append(out, e)
	}
	return out, rows.Err()
}
