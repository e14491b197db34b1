package tests

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rovik/app"
)

// A project's files make the same project elsewhere, and that one's files are the
// same: with sources, shapes, types that were chosen, keys and all views.
func TestExportAndImport(t *testing.T) {
	ctx := t.Context()
	dir := t.TempDir()
	n, err := museum.Views.Export(dir)
	if err != nil || n < 30 {
		t.Fatalf("%d files, %v", n, err)
	}
	other, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = other.Close() })
	im, err := other.Views.ReadFiles(dir)
	if err != nil || len(im.Changes) != n {
		t.Fatalf("%d of %d files differ, %v", len(im.Changes), n, err)
	}
	if err := other.Views.Apply(ctx, dir, im); err != nil {
		t.Fatal(err)
	}
	if im, err = other.Views.ReadFiles(dir); err != nil || len(im.Changes) != 0 {
		t.Fatalf("it is not the same: %+v, %v", im, err)
	}
	again := t.TempDir()
	if _, err := other.Views.Export(again); err != nil {
		t.Fatal(err)
	}
	for name, b := range filesOf(t, dir) {
		if got := filesOf(t, again)[name]; got != b {
			t.Errorf("%s is\n%s\nand was\n%s", name, got, b)
		}
	}
	want, _ := ours(ctx, museum, "SELECT * FROM delivery.fit_to_travel", false)
	got, _ := ours(ctx, other, "SELECT * FROM delivery.fit_to_travel", false)
	if d := difference(got, want, false); d != "" || got.err != nil {
		t.Errorf("a view gives other rows there: %s %v", d, got.err)
	}
	for name, b := range filesOf(t, dir) {
		for _, source := range []string{"registry", "lending"} {
			if strings.Contains(b, demoPassword(t, source)) {
				t.Errorf("%s has the password of %s", name, source)
			}
		}
	}
}

func filesOf(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(path)
		out[strings.TrimPrefix(path, dir+"/")] = string(b)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// Every breach is told with its file and line, and nothing is applied while there
// is one.
func TestBreachesOfFiles(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	dir := t.TempDir()
	if _, err := a.Views.Export(dir); err != nil {
		t.Fatal(err)
	}
	write := func(name, text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("views/low/shelf.sql", "SELECT s.id,\n  s.sitee\nFROM store.shelf AS s\n")
	write("views/high/extra.sql", "SELECT 1 AS one\n")
	im, err := a.Views.ReadFiles(dir)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, b := range im.Breaches {
		got = append(got, strings.Join([]string{b.Path, string(rune('0' + b.Line)), string(rune('0' + b.Column)), b.Message}, " "))
	}
	if text := strings.Join(got, "\n"); !strings.Contains(text, `views/low/shelf.sql 2 3 no column is called "s.sitee"`) || !strings.Contains(text, "views/high/wide.sql 0 0 low.shelf, which it reads:") ||
		!strings.Contains(text, "views/high/extra.sql 0 0 project.yaml names no view") || len(got) != 3 {
		t.Errorf("the breaches are\n%s", text)
	}
	if err := a.Views.Apply(ctx, dir, im); err == nil || a.Now().Catalog().View("low.shelf").Revision != 1 {
		t.Errorf("it was applied: %v", err)
	}
	// The layers the other way round, and a view less.
	write("views/low/shelf.sql", "SELECT s.id, s.site, s.width FROM store.shelf AS s\n")
	if err := os.Remove(filepath.Join(dir, "views/high/extra.sql")); err != nil {
		t.Fatal(err)
	}
	write("project.yaml", "layers:\n- {name: high, description: turned, views: {}}\n- {name: low, description: '', views: {shelf: all shelves}}\n")
	if err := os.Remove(filepath.Join(dir, "views/high/wide.sql")); err != nil {
		t.Fatal(err)
	}
	if im, err = a.Views.ReadFiles(dir); err != nil || len(im.Changes) != 2 || len(im.Breaches) != 0 {
		t.Fatalf("%+v, %v", im, err)
	}
	if err := a.Views.Apply(ctx, dir, im); err != nil {
		t.Fatal(err)
	}
	c := a.Now().Catalog()
	if c.Layers()[0].Name != "high" || c.Layers()[0].Description != "turned" || c.View("high.wide") != nil || c.View("low.shelf").Description != "all shelves" {
		t.Errorf("applied: %+v, %+v", c.Layers(), c.View("low.shelf"))
	}
	whole := filesOf(t, dir)
	for _, c := range []struct{ name, text, want string }{
		{"project.yaml", "layers:\n- name: low\n  colour: red\n", `project.yaml:3:3: there is no key "colour" here`},
		{"project.yaml", "layers:\n- name: low\n  views: {shelf: [1]}\n", "project.yaml:3:18: layers[0].views.shelf should be text"},
		{"project.yaml", "layers:\n- name: 7\n", "project.yaml:2:9: layers[0].name should be text"},
		{"project.yaml", "layers: low\n", "project.yaml:1:9: layers should be a list"},
		{"project.yaml", "layers:\n- name: [low\n", "this is not YAML"},
		{"project.yaml", "", "project.yaml: the file is empty"},
		{"sources/store.yaml", "kind: [1", "sources/store.yaml:1:1: this is not YAML"},
		{"sources/store.yaml", "", "sources/store.yaml: the file is empty"},
		{"sources/store.yaml", "kind: sqlight\nconfig: {path: " + dir + "}\n", `no kind of source called "sqlight"`},
		{"sources/store.yaml", "kind: sqlite\nconfig: {path: " + dir + "/none.db}\n", "does not exist"},
		{"sources/store.yaml", "kind: postgresql\nconfig: {host: h, port: '5432'}\n", "sources/store.yaml:2:25: config.port should be a whole number"},
		{"sources/store.yaml", "kind: postgresql\nconfig: {host: h, port: 99999}\n", "99999 is not a port"},
		{"sources/store.yaml", "kind: sqlite\nconfig: {pth: x}\n", `sources/store.yaml:2:10: there is no key "pth" here`},
		{"views/low/shelf.sql", "SELECT s.id, s.site AS id FROM store.shelf AS s\n", "views/low/shelf.sql: the columns of a view need names of their own"},
	} {
		write(c.name, c.text)
		im, err := a.Views.ReadFiles(dir)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, b := range im.Breaches {
			got = append(got, b.Place()+": "+b.Message)
		}
		if len(got) == 0 || !strings.Contains(got[0], c.want) {
			t.Errorf("%s with %q: %q, want %s", c.name, c.text, got, c.want)
		}
		before := a.Now().Catalog()
		if err := a.Views.Apply(ctx, dir, im); err == nil || a.Now().Catalog() != before {
			t.Errorf("%s with %q was applied: %v", c.name, c.text, err)
		}
		write(c.name, whole[c.name])
	}
	// A mark of UTF-8 at the beginning of a file says nothing.
	if _, err := a.Views.Export(dir); err != nil {
		t.Fatal(err)
	}
	whole = filesOf(t, dir)
	for _, name := range []string{"project.yaml", "views/low/shelf.sql", "sources/store.yaml"} {
		write(name, "\ufeff"+whole[name])
	}
	if im, err = a.Views.ReadFiles(dir); err != nil || len(im.Changes) != 0 || len(im.Breaches) != 0 {
		t.Errorf("with marks: %+v, %v", im, err)
	}
}
