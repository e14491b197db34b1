package tests

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/core/catalog"
)

// revised is a project of two layers over a small file.
func revised(t *testing.T) *app.App {
	t.Helper()
	ctx := t.Context()
	a := emptyProject(t)
	path := makeSQLite(t, "CREATE TABLE shelf (id INTEGER PRIMARY KEY, site TEXT, width INT)", "INSERT INTO shelf VALUES (1, 'a', 10), (2, 'b', 20), (3, 'a', 30)")
	if _, err := a.Sources.Add(ctx, "store", "sqlite", configOf(path), ""); err != nil {
		t.Fatal(err)
	}
	err := a.Views.Setup(ctx, layersOf("low", "high"), []*catalog.View{
		{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width FROM store.shelf AS s"},
		{Layer: "high", Name: "wide", SQL: "SELECT l.id, l.site FROM low.shelf AS l WHERE l.width > 15"},
	})
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// What saving does is known before; every text is kept; who is based on an older
// one is told.
func TestRevisions(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	shelf := func(sql string) catalog.View { return catalog.View{Layer: "low", Name: "shelf", SQL: sql} }
	e, err := a.Views.EffectsOf(t.Context(), shelf("SELECT s.id, s.site FROM store.shelf AS s"))
	if err != nil || len(e.Broken) != 1 || e.Broken[0].View != "high.wide" || len(e.Columns) != 1 || e.Columns[0].Is != "" {
		t.Errorf("a column that goes: %+v, %v", e, err)
	}
	// A filter does not go below a limit.
	worse := "SELECT s.id, s.site, s.width FROM store.shelf AS s ORDER BY md5(s.site), s.id LIMIT 100"
	e, err = a.Views.EffectsOf(t.Context(), shelf(worse))
	if err != nil || len(e.Worse) != 1 || e.Worse[0].View != "high.wide" || e.Worse[0].Was != "folded" || e.Worse[0].Is != "kept" || len(e.Broken) != 0 {
		t.Errorf("a filter that folds no more: %+v, %v", e, err)
	}
	e, err = a.Views.EffectsOf(t.Context(), shelf("SELECT s.id, s.site, s.width, 1 AS one FROM store.shelf AS s"))
	if err != nil || len(e.Worse)+len(e.Broken) != 0 || len(e.Columns) != 1 || e.Columns[0].Was != "" || e.Looked != 2 {
		t.Errorf("a column more: %+v, %v", e, err)
	}
	v, err := a.Views.SaveRevision(ctx, shelf("SELECT s.id, s.site, s.width, 1 AS one FROM store.shelf AS s"), "one more", 1)
	if err != nil || v.Revision != 2 {
		t.Fatalf("%+v, %v", v, err)
	}
	_, err = a.Views.SaveRevision(ctx, shelf(worse), "from before", 1)
	if err == nil || !strings.Contains(err.Error(), "as revision 2: this text is based on revision 1") {
		t.Errorf("two people: %v", err)
	}
	if _, err := a.Views.SaveRevision(ctx, shelf("SELECT s.id FROM store.shelf AS s"), "", 2); err == nil || !strings.Contains(err.Error(), "high.wide") {
		t.Errorf("a reader that would break: %v", err)
	}
	list, err := a.Views.Revisions(ctx, "low.shelf")
	if err != nil || len(list) != 2 || list[0].Message != "one more" || list[1].Number != 1 || !strings.Contains(list[1].SQL, "s.width FROM") {
		t.Errorf("the revisions: %+v, %v", list, err)
	}
	if _, err := a.Views.Revisions(ctx, "low.shelff"); err == nil {
		t.Error("a view that is not there has revisions")
	}
}

// On the page the effects show before a view is saved, another's save is told and
// not overwritten, and an earlier text is restored.
func TestBrowserRevisions(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	browser, base := pageOf(t, a)
	write := func(sql string) chromedp.Action {
		return chromedp.Evaluate(`document.querySelector('.cm-content').focus(); document.execCommand('selectAll'); document.execCommand('insertText', false, "`+sql+`")`, nil)
	}
	press := func(text string) chromedp.Action {
		return chromedp.Evaluate(`[...document.querySelectorAll('button')].find((b) => b.innerText.trim().startsWith('`+text+`')).click()`, nil)
	}
	enabled := until(`[...document.querySelectorAll('button')].some((b) => b.innerText.trim() === 'Save…' && !b.disabled)`)
	do(t, browser, "a reader that would break", chromedp.Navigate(base+"/view/low/shelf"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery), write("SELECT s.id, s.width FROM store.shelf AS s"), enabled, press("Save…"),
		until(`document.querySelector('[data-testid=effects]')?.innerText.includes('breaks high.wide')`))
	do(t, browser, "another text", press("Cancel"), write("SELECT s.id, s.site, s.width, 2 AS two FROM store.shelf AS s"), until(`!document.querySelector('[data-testid=save-strip]')`), enabled)
	if _, err := a.Views.SaveRevision(ctx, catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width, 9 AS nine FROM store.shelf AS s"}, "someone else", 1); err != nil {
		t.Fatal(err)
	}
	do(t, browser, "someone else was first", press("Save…"), until(`document.querySelector('[data-testid=effects]')?.innerText.includes('column')`), fill("What changed, and why", "two"), press("Save as revision"),
		until(`document.querySelector('[data-testid=save-strip] [role=alert]')?.innerText.includes('someone else meanwhile')`), press("Save over it"), until(`!document.querySelector('[data-testid=save-strip]')`))
	do(t, browser, "comparing", chromedp.Navigate(base+"/view/low/shelf/revisions"), until(`document.querySelectorAll('[data-testid=revisions] input').length === 6`),
		until(`document.querySelector('[data-testid=text-difference]').innerText.includes('nine')`), until(`document.querySelector('[data-testid=revision-3]')?.innerText.includes('two integer')`))
	do(t, browser, "restoring the first", chromedp.Click(`[aria-label="Compare from revision 1"]`, chromedp.ByQuery), press("Restore revision 1"), until(`document.querySelectorAll('[data-testid=revisions] input').length === 8`))
	if v := a.Now().Catalog().View("low.shelf"); v.Revision != 4 || v.SQL != "SELECT s.id, s.site, s.width FROM store.shelf AS s" {
		t.Errorf("restored: %+v", v)
	}
}
