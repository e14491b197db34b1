package form

import (
	"strings"
	"testing"

	"rovik/core/syntax"
)

// Whatever the text, its form has every part where it says, and what an edit makes
// can be read again.
func FuzzForm(f *testing.F) {
	for _, sql := range []string{
		loans, "", "SELECT 1", "SELECT a.x, a.y AS z FROM t.a\nUNION ALL\nSELECT b.p, b.q FROM t.b ORDER BY 1 LIMIT 3;",
		"WITH w AS (SELECT 1 AS a) SELECT DISTINCT ON (w.a) w.a /* one */ FROM w, LATERAL (SELECT 2) AS q -- end",
		"SELECT count(*) FILTER (WHERE a.x > 1), rank() OVER w FROM a.b AS a NATURAL JOIN c.d WINDOW w AS (ORDER BY a.x) OFFSET 2",
		"SELECT CASE WHEN x IS NOT DISTINCT FROM 1 THEN ARRAY[1, 2] END FROM a.b GROUP BY GROUPING SETS ((x), ()) HAVING x AND (y OR z)",
		"VALUES (1, 'a;b')", "SELECT \"from\".\"where\" FROM s.\"order by\" AS \"from\" WHERE 'it''s' = $$ -- $$", "SELECT 1 FROM (a.b JOIN c.d ON true) AS j",
		"SELECT v.n FROM verbatim('s', $q$ SELECT $$x$$ $q$) AS v FETCH FIRST 3 ROWS WITH TIES",
	} {
		f.Add(sql, uint8(0), uint8(1))
	}
	f.Fuzz(func(t *testing.T, sql string, at, to uint8) {
		if len(sql) > 4000 {
			return
		}
		form, err := Of(sql)
		if err != nil {
			return
		}
		see := func(p Part) {
			if p.Start < 0 || p.End > len(sql) || p.Start > p.End || sql[p.Start:p.End] != p.Text {
				t.Fatalf("a part says %q at %d to %d of\n%s", p.Text, p.Start, p.End, sql)
			}
		}
		for _, b := range form.Blocks {
			for _, o := range b.Outputs {
				see(o.Part)
				see(o.Expr)
			}
			for _, in := range b.Inputs {
				see(in.Part)
				for _, c := range in.On {
					see(c)
				}
			}
			for _, list := range [][]Part{b.Filters, b.Groups, b.Having, b.DistinctOn} {
				for _, p := range list {
					see(p)
				}
			}
		}
		for do := range edits() {
			next, err := Apply(sql, Edit{Do: do, At: int(at), To: int(to), Items: []int{int(at)}, Text: "a.x + 1", Texts: []string{"a.x"}, Name: "b.c", Kind: "left", Clean: &Clean{Step: StepTrim}})
			if err != nil {
				continue
			}
			if _, err := syntax.Parse(next); err != nil && strings.TrimSpace(next) != "" {
				t.Fatalf("%s made\n%s\nof\n%s\n%v", do, next, sql, err)
			}
		}
	})
}
