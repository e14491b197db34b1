package catalog

import (
	"fmt"
	"strings"
	"testing"

	"rovik/core/value"
)

func TestDifference(t *testing.T) {
	of := func(kinds ...value.Kind) []Column {
		var out []Column
		for i, k := range kinds {
			out = append(out, Column{Name: string(rune('a' + i)), Type: value.Of(k)})
		}
		return out
	}
	known := func() *Source {
		return &Source{Name: "s", Tables: []*Table{
			{Schema: "p", Name: "t", Columns: of(value.Int4, value.Text, value.Date), Keys: []Key{{Columns: []string{"a"}, Primary: true}}, Rows: 10},
			{Schema: "p", Name: "u", Columns: of(value.Int4)}}}
	}
	for _, c := range []struct {
		name   string
		change func(s *Source)
		want   string
		takes  bool
	}{
		{"nothing but sizes", func(s *Source) { s.Tables[0].Rows, s.Tables[0].Columns[1].Distinct = 1000, 7 }, "", false},
		{"a table gone", func(s *Source) { s.Tables = s.Tables[:1] }, "p.u: table gone: 1 columns → ", true},
		{"a table added", func(s *Source) { s.Tables = append(s.Tables, &Table{Name: "v", Columns: of(value.Text)}) }, "v: table added:  → 1 columns", false},
		{"a column gone", func(s *Source) { s.Tables[0].Columns = s.Tables[0].Columns[:2] }, "p.t.c: column gone: date → ", true},
		{"a column renamed", func(s *Source) { s.Tables[0].Columns[1].Name = "z" }, "p.t.b: column gone: text → ; p.t.z: column added:  → text", true},
		{"another type", func(s *Source) { s.Tables[0].Columns[1].Type = value.Of(value.Int8) }, "p.t.b: type changed: text → bigint", true},
		{"another collation", func(s *Source) { s.Tables[0].Columns[1].Collation = "x" }, "p.t.b: collation changed:  → x", true},
		{"NULL allowed", func(s *Source) { s.Tables[0].Columns[0].Nullable = true }, "p.t.a: NULL: never → allowed", true},
		{"another key", func(s *Source) { s.Tables[0].Keys[0].Columns = []string{"a", "b"} }, "p.t: key gone: primary (a) → ; p.t: key added:  → primary (a, b)", true},
	} {
		after := known()
		c.change(after)
		var got []string
		takes := false
		for _, d := range Difference(known(), after) {
			place := d.Table
			if d.Column != "" {
				place += "." + d.Column
			}
			got = append(got, fmt.Sprintf("%s: %s: %s → %s", place, d.What, d.Was, d.Is))
			takes = takes || d.Takes
		}
		if strings.Join(got, "; ") != c.want || takes != c.takes {
			t.Errorf("%s: %q, takes %v", c.name, got, takes)
		}
	}
	if d := Difference(nil, known()); d != nil {
		t.Errorf("a source that was not known differs: %v", d)
	}
}
