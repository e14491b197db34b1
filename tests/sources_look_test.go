package tests

import (
	"context"
	"strconv"
	"strings"
	"testing"
)

// What a look at a table shows is what its source measures, on every kind; and
// no more rows cross than are shown.
func TestLookingAtTables(t *testing.T) {
	ctx := context.Background()
	show := func(s *string) string {
		if s == nil {
			return "–"
		}
		return *s
	}
	for _, c := range []struct{ source, table, column, kind string }{
		{"registry", "objects", "kind", "text"}, {"registry", "objects", "acquired_on", "date"}, {"registry", "objects", "weight_kg", "double precision"}, {"registry", "objects", "fragile", "boolean"},
		{"lending", "loans", "status", "text"}, {"lending", "loan_lines", "insured_value", "numeric(12,2)"}, {"archive", "closed_loans", "borrower", "text"},
		{"climate", "readings", "humidity", "numeric(5,2)"}, {"rates", "insurance_rates", "valid_to", "date"},
	} {
		look, err := museum.Sources.LookAt(ctx, c.source, c.table)
		if err != nil || look.Problem != "" || len(look.First) != 30 {
			t.Fatalf("%s.%s: %v %+v", c.source, c.table, err, look)
		}
		for _, col := range look.Columns {
			if col.Name != c.column {
				continue
			}
			name := c.source + "." + c.table
			var rows, values, distinct int64
			if err := reference.QueryRow(ctx, "SELECT count(*), count("+c.column+"), count(DISTINCT "+c.column+") FROM "+name).Scan(&rows, &values, &distinct); err != nil {
				t.Fatal(err)
			}
			if look.Rows != rows || col.Nulls == nil || *col.Nulls != rows-values || col.Distinct == nil || *col.Distinct != distinct || col.Type != c.kind {
				t.Errorf("%s.%s: %+v, want %d rows, %d NULL, %d different", name, c.column, col, rows, rows-values, distinct)
			}
			if c.kind == "boolean" { // which have no least
				continue
			}
			want := theirs(ctx, "SELECT min("+c.column+")::text, max("+c.column+")::text FROM "+name, nil)
			if got := show(col.Least) + "|" + show(col.Greatest) + "|"; len(want.rows) != 1 || want.rows[0] != got {
				t.Errorf("%s.%s: %s, want %v", name, c.column, got, want)
			}
		}
		frequent, err := museum.Sources.MostFrequent(ctx, c.source, c.table, c.column)
		if c.kind == "double precision" && err != nil {
			continue
		}
		if err != nil || len(frequent) == 0 {
			t.Fatalf("%s.%s.%s: %v", c.source, c.table, c.column, err)
		}
		for i, f := range frequent {
			if i > 0 && f.Rows > frequent[i-1].Rows {
				t.Errorf("%s.%s.%s is not in order: %+v", c.source, c.table, c.column, frequent)
			}
		}
		want := theirs(ctx, "SELECT count(*)::text FROM "+c.source+"."+c.table+" GROUP BY "+c.column+" ORDER BY count(*) DESC LIMIT 1", nil)
		if got := strings.TrimSuffix(want.rows[0], "|"); got != strconv.FormatInt(frequent[0].Rows, 10) {
			t.Errorf("%s.%s.%s: most frequent %d times, want %s", c.source, c.table, c.column, frequent[0].Rows, got)
		}
	}
	for _, bad := range [][3]string{{"registry", "objekts", "kind"}, {"registri", "objects", "kind"}, {"registry", "objects", "kint"}} {
		if _, err := museum.Sources.MostFrequent(ctx, bad[0], bad[1], bad[2]); err == nil {
			t.Errorf("%v is found", bad)
		}
	}
}
