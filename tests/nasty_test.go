package tests

import (
	"context"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"rovik/app"
	"rovik/connect"
	"rovik/demo"
)

// nastyTable holds, in every source, the same rows of values that databases
// disagree about.
func nastyTable(source string) *demo.Table {
	t := &demo.Table{Source: source, Name: "nasty", Primary: []string{"id"}, Cols: []demo.Col{
		{Name: "id", Type: "integer", Native: "INT", NotNull: true}, {Name: "s", Type: "text", Native: "VARCHAR(40)"}, {Name: "c", Type: "text", Native: "VARCHAR(40) COLLATE utf8mb4_unicode_ci"},
		{Name: "n", Type: "integer", Native: "INT"}, {Name: "b", Type: "bigint", Native: "BIGINT"}, {Name: "d", Type: "numeric(20,6)", Native: "DECIMAL(20,6)"},
		{Name: "f", Type: "double precision", Native: "DOUBLE"}, {Name: "day", Type: "date", Native: "DATE"}, {Name: "at", Type: "timestamp", Native: "DATETIME(6)"}}}
	if source == "sl" {
		t.Cols[0].Type, t.Cols[3].Type = "bigint", "bigint" // SQLite has one width of integers
	}
	texts := []any{nil, "", " ", "a", "A", "a ", "a  ", " a", "b", "B", "á", "Á", "a\u0301", "ß", "ss", "SS", "é", "E", "İ", "i", "I", "z", "Z", "a\tb", "%", "_", "\\", "a%", "a_b", "'", "\"", "*", "?", "[a]", "|", "💥", "ÿ", "0", "00", "1e0", "10", "9", "NULL", "true"}
	ints := []any{nil, int64(0), int64(1), int64(-1), int64(7), int64(-7), int64(2), int64(3), int64(math.MaxInt32), int64(math.MinInt32)}
	bigs := []any{nil, int64(0), int64(5), int64(-5), int64(math.MaxInt64), int64(math.MinInt64), int64(1) << 53, int64(1)<<53 + 1}
	decimals := []any{nil, "0.000000", "1.500000", "-1.500000", "2.500000", "0.000001", "-0.000001", "99999999999999.999999", "-99999999999999.999999", "1.000000", "0.333333"}
	floats := []any{nil, 0.0, 1.5, -1.5, 0.1, 1e300, -1e300, 5e-324, 1e15, 0.30000000000000004}
	if source == "pg" {
		floats = append(floats, math.NaN(), math.Inf(1), math.Inf(-1))
	}
	days := []any{nil, time.Date(2024, 2, 29, 0, 0, 0, 0, time.UTC), time.Date(2023, 12, 31, 0, 0, 0, 0, time.UTC), time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(1969, 12, 31, 0, 0, 0, 0, time.UTC), time.Date(9999, 12, 31, 0, 0, 0, 0, time.UTC), time.Date(2024, 12, 30, 0, 0, 0, 0, time.UTC)}
	moments := []any{nil, time.Date(2024, 3, 31, 1, 30, 0, 0, time.UTC), time.Date(2024, 3, 31, 2, 30, 0, 999999000, time.UTC), time.Date(1999, 12, 31, 23, 59, 59, 1000, time.UTC), time.Date(2024, 2, 29, 0, 0, 0, 0, time.UTC), time.Date(2024, 10, 27, 2, 0, 0, 500000000, time.UTC)}
	for i := range 3 * len(texts) {
		t.Rows = append(t.Rows, []any{int64(i + 1), texts[i%len(texts)], texts[(i*5+3)%len(texts)], ints[i%len(ints)], bigs[i%len(bigs)], decimals[i%len(decimals)], floats[i%len(floats)], days[i%len(days)], moments[i%len(moments)]})
	}
	return t
}

// nastyWorld makes the sources pg, ma and sl with the table, and the reference.
func nastyWorld(t *testing.T) (*app.App, *pgx.Conn) {
	t.Helper()
	ctx := context.Background()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	admin, err := env.Postgres.Postgres(ctx, "postgres")
	must(err)
	defer admin.Close(ctx)
	for _, q := range []string{"DROP DATABASE IF EXISTS nasty", "DROP DATABASE IF EXISTS nasty_reference",
		// The source has another collation than the reference.
		"CREATE DATABASE nasty TEMPLATE template0 LOCALE_PROVIDER icu ICU_LOCALE 'en' LOCALE 'C.UTF-8' ENCODING 'UTF8'",
		"CREATE DATABASE nasty_reference TEMPLATE template0 LC_COLLATE 'C' LC_CTYPE 'C' ENCODING 'UTF8'"} {
		_, err := admin.Exec(ctx, q)
		must(err)
	}
	pg, err := env.Postgres.Postgres(ctx, "nasty")
	must(err)
	defer pg.Close(ctx)
	must(demo.LoadPostgres(ctx, pg, "public", []*demo.Table{nastyTable("pg")}))
	_, err = pg.Exec(ctx, "GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader")
	must(err)

	ref, err := env.Postgres.Postgres(ctx, "nasty_reference")
	must(err)
	t.Cleanup(func() { _ = ref.Close(ctx) })
	_, err = ref.Exec(ctx, "SET timezone = 'UTC'")
	must(err)
	for _, s := range []string{"pg", "ma", "sl"} {
		_, err = ref.Exec(ctx, "CREATE SCHEMA "+s)
		must(err)
		must(demo.LoadPostgres(ctx, ref, s, []*demo.Table{nastyTable(s)}))
	}

	ma, err := env.MariaDB.MariaDB("")
	must(err)
	for _, q := range []string{"DROP DATABASE IF EXISTS nasty", "CREATE DATABASE nasty CHARACTER SET utf8mb4", "GRANT SELECT ON nasty.* TO 'rovik_reader'@'127.0.0.1'"} {
		_, err := ma.Exec(q)
		must(err)
	}
	_ = ma.Close()
	ma, err = env.MariaDB.MariaDB("nasty")
	must(err)
	defer ma.Close()
	must(demo.LoadMariaDB(ctx, ma, []*demo.Table{nastyTable("ma")}))

	path := makeSQLite(t)
	sl := openSQLite(t, path)
	must(demo.LoadSQLite(ctx, sl, []*demo.Table{nastyTable("sl")}))
	must(sl.Close())

	a, err := app.Open(ctx, t.TempDir())
	must(err)
	t.Cleanup(func() { _ = a.Close() })
	for _, s := range museum.Sources.List() {
		cfg := connect.Config{Host: "127.0.0.1", User: "rovik_reader", Database: "nasty"}
		switch s.Name {
		case "registry":
			cfg.Port, cfg.Secret = env.Postgres.Port, "file:"+env.Home+"/secrets/registry"
			_, err = a.Sources.Add(ctx, "pg", "postgresql", cfg, "")
		case "lending":
			cfg.Port, cfg.Secret = env.MariaDB.Port, "file:"+env.Home+"/secrets/lending"
			_, err = a.Sources.Add(ctx, "ma", "mariadb", cfg, "")
		case "archive":
			_, err = a.Sources.Add(ctx, "sl", "sqlite", connect.Config{Path: path}, "")
		}
		must(err)
	}
	return a, ref
}

// Every shape of query, over every column that fits, in every source.
func TestNastyValuesHoldTheLaw(t *testing.T) {
	a, ref := nastyWorld(t)
	text := []string{"s", "c"}
	shapes := []struct {
		cols    []string
		queries []string
	}{
		{[]string{"s", "c", "n", "b", "d", "f", "day", "at"}, []string{
			"SELECT id, %[1]s FROM %[2]s.nasty",
			"SELECT %[1]s, count(*) FROM %[2]s.nasty GROUP BY %[1]s",
			"SELECT DISTINCT %[1]s FROM %[2]s.nasty",
			"SELECT count(DISTINCT %[1]s), count(%[1]s), min(%[1]s), max(%[1]s) FROM %[2]s.nasty",
			"SELECT %[1]s, id FROM %[2]s.nasty ORDER BY %[1]s, id",
			"SELECT %[1]s, id FROM %[2]s.nasty ORDER BY %[1]s DESC, id LIMIT 25 OFFSET 3",
			"SELECT %[1]s, id FROM %[2]s.nasty ORDER BY %[1]s NULLS FIRST, id DESC LIMIT 30",
			"SELECT x.id, y.id FROM %[2]s.nasty x JOIN %[2]s.nasty y ON x.%[1]s = y.%[1]s AND x.id < y.id",
			"SELECT x.id, count(y.id) FROM %[2]s.nasty x LEFT JOIN %[2]s.nasty y ON x.%[1]s = y.%[1]s AND y.id > 40 GROUP BY x.id",
			"SELECT x.id FROM %[2]s.nasty x JOIN %[2]s.nasty y ON x.id = y.id + 1 WHERE x.%[1]s > y.%[1]s",
			"SELECT id FROM %[2]s.nasty WHERE %[1]s IS NULL OR %[1]s = %[1]s",
			"SELECT count(*) FROM pg.nasty x JOIN %[2]s.nasty y ON x.%[1]s = y.%[1]s",
			"SELECT q.v, count(*) FROM (SELECT %[1]s AS v FROM pg.nasty UNION ALL SELECT %[1]s FROM %[2]s.nasty) q GROUP BY q.v",
			"SELECT id, coalesce(%[1]s, (%[1]s)), CASE WHEN id > 5 THEN %[1]s END FROM %[2]s.nasty",
			"SELECT id FROM %[2]s.nasty WHERE %[1]s IS DISTINCT FROM NULL",
		}},
		{text, []string{
			"SELECT id FROM %[2]s.nasty WHERE %[1]s = 'a'", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 'a '", "SELECT id FROM %[2]s.nasty WHERE %[1]s <> 'A'",
			"SELECT id FROM %[2]s.nasty WHERE %[1]s = ''", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 'ss'", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 'É'",
			"SELECT id FROM %[2]s.nasty WHERE %[1]s IN ('a', 'B', 'ß')", "SELECT id FROM %[2]s.nasty WHERE %[1]s NOT IN ('a', '')",
			"SELECT id FROM %[2]s.nasty WHERE %[1]s > 'a'", "SELECT id FROM %[2]s.nasty WHERE %[1]s <= 'Z'", "SELECT id FROM %[2]s.nasty WHERE %[1]s BETWEEN 'A' AND 'b'",
			`SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE 'a%%'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '_'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '%% '`,
			`SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '\%%'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE 'a\_b'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '|' ESCAPE '!'`,
			`SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '[a]'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '*'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s ILIKE 'A%%'`,
			`SELECT id FROM %[2]s.nasty WHERE %[1]s ILIKE 'É'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s NOT ILIKE 'i'`, `SELECT id FROM %[2]s.nasty WHERE %[1]s LIKE '\\'`,
			"SELECT id FROM %[2]s.nasty WHERE lower(%[1]s) = 'a'", "SELECT id FROM %[2]s.nasty WHERE lower(%[1]s) = 'i'", "SELECT id FROM %[2]s.nasty WHERE upper(%[1]s) = 'SS'",
			"SELECT id FROM %[2]s.nasty WHERE lower(btrim(%[1]s)) IN ('a', 'é')", "SELECT id FROM %[2]s.nasty WHERE upper(%[1]s) LIKE 'A%%'",
			"SELECT x.id, y.id FROM %[2]s.nasty x JOIN %[2]s.nasty y ON lower(x.%[1]s) = upper(y.%[1]s)",
			"SELECT x.id, y.id FROM %[2]s.nasty x JOIN %[2]s.nasty y ON lower(x.s) = lower(y.c) AND x.id > y.id",
			"SELECT x.id, y.id FROM %[2]s.nasty x JOIN %[2]s.nasty y ON x.s = y.c",
			"SELECT id, lower(%[1]s), upper(%[1]s), length(%[1]s), btrim(%[1]s), ltrim(%[1]s), rtrim(%[1]s), left(%[1]s, 1), right(%[1]s, 1) FROM %[2]s.nasty",
			"SELECT id, %[1]s || '!', concat(%[1]s, NULL, 'x'), replace(%[1]s, 'a', 'AA'), substring(%[1]s, 2, 1), strpos(%[1]s, 'b') FROM %[2]s.nasty",
			"SELECT left(%[1]s, 1), count(*) FROM %[2]s.nasty GROUP BY left(%[1]s, 1) HAVING min(%[1]s) < 'b'",
			"SELECT id FROM %[2]s.nasty WHERE coalesce(s, c) = 'a' OR nullif(s, c) = 'A'", "SELECT id FROM %[2]s.nasty WHERE s || c = 'aA' OR concat(s, c) LIKE 'a%%'",
			"SELECT id FROM %[2]s.nasty WHERE CASE WHEN n > 0 THEN s ELSE c END = 'a'", "SELECT CAST(%[1]s AS integer) FROM %[2]s.nasty WHERE %[1]s IN ('0', '00', '10', '9')",
			"SELECT CAST(%[1]s AS integer) FROM %[2]s.nasty", "SELECT id FROM %[2]s.nasty WHERE s IS DISTINCT FROM c",
		}},
		{[]string{"n", "b"}, []string{
			"SELECT id FROM %[2]s.nasty WHERE %[1]s > 1", "SELECT id FROM %[2]s.nasty WHERE %[1]s IN (1, -7, NULL)", "SELECT id, %[1]s / 2, %[1]s %% 2 FROM %[2]s.nasty WHERE %[1]s <> 0",
			"SELECT id, %[1]s + 1 FROM %[2]s.nasty", "SELECT id, -%[1]s FROM %[2]s.nasty", "SELECT sum(%[1]s), avg(%[1]s) FROM %[2]s.nasty", "SELECT 10 / %[1]s FROM %[2]s.nasty",
			"SELECT id, CAST(%[1]s AS numeric) * 1.5, CAST(%[1]s AS text), CAST(%[1]s AS double precision) FROM %[2]s.nasty", "SELECT id FROM %[2]s.nasty WHERE %[1]s > 2.5",
			"SELECT id FROM %[2]s.nasty WHERE CAST(%[1]s AS text) > '5'", "SELECT n, sum(%[1]s), count(*) FROM %[2]s.nasty GROUP BY n", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 9007199254740993",
			"SELECT id FROM %[2]s.nasty WHERE abs(%[1]s) = 7 AND id < 50", "SELECT id, greatest(%[1]s, 2), least(%[1]s, NULL) FROM %[2]s.nasty",
		}},
		{[]string{"d"}, []string{
			"SELECT id FROM %[2]s.nasty WHERE %[1]s >= 1.5", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 1", "SELECT id, %[1]s + 1, %[1]s * 2, %[1]s - 0.5 FROM %[2]s.nasty", "SELECT id, %[1]s / 3 FROM %[2]s.nasty",
			"SELECT id, round(%[1]s), round(%[1]s, 2), floor(%[1]s), ceil(%[1]s), abs(%[1]s) FROM %[2]s.nasty", "SELECT sum(%[1]s), avg(%[1]s), sum(DISTINCT %[1]s) FROM %[2]s.nasty",
			"SELECT id FROM %[2]s.nasty WHERE round(%[1]s) = 3", "SELECT id FROM %[2]s.nasty WHERE %[1]s * 2 > 3.0 AND %[1]s < 99999999999999.5",
			"SELECT id, CAST(%[1]s AS integer) FROM %[2]s.nasty WHERE %[1]s < 5 AND %[1]s > -5", "SELECT id, CAST(%[1]s AS numeric(4,2)) FROM %[2]s.nasty",
		}},
		{[]string{"f"}, []string{
			"SELECT id FROM %[2]s.nasty WHERE %[1]s > 0.1", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 0", "SELECT id FROM %[2]s.nasty WHERE %[1]s = 0.30000000000000004",
			"SELECT id, %[1]s * 2 FROM %[2]s.nasty WHERE %[1]s < CAST('1e100' AS double precision) AND %[1]s > CAST('-1e100' AS double precision)", "SELECT id, %[1]s * 1e300 FROM %[2]s.nasty", "SELECT id, CAST(%[1]s AS integer) FROM %[2]s.nasty WHERE abs(%[1]s) < 100",
		}},
		{[]string{"day", "at"}, []string{
			"SELECT id FROM %[2]s.nasty WHERE %[1]s >= date '2024-02-29'", "SELECT id FROM %[2]s.nasty WHERE %[1]s < timestamp '2024-03-31 02:30:00.999999'",
			"SELECT id, extract(year FROM %[1]s), extract(week FROM %[1]s), extract(dow FROM %[1]s), extract(doy FROM %[1]s), extract(quarter FROM %[1]s) FROM %[2]s.nasty",
			"SELECT id, CAST(%[1]s AS date), CAST(%[1]s AS text) FROM %[2]s.nasty", "SELECT extract(month FROM %[1]s), count(*) FROM %[2]s.nasty GROUP BY 1",
			"SELECT id FROM %[2]s.nasty WHERE %[1]s = day OR %[1]s > at", "SELECT id, %[1]s - interval '1 month' FROM %[2]s.nasty", "SELECT id, date_trunc('month', %[1]s) FROM %[2]s.nasty",
		}},
	}
	count := 0
	for _, source := range []string{"pg", "ma", "sl"} {
		for _, shape := range shapes {
			for _, col := range shape.cols {
				for _, q := range shape.queries {
					sql := fmt.Sprintf(q, col, source)
					sql, _, _ = strings.Cut(sql, "%!(EXTRA")
					holdsLawOn(t, a, ref, sql, strings.Contains(sql, "ORDER BY"))
					count++
				}
			}
		}
	}
	t.Logf("%d queries", count)
}

// What generated queries found: each of these once gave a wrong answer.
func TestFoundByGeneratedQueries(t *testing.T) {
	a, ref := nastyWorld(t)
	for _, sql := range []string{
		// MariaDB's subquery cache takes 'a' for 'A' where a column's collation does.
		"SELECT x.id FROM ma.nasty x WHERE x.c <> ANY (SELECT y.c FROM ma.nasty y WHERE y.s = x.c)",
		"SELECT x.c, x.b FROM ma.nasty x WHERE x.s IN (SELECT y.c FROM ma.nasty y WHERE y.id < 20)",
		// NULL in a key of NOT IN lets rows through that differ in another key.
		"SELECT x.f FROM sl.nasty x WHERE x.day NOT IN (SELECT y.day FROM (SELECT * FROM ma.nasty WHERE s = 'a') y WHERE y.b IS NOT DISTINCT FROM x.id)",
		"SELECT x.day FROM pg.nasty x FULL JOIN generate_series(-1, 4) g ON x.n = g WHERE x.id NOT IN (SELECT y.n FROM pg.nasty y WHERE y.id = x.id)",
		// MariaDB's HAVING knows no group key that is computed with a parameter.
		"SELECT v FROM (SELECT coalesce(x.day, date '2000-01-01') AS v, min(x.day) AS a FROM ma.nasty x WHERE x.c = 'E' GROUP BY 1) g WHERE v <= date '2024-02-29' OR NOT (a IN (date '2000-01-01', date '2024-12-30'))",
		"SELECT x.id FROM (VALUES (1), (7), (2)) AS k(n) LEFT JOIN ma.nasty x ON k.n = x.id JOIN (SELECT coalesce(y.d, 0) AS v, y.id = 1 AS w, count(*) AS c FROM ma.nasty y GROUP BY 1, 2 HAVING count(*) <> 2) g ON x.d = g.v",
		// An outer join may be what connects others: no pairs of all rows are made.
		"WITH w AS (SELECT a.n AS v, c.v AS u FROM sl.nasty a RIGHT JOIN (SELECT * FROM pg.nasty WHERE n > 0) b ON a.day = b.day JOIN LATERAL (SELECT g AS v, max(g) AS m FROM generate_series(-1, 4) g WHERE g < a.id GROUP BY 1) c ON true WHERE c.v BETWEEN 3 AND 40) SELECT x.v, count(*) FROM w x JOIN w y ON x.v IS NOT DISTINCT FROM y.v GROUP BY 1",
		// The empty grouping set has a row where nothing is grouped.
		"SELECT x.id, q.n FROM pg.nasty x LEFT JOIN LATERAL (SELECT y.b, count(*) AS n FROM pg.nasty y WHERE y.day = x.day AND y.id % 7 = 1 GROUP BY CUBE (y.b)) q ON true",
		"SELECT x.s FROM ma.nasty x WHERE NOT EXISTS (SELECT 1 FROM sl.nasty y WHERE y.c = x.s GROUP BY ROLLUP (y.n) HAVING count(*) <> 2)",
		// Equal items of the select list are grouping keys of their own.
		"SELECT x.d AS a, x.d AS b, count(*) FROM pg.nasty x GROUP BY ROLLUP (1, 2)",
		// The first rows for each value of an outer column, not of all.
		"SELECT x.id, q.d FROM pg.nasty x LEFT JOIN LATERAL (SELECT DISTINCT ON (y.d) y.d, y.at FROM pg.nasty y WHERE y.id IS NOT DISTINCT FROM x.n ORDER BY y.d, y.at DESC) q ON true",
		// A group shows its whole type although it groups by less of a cast.
		"SELECT count(*) FROM pg.nasty x JOIN sl.nasty y ON x.n = y.n",
		"SELECT CAST(x.n AS text) AS v, sum(x.n) FROM pg.nasty x GROUP BY 1",
		// Ranks look at the whole partition whatever the frame.
		"SELECT x.day, dense_rank() OVER (ORDER BY x.day RANGE BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING) AS r FROM ma.nasty x",
		// A condition above a window in EXISTS reads the window's column.
		"SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT * FROM (SELECT q.v, min(q.v) OVER (PARTITION BY q.s) AS w FROM (SELECT y.n AS v, y.s FROM ma.nasty y ORDER BY 1, 2 LIMIT 8) q WHERE q.s = x.s) p WHERE w < 1)",
	} {
		t.Run(sql, func(t *testing.T) { holdsLawOn(t, a, ref, sql, false) })
	}
}

// A setting altered on the server changes what is measured at the next check,
// and with it the verdicts; the check says so.
func TestAlteredSettingsChangeVerdicts(t *testing.T) {
	a, _ := nastyWorld(t)
	ctx := context.Background()
	admin, err := env.MariaDB.MariaDB("")
	if err != nil {
		t.Fatal(err)
	}
	var packet int
	if err := admin.QueryRow("SELECT @@GLOBAL.max_allowed_packet").Scan(&packet); err != nil {
		t.Fatal(err)
	}
	defer func() {
		if _, err := admin.Exec(fmt.Sprintf("SET GLOBAL max_allowed_packet = %d", packet)); err != nil {
			t.Error(err)
		}
		_ = admin.Close()
	}()
	verdict := func() string {
		r, err := a.Now().Explain(t.Context(), queryOf("SELECT id FROM ma.nasty WHERE s || c || s = 'x'"))
		if err != nil {
			t.Fatal(err)
		}
		if p := r.Pieces[0]; p.Reason != nil {
			return string(p.Verdict) + " " + p.Reason.Code
		}
		return string(r.Pieces[0].Verdict)
	}
	// The columns are longer than the small packet, and shorter than the large one.
	small, large := 1024, 1<<20
	for _, step := range []struct {
		set     int
		verdict string
	}{{large, ""}, {small, "kept quirk-differs"}, {large, "folded"}} {
		if _, err := admin.Exec(fmt.Sprintf("SET GLOBAL max_allowed_packet = %d", step.set)); err != nil {
			t.Fatal(err)
		}
		tested, err := a.Sources.Test(ctx, "ma")
		if err != nil || len(tested.Differences.Quirks) != 1 {
			t.Fatalf("testing after a packet of %d tells of %v, %v", step.set, tested.Differences.Quirks, err)
		}
		if verdict() == step.verdict {
			t.Errorf("a test alone has changed the verdict")
		}
		found, err := a.Sources.Refresh(ctx, "ma")
		if err != nil || len(found.Differences.Quirks) != 1 || found.Differences.Quirks[0].Is != fmt.Sprint(step.set) {
			t.Errorf("after a packet of %d the check tells of %v, %v", step.set, found.Differences.Quirks, err)
		}
		if got := verdict(); step.verdict != "" && got != step.verdict {
			t.Errorf("after a packet of %d the verdict is %s, want %s", step.set, got, step.verdict)
		}
	}
}
