package sqlite

import (
	"context"
	"database/sql"
	"path/filepath"
	"testing"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
)

// A statement that is stopped while it begins leaves no transaction in its
// connection: the next one finds it as new.
func TestStoppedStatementsLeaveNoTransaction(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x.db")
	db, err := sql.Open("sqlite", path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec("CREATE TABLE t (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO t VALUES (1, 5)"); err != nil {
		t.Fatal(err)
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	s, err := New("s", connect.Config{Path: path})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	found, err := s.Discover(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	tables := []*catalog.Table{found.Tables[0]}
	for i := range 3000 {
		ctx, cancel := context.WithTimeout(t.Context(), time.Duration(i%200)*time.Microsecond)
		_ = s.Verify(ctx, tables, nil) // may be stopped anywhere
		if conn, err := s.db.Conn(t.Context()); err != nil {
			t.Fatal(err)
		} else if _, err := conn.ExecContext(t.Context(), "BEGIN"); err != nil {
			t.Fatalf("after %d statements: %v", i, err)
		} else {
			go cancel() // while rows are read, or their transaction ends
			if rows, err := conn.QueryContext(ctx, "WITH RECURSIVE r(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM r WHERE i < 50) SELECT i FROM r, t"); err == nil {
				rows.Next()
				_ = rows.Close()
			}
			_ = rollback(conn)
		}
		cancel()
		if err := s.Verify(t.Context(), tables, nil); err != nil {
			t.Fatalf("after %d statements: %v", i, err)
		}
	}
}
