package tests

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/core/catalog"
)

// gathered is a project in which one column passes eight views and gathers from six
// sources.
func gathered(t *testing.T) *app.App {
	t.Helper()
	ctx := t.Context()
	a := emptyProject(t)
	var layers []string
	var views []*catalog.View
	for i, source := range []string{"register", "loans", "insurers", "couriers", "condition", "rates"} {
		path := makeSQLite(t, "CREATE TABLE entry (object_no TEXT PRIMARY KEY, amount INTEGER, kind TEXT)", fmt.Sprintf("INSERT INTO entry VALUES ('1880.1', %d, 'print'), ('1880.2', %d, 'map')", i+1, i+10))
		if _, err := a.Sources.Add(ctx, source, "sqlite", configOf(path), ""); err != nil {
			t.Fatal(err)
		}
		layer := fmt.Sprintf("step%d", i+1)
		layers = append(layers, layer)
		text := fmt.Sprintf("SELECT e.object_no, e.amount, e.kind FROM %s.entry AS e WHERE e.kind <> 'lost'", source)
		if i > 0 {
			text = fmt.Sprintf("SELECT v.object_no, v.amount + coalesce(e.amount, 0) AS amount, v.kind FROM step%d.object_value AS v LEFT JOIN %s.entry AS e ON e.object_no = v.object_no", i, source)
		}
		views = append(views, viewsOf(layer, "object_value", text)...)
	}
	layers = append(layers, "step7", "step8")
	views = append(views, viewsOf("step7", "by_kind_of_object", "SELECT v.kind, sum(v.amount) AS amount FROM step6.object_value AS v GROUP BY v.kind")...)
	views = append(views, viewsOf("step8", "value_that_consumers_get", "SELECT k.kind, k.amount AS value_at_risk FROM step7.by_kind_of_object AS k")...)
	if err := a.Views.Setup(ctx, layersOf(layers...), views); err != nil {
		t.Fatal(err)
	}
	return a
}

// A column that passes eight views and gathers from six sources is legible: no box
// lies over another, no name is cut without its whole on hover, all sources are in
// sight, and each folded step is named.
func TestBrowserLineageIsLegible(t *testing.T) {
	a := gathered(t)
	cols, err := a.Tracing().Lineage("step8.value_that_consumers_get.value_at_risk")
	if err != nil || len(cols) != 1 || len(cols[0].Carries) != 6 {
		t.Fatalf("it carries %+v, %v", cols, err)
	}
	ctx, base := pageOf(t, a)
	const boxes = `[...document.querySelectorAll('[data-relation]')]`
	do(t, ctx, "open", chromedp.Navigate(base+"/lineage/step8.value_that_consumers_get.value_at_risk"), until(boxes+`.length >= 7`))
	for _, how := range []string{"folded", "every step", "with influences"} {
		switch how {
		case "every step":
			do(t, ctx, how, press("Fold steps"), until(boxes+`.length >= 14`))
		case "with influences":
			do(t, ctx, how, press("Influences"), until(`document.querySelectorAll('g[data-via=influences]').length > 0`))
		}
		var overlaps, beyond []string
		do(t, ctx, how, chromedp.Evaluate(`(() => {
			const all = `+boxes+`.map((e) => [e.dataset.relation, e.getBoundingClientRect()]);
			const out = [];
			for (const [a, x] of all) for (const [b, y] of all) if (a < b && x.left < y.right - 1 && y.left < x.right - 1 && x.top < y.bottom - 1 && y.top < x.bottom - 1) out.push(a + ' over ' + b);
			return out })()`, &overlaps),
			chromedp.Evaluate(boxes+`.filter((e) => { const r = e.getBoundingClientRect(); return [...e.querySelectorAll('text')].some((x) => x.getBoundingClientRect().right > r.right + 1) }).map((e) => e.dataset.relation)`, &beyond))
		if len(overlaps)+len(beyond) > 0 {
			t.Errorf("%s: %q lie over each other, texts of %q go beyond their boxes", how, overlaps, beyond)
		}
		var text string
		do(t, ctx, how, chromedp.Evaluate(`document.querySelector('main').innerText`, &text))
		for _, source := range []string{"register", "loans", "insurers", "couriers", "condition", "rates"} {
			if !strings.Contains(text, source) && how != "folded" {
				t.Errorf("%s: %s is not named", how, source)
			}
		}
	}
	do(t, ctx, "as a table", press("Table"), until(`document.querySelectorAll('[data-testid=lineage-table] tr').length > 6`))
}
