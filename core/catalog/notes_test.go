package catalog

import (
	"fmt"
	"reflect"
	"testing"

	"rovik/core/value"
)

// What is said of a column goes with it to its other name; nothing else changes, and
// what was said before is left as it was.
func TestNotesFollowAName(t *testing.T) {
	was := Notes{Labels: []string{"a"}, Columns: map[string]ColumnNote{"site": {Description: "Where."}, "id": {Labels: []string{"key"}}}}
	for _, c := range []struct {
		from, to string
		want     map[string]ColumnNote
	}{
		{"site", "place", map[string]ColumnNote{"place": {Description: "Where."}, "id": {Labels: []string{"key"}}}},
		{"site", "id", map[string]ColumnNote{"id": {Description: "Where."}}},
		{"nothing", "place", was.Columns},
	} {
		is := was.Renamed(c.from, c.to)
		if !reflect.DeepEqual(is.Columns, c.want) || !reflect.DeepEqual(is.Labels, was.Labels) {
			t.Errorf("%s to %s: %+v", c.from, c.to, is)
		}
		if len(was.Columns) != 2 || was.Columns["site"].Description != "Where." {
			t.Fatalf("the notes before are %+v now", was)
		}
	}
	if !(Notes{}).Empty() || !(Notes{Columns: map[string]ColumnNote{}}).Empty() || was.Empty() {
		t.Error("empty notes are not told from others")
	}
}

// Quirks that were measured before and are others now are told, by name; those that
// are new or gone are not changes.
func TestChangesOfQuirks(t *testing.T) {
	source := func(quirks ...string) *Source {
		s := &Source{Quirks: map[string]Quirk{}}
		for i := 0; i < len(quirks); i += 2 {
			s.Quirks[quirks[i]] = Quirk{Value: quirks[i+1], Meaning: "of " + quirks[i]}
		}
		return s
	}
	for _, c := range []struct {
		before, after *Source
		want          string
	}{
		{nil, source("a", "yes"), "[]"},
		{source("a", "yes"), source("a", "yes"), "[]"},
		{source("b", "yes", "a", "1"), source("a", "2", "b", "no"), "[{a 1 2 of a} {b yes no of b}]"},
		{source("a", "yes"), source("b", "yes"), "[]"},
	} {
		if got := fmt.Sprint(QuirkChanges(c.before, c.after)); got != c.want {
			t.Errorf("%v to %v: %s, want %s", c.before, c.after, got, c.want)
		}
	}
	if s := source("a", "yes"); !s.Is("a", "yes") || s.Is("a", "no") || s.Is("b", "yes") || !s.Is("b", "") {
		t.Error("a quirk is not what it is")
	}
}

// A catalogue with something else in it is another catalogue: the one before stays as
// it was, for whoever still reads it.
func TestCataloguesDoNotChange(t *testing.T) {
	table := func(columns ...string) *Table {
		out := &Table{Source: "s", Schema: "public", Name: "t"}
		for _, c := range columns {
			out.Columns = append(out.Columns, Column{Name: c, Type: value.Of(value.Int4)})
		}
		return out
	}
	source := &Source{Name: "s", Tables: []*Table{table("a"), {Source: "s", Schema: "public", Name: "u"}}}
	before := New([]*Source{source}, []Layer{{Name: "low"}}, []*View{{Layer: "low", Name: "v", SQL: "one"}})
	for what, after := range map[string]*Catalog{
		"another table":  before.WithTable(table("a", "b")),
		"another source": before.WithSource(&Source{Name: "s", Tables: []*Table{table("a", "b")}}),
	} {
		if got := after.Table("s.public.t"); got == nil || len(got.Columns) != 2 {
			t.Errorf("%s: the table is %+v", what, got)
		}
		if after.View("low.v") == nil {
			t.Errorf("%s: the view is gone", what)
		}
		if len(before.Table("s.t").Columns) != 1 || before.Table("s.u") == nil {
			t.Errorf("%s: the catalogue before has changed", what)
		}
	}
	if with := before.WithView(&View{Layer: "low", Name: "w"}); with.View("low.w") == nil || before.View("low.w") != nil || len(before.Views()) != 1 {
		t.Error("a view more is in the catalogue before, or not in the one after")
	}
	if without := source.Without([]string{"public.t"}); len(without.Tables) != 1 || without.Tables[0].Name != "u" || len(source.Tables) != 2 {
		t.Errorf("hidden: %+v", without.Tables)
	}
	if same := source.Without(nil); same != source {
		t.Error("a source of which nothing is hidden is another one")
	}
}

// Every way in which a table can be other than it was is called what it is, and
// whether it takes something away that a view may need.
func TestEveryDifference(t *testing.T) {
	base := func(change func(*Table)) *Source {
		table := &Table{Source: "s", Schema: "x", Name: "t", Columns: []Column{{Name: "a", Type: value.Of(value.Int4)}, {Name: "b", Type: value.Of(value.Text), Collation: "C", Nullable: true}},
			Keys: []Key{{Columns: []string{"a"}, Primary: true}}, ForeignKeys: []ForeignKey{{Columns: []string{"a"}, Table: "x.u"}}}
		change(table)
		return &Source{Name: "s", Tables: []*Table{table}}
	}
	same := func(*Table) {}
	for _, c := range []struct {
		what   string
		change func(*Table)
		want   string
	}{
		{"nothing", same, ""},
		{"sizes and statistics", func(t *Table) { t.Rows, t.Columns[0].Distinct, t.Columns[0].NullShare = 9, 3, 0.5 }, ""},
		{"a column goes", func(t *Table) { t.Columns = t.Columns[:1] }, "b column gone text> true"},
		{"a column comes", func(t *Table) { t.Columns = append(t.Columns, Column{Name: "c", Type: value.Of(value.Date)}) }, "c column added >date false"},
		{"a type", func(t *Table) { t.Columns[0].Type = value.Of(value.Int8) }, "a type changed integer>bigint true"},
		{"a collation", func(t *Table) { t.Columns[1].Collation = "de" }, "b collation changed C>de true"},
		{"NULL is allowed", func(t *Table) { t.Columns[0].Nullable = true }, "a NULL never>allowed true"},
		{"NULL is not allowed", func(t *Table) { t.Columns[1].Nullable = false }, "b NULL allowed>never false"},
		{"a key goes", func(t *Table) { t.Keys = nil }, " key gone primary (a)> true"},
		{"a key comes", func(t *Table) { t.Keys = append(t.Keys, Key{Columns: []string{"a", "b"}}) }, " key added >unique (a, b) false"},
		{"a foreign key goes", func(t *Table) { t.ForeignKeys = nil }, " key gone (a) → x.u> true"},
		{"another name", func(t *Table) { t.Name = "u" }, " table gone 2 columns> true; x.u: table added >2 columns false"},
	} {
		got := ""
		for i, d := range Difference(base(same), base(c.change)) {
			if i > 0 {
				got += "; " + d.Table + ":"
			}
			text := fmt.Sprintf("%s %s %s>%s %v", d.Column, d.What, d.Was, d.Is, d.Takes)
			if i > 0 && d.Column == "" {
				text = fmt.Sprintf(" %s %s>%s %v", d.What, d.Was, d.Is, d.Takes)
			}
			got += text
		}
		if got != c.want {
			t.Errorf("%s: %q, want %q", c.what, got, c.want)
		}
	}
	if Difference(nil, base(same)) != nil || Difference(base(same), nil) != nil {
		t.Error("there are differences from nothing")
	}
}
