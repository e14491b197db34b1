package tests

import (
	"context"
	"slices"
	"strconv"
	"strings"
	"testing"

	"rovik/app/builder"
	"rovik/app/project"
	"rovik/core/form"
)

// Joins are suggested by keys first, also through views that pass the columns on,
// and by names where there are none.
func TestJoinsAreSuggested(t *testing.T) {
	for _, c := range []struct{ sql, name, want string }{
		{"SELECT * FROM lending.loans AS l", "lending.loan_lines", "foreign key: l.loan_id = {new}.loan_id"},
		{"SELECT * FROM lending.loan_lines AS n", "lending.loans", "foreign key: n.loan_id = {new}.loan_id"},
		{"SELECT * FROM intake.loan_line AS n", "intake.loan", "foreign key: n.loan_id = {new}.loan_id"},
		{"SELECT * FROM registry.rooms AS r", "registry.sites", "foreign key: r.site_id = {new}.site_id"},
		{"SELECT * FROM lending.loan_lines AS n", "registry.objects", "names: n.object_no = {new}.accession_no"},
		{"SELECT * FROM intake.loan AS l", "intake.institution", "names: l.institution_code = {new}.code"},
		{"SELECT * FROM registry.makers AS m", "lending.couriers", ""},
		{"SELECT * FROM archive.closed_loans AS c", "lending.institutions", "values: c.borrower = {new}.code"},
		{"SELECT * FROM lending.institutions AS i", "archive.closed_loans", "values: i.code = {new}.borrower"},
		{"SELECT * FROM archive.closed_loans AS c", "registry.objects", "names: c.object_no = {new}.accession_no"},
	} {
		got, err := museum.Builder().SuggestJoins(t.Context(), project.Query{SQL: c.sql}, 0, c.name)
		if err != nil {
			t.Errorf("%s with %s: %v", c.sql, c.name, err)
			continue
		}
		first := ""
		if len(got) > 0 {
			first = got[0].From + ": " + strings.Join(got[0].Left, ", ") + " = " + strings.Join(got[0].Right, ", ")
		}
		if first != c.want {
			t.Errorf("%s with %s: the first suggestion is %q, want %q", c.sql, c.name, first, c.want)
		}
	}
}

// What is measured of a join is what queries count, and a fix gives what it says.
func TestJoinsAreMeasured(t *testing.T) {
	q := project.Query{SQL: "SELECT l.loan_no FROM lending.loans AS l"}
	m, err := museum.Builder().MeasureJoin(context.Background(), q, builder.Joining{Left: "l.institution_code", Name: "lending.institutions", Right: "{new}.code"})
	if err != nil {
		t.Fatal(err)
	}
	count := func(sql string) int64 {
		t.Helper()
		n, err := strconv.ParseInt(oneCell(t, sql), 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	check := func(what string, got, want int64) {
		t.Helper()
		if got != want {
			t.Errorf("%s: %d, the query counts %d", what, got, want)
		}
	}
	const from = "FROM lending.loans AS l WHERE l.institution_code IS NOT NULL"
	check("rows", m.Left.Rows, count("SELECT count(*) "+from))
	check("values", int64(m.Left.Values), count("SELECT count(DISTINCT l.institution_code) "+from))
	check("rows that meet", m.Left.MeetRows, count("SELECT count(*) "+from+" AND EXISTS (SELECT 1 FROM lending.institutions AS i WHERE i.code = l.institution_code)"))
	if !m.Right.Unique || !m.Left.Whole || m.Left.Unique {
		t.Errorf("the codes are unique among institutions and not among loans, all of them were looked at: %+v", m.Right)
	}
	if len(m.Fixes) == 0 || m.Left.MeetRows == m.Left.Rows {
		t.Fatalf("codes in any case and with spaces need a fix: %+v", m)
	}
	fix := m.Fixes[0]
	x := func(of, e string) string { return strings.Replace(of, "x", e, 1) }
	check("rows that meet with "+fix.Title, fix.LeftMeets.MeetRows, count("SELECT count(*) "+from+" AND EXISTS (SELECT 1 FROM lending.institutions AS i WHERE "+x(fix.Right, "i.code")+" = "+x(fix.Left, "l.institution_code")+")"))
	if fix.LeftMeets.MeetRows != m.Left.Rows {
		t.Errorf("the best fix leaves %d rows alone", m.Left.Rows-fix.LeftMeets.MeetRows)
	}
	alone := m.Left.Alone[0]
	check("rows of a value alone", alone.Rows, count("SELECT count(*) FROM lending.loans WHERE institution_code = '"+*alone.Value+"'"))
}

// Sides of many values are compared by a sample: what it finds alone is alone.
func TestLargeSidesAreSampled(t *testing.T) {
	q := project.Query{SQL: "SELECT r.logger FROM climate.readings AS r"}
	m, err := museum.Builder().MeasureJoin(context.Background(), q, builder.Joining{Left: "CAST(r.logged_at AS text)", Name: "registry.objects", Right: "{new}.accession_no"})
	if err != nil {
		t.Fatal(err)
	}
	if m.Left.Whole || m.Left.Meet != 0 || m.Left.Values == 0 || len(m.Left.Alone) == 0 {
		t.Errorf("a sample of moments should meet no number of an object: %+v", m.Left)
	}
	if _, err := museum.Builder().MeasureJoin(context.Background(), q, builder.Joining{Left: "r.logger); DROP TABLE x; --", Name: "registry.objects", Right: "{new}.accession_no"}); err == nil {
		t.Error("a side that is no expression was taken")
	}
}

// A profile is what the column holds, and each step that it offers does what it says.
func TestProfilesOfferCleaning(t *testing.T) {
	for _, c := range []struct{ sql, step, typ string }{
		{"SELECT c.borrower FROM archive.closed_loans AS c", form.StepTrim, "text"},
		{"SELECT c.borrower FROM archive.closed_loans AS c", form.StepUpper, "text"},
		{"SELECT c.borrower FROM archive.closed_loans AS c", form.StepFill, "text"},
		{"SELECT c.loaned_on FROM archive.closed_loans AS c", form.StepType, "text"},
		{"SELECT c.insured FROM archive.closed_loans AS c", form.StepType, "text"},
		{"SELECT l.status FROM intake.loan AS l", form.StepMap, "text"},
	} {
		q := project.Query{SQL: c.sql}
		p, err := museum.Builder().ProfileOutput(context.Background(), q, 0, 0, 0)
		if err != nil {
			t.Errorf("%s: %v", c.sql, err)
			continue
		}
		i := slices.IndexFunc(p.Offers, func(o form.Offer) bool { return o.Clean.Step == c.step })
		if i < 0 {
			t.Errorf("%s: %s is not offered, but %+v", c.sql, c.step, p.Offers)
			continue
		}
		o := p.Offers[i]
		cleaned, err := form.Apply(c.sql, form.Edit{Do: "clean output", Kind: c.typ, Clean: &o.Clean})
		if err != nil {
			t.Errorf("%s: %v", c.sql, err)
			continue
		}
		// The two texts side by side: how many rows differ, and how many became NULL.
		of := strings.Fields(c.sql)[1]
		after := strings.TrimSuffix(strings.TrimPrefix(cleaned, "SELECT "), " AS "+of[2:]+c.sql[len("SELECT "+of):])
		from := c.sql[len("SELECT "+of):]
		lost, err := strconv.ParseInt(oneCell(t, "SELECT count(*)"+from+" WHERE "+of+" IS NOT NULL AND ("+after+") IS NULL"), 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		if lost != o.Fails {
			t.Errorf("%s: %s says that %d rows become NULL, %d do", c.sql, o.Title, o.Fails, lost)
		}
		if c.step == form.StepTrim || c.step == form.StepUpper {
			changed, err := strconv.ParseInt(oneCell(t, "SELECT count(*)"+from+" WHERE "+of+" <> ("+after+")"), 10, 64)
			if err != nil {
				t.Fatal(err)
			}
			if changed != o.Rows {
				t.Errorf("%s: %s says that %d rows change, %d do", c.sql, o.Title, o.Rows, changed)
			}
		}
	}
}

// A preview is the first rows of the text as it is.
func TestPreviews(t *testing.T) {
	p, err := museum.Builder().Preview(context.Background(), project.Query{SQL: "SELECT o.object_id, o.title FROM registry.objects AS o ORDER BY 1; -- all"})
	if err != nil || len(p.Rows) != 40 {
		t.Errorf("a text with a comment behind its end: %v", err)
	}
	p, err = museum.Builder().Preview(context.Background(), project.Query{SQL: "SELECT o.object_id, o.title FROM registry.objects AS o ORDER BY 1 -- all"})
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Rows) != 40 || !p.More || *p.Rows[0][0] != "1" || p.Columns[1].Name != "title" || p.Crossed > 41 {
		t.Errorf("the preview has %d rows, crossed %d", len(p.Rows), p.Crossed)
	}
	if _, err := museum.Builder().Preview(context.Background(), project.Query{SQL: "SELECT nothing FROM registry.objects"}); err == nil {
		t.Error("a text that does not bind was previewed")
	}
}

// oneCell runs a query of one row and column.
func oneCell(t *testing.T, sql string) string {
	t.Helper()
	p, err := museum.Builder().Preview(context.Background(), project.Query{SQL: sql})
	if err != nil {
		t.Fatalf("%v in %s", err, sql)
	}
	return *p.Rows[0][0]
}
