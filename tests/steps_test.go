package tests

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"rovik/app"
	"rovik/core/catalog"
)

// messy is a project over one table as people fill them.
func messy(t *testing.T) *app.App {
	t.Helper()
	a := emptyProject(t)
	path := makeSQLite(t, "CREATE TABLE entry (id INTEGER PRIMARY KEY, code TEXT, amount TEXT, day TEXT, note TEXT, kind TEXT)",
		`INSERT INTO entry VALUES (1, 'ald1 ', '10.5', '2024-02-29', 'fragile; framed', 'p'), (2, 'ALD1', 'n/a', '2024-03-01', 'framed; glazed', 'm'), (3, ' ald2', NULL, '2023-12-31', '', 'p'),
		 (4, 'ALD3', '7', '2024-01-01', 'worn; torn', 'm'), (5, 'ALD4', '3.25', '2024-05-05', 'faded; framed', NULL), (6, 'ALD5', '1', '2024-05-06', 'new; framed', 'p'), (7, 'ALD6', '2', '2024-05-07', 'new; glazed', 'p')`)
	if _, err := a.Sources.Add(t.Context(), "store", "sqlite", configOf(path), ""); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(t.Context(), layersOf("intake", "joined"), nil); err != nil {
		t.Fatal(err)
	}
	return a
}

// Every step of cleaning that a column's values suggest is taken on the page, and the
// rows are then what they should be: the text is ordinary SQL.
func TestBrowserCleaningSteps(t *testing.T) {
	a := messy(t)
	ctx, base := pageOf(t, a)
	settled := until(builderCurrent)
	clean := func(column string) chromedp.Action {
		return chromedp.Tasks{settled, until(fmt.Sprintf(`document.querySelector('[aria-label="Clean %s"]')`, column)), chromedp.Evaluate(fmt.Sprintf(`document.querySelector('[aria-label="Clean %s"]').click()`, column), nil), until(`document.querySelector('[data-testid=cleaning] [data-testid=offer]')`)}
	}
	done := func(column, has string) chromedp.Action {
		return chromedp.Tasks{until(textInEditor + fmt.Sprintf(`.includes(%q)`, has)), settled, press("Close"), until(`!document.querySelector('[data-testid=cleaning]')`)}
	}
	do(t, ctx, "open", chromedp.Navigate(base+"/query"), chromedp.WaitReady(".cm-content", chromedp.ByQuery), chromedp.Evaluate(setSQL+`("SELECT e.id, e.code, e.amount, e.day, e.note, e.kind -- as they were typed\nFROM store.entry AS e\nORDER BY e.id")`, nil), press("Builder"), inputs(1))
	do(t, ctx, "spaces", clean("code"), until(`document.querySelector('[data-testid=cleaning]').innerText.includes('2 rows have spaces at an end')`), press("Trim spaces"), done("code", "btrim(e.code) AS code"))
	do(t, ctx, "case", clean("code"), press("Unify case: UPPER"), done("code", "upper(btrim(e.code)) AS code"))
	do(t, ctx, "a number", clean("amount"), until(`document.querySelector('[data-testid=failed]')?.innerText.includes('n/a')`), press("Text to numeric"), done("amount", "CASE WHEN e.amount IN ('n/a') THEN NULL ELSE CAST(e.amount AS numeric) END AS amount"))
	do(t, ctx, "no number", clean("amount"), fill("What NULL becomes", "0"), press("Replace NULL"), done("amount", ", 0) AS amount"))
	do(t, ctx, "a day", clean("day"), press("Text to date"), done("day", "CAST(e.day AS date) AS day"))
	do(t, ctx, "an empty note", clean("note"), press("Empty text to NULL"), done("note", "nullif(e.note, '') AS note"))
	do(t, ctx, "a part of a note", clean("note"), fill("Which part", "2"), press("Split at"), done("note", "split_part(nullif(e.note, ''), '; ', 2) AS note"))
	do(t, ctx, "codes", clean("kind"), press("Map codes"), fill("What p becomes", "print"), fill("What m becomes", "map"), press("Map codes"), done("kind", "WHEN 'p' THEN 'print'"))
	do(t, ctx, "the first of each code", press("One row for each key"), chromedp.Evaluate(`[...document.querySelectorAll('[data-testid=first-of-each] label')].find((l) => l.innerText.trim() === 'id').querySelector('input').click()`, nil), press("Keep these"), until(textInEditor+`.includes('DISTINCT ON (e.id)')`), settled)
	var sql string
	do(t, ctx, "the text", chromedp.Evaluate(textInEditor, &sql))
	if !strings.Contains(sql, "-- as they were typed") || !strings.Contains(sql, "ORDER BY e.id") {
		t.Errorf("the text has lost something:\n%s", sql)
	}
	got, _ := ours(ctx, a, sql, false)
	want, _ := ours(ctx, a, `SELECT * FROM (VALUES (1::bigint, 'ALD1', 10.5, date '2024-02-29', 'framed', 'print'), (2, 'ALD1', 0, date '2024-03-01', 'glazed', 'map'), (3, 'ALD2', 0, date '2023-12-31', NULL, 'print'), (4, 'ALD3', 7, date '2024-01-01', 'torn', 'map'), (5, 'ALD4', 3.25, date '2024-05-05', 'framed', NULL), (6, 'ALD5', 1, date '2024-05-06', 'framed', 'print'), (7, 'ALD6', 2, date '2024-05-07', 'glazed', 'print')) AS v ORDER BY 1`, false)
	if got.err != nil || want.err != nil || difference(got, want, true) != "" {
		t.Errorf("the rows: %v %v %s\n%s", got.err, want.err, difference(got, want, true), sql)
	}
}

// What the page can do stands under Ctrl+K, and does it; what two people saved stands
// side by side.
func TestBrowserPaletteAndConflict(t *testing.T) {
	a := revised(t)
	ctx, base := pageOf(t, a)
	command := func(words string) chromedp.Action {
		return chromedp.Tasks{chromedp.KeyEvent("k", chromedp.KeyModifiers(input.ModifierCtrl)), chromedp.WaitVisible(`[aria-label="Find by any word"]`, chromedp.ByQuery), chromedp.SendKeys(`[aria-label="Find by any word"]`, words, chromedp.ByQuery),
			until(fmt.Sprintf(`[...document.querySelectorAll('[data-testid=finder] button')].some((b) => b.innerText.toLowerCase().includes(%q))`, strings.ToLower(words))), chromedp.KeyEvent(kb.Enter), until(`!document.querySelector('[data-testid=finder]')`)}
	}
	do(t, ctx, "turning the face", chromedp.Navigate(base+"/view/low/shelf"), until(`document.querySelectorAll('[data-testid=card]').length === 1`), command("Turn to the Builder"), inputs(1), command("Turn to the SQL"), until(`!document.querySelector('[data-testid=builder]')`))
	do(t, ctx, "a preview", command("Preview the first rows"), until(`document.querySelectorAll('[data-testid=preview] tbody tr').length === 3`), command("Stop previewing"), until(`!document.querySelector('[data-testid=preview]')`))
	do(t, ctx, "folding off", command("Turn folding off"), until(`[...document.querySelectorAll('button')].some((b) => b.innerText.trim() === 'Folding off')`), command("Turn folding on"))
	do(t, ctx, "running", command("Run"), until(runState+` === 'done'`))
	do(t, ctx, "pages", command("Lineage of this view"), until(`location.pathname === '/lineage/low.shelf'`), command("Layers"), until(`location.pathname === '/layers'`), chromedp.NavigateBack(), chromedp.NavigateBack(), until(`location.pathname === '/view/low/shelf'`),
		command("Revisions of this view"), until(`location.pathname === '/view/low/shelf/revisions'`))
	do(t, ctx, "Escape and nothing found", chromedp.KeyEvent("k", chromedp.KeyModifiers(input.ModifierCtrl)), chromedp.WaitVisible(`[aria-label="Find by any word"]`, chromedp.ByQuery), chromedp.SendKeys(`[aria-label="Find by any word"]`, "qqqq", chromedp.ByQuery),
		until(`document.querySelector('[data-testid=finder]').innerText.includes('Nothing has all these words')`), chromedp.KeyEvent(kb.Escape), until(`!document.querySelector('[data-testid=finder]')`))

	do(t, ctx, "a change that somebody else is before", chromedp.Navigate(base+"/view/low/shelf"), chromedp.WaitReady(".cm-content", chromedp.ByQuery), chromedp.Evaluate(setSQL+`("SELECT s.id, s.site, s.width, 'mine' AS who FROM store.shelf AS s")`, nil), until(`document.body.innerText.includes('not saved')`))
	if _, err := a.Views.SaveRevision(t.Context(), catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.width, 'theirs' AS whose FROM store.shelf AS s"}, "theirs", 1); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, "both texts", press("Save…"), until(`document.querySelector('[data-testid=effects]')?.innerText.includes('who')`), press("Save as revision"), until(`document.querySelector('[data-testid=both-texts]')?.innerText.includes('theirs') && document.querySelector('[data-testid=both-texts]').innerText.includes('mine')`))
	var kept string
	do(t, ctx, "mine is still there", chromedp.Evaluate(textInEditor, &kept))
	if !strings.Contains(kept, "'mine'") || strings.Contains(a.Now().Catalog().View("low.shelf").SQL, "mine") {
		t.Errorf("the text is %s, and %s is kept", kept, a.Now().Catalog().View("low.shelf").SQL)
	}
	do(t, ctx, "over it", press("Save over it"), until(`!document.querySelector('[data-testid=save-strip]')`))
	if v := a.Now().Catalog().View("low.shelf"); v.Revision != 3 || !strings.Contains(v.SQL, "mine") {
		t.Errorf("saved over: %+v", v)
	}
	do(t, ctx, "what depends on a column, earlier texts too", chromedp.Navigate(base+"/lineage/store.shelf.width"), until(`document.querySelector('[data-testid=impact]')?.innerText.includes('2 earlier revisions')`), press("Which"),
		until(`document.querySelector('[data-testid=impact]').innerText.includes('revision 2 of low.shelf') && document.querySelector('[data-testid=impact]').innerText.includes('could not be restored')`))
	do(t, ctx, "what depends on a quirk", chromedp.Navigate(base+"/sources/store"), chromedp.WaitReady(`[data-quirk]`, chromedp.ByQuery), chromedp.Evaluate(`document.querySelector('[data-quirk="types belong to values"] button').click()`, nil), until(`document.querySelector('[data-testid=quirk-impact]')?.innerText.includes('2 views read the source')`))
}
