package runs

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"rovik/app/apptest"
	"rovik/app/project"
	"rovik/core/value"
)

// wait follows a held run to its end.
func wait(t *testing.T, act *Active) Status {
	t.Helper()
	for {
		s := act.Status()
		if s.State != "running" {
			return s
		}
		<-s.Changed
	}
}

// The rows of a run are held for scrolling, in pages of any size, and cut where
// there are too many.
func TestHeldRuns(t *testing.T) {
	p := apptest.New(t, maxHeldRows+5000)
	a := Of(p.Project)
	t.Cleanup(a.Close)
	act, err := a.Start(project.Query{SQL: "SELECT id, name, weight FROM store.item ORDER BY id"})
	if err != nil {
		t.Fatal(err)
	}
	s := wait(t, act)
	if s.State != "done" || !s.Cut || s.Rows != maxHeldRows || act.Report().TotalMilliseconds == nil {
		t.Errorf("the run is %s with %d rows, cut %v", s.State, s.Rows, s.Cut)
	}
	for _, c := range []struct{ offset, limit, rows int }{{0, 3, 3}, {8190, 10, 10}, {maxHeldRows - 2, 10, 2}, {maxHeldRows, 10, 0}, {0, 20_000, 20_000}} {
		page := act.Page(c.offset, c.limit)
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
	failed, err := a.Start(project.Query{SQL: "SELECT 1 / (id - 3) FROM store.item"})
	if err != nil {
		t.Fatal(err)
	}
	if s := wait(t, failed); s.State != "failed" || value.Code(s.Err) != value.CodeDivisionByZero || !strings.Contains(s.Err.Error(), "division by zero") {
		t.Errorf("a failing run: %+v", s)
	}
	a.working.Wait() // until both are recorded
	past, err := a.Past(context.Background(), 10)
	if err != nil || len(past) != 2 || past[0].ID != failed.ID || past[0].State != "failed" || past[1].State != "done" {
		t.Errorf("past runs %v, %v", past, err)
	}
}

// Old runs make room for new ones.
func TestOldHeldRunsAreForgotten(t *testing.T) {
	p := apptest.New(t, 10)
	a := Of(p.Project)
	t.Cleanup(a.Close)
	var first *Active
	for i := range maxHeldRuns + 2 {
		act, err := a.Start(project.Query{SQL: "SELECT id FROM store.item"})
		if err != nil {
			t.Fatal(err)
		}
		wait(t, act)
		if i == 0 {
			first = act
		}
	}
	if _, err := a.Held(first.ID); err == nil || !strings.Contains(err.Error(), "run the query again") {
		t.Errorf("the first of many runs: %v", err)
	}
	if len(a.active) > maxHeldRuns || len(a.active) != len(a.order) {
		t.Errorf("%d runs are held, %d in order", len(a.active), len(a.order))
	}
}

// A run that meets an internal error ends with it, and says so to whoever waits.
func TestARunThatPanicsFails(t *testing.T) {
	act := &Active{ID: "r1", state: "running", changed: make(chan struct{})} // collecting from no run panics
	err := value.Guarded(func() error { return act.collect(func() bool { return true }) })
	if value.Code(err) != value.CodeInternal || !strings.Contains(err.Error(), "internal error ") {
		t.Fatalf("collecting ends with %v", err)
	}
	waits := act.changed
	act.fail(err)
	<-waits
	if s := act.Status(); s.State != "failed" || s.Err == nil || act.Report() == nil {
		t.Errorf("the run is %s with %v and the report %v", s.State, s.Err, act.Report())
	}
}

// All runs together hold so many bytes: those that have ended make room for the next,
// and one that finds none is cut.
func TestHeldRunsShareOneLimit(t *testing.T) {
	was := maxHeldInAll
	defer func() { maxHeldInAll = was }()
	p := apptest.New(t, 60_000)
	a := Of(p.Project)
	t.Cleanup(a.Close)
	q := project.Query{SQL: "SELECT id, name, weight FROM store.item ORDER BY id"}
	start := func() *Active {
		act, err := a.Start(q)
		if err != nil {
			t.Fatal(err)
		}
		wait(t, act)
		return act
	}
	first := start()
	maxHeldInAll = first.holds() * 3 / 2
	second := start()
	if s := second.Status(); s.Cut || s.Rows != 60_000 {
		t.Errorf("the second run has %d rows, cut %v", s.Rows, s.Cut)
	}
	if _, err := a.Held(first.ID); err == nil {
		t.Error("the first run is held beside the second")
	}
	if _, err := a.Held(second.ID); err != nil {
		t.Error(err)
	}
	maxHeldInAll = first.holds() / 2
	if s := start().Status(); !s.Cut || s.Rows == 0 || s.Rows == 60_000 {
		t.Errorf("a run without room has %d rows, cut %v", s.Rows, s.Cut)
	}
}

func TestExplainTextIsForPeople(t *testing.T) {
	p := apptest.New(t, 5)
	report, err := p.Now().Explain(project.Query{SQL: "SELECT sum(id) AS s FROM store.item WHERE name LIKE 'item%'"})
	if err != nil {
		t.Fatal(err)
	}
	text := ExplainText(report)
	for _, want := range []string{"s1  store, about", "GLOB ?1", "with item*", "1 of 2 pieces folded", "because (overflow-differs) SQLite sums", "overflow-differs", "Remedy:"} {
		if !strings.Contains(text, want) {
			t.Errorf("the note lacks %q:\n%s", want, text)
		}
	}
	if report, err = p.Now().Explain(project.Query{SQL: "SELECT 1 AS a"}); err != nil || !strings.Contains(ExplainText(report), "No source is contacted.") {
		t.Errorf("a query of no source: %v", err)
	}
}

// A run that streams while the project is closed is stopped, and closing does not wait for
// what it holds itself.
func TestClosingEndsRuns(t *testing.T) {
	p := apptest.New(t, 1)
	a := Of(p.Project)
	act, err := a.Start(project.Query{SQL: "SELECT sum(i) FROM generate_series(1, 1000000000) AS s(i)"})
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
