// Package records keeps what Rovik knows between starts, in one SQLite file:
// sources as they were last seen, layers, views and past runs.
package records

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"time"

	_ "modernc.org/sqlite" // the database/sql driver

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

//go:embed migrations/*.sql
var migrations embed.FS

// lockedFor is how long records are waited for that another process holds.
var lockedFor = 5 * time.Second

// maxRuns is how many past runs are kept.
const maxRuns = 500

// Store is an open records file.
type Store struct {
	db   *sql.DB
	home string

	mu         sync.Mutex
	unreadable []string // what is wrong with single rows that were read
}

// cannotRead notes a row that cannot be read: it costs itself alone.
func (s *Store) cannotRead(what string, err error) error {
	err = value.Errorf(value.CodeSource, "the records have %s, which cannot be read: %v", what, err).WithHint("put back a copy of the records, or make it anew")
	slog.Error("the records have a row that cannot be read", "row", what, "error", err)
	s.mu.Lock()
	defer s.mu.Unlock()
	if said := err.Error(); !slices.Contains(s.unreadable, said) {
		s.unreadable = append(s.unreadable, said)
	}
	return err
}

// Source is a source as it is kept. Found is nil until it was discovered.
type Source struct {
	Name, Kind, Note string
	Config           connect.Config
	Found            *catalog.Source
	FoundAt          time.Time
	Hidden           []string // tables that are not shown, as name or schema.name
	Shapes           []*shape.Shape
	Types            connect.ColumnTypes // that were chosen in the place of proposed ones
	Declared         []catalog.DeclaredKey
	Unreadable       error  // why the source cannot be used: its record cannot be read
	Kept             string // a digest of what is kept of it, its password among that
}

// Run is a past run. Report is its explain.Report as JSON.
type Run struct {
	ID, SQL, State, Error string
	BeganAt               time.Time
	Report                json.RawMessage
}

// Open opens the records in a folder, which it makes where it is missing, and
// brings them up to date.
func Open(home string) (*Store, error) {
	if err := os.MkdirAll(home, 0o700); err != nil {
		return nil, fmt.Errorf("making the folder for the records: %w", err)
	}
	path := filepath.Join(home, "records.db")
	dsn := url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(),
		RawQuery: "_pragma=journal_mode(wal)&_pragma=foreign_keys(1)&_pragma=busy_timeout(" + strconv.Itoa(int(lockedFor.Milliseconds())) + ")&_txlock=immediate"}
	db, err := sql.Open("sqlite", dsn.String())
	if err != nil {
		return nil, fmt.Errorf("opening the records %s: %w", path, err)
	}
	db.SetMaxOpenConns(4)
	if err := private(path); err != nil {
		_ = db.Close()
		return nil, fmt.Errorf("opening the records %s: %w", path, err)
	}
	before, err := migrate(db, home)
	if err != nil {
		_ = db.Close()
		return nil, fmt.Errorf("opening the records %s: %w", path, locked(home, damaged(home, err)))
	}
	if before > 0 { // else they are new, and empty
		if err := backup(db, home, backupEvery); err != nil {
			slog.Warn("the records have no copy of today", "error", err) // as on a full disk, where reading goes on
		}
	}
	return &Store{db: db, home: home}, nil
}

// private makes the records readable by no one else.
func private(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	return errors.Join(f.Chmod(0o600), f.Close())
}

// Close closes the file.
func (s *Store) Close() error { return s.db.Close() }

// migrate applies the migrations that the file has not seen, each in a
// transaction of its own. It returns the version that the file had.
func migrate(db *sql.DB, home string) (have int, err error) {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return 0, err
	}
	if err := db.QueryRow("PRAGMA user_version").Scan(&have); err != nil {
		return 0, err
	}
	switch {
	case have > len(names):
		return have, value.Errorf(value.CodeSource, "they are of a newer Rovik: their version is %d, and this one knows versions up to %d", have, len(names)).
			WithHint("use the newer one, or one of the copies in %s that are older", filepath.Join(home, "backups"))
	case have > 0 && have < len(names):
		if err := backup(db, home, 0); err != nil {
			return have, err
		}
	}
	for i, name := range names {
		if err := migrateOne(db, i+1, name); err != nil {
			return have, fmt.Errorf("migration %s: %w", name, err)
		}
	}
	return have, nil
}

func migrateOne(db *sql.DB, version int, name string) error {
	tx, err := db.Begin()
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }()
	var have int
	if err := tx.QueryRow("PRAGMA user_version").Scan(&have); err != nil || have >= version {
		return err
	}
	text, err := migrations.ReadFile(name)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(string(text)); err != nil {
		return err
	}
	if _, err := tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", version)); err != nil {
		return err
	}
	return tx.Commit()
}

const timeFormat = time.RFC3339Nano

// Sources returns all sources by name.
func (s *Store) Sources(ctx context.Context) ([]*Source, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT s.name, kind, note, config, found, found_at, hidden, shapes, types, declared, hex(sealed)
		FROM source s LEFT JOIN secret p ON p.name = s.name ORDER BY s.name`)
	if err != nil {
		return nil, fmt.Errorf("reading the sources: %w", err)
	}
	defer rows.Close()
	var out []*Source
	for rows.Next() {
		var src Source
		var config, hidden, shapes, types, declared string
		var found, at, sealed sql.NullString
		if err := rows.Scan(&src.Name, &src.Kind, &src.Note, &config, &found, &at, &hidden, &shapes, &types, &declared, &sealed); err != nil {
			return nil, fmt.Errorf("reading the sources: %w", err)
		}
		src.Kept = digest(src.Name, src.Kind, src.Note, config, hidden, shapes, types, declared, found.String, at.String, sealed.String)
		var k struct {
			config   keptConfig
			shapes   []keptShape
			declared []keptDeclared
			found    keptSource
		}
		err := errors.Join(json.Unmarshal([]byte(config), &k.config), json.Unmarshal([]byte(hidden), &src.Hidden), json.Unmarshal([]byte(shapes), &k.shapes), json.Unmarshal([]byte(types), &src.Types), json.Unmarshal([]byte(declared), &k.declared))
		if found.Valid {
			if ferr := json.Unmarshal([]byte(found.String), &k.found); ferr != nil {
				err, found.Valid = errors.Join(err, ferr), false
			}
		}
		if err != nil {
			// What could be read of it stays, so that what reads it is told why it cannot.
			src.Unreadable = s.cannotRead("the source "+src.Name, err)
		}
		src.Config, src.Shapes = k.config.config(), each(k.shapes, keptShape.shape)
		src.Declared = each(k.declared, func(d keptDeclared) catalog.DeclaredKey { return catalog.DeclaredKey(d) })
		if found.Valid {
			src.Found = k.found.found()
			src.FoundAt, _ = time.Parse(timeFormat, at.String)
		}
		out = append(out, &src)
	}
	return out, rows.Err()
}

// putSource adds or replaces a source.
func putSource(ctx context.Context, tx *sql.Tx, src *Source) error {
	if src.Unreadable != nil {
		return src.Unreadable // what stands there may be mended by hand yet
	}
	row, texts := []any{src.Name, src.Kind, src.Note}, []string{src.Name, src.Kind, src.Note}
	for _, part := range []any{configForm(src.Config), append([]string{}, src.Hidden...), append([]keptShape{}, each(src.Shapes, shapeForm)...), orEmpty(src.Types),
		append([]keptDeclared{}, each(src.Declared, func(d catalog.DeclaredKey) keptDeclared { return keptDeclared(d) })...)} {
		b, err := json.Marshal(part)
		if err != nil {
			return err
		}
		row, texts = append(row, string(b)), append(texts, string(b))
	}
	var found, at sql.NullString
	if src.Found != nil {
		b, err := json.Marshal(foundForm(src.Found))
		if err != nil {
			return err
		}
		found, at = sql.NullString{String: string(b), Valid: true}, sql.NullString{String: src.FoundAt.UTC().Format(timeFormat), Valid: true}
	}
	var sealed string
	if err := tx.QueryRowContext(ctx, "SELECT hex(sealed) FROM secret WHERE name = ?", src.Name).Scan(&sealed); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	src.Kept = digest(append(texts, found.String, at.String, sealed)...)
	_, err := tx.ExecContext(ctx, `INSERT INTO source (name, kind, note, config, hidden, shapes, types, declared, found, found_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET kind = excluded.kind, note = excluded.note, config = excluded.config, found = excluded.found,
			found_at = excluded.found_at, hidden = excluded.hidden, shapes = excluded.shapes, types = excluded.types, declared = excluded.declared`, append(row, found, at)...)
	return err
}

// digest stands for texts.
func digest(texts ...string) string {
	h := sha256.New()
	for _, t := range texts {
		fmt.Fprintf(h, "%d %s", len(t), t)
	}
	return string(h.Sum(nil))
}

// orEmpty is chosen types that are a JSON object where there are none.
func orEmpty(t connect.ColumnTypes) connect.ColumnTypes {
	if t == nil {
		return connect.ColumnTypes{}
	}
	return t
}

// Layers returns the layers, lowest first.
func (s *Store) Layers(ctx context.Context) ([]catalog.Layer, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT name, description FROM layer ORDER BY position")
	if err != nil {
		return nil, fmt.Errorf("reading the layers: %w", err)
	}
	defer rows.Close()
	var out []catalog.Layer
	for rows.Next() {
		var l catalog.Layer
		if err := rows.Scan(&l.Name, &l.Description); err != nil {
			return nil, fmt.Errorf("reading the layers: %w", err)
		}
		out = append(out, l)
	}
	return out, rows.Err()
}

// AddRun keeps a run, and drops the oldest past maxRuns.
func (s *Store) AddRun(ctx context.Context, r *Run) error {
	_, err := s.db.ExecContext(ctx, "INSERT INTO run (id, sql, began_at, state, error, report) VALUES (?, ?, ?, ?, ?, ?)",
		r.ID, r.SQL, r.BeganAt.UTC().Format(timeFormat), r.State, r.Error, string(r.Report))
	if err == nil {
		_, err = s.db.ExecContext(ctx, "DELETE FROM run WHERE id IN (SELECT id FROM run ORDER BY began_at DESC LIMIT -1 OFFSET ?)", maxRuns)
	}
	if err != nil {
		return fmt.Errorf("keeping the run %s: %w", r.ID, err)
	}
	return nil
}

// RunTexts returns the latest runs without their reports, newest first.
func (s *Store) RunTexts(ctx context.Context, limit int) ([]*Run, error) {
	return s.latestRuns(ctx, "''", limit)
}

// Runs returns the latest runs, newest first.
func (s *Store) Runs(ctx context.Context, limit int) ([]*Run, error) {
	return s.latestRuns(ctx, "report", limit)
}

func (s *Store) latestRuns(ctx context.Context, report string, limit int) ([]*Run, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT id, sql, began_at, state, error, "+report+" FROM run ORDER BY began_at DESC LIMIT ?", limit)
	if err != nil {
		return nil, fmt.Errorf("reading the runs: %w", err)
	}
	defer rows.Close()
	var out []*Run
	for rows.Next() {
		var r Run
		var began, report string
		if err := rows.Scan(&r.ID, &r.SQL, &began, &r.State, &r.Error, &report); err != nil {
			return nil, fmt.Errorf("reading the runs: %w", err)
		}
		r.BeganAt, _ = time.Parse(timeFormat, began)
		r.Report = json.RawMessage(report)
		out = append(out, &r)
	}
	return out, rows.Err()
}

// Home is the folder with the records.
func (s *Store) Home() string { return s.home }
