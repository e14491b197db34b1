package tests

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/tracing"
	"rovik/app/views"
	"rovik/core/catalog"
)

const (
	estateLayers  = 25
	estateColumns = 25
)

// estateTables are the tables below a made estate, as statements.
func estateTables(views int) []string {
	var out []string
	for i := range max(1, views/20) {
		var cols []string
		for c := range estateColumns {
			cols = append(cols, fmt.Sprintf("c%d INTEGER NOT NULL", c))
		}
		out = append(out, fmt.Sprintf("CREATE TABLE t%d (%s)", i, strings.Join(cols, ", ")))
	}
	return out
}

// estateViews makes so many views of 25 columns in 25 layers on top of each other,
// each over one of the layer below and a table or, in every sixth, over two.
func estateViews(views int) ([]catalog.Layer, []*catalog.View) {
	var layers []catalog.Layer
	var list []*catalog.View
	per, tables := max(1, views/estateLayers), max(1, views/20)
	for l := range estateLayers {
		layers = append(layers, catalog.Layer{Name: fmt.Sprintf("l%d", l)})
		for i := range per {
			from := fmt.Sprintf("s.t%d AS a JOIN s.t%d AS b ON a.c0 = b.c0", i%tables, (i*7+1)%tables)
			if l > 0 {
				from = fmt.Sprintf("l%d.v%d AS a JOIN s.t%d AS b ON a.c0 = b.c0", l-1, i, (i*7+l)%tables)
				if l%6 == 0 {
					from = fmt.Sprintf("l%d.v%d AS a JOIN l%d.v%d AS b ON a.c0 = b.c0", l-1, i, l-1, (i*3+1)%per)
				}
			}
			var items []string
			for c := range estateColumns {
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
			list = append(list, &catalog.View{Layer: layers[l].Name, Name: fmt.Sprintf("v%d", i), Description: fmt.Sprintf("Shelf %d of floor %d.", i, l),
				SQL: fmt.Sprintf("SELECT %s FROM %s WHERE a.c3 > %d", strings.Join(items, ", "), from, i)})
		}
	}
	return layers, list
}

// madeEstate is a project of so many views, closed, and the folder it is in.
func madeEstate(tb testing.TB, views int) (home string) {
	tb.Helper()
	ctx := context.Background()
	home = tb.TempDir()
	a, err := app.Open(ctx, home)
	if err != nil {
		tb.Fatal(err)
	}
	path := filepath.Join(home, "made.db")
	makeSQLiteAt(tb, path, estateTables(views)...)
	if _, err := a.Sources.Add(ctx, "s", "sqlite", configOf(path), ""); err != nil {
		tb.Fatal(err)
	}
	layers, list := estateViews(views)
	if err := a.Views.Setup(ctx, layers, list); err != nil {
		tb.Fatal(err)
	}
	if err := a.Close(); err != nil {
		tb.Fatal(err)
	}
	return home
}

// BenchmarkEstate measures a project from 100 to 10,000 views, 25 layers and
// 250,000 columns: its start, the tree, a search, the lineage of a column of the
// highest view, the impact of the column that most depends on, a save in the
// middle, and the memory that it takes; x- says how much more than the first size.
func BenchmarkEstate(b *testing.B) {
	var smallest map[string]time.Duration // of the first size, for the growth
	for _, n := range []int{100, 1000, 10_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			ctx := context.Background()
			home := madeEstate(b, n)
			took := map[string]time.Duration{}
			var nodes, impacted, bytes int
			var heap uint64
			for b.Loop() {
				clock := func(what string, f func() error) {
					b.Helper()
					began := time.Now()
					if err := f(); err != nil {
						b.Fatal(what, ": ", err)
					}
					took[what] += time.Since(began)
				}
				var a *app.App
				clock("start", func() (err error) {
					a, err = app.Open(ctx, home)
					return err
				})
				clock("tree", func() error {
					text, err := json.Marshal(a.Views.Names())
					bytes = len(text)
					return err
				})
				clock("index", func() error {
					_, err := a.Search(ctx, "shelf")
					return err
				})
				clock("search", func() error {
					_, err := a.Search(ctx, "shelf 7")
					return err
				})
				clock("view", func() error {
					_, err := a.Views.View("l24.v0")
					return err
				})
				clock("explain", func() error {
					_, err := a.Now().Explain(b.Context(), project.Query{SQL: "SELECT * FROM l24.v0"})
					return err
				})
				clock("lineage", func() error {
					g, err := a.Tracing().Graph("l24.v0.c1", tracing.Upstream)
					nodes = len(g.Nodes)
					return err
				})
				clock("sources", func() error {
					_, err := a.Tracing().Lineage("l24.v0.c1")
					return err
				})
				clock("reach", func() error {
					_, err := a.Tracing().Graph("s.t0.c0", tracing.Downstream)
					return err
				})
				clock("impact", func() error {
					im, err := a.Tracing().Impact(ctx, "s.t0.c0", tracing.ChangeGone, "")
					impacted = len(im.Views)
					return err
				})
				v := *a.Now().Catalog().View("l20.v0")
				v.SQL = strings.Replace(v.SQL, "SELECT ", "SELECT 1 AS one, ", 1)
				clock("effects", func() error {
					e, err := a.Views.EffectsOf(b.Context(), v)
					if err == nil && len(e.Broken) > 0 {
						err = fmt.Errorf("%+v", e.Broken)
					}
					return err
				})
				clock("save", func() error {
					_, err := a.Views.SaveRevision(ctx, v, "one more", views.AnyRevision)
					return err
				})
				clock("search-after-save", func() error {
					_, err := a.Search(ctx, "shelf 7")
					return err
				})
				v.SQL = strings.Replace(v.SQL, "SELECT 1 AS one, ", "SELECT ", 1)
				if _, err := a.Views.SaveRevision(ctx, v, "as it was", views.AnyRevision); err != nil {
					b.Fatal(err)
				}
				var m runtime.MemStats
				runtime.GC()
				runtime.ReadMemStats(&m)
				heap = max(heap, m.HeapAlloc)
				if err := a.Close(); err != nil {
					b.Fatal(err)
				}
			}
			for what, d := range took {
				took[what] = d / time.Duration(b.N)
				b.ReportMetric(float64(took[what].Microseconds())/1000, "ms-"+what)
			}
			if smallest == nil {
				smallest = took
			}
			for _, what := range []string{"start", "search", "lineage", "impact", "save"} {
				b.ReportMetric(float64(took[what])/float64(smallest[what]), "x-"+what)
			}
			if info, err := os.Stat(filepath.Join(home, "records.db")); err == nil {
				b.ReportMetric(float64(info.Size()>>20), "MiB-kept")
			}
			b.ReportMetric(float64(nodes), "nodes")
			b.ReportMetric(float64(impacted), "impacted")
			b.ReportMetric(float64(bytes>>10), "KiB-tree")
			b.ReportMetric(float64(heap>>20), "MiB-heap")
			b.ReportMetric(0, "ns/op")
		})
	}
}
