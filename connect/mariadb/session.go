package mariadb

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"fmt"
	"regexp"
	"strings"
	"sync"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/plan"
)

// pinned are the variables of a session that can change an answer, as Rovik's own
// sessions have them whatever the server says; see docs/quirks.md for the others.
var pinned = map[string]string{
	"time_zone": "'+00:00'", "tx_read_only": "1", "tx_isolation": "'REPEATABLE-READ'",
	// The server's cache of subquery results finds its entries by the
	// collation of the outer columns, whatever collation the subquery names.
	"optimizer_switch": "'subquery_cache=off'",
	// Joins by hash, above this, lose the NULLs that <=> finds.
	"join_cache_level": "2",
	"sql_mode":         "'STRICT_ALL_TABLES,NO_UNSIGNED_SUBTRACTION,ERROR_FOR_DIVISION_BY_ZERO'",
	"old_mode":         "''",
	"sql_select_limit": "18446744073709551615", "sql_big_selects": "1", "sql_auto_is_null": "0",
	"max_sort_length": fmt.Sprint(sortedBytes), "group_concat_max_len": "4294967295", "div_precision_increment": "4",
	"default_week_format": "0", "lc_time_names": "'en_US'", "sql_quote_show_create": "1",
	"character_set_results": "'utf8mb4'", "timestamp": "DEFAULT", "system_versioning_asof": "DEFAULT",
}

// sessions is what is known of connections, and of tables seen through them.
type sessions struct {
	ids sync.Map // driver connection: int64, its number at the server
	// verified are the definitions of tables in which they were as they are known.
	verified sync.Map // *catalog.Table: string
}

// id returns a connection's number at the server.
func (s *sessions) id(ctx context.Context, conn *sql.Conn) (int64, error) {
	var under any
	if err := conn.Raw(func(c any) error { under = c; return nil }); err != nil {
		return 0, err
	}
	if id, ok := s.ids.Load(under); ok {
		return id.(int64), nil
	}
	var id int64
	if err := conn.QueryRowContext(ctx, "SELECT CONNECTION_ID()").Scan(&id); err != nil {
		return 0, err
	}
	s.ids.Store(under, id)
	return id, nil
}

// drop closes a connection rather than give it back.
func (s *sessions) drop(conn *sql.Conn) {
	_ = conn.Raw(func(c any) error {
		s.ids.Delete(c)
		return driver.ErrBadConn
	})
}

// countedUp is the part of a table's definition that changes with its rows.
var countedUp = regexp.MustCompile(` AUTO_INCREMENT=\d+`)

// definition asks for the whole definition of a table, through the connection that
// a statement will run in; "" where there is none, as of a view whose columns may
// change without it.
func definition(ctx context.Context, conn *sql.Conn, t *catalog.Table) (string, error) {
	name := quote(t.Name)
	if t.Schema != "" {
		name = quote(t.Schema) + "." + name
	}
	rows, err := conn.QueryContext(ctx, "SHOW CREATE TABLE "+name)
	if err != nil {
		return "", nil // the user may not see it, or it is gone: the catalogue tells
	}
	defer rows.Close()
	cols, err := rows.Columns()
	if err != nil {
		return "", err
	}
	cells := make([]sql.NullString, len(cols))
	dest := make([]any, len(cols))
	for i := range cells {
		dest[i] = &cells[i]
	}
	for rows.Next() {
		if err := rows.Scan(dest...); err != nil {
			return "", err
		}
	}
	if err := rows.Err(); err != nil || len(cols) != 2 {
		return "", err
	}
	return countedUp.ReplaceAllString(cells[1].String, ""), nil
}

// verify compares tables with what is known of them, unless they have a
// definition with which that was done already.
func (s *Source) verify(ctx context.Context, conn *sql.Conn, tables []*catalog.Table, reads plan.Reads) error {
	var look []*catalog.Table
	var now []string
	for _, t := range tables {
		if t.Verbatim != "" {
			continue
		}
		d, err := definition(ctx, conn, t)
		if err != nil {
			return err
		}
		if known, ok := s.sessions.verified.Load(t); d == "" || !ok || known != d {
			look, now = append(look, t), append(now, d)
		}
	}
	if len(look) == 0 {
		return nil
	}
	fresh, err := s.described(ctx, conn, look)
	if err != nil {
		return err
	}
	for i, t := range look {
		is := fresh[i]
		if broken := t.Broken(is, reads[t]); broken != "" {
			return connect.Changed(s.name, broken)
		}
		if now[i] != "" && t.Broken(is, nil) == "" {
			s.sessions.verified.Store(t, now[i])
		}
	}
	return nil
}

// described reads what the catalogue says of tables now, through a connection; nil
// for one that is gone.
func (s *Source) described(ctx context.Context, conn *sql.Conn, tables []*catalog.Table) ([]*catalog.Table, error) {
	through := *s
	through.conn = conn
	out := make([]*catalog.Table, len(tables))
	byName := map[tableName]*catalog.Table{}
	for i, known := range tables {
		name := tableName{known.Schema, known.Name}
		if name.database == "" {
			name.database = databases(s.cfg)[0]
		}
		out[i] = &catalog.Table{Source: known.Source, Schema: known.Schema, Name: known.Name}
		byName[name] = out[i]
	}
	if err := through.columns(ctx, byName); err != nil {
		return nil, err
	}
	if err := through.keys(ctx, byName); err != nil {
		return nil, err
	}
	for i, t := range out {
		if len(t.Columns) == 0 && len(t.Left) == 0 {
			out[i] = nil
		}
	}
	return out, nil
}

// Verify fails where tables are not as they were known; see connect.Verifier.
func (s *Source) Verify(ctx context.Context, tables []*catalog.Table, reads plan.Reads) error {
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return s.explain(err)
	}
	defer conn.Close()
	return s.explain(s.verify(ctx, conn, tables, reads))
}

// utf8 reports whether a collation is of a character set that holds every text.
func utf8(collation string) bool { return strings.HasPrefix(collation, "utf8") }
