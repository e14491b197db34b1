package catalog

import (
	"strings"
	"testing"

	"rovik/core/value"
)

// What a plan may rely on and what not.
func TestBroken(t *testing.T) {
	table := func() *Table {
		return &Table{Source: "registry", Name: "objects", Columns: []Column{
			{Name: "id", Type: value.Of(value.Int4), Native: "integer"},
			{Name: "kind", Type: value.Of(value.Text), Native: "text", Nullable: true, Collation: "C"}},
			Keys: []Key{{Columns: []string{"id", "kind"}}, {Columns: []string{"kind"}, Declared: "by hand"}}}
	}
	for _, c := range []struct {
		change func(*Table)
		says   string
	}{
		{func(*Table) {}, ""},
		{func(n *Table) { n.Columns = append(n.Columns, Column{Name: "new"}) }, ""},
		{func(n *Table) { n.Keys = append(n.Keys, Key{Columns: []string{"id"}}) }, ""},
		{func(n *Table) { n.Keys[0].Columns = []string{"kind", "id"} }, ""},
		{func(n *Table) { n.Keys = n.Keys[:1] }, ""},
		{func(n *Table) { n.Columns[1].Nullable = false }, ""},
		{func(n *Table) { n.Columns[0].Distinct, n.Rows = 9, 9 }, ""},
		{func(n *Table) { n.Columns = n.Columns[:1] }, "no column kind"},
		{func(n *Table) { n.Columns[0].Type = value.Of(value.Int8) }, "objects.id is integer"},
		{func(n *Table) { n.Columns[0].Native = "bigint" }, "is bigint now, and was integer"},
		{func(n *Table) { n.Columns[0].Nullable = true }, "may be NULL"},
		{func(n *Table) { n.Columns[1].Collation = "en" }, "by the collation en now"},
		{func(n *Table) { n.Columns[1].ReadAs = "text" }, "read otherwise"},
		{func(n *Table) { n.Keys = n.Keys[1:] }, "unique any more"},
		{func(n *Table) { n.Keys[0].Columns = []string{"id"} }, "unique any more"},
	} {
		now := table()
		c.change(now)
		if got := table().Broken(now, nil); (got == "") != (c.says == "") || !strings.Contains(got, c.says) {
			t.Errorf("it says %q, want %q", got, c.says)
		}
	}
	gone := table()
	gone.Columns, gone.Keys = gone.Columns[:1], nil
	if got := table().Broken(gone, map[string]bool{"id": true}); got != "" {
		t.Errorf("of a column that nobody reads it says %q", got)
	}
	if got := table().Broken(nil, nil); !strings.Contains(got, "no table registry.objects") {
		t.Errorf("of a table that is gone it says %q", got)
	}
}
