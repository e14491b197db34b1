package tests

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"rovik/app"
	"rovik/app/runs"
	"rovik/serve"
)

// page starts a server of the project and a browser on it.
func page(t *testing.T) (ctx context.Context, base string) {
	t.Helper()
	return pageOf(t, museum)
}

func pageOf(t *testing.T, a *app.App) (ctx context.Context, base string) {
	t.Helper()
	serving, stop := context.WithCancel(context.Background())
	ready := make(chan string, 1)
	ended := make(chan error, 1)
	go func() {
		ended <- serve.Run(serving, a, serve.Options{Addr: "127.0.0.1:0", Token: testToken}, func(url string) { ready <- url })
	}()
	select {
	case base = <-ready:
	case err := <-ended:
		t.Fatal(err)
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("/usr/bin/chromium"), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.WindowSize(1280, 800), chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true))
	alloc, cancelAlloc := chromedp.NewExecAllocator(context.Background(), opts...)
	ctx, cancelTab := chromedp.NewContext(alloc)
	ctx, cancelTime := context.WithTimeout(ctx, 90*time.Second)
	base = described(t, strings.TrimSuffix(base, "/?token="+testToken))
	do(t, ctx, "a window", chromedp.EmulateViewport(1280, 800), chromedp.Navigate(base+"/?token="+testToken))
	t.Cleanup(func() {
		cancelTime()
		cancelTab()
		cancelAlloc()
		stop()
		<-ended
	})
	return ctx, base
}

// testToken is what the tests' servers ask for.
const testToken = "0123456789abcdef0123"

// do runs browser actions, and keeps a picture of the page where they fail.
func do(t *testing.T, ctx context.Context, what string, actions ...chromedp.Action) {
	t.Helper()
	if err := chromedp.Run(ctx, actions...); err != nil {
		var shot []byte
		last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second) // the browser may be gone
		defer cancel()
		if chromedp.Run(last, chromedp.CaptureScreenshot(&shot)) == nil {
			path := filepath.Join(os.TempDir(), "rovik-failed-"+t.Name()+".png")
			_ = os.WriteFile(path, shot, 0o644)
			t.Logf("the page then: %s", path)
		}
		t.Fatalf("%s: %v", what, err)
	}
}

// until waits for a JavaScript condition.
func until(js string) chromedp.Action {
	return chromedp.Poll("Boolean("+js+")", nil, chromedp.WithPollingTimeout(25*time.Second))
}

// fill writes a text into a field, in the place of what is there.
func fill(label, text string) chromedp.Action {
	sel := fmt.Sprintf(`[aria-label=%q]`, label)
	return chromedp.Tasks{chromedp.Focus(sel, chromedp.ByQuery), chromedp.Evaluate(`document.activeElement.select()`, nil), chromedp.SendKeys(sel, text, chromedp.ByQuery)}
}

// choose takes an option of a field.
func choose(label, option string) chromedp.Action {
	return chromedp.SetValue(fmt.Sprintf(`[aria-label=%q]`, label), option, chromedp.ByQuery)
}

// cut are the controls that stick out of the window, or of what hides what it cannot hold,
// where nothing scrolls to them.
const cut = `[...document.querySelectorAll('button, select, input, a')].filter((e) => {
	const r = e.getBoundingClientRect()
	if (!r.width) return false
	for (let p = e.parentElement; p; p = p.parentElement) {
		const { overflowX, textOverflow } = getComputedStyle(p)
		if (overflowX === 'auto' || overflowX === 'scroll') return p.getBoundingClientRect().right > innerWidth + 1
		if (overflowX === 'hidden' && textOverflow !== 'ellipsis' && r.right > p.getBoundingClientRect().right + 1) return true
	}
	return r.right > innerWidth + 1
}).map((e) => e.innerText || e.ariaLabel || e.tagName)`

// shot checks that no control is cut, and keeps a picture for the documentation, where
// ROVIK_SHOTS names a folder.
func shot(t *testing.T, ctx context.Context, name string) {
	t.Helper()
	var beyond []string
	do(t, ctx, "what is cut", chromedp.Evaluate(cut, &beyond))
	if len(beyond) > 0 {
		t.Errorf("%s: these are cut: %q", name, beyond)
	}
	dir := os.Getenv("ROVIK_SHOTS")
	if dir == "" {
		return
	}
	var png []byte
	do(t, ctx, "picture", chromedp.CaptureScreenshot(&png))
	if err := os.WriteFile(filepath.Join(dir, name+".png"), png, 0o644); err != nil {
		t.Fatal(err)
	}
}

const (
	pieceTexts  = `[...document.querySelectorAll('[data-testid=piece]')].map(e => e.title)`
	appendToSQL = `(text => { const c = document.querySelector('.cm-content').cmTile?.view ?? document.querySelector('.cm-content').cmView.view; c.dispatch({changes: {from: c.state.doc.length, insert: text}}) })`
	setSQL      = `(text => { const c = document.querySelector('.cm-content').cmTile?.view ?? document.querySelector('.cm-content').cmView.view; c.dispatch({changes: {from: 0, to: c.state.doc.length, insert: text}}) })`
	runState    = `document.querySelector('[data-testid=run-line]')?.dataset.state`
)

func button(label string) string {
	return fmt.Sprintf(`//button[normalize-space(.)=%q]`, label)
}

// The five steps that the product stands on, in the real page on the real
// databases.
func TestBrowserWalk(t *testing.T) {
	ctx, base := page(t)

	// 1. Three sources with tables, columns, types, keys and row counts.
	do(t, ctx, "sources", chromedp.Navigate(base+"/sources/registry/objects"),
		until(`document.querySelector('[data-testid=columns]')?.innerText.includes('accession_no')`))
	var text string
	do(t, ctx, "read the sources", chromedp.Click("main [aria-haspopup=listbox]", chromedp.ByQuery), chromedp.WaitVisible("[data-testid=source-list]", chromedp.ByQuery),
		chromedp.Text("main", &text, chromedp.ByQuery))
	for _, want := range []string{"registry", "PostgreSQL", "lending", "MariaDB", "archive", "SQLite", "numeric(12,2)", "primary", "→ makers", "2,000 rows", "double precision"} {
		if !strings.Contains(text, want) {
			t.Errorf("the sources page does not show %q", want)
		}
	}
	shot(t, ctx, "sources-list")
	do(t, ctx, "the list closed", chromedp.SendKeys("[aria-label='Find a source']", kb.Escape, chromedp.ByQuery), chromedp.WaitNotPresent("[data-testid=source-list]", chromedp.ByQuery))
	shot(t, ctx, "sources")
	do(t, ctx, "a source with a long version", chromedp.Navigate(base+"/sources/lending/loans"), chromedp.WaitVisible(button("Limits"), chromedp.BySearch))
	shot(t, ctx, "sources-lending")

	// 2. The demo view with its drawing; what did not fold says why.
	do(t, ctx, "view", chromedp.Navigate(base+"/view/joined/object_on_loan"),
		until(`document.querySelectorAll('[data-testid=card]').length === 2`),
		until(`document.querySelectorAll('[data-testid=crossing]').length === 2`))
	do(t, ctx, "an unfolded piece", chromedp.Click(`//*[@data-testid='unfolded'][contains(., "l.status = 'out'")]`, chromedp.BySearch),
		until(`document.querySelector('[data-testid=piece-note]').innerText.includes('function-differs')`),
		until(`document.querySelector('[data-testid=piece-note]').innerText.includes('Remedy')`))
	shot(t, ctx, "view-narrowed-piece")

	// 3. A filter more: its verdict comes at once, and choosing it lights it in
	// the SQL, in the card and in the native statement.
	runsBefore, err := museum.Runs.Past(context.Background(), 1000)
	if err != nil {
		t.Fatal(err)
	}
	do(t, ctx, "type a filter", chromedp.Evaluate(appendToSQL+`("\n  AND o.material = 'paper'")`, nil),
		until(pieceTexts+`.some(t => t.includes("o.material = 'paper'") && t.includes('folded'))`),
		chromedp.Click(`//*[@data-testid='piece'][contains(@title, "o.material = 'paper'")]`, chromedp.BySearch),
		until(`document.querySelector('.cm-lit')?.innerText.includes("o.material = 'paper'")`),
		until(`[...document.querySelectorAll('[data-testid=native] [data-lit=true]')].some(e => e.innerText.includes('material'))`),
		until(`document.querySelector('[data-testid=piece-note]').innerText.includes('registry does this exactly')`))
	runsAfter, err := museum.Runs.Past(context.Background(), 1000)
	if err != nil {
		t.Fatal(err)
	}
	if len(runsAfter) != len(runsBefore) {
		t.Error("typing ran something")
	}
	shot(t, ctx, "view-chosen-piece")

	// 4. Run it: rows, and real counts in the drawing.
	do(t, ctx, "run", chromedp.Click(button("Run"), chromedp.BySearch),
		until(runState+` === 'done'`),
		until(`[...document.querySelectorAll('[data-testid=crossing]')].every(e => /row.*·.*B.*·.*s/.test(e.innerText))`))
	shot(t, ctx, "view-after-run")

	// … and Stop ends a long run at the source too.
	long := `SELECT count(*) AS n FROM registry.location_history a JOIN registry.location_history b ON a.reason = b.reason JOIN registry.location_history c ON c.reason = b.reason AND c.move_id > a.move_id + b.move_id`
	do(t, ctx, "a long run", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+fmt.Sprintf("(%q)", long), nil),
		until(`document.querySelectorAll('[data-testid=card]').length === 1`),
		chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'running'`))
	awaitStatements(t, 1)
	do(t, ctx, "stop", chromedp.Click(button("Stop"), chromedp.BySearch), until(runState+` === 'stopped'`))
	awaitStatements(t, 0)

	// 5. A view on top of that view, saved and queried by name.
	do(t, ctx, "a new view", chromedp.Evaluate(setSQL+`("SELECT o.borrower, count(*) AS objects, sum(o.insured_value) AS insured\nFROM joined.object_on_loan AS o\nGROUP BY o.borrower")`, nil),
		until(`document.querySelectorAll('[data-testid=card]').length === 2`),
		chromedp.Click(button("Save as view…"), chromedp.BySearch),
		chromedp.SendKeys(`[aria-label=Layer]`, "delivery", chromedp.ByQuery),
		chromedp.SendKeys(`[aria-label=Name]`, "loan_risk", chromedp.ByQuery),
		chromedp.Click(button("Save view"), chromedp.BySearch),
		until(`document.querySelector('[data-testid=save-panel] [role=alert]')?.innerText.includes('has a view called loan_risk already')`))
	do(t, ctx, "another name", chromedp.SendKeys(`[aria-label=Name]`, kb.End+"_by_browser", chromedp.ByQuery),
		chromedp.Click(button("Save view"), chromedp.BySearch))
	do(t, ctx, "saved", until(`location.pathname.startsWith('/view/delivery/') && location.pathname.endsWith('_by_browser')`))
	var saved string
	do(t, ctx, "its name", chromedp.Evaluate(`location.pathname.split('/').pop()`, &saved))
	forgetViews(t, "delivery."+saved)
	holdsUnderName(t, "delivery."+saved)
	do(t, ctx, "query it", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+fmt.Sprintf("(%q)", "SELECT * FROM delivery."+saved+" ORDER BY objects DESC"), nil),
		until(`document.querySelectorAll('[data-testid=card]').length === 2`),
		chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'done'`),
		until(`document.querySelector('[data-testid=grid]').innerText.includes('insured')`))
}

// holdsUnderName checks that a saved view gives the rows of its definition.
func holdsUnderName(t *testing.T, name string) {
	t.Helper()
	v := museum.Now().Catalog().View(name)
	if v == nil {
		t.Fatalf("the view %s was not saved", name)
	}
	byName, _ := ours(context.Background(), museum, "SELECT * FROM "+name, false)
	byText, _ := ours(context.Background(), museum, v.SQL, false)
	if d := difference(byName, byText, false); d != "" || len(byName.rows) == 0 {
		t.Errorf("%s: %d rows; %s", name, len(byName.rows), d)
	}
}

// awaitStatements waits until PostgreSQL itself says that so many statements
// of Rovik are at work.
func awaitStatements(t *testing.T, want int) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for {
		var n int
		err := reference.QueryRow(ctx, "SELECT count(*) FROM pg_stat_activity WHERE state = 'active' AND query LIKE '/* Rovik run%'").Scan(&n)
		if err != nil {
			t.Fatalf("PostgreSQL runs %d statements of Rovik, not %d: %v", n, want, err)
		}
		if n == want {
			return
		}
		<-tick.C
	}
}

// Errors stand where their cause is, and the page goes on.
func TestBrowserErrors(t *testing.T) {
	ctx, base := page(t)
	do(t, ctx, "open", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery))
	for _, c := range []struct{ sql, message, under string }{
		{"SELECT * FROM registry.objcts", `no table or view is called "registry.objcts"`, "registry.objcts"},
		{"SELECT o.titel FROM registry.objects o", "did you mean o.title?", "o.titel"},
		{"SELECT o.title FRM registry.objects o", "syntax error", "registry"},
		{"SELECT o.title FROM registry.objects o WHERE rank() OVER () = 1", "window functions are not allowed in WHERE", "rank()"},
	} {
		do(t, ctx, c.sql, chromedp.Evaluate(setSQL+fmt.Sprintf("(%q)", c.sql), nil),
			until(fmt.Sprintf(`document.querySelector('[data-testid=problem]')?.innerText.includes(%q)`, c.message)),
			until(fmt.Sprintf(`document.querySelector('.cm-lintRange-error')?.innerText.includes(%q)`, strings.SplitN(c.under, " ", 2)[0])))
	}
	shot(t, ctx, "error-in-text")
	do(t, ctx, "it goes on", chromedp.Evaluate(setSQL+`("SELECT o.title, m.name FROM registry.objects o LEFT JOIN registry.makers m ON m.maker_id = o.maker_id WHERE o.value_estimate / 0 > 1")`, nil),
		until(`document.querySelectorAll('[data-testid=card]').length === 1`), until(`!document.querySelector('[data-testid=problem]')`),
		chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'failed'`),
		until(`document.querySelector('[data-testid=problem]').innerText.includes('division by zero')`))
	do(t, ctx, "and runs what is right", chromedp.Evaluate(setSQL+`("SELECT x.move_id, y.name, x.moved_at, x.reason FROM registry.location_history x CROSS JOIN registry.rooms y")`, nil),
		until(`document.querySelectorAll('[data-testid=card]').length >= 1`), until(`!document.querySelector('[data-testid=problem]')`),
		chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'done'`),
		// 180,000 rows would come: the grid holds and scrolls 100,000, fetching
		// those in sight, and says that there are more.
		until(`document.querySelector('[data-testid=run-line]').innerText.includes('100,000 rows shown, and there are more')`),
		chromedp.Evaluate(`document.querySelector('[data-testid=grid]').scrollTop = 1e7`, nil),
		until(`document.querySelector('[data-testid=grid]').innerText.includes('100,000')`),
		until(`!document.querySelector('[data-testid=grid]').innerText.includes('…')`))
}

// A query with parameters has a field for each, of the type that the text gives it; what is wrong
// with a value is said at its place, and an empty field that was never filled is NULL.
func TestBrowserParameters(t *testing.T) {
	ctx, base := page(t)
	problem := func(words string) chromedp.Action {
		return until(fmt.Sprintf(`document.querySelector('[data-testid=problem]')?.innerText.includes(%q)`, words))
	}
	do(t, ctx, "open", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+`("SELECT o.object_id, o.title, $1::date + $3::integer AS due FROM registry.objects o WHERE o.title LIKE $2 AND o.object_id < 400 ORDER BY 1")`, nil),
		until(`[...document.querySelectorAll('[data-type]')].map((e) => e.innerText).join() === 'date,text,integer'`),
		until(`!document.querySelector('[data-testid=problem]')`),
		chromedp.Evaluate(appendToSQL+`(", o.title_")`, nil), problem("o.title_"), until(`document.querySelector('[data-testid=parameters]')`),
		chromedp.Evaluate(setSQL+`("SELECT o.object_id, o.title, $1::date + $3::integer AS due FROM registry.objects o WHERE o.title LIKE $2 AND o.object_id < 400 ORDER BY 1")`, nil),
		fill("$1", "2024-02-30"), problem("date"),
		fill("$1", "2024-02-28"), fill("$2", "%a%"), fill("$3", "2"), until(`!document.querySelector('[data-testid=problem]')`),
		until(`document.querySelectorAll('[data-testid=piece]').length > 0`),
		chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'done'`),
		until(`document.querySelector('[data-testid=grid]').innerText.includes('2024-03-01')`))
	shot(t, ctx, "parameters")
	do(t, ctx, "dark and wide", chromedp.EmulateViewport(1920, 1080), chromedp.Click(`[aria-label="Dark scheme"]`, chromedp.ByQuery), until(`document.documentElement.classList.contains('dark')`), until(`document.getAnimations().length === 0`))
	shot(t, ctx, "parameters-dark")
	do(t, ctx, "NULL again", chromedp.Click(`[title="Make $2 NULL"]`, chromedp.ByQuery), chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'done'`),
		until(`document.querySelector('[data-testid=run-line]').innerText.includes('0 rows')`),
		chromedp.Evaluate(setSQL+`("SELECT 1 AS a")`, nil), until(`!document.querySelector('[data-testid=parameters]')`))
}

// largeQuery has more than forty pieces, in eight statements.
const largeQuery = `WITH risky AS (
  SELECT r.object_no, r.title, r.borrower, r.country, r.due_on, r.uninsured, rank() OVER (PARTITION BY r.country ORDER BY r.uninsured DESC) AS place
  FROM delivery.loan_risk AS r WHERE r.uninsured > 0 AND r.due_on < date '2026-12-31'
), history AS (
  SELECT h.object_no, count(*) AS times, max(h.insured_value) AS most, min(h.sent_on) AS first_sent
  FROM joined.loan_history AS h WHERE h.insured_value > 1000 GROUP BY h.object_no
), makers AS (
  SELECT o.object_no, m.maker, m.country AS from_country FROM intake.object AS o LEFT JOIN intake.maker AS m ON m.maker_id = o.maker_id
  WHERE o.kind = 'print' AND o.fragile IS NOT NULL
)
SELECT k.country, k.borrower, k.object_no, upper(k.title) AS title, h.times, h.most, h.first_sent, m.maker, v.amount * 1.05 AS revalued,
  (SELECT count(*) FROM archive.closed_loans c WHERE c.object_no = k.object_no AND c.days_out > 100) AS long_loans
FROM risky AS k
JOIN history AS h ON h.object_no = k.object_no
LEFT JOIN makers AS m ON m.object_no = k.object_no
LEFT JOIN lending.insurance_values AS v ON v.object_no = k.object_no AND v.currency = 'EUR'
WHERE k.place <= 5 AND lower(k.country) <> 'nowhere' AND h.times >= 1
  AND m.maker IS DISTINCT FROM 'nobody' AND k.title LIKE '%a%'
  AND k.object_no NOT IN (SELECT a.object_no FROM archive.closed_loans a WHERE a.remarks LIKE '%damaged%')
ORDER BY k.country, h.most DESC NULLS LAST, k.object_no
LIMIT 40`

// A large query stays legible: cards fold to their heads, nothing overlaps, and
// one that is opened shows its pieces and the source's own plan. The rewrites
// are listed, and a piece of a lower view leads there.
func TestBrowserLargeQuery(t *testing.T) {
	ctx, base := page(t)
	do(t, ctx, "open", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+fmt.Sprintf("(%q)", largeQuery), nil),
		until(`document.querySelectorAll('[data-testid=card]').length >= 6`))
	var overlaps []string
	do(t, ctx, "look for overlaps", chromedp.Evaluate(`(() => {
		const boxes = [...document.querySelectorAll('[data-testid=card], [data-testid=operator]')].map(e => [e.innerText.slice(0, 30), e.getBoundingClientRect()]);
		const out = [];
		for (const [a, x] of boxes) for (const [b, y] of boxes)
			if (x !== y && x.left < y.right - 1 && y.left < x.right - 1 && x.top < y.bottom - 1 && y.top < x.bottom - 1) out.push(a + ' over ' + b);
		return out })()`, &overlaps))
	var beyond bool
	do(t, ctx, "look for an edge", chromedp.Evaluate(`document.querySelector('[data-testid=waterline]').scrollWidth > document.querySelector('[data-testid=waterline]').clientWidth + 1`, &beyond))
	if beyond {
		t.Error("the drawing does not fit its width")
	}
	if len(overlaps) > 0 {
		t.Errorf("things lie over each other in the drawing: %q", overlaps)
	}
	report, err := museum.Now().Explain(t.Context(), queryOf(largeQuery))
	if err != nil || len(report.Pieces) < 40 || len(report.Statements) < 6 {
		t.Fatalf("the large query has %d pieces and %d statements: %v", len(report.Pieces), len(report.Statements), err)
	}
	shot(t, ctx, "large-query")
	do(t, ctx, "a card opens", chromedp.Click("button[data-testid=card]", chromedp.ByQuery), until(`document.querySelector('[data-testid=card] [data-testid=piece]')`))
	do(t, ctx, "its plan", chromedp.Click(`//*[@data-testid='card']//button[contains(., 'its plan')]`, chromedp.BySearch),
		until(`/Scan|type: |SCAN|SEARCH/.test(document.querySelector('[data-testid=source-plan]')?.innerText)`))
	var listed int
	do(t, ctx, "rewrites", chromedp.Click("[data-testid=rewrites]", chromedp.ByQuery), until(`document.querySelector('[data-testid=rewrites]').innerText === 'pieces'`),
		chromedp.Evaluate(`document.querySelectorAll('[data-testid=rewrite]').length`, &listed))
	if listed != len(report.Rewrites) || listed == 0 {
		t.Errorf("%d rewrites are listed, there are %d", listed, len(report.Rewrites))
	}
	do(t, ctx, "a piece leads to its view", chromedp.Click("[data-testid=rewrites]", chromedp.ByQuery),
		chromedp.Click(`//*[@data-testid='unfolded'][contains(., "l.status = 'out'")]`, chromedp.BySearch),
		chromedp.Click(`//*[@data-testid='piece-note']//a[contains(., 'joined.open_loan')]`, chromedp.BySearch),
		until(`location.pathname === '/view/joined/open_loan'`),
		until(`document.querySelector('.cm-content')?.innerText.includes("status = 'out'")`))
}

// Names and columns complete while typing.
func TestBrowserCompletion(t *testing.T) {
	ctx, base := page(t)
	offered := func(label string) chromedp.Action {
		return until(fmt.Sprintf(`[...document.querySelectorAll('.cm-tooltip-autocomplete li')].some(e => e.innerText.startsWith(%q))`, label))
	}
	do(t, ctx, "relations", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+`("")`, nil), chromedp.Focus(".cm-content", chromedp.ByQuery),
		chromedp.SendKeys(".cm-content", "SELECT * FROM regi", chromedp.ByQuery), offered("registry.objects"), offered("registry.makers"))
	do(t, ctx, "columns of an alias", chromedp.SendKeys(".cm-content", kb.Escape, chromedp.ByQuery),
		chromedp.Evaluate(setSQL+`("SELECT  FROM registry.objects AS o WHERE o")`, nil), chromedp.SendKeys(".cm-content", kb.End, chromedp.ByQuery),
		chromedp.Evaluate(`(() => { const c = document.querySelector('.cm-content').cmTile?.view ?? document.querySelector('.cm-content').cmView.view; c.dispatch({selection: {anchor: c.state.doc.length}}) })()`, nil),
		chromedp.SendKeys(".cm-content", ".acc", chromedp.ByQuery), offered("accession_no"))
	do(t, ctx, "views", chromedp.SendKeys(".cm-content", kb.Escape, chromedp.ByQuery), chromedp.Evaluate(setSQL+`("")`, nil),
		chromedp.SendKeys(".cm-content", "SELECT * FROM joined.", chromedp.ByQuery), offered("joined.object_on_loan"))
}

// The pages that are only looked at: past runs, and the dark scheme.
func TestBrowserOtherPages(t *testing.T) {
	ctx, base := page(t)
	if _, err := museum.Runs.Start(t.Context(), queryOf("SELECT * FROM delivery.uninsured_by_country"), runs.Options{}); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, "dark", chromedp.Navigate(base+"/view/delivery/uninsured_by_country"), chromedp.WaitVisible(`[aria-label="Dark scheme"]`, chromedp.ByQuery),
		chromedp.Click(`[aria-label="Dark scheme"]`, chromedp.ByQuery), until(`document.documentElement.classList.contains('dark')`),
		until(`document.querySelectorAll('[data-testid=card]').length === 2`),
		chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'done'`), until(`document.querySelector('[data-testid=grid]').innerText.includes('Ostmark Isles')`))
	shot(t, ctx, "view-dark")
	do(t, ctx, "runs", chromedp.Navigate(base+"/runs"), until(`document.querySelectorAll('tbody tr').length > 0`),
		until(`document.querySelectorAll('[data-testid=card]').length > 0`))
	shot(t, ctx, "runs")
	do(t, ctx, "an address that is none", chromedp.Navigate(base+"/view/joined/nothing"), until(`document.body.innerText.includes('no view is called "joined.nothing"')`))
}

// A source is connected from the page: a step that fails says what to do, and
// once all are taken its tables are there. Removing it asks who reads it.
func TestBrowserConnect(t *testing.T) {
	ctx, base := page(t)
	failed := `document.querySelector('[data-testid=steps] [data-state=failed]')`
	do(t, ctx, "the form", chromedp.Navigate(base+"/connect"), chromedp.WaitVisible(`[aria-label="Name"]`, chromedp.ByQuery),
		fill("Name", "second"), fill("Port", "1"), fill("Database", "registry"), fill("User", "rovik_reader"), fill("Password", "secret"),
		chromedp.Click(button("Connect"), chromedp.BySearch), until(failed))
	var step string
	do(t, ctx, "the failed step", chromedp.Evaluate(failed+`.innerText`, &step))
	for _, want := range []string{"port open", "failed", "no PostgreSQL server answers at 127.0.0.1:1", "check host and port"} {
		if !strings.Contains(step, want) {
			t.Errorf("the failed step does not say %q: %s", want, step)
		}
	}
	do(t, ctx, "the right port", fill("Port", fmt.Sprint(env.Postgres.Port)), chromedp.Click(button("Test"), chromedp.BySearch),
		until(failed+`?.innerText.includes('did not accept the user rovik_reader')`))
	shot(t, ctx, "connect")
	do(t, ctx, "the right password", fill("Password", demoPassword(t, "registry")), chromedp.Click(button("Connect"), chromedp.BySearch),
		until(`location.pathname === '/sources/second' && document.querySelector('[data-testid=columns]')`))
	defer func() { _ = museum.Sources.Remove(ctx, "second", true) }()
	var text string
	do(t, ctx, "its tables", chromedp.Text("main", &text, chromedp.ByQuery))
	for _, want := range []string{"second", "climate_tolerances", "Measured quirks"} {
		if !strings.Contains(text, want) {
			t.Errorf("the page of the new source does not show %q", want)
		}
	}
	do(t, ctx, "looking at a table", chromedp.Navigate(base+"/sources/second/rooms"), chromedp.Click(button("Look at it"), chromedp.BySearch),
		until(`document.querySelectorAll('[data-testid=first-rows] tbody tr').length === 30`), chromedp.Click(`//button[normalize-space(.)="climate_class"]`, chromedp.BySearch),
		until(`document.querySelector('[data-testid=frequent]')?.innerText.includes('NULL')`))
	shot(t, ctx, "look")
	do(t, ctx, "trying it again", chromedp.Click(button("Test"), chromedp.BySearch), until(`document.querySelectorAll('[data-testid=steps] [data-state=ok]').length === 8`))

	// One that is read stays; one that nobody reads goes.
	do(t, ctx, "removing one that is read", chromedp.Navigate(base+"/sources/rates"), chromedp.Click(button("Remove"), chromedp.BySearch),
		until(`document.querySelector('[role=alert]')?.innerText.includes('intake.insurance_rate')`), chromedp.Click(button("Cancel"), chromedp.BySearch))
	do(t, ctx, "removing one that is not", chromedp.Navigate(base+"/sources/second"), chromedp.Click(button("Remove"), chromedp.BySearch),
		until(`location.pathname === '/sources' && !document.querySelector('main').innerText.includes('second')`))
}
