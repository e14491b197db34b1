package tests

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/core/catalog"
)

// The types of CSV are proposed, and can be chosen otherwise where every cell
// fits; what is chosen stays so, and what views need does not change by accident.
func TestRetyping(t *testing.T) {
	ctx := t.Context()
	root := t.TempDir()
	path := filepath.Join(root, "shelves.csv")
	if err := os.WriteFile(path, []byte("no,width,bought,note\n1,10,2024-01-02,x\n2,20,2024-02-03,\n3,30,,7\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	if _, err := a.Sources.Add(ctx, "store", "csv", configOf(root), ""); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(ctx, layersOf("low"), []*catalog.View{{Layer: "low", Name: "wide", SQL: "SELECT s.no FROM store.shelves AS s WHERE s.width > 15"}}); err != nil {
		t.Fatal(err)
	}
	if err := a.Sources.Retype(ctx, "store", "shelves", "no", "text", false); err != nil {
		t.Fatal(err)
	}
	if got := texts(t, a, "SELECT no || '!' FROM store.shelves WHERE no < '3'"); got != "1!| 2!|" {
		t.Errorf("a number as text: %s", got)
	}
	if _, err := a.Sources.Refresh(ctx, "store"); err != nil {
		t.Fatal(err)
	}
	if err := a.Sources.Retype(ctx, "store", "shelves", "bought", "timestamp", false); err != nil {
		t.Fatal(err)
	}
	if got := texts(t, a, "SELECT no || '.', bought FROM store.shelves WHERE bought > timestamp '2024-01-15'"); got != "2.|2024-02-03 00:00:00|" {
		t.Errorf("after a refresh and another choice: %s", got)
	}
	for what, c := range map[[3]string]string{
		{"shelves", "note", "integer"}:    "line 2, column note",
		{"shelves", "width", "text"}:      "low.wide would break",
		{"shelves", "none", "text"}:       "no column called none",
		{"none", "no", "text"}:            "no table called none",
		{"shelves", "no", "char(3)"}:      "without a length",
		{"shelves", "no", "no such"}:      "no type is called",
		{"shelves", "no", "integer[]"}:    "cannot be read as",
		{"shelves", "no", "numeric(4,2)"}: "without a length",
	} {
		if err := a.Sources.Retype(ctx, "store", what[0], what[1], what[2], false); err == nil || !strings.Contains(err.Error(), c) {
			t.Errorf("%v: %v, without %q", what, err, c)
		}
	}
	if err := a.Sources.Retype(ctx, "store", "shelves", "no", "", false); err != nil || texts(t, a, "SELECT sum(no) FROM store.shelves") != "6|" {
		t.Errorf("as proposed again: %v, %s", err, texts(t, a, "SELECT sum(no) FROM store.shelves"))
	}
	if err := museum.Sources.Retype(ctx, "registry", "public.rooms", "name", "text", false); err == nil {
		t.Error("a database's own types were chosen otherwise")
	}

	browser, base := pageOf(t, a)
	do(t, browser, "choosing on the page", chromedp.Navigate(base+"/sources/store"), chromedp.WaitVisible(`[aria-label="Type of no"]`, chromedp.ByQuery), choose("Type of no", "text"),
		until(`document.querySelector('[data-testid=columns]').innerText.includes('as was chosen')`), choose("Type of note", "integer"),
		until(`document.querySelector('[role=alert]')?.innerText.includes('line 2, column note')`))
}
