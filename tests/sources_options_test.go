package tests

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/catalog"
)

// twoDatabases fills two databases of the MariaDB server and connects both as
// one source, together with a file whose blobs stand beside other values.
func twoDatabases(t *testing.T) *app.App {
	t.Helper()
	ctx := t.Context()
	ma, err := env.MariaDB.MariaDB("")
	if err != nil {
		t.Fatal(err)
	}
	defer ma.Close()
	for _, q := range []string{
		"DROP DATABASE IF EXISTS stores_b", "DROP DATABASE IF EXISTS stores_a", "CREATE DATABASE stores_a CHARACTER SET utf8mb4", "CREATE DATABASE stores_b CHARACTER SET utf8mb4",
		"GRANT SELECT ON stores_a.* TO 'rovik_reader'@'127.0.0.1'", "GRANT SELECT ON stores_b.* TO 'rovik_reader'@'127.0.0.1'",
		"CREATE TABLE stores_a.shelf (id INT PRIMARY KEY, spot POINT, flags BIT(4), label VARCHAR(20))",
		"INSERT INTO stores_a.shelf VALUES (1, ST_PointFromText('POINT(1 2)'), b'0101', 'north'), (2, NULL, NULL, 'south'), (3, ST_PointFromText('POINT(3 4)'), b'1000', 'north')",
		"CREATE TABLE stores_b.box (id INT PRIMARY KEY, shelf INT, code INT, FOREIGN KEY (shelf) REFERENCES stores_a.shelf (id))",
		"INSERT INTO stores_b.box VALUES (10, 1, 7), (11, 1, 8), (12, 3, NULL), (13, NULL, 9)",
		"CREATE TABLE stores_b.shelf (id INT PRIMARY KEY, keeper VARCHAR(20))", "INSERT INTO stores_b.shelf VALUES (1, 'x'), (2, 'y')",
	} {
		if _, err := ma.ExecContext(ctx, q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	if _, err := a.Sources.Add(ctx, "ma", "mariadb", twoDatabasesConfig("stores_a, stores_b"), ""); err != nil {
		t.Fatal(err)
	}
	path := makeSQLite(t, "CREATE TABLE mixed (id INTEGER PRIMARY KEY, v)", `INSERT INTO mixed VALUES (1, 'a'), (2, x'00ff'), (3, 2.5), (4, NULL)`)
	if _, err := a.Sources.Add(ctx, "sl", "sqlite", configOf(path), ""); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(ctx, layersOf("low"), nil); err != nil {
		t.Fatal(err)
	}
	return a
}

func twoDatabasesConfig(databases string) connect.Config {
	return connect.Config{Host: "127.0.0.1", Port: env.MariaDB.Port, Database: databases, User: "rovik_reader", Secret: "file:" + env.Home + "/secrets/lending"}
}

// Several databases of one server are one source, whose joins the server does.
func TestSeveralDatabasesAreOneSource(t *testing.T) {
	a := twoDatabases(t)
	box := a.Now().Catalog().Table("ma.stores_b.box")
	if box == nil || len(box.ForeignKeys) != 1 || box.ForeignKeys[0].Table != "ma.stores_a.shelf" {
		t.Fatalf("the table is %+v", box)
	}
	sql := "SELECT b.id, s.label, k.keeper FROM ma.stores_b.box b JOIN ma.stores_a.shelf s ON b.shelf = s.id LEFT JOIN ma.stores_b.shelf k ON k.id = s.id WHERE s.label = 'north' ORDER BY b.id"
	if got := texts(t, a, sql); got != "10|north|x| 11|north|x| 12|north|∅|" {
		t.Errorf("joined: %s", got)
	}
	rep, err := a.Now().Explain(t.Context(), project.Query{SQL: sql})
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range rep.Pieces {
		if p.Verdict != "folded" {
			t.Errorf("%s is %s", p.Text, p.Verdict)
		}
	}
	if len(rep.Statements) != 1 || !strings.Contains(rep.Statements[0].Text, "`stores_b`.`box`") {
		t.Errorf("statements: %+v", rep.Statements)
	}
	if got := texts(t, a, "SELECT n FROM verbatim('ma', $$SELECT count(*) AS n FROM shelf JOIN stores_b.box ON box.shelf = shelf.id$$) AS v"); got != "3|" {
		t.Errorf("verbatim: %s", got)
	}
	for databases, want := range map[string]string{"stores_a, none": "no database called none", "none": "no database called none"} {
		steps, err := a.Sources.Try(t.Context(), sources.NewSource{Name: "x", Kind: "mariadb", Config: twoDatabasesConfig(databases)})
		if err != nil {
			t.Fatal(err)
		}
		if last := steps[len(steps)-1]; last.OK || !strings.Contains(last.Text, want) {
			t.Errorf("%s: %+v", databases, last)
		}
	}
	if _, err := a.Sources.Add(t.Context(), "whole", "mariadb", twoDatabasesConfig(""), ""); err != nil {
		t.Fatal(err)
	}
	if a.Now().Catalog().Table("whole.lending.loan_lines") == nil || a.Now().Catalog().Table("whole.stores_a.shelf") == nil {
		t.Error("without a database, not all that may be read is there")
	}
}

// What cannot be carried is said with the reason, and can be read as text; folding
// it changes no answer.
func TestLeftOutColumnsAsText(t *testing.T) {
	ctx := t.Context()
	a := twoDatabases(t)
	for table, column := range map[string]string{"ma.stores_a.shelf": "spot", "sl.mixed": "v"} {
		if l := a.Now().Catalog().Table(table).LeftColumn(column); l == nil || l.Reason == "" || l.AsText == "" {
			t.Errorf("%s.%s is %+v", table, column, l)
		}
	}
	for _, c := range [][3]string{{"ma", "stores_a.shelf", "spot"}, {"ma", "stores_a.shelf", "flags"}, {"sl", "mixed", "v"}} {
		if err := a.Sources.Retype(ctx, c[0], c[1], c[2], "integer", false); err == nil || !strings.Contains(err.Error(), "as text alone") {
			t.Errorf("%v as integer: %v", c, err)
		}
		if err := a.Sources.Retype(ctx, c[0], c[1], c[2], "text", false); err != nil {
			t.Fatal(err)
		}
	}
	for sql, want := range map[string]string{
		"SELECT id, spot, flags FROM ma.stores_a.shelf ORDER BY id": "1|POINT(1 2)|0101| 2|∅|∅| 3|POINT(3 4)|1000|",
		"SELECT id, v FROM sl.mixed ORDER BY id":                    `1|a| 2|\x00ff| 3|2.5| 4|∅|`,
		"SELECT id FROM ma.stores_a.shelf WHERE spot LIKE '%(3%'":   "3|",
		"SELECT id FROM ma.stores_a.shelf WHERE flags = '0101'":     "1|",
		`SELECT id FROM sl.mixed WHERE v < '\y' ORDER BY id`:        "2| 3|",
	} {
		if got := texts(t, a, sql); got != want {
			t.Errorf("%s gives %s, want %s", sql, got, want)
		}
	}
	for _, col := range []string{"spot", "flags"} {
		lawOfText(t, a, "ma.stores_a.shelf", col)
	}
	lawOfText(t, a, "sl.mixed", "v")
	if err := a.Sources.Retype(ctx, "sl", "mixed", "v", "", false); err != nil || a.Now().Catalog().Table("sl.mixed").LeftColumn("v") == nil {
		t.Errorf("it is not left out again: %v", err)
	}
	if err := a.Sources.Retype(ctx, "ma", "stores_a.shelf", "label", "integer", false); err == nil || !strings.Contains(err.Error(), "defines the types of its columns") {
		t.Errorf("a database's own type: %v", err)
	}
}

// lawOfText filters, groups, sorts and joins by a column of text, folded and not.
func lawOfText(t *testing.T, a *app.App, table, col string) {
	t.Helper()
	for _, form := range []string{"SELECT id FROM %[1]s WHERE %[2]s > '1'", "SELECT id FROM %[1]s WHERE length(%[2]s) = 4", "SELECT %[2]s, count(*) FROM %[1]s GROUP BY %[2]s", "SELECT id FROM %[1]s ORDER BY %[2]s DESC, id",
		"SELECT count(DISTINCT %[2]s), min(%[2]s) FROM %[1]s", "SELECT x.id, y.id FROM %[1]s x JOIN %[1]s y ON x.%[2]s = y.%[2]s", "SELECT upper(%[2]s) FROM %[1]s WHERE %[2]s IN ('a', '0101', 'POINT(1 2)', '2.5')"} {
		sql := fmt.Sprintf(form, table, col)
		folded, _ := ours(t.Context(), a, sql, false)
		unfolded, _ := ours(t.Context(), a, sql, true)
		if d := difference(folded, unfolded, strings.Contains(sql, "ORDER BY")); d != "" || folded.err != nil {
			t.Errorf("%s: %s %v", sql, d, folded.err)
		}
	}
}

// A key that is declared is measured, refused where it does not hold, told where
// it holds no more, and never trusted with an answer.
func TestDeclaredKeys(t *testing.T) {
	ctx := t.Context()
	a := twoDatabases(t)
	declare := func(table string, columns []string, to string, references ...string) (*catalog.DeclaredKey, error) {
		return a.Sources.DeclareKey(ctx, "ma", catalog.DeclaredKey{Table: table, Columns: columns, To: to, References: references})
	}
	for what, err := range map[string]error{
		"more than one row has it for 1 value of 3 rows": second(declare("stores_a.shelf", []string{"label"}, "")),
		"1 value of 3 rows are not there":                second(declare("stores_b.box", []string{"shelf"}, "ma.stores_b.shelf", "id")),
		"no column called":                               second(declare("stores_b.box", []string{"none"}, "")),
		"there is no table called":                       second(declare("stores_b.box", []string{"shelf"}, "ma.none", "id")),
		"2 columns cannot hold a key of 1":               second(declare("stores_b.box", []string{"shelf", "id"}, "ma.stores_a.shelf", "id")),
		"is listed twice":                                second(declare("stores_b.box", []string{"id", "id"}, "")),
	} {
		if err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%v, without %q", err, what)
		}
	}
	k, err := declare("stores_b.box", []string{"code"}, "")
	if err != nil || k.Rows != 3 || k.Nulls != 1 {
		t.Fatalf("%+v, %v", k, err)
	}
	if _, err := declare("stores_b.box", []string{"shelf"}, "sl.mixed", "id"); err != nil { // of another source
		t.Fatal(err)
	}
	if _, err := declare("stores_b.box", []string{"code"}, ""); err == nil {
		t.Error("the same key was declared twice")
	}
	box := a.Now().Catalog().Table("ma.stores_b.box")
	if len(box.Keys) != 2 || !strings.Contains(box.Keys[1].Declared, "held for 3 rows, 1 rows have NULL in it") || len(box.ForeignKeys) != 2 {
		t.Errorf("the table is %+v", box)
	}
	// Were the key trusted, the server would be asked for no groups at all.
	grouped := "SELECT b.code, count(*) FROM ma.stores_b.box b WHERE b.code IS NOT NULL GROUP BY b.code"
	ma, err := env.MariaDB.MariaDB("stores_b")
	if err != nil {
		t.Fatal(err)
	}
	defer ma.Close()
	if _, err := ma.ExecContext(ctx, "INSERT INTO box VALUES (14, 2, 7)"); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{grouped, "SELECT DISTINCT b.code FROM ma.stores_b.box b", "SELECT x.id FROM ma.stores_b.box x LEFT JOIN ma.stores_b.box y ON y.code = x.code"} {
		folded, _ := ours(ctx, a, sql, false)
		unfolded, _ := ours(ctx, a, sql, true)
		if d := difference(folded, unfolded, false); d != "" || folded.err != nil {
			t.Errorf("%s: %s %v", sql, d, folded.err)
		}
	}
	if got := texts(t, a, "SELECT count(*) FROM ma.stores_b.box x LEFT JOIN ma.stores_b.box y ON y.code = x.code"); got != "7|" {
		t.Errorf("a join by the key that is none any more: %s", got)
	}
	if _, err := a.Sources.Refresh(ctx, "ma"); err != nil {
		t.Fatal(err)
	}
	if note := a.Now().Catalog().Table("ma.stores_b.box").Keys[1].Declared; !strings.Contains(note, "does not hold: of 4 rows, 1 values break it") {
		t.Errorf("measured again: %s", note)
	}
	if err := a.Sources.DropKey(ctx, "ma", *k); err != nil || len(a.Now().Catalog().Table("ma.stores_b.box").Keys) != 1 {
		t.Errorf("taken back: %v", err)
	}
	if err := a.Sources.DropKey(ctx, "ma", *k); err == nil {
		t.Error("it was taken back twice")
	}
}

func second[T any](_ T, err error) error { return err }

// On the page columns are exposed, keys declared and limits set where they show.
func TestBrowserChoices(t *testing.T) {
	a := twoDatabases(t)
	browser, base := pageOf(t, a)
	press := func(text string) chromedp.Action {
		return chromedp.Evaluate(fmt.Sprintf(`[...document.querySelectorAll('button')].find((b) => b.innerText.trim() === %q).click()`, text), nil)
	}
	do(t, browser, "exposing a column", chromedp.Navigate(base+"/sources/ma/shelf"), until(`document.querySelectorAll('[data-testid=left]').length === 2`), press("Expose as text"),
		until(`document.querySelectorAll('[data-testid=left]').length === 1`))
	do(t, browser, "a key that does not hold", press("Declare a key"), chromedp.WaitVisible(`[aria-label="Columns of the key"]`, chromedp.ByQuery), fill("Columns of the key", "label"), press("Measure and declare"),
		until(`document.querySelector('[role=alert]')?.innerText.includes('is not unique by label')`))
	do(t, browser, "one that holds", fill("Columns of the key", "label, id"), press("Measure and declare"), until(`document.querySelector('[data-testid=declared]').innerText.includes('it held for 3 rows')`))
	do(t, browser, "limits", press("Limits"), chromedp.WaitVisible(`[aria-label="Connections at most"]`, chromedp.ByQuery), fill("Connections at most", "1"), press("Keep"),
		until(`document.querySelector('[data-testid=limits]').innerText.includes('cannot have 1 connections')`), fill("Connections at most", "3"), press("Keep"), until(`!document.querySelector('[data-testid=limits]')`))
	for _, s := range a.Sources.List() {
		if s.Name == "ma" && s.Limits.Connections != 3 {
			t.Errorf("limits: %+v", s.Limits)
		}
	}
	if got := texts(t, a, "SELECT count(*) FROM ma.stores_b.box"); got != "4|" {
		t.Errorf("under the limits: %s", got)
	}
}
