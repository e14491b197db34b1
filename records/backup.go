package records

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	sqlite "modernc.org/sqlite"
	sqlitelib "modernc.org/sqlite/lib"

	"rovik/core/value"
)

// Copies of the records are made before a migration and once a day, and so many are kept.
const (
	backupEvery = 24 * time.Hour
	keptBackups = 5
	backupStamp = "20060102-150405.000"
)

// Backups lists the copies of the records in a folder, newest first.
func Backups(home string) []string {
	found, err := filepath.Glob(filepath.Join(home, "backups", "records-*.db"))
	if err != nil {
		return nil // of a pattern that is none
	}
	slices.Sort(found)
	slices.Reverse(found)
	return found
}

// backup makes a copy of the records where the newest is older than so long.
func backup(db *sql.DB, home string, older time.Duration) error {
	dir := filepath.Join(home, "backups")
	have := Backups(home)
	if len(have) > 0 {
		if info, err := os.Stat(have[0]); err == nil && time.Since(info.ModTime()) < older {
			return nil
		}
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return fmt.Errorf("making a copy of the records: %w", err)
	}
	// What a copy that was cut short has left.
	parts, err := filepath.Glob(filepath.Join(dir, "records-*.db.part"))
	if err != nil {
		return err
	}
	for _, part := range parts {
		if info, err := os.Stat(part); err == nil && time.Since(info.ModTime()) > backupEvery {
			if err := os.Remove(part); err != nil {
				return fmt.Errorf("removing a copy of the records that was cut short: %w", err)
			}
		}
	}
	path := filepath.Join(dir, "records-"+time.Now().UTC().Format(backupStamp)+".db")
	// The file is made first, so that nobody else can read it at any time.
	if err := private(path + ".part"); err != nil {
		return fmt.Errorf("making a copy of the records: %w", err)
	}
	if _, err := db.Exec("VACUUM INTO ?", path+".part"); err != nil {
		return errors.Join(fmt.Errorf("making a copy of the records: %w", err), os.Remove(path+".part"))
	}
	if err := os.Rename(path+".part", path); err != nil {
		return fmt.Errorf("making a copy of the records: %w", err)
	}
	for _, old := range Backups(home)[min(keptBackups, len(have)+1):] {
		if err := os.Remove(old); err != nil {
			return fmt.Errorf("removing an old copy of the records: %w", err)
		}
	}
	return nil
}

// damaged says what to do where the records are no SQLite file, or a damaged one.
func damaged(home string, err error) error {
	var se *sqlite.Error
	if !errors.As(err, &se) || se.Code()&0xff != sqlitelib.SQLITE_CORRUPT && se.Code()&0xff != sqlitelib.SQLITE_NOTADB {
		return err
	}
	hint := "there is no copy of them; put back one of your own"
	if b := Backups(home); len(b) > 0 {
		hint = fmt.Sprintf("the newest copy is %s; to go on from it, put it in the place of %s", b[0], filepath.Join(home, "records.db"))
	}
	return value.Errorf(value.CodeSource, "the records in %s are damaged: %s", home, se.Error()).WithHint("%s", hint)
}

// locked says what to do where another process holds the records for longer than they are
// waited for.
func locked(home string, err error) error {
	var se *sqlite.Error
	if !errors.As(err, &se) || se.Code()&0xff != sqlitelib.SQLITE_BUSY && se.Code()&0xff != sqlitelib.SQLITE_LOCKED {
		return err
	}
	return value.Errorf(value.CodeSource, "another process has held the records in %s for more than %s", home, lockedFor).
		WithHint("look for what copies or changes records.db, then try again; nothing was changed")
}

// Check looks at all of the records, and says what is wrong with them.
func (s *Store) Check() ([]string, error) {
	rows, err := s.db.Query("SELECT * FROM pragma_integrity_check UNION ALL SELECT 'a row of ' || \"table\" || ' refers to one that is not there' FROM pragma_foreign_key_check")
	if err != nil {
		return nil, damaged(s.home, err)
	}
	defer rows.Close()
	var wrong []string
	for rows.Next() {
		var line string
		if err := rows.Scan(&line); err != nil {
			return nil, damaged(s.home, err)
		}
		if line != "ok" {
			wrong = append(wrong, strings.TrimSpace(line))
		}
	}
	if err := rows.Err(); err != nil {
		return nil, damaged(s.home, err)
	}
	return append(wrong, s.unreadable...), nil
}
