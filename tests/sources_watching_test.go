package tests

import (
	"context"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/app/runs"
	"rovik/app/sources"
)

func health(t *testing.T, a *app.App, source string) *sources.Health {
	t.Helper()
	for _, s := range a.Sources.List() {
		if s.Name == source {
			return s.Health
		}
	}
	t.Fatalf("no source is called %s", source)
	return nil
}

// A check finds what has changed and which views would break before anybody
// runs into it; it changes nothing. What it found, and what was accepted, stands
// in the history; a source that is not reached is said to be, and checked on.
func TestWatching(t *testing.T) {
	a, alter := drifting(t)
	ctx := t.Context()
	path := makeSQLite(t, "CREATE TABLE t (a INTEGER)")
	if _, err := a.Sources.Connect(ctx, sources.NewSource{Name: "file", Kind: "sqlite", Config: configOf(path)}); err != nil {
		t.Fatal(err)
	}
	if h, err := a.Sources.Check(ctx, "pg"); err != nil || h.State != "well" {
		t.Errorf("as it was: %+v, %v", h, err)
	}
	if events, err := a.Sources.History(ctx, "pg"); err != nil || len(events) != 0 {
		t.Errorf("nothing has happened: %+v, %v", events, err)
	}
	alter("ALTER TABLE item RENAME COLUMN title TO name")
	for range 2 { // the second time it is no news
		h, err := a.Sources.Check(ctx, "pg")
		if err != nil || h.State != "differs" || h.Changes == 0 || strings.Join(h.Broken, " ") != "high.titles low.item" && strings.Join(h.Broken, " ") != "low.item high.titles" {
			t.Errorf("a column that was renamed: %+v, %v", h, err)
		}
	}
	if len(a.Views.Broken()) != 0 {
		t.Error("a check has changed what is known")
	}
	if _, err := a.Sources.Refresh(ctx, "pg"); err != nil {
		t.Fatal(err)
	}
	events, err := a.Sources.History(ctx, "pg")
	if err != nil || len(events) != 2 || events[0].Kind != sources.EventAccepted || events[1].Kind != sources.EventCheck || len(events[1].Differences.Broken) != 2 {
		t.Errorf("the history: %+v, %v", events, err)
	}
	if h := health(t, a, "pg"); h == nil || h.State != "well" {
		t.Errorf("once it is accepted: %+v", h)
	}

	// The watch goes round, and says that a file is gone.
	if err := os.Remove(path); err != nil {
		t.Fatal(err)
	}
	watching, stop := context.WithCancel(ctx)
	defer stop()
	ended := make(chan struct{})
	go func() {
		a.Sources.Watch(watching, 50*time.Millisecond)
		close(ended)
	}()
	deadline := time.After(20 * time.Second)
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for h := health(t, a, "file"); h == nil || h.State != "unreachable"; h = health(t, a, "file") {
		select {
		case <-tick.C:
		case <-deadline:
			t.Fatalf("the watch did not find that the file is gone: %+v", h)
		}
	}
	stop()
	<-ended
	if events, err := a.Sources.History(ctx, "file"); err != nil || len(events) != 1 || events[0].Error == "" {
		t.Errorf("the history of a source that is gone: %+v, %v", events, err)
	}
	if _, err := a.Sources.Check(ctx, "nothing"); err == nil {
		t.Error("a source that there is not was checked")
	}
}

// The page of a source shows its health, its history, and what it was sent.
func TestBrowserWatching(t *testing.T) {
	a, alter := drifting(t)
	ctx, base := pageOf(t, a)
	r, err := a.Runs.Start(t.Context(), queryOf("SELECT title FROM low.item"), runs.Options{})
	if err != nil {
		t.Fatal(err)
	}
	for st := r.Status(); !st.Finished; st = r.Status() {
		<-st.Changed
	}
	alter("ALTER TABLE item RENAME COLUMN title TO name")
	text := `document.querySelector('main').innerText`
	do(t, ctx, "checking", chromedp.Navigate(base+"/sources/pg"), chromedp.Click(button("Check"), chromedp.BySearch), until(text+`.includes('2 views break')`))
	do(t, ctx, "its history", chromedp.Click(button("History"), chromedp.BySearch), until(`document.querySelector('[data-testid=history]')?.innerText.includes('found by a check')`),
		until(`document.querySelector('[data-testid=history]').innerText.includes('public.item.title')`))
	do(t, ctx, "what it was sent", chromedp.Click(button("Statements"), chromedp.BySearch), until(`document.querySelector('[data-testid=sent]')?.innerText.includes('"item"."title"')`))
}
