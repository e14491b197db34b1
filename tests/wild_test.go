package tests

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/jackc/pgx/v5"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/runs"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/value"
)

// wildRows is how many rows the wild tables have: enough for keys to be shipped.
const wildRows = 240

// wildColumn is a column as a source declares it, with values as the source's own
// SQL writes them.
type wildColumn struct {
	name, declared string
	values         []string
}

// wildTables have, in each kind of database, columns with the types and attributes
// that the nasty tables lack.
var wildTables = map[string][]wildColumn{
	"pg": {
		{"ch", "char(6)", []string{"NULL", "''", "'a'", "'a  '", "'A'", "'ab'", "' a'", "'é'"}},
		{"vc", "varchar(10)", []string{"'a'", "'a '", "NULL", "'B'", "'10'", "'9'", "''"}},
		{"qc", `"char"`, []string{"'a'", "'B'", "NULL", "''"}},
		{"nm", "name", []string{"'a'", "'b'", "NULL", "'A'"}},
		{"nu", "numeric", []string{"1.0", "1.00", "NULL", "-1.5", "0", "0.00", "12345678901234567890.123456789", "1e-15"}},
		{"n3", "numeric(12,3)", []string{"1.000", "-0.001", "NULL", "999999999.999", "2.5", "3.5"}},
		{"bo", "boolean", []string{"true", "false", "NULL"}},
		{"i2", "smallint", []string{"1", "-32768", "32767", "NULL", "0", "7"}},
		{"i8", "bigint", []string{"1", "9223372036854775807", "-9223372036854775808", "NULL", "4294967296"}},
		{"f4", "real", []string{"0.1", "-0.0", "3.4e38", "NULL", "'NaN'", "1.5"}},
		{"f8", "double precision", []string{"'-0'", "0", "0.1", "NULL", "'Infinity'", "1e15", "'NaN'", "2.5"}},
		{"tm", "time", []string{"'00:00'", "'23:59:59.999999'", "NULL", "'12:30'"}},
		{"tz", "timestamptz", []string{"'2024-03-31 01:30:00+01'", "NULL", "'1999-12-31 23:59:59.5+00'", "'2024-02-29 00:00:00+00'"}},
		{"iv", "interval", []string{"'1 mon'", "'30 days'", "NULL", "'-1 day 02:00'", "'720:00'"}},
		{"ba", "bytea", []string{`'\x'`, `'\x00'`, "NULL", `'\xff01'`}},
		{"uu", "uuid", []string{"'00000000-0000-0000-0000-000000000001'", "NULL", "'ffffffff-ffff-ffff-ffff-ffffffffffff'"}},
		{"jb", "jsonb", []string{`'{"a": 1}'`, "'1.0'", "'1'", "NULL", "'null'", `'["a", "b"]'`, `'"a"'`}},
		{"ar", "integer[]", []string{"'{1,2}'", "'{}'", "NULL", "'{1,NULL}'"}},
		{"ta", "text[]", []string{"'{a,b}'", "'{}'", "NULL", "'{A,NULL,\"\"}'"}},
		{"ns", "numeric", []string{"'NaN'", "1.5", "'Infinity'", "NULL", "'-Infinity'", "0", "-2"}},
		{"ds", "date", []string{"'infinity'", "'2024-02-29'", "'-infinity'", "NULL", "'0044-03-15 BC'", "'0001-12-31 BC'", "'12024-01-01'", "'4714-11-24 BC'"}},
		{"ms", "timestamp", []string{"'infinity'", "'2024-02-29 12:00'", "NULL", "'-infinity'", "'0044-03-15 01:02:03.5 BC'", "'20000-01-01'"}},
		{"zs", "timestamptz", []string{"'-infinity'", "'2024-02-29 12:00+00'", "NULL", "'infinity'", "'0044-03-15 01:02:03.5+00 BC'"}},
		{"ge", "integer GENERATED ALWAYS AS (id * 2) STORED", nil},
		{"lo", "text", []string{"repeat('x', 1100) || 'a'", "repeat('x', 1100) || 'b'", "NULL", "repeat('x', 1100)"}},
	},
	"ma": {
		{"ch", "CHAR(6)", []string{"NULL", "''", "'a'", "'A'", "'ab'", "' a'", "'é'"}},
		{"la", "VARCHAR(10) CHARACTER SET latin1", []string{"'a'", "'A'", "NULL", "'é'", "'a '", "''"}},
		{"bi", "VARCHAR(10) COLLATE utf8mb4_bin", []string{"'a'", "'A'", "NULL", "'a '", "'10'", "'9'"}},
		{"ty", "TINYINT", []string{"1", "-128", "127", "NULL", "0"}},
		{"bo", "BOOLEAN", []string{"TRUE", "FALSE", "NULL"}},
		{"u4", "INT UNSIGNED", []string{"0", "4294967295", "NULL", "7"}},
		{"u8", "BIGINT UNSIGNED", []string{"0", "18446744073709551615", "NULL", "9223372036854775807"}},
		{"zf", "INT(6) ZEROFILL", []string{"1", "42", "NULL", "1234567"}},
		{"d2", "DECIMAL(10,2)", []string{"1.00", "-0.01", "NULL", "99999999.99", "2.50"}},
		{"d4", "DECIMAL(12,4)", []string{"1.0000", "0.0001", "NULL", "-2.5000"}},
		{"du", "DECIMAL(10,2) UNSIGNED", []string{"1.00", "0.01", "NULL", "99999999.99"}},
		{"fl", "FLOAT", []string{"0.1", "1.5", "NULL", "3e38"}},
		{"dt", "DATETIME(3)", []string{"'2024-03-31 01:30:00.123'", "NULL", "'1999-12-31 23:59:59.999'", "'2024-02-29'"}},
		{"ts", "TIMESTAMP(6) NULL", []string{"'2024-03-31 01:30:00.000001'", "NULL", "'1999-12-31 23:59:59'"}},
		{"da", "DATE", []string{"'2024-02-29'", "NULL", "'1000-01-01'", "'9999-12-31'"}},
		{"zd", "DATE NOT NULL", []string{"'2024-02-29'", "'0000-00-00'", "'1999-12-31'", "'2024-05-00'"}},
		{"en", "ENUM('b', 'a', 'C')", []string{"'a'", "'b'", "NULL", "'C'"}},
		{"ba", "VARBINARY(10)", []string{"''", "X'00'", "NULL", "X'FF01'"}},
		{"yr", "YEAR", []string{"2024", "1999", "NULL"}},
		{"ge", "INT AS (id * 2) STORED", nil},
		{"lo", "TEXT", []string{"concat(repeat('x', 1100), 'a')", "concat(repeat('x', 1100), 'b')", "NULL", "repeat('x', 1100)"}},
	},
	"sl": {
		{"bo", "BOOLEAN", []string{"1", "0", "NULL"}},
		{"nt", "NUMERIC", []string{"'a'", "'b'", "NULL", "'A'", "'x10'"}},
		{"nn", "NUMERIC", []string{"1", "10", "NULL", "-7"}},
		{"an", "", []string{"'a'", "'10'", "NULL", "'9'", "'A'"}},
		{"ai", "", []string{"1", "10", "NULL", "9"}},
		{"nc", "TEXT COLLATE NOCASE", []string{"'a'", "'A'", "NULL", "'b'", "'a '"}},
		{"re", "REAL", []string{"0.1", "1.5", "NULL", "1e300"}},
		{"ts", "TIMESTAMP", []string{"'2024-03-31 01:30:00'", "NULL", "'1999-12-31 23:59:59'"}},
		{"da", "DATE", []string{"'2024-02-29'", "NULL", "'1999-12-31'"}},
		{"bl", "BLOB", []string{"X''", "X'00'", "NULL", "X'FF01'"}},
		{"ge", "INTEGER AS (id * 2) STORED", nil},
		{"vi", "TEXT AS ('v' || id) VIRTUAL", nil},
		{"lo", "TEXT", []string{"printf('%.1100c', 'x') || 'a'", "printf('%.1100c', 'x') || 'b'", "NULL", "printf('%.1100c', 'x')"}},
	},
}

// wildStatements make a wild table.
func wildStatements(source string) []string {
	columns := wildTables[source]
	list := []string{"id INTEGER PRIMARY KEY"}
	for _, c := range columns {
		list = append(list, c.name+" "+c.declared)
	}
	out := []string{"CREATE TABLE wild (" + strings.Join(list, ", ") + ")"}
	var names, rows []string
	for _, c := range columns {
		if c.values != nil {
			names = append(names, c.name)
		}
	}
	for i := range wildRows {
		row := []string{fmt.Sprint(i + 1)}
		for k, c := range columns {
			if c.values != nil {
				row = append(row, c.values[(i*(k%3+1)+i/7+k)%len(c.values)])
			}
		}
		rows = append(rows, "("+strings.Join(row, ", ")+")")
	}
	return append(out, "INSERT INTO wild (id, "+strings.Join(names, ", ")+") VALUES "+strings.Join(rows, ", "))
}

// addWildTables adds the wild tables to the sources of nastyWorld, and to the
// reference what Rovik reads of them.
func addWildTables(t *testing.T, a *app.App, ref *pgx.Conn) {
	t.Helper()
	ctx := context.Background()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	pg, err := env.Postgres.Postgres(ctx, "nasty")
	must(err)
	defer pg.Close(ctx)
	for _, q := range append(wildStatements("pg"), "GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader", "ANALYZE wild") {
		_, err := pg.Exec(ctx, q)
		must(err)
	}
	ma, err := env.MariaDB.MariaDB("nasty")
	must(err)
	defer ma.Close()
	conn, err := ma.Conn(ctx)
	must(err)
	defer conn.Close()
	for _, q := range append([]string{"SET time_zone = '+00:00'"}, wildStatements("ma")...) {
		_, err := conn.ExecContext(ctx, q)
		must(err)
	}
	for _, s := range a.Sources.List() {
		if s.Name == "sl" {
			sl := openSQLite(t, s.Address)
			for _, q := range wildStatements("sl") {
				_, err := sl.Exec(q)
				must(err)
			}
			must(sl.Close())
		}
	}
	for _, s := range []string{"pg", "ma", "sl"} {
		_, err := a.Sources.Refresh(ctx, s)
		must(err)
		mirror(t, a, ref, s, "wild")
	}
}

// mirror makes a table of the reference of what Rovik reads of a source's table as
// it stands.
func mirror(t *testing.T, a *app.App, ref *pgx.Conn, source, name string) {
	t.Helper()
	ctx := context.Background()
	table := a.Now().Catalog().Table(source + "." + name)
	if table == nil {
		t.Fatalf("%s has no table %s", source, name)
	}
	var columns []string
	for _, c := range table.Columns {
		columns = append(columns, c.Name+" "+c.Type.String())
	}
	do := func(sql string, args ...any) {
		t.Helper()
		if _, err := ref.Exec(ctx, sql, args...); err != nil {
			t.Fatalf("%s: %v", sql, err)
		}
	}
	do(fmt.Sprintf("CREATE TABLE %s.%s (%s)", source, name, strings.Join(columns, ", ")))
	run, err := a.Now().Start(ctx, project.Query{SQL: fmt.Sprintf("SELECT * FROM %s.%s", source, name), FoldOff: true}, project.NewRunID())
	if err != nil {
		t.Fatal(err)
	}
	defer run.Close()
	rows := 0
	for {
		b, err := run.Next()
		if err != nil {
			break
		}
		for r := range b.Len {
			var cells []string
			for i, cell := range exec.RowTexts(run.Columns, b, r) {
				if cell == nil {
					cells = append(cells, "NULL")
				} else {
					cells = append(cells, fmt.Sprintf("CAST(%s AS %s)", quoted(*cell), table.Columns[i].Type))
				}
			}
			do(fmt.Sprintf("INSERT INTO %s.%s VALUES (%s)", source, name, strings.Join(cells, ", ")))
			rows++
		}
	}
	if rows != wildRows {
		t.Fatalf("%d rows of %s.%s were read", rows, source, name)
	}
}

func quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }

// literalsOf are the values of a column of a reference's table, as constants.
func literalsOf(t *testing.T, ref *pgx.Conn, source string, c catalog.Column) []string {
	t.Helper()
	res := ref.PgConn().ExecParams(context.Background(), fmt.Sprintf("SELECT DISTINCT %[1]s::text FROM %[2]s.wild WHERE %[1]s IS NOT NULL ORDER BY 1", c.Name, source), nil, nil, nil, nil).Read()
	if res.Err != nil {
		t.Fatal(res.Err)
	}
	var out []string
	for _, r := range res.Rows {
		out = append(out, fmt.Sprintf("CAST(%s AS %s)", quoted(string(r[0])), c.Type))
	}
	return out
}

// Every type of every source with every way in which a value reaches a source:
// as a constant, in a list, as a shipped key, in an order and from a group. The
// values are compared by what they mean.
func TestEveryTypeByEveryWay(t *testing.T) {
	a, ref := nastyWorld(t)
	addWildTables(t, a, ref)
	for _, source := range []string{"pg", "ma", "sl"} {
		for _, c := range a.Now().Catalog().Table(source + ".wild").Columns {
			t.Run(source+"/"+c.Name, func(t *testing.T) {
				literals := literalsOf(t, ref, source, c)
				literals = literals[:min(len(literals), 5)]
				of := func(q string) string {
					return strings.NewReplacer("$C", c.Name, "$T", source+".wild").Replace(q)
				}
				queries := []string{"SELECT id, $C FROM $T", "SELECT count($C), count(*) FROM $T WHERE $C IS NULL", "SELECT id, CAST($C AS text) FROM $T",
					"SELECT id, coalesce($C, $C), CASE WHEN id > 9 THEN $C END, nullif($C, $C) FROM $T"}
				if c.Type.Kind.Comparable() {
					queries = append(queries, "SELECT $C, count(*) FROM $T GROUP BY $C", "SELECT DISTINCT $C FROM $T", "SELECT id FROM $T ORDER BY $C, id LIMIT 50 -- ordered",
						"SELECT id FROM $T ORDER BY $C DESC NULLS LAST, id OFFSET 200 -- ordered", "SELECT id, rank() OVER (ORDER BY $C), count(*) OVER (PARTITION BY $C) FROM $T",
						"SELECT count(DISTINCT $C) FROM $T", "SELECT x.id FROM $T x JOIN $T y ON x.$C = y.$C AND y.id = x.id + 3", "SELECT x.id FROM $T x WHERE $C IN (SELECT $C FROM $T WHERE id < 4)",
						"SELECT x.id FROM $T x WHERE x.id < 20 AND $C NOT IN (SELECT $C FROM $T WHERE id < 4 AND $C IS NOT NULL)", "SELECT $C FROM $T WHERE id < 9 EXCEPT SELECT $C FROM $T WHERE id = 3",
						"SELECT x.id FROM $T x JOIN $T y ON x.$C IS NOT DISTINCT FROM y.$C AND y.id = x.id + 7", "SELECT greatest($C, $C), least($C, NULL) FROM $T WHERE id < 30",
						"SELECT array_agg($C ORDER BY $C, id) FROM $T WHERE id < 12")
					// Of equal values that can be told apart any may be the least.
					if k := c.Type.Kind; !k.IsArray() && k != value.Bool && k != value.Bytea && k != value.UUID && (k.Identical() || k == value.Numeric || k == value.Char) {
						queries = append(queries, "SELECT min($C), max($C) FROM $T", "SELECT n % 2, min($C) FROM (SELECT id AS n, $C FROM $T) q GROUP BY 1")
					}
					for _, v := range literals {
						queries = append(queries, "SELECT id FROM $T WHERE $C = "+v, "SELECT id FROM $T WHERE $C <> "+v, "SELECT id FROM $T WHERE $C < "+v, "SELECT id FROM $T WHERE $C >= "+v,
							"SELECT id FROM $T WHERE $C IS DISTINCT FROM "+v, "SELECT id FROM $T WHERE NOT ($C = "+v+" AND id < 100)", "SELECT id FROM $T WHERE $C = ANY (ARRAY["+v+"])")
					}
					if len(literals) > 1 {
						queries = append(queries, "SELECT id FROM $T WHERE $C IN ("+strings.Join(literals, ", ")+")", "SELECT id FROM $T WHERE $C NOT IN ("+literals[0]+", "+literals[1]+", NULL)",
							"SELECT w.id FROM $T w JOIN (VALUES ("+literals[0]+"), ("+literals[1]+")) k(v) ON w.$C = k.v", "SELECT w.id FROM $T w WHERE w.$C IN (SELECT v FROM (VALUES ("+literals[1]+")) k(v))",
							"SELECT k.v, w.id FROM (VALUES ("+literals[0]+"), (NULL)) k(v) LEFT JOIN $T w ON w.$C = k.v")
					}
				}
				for _, q := range queries {
					sql, ordered := strings.CutSuffix(of(q), " -- ordered")
					if strings.Contains(sql, "ARRAY[") && (c.Type.Kind.IsArray()) || strings.Contains(sql, "array_agg") && c.Type.Kind.IsArray() {
						continue // arrays of arrays
					}
					holdsLawOn(t, a, ref, sql, ordered)
				}
			})
		}
	}
}

// endless are the columns of wild tables that hold what Parquet and Arrow have nothing for: infinite
// dates.
var endless = map[string]bool{"ds": true, "ms": true, "zs": true}

// Every type of every source by every way out: written in a format and read again, a value is what it
// was; what a format cannot hold is refused with what to write instead.
func TestEveryTypeByEveryWayOut(t *testing.T) {
	a, ref := nastyWorld(t)
	addWildTables(t, a, ref)
	out := func(sql, format string) ([]byte, error) {
		run, err := a.Now().Start(t.Context(), project.Query{SQL: sql}, project.NewRunID())
		if err != nil {
			return nil, err
		}
		defer run.Close()
		var b bytes.Buffer
		err = runs.WriteResult(&b, format, run)
		return b.Bytes(), err
	}
	for _, source := range []string{"pg", "ma", "sl"} {
		for _, format := range []string{"csv", "json", "parquet", "arrow"} {
			var names, casts []string
			for _, c := range a.Now().Catalog().Table(source + ".wild").Columns {
				if endless[c.Name] && (format == "parquet" || format == "arrow") {
					_, err := out("SELECT "+c.Name+" FROM "+source+".wild", format)
					if err == nil || hintOf(err) == "" {
						t.Errorf("%s.%s as %s: %v", source, c.Name, format, err)
					}
					continue
				}
				if c.Type.Kind.IsArray() && format != "csv" || c.Type.Kind.IsFloat() && source == "pg" && format == "json" {
					continue // nested there, and read as JSON, as are numbers beside the names of those that are none
				}
				names = append(names, c.Name)
				casts = append(casts, fmt.Sprintf("CAST(e.%s AS %s) AS %s", c.Name, c.Type, c.Name))
			}
			sql := "SELECT " + strings.Join(names, ", ") + " FROM " + source + ".wild"
			data, err := out(sql, format)
			if err != nil {
				t.Errorf("%s as %s: %v", source, format, err)
				continue
			}
			if format == "arrow" {
				r, err := ipc.NewReader(bytes.NewReader(data))
				if err != nil {
					t.Fatal(err)
				}
				rows := int64(0)
				for r.Next() {
					rows += r.RecordBatch().NumRows()
				}
				if rows != wildRows || r.Err() != nil {
					t.Errorf("%s as arrow: %d rows, %v", source, rows, r.Err())
				}
				r.Release()
				continue
			}
			dir := t.TempDir()
			if err := os.WriteFile(filepath.Join(dir, "wild."+format), data, 0o600); err != nil {
				t.Fatal(err)
			}
			from := source + "_" + format
			if _, err := a.Sources.Add(t.Context(), from, format, connect.Config{Path: dir}, ""); err != nil {
				t.Fatalf("%s: %v", from, err)
			}
			for i, name := range names {
				own := name
				if k := a.Now().Catalog().Table(source + ".wild").Column(name); format == "csv" && a.Now().Catalog().Table(source + ".wild").Columns[k].Type.Kind.IsText() {
					own = "CASE WHEN octet_length(" + name + ") > 0 THEN " + name + " END" // an empty text and NULL are the same there
				}
				want, _ := ours(t.Context(), a, "SELECT id, "+own+" FROM "+source+".wild ORDER BY 1", false)
				got, _ := ours(t.Context(), a, fmt.Sprintf("SELECT CAST(e.id AS integer), %s FROM %s.wild AS e ORDER BY 1", casts[i], from), false)
				if d := difference(got, want, true); d != "" {
					t.Errorf("%s.%s as %s: %s", source, name, format, d)
				}
			}
		}
	}
}
