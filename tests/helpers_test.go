package tests

import (
	"database/sql"
	"os"
	"path/filepath"
	"testing"

	_ "modernc.org/sqlite"

	"rovik/app"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// emptyProject is a project of its own, with nothing in it.
func emptyProject(t *testing.T) *app.App {
	t.Helper()
	a, err := app.Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	return a
}

func layersOf(names ...string) []catalog.Layer {
	var out []catalog.Layer
	for _, n := range names {
		out = append(out, catalog.Layer{Name: n})
	}
	return out
}

func viewsOf(layer, name, text string) []*catalog.View {
	return []*catalog.View{{Layer: layer, Name: name, SQL: text}}
}

// makeSQLite makes a SQLite file by statements and returns its path.
func makeSQLite(t *testing.T, statements ...string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "made.db")
	makeSQLiteAt(t, path, statements...)
	return path
}

func makeSQLiteAt(tb testing.TB, path string, statements ...string) {
	tb.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		tb.Fatal(err)
	}
	defer db.Close()
	for _, s := range statements {
		if _, err := db.Exec(s); err != nil {
			tb.Fatalf("%s: %v", s, err)
		}
	}
}

func configOf(path string) connect.Config { return connect.Config{Path: path} }

func openSQLite(t *testing.T, path string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	return db
}

// enterableDir makes a folder that the servers' user can get through, which
// t.TempDir's is not.
func enterableDir(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "rovik-servers-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	return dir
}

// hintOf is the advice that an error gives.
func hintOf(err error) string {
	if e, ok := err.(*value.Error); ok {
		return e.Hint
	}
	return ""
}
