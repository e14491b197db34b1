// Package runs is about running queries: runs whose rows are held for scrolling, those of
// the past, the formats that results are written in, and explanations as text.
package runs

import (
	"context"
	"slices"
	"sync"
	"time"

	"rovik/app/project"
	"rovik/app/queue"
	"rovik/core/exec"
	"rovik/core/value"
)

// Limits of a run that the page starts.
const (
	maxHeldRows  = 100_000   // rows kept for the page to scroll
	maxHeldBytes = 256 << 20 // of one run, in memory and on disk
)

// Limits bound what is held for the page.
type Limits struct {
	Time      time.Duration // that a run may take
	Kept      time.Duration // that an ended run is kept for after somebody asked for it
	Alone     time.Duration // after which a run that nobody asks for is stopped
	Runs      int           // ended runs that are held
	Memory    int64         // bytes of the rows of all runs in memory
	Disk      int64         // likewise in files
	OfSession int64         // bytes of the rows of one session, in memory and in files
}

// Usual are the usual limits.
var Usual = Limits{Time: 10 * time.Minute, Kept: time.Hour, Alone: 8 * time.Second, Runs: 5000, Memory: 512 << 20, Disk: 8 << 30, OfSession: 2 << 30}

// MostTime is the longest time limit of a run.
const MostTime = 24 * time.Hour

// Runs are the runs of a project: the active ones by id, oldest first in order. Its
// methods may be called at the same time.
type Runs struct {
	project  *project.Project
	limits   Limits
	mu       sync.Mutex
	active   map[string]*Active
	order    []string
	held     held            // by all runs
	sessions map[string]held // by those of each session
	closed   bool
	working  sync.WaitGroup
	done     chan struct{}
}

// Of returns the runs of a project.
func Of(p *project.Project, limits Limits) *Runs {
	r := &Runs{project: p, limits: limits, active: map[string]*Active{}, sessions: map[string]held{}, done: make(chan struct{})}
	r.working.Go(func() {
		_ = value.Guarded(func() error { r.watch(); return nil })
	})
	return r
}

// watchEvery is how often runs are looked at.
const watchEvery = 500 * time.Millisecond

// watch stops runs that nobody follows, and forgets those that were kept long enough.
func (r *Runs) watch() {
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	for {
		select {
		case now := <-tick.C:
			r.look(now)
		case <-r.done:
			return
		}
	}
}

// Abandoned is the cause of the end of a run that nobody followed.
var Abandoned = value.Errorf(value.CodeCancelled, "the run was stopped because nobody follows it any more").
	WithHint("keep the page open, or start the run to go on by itself")

func (r *Runs) look(now time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i := len(r.order) - 1; i >= 0; i-- {
		act := r.active[r.order[i]]
		alone := act.alone(now)
		switch {
		case !act.ended():
			if alone > r.limits.Alone && !act.goesOn {
				act.cancel(Abandoned)
			}
		case alone > r.limits.Kept:
			r.forget(i)
		}
	}
}

// Options of a run.
type Options struct {
	GoesOn bool          // also while nobody follows it
	Limit  time.Duration // of time; 0 for the usual one
}

// Start starts a run whose rows are held. ctx says whose it is, and does not end it.
func (r *Runs) Start(ctx context.Context, q project.Query, o Options) (*Active, error) {
	if o.Limit == 0 {
		o.Limit = r.limits.Time
	}
	if o.Limit < 0 || o.Limit > MostTime {
		return nil, value.Errorf(value.CodeBadParameter, "a run cannot have a time limit of %s", o.Limit).WithHint("give one from a second to %s", MostTime)
	}
	p, err := r.project.Now().Prepare(ctx, q)
	if err != nil {
		return nil, err
	}
	work := p.Work()
	turn, err := r.project.Queue().Join(queue.LaneOf(work), queue.Session(ctx), work)
	if err != nil {
		return nil, err
	}
	act := &Active{ID: project.NewRunID(), SQL: q.SQL, Columns: p.Columns, session: queue.Session(ctx), goesOn: o.GoesOn, limit: o.Limit, turn: turn, plan: p,
		Joined: time.Now(), seen: time.Now(), state: Waiting, changed: make(chan struct{}), rows: &rows{columns: p.Columns, dir: r.project.Home()}}
	act.ctx, act.cancel = context.WithCancelCause(context.Background())
	if err := r.add(act); err != nil {
		turn.Leave()
		return nil, err
	}
	go func() {
		defer r.working.Done()
		defer act.cancel(exec.Stopped)
		if err := value.Guarded(func() error { return act.work(func(grown held) bool { return r.hasRoom(act, grown) }) }); err != nil {
			act.end(err)
		}
		_ = value.Guarded(func() error { act.keep(r.project.Records()); return nil })
	}()
	return act, nil
}

// add registers a run, and forgets ended ones where there are too many.
func (r *Runs) add(act *Active) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return value.Errorf(value.CodeCancelled, "the project is being closed")
	}
	r.working.Add(1)
	r.active[act.ID] = act
	r.order = append(r.order, act.ID)
	for len(r.order) > r.limits.Runs && r.forgetOne(func(*Active) bool { return true }) {
	}
	return nil
}

// forgetOne forgets an ended run of those that f says yes to, one that was read rather than
// one that was not, the oldest of these; it reports whether there was one.
func (r *Runs) forgetOne(f func(*Active) bool) bool {
	for _, read := range []bool{true, false} {
		for i, id := range r.order {
			if act := r.active[id]; act.ended() && act.wasRead() == read && f(act) {
				r.forget(i)
				return true
			}
		}
	}
	return false
}

func (act *Active) wasRead() bool {
	act.mu.Lock()
	defer act.mu.Unlock()
	return act.read
}

// forget lets go of a run, by its place in order.
func (r *Runs) forget(i int) {
	act := r.active[r.order[i]]
	r.count(act, held{}.minus(act.rows.size()))
	act.rows.close()
	delete(r.active, r.order[i])
	r.order = slices.Delete(r.order, i, i+1)
}

// held are bytes of rows.
type held struct{ memory, disk int64 }

func (h held) plus(o held) held  { return held{h.memory + o.memory, h.disk + o.disk} }
func (h held) minus(o held) held { return held{h.memory - o.memory, h.disk - o.disk} }
func (h held) all() int64        { return h.memory + h.disk }

// hasRoom notes that the rows of a run have grown, and reports whether they can grow
// further, having forgotten runs that have ended to make room.
func (r *Runs) hasRoom(of *Active, grown held) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.count(of, grown)
	for {
		var over func(*Active) bool
		switch {
		case r.held.memory > r.limits.Memory:
			over = func(act *Active) bool { return act.rows.size().memory > 0 }
		case r.held.disk > r.limits.Disk:
			over = func(act *Active) bool { return act.rows.size().disk > 0 }
		case r.sessions[of.session].all() > r.limits.OfSession:
			over = func(act *Active) bool { return act.session == of.session && act.rows.size().all() > 0 }
		default:
			return true
		}
		if !r.forgetOne(over) {
			return false
		}
	}
}

// count adds to what a run holds.
func (r *Runs) count(of *Active, grown held) {
	r.held = r.held.plus(grown)
	if now := r.sessions[of.session].plus(grown); now == (held{}) {
		delete(r.sessions, of.session)
	} else {
		r.sessions[of.session] = now
	}
}

// Active returns the runs that wait or go on, oldest first.
func (r *Runs) Active() []*Active {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := []*Active{}
	for _, id := range r.order {
		if act := r.active[id]; !act.ended() {
			out = append(out, act)
		}
	}
	return out
}

// Close stops all runs, and waits for their ends.
func (r *Runs) Close() {
	r.mu.Lock()
	if !r.closed {
		r.closed = true
		close(r.done)
	}
	for _, act := range r.active {
		act.Stop()
	}
	r.mu.Unlock() // a run that ends asks for room
	r.working.Wait()
	r.mu.Lock()
	defer r.mu.Unlock()
	for len(r.order) > 0 {
		r.forget(0)
	}
}

// Held returns a run that Start started.
func (r *Runs) Held(id string) (*Active, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if act := r.active[id]; act != nil {
		act.note(0)
		return act, nil
	}
	return nil, value.Errorf("02000", "the run %s is not held any more", id).WithHint("run the query again")
}
