package records

import (
	"context"
	"database/sql"
	"fmt"
	"strings"
)

// Entry is something that can be searched for. Hash changes whenever what is said
// of it does.
type Entry struct {
	Name, Columns, Description, SQL string
	What                            string // "view" or "table"
	Hash                            string
}

// Match is an entry that has all words searched for. Around is where they stand,
// each word between \x02 and \x03.
type Match struct{ Name, What, Around string }

// Index makes the entries what can be searched for: only those whose hashes are
// others are written.
func (s *Store) Index(ctx context.Context, entries []Entry) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("indexing: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing, once it is committed
	have, err := indexed(ctx, tx)
	if err != nil {
		return fmt.Errorf("indexing: %w", err)
	}
	drop := func(row int64) error {
		if _, err := tx.ExecContext(ctx, "DELETE FROM search WHERE rowid = ?", row); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, "DELETE FROM search_entry WHERE id = ?", row)
		return err
	}
	for _, e := range entries {
		was, known := have[e.What+" "+e.Name]
		delete(have, e.What+" "+e.Name)
		if known && was.hash == e.Hash {
			continue
		}
		if known {
			if err := drop(was.row); err != nil {
				return fmt.Errorf("indexing %s: %w", e.Name, err)
			}
		}
		if err := addEntry(ctx, tx, e); err != nil {
			return fmt.Errorf("indexing %s: %w", e.Name, err)
		}
	}
	for name, gone := range have {
		if err := drop(gone.row); err != nil {
			return fmt.Errorf("indexing %s: %w", name, err)
		}
	}
	return tx.Commit()
}

func addEntry(ctx context.Context, tx *sql.Tx, e Entry) error {
	added, err := tx.ExecContext(ctx, "INSERT INTO search_entry (what, name, hash) VALUES (?, ?, ?)", e.What, e.Name, e.Hash)
	if err != nil {
		return err
	}
	row, err := added.LastInsertId()
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, "INSERT INTO search (rowid, name, columns, description, sql, what) VALUES (?, ?, ?, ?, ?, ?)", row, e.Name, e.Columns, e.Description, e.SQL, e.What)
	return err
}

type indexedEntry struct {
	row  int64
	hash string
}

func indexed(ctx context.Context, tx *sql.Tx) (map[string]indexedEntry, error) {
	rows, err := tx.QueryContext(ctx, "SELECT id, what, name, hash FROM search_entry")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := map[string]indexedEntry{}
	for rows.Next() {
		var e indexedEntry
		var what, name string
		if err := rows.Scan(&e.row, &what, &name, &e.hash); err != nil {
			return nil, err
		}
		out[what+" "+name] = e
	}
	return out, rows.Err()
}

// Search returns what has all the words, or words that begin with them, the best
// first: a name counts most, then columns, then what is said of it, then SQL.
func (s *Store) Search(ctx context.Context, words string, limit int) ([]Match, error) {
	var terms []string
	for _, w := range strings.FieldsFunc(words, func(r rune) bool { return strings.ContainsRune(" \t\n._\"", r) }) {
		terms = append(terms, `"`+w+`"*`)
	}
	out := []Match{}
	if len(terms) == 0 {
		return out, nil
	}
	// Ordered by rank alone, FTS5 makes snippets of those rows only that come out.
	rows, err := s.db.QueryContext(ctx, `SELECT name, what, snippet(search, -1, char(2), char(3), '…', 12) FROM search
		WHERE search MATCH ? AND rank MATCH 'bm25(10.0, 4.0, 3.0, 1.0)' ORDER BY rank LIMIT ?`, strings.Join(terms, " "), limit)
	if err != nil {
		return nil, fmt.Errorf("searching: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var m Match
		if err := rows.Scan(&m.Name, &m.What, &m.Around); err != nil {
			return nil, fmt.Errorf("searching: %w", err)
		}
		out = append(out, m)
	}
	return out, rows.Err()
}
