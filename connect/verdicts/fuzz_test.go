package verdicts

import (
	"errors"
	"testing"
	"time"

	"rovik/connect/mariadb"
	"rovik/connect/postgres"
	"rovik/connect/sqlite"
	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/rewrite"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Whatever text comes in, planning answers with statements or with a
// *value.Error, and every place that it names lies within the text.
func FuzzPlanning(f *testing.F) {
	for _, s := range []string{
		"SELECT * FROM pg.t", "SELECT t.id, u.n FROM pg.t JOIN ma.u ON u.code = t.code WHERE t.n > 1 ORDER BY 1 LIMIT 3",
		"SELECT code, count(DISTINCT n), avg(amount) FROM ma.t WHERE lower(code) LIKE 'a%' GROUP BY code HAVING sum(n) > 2",
		"WITH w AS (SELECT id, n FROM sl.t UNION ALL SELECT id, n FROM pg.t) SELECT w.n FROM w LEFT JOIN ma.t m ON m.id = w.id WHERE m.n IS NULL",
		"SELECT CASE WHEN n BETWEEN 1 AND 2 THEN 'x' ELSE code END FROM sl.t WHERE id IN (1, 2, NULL)", "SELECT 1/0", "SELECT DISTINCT day + interval '1 month' FROM pg.t",
		"SELECT count(*) FROM (SELECT DISTINCT code FROM ma.t ORDER BY code LIMIT 4) x", "SELECT * FROM pg.t a, pg.t b, ma.t c WHERE a.id = b.id AND b.n = c.n",
		"SELECT coalesce(x.n, 0) FROM ma.t LEFT JOIN (SELECT id, n FROM ma.u WHERE upper(code) = 'X') x ON x.id = ma.t.id", "SELECT -n, +n, NOT (n > 1), n::text || 'a' FROM pg.t",
		"SELECT max(q.c) FROM (SELECT code AS c, row FROM pg.t) q", "SELECT 'é' || titel FROM pg.t", "SELECT id FROM pg.t WHERE n IN (SELECT n FROM ma.t WHERE ma.t.code = pg.t.code) OR EXISTS (SELECT 1 FROM sl.u)", "SELECT rank() OVER (PARTITION BY code ORDER BY n ROWS 2 PRECEDING) FROM ma.t UNION SELECT n FROM pg.u EXCEPT ALL VALUES (1)",
		"WITH RECURSIVE r AS (SELECT 1 AS a UNION ALL SELECT a + 1 FROM r) SELECT a, unnest(ARRAY[a]) FROM r, LATERAL (SELECT max(n) FROM pg.t WHERE id < a) q GROUP BY ROLLUP (a)",
		"WITH RECURSIVE r AS (SELECT 0X0 UNION SELECT) SELECT (0) FROM R",
		"SELECT id FROM pg.t GROUP BY 1 ORDER BY count(*) DESC NULLS LAST OFFSET 2",
	} {
		f.Add(s)
	}
	usual := map[string]map[string]catalog.Quirk{"postgresql": postgres.UsualQuirks(), "mariadb": mariadb.UsualQuirks(), "sqlite": sqlite.UsualQuirks()}
	sources := map[string]fold.Source{}
	var found []*catalog.Source
	for name, kind := range map[string]string{"pg": "postgresql", "ma": "mariadb", "sl": "sqlite"} {
		c, folding := dialectSource(f, name, kind, usual[kind])
		found = append(found, c)
		sources[name] = folding
	}
	cat := catalog.New(found, nil, nil)
	f.Fuzz(func(t *testing.T, sql string) {
		tree, err := syntax.Parse(sql)
		if err != nil {
			placed(t, sql, err)
			return
		}
		q, err := bind.Bind(bind.Context{Catalog: cat, Now: time.Unix(0, 0)}, sql, tree)
		if err != nil {
			placed(t, sql, err)
			return
		}
		names := q.Root.Columns()
		for _, off := range []bool{false, true} {
			rewritten, err := rewrite.Apply(q, nil)
			if err != nil {
				continue
			}
			c, err := fold.Compile(rewritten, sources, fold.Options{Off: off})
			if err != nil {
				t.Fatalf("%q: %v", sql, err)
			}
			for i, col := range c.Root.Columns() {
				if col.Type != names[i].Type || col.Name != names[i].Name {
					t.Fatalf("%q: column %d is %v and was %v", sql, i, col, names[i])
				}
			}
			for _, p := range c.Pieces {
				if p.Origin.End > len(sql) || (p.Reason == nil) != (p.Verdict == fold.Folded) {
					t.Fatalf("%q: the piece %+v", sql, p)
				}
			}
		}
	})
}

func placed(t *testing.T, sql string, err error) {
	t.Helper()
	var e *value.Error
	if !errors.As(err, &e) {
		t.Fatalf("%q: %v is not an error for people", sql, err)
	}
	if e.Start >= 0 && (e.End < e.Start || e.End > len(sql)) {
		t.Fatalf("%q: the error points at %d-%d", sql, e.Start, e.End)
	}
}
