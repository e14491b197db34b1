// Package verdicts tests what folds into which dialect and how it is written,
// on catalogues made by hand: no server is asked. That the verdicts are right
// is for the differential test to show.
package verdicts

import (
	"embed"
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"rovik/connect"
	"rovik/connect/files"
	"rovik/connect/mariadb"
	"rovik/connect/postgres"
	"rovik/connect/sqlite"
	"rovik/core/annotate"
	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/rewrite"
	"rovik/core/syntax"
	"rovik/core/value"
)

// theTable is the same in every source: t(id, n, code, name, amount, day, at).
func dialectSource(t testing.TB, name, kind string, quirks map[string]catalog.Quirk) (*catalog.Source, fold.Source) {
	t.Helper()
	cols := []catalog.Column{
		{Name: "id", Type: value.Of(value.Int8)}, {Name: "n", Type: value.Of(value.Int4)},
		{Name: "code", Type: value.Of(value.Text), Native: "varchar(40)", Collation: "utf8mb4_general_ci"}, {Name: "name", Type: value.Of(value.Text), Native: "varchar(40)", Collation: "utf8mb4_general_ci"},
		{Name: "amount", Type: value.Type{Kind: value.Numeric, Precision: 12, Scale: 2}},
	}
	if kind != "sqlite" {
		cols = append(cols, catalog.Column{Name: "day", Type: value.Of(value.Date)}, catalog.Column{Name: "at", Type: value.Of(value.Timestamp)})
	}
	for i := range cols[1:] {
		cols[i+1].Nullable = true
	}
	s := &catalog.Source{Name: name, Kind: kind, Quirks: quirks, Tables: []*catalog.Table{
		{Source: name, Name: "t", Columns: cols, Rows: 1000}, {Source: name, Name: "u", Columns: cols, Rows: 1000}}}
	var conn connect.Source
	var err error
	switch kind {
	case "postgresql":
		conn, err = postgres.New(name, connect.Config{Host: "127.0.0.1", Port: 1})
	case "mariadb":
		conn, err = mariadb.New(name, connect.Config{Host: "127.0.0.1", Port: 1})
	case "sqlite":
		conn, err = sqlite.New(name, connect.Config{Path: "none"})
	case "parquet", "csv":
		conn, err = files.New(name, kind, connect.Config{Path: "none"})
		for _, table := range s.Tables {
			month := catalog.Column{Name: "month", Type: value.Of(value.Text), ReadAs: files.PartColumn}
			table.Columns = append(table.Columns[:len(table.Columns):len(table.Columns)], month)
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(conn.Close)
	return s, conn.Folding(s)
}

func compile(t *testing.T, sql string, opts fold.Options) *fold.Compiled {
	t.Helper()
	with := func(usual map[string]catalog.Quirk, name, val string) map[string]catalog.Quirk {
		out := map[string]catalog.Quirk{name: {Value: val}}
		for n, q := range usual {
			out[n] = q
		}
		return out
	}
	yes := with(mariadb.UsualQuirks(), "binary collation without padding", "yes")
	pg, pgf := dialectSource(t, "pg", "postgresql", postgres.UsualQuirks())
	ma, maf := dialectSource(t, "ma", "mariadb", yes)
	sl, slf := dialectSource(t, "sl", "sqlite", with(sqlite.UsualQuirks(), "LIKE ignores case", "ascii"))
	old, oldf := dialectSource(t, "old", "mariadb", mariadb.UsualQuirks())
	odd, oddf := dialectSource(t, "odd", "postgresql", with(postgres.UsualQuirks(), "", ""))
	pq, pqf := dialectSource(t, "pq", "parquet", nil)
	cs, csf := dialectSource(t, "cs", "csv", nil)
	odd.Quirks["integer division truncates"] = catalog.Quirk{Value: "no"}
	tree, err := syntax.Parse(sql)
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	q, err := bind.Bind(bind.Context{Catalog: catalog.New([]*catalog.Source{pg, ma, sl, old, odd, pq, cs}, nil, nil), Now: time.Unix(0, 0)}, sql, tree)
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	q, err = rewrite.Apply(q, nil)
	if err != nil {
		t.Fatal(err)
	}
	c, err := fold.Compile(q, map[string]fold.Source{"pg": pgf, "ma": maf, "sl": slf, "old": oldf, "odd": oddf, "pq": pqf, "cs": csf}, opts)
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	return c
}

//go:embed testdata
var testdata embed.FS

// notesOf are the verdicts of a query by where the pieces end.
func notesOf(c *fold.Compiled) annotate.Notes {
	notes := annotate.Notes{}
	for _, p := range c.Pieces {
		said := fmt.Sprintf("%s %s", p.Kind, p.Verdict)
		if p.Reason != nil {
			said += " " + p.Reason.Code
		}
		if at := notes[p.Origin.End]; !slices.Contains(at, said) {
			notes[p.Origin.End] = append(at, said)
		}
	}
	return notes
}

// told is a query with its verdicts in comments.
func told(t *testing.T, sql string) string {
	t.Helper()
	return annotate.With(sql, notesOf(compile(t, sql, fold.Options{})))
}

// The verdicts of the queries in testdata are those that stand behind their parts, and with
// folding off everything is kept for that.
func TestVerdicts(t *testing.T) {
	for _, file := range []string{"filters", "files", "pieces"} {
		annotate.File(t, testdata, "testdata/"+file+".sql", func(sql string) annotate.Notes {
			for _, p := range compile(t, sql, fold.Options{Off: true}).Pieces {
				if p.Verdict != fold.Kept || file == "filters" && p.Reason.Code != "folding-off" {
					t.Errorf("%s with folding off: %s is %s, %v", sql, p.Text, p.Verdict, p.Reason)
				}
			}
			return notesOf(compile(t, sql, fold.Options{}))
		})
	}
}

// The statements as they are written, and the marks that lead from a piece to
// its part of them.
func TestNativeText(t *testing.T) {
	flat := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	for sql, want := range map[string]string{
		"SELECT id FROM pg.t WHERE code = 'it''s' AND n IN (1, 2) AND code > 'a'":                              `SELECT "t"."id" FROM "t" WHERE "t"."code" = $1::text AND "t"."n" IN ($2::integer, $3::integer) AND "t"."code" COLLATE "C" > $4::text`,
		"SELECT id FROM ma.t WHERE code = 'x'":                                                                 "SELECT `t`.`id` FROM `t` WHERE (`t`.`code` = ? AND CONVERT(`t`.`code` USING utf8mb4) COLLATE utf8mb4_nopad_bin = ?)",
		"SELECT id FROM sl.t WHERE code LIKE 'a*b%_'":                                                          `SELECT "t"."id" FROM "t" WHERE "t"."code" GLOB ?1`,
		"SELECT id FROM ma.t ORDER BY n DESC, id LIMIT 5 OFFSET 2":                                             "SELECT `t`.`id` FROM `t` ORDER BY `t`.`n` IS NULL DESC, `t`.`n` DESC, `t`.`id` IS NULL, `t`.`id` LIMIT 5 OFFSET 2",
		"SELECT id FROM sl.t ORDER BY n NULLS FIRST OFFSET 2":                                                  `SELECT "t"."id" FROM "t" ORDER BY "t"."n" LIMIT -1 OFFSET 2`,
		"SELECT id FROM pg.t ORDER BY n NULLS FIRST":                                                           `SELECT "t"."id" FROM "t" ORDER BY "t"."n" NULLS FIRST`,
		"SELECT s.c FROM (SELECT code, count(*) AS c FROM pg.t GROUP BY code) s WHERE s.c > 1":                 `SELECT COUNT(*) AS "c" FROM "t" GROUP BY "t"."code" HAVING COUNT(*) > $1::bigint`,
		"SELECT code, upper(code) AS u, count(*) AS c FROM pg.t GROUP BY code":                                 `SELECT "t"."code", upper("t"."code" COLLATE "C") AS "u", COUNT(*) AS "c" FROM "t" GROUP BY "t"."code"`,
		"SELECT s.c FROM (SELECT code, count(*) AS c FROM ma.t GROUP BY code) s WHERE s.code > 'x' OR s.c > 1": "SELECT `t_2`.`count(*)` AS `c` FROM (SELECT CONVERT(`t`.`code` USING utf8mb4) COLLATE utf8mb4_nopad_bin AS `code`, COUNT(*) AS `count(*)` FROM `t` GROUP BY CONVERT(`t`.`code` USING utf8mb4) COLLATE utf8mb4_nopad_bin) AS `t_2` WHERE ((CONVERT(`t_2`.`code` USING utf8mb4) COLLATE utf8mb4_nopad_bin > ?) OR (`t_2`.`count(*)` > ?))",
		"SELECT t.id FROM pg.t LEFT JOIN pg.u ON u.id = t.id AND u.n > 1 WHERE t.n = 2":                        `SELECT "t"."id" FROM "t" LEFT JOIN "u" ON "u"."id" = "t"."id" AND "u"."n" > $1::integer WHERE "t"."n" = $2::integer`,
		"SELECT s.n FROM (SELECT DISTINCT n, id FROM pg.t) s":                                                  `SELECT "t_2"."n" FROM (SELECT DISTINCT "t"."n", "t"."id" FROM "t") AS "t_2"`,
		"SELECT count(*) FROM (SELECT id FROM pg.t LIMIT 3) s":                                                 `SELECT COUNT(*) AS "count" FROM (SELECT 1 FROM "t" LIMIT 3) AS "t_2"`,
		"SELECT a.id FROM pg.t a JOIN pg.t b ON a.id = b.n":                                                    `SELECT "t"."id" FROM "t" JOIN "t" AS "t_2" ON "t"."id" = "t_2"."n"`,
		"SELECT id FROM ma.t WHERE lower(code) = 'x'":                                                          "SELECT `t`.`id`, `t`.`code` FROM `t` WHERE CONVERT(`t`.`code` USING utf8mb4) COLLATE utf8mb4_general_ci = ?",
		"SELECT id FROM ma.t WHERE code LIKE '50!%|' ESCAPE '!'":                                               "SELECT `t`.`id` FROM `t` WHERE CONVERT(`t`.`code` USING utf8mb4) COLLATE utf8mb4_nopad_bin LIKE ? ESCAPE '|'",
	} {
		c := compile(t, sql, fold.Options{})
		if len(c.Statements) != 1 || flat(c.Statements[0].Text) != want {
			t.Errorf("%s\n  is written %s\n  want       %s", sql, flat(c.Statements[0].Text), want)
		}
		for _, s := range c.Statements {
			for _, m := range s.Marks {
				if m.Start < 0 || m.End > len(s.Text) || m.Start >= m.End {
					t.Errorf("%s: a mark lies at %d-%d of %d", sql, m.Start, m.End, len(s.Text))
				}
			}
		}
		for _, p := range c.Pieces {
			if p.Verdict == fold.Folded && len(p.Native) == 0 {
				t.Errorf("%s: the folded piece %q has no part in the statement", sql, p.Text)
			}
		}
	}
}

// Constants of the query never become part of a statement's text.
func TestConstantsAreParameters(t *testing.T) {
	const evil = `x'); DROP TABLE t; --`
	for _, s := range []string{"pg", "ma", "sl"} {
		c := compile(t, "SELECT id, 'x''); DROP TABLE t; --' || code AS v FROM "+s+".t WHERE code = 'x''); DROP TABLE t; --' OR name LIKE 'x''); DROP TABLE t; --'", fold.Options{})
		st := c.Statements[0]
		if strings.Contains(st.Text, "DROP") {
			t.Errorf("%s: %s", s, st.Text)
		}
		found := false
		for _, p := range st.Parameters {
			found = found || p.Str == evil
		}
		if !found {
			t.Errorf("%s: parameters %v", s, st.Parameters)
		}
	}
}

// With folding off a statement is bare columns, whatever the query.
func TestFoldingOffSendsBareColumns(t *testing.T) {
	c := compile(t, "SELECT t.code, count(*) FROM pg.t JOIN pg.u ON u.id = t.id WHERE t.n > 1 GROUP BY t.code ORDER BY 2 LIMIT 3", fold.Options{Off: true})
	for _, s := range c.Statements {
		if strings.ContainsAny(s.Text, "()$") || strings.Contains(s.Text, "WHERE") {
			t.Errorf("sent %s", s.Text)
		}
	}
	for _, p := range c.Pieces {
		if p.Verdict != fold.Kept {
			t.Errorf("%s %s is %s", p.Kind, p.Text, p.Verdict)
		}
	}
}

// Only what is read above the waterline crosses it.
func TestOnlyWhatIsReadCrosses(t *testing.T) {
	for sql, want := range map[string]string{
		"SELECT t.name FROM pg.t JOIN ma.u ON u.id = t.id WHERE t.n > 1 AND u.code = 'x'":                                   "pg: id, name; ma: id",
		"SELECT count(*) FROM pg.t JOIN ma.u ON u.id = t.id":                                                                "pg: id; ma: id",
		"SELECT count(*) FROM ma.t WHERE lower(code) = 'x'":                                                                 "ma: code",
		"SELECT id FROM ma.t WHERE lower(code) = 'x' AND n > 2 ORDER BY day":                                                "ma: id, code",
		"SELECT x.id FROM (SELECT id, lower(code) AS c, n FROM ma.t) x":                                                     "ma: id",
		"SELECT x.c FROM (SELECT t.id, upper(t.code) AS c FROM pg.t JOIN pg.u ON u.id = t.id) x JOIN ma.t m ON m.id = x.id": "pg: id, c; ma: id",
		"SELECT q.id FROM (SELECT id, name FROM pg.t UNION ALL SELECT id, name FROM ma.t) q":                                "pg: id; ma: id",
		"SELECT 'x' AS c, lower(code) AS l FROM ma.t":                                                                       "ma: code",
		"SELECT lower(code) AS a, lower(code) || 'x' AS b, code FROM ma.t":                                                  "ma: code",
		"SELECT name, max(amount) FROM pg.t WHERE n > 1 GROUP BY name HAVING min(n) > 2":                                    "pg: name, max",
		"SELECT t.id FROM ma.t JOIN ma.u ON lower(u.code) = lower(t.code) WHERE u.n = 3":                                    "ma: id, code, code",
		"SELECT t.id, u.name FROM pg.t LEFT JOIN ma.u ON u.id = t.id AND u.n = 4":                                           "pg: id; ma: id, name",
	} {
		var got []string
		for _, s := range compile(t, sql, fold.Options{}).Statements {
			var names []string
			for _, c := range s.Columns {
				names = append(names, c.Name)
			}
			got = append(got, s.Source+": "+strings.Join(names, ", "))
		}
		if strings.Join(got, "; ") != want {
			t.Errorf("%s\n  sends for %s\n  want      %s", sql, strings.Join(got, "; "), want)
		}
	}
}

// A view however deep is sent the same as the query written flat.
func TestDepthDoesNotMatter(t *testing.T) {
	flat := compile(t, "SELECT t.id, u.name FROM pg.t JOIN pg.u ON u.id = t.n WHERE t.code = 'x' AND u.n > 5 AND t.amount > 1", fold.Options{})
	deep := compile(t, `SELECT d.id, d.name FROM (SELECT c.id, c.name, c.amount FROM (SELECT a.id, b.name, a.amount, b.n FROM (SELECT id, n AS k, amount, code FROM pg.t) a
		JOIN (SELECT * FROM pg.u) b ON b.id = a.k WHERE a.code = 'x') c WHERE c.n > 5) d WHERE d.amount > 1`, fold.Options{})
	order := func(s string) string { // the conditions come in the order of their writing
		head, where, _ := strings.Cut(strings.Join(strings.Fields(s), " "), " WHERE ")
		conds := strings.Split(regexpDollar.ReplaceAllString(where, "$$"), " AND ")
		sort.Strings(conds)
		return head + " WHERE " + strings.Join(conds, " AND ")
	}
	if len(deep.Statements) != 1 || order(deep.Statements[0].Text) != order(flat.Statements[0].Text) {
		t.Errorf("deep: %s\nflat: %s", deep.Statements[0].Text, flat.Statements[0].Text)
	}
}

var regexpDollar = regexp.MustCompile(`\$\d+`)
