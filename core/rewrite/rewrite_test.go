package rewrite

import (
	"regexp"
	"strings"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

func testCatalog() *catalog.Catalog {
	table := func(source, name string, cols ...string) *catalog.Table {
		t := &catalog.Table{Source: source, Name: name, Rows: 1000}
		for _, c := range cols {
			n, k, _ := strings.Cut(c, " ")
			typ, err := value.ParseType(k)
			if err != nil {
				panic(err)
			}
			t.Columns = append(t.Columns, catalog.Column{Name: n, Type: typ})
		}
		return t
	}
	keyed := table("b", "u", "id integer", "name text")
	keyed.Keys = []catalog.Key{{Columns: []string{"id"}, Primary: true}}
	repeating := table("a", "x", "id integer", "k text", "n integer")
	repeating.Columns[0].Distinct = 20
	return catalog.New([]*catalog.Source{
		{Name: "a", Tables: []*catalog.Table{repeating, table("a", "y", "id integer", "k text", "m integer")}},
		{Name: "b", Tables: []*catalog.Table{table("b", "z", "id integer", "k text", "w numeric(10,2)"), keyed}},
	}, nil, nil)
}

func bound(t *testing.T, sql string) *plan.Query {
	t.Helper()
	tree, err := syntax.Parse(sql)
	if err != nil {
		t.Fatal(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: testCatalog(), Now: time.Unix(0, 0)}, sql, tree)
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	return q
}

var number = regexp.MustCompile(`#\d+`)

// shape prints a plan in one line, without column numbers.
func shape(n plan.Node) string {
	inputs := []string{}
	for _, in := range n.Inputs() {
		inputs = append(inputs, shape(in))
	}
	s := number.ReplaceAllString(plan.Label(n), "")
	if len(inputs) > 0 {
		s += " [" + strings.Join(inputs, " | ") + "]"
	}
	return s
}

type rule = func(plan.Node, *Pass) plan.Node

// after is a rule on what others, in their order, made for it.
func after(last rule, before ...rule) rule {
	return func(n plan.Node, pass *Pass) plan.Node {
		for _, apply := range before {
			n = apply(n, pass)
		}
		return last(n, pass)
	}
}

// Each rule alone, on a query made for it: before and after.
func TestRules(t *testing.T) {
	for _, c := range []struct {
		name  string
		apply rule
		sql   string
		want  string
	}{
		{"constants", foldConstants, "SELECT x.id + (1 + 2) AS s FROM a.x AS x WHERE x.n > 2 * 3",
			"project id + 3 AS s [filter n > 6 [scan a.x (id, k, n)]]"},
		{"a failing constant stays", foldConstants, "SELECT 1 / 0 AS s FROM a.x AS x",
			"project 1 / 0 AS s [scan a.x (id, k, n)]"},
		{"averages", splitAverages, "SELECT x.k, avg(x.n) AS m FROM a.x AS x GROUP BY x.k",
			"project k AS k, avg(n) AS m [project k, CAST(sum(n) AS numeric) / CASE WHEN count(n) = 0 THEN NULL ELSE CAST(count(n) AS numeric) END AS avg(n) [aggregate [k AS k] sum(n) AS sum(n), count(n) AS count(n) [scan a.x (id, k, n)]]]"},
		{"sorts that nothing sees", dropSorts, "SELECT s.k FROM (SELECT k FROM a.x ORDER BY k) AS s JOIN a.y ON y.k = s.k ORDER BY s.k",
			"sort k [project k AS k [join on k = k [project k AS k [scan a.x (id, k, n)] | scan a.y (id, k, m)]]]"},
		{"sorts below a limit", dropSorts, "SELECT count(*) AS c FROM (SELECT k FROM a.x ORDER BY k LIMIT 5) AS s",
			"project count(*) AS c [aggregate [] count(*) AS count(*) [limit 5 [sort k [project k AS k [scan a.x (id, k, n)]]]]]"},
		{"filters through a projection and a join", pushFilters, "SELECT s.u FROM (SELECT upper(x.k) AS u, y.m FROM a.x AS x JOIN a.y AS y ON y.id = x.id) AS s WHERE s.u = 'K' AND s.m > 1",
			"project u AS u [project upper(k) AS u, m AS m [join on id = id [filter upper(k) = 'K' [scan a.x (id, k, n)] | filter m > 1 [scan a.y (id, k, m)]]]]"},
		{"filters and groups", pushFilters, "SELECT s.k FROM (SELECT k, count(*) AS c FROM a.x GROUP BY k) AS s WHERE s.k = 'a' AND s.c > 1",
			"project k AS k [project k AS k, count(*) AS c [filter count(*) > 1 [aggregate [k AS k] count(*) AS count(*) [filter k = 'a' [scan a.x (id, k, n)]]]]]"},
		{"filters stay above a limit", pushFilters, "SELECT s.k FROM (SELECT k FROM a.x LIMIT 5) AS s WHERE s.k = 'a'",
			"project k AS k [filter k = 'a' [limit 5 [project k AS k [scan a.x (id, k, n)]]]]"},
		{"filters into a union", pushFilters, "SELECT s.k FROM (SELECT k FROM a.x UNION ALL SELECT k FROM b.z) AS s WHERE s.k = 'a'",
			"project k AS k [union all [project k AS k [filter k = 'a' [scan a.x (id, k, n)]] | project k AS k [filter k = 'a' [scan b.z (id, k, w)]]]]"},
		{"filters beside an outer join", pushFilters, "SELECT x.k FROM a.x AS x LEFT JOIN a.y AS y ON y.id = x.id AND y.m > 1 AND x.n > 2 WHERE x.n = 3 AND y.k IS NULL",
			"project k AS k [filter k IS NULL [left join on id = id AND n > 2 [filter n = 3 [scan a.x (id, k, n)] | filter m > 1 [scan a.y (id, k, m)]]]]"},
		{"outer joins made inner", pushFilters, "SELECT x.k FROM a.x AS x LEFT JOIN a.y AS y ON y.id = x.id WHERE y.m > 1",
			"project k AS k [join on id = id [scan a.x (id, k, n) | filter m > 1 [scan a.y (id, k, m)]]]"},
		{"outer joins kept", pushFilters, "SELECT x.k FROM a.x AS x LEFT JOIN a.y AS y ON y.id = x.id WHERE coalesce(y.m, 2) > 1",
			"project k AS k [filter coalesce(m, 2) > 1 [left join on id = id [scan a.x (id, k, n) | scan a.y (id, k, m)]]]"},
		{"projections lifted through a join", liftProjections, "SELECT s.u FROM (SELECT upper(k) AS u, id FROM a.x) AS s JOIN a.y ON y.id = s.id",
			"project upper(k) AS u [join on id = id [scan a.x (id, k, n) | scan a.y (id, k, m)]]"},
		{"what NULLs would change is not lifted", liftProjections, "SELECT y.m, s.c FROM a.y LEFT JOIN (SELECT id, coalesce(n, 0) AS c FROM a.x) AS s ON s.id = y.id",
			"project m AS m, c AS c [left join on id = id [scan a.y (id, k, m) | project id AS id, coalesce(n, 0) AS c [scan a.x (id, k, n)]]]"},
		{"joins of a source gathered", gatherJoins, "SELECT x.k FROM a.x AS x JOIN b.z AS z ON z.k = x.k JOIN a.y AS y ON y.id = x.id",
			"project k AS k [join on k = k [join on id = id [scan a.x (id, k, n) | scan a.y (id, k, m)] | scan b.z (id, k, w)]]"},
		{"a join that connects an earlier part", after(gatherJoins, pushFilters), "SELECT y.k FROM a.y AS y, a.x AS x, a.x AS v WHERE x.id = v.id AND y.m = x.n + v.n",
			"project k AS k [join on m = (n + n) [scan a.y (id, k, m) | join on id = id [scan a.x (id, k, n) | scan a.x (id, k, n)]]]"},
		{"a subquery that may fail sees no row that a join drops", after(gatherJoins, decorrelate), "SELECT (SELECT y.k FROM a.y AS y WHERE y.id > x.id) AS s FROM a.x AS x JOIN b.z AS z ON z.id = x.id JOIN b.u AS u ON u.id = z.id",
			"project k AS s [project id, k, n, id, k, w, id, name, k [single join on id > id [join on id = id [scan a.x (id, k, n) | join on id = id [scan b.z (id, k, w) | scan b.u (id, name)]] | project k AS k, id [project k AS k, id [scan a.y (id, k, m)]]]]]"},
		{"an outer join moved to its own source", gatherJoins, "SELECT x.k FROM a.x AS x JOIN b.z AS z ON z.k = x.k LEFT JOIN a.y AS y ON y.id = x.id",
			"project k AS k [join on k = k [left join on id = id [scan a.x (id, k, n) | scan a.y (id, k, m)] | scan b.z (id, k, w)]]"},
		{"a correlated scalar subquery becomes a join with groups", decorrelate, "SELECT x.k, (SELECT sum(y.m) FROM a.y AS y WHERE y.id = x.id) AS s FROM a.x AS x",
			"project k AS k, sum AS s [project id, k, n, sum(m) AS sum [left join on id = id [scan a.x (id, k, n) | aggregate [id AS id] sum(m) AS sum(m) [scan a.y (id, k, m)]]]]"},
		{"a correlated EXISTS becomes a join", decorrelate, "SELECT x.k FROM a.x AS x WHERE EXISTS (SELECT 1 FROM b.z AS z WHERE z.id = x.id AND z.w > x.n)",
			"project k AS k [filter exists [mark join on id = id AND w > CAST(n AS numeric) AS exists [scan a.x (id, k, n) | scan b.z (id, k, w)]]]"},
		{"EXISTS in a condition is a semi-join", after(semiJoins, decorrelate, pushFilters), "SELECT x.k FROM a.x AS x WHERE EXISTS (SELECT 1 FROM b.z AS z WHERE z.id = x.id)",
			"project k AS k [semi-join on id = id [scan a.x (id, k, n) | scan b.z (id, k, w)]]"},
		{"NOT IN is an anti-join where nothing is NULL", after(semiJoins, decorrelate, pushFilters), "SELECT x.k FROM a.x AS x WHERE x.id NOT IN (SELECT z.id FROM b.z AS z)",
			"project k AS k [anti-join on id = id [scan a.x (id, k, n) | project id AS id [scan b.z (id, k, w)]]]"},
		{"a subquery of a key needs no check for a second row", after(singleJoins, decorrelate), "SELECT x.k, (SELECT u.name FROM b.u AS u WHERE u.id = x.id) AS name FROM a.x AS x",
			"project k AS k, name AS name [project id, k, n, name [left join on id = id [scan a.x (id, k, n) | project name AS name, id [project name AS name, id [scan b.u (id, name)]]]]]"},
		{"a subquery of many rows needs it", after(singleJoins, decorrelate), "SELECT x.k, (SELECT z.k FROM b.z AS z WHERE z.id = x.id) AS k2 FROM a.x AS x",
			"project k AS k, k AS k2 [project id, k, n, k [single join on id = id [scan a.x (id, k, n) | project k AS k, id [project k AS k, id [scan b.z (id, k, w)]]]]]"},
		{"how often a row is found does not count under EXISTS", after(dropJoins, decorrelate, pushFilters, semiJoins), "SELECT x.k FROM a.x AS x WHERE EXISTS (SELECT 1 FROM b.z AS z LEFT JOIN a.y AS y ON y.m > z.w WHERE z.id = x.id)",
			"project k AS k [semi-join on id = id [scan a.x (id, k, n) | scan b.z (id, k, w)]]"},
		{"nor under DISTINCT", dropJoins, "SELECT DISTINCT z.k FROM b.z AS z LEFT JOIN a.y AS y ON y.m > 3",
			"distinct [project k AS k [scan b.z (id, k, w)]]"},
		{"a side that nothing reads is one row", dropJoins, "SELECT DISTINCT z.k FROM b.z AS z CROSS JOIN a.y AS y",
			"distinct [project k AS k [join on  [scan b.z (id, k, w) | limit 1 [scan a.y (id, k, m)]]]]"},
		{"and of two such sides", dropJoins, "SELECT DISTINCT 1 AS one FROM b.z AS z CROSS JOIN a.y AS y",
			"distinct [project 1 AS one [join on  [limit 1 [scan b.z (id, k, w)] | limit 1 [scan a.y (id, k, m)]]]]"},
		{"a condition reads its side", dropJoins, "SELECT DISTINCT z.k FROM b.z AS z JOIN a.y AS y ON y.m > z.w",
			"distinct [project k AS k [join on CAST(m AS numeric) > w [scan b.z (id, k, w) | scan a.y (id, k, m)]]]"},
		{"what may fail is computed", dropJoins, "SELECT DISTINCT z.k FROM b.z AS z LEFT JOIN a.y AS y ON 1 / y.m > 3",
			"distinct [project k AS k [left join on (1 / m) > 3 [scan b.z (id, k, w) | scan a.y (id, k, m)]]]"},
		{"how often counts below a limit", dropJoins, "SELECT DISTINCT s.k FROM (SELECT z.k FROM b.z AS z CROSS JOIN a.y AS y LIMIT 5) AS s",
			"distinct [project k AS k [limit 5 [project k AS k [join on  [scan b.z (id, k, w) | scan a.y (id, k, m)]]]]]"},
		{"how often counts below a group", dropJoins, "SELECT DISTINCT s.c FROM (SELECT count(*) AS c FROM b.z AS z CROSS JOIN a.y AS y) AS s",
			"distinct [project c AS c [project count(*) AS c [aggregate [] count(*) AS count(*) [join on  [scan b.z (id, k, w) | scan a.y (id, k, m)]]]]]"},
		{"a branch that contradicts is cut off", after(cutContradictions, pushFilters, foldConstants), "SELECT s.k FROM (SELECT 'a' AS tag, k FROM a.x UNION ALL SELECT 'b', k FROM b.z) AS s WHERE s.tag = 'a'",
			"project k AS k [project tag AS tag, k AS k [project 'a' AS tag, k AS k [scan a.x (id, k, n)]]]"},
		{"ranges that contradict", cutContradictions, "SELECT x.k FROM a.x AS x WHERE x.n > 5 AND x.n < 3",
			"values 0 rows"},
		{"a condition is carried across an equality", carryConditions, "SELECT x.k FROM a.x AS x JOIN b.z AS z ON z.id = x.id WHERE x.id = 7",
			"project k AS k [filter id = 7 [join on id = id [scan a.x (id, k, n) | filter id = 7 [scan b.z (id, k, w)]]]]"},
		{"but not to the side that is kept", carryConditions, "SELECT x.k FROM a.x AS x LEFT JOIN b.z AS z ON z.id = x.id AND z.id > 7",
			"project k AS k [left join on id = id AND id > 7 [scan a.x (id, k, n) | scan b.z (id, k, w)]]"},
		{"a left join to a key that nothing reads", dropJoins, "SELECT x.k FROM a.x AS x LEFT JOIN b.u AS u ON u.id = x.id",
			"project k AS k [scan a.x (id, k, n)]"},
		{"a left join that multiplies stays", dropJoins, "SELECT x.k FROM a.x AS x LEFT JOIN b.z AS z ON z.id = x.id",
			"project k AS k [left join on id = id [scan a.x (id, k, n) | scan b.z (id, k, w)]]"},
		{"groups whole below a join to a key", after(aggregateEarly, liftProjections), "SELECT x.id, count(*) AS c FROM a.x AS x JOIN b.u AS u ON u.id = x.id GROUP BY x.id",
			"project id AS id, count(*) AS c [project id AS id, count(*) AS count(*) [join on id = id [aggregate [id] count(*) AS count(*) [scan a.x (id, k, n)] | scan b.u (id, name)]]]"},
		{"groups partly below a join that they read both sides of", after(aggregateEarly, liftProjections), "SELECT u.name, sum(x.n) AS s FROM a.x AS x JOIN b.u AS u ON u.id = x.id GROUP BY u.name",
			"project name AS name, sum(n) AS s [project name, CAST(sum(n) AS bigint) AS sum(n) [aggregate [name AS name] sum(sum(n)) AS sum(n) [join on id = id [aggregate [id] sum(n) AS sum(n) [scan a.x (id, k, n)] | scan b.u (id, name)]]]]"},
		{"a limit into the branches of a union", limitEarly, "SELECT k FROM a.x UNION ALL SELECT k FROM b.z ORDER BY 1 LIMIT 3",
			"limit 3 [sort k [union all [limit 3 [sort k [project k AS k [scan a.x (id, k, n)]]] | limit 3 [sort k [project k AS k [scan b.z (id, k, w)]]]]]]"},
		{"a limit below an outer join to a key", after(limitEarly, liftProjections), "SELECT x.k, u.name FROM a.x AS x LEFT JOIN b.u AS u ON u.id = x.id ORDER BY x.k LIMIT 3",
			"project k AS k, name AS name [limit 3 [sort k [left join on id = id [limit 3 [sort k [scan a.x (id, k, n)]] | scan b.u (id, name)]]]]"},
		{"joins that only an outer join connects", gatherJoins, "SELECT y.k FROM a.x AS x LEFT JOIN b.z AS z ON z.id = x.id JOIN b.u AS u ON u.name = z.k JOIN a.y AS y ON y.m = z.w",
			"project k AS k [join on CAST(m AS numeric) = w [join on name = k [left join on id = id [scan a.x (id, k, n) | scan b.z (id, k, w)] | scan b.u (id, name)] | scan a.y (id, k, m)]]"},
		{"a semi-join before a join that multiplies", after(gatherJoins, decorrelate, pushFilters, semiJoins), "SELECT x.k FROM a.x AS x JOIN b.z AS z ON z.w = x.n WHERE EXISTS (SELECT 1 FROM b.u AS u WHERE u.id > x.id)",
			"project k AS k [join on w = CAST(n AS numeric) [semi-join on id > id [scan a.x (id, k, n) | scan b.u (id, name)] | scan b.z (id, k, w)]]"},
		{"columns", pruneColumns, "SELECT s.k FROM (SELECT x.k, x.n, y.m FROM a.x AS x JOIN a.y AS y ON y.id = x.id) AS s",
			"project k AS k [project k AS k [project k [join on id = id [scan a.x (id, k) | scan a.y (id)]]]]"},
		{"aggregates that nothing reads", pruneColumns, "SELECT s.k FROM (SELECT k, sum(n) AS t FROM a.x GROUP BY k) AS s",
			"project k AS k [project k AS k [aggregate [k AS k]  [scan a.x (k)]]]"},
		{"union columns", pruneColumns, "SELECT s.k FROM (SELECT id, k FROM a.x UNION ALL SELECT id, k FROM b.z) AS s",
			"project k AS k [union all [project k AS k [scan a.x (k)] | project k AS k [scan b.z (k)]]]"},
		{"expressions sunk to their source", sinkExpressions, "SELECT upper(x.k) AS u, x.k || z.k AS both FROM a.x AS x JOIN b.z AS z ON z.id = x.id",
			"project u, k || k AS both [join on id = id [project id, k, n, upper(k) AS u [scan a.x (id, k, n)] | scan b.z (id, k, w)]]"},
		{"what may fail is not sunk", sinkExpressions, "SELECT 1 / x.n AS q FROM a.x AS x JOIN b.z AS z ON z.id = x.id",
			"project 1 / n AS q [join on id = id [scan a.x (id, k, n) | scan b.z (id, k, w)]]"},
	} {
		q := bound(t, c.sql)
		before := plan.Print(q.Root)
		if got := shape(c.apply(q.Root, NewPass(q.IDs))); got != c.want {
			t.Errorf("%s: %s\n  got  %s\n  want %s", c.name, c.sql, got, c.want)
		}
		if plan.Print(q.Root) != before {
			t.Errorf("%s changed its input", c.name)
		}
	}
}

// All rules together leave the output columns as they are, and say what they
// did.
func TestApplyKeepsTheOutput(t *testing.T) {
	for _, sql := range []string{
		"SELECT x.k, avg(z.w) AS m FROM a.x AS x LEFT JOIN b.z AS z ON z.id = x.id WHERE x.n > 1 GROUP BY x.k ORDER BY m DESC LIMIT 3",
		"SELECT DISTINCT s.k FROM (SELECT k FROM a.x UNION ALL SELECT k FROM b.z) AS s WHERE s.k LIKE 'a%'",
		"SELECT 1 AS one",
	} {
		q := bound(t, sql)
		var steps []string
		out, _ := Apply(q, func(s Step) { steps = append(steps, s.Rule) })
		before, after := q.Root.Columns(), out.Root.Columns()
		for i := range before {
			if before[i] != after[i] {
				t.Errorf("%s: column %d was %v and is %v", sql, i, before[i], after[i])
			}
		}
		if strings.Contains(sql, "FROM") && len(steps) == 0 {
			t.Errorf("%s: no rule applied", sql)
		}
	}
}

// A column that is used twice at every level does not double the plan at each.
func TestLiftingDoesNotExplode(t *testing.T) {
	sql := "SELECT k AS c0 FROM a.x"
	for range 60 {
		sql = "SELECT c0 || c0 AS c0 FROM (" + sql + ") AS s"
	}
	q := bound(t, sql)
	if n := len(printed(t, q)); n > 2_000_000 {
		t.Errorf("the plan prints to %d bytes", n)
	}
}

// printed is a query's plan after all rules.
func printed(t *testing.T, q *plan.Query) string {
	t.Helper()
	out, err := Apply(q, nil)
	if err != nil {
		t.Fatal(err)
	}
	return plan.Print(out.Root)
}
