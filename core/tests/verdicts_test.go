package tests

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"rovik/core/fold"
	"rovik/core/plan"
)

// What folding makes of single refusals: each query with what its sources
// refuse ("wider" where they can apply a wider filter), and the verdicts that
// its pieces get, in the order of the text.
func TestVerdictsOfRefusals(t *testing.T) {
	for _, c := range []struct {
		name, sql string
		refuse    []string
		want      []string
	}{
		{"nothing refused", "SELECT upper(k) AS u FROM a.x WHERE n > 1 ORDER BY n LIMIT 3", nil,
			[]string{"expression folded a1", "filter folded a1", "sort folded a1", "limit folded a1"}},
		{"a filter", "SELECT k FROM a.x WHERE n > 1 AND id = 2", []string{"filter n > 1"},
			[]string{"filter kept a1 no-equivalent", "filter folded a1"}},
		{"a filter that is widened", "SELECT k FROM a.x WHERE n > 1 AND id = 2", []string{"filter n > 1", "wider"},
			[]string{"filter narrowed a1 no-equivalent", "filter folded a1"}},
		{"a limit over a filter that is checked here", "SELECT k FROM a.x WHERE n > 1 ORDER BY n LIMIT 3", []string{"filter n > 1", "wider"},
			[]string{"filter narrowed a1 no-equivalent", "sort folded a1", "limit kept input-kept"}},
		{"an aggregate over a filter that is checked here", "SELECT count(*) AS c FROM a.x WHERE n > 1", []string{"filter n > 1"},
			[]string{"aggregate kept input-kept", "filter kept a1 no-equivalent"}},
		{"a filter that may fail after one that is checked here", "SELECT k FROM a.x WHERE id <> 0 AND n / id > 1", []string{"filter id <> 0"},
			[]string{"filter kept a1 no-equivalent", "filter kept a1 guarded"}},
		{"an output that may fail after a filter that is checked here", "SELECT n / id AS q FROM a.x WHERE id <> 0", []string{"filter id <> 0"},
			[]string{"expression kept a1 guarded", "filter kept a1 no-equivalent"}},
		{"an output", "SELECT upper(k) AS u, length(k) AS l FROM a.x", []string{"value upper(k)"},
			[]string{"expression kept a1 no-equivalent", "expression folded a1"}},
		{"a distinct over an output that is computed here", "SELECT DISTINCT upper(k) AS u FROM a.x", []string{"value upper(k)"},
			[]string{"distinct kept no-equivalent", "expression kept a1 no-equivalent"}},
		{"a group", "SELECT k, sum(n) AS s FROM a.x GROUP BY k", []string{"group k"},
			[]string{"aggregate kept no-equivalent", "aggregate kept no-equivalent"}},
		{"one aggregate of two", "SELECT sum(n) AS s, max(k) AS m FROM a.x", []string{"aggregate max(k)"},
			[]string{"aggregate kept no-equivalent", "aggregate kept no-equivalent"}},
		{"a sort, and so the limit", "SELECT k FROM a.x ORDER BY k LIMIT 3", []string{"order k"},
			[]string{"sort kept no-equivalent", "limit kept input-kept"}},
		{"a window", "SELECT rank() OVER (ORDER BY n) AS r FROM a.x", []string{"window rank() OVER (ORDER BY n)"},
			[]string{"window kept no-equivalent"}},
		{"a join in one source", "SELECT x.k FROM a.x AS x JOIN a.y AS y ON y.id = x.id", nil,
			[]string{"join folded a1"}},
		{"the condition of a join", "SELECT x.k FROM a.x AS x JOIN a.y AS y ON y.id = x.id AND y.k < x.k", []string{"filter y.k < x.k", "filter k < k"},
			[]string{"join narrowed a1 no-equivalent"}},
		{"the condition of an outer join", "SELECT x.k, y.w FROM a.x AS x LEFT JOIN a.y AS y ON y.id = x.id AND y.k < x.k", []string{"filter k < k"},
			[]string{"join kept no-equivalent"}},
		{"what an outer join would fill", "SELECT x.k, s.c FROM a.x AS x LEFT JOIN (SELECT id, coalesce(w, 1) AS c FROM a.y) AS s ON s.id = x.id", nil,
			[]string{"expression folded a2", "join kept null-supplied"}},
		{"a filter under an outer join", "SELECT x.k, s.k FROM a.x AS x LEFT JOIN (SELECT id, k FROM a.y WHERE w > 1) AS s ON s.id = x.id", []string{"filter w > (1)::numeric", "filter w > 1"},
			[]string{"filter kept a2 no-equivalent", "join kept null-supplied"}},
		{"a join across sources", "SELECT x.k FROM a.x AS x JOIN b.z AS z ON z.id = x.id", nil,
			[]string{"join kept sources-differ"}},
		{"a product within a source", "SELECT x.k FROM a.x AS x, a.y AS y", nil, []string{"join kept multiplies-rows"}},
		{"a subquery of one row", "SELECT (SELECT y.k FROM a.y AS y WHERE y.id = x.id) AS s FROM a.x AS x", nil, []string{"join kept one-row"}},
		{"a union of one source", "SELECT k FROM a.x UNION ALL SELECT k FROM a.y", nil, []string{"set folded a1"}},
		{"a union across sources", "SELECT k FROM a.x UNION ALL SELECT k FROM b.z", nil, []string{"set kept sources-differ"}},
		{"the first rows of a union", "SELECT k FROM a.x UNION ALL SELECT k FROM b.z ORDER BY 1 LIMIT 2", nil,
			[]string{"set kept sources-differ", "sort narrowed a1 repeated-here", "sort narrowed b2 repeated-here", "limit narrowed a1 repeated-here", "limit narrowed b2 repeated-here"}},
		{"totals of a union", "SELECT k, sum(n) AS s FROM (SELECT k, n FROM a.x UNION ALL SELECT k, id FROM b.z) AS u GROUP BY k", nil,
			[]string{"aggregate narrowed a1 finished-here", "aggregate narrowed b2 finished-here", "set kept sources-differ", "aggregate narrowed a1 finished-here", "aggregate narrowed b2 finished-here"}},
		{"no source", "SELECT n + 1 AS m FROM (VALUES (1), (2)) AS v(n)", nil, []string{"expression kept no-source"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := makeWorld(rand.New(rand.NewSource(7)))
			for _, s := range w.catalog.Sources() {
				for _, table := range s.Tables {
					table.Rows = 1000
					for i := range table.Columns {
						table.Columns[i].Distinct = 0 // not known
					}
				}
			}
			of := func(name string) *willful {
				return &willful{name: name, fragments: map[string]plan.Node{},
					refuses: func(part string) bool { return slices.Contains(c.refuse, part) },
					widens:  func(string) bool { return slices.Contains(c.refuse, "wider") }}
			}
			rows, compiled, err := w.folded(c.sql, fold.Options{}, of("a"), of("b"), of("c"))
			if err != nil {
				if !strings.Contains(err.Error(), "division by zero") {
					t.Fatal(err)
				}
			} else if want := w.reference(t, c.sql); !slices.Equal(rows, want) {
				t.Errorf("rows %v, want %v", rows, want)
			}
			if got := verdicts(compiled); !slices.Equal(got, c.want) {
				t.Errorf("%s\ngot  %q\nwant %q", c.sql, got, c.want)
			}
		})
	}
}

// verdicts writes each piece with its statement and, where it did not fold,
// the code of its reason.
func verdicts(c *fold.Compiled) []string {
	var out []string
	for _, p := range c.Pieces {
		s := fmt.Sprintf("%s %s", p.Kind, p.Verdict)
		if p.Statement > 0 {
			s += fmt.Sprintf(" %s%d", p.Source, p.Statement)
		}
		if p.Reason != nil {
			s += " " + p.Reason.Code
		}
		out = append(out, s)
	}
	return out
}

// With folding off, sources are read as bare columns.
func TestFoldingOff(t *testing.T) {
	r := rand.New(rand.NewSource(3))
	w := makeWorld(r)
	for seed := range int64(200) {
		sql, _ := newGenerator(rand.New(rand.NewSource(seed))).query(1)
		willing := map[string]*willful{}
		for _, name := range []string{"a", "b", "c"} {
			willing[name] = byToss(name, seed, 0, 10)
		}
		rows, c, err := w.folded(sql, fold.Options{Off: true}, willing["a"], willing["b"], willing["c"])
		if err != nil {
			t.Fatalf("%v\n%s", err, sql)
		}
		if want := w.reference(t, sql); !slices.Equal(rows, want) {
			t.Fatalf("%s\ngot  %v\nwant %v", sql, rows, want)
		}
		for _, s := range willing {
			for _, frag := range s.fragments {
				plan.Visit(frag, func(n plan.Node) {
					switch n := n.(type) {
					case *plan.Scan:
					case *plan.Project:
						for _, it := range n.Items {
							if _, plain := it.Expr.(*plan.Col); !plain {
								t.Errorf("%s computes %s", s.name, plan.Text(it.Expr))
							}
						}
					default:
						t.Errorf("%s does %s", s.name, plan.Label(n))
					}
				})
			}
		}
		for _, p := range c.Pieces {
			if p.Verdict != fold.Kept {
				t.Errorf("%s %q is %s", p.Kind, p.Text, p.Verdict)
			}
		}
	}
}

// A join of which many times the rows of its sides would cross is Rovik's, where it
// is known that there are so many and the source makes no fewer of them.
func TestJoinsThatMultiplyRows(t *testing.T) {
	for _, c := range []struct {
		sql      string
		distinct int64 // values of each column
		refuse   string
		want     string
	}{
		{"SELECT x.k FROM a.x AS x JOIN a.y AS y ON y.id = x.id", 8, "", "kept"},
		{"SELECT x.k FROM a.x AS x LEFT JOIN a.y AS y ON y.id = x.id", 8, "", "kept"},
		{"SELECT x.k FROM a.x AS x JOIN a.y AS y ON y.id = x.id", 0, "", "folded"},
		{"SELECT x.k FROM a.x AS x JOIN a.y AS y ON y.id = x.id", 900, "", "folded"},
		{"SELECT count(*) AS c FROM a.x AS x JOIN a.y AS y ON y.id = x.id", 8, "", "folded"},
		{"SELECT count(*) AS c FROM a.x AS x JOIN a.y AS y ON y.id = x.id WHERE x.n > 1", 8, "filter n > 1", "kept"},
		{"SELECT x.k FROM a.x AS x JOIN a.y AS y ON y.id = x.id ORDER BY x.k, y.k LIMIT 5", 8, "", "folded"},
		{"SELECT x.k FROM a.x AS x WHERE EXISTS (SELECT 1 FROM a.y AS y WHERE y.id = x.id)", 8, "", "folded"},
	} {
		w := makeWorld(rand.New(rand.NewSource(7)))
		for _, s := range w.catalog.Sources() {
			for _, table := range s.Tables {
				table.Rows = 1000
				for i := range table.Columns {
					table.Columns[i].Distinct = c.distinct
				}
			}
		}
		of := func(name string) *willful {
			return &willful{name: name, fragments: map[string]plan.Node{}, refuses: func(part string) bool { return part == c.refuse }, widens: func(string) bool { return false }}
		}
		_, compiled, err := w.folded(c.sql, fold.Options{}, of("a"), of("b"), of("c"))
		if err != nil {
			t.Fatal(err)
		}
		for _, v := range verdicts(compiled) {
			if strings.HasPrefix(v, "join ") && !strings.HasPrefix(v, map[string]string{"kept": "join kept multiplies-rows", "folded": "join folded"}[c.want]) {
				t.Errorf("%s, %d values: %s", c.sql, c.distinct, v)
			}
		}
	}
}
