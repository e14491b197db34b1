package app

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// testApp is a project with one SQLite source of so many rows.
func testApp(t *testing.T, rows int) *App {
	t.Helper()
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "data.db")
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{"CREATE TABLE item (id INTEGER PRIMARY KEY, name TEXT, weight REAL)",
		fmt.Sprintf("WITH RECURSIVE i(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM i WHERE n < %d) INSERT INTO item SELECT n, 'item ' || n, n / 4.0 FROM i", rows)} {
		if _, err := db.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	_ = db.Close()
	a, err := Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	if _, err := a.AddSource(ctx, "store", "sqlite", connect.Config{Path: path}, "a note"); err != nil {
		t.Fatal(err)
	}
	if err := a.Setup(ctx, []catalog.Layer{{Name: "low"}, {Name: "high"}}, nil); err != nil {
		t.Fatal(err)
	}
	return a
}

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
	a := testApp(t, maxHeldRows+5000)
	act, err := a.StartHeld(Query{SQL: "SELECT id, name, weight FROM store.item ORDER BY id"})
	if err != nil {
		t.Fatal(err)
	}
	s := wait(t, act)
	if s.State != "done" || !s.Cut || s.Rows != maxHeldRows || s.Report.TotalMilliseconds == nil {
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
	failed, err := a.StartHeld(Query{SQL: "SELECT 1 / (id - 3) FROM store.item"})
	if err != nil {
		t.Fatal(err)
	}
	if s := wait(t, failed); s.State != "failed" || value.Code(s.Err) != value.CodeDivisionByZero || !strings.Contains(s.Error, "division by zero") {
		t.Errorf("a failing run: %+v", s)
	}
	a.runs.working.Wait() // until both are recorded
	past, err := a.PastRuns(context.Background(), 10)
	if err != nil || len(past) != 2 || past[0].ID != failed.ID || past[0].State != "failed" || past[1].State != "done" {
		t.Errorf("past runs %v, %v", past, err)
	}
}

// Old runs make room for new ones.
func TestOldHeldRunsAreForgotten(t *testing.T) {
	a := testApp(t, 10)
	var first *Active
	for i := range maxHeldRuns + 2 {
		act, err := a.StartHeld(Query{SQL: "SELECT id FROM store.item"})
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
	if len(a.runs.active) > maxHeldRuns || len(a.runs.active) != len(a.runs.order) {
		t.Errorf("%d runs are held, %d in order", len(a.runs.active), len(a.runs.order))
	}
}

// Views are saved, explained, run and refreshed at the same time.
func TestAtTheSameTime(t *testing.T) {
	a := testApp(t, 100)
	ctx := context.Background()
	var wg sync.WaitGroup
	errs := make(chan error, 100)
	for i := range 12 {
		wg.Add(3)
		go func() {
			defer wg.Done()
			_, err := a.SaveView(ctx, catalog.View{Layer: "low", Name: fmt.Sprintf("v%d", i%6), SQL: fmt.Sprintf("SELECT id, %d AS n FROM store.item", i)}, false)
			if err != nil && value.Code(err) != value.CodeDuplicate {
				errs <- err
			}
		}()
		go func() {
			defer wg.Done()
			if _, err := a.RunThrough(ctx, Query{SQL: "SELECT count(*) FROM store.item WHERE weight > 2"}); err != nil {
				errs <- err
			}
		}()
		go func() {
			defer wg.Done()
			if _, err := a.RefreshSource(ctx, "store"); err != nil {
				errs <- err
			}
			a.Check()
			a.ViewNames()
		}()
	}
	wg.Wait()
	close(errs)
	for err := range errs {
		t.Error(err)
	}
	if n := len(a.Catalog().Views()); n != 6 {
		t.Errorf("%d views were kept, want 6", n)
	}
	if s := a.Sources(); len(s) != 1 || s[0].Note != "a note" || s[0].Found.Tables[0].Rows != 100 {
		t.Errorf("the sources are %+v", s)
	}
}

func TestDownstreamAndLineageNames(t *testing.T) {
	a := testApp(t, 5)
	ctx := context.Background()
	for _, v := range []catalog.View{{Layer: "low", Name: "one", SQL: "SELECT id, weight * 2 AS double_weight FROM store.item"}, {Layer: "high", Name: "two", SQL: "SELECT sum(o.double_weight) AS total FROM low.one AS o"}} {
		if _, err := a.SaveView(ctx, v, false); err != nil {
			t.Fatal(err)
		}
	}
	if down, err := a.Downstream("low.one"); err != nil || fmt.Sprint(down) != "[high.two]" {
		t.Errorf("downstream %v, %v", down, err)
	}
	cols, err := a.Lineage("high.two.total")
	if err != nil || len(cols) != 1 || fmt.Sprint(cols[0].Carries) != "[{store.item weight aggregated}]" {
		t.Errorf("lineage %v, %v", cols, err)
	}
	for _, bad := range []string{"high", "high.too", "high.two.totall"} {
		if _, err := a.Lineage(bad); err == nil {
			t.Errorf("%s has a lineage", bad)
		}
	}
}

func TestExplainTextIsForPeople(t *testing.T) {
	a := testApp(t, 5)
	report, err := a.Explain(Query{SQL: "SELECT sum(id) AS s FROM store.item WHERE name LIKE 'item%'"})
	if err != nil {
		t.Fatal(err)
	}
	text := ExplainText(report)
	for _, want := range []string{"s1  store, about", "GLOB ?1", "with item*", "1 of 2 pieces folded", "because (overflow-differs) SQLite sums", "overflow-differs", "Remedy:"} {
		if !strings.Contains(text, want) {
			t.Errorf("the note lacks %q:\n%s", want, text)
		}
	}
	if report, err = a.Explain(Query{SQL: "SELECT 1 AS a"}); err != nil || !strings.Contains(ExplainText(report), "No source is contacted.") {
		t.Errorf("a query of no source: %v", err)
	}
}

func TestSecretsAreReferences(t *testing.T) {
	t.Setenv("ROVIK_TEST_SECRET", "s3cret")
	for ref, want := range map[string]string{"": "", "env:ROVIK_TEST_SECRET": "s3cret"} {
		if got, err := (connect.Config{Secret: ref}).Password(); err != nil || got != want {
			t.Errorf("%q gives %q, %v", ref, got, err)
		}
	}
	for _, bad := range []string{"env:ROVIK_NO_SUCH", "file:/no/such/file", "plain"} {
		if got, err := (connect.Config{Secret: bad}).Password(); err == nil || strings.Contains(err.Error(), "plain") {
			t.Errorf("%q gives %q, %v", bad, got, err)
		}
	}
}

// A plan is kept as long as what it was made from: a changed view, a refreshed
// source or the present moment make a new one.
func TestPlansAreKeptWhileTheyHold(t *testing.T) {
	a := testApp(t, 20)
	ctx := context.Background()
	one := func(sql string) string {
		t.Helper()
		act, err := a.StartHeld(Query{SQL: sql})
		if err != nil {
			t.Fatal(err)
		}
		wait(t, act)
		return *act.Page(0, 1)[0][0]
	}
	save := func(text string, replace bool) {
		t.Helper()
		if _, err := a.SaveView(ctx, catalog.View{Layer: "low", Name: "v", SQL: text}, replace); err != nil {
			t.Fatal(err)
		}
	}
	save("SELECT count(*) AS n FROM store.item", false)
	const sql = "SELECT n FROM low.v"
	first, _, err := a.Compile(Query{SQL: sql}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if again, _, _ := a.Compile(Query{SQL: sql}, nil); again != first || one(sql) != "20" {
		t.Error("the plan was made anew, or is wrong")
	}
	if off, _, _ := a.Compile(Query{SQL: sql, FoldOff: true}, nil); off == first {
		t.Error("one plan serves with folding on and off")
	}
	save("SELECT count(*) AS n FROM store.item WHERE id > 15", true)
	if one(sql) != "5" {
		t.Error("the plan of the old view was used")
	}
	before, _, _ := a.Compile(Query{SQL: sql}, nil)
	if _, err := a.RefreshSource(ctx, "store"); err != nil {
		t.Fatal(err)
	}
	if after, _, _ := a.Compile(Query{SQL: sql}, nil); after == before {
		t.Error("the plan outlived its source's catalogue")
	}
	now := Query{SQL: "SELECT now() AS at FROM store.item"}
	x, _, _ := a.Compile(now, nil)
	if y, _, _ := a.Compile(now, nil); x == y {
		t.Error("a plan with the present moment was kept")
	}
}

// Views and tables are found by any of their words, the name counting most, and
// as they are now.
func TestSearch(t *testing.T) {
	a := testApp(t, 5)
	ctx := context.Background()
	names := func(words string) string {
		t.Helper()
		found, err := a.Search(ctx, words)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, m := range found {
			out = append(out, m.What+" "+m.Name)
		}
		return strings.Join(out, ", ")
	}
	for _, v := range []catalog.View{{Layer: "low", Name: "heavy_item", SQL: "SELECT id, weight * 2 AS double_weight FROM store.item", Description: "Crates that take two people"},
		{Layer: "high", Name: "count_of", SQL: "SELECT count(*) AS n FROM low.heavy_item"}} {
		if _, err := a.SaveView(ctx, v, false); err != nil {
			t.Fatal(err)
		}
	}
	for words, want := range map[string]string{"heavy": "view low.heavy_item, view high.count_of", "weight": "table store.item, view low.heavy_item", "crate peop": "view low.heavy_item", "double_w": "view low.heavy_item",
		"": "", "nothing-of-it": "", `"* OR (`: "", "NEAR": ""} {
		if got := names(words); got != want {
			t.Errorf("%q finds %s, want %s", words, got, want)
		}
	}
	if _, err := a.SaveView(ctx, catalog.View{Layer: "low", Name: "heavy_item", SQL: "SELECT id, 1 AS double_weight FROM store.item", Description: "Boxes"}, true); err != nil {
		t.Fatal(err)
	}
	if got := names("crate") + names("boxes"); got != "view low.heavy_item" {
		t.Errorf("after a change: %s", got)
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
	if s := act.Status(); s.State != "failed" || s.Err == nil || s.Report == nil {
		t.Errorf("the run is %s with %v and the report %v", s.State, s.Err, s.Report)
	}
}

// All runs together hold so many bytes: those that have ended make room for the next,
// and one that finds none is cut.
func TestHeldRunsShareOneLimit(t *testing.T) {
	was := maxHeldInAll
	defer func() { maxHeldInAll = was }()
	a := testApp(t, 60_000)
	q := Query{SQL: "SELECT id, name, weight FROM store.item ORDER BY id"}
	start := func() *Active {
		act, err := a.StartHeld(q)
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

// tiring is a context that is cancelled once it has been asked so many times.
type tiring struct {
	context.Context
	left   atomic.Int64
	cancel context.CancelFunc
}

func (c *tiring) Done() <-chan struct{} {
	if c.left.Add(-1) < 0 {
		c.cancel()
	}
	return c.Context.Done()
}

func (c *tiring) Err() error {
	c.Done()
	return c.Context.Err()
}

// Whenever a request is cancelled, what is in memory is what is in the records.
func TestCancelledSavesAreWholeOrNone(t *testing.T) {
	a := testApp(t, 1)
	kept, none := 0, 0
	for asked := range 80 {
		within, cancel := context.WithCancel(context.Background())
		ctx := &tiring{Context: within, cancel: cancel}
		ctx.left.Store(int64(asked))
		v := catalog.View{Layer: "low", Name: fmt.Sprintf("v%d", asked), SQL: "SELECT 1 AS a"}
		_, err := a.SaveRevision(ctx, v, "", NewView)
		views, storeErr := a.store.Views(context.Background())
		if storeErr != nil {
			t.Fatal(storeErr)
		}
		there := slices.ContainsFunc(views, func(o *catalog.View) bool { return o.Name == v.Name })
		if known := a.Catalog().View(v.FullName()) != nil; known != there || err == nil && !there {
			t.Errorf("cancelled when asked %d times: in the records %v, in memory %v, told %v", asked, there, known, err)
		}
		if there {
			kept++
		} else {
			none++
		}
		cancel()
	}
	if kept == 0 || none == 0 {
		t.Errorf("%d views were kept and %d not: nothing was tested", kept, none)
	}
}

// A text that is based on a revision of a view that is gone says so.
func TestSavingOverWhatIsGone(t *testing.T) {
	a := testApp(t, 1)
	ctx := context.Background()
	v := catalog.View{Layer: "low", Name: "one", SQL: "SELECT 1 AS a"}
	if _, err := a.SaveRevision(ctx, v, "", NewView); err != nil {
		t.Fatal(err)
	}
	if err := a.RemoveView(ctx, "low.one", false); err != nil {
		t.Fatal(err)
	}
	if _, err := a.SaveRevision(ctx, v, "", 1); err == nil || !strings.Contains(err.Error(), "was removed meanwhile") {
		t.Errorf("saving over a view that is gone: %v", err)
	}
	if back, err := a.SaveRevision(ctx, v, "", NewView); err != nil || back.Revision != 2 {
		t.Errorf("saving it anew: %v, %v", back, err)
	}
}
