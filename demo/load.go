package demo

import (
	"context"
	"database/sql"
	"fmt"
	"iter"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"rovik/core/value"
)

// LoadPostgres creates tables in the given schema and fills them.
func LoadPostgres(ctx context.Context, conn *pgx.Conn, schema string, tables []*Table) error {
	for _, t := range tables {
		var cols []string
		for _, c := range t.Cols {
			cols = append(cols, fmt.Sprintf("%s %s%s", c.Name, c.Type, notNull(c)))
		}
		cols = append(cols, t.constraints(schema+".")...)
		if _, err := conn.Exec(ctx, fmt.Sprintf("CREATE TABLE %s.%s (%s)", schema, t.Name, strings.Join(cols, ", "))); err != nil {
			return fmt.Errorf("creating %s: %w", t.Name, err)
		}
		names := make([]string, len(t.Cols))
		for i, c := range t.Cols {
			names[i] = c.Name
		}
		_, err := conn.CopyFrom(ctx, pgx.Identifier{schema, t.Name}, names, t.copying())
		if err != nil {
			return fmt.Errorf("filling %s: %w", t.Name, err)
		}
		if _, err := conn.Exec(ctx, fmt.Sprintf("ANALYZE %s.%s", schema, t.Name)); err != nil {
			return err
		}
	}
	return nil
}

// copying gives a table's rows one after the other.
func (t *Table) copying() pgx.CopyFromSource {
	if t.Stream == nil {
		return pgx.CopyFromRows(t.Rows)
	}
	next, stop := iter.Pull(t.Stream)
	return pgx.CopyFromFunc(func() ([]any, error) {
		row, ok := next()
		if !ok {
			stop()
			return nil, nil
		}
		return row, nil
	})
}

func notNull(c Col) string {
	if c.NotNull {
		return " NOT NULL"
	}
	return ""
}

func (t *Table) constraints(prefix string) []string {
	var out []string
	if len(t.Primary) > 0 {
		out = append(out, "PRIMARY KEY ("+strings.Join(t.Primary, ", ")+")")
	}
	for _, u := range t.Unique {
		out = append(out, "UNIQUE ("+strings.Join(u, ", ")+")")
	}
	for _, f := range t.Foreign {
		// The story's foreign keys go to a key that has the column's name, or
		// to rooms, whose key an object calls its home.
		key := strings.TrimPrefix(f.Column, "home_")
		out = append(out, fmt.Sprintf("FOREIGN KEY (%s) REFERENCES %s%s (%s)", f.Column, prefix, f.Table, key))
	}
	return out
}

// LoadMariaDB creates and fills tables in the connection's database.
func LoadMariaDB(ctx context.Context, db *sql.DB, tables []*Table) error {
	return loadSQL(ctx, db, tables, "ENGINE=InnoDB", func(c Col) string { return c.Native })
}

// LoadSQLite creates and fills tables in a file. Where the tables are another
// source's, stand-ins keep their types: see the SQLite source's DECIMAL_TEXT.
func LoadSQLite(ctx context.Context, db *sql.DB, tables []*Table) error {
	return loadSQL(ctx, db, tables, "", func(c Col) string {
		t, _ := value.ParseType(c.Type)
		switch {
		case c.Native != "" && !strings.ContainsAny(c.Native, "("): // archive's own
			if c.Type == "text" || c.Type == "bigint" {
				return c.Native
			}
		}
		switch t.Kind {
		case value.Numeric:
			return fmt.Sprintf("DECIMAL_TEXT(%d,%d)", t.Precision, t.Scale)
		case value.Text:
			return "TEXT"
		case value.Int2, value.Int4, value.Int8:
			return "INTEGER"
		}
		return strings.ToUpper(c.Type)
	})
}

func loadSQL(ctx context.Context, db *sql.DB, tables []*Table, options string, native func(Col) string) error {
	for _, t := range tables {
		var cols []string
		for _, c := range t.Cols {
			cols = append(cols, fmt.Sprintf("%s %s%s", c.Name, native(c), notNull(c)))
		}
		cols = append(cols, t.constraints("")...)
		if _, err := db.ExecContext(ctx, fmt.Sprintf("CREATE TABLE %s (%s) %s", t.Name, strings.Join(cols, ", "), options)); err != nil {
			return fmt.Errorf("creating %s: %w", t.Name, err)
		}
		if err := insertAll(ctx, db, t); err != nil {
			return fmt.Errorf("filling %s: %w", t.Name, err)
		}
	}
	return nil
}

// insertAll inserts in one transaction, many rows a statement.
func insertAll(ctx context.Context, db *sql.DB, t *Table) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }()
	const rowsEach = 400
	row := "(" + strings.TrimSuffix(strings.Repeat("?,", len(t.Cols)), ",") + ")"
	for start := 0; start < len(t.Rows); start += rowsEach {
		rows := t.Rows[start:min(start+rowsEach, len(t.Rows))]
		args := make([]any, 0, len(rows)*len(t.Cols))
		for _, r := range rows {
			for i, cell := range r {
				args = append(args, plainCell(t.Cols[i], cell))
			}
		}
		stmt := "INSERT INTO " + t.Name + " VALUES " + strings.TrimSuffix(strings.Repeat(row+",", len(rows)), ",")
		if _, err := tx.ExecContext(ctx, stmt, args...); err != nil {
			return err
		}
	}
	return tx.Commit()
}

// plainCell writes times as text, which MariaDB and SQLite both take.
func plainCell(c Col, cell any) any {
	t, ok := cell.(time.Time)
	if !ok {
		return cell
	}
	if c.Type == "date" {
		return t.Format("2006-01-02")
	}
	return t.UTC().Format("2006-01-02 15:04:05.000000")
}
