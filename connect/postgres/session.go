package postgres

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync/atomic"

	"github.com/jackc/pgx/v5/pgconn"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// pinned are the settings of a session that can change an answer, as Rovik's own
// sessions have them whatever the server, the database and the role say; see
// docs/quirks.md for the others.
var pinned = map[string]string{
	"default_transaction_read_only": "on", "default_transaction_isolation": "read committed", "row_security": "on",
	"timezone": "UTC", "timezone_abbreviations": "Default", "datestyle": "ISO, YMD", "intervalstyle": "postgres",
	"extra_float_digits": "1", "bytea_output": "hex", "xmlbinary": "base64", "xmloption": "content",
	"lc_monetary": "C", "lc_numeric": "C", "lc_time": "C", "default_text_search_config": "pg_catalog.simple",
	"transform_null_equals": "off", "array_nulls": "on", "quote_all_identifiers": "off", "gin_fuzzy_search_limit": "0",
	"standard_conforming_strings": "on", "backslash_quote": "safe_encoding",
}

const (
	// userPath is where a connection keeps the search path that its role has.
	userPath = "search_path"
	// settings is where a connection keeps its pinned settings, as it began with them.
	settings = "settings"
	// tableVersions is where a connection keeps what it knows of tables' versions, a
	// known by the table's name.
	tableVersions = "versions"
)

// known is what a connection knows of a table's version: the prepared statement that
// gives it, and what it was at a snapshot. While the snapshot is the same, nothing
// has been committed, and so is the version. A standby's snapshots do not list what
// is in progress, so that one has none here.
type known struct {
	statement, snapshot, version string
}

func versionsOf(conn *pgconn.PgConn) map[string]*known {
	versions, _ := conn.CustomData()[tableVersions].(map[string]*known)
	return versions
}

// settingNames are the names of pinned in their order.
var settingNames = slices.Sorted(maps.Keys(pinned))

// settingsSQL gives a session's pinned settings in one text.
var settingsSQL = func() string {
	var list []string
	for _, name := range settingNames {
		list = append(list, "pg_catalog.current_setting('"+name+"')")
	}
	return "pg_catalog.concat_ws('|', " + strings.Join(list, ", ") + ")"
}()

// prepareSession makes a new session find the functions and operators of
// pg_catalog alone: a database may have others of the same names. It fails where the
// session does not have the settings that it was asked to have, as behind a pooler.
func prepareSession(ctx context.Context, conn *pgconn.PgConn) error {
	res, err := conn.Exec(ctx, "SELECT pg_catalog.current_setting('search_path'); SET search_path = ''; SELECT "+settingsSQL).ReadAll()
	if err != nil {
		return err
	}
	has := string(res[2].Rows[0][0])
	for i, is := range strings.Split(has, "|") {
		if name := settingNames[i]; !strings.EqualFold(is, pinned[name]) {
			return value.Errorf(value.CodeSource, "the session has the setting %s = %q, and not %q as it was asked for", name, is, pinned[name]).
				WithHint("connect to the server itself, or have what stands between pass the settings of a session on")
		}
	}
	// Where the server can, it ends what nobody waits for any more, as where this process was killed.
	_, _ = conn.Exec(ctx, "SELECT pg_catalog.set_config(name, '2000', false) FROM pg_catalog.pg_settings WHERE name = 'client_connection_check_interval'").ReadAll()
	conn.CustomData()[userPath] = string(res[0].Rows[0][0])
	conn.CustomData()[settings] = has
	conn.CustomData()[tableVersions] = map[string]*known{}
	return nil
}

// checkSettings compares the pinned settings and the search path of a session, as it has
// them before a statement, with what it began with: something that another statement read, as a
// function in a view, may have set them. Such a session is not used again. A statement of the
// user's own has the user's path.
func (s *Source) checkSettings(conn *pgconn.PgConn, now, path string, own bool) error {
	if now == conn.CustomData()[settings] && (own || path == "" || path == `""`) {
		return nil
	}
	return value.Errorf(value.CodeConnection, "%s: the settings of the session were changed", s.name).
		WithHint("look for a function behind a view or a policy of this database that sets them")
}

// versionSQL gives the snapshot, empty on a standby, and, unless that is $1, the version of a table: what
// changes whenever its columns, keys or heirs do, and perhaps at other times; NULL
// where the table is gone. Then come the session's settings and its search path.
func versionSQL(t *catalog.Table) string {
	return `SELECT CASE WHEN pg_catalog.pg_is_in_recovery() THEN '' ELSE pg_catalog.txid_current_snapshot()::text END,
  CASE WHEN pg_catalog.txid_current_snapshot()::text = $1::text THEN NULL ELSE (
  SELECT ROW(c.oid, c.relhassubclass, ARRAY(SELECT a.xmin FROM pg_catalog.pg_attribute a WHERE a.attrelid = c.oid),
    ARRAY(SELECT i.xmin FROM pg_catalog.pg_index i WHERE i.indrelid = c.oid))
  FROM pg_catalog.pg_class c WHERE c.oid = pg_catalog.to_regclass(` + literal(qualified(t)) + `))::text END,
  ` + settingsSQL + `, pg_catalog.current_setting('search_path')`
}

// literal writes a text constant; standard_conforming_strings is on.
func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

// nextStatement numbers prepared statements.
var nextStatement atomic.Int64

// opening is what a statement's pipeline has been sent, in order, and what is read
// of it before the first row.
type opening struct {
	pipe   *pgconn.Pipeline
	tables []*catalog.Table // whose versions are asked for
	known  []*known         // of tables
	fresh  []bool           // by table: that is prepared first
	skip   int              // results before those
	own    bool             // the statement is somebody's own, with the search path of its user
}

// begin sends a statement in one round trip, which is one transaction: it is
// prepared, which keeps its tables as they are until the end; then their versions
// are asked for; then it runs.
func (s *Source) begin(ctx context.Context, conn *pgconn.PgConn, st *fold.Statement, text string) *opening {
	params := make([][]byte, len(st.Parameters))
	for i, p := range st.Parameters {
		params[i] = []byte(p.String())
	}
	o := &opening{pipe: conn.StartPipeline(ctx), skip: 1}
	own := false
	for _, t := range st.Tables {
		own = own || t.Verbatim != ""
		if t.Verbatim == "" {
			o.tables = append(o.tables, t)
		}
	}
	if own {
		// Its names mean what they mean to whoever wrote it, and whatever it sets
		// is taken back.
		path, _ := conn.CustomData()[userPath].(string)
		o.pipe.SendQueryParams("BEGIN READ ONLY", nil, nil, nil, nil)
		o.pipe.SendQueryParams("SET LOCAL search_path = "+path, nil, nil, nil, nil)
		o.skip, o.own = 3, true
	}
	o.pipe.SendPrepare("", text, nil)
	versions := versionsOf(conn)
	for _, t := range o.tables {
		k, there := versions[qualified(t)]
		if !there {
			k = &known{statement: fmt.Sprintf("rovik_version_%d", nextStatement.Add(1))}
			versions[qualified(t)] = k
			o.pipe.SendPrepare(k.statement, versionSQL(t), nil)
		}
		o.fresh, o.known = append(o.fresh, !there), append(o.known, k)
		o.pipe.SendQueryPrepared(k.statement, [][]byte{[]byte(k.snapshot)}, nil, nil)
	}
	o.pipe.SendQueryPrepared("", params, nil, []int16{1})
	if own {
		o.pipe.SendQueryParams("ROLLBACK", nil, nil, nil, nil)
	}
	return o
}

// qualified writes the name of a table.
func qualified(t *catalog.Table) string { return quote(t.Schema) + "." + quote(t.Name) }

// names writes the names of tables as an array of strings.
func names(tables []*catalog.Table) string {
	var list []value.Value
	for _, t := range tables {
		list = append(list, value.TextOf(qualified(t)))
	}
	return value.ListOf(value.Text, list).String()
}

// rows reads up to the statement's own rows. It fails where the statement does
// not give what was planned, or a table has changed.
func (o *opening) rows(ctx context.Context, s *Source, conn *pgconn.PgConn, st *fold.Statement) (*pgconn.ResultReader, error) {
	if err := o.pipe.Sync(); err != nil {
		return nil, err
	}
	var misfit error // told where the catalogue does not say better
	for range o.skip {
		result, err := o.pipe.GetResults()
		if err != nil {
			return nil, err
		}
		switch result := result.(type) {
		case *pgconn.ResultReader:
			if _, err := result.Close(); err != nil {
				return nil, err
			}
		case *pgconn.StatementDescription:
			misfit = fits(s.name, st, result.Fields)
		}
	}
	versions := make([]string, len(o.tables))
	for i := range o.tables {
		if o.fresh[i] {
			if _, err := o.pipe.GetResults(); err != nil {
				return nil, err
			}
		}
		result, err := o.result()
		if err != nil {
			return nil, err
		}
		var unsettled error
		for result.NextRow() {
			cells := result.Values()
			versions[i] = o.known[i].now(cells)
			unsettled = s.checkSettings(conn, string(cells[2]), string(cells[3]), o.own)
		}
		if _, err := result.Close(); err != nil {
			return nil, err
		}
		if unsettled != nil {
			drop(conn)
			return nil, unsettled
		}
	}
	if err := s.verify(ctx, o.tables, st.Reads, versions); err != nil {
		return nil, err
	}
	if misfit != nil {
		return nil, misfit
	}
	return o.result()
}

// now returns the version that a row of versionSQL gives, and keeps it.
func (k *known) now(cells [][]byte) string {
	if snapshot := string(cells[0]); snapshot == "" || snapshot != k.snapshot {
		k.snapshot, k.version = snapshot, string(cells[1])
	}
	return k.version
}

func (o *opening) result() (*pgconn.ResultReader, error) {
	result, err := o.pipe.GetResults()
	if err != nil {
		return nil, err
	}
	rows, ok := result.(*pgconn.ResultReader)
	if !ok {
		return nil, fmt.Errorf("the server answered with %T instead of rows", result)
	}
	return rows, nil
}

// verify compares tables with what is known of them, unless they have a version
// in which that was done already.
func (s *Source) verify(ctx context.Context, tables []*catalog.Table, reads plan.Reads, versions []string) error {
	var look []*catalog.Table
	for i, t := range tables {
		if v, ok := s.verified.Load(t); !ok || v != versions[i] || versions[i] == "" {
			look = append(look, t)
		}
	}
	if len(look) == 0 {
		return nil
	}
	fresh, err := s.described(ctx, look)
	if err != nil {
		return err
	}
	for i, t := range look {
		if broken := t.Broken(fresh[i], reads[t]); broken != "" {
			return connect.Changed(s.name, broken)
		}
		if t.Broken(fresh[i], nil) == "" {
			s.verified.Store(t, versions[slices.Index(tables, t)])
		}
	}
	return nil
}

// described reads what the catalogue says of tables now; nil for one that is gone.
func (s *Source) described(ctx context.Context, tables []*catalog.Table) ([]*catalog.Table, error) {
	out := make([]*catalog.Table, len(tables))
	byOID := map[uint32]*catalog.Table{}
	err := s.query(ctx, `SELECT n.ord, c.oid FROM unnest($1::text[]) WITH ORDINALITY n(name, ord) JOIN pg_class c ON c.oid = to_regclass(n.name)`,
		func(row func(...any) error) error {
			var at int64
			var oid uint32
			if err := row(&at, &oid); err != nil {
				return err
			}
			known := tables[at-1]
			t := &catalog.Table{Source: known.Source, Schema: known.Schema, Name: known.Name}
			out[at-1], byOID[oid] = t, t
			return nil
		}, names(tables))
	if err != nil {
		return nil, err
	}
	if err := s.columns(ctx, byOID); err != nil {
		return nil, err
	}
	return out, s.keys(ctx, byOID)
}

// Verify fails where tables are not as they were known; see connect.Verifier.
func (s *Source) Verify(ctx context.Context, tables []*catalog.Table, reads plan.Reads) error {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return s.explain(err)
	}
	defer conn.Release()
	versions := make([]string, len(tables))
	for i, t := range tables {
		res := conn.Conn().PgConn().ExecParams(ctx, versionSQL(t), [][]byte{{}}, nil, nil, nil).Read()
		if res.Err != nil {
			return s.explain(res.Err)
		}
		if len(res.Rows) > 0 {
			versions[i] = string(res.Rows[0][1])
		}
	}
	return s.verify(ctx, tables, reads, versions)
}

// wireTypes are the types that a column's kind may have on the wire; text has
// many.
var wireTypes = map[value.Kind]uint32{value.Bool: 16, value.Int2: 21, value.Int4: 23, value.Int8: 20, value.Float4: 700, value.Float8: 701,
	value.Numeric: 1700, value.Date: 1082, value.Time: 1083, value.Timestamp: 1114, value.TimestampTZ: 1184, value.Interval: 1186,
	value.Bytea: 17, value.UUID: 2950, value.JSON: 114, value.JSONB: 3802, value.Char: 1042}

// fits compares the types that a statement gives with those that were planned:
// the wire's binary form says nothing of them.
func fits(source string, st *fold.Statement, fields []pgconn.FieldDescription) error {
	for i, c := range st.Columns {
		if i >= len(fields) {
			return connect.Changed(source, "the statement gives fewer columns than were planned")
		}
		oid := fields[i].DataTypeOID
		want, known := wireTypes[c.Type.Kind]
		wrong := known && oid != want
		if c.Type.Kind == value.Text {
			for _, other := range wireTypes {
				wrong = wrong || oid == other && oid != wireTypes[value.Char]
			}
		}
		if wrong {
			return connect.Changed(source, fmt.Sprintf("the column %s is not of the type %s any more", c.Name, c.Type))
		}
	}
	return nil
}

// inUserPath works in a transaction in which names mean what they mean to the
// role, as a statement that somebody wrote expects.
func inUserPath(ctx context.Context, conn *pgconn.PgConn, work func() error) error {
	path, _ := conn.CustomData()[userPath].(string)
	if _, err := conn.Exec(ctx, "BEGIN READ ONLY; SET LOCAL search_path = "+path).ReadAll(); err != nil {
		return err
	}
	defer rollback(ctx, conn)
	return work()
}

// forget takes back the statements that a failed pipeline may not have prepared.
func (o *opening) forget(conn *pgconn.PgConn) {
	versions := versionsOf(conn)
	ctx, cancel := context.WithTimeout(context.Background(), closing)
	defer cancel()
	for i, fresh := range o.fresh {
		if fresh && !conn.IsClosed() && conn.Deallocate(ctx, o.known[i].statement) == nil {
			delete(versions, qualified(o.tables[i]))
		}
	}
}

// rollback ends a transaction that a failed pipeline left behind.
func rollback(ctx context.Context, conn *pgconn.PgConn) {
	if conn.TxStatus() != 'I' && !conn.IsClosed() {
		// Where this fails the connection is closed by the pool, which looks at it.
		_, _ = conn.Exec(context.WithoutCancel(ctx), "ROLLBACK").ReadAll()
	}
}
