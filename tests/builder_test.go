package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/app/tracing"
	"rovik/app/views"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// Parts of the Builder that the tests look at.
const (
	builderCurrent = `document.querySelector('[data-testid=builder]')?.dataset.current === 'true'`
	textInEditor   = `(document.querySelector('.cm-content').cmTile?.view ?? document.querySelector('.cm-content').cmView.view).state.doc.toString()`
)

// press clicks the first button or link whose words begin so.
func press(words string) chromedp.Action {
	find := fmt.Sprintf(`[...document.querySelectorAll('button, a')].find((b) => b.innerText.trim().startsWith(%q) && !b.disabled)`, words)
	return until("((b) => b && (b.click(), true))(" + find + ")") // found and clicked at once: pages change between two looks
}

// enter writes into a field and takes it over.
func enter(label, text string) chromedp.Action {
	return chromedp.Tasks{fill(label, text), chromedp.KeyEvent(kb.Enter)}
}

// pick takes an option of a field that goes back to none at once.
func pick(label, option string) chromedp.Action {
	return chromedp.Evaluate(fmt.Sprintf(`(() => { const f = document.querySelector('[aria-label="%s"]'); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(f, %q); f.dispatchEvent(new Event('change', {bubbles: true})) })()`, label, option), nil)
}

// inputs waits until the form has so many.
func inputs(n int) chromedp.Action {
	return until(fmt.Sprintf(`document.querySelectorAll('[data-testid=input]').length === %d && %s`, n, builderCurrent))
}

// addInput adds a relation by typing words of its name.
func addInput(words string) chromedp.Action {
	return chromedp.Tasks{fill("Add a table or view", words), until(`document.querySelector('[data-testid=found-relations] button')`), chromedp.KeyEvent(kb.Enter)}
}

// emptyBuilder opens the Builder on a new query.
func emptyBuilder(base string) chromedp.Action {
	return chromedp.Tasks{chromedp.Navigate(base + "/query"), chromedp.WaitReady(".cm-content", chromedp.ByQuery), chromedp.Evaluate(setSQL+`("")`, nil), press("Builder"), until(`document.querySelector('[data-testid=add-input]') && !document.querySelector('[data-testid=input]') && ` + textInEditor + ` === "" && ` + builderCurrent)}
}

// saveAs saves the text as a view.
func saveAs(layer, name string) chromedp.Action {
	return chromedp.Tasks{press("Save as view…"), chromedp.WaitVisible(`[aria-label=Layer]`, chromedp.ByQuery), chromedp.SetValue(`[aria-label=Layer]`, layer, chromedp.ByQuery), fill("Name", name),
		chromedp.Click(button("Save view"), chromedp.BySearch), until(fmt.Sprintf(`location.pathname === '/view/%s/%s'`, layer, name))}
}

// forgetViews removes views that a test has made, highest first.
func forgetViews(t *testing.T, names ...string) {
	t.Cleanup(func() {
		for _, n := range names {
			if museum.Now().Catalog().View(n) != nil {
				if err := museum.Views.Remove(context.Background(), n, true); err != nil {
					t.Error(err)
				}
			}
		}
	})
}

// A day's work: a view over two sources from nothing, by a join that its values
// suggest and that needs a fix; a second view on top with a third, nested source;
// a column that is renamed in the real database, and the way from the warning to
// the text that has to change; the two revisions side by side.
func TestBrowserBuilding(t *testing.T) {
	ctx, base := page(t)
	const first, second = "joined.archived_borrower", "delivery.archived_condition"
	forgetViews(t, second, first)

	do(t, ctx, "the first input", emptyBuilder(base), addInput("archive closed"), inputs(1))
	do(t, ctx, "the second, with what suggests itself", addInput("lending institutions"), until(`document.querySelector('[data-testid=fix]')`))
	var panel string
	do(t, ctx, "what is measured", chromedp.Evaluate(`document.querySelector('[data-testid=join-panel]').innerText`, &panel))
	for _, want := range []string{"c.borrower = institutions.code", "by its values", "each value once", "values do not", "letter case and spaces at the ends", "→ 100%"} {
		if !strings.Contains(strings.Join(strings.Fields(panel), " "), want) {
			t.Errorf("the join's panel does not say %q:\n%s", want, panel)
		}
	}
	do(t, ctx, "the values that do not meet", chromedp.Evaluate(`[...document.querySelectorAll('[data-testid=shares] button')].find((b) => b.innerText.includes('values do not')).click()`, nil),
		until(`document.querySelectorAll('[data-testid=alone] div').length > 10`))
	shot(t, ctx, "builder-join")
	do(t, ctx, "the join with its fix", press("Join with the fix"), inputs(2), until(`document.querySelector('[data-testid=join-facts]')?.innerText.includes('crosses')`))

	do(t, ctx, "columns written out", press("Write them out"), until(`document.querySelectorAll('[data-testid=output]').length > 5 && `+builderCurrent),
		press("Add columns"), chromedp.WaitVisible(`[data-testid=picker]`, chromedp.ByQuery),
		chromedp.Evaluate(`[...document.querySelectorAll('[data-testid=picker] label')].filter((l) => ['name', 'country'].includes(l.innerText.trim())).forEach((l) => l.querySelector('input').click())`, nil),
		press("Add 2"), until(`document.querySelector('[aria-label="Name of column 2"]') && `+textInEditor+`.includes('i.country') && `+builderCurrent))
	do(t, ctx, "a column renamed", chromedp.Evaluate(`(() => { const f = [...document.querySelectorAll('[data-field=name]')].find((f) => f.value === 'name'); f.focus(); f.select() })()`, nil), chromedp.KeyEvent("who"), chromedp.KeyEvent(kb.Enter),
		until(textInEditor+`.includes('i.name AS who') && `+builderCurrent))
	do(t, ctx, "a step of cleaning", chromedp.Evaluate(`document.querySelector('[aria-label="Clean insured"]').click()`, nil), until(`[...document.querySelectorAll('[data-testid=offer] button')].some((b) => b.innerText === 'Text to bigint')`),
		until(`document.querySelector('[data-testid=failed]')?.innerText.includes('n/a')`))
	shot(t, ctx, "builder-cleaning")
	do(t, ctx, "taken", press("Text to bigint"), until(textInEditor+`.includes('AS bigint) END AS insured') && `+builderCurrent))
	do(t, ctx, "and undone and done again", chromedp.Focus(`[aria-label="Output columns"]`, chromedp.ByQuery), chromedp.KeyEvent("z", chromedp.KeyModifiers(2)), until(`!`+textInEditor+`.includes('AS bigint')`),
		chromedp.KeyEvent("y", chromedp.KeyModifiers(2)), until(textInEditor+`.includes('AS bigint) END AS insured') && `+builderCurrent))
	do(t, ctx, "filtered by a value", choose("Column to filter by", "i.country"), until(`document.querySelectorAll('[data-testid=filter-values] button').length > 1`),
		chromedp.Evaluate(`document.querySelectorAll('[data-testid=filter-values] button')[0].click()`, nil), chromedp.Click(button("Add"), chromedp.BySearch), until(`document.querySelectorAll('[data-testid=filter]').length === 1 && `+builderCurrent))
	do(t, ctx, "a preview", press("Preview"), until(`document.querySelectorAll('[data-testid=preview] tbody tr').length > 5`), until(`document.querySelector('[data-testid=last-step]').innerText.includes('rows cross')`))
	shot(t, ctx, "builder")
	do(t, ctx, "saved", press("Preview"), saveAs("joined", "archived_borrower"))
	holdsUnderName(t, first)

	do(t, ctx, "a view on top", emptyBuilder(base), addInput("joined archived_borrower"), inputs(1), addInput("condition.report"), until(`document.querySelector('[data-testid=suggestion]')?.innerText.includes('a.object_no = report.object_no')`),
		press("Join"), inputs(2), until(textInEditor+`.includes('JOIN condition.report AS')`), press("Write them out"), until(textInEditor+`.includes('a.country') && `+builderCurrent),
		press("Add columns"), chromedp.WaitVisible(`[data-testid=picker]`, chromedp.ByQuery), chromedp.Evaluate(`[...document.querySelectorAll('[data-testid=picker] label')].filter((l) => l.innerText.trim() === 'severity').forEach((l) => l.querySelector('input').click())`, nil),
		press("Add 1"), until(textInEditor+`.includes('.severity') && `+builderCurrent), saveAs("delivery", "archived_condition"))
	holdsUnderName(t, second)
	report, err := museum.Now().Explain(t.Context(), project.Query{SQL: "SELECT * FROM " + second})
	if err != nil || len(report.Statements) != 3 {
		t.Errorf("the second view reads three sources: %+v, %v", report, err)
	}

	// The real column gets another name.
	db, err := env.MariaDB.MariaDB("lending")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	rename := func(from, to string) {
		t.Helper()
		if _, err := db.Exec("ALTER TABLE institutions RENAME COLUMN " + from + " TO " + to); err != nil {
			t.Fatal(err)
		}
	}
	rename("country", "nation")
	t.Cleanup(func() {
		db, err := env.MariaDB.MariaDB("lending")
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		if _, err := db.Exec("ALTER TABLE institutions RENAME COLUMN IF EXISTS nation TO country"); err != nil {
			if _, err := db.Exec("ALTER TABLE institutions RENAME COLUMN nation TO country"); err != nil {
				t.Error(err)
			}
		}
		if _, err := museum.Sources.Refresh(context.Background(), "lending"); err != nil {
			t.Error(err)
		}
	})
	do(t, ctx, "a check warns", chromedp.Navigate(base+"/sources/lending"), press("Refresh"), until(`document.querySelector('[data-testid=differences]')?.innerText.includes('institutions.country')`),
		until(`document.querySelector('[data-testid=differences]').innerText.includes('joined.archived_borrower')`))
	do(t, ctx, "it is accepted", press("Accept"), until(`document.querySelector('[data-testid=tree]').innerText.includes('archived_borrower — broken')`))
	do(t, ctx, "from a view far away to its cause", chromedp.Navigate(base+"/view/delivery/archived_condition"), until(`document.querySelector('[data-testid=problem] a')?.innerText === 'joined.archived_borrower'`),
		chromedp.Evaluate(`document.querySelector('[data-testid=problem] a').click()`, nil), until(`location.pathname === '/view/joined/archived_borrower'`), press("SQL"), until(`document.querySelector('.cm-lintRange-error')?.innerText.includes('country')`))
	do(t, ctx, "mended and saved", chromedp.Evaluate(setSQL+`(`+textInEditor+`.replaceAll('i.country', 'i.nation').replace('i.nation,', 'i.nation AS country,').replace(/i\.nation\nFROM/, 'i.nation AS country\nFROM'))`, nil), until(`!document.querySelector('[data-testid=problem]')`),
		press("Save…"), until(`document.querySelector('[data-testid=effects]')?.innerText.includes('mends joined.archived_borrower, delivery.archived_condition')`), fill("What changed, and why", "institutions.country is called nation now"), press("Save as revision 2"), until(`!document.querySelector('[data-testid=save-strip]')`),
		until(`!document.querySelector('[data-testid=tree]').innerText.includes('archived_condition — broken')`))
	do(t, ctx, "both revisions", chromedp.Navigate(base+"/view/joined/archived_borrower/revisions"), until(`document.querySelector('[data-testid=text-difference]')?.innerText.includes('i.nation AS country')`),
		until(`document.querySelector('[data-testid=revision-1]')?.innerText.includes('does not bind any more')`), until(`document.querySelector('[data-testid=revision-2]')?.innerText.includes('country text')`))
	im, err := museum.Tracing().Impact(t.Context(), "lending.institutions.nation", tracing.ChangeGone, "")
	if err != nil || len(im.Broken) < 2 {
		t.Errorf("what depends on the column by its new name: %+v, %v", im, err)
	}
}

// Both faces are one text: what cannot be shown is locked and kept, a form edit
// leaves comments, and typing in the SQL shows in the form.
func TestBrowserTwoFaces(t *testing.T) {
	ctx, base := page(t)
	const text = "-- loans that are out\nSELECT l.loan_no, -- as printed\n  CASE WHEN l.due_on < current_date THEN 'late' END AS state\nFROM intake.loan AS l\nJOIN (SELECT 1 AS one) AS q ON true\nWHERE l.status = 'out' /* still */"
	do(t, ctx, "open", chromedp.Navigate(base+"/query"), chromedp.WaitReady(".cm-content", chromedp.ByQuery), chromedp.Evaluate(setSQL+fmt.Sprintf("(%q)", text), nil), press("Builder"), inputs(2),
		until(`document.querySelector('[data-testid=locked]').innerText.includes('(SELECT 1 AS one) AS q')`))
	do(t, ctx, "a name by keyboard", chromedp.Focus(`[aria-label="Output columns"]`, chromedp.ByQuery), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.F2), until(`document.activeElement.getAttribute('aria-label') === 'Name of column 2'`),
		chromedp.Evaluate(`document.activeElement.select()`, nil), chromedp.KeyEvent("when_due"), chromedp.KeyEvent(kb.Enter), until(textInEditor+`.includes("END AS when_due")`))
	var got string
	do(t, ctx, "the text", chromedp.Evaluate(textInEditor, &got))
	if want := strings.Replace(text, "AS state", "AS when_due", 1); got != want {
		t.Errorf("one name was changed, and the text is\n%s", got)
	}
	do(t, ctx, "many at once", chromedp.Focus(`[aria-label="Output columns"]`, chromedp.ByQuery), chromedp.KeyEvent("a", chromedp.KeyModifiers(2)), until(`document.querySelector('[data-testid=bulk]')`),
		pick("Cleaning of the chosen columns", "upper"), until(textInEditor+`.includes('upper(l.loan_no) AS loan_no') && `+textInEditor+`.includes('END) AS when_due') && `+builderCurrent))
	do(t, ctx, "a note", chromedp.Evaluate(`document.querySelector('[aria-label="Note on loan_no"]').click()`, nil), enter("Description of loan_no", "The number on the agreement"), until(`document.querySelector('[aria-label="Note on loan_no"]').title === 'The number on the agreement'`))
	forgetViews(t, "intake.two_faces")
	do(t, ctx, "saved with it", saveAs("intake", "two_faces"))
	if n := museum.Now().Catalog().View("intake.two_faces").Notes.Columns["loan_no"]; n.Description != "The number on the agreement" {
		t.Errorf("the note is %+v", n)
	}
	v := *museum.Now().Catalog().View("intake.two_faces")
	v.SQL = strings.Replace(strings.Replace(v.SQL, "l.status = 'out' /* still */", "l.status = 'out' AND l.due_on >= date '2026-01-01'", 1), "upper(l.loan_no) AS loan_no", "l.loan_no", 1)
	if _, err := museum.Views.SaveRevision(t.Context(), v, "Only those that are due this year or later, numbers as they are", views.AnyRevision); err != nil {
		t.Fatal(err)
	}
	do(t, ctx, "two revisions that bind", chromedp.Navigate(base+"/view/intake/two_faces/revisions"), until(`document.querySelector('[data-testid=revision-1]')?.innerText.includes('kept: upper(l.loan_no)')`), until(`document.querySelector('[data-testid=revision-2]')?.innerText.includes("folded: l.due_on >= date '2026-01-01'")`))
	shot(t, ctx, "revisions")
	do(t, ctx, "a statement as it stands", emptyBuilder(base), press("verbatim…"), choose("Source of the statement", "lending"), fill("The statement", "SELECT nothing FROM couriers"), press("Take it as an input"),
		until(`document.querySelector('[data-testid=verbatim] [role=alert]')?.innerText.includes('nothing')`), fill("The statement", "SELECT c.courier_id, c.name FROM couriers c"), press("Take it as an input"), inputs(1),
		until(textInEditor+`.includes("verbatim('lending', $$ SELECT c.courier_id, c.name FROM couriers c $$) AS v")`))
	do(t, ctx, "joined by what it describes", addInput("lending loans"), until(`document.querySelector('[data-testid=suggestion]')?.innerText.includes('v.courier_id = loans.courier_id')`), press("Join"), inputs(2),
		until(`document.querySelector('[data-testid=join-facts]')?.innerText.includes('folds in lending')`), press("what meets?"), until(`document.querySelector('[data-testid=measured]')?.innerText.includes('of v.courier_id meet')`))
	do(t, ctx, "groups and values into columns", chromedp.Navigate(base+"/query"), chromedp.WaitReady(".cm-content", chromedp.ByQuery), chromedp.Evaluate(setSQL+`("SELECT l.courier_id, l.loan_no FROM intake.loan AS l")`, nil), press("Builder"), inputs(1),
		chromedp.Evaluate(`document.querySelector('[aria-label="Choose column 1"]').click()`, nil), press("Group by"), chromedp.Click(button("Group"), chromedp.BySearch), until(textInEditor+`.includes('GROUP BY l.courier_id') && `+builderCurrent),
		press("Values into columns"), choose("Values of", "l.status"), press("Make "), until(textInEditor+`.includes("FILTER (WHERE l.status = 'returned') AS returned") && `+builderCurrent), chromedp.Click(button("Run"), chromedp.BySearch), until(runState+` === 'done'`))
	do(t, ctx, "rows put under", chromedp.Evaluate(setSQL+`("SELECT l.loan_no, l.sent_on FROM intake.loan AS l")`, nil), inputs(1), press("Union with"), choose("Rows of", "intake.archived_loan"), until(`document.querySelector('[aria-label="What stands for sent_on"]')?.value === 'sent_on'`),
		press("Add the union"), until(`document.querySelectorAll('[data-testid=matching] tbody tr').length === 2 && `+builderCurrent), until(textInEditor+`.includes('UNION ALL')`))
}

// Names are changed on the page once it was seen what that does; layers likewise;
// a view is removed.
func TestBrowserRenaming(t *testing.T) {
	ctx, base := page(t)
	do(t, ctx, "a column of the story, through all that pass it on", chromedp.Navigate(base+"/view/joined/open_loan"), press("Rename…"), choose("What to rename", "borrower"), fill("The new name", "lent_to"),
		until(`document.querySelector('[data-testid=rename-plan]')?.innerText.includes('passed on by joined.object_on_loan, delivery.loan_risk')`))
	shot(t, ctx, "rename")
	a := revised(t)
	ctx, base = pageOf(t, a)
	do(t, ctx, "a column", chromedp.Navigate(base+"/view/low/shelf"), press("Rename…"), choose("What to rename", "site"), fill("The new name", "place"),
		until(`document.querySelector('[data-testid=rename-plan]')?.innerText.includes('2 texts change.')`), until(`document.querySelector('[data-testid=rename-plan]').innerText.includes('high.wide')`))
	do(t, ctx, "is renamed", chromedp.Click(button("Rename"), chromedp.BySearch), until(`!document.querySelector('[data-testid=rename-strip]')`))
	if v := a.Now().Catalog().View("high.wide"); !strings.Contains(v.SQL, "l.place") {
		t.Errorf("its reader is %s", v.SQL)
	}
	do(t, ctx, "the text that is shown is the new one", until(textInEditor+`.includes('s.site AS place')`))
	do(t, ctx, "said of it", press("Describe it"), press("Draft it"), until(`document.querySelector('[aria-label="Description of the view"]').value.startsWith('Rows of store.shelf.')`), fill("Labels of the view", "furniture"), fill("Description of place", "Where it stands."), press("Keep"),
		until(`!document.querySelector('[data-testid=notes-strip]')`), until(`document.body.innerText.includes('furniture')`))
	if n := a.Now().Catalog().View("low.shelf").Notes; n.Columns["place"].Description != "Where it stands." || len(n.Labels) != 1 {
		t.Errorf("its notes are %+v", n)
	}
	do(t, ctx, "the view moves", press("Rename…"), fill("The new name", "rack"), until(`document.querySelector('[data-testid=rename-plan]')?.innerText.includes('rack')`), chromedp.Click(button("Rename"), chromedp.BySearch), until(`location.pathname === '/view/low/rack'`))
	do(t, ctx, "a layer more, and another name for one", chromedp.Navigate(base+"/layers"), press("Add a layer"), fill("Name of layer 3", "out"), fill("Name of layer 1", "base"), until(`document.querySelector('[data-testid=rename-plan]')?.innerText.includes('base')`))
	do(t, ctx, "is kept", fill("Why", "as it is meant"), press("Change the layers"), until(`[...document.querySelectorAll('[data-testid=tree] button')].some((b) => b.innerText.includes('out'))`))
	if got := fmt.Sprint(a.Now().Catalog().Layers()); got != "[{base } {high } {out }]" {
		t.Errorf("the layers are %s", got)
	}
	do(t, ctx, "removing one that is read", chromedp.Navigate(base+"/view/base/rack"), press("Rename…"), press("Remove…"), until(`document.querySelector('[data-testid=removing]')?.innerText.includes('high.wide would break')`))
	do(t, ctx, "removing one that is not", chromedp.Navigate(base+"/view/high/wide"), press("Rename…"), press("Remove…"), press("Remove the view"), until(`location.pathname === '/query'`))
	if a.Now().Catalog().View("high.wide") != nil || a.Now().Catalog().View("base.rack") == nil {
		t.Error("the wrong view went")
	}
}
