package tests

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/connect"
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

// A numeric of PostgreSQL may have more digits than are carried here. Reading it says so; the column can
// be read as text, or such numbers as NULL, and then folds as it does not.
func TestNumbersOfTooManyDigits(t *testing.T) {
	ctx := t.Context()
	pg, err := env.Postgres.Postgres(ctx, "postgres")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = pg.Close(context.WithoutCancel(ctx)) })
	long := strings.Repeat("9", 38)
	for _, q := range []string{"DROP DATABASE IF EXISTS digits", "CREATE DATABASE digits"} {
		if _, err := pg.Exec(ctx, q); err != nil {
			t.Fatal(err)
		}
	}
	inside, err := env.Postgres.Postgres(ctx, "digits")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = inside.Close(context.WithoutCancel(ctx)) }()
	for _, q := range []string{"CREATE TABLE crates (id integer PRIMARY KEY, volume numeric NOT NULL, weight numeric(50, 2), width numeric(8, 2))",
		"INSERT INTO crates VALUES (1, 1.50, 1, 1), (2, " + long + ", 2, 2), (3, " + long + "0, 3, 3), (4, -" + long + ".5, 4, 4), (5, 1e-38, 5, 5), (6, 1e-39, 6, 6), (7, 'NaN', 7, 7), (8, 'Infinity', 8, 8), (9, 0." + long + ", NULL, 9)",
		"GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader"} {
		if _, err := inside.Exec(ctx, q); err != nil {
			t.Fatal(err)
		}
	}
	a := emptyProject(t)
	if _, err := a.Sources.Add(ctx, "store", "postgresql", connect.Config{Host: "127.0.0.1", Port: env.Postgres.Port, User: "rovik_reader", Database: "digits", Secret: "file:" + env.Home + "/secrets/registry"}, ""); err != nil {
		t.Fatal(err)
	}
	const query = "SELECT id FROM store.crates WHERE volume > 2 ORDER BY id"
	if o, _ := ours(ctx, a, "SELECT volume FROM store.crates", false); o.err == nil || !strings.Contains(o.err.Error(), "more than 38 digits") || !strings.Contains(hintOf(o.err), "as text") {
		t.Errorf("a number that does not fit: %v", o.err)
	}
	both := func(what, sql, want string) {
		t.Helper()
		for _, off := range []bool{false, true} {
			o, _ := ours(ctx, a, sql, off)
			if got := strings.Join(o.rows, " "); o.err != nil || got != want {
				t.Errorf("%s, folding off %v: %s, %v; it should be %s", what, off, got, o.err, want)
			}
		}
	}
	retype := func(column, typ string) {
		t.Helper()
		if err := a.Sources.Retype(ctx, "store", "crates", column, typ, false); err != nil {
			t.Fatal(err)
		}
	}
	retype("volume", "numeric")
	both("NULL for what does not fit", "SELECT id FROM store.crates WHERE volume IS NULL ORDER BY id", "3| 4| 6|")
	both("compared", query, "2| 7| 8|")
	both("counted", "SELECT count(volume), max(volume) FROM store.crates WHERE id < 7", "3|"+long+"|")
	retype("volume", "text")
	both("as text", "SELECT id, volume FROM store.crates WHERE id IN (3, 6) ORDER BY id", "3|"+long+"0| 6|0.000000000000000000000000000000000000001|")
	both("as text, compared", "SELECT id FROM store.crates WHERE volume = '1.50'", "1|")
	if _, err := a.Sources.Refresh(ctx, "store"); err != nil {
		t.Fatal(err)
	}
	both("after a refresh", "SELECT id FROM store.crates WHERE volume = '1.50'", "1|")
	retype("volume", "")
	if o, _ := ours(ctx, a, "SELECT volume FROM store.crates", false); o.err == nil {
		t.Error("as it was, it is read")
	}
	for column, typ := range map[string]string{"width": "text", "volume": "integer", "weight": "double precision"} {
		if err := a.Sources.Retype(ctx, "store", "crates", column, typ, false); err == nil {
			t.Errorf("%s is read as %s", column, typ)
		}
	}
	page, base := pageOf(t, a)
	const reading = `document.querySelector('[aria-label="Type of volume"]')`
	do(t, page, "the page", chromedp.Navigate(base+"/sources/store"), until(reading), choose("Type of volume", "text"), until(reading+`.value === 'text'`),
		until(`document.querySelector('[data-testid=columns]').innerText.includes('read as text, as was chosen')`))
	shot(t, page, "reading")
	do(t, page, "as it was", choose("Type of volume", ""), until(reading+`.value === ''`), until(`!document.querySelector('[data-testid=columns]').innerText.includes('as was chosen')`))
}
