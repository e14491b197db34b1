package tests

import (
	"context"
	"strings"
	"testing"

	"rovik/app"
	"rovik/app/project"
	"rovik/connect"
)

// change is something that happens to a source under a running server. Each query
// was planned and run before; after the change it gives what the source holds then,
// or an error that says that the source has changed: never a wrong answer.
type change struct {
	name    string
	setup   []string // makes the tables
	queries []string
	change  []string
	// holds says that the queries must still be answered.
	holds bool
}

// shifting is a source that can be changed.
type shifting struct {
	connect func(a *app.App) error
	exec    func(statements ...string)
	changes []change
}

// The changes that can be made in every database, with the words that differ.
func commonChanges(words map[string]string) []change {
	fill := func(list ...string) []string {
		for i := range list {
			for k, v := range words {
				list[i] = strings.ReplaceAll(list[i], k, v)
			}
		}
		return list
	}
	pair := fill("CREATE TABLE l (id INT, k INT)", "INSERT INTO l VALUES (1, 1), (2, 2), (3, 3)",
		"CREATE TABLE r (k INT NOT NULL, v TEXTTYPE)", "CREATE UNIQUE INDEX r_k ON r (k)", "INSERT INTO r VALUES (1, 'a'), (2, 'b'), (3, '10')")
	dropped := []string{"SELECT l.id FROM s.l LEFT JOIN s.r ON l.k = r.k", "SELECT count(*) FROM s.l LEFT JOIN s.r ON l.k = r.k",
		"SELECT id, (SELECT v FROM s.r WHERE r.k = l.k) FROM s.l", "SELECT DISTINCT k FROM s.r",
		// What the plan relies on, no statement reads.
		"SELECT count(*) FROM (SELECT DISTINCT k FROM s.r) q", "SELECT l.id, q.m FROM s.l LEFT JOIN s.r ON l.k = r.k CROSS JOIN (SELECT max(v) AS m FROM s.r) q"}
	return []change{
		{"a unique key goes", pair, dropped, fill("DROP INDEX r_k ONTABLE", "INSERT INTO r VALUES (1, 'again'), (1, 'and again')"), false},
		{"rows come and go", pair, dropped, fill("INSERT INTO r VALUES (7, 'z')", "DELETE FROM l WHERE id = 2"), true},
		{"a column that nobody reads comes", pair, dropped, fill("ALTER TABLE r ADD COLUMN w INT"), true},
		{"an index comes", pair, dropped, fill("CREATE INDEX more ON r (v KEYLENGTH)"), true},
		{"a table is another", pair, append([]string{"SELECT k FROM s.r WHERE v < '2'", "SELECT k, v FROM s.r ORDER BY v", "SELECT max(v) FROM s.r"}, dropped...),
			fill("DROP TABLE r", "CREATE TABLE r (k INT, v INT)", "INSERT INTO r VALUES (1, 10), (1, 9), (NULL, 100)"), false},
		{"a table is gone", pair, dropped, fill("DROP TABLE r"), false},
		{"a column is gone", pair, []string{"SELECT v FROM s.r", "SELECT k FROM s.r WHERE v = 'a'"}, fill("ALTER TABLE r DROP COLUMN v"), false},
		{"tables change their names", pair, dropped, fill("ALTER TABLE l RENAME TO x", "ALTER TABLE r RENAME TO l", "ALTER TABLE x RENAME TO r"), false},
	}
}

func TestDriftNeverGivesAWrongAnswer(t *testing.T) {
	ctx := context.Background()
	secret := func(name string) string { return "file:" + env.Home + "/secrets/" + name }
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	pg, err := env.Postgres.Postgres(ctx, "postgres")
	must(err)
	defer pg.Close(ctx)
	_, err = pg.Exec(ctx, "DROP DATABASE IF EXISTS drift")
	must(err)
	_, err = pg.Exec(ctx, "CREATE DATABASE drift")
	must(err)
	inPG, err := env.Postgres.Postgres(ctx, "drift")
	must(err)
	defer inPG.Close(ctx)
	ma, err := env.MariaDB.MariaDB("")
	must(err)
	defer ma.Close()
	for _, q := range []string{"DROP DATABASE IF EXISTS drift", "CREATE DATABASE drift CHARACTER SET utf8mb4", "GRANT SELECT, SHOW VIEW ON drift.* TO 'rovik_reader'@'127.0.0.1'"} {
		_, err := ma.Exec(q)
		must(err)
	}
	inMA, err := env.MariaDB.MariaDB("drift")
	must(err)
	defer inMA.Close()
	path := makeSQLite(t)
	inSL := openSQLite(t, path)
	defer inSL.Close()

	sources := map[string]shifting{
		"postgresql": {
			func(a *app.App) error {
				_, err := a.Sources.Add(ctx, "s", "postgresql", connect.Config{Host: "127.0.0.1", Port: env.Postgres.Port, User: "rovik_reader", Database: "drift", Secret: secret("registry")}, "")
				return err
			},
			func(statements ...string) {
				for _, q := range append([]string{"SELECT 1"}, append(statements, "GRANT USAGE ON SCHEMA public TO rovik_reader", "GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader")...) {
					_, err := inPG.Exec(ctx, q)
					must(err)
				}
			},
			append(commonChanges(map[string]string{"TEXTTYPE": "text", " ONTABLE": "", " KEYLENGTH": ""}),
				change{"NULL is allowed", []string{"CREATE TABLE r (k int NOT NULL, v int)", "INSERT INTO r VALUES (1, 1), (2, 2)"},
					[]string{"SELECT v FROM s.r WHERE k IS NULL", "SELECT v FROM s.r WHERE k IS NOT NULL", "SELECT count(*) FROM s.r WHERE k IS NOT NULL", "SELECT count(k) FROM s.r", "SELECT a.v FROM s.r a LEFT JOIN s.r b ON b.k IS NULL AND b.v > 100", "SELECT v FROM s.r WHERE v NOT IN (SELECT k FROM s.r)", "SELECT x.v FROM s.r x WHERE EXISTS (SELECT 1 FROM s.r y WHERE y.k < x.k HAVING count(*) < 9)"},
					[]string{"ALTER TABLE r ALTER COLUMN k DROP NOT NULL", "INSERT INTO r VALUES (NULL, 7)"}, false},
				change{"a view is another", []string{"CREATE TABLE r (k int, v text)", "INSERT INTO r VALUES (1, '10'), (2, '9')", "CREATE VIEW w AS SELECT k, v FROM r"},
					[]string{"SELECT k FROM s.w WHERE v < '2'", "SELECT v FROM s.w ORDER BY v"},
					[]string{"DROP VIEW w", "CREATE VIEW w AS SELECT k, v::int AS v FROM r"}, false},
				change{"a view is made again", []string{"CREATE TABLE r (k int, v text)", "INSERT INTO r VALUES (1, '10'), (2, '9')", "CREATE VIEW w AS SELECT k, v FROM r"},
					[]string{"SELECT k FROM s.w WHERE v < '2'"}, []string{"DROP VIEW w", "CREATE VIEW w AS SELECT k, v FROM r WHERE k > 0"}, true},
				change{"a table inherits", []string{"CREATE TABLE r (k int PRIMARY KEY, v text)", "INSERT INTO r VALUES (1, 'a')", "CREATE TABLE l (k int)", "INSERT INTO l VALUES (1)"},
					[]string{"SELECT l.k FROM s.l LEFT JOIN s.r ON l.k = r.k", "SELECT count(*) FROM s.r"},
					[]string{"CREATE TABLE heir () INHERITS (r)", "INSERT INTO heir VALUES (1, 'b'), (1, 'c')"}, false},
				change{"settings of the role and the database", []string{"CREATE TABLE r (k int, v text, f float8, b bytea)", "INSERT INTO r VALUES (1, 'a', 0.1, 'x'), (NULL, 'B', 1e300, NULL)"},
					[]string{"SELECT k FROM s.r WHERE k = NULL", "SELECT upper(v), v || 'x', v = 'a' FROM s.r", "SELECT concat(f, b), to_jsonb(b) FROM s.r", "SELECT quote_ident(v) FROM s.r"},
					[]string{"ALTER ROLE rovik_reader SET transform_null_equals = on", "ALTER DATABASE drift SET search_path = mine, public", "ALTER ROLE rovik_reader SET extra_float_digits = -5",
						"ALTER DATABASE drift SET bytea_output = escape", "ALTER ROLE rovik_reader SET quote_all_identifiers = on", "CREATE SCHEMA mine", "GRANT USAGE ON SCHEMA mine TO rovik_reader",
						"CREATE FUNCTION mine.upper(text) RETURNS text LANGUAGE sql AS $$ SELECT 'mine' $$", "CREATE FUNCTION public.upper(varchar) RETURNS text LANGUAGE sql AS $$ SELECT 'public' $$",
						"CREATE FUNCTION public.never(text, text) RETURNS boolean LANGUAGE sql AS $$ SELECT false $$", "CREATE OPERATOR mine.= (LEFTARG = text, RIGHTARG = text, FUNCTION = public.never)"}, true}),
		},
		"mariadb": {
			func(a *app.App) error {
				_, err := a.Sources.Add(ctx, "s", "mariadb", connect.Config{Host: "127.0.0.1", Port: env.MariaDB.Port, User: "rovik_reader", Database: "drift", Secret: secret("lending")}, "")
				return err
			},
			func(statements ...string) {
				for _, q := range statements {
					_, err := inMA.Exec(q)
					must(err)
				}
			},
			append(commonChanges(map[string]string{"TEXTTYPE": "VARCHAR(20)", " ONTABLE": " ON r", " KEYLENGTH": ""}),
				change{"NULL is allowed", []string{"CREATE TABLE r (k INT NOT NULL, v INT)", "INSERT INTO r VALUES (1, 1), (2, 2)"},
					[]string{"SELECT v FROM s.r WHERE k IS NULL", "SELECT v FROM s.r WHERE k IS NOT NULL", "SELECT count(*) FROM s.r WHERE k IS NOT NULL", "SELECT count(k) FROM s.r", "SELECT a.v FROM s.r a LEFT JOIN s.r b ON b.k IS NULL AND b.v > 100", "SELECT v FROM s.r WHERE v NOT IN (SELECT k FROM s.r)"},
					[]string{"ALTER TABLE r MODIFY k INT NULL", "INSERT INTO r VALUES (NULL, 7)"}, false},
				change{"a collation is another", []string{"CREATE TABLE r (k INT, v VARCHAR(20) COLLATE utf8mb4_bin)", "INSERT INTO r VALUES (1, 'a'), (2, 'A'), (3, 'a ')"},
					[]string{"SELECT k FROM s.r WHERE v = 'a'", "SELECT v, count(*) FROM s.r GROUP BY v", "SELECT max(v) FROM s.r"},
					[]string{"ALTER TABLE r MODIFY v VARCHAR(20) COLLATE utf8mb4_general_ci"}, false},
				change{"a view over what changes", []string{"CREATE TABLE r (k INT, v VARCHAR(9))", "INSERT INTO r VALUES (1, '10'), (2, '9')", "CREATE VIEW w AS SELECT k, v FROM r"},
					[]string{"SELECT k FROM s.w WHERE v < '2'", "SELECT v FROM s.w ORDER BY v"}, []string{"ALTER TABLE r MODIFY v INT"}, false},
				change{"dates that are none", []string{"CREATE TABLE r (k INT, v DATE NOT NULL, w DATETIME(6), KEY (v))", "INSERT INTO r VALUES (1, '2024-01-01', '2024-01-01 10:00:00.5'), (2, '2024-05-05', NULL)"},
					[]string{"SELECT k FROM s.r WHERE v < date '2030-01-01'", "SELECT k, v, w FROM s.r", "SELECT count(*), count(v), count(w), min(v), max(w) FROM s.r", "SELECT v, count(*) FROM s.r GROUP BY v HAVING v IS NULL OR v > date '2000-01-01'", "SELECT k FROM s.r WHERE v IS NULL",
						"SELECT DISTINCT v FROM s.r ORDER BY v", "SELECT k FROM s.r ORDER BY v DESC, k LIMIT 3", "SELECT a.k, b.k FROM s.r a JOIN s.r b ON a.v = b.v", "SELECT a.k FROM s.r a WHERE NOT EXISTS (SELECT 1 FROM s.r b WHERE b.v = a.v AND b.k <> a.k)", "SELECT k FROM s.r WHERE v NOT IN (SELECT v FROM s.r WHERE k > 1)",
						"SELECT k FROM s.r WHERE w BETWEEN timestamp '2024-01-01' AND timestamp '2024-12-31'", "SELECT k FROM s.r WHERE NOT v > date '2024-03-01'", "SELECT k FROM s.r WHERE v <> date '2024-01-01' OR w IS NULL", "SELECT count(*) FILTER (WHERE v < date '2030-01-01') FROM s.r", "SELECT v FROM s.r UNION SELECT CAST(w AS date) FROM s.r",
						"SELECT k, row_number() OVER (PARTITION BY v ORDER BY k) FROM s.r", "SELECT coalesce(v, date '2000-01-01'), extract(year FROM w) FROM s.r", "SELECT a.k FROM s.r a LEFT JOIN s.r b ON a.v >= b.v AND b.k > 2 WHERE b.k IS NULL"},
					[]string{"SET STATEMENT sql_mode = 'ALLOW_INVALID_DATES' FOR INSERT INTO r VALUES (3, '0000-00-00', '0000-00-00'), (4, '2024-02-31', '2024-02-30 10:00:00'), (5, '2024-00-00', '2024-05-00 10:00:00'), (6, '2024-02-31', '0000-05-01')"}, true},
				change{"a number grows", []string{"CREATE TABLE r (k INT, v SMALLINT)", "INSERT INTO r VALUES (1, 1)"},
					[]string{"SELECT v FROM s.r", "SELECT sum(v) FROM s.r"}, []string{"ALTER TABLE r MODIFY v BIGINT UNSIGNED", "INSERT INTO r VALUES (2, 18446744073709551615)"}, false}),
		},
		"sqlite": {
			func(a *app.App) error {
				_, err := a.Sources.Add(ctx, "s", "sqlite", connect.Config{Path: path}, "")
				return err
			},
			func(statements ...string) {
				for _, q := range statements {
					_, err := inSL.Exec(q)
					must(err)
				}
			},
			append(commonChanges(map[string]string{"TEXTTYPE": "TEXT", " ONTABLE": "", " KEYLENGTH": ""}),
				change{"text among integers", []string{"CREATE TABLE r (k INT, v INT)", "INSERT INTO r VALUES (1, 5), (2, 50)"},
					[]string{"SELECT k FROM s.r WHERE v > 7", "SELECT max(v) FROM s.r", "SELECT v, count(*) FROM s.r GROUP BY v", "SELECT count(*) FROM s.r WHERE v < 100"},
					[]string{"INSERT INTO r VALUES (3, 'seven')"}, false},
				change{"an integer among texts", []string{"CREATE TABLE r (k INT, v)", "INSERT INTO r VALUES (1, '5'), (2, '50')"},
					[]string{"SELECT k FROM s.r WHERE v = '7'", "SELECT min(v) FROM s.r"}, []string{"INSERT INTO r VALUES (3, 7)"}, false},
				change{"what is no date", []string{"CREATE TABLE r (k INT, v DATE)", "INSERT INTO r VALUES (1, '2024-01-01')"},
					[]string{"SELECT k FROM s.r WHERE v < date '2030-01-01'", "SELECT max(v) FROM s.r"}, []string{"INSERT INTO r VALUES (3, 'soon')"}, false},
				change{"a zero byte", []string{"CREATE TABLE r (k INT, v TEXT)", "INSERT INTO r VALUES (1, 'a')"},
					[]string{"SELECT k FROM s.r WHERE length(v) = 1", "SELECT v FROM s.r"}, []string{"INSERT INTO r VALUES (3, 'a' || char(0) || 'b')"}, false},
				change{"all rows go", []string{"CREATE TABLE r (k INT, v NUMERIC)", "INSERT INTO r VALUES (1, 5)"}, []string{"SELECT k FROM s.r WHERE k > 2", "SELECT count(v) FROM s.r"}, []string{"DELETE FROM r"}, true},
				change{"written anew as a whole", []string{"CREATE TABLE r (k INT, v TEXT)", "INSERT INTO r VALUES (1, 'a'), (2, 'b')", "DELETE FROM r WHERE k = 1"},
					[]string{"SELECT v FROM s.r WHERE k > 0"}, []string{"VACUUM"}, true}),
		},
	}
	clear := map[string]func(){
		"postgresql": func() {
			sources["postgresql"].exec("DROP SCHEMA public CASCADE", "CREATE SCHEMA public", "DROP SCHEMA IF EXISTS mine CASCADE")
		},
		"mariadb": func() {
			sources["mariadb"].exec("DROP VIEW IF EXISTS w", "DROP TABLE IF EXISTS l, r, x")
		},
		"sqlite": func() {
			sources["sqlite"].exec("DROP TABLE IF EXISTS l", "DROP TABLE IF EXISTS r", "DROP TABLE IF EXISTS x")
		},
	}
	defer func() {
		_, err := inPG.Exec(ctx, "ALTER ROLE rovik_reader RESET ALL")
		must(err)
	}()
	for kind, s := range sources {
		for _, c := range s.changes {
			t.Run(kind+"/"+c.name, func(t *testing.T) {
				clear[kind]()
				s.exec(c.setup...)
				a := emptyProject(t)
				must(s.connect(a))
				for range 2 {
					for _, q := range c.queries {
						for _, off := range []bool{false, true} {
							if o, _ := ours(ctx, a, q, off); o.err != nil {
								t.Fatalf("before: %s: %v", q, o.err)
							}
						}
					}
				}
				// A statement that was begun before reads what was there then.
				before, _ := ours(ctx, a, c.queries[0], false)
				begun, err := a.Now().Start(ctx, project.Query{SQL: c.queries[0]}, project.NewRunID())
				must(err)
				_ = begun // it opens its statement with its first rows
				s.exec(c.change...)
				now := emptyProject(t)
				must(s.connect(now))
				late := rowsOf(begun)
				for _, q := range c.queries {
					truth, _ := ours(ctx, now, q, true)
					for _, off := range []bool{false, true} {
						got, _ := ours(ctx, a, q, off)
						told := got.err != nil && strings.Contains(got.err.Error(), "has changed")
						if got.err != nil && c.holds || !told && difference(got, truth, false) != "" {
							t.Errorf("%s (folding off: %v)\ngot   %v %v\ntruth %v %v", q, off, got.rows, got.err, truth.rows, truth.err)
						}
					}
				}
				truth, _ := ours(ctx, now, c.queries[0], true)
				if late.err == nil && difference(late, truth, false) != "" && difference(late, before, false) != "" {
					t.Errorf("a run that was begun before the change gave %v, which is neither what was there nor what is: %v, %v", late.rows, before.rows, truth.rows)
				}
			})
		}
	}
}
