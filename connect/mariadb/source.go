// Package mariadb connects MariaDB.
package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"strings"
	"sync"
	"time"

	"github.com/go-sql-driver/mysql"

	"rovik/connect"
	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/value"
)

// countBelow is the estimated size up to which tables are counted and their
// dates checked, since InnoDB's estimates are far off.
const countBelow = 2_000_000

// Source is a connected MariaDB database, or several of one server, whose
// tables then are named with their database.
type Source struct {
	name  string
	cfg   connect.Config
	db    *sql.DB
	types connect.ColumnTypes
	conn  *sql.Conn // where set, what the catalogue is read through
	// verified are the definitions of tables in which they were as they are known.
	verified *sync.Map // *catalog.Table: string
}

// New prepares a source; it connects when first used.
func New(name string, cfg connect.Config) (*Source, error) {
	password, err := cfg.Password()
	if err != nil {
		return nil, err
	}
	mc := mysql.NewConfig()
	mc.User, mc.Passwd, mc.Net, mc.Addr = cfg.User, password, "tcp", cfg.Address()
	if names := databases(cfg); len(names) > 0 {
		mc.DBName = names[0] // where verbatim queries look names up
	}
	mc.Timeout = 5 * time.Second
	mc.Logger = &mysql.NopLogger{} // what it would say is in the errors
	mc.Collation = "utf8mb4_general_ci"
	mc.Params = maps.Clone(pinned)
	if mc.TLS, err = cfg.TLSConfig(); err != nil {
		return nil, err
	}
	mc.AllowCleartextPasswords = cfg.TLSMode() == connect.TLSVerify // else it might go to anybody
	mc.AllowFallbackToPlaintext = cfg.TLSMode() == connect.TLSPrefer
	opens, err := mysql.NewConnector(mc)
	if err != nil {
		return nil, fmt.Errorf("preparing the connection to %s: %w", name, err)
	}
	db := sql.OpenDB(connector{opens})
	db.SetMaxOpenConns(cfg.Limits.Full().Connections)
	db.SetMaxIdleConns(cfg.Limits.Full().Connections)
	return &Source{name: name, cfg: cfg, db: db, verified: &sync.Map{}}, nil
}

// Proposes reports that columns have types of their own; see connect.Typer.
func (s *Source) Proposes() bool { return false }

// WithTypes returns the source with columns that cannot be carried read as text;
// see connect.Typer.
func (s *Source) WithTypes(types connect.ColumnTypes) connect.Source {
	out := *s
	out.types = types
	return &out
}

// databases are those that a source is made of; none stands for all that its
// user may read.
func databases(cfg connect.Config) []string {
	var out []string
	for _, name := range strings.Split(cfg.Database, ",") {
		if name = strings.TrimSpace(name); name != "" {
			out = append(out, name)
		}
	}
	return out
}

// inDatabases is a condition on the column of information_schema that holds a
// database's name.
func (s *Source) inDatabases(column string) string {
	names := databases(s.cfg)
	if len(names) == 0 {
		return column + " NOT IN ('information_schema', 'performance_schema', 'mysql', 'sys')"
	}
	for i, name := range names {
		names[i] = literal(name)
	}
	return column + " IN (" + strings.Join(names, ", ") + ")"
}

// few is how many tables are named one by one in a question to the catalogue.
const few = 20

// only is a condition for the rows of information_schema that tell of tables.
func (s *Source) only(column string, tables map[tableName]*catalog.Table) string {
	if len(tables) > few {
		return s.inDatabases(column)
	}
	var list []string
	for n := range tables {
		list = append(list, fmt.Sprintf("(%s = %s AND table_name = %s)", column, literal(n.database), literal(n.table)))
	}
	return "(" + strings.Join(append(list, "FALSE"), " OR ") + ")"
}

// literal writes a text so that it means the same in every SQL mode.
func literal(text string) string { return fmt.Sprintf("X'%X'", text) }

// tableName is a table's database and name.
type tableName struct{ database, table string }

// Close ends all connections.
func (s *Source) Close() { _ = s.db.Close() }

// Measures reports whether found has all quirks; see connect.Source.
func (s *Source) Measures(found *catalog.Source) bool { return sqldb.Complete(probes, found) }

// Folding judges plans; see connect.Source.
func (s *Source) Folding(found *catalog.Source) fold.Source {
	return &sqldb.Source{Dialect: dialect, Catalog: found}
}

func (s *Source) explain(err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	var ve *value.Error
	if errors.As(err, &ve) {
		return connect.InSource(s.name, ve)
	}
	var me *mysql.MySQLError
	if errors.As(err, &me) {
		switch me.Number {
		case 1045:
			return value.Errorf(value.CodeSource, "%s: MariaDB at %s did not accept the user %s and its password", s.name, s.cfg.Address(), s.cfg.User).
				WithHint("%s", s.cfg.CheckPassword())
		case 1044, 1049:
			for _, name := range databases(s.cfg) {
				if strings.Contains(me.Message, "'"+name+"'") {
					return s.noDatabase(name)
				}
			}
		case 1054, 1146:
			return connect.Changed(s.name, me.Message)
		case 1690:
			return value.Errorf(value.CodeOutOfRange, "bigint out of range (%s: %s)", s.name, me.Message)
		}
		return value.Errorf(value.CodeSource, "%s (MariaDB) says: %s", s.name, me.Message)
	}
	if t := connect.TLSFailed(s.name, s.cfg, err); t != nil {
		return t
	}
	if u := connect.Unreachable(s.name, "MariaDB", s.cfg, err); u != nil {
		return u
	}
	for _, refused := range []error{mysql.ErrCleartextPassword, mysql.ErrOldPassword, mysql.ErrNativePassword, mysql.ErrUnknownPlugin} {
		if errors.Is(err, refused) {
			return value.Errorf(value.CodeSource, "%s: MariaDB at %s asks for the password of %s in a form that is not sent", s.name, s.cfg.Address(), s.cfg.User).
				WithHint("a password goes in the clear in the TLS mode verify alone; else give the user another way to sign in, as ed25519")
		}
	}
	return value.Errorf(value.CodeConnection, "%s: the connection to MariaDB broke: %s", s.name, err).WithHint("check the server, then try again")
}

// Open starts a statement; see connect.Source. A cancelled context ends the
// statement at the server too, which the driver alone would not do.
func (s *Source) Open(ctx context.Context, st *fold.Statement, text string) (exec.Reader, error) {
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return nil, s.explain(err)
	}
	var views bool
	session, err := sessionOf(conn)
	if err == nil {
		views, err = s.verify(ctx, conn, st.Tables, st.Reads)
	}
	if err != nil {
		_ = conn.Close()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, s.explain(err)
	}
	killed := make(chan struct{})
	stopWatching := context.AfterFunc(ctx, func() {
		defer close(killed)
		kill, done := context.WithTimeout(context.Background(), 5*time.Second)
		defer done()
		// Where this fails the connection is closed anyway, and the server
		// notices when it next writes.
		_, _ = s.db.ExecContext(kill, fmt.Sprintf("KILL QUERY %d", session.id))
	})
	release := func() error {
		dropped := false
		if !stopWatching() {
			// The kill may still be on its way: let it not hit whoever uses the
			// connection next.
			<-killed
			dropped = true
		} else if sqldb.HasVerbatim(st) || views && session.unsettled(conn) {
			dropped = true // what it may have set goes with it
		}
		if dropped {
			drop(conn)
			return nil
		}
		return conn.Close()
	}
	rows, err := conn.QueryContext(ctx, text, sqldb.Arguments(st)...)
	if err != nil {
		_ = release()
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, s.explain(err)
	}
	return sqldb.NewRows(rows, st, value.Kind.IsTime, s.explain, release), nil
}

// Plan returns MariaDB's EXPLAIN, a line a table; see connect.Source.
func (s *Source) Plan(ctx context.Context, st *fold.Statement) ([]string, error) {
	var lines []string
	err := s.alone(ctx, func(s *Source) error {
		return s.query(ctx, "EXPLAIN "+st.Text, func(r *sql.Rows) error {
			names, err := r.Columns()
			if err != nil {
				return err
			}
			cells := make([]sql.NullString, len(names))
			dest := make([]any, len(names))
			for i := range cells {
				dest[i] = &cells[i]
			}
			if err := r.Scan(dest...); err != nil {
				return err
			}
			var parts []string
			for i, c := range cells {
				if c.Valid && c.String != "" && names[i] != "id" {
					parts = append(parts, names[i]+": "+c.String)
				}
			}
			lines = append(lines, strings.Join(parts, ", "))
			return nil
		}, sqldb.Arguments(st)...)
	})
	return lines, err
}

func (s *Source) query(ctx context.Context, text string, scan func(*sql.Rows) error, args ...any) error {
	ask := s.db.QueryContext
	if s.conn != nil {
		ask = s.conn.QueryContext
	}
	rows, err := ask(ctx, text, args...)
	if err != nil {
		return s.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		if err := scan(rows); err != nil {
			return fmt.Errorf("reading the catalogue of %s: %w", s.name, err)
		}
	}
	return s.explain(rows.Err())
}

// Discover reads information_schema; see connect.Source.
func (s *Source) Discover(ctx context.Context) (*catalog.Source, error) {
	// Settings altered at the server hold for new sessions alone: what is
	// measured has to hold for those that statements will run in.
	s.db.SetMaxIdleConns(0)
	s.db.SetMaxIdleConns(s.cfg.Limits.Full().Connections)
	found := &catalog.Source{Name: s.name, Kind: "mariadb", Quirks: map[string]catalog.Quirk{}}
	if err := s.present(ctx); err != nil {
		return nil, err
	}
	tables := map[tableName]*catalog.Table{}
	err := s.query(ctx, `SELECT table_schema, table_name, COALESCE(table_rows, 0) FROM information_schema.tables
		WHERE `+s.inDatabases("table_schema")+` ORDER BY table_schema, table_name`, func(r *sql.Rows) error {
		var database string
		t := &catalog.Table{Source: s.name}
		if err := r.Scan(&database, &t.Name, &t.Rows); err != nil {
			return err
		}
		if len(databases(s.cfg)) != 1 {
			t.Schema = database
		}
		tables[tableName{database, t.Name}] = t
		found.Tables = append(found.Tables, t)
		return nil
	})
	if err != nil {
		return nil, err
	}
	if err := s.columns(ctx, tables); err != nil {
		return nil, err
	}
	if err := s.keys(ctx, tables); err != nil {
		return nil, err
	}
	for _, t := range found.Tables {
		if err := s.alone(ctx, func(s *Source) error { return s.measureTable(ctx, t) }); err != nil {
			return nil, err
		}
	}
	err = s.query(ctx, "SELECT VERSION()", func(r *sql.Rows) error { return r.Scan(&found.Version) })
	if err != nil {
		return nil, err
	}
	return found, sqldb.Measure(found, probes, func(text string) (out string, err error) {
		var v sql.NullString
		err = s.query(ctx, text, func(r *sql.Rows) error { return r.Scan(&v) })
		if !v.Valid {
			return "NULL", err
		}
		return v.String, err
	})
}

// present fails where one of the databases is not there, or not to be seen.
func (s *Source) present(ctx context.Context) error {
	there := map[string]bool{}
	err := s.query(ctx, "SELECT schema_name FROM information_schema.schemata", func(r *sql.Rows) error {
		var name string
		defer func() { there[name] = true }()
		return r.Scan(&name)
	})
	for _, name := range databases(s.cfg) {
		if err == nil && !there[name] {
			err = s.noDatabase(name)
		}
	}
	return err
}

func (s *Source) noDatabase(name string) error {
	return value.Errorf(value.CodeSource, "%s: MariaDB at %s has no database called %s that %s may use", s.name, s.cfg.Address(), name, s.cfg.User).
		WithHint("check the database name, and what the user is granted")
}

func (s *Source) columns(ctx context.Context, tables map[tableName]*catalog.Table) error {
	return s.query(ctx, `SELECT table_schema, table_name, column_name, data_type, column_type, is_nullable = 'YES',
		COALESCE(numeric_precision, 0), COALESCE(numeric_scale, 0), COALESCE(collation_name, '')
		FROM information_schema.columns WHERE `+s.only("table_schema", tables)+` ORDER BY table_schema, table_name, ordinal_position`, func(r *sql.Rows) error {
		var of tableName
		var data string
		var c catalog.Column
		var precision, scale int
		if err := r.Scan(&of.database, &of.table, &c.Name, &data, &c.Native, &c.Nullable, &precision, &scale, &c.Collation); err != nil {
			return err
		}
		t := tables[of]
		switch {
		case t == nil:
		case typed(&c, data, precision, scale):
			t.Columns = append(t.Columns, c)
		case s.types.Text(t.LocalName(), c.Name):
			c.Type, c.ReadAs, c.Chosen, c.Collation = value.Of(value.Text), asText(data, c.Native), true, ""
			c.Note = "Rovik has no type like " + c.Native + "; the column is read as text, as was chosen."
			t.Columns = append(t.Columns, c)
		default:
			t.Left = append(t.Left, catalog.LeftColumn{Name: c.Name, Native: c.Native, Reason: "Rovik has no type like " + c.Native + ".", AsText: textForm(data)})
		}
		return nil
	})
}

// typed maps a column's type; false means that it cannot be carried.
func typed(c *catalog.Column, data string, precision, scale int) bool {
	unsigned := strings.Contains(c.Native, "unsigned")
	kind := map[string]value.Kind{
		"tinyint": value.Int2, "smallint": value.Int2, "mediumint": value.Int4, "int": value.Int4, "bigint": value.Int8,
		"double": value.Float8, "date": value.Date, "datetime": value.Timestamp, "timestamp": value.TimestampTZ,
		"char": value.Text, "varchar": value.Text, "tinytext": value.Text, "text": value.Text, "mediumtext": value.Text,
		"longtext": value.Text, "enum": value.Text, "set": value.Text, "json": value.Text,
		"binary": value.Bytea, "varbinary": value.Bytea, "tinyblob": value.Bytea, "blob": value.Bytea, "mediumblob": value.Bytea, "longblob": value.Bytea,
	}
	c.Type = value.Of(kind[data])
	switch {
	case data == "smallint" && unsigned:
		c.Type = value.Of(value.Int4)
	case data == "int" && unsigned:
		c.Type = value.Of(value.Int8)
	case data == "bigint" && unsigned:
		c.Type = value.Type{Kind: value.Numeric, Precision: 20}
	case data == "decimal" && precision <= value.MaxDigits:
		c.Type = value.Type{Kind: value.Numeric, Precision: precision, Scale: scale}
	case data == "float":
		c.Type, c.ReadAs = value.Of(value.Float8), "DOUBLE"
		c.Note = "Read as double precision, which holds every float exactly."
	case data == "year":
		c.Type, c.ReadAs = value.Of(value.Int8), "SIGNED"
	case data == "decimal", data == "time", data == "uuid", data == "inet4", data == "inet6":
		c.Type, c.ReadAs = value.Of(value.Text), "CHAR"
		c.Note = "Rovik has no type like " + c.Native + " yet; the column is read as text."
	case kind[data] == value.Null:
		return false
	}
	if c.Type.Kind != value.Text {
		c.Collation = ""
	}
	c.Nullable = c.Nullable || c.Type.Kind.IsTime() // also a column that is NOT NULL can hold 0000-00-00
	return true
}

// asText returns how a column that cannot be carried is read as text, with the
// column for %s.
func asText(data, native string) string {
	switch data {
	case "bit":
		return "LPAD(BIN(%s), " + strings.Trim(native, "bit()") + ", '0')"
	case "vector":
		return "VEC_ToText(%s)"
	}
	return "CONVERT(ST_AsText(%s) USING utf8mb4)"
}

// textForm names what asText gives.
func textForm(data string) string {
	switch data {
	case "bit":
		return "its bits, as 0 and 1"
	case "vector":
		return "its numbers, in brackets"
	case "geometry", "point", "linestring", "polygon", "multipoint", "multilinestring", "multipolygon", "geometrycollection":
		return "its well-known text"
	}
	return ""
}

// separator stands between the columns of a key in one text.
const separator = "\x01"

func (s *Source) keys(ctx context.Context, tables map[tableName]*catalog.Table) error {
	err := s.query(ctx, `SELECT table_schema, table_name, MAX(index_name = 'PRIMARY'), GROUP_CONCAT(column_name ORDER BY seq_in_index SEPARATOR '`+separator+`')
		FROM information_schema.statistics WHERE `+s.only("table_schema", tables)+` AND non_unique = 0
		GROUP BY table_schema, table_name, index_name ORDER BY table_schema, table_name, index_name <> 'PRIMARY', index_name`, func(r *sql.Rows) error {
		var of tableName
		var cols string
		var primary bool
		if err := r.Scan(&of.database, &of.table, &primary, &cols); err != nil {
			return err
		}
		if t := tables[of]; t != nil {
			t.Keys = append(t.Keys, catalog.Key{Columns: strings.Split(cols, separator), Primary: primary})
		}
		return nil
	})
	if err != nil {
		return err
	}
	return s.query(ctx, `SELECT table_schema, table_name, referenced_table_schema, referenced_table_name, GROUP_CONCAT(column_name ORDER BY ordinal_position SEPARATOR '`+separator+`'),
		GROUP_CONCAT(referenced_column_name ORDER BY ordinal_position SEPARATOR '`+separator+`')
		FROM information_schema.key_column_usage WHERE `+s.only("table_schema", tables)+` AND referenced_table_name IS NOT NULL
		GROUP BY table_schema, table_name, constraint_name, referenced_table_schema, referenced_table_name ORDER BY table_schema, table_name, constraint_name`, func(r *sql.Rows) error {
		var of, to tableName
		var cols, refs string
		if err := r.Scan(&of.database, &of.table, &to.database, &to.table, &cols, &refs); err != nil {
			return err
		}
		if t, ref := tables[of], tables[to]; t != nil && ref != nil {
			t.ForeignKeys = append(t.ForeignKeys, catalog.ForeignKey{Columns: strings.Split(cols, separator), Table: ref.FullName(), References: strings.Split(refs, separator)})
		}
		return nil
	})
}

// measureTable counts rows, distinct values, and dates that are none, which are
// read as NULL.
func (s *Source) measureTable(ctx context.Context, t *catalog.Table) error {
	if t.Rows > countBelow || len(t.Columns) == 0 {
		return nil
	}
	list := []string{"COUNT(*)"}
	for _, c := range t.Columns {
		q := quote(c.Name)
		if c.Chosen {
			q = dialect.Column(&c, q)
		}
		none := "0"
		if valid := dialect.Valid(&c, q); valid != "" {
			none = "COUNT(" + q + ") - COUNT(" + valid + ")"
			q = valid
		}
		list = append(list, "COUNT(DISTINCT "+q+")", "COUNT("+q+")", none)
	}
	counted := len(list)
	for _, c := range t.Columns { // the ends of numbers and times, between which rows are taken to lie evenly
		ends := "NULL, NULL"
		if k := c.Type.Kind; k.IsNumber() || k.IsTime() {
			q := quote(c.Name)
			if valid := dialect.Valid(&c, q); valid != "" {
				q = valid
			}
			ends = "MIN(" + q + "), MAX(" + q + ")"
		}
		list = append(list, ends)
	}
	from := quote(t.Name)
	if t.Schema != "" {
		from = quote(t.Schema) + "." + from
	}
	return s.query(ctx, "SELECT "+strings.Join(list, ", ")+" FROM "+from, func(r *sql.Rows) error {
		counts := make([]int64, counted)
		ends := make([]sql.NullString, 2*len(t.Columns))
		var dest []any
		for i := range counts {
			dest = append(dest, &counts[i])
		}
		for i := range ends {
			dest = append(dest, &ends[i])
		}
		if err := r.Scan(dest...); err != nil {
			return err
		}
		t.Rows = counts[0]
		for i := range t.Columns {
			c := &t.Columns[i]
			c.Distinct = counts[1+3*i]
			if low, high := ends[2*i], ends[2*i+1]; low.Valid && high.Valid {
				c.Bounds = []string{low.String, high.String}
			}
			if t.Rows > 0 {
				c.NullShare = 1 - float64(counts[2+3*i])/float64(t.Rows)
			}
			if n := counts[3+3*i]; n > 0 {
				c.Note = fmt.Sprintf("%d of its values are no dates, as 0000-00-00 is none; they are read as NULL.", n)
			}
		}
		return nil
	})
}
