package tracing_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"rovik/app/apptest"
	"rovik/app/tracing"
	"rovik/core/catalog"
)

func TestDownstreamAndLineageNames(t *testing.T) {
	a := apptest.New(t, 5)
	ctx := context.Background()
	for _, v := range []catalog.View{{Layer: "low", Name: "one", SQL: "SELECT id, weight * 2 AS double_weight FROM store.item"}, {Layer: "high", Name: "two", SQL: "SELECT sum(o.double_weight) AS total FROM low.one AS o"}} {
		if _, err := a.Views.Save(ctx, v, false); err != nil {
			t.Fatal(err)
		}
	}
	if down, err := tracing.On(a.Now()).Downstream("low.one"); err != nil || fmt.Sprint(down) != "[high.two]" {
		t.Errorf("downstream %v, %v", down, err)
	}
	cols, err := tracing.On(a.Now()).Lineage("high.two.total")
	if err != nil || len(cols) != 1 || fmt.Sprint(cols[0].Carries) != "[{store.item weight aggregated}]" {
		t.Errorf("lineage %v, %v", cols, err)
	}
	for _, bad := range []string{"high", "high.too", "high.two.totall"} {
		if _, err := tracing.On(a.Now()).Lineage(bad); err == nil {
			t.Errorf("%s has a lineage", bad)
		}
	}
}

// Views and tables are found by any of their words, the name counting most, and
// as they are now.
func TestSearch(t *testing.T) {
	var search tracing.Search
	a := apptest.New(t, 5)
	ctx := context.Background()
	names := func(words string) string {
		t.Helper()
		found, err := search.Find(ctx, a.Now(), words)
		if err != nil {
			t.Fatal(err)
		}
		var out []string
		for _, m := range found {
			out = append(out, m.What+" "+m.Name)
		}
		return strings.Join(out, ", ")
	}
	for _, v := range []catalog.View{{Layer: "low", Name: "heavy_item", SQL: "SELECT id, weight * 2 AS double_weight FROM store.item", Description: "Crates that take two people"},
		{Layer: "high", Name: "count_of", SQL: "SELECT count(*) AS n FROM low.heavy_item"}} {
		if _, err := a.Views.Save(ctx, v, false); err != nil {
			t.Fatal(err)
		}
	}
	for words, want := range map[string]string{"heavy": "view low.heavy_item, view high.count_of", "weight": "table store.item, view low.heavy_item", "crate peop": "view low.heavy_item", "double_w": "view low.heavy_item",
		"": "", "nothing-of-it": "", `"* OR (`: "", "NEAR": ""} {
		if got := names(words); got != want {
			t.Errorf("%q finds %s, want %s", words, got, want)
		}
	}
	if _, err := a.Views.Save(ctx, catalog.View{Layer: "low", Name: "heavy_item", SQL: "SELECT id, 1 AS double_weight FROM store.item", Description: "Boxes"}, true); err != nil {
		t.Fatal(err)
	}
	if got := names("crate") + names("boxes"); got != "view low.heavy_item" {
		t.Errorf("after a change: %s", got)
	}
}

// A view that groups by a table's key and reads its other columns breaks where it reads what
// changes, or the key goes; not by any change of the table.
func TestImpactOfGroupsByKey(t *testing.T) {
	a := apptest.New(t, 5)
	a.Save(t, "low", "by_key", "SELECT i.id, i.name, count(*) AS n FROM store.item AS i GROUP BY i.id")
	a.Save(t, "high", "upon", "SELECT b.name FROM low.by_key AS b")
	for _, c := range []struct{ column, change, typ, broken string }{
		{"weight", tracing.ChangeGone, "", ""},
		{"weight", tracing.ChangeRenamed, "", ""},
		{"weight", tracing.ChangeType, "text", ""},
		{"name", tracing.ChangeGone, "", "low.by_key high.upon"},
		{"name", tracing.ChangeRenamed, "", "low.by_key high.upon"},
		{"name", tracing.ChangeType, "bigint", ""},
		{"id", tracing.ChangeGone, "", "low.by_key high.upon"},
		{"id", tracing.ChangeType, "text", ""},
	} {
		im, err := tracing.On(a.Now()).Impact(context.Background(), "store.item."+c.column, c.change, c.typ)
		if err != nil {
			t.Fatal(err)
		}
		var broken []string
		for _, b := range im.Broken {
			broken = append(broken, b.View)
		}
		if got := strings.Join(broken, " "); got != c.broken {
			t.Errorf("%s %s: %q breaks, want %q", c.column, c.change, got, c.broken)
		}
	}
}
