package sources

import (
	"context"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"rovik/core/value"
	"rovik/records"
)

// Health is how a source was at its last check. State is "well", "differs" or
// "unreachable"; a source that was not checked yet has none. Error says why it is
// unreachable, or what a run found to differ since.
type Health struct {
	State   string    `json:"state" enum:"well,differs,unreachable"`
	At      time.Time `json:"at"`
	Error   string    `json:"error"`
	Changes int       `json:"changes"` // what differs, quirks included
	Broken  []string  `json:"broken"`  // views that break once it is accepted
}

// HealthBook keeps the last check of each source. The zero value is an empty book; its
// methods may be called at the same time.
type HealthBook struct {
	mu   sync.Mutex
	last map[string]*Health
}

func (h *HealthBook) of(source string) *Health {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.last[source]
}

func (h *HealthBook) set(source string, now *Health) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.last == nil {
		h.last = map[string]*Health{}
	}
	h.last[source] = now
}

// The kinds of events in a source's history.
const (
	EventCheck    = "check"
	EventAccepted = "accepted"
)

// SourceEvent is what was found of a source at a time.
type SourceEvent struct {
	At          time.Time    `json:"at"`
	Kind        string       `json:"kind" enum:"check,accepted"`
	Error       string       `json:"error"`
	Differences *Differences `json:"differences" null:"never"`
}

// maxHistory bounds the history that is shown.
const maxHistory = 100

// History lists what was found of a source, newest first: where it differed
// from what was known, could not be reached, or was accepted.
func (s *Sources) History(ctx context.Context, source string) ([]SourceEvent, error) {
	if _, err := s.project.Now().Source(source); err != nil {
		return nil, err
	}
	events, err := s.project.Records().Events(ctx, source, maxHistory)
	if err != nil {
		return nil, err
	}
	out := []SourceEvent{}
	for _, e := range events {
		d := &Differences{}
		if err := json.Unmarshal(e.Found, d); err != nil {
			return nil, err
		}
		out = append(out, SourceEvent{At: e.At, Kind: e.Kind, Error: e.Error, Differences: d})
	}
	return out, nil
}

// note keeps an event; what cannot be kept is only missing from the history.
func (s *Sources) note(ctx context.Context, source, kind string, d Differences, failed error) {
	e := &records.Event{Source: source, Kind: kind, At: time.Now(), Found: json.RawMessage("{}")}
	if failed != nil {
		e.Error = failed.Error()
	} else if b, err := json.Marshal(d); err == nil {
		e.Found = b
	}
	_ = s.project.Records().AddEvent(ctx, e)
}

// checkTimeout bounds how long the check of one source takes.
const checkTimeout = 2 * time.Minute

// Check reads a source's catalogue and compares it with what is known. It
// accepts nothing: the result is the source's health, and stands in its history
// where it is news.
func (s *Sources) Check(ctx context.Context, name string) (*Health, error) {
	if _, err := s.project.Now().Source(name); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, checkTimeout)
	defer cancel()
	h := &Health{State: "well", Broken: []string{}}
	found, err := s.Test(ctx, name)
	if ctx.Err() != nil && err == nil {
		err = ctx.Err()
	}
	h.At = time.Now()
	d := found.Differences
	switch {
	case err != nil:
		h.State, h.Error = "unreachable", err.Error()
	case len(d.Changes)+len(d.Quirks) > 0:
		h.State, h.Changes, h.Broken = "differs", len(d.Changes)+len(d.Quirks), d.views()
	}
	before := s.health.of(name)
	news := before == nil && h.State != "well" || before != nil && (before.State != h.State || before.Changes != h.Changes)
	s.health.set(name, h)
	if news {
		s.note(context.WithoutCancel(ctx), name, EventCheck, d, err)
	}
	return h, nil
}

// Drifted marks a source that a run found to be other than its plan relies on, until
// it is checked or refreshed: what else differs is not counted.
func (h *HealthBook) Drifted(source string, err error) {
	var found *value.Error
	if before := h.of(source); errors.As(err, &found) && (before == nil || before.State != "differs") {
		h.set(source, &Health{State: "differs", At: time.Now(), Error: found.Message, Broken: []string{}})
	}
}

// Watch checks all sources, one after the other, every so often, until ctx ends.
// One that does not answer does not keep the others from being checked.
func (s *Sources) Watch(ctx context.Context, every time.Duration) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		for _, src := range s.project.Now().Sources() {
			if ctx.Err() != nil {
				return
			}
			_, _ = s.Check(ctx, src.Record.Name) // a source that went meanwhile
		}
	}
}
