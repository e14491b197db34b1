package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/app/sources"
)

// drifting is a project over a private PostgreSQL database and MariaDB, with
// views, and what changes the databases.
func drifting(t *testing.T) (a *app.App, alter func(sql string)) {
	t.Helper()
	ctx := context.Background()
	a = typeWorld(t, []string{"CREATE TABLE item (id int PRIMARY KEY, title text NOT NULL, weight numeric(8,2))", "CREATE TABLE spare (id int)",
		"INSERT INTO item SELECT n, 'item ' || n, n / 4.0 FROM generate_series(1, 9) n"}, []string{"CREATE TABLE shelf (id INT, name VARCHAR(20))"})
	if err := a.Views.Setup(ctx, layersOf("low", "high"), append(append(viewsOf("low", "item", "SELECT i.id, i.title FROM pg.item AS i"),
		viewsOf("low", "heavy", "SELECT i.id FROM pg.item AS i WHERE i.weight > 1")...), viewsOf("high", "titles", "SELECT v.title FROM low.item AS v")...)); err != nil {
		t.Fatal(err)
	}
	pg, err := env.Postgres.Postgres(ctx, "types")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { pg.Close(ctx) })
	return a, func(sql string) {
		t.Helper()
		if _, err := pg.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
}

// toldDifferences writes differences in lines.
func toldDifferences(d *sources.Differences) string {
	var out []string
	for _, c := range d.Changes {
		out = append(out, fmt.Sprintf("%s %s.%s %s>%s [%s]", c.What, c.Table, c.Column, c.Was, c.Is, strings.Join(c.Views, " ")))
	}
	for _, b := range d.Broken {
		out = append(out, "broken "+b.View)
	}
	return strings.Join(out, "; ")
}

// A source that changed is compared with what was known, each difference with
// the views that read what changed. Nothing counts until it is accepted.
func TestASourceThatChanged(t *testing.T) {
	a, alter := drifting(t)
	ctx := context.Background()
	for _, step := range []struct{ sql, want string }{
		{"INSERT INTO item VALUES (10, 'ten', 2)", ""},
		{"ALTER TABLE item RENAME COLUMN title TO name", "column added public.item.name >text []; column gone public.item.title text> [high.titles low.item]; broken low.item; broken high.titles"},
		{"ALTER TABLE item RENAME COLUMN name TO title", ""},
		{"ALTER TABLE item ALTER COLUMN weight TYPE double precision", "type changed public.item.weight numeric(8,2)>double precision [low.heavy]"},
		{"ALTER TABLE item ALTER COLUMN weight TYPE numeric(8,2); ALTER TABLE item DROP CONSTRAINT item_pkey", "key gone public.item. primary (id)> [high.titles low.heavy low.item]"},
		{"ALTER TABLE item ADD PRIMARY KEY (id); DROP TABLE spare; CREATE TABLE extra (a text, b date); GRANT SELECT ON extra TO rovik_reader", "table added public.extra. >2 columns []; table gone public.spare. 1 columns> []"},
	} {
		alter(step.sql)
		d, err := a.Sources.Compare(ctx, "pg")
		if err != nil || toldDifferences(d) != step.want {
			t.Errorf("after %s\ngot  %s %v\nwant %s", step.sql, toldDifferences(d), err, step.want)
		}
		if again, err := a.Sources.Compare(ctx, "pg"); err != nil || toldDifferences(again) != step.want {
			t.Errorf("comparing has changed what is known: %s %v", toldDifferences(again), err)
		}
	}
	// A query meets a column that has gone before anybody looked.
	alter("ALTER TABLE item RENAME COLUMN title TO name")
	if o, _ := ours(ctx, a, "SELECT * FROM high.titles", false); o.err == nil || !strings.Contains(o.err.Error(), "has changed since it was read") {
		t.Errorf("a query of what has gone: %v", o.err)
	}
	health := func() (state string) {
		for _, s := range a.Sources.List() {
			if s.Name == "pg" && s.Health != nil {
				state = s.Health.State
			}
		}
		return state
	}
	if got := health(); got != "differs" {
		t.Errorf("the source that a run found to differ is %q", got)
	}
	if found, err := a.Sources.Refresh(ctx, "pg"); err != nil || len(found.Differences.Broken) != 2 {
		t.Errorf("accepting: %+v %v", found.Differences, err)
	}
	if got := health(); got == "differs" {
		t.Error("it still differs after the refresh")
	}
	if broken := a.Views.Broken(); len(broken) != 2 {
		t.Errorf("broken: %v", broken)
	}
	if d, err := a.Sources.Compare(ctx, "pg"); err != nil || toldDifferences(d) != "" {
		t.Errorf("after accepting: %s %v", toldDifferences(d), err)
	}
}

// On the page the differences stand with the views that they break, and are
// put off or accepted.
func TestBrowserDifferences(t *testing.T) {
	a, alter := drifting(t)
	ctx, base := pageOf(t, a)
	alter("ALTER TABLE item RENAME COLUMN title TO name")
	differences := `document.querySelector('[data-testid=differences]')`
	do(t, ctx, "comparing", chromedp.Navigate(base+"/sources/pg"), chromedp.Click(button("Refresh"), chromedp.BySearch), until(differences))
	var text string
	do(t, ctx, "the differences", chromedp.Evaluate(differences+`.closest('main').innerText`, &text))
	for _, want := range []string{"column gone", "public.item.title", "low.item breaks", "high.titles breaks", "2 views break once it is accepted", "no view reads it"} {
		if !strings.Contains(strings.Join(strings.Fields(text), " "), want) {
			t.Errorf("the page does not say %q:\n%s", want, text)
		}
	}
	do(t, ctx, "putting off", chromedp.Click(button("Later"), chromedp.BySearch), until(`!`+differences))
	if broken := a.Views.Broken(); len(broken) != 0 {
		t.Errorf("what was put off counts: %v", broken)
	}
	do(t, ctx, "accepting", chromedp.Click(button("Refresh"), chromedp.BySearch), until(differences), chromedp.Click(button("Accept"), chromedp.BySearch),
		until(`document.querySelector('main').innerText.includes('the catalogue is fresh')`))
	if broken := a.Views.Broken(); len(broken) != 2 {
		t.Errorf("after accepting: %v", broken)
	}
}

// Which tables queries can name is chosen; it stays chosen through a refresh,
// and what views read does not go by accident.
func TestChoosingTables(t *testing.T) {
	a, alter := drifting(t)
	ctx := context.Background()
	named := func(sql string) bool {
		o, _ := ours(ctx, a, sql, false)
		return o.err == nil
	}
	if err := a.Sources.Hide(ctx, "pg", []string{"public.spare"}, false); err != nil {
		t.Fatal(err)
	}
	if named("SELECT * FROM pg.spare") || !named("SELECT * FROM pg.item") {
		t.Error("a table that is hidden can be named, or one that is not cannot")
	}
	alter("CREATE TABLE extra (a text); GRANT SELECT ON extra TO rovik_reader; ALTER TABLE spare ADD COLUMN b text")
	d, err := a.Sources.Compare(ctx, "pg")
	if err != nil || toldDifferences(d) != "table added public.extra. >1 columns []" {
		t.Errorf("what is hidden is told of: %s %v", toldDifferences(d), err)
	}
	if _, err := a.Sources.Refresh(ctx, "pg"); err != nil {
		t.Fatal(err)
	}
	if named("SELECT * FROM pg.spare") || !named("SELECT * FROM pg.extra") {
		t.Error("a refresh has changed what is chosen")
	}
	for _, c := range []struct {
		hidden []string
		says   string
	}{{[]string{"public.item"}, "low.item, high.titles would break"}, {[]string{"public.nothing"}, "does not have all of the tables"}} {
		if err := a.Sources.Hide(ctx, "pg", c.hidden, false); err == nil || !strings.Contains(err.Error(), strings.Split(c.says, ", ")[0]) {
			t.Errorf("hiding %v: %v", c.hidden, err)
		}
	}
	if err := a.Sources.Hide(ctx, "pg", []string{"public.item"}, true); err != nil || len(a.Views.Broken()) != 3 || !named("SELECT * FROM pg.spare") {
		t.Errorf("hiding in spite of the views: %v, broken %v", err, a.Views.Broken())
	}
	if err := a.Sources.Hide(ctx, "pg", nil, false); err != nil || len(a.Views.Broken()) != 0 {
		t.Errorf("exposing all: %v, broken %v", err, a.Views.Broken())
	}
}
