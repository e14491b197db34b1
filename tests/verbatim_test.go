package tests

import (
	"context"
	"errors"
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/value"
)

// A statement in a source's own language is a table as any other: what is above
// it folds around it, and the rows are those of the same query over the tables.
func TestVerbatimHoldsTheLaw(t *testing.T) {
	ctx := context.Background()
	for _, c := range []struct{ verbatim, tables, nested string }{
		{`SELECT v.kind, count(*) AS n FROM verbatim('registry', $$SELECT kind, value_estimate, title FROM objects WHERE fragile -- only these$$) AS v WHERE v.value_estimate > 1000 AND v.title LIKE 'H%' GROUP BY v.kind`,
			`SELECT kind, count(*) FROM registry.objects WHERE fragile AND value_estimate > 1000 AND title LIKE 'H%' GROUP BY kind`, "-- only these\n) AS \"verbatim\""},
		{`SELECT upper(v.title) AS u, count(*) AS n FROM verbatim('registry', $$SELECT title::varchar(60) AS title FROM objects$$) AS v GROUP BY ROLLUP (v.title)`,
			`SELECT upper(title::varchar(60)), count(*) FROM registry.objects GROUP BY ROLLUP (title)`, "::varchar(60)"},
		{`SELECT reverse(v.title) AS u, count(*) AS n FROM verbatim('registry', $$SELECT title::char(60) AS title FROM objects$$) AS v GROUP BY v.title`,
			`SELECT reverse(title::char(60)), count(*) FROM registry.objects GROUP BY title::char(60)`, "::char(60)"},
		{`SELECT v.code, v.country FROM verbatim('lending', $$SELECT code, country, credit_limit * 2 AS doubled FROM institutions;$$) AS v WHERE v.doubled > 100000 AND v.code >= 'M' ORDER BY v.code`,
			`SELECT code, country FROM lending.institutions WHERE credit_limit * 2 > 100000 AND code >= 'M' ORDER BY code`, "credit_limit * 2 AS doubled FROM institutions\n) AS"},
		{`SELECT v.borrower, sum(v.days) AS days FROM verbatim('archive', $$SELECT borrower, days_out AS days FROM closed_loans WHERE remarks IS NOT NULL$$) AS v WHERE v.days < 300 GROUP BY v.borrower`,
			`SELECT borrower, sum(days_out) FROM archive.closed_loans WHERE remarks IS NOT NULL AND days_out < 300 GROUP BY borrower`, "remarks IS NOT NULL\n) AS"},
		{`SELECT v.id, v.inspector_name FROM verbatim('condition', $${"aggregate": "reports", "pipeline": [{"$match": {"stable": true}}]}$$) AS v WHERE v.object_no > '1950' AND v.inspector_name IS NOT NULL`,
			`SELECT report_no, inspector FROM condition.report WHERE stable AND object_no > '1950' AND inspector IS NOT NULL`, `{"$match": {"stable":true}},`},
		{`SELECT v.inspector_name, count(*) AS n FROM verbatim('condition', $${"find": "reports", "filter": {"severity": "severe"}}$$) AS v GROUP BY v.inspector_name`,
			`SELECT inspector, count(*) FROM condition.report WHERE severity = 'severe' GROUP BY inspector`, `"$group"`},
		{`SELECT o.title, v.loan_no FROM verbatim('lending', $$SELECT l.loan_no, n.object_no FROM loans l JOIN loan_lines n USING (loan_id) WHERE l.status = 'out'$$) AS v(loan_no, object_no) JOIN registry.objects o ON o.accession_no = v.object_no WHERE o.kind = 'chart'`,
			`SELECT o.title, l.loan_no FROM lending.loans l JOIN lending.loan_lines n USING (loan_id) JOIN registry.objects o ON o.accession_no = n.object_no WHERE lower(rtrim(l.status)) = 'out' AND o.kind = 'chart'`, "USING (loan_id)"},
	} {
		folded, cols := ours(ctx, museum, c.verbatim, false)
		unfolded, _ := ours(ctx, museum, c.verbatim, true)
		ref := theirs(ctx, c.tables, cols)
		if d := difference(folded, unfolded, false); d != "" {
			t.Errorf("folded against unfolded: %s\n%s", d, c.verbatim)
		}
		if d := difference(folded, ref, strings.Contains(c.tables, "ORDER BY")); d != "" {
			t.Errorf("against the reference: %s\n%s", d, c.verbatim)
		}
		report, err := museum.Now().Explain(t.Context(), queryOf(c.verbatim))
		if err != nil {
			t.Fatal(err)
		}
		all := ""
		for _, s := range report.Statements {
			all += s.Text + "\n"
		}
		if !strings.Contains(all, c.nested) {
			t.Errorf("%q is not nested in\n%s", c.nested, all)
		}
		for _, p := range report.Pieces {
			if p.Kind == "filter" && p.Verdict == "kept" {
				t.Errorf("%s is kept over %s: %+v", p.Text, c.verbatim, p.Reason)
			}
		}
	}
}

// What a source does not take is said at the statement, and it is only read.
func TestVerbatimErrors(t *testing.T) {
	for sql, want := range map[string]string{
		`SELECT * FROM verbatim('registry', $$SELECT nothing FROM objects$$) AS v`:                                                   `column "nothing" does not exist`,
		`SELECT * FROM verbatim('registry', $$DELETE FROM objects$$) AS v`:                                                           "syntax error",
		`SELECT * FROM verbatim('registry', $$SELECT 1, 2$$) AS v`:                                                                   "names of their own",
		`SELECT * FROM verbatim('registry', $$SELECT $1::int AS a$$) AS v`:                                                           "takes no parameters",
		`SELECT * FROM verbatim('lending', $$SELECT code FROM institutions WHERE$$) AS v`:                                            "says:",
		`SELECT * FROM verbatim('archive', $$SELECT x FROM nowhere$$) AS v`:                                                          "no such table",
		`SELECT * FROM verbatim('climate', $$SELECT 1$$) AS v`:                                                                       "takes no statements",
		`SELECT * FROM verbatim('registri', $$SELECT 1$$) AS v`:                                                                      "did you mean registry?",
		`SELECT * FROM verbatim('registry') AS v`:                                                                                    "a source and a statement",
		`SELECT * FROM verbatim('registry', 1 + 1) AS v`:                                                                             "as they stand",
		`SELECT * FROM verbatim('condition', $${"aggregate": "reports", "pipeline": [{"$out": "x"}]}$$) AS v`:                        "$out would write",
		`SELECT * FROM verbatim('condition', $${"aggregate": "reports", "pipeline": [{"$facet": {"a": [{"$merge": "x"}]}}]}$$) AS v`: "$merge would write",
		`SELECT * FROM verbatim('condition', $${"find": "reports", "filter": {"$or": [{"$where": "sleep(1)"}]}}$$) AS v`:             "$where would run a program",
		`SELECT * FROM verbatim('condition', $${"find": "reports", "projection": {"a": {"$function": {"body": "x"}}}}$$) AS v`:       "$function would run a program",
		`SELECT * FROM verbatim('archive', $$SELECT 1 AS a) AS v; PRAGMA query_only=0; SELECT (1$$) AS v`:                            "closes a parenthesis",
		`SELECT * FROM verbatim('archive', $$SELECT 1 AS a; DELETE FROM closed_loans$$) AS v`:                                        "goes on behind a semicolon",
		`SELECT * FROM verbatim('lending', $$SELECT 1 AS a) AS v INTO OUTFILE '/tmp/a' -- $$) AS v`:                                  "closes a parenthesis",
		`SELECT * FROM verbatim('registry', $$SELECT 1 AS a) AS v CROSS JOIN (SELECT 2$$) AS v`:                                      "closes a parenthesis",
		`SELECT * FROM verbatim('condition', $${"delete": "reports"}$$) AS v`:                                                        "neither a find nor an aggregation",
		`SELECT * FROM verbatim('condition', $${"aggregate": "reports", "pipeline": [{"$nonsense": {}}]}$$) AS v`:                    "$nonsense",
		`SELECT * FROM verbatim('condition', $$db.reports.find()$$) AS v`:                                                            "not extended JSON",
		`SELECT * FROM verbatim('condition', $${"find": "reports", "filter": {"_id": "none"}}$$) AS v`:                               "returns no documents",
		`SELECT * FROM verbatim('lending', $$SELECT * FROM loans l JOIN loan_lines n ON n.loan_id = l.loan_id$$) v`:                  "loan_id",
	} {
		_, err := museum.Now().Explain(t.Context(), project.Query{SQL: sql})
		var ve *value.Error
		if !errors.As(err, &ve) {
			t.Errorf("%s: %v", sql, err)
			continue
		}
		if !strings.Contains(ve.Message+" "+ve.Hint, want) {
			t.Errorf("%s: %s (%s), without %q", sql, ve.Message, ve.Hint, want)
		}
		if ve.Start < len("SELECT * FROM ") || ve.End > len(sql) {
			t.Errorf("%s: the error is at %d to %d", sql, ve.Start, ve.End)
		}
	}
}

// What a statement does to its session is gone with it: the next ones in the source are as before.
func TestVerbatimLeavesNoSession(t *testing.T) {
	ctx := t.Context()
	ordinary := []string{"SELECT count(*), max(created_at), min(loan_no) FROM lending.loans WHERE created_at > '2020-01-01'",
		"SELECT count(*), max(acquired_on::timestamptz) FROM registry.objects WHERE acquired_on::timestamptz < '2024-01-01 00:00:00+00'"}
	var before []outcome
	for _, q := range ordinary {
		o, _ := ours(ctx, museum, q, false)
		before = append(before, o)
	}
	for _, set := range []string{`SELECT * FROM verbatim('registry', $$SELECT set_config('TimeZone', 'Asia/Tokyo', false) AS a, set_config('default_transaction_read_only', 'off', false) AS b, set_config('statement_timeout', '1', false) AS c, pg_advisory_lock(4711) IS NULL AS d$$) AS v`,
		`SELECT * FROM verbatim('lending', $$SELECT GET_LOCK('store', 0) AS a, @x := 5 AS b$$) AS v`} {
		for range 5 {
			if o, _ := ours(ctx, museum, set, false); o.err != nil {
				t.Fatal(set, o.err)
			}
			for i, q := range ordinary {
				o, _ := ours(ctx, museum, q, false)
				if d := difference(o, before[i], true); d != "" {
					t.Errorf("after %s: %s: %s", set, q, d)
				}
			}
		}
	}
	var held int
	if err := reference.QueryRow(ctx, "SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND objid = 4711").Scan(&held); err != nil || held > 0 {
		t.Errorf("%d locks are held, %v", held, err)
	}
}

// Saved under a name it is a view as any other, whose columns lead to the
// statement.
func TestVerbatimView(t *testing.T) {
	a := nestedWorld(t)
	ctx := t.Context()
	if err := a.Views.Setup(ctx, layersOf("low"), nil); err != nil {
		t.Fatal(err)
	}
	v := catalog.View{Layer: "low", Name: "wide", SQL: `SELECT v.id, v.size_w AS width FROM verbatim('store', $${"find": "crates", "filter": {"size.w": {"$gt": 30}}}$$) AS v`}
	if _, err := a.Views.Save(ctx, v, false); err != nil {
		t.Fatal(err)
	}
	if got := texts(t, a, "SELECT id, width FROM low.wide WHERE width < 100"); got != "C1|40|" {
		t.Errorf("the view gives %s", got)
	}
	l, err := a.Tracing().Lineage("low.wide.width")
	if err != nil || len(l) == 0 {
		t.Errorf("its lineage: %+v, %v", l, err)
	}
}
