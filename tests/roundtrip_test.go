package tests

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"rovik/app"
	"rovik/core/catalog"
)

// oddTexts are descriptions, labels and comments as people write them, and as YAML
// and SQL could take them for something else.
var oddTexts = []string{"", "plain", "with: a colon", "- like a list", "# like a comment", "'quoted'", `"twice"`, "yes", "null", "1.0", "~", "{a: b}", "[x]", "a\nline more", "trailing ", " leading", "tab\there", "é – ü", "*alias", "&anchor", "%d", "@at", "`tick`", "| pipe", "> fold", "2024-01-01", "\\n", "🜁", "multi\n\n  indented\nlines\n"}

// randomProject fills a project with layers and views whose words are odd.
func randomProject(t *testing.T, a *app.App, r *rand.Rand) {
	t.Helper()
	odd := func() string { return oddTexts[r.IntN(len(oddTexts))] }
	var layers []catalog.Layer
	var views []*catalog.View
	for l := range 1 + r.IntN(3) {
		layer := catalog.Layer{Name: fmt.Sprintf("layer_%d", l), Description: strings.TrimSpace(odd())}
		layers = append(layers, layer)
		for v := range r.IntN(4) {
			view := &catalog.View{Layer: layer.Name, Name: fmt.Sprintf("v%d", v), Description: strings.TrimSpace(odd())}
			from := "store.shelf AS s"
			if l > 0 && len(views) > 0 {
				from = views[r.IntN(len(views))].FullName() + " AS s"
			}
			comment := strings.ReplaceAll(odd(), "*/", "")
			view.SQL = []string{"SELECT s.id, s.site FROM " + from, "-- " + strings.ReplaceAll(comment, "\n", " ") + "\nSELECT s.id,\n\ts.site\nFROM " + from, "SELECT s.id, /* " + comment + " */ s.site\n  FROM " + from + "\n\nWHERE s.site <> '" + strings.ReplaceAll(odd(), "'", "''") + "'"}[r.IntN(3)]
			for range r.IntN(3) {
				if label := strings.Join(strings.Fields(odd()), " "); label != "" {
					view.Notes.Labels = append(view.Notes.Labels, label)
				}
			}
			if text := strings.TrimSpace(odd()); text != "" {
				view.Notes.Columns = map[string]catalog.ColumnNote{"site": {Description: text}}
			}
			views = append(views, view)
		}
	}
	if err := a.Views.Setup(t.Context(), layers, views); err != nil {
		t.Fatal(err)
	}
}

// Files of a project, read into an empty one, make the same project: its files are
// the same to the byte, and reading them again finds nothing to do. Whatever the
// words in it.
func TestFilesOfAnyProjectAreTheProject(t *testing.T) {
	path := makeSQLite(t, "CREATE TABLE shelf (id INTEGER PRIMARY KEY, site TEXT)")
	empty := func() *app.App {
		a := emptyProject(t)
		if _, err := a.Sources.Add(t.Context(), "store", "sqlite", configOf(path), ""); err != nil {
			t.Fatal(err)
		}
		return a
	}
	for seed := range uint64(25) {
		a, b := empty(), empty()
		randomProject(t, a, rand.New(rand.NewPCG(seed, 7)))
		first, second := t.TempDir(), t.TempDir()
		if _, err := a.Views.Export(first); err != nil {
			t.Fatal(err)
		}
		im, err := a.Views.ReadFiles(first)
		if err != nil || len(im.Changes)+len(im.Breaches) != 0 {
			t.Fatalf("seed %d: its own files differ: %+v, %v", seed, im, err)
		}
		if im, err = b.Views.ReadFiles(first); err != nil || len(im.Breaches) != 0 {
			t.Fatalf("seed %d: %+v, %v", seed, im, err)
		}
		if err := b.Views.Apply(t.Context(), first, im); err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		if _, err := b.Views.Export(second); err != nil {
			t.Fatal(err)
		}
		one, two := filesOf(t, first), filesOf(t, second)
		for name, text := range one {
			if two[name] != text {
				t.Errorf("seed %d: %s is\n%s\nand was\n%s", seed, name, two[name], text)
			}
		}
		if len(one) != len(two) {
			t.Errorf("seed %d: %d files, and then %d", seed, len(one), len(two))
		}
		for _, v := range a.Now().Catalog().Views() {
			w := b.Now().Catalog().View(v.FullName())
			if w == nil || strings.TrimSpace(w.SQL) != strings.TrimSpace(v.SQL) || w.Description != v.Description || fmt.Sprint(w.Notes) != fmt.Sprint(v.Notes) {
				t.Errorf("seed %d: %s is\n%+v\nand was\n%+v", seed, v.FullName(), w, v)
			}
		}
		if fmt.Sprint(a.Now().Catalog().Layers()) != fmt.Sprint(b.Now().Catalog().Layers()) {
			t.Errorf("seed %d: the layers are %v and were %v", seed, b.Now().Catalog().Layers(), a.Now().Catalog().Layers())
		}
	}
}
