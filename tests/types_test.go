package tests

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rovik/app"
	"rovik/app/project"
	"rovik/connect"
	"rovik/core/exec"
)

// typeWorld makes a project with a database of its own in each server, filled
// by the given statements.
func typeWorld(t *testing.T, pgDDL, maDDL []string) *app.App {
	t.Helper()
	ctx := context.Background()
	admin, err := env.Postgres.Postgres(ctx, "postgres")
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close(ctx)
	for _, q := range []string{"DROP DATABASE IF EXISTS types", "CREATE DATABASE types TEMPLATE template0 LOCALE_PROVIDER icu ICU_LOCALE 'en' LOCALE 'C.UTF-8' ENCODING 'UTF8'"} {
		if _, err := admin.Exec(ctx, q); err != nil {
			t.Fatal(err)
		}
	}
	pg, err := env.Postgres.Postgres(ctx, "types")
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Close(ctx)
	for _, q := range append(pgDDL, "GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader", "ANALYZE") {
		if _, err := pg.Exec(ctx, q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	ma, err := env.MariaDB.MariaDB("")
	if err != nil {
		t.Fatal(err)
	}
	defer ma.Close()
	conn, err := ma.Conn(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	for _, q := range append([]string{"DROP DATABASE IF EXISTS types", "CREATE DATABASE types CHARACTER SET utf8mb4", "USE types", "SET sql_mode = ''",
		"GRANT SELECT ON types.* TO 'rovik_reader'@'127.0.0.1'"}, maDDL...) {
		if _, err := conn.ExecContext(ctx, q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = a.Close() })
	for name, port := range map[string]int{"pg": env.Postgres.Port, "ma": env.MariaDB.Port} {
		kind, secret := "postgresql", "registry"
		if name == "ma" {
			kind, secret = "mariadb", "lending"
		}
		cfg := connect.Config{Host: "127.0.0.1", Port: port, Database: "types", User: "rovik_reader", Secret: "file:" + env.Home + "/secrets/" + secret}
		if _, err := a.Sources.Add(ctx, name, kind, cfg, ""); err != nil {
			t.Fatal(err)
		}
	}
	return a
}

func columnsOf(a *app.App, table string) (types string, notes []string) {
	var out []string
	for _, c := range a.Now().Catalog().Table(table).Columns {
		out = append(out, c.Name+" "+c.Type.String())
		if c.Note != "" {
			notes = append(notes, c.Name+": "+c.Note)
		}
	}
	return strings.Join(out, ", "), notes
}

// Types come across as what they are, what has no type here comes as text and
// says so, and filters on all of them hold with folding on and off.
func TestTypesComeAcross(t *testing.T) {
	a := typeWorld(t, []string{
		`CREATE TYPE mood AS ENUM ('glad', 'sad')`,
		`CREATE COLLATION loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false)`,
		`CREATE TABLE t (id int PRIMARY KEY, c char(5), v varchar(9), r real, u uuid, j jsonb, m mood, a int[], n numeric, big numeric(40,2), tm time, ci text COLLATE loose, iv interval, b boolean)`,
		`INSERT INTO t VALUES (1, 'ab', 'x ', 0.1, '00000000-0000-0000-0000-00000000000a', '{"k": 1}', 'glad', '{1,2}', 1.250, 12345678.50, '10:20', 'Abc', '1 mon 2 days 03:00', true),
			(2, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL), (3, 'abc', '', 16777216, 'ffffffff-ffff-ffff-ffff-ffffffffffff', '[]', 'sad', '{}', -0.001, -1, '23:59:59.5', 'aBC', '-1 day', false)`,
	}, []string{
		`CREATE TABLE t (id INT PRIMARY KEY, ti TINYINT, tu TINYINT UNSIGNED, su SMALLINT UNSIGNED, mi MEDIUMINT, iu INT UNSIGNED, bu BIGINT UNSIGNED, f FLOAT, y YEAR, e ENUM('Red','blue'), bl BLOB, tm TIME(3), ts TIMESTAMP(3) NULL,
			d DATE, dt DATETIME(6), l1 VARCHAR(10) CHARACTER SET latin1, big DECIMAL(50,2), c CHAR(6))`,
		`INSERT INTO t VALUES (1, -128, 255, 65535, -8388608, 4294967295, 18446744073709551615, 0.1, 2024, 'Red', 'x', '10:20:30.5', '2024-03-31 01:30:00', '2024-02-29', '2024-02-29 10:20:30.000001', 'é', 12345678901234567890123456789012345678901234.50, 'ab  '),
			(2, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL), (3, 127, 0, 0, 8388607, 0, 0, 16777216, 1999, 'blue', '', '-01:00:00', '2024-10-27 02:30:00.125', '0000-00-00', '0000-00-00 00:00:00', 'E', -1, 'AB')`,
	})
	types, notes := columnsOf(a, "pg.t")
	if want := "id integer, c char(5), v text, r real, u uuid, j jsonb, m text, a integer[], n numeric, big numeric, tm time, ci text, iv interval, b boolean"; types != want {
		t.Errorf("PostgreSQL's types are %s\n  want %s", types, want)
	}
	if len(notes) != 2 {
		t.Errorf("notes on %d columns: %v", len(notes), notes)
	}
	types, notes = columnsOf(a, "ma.t")
	if want := "id integer, ti smallint, tu smallint, su integer, mi integer, iu bigint, bu numeric(20,0), f double precision, y bigint, e text, bl bytea, tm text, ts timestamptz, d date, dt timestamp, l1 text, big text, c text"; types != want {
		t.Errorf("MariaDB's types are %s\n  want %s", types, want)
	}
	if s := strings.Join(notes, "; "); !strings.Contains(s, "d: 1 of its values are no dates") || !strings.Contains(s, "dt: 1 of its values are no dates") {
		t.Errorf("notes: %s", s)
	}
	for sql, want := range map[string]string{
		"SELECT * FROM pg.t WHERE id = 1":         `1|ab   |x |0.1|00000000-0000-0000-0000-00000000000a|{"k": 1}|glad|{1,2}|1.25|12345678.5|10:20:00|Abc|1 mon 2 days 03:00:00|true|`,
		"SELECT * FROM ma.t WHERE id = 1":         "1|-128|255|65535|-8388608|4294967295|18446744073709551615|0.10000000149|2024|Red|\\x78|10:20:30.500|2024-03-31 01:30:00+00|2024-02-29|2024-02-29 10:20:30.000001|é|12345678901234567890123456789012345678901234.50|ab|",
		"SELECT d, dt, ts FROM ma.t WHERE id = 3": "∅|∅|2024-10-27 02:30:00.125+00|",
	} {
		if o, _ := ours(context.Background(), a, sql, false); fmt.Sprint(o.rows) != "["+want+"]" {
			t.Errorf("%s gives %v (%v)\n  want [%s]", sql, o.rows, o.err, want)
		}
	}
	for source, conds := range map[string][]string{
		"pg": {"c = 'ab'", "c = 'ab   '", "c || '!' = 'ab!'", "v = 'x'", "length(v) = 2", "r = 0.1", "r > 0.1", "r = 16777216", "u > '10000000-0000-0000-0000-000000000000'", "u = '00000000-0000-0000-0000-00000000000A'", "m = 'glad'", "m < 'h'",
			"j = '{\"k\": 1}'", "n > 1", "n = 1.25", "big < 0", "tm > '11:00'", "ci = 'ABC'", "ci = 'Abc'", "ci IN ('abc', 'aBC')", "ci LIKE 'a%'", "iv > interval '1 day'", "b", "NOT b", "a = '{1,2}'"},
		"ma": {"ti < 0", "tu - su < 0", "iu > 4294967294", "iu - 1 >= 0", "bu > 9223372036854775807", "bu = 18446744073709551615", "f = 0.1", "f > 0.1", "y = 2024", "y + 1 > 2024", "e = 'red'", "e = 'Red'", "e < 'a'",
			"tm > '1'", "ts >= timestamptz '2024-10-27 02:30:00.125Z'", "ts < timestamptz '2024-03-31 01:30:00.001+00'", "d IS NULL", "d < date '2000-01-01'", "dt IS NOT NULL", "dt = timestamp '2024-02-29 10:20:30.000001'",
			"CAST(dt AS date) = d", "l1 = 'é'", "l1 = 'e'", "l1 > 'F'", "upper(l1) = 'E'", "big > '1'", "c = 'ab'", "c = 'AB'", "c = 'ab  '", "length(c) = 2", "extract(month FROM dt) = 2"},
	} {
		for _, cond := range conds {
			for _, form := range []string{"SELECT id FROM %s.t WHERE %s", "SELECT id FROM %s.t WHERE NOT (%s)", "SELECT count(*), max(id) FROM %s.t WHERE %s", "SELECT x.id, y.id FROM %[1]s.t x JOIN (SELECT id FROM %[1]s.t WHERE %[2]s) y ON x.id >= y.id AND x.id = y.id"} {
				sql := fmt.Sprintf(form, source, cond)
				folded, _ := ours(context.Background(), a, sql, false)
				unfolded, _ := ours(context.Background(), a, sql, true)
				if d := difference(folded, unfolded, false); d != "" || folded.err != nil {
					t.Errorf("%s: %s %v", sql, d, folded.err)
				}
			}
		}
	}
	for _, col := range []string{"c", "v", "r", "u", "m", "n", "big", "ci", "iv", "b"} {
		lawOfColumn(t, a, "pg", col)
	}
	for _, col := range []string{"ti", "tu", "su", "iu", "bu", "f", "y", "e", "ts", "d", "dt", "l1", "big", "c"} {
		lawOfColumn(t, a, "ma", col)
	}
}

// lawOfColumn groups, sorts, counts and joins by a column, folded and not.
func lawOfColumn(t *testing.T, a *app.App, source, col string) {
	t.Helper()
	for _, form := range []string{"SELECT %[2]s, count(*) FROM %[1]s.t GROUP BY %[2]s", "SELECT DISTINCT %[2]s FROM %[1]s.t", "SELECT id FROM %[1]s.t ORDER BY %[2]s DESC, id",
		"SELECT count(DISTINCT %[2]s) FROM %[1]s.t", "SELECT x.id, y.id FROM %[1]s.t x JOIN %[1]s.t y ON x.%[2]s = y.%[2]s", "SELECT id FROM %[1]s.t WHERE %[2]s IS DISTINCT FROM NULL"} {
		sql := fmt.Sprintf(form, source, col)
		folded, _ := ours(context.Background(), a, sql, false)
		unfolded, _ := ours(context.Background(), a, sql, true)
		if d := difference(folded, unfolded, strings.Contains(sql, "ORDER BY")); d != "" || folded.err != nil {
			t.Errorf("%s: %s %v", sql, d, folded.err)
		}
	}
}

// Numerics of every size and scale come off the wire as they are.
func TestNumericsComeOffTheWire(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	var values, want []string
	for i := range 400 {
		digits := 1 + r.IntN(38)
		scale := r.IntN(digits + 1)
		var b strings.Builder
		if r.IntN(2) == 0 {
			b.WriteByte('-')
		}
		for d := range digits {
			if d == digits-scale {
				if d == 0 {
					b.WriteByte('0')
				}
				b.WriteByte('.')
			}
			if r.IntN(4) == 0 {
				b.WriteByte('0') // long runs of zeros are what groups of four digits hide
			} else {
				b.WriteByte(byte('0' + r.IntN(10)))
			}
		}
		values = append(values, fmt.Sprintf("(%d, %s)", i, strings.TrimSuffix(b.String(), ".")))
	}
	ctx := context.Background()
	ddl := []string{"CREATE TABLE t (id int, n numeric)", "INSERT INTO t VALUES " + strings.Join(values, ", ")}
	a := typeWorld(t, ddl, nil)
	pg, err := env.Postgres.Postgres(ctx, "types")
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Close(ctx)
	rows, err := pg.Query(ctx, "SELECT n::text FROM t ORDER BY id")
	if err != nil {
		t.Fatal(err)
	}
	for rows.Next() {
		var s string
		if err := rows.Scan(&s); err != nil {
			t.Fatal(err)
		}
		want = append(want, s)
	}
	run, err := a.Now().Start(ctx, queryOf("SELECT n FROM pg.t ORDER BY id"), project.NewRunID())
	if err != nil {
		t.Fatal(err)
	}
	defer run.Close()
	b, err := run.Next()
	if err != nil || b.Len != len(want) {
		t.Fatalf("%d of %d rows: %v", b.Len, len(want), err)
	}
	for i := range b.Len {
		if got := *exec.RowTexts(run.Columns, b, i)[0]; got != want[i] {
			t.Errorf("%s came as %s", want[i], got)
		}
	}
}

// Values that cannot be carried are errors that name the column, and say why.
func TestWhatCannotBeCarriedIsAnError(t *testing.T) {
	a := typeWorld(t, []string{"CREATE TABLE t (id int, n numeric, d date, ts timestamptz)", "INSERT INTO t VALUES (1, 'NaN', NULL, NULL), (2, 1e50, NULL, NULL), (3, NULL, 'infinity', NULL), (4, NULL, NULL, '20000-01-01'), (5, 1, '2024-01-01', NULL), (6, 1, NULL, '294276-06-01'), (7, 'Infinity', '4714-11-24 BC', '-infinity')"}, nil)
	for id, want := range map[int]string{1: "", 2: "column n", 3: "", 4: "", 5: "", 6: "column ts", 7: ""} {
		o, _ := ours(context.Background(), a, fmt.Sprintf("SELECT n, d, ts FROM pg.t WHERE id = %d", id), false)
		if (o.err == nil) != (want == "") || o.err != nil && !strings.Contains(o.err.Error(), want) {
			t.Errorf("row %d: %v %v", id, o.rows, o.err)
		}
	}
}

// A column that the source dropped after it was read is said so, with what to do.
func TestADroppedColumnIsSaidPlainly(t *testing.T) {
	ctx := context.Background()
	a := typeWorld(t, []string{"CREATE TABLE t (id int, x int)"}, []string{"CREATE TABLE t (id INT, x INT)"})
	path := makeSQLite(t, "CREATE TABLE t (id INTEGER, x INTEGER)")
	if _, err := a.Sources.Add(ctx, "sl", "sqlite", configOf(path), ""); err != nil {
		t.Fatal(err)
	}
	const drop = "ALTER TABLE t DROP COLUMN x"
	pg, err := env.Postgres.Postgres(ctx, "types")
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Close(ctx)
	_, err1 := pg.Exec(ctx, drop)
	ma, err := env.MariaDB.MariaDB("types")
	if err != nil {
		t.Fatal(err)
	}
	defer ma.Close()
	_, err2 := ma.Exec(drop)
	sl := openSQLite(t, path)
	defer sl.Close()
	_, err3 := sl.Exec(drop)
	if err1 != nil || err2 != nil || err3 != nil {
		t.Fatal(err1, err2, err3)
	}
	for _, source := range []string{"pg", "ma", "sl"} {
		o, _ := ours(ctx, a, "SELECT x FROM "+source+".t", false)
		if o.err == nil || !strings.HasPrefix(o.err.Error(), source+" has changed since it was read") || !strings.Contains(o.err.Error(), "refresh the source") {
			t.Errorf("%s: %v", source, o.err)
		}
		if o, _ = ours(ctx, a, "SELECT id FROM "+source+".t", false); o.err != nil {
			t.Errorf("%s: what is still there: %v", source, o.err)
		}
	}
}

// Keys, foreign keys, sizes and statistics come along from every source.
func TestKeysAndStatisticsComeAcross(t *testing.T) {
	for table, want := range map[string]struct{ keys, foreign string }{
		"registry.objects":      {"[{[object_id] true } {[accession_no] false }]", "registry.public.makers registry.public.rooms"},
		"registry.rooms":        {"[{[room_id] true }]", "registry.public.sites"},
		"lending.loan_lines":    {"[{[loan_id line_no] true }]", "lending.loans"},
		"lending.loans":         {"[{[loan_id] true } {[loan_no] false }]", "lending.couriers"},
		"archive.closed_loans":  {"[{[id] true }]", ""},
		"lending.loan_requests": {"[{[request_id] true }]", "lending.institutions"},
	} {
		tab := museum.Now().Catalog().Table(table)
		var foreign []string
		for _, f := range tab.ForeignKeys {
			foreign = append(foreign, f.Table)
		}
		if got := fmt.Sprint(tab.Keys); got != want.keys || strings.Join(sorted(foreign), " ") != want.foreign {
			t.Errorf("%s has the keys %s and leads to %v", table, got, foreign)
		}
		rows := 0
		for _, d := range env.Tables {
			if d.Source+"."+d.Name == table {
				rows = len(d.Rows)
			}
		}
		if tab.Rows != int64(rows) {
			t.Errorf("%s has %d rows, want %d", table, tab.Rows, rows)
		}
		known := 0
		for _, c := range tab.Columns {
			if c.Distinct > 0 {
				known++
			}
		}
		if known < len(tab.Columns)/2 {
			t.Errorf("%s: the distinct values of %d of %d columns are known", table, known, len(tab.Columns))
		}
	}
	for _, s := range museum.Sources.List() {
		if slices.Contains([]string{"parquet", "csv", "json", "xml"}, s.Kind) {
			continue // nothing about files has to be measured but what they hold
		}
		if len(s.Found.Quirks) < 25 || s.Found.Version == "" {
			t.Errorf("%s: version %q, %d quirks", s.Name, s.Found.Version, len(s.Found.Quirks))
		}
		for name, q := range s.Found.Quirks {
			if q.Value == "" || q.Meaning == "" {
				t.Errorf("%s: the quirk %q is %+v", s.Name, name, q)
			}
		}
		if q := s.Found.Quirks["session is read-only"]; s.Kind != "document" && (q.Value != "yes" || q.MeasuredAt == nil || q.Version != s.Found.Version) {
			t.Errorf("%s: read-only is %+v", s.Name, q)
		}
	}
}

// What a source lets in twice, or lets be NULL, is no key and not taken for
// NOT NULL, whatever it is called: rows would be lost otherwise.
func TestKeysAreWhatHolds(t *testing.T) {
	ctx := context.Background()
	a := typeWorld(t, []string{
		"CREATE TABLE parent (id int PRIMARY KEY, v text)", "CREATE TABLE child () INHERITS (parent)", "INSERT INTO parent VALUES (1, 'a')", "INSERT INTO child VALUES (1, 'b')",
		"CREATE TABLE later (id int UNIQUE DEFERRABLE, n int, v text, UNIQUE (n) INCLUDE (v))",
	}, nil)
	path := makeSQLite(t, "CREATE TABLE loose (code TEXT PRIMARY KEY, v TEXT)", "INSERT INTO loose VALUES (NULL, 'a'), (NULL, 'b'), ('c', 'c')",
		"CREATE TABLE strict (code TEXT PRIMARY KEY, v TEXT) WITHOUT ROWID", "CREATE TABLE ids (id INTEGER PRIMARY KEY, v TEXT)",
		"CREATE TABLE sums (d DECIMAL_TEXT(9,2) UNIQUE, m UNIQUE)", "INSERT INTO sums VALUES ('1.5', 7), ('1.50', '7')")
	if _, err := a.Sources.Add(ctx, "sl", "sqlite", configOf(path), ""); err != nil {
		t.Fatal(err)
	}
	for table, want := range map[string]string{"pg.parent": "[]", "pg.later": "[{[n] false }]", "sl.loose": "[{[code] true }]", "sl.strict": "[{[code] true }]", "sl.ids": "[{[id] true }]", "sl.sums": "[]"} {
		if got := fmt.Sprint(a.Now().Catalog().Table(table).Keys); got != want {
			t.Errorf("the keys of %s are %s, want %s", table, got, want)
		}
	}
	for table, nullable := range map[string]bool{"sl.loose": true, "sl.strict": false, "sl.ids": false, "sl.sums": true, "pg.parent": false} {
		if got := a.Now().Catalog().Table(table).Columns[0].Nullable; got != nullable {
			t.Errorf("the first column of %s: nullable is %v", table, got)
		}
	}
	for sql, want := range map[string]string{
		"SELECT v FROM sl.loose WHERE code IS NULL ORDER BY v":                            "[a| b|]",
		"SELECT DISTINCT code FROM sl.loose ORDER BY 1":                                   "[c| ∅|]",
		"SELECT count(*) FROM sl.loose x WHERE code NOT IN (SELECT code FROM sl.loose y)": "[0|]",
		"SELECT p.id FROM pg.parent p LEFT JOIN pg.parent q ON q.id = p.id":               "[1| 1| 1| 1|]",
		"SELECT DISTINCT id FROM pg.parent":                                               "[1|]",
		"SELECT count(DISTINCT d) FROM sl.sums":                                           "[1|]",
		"SELECT DISTINCT m FROM sl.sums":                                                  "[7|]",
	} {
		for _, off := range []bool{false, true} {
			if o, _ := ours(ctx, a, sql, off); fmt.Sprint(o.rows) != want {
				t.Errorf("%s (folding off: %v) gives %v %v, want %s", sql, off, o.rows, o.err, want)
			}
		}
	}
}
