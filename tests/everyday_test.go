package tests

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"rovik/app"
	"rovik/connect"
)

// Every page has one first-level heading, and what scrolls can take the focus.
func TestBrowserHeadingsAndFocus(t *testing.T) {
	ctx, base := page(t)
	for path, heading := range map[string]string{"/query": "New query", "/view/joined/object_on_loan": "joined.object_on_loan", "/sources/registry/objects": "registry", "/layers": "Layers", "/runs": "Runs",
		"/connect": "Connect a source", "/lineage/joined.object_on_loan": "joined.object_on_loan", "/view/joined/object_on_loan/revisions": "joined.object_on_loan revisions"} {
		var headings []string
		do(t, ctx, path, chromedp.Navigate(base+path), until(`document.querySelector('main h1')`),
			chromedp.Evaluate(`[...document.querySelectorAll('h1')].map(e => e.innerText.trim())`, &headings))
		if len(headings) != 1 || headings[0] != heading {
			t.Errorf("%s has the headings %q, want %q", path, headings, heading)
		}
	}
	do(t, ctx, "the native statement", chromedp.Navigate(base+"/view/joined/object_on_loan"), until(`document.querySelectorAll('[data-testid=native]').length === 2`),
		until(`[...document.querySelectorAll('[data-testid=native]')].every(e => e.tabIndex === 0)`))
}

// Keys that the page promises work wherever the focus is; rows stand whole in their
// columns, and cells are chosen and copied.
func TestBrowserRowsAndKeys(t *testing.T) {
	ctx, base := page(t)
	const sql = `SELECT 12345678901234567890.123456789 AS n, -9223372036854775807 AS b, 'a "b"' || chr(9) || 'c' AS t, repeat('long ', 100) AS l, NULL AS z, i AS i FROM generate_series(1, 2500) AS g(i)`
	do(t, ctx, "running from outside the editor", chromedp.Navigate(base+"/query"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+fmt.Sprintf("(%q)", sql), nil), until(`!document.querySelector('main').innerText.includes('Rows appear here') || document.querySelector('.cm-content')`),
		chromedp.Evaluate(`document.activeElement.blur()`, nil),
		chromedp.KeyEvent(kb.Enter, chromedp.KeyModifiers(2)),
		until(runState+` === 'done'`), until(`document.querySelector('[data-testid=grid]').innerText.includes('-9223372036854775807')`))
	var cut []string
	do(t, ctx, "numbers", chromedp.Evaluate(`[...document.querySelectorAll('[data-testid=grid] p')].filter(e => /^-?[0-9.,]+$/.test(e.innerText) && e.scrollWidth > e.clientWidth).map(e => e.innerText)`, &cut))
	if len(cut) > 0 {
		t.Errorf("numbers are cut: %q", cut)
	}
	var widths []float64
	do(t, ctx, "columns", chromedp.Evaluate(`[...document.querySelector('[data-testid=grid] [aria-selected]').parentElement.querySelectorAll('[aria-selected]')].map(e => e.getBoundingClientRect().width)`, &widths))
	if len(widths) != 6 || widths[0] < 1.5*widths[5] || widths[3] > 400 {
		t.Errorf("the columns are %v wide", widths)
	}
	var copied string
	do(t, ctx, "copying", chromedp.Evaluate(`navigator.clipboard.writeText = text => { window.copied = text; return Promise.resolve() }`, nil),
		chromedp.Focus("[data-testid=grid]", chromedp.ByQuery),
		chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(8)), chromedp.KeyEvent(kb.End, chromedp.KeyModifiers(8)),
		until(`document.querySelectorAll('[data-testid=grid] [aria-selected=true]').length === 8`),
		chromedp.KeyEvent("c", chromedp.KeyModifiers(2)), until(`document.querySelector('[role=status]')?.innerText.includes('2 × 4')`), chromedp.Evaluate(`window.copied`, &copied))
	long := strings.Repeat("long ", 100)
	line := func(i int) string { return fmt.Sprintf("\"a \"\"b\"\"\tc\"\t%s\t\t%d", long, i) }
	if want := line(1) + "\n" + line(2); copied != want {
		t.Errorf("copied %q, want %q", copied, want)
	}
	do(t, ctx, "copying all", chromedp.KeyEvent("a", chromedp.KeyModifiers(2)), chromedp.KeyEvent("C", chromedp.KeyModifiers(2|8)),
		until(`document.querySelector('[role=status]')?.innerText.includes('2,500 × 6')`), chromedp.Evaluate(`window.copied`, &copied))
	if lines := strings.Split(copied, "\n"); len(lines) != 2501 || lines[0] != "n\tb\tt\tl\tz\ti" || !strings.HasSuffix(lines[2500], "\t2500") {
		t.Errorf("%d lines, the first %q", len(lines), lines[0])
	}
	do(t, ctx, "the last row in sight", chromedp.KeyEvent(kb.End, chromedp.KeyModifiers(2)), until(`document.querySelector('[data-testid=grid]').innerText.includes('2,500')`))
	shot(t, ctx, "rows-chosen")

	do(t, ctx, "the list of runs", chromedp.Navigate(base+"/runs"), until(`document.querySelector('[aria-label="Past runs"] td')`))
	var wide bool
	do(t, ctx, "its width", chromedp.Evaluate(`(e => e.scrollWidth > e.clientWidth)(document.querySelector('[aria-label="Past runs"]'))`, &wide))
	if wide {
		t.Error("the list of runs is cut")
	}
	shot(t, ctx, "runs")
}

// The Builder finds relations by any form of their names, and says what it does not find.
func TestBrowserBuilderFindsRelations(t *testing.T) {
	ctx, base := page(t)
	const offered = `[...document.querySelectorAll('[data-testid=found-relations] button')].map(e => e.innerText.replace('≡', '').trim().split('\n')[0]).join(' ')`
	do(t, ctx, "the Builder", chromedp.Navigate(base+"/query?sql=SELECT"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery), chromedp.Evaluate(setSQL+`("")`, nil),
		chromedp.Click(`//button[normalize-space(.)='Builder']`, chromedp.BySearch), chromedp.WaitVisible("[aria-label='Add a table or view']", chromedp.ByQuery))
	for typed, want := range map[string]string{"registry.objects": "registry.public.objects", "registry.public.objects": "registry.public.objects", "Registry.Objects": "registry.public.objects", `"registry"."objects"`: "registry.public.objects", "object_on": "joined.object_on_loan", "lending.loans": "lending.loans"} {
		do(t, ctx, typed, fill("Add a table or view", typed), until(offered+fmt.Sprintf(`.split(' ')[0] === %q`, want)))
	}
	do(t, ctx, "what is not there", fill("Add a table or view", "registry.objcts"+kb.Enter), until(`document.querySelector('[data-testid=add-input] [role=alert]')?.innerText.includes('registry.objcts')`))
	do(t, ctx, "what is", fill("Add a table or view", "registry.objects"+kb.Enter), until(`document.querySelector('[data-testid=builder], main')?.innerText.includes('accession_no')`))
}

// Two quick edits are both made, each of the part that was meant, and each edit is one
// request: its answer has the text, the form and the explanation.
func TestBrowserQuickEdits(t *testing.T) {
	ctx, base := page(t)
	const filters = `[...document.querySelectorAll('[data-testid=filter] input')].map((i) => i.value).join('; ')`
	var asked []string
	do(t, ctx, "four filters", chromedp.Navigate(base+"/query?sql=SELECT"), chromedp.WaitVisible(".cm-content", chromedp.ByQuery),
		chromedp.Evaluate(setSQL+`("SELECT o.title FROM registry.objects AS o WHERE o.kind = 'print' AND o.title <> 'a' AND o.title <> 'b' AND o.title <> 'c'")`, nil),
		chromedp.Click(`//button[normalize-space(.)='Builder']`, chromedp.BySearch), until(`document.querySelectorAll('[data-testid=filter]').length === 4 && document.querySelectorAll('[data-testid=card]').length === 1 && `+builderCurrent),
		chromedp.Evaluate(`(() => { window.asked = []; const was = window.fetch; window.fetch = (request) => { window.asked.push(new URL(request.url).pathname); return was(request) } })()`, nil))
	do(t, ctx, "two of them removed at once", chromedp.Evaluate(`(() => { const b = [...document.querySelectorAll('[aria-label^="Remove filter"]')]; b[1].click(); b[3].click() })()`, nil),
		until(filters+` === "o.kind = 'print'; o.title <> 'b'" && `+builderCurrent), until(textInEditor+`.includes("o.title <> 'b'") && !`+textInEditor+`.includes("'c'")`),
		until(`document.querySelectorAll('[data-testid=card]').length === 1`), chromedp.Evaluate(`window.asked`, &asked))
	if got := strings.Join(asked, " "); got != "/api/build/edit /api/build/edit" {
		t.Errorf("two edits asked for %s", got)
	}
}

// Very many sources are a list that can be searched by name, kind and state.
func TestBrowserManySources(t *testing.T) {
	ctx := context.Background()
	a := emptyProject(t)
	path := makeSQLite(t)
	db := openSQLite(t, path)
	if _, err := db.Exec("CREATE TABLE item (id INTEGER)"); err != nil {
		t.Fatal(err)
	}
	_ = db.Close()
	csv := filepath.Join(t.TempDir(), "list.csv")
	if err := os.WriteFile(csv, []byte("a,b\n1,2\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	for i := range 80 {
		kind, at := "sqlite", path
		if i%2 == 1 {
			kind, at = "csv", csv
		}
		if _, err := a.Sources.Add(ctx, fmt.Sprintf("store_%02d_of_the_house", i), kind, connect.Config{Path: at}, ""); err != nil {
			t.Fatal(err)
		}
	}
	manySources(t, a)
}

func manySources(t *testing.T, a *app.App) {
	ctx, base := pageOf(t, a)
	const options = `[...document.querySelectorAll('[data-testid=source-list] [role=option]')]`
	do(t, ctx, "the list", chromedp.Navigate(base+"/sources/store_07_of_the_house"), until(`document.querySelector('h1')?.innerText.includes('store_07')`),
		chromedp.Click("main [aria-haspopup=listbox]", chromedp.ByQuery), until(options+`.length === 80`))
	do(t, ctx, "by kind", fill("Find a source", "csv"), until(options+`.length === 40`))
	do(t, ctx, "by name", fill("Find a source", "store_42"), until(options+`.length === 1`), chromedp.KeyEvent(kb.Enter), until(`location.pathname === '/sources/store_42_of_the_house'`))
	do(t, ctx, "by nothing", chromedp.Click("main [aria-haspopup=listbox]", chromedp.ByQuery), fill("Find a source", "cellar"), until(`document.querySelector('[data-testid=source-list]').innerText.includes('cellar')`))
	var wide bool
	do(t, ctx, "the width", chromedp.Evaluate(`document.documentElement.scrollWidth > innerWidth || document.querySelector('main').scrollWidth > document.querySelector('main').clientWidth`, &wide))
	if wide {
		t.Error("the page of 80 sources is wider than the window")
	}
}

// Strands pass beside the cards of a lineage drawing, never behind them, and what was
// asked of is in sight.
func TestBrowserStrandsPassBesideCards(t *testing.T) {
	ctx, base := page(t)
	const hidden = `(() => {
		const svg = document.querySelector('[data-testid=strands]')
		const cards = [...svg.querySelectorAll('[data-relation]')].map(g => ({ name: g.dataset.relation, box: g.querySelector('rect').getBoundingClientRect() }))
		const out = []
		for (const g of svg.querySelectorAll('[data-via]')) {
			const path = g.querySelectorAll('path')[1], length = path.getTotalLength(), m = path.getScreenCTM()
			for (let at = 4; at < length - 4; at += 6) {
				const p = path.getPointAtLength(at).matrixTransform(m)
				const card = cards.find(c => p.x > c.box.left + 1 && p.x < c.box.right - 1 && p.y > c.box.top + 1 && p.y < c.box.bottom - 1)
				if (card) { out.push(g.querySelector('title').textContent.split('\n')[0] + ' behind ' + card.name); break }
			}
		}
		return out
	})()`
	drawn := 0
	for _, v := range museum.Now().Catalog().Views() {
		if v.Layer != "delivery" && v.Layer != "joined" {
			continue
		}
		info := museum.Views.Info(v)
		last := info.Columns[len(info.Columns)-1].Name
		for _, options := range []string{"influences=1&steps=shown", "influences=1&steps=folded", "influences=0&steps=shown"} {
			var behind []string
			var cut bool
			path := fmt.Sprintf("/lineage/%s.%s?%s", v.FullName(), last, options)
			do(t, ctx, path, chromedp.Navigate(base+path), until(`document.querySelector('[data-testid=strands] [data-relation]')`), chromedp.Evaluate(hidden, &behind),
				chromedp.Evaluate(fmt.Sprintf(`(box => box.right > innerWidth || box.left < 236)(document.querySelector('[data-relation=%q] rect').getBoundingClientRect())`, v.FullName()), &cut))
			drawn++
			if len(behind) > 0 {
				t.Errorf("%s: %s", path, strings.Join(behind, "; "))
			}
			if cut {
				t.Errorf("%s: the card that was asked of is cut", path)
			}
		}
	}
	if drawn < 20 {
		t.Errorf("%d drawings were looked at", drawn)
	}
	do(t, ctx, "a picture", chromedp.Navigate(base+"/lineage/delivery.loan_risk.uninsured?influences=1&steps=shown"), until(`document.querySelector('[data-testid=strands] [data-relation]')`))
	shot(t, ctx, "lineage-lanes")
}
