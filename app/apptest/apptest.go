// Package apptest makes small projects for the tests of the use cases.
package apptest

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"testing"

	_ "modernc.org/sqlite" // the database/sql driver

	"rovik/app/project"
	"rovik/app/sources"
	"rovik/app/views"
	"rovik/connect"
	"rovik/core/catalog"
)

// Project is a project with one SQLite source, store, whose table item has so many rows,
// and the layers low and high. It is closed with the test.
type Project struct {
	*project.Project
	Sources *sources.Sources
	Views   *views.Views
	path    string // of the source's file
}

// New makes a project.
func New(t testing.TB, rows int) *Project {
	t.Helper()
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "data.db")
	execute(t, path, "CREATE TABLE item (id INTEGER PRIMARY KEY, name TEXT, weight REAL)",
		fmt.Sprintf("WITH RECURSIVE i(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM i WHERE n < %d) INSERT INTO item SELECT n, 'item ' || n, n / 4.0 FROM i", rows))
	a := open(t, t.TempDir(), path)
	if _, err := a.Sources.Add(ctx, "store", "sqlite", connect.Config{Path: path}, "a note"); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(ctx, []catalog.Layer{{Name: "low"}, {Name: "high"}}, nil); err != nil {
		t.Fatal(err)
	}
	return a
}

// Another opens the project a second time, as another process would.
func (a *Project) Another(t testing.TB) *Project { return open(t, a.Home(), a.path) }

func open(t testing.TB, home, path string) *Project {
	t.Helper()
	p, err := project.Open(context.Background(), home, project.Usual, project.Hooks{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.Close() })
	src := sources.Of(p, &sources.HealthBook{})
	return &Project{p, src, views.Of(p, src), path}
}

// Save keeps a view, given as layer.name.
func (a *Project) Save(t testing.TB, layer, name, text string) {
	t.Helper()
	if _, err := a.Views.Save(context.Background(), catalog.View{Layer: layer, Name: name, SQL: text}, a.Now().Catalog().View(layer+"."+name) != nil); err != nil {
		t.Fatalf("%s.%s: %v", layer, name, err)
	}
}

// Alter runs statements in the source's own file.
func (a *Project) Alter(t testing.TB, statements ...string) {
	t.Helper()
	execute(t, a.path, statements...)
}

func execute(t testing.TB, path string, statements ...string) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range statements {
		if _, err := db.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
}
