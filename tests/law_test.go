package tests

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"rovik/app"
)

// The queries of testdata/law, a file for each mechanism and a query for each
// line, over the nasty tables, the wild ones and larger ones: folded, unfolded
// and on the reference. Where a line has ORDER BY at its outermost level, the
// order counts too if the line says so with a comment: -- ordered.
func TestLawByMechanism(t *testing.T) {
	a, ref := nastyWorld(t)
	addWildTables(t, a, ref)
	largerTables(t, a, ref)
	files, err := filepath.Glob("testdata/law/*.sql")
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".sql"), func(t *testing.T) {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			for _, line := range strings.Split(string(text), "\n") {
				sql, ordered := strings.CutSuffix(strings.TrimSpace(line), " -- ordered")
				if sql != "" && !strings.HasPrefix(sql, "--") {
					holdsLawOn(t, a, ref, sql, ordered)
				}
			}
		})
	}
}

// largerTables adds tables that show how a query's time grows: tenk in every
// source, and node, a tree, in one.
func largerTables(t *testing.T, a *app.App, ref *pgx.Conn) {
	t.Helper()
	ctx := context.Background()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	const tenk = "SELECT (i * 7919) % 10000 AS unique1, i AS unique2, i % 2 AS two, i % 10 AS ten, i % 100 AS hundred, (i * 31) % 1000 AS thousand, concat('s', i % 500) AS str"
	const rows = " FROM generate_series(0, 9999) i"
	const tree = "SELECT i AS id, i / 2 AS parent FROM generate_series(1, 200000) i"
	pg, err := env.Postgres.Postgres(ctx, "nasty")
	must(err)
	defer pg.Close(ctx)
	for _, place := range []struct {
		conn   *pgx.Conn
		schema string
	}{{pg, "public"}, {ref, "pg"}, {ref, "ma"}, {ref, "sl"}} {
		for _, q := range []string{"CREATE TABLE %s.tenk AS " + tenk + rows, "ALTER TABLE %s.tenk ADD PRIMARY KEY (unique2)", "CREATE INDEX ON %s.tenk (unique1)", "ANALYZE %s.tenk"} {
			_, err := place.conn.Exec(ctx, strings.ReplaceAll(q, "%s", place.schema))
			must(err)
		}
	}
	for _, place := range []struct {
		conn   *pgx.Conn
		schema string
	}{{pg, "public"}, {ref, "pg"}} {
		for _, q := range []string{"CREATE TABLE %s.node AS " + tree, "CREATE INDEX ON %s.node (parent)", "ANALYZE %s.node"} {
			_, err := place.conn.Exec(ctx, strings.ReplaceAll(q, "%s", place.schema))
			must(err)
		}
	}
	_, err = pg.Exec(ctx, "GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader")
	must(err)
	ma, err := env.MariaDB.MariaDB("nasty")
	must(err)
	defer ma.Close()
	_, err = ma.Exec("CREATE TABLE tenk (unique1 INT, unique2 INT NOT NULL PRIMARY KEY, two INT, ten INT, hundred INT, thousand INT, str VARCHAR(20), KEY (unique1)) CHARACTER SET utf8mb4")
	must(err)
	_, err = ma.Exec("INSERT INTO tenk SELECT (seq * 7919) % 10000, seq, seq % 2, seq % 10, seq % 100, (seq * 31) % 1000, concat('s', seq % 500) FROM seq_0_to_9999")
	must(err)
	var path string
	for _, s := range a.Sources.List() {
		if s.Name == "sl" {
			path = s.Address
		}
	}
	sl := openSQLite(t, path)
	defer sl.Close()
	_, err = sl.Exec("CREATE TABLE tenk (unique1 INTEGER, unique2 INTEGER NOT NULL PRIMARY KEY, two INTEGER, ten INTEGER, hundred INTEGER, thousand INTEGER, str TEXT)")
	must(err)
	_, err = sl.Exec("WITH RECURSIVE s(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM s WHERE i < 9999) INSERT INTO tenk SELECT (i * 7919) % 10000, i, i % 2, i % 10, i % 100, (i * 31) % 1000, 's' || (i % 500) FROM s")
	must(err)
	for _, s := range []string{"pg", "ma", "sl"} {
		_, err := a.Sources.Refresh(ctx, s)
		must(err)
	}
}
