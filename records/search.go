package records

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
)

// EntryKey names something that can be searched for. What is "view" or "table".
type EntryKey struct{ What, Name string }

// Entry is something that can be searched for. Hash changes whenever what is said
// of it does.
type Entry struct {
	EntryKey
	Columns, Description, SQL string
	Hash                      string
}

// Match is an entry that has all words searched for. Around is where they stand,
// each word between \x02 and \x03.
type Match struct{ Name, What, Around string }

// Indexed returns the hashes of what can be searched for.
func (s *Store) Indexed(ctx context.Context) (map[EntryKey]string, error) {
	rows, err := s.db.QueryContext(ctx, "SELECT what, name, hash FROM search_entry")
	if err != nil {
		return nil, fmt.Errorf("reading what is indexed: %w", err)
	}
	defer rows.Close()
	out := map[EntryKey]string{}
	for rows.Next() {
		var key EntryKey
		var hash string
		if err := rows.Scan(&key.What, &key.Name, &hash); err != nil {
			return nil, fmt.Errorf("reading what is indexed: %w", err)
		}
		out[key] = hash
	}
	return out, rows.Err()
}

// Index adds or replaces entries, and drops those that are gone.
func (s *Store) Index(ctx context.Context, put []Entry, gone []EntryKey) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("indexing: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing, once it is committed
	for _, key := range gone {
		if err := dropEntry(ctx, tx, key); err != nil {
			return fmt.Errorf("indexing %s: %w", key.Name, err)
		}
	}
	for _, e := range put {
		if err := putEntry(ctx, tx, e); err != nil {
			return fmt.Errorf("indexing %s: %w", e.Name, err)
		}
	}
	return tx.Commit()
}

func dropEntry(ctx context.Context, tx *sql.Tx, key EntryKey) error {
	var row int64
	err := tx.QueryRowContext(ctx, "DELETE FROM search_entry WHERE what = ? AND name = ? RETURNING id", key.What, key.Name).Scan(&row)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err == nil {
		_, err = tx.ExecContext(ctx, "DELETE FROM search WHERE rowid = ?", row)
	}
	return err
}

func putEntry(ctx context.Context, tx *sql.Tx, e Entry) error {
	if err := dropEntry(ctx, tx, e.EntryKey); err != nil {
		return err
	}
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
