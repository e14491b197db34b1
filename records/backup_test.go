package records

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// alter runs statements in the records' own file.
func alter(t *testing.T, home string, statements ...string) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(home, "records.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, q := range statements {
		if _, err := db.Exec(q); err != nil {
			t.Fatal(err)
		}
	}
}

// filled are records with two sources and two views, and opened again by the caller.
func filled(t *testing.T) (home string) {
	t.Helper()
	home = t.TempDir()
	s, err := Open(home)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	c := Change{Layers: []catalog.Layer{{Name: "low"}}, Put: []*catalog.View{{Layer: "low", Name: "one", SQL: "SELECT 1 AS a"}, {Layer: "low", Name: "two", SQL: "SELECT 2 AS a"}}}
	for _, name := range []string{"archive", "store"} {
		c.Sources = append(c.Sources, &Source{Name: name, Kind: "sqlite", Config: connect.Config{Path: "/x"}})
	}
	if _, err := s.Apply(context.Background(), c, 0); err != nil {
		t.Fatal(err)
	}
	return home
}

// Records of a newer version, damaged ones and files that are none are refused with what to
// do, and left as they are.
func TestRecordsThatCannotBeUsed(t *testing.T) {
	for name, c := range map[string]struct {
		harm func(t *testing.T, home string)
		want []string
	}{
		"newer": {func(t *testing.T, home string) { alter(t, home, "PRAGMA user_version = 9999") }, []string{"of a newer Rovik", "9999", "backups"}},
		"no database": {func(t *testing.T, home string) {
			if err := os.WriteFile(filepath.Join(home, "records.db"), []byte(strings.Repeat("no database ", 1000)), 0o600); err != nil {
				t.Fatal(err)
			}
		}, []string{"are damaged", "the newest copy is", "records.db"}},
		"scrambled": {func(t *testing.T, home string) {
			alter(t, home, "PRAGMA journal_mode = delete")
			path := filepath.Join(home, "records.db")
			b, err := os.ReadFile(path)
			if err != nil {
				t.Fatal(err)
			}
			for i := 100; i < len(b); i++ {
				b[i] = byte(i)
			}
			if err := os.WriteFile(path, b, 0o600); err != nil {
				t.Fatal(err)
			}
		}, []string{"are damaged", "the newest copy is"}},
	} {
		home := filled(t)
		s, err := Open(home) // which makes a copy
		if err != nil {
			t.Fatal(err)
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		c.harm(t, home)
		before, err := os.ReadFile(filepath.Join(home, "records.db"))
		if err != nil {
			t.Fatal(err)
		}
		s, err = Open(home)
		if err == nil {
			_, err = s.Views(t.Context())
			_ = s.Close()
		}
		for _, want := range c.want {
			if err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%s: %v, want %q", name, err, want)
			}
		}
		if after, err := os.ReadFile(filepath.Join(home, "records.db")); err != nil || string(after) != string(before) {
			t.Errorf("%s: the file was changed: %v", name, err)
		}
	}
}

// One row that cannot be read costs itself alone, and is told.
func TestRowsThatCannotBeRead(t *testing.T) {
	home := filled(t)
	alter(t, home, "UPDATE source SET config = '{' WHERE name = 'archive'", "UPDATE view SET notes = 'no JSON' WHERE name = 'one'")
	s, err := Open(home)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	sources, err := s.Sources(t.Context())
	if err != nil || len(sources) != 2 || sources[0].Unreadable == nil || sources[1].Unreadable != nil {
		t.Errorf("the sources %v, %v", sources, err)
	}
	views, err := s.Views(t.Context())
	if err != nil || len(views) != 2 || views[0].SQL != "SELECT 1 AS a" {
		t.Errorf("the views %v, %v", views, err)
	}
	if _, err := s.Apply(t.Context(), Change{Sources: sources[:1]}, 1); err == nil || !strings.Contains(err.Error(), "cannot be read") {
		t.Errorf("what cannot be read is written over: %v", err)
	}
	wrong, err := s.Check()
	if err != nil || len(wrong) != 2 || !strings.Contains(wrong[0], "the source archive") || !strings.Contains(wrong[1], "the notes of low.one") {
		t.Errorf("the check says %q, %v", wrong, err)
	}
}

// Copies are made once a day and before a migration, readable by their owner alone, and few
// are kept.
func TestCopiesOfTheRecords(t *testing.T) {
	home := filled(t)
	count := func(want int) {
		t.Helper()
		if got := Backups(home); len(got) != want {
			t.Errorf("%d copies, want %d: %q", len(got), want, got)
		}
	}
	open := func() {
		t.Helper()
		s, err := Open(home)
		if err != nil {
			t.Fatal(err)
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
	}
	count(0) // new ones are empty
	open()
	count(1)
	open()
	count(1)
	aged := func() {
		t.Helper()
		for i, path := range Backups(home) {
			at := time.Now().Add(-time.Duration(i+2) * backupEvery)
			if err := os.Chtimes(path, at, at); err != nil {
				t.Fatal(err)
			}
		}
	}
	for range keptBackups + 3 {
		aged()
		open()
	}
	count(keptBackups)
	if info, err := os.Stat(Backups(home)[0]); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("a copy is %v, %v", info, err)
	}
	// The newest copy has all that the records had.
	copied := t.TempDir()
	b, err := os.ReadFile(Backups(home)[0])
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(copied, "records.db"), b, 0o600); err != nil {
		t.Fatal(err)
	}
	s, err := Open(copied)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if views, err := s.Views(t.Context()); err != nil || len(views) != 2 {
		t.Errorf("the copy has the views %v, %v", views, err)
	}
	// A migration makes one first, whatever the age of the last.
	if err := backup(s.db, copied, 0); err != nil || len(Backups(copied)) == 0 {
		t.Errorf("before a migration: %v", err)
	}
	if code := value.Code(damaged(home, os.ErrClosed)); code != "" {
		t.Errorf("another error is said to be damage: %s", code)
	}
}
