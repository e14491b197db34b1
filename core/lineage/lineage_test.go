package lineage

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/syntax"
	"rovik/core/value"
)

func of(t *testing.T, sql string) map[string]string {
	t.Helper()
	table := func(source, name string, cols ...string) *catalog.Source {
		tab := &catalog.Table{Source: source, Name: name}
		for _, c := range cols {
			tab.Columns = append(tab.Columns, catalog.Column{Name: c, Type: value.Of(value.Int4)})
		}
		return &catalog.Source{Name: source, Tables: []*catalog.Table{tab}}
	}
	z := table("c", "z", "id", "m", "u", "f")
	keyed := z.Tables[0]
	keyed.Keys = []catalog.Key{{Columns: []string{"id"}, Primary: true}, {Columns: []string{"u"}}}
	for i := range keyed.Columns {
		keyed.Columns[i].Nullable = keyed.Columns[i].Name == "m" || keyed.Columns[i].Name == "u"
	}
	cat := catalog.New([]*catalog.Source{table("a", "x", "id", "k", "n"), table("b", "y", "id", "m"), z}, []catalog.Layer{{Name: "low"}},
		[]*catalog.View{{Layer: "low", Name: "v", SQL: "SELECT id, k + 1 AS k1, n FROM a.x WHERE n > 0"}})
	tree, err := syntax.Parse(sql)
	if err != nil {
		t.Fatal(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: cat, Now: time.Unix(0, 0)}, sql, tree)
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	out := map[string]string{}
	text := Of(q.Root)
	for _, c := range text.Columns {
		var refs []string
		influences := set{}
		for _, u := range append(c.Influences, text.Rows...) {
			influences.put(u.Ref)
		}
		for _, u := range append(c.Carries, influences.sorted()...) {
			if u.Column != "" {
				refs = append(refs, fmt.Sprintf("%s.%s %s", u.Table, u.Column, u.Via))
			}
		}
		out[c.Name] = strings.Join(refs, ", ")
	}
	return out
}

// Carried values are told from influences, through views, joins, groups,
// unions and conditions.
func TestLineage(t *testing.T) {
	for sql, want := range map[string]map[string]string{
		"SELECT v.k1 AS k, v.id FROM low.v AS v": {
			"k": "a.x.k transformed, a.x.n filter", "id": "a.x.id unchanged, a.x.n filter"},
		"SELECT x.k, y.m FROM a.x JOIN b.y ON y.id = x.id": {
			"k": "a.x.k unchanged, a.x.id join, b.y.id join", "m": "b.y.m unchanged, a.x.id join, b.y.id join"},
		"SELECT x.k, sum(x.n * 2) AS s, count(*) AS c FROM a.x GROUP BY x.k": {
			"k": "a.x.k unchanged, a.x.k group", "s": "a.x.n aggregated, a.x.k group", "c": "a.x.k group"},
		"SELECT CASE WHEN x.k > 1 THEN x.n ELSE 0 END AS v FROM a.x": {
			"v": "a.x.n transformed, a.x.k condition"},
		"SELECT u.i FROM (SELECT id AS i FROM a.x UNION ALL SELECT m FROM b.y) AS u": {
			"i": "a.x.id unchanged, b.y.m unchanged"},
		"SELECT DISTINCT x.k FROM a.x ORDER BY x.k LIMIT 3": {
			"k": "a.x.k unchanged, a.x.k group, a.x.k sort"},
		"WITH w AS (SELECT id, n FROM a.x) SELECT w1.id, w2.n AS other FROM w AS w1, w AS w2 WHERE w1.id = w2.n": {
			"id": "a.x.id unchanged, a.x.id filter, a.x.n filter", "other": "a.x.n unchanged, a.x.id filter, a.x.n filter"},
		"SELECT 1 AS one": {"one": ""},
		"SELECT q.s + q.n AS t FROM (SELECT sum(n) AS s, max(k) AS n FROM a.x) AS q": {
			"t": "a.x.k aggregated, a.x.n aggregated"},
	} {
		got := of(t, sql)
		for col, refs := range want {
			if got[col] != refs {
				t.Errorf("%s: %s comes from %q, want %q", sql, col, got[col], refs)
			}
		}
		if len(got) != len(want) {
			t.Errorf("%s: columns %v", sql, got)
		}
	}
}

// What no query part leaves out: each way in which a column can come from another,
// or depend on it, is called what it is.
func TestLineageOfEveryPart(t *testing.T) {
	for sql, want := range map[string]string{
		// Values that are carried.
		"SELECT * FROM a.x":                                          "id: a.x.id unchanged; k: a.x.k unchanged; n: a.x.n unchanged",
		"SELECT x.id AS other FROM a.x AS x":                         "other: a.x.id unchanged",
		"SELECT CAST(k AS text) AS t FROM a.x":                       "t: a.x.k transformed",
		"SELECT k + n AS s FROM a.x":                                 "s: a.x.k transformed, a.x.n transformed",
		"SELECT coalesce(k, n, 0) AS c FROM a.x":                     "c: a.x.k transformed, a.x.n transformed",
		"SELECT nullif(k, 0) AS c FROM a.x":                          "c: a.x.k transformed, a.x.k condition",
		"SELECT greatest(k, n) AS c FROM a.x":                        "c: a.x.k transformed, a.x.n transformed",
		"SELECT ARRAY[k, n] AS c FROM a.x":                           "c: a.x.k transformed, a.x.n transformed",
		"SELECT v.id FROM low.v AS v JOIN low.v AS w ON w.id = v.k1": "id: a.x.id unchanged, a.x.id join, a.x.k join, a.x.n filter",
		"SELECT q.k FROM (SELECT k FROM a.x) AS q(k)":                "k: a.x.k unchanged",
		"SELECT c FROM (VALUES (1), (2)) AS v(c)":                    "c: ",
		// Conditions within an expression.
		"SELECT CASE k WHEN n THEN id END AS c FROM a.x":                  "c: a.x.id transformed, a.x.k condition, a.x.n condition",
		"SELECT k > n AS c FROM a.x":                                      "c: a.x.k transformed, a.x.n transformed",
		"SELECT sum(k) FILTER (WHERE n > 0) AS c FROM a.x":                "c: a.x.k aggregated, a.x.n filter",
		"SELECT (SELECT m FROM b.y WHERE y.id = x.id) AS c FROM a.x":      "c: b.y.m unchanged, a.x.id filter, b.y.id filter",
		"SELECT (SELECT max(m) FROM b.y WHERE y.id = x.id) AS c FROM a.x": "c: b.y.m aggregated, a.x.id filter, b.y.id filter",
		// What decides which rows there are.
		"SELECT id FROM a.x WHERE k IN (SELECT m FROM b.y)":                   "id: a.x.id unchanged, a.x.k filter, b.y.m filter",
		"SELECT id FROM a.x WHERE EXISTS (SELECT 1 FROM b.y WHERE y.m = x.k)": "id: a.x.id unchanged, a.x.k filter, b.y.m filter",
		"SELECT x.id FROM a.x LEFT JOIN b.y ON y.id = x.k AND y.m > 3":        "id: a.x.id unchanged, a.x.k join, b.y.id join, b.y.m join",
		"SELECT x.id FROM a.x JOIN b.y USING (id)":                            "id: a.x.id unchanged, a.x.id join, b.y.id join",
		"SELECT x.id FROM a.x NATURAL JOIN b.y":                               "id: a.x.id unchanged, a.x.id join, b.y.id join",
		"SELECT id FROM a.x FULL JOIN b.y USING (id)":                         "id: a.x.id transformed, b.y.id transformed, a.x.id join, b.y.id join",
		"SELECT id FROM a.x ORDER BY k LIMIT 1":                               "id: a.x.id unchanged, a.x.k sort",
		"SELECT id FROM a.x ORDER BY k":                                       "id: a.x.id unchanged, a.x.k sort",
		"SELECT DISTINCT ON (k) id FROM a.x ORDER BY k, n":                    "id: a.x.id unchanged, a.x.k group, a.x.k sort, a.x.n sort",
		"SELECT count(*) AS c FROM a.x GROUP BY k, n HAVING max(id) > 1":      "c: a.x.id filter, a.x.k group, a.x.n group",
		"SELECT id FROM a.x INTERSECT SELECT m FROM b.y":                      "id: a.x.id unchanged, a.x.id filter, b.y.m filter",
		"SELECT id FROM a.x EXCEPT SELECT m FROM b.y":                         "id: a.x.id unchanged, a.x.id filter, b.y.m filter",
		// Windows.
		"SELECT sum(k) OVER (PARTITION BY n ORDER BY id) AS c FROM a.x": "c: a.x.k aggregated, a.x.id window, a.x.n window",
		"SELECT rank() OVER (ORDER BY k) AS c FROM a.x":                 "c: a.x.k window",
		"SELECT lag(k) OVER (ORDER BY id) AS c FROM a.x":                "c: a.x.k transformed, a.x.id window",
		// Recursion goes round until nothing more is found.
		"WITH RECURSIVE w AS (SELECT id, k FROM a.x UNION ALL SELECT y.id, w.k FROM w JOIN b.y ON y.m = w.id) SELECT w.id FROM w": "id: a.x.id unchanged, b.y.id unchanged, a.x.id join, b.y.id join, b.y.m join",
	} {
		got := of(t, sql)
		var names []string
		for name := range got {
			names = append(names, name)
		}
		slices.Sort(names)
		var parts []string
		for _, name := range names {
			parts = append(parts, name+": "+got[name])
		}
		if text := strings.Join(parts, "; "); text != want {
			t.Errorf("%s\ngot  %s\nwant %s", sql, text, want)
		}
	}
}

// What cannot change a value or which rows there are does not influence it: the condition of
// a left join that finds one row at most decides what is found alone, sort keys behind a
// unique one break no ties, and a count of a column that is never NULL is one of rows.
func TestLineageIsNoWiderThanItNeedsToBe(t *testing.T) {
	for sql, want := range map[string]string{
		"SELECT x.k, y.m FROM a.x LEFT JOIN c.z AS y ON y.id = x.n":                           "k: a.x.k unchanged; m: c.z.m unchanged, a.x.n join, c.z.id join",
		"SELECT x.k, y.m FROM a.x LEFT JOIN c.z AS y ON y.m = x.n":                            "k: a.x.k unchanged, a.x.n join, c.z.m join; m: c.z.m unchanged, a.x.n join, c.z.m join",
		"SELECT x.k FROM a.x LEFT JOIN c.z AS y ON y.id = x.n WHERE y.m > 1":                  "k: a.x.k unchanged, a.x.n filter, c.z.id filter, c.z.m filter",
		"SELECT z.m FROM c.z ORDER BY z.id, z.m, z.id + 1 LIMIT 3":                            "m: c.z.m unchanged, c.z.id sort",
		"SELECT z.id FROM c.z ORDER BY z.m, z.id LIMIT 3":                                     "id: c.z.id unchanged, c.z.id sort, c.z.m sort",
		"SELECT z.id FROM c.z ORDER BY z.u, z.m LIMIT 3":                                      "id: c.z.id unchanged, c.z.m sort, c.z.u sort", // u is unique, and NULL more than once
		"SELECT count(z.id) AS n, count(z.m) AS c FROM c.z":                                   "n: ; c: c.z.m aggregated",
		"SELECT count(DISTINCT z.id) AS n, count(DISTINCT z.f) AS c, max(z.id) AS i FROM c.z": "n: ; c: c.z.f aggregated; i: c.z.id aggregated",
	} {
		got := of(t, sql)
		for _, part := range strings.Split(want, "; ") {
			col, refs, _ := strings.Cut(part, ": ")
			if got[col] != refs {
				t.Errorf("%s: %s comes from %q, want %q", sql, col, got[col], refs)
			}
		}
	}
}
