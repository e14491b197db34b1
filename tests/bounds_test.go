package tests

import (
	"fmt"
	"strings"
	"testing"

	"rovik/app/project"
)

// What a source takes in no statement gives the same rows folded as kept: lists, chains, joins,
// unions and expressions past the bounds of PostgreSQL, MariaDB and SQLite.
func TestStatementsPastTheBoundsOfSources(t *testing.T) {
	list := func(n int, sep string, f func(i int) string) string {
		var out []string
		for i := range n {
			out = append(out, f(i))
		}
		return strings.Join(out, sep)
	}
	for _, src := range [][2]string{{"registry.objects", "object_id"}, {"lending.loans", "loan_id"}, {"archive.closed_loans", "id"}} {
		table, id := src[0], src[1]
		for name, sql := range map[string]string{
			"in 70000":  fmt.Sprintf("SELECT count(*) FROM %s AS o WHERE o.%s IN (%s)", table, id, list(70000, ",", func(i int) string { return fmt.Sprint(i * 3) })),
			"or 3000":   fmt.Sprintf("SELECT count(*) FROM %s AS o WHERE %s", table, list(3000, " OR ", func(i int) string { return fmt.Sprintf("o.%s + %d = %d", id, i, 3*i) })),
			"and 3000":  fmt.Sprintf("SELECT count(*) FROM %s AS o WHERE %s", table, list(3000, " AND ", func(i int) string { return fmt.Sprintf("o.%s + %d <> %d", id, i, 3*i) })),
			"abs 400":   fmt.Sprintf("SELECT count(*) FROM %s AS o WHERE %so.%s%s > 1", table, strings.Repeat("abs(", 400), id, strings.Repeat(")", 400)),
			"cols 1600": fmt.Sprintf("SELECT %s FROM %s AS o", list(1600, ",", func(i int) string { return fmt.Sprintf("o.%s + %d", id, i) }), table),
			"mid 2500":  fmt.Sprintf("SELECT concat(%s) FROM (SELECT %s FROM %s AS o) x, (SELECT %s FROM %s AS o) y", list(2500, ",", func(i int) string { return fmt.Sprintf("%s.c%d", map[bool]string{true: "x", false: "y"}[i < 1250], i) }), list(1250, ",", func(i int) string { return fmt.Sprintf("o.%s + %d AS c%d", id, i, i) }), table, list(1250, ",", func(i int) string { return fmt.Sprintf("o.%s + %d AS c%d", id, i, i+1250) }), table) + " LIMIT 5",
			"joins 70": fmt.Sprintf("SELECT count(*) FROM %s AS o0 %s", table, list(69, " ", func(i int) string {
				return fmt.Sprintf("JOIN %s AS o%d ON o%d.%s = o%d.%s", table, i+1, i+1, id, i, id)
			})),
			"unions 600":  fmt.Sprintf("SELECT count(*) FROM (%s) x", list(600, " UNION ALL ", func(i int) string { return fmt.Sprintf("SELECT o.%s FROM %s AS o WHERE o.%s = %d", id, table, id, i) })),
			"case 3000":   fmt.Sprintf("SELECT max(CASE %s END) FROM %s AS o", list(3000, " ", func(i int) string { return fmt.Sprintf("WHEN o.%s = %d THEN %d", id, i, 3*i) }), table),
			"20000 calls": fmt.Sprintf("SELECT count(*) FROM %s AS o WHERE coalesce(%s) > 0", table, list(20000, ",", func(i int) string { return fmt.Sprintf("nullif(o.%s, %d)", id, i) })),
		} {
			var got [2]string
			for i, off := range []bool{false, true} {
				rows, err := museum.Now().Rows(t.Context(), project.Query{SQL: sql, FoldOff: off})
				if err != nil {
					t.Errorf("%s %s, folding off %v: %v", table, name, off, err)
				}
				got[i] = fmt.Sprint(len(rows), err)
				if err == nil && len(rows) > 0 {
					got[i] += *rows[0][0]
				}
				got[i] = got[i][:min(len(got[i]), 150)]
			}
			if got[0] != got[1] {
				t.Errorf("%s %s:\n  %s\n  %s", table, name, got[0], got[1])
			}
		}
	}
}
