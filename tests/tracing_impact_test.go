package tests

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/runs"
	"rovik/app/tracing"
	"rovik/core/catalog"
	"rovik/core/explain"
)

// The impact of a column is more than views: earlier texts that could not come
// back, what was declared of the source, and what was run lately.
func TestImpactBesideViews(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	save := func(sql string) {
		t.Helper()
		if _, err := a.Views.Save(ctx, catalog.View{Layer: "high", Name: "wide", SQL: sql}, true); err != nil {
			t.Fatal(err)
		}
	}
	save("SELECT l.id FROM low.shelf AS l")                              // revision 1 read site and width
	save("SELECT l.id, count(*) AS n FROM low.shelf AS l GROUP BY l.id") // revision 2 reads id alone
	if _, err := a.Sources.DeclareKey(ctx, "store", catalog.DeclaredKey{Table: "shelf", Columns: []string{"width"}}); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{"SELECT s.width FROM store.shelf AS s", "SELECT w.id FROM high.wide AS w", "SELECT w.id FROM high.wide AS w", "SELECT 1 AS one"} {
		run, err := a.Runs.Start(t.Context(), project.Query{SQL: sql}, runs.Options{})
		if err != nil {
			t.Fatal(err)
		}
		for s := run.Status(); !s.Finished; s = run.Status() {
			<-s.Changed
		}
	}
	awaitRuns(t, a, 4)
	told := func(name, change string) string {
		t.Helper()
		im, err := a.Tracing().Impact(ctx, name, change, "")
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, b := range im.Broken {
			out = append(out, "breaks "+b.View)
		}
		for _, r := range im.Revisions {
			out = append(out, fmt.Sprintf("%s %d %v", r.View, r.Number, r.Error != ""))
		}
		out = append(out, im.Definitions...)
		for _, c := range im.Consumers {
			out = append(out, fmt.Sprint(c.SQL, " ", c.Times))
		}
		return strings.Join(out, "; ")
	}
	for _, c := range []struct{ name, change, want string }{
		{"store.shelf.width", tracing.ChangeGone, "breaks low.shelf; breaks high.wide; high.wide 2 true; high.wide 1 true; the declared key store.shelf (width); SELECT w.id FROM high.wide AS w 2; SELECT s.width FROM store.shelf AS s 1"},
		{"store.shelf.site", tracing.ChangeRenamed, "breaks low.shelf; breaks high.wide; high.wide 2 true; high.wide 1 true; SELECT w.id FROM high.wide AS w 2"},
		{"high.wide.n", tracing.ChangeGone, ""},
		{"low.shelf", tracing.ChangeGone, "breaks high.wide; high.wide 2 true; high.wide 1 true; SELECT w.id FROM high.wide AS w 2"},
	} {
		got := told(c.name, c.change)
		if c.want != got {
			t.Errorf("%s %s:\ngot  %s\nwant %s", c.name, c.change, got, c.want)
		}
	}
}

// awaitRuns waits until so many runs are kept.
func awaitRuns(t *testing.T, a *app.App, n int) {
	t.Helper()
	tick := time.NewTicker(5 * time.Millisecond)
	defer tick.Stop()
	for until := time.Now().Add(20 * time.Second); ; <-tick.C {
		runs, err := a.Runs.Past(t.Context(), 100)
		if err != nil || time.Now().After(until) {
			t.Fatalf("%d runs are kept, not %d: %v", len(runs), n, err)
		}
		if len(runs) == n {
			return
		}
	}
}

// verdictsOf writes the verdicts of a view's own pieces.
func verdictsOf(r *explain.Report) []string {
	var out []string
	for _, p := range r.Pieces {
		if p.View == "" {
			out = append(out, fmt.Sprint(p.Kind, p.Span, p.Verdict))
		}
	}
	slices.Sort(out)
	return out
}

// What is said to depend on a quirk does, and nothing else: for every quirk of the
// story's databases, folding that believes the other value gives another verdict
// in just the views that are named.
func TestQuirkImpactIsWhatFoldingDoes(t *testing.T) {
	depends := 0
	for _, source := range []string{"registry", "lending", "archive", "condition"} {
		found := museum.Now().Catalog().Source(source)
		views := readersOf(t, source)
		was := map[string][]string{}
		for _, v := range views {
			was[v.FullName()] = verdictsOf(explained(t, museum.Now(), v))
		}
		for name, q := range found.Quirks {
			im, err := museum.Tracing().QuirkImpact(t.Context(), source, name)
			if err != nil {
				t.Fatal(err)
			}
			other := map[string]string{"yes": "no", "no": "yes"}[q.Value]
			if other == "" || im.Looked != len(views) {
				if im.Looked != len(views) {
					t.Errorf("%s of %s: %d views of %d were compared", name, source, im.Looked, len(views))
				}
				continue
			}
			told := map[string]bool{}
			for _, v := range im.Views {
				for _, p := range v.Pieces {
					told[v.View] = told[v.View] || strings.Contains(p.If, "were "+other)
				}
			}
			otherwise := museum.Now().Believing(source, name, other)
			for _, v := range views {
				if differs := !slices.Equal(verdictsOf(explained(t, otherwise, v)), was[v.FullName()]); differs != told[v.FullName()] {
					t.Errorf("%q of %s were %s: the verdicts of %s differ: %v, told: %v", name, source, other, v.FullName(), differs, told[v.FullName()])
				} else if differs {
					depends++
				}
			}
		}
	}
	if depends < 5 {
		t.Errorf("only %d views depend on a quirk", depends)
	}
	for _, c := range []struct{ source, quirk, want string }{
		{"lending", "concat with NULL is NUL", "did you mean"}, {"nowhere", "x", "no source is called"}, {"rates", "x", "no quirk called"},
	} {
		if _, err := museum.Tracing().QuirkImpact(t.Context(), c.source, c.quirk); err == nil || !strings.Contains(err.Error()+hintOf(err), c.want) {
			t.Errorf("%s of %s: %v", c.quirk, c.source, err)
		}
	}
}

func explained(t *testing.T, s *project.Snapshot, v *catalog.View) *explain.Report {
	t.Helper()
	r, err := s.Explain(t.Context(), project.Query{SQL: v.SQL, Layer: v.Layer, View: v.Name})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// readersOf are the views that read a source, directly or through others.
func readersOf(t *testing.T, source string) []*catalog.View {
	t.Helper()
	var out []*catalog.View
	for _, v := range museum.Now().Catalog().Views() {
		r := explained(t, museum.Now(), v)
		if slices.ContainsFunc(r.Statements, func(s explain.Statement) bool { return s.Source == source }) {
			out = append(out, v)
		}
	}
	return out
}

// A view is removed when nobody reads it, or by force; its revisions stay.
func TestViewsAreRemoved(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	if err := a.Views.Remove(ctx, "low.shelf", false); err == nil || !strings.Contains(err.Error(), "high.wide would break") {
		t.Errorf("one that is read: %v", err)
	}
	if err := a.Views.Remove(ctx, "low.shelff", false); err == nil {
		t.Error("one that is not there was removed")
	}
	if err := a.Views.Remove(ctx, "low.shelf", true); err != nil {
		t.Fatal(err)
	}
	if broken := a.Views.Broken(); len(broken) != 1 || broken[0].View != "high.wide" {
		t.Errorf("its reader: %v", broken)
	}
	// Saving it again mends its reader, and goes on with its revisions.
	back := catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width FROM store.shelf AS s"}
	v, err := a.Views.Save(ctx, back, false)
	if err != nil || v.Revision != 2 || len(a.Views.Broken()) != 0 {
		t.Errorf("once it is back: %+v, %v, %v", v, err, a.Views.Broken())
	}
	if err := a.Views.Remove(ctx, "high.wide", false); err != nil || a.Now().Catalog().View("high.wide") != nil {
		t.Errorf("one that nobody reads: %v", err)
	}
}

// What saving mends is told beside what it breaks, through views on views.
func TestEffectsMend(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	if _, err := a.Views.Save(ctx, catalog.View{Layer: "high", Name: "top", SQL: "SELECT w.site FROM high.wide AS w"}, false); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Remove(ctx, "low.shelf", true); err != nil {
		t.Fatal(err)
	}
	e, err := a.Views.EffectsOf(t.Context(), catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width FROM store.shelf AS s"})
	if err != nil || len(e.Broken) != 0 {
		t.Fatalf("%+v, %v", e, err)
	}
	if err := a.Views.Setup(ctx, layersOf("low", "high"), viewsOf("low", "shelf", "SELECT s.id, s.place AS site, s.width FROM store.shelf AS s")); err == nil {
		t.Error("a view that does not bind was set up")
	}
	e, err = a.Views.EffectsOf(t.Context(), catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width FROM store.shelf AS s"})
	if err != nil || strings.Join(e.Mended, " ") != "low.shelf high.top high.wide" || len(e.Columns) != 0 || len(e.Readers) != 2 {
		t.Errorf("mending: %+v, %v", e, err)
	}
	// What is said of columns goes with the text; of columns that are not there, nothing.
	v := catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width FROM store.shelf AS s", Notes: a.Views.NotesWith("low.shelf", map[string]string{"id": " Its number. ", "place": "gone"})}
	saved, err := a.Views.Save(ctx, v, true)
	if err != nil || len(saved.Notes.Columns) != 1 || saved.Notes.Columns["id"].Description != "Its number." {
		t.Errorf("saved with notes: %+v, %v", saved, err)
	}
	v.Notes = a.Views.NotesWith("low.shelf", map[string]string{"id": ""})
	if saved, err = a.Views.Save(ctx, v, true); err != nil || len(saved.Notes.Columns) != 0 {
		t.Errorf("saved without: %+v, %v", saved, err)
	}
}
