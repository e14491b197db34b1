package lineage

import (
	"fmt"
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
	cat := catalog.New([]*catalog.Source{table("a", "x", "id", "k", "n"), table("b", "y", "id", "m")}, []catalog.Layer{{Name: "low"}},
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
