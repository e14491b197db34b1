package mariadb

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/value"
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
	"max_sort_length": fmt.Sprint(sortedBytes), "group_concat_max_len": "1073741824", "div_precision_increment": "4",
	"default_week_format": "0", "lc_time_names": "'en_US'", "sql_quote_show_create": "1",
	"character_set_results": "'utf8mb4'", "timestamp": "DEFAULT", "system_versioning_asof": "DEFAULT",
}

// unreadable are pinned variables that have no value to read back.
var unreadable = map[string]bool{"timestamp": true}

// readBack are the variables that are read back, in order.
var readBack = slices.DeleteFunc(slices.Sorted(maps.Keys(pinned)), func(name string) bool { return unreadable[name] })

const settingsBreak = "|"

// settingsSQL gives a session's pinned variables in one text.
var settingsSQL = "CONCAT_WS('" + settingsBreak + "', @@session." + strings.Join(readBack, ", @@session.") + ")"

// switches are how variables that are on or off are read back.
var switches = map[string]string{"ON": "1", "OFF": "0"}

// hasPinned fails where a session does not have the variables that it was asked to have.
func hasPinned(settings string) error {
	for i, is := range strings.Split(settings, settingsBreak) {
		name := readBack[i]
		if n, isSwitch := switches[is]; isSwitch && n == pinned[name] {
			continue
		}
		want, has := strings.Split(strings.Trim(pinned[name], "'"), ","), strings.Split(is, ",")
		whole := name == "optimizer_switch" || len(want) == len(has) // that one is named in part
		if !whole || slices.ContainsFunc(want, func(w string) bool { return !slices.Contains(has, w) }) {
			return value.Errorf(value.CodeSource, "the session has the variable %s = '%s', and not %s as it was asked for", name, is, pinned[name]).
				WithHint("connect to the server itself, or have what stands between pass the variables of a session on")
		}
	}
	return nil
}

// session is what is known of a connection.
type session struct {
	id       int64  // its number at the server
	settings string // as it began; see settingsSQL
}

// connector opens connections that know what they began with.
type connector struct{ driver.Connector }

// conn is a connection with its session.
type conn struct {
	driverConn
	session session
}

// driverConn is what database/sql uses of the driver's connections.
type driverConn interface {
	driver.Conn
	driver.ConnBeginTx
	driver.ConnPrepareContext
	driver.ExecerContext
	driver.NamedValueChecker
	driver.Pinger
	driver.QueryerContext
	driver.SessionResetter
	driver.Validator
}

// Connect opens a connection. One that does not have the variables that were asked for is
// not used.
func (c connector) Connect(ctx context.Context) (driver.Conn, error) {
	opened, err := c.Connector.Connect(ctx)
	if err != nil {
		return nil, err
	}
	under, ok := opened.(driverConn)
	if !ok {
		return nil, errors.Join(fmt.Errorf("the driver's connections are of another kind: %T", opened), opened.Close())
	}
	is, err := began(ctx, under)
	if err == nil {
		err = hasPinned(is.settings)
	}
	if err != nil {
		return nil, errors.Join(err, opened.Close())
	}
	return &conn{under, is}, nil
}

// began asks a new connection for what it begins with.
func began(ctx context.Context, conn driver.QueryerContext) (is session, err error) {
	rows, err := conn.QueryContext(ctx, "SELECT CONNECTION_ID(), "+settingsSQL, nil)
	if err != nil {
		return is, err
	}
	cells := make([]driver.Value, 2)
	if err := errors.Join(rows.Next(cells), rows.Close()); err != nil {
		return is, err
	}
	is.settings = text(cells[1])
	is.id, err = strconv.ParseInt(text(cells[0]), 10, 64)
	return is, err
}

// text is a cell as the driver gives it.
func text(cell driver.Value) string {
	if b, ok := cell.([]byte); ok {
		return string(b)
	}
	return fmt.Sprint(cell)
}

// sessionOf returns the session of a connection.
func sessionOf(c *sql.Conn) (is session, err error) {
	err = c.Raw(func(under any) error {
		known, ok := under.(*conn)
		if !ok {
			return fmt.Errorf("a connection without its session: %T", under)
		}
		is = known.session
		return nil
	})
	return is, err
}

// unsettled reports whether a connection's variables are not those that it began with, or
// cannot be read.
func (is session) unsettled(conn *sql.Conn) bool {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	var now string
	return conn.QueryRowContext(ctx, "SELECT "+settingsSQL).Scan(&now) != nil || now != is.settings
}

// alone does what may run functions behind views, through a connection of its own, which is
// used again where its variables are still those that it began with.
func (s *Source) alone(ctx context.Context, work func(*Source) error) error {
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return s.explain(err)
	}
	defer conn.Close()
	through := *s
	through.conn = conn
	err = work(&through)
	if is, known := sessionOf(conn); known != nil || is.unsettled(conn) {
		drop(conn)
	}
	return err
}

// drop closes a connection rather than give it back.
func drop(conn *sql.Conn) {
	_ = conn.Raw(func(any) error { return driver.ErrBadConn })
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
// definition with which that was done already. It reports whether any may be a view,
// behind which there may be functions.
func (s *Source) verify(ctx context.Context, conn *sql.Conn, tables []*catalog.Table, reads plan.Reads) (views bool, err error) {
	var look []*catalog.Table
	var now []string
	for _, t := range tables {
		if t.Verbatim != "" {
			continue
		}
		d, err := definition(ctx, conn, t)
		if err != nil {
			return false, err
		}
		views = views || d == ""
		if known, ok := s.verified.Load(t); d == "" || !ok || known != d {
			look, now = append(look, t), append(now, d)
		}
	}
	if len(look) == 0 {
		return views, nil
	}
	fresh, err := s.described(ctx, conn, look)
	if err != nil {
		return false, err
	}
	for i, t := range look {
		is := fresh[i]
		if broken := t.Broken(is, reads[t]); broken != "" {
			return false, connect.Changed(s.name, broken)
		}
		if now[i] != "" && t.Broken(is, nil) == "" {
			s.verified.Store(t, now[i])
		}
	}
	return views, nil
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
	_, err = s.verify(ctx, conn, tables, reads)
	return s.explain(err)
}

// utf8 reports whether a collation is of a character set that holds every text.
func utf8(collation string) bool { return strings.HasPrefix(collation, "utf8") }
