package project

import (
	"context"
	"log/slog"
	"maps"
	"reflect"
	"slices"
	"time"

	"rovik/core/catalog"
	"rovik/records"
)

// lookEvery is how often the records are looked at for changes of other processes.
const lookEvery = 400 * time.Millisecond

// follow takes changes over that other processes keep in the records, until the project
// is closed.
func (p *Project) follow() error {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	failed := false
	for {
		select {
		case <-p.open.Done():
			return nil
		case <-tick.C:
		}
		p.write.Lock()
		err := p.catchUp(p.open)
		p.write.Unlock()
		if err != nil && !failed && p.open.Err() == nil {
			slog.Error("changes of other processes are not seen", "error", err)
		}
		failed = err != nil
	}
}

// catchUp makes the snapshot that the records tell of the present one, where another
// process has changed them. The project's lock for writing is held.
func (p *Project) catchUp(ctx context.Context) error {
	now := p.Now()
	if n, err := p.records.Changes(ctx); err != nil || n == now.changes {
		return err
	}
	kept, err := p.records.State(ctx)
	if err != nil {
		return err
	}
	p.replace(now, now.becomes(kept))
	return nil
}

// becomes is the snapshot of what is kept. What is the same in this one stays.
func (s *Snapshot) becomes(kept *records.State) *Snapshot {
	c := s.changeTo(kept)
	next := s.After(c)
	next.changes = kept.Changes
	next.connect(s, c)
	return next
}

// changeTo is what makes this snapshot one of what is kept.
func (s *Snapshot) changeTo(kept *records.State) *Change {
	c := &Change{}
	if !slices.Equal(kept.Layers, s.catalog.Layers()) {
		c.Layers = append([]catalog.Layer{}, kept.Layers...)
	}
	gone := map[string]*catalog.View{}
	for _, v := range s.catalog.Views() {
		gone[v.FullName()] = v
	}
	for _, v := range kept.Views {
		if had := gone[v.FullName()]; had == nil || !reflect.DeepEqual(had, v) {
			c.Put = append(c.Put, v)
		}
		delete(gone, v.FullName())
	}
	for _, name := range slices.Sorted(maps.Keys(gone)) {
		c.Drop = append(c.Drop, gone[name])
	}
	without := maps.Clone(s.sources)
	for _, r := range kept.Sources {
		if had := s.sources[r.Name]; had == nil || !had.Record.Same(r) {
			c.Sources, c.Anew = append(c.Sources, r), append(c.Anew, r.Name) // its password may be another
		}
		delete(without, r.Name)
	}
	c.Gone = slices.Sorted(maps.Keys(without))
	return c
}
