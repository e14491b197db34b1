package app

import (
	"context"
	"encoding/json"
	"errors"
	"sort"
	"sync"
	"time"

	"rovik/core/exec"
	"rovik/core/kernel"
	"rovik/core/value"
	"rovik/records"
)

// Health is how a source was at its last check. State is "well", "differs" or
// "unreachable"; a source that was not checked yet has none. Error says why it is
// unreachable, or what a run found to differ since.
type Health struct {
	State   string    `json:"state"`
	At      time.Time `json:"at"`
	Error   string    `json:"error"`
	Changes int       `json:"changes"` // what differs, quirks included
	Broken  []string  `json:"broken"`  // views that break once it is accepted
}

// health keeps the last check of each source.
type health struct {
	mu   sync.Mutex
	last map[string]*Health
}

func (h *health) of(source string) *Health {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.last[source]
}

func (h *health) set(source string, now *Health) {
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
	Kind        string       `json:"kind"`
	Error       string       `json:"error"`
	Differences *Differences `json:"differences"`
}

// maxHistory bounds the history that is shown.
const maxHistory = 100

// History lists what was found of a source, newest first: where it differed
// from what was known, could not be reached, or was accepted.
func (a *App) History(ctx context.Context, source string) ([]SourceEvent, error) {
	if _, err := a.source(source); err != nil {
		return nil, err
	}
	events, err := a.store.Events(ctx, source, maxHistory)
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
func (a *App) note(ctx context.Context, source, kind string, d Differences, failed error) {
	e := &records.Event{Source: source, Kind: kind, At: time.Now(), Found: json.RawMessage("{}")}
	if failed != nil {
		e.Error = failed.Error()
	} else if b, err := json.Marshal(d); err == nil {
		e.Found = b
	}
	_ = a.store.AddEvent(ctx, e)
}

// checkTimeout bounds how long the check of one source takes.
const checkTimeout = 2 * time.Minute

// CheckSource reads a source's catalogue and compares it with what is known. It
// accepts nothing: the result is the source's health, and stands in its history
// where it is news.
func (a *App) CheckSource(ctx context.Context, name string) (*Health, error) {
	if _, err := a.source(name); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, checkTimeout)
	defer cancel()
	h := &Health{State: "well", Broken: []string{}}
	found, err := a.TestSource(ctx, name)
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
	before := a.health.of(name)
	news := before == nil && h.State != "well" || before != nil && (before.State != h.State || before.Changes != h.Changes)
	a.health.set(name, h)
	if news {
		a.note(context.WithoutCancel(ctx), name, EventCheck, d, err)
	}
	return h, nil
}

// differs marks a source that a run found to be other than its plan relies on, until
// it is checked or refreshed: what else differs is not counted.
func (a *App) differs(source string, err error) {
	var found *value.Error
	if before := a.health.of(source); errors.As(err, &found) && (before == nil || before.State != "differs") {
		a.health.set(source, &Health{State: "differs", At: time.Now(), Error: found.Message, Broken: []string{}})
	}
}

// watched is a reader whose errors are noticed.
type watched struct {
	exec.Reader
	notice func(error) error
}

// Next gives the next rows; see exec.Reader.
func (w *watched) Next(ctx context.Context) (kernel.Batch, error) {
	b, err := w.Reader.Next(ctx)
	return b, w.notice(err)
}

// Unwrap returns the reader itself; see exec.Wrapper.
func (w *watched) Unwrap() exec.Reader { return w.Reader }

// Watch checks all sources, one after the other, every so often, until ctx ends.
// One that does not answer does not keep the others from being checked.
func (a *App) Watch(ctx context.Context, every time.Duration) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		for _, s := range a.Sources() {
			if ctx.Err() != nil {
				return
			}
			_, _ = a.CheckSource(ctx, s.Name) // a source that went meanwhile
		}
	}
}

// SentStatement is a native statement that a source was sent by a run.
type SentStatement struct {
	Run          string    `json:"run"`
	At           time.Time `json:"at"`
	SQL          string    `json:"sql"` // the query that it was for
	Text         string    `json:"text"`
	Rows         int64     `json:"rows"`
	Milliseconds float64   `json:"milliseconds"`
}

const (
	lookedRuns = 200 // past runs that are looked through
	maxSent    = 40
)

// SentStatements lists the statements that a source was sent lately, newest
// first, as the runs that are kept tell.
func (a *App) SentStatements(ctx context.Context, source string) ([]SentStatement, error) {
	if _, err := a.source(source); err != nil {
		return nil, err
	}
	runs, err := a.store.Runs(ctx, lookedRuns)
	if err != nil {
		return nil, err
	}
	out := []SentStatement{}
	for _, r := range runs {
		var rep exec.Report
		if json.Unmarshal(r.Report, &rep) != nil {
			continue // of an earlier version
		}
		for _, s := range rep.Statements {
			if s.Source == source && s.Rows != nil && s.Milliseconds != nil {
				out = append(out, SentStatement{Run: r.ID, At: r.BeganAt, SQL: r.SQL, Text: s.Text, Rows: *s.Rows, Milliseconds: *s.Milliseconds})
			}
		}
		if len(out) >= maxSent {
			break
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].At.After(out[j].At) })
	return out[:min(len(out), maxSent)], nil
}
