package estate

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/syntax"
	"rovik/core/value"
)

// grown makes an estate of so many views of 25 columns, in layers on top of each
// other, over tables of 25 columns.
func grown(views int) *catalog.Catalog {
	const layers, columns = 25, 25
	s := &catalog.Source{Name: "s"}
	for i := range max(1, views/20) {
		t := &catalog.Table{Source: "s", Name: fmt.Sprintf("t%d", i)}
		for c := range columns {
			t.Columns = append(t.Columns, catalog.Column{Name: fmt.Sprintf("c%d", c), Type: value.Of(value.Int4)})
		}
		s.Tables = append(s.Tables, t)
	}
	var list []*catalog.View
	var order []catalog.Layer
	per := max(1, views/layers)
	for l := range layers {
		order = append(order, catalog.Layer{Name: fmt.Sprintf("l%d", l)})
		for i := range per {
			from := fmt.Sprintf("s.t%d AS a JOIN s.t%d AS b ON a.c0 = b.c0", i%len(s.Tables), (i*7+1)%len(s.Tables))
			if l > 0 {
				from = fmt.Sprintf("l%d.v%d AS a JOIN l%d.v%d AS b ON a.c0 = b.c0", l-1, i, l-1, (i*3+1)%per)
			}
			var items []string
			for c := range columns {
				switch c % 5 {
				case 0:
					items = append(items, fmt.Sprintf("a.c%d", c))
				case 1:
					items = append(items, fmt.Sprintf("b.c%d AS c%d", c, c))
				case 2:
					items = append(items, fmt.Sprintf("a.c%d %% 7 AS c%d", c, c))
				default:
					items = append(items, fmt.Sprintf("a.c%d AS c%d", c, c))
				}
			}
			list = append(list, &catalog.View{Layer: order[l].Name, Name: fmt.Sprintf("v%d", i),
				SQL: fmt.Sprintf("SELECT %s FROM %s WHERE a.c3 > %d", strings.Join(items, ", "), from, i)})
		}
	}
	return catalog.New([]*catalog.Source{s}, order, list)
}

// BenchmarkEstate measures an estate from 100 to 10,000 views: to know all of
// them, the lineage of a column of the highest, what depends on the column that
// most views lead to, and to know all again after one has changed.
func BenchmarkEstate(b *testing.B) {
	for _, n := range []int{100, 1000, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			c := grown(n)
			now := time.Unix(0, 0)
			trees := map[string]*syntax.Query{} // as the application keeps them
			ctx := bind.Context{Catalog: c, Now: now, Parse: func(sql string) (*syntax.Query, error) {
				if trees[sql] == nil {
					t, err := syntax.Parse(sql)
					if err != nil {
						return nil, err
					}
					trees[sql] = t
				}
				return trees[sql], nil
			}}
			var known, upstream, flat, impact, save time.Duration
			var nodes int
			for b.Loop() {
				began := time.Now()
				e := New(ctx, nil)
				if broken := e.Broken(); len(broken) > 0 {
					b.Fatal(broken[0].Err)
				}
				known += time.Since(began)
				top := Node{"l24.v0", "c1"}
				began = time.Now()
				nodes = len(e.Upstream(top).Nodes)
				upstream += time.Since(began)
				began = time.Now()
				e.Sources(top)
				flat += time.Since(began)
				e.Readers("") // is known after the first question
				began = time.Now()
				e.DownstreamOf(Node{"s.t0", "c0"})
				impact += time.Since(began)
				v := *c.View("l20.v0")
				v.SQL = strings.Replace(v.SQL, "> 0", "> 1", 1)
				began = time.Now()
				after := New(bind.Context{Catalog: c.WithView(&v), Now: now, Parse: ctx.Parse}, e)
				for _, r := range e.Downstream("l20.v0") {
					after.View(r)
				}
				save += time.Since(began)
			}
			ms := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 / float64(b.N) }
			var m runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&m)
			b.ReportMetric(ms(known), "ms-all")
			b.ReportMetric(ms(upstream), "ms-lineage")
			b.ReportMetric(ms(flat), "ms-flat")
			b.ReportMetric(ms(impact), "ms-impact")
			b.ReportMetric(ms(save), "ms-save")
			b.ReportMetric(float64(nodes), "nodes")
			b.ReportMetric(float64(m.HeapAlloc>>20), "MiB")
		})
	}
}
