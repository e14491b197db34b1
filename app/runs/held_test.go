package runs

import (
	"context"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"rovik/app/apptest"
	"rovik/app/project"
	"rovik/app/queue"
	"rovik/core/value"
)

// wait follows a held run to its end.
func wait(t *testing.T, act *Active) Status {
	t.Helper()
	for {
		s := act.Status()
		if s.Finished {
			return s
		}
		<-s.Changed
	}
}

// The rows of a run are held for scrolling, in pages of any size, and cut where
// there are too many.
func TestHeldRuns(t *testing.T) {
	p := apptest.New(t, maxHeldRows+5000)
	a := Of(p.Project, Usual)
	t.Cleanup(a.Close)
	act, err := a.Start(t.Context(), project.Query{SQL: "SELECT id, name, weight FROM store.item ORDER BY id"}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	s := wait(t, act)
	if s.State != "done" || !s.Cut || s.Rows != maxHeldRows || act.Report().TotalMilliseconds == nil {
		t.Errorf("the run is %s with %d rows, cut %v", s.State, s.Rows, s.Cut)
	}
	for _, c := range []struct{ offset, limit, rows int }{{0, 3, 3}, {8190, 10, 10}, {maxHeldRows - 2, 10, 2}, {maxHeldRows, 10, 0}, {0, 20_000, 20_000}} {
		page, err := act.Page(c.offset, c.limit)
		if err != nil {
			t.Fatal(err)
		}
		if len(page) != c.rows {
			t.Errorf("%d rows from %d: %d", c.limit, c.offset, len(page))
		}
		for i, row := range page {
			if want := fmt.Sprint(c.offset + i + 1); *row[0] != want || *row[1] != "item "+want {
				t.Fatalf("row %d from %d is %s %s", i, c.offset, *row[0], *row[1])
			}
		}
	}
	if held, err := a.Held(act.ID); err != nil || held != act {
		t.Errorf("the run is not held: %v", err)
	}
	failed, err := a.Start(t.Context(), project.Query{SQL: "SELECT 1 / (id - 3) FROM store.item"}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if s := wait(t, failed); s.State != "failed" || value.Code(s.Err) != value.CodeDivisionByZero || !strings.Contains(s.Err.Error(), "division by zero") {
		t.Errorf("a failing run: %+v", s)
	}
	a.Close() // once both are recorded
	past, err := a.Past(context.Background(), 10)
	if err != nil || len(past) != 2 || past[0].ID != failed.ID || past[0].State != "failed" || past[1].State != "done" {
		t.Errorf("past runs %v, %v", past, err)
	}
}

// A project with its runs within limits.
func within(t *testing.T, rows int, change func(*Limits)) *Runs {
	t.Helper()
	p := apptest.New(t, rows)
	limits := Usual
	change(&limits)
	a := Of(p.Project, limits)
	t.Cleanup(a.Close)
	return a
}

// through runs a query to its end.
func through(t *testing.T, a *Runs, sql string) *Active {
	t.Helper()
	act, err := a.Start(t.Context(), project.Query{SQL: sql}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	wait(t, act)
	return act
}

// Where too many runs are held, those that were read go first, and then the oldest.
func TestOldHeldRunsAreForgotten(t *testing.T) {
	a := within(t, 10, func(l *Limits) { l.Runs = 4 })
	var acts []*Active
	for i := range 8 {
		act := through(t, a, "SELECT id FROM store.item")
		if i == 2 || i == 3 {
			if rows, err := act.Page(0, 100); err != nil || len(rows) != 10 {
				t.Fatalf("%d rows, %v", len(rows), err)
			}
		}
		acts = append(acts, act)
	}
	for i, held := range []bool{false, false, false, false, true, true, true, true} {
		_, err := a.Held(acts[i].ID)
		if held != (err == nil) || err != nil && !strings.Contains(err.Error(), "run the query again") {
			t.Errorf("run %d: %v", i, err)
		}
	}
	a = within(t, 10, func(l *Limits) { l.Runs = 4 })
	first := through(t, a, "SELECT id FROM store.item")
	for range 3 {
		if _, err := through(t, a, "SELECT 1 AS a").Page(0, 10); err != nil {
			t.Fatal(err)
		}
	}
	for range 3 {
		through(t, a, "SELECT 2 AS a")
	}
	if _, err := a.Held(first.ID); err != nil {
		t.Errorf("a run that nobody read: %v", err)
	}
	// Time passes.
	a.look(time.Now().Add(2 * Usual.Kept))
	if _, err := a.Held(first.ID); err == nil || len(a.active) != 0 || a.held != (held{}) || len(a.sessions) != 0 {
		t.Errorf("%d runs are held after a long time, with %v", len(a.active), a.held)
	}
}

// A run that meets an internal error ends with it, and says so to whoever waits.
func TestARunThatPanicsFails(t *testing.T) {
	turn, err := queue.New(queue.Usual()).Join(queue.Small, "", 1)
	if err != nil {
		t.Fatal(err)
	}
	act := &Active{ID: "r1", state: Waiting, ctx: t.Context(), turn: turn, rows: &rows{}, changed: make(chan struct{})} // starting no plan panics
	err = value.Guarded(func() error { return act.work(func(held) bool { return true }) })
	if value.Code(err) != value.CodeInternal || !strings.Contains(err.Error(), "internal error ") {
		t.Fatalf("the run ends with %v", err)
	}
	waits := act.changed
	act.end(err)
	<-waits
	if s := act.Status(); s.State != Failed || s.Err == nil || act.Report() == nil {
		t.Errorf("the run is %s with %v and the report %v", s.State, s.Err, act.Report())
	}
}

// All runs together, and those of one session, hold so many bytes: those that have ended
// make room for the next, and one that finds none is cut.
func TestHeldRunsShareLimits(t *testing.T) {
	const q = "SELECT id, name, weight FROM store.item ORDER BY id"
	one := through(t, within(t, 60_000, func(*Limits) {}), q).rows.size()
	if one.memory == 0 || one.memory > memoryEach || one.disk == 0 {
		t.Fatalf("a run of 60,000 rows holds %v", one)
	}
	for name, limit := range map[string]func(l *Limits, times float64){
		"memory":  func(l *Limits, times float64) { l.Memory = int64(float64(one.memory) * times) },
		"disk":    func(l *Limits, times float64) { l.Disk = int64(float64(one.disk) * times) },
		"session": func(l *Limits, times float64) { l.OfSession = int64(float64(one.all()) * times) },
	} {
		a := within(t, 60_000, func(l *Limits) { limit(l, 1.5) })
		first, second := through(t, a, q), through(t, a, q)
		if s := second.Status(); s.Cut || s.Rows != 60_000 {
			t.Errorf("%s: the second run has %d rows, cut %v", name, s.Rows, s.Cut)
		}
		if _, err := a.Held(first.ID); err == nil {
			t.Errorf("%s: the first run is held beside the second", name)
		}
		if _, err := a.Held(second.ID); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		a = within(t, 60_000, func(l *Limits) { limit(l, 0.5) })
		if s := through(t, a, q).Status(); !s.Cut || s.Rows == 0 || s.Rows == 60_000 {
			t.Errorf("%s: a run without room has %d rows, cut %v", name, s.Rows, s.Cut)
		}
	}
}

// Rows that lie in a file are what they were, whatever their types.
func TestRowsInAFile(t *testing.T) {
	was := memoryEach
	defer func() { memoryEach = was }()
	const q = `SELECT i, i::smallint AS s, i::bigint * 1000 AS l, i / 4.0 AS n, i::real AS r, i::float8 AS f, i % 2 = 0 AS b, repeat('ü', i % 7) AS t, i::text::char(9) AS c,
		date '2026-01-01' + i AS d, time '10:00' + i * interval '1 second' AS h, timestamp '2026-01-01' + i * interval '1 hour' AS ts, timestamptz '2026-01-01' AS tz, i * interval '1 day' AS v,
		nullif(i % 3, 0) AS x, ARRAY[i, NULL, 2] AS a, ARRAY['a', 'b'] AS e, '\x00ff'::bytea AS y, '{"a": 1}'::jsonb AS j, '[1]'::json AS k, '00000000-0000-0000-0000-000000000001'::uuid AS u
		FROM generate_series(1, 20000) AS g(i)`
	pages := map[int64][][]*string{}
	for _, memoryEach = range []int64{0, 1 << 30} {
		act := through(t, within(t, 1, func(*Limits) {}), q)
		for _, offset := range []int{0, 8190, 19_995} {
			page, err := act.Page(offset, 10)
			if err != nil {
				t.Fatal(err)
			}
			pages[memoryEach] = append(pages[memoryEach], page...)
		}
		if size := act.rows.size(); (size.disk > 0) != (memoryEach == 0) || (size.memory > 0) == (memoryEach == 0) {
			t.Errorf("with %d bytes in memory the run holds %v", memoryEach, size)
		}
	}
	if len(pages[0]) != 25 || !reflect.DeepEqual(pages[0], pages[1<<30]) {
		t.Error("rows in a file differ from those in memory")
	}
}

// A run that nobody follows is stopped, unless it was started to go on.
func TestRunsThatNobodyFollows(t *testing.T) {
	a := within(t, 1, func(l *Limits) { l.Alone = 2 * time.Second })
	const long = "SELECT sum(i) FROM generate_series(1, 1000000000000) AS s(i)"
	start := func(o Options) *Active {
		act, err := a.Start(t.Context(), project.Query{SQL: long}, o)
		if err != nil {
			t.Fatal(err)
		}
		return act
	}
	alone, goesOn, followed := start(Options{}), start(Options{GoesOn: true}), start(Options{})
	leave := followed.Follow()
	if s := wait(t, alone); s.State != Stopped || !strings.Contains(s.Err.Error(), "nobody follows it") {
		t.Errorf("a run that nobody follows is %s: %v", s.State, s.Err)
	}
	for name, act := range map[string]*Active{"that goes on": goesOn, "that somebody follows": followed} {
		if s := act.Status(); s.Finished {
			t.Errorf("a run %s is %s: %v", name, s.State, s.Err)
		}
	}
	leave()
	if s := wait(t, followed); s.State != Stopped {
		t.Errorf("a run that nobody follows any more is %s", s.State)
	}
	if s := goesOn.Status(); s.Finished {
		t.Errorf("a run that goes on is %s", s.State)
	}
}

// A run ends at its time limit, which does not count its waiting, and says where it stands
// while it waits.
func TestRunsWaitForTheirTurn(t *testing.T) {
	a := within(t, 1, func(*Limits) {})
	const long = "SELECT sum(i) FROM generate_series(1, 1000000000000) AS s(i)"
	var acts []*Active
	for range queue.Usual()[queue.Large] + 2 {
		act, err := a.Start(t.Context(), project.Query{SQL: "SELECT * FROM store.item, (" + long + ") AS x, generate_series(1, 100000)"}, Options{GoesOn: true, Limit: time.Second})
		if err != nil {
			t.Fatal(err)
		}
		acts = append(acts, act)
	}
	last := acts[len(acts)-1]
	if s := last.Status(); s.State != Waiting || s.Place == nil || s.Place.Before != 1 || !strings.Contains(s.Place.For, "large runs") || last.Report().Statements == nil {
		t.Errorf("the last of many runs: %s at %v", s.State, s.Place)
	}
	began := time.Now()
	if s := wait(t, through(t, a, "SELECT id FROM store.item")); s.State != Done || time.Since(began) > time.Second {
		t.Errorf("a small run beside them is %s after %s", s.State, time.Since(began))
	}
	if got := a.Active(); len(got) != len(acts) {
		t.Errorf("%d runs are active", len(got))
	}
	stopped := acts[len(acts)-2]
	stopped.Stop()
	if s := wait(t, stopped); s.State != Stopped || s.Rows != 0 {
		t.Errorf("a run that was stopped while it waited is %s", s.State)
	}
	if s := wait(t, last); s.State != Stopped || !strings.Contains(s.Err.Error(), "time limit of 1s") || time.Since(began) < 1500*time.Millisecond {
		t.Errorf("the last run is %s after %s: %v", s.State, time.Since(began), s.Err)
	}
	if _, err := a.Start(t.Context(), project.Query{SQL: "SELECT 1"}, Options{Limit: 48 * time.Hour}); err == nil || !strings.Contains(err.Error(), "a run cannot have a time limit of 48h") {
		t.Errorf("a limit of two days: %v", err)
	}
}

func TestExplainTextIsForPeople(t *testing.T) {
	p := apptest.New(t, 5)
	report, err := p.Now().Explain(t.Context(), project.Query{SQL: "SELECT sum(id) AS s FROM store.item WHERE name LIKE 'item%'"})
	if err != nil {
		t.Fatal(err)
	}
	text := ExplainText(report)
	for _, want := range []string{"s1  store, about", "GLOB ?1", "with item*", "1 of 2 pieces folded", "because (overflow-differs) SQLite sums", "overflow-differs", "Remedy:"} {
		if !strings.Contains(text, want) {
			t.Errorf("the note lacks %q:\n%s", want, text)
		}
	}
	if report, err = p.Now().Explain(t.Context(), project.Query{SQL: "SELECT 1 AS a"}); err != nil || !strings.Contains(ExplainText(report), "No source is contacted.") {
		t.Errorf("a query of no source: %v", err)
	}
}

// A run that streams while the project is closed is stopped, and closing does not wait for
// what it holds itself.
func TestClosingEndsRuns(t *testing.T) {
	p := apptest.New(t, 1)
	a := Of(p.Project, Usual)
	act, err := a.Start(t.Context(), project.Query{SQL: "SELECT sum(i) FROM generate_series(1, 1000000000) AS s(i)"}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	closed := make(chan struct{})
	go func() {
		a.Close()
		close(closed)
	}()
	select {
	case <-closed:
	case <-time.After(10 * time.Second):
		t.Fatal("closing waits for a run that waits for it")
	}
	if s := act.Status(); s.State != "stopped" {
		t.Errorf("the run is %s: %v", s.State, s.Err)
	}
}
