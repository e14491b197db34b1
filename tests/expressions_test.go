package tests

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path"
	"strings"
	"testing"

	"rovik/core/annotate"
	"rovik/core/value"
)

// Every expression that the kernel's own tests hold to a value or an error has the value, type
// and class of error that PostgreSQL gives it.
func TestExpressionsMeanWhatPostgreSQLMeans(t *testing.T) {
	kernel := os.DirFS("../core/kernel")
	files, err := fs.Glob(kernel, "testdata/*.sql")
	if err != nil || len(files) == 0 {
		t.Fatal(files, err)
	}
	for _, file := range files {
		t.Run(path.Base(file), func(t *testing.T) { meanTheSame(t, annotate.Statements(t, kernel, file)) })
	}
}

// meanTheSame compares single expressions with PostgreSQL's: value, type and
// class of error.
func meanTheSame(t *testing.T, expressions []string) {
	ctx := context.Background()
	for _, e := range expressions {
		sql := "SELECT " + e + " AS x"
		got, cols := ours(ctx, museum, sql, false)
		want := theirs(ctx, sql, cols)
		if d := difference(got, want, true); d != "" {
			t.Errorf("%s: %s", e, d)
			continue
		}
		if len(cols) > 0 && got.err == nil {
			sameType(t, sql, e, cols[0].Type)
		}
	}
}

// sameType checks that a query's column has the type that PostgreSQL gives it.
func sameType(t *testing.T, sql, e string, have value.Type) {
	t.Helper()
	var typ string
	if err := reference.QueryRow(context.Background(), "SELECT format_type(pg_typeof(x)::oid, -1) FROM ("+sql+") q").Scan(&typ); err != nil {
		t.Fatalf("%s: %v", e, err)
	}
	typ = strings.NewReplacer("timestamp without time zone", "timestamp", "timestamp with time zone", "timestamptz", "character varying", "text",
		"time without time zone", "time", "character", "char").Replace(typ)
	if name, _, _ := strings.Cut(have.String(), "("); name != typ {
		t.Errorf("%s has the type %s, and in PostgreSQL %s", e, have, typ)
	}
}

// What a run is told of now() does not change within it, and is the present.
func TestNowIsOneMoment(t *testing.T) {
	o, _ := ours(context.Background(), museum, `SELECT count(*) FROM lending.loans WHERE now() <> now() OR current_date <> CAST(now() AS date) OR current_timestamp <> now()`, false)
	if fmt.Sprint(o.rows) != "[0|]" {
		t.Errorf("got %v, %v", o.rows, o.err)
	}
}

// The quirk that text comparisons need is read, not assumed: without the
// collation MariaDB's equality is narrowed, other comparisons are kept, and the
// rows stay the same.
func TestWithoutBinaryCollationTextIsNarrowed(t *testing.T) {
	ctx := context.Background()
	for _, sql := range []string{
		`SELECT loan_id FROM lending.loans WHERE status = 'out'`,
		`SELECT loan_id FROM lending.loans WHERE status IN ('out', 'Planned')`,
		`SELECT loan_id FROM lending.loans WHERE status LIKE 'o%'`,
		`SELECT status, count(*) FROM lending.loans GROUP BY status`,
		`SELECT i.institution_id, l.loan_id FROM lending.institutions i JOIN lending.loans l ON l.institution_code = i.code`,
		`SELECT min(status) FROM lending.loans WHERE status > 'o'`,
	} {
		want, _ := ours(ctx, museum, sql, true)
		without := museum.Now().Believing("lending", "binary collation without padding", "no")
		got, _ := oursOn(ctx, without, sql, false)
		report, err := without.Explain(t.Context(), queryOf(sql))
		if err != nil {
			t.Fatal(err)
		}
		if d := difference(got, want, false); d != "" {
			t.Errorf("%s: %s", sql, d)
		}
		for _, p := range report.Pieces {
			if p.Verdict == "folded" {
				t.Errorf("%s: %s is folded", sql, p.Text)
			}
		}
		if first := report.Pieces[0]; strings.Contains(sql, "= 'out'") && (first.Verdict != "narrowed" || first.Reason.Code != "collation-differs") {
			t.Errorf("%s: %s for %v", sql, first.Verdict, first.Reason)
		}
	}
}
