package tests

import (
	"fmt"
	"strings"
	"testing"

	"rovik/app"
	"rovik/core/catalog"
	"rovik/demo"
)

// Every column of every view of the demo can have another name, through all that
// pass it on or not, and each text then gives what it gave: that is checked by
// the plan itself, over names, types and lineage.
func TestDemoColumnsAreRenamed(t *testing.T) {
	done := 0
	for _, v := range demo.Views {
		cols, err := project.Lineage(v.FullName())
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range cols {
			for _, through := range []bool{false, true} {
				p, err := project.PlanRenaming(app.Renaming{Column: v.FullName() + "." + c.Name, To: "renamed_here", Through: through})
				if err != nil {
					t.Errorf("%s.%s through %v: %v", v.FullName(), c.Name, through, err)
					continue
				}
				if len(p.Texts) == 0 || p.Texts[0].View != v.FullName() {
					t.Errorf("%s.%s: %d texts change, its own first", v.FullName(), c.Name, len(p.Texts))
				}
				if !through && len(p.Columns) != 1 {
					t.Errorf("%s.%s: the name goes on to %v", v.FullName(), c.Name, p.Columns)
				}
				done++
			}
		}
		for _, to := range []string{v.Layer + ".renamed_here", "delivery." + v.Name} {
			if _, err := project.PlanRenaming(app.Renaming{View: v.FullName(), To: to}); err != nil && to != v.FullName() &&
				!strings.Contains(err.Error(), "higher layer") && !strings.Contains(err.Error(), "already") {
				t.Errorf("%s to %s: %v", v.FullName(), to, err)
			}
			done++
		}
	}
	t.Logf("%d renamings were worked out", done)
}

// A renaming is done as it was seen, or not at all; revisions go with their view.
func TestRenamingIsKept(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	rows := func(sql string) string {
		t.Helper()
		p, err := a.PreviewOf(ctx, app.Query{SQL: sql})
		if err != nil {
			t.Fatal(err)
		}
		out := ""
		for _, r := range p.Rows {
			for _, c := range r {
				out += *c + " "
			}
		}
		return out
	}
	before := rows("SELECT * FROM high.wide ORDER BY 1")
	column := app.Renaming{Column: "low.shelf.site", To: "place", Through: true}
	p, err := a.PlanRenaming(column)
	if err != nil || len(p.Texts) != 2 || len(p.Columns) != 2 {
		t.Fatalf("%+v, %v", p, err)
	}
	// Someone else saves the view meanwhile.
	if _, err := a.SaveView(ctx, catalog.View{Layer: "high", Name: "wide", SQL: "SELECT l.id, l.site FROM low.shelf AS l WHERE l.width > 16"}, true); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Rename(ctx, column, p.Seen, "better"); err == nil || !strings.Contains(err.Error(), "something else would change") {
		t.Errorf("what was seen is not what would be done: %v", err)
	}
	if p, err = a.PlanRenaming(column); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Rename(ctx, column, p.Seen, "better"); err != nil {
		t.Fatal(err)
	}
	if got := rows("SELECT w.id, w.place FROM high.wide AS w ORDER BY 1"); got != before {
		t.Errorf("the rows are %q, and were %q", got, before)
	}
	view := app.Renaming{View: "low.shelf", To: "low.rack"}
	if p, err = a.PlanRenaming(view); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Rename(ctx, view, p.Seen, ""); err != nil {
		t.Fatal(err)
	}
	list, err := a.Revisions(ctx, "low.rack")
	if err != nil || len(list) != 2 || list[0].Message != "better" {
		t.Errorf("its revisions are %+v, %v", list, err)
	}
	if got := rows("SELECT * FROM high.wide ORDER BY 1"); got != before {
		t.Errorf("the rows are %q, and were %q", got, before)
	}
	layers := app.Renaming{Layers: []app.LayerChange{{Was: "low", Name: "base", Description: "from the sources"}, {Name: "between"}, {Was: "high", Name: "high"}}}
	if p, err = a.PlanRenaming(layers); err != nil || len(p.Moves) != 1 {
		t.Fatalf("%+v, %v", p, err)
	}
	if _, err := a.Rename(ctx, layers, p.Seen, ""); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(a.Catalog().Layers()); got != "[{base from the sources} {between } {high }]" {
		t.Errorf("the layers are %s", got)
	}
	if got := rows("SELECT * FROM high.wide ORDER BY 1"); got != before {
		t.Errorf("the rows are %q, and were %q", got, before)
	}
	for _, c := range []struct {
		r    app.Renaming
		want string
	}{
		{app.Renaming{Layers: []app.LayerChange{{Was: "high", Name: "high"}, {Was: "base", Name: "base"}}}, "higher layer"},
		{app.Renaming{Layers: []app.LayerChange{{Was: "high", Name: "high"}}}, "has views still"},
		{app.Renaming{Column: "store.shelf.id", To: "nr"}, "named by its source"},
		{app.Renaming{View: "base.rack", To: "nowhere.rack"}, "no layer called"},
		{app.Renaming{}, "what is to be renamed"},
	} {
		if _, err := a.PlanRenaming(c.r); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v", c.r, err)
		}
	}
}
