package sqlite

import (
	"bytes"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rovik/connect"
)

// filled makes a file of tables, views and virtual tables.
func filled(t *testing.T) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "x.db")
	db, err := sql.Open("sqlite", path)
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range []string{"CREATE TABLE item (id INTEGER PRIMARY KEY, name TEXT COLLATE NOCASE)", "INSERT INTO item VALUES (1, 'vase'), (2, 'bowl')", "CREATE INDEX by_name ON item (name)",
		"CREATE VIEW shelf AS SELECT id, upper(name) AS name, row_number() OVER (ORDER BY id) AS n FROM item", "CREATE VIRTUAL TABLE words USING fts5(text)", "INSERT INTO words VALUES ('a blue vase')",
		"CREATE VIRTUAL TABLE place USING rtree(id, x0, x1)", "INSERT INTO place VALUES (1, 0, 2)", "CREATE TRIGGER t AFTER INSERT ON item BEGIN DELETE FROM item; END"} {
		if _, err := db.Exec(q); err != nil {
			t.Fatal(q, err)
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

// Whatever a statement says, a file is read and nothing else is done: not to it, not to
// others, not to the connection.
func TestFilesAreOnlyRead(t *testing.T) {
	path := filled(t)
	before, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	s, err := New("s", connect.Config{Path: path})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	other := filepath.Join(filepath.Dir(path), "other.db")
	for _, q := range []string{"INSERT INTO item VALUES (3, 'x')", "UPDATE item SET name = 'x'", "DELETE FROM item", "DROP TABLE item", "CREATE TABLE more (a)", "CREATE TEMP TABLE more (a)", "CREATE TEMP VIEW more AS SELECT 1",
		"ALTER TABLE item RENAME TO more", "REINDEX", "ANALYZE", "VACUUM", "VACUUM INTO '" + other + "'", "ATTACH '" + other + "' AS other", "ATTACH ':memory:' AS m", "DETACH main", "SAVEPOINT a",
		"PRAGMA query_only = 0", "PRAGMA query_only(off)", "PRAGMA schema_version = 5", "PRAGMA writable_schema = 1", "PRAGMA journal_mode = wal", "PRAGMA case_sensitive_like = 1", "PRAGMA temp_store_directory = '/tmp'", "PRAGMA encoding = 'UTF-16'",
		"PRAGMA wal_checkpoint", "PRAGMA optimize", "PRAGMA trusted_schema = 1", "PRAGMA load_extension", "SELECT load_extension('/tmp/x.so')", "SELECT LOAD_Extension('x')", "SELECT * FROM pragma_wal_checkpoint()", "SELECT * FROM pragma_query_only(0)", "SELECT * FROM pragma_optimize()",
		"INSERT INTO words VALUES ('x')", "DELETE FROM place_node", "INSERT INTO place VALUES (2, 0, 1)", "INSERT INTO words(words) VALUES ('optimize')", "WITH a AS (SELECT 1) INSERT INTO item SELECT 7, 'x' FROM a RETURNING id"} {
		rows, err := s.db.QueryContext(t.Context(), q)
		if err == nil {
			for rows.Next() {
			}
			err = rows.Err()
			_ = rows.Close()
		}
		if err == nil || !strings.Contains(err.Error(), "not authorized") && !strings.Contains(err.Error(), "authorization denied") && !strings.Contains(err.Error(), "too many arguments") && !strings.Contains(err.Error(), "readonly database") && !strings.Contains(err.Error(), "no such") && !strings.Contains(err.Error(), "unsafe use") && !strings.Contains(err.Error(), "prohibited") {
			t.Errorf("%s: %v", q, err)
		}
	}
	if left, err := filepath.Glob(filepath.Join(filepath.Dir(path), "*")); err != nil || len(left) != 1 {
		t.Errorf("%q are there, %v", left, err)
	}
	if after, err := os.ReadFile(path); err != nil || !bytes.Equal(before, after) {
		t.Errorf("the file changed, %v", err)
	}
	found, err := s.Discover(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for name, columns := range map[string]int{"item": 2, "shelf": 3, "words": 1, "place": 3} {
		has := -1
		for _, table := range found.Tables {
			if table.Name == name {
				has = len(table.Columns)
			}
		}
		if has != columns {
			t.Errorf("%s has %d columns that can be read, not %d", name, has, columns)
		}
	}
	for q, want := range map[string]string{"SELECT group_concat(n || name) FROM shelf": "1VASE,2BOWL", "SELECT text FROM words WHERE words MATCH 'blue'": "a blue vase", "SELECT x1 FROM place WHERE x0 < 1": "2",
		"WITH RECURSIVE r(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM r WHERE i < 5) SELECT sum(i) FROM r": "15", "SELECT id FROM item WHERE name = 'VASE'": "1", "SELECT name FROM pragma_table_xinfo('item') LIMIT 1": "id"} {
		var got string
		if err := s.db.QueryRowContext(t.Context(), q).Scan(&got); err != nil || got != want {
			t.Errorf("%s gives %q, %v", q, got, err)
		}
	}
}
