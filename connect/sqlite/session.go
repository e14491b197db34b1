package sqlite

import (
	"context"
	"database/sql"
	"slices"
	"sync"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/value"
)

// watch sees whether anybody changes the file.
type watch struct {
	// db has one connection, which stays open: SQLite tells each connection whether
	// others have changed the file since it was opened.
	db *sql.DB

	mu       sync.Mutex
	version  int64
	verified map[*catalog.Table]bool // as of the version
}

// now returns the version of the file's contents.
func (w *watch) now(ctx context.Context) (version int64, err error) {
	err = w.db.QueryRowContext(ctx, "PRAGMA data_version").Scan(&version)
	return version, err
}

// known reports whether a table was verified in a version of the file.
func (w *watch) known(t *catalog.Table, version int64) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.version == version && w.verified[t]
}

func (w *watch) note(tables []*catalog.Table, version int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.version != version {
		w.version, w.verified = version, nil
	}
	if w.verified == nil {
		w.verified = map[*catalog.Table]bool{}
	}
	for _, t := range tables {
		w.verified[t] = true
	}
}

// verify compares tables with what is known of them, their values' types
// included, which nothing in SQLite enforces. It does so once for each state of
// the file. The connection is in a transaction, whose snapshot begins here.
func (s *Source) verify(ctx context.Context, conn *sql.Conn, tables []*catalog.Table, reads plan.Reads) error {
	var schema int64
	if err := conn.QueryRowContext(ctx, "PRAGMA schema_version").Scan(&schema); err != nil {
		return err
	}
	// The snapshot has begun: what is the same now was the same then.
	version, err := s.watch.now(ctx)
	if err != nil {
		return err
	}
	var look []*catalog.Table
	for _, t := range tables {
		if t.Verbatim == "" && !s.watch.known(t, version) {
			look = append(look, t)
		}
	}
	if len(look) == 0 {
		return nil
	}
	through := *s
	through.conn = conn
	var whole []*catalog.Table
	for _, t := range look {
		is := &catalog.Table{Source: t.Source, Schema: t.Schema, Name: t.Name}
		if err := through.describe(ctx, is); err != nil {
			return err
		}
		if len(is.Columns) == 0 && len(is.Left) == 0 {
			is = nil
		}
		if is != nil {
			is.Columns = alike(t, is)
		}
		if broken := t.Broken(is, reads[t]); broken != "" {
			return connect.Changed(s.name, broken)
		}
		if t.Broken(is, nil) == "" {
			whole = append(whole, t)
		}
	}
	// Whether the file has changed meanwhile is another snapshot's question, but
	// then this one's answer says nothing of the new state.
	if again, err := s.watch.now(ctx); err != nil || again != version {
		return err
	}
	s.watch.note(whole, version)
	return nil
}

// alike reads columns as they were read before, where that reads what they hold now
// as well: nothing at all, or less than what was found.
func alike(known, is *catalog.Table) []catalog.Column {
	out := slices.Clone(is.Columns)
	for i := range out {
		now := &out[i]
		for _, was := range known.Columns {
			if was.Name != now.Name {
				continue
			}
			empty := is.Rows == 0 || now.NullShare == 1
			anyText := was.Type.Kind == value.Text && was.ReadAs == "TEXT" && now.Type.Kind != value.Bytea
			anyReal := was.Type.Kind == value.Float8 && was.ReadAs == "REAL" && (now.Type.Kind == value.Int8 || now.Type.Kind == value.Float8)
			if empty || anyText || anyReal {
				now.Type, now.ReadAs = was.Type, was.ReadAs
			}
		}
	}
	return out
}

// Verify fails where tables are not as they were known; see connect.Verifier.
func (s *Source) Verify(ctx context.Context, tables []*catalog.Table, reads plan.Reads) error {
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return s.explain(err)
	}
	if _, err = conn.ExecContext(ctx, "BEGIN"); err == nil {
		err = s.verify(ctx, conn, tables, reads)
	}
	if ended := rollback(conn); err == nil {
		err = ended
	}
	return s.explain(err)
}
