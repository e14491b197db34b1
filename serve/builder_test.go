package serve

import (
	"context"
	"database/sql"
	"encoding/json"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	_ "modernc.org/sqlite"

	"rovik/app"
	"rovik/connect"
	"rovik/core/catalog"
)

// storeServer serves a project over a small file, with a view in each of two
// layers.
func storeServer(t *testing.T) (*httptest.Server, *app.App) {
	t.Helper()
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "store.db")
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range []string{"CREATE TABLE shelf (id INTEGER PRIMARY KEY, site TEXT, code TEXT)", "CREATE TABLE site (code TEXT PRIMARY KEY, town TEXT)",
		"INSERT INTO shelf VALUES (1, 'A', '1'), (2, 'b ', '2'), (3, 'a', 'n/a'), (4, NULL, '4')", "INSERT INTO site VALUES ('A', 'Harbour'), ('B', 'Marsh')"} {
		if _, err := db.Exec(s); err != nil {
			t.Fatal(err)
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.Sources.Add(ctx, "store", "sqlite", connect.Config{Path: path}, ""); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(ctx, []catalog.Layer{{Name: "low"}, {Name: "high"}}, []*catalog.View{
		{Layer: "low", Name: "shelf", SQL: "SELECT s.id, s.site, s.code FROM store.shelf AS s"},
		{Layer: "high", Name: "named", SQL: "SELECT l.id, l.site FROM low.shelf AS l WHERE l.code <> 'n/a'"},
	}); err != nil {
		t.Fatal(err)
	}
	return serving(t, a), a
}

// Every way to build, describe, follow and change views answers over HTTP with what
// it is asked, and with a sentence where it cannot.
func TestViewsOverHTTP(t *testing.T) {
	srv, a := storeServer(t)
	const shelf = `"sql": "SELECT s.id, s.site FROM store.shelf AS s"`
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"POST", "/api/build", `{` + shelf + `}`, 200, `"kind":"relation","name":"store.shelf","alias":"s"`},
		{"POST", "/api/build", `{"sql": "SELECT 1 EXCEPT SELECT 2"}`, 200, `"locked":"EXCEPT is edited in the SQL"`},
		{"POST", "/api/build", `{"sql": "SELECT ("}`, 422, "syntax error"},
		{"POST", "/api/build/edit", `{` + shelf + `, "edits": [{"do": "add filter", "text": "s.id > 1"}]}`, 200, `FROM store.shelf AS s WHERE s.id \u003e 1`},
		{"POST", "/api/build/edit", `{` + shelf + `, "edits": [{"do": "paint"}]}`, 422, "there is no edit called"},
		{"POST", "/api/build/preview", `{` + shelf + `}`, 200, `"rows":[["1","A"],["2","b "],["3","a"],["4",null]]`},
		{"POST", "/api/build/preview", `{"sql": "SELECT nothing FROM store.shelf"}`, 422, "no column is called"},
		{"POST", "/api/build/profile", `{` + shelf + `, "output": 1}`, 200, `"title":"Trim spaces"`},
		{"POST", "/api/build/profile", `{` + shelf + `, "output": 9}`, 422, "no such output column"},
		{"POST", "/api/build/joins", `{` + shelf + `, "name": "store.site"}`, 200, `"left":["s.site"]`},
		{"POST", "/api/build/joins", `{` + shelf + `, "name": "store.sites"}`, 422, "did you mean store.site"},
		{"POST", "/api/build/measure", `{` + shelf + `, "left": "s.site", "name": "store.site", "right": "{new}.code"}`, 200, `"values":3,"meet":1,"rows":3,"meetRows":1`},
		{"POST", "/api/build/measure", `{` + shelf + `, "left": "s.site", "name": "store.site", "right": "{new}.code"}`, 200, `"title":"Differences in letter case and spaces at the ends"`},
		{"POST", "/api/build/measure", `{` + shelf + `, "left": "x.site", "name": "store.site", "right": "{new}.code"}`, 422, "is no column of an input"},
		{"POST", "/api/build/measure", `{"sql": "SELECT 1 FROM store.shelf AS s JOIN store.site AS t ON s.site = t.code", "left": "s.site", "joined": 1, "right": "t.code"}`, 200, `"rightOf":"store.site.code"`},
		{"POST", "/api/build/measure", `{"sql": "SELECT 1 FROM store.shelf AS s JOIN store.site AS t ON s.site = t.code", "left": "s.site || t.code", "joined": 1, "right": "t.code"}`, 422, "is of several inputs"},
		{"POST", "/api/build/measure", `{"sql": "SELECT 1 FROM store.shelf AS s JOIN store.site AS t ON s.site = t.code", "left": "'a'", "joined": 1, "right": "t.code"}`, 422, "is of no input"},
		{"POST", "/api/build/draft", `{"sql": "SELECT l.site, count(*) AS n FROM low.shelf AS l GROUP BY l.site"}`, 200, "One row for each site of low.shelf, with n."},
		{"GET", "/api/views/low.shelf", "", 200, `"revision":1`},
		{"GET", "/api/views/low.self", "", 422, "did you mean low.shelf?"},
		{"GET", "/api/views/low.shelf/revisions", "", 200, `"number":1`},
		{"GET", "/api/views/low.shelf.site", "", 422, "low.shelf.site is a column, not a view"},
		{"GET", "/api/views/low.shelf.none", "", 422, "no column called"},
		{"GET", "/api/views/low.shelf.site/revisions", "", 422, "is a column, not a view"},
		{"DELETE", "/api/views/low.shelf.site", "", 422, "is a column, not a view"},
		{"POST", "/api/views/low.shelf.site/notes", `{"description": "", "labels": [], "columns": {}, "base": 1}`, 422, "is a column, not a view"},
		{"POST", "/api/views/effects", `{"layer": "low", "name": "shelf", "sql": "SELECT s.id FROM store.shelf AS s"}`, 200, `"broken":[{"view":"high.named"`},
		{"POST", "/api/views/low.shelf/notes", `{"description": "Shelves.", "labels": ["furniture"], "columns": {"site": {"description": "Where."}}, "base": 1}`, 200, `"labels":["furniture"]`},
		{"POST", "/api/views/low.shelf/notes", `{"description": "Other.", "labels": [], "columns": {}, "base": 1}`, 422, "as revision 2"},
		{"GET", "/api/views/high.named", "", 200, `"description":"Where.","labels":[],"from":"low.shelf"`},
		{"GET", "/api/search?words=where", "", 200, `"name":"low.shelf"`},
		{"GET", "/api/columns?like=shelf.si", "", 200, `["low.shelf.site","store.shelf.site"]`},
		{"GET", "/api/lineage/high.named", "", 200, `"table":"store.shelf","column":"site","via":"unchanged"`},
		{"GET", "/api/lineage/high.nam", "", 422, "no view is called"},
		{"GET", "/api/lineage/high.named.site/graph?direction=upstream", "", 200, `"cut":false`},
		{"GET", "/api/lineage/store.shelf.site/graph?direction=downstream", "", 200, `"relation":"high.named","column":"site"`},
		{"POST", "/api/build/edit", `{"sql": "SELECT s.id FROM store.shelf AS s WHERE s.id > 2", "seen": "SELECT s.id FROM store.shelf AS s WHERE s.id > 1 AND s.id > 2", "edits": [{"do": "set filter", "at": 1, "text": "s.id > 5"}]}`, 200, "WHERE s.id \\u003e 5"},
		{"POST", "/api/build/edit", `{"sql": "SELECT s.id FROM store.shelf AS s WHERE s.id > 2", "seen": "SELECT s.id FROM store.shelf AS s WHERE s.id > 1 AND s.id > 2", "edits": [{"do": "remove filter", "at": 0}]}`, 422, "changed meanwhile"},
		{"POST", "/api/build/edit", `{"sql": "SELECT s.id FROM store.shelf AS s", "edits": [{"do": "add output", "at": -1, "text": "s.nothing"}]}`, 200, `"report":null,"problem":{"code":"42703"`},
		{"GET", "/api/lineage/store.shelf.site/graph?direction=sideways", "", 422, "is not a direction"},
		{"GET", "/api/lineage/high.named/openlineage", "", 200, `"field": "site"`},
		{"GET", "/api/lineage/high.named/csv", "", 200, "site,text,store.shelf,site,unchanged,true"},
		{"GET", "/api/impact/store.shelf.code?if=gone", "", 200, `"broken":[{"view":"low.shelf"`},
		{"GET", "/api/impact/store.shelf.code?if=eaten", "", 422, "is not a kind of change"},
		{"GET", "/api/impact/store.shelf.code?if=type&type=colour", "", 422, "which type it would have"},
		{"GET", "/api/sources/store/quirk-impact?quirk=LIKE+ignores+case", "", 200, `"readers":2`},
		{"GET", "/api/sources/store/quirk-impact?quirk=colour", "", 422, "no quirk called"},
		{"POST", "/api/rename", `{"column": "low.shelf.site", "to": "place", "through": true}`, 200, `"seen":"`},
		{"POST", "/api/rename", `{"column": "low.shelf.site", "to": "place", "through": true, "seen": "else"}`, 422, "not what was reviewed"},
		{"POST", "/api/rename", `{"column": "low.shelf.none", "to": "place"}`, 422, "no column called"},
		{"POST", "/api/views", `{"layer": "low", "name": "shelf", "sql": "SELECT s.id, s.site, s.code, 1 AS one FROM store.shelf AS s", "replace": true, "base": 2, "message": "one more", "said": {"one": "Always one."}}`, 200, `"description":"Always one."`},
		{"GET", "/api/views/low.shelf", "", 200, `"description":"Where."`},
		{"DELETE", "/api/views/low.shelf", "", 422, "high.named would break"},
		{"DELETE", "/api/views/high.named", "", 204, ""},
		{"DELETE", "/api/views/high.named", "", 422, "no view is called"},
		{"POST", "/api/sources/store/hide", `{"hidden": ["shelf"]}`, 422, "low.shelf would break"},
		{"POST", "/api/sources/store/hide", `{"hidden": ["site"]}`, 200, `"hidden":["site"]`},
		{"POST", "/api/build/joins", `{` + shelf + `, "name": "store.site"}`, 422, "no table or view"},
	} {
		status, body := request(t, srv, c.method, c.path, c.body, map[string]string{"Content-Type": "application/json"})
		if status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s %s %s: %d %s, want %d with %q", c.method, c.path, c.body, status, body, c.status, c.says)
		}
	}
	// What was seen is done.
	_, body := request(t, srv, "POST", "/api/rename", `{"column": "low.shelf.site", "to": "place", "through": true}`, nil)
	var plan struct{ Seen string }
	if err := json.Unmarshal([]byte(body), &plan); err != nil || plan.Seen == "" {
		t.Fatalf("%s, %v", body, err)
	}
	if status, body := request(t, srv, "POST", "/api/rename", `{"column": "low.shelf.site", "to": "place", "through": true, "message": "as the map says", "seen": "`+plan.Seen+`"}`, nil); status != 200 {
		t.Errorf("renaming: %d %s", status, body)
	}
	if v := a.Now().Catalog().View("low.shelf"); !strings.Contains(v.SQL, "s.site AS place") || v.Notes.Columns["place"].Description != "Where." {
		t.Errorf("the view is %+v", v)
	}
}
