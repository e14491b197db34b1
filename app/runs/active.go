package runs

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"sync"
	"time"

	"rovik/app/project"
	"rovik/app/queue"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
	"rovik/records"
)

// The states of a run.
const (
	Waiting = "waiting" // for its turn
	Running = "running"
	Done    = "done"
	Failed  = "failed"
	Stopped = "stopped"
)

// Active is a run that the page started: its rows are held for scrolling.
type Active struct {
	ID      string
	SQL     string
	Columns []plan.Column
	Joined  time.Time

	session string
	goesOn  bool
	limit   time.Duration
	turn    *queue.Turn
	ctx     context.Context
	cancel  context.CancelCauseFunc
	rows    *rows

	mu         sync.Mutex
	plan       *project.Prepared // until the run has ended
	run        *exec.Run         // while it goes on
	state      string
	cut        bool // more rows would have come
	err        error
	final      *explain.Report
	changed    chan struct{} // closed and replaced whenever something changed
	readers    int           // that follow it now
	seen       time.Time     // when somebody asked for the run last
	read       bool          // whole, by somebody
	unrecorded error
}

// work waits for the run's turn, and takes its rows until it ends.
func (act *Active) work(room func(grown held) bool) error {
	defer act.turn.Leave()
	if err := act.turn.Wait(act.ctx); err != nil {
		act.end(err)
		return nil
	}
	ctx, cancel := context.WithTimeoutCause(act.ctx, act.limit, tookTooLong(act.limit))
	defer cancel()
	run, err := act.plan.Start(ctx, act.ID, act.turn)
	if err != nil {
		act.end(err)
		return nil
	}
	defer run.Close()
	act.mu.Lock()
	act.run, act.state = run, Running
	act.tell()
	act.mu.Unlock()
	for {
		b, err := run.Next()
		if err == nil {
			err = act.take(b, room)
		}
		if err != nil {
			act.end(err)
			return nil
		}
	}
}

func tookTooLong(limit time.Duration) error {
	return value.Errorf(value.CodeCancelled, "the run reached its time limit of %s", limit).WithHint("narrow the query, or raise the limit")
}

// take holds rows. It returns io.EOF where the run is cut: because it has given as many as
// one may hold, or because there is no room.
func (act *Active) take(b kernel.Batch, room func(grown held) bool) error {
	have := act.rows.total()
	cut := have+b.Len > maxHeldRows
	if cut {
		b = b.Slice(0, maxHeldRows-have)
	}
	before := act.rows.size()
	if err := act.rows.add(b); err != nil {
		return err
	}
	now := act.rows.size()
	cut = !room(now.minus(before)) || cut || now.all() > maxHeldBytes
	act.mu.Lock()
	defer act.mu.Unlock()
	act.cut = cut
	act.tell()
	if cut {
		return io.EOF
	}
	return nil
}

// end notes what ended the run.
func (act *Active) end(err error) {
	act.mu.Lock()
	defer act.mu.Unlock()
	switch {
	case errors.Is(err, io.EOF):
		act.state = Done
	case value.Code(err) == value.CodeCancelled:
		act.state, act.err = Stopped, err
	default:
		act.state, act.err = Failed, err
	}
	report := &explain.Report{}
	_ = value.Guarded(func() error { report = act.report(); return nil })
	act.final = report
	act.run, act.plan = nil, nil
	act.seen = time.Now()
	act.tell()
}

// report returns the report as far as the run is; act is locked.
func (act *Active) report() *explain.Report {
	switch {
	case act.final != nil:
		return act.final
	case act.run != nil:
		return act.run.Report()
	}
	return act.plan.Report()
}

// tell wakes whoever waits for a change; act is locked.
func (act *Active) tell() {
	close(act.changed)
	act.changed = make(chan struct{})
}

// ended reports whether the run has ended.
func (act *Active) ended() bool {
	act.mu.Lock()
	defer act.mu.Unlock()
	return act.final != nil
}

// keep writes the run that has ended into the records, and logs it. Texts and values are
// not logged.
func (act *Active) keep(store *records.Store) {
	s, report := act.Status(), act.Report()
	failed := ""
	if s.Err != nil {
		failed = s.Err.Error()
	}
	said := []any{"run", act.ID, "state", s.State, "rows", s.Rows, "code", value.Code(s.Err)}
	if report.RowsCrossed != nil {
		said = append(said, "crossed", *report.RowsCrossed, "milliseconds", *report.TotalMilliseconds)
	}
	slog.Info("run ended", said...)
	kept, err := json.Marshal(report)
	if err == nil {
		err = store.AddRun(context.Background(), &records.Run{ID: act.ID, SQL: act.SQL, State: s.State, Error: failed, BeganAt: act.Joined, Report: kept})
	}
	if err != nil {
		// A run that cannot be recorded is still a run; its rows are shown.
		slog.Error("a run is not recorded", "run", act.ID, "error", err)
		act.mu.Lock()
		act.unrecorded = err
		act.tell()
		act.mu.Unlock()
	}
}

// Status is how far a run is.
type Status struct {
	ID       string
	State    string
	Rows     int  // held so far
	Cut      bool // more rows would have come
	Err      error
	Place    *queue.Place    // while it waits
	Limit    time.Duration   // that it may take, once it goes on
	Changed  <-chan struct{} // closed at the next change
	Finished bool
	// Unrecorded is why the run is not among those of the past; nil where it is.
	Unrecorded error
}

// Status returns how far the run is.
func (act *Active) Status() Status {
	act.mu.Lock()
	defer act.mu.Unlock()
	s := Status{ID: act.ID, State: act.state, Rows: act.rows.total(), Cut: act.cut, Err: act.err, Limit: act.limit, Changed: act.changed, Finished: act.final != nil, Unrecorded: act.unrecorded}
	if act.state == Waiting {
		if s.Place = act.turn.Place(); s.Place == nil {
			s.State = Running
		}
	}
	return s
}

// Report returns the report of the run as far as it is.
func (act *Active) Report() *explain.Report {
	act.mu.Lock()
	defer act.mu.Unlock()
	return act.report()
}

// Progress returns the numbers of the run's report as far as it is; nil while it waits, and
// once it has ended.
func (act *Active) Progress() *explain.Progress {
	act.mu.Lock()
	run := act.run
	act.mu.Unlock()
	if run == nil {
		return nil
	}
	return run.Progress()
}

// Stop ends the run, at its sources too.
func (act *Active) Stop() { act.cancel(exec.Stopped) }

// Follow notes a reader of the run until the returned function is called. A run without
// any is stopped after a while, unless it was started to go on.
func (act *Active) Follow() (leave func()) {
	act.note(1)
	return func() { act.note(-1) }
}

func (act *Active) note(readers int) {
	act.mu.Lock()
	defer act.mu.Unlock()
	act.readers += readers
	act.seen = time.Now()
}

// alone returns for how long nobody has asked for the run.
func (act *Active) alone(now time.Time) time.Duration {
	act.mu.Lock()
	defer act.mu.Unlock()
	if act.readers > 0 {
		return 0
	}
	return now.Sub(act.seen)
}

// Page returns up to limit rows from offset as text; NULL is nil.
func (act *Active) Page(offset, limit int) ([][]*string, error) {
	act.note(0)
	page, err := act.rows.page(offset, limit)
	act.mu.Lock()
	defer act.mu.Unlock()
	act.read = act.read || err == nil && act.final != nil && offset+len(page) >= act.rows.total()
	return page, err
}
