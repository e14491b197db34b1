package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"rovik/app"
	"rovik/app/tracing"
	"rovik/core/catalog"
)

// A project of two thousand views in 25 layers: the page makes only the lines in
// sight, finds any view by a word, opens its lineage and the impact of a column that
// hundreds depend on, and saving one binds again only what reads it.
func TestBrowserManyViews(t *testing.T) {
	home := madeEstate(t, 2000)
	a, err := app.Open(context.Background(), home)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	ctx, base := pageOf(t, a)
	lines := `document.querySelectorAll('[data-testid=tree] a').length`
	var first, far int
	do(t, ctx, "the tree", chromedp.Navigate(base+"/view/l24/v0"), until(lines+` > 20`), until(`document.querySelectorAll('[data-testid=card]').length > 0`), chromedp.Evaluate(lines, &first),
		chromedp.Evaluate(`document.querySelector('[data-testid=tree]').scrollTop = 30000`, nil), until(`document.querySelector('[data-testid=tree]').innerText.includes('l6')`), chromedp.Evaluate(lines, &far))
	if first > 120 || far > 120 {
		t.Errorf("the tree has %d lines of 2,000 views at its start, %d further down", first, far)
	}
	do(t, ctx, "narrowed", fill("Find a view or table", "l3.v79"), until(lines+` === 1`), fill("Find a view or table", " "))
	do(t, ctx, "found by its words", chromedp.KeyEvent("k", chromedp.KeyModifiers(input.ModifierCtrl)), chromedp.WaitVisible(`[aria-label="Find by any word"]`, chromedp.ByQuery), chromedp.SendKeys(`[aria-label="Find by any word"]`, "shelf 42 floor 17", chromedp.ByQuery),
		chromedp.KeyEvent(kb.Enter), until(`location.pathname === '/view/l17/v42'`))
	do(t, ctx, "its lineage", chromedp.Navigate(base+"/lineage/l24.v0.c2"), until(`document.querySelectorAll('[data-relation]').length > 20`),
		until(`(() => { const r = [...document.querySelectorAll('[data-relation]')].find((e) => e.dataset.relation === 'l24.v0').getBoundingClientRect(); return r.left > 236 && r.right <= 1280 })()`))
	do(t, ctx, "the impact of a column", chromedp.Navigate(base+"/lineage/s.t0.c0"), until(`document.querySelector('[data-testid=impact]')?.innerText.match(/\d+ views would break/)`))
	im, err := a.Tracing().Impact(t.Context(), "s.t0.c0", tracing.ChangeGone, "")
	if err != nil || len(im.Broken) < 100 || !strings.Contains(im.Broken[len(im.Broken)-1].Error, "in l") {
		t.Errorf("%d views break: %v", len(im.Broken), err)
	}
	v := *a.Now().Catalog().View("l20.v7")
	v.SQL = strings.Replace(v.SQL, "a.c5", "a.c5 + 1 AS c5", 1)
	if e, err := a.Views.EffectsOf(t.Context(), v); err != nil || len(e.Readers) == 0 || len(e.Broken) != 0 || e.Looked == 0 {
		t.Errorf("what saving one does: %+v, %v", e, err)
	}
	if _, err := a.Views.Save(t.Context(), v, true); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Views.Save(t.Context(), catalog.View{Layer: "l24", Name: "doubled", SQL: doubling(12)}, false); err == nil || !strings.Contains(err.Error(), "more than 1000 tables") {
		t.Errorf("a view over thousands of tables: %v", err)
	}
}

// doubling joins a view with itself, and that with itself, so many times.
func doubling(times int) string {
	text := "SELECT a.c0 FROM l24.v0 AS a"
	for range times {
		text = "SELECT x.c0 FROM (" + text + ") AS x JOIN (" + text + ") AS y ON x.c0 = y.c0"
	}
	return text
}

// A column that thousands of views pass on: those of a layer are drawn as one, until they
// are asked for.
func TestBrowserManyReaders(t *testing.T) {
	const each = 900
	a := emptyProject(t)
	if _, err := a.Sources.Add(t.Context(), "s", "sqlite", configOf(makeSQLite(t, "CREATE TABLE t (a INTEGER, b INTEGER)")), ""); err != nil {
		t.Fatal(err)
	}
	var views []*catalog.View
	for i := range each {
		name := fmt.Sprintf("v%d", i)
		views = append(views, &catalog.View{Layer: "low", Name: name, SQL: "SELECT t.a, t.b FROM s.t AS t"},
			&catalog.View{Layer: "mid", Name: name, SQL: fmt.Sprintf("SELECT v.a + 1 AS a FROM low.%s AS v WHERE v.b > 1", name)},
			&catalog.View{Layer: "high", Name: name, SQL: fmt.Sprintf("SELECT max(v.a) AS a FROM mid.%s AS v", name)})
	}
	if err := a.Views.Setup(t.Context(), layersOf("low", "mid", "high"), views); err != nil {
		t.Fatal(err)
	}
	ctx, base := pageOf(t, a)
	const cards = `document.querySelectorAll('[data-relation], [data-group]').length`
	var height float64
	var said string
	do(t, ctx, "the readers of a column", chromedp.Navigate(base+"/lineage/s.t.a"), until(cards+` === 4`),
		chromedp.Evaluate(`document.querySelector('[data-testid=strands]').getBoundingClientRect().height`, &height), chromedp.Evaluate(`document.querySelector('[data-testid=strands]').textContent`, &said))
	if height > 900 || !strings.Contains(said, "900 views") {
		t.Errorf("the drawing is %.0f pixels high and says %s", height, said)
	}
	shot(t, ctx, "many-readers")
	do(t, ctx, "some of a layer", chromedp.Focus(`[data-group="low@1"]`, chromedp.ByQuery), chromedp.KeyEvent(kb.Enter), until(cards+` === 16`), until(`[...document.querySelectorAll('[data-relation]')].some((r) => r.dataset.relation === 'low.v11')`))
	do(t, ctx, "more of it", chromedp.Evaluate(`document.querySelector('[data-group="low@1"]').dispatchEvent(new MouseEvent('click', { bubbles: true }))`, nil), until(cards+` === 28`), until(`document.querySelector('[data-group="low@1"]').textContent.includes('876 more')`))
	shot(t, ctx, "many-readers-open")
}
