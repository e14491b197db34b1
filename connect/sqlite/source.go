// Package sqlite connects SQLite files.
package sqlite

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"net/url"
	"os"
	"regexp"
	"slices"
	"sort"
	"strings"

	"rovik/connect"
	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/value"
)

// Source is a connected SQLite file.
type Source struct {
	name  string
	cfg   connect.Config
	db    *sql.DB
	types connect.ColumnTypes
	conn  *sql.Conn // where set, what the file is read through
	watch *watch
}

// New prepares a source; the file is opened when first used, for reading only.
func New(name string, cfg connect.Config) (*Source, error) {
	dsn := url.URL{Scheme: "file", Opaque: (&url.URL{Path: cfg.Path}).EscapedPath(), RawQuery: "mode=ro&_pragma=query_only(1)&_pragma=busy_timeout(5000)"}
	db, changes := openReading(dsn.String()), openReading(dsn.String())
	db.SetMaxOpenConns(cfg.Limits.Full().Connections)
	changes.SetMaxOpenConns(1)
	return &Source{name: name, cfg: cfg, db: db, watch: &watch{db: changes}}, nil
}

// Proposes reports that a column's type follows from all its values; see
// connect.Typer.
func (s *Source) Proposes() bool { return false }

// WithTypes returns the source with columns that cannot be carried read as text;
// see connect.Typer.
func (s *Source) WithTypes(types connect.ColumnTypes) connect.Source {
	out := *s
	out.types = types
	return &out
}

// Close closes the file.
func (s *Source) Close() {
	_ = s.db.Close()
	_ = s.watch.db.Close()
}

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
	if says := err.Error(); strings.Contains(says, "no such column") || strings.Contains(says, "no such table") {
		return connect.Changed(s.name, says)
	}
	return value.Errorf(value.CodeSource, "%s (SQLite) says: %s", s.name, err).WithHint("check that %s is a SQLite database", s.cfg.Path)
}

// present fails where the file is not there, which the driver would report as
// an error without a name.
func (s *Source) present() error {
	info, err := os.Stat(s.cfg.Path)
	if err != nil || info.IsDir() {
		return value.Errorf(value.CodeSource, "%s: there is no SQLite file at %s", s.name, s.cfg.Path).WithHint("check the path")
	}
	return nil
}

// Open starts a statement; see connect.Source.
func (s *Source) Open(ctx context.Context, st *fold.Statement, text string) (exec.Reader, error) {
	if err := s.present(); err != nil {
		return nil, err
	}
	failed := func(err error) (exec.Reader, error) {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, s.explain(err)
	}
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return failed(err)
	}
	// What is verified and what is read are one snapshot.
	release := func() error { return rollback(conn) }
	if _, err = conn.ExecContext(ctx, "BEGIN"); err != nil {
		_ = release() // it may have begun anyway
		return failed(err)
	}
	if err := s.verify(ctx, conn, st.Tables, st.Reads); err != nil {
		_ = release()
		return failed(err)
	}
	rows, err := conn.QueryContext(ctx, text, sqldb.Arguments(st)...)
	if err != nil {
		_ = release()
		return failed(err)
	}
	return sqldb.NewRows(rows, st, func(value.Kind) bool { return false }, s.explain, release), nil
}

// rollback ends a connection's transaction and gives the connection back, or closes
// it where that does not work: the next statement must not find it within one.
func rollback(conn *sql.Conn) error {
	_, err := conn.ExecContext(context.Background(), "ROLLBACK")
	if err != nil {
		_ = conn.Raw(func(any) error { return driver.ErrBadConn })
	}
	return errors.Join(err, conn.Close())
}

// Plan returns SQLite's EXPLAIN QUERY PLAN; see connect.Source.
func (s *Source) Plan(ctx context.Context, st *fold.Statement) ([]string, error) {
	if err := s.present(); err != nil {
		return nil, err
	}
	var lines []string
	depth := map[int]int{}
	err := s.query(ctx, "EXPLAIN QUERY PLAN "+st.Text, func(r *sql.Rows) error {
		var id, parent, unused int
		var detail string
		if err := r.Scan(&id, &parent, &unused, &detail); err != nil {
			return err
		}
		depth[id] = depth[parent] + 1
		lines = append(lines, strings.Repeat("  ", depth[parent])+detail)
		return nil
	}, sqldb.Arguments(st)...)
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

// Discover reads the schema and the types that values really have; see
// connect.Source.
func (s *Source) Discover(ctx context.Context) (*catalog.Source, error) {
	if err := s.present(); err != nil {
		return nil, err
	}
	found := &catalog.Source{Name: s.name, Kind: "sqlite", Quirks: map[string]catalog.Quirk{}}
	err := s.query(ctx, `SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\_%' ESCAPE '\' ORDER BY name`, func(r *sql.Rows) error {
		t := &catalog.Table{Source: s.name}
		found.Tables = append(found.Tables, t)
		return r.Scan(&t.Name)
	})
	if err != nil {
		return nil, err
	}
	for _, t := range found.Tables {
		if err := s.describe(ctx, t); err != nil {
			return nil, err
		}
	}
	if err := s.query(ctx, "SELECT sqlite_version()", func(r *sql.Rows) error { return r.Scan(&found.Version) }); err != nil {
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

func (s *Source) describe(ctx context.Context, t *catalog.Table) error {
	quoted := dialect.Quote(t.Name)
	primary := map[int]string{}
	// Only a primary key that is the rowid, and so has no index of its own,
	// never holds NULL; the others may, unless they say otherwise.
	err := s.query(ctx, "SELECT name, type, \"notnull\", pk, pk > 0 AND NOT EXISTS (SELECT 1 FROM pragma_index_list("+literal(t.Name)+") WHERE origin = 'pk') FROM pragma_table_xinfo("+literal(t.Name)+") WHERE hidden <> 1 ORDER BY cid", func(r *sql.Rows) error {
		var c catalog.Column
		var notNull, rowid bool
		var pk int
		if err := r.Scan(&c.Name, &c.Native, &notNull, &pk, &rowid); err != nil {
			return err
		}
		c.Nullable = !notNull && !rowid
		if pk > 0 {
			primary[pk] = c.Name
		}
		t.Columns = append(t.Columns, c)
		return nil
	})
	if err != nil {
		return err
	}
	if len(primary) > 0 {
		key := catalog.Key{Primary: true}
		for i := 1; i <= len(primary); i++ {
			key.Columns = append(key.Columns, primary[i])
		}
		t.Keys = append(t.Keys, key)
	}
	err = s.query(ctx, "SELECT group_concat(name, char(1)) FROM (SELECT l.name AS idx, i.name FROM pragma_index_list("+literal(t.Name)+") l, pragma_index_info(l.name) i WHERE l.\"unique\" AND NOT l.partial AND l.origin <> 'pk' ORDER BY l.seq, i.seqno) GROUP BY idx", func(r *sql.Rows) error {
		var cols sql.NullString
		if err := r.Scan(&cols); err != nil || !cols.Valid {
			return err
		}
		t.Keys = append(t.Keys, catalog.Key{Columns: strings.Split(cols.String, "\x01")})
		return nil
	})
	if err != nil {
		return err
	}
	err = s.query(ctx, "SELECT \"table\", group_concat(\"from\", char(1)), group_concat(coalesce(\"to\", \"from\"), char(1)) FROM pragma_foreign_key_list("+literal(t.Name)+") GROUP BY id, \"table\" ORDER BY id", func(r *sql.Rows) error {
		var to, cols, refs string
		if err := r.Scan(&to, &cols, &refs); err != nil {
			return err
		}
		t.ForeignKeys = append(t.ForeignKeys, catalog.ForeignKey{Columns: strings.Split(cols, "\x01"), Table: t.Source + "." + to, References: strings.Split(refs, "\x01")})
		return nil
	})
	if err != nil {
		return err
	}
	if err := s.measure(ctx, t, quoted); err != nil {
		return err
	}
	t.Keys = slices.DeleteFunc(t.Keys, func(k catalog.Key) bool { return !distinguishes(t, k) })
	return nil
}

// distinguishes reports whether values that SQLite holds to be different are
// different to Rovik too: not so of numbers and times that are kept as text,
// which have several spellings, or where Rovik reads another type.
func distinguishes(t *catalog.Table, k catalog.Key) bool {
	for _, name := range k.Columns {
		i := slices.IndexFunc(t.Columns, func(c catalog.Column) bool { return c.Name == name })
		if i < 0 {
			return false
		}
		switch c := t.Columns[i]; c.Type.Kind {
		case value.Numeric, value.Timestamp, value.TimestampTZ:
			return false
		case value.Text:
			if c.ReadAs != "" && c.Note != "" {
				return false
			}
		default:
			if c.ReadAs != "" {
				return false
			}
		}
	}
	return true
}

func literal(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

// storage classes, as typeof() names them.
var classes = []string{"integer", "real", "text", "blob"}

// measuredAtOnce is how many columns are counted by one statement, which has a
// bound on what it selects.
const measuredAtOnce = 200

// measure counts rows and, for each column, values by storage class. To verify
// what is known it leaves out how many different ones there are.
func (s *Source) measure(ctx context.Context, t *catalog.Table, quoted string) error {
	var kept []catalog.Column
	for from := 0; from == 0 || from < len(t.Columns); from += measuredAtOnce {
		some, err := s.measureColumns(ctx, t, t.Columns[from:min(from+measuredAtOnce, len(t.Columns))], quoted)
		if err != nil {
			return err
		}
		kept = append(kept, some...)
	}
	t.Columns = kept
	return nil
}

// counted are the numbers of each column, in the order of the statement.
const counted = 3 + 4

// measureColumns measures some columns and returns those that can be carried.
func (s *Source) measureColumns(ctx context.Context, t *catalog.Table, columns []catalog.Column, quoted string) ([]catalog.Column, error) {
	list := []string{"count(*)"}
	for _, c := range columns {
		q := dialect.Quote(c.Name)
		distinct := "count(DISTINCT " + q + ")"
		if s.conn != nil {
			distinct = "0"
		}
		list = append(list, distinct, "count(CASE WHEN typeof("+q+") = 'text' AND instr("+q+", char(0)) > 0 THEN 1 END)")
		for _, class := range classes {
			list = append(list, "count(CASE WHEN typeof("+q+") = '"+class+"' THEN 1 END)")
		}
		list = append(list, strings.ReplaceAll(fitting(c.Native), "%s", q))
	}
	var kept []catalog.Column
	err := s.query(ctx, "SELECT "+strings.Join(list, ", ")+" FROM "+quoted, func(r *sql.Rows) error {
		counts := make([]int64, len(list))
		dest := make([]any, len(list))
		for i := range counts {
			dest[i] = &counts[i]
		}
		if err := r.Scan(dest...); err != nil {
			return err
		}
		t.Rows = counts[0]
		for i, c := range columns {
			n := counts[1+counted*i : 1+counted*(i+1)]
			c.Distinct = n[0]
			zeros, n := n[1], n[2:]
			if t.Rows > 0 {
				c.NullShare = 1 - float64(n[0]+n[1]+n[2]+n[3])/float64(t.Rows)
			}
			switch {
			case zeros > 0:
				t.Left = append(t.Left, catalog.LeftColumn{Name: c.Name, Native: c.Native, Reason: fmt.Sprintf("%d of its strings hold a zero byte.", zeros)})
			case typed(&c, n):
				kept = append(kept, c)
			case s.types.Text(t.Name, c.Name):
				c.Type, c.ReadAs, c.Chosen = value.Of(value.Text), blobsAsText, true
				c.Note = "Holds blobs beside other values; all are read as text, as was chosen."
				kept = append(kept, c)
			default:
				t.Left = append(t.Left, catalog.LeftColumn{Name: c.Name, Native: c.Native, AsText: "blobs as \\x and hexadecimal digits",
					Reason: fmt.Sprintf("%d of its values are blobs, and %d are not.", n[3], n[0]+n[1]+n[2])})
			}
		}
		return nil
	})
	return kept, err
}

// comparesNumbers reports whether a column's declaration makes SQLite take strings
// that it is compared with for numbers.
func comparesNumbers(declared string) bool {
	for _, word := range []string{"CHAR", "CLOB", "TEXT", "BLOB"} {
		if strings.Contains(declared, word) && !strings.Contains(declared, "INT") {
			return false
		}
	}
	return declared != ""
}

// blobsAsText reads a column of which only some values are blobs, for %s.
const blobsAsText = `CASE typeof(%s) WHEN 'blob' THEN '\x' || lower(hex(%s)) ELSE CAST(%s AS TEXT) END`

// decimalText is the declaration of a column that keeps exact decimals as
// text, which SQLite's own NUMERIC would turn into doubles.
var decimalText = regexp.MustCompile(`^DECIMAL_TEXT\((\d+),(\d+)\)$`)

// fitting returns SQL that counts the values of a column which are of the type
// that its declaration promises but SQLite does not have.
func fitting(declared string) string {
	switch strings.ToUpper(declared) {
	case "DATE":
		return "count(CASE WHEN %s IS NOT NULL AND date(%s) IS %s THEN 1 END)"
	case "TIMESTAMP", "TIMESTAMPTZ":
		return "count(CASE WHEN %s IS NOT NULL AND strftime('%Y-%m-%d %H:%M:%S', %s) IS substr(%s, 1, 19) THEN 1 END)"
	case "BOOLEAN":
		return "count(CASE WHEN %s IN (0, 1) THEN 1 END)"
	}
	return "-1"
}

// typed gives a column the type that all its values have, or text where they
// have several; an empty column has the type that it was declared with.
// False means that it holds blobs beside other values.
func typed(c *catalog.Column, counts []int64) bool {
	integers, reals, texts, blobs := counts[0], counts[1], counts[2], counts[3]
	declared := strings.ToUpper(c.Native)
	all := counts[4] == integers+reals+texts+blobs
	decimal := decimalText.FindStringSubmatch(declared)
	switch {
	case blobs > 0 && integers+reals+texts > 0:
		return false
	case blobs > 0:
		c.Type = value.Of(value.Bytea)
	case all:
		t, _ := value.ParseType(strings.ToLower(declared))
		c.Type = t
	case decimal != nil && integers+reals == 0:
		c.Type, _ = value.ParseType("numeric(" + decimal[1] + "," + decimal[2] + ")")
	case texts > 0 && integers+reals == 0:
		c.Type = value.Of(value.Text)
	case texts > 0:
		c.Type, c.ReadAs = value.Of(value.Text), "TEXT"
		var parts []string
		for i, n := range counts[:3] {
			if n > 0 {
				parts = append(parts, fmt.Sprintf("%d %s", n, classes[i]))
			}
		}
		sort.Strings(parts)
		c.Note = "Declared " + c.Native + ", but its values are " + strings.Join(parts, ", ") + "; all are read as text."
	case reals > 0:
		c.Type = value.Of(value.Float8)
		if integers > 0 {
			c.ReadAs = "REAL"
		}
	case integers > 0 || strings.Contains(declared, "INT"):
		c.Type = value.Of(value.Int8)
	case strings.Contains(declared, "REAL") || strings.Contains(declared, "FLOA") || strings.Contains(declared, "DOUB"):
		c.Type = value.Of(value.Float8)
	default:
		c.Type = value.Of(value.Text)
	}
	if c.Type.Kind == value.Text && c.ReadAs == "" && comparesNumbers(declared) {
		c.ReadAs = "TEXT"
	}
	if c.Type.Kind == value.Text && c.ReadAs == "" && (strings.HasPrefix(declared, "DATE") || strings.HasPrefix(declared, "TIME")) {
		c.ReadAs = "TEXT" // the driver would make times of what looks like one
	}
	return true
}

// Try takes the steps to the file; see connect.Source.
func (s *Source) Try(ctx context.Context, steps *connect.Steps) {
	steps.Take(connect.StepPath, func() (string, error) { return s.cfg.Path, s.present() })
	tables := 0
	steps.Take(connect.StepDatabase, func() (string, error) {
		err := s.query(ctx, `SELECT count(*) FROM sqlite_schema WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\_%' ESCAPE '\'`, func(r *sql.Rows) error { return r.Scan(&tables) })
		return "it is a SQLite database", err
	})
	steps.Take(connect.StepRights, func() (string, error) {
		if tables == 0 {
			return "", value.Errorf(value.CodeSource, "%s has no tables", s.cfg.Path).WithHint("check that it is the right file")
		}
		return fmt.Sprintf("%d tables and views", tables), nil
	})
	steps.Take(connect.StepVersion, func() (string, error) {
		var version string
		err := s.query(ctx, "SELECT sqlite_version()", func(r *sql.Rows) error { return r.Scan(&version) })
		return "SQLite " + version, err
	})
}
