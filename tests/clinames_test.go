package tests

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rovik/app"
)

// ownHome is a project of two layers over a small file that no other process has
// open, for the command line.
func ownHome(t *testing.T) string {
	t.Helper()
	home := t.TempDir()
	a, err := app.Open(t.Context(), home)
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(home, "store.db")
	makeSQLiteAt(t, path, "CREATE TABLE shelf (id INTEGER PRIMARY KEY, site TEXT, width INT)", "INSERT INTO shelf VALUES (1, 'a', 10), (2, 'b', 20), (3, 'a', 30)")
	if _, err := a.Sources.Add(t.Context(), "store", "sqlite", configOf(path), ""); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(t.Context(), layersOf("low", "high"), append(viewsOf("low", "shelf", "SELECT s.id, s.site, s.width FROM store.shelf AS s"),
		viewsOf("high", "wide", "SELECT l.id, l.site FROM low.shelf AS l WHERE upper(l.site) = 'A' AND l.width > 15")...)); err != nil {
		t.Fatal(err)
	}
	if err := a.Close(); err != nil {
		t.Fatal(err)
	}
	return home
}

// Names, lineage, impact and files on the command line: each command says what it
// would do before it does it, answers in the format that was asked for, and tells
// wrong use from what cannot be done.
func TestViewsOnTheCommandLine(t *testing.T) {
	home := ownHome(t)
	files := filepath.Join(t.TempDir(), "museum")
	for _, c := range []struct {
		args []string
		code int
		says []string
	}{
		{[]string{"lineage", "high.wide.site"}, 0, []string{"site (text)", "store.shelf.site  unchanged", "store.shelf.width  influences by filter", "rows of store.shelf"}},
		{[]string{"lineage", "high.wide", "--format", "csv"}, 0, []string{"column,type,from,from_column,how,carries", "site,text,store.shelf,width,filter,false"}},
		{[]string{"lineage", "high.wide", "--format", "json"}, 0, []string{`"carries"`, `"via": "unchanged"`}},
		{[]string{"lineage", "high.wide", "--format", "openlineage"}, 0, []string{`"inputFields"`, `"namespace": "store"`}},
		{[]string{"lineage", "store.shelf.width", "--graph", "downstream"}, 0, []string{`"relation": "high.wide"`}},
		{[]string{"lineage", "low.shelf", "--downstream"}, 0, []string{"high.wide"}},
		{[]string{"lineage", "high.wid"}, 1, []string{"no view is called", "did you mean high.wide?"}},
		{[]string{"lineage", "high.wide", "--format", "xml"}, 2, []string{"--format takes"}},
		{[]string{"lineage"}, 2, nil},
		{[]string{"impact", "store.shelf.width"}, 0, []string{"low.shelf", "would break: high.wide: in low.shelf: no column is called", "2 views depend on it, 2 would break"}},
		{[]string{"impact", "store.shelf.width", "--if", "type", "--type", "text"}, 0, []string{"would break: high.wide"}},
		{[]string{"impact", "store.shelf.width", "--if", "eaten"}, 2, []string{"--if takes"}},
		{[]string{"impact", "store", "--quirk", "lower() changes letters beyond ASCII"}, 0, []string{"high.wide", "upper(l.site) = 'A' is folded, and would be", `"lower() changes letters beyond ASCII" of store is no: 1 of 2 views that were compared`}},
		{[]string{"impact", "store", "--quirk", "colour"}, 1, []string{"no quirk called"}},
		{[]string{"impact", "store", "--quirk", "lower() changes letters beyond ASCII", "--format", "json"}, 0, []string{`"views"`, `"was": "folded"`}},
		{[]string{"rename", "low.shelf.site", "place", "--through"}, 0, []string{"low.shelf.site → place", "high.wide.site → place", "+ SELECT l.id, l.place FROM low.shelf AS l WHERE upper(l.place) = 'A'", "2 views would change; --apply changes them"}},
		{[]string{"query", "SELECT w.site FROM high.wide AS w", "--format", "csv"}, 0, []string{"site\na\n"}},
		{[]string{"rename", "low.shelf.site", "place", "--through", "--apply", "--message", "as the map says"}, 0, []string{"2 views were changed"}},
		{[]string{"query", "SELECT w.place FROM high.wide AS w", "--format", "csv"}, 0, []string{"place\na\n"}},
		{[]string{"rename", "low.shelf", "high.shelf"}, 0, []string{"low.shelf → high.shelf"}},
		{[]string{"rename", "high.wide", "low.shelf"}, 1, []string{"there is a view called low.shelf already"}},
		{[]string{"rename", "low.shelf.site", "place"}, 1, []string{`has no column called "site"`}},
		{[]string{"rename", "store.shelf.id", "nr"}, 1, []string{"named by its source"}},
		{[]string{"export", files}, 0, nil},
		{[]string{"check", files}, 0, nil},
		{[]string{"import", files}, 0, nil},
		{[]string{"check"}, 0, nil},
	} {
		out, errs, code := rovik(t, home, c.args...)
		if code != c.code {
			t.Errorf("%v: exit %d, want %d: %s%s", c.args, code, c.code, out, errs)
		}
		for _, want := range c.says {
			if !strings.Contains(out+errs, want) {
				t.Errorf("%v does not say %q:\n%s%s", c.args, want, out, errs)
			}
		}
		if code != 0 && !strings.HasPrefix(errs, "error: ") {
			t.Errorf("%v: its error is %q", c.args, errs)
		}
		if c.code == 0 && len(c.args) > 2 && c.args[len(c.args)-1] == "json" && !json.Valid([]byte(out)) {
			t.Errorf("%v is no JSON: %s", c.args, out)
		}
	}
	// A file that breaks a view is named with its line; nothing of it is taken.
	path := filepath.Join(files, "views", "high", "wide.sql")
	if _, err := os.Stat(path); err != nil {
		found, _ := filepath.Glob(filepath.Join(files, "*", "*", "*"))
		more, _ := filepath.Glob(filepath.Join(files, "*", "*"))
		t.Fatalf("the files are %v %v", found, more)
	}
	if err := os.WriteFile(path, []byte("SELECT l.id,\n  l.nothing\nFROM low.shelf AS l\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"check", files}, {"import", files, "--apply"}} {
		out, errs, code := rovik(t, home, args...)
		if code != 1 || !strings.Contains(out+errs, "wide.sql:2") {
			t.Errorf("%v: exit %d\n%s%s", args, code, out, errs)
		}
	}
	if out, _, code := rovik(t, home, "query", "SELECT w.place FROM high.wide AS w", "--format", "csv"); code != 0 || out != "place\na\n" {
		t.Errorf("what did not import counts: %d %s", code, out)
	}
}
