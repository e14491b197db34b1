// Package queue lets runs begin: so many at a time, small ones beside large ones, and the
// sessions of one lane by turns.
package queue

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"sync"
	"time"

	"rovik/core/value"
)

// Lane is what runs of one kind wait for. Each has room of its own, so that no lane is
// held up by another.
type Lane int

// The lanes.
const (
	Large   Lane = iota
	Small        // few rows are expected
	Preview      // what the page asks for itself, of few rows each
	lanes
)

func (l Lane) String() string { return [...]string{"large runs", "small runs", "previews"}[l] }

// SmallRows is how many rows, those between its operators counted, a small run is expected to have at most.
const SmallRows = 20_000

// LaneOf returns the lane of a run by its expected rows.
func LaneOf(rows float64) Lane {
	if rows <= SmallRows {
		return Small
	}
	return Large
}

// processors is how many the process may use.
var processors = runtime.GOMAXPROCS(0)

// Usual returns the usual room: how many runs of each lane go on at the same time.
func Usual() [lanes]int {
	return [lanes]int{Large: max(2, processors), Small: 4 * processors, Preview: 4 * processors}
}

// ShareProcessors lets more threads run Go code than there are processors. Large runs then do
// not hold a small one up until Go's scheduler takes their turn away, which is after ten
// milliseconds: the system's own gives a thread that wakes its turn at once.
func ShareProcessors() { runtime.GOMAXPROCS(2*processors + 2) }

// maxWaiting bounds the runs that wait in a lane.
const maxWaiting = 10_000

// patience is how long a run is overtaken by others that are expected to be smaller, or
// whose session has fewer that go on.
const patience = time.Minute

// Queue lets runs begin. Its methods may be called at the same time.
type Queue struct {
	mu    sync.Mutex
	lanes [lanes]lane
}

type lane struct {
	room    int
	running map[string]int // by session
	n       int            // in all
	waiting []*Turn
}

// New returns a queue with room for so many runs in each lane.
func New(room [lanes]int) *Queue {
	q := &Queue{}
	for i := range q.lanes {
		q.lanes[i] = lane{room: max(1, room[i]), running: map[string]int{}}
	}
	return q
}

// Turn is a run's place in the queue, and then its permission to go on.
type Turn struct {
	queue   *Queue
	lane    Lane
	session string
	rows    float64
	since   time.Time
	granted chan struct{}
	gone    bool
}

// Join puts a run of so many expected rows at the end of a lane. Leave must be called once
// it has ended or does not want to begin any more.
func (q *Queue) Join(l Lane, session string, rows float64) (*Turn, error) {
	t := &Turn{queue: q, lane: l, session: session, rows: rows, since: time.Now(), granted: make(chan struct{})}
	q.mu.Lock()
	defer q.mu.Unlock()
	in := &q.lanes[l]
	if len(in.waiting) >= maxWaiting {
		return nil, value.Errorf(value.CodeTooMany, "%d %s wait already", len(in.waiting), l).WithHint("try again later")
	}
	in.waiting = append(in.waiting, t)
	in.grant(time.Now())
	return t, nil
}

// grant gives turns as long as there is room.
func (l *lane) grant(now time.Time) {
	for l.n < l.room && len(l.waiting) > 0 {
		i := l.next(now)
		t := l.waiting[i]
		l.waiting = slices.Delete(l.waiting, i, i+1)
		l.n++
		l.running[t.session]++
		close(t.granted)
	}
}

// next returns the place of the run whose turn it is: the one that has waited too long,
// then of the session with the fewest that go on the one that is expected to be smallest,
// the oldest of the same size.
func (l *lane) next(now time.Time) int {
	best := 0
	for i, t := range l.waiting {
		if i > 0 && l.before(t, l.waiting[best], now) < 0 {
			best = i
		}
	}
	return best
}

func (l *lane) before(a, b *Turn, now time.Time) int {
	late := func(t *Turn) int {
		if now.Sub(t.since) > patience {
			return 0
		}
		return 1
	}
	if c := cmp.Compare(late(a), late(b)); c != 0 || late(a) == 0 {
		return cmp.Or(c, a.since.Compare(b.since))
	}
	return cmp.Or(cmp.Compare(l.running[a.session], l.running[b.session]), cmp.Compare(a.size(), b.size()), a.since.Compare(b.since))
}

// size is the number of digits of the expected rows.
func (t *Turn) size() int { return int(math.Log10(max(1, t.rows))) }

// Wait returns once it is the run's turn, or with what ended ctx.
func (t *Turn) Wait(ctx context.Context) error {
	select {
	case <-t.granted:
		return nil
	default:
	}
	select {
	case <-t.granted:
		return nil
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// Leave ends the run's turn, or its waiting. Only the first call does something.
func (t *Turn) Leave() {
	q := t.queue
	q.mu.Lock()
	defer q.mu.Unlock()
	if t.gone {
		return
	}
	t.gone = true
	in := &q.lanes[t.lane]
	select {
	case <-t.granted:
		in.n--
		if in.running[t.session]--; in.running[t.session] == 0 {
			delete(in.running, t.session)
		}
	default:
		in.waiting = slices.DeleteFunc(in.waiting, func(o *Turn) bool { return o == t })
	}
	in.grant(time.Now())
}

// Place is where a run stands.
type Place struct {
	Before       int     `json:"before"` // that are expected to begin first
	For          string  `json:"for"`    // what it waits for
	Milliseconds float64 `json:"milliseconds"`
}

// Place returns where the run stands; nil where it does not wait.
func (t *Turn) Place() *Place {
	select {
	case <-t.granted:
		return nil
	default:
	}
	t.queue.mu.Lock()
	defer t.queue.mu.Unlock()
	in, now := &t.queue.lanes[t.lane], time.Now()
	p := &Place{For: fmt.Sprintf("a place among the %d %s that go on at once", in.room, t.lane), Milliseconds: float64(now.Sub(t.since).Microseconds()) / 1000}
	for _, o := range in.waiting {
		if o != t && in.before(o, t, now) < 0 {
			p.Before++
		}
	}
	return p
}

// State is how many runs of a lane go on and wait.
type State struct {
	Lane    string `json:"lane"`
	Room    int    `json:"room"`
	Running int    `json:"running"`
	Waiting int    `json:"waiting"`
}

// States returns the state of each lane.
func (q *Queue) States() []State {
	q.mu.Lock()
	defer q.mu.Unlock()
	var out []State
	for i, l := range q.lanes {
		out = append(out, State{Lane(i).String(), l.room, l.n, len(l.waiting)})
	}
	return out
}

type key struct{ name string }

var sessionKey, previewKey = &key{"session"}, &key{"preview"}

// Of returns a context whose runs are those of a session.
func Of(ctx context.Context, session string) context.Context {
	return context.WithValue(ctx, sessionKey, session)
}

// Session returns whose runs those of a context are.
func Session(ctx context.Context) string {
	s, _ := ctx.Value(sessionKey).(string)
	return s
}

// Previewing returns a context whose runs are previews.
func Previewing(ctx context.Context) context.Context {
	return context.WithValue(ctx, previewKey, true)
}

// Enter waits in the lane of a context's run for its turn.
func (q *Queue) Enter(ctx context.Context, rows float64) (*Turn, error) {
	l := LaneOf(rows)
	if ctx.Value(previewKey) != nil {
		l = Preview
	}
	t, err := q.Join(l, Session(ctx), rows)
	if err != nil {
		return nil, err
	}
	if err := t.Wait(ctx); err != nil {
		t.Leave()
		return nil, err
	}
	return t, nil
}

// Large reports whether the run is one of those that leave some connections to others.
func (t *Turn) Large() bool { return t.lane == Large }
