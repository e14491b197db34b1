// Package runs is about running queries: runs whose rows are held for scrolling, those of
// the past, the formats that results are written in, and explanations as text.
package runs

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"slices"
	"sync"
	"time"

	"rovik/app/project"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
	"rovik/records"
)

// Limits of the runs that the page starts.
const (
	maxHeldRows  = 100_000   // rows kept for the page to scroll
	maxHeldBytes = 256 << 20 // of one run
	maxHeldRuns  = 20
	runTimeLimit = 10 * time.Minute
)

// maxHeldInAll bounds the bytes that all runs together hold.
var maxHeldInAll int64 = 512 << 20

// Active is a run that the page started: its rows are held for scrolling.
type Active struct {
	ID      string
	SQL     string
	Columns []plan.Column

	run   *exec.Run
	began time.Time

	mu      sync.Mutex
	batches []kernel.Batch
	starts  []int // first row of each batch
	rows    int
	bytes   int64
	state   string // running, done, failed, stopped
	cut     bool   // more rows would have come
	err     error
	final   *explain.Report
	changed chan struct{} // closed and replaced whenever something changed
}

// Runs are the runs of a project: the active ones by id, oldest first in order. Its
// methods may be called at the same time.
type Runs struct {
	project *project.Project
	mu      sync.Mutex
	active  map[string]*Active
	order   []string
	working sync.WaitGroup
}

// Of returns the runs of a project.
func Of(p *project.Project) *Runs { return &Runs{project: p, active: map[string]*Active{}} }

// Start starts a run whose rows are held.
func (r *Runs) Start(q project.Query) (*Active, error) {
	id := project.NewRunID()
	ctx, cancel := context.WithTimeout(context.Background(), runTimeLimit)
	run, err := r.project.Now().Start(ctx, q, id)
	if err != nil {
		cancel()
		return nil, err
	}
	act := &Active{ID: id, SQL: q.SQL, Columns: run.Columns, run: run, began: time.Now(), state: "running", changed: make(chan struct{})}
	r.add(act)
	r.working.Add(1)
	go func() {
		defer r.working.Done()
		defer cancel()
		if err := value.Guarded(func() error { return act.collect(r.hasRoom) }); err != nil {
			act.fail(err)
		}
		_ = value.Guarded(func() error { r.keep(act); return nil })
		act.log()
	}()
	return act, nil
}

// log tells of a run that has ended. Texts and values are not logged.
func (act *Active) log() {
	s, p := act.Status(), act.Progress()
	said := []any{"run", act.ID, "state", s.State, "rows", s.Rows, "crossed", p.RowsCrossed, "milliseconds", p.TotalMilliseconds}
	if s.Err != nil {
		said = append(said, "code", value.Code(s.Err))
	}
	slog.Info("run ended", said...)
}

// add registers a run and forgets the oldest that have ended.
func (r *Runs) add(act *Active) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.active[act.ID] = act
	r.order = append(r.order, act.ID)
	for i := 0; i < len(r.order) && len(r.order) > maxHeldRuns; {
		if old := r.active[r.order[i]]; old.running() {
			i++
			continue
		}
		r.forget(i)
	}
}

// forget lets go of a run, by its place in order.
func (r *Runs) forget(i int) {
	delete(r.active, r.order[i])
	r.order = slices.Delete(r.order, i, i+1)
}

// hasRoom reports whether one more batch can be held, having forgotten runs that have
// ended to make room, oldest first.
func (r *Runs) hasRoom() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	var held int64
	for _, act := range r.active {
		held += act.holds()
	}
	for i := 0; held > maxHeldInAll && i < len(r.order); {
		if old := r.active[r.order[i]]; old.running() {
			i++
		} else {
			held -= old.holds()
			r.forget(i)
		}
	}
	return held <= maxHeldInAll
}

// holds returns the bytes that a run's rows take.
func (act *Active) holds() int64 {
	act.mu.Lock()
	defer act.mu.Unlock()
	return act.bytes
}

// Close stops all runs, and waits for their ends.
func (r *Runs) Close() {
	r.mu.Lock()
	for _, act := range r.active {
		act.run.Stop()
	}
	r.mu.Unlock() // a run that ends asks for room
	r.working.Wait()
}

// Held returns a run that Start started.
func (r *Runs) Held(id string) (*Active, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if act := r.active[id]; act != nil {
		return act, nil
	}
	return nil, value.Errorf("02000", "the run %s is not held any more", id).WithHint("run the query again")
}

func (act *Active) running() bool {
	act.mu.Lock()
	defer act.mu.Unlock()
	return act.state == "running"
}

// collect takes the run's rows until it ends or enough are held.
func (act *Active) collect(hasRoom func() bool) error {
	defer act.run.Close()
	for {
		b, err := act.run.Next()
		if ended := act.take(b, err, hasRoom()); ended {
			return nil
		}
	}
}

// take notes what the run gave, and reports whether it has ended. Without room it is
// cut.
func (act *Active) take(b kernel.Batch, err error, room bool) (ended bool) {
	act.mu.Lock()
	defer act.mu.Unlock()
	state := "running"
	switch {
	case errors.Is(err, io.EOF):
		state = "done"
	case err != nil:
		state, act.err = "failed", err
		if value.Code(err) == value.CodeCancelled {
			state = "stopped"
		}
	default:
		if act.rows+b.Len > maxHeldRows {
			b, act.cut = b.Slice(0, maxHeldRows-act.rows), true
		}
		act.starts = append(act.starts, act.rows)
		act.batches = append(act.batches, b)
		act.rows += b.Len
		if act.bytes += b.Bytes(); act.bytes > maxHeldBytes || !room {
			act.cut = true
		}
		if act.cut {
			state = "done"
		}
	}
	if state != "running" {
		act.final = act.run.Report()
	}
	act.state = state
	act.tell()
	return state != "running"
}

// tell wakes whoever waits for a change.
func (act *Active) tell() {
	close(act.changed)
	act.changed = make(chan struct{})
}

// fail ends a run that met an internal error, whatever state that left.
func (act *Active) fail(err error) {
	act.mu.Lock()
	defer act.mu.Unlock()
	act.state, act.err = "failed", err
	if act.final == nil {
		act.final = &explain.Report{}
		_ = value.Guarded(func() error { act.final = act.run.Report(); return nil })
	}
	act.tell()
}

// keep writes an ended run into the records.
func (r *Runs) keep(act *Active) {
	st := act.Status()
	report, err := json.Marshal(act.Report())
	if err != nil {
		return
	}
	failed := ""
	if st.Err != nil {
		failed = st.Err.Error()
	}
	// A run that cannot be recorded is still a run; its rows are shown.
	_ = r.project.Records().AddRun(context.Background(), &records.Run{ID: act.ID, SQL: act.SQL, State: st.State, Error: failed, BeganAt: act.began, Report: report})
}

// Status is how far a run is.
type Status struct {
	ID       string
	State    string // running, done, failed or stopped
	Rows     int    // held so far
	Cut      bool   // more rows would have come
	Err      error
	Changed  <-chan struct{} // closed at the next change
	finished *explain.Report
}

// Status returns how far the run is.
func (act *Active) Status() Status {
	act.mu.Lock()
	defer act.mu.Unlock()
	return Status{ID: act.ID, State: act.state, Rows: act.rows, Cut: act.cut, Err: act.err, Changed: act.changed, finished: act.final}
}

// Report returns the report of the run as far as it is.
func (act *Active) Report() *explain.Report {
	if s := act.Status(); s.finished != nil {
		return s.finished
	}
	return act.run.Report()
}

// Progress returns the numbers of the run's report as far as it is.
func (act *Active) Progress() *explain.Progress { return act.run.Progress() }

// Stop ends the run, at its sources too.
func (act *Active) Stop() { act.run.Stop() }

// Page returns up to limit rows from offset as text; NULL is nil.
func (act *Active) Page(offset, limit int) [][]*string {
	act.mu.Lock()
	batches, starts, rows := act.batches, act.starts, act.rows
	act.mu.Unlock()
	out := [][]*string{}
	for i, b := range batches {
		if starts[i]+b.Len <= offset {
			continue
		}
		for row := max(offset-starts[i], 0); row < b.Len && len(out) < limit && starts[i]+row < rows; row++ {
			out = append(out, exec.RowTexts(act.Columns, b, row))
		}
		if len(out) >= limit {
			break
		}
	}
	return out
}
