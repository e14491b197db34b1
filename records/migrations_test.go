package records

import (
	"context"
	"database/sql"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rovik/core/catalog"
)

// atVersion makes records as a version of Rovik left them that knew so many
// migrations: a source, a layer with a view, and a run.
func atVersion(t *testing.T, version int) (home string) {
	t.Helper()
	home = t.TempDir()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(home, "records.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		t.Fatal(err)
	}
	for i, name := range names[:version] {
		if err := migrateOne(db, i+1, name); err != nil {
			t.Fatal(err)
		}
	}
	for _, q := range []string{
		`INSERT INTO source (name, kind, note, config) VALUES ('registry', 'postgresql', '', '{"host": "h"}')`,
		`INSERT INTO layer (name, position, description) VALUES ('low', 0, 'below')`,
		`INSERT INTO view (layer, name, sql, description, saved_at) VALUES ('low', 'shelf', 'SELECT 1 AS a', 'Shelves.', '2026-01-02T03:04:05Z')`,
		`INSERT INTO run (id, sql, began_at, state, report) VALUES ('r1', 'SELECT 1', '2026-01-02T03:04:05Z', 'done', '{}')`,
	} {
		if _, err := db.Exec(q); err != nil {
			t.Fatalf("at version %d: %s: %v", version, q, err)
		}
	}
	if version >= 9 { // from there on a view is kept with its revision
		if _, err := db.Exec(`INSERT INTO revision (layer, name, number, sql, description, saved_at) VALUES ('low', 'shelf', 1, 'SELECT 1 AS a', 'Shelves.', '2026-01-02T03:04:05Z')`); err != nil {
			t.Fatal(err)
		}
	}
	return home
}

// Records that any earlier version has left are brought up to date with all that is
// in them, and can be used.
func TestEveryEarlierVersionIsBroughtUpToDate(t *testing.T) {
	ctx := context.Background()
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		t.Fatal(err)
	}
	for version := 1; version <= len(names); version++ {
		home := atVersion(t, version)
		for range 2 { // the second time there is nothing to do
			s, err := Open(home)
			if err != nil {
				t.Fatalf("from version %d: %v", version, err)
			}
			check := func(what string, ok bool, err error) {
				t.Helper()
				if err != nil || !ok {
					t.Errorf("from version %d: %s: %v", version, what, err)
				}
			}
			sources, err := s.Sources(ctx)
			check("the source", len(sources) == 1 && sources[0].Name == "registry" && sources[0].Config.Host == "h", err)
			layers, err := s.Layers(ctx)
			check("the layer", len(layers) == 1 && layers[0] == catalog.Layer{Name: "low", Description: "below"}, err)
			views, err := s.Views(ctx)
			check("the view", len(views) == 1 && views[0].SQL == "SELECT 1 AS a" && views[0].Description == "Shelves." && views[0].Revision == 1 && views[0].Notes.Empty(), err)
			revisions, err := s.Revisions(ctx, "low", "shelf")
			check("its revision", len(revisions) == 1 && revisions[0].SQL == "SELECT 1 AS a" && !revisions[0].SavedAt.IsZero(), err)
			runs, err := s.Runs(ctx, 10)
			check("the run", len(runs) == 1 && runs[0].ID == "r1", err)
			known, err := s.Known(ctx)
			check("what is known", len(known) == 0, err)
			if err := s.Close(); err != nil {
				t.Fatal(err)
			}
		}
		s := open(t, home)
		v := &catalog.View{Layer: "low", Name: "shelf", SQL: "SELECT 2 AS a"}
		if err := put(s, Change{Put: []*catalog.View{v}, Message: "better", Base: 1}); err != nil || v.Revision != 2 {
			t.Errorf("from version %d: saving: %v, revision %d", version, err, v.Revision)
		}
		if err := s.Index(ctx, []Entry{{EntryKey: EntryKey{"view", "low.shelf"}, SQL: "SELECT 2 AS a", Hash: "x"}}, nil); err != nil {
			t.Errorf("from version %d: %v", version, err)
		}
		if found, err := s.Search(ctx, "shelf", 5); err != nil || len(found) != 1 {
			t.Errorf("from version %d: searching finds %v, %v", version, found, err)
		}
	}
}

// Texts that views had, and have no more, are found by words of theirs.
func TestEarlierTexts(t *testing.T) {
	ctx := context.Background()
	s := open(t, t.TempDir())
	if err := put(s, Change{Layers: []catalog.Layer{{Name: "low"}}}); err != nil {
		t.Fatal(err)
	}
	for i, text := range []string{"SELECT a FROM store.Shelf", "SELECT b FROM store.rack", "SELECT a FROM store.Shelf", "SELECT c FROM store.wall"} {
		v := &catalog.View{Layer: "low", Name: "v", SQL: text}
		if err := put(s, Change{Put: []*catalog.View{v}, Message: fmt.Sprint("step ", i), Base: AnyRevision}); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		words []string
		limit int
		want  string
	}{
		{[]string{"shelf"}, 10, "[3 1]"}, {[]string{"shelf", "RACK"}, 10, "[3 2 1]"}, {[]string{"shelf", "rack"}, 2, "[3 2]"},
		{[]string{"wall"}, 10, "[]"}, {[]string{"%"}, 10, "[]"}, {nil, 10, "[]"},
	} {
		got, err := s.EarlierTexts(ctx, c.words, c.limit)
		numbers := []int{}
		for _, v := range got {
			numbers = append(numbers, v.Revision)
		}
		if err != nil || fmt.Sprint(numbers) != c.want {
			t.Errorf("%v: %v, %v, want %s", c.words, numbers, err, c.want)
		}
	}
}

// sorted writes a list of names in their order.
func sorted(list string) string {
	names := strings.Fields(strings.Trim(list, "[]"))
	slices.Sort(names)
	return fmt.Sprint(names)
}

// Words are found where they begin words, all of them, the name first; whatever is
// typed is taken as words.
func TestSearching(t *testing.T) {
	ctx := context.Background()
	s := open(t, t.TempDir())
	entries := []Entry{
		{EntryKey: EntryKey{"view", "joined.loan"}, Columns: "loan_no, borrower", Description: "Loans that are out.", SQL: "SELECT * FROM intake.loan WHERE status = 'out'", Hash: "1"},
		{EntryKey: EntryKey{"view", "delivery.risk"}, Columns: "loan_no, uninsured", Description: "The gap of each loan's insurance.", SQL: "SELECT 1", Hash: "1"},
		{EntryKey: EntryKey{"table", "lending.loans"}, Columns: "loan_id", Hash: "1"},
		{EntryKey: EntryKey{"view", "intake.überblick"}, Columns: "größe", Description: "Été", Hash: "1"},
	}
	var gone []EntryKey
	index := func() {
		t.Helper()
		if err := s.Index(ctx, entries, gone); err != nil {
			t.Fatal(err)
		}
	}
	index()
	found := func(words string, limit int) string {
		t.Helper()
		list, err := s.Search(ctx, words, limit)
		if err != nil {
			t.Fatalf("%q: %v", words, err)
		}
		var out []string
		for _, m := range list {
			out = append(out, m.Name)
		}
		return fmt.Sprint(out)
	}
	for _, c := range []struct{ words, want string }{
		{"uninsured", "[delivery.risk]"}, {"unins", "[delivery.risk]"}, {"insured", "[]"}, {"gap insurance", "[delivery.risk]"}, {"gap borrower", "[]"},
		{"joined.loan", "[joined.loan]"}, {"loan_no", "[delivery.risk joined.loan]"}, {"GRÖSSE", "[]"}, {"größe", "[intake.überblick]"}, {"uberblick", "[intake.überblick]"}, {"ete", "[intake.überblick]"},
		{"", "[]"}, {"  ", "[]"}, {`"`, "[]"}, {"risk OR nothing", "[]"}, {"loan*", "[delivery.risk joined.loan lending.loans]"}, {"-loan", "[delivery.risk joined.loan lending.loans]"}, {"NEAR(loan", "[]"}, {"status = 'out'", "[joined.loan]"}, {"col:umn", "[]"}, {"(", "[]"},
	} {
		got := found(c.words, 10)
		if names := sorted(got); names != c.want {
			t.Errorf("%q finds %s, want %s", c.words, names, c.want)
		}
	}
	if got := found("loan", 1); got != "[joined.loan]" && got != "[lending.loans]" {
		t.Errorf("the best of one is %s", got)
	}
	// What is other by now is found by its new words, what is gone is not.
	entries[0].Description, entries[0].Hash = "Who has what.", "2"
	gone = []EntryKey{entries[2].EntryKey, entries[3].EntryKey}
	entries = entries[:2]
	index()
	if a, b, c := found("who", 5), found("that are out", 5), found("überblick", 5); a != "[joined.loan]" || b != "[]" || c != "[]" {
		t.Errorf("after a change: %s %s %s", a, b, c)
	}
	index()
	if got := found("loan", 9); sorted(got) != "[delivery.risk joined.loan]" {
		t.Errorf("indexed twice: %s", got)
	}
}
