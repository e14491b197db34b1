package tests

import (
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/app/views"
	"rovik/core/catalog"
	"rovik/demo"
)

// What is said of a column holds for those that are it unchanged, until one of them
// says otherwise; it is found, renamed with it, and goes into the files.
func TestNotesAreInherited(t *testing.T) {
	ctx := t.Context()
	a := revised(t)
	column := func(view, name string) views.Column {
		t.Helper()
		for _, c := range a.Views.Info(a.Now().Catalog().View(view)).Columns {
			if c.Name == name {
				return c
			}
		}
		t.Fatalf("%s has no column %s", view, name)
		return views.Column{}
	}
	say := func(view string, notes catalog.Notes) {
		t.Helper()
		if _, err := a.Views.Describe(ctx, view, "Shelves of the store.", notes, views.AnyRevision); err != nil {
			t.Fatal(err)
		}
	}
	say("low.shelf", catalog.Notes{Labels: []string{" furniture ", "furniture"}, Columns: map[string]catalog.ColumnNote{"site": {Description: "Where it stands.", Labels: []string{"place"}}, "id": {Description: " "}}})
	if v := a.Now().Catalog().View("low.shelf"); len(v.Notes.Labels) != 1 || len(v.Notes.Columns) != 1 || v.Revision != 2 {
		t.Errorf("what was said is %+v", v)
	}
	if c := column("high.wide", "site"); c.Description != "Where it stands." || c.From != "low.shelf" || len(c.Labels) != 1 {
		t.Errorf("it inherits %+v", c)
	}
	say("high.wide", catalog.Notes{Columns: map[string]catalog.ColumnNote{"site": {Description: "The site's code."}}})
	if c := column("high.wide", "site"); c.Description != "The site's code." || len(c.Labels) != 1 {
		t.Errorf("it says otherwise, and inherits its labels: %+v", c)
	}
	// A column that is computed inherits nothing.
	if _, err := a.Views.Save(ctx, catalog.View{Layer: "high", Name: "loud", SQL: "SELECT upper(l.site) AS site FROM low.shelf AS l"}, false); err != nil {
		t.Fatal(err)
	}
	if c := column("high.loud", "site"); c.Description != "" || len(c.Labels) != 0 {
		t.Errorf("a computed column inherits %+v", c)
	}
	found, err := a.Search(ctx, "stands")
	if err != nil || len(found) != 1 || found[0].Name != "low.shelf" {
		t.Errorf("searching gives %+v, %v", found, err)
	}
	p, err := a.Views.PlanRenaming(t.Context(), views.Renaming{Column: "low.shelf.site", To: "place", Through: true})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := a.Views.Rename(ctx, views.Renaming{Column: "low.shelf.site", To: "place", Through: true}, p.Seen, ""); err != nil {
		t.Fatal(err)
	}
	if c := column("high.wide", "place"); c.Description != "The site's code." {
		t.Errorf("with its other name it says %+v", c)
	}
	dir := t.TempDir()
	if _, err := a.Views.Export(dir); err != nil {
		t.Fatal(err)
	}
	say("low.shelf", catalog.Notes{})
	im, err := a.Views.ReadFiles(dir)
	if err != nil || len(im.Changes) != 1 || im.Changes[0].Path != "project.yaml" {
		t.Fatalf("%+v, %v", im, err)
	}
	if err := a.Views.Apply(ctx, dir, im); err != nil {
		t.Fatal(err)
	}
	if c := column("low.shelf", "place"); c.Description != "Where it stands." {
		t.Errorf("the files say %+v", c)
	}
	// A text that loses the column loses what was said of it.
	if _, err := a.Views.Save(ctx, catalog.View{Layer: "high", Name: "wide", SQL: "SELECT l.id FROM low.shelf AS l"}, true); err != nil {
		t.Fatal(err)
	}
	if n := a.Now().Catalog().View("high.wide").Notes; len(n.Columns) != 0 {
		t.Errorf("what is said of a column that is gone: %+v", n)
	}
	if _, err := a.Views.Describe(ctx, "high.wide", "", catalog.Notes{Columns: map[string]catalog.ColumnNote{"nothing": {Description: "x"}}}, views.AnyRevision); err == nil {
		t.Error("a column that is not there was described")
	}
}

// A draft says what a row is, which rows there are, and what is computed.
func TestDraftedDescriptions(t *testing.T) {
	for view, want := range map[string]string{
		"joined.open_loan":              "Rows of intake.loan with intake.institution. Only where l.status = 'out'. About",
		"delivery.uninsured_by_country": "One row for each country of delivery.loan_risk, with objects, uninsured and last_due. Only where r.uninsured > 0.",
		"intake.loan":                   "Rows of lending.loans. Computed: institution_code and status. No two rows agree in loan_id. About 600 rows from lending.",
		"joined.loan_history":           "Rows of intake.loan with intake.loan_line and intake.archived_loan under the same columns.",
		"delivery.loan_risk":            "Rows of joined.object_on_loan, and registry.climate_tolerances where there is one. Computed: uninsured.",
	} {
		for _, v := range demo.Views {
			if v.FullName() != view {
				continue
			}
			got, err := museum.Builder().Draft(t.Context(), project.Query{SQL: v.SQL, Layer: v.Layer, View: v.Name})
			if err != nil || !strings.HasPrefix(got, want) || !strings.Contains(got, "lending") {
				t.Errorf("%s: %q, %v", view, got, err)
			}
		}
	}
}
