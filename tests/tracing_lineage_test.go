package tests

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"rovik/app/tracing"
	"rovik/core/estate"
	"rovik/core/lineage"
)

// Every view of the demo has a lineage whose every step is in a text, and that
// ends at columns of sources.
func TestLineageOfTheDemo(t *testing.T) {
	columns, steps := 0, 0
	for _, v := range museum.Views.Names() {
		cols, err := museum.Tracing().Lineage(v.Layer + "." + v.Name)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range cols {
			columns++
			g, err := museum.Tracing().Graph(v.Layer+"."+v.Name+"."+c.Name, tracing.Upstream)
			if err != nil {
				t.Fatal(err)
			}
			ends := map[string]bool{}
			for _, n := range g.Nodes {
				if n.Layer == 0 && n.Column != "" {
					ends[n.Relation+"."+n.Column] = true
				}
			}
			for _, r := range append(c.Carries, c.Influences...) {
				if r.Column != "" && !ends[r.Table+"."+r.Column] {
					t.Errorf("%s.%s: %s.%s is not in its graph", v.Name, c.Name, r.Table, r.Column)
				}
			}
			for _, e := range g.Edges {
				sql := ""
				if w := museum.Now().Catalog().View(e.To.Relation); w != nil {
					sql = w.SQL
				}
				for _, s := range e.Spans {
					if steps++; s.Start < 0 || s.End > len(sql) || s.Start >= s.End {
						t.Errorf("%v: no place in %q", e, sql)
					}
				}
				if len(e.Spans) == 0 && e.Via != lineage.ByRows {
					t.Errorf("%v has no place", e)
				}
			}
		}
	}
	if columns < 100 || steps < 500 {
		t.Errorf("%d columns, %d places", columns, steps)
	}
}

// What depends on a column is found through all views, and what would break is
// what does break.
func TestImpactOfTheDemo(t *testing.T) {
	im, err := museum.Tracing().Impact(t.Context(), "lending.loan_lines.insured_value", tracing.ChangeGone, "")
	if err != nil {
		t.Fatal(err)
	}
	by := map[string]estate.Dependent{}
	for _, v := range im.Views {
		by[v.Name] = v
	}
	if v := by["intake.loan_line"]; !v.Direct || len(v.Columns) != 1 || v.Columns[0].How != estate.Carrying {
		t.Errorf("its intake view: %+v", v)
	}
	if v := by["delivery.uninsured_by_country"]; v.Direct || len(v.Columns) == 0 {
		t.Errorf("a view far away: %+v", v)
	}
	if len(im.Broken) < 8 || im.Broken[0].Error == "" {
		t.Errorf("would break: %+v", im.Broken)
	}
	if im, err = museum.Tracing().Impact(t.Context(), "lending.loan_lines.crates", tracing.ChangeType, "text"); err != nil || len(im.Broken) != 0 {
		t.Errorf("a number that is only shown, as text: %+v, %v", im, err)
	}
	if im, err = museum.Tracing().Impact(t.Context(), "joined.object_on_loan.insured_value", tracing.ChangeType, "date"); err != nil || len(im.Broken) == 0 {
		t.Errorf("a number that is computed with, as date: %+v, %v", im, err)
	}
	if im, err = museum.Tracing().Impact(t.Context(), "registry.rooms", tracing.ChangeGone, ""); err != nil || len(im.Views) == 0 || len(im.Broken) < len(im.Views) {
		t.Errorf("a whole table: %+v, %v", im, err)
	}
	for name, change := range map[string]string{"lending.loan_lines.crates": "eaten", "lending.none.crates": tracing.ChangeGone, "lending.loan_lines.cratess": tracing.ChangeGone, "x": tracing.ChangeGone} {
		if _, err := museum.Tracing().Impact(t.Context(), name, change, ""); err == nil {
			t.Errorf("%s %s has an impact", name, change)
		}
	}
}

// The facet has the words of its standard.
func TestOpenLineageFacet(t *testing.T) {
	f, err := museum.Tracing().OpenLineage("delivery.uninsured_by_country")
	if err != nil {
		t.Fatal(err)
	}
	b, err := json.Marshal(f)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{`"fields":{"country":`, `{"namespace":"lending","name":"loan_lines","field":"insured_value","transformations":[{"type":"DIRECT","subtype":"AGGREGATION"}`, `"subtype":"GROUP_BY"`} {
		if !strings.Contains(string(b), want) {
			t.Errorf("without %s: %s", want, b)
		}
	}
}

// From a view to the columns that one of its columns comes from, to the text
// that makes it, and on to what would break.
func TestBrowserLineage(t *testing.T) {
	ctx, base := page(t)
	click := func(js string) chromedp.Action {
		return chromedp.Evaluate(js+`.dispatchEvent(new MouseEvent('click', {bubbles: true, cancelable: true}))`, nil)
	}
	press := func(text string) chromedp.Action {
		return chromedp.Evaluate(`[...document.querySelectorAll('button, a')].find((b) => b.innerText.trim().startsWith('`+text+`')).click()`, nil)
	}
	do(t, ctx, "all columns of a view", chromedp.Navigate(base+"/view/delivery/uninsured_by_country"), until(`[...document.querySelectorAll('a')].some((a) => a.innerText.trim() === 'Lineage')`), press("Lineage"),
		until(`document.querySelector('[data-testid=lineage-overview]')?.innerText.includes('lending.loan_lines.insured_value aggregated')`))
	do(t, ctx, "one column", click(`[...document.querySelectorAll('[data-testid=lineage-overview] a')].find((a) => a.innerText === 'uninsured')`), until(`document.querySelectorAll('[data-relation]').length >= 3 && document.querySelectorAll('[data-step]').length >= 2`))
	do(t, ctx, "the text of a step", click(`document.querySelector('g[data-via=transformed]')`), until(`document.querySelector('[data-testid=step] mark')?.innerText.includes('coalesce')`))
	do(t, ctx, "a folded step", click(`[...document.querySelectorAll('[data-step]')].find((g) => g.dataset.step === 'joined.object_on_loan')`), until(`document.querySelector('[data-testid=step]').innerText.includes('joined.object_on_loan')`))
	do(t, ctx, "every step, and what influences", press("Fold steps"), press("Influences"), until(`document.querySelectorAll('[data-relation]').length >= 10 && document.querySelectorAll('g[data-via=influences]').length > 5`),
		click(`document.querySelector('g[data-via=influences]')`), until(`document.querySelector('[data-testid=step] mark')`))
	shot(t, ctx, "lineage")
	do(t, ctx, "as a table", press("Table"), until(`document.querySelector('[data-testid=lineage-table]')?.innerText.includes('intake.loan_line → joined.object_on_loan')`))
	do(t, ctx, "what would break", chromedp.Navigate(base+"/lineage/lending.loan_lines.insured_value"), until(`document.querySelector('[data-testid=impact]')?.innerText.match(/\d+ views would break/)`), press("Which"),
		until(`document.querySelector('[data-testid=impact]').innerText.includes('delivery.uninsured_by_country')`))
	shot(t, ctx, "impact")
	do(t, ctx, "as another type", choose("What becomes of it", "type"), until(`document.querySelector('[aria-label="Type that it would have"]')`))
	do(t, ctx, "finding a view by a word of it", chromedp.KeyEvent("k", chromedp.KeyModifiers(input.ModifierCtrl)), chromedp.WaitVisible(`[aria-label="Find by any word"]`, chromedp.ByQuery), chromedp.SendKeys(`[aria-label="Find by any word"]`, "prints worth", chromedp.ByQuery),
		until(`document.querySelector('[data-testid=finder]').innerText.includes('delivery.uninsured_by_country')`), chromedp.KeyEvent(kb.Enter), until(`location.pathname === '/view/delivery/uninsured_by_country'`))
	do(t, ctx, "a column that is not there", chromedp.Navigate(base+"/lineage/delivery.loan_risk.uninsure"), until(`document.querySelector('[role=alert]')?.innerText.includes('did you mean uninsured?')`))
}
