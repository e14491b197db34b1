// Package postgres connects PostgreSQL.
package postgres

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgconn/ctxwatch"
	"github.com/jackc/pgx/v5/pgxpool"

	"rovik/connect"
	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/value"
)

// Source is a connected PostgreSQL database.
type Source struct {
	name string
	cfg  connect.Config
	pool *pgxpool.Pool
	// verified are the versions of tables in which they were as they are known.
	verified *sync.Map // *catalog.Table: string
	types    connect.ColumnTypes
}

// Proposes reports that columns have types of their own; see connect.Typer.
func (s *Source) Proposes() bool { return false }

// WithTypes returns the source with columns read as was chosen; see connect.Typer.
func (s *Source) WithTypes(types connect.ColumnTypes) connect.Source {
	out := *s
	out.types, out.verified = types, &sync.Map{}
	return &out
}

// New prepares a source; it connects when first used.
func New(name string, cfg connect.Config) (*Source, error) {
	password, err := cfg.Password()
	if err != nil {
		return nil, err
	}
	pc, err := pgxpool.ParseConfig("")
	if err != nil {
		return nil, fmt.Errorf("preparing the connection to %s: %w", name, err)
	}
	c := pc.ConnConfig
	c.Host, c.Port, c.Database, c.User, c.Password = cfg.Host, uint16(cfg.Port), cfg.Database, cfg.User, password
	if c.TLSConfig, err = cfg.TLSConfig(); err != nil {
		return nil, err
	}
	c.Fallbacks = nil
	if cfg.TLSMode() == connect.TLSPrefer { // again without, where the server cannot
		c.Fallbacks = []*pgconn.FallbackConfig{{Host: c.Host, Port: c.Port}}
	}
	c.ConnectTimeout = 5 * time.Second
	c.RuntimeParams = map[string]string{"application_name": "rovik"}
	for setting, v := range pinned {
		c.RuntimeParams[setting] = v
	}
	if cfg.TLSMode() != connect.TLSVerify {
		c.RequireAuth = "!password" // in the clear it might go to anybody
	}
	c.AfterConnect = prepareSession
	// A cancelled context asks the server to end the statement.
	c.BuildContextWatcherHandler = func(conn *pgconn.PgConn) ctxwatch.Handler {
		return &pgconn.CancelRequestContextWatcherHandler{Conn: conn, DeadlineDelay: 2 * time.Second}
	}
	pc.MaxConns = int32(cfg.Limits.Full().Connections)
	pool, err := pgxpool.NewWithConfig(context.Background(), pc)
	if err != nil {
		return nil, fmt.Errorf("preparing the connection to %s: %w", name, err)
	}
	return &Source{name: name, cfg: cfg, pool: pool, verified: &sync.Map{}}, nil
}

// Close ends all connections. It does not wait for a server that is silent.
func (s *Source) Close() {
	closed := make(chan struct{})
	go func() {
		defer close(closed)
		_ = value.Guarded(func() error { s.pool.Close(); return nil })
	}()
	select {
	case <-closed:
	case <-time.After(closing):
	}
}

// closing is how long a server is waited for when connections are ended.
const closing = 3 * time.Second

// Measures reports whether found has all quirks; see connect.Source.
func (s *Source) Measures(found *catalog.Source) bool { return sqldb.Complete(probes, found) }

// Folding judges plans; see connect.Source.
func (s *Source) Folding(found *catalog.Source) fold.Source {
	return &sqldb.Source{Dialect: dialect, Catalog: found}
}

// explain turns a driver error into a sentence.
func (s *Source) explain(err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	var ve *value.Error
	if errors.As(err, &ve) {
		if ve.Code == value.CodeSource && !strings.HasPrefix(ve.Message, s.name+": ") {
			named := *ve
			named.Message = s.name + ": " + ve.Message
			return &named
		}
		return err
	}
	var pe *pgconn.PgError
	if errors.As(err, &pe) {
		switch pe.Code {
		case "28P01", "28000":
			return value.Errorf(value.CodeSource, "%s: PostgreSQL at %s did not accept the user %s and its password", s.name, s.cfg.Address(), s.cfg.User).
				WithHint("%s", s.cfg.CheckPassword())
		case "3D000":
			return value.Errorf(value.CodeSource, "%s: PostgreSQL at %s has no database called %s", s.name, s.cfg.Address(), s.cfg.Database).
				WithHint("check the database name")
		}
		if strings.HasPrefix(pe.Code, "57P") || strings.HasPrefix(pe.Code, "08") { // the server goes, or the way to it
			return value.Errorf(value.CodeConnection, "%s: the connection to PostgreSQL broke: %s", s.name, pe.Message).WithHint("check the server, then try again")
		}
		if pe.Code == "42703" || pe.Code == "42P01" {
			return connect.Changed(s.name, pe.Message)
		}
		return value.Errorf(pe.Code, "%s (PostgreSQL) says: %s", s.name, pe.Message)
	}
	if strings.Contains(err.Error(), "require_auth") {
		return value.Errorf(value.CodeSource, "%s: PostgreSQL at %s asks for the password of %s in the clear, and it is not sent", s.name, s.cfg.Address(), s.cfg.User).
			WithHint("a password goes in the clear in the TLS mode verify alone; else have the server sign the user in by scram-sha-256")
	}
	if t := connect.TLSFailed(s.name, s.cfg, err); t != nil {
		return t
	}
	if u := connect.Unreachable(s.name, "PostgreSQL", s.cfg, err); u != nil {
		return u
	}
	return value.Errorf(value.CodeConnection, "%s: the connection to PostgreSQL broke: %s", s.name, err).WithHint("check the server, then try again")
}

// Open starts a statement; see connect.Source.
func (s *Source) Open(ctx context.Context, st *fold.Statement, text string) (exec.Reader, error) {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return nil, s.explain(err)
	}
	return newReader(s, conn, s.begin(ctx, conn.Conn().PgConn(), st, text), st), nil
}

// Plan returns PostgreSQL's EXPLAIN; see connect.Source.
func (s *Source) Plan(ctx context.Context, st *fold.Statement) ([]string, error) {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return nil, s.explain(err)
	}
	defer conn.Release()
	params := make([][]byte, len(st.Parameters))
	for i, p := range st.Parameters {
		params[i] = []byte(p.String())
	}
	var res *pgconn.Result
	err = inUserPath(ctx, conn.Conn().PgConn(), func() error {
		res = conn.Conn().PgConn().ExecParams(ctx, "EXPLAIN "+st.Text, params, nil, nil, nil).Read()
		return res.Err
	})
	if err != nil {
		return nil, s.explain(err)
	}
	var lines []string
	for _, r := range res.Rows {
		lines = append(lines, string(r[0]))
	}
	return lines, nil
}

// query runs a statement of Rovik's own and hands its rows to scan.
func (s *Source) query(ctx context.Context, sql string, scan func(row func(...any) error) error, args ...any) error {
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return s.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		if err := scan(rows.Scan); err != nil {
			return fmt.Errorf("reading the catalogue of %s: %w", s.name, err)
		}
	}
	return s.explain(rows.Err())
}

// Discover reads the database's catalogue; see connect.Source.
func (s *Source) Discover(ctx context.Context) (*catalog.Source, error) {
	// Settings altered at the server hold for new sessions alone: what is
	// measured has to hold for those that statements will run in.
	s.pool.Reset()
	found := &catalog.Source{Name: s.name, Kind: "postgresql", Quirks: map[string]catalog.Quirk{}}
	tables := map[uint32]*catalog.Table{}
	err := s.query(ctx, `
		SELECT c.oid, n.nspname, c.relname, greatest(c.reltuples, 0)::bigint
		FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema')
		  AND n.nspname NOT LIKE 'pg\_%' AND NOT c.relispartition AND has_table_privilege(c.oid, 'SELECT')
		ORDER BY n.nspname, c.relname`, func(row func(...any) error) error {
		var oid uint32
		t := &catalog.Table{Source: s.name}
		if err := row(&oid, &t.Schema, &t.Name, &t.Rows); err != nil {
			return err
		}
		tables[oid] = t
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
	err = s.query(ctx, `SELECT current_setting('server_version')`, func(row func(...any) error) error { return row(&found.Version) })
	if err != nil {
		return nil, err
	}
	return found, sqldb.Measure(found, probes, func(sql string) (out string, err error) {
		err = s.query(ctx, sql, func(row func(...any) error) error { return row(&out) })
		return out, err
	})
}

func (s *Source) columns(ctx context.Context, tables map[uint32]*catalog.Table) error {
	return s.query(ctx, `
		SELECT a.attrelid, a.attname, t.typname, format_type(a.atttypid, a.atttypmod), a.atttypmod, NOT a.attnotnull,
		       coalesce(co.collname, ''), coalesce(co.collisdeterministic, true),
		       coalesce(st.n_distinct, 0)::float8, coalesce(st.null_frac, 0)::float8, greatest(c.reltuples, 0)::float8,
		       coalesce(st.most_common_vals::text, ''), coalesce(st.most_common_freqs::text, ''), coalesce(st.histogram_bounds::text, '')
		FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid JOIN pg_class c ON c.oid = a.attrelid
		JOIN pg_namespace n ON n.oid = c.relnamespace
		LEFT JOIN pg_collation co ON co.oid = a.attcollation
		LEFT JOIN pg_stats st ON st.schemaname = n.nspname AND st.tablename = c.relname AND st.attname = a.attname AND NOT st.inherited
		WHERE a.attnum > 0 AND NOT a.attisdropped AND a.attrelid = ANY($1::oid[])
		ORDER BY a.attrelid, a.attnum`, func(row func(...any) error) error {
		var oid uint32
		var c catalog.Column
		var typname string
		var mod int32
		var deterministic bool
		var distinct, rows float64
		var common, shares, bounds string
		if err := row(&oid, &c.Name, &typname, &c.Native, &mod, &c.Nullable, &c.Collation, &deterministic, &distinct, &c.NullShare, &rows, &common, &shares, &bounds); err != nil {
			return err
		}
		t := tables[oid]
		if t == nil {
			return nil
		}
		if distinct < 0 {
			distinct *= -rows // a negative number is a share of the rows
		}
		c.Distinct = int64(distinct)
		typed(&c, typname, mod)
		choose(&c, s.types[t.LocalName()][c.Name])
		histogram(&c, common, shares, bounds)
		if !c.Type.Kind.IsText() {
			c.Collation = ""
		} else if !deterministic {
			c.Collation = nondeterministic + c.Collation
			c.Note = "Its collation takes distinct strings for equal; Rovik reads it under the C collation."
		}
		t.Columns = append(t.Columns, c)
		return nil
	}, slices.Collect(maps.Keys(tables)))
}

// nullPast reads a numeric that has more digits than Rovik's, %s, as NULL.
const nullPast = "CASE WHEN scale(%s) IS NULL OR scale(%s) <= 38 AND abs(%s) < power(10::numeric, 38 - scale(%s)) THEN %s END"

// choose reads a numeric of any number of digits as was chosen: as text, or with NULL for what has too
// many.
func choose(c *catalog.Column, chosen value.Type) {
	if c.Type.Kind != value.Numeric || c.Type.Precision > 0 {
		return
	}
	c.Choices = []catalog.Choice{{Type: "text", About: "every digit, as text"}, {Type: "numeric", About: "NULL where it has more than 38 digits"}}
	switch chosen.Kind {
	case value.Text:
		c.Type, c.ReadAs, c.Chosen, c.Note = value.Of(value.Text), "text", true, "A numeric that is read as text, as was chosen."
	case value.Numeric:
		c.ReadAs, c.Chosen, c.Nullable, c.Note = nullPast, true, true, "Numbers of more than 38 digits are read as NULL, as was chosen."
	}
}

// histogram notes PostgreSQL's statistics of a column. Its bounds are of use
// for numbers and times, whose order is Rovik's.
func histogram(c *catalog.Column, common, shares, bounds string) {
	values, err1 := value.ParseList(value.Text, common)
	freqs, err2 := value.ParseList(value.Float8, shares)
	if err1 == nil && err2 == nil && len(values) == len(freqs) {
		for i := range values {
			if len(values[i].Str) < 100 {
				c.Common = append(c.Common, catalog.CommonValue{Value: values[i].Str, Share: freqs[i].Float})
			}
		}
	}
	if k := c.Type.Kind; k.IsNumber() || k.IsTime() {
		if list, err := value.ParseList(value.Text, bounds); err == nil {
			for _, b := range list {
				c.Bounds = append(c.Bounds, b.Str)
			}
		}
	}
}

const nondeterministic = "nondeterministic "

// typed maps a column's type; what Rovik has no type for is read as text.
func typed(c *catalog.Column, typname string, mod int32) {
	switch typname {
	case "numeric":
		c.Type = value.Of(value.Numeric)
		if mod > 4 {
			p, sc := int((mod-4)>>16&0xffff), int(mod-4)&0x7ff
			if p <= value.MaxDigits && sc <= p {
				c.Type.Precision, c.Type.Scale = p, sc
			}
		}
	case "bpchar":
		c.Type = value.Of(value.Char)
		if mod > 4 {
			c.Type.Precision = int(mod) - 4
		}
	default:
		elem, isArray := strings.CutPrefix(typname, "_")
		k, ok := value.KindNamed(elem)
		if elem == "char" { // with quotes: one byte, which is not SQL's char
			ok = false
		}
		if ok && isArray && k != value.Numeric {
			c.Type = value.Of(value.ArrayOf(k))
			return
		}
		if ok && !isArray {
			c.Type = value.Of(k)
			return
		}
		c.Type, c.ReadAs = value.Of(value.Text), "text"
		c.Note = "Rovik has no type like " + c.Native + " yet; the column is read as text."
	}
}

func (s *Source) keys(ctx context.Context, tables map[uint32]*catalog.Table) error {
	// A table's own index says nothing of the rows of tables that inherit from it.
	err := s.query(ctx, `
		SELECT i.indrelid, i.indisprimary,
		       array_to_string(ARRAY(SELECT a.attname FROM unnest(i.indkey) WITH ORDINALITY k(num, ord)
		         JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.num
		         WHERE k.ord <= i.indnkeyatts ORDER BY k.ord), chr(1))
		FROM pg_index i JOIN pg_class c ON c.oid = i.indrelid
		WHERE i.indisunique AND i.indpred IS NULL AND i.indexprs IS NULL AND i.indisvalid AND i.indimmediate
		  AND NOT (c.relkind = 'r' AND c.relhassubclass) AND i.indrelid = ANY($1::oid[])
		ORDER BY i.indrelid, i.indisprimary DESC, i.indexrelid`, func(row func(...any) error) error {
		var oid uint32
		var primary bool
		var cols string
		if err := row(&oid, &primary, &cols); err != nil {
			return err
		}
		if t := tables[oid]; t != nil {
			t.Keys = append(t.Keys, catalog.Key{Columns: strings.Split(cols, "\x01"), Primary: primary})
		}
		return nil
	}, slices.Collect(maps.Keys(tables)))
	if err != nil {
		return err
	}
	return s.query(ctx, `
		SELECT c.conrelid, c.confrelid,
		       array_to_string(ARRAY(SELECT a.attname FROM unnest(c.conkey) WITH ORDINALITY k(num, ord)
		         JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = k.num ORDER BY k.ord), chr(1)),
		       array_to_string(ARRAY(SELECT a.attname FROM unnest(c.confkey) WITH ORDINALITY k(num, ord)
		         JOIN pg_attribute a ON a.attrelid = c.confrelid AND a.attnum = k.num ORDER BY k.ord), chr(1))
		FROM pg_constraint c WHERE c.contype = 'f' ORDER BY c.conrelid, c.oid`, func(row func(...any) error) error {
		var from, to uint32
		var cols, refs string
		if err := row(&from, &to, &cols, &refs); err != nil {
			return err
		}
		if t, r := tables[from], tables[to]; t != nil && r != nil {
			t.ForeignKeys = append(t.ForeignKeys, catalog.ForeignKey{Columns: strings.Split(cols, "\x01"), Table: r.FullName(), References: strings.Split(refs, "\x01")})
		}
		return nil
	})
}
