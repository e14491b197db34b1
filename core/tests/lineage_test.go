package tests

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/lineage"
	"rovik/core/plan"
	"rovik/core/rewrite"
	"rovik/core/value"
)

// over writes a query over a view of a generated one.
func (g *generator) over(view string, own []field) (string, []field) {
	from, fs := g.as(view, own)
	f := pick(g, fs...)
	name := g.name("o")
	items, where := fmt.Sprintf("%s AS %s", f.name, name), ""
	out := []field{{name, f.kind}}
	if g.Intn(2) > 0 {
		kind := pick(g, "int", "text")
		other := g.name("o")
		items += fmt.Sprintf(", %s AS %s", g.expr(fs, kind, 1), other)
		out = append(out, field{other, kind})
	}
	if g.Intn(3) == 0 {
		where = " WHERE " + g.condition(fs, 0)
	}
	switch g.Intn(6) {
	case 0:
		count := g.name("o")
		return fmt.Sprintf("SELECT %s AS %s, count(*) AS %s FROM %s%s GROUP BY 1", f.name, name, count, from, where), []field{{name, f.kind}, {count, "int"}}
	case 1:
		right, more := g.table(0)
		return fmt.Sprintf("SELECT %s FROM %s LEFT JOIN %s ON %s = %s%s", items, from, right, g.ofKind(fs, "int"), g.ofKind(more, "int"), where), out
	case 2:
		return fmt.Sprintf("SELECT %s FROM %s%s UNION ALL SELECT %s FROM %s", items, from, where, strings.TrimPrefix(strings.Repeat(", NULL", len(out)), ", "), pick(g, g.tables...)), out
	case 3:
		return fmt.Sprintf("WITH w AS (SELECT * FROM %s%s) SELECT w.* FROM w WHERE EXISTS (SELECT 1 FROM %s e)", from, where, pick(g, g.tables...)), own
	}
	return fmt.Sprintf("SELECT %s FROM %s%s", items, from, where), out
}

// columnsOf gives the strings of each column of a query's rows, sorted.
func (w *world) columnsOf(root plan.Node) ([][]string, error) {
	rows, err := w.plainly(root)
	if err != nil {
		return nil, err
	}
	out := make([][]string, len(root.Columns()))
	for _, row := range rows {
		for i, cell := range strings.SplitN(row, "|", len(out)+1)[:len(out)] {
			out[i] = append(out[i], cell)
		}
	}
	for _, c := range out {
		slices.Sort(c)
	}
	return out, nil
}

// with gives a column of a table other values, all of them.
func (w *world) with(r *rand.Rand, table, column string) *world {
	out := &world{catalog: w.catalog, rows: map[string][][]value.Value{}}
	for name, rows := range w.rows {
		out.rows[name] = rows
	}
	t := w.catalog.Table(table)
	at := t.Column(column)
	out.rows[table] = nil
	for i, row := range w.rows[table] {
		row = slices.Clone(row)
		row[at] = randomValue(r, t.Columns[at].Type)
		if len(t.Keys) > 0 && column == t.Keys[0].Columns[0] {
			row[at] = value.IntOf(value.Int4, int64((i*7+r.Intn(3)*11)%100))
		}
		out.rows[table] = append(out.rows[table], row)
	}
	return out
}

type sourceColumn struct{ table, column string }

// Lineage by its meaning: what it calls unrelated to a column never changes it,
// what it calls carried does in most of these worlds of few rows, what it calls
// influencing in many. Put
// together through views it is what the whole text would have.
func TestLineageByItsMeaning(t *testing.T) {
	unrelated, carried, moved, influencing, swayed := 0, 0, 0, 0, 0
	for seed := range seeds(150) {
		r := rand.New(rand.NewSource(seed))
		w := makeWorld(r)
		g := newGenerator(r)
		low, fs := g.query(1)
		high, out := g.over("low.q", fs)
		w.catalog = catalog.New(w.catalog.Sources(), []catalog.Layer{{Name: "low"}, {Name: "high"}},
			[]*catalog.View{{Layer: "low", Name: "q", SQL: low}, {Layer: "high", Name: "q", SQL: high}})
		e := estate.New(bind.Context{Catalog: w.catalog, Now: time.Unix(0, 0)}, nil)
		if err := e.View("high.q").Err; err != nil {
			t.Fatalf("seed %d: %v\n%s\n%s", seed, err, low, high)
		}
		q, err := w.bound("SELECT * FROM high.q")
		if err != nil {
			t.Fatal(err)
		}
		whole := lineage.Of(q.Root)
		root := rewrite.Rules()[0].Apply(q.Root, rewrite.NewPass(q.IDs))
		before, err := w.columnsOf(root)
		if err != nil {
			t.Fatalf("seed %d: %v\n%s\n%s", seed, err, low, high)
		}
		for i, f := range out {
			carries, influences := e.Sources(estate.Node{Relation: "high.q", Column: f.name})
			inOne(t, seed, low+"\n"+high, whole, i, carries, influences)
			role := map[sourceColumn]string{}
			for _, u := range influences {
				role[sourceColumn{u.Table, u.Column}] = "influences"
			}
			for _, u := range carries {
				role[sourceColumn{u.Table, u.Column}] = "carries"
			}
			for table := range w.rows {
				for _, c := range w.catalog.Table(table).Columns {
					how := role[sourceColumn{table, c.Name}]
					changes := false
					for range 8 {
						after, err := w.with(r, table, c.Name).columnsOf(root)
						if err != nil {
							t.Fatalf("seed %d: %v", seed, err)
						}
						if changes = changes || !slices.Equal(after[i], before[i]); changes || how == "" && r.Intn(4) > 0 {
							break
						}
					}
					switch {
					case how == "":
						if unrelated++; changes {
							t.Fatalf("seed %d: %s.%s is called unrelated to %s, and changes it\n%s\n%s", seed, table, c.Name, f.name, low, high)
						}
					case len(before[i]) == 0: // nothing comes out to see it by
					case how == "carries":
						if carried++; changes {
							moved++
						}
					default:
						if influencing++; changes {
							swayed++
						}
					}
				}
			}
		}
	}
	t.Logf("%d unrelated; of %d carried %d changed it, of %d influencing %d", unrelated, carried, moved, influencing, swayed)
	if unrelated < 1000 || carried < 50 || float64(moved) < 0.55*float64(carried) || float64(swayed) < 0.3*float64(influencing) {
		t.Errorf("%d unrelated; of %d carried %d changed it, of %d influencing %d", unrelated, carried, moved, influencing, swayed)
	}
}

// inOne compares what was put together through views with the lineage of the
// whole text.
func inOne(t *testing.T, seed int64, text string, whole *lineage.Text, i int, carries, influences []lineage.Ref) {
	t.Helper()
	refs := func(list []lineage.Ref, via bool) string {
		var out []string
		for _, r := range list {
			if !via {
				r.Via = ""
			}
			out = append(out, fmt.Sprint(r))
		}
		slices.Sort(out)
		return strings.Join(slices.Compact(out), " ")
	}
	var wantCarries, wantInfluences []lineage.Ref
	for _, u := range whole.Columns[i].Carries {
		wantCarries = append(wantCarries, u.Ref)
	}
	for _, u := range append(slices.Clone(whole.Columns[i].Influences), whole.Rows...) {
		wantInfluences = append(wantInfluences, u.Ref)
	}
	if got, want := refs(carries, true), refs(wantCarries, true); got != want {
		t.Fatalf("seed %d, column %d carries\n%s\nand in one text\n%s\n%s", seed, i, got, want, text)
	}
	if got, want := refs(influences, false), refs(wantInfluences, false); got != want {
		t.Fatalf("seed %d, column %d is influenced by\n%s\nand in one text\n%s\n%s", seed, i, got, want, text)
	}
}
