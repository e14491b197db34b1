package project_test

import (
	"context"
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"rovik/app/apptest"
	"rovik/app/project"
	"rovik/app/views"
	"rovik/core/catalog"
	"rovik/core/estate"
)

// A plan is kept for as long as what it was made from: a view that it reads, a refreshed
// source or the present moment make a new one, and other views do not.
func TestPlansAreKeptWhileTheyHold(t *testing.T) {
	a := apptest.New(t, 20)
	ctx := context.Background()
	one := func(sql string) string {
		t.Helper()
		rows, err := a.Now().Rows(ctx, project.Query{SQL: sql})
		if err != nil {
			t.Fatal(err)
		}
		return *rows[0][0]
	}
	compiled := func(q project.Query) any {
		t.Helper()
		c, _, err := a.Now().Compile(t.Context(), q, nil)
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	const sql = "SELECT n FROM high.w"
	q := project.Query{SQL: sql}
	a.Save(t, "low", "v", "SELECT count(*) AS n FROM store.item")
	a.Save(t, "high", "w", "SELECT n FROM low.v")
	if one(sql) != "20" {
		t.Fatal("twenty items are not counted")
	}
	first := compiled(q)
	if compiled(q) != first {
		t.Error("the plan was made anew")
	}
	if compiled(project.Query{SQL: sql, FoldOff: true}) == first {
		t.Error("one plan serves with folding on and off")
	}
	a.Save(t, "low", "other", "SELECT 1 AS one")
	if compiled(q) != first {
		t.Error("the plan was made anew although it reads nothing that changed")
	}
	a.Save(t, "low", "v", "SELECT count(*) AS n FROM store.item WHERE id > 15")
	if one(sql) != "5" {
		t.Error("the plan of the old view was used")
	}
	before := compiled(q)
	if _, err := a.Sources.Refresh(ctx, "store"); err != nil {
		t.Fatal(err)
	}
	if compiled(q) == before {
		t.Error("the plan outlived its source's catalogue")
	}
	now := project.Query{SQL: "SELECT now() AS at FROM store.item"}
	if compiled(now) == compiled(now) {
		t.Error("a plan with the present moment was kept")
	}
	held := a.Now()
	a.Save(t, "low", "v", "SELECT 7 AS n")
	if rows, err := held.Rows(ctx, q); err != nil || *rows[0][0] != "5" || one(sql) != "7" {
		t.Errorf("a snapshot before a change says %v, %v; the one after it %s", rows, err, one(sql))
	}
}

// told is all that a snapshot says of a project.
func told(s *project.Snapshot) string {
	var b strings.Builder
	fmt.Fprintln(&b, s.Catalog().Layers())
	for _, src := range s.Sources() {
		r := src.Record
		fmt.Fprintln(&b, r.Name, r.Kind, r.Note, r.Hidden, r.Declared, r.Config)
	}
	for _, src := range s.Catalog().Sources() {
		fmt.Fprintln(&b, src.Name)
		for _, t := range src.Tables {
			fmt.Fprintln(&b, "", t.FullName(), len(t.Columns), t.Keys)
		}
	}
	for _, v := range s.Estate().Views() {
		fmt.Fprintln(&b, v.FullName(), v.Revision, v.SQL, v.Description, v.Notes, v.Err, v.Reads, v.Depth)
		if v.Err == nil {
			fmt.Fprintln(&b, "", v.Table.Columns, *v.Text(), s.Estate().Readers(v.FullName()))
			report, err := s.ExplainView(context.Background(), v.FullName())
			if err != nil {
				fmt.Fprintln(&b, " ", err)
				continue
			}
			for _, st := range report.Statements {
				fmt.Fprintln(&b, " ", st.Source, st.Text, st.Parameters)
			}
		}
	}
	return b.String()
}

// A snapshot that was made from the one before and a change is the one that the records
// tell of, after any changes, those that are refused among them; also where two
// processes change one project by turns, and in both of these.
func TestDeltasAreWhatTheRecordsSay(t *testing.T) {
	for seed := range int64(4) {
		deltas(t, rand.New(rand.NewSource(seed)))
	}
}

func deltas(t *testing.T, rng *rand.Rand) {
	first := apptest.New(t, 10)
	both := []*apptest.Project{first, first.Another(t)}
	a := first
	ctx := context.Background()
	name := func() string {
		all := a.Now().Catalog().Views()
		if len(all) == 0 {
			return "low.none"
		}
		return all[rng.Intn(len(all))].FullName()
	}
	texts := func() string {
		from := []string{"SELECT id, name FROM store.item", "SELECT id, weight AS w FROM store.item WHERE id > 3", "SELECT id FROM nowhere.item", "SELECT 1 AS id, 'x' AS name"}
		for range 3 {
			from = append(from, "SELECT x.id FROM "+name()+" AS x", "SELECT x.*, y.name AS other FROM "+name()+" AS x JOIN store.item AS y ON x.id = y.id")
		}
		return from[rng.Intn(len(from))]
	}
	layers := []string{"low", "high"}
	did := map[string]int{}
	for step := range 150 {
		var err error
		what := ""
		a = both[rng.Intn(2)]
		switch n := rng.Intn(12); {
		case n < 6:
			what = "save"
			_, err = a.Views.Save(ctx, catalog.View{Layer: layers[rng.Intn(2)], Name: fmt.Sprint("v", rng.Intn(8)), SQL: texts(), Description: fmt.Sprint("step ", step)}, rng.Intn(2) == 0)
		case n == 6:
			what = "remove"
			err = a.Views.Remove(ctx, name(), rng.Intn(2) == 0)
		case n == 7:
			what = "move"
			r := views.Renaming{View: name(), To: layers[rng.Intn(2)] + "." + fmt.Sprint("v", rng.Intn(12))}
			var p *views.Renamed
			if p, err = a.Views.PlanRenaming(t.Context(), r); err == nil {
				_, err = a.Views.Rename(ctx, r, p.Seen, "")
			}
		case n == 8:
			what = "column"
			r := views.Renaming{Column: name() + ".id", To: []string{"id", "number"}[rng.Intn(2)], Through: true}
			var p *views.Renamed
			if p, err = a.Views.PlanRenaming(t.Context(), r); err == nil {
				_, err = a.Views.Rename(ctx, r, p.Seen, "")
			}
		case n == 9:
			what = "layers"
			r := views.Renaming{Layers: []views.LayerChange{{Was: layers[0], Name: layers[0], Description: fmt.Sprint(step)}, {Was: layers[1], Name: []string{"high", "upper"}[rng.Intn(2)]}}}
			var p *views.Renamed
			if p, err = a.Views.PlanRenaming(t.Context(), r); err == nil {
				if _, err = a.Views.Rename(ctx, r, p.Seen, ""); err == nil {
					layers[1] = r.Layers[1].Name
				}
			}
		case n == 10:
			what = "refresh"
			_, err = a.Sources.Refresh(ctx, "store")
		default:
			what = "hide"
			err = a.Sources.Hide(ctx, "store", [][]string{nil, {"item"}}[rng.Intn(2)], true)
		}
		if err == nil {
			did[what]++
		}
		if step%10 == 9 {
			fresh, ferr := project.Open(ctx, a.Home(), project.Usual, project.Hooks{})
			if ferr != nil {
				t.Fatal(ferr)
			}
			want := told(fresh.Now())
			if cerr := fresh.Close(); cerr != nil {
				t.Fatal(cerr)
			}
			for i, p := range both {
				same(t, fmt.Sprintf("step %d (%s), process %d", step, what, i), p, want)
			}
		}
	}
	for _, what := range []string{"save", "remove", "move", "column", "layers", "refresh", "hide"} {
		if did[what] == 0 {
			t.Errorf("no %s was done: %v", what, did)
		}
	}
	if !slices.ContainsFunc(a.Now().Estate().Views(), func(v *estate.View) bool { return v.Err == nil }) {
		t.Error("no view binds at the end: nothing was compared")
	}
}

// same fails where a project is not as is wanted within a second.
func same(t *testing.T, when string, p *apptest.Project, want string) {
	t.Helper()
	is := told(p.Now())
	for late := time.Now().Add(time.Second); is != want && time.Now().Before(late); is = told(p.Now()) {
		time.Sleep(20 * time.Millisecond)
	}
	if is == want {
		return
	}
	a, b := strings.Split(is, "\n"), strings.Split(want, "\n")
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			t.Fatalf("after %s the snapshot says\n%s\nand the records\n%s", when, a[i], b[i])
		}
	}
	t.Fatalf("after %s the snapshot has %d lines, the records %d", when, len(a), len(b))
}

// Two processes that save at the same time both keep what they saved, and a view that both
// save at once is one's, and the other is told.
func TestTwoProcessesSaveAtOnce(t *testing.T) {
	first := apptest.New(t, 10)
	both := []*apptest.Project{first, first.Another(t)}
	const views = 20
	var wait sync.WaitGroup
	var taken atomic.Int64
	for i, p := range both {
		wait.Go(func() {
			for n := range views {
				p.Save(t, "low", fmt.Sprintf("own_%d_%d", i, n), "SELECT id FROM store.item")
				_, err := p.Views.Save(t.Context(), catalog.View{Layer: "low", Name: fmt.Sprint("shared_", n), SQL: fmt.Sprintf("SELECT %d AS whose", i)}, false)
				if err != nil {
					taken.Add(1)
				}
			}
		})
	}
	wait.Wait()
	if taken.Load() != views {
		t.Errorf("%d of %d views that both saved were refused to one", taken.Load(), views)
	}
	for i, p := range both {
		for late := time.Now().Add(time.Second); len(p.Now().Catalog().Views()) < 3*views && time.Now().Before(late); time.Sleep(20 * time.Millisecond) {
		}
		if n := len(p.Now().Catalog().Views()); n != 3*views {
			t.Errorf("process %d sees %d views, not %d", i, n, 3*views)
		}
	}
}
