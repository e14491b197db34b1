package tests

import (
	"fmt"
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/app/views"
	"rovik/core/catalog"
	"rovik/demo"
)

// Every column of every view of the demo can have another name, through all that
// pass it on or not, and each text then gives what it gave: that is checked by
// the plan itself, over names, types and lineage.
func TestDemoColumnsAreRenamed(t *testing.T) {
	done := 0
	for _, v := range demo.Views {
		cols, err := museum.Tracing().Lineage(v.FullName())
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range cols {
			for _, through := range []bool{false, true} {
				p, err := museum.Views.PlanRenaming(t.Context(), views.Renaming{Column: v.FullName() + "." + c.Name, To: "renamed_here", Through: through})
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
			if _, err := museum.Views.PlanRenaming(t.Context(), views.Renaming{View: v.FullName(), To: to}); err != nil && to != v.FullName() &&
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
		p, err := a.Builder().Preview(ctx, project.Query{SQL: sql})
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
	column := views.Renaming{Column: "low.shelf.site", To: "place", Through: true}
	p, err := a.Views.PlanRenaming(t.Context(), column)
	if err != nil || len(p.Texts) != 2 || len(p.Columns) != 2 {
		t.Fatalf("%+v, %v", p, err)
	}
	// Someone else saves the view meanwhile.
	if _, err := a.Views.Save(ctx, catalog.View{Layer: "high", Name: "wide", SQL: "SELECT l.id, l.site FROM low.shelf AS l WHERE l.width > 16"}, true); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Views.Rename(ctx, column, p.Seen, "better"); err == nil || !strings.Contains(err.Error(), "not what was reviewed") {
		t.Errorf("what was seen is not what would be done: %v", err)
	}
	if p, err = a.Views.PlanRenaming(t.Context(), column); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Views.Rename(ctx, column, p.Seen, "better"); err != nil {
		t.Fatal(err)
	}
	if got := rows("SELECT w.id, w.place FROM high.wide AS w ORDER BY 1"); got != before {
		t.Errorf("the rows are %q, and were %q", got, before)
	}
	view := views.Renaming{View: "low.shelf", To: "low.rack"}
	if p, err = a.Views.PlanRenaming(t.Context(), view); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Views.Rename(ctx, view, p.Seen, ""); err != nil {
		t.Fatal(err)
	}
	list, err := a.Views.Revisions(ctx, "low.rack")
	if err != nil || len(list) != 2 || list[0].Message != "better" {
		t.Errorf("its revisions are %+v, %v", list, err)
	}
	if got := rows("SELECT * FROM high.wide ORDER BY 1"); got != before {
		t.Errorf("the rows are %q, and were %q", got, before)
	}
	layers := views.Renaming{Layers: []views.LayerChange{{Was: "low", Name: "base", Description: "from the sources"}, {Name: "between"}, {Was: "high", Name: "high"}}}
	if p, err = a.Views.PlanRenaming(t.Context(), layers); err != nil || len(p.Moves) != 1 {
		t.Fatalf("%+v, %v", p, err)
	}
	if _, err := a.Views.Rename(ctx, layers, p.Seen, ""); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(a.Now().Catalog().Layers()); got != "[{base from the sources} {between } {high }]" {
		t.Errorf("the layers are %s", got)
	}
	if got := rows("SELECT * FROM high.wide ORDER BY 1"); got != before {
		t.Errorf("the rows are %q, and were %q", got, before)
	}
	for _, c := range []struct {
		r    views.Renaming
		want string
	}{
		{views.Renaming{Layers: []views.LayerChange{{Was: "high", Name: "high"}, {Was: "base", Name: "base"}}}, "higher layer"},
		{views.Renaming{Layers: []views.LayerChange{{Was: "high", Name: "high"}}}, "has views still"},
		{views.Renaming{Column: "store.shelf.id", To: "nr"}, "named by its source"},
		{views.Renaming{View: "base.rack", To: "nowhere.rack"}, "no layer called"},
		{views.Renaming{}, "what is to be renamed"},
	} {
		if _, err := a.Views.PlanRenaming(t.Context(), c.r); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v", c.r, err)
		}
	}
}

// Names of the story are changed and changed back, over the real databases: columns
// through all that pass them on, views, layers. Everything that consumers get stays
// as it was, and so does every text in the end.
func TestRenamingTheStoryKeepsItsRows(t *testing.T) {
	ctx := t.Context()
	texts := func() map[string]string {
		out := map[string]string{}
		for _, v := range museum.Now().Catalog().Views() {
			out[v.FullName()] = v.SQL
		}
		return out
	}
	rows := func() map[string]outcome {
		out := map[string]outcome{}
		for _, v := range museum.Now().Catalog().Views() {
			if v.Layer != "delivery" {
				continue
			}
			o, _ := ours(ctx, museum, "SELECT * FROM "+v.FullName(), false)
			if o.err != nil {
				t.Fatalf("%s: %v", v.FullName(), o.err)
			}
			out[v.FullName()] = o
		}
		return out
	}
	do := func(r views.Renaming) *views.Renamed {
		t.Helper()
		p, err := museum.Views.PlanRenaming(t.Context(), r)
		if err != nil {
			t.Fatalf("%+v: %v", r, err)
		}
		if p, err = museum.Views.Rename(ctx, r, p.Seen, "tried"); err != nil {
			t.Fatalf("%+v: %v", r, err)
		}
		return p
	}
	layers := func(was, name string) views.Renaming {
		var list []views.LayerChange
		for _, l := range museum.Now().Catalog().Layers() {
			c := views.LayerChange{Was: l.Name, Name: l.Name, Description: l.Description}
			if l.Name == was {
				c.Name = name
			}
			list = append(list, c)
		}
		return views.Renaming{Layers: list}
	}
	before, written := rows(), texts()
	for _, c := range []struct {
		there, back views.Renaming
		texts       int // that change at least
	}{
		{views.Renaming{Column: "joined.open_loan.borrower", To: "lent_to", Through: true}, views.Renaming{Column: "joined.open_loan.lent_to", To: "borrower", Through: true}, 3},
		{views.Renaming{Column: "intake.loan_line.insured_value", To: "worth", Through: true}, views.Renaming{Column: "intake.loan_line.worth", To: "insured_value", Through: true}, 4},
		{views.Renaming{Column: "intake.loan_line.insured_value", To: "worth"}, views.Renaming{Column: "intake.loan_line.worth", To: "insured_value"}, 4},
		{views.Renaming{Column: "joined.latest_condition.severity", To: "how bad", Through: true}, views.Renaming{Column: "joined.latest_condition.how bad", To: "severity", Through: true}, 2},
		{views.Renaming{View: "joined.open_loan", To: "intake.out"}, views.Renaming{View: "intake.out", To: "joined.open_loan"}, 1},
		{layers("intake", "base"), views.Renaming{}, 8},
	} {
		p := do(c.there)
		if len(p.Texts) < c.texts {
			t.Errorf("%+v: %d texts change", c.there, len(p.Texts))
		}
		for view, o := range rows() {
			if d := difference(o, before[view], false); d != "" {
				t.Errorf("%+v: %s: %s", c.there, view, d)
			}
		}
		if c.back.Column == "" && c.back.View == "" {
			c.back = layers("base", "intake")
		}
		do(c.back)
	}
	for view, o := range rows() {
		if d := difference(o, before[view], false); d != "" {
			t.Errorf("changed back: %s: %s", view, d)
		}
	}
	for view, sql := range texts() {
		was, ok := written[view]
		if !ok {
			t.Errorf("%s was not there", view)
			continue
		}
		// Aliases that keep an old name may stay; what the text gives is what it gave.
		if fmt.Sprint(columnNamesOf(t, view)) != fmt.Sprint(columnNamesIn(t, was)) {
			t.Errorf("%s gives other columns than\n%s\nby\n%s", view, was, sql)
		}
	}
	// The story is told again as it was written.
	for view, sql := range written {
		v := *museum.Now().Catalog().View(view)
		if v.SQL != sql {
			v.SQL = sql
			if _, err := museum.Views.SaveRevision(ctx, v, "as it was", views.AnyRevision); err != nil {
				t.Fatal(err)
			}
		}
	}
}

func columnNamesOf(t *testing.T, view string) []string {
	t.Helper()
	return columnNamesIn(t, "SELECT * FROM "+view)
}

func columnNamesIn(t *testing.T, sql string) []string {
	t.Helper()
	r, err := museum.Now().Explain(t.Context(), project.Query{SQL: sql})
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, c := range r.Columns {
		out = append(out, c.Name)
	}
	return out
}
