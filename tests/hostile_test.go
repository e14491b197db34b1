package tests

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rovik/app/project"
	"rovik/core/syntax"
	"rovik/core/value"
)

// hostile are texts that grow with n, over tables that are there.
var hostile = map[string]func(n int) string{
	"terms":     func(n int) string { return "SELECT site_id" + strings.Repeat("+1", n) + " FROM registry.sites" },
	"constants": func(n int) string { return "SELECT 1" + strings.Repeat("+1", n) },
	"casts": func(n int) string {
		return "SELECT site_id" + strings.Repeat("::bigint::integer", n/2) + " FROM registry.sites"
	},
	"concatenation": func(n int) string { return "SELECT name" + strings.Repeat(" || 'a'", n) + " FROM registry.sites" },
	"joins": func(n int) string {
		return "SELECT count(*) FROM registry.sites s" + many(n, func(i int) string { return fmt.Sprintf(" JOIN registry.sites s%d ON s%d.site_id = s.site_id", i, i) })
	},
	"cross joins": func(n int) string {
		return "SELECT count(*) FROM registry.sites s" + many(n, func(i int) string { return fmt.Sprintf(", registry.sites s%d", i) })
	},
	"unions": func(n int) string {
		return "SELECT site_id FROM registry.sites" + strings.Repeat(" UNION ALL SELECT site_id FROM registry.sites", n)
	},
	"unions of 1": func(n int) string { return "SELECT 1" + strings.Repeat(" UNION SELECT 1", n) },
	"calls": func(n int) string {
		return "SELECT " + strings.Repeat("abs(", n) + "site_id" + strings.Repeat(")", n) + " FROM registry.sites"
	},
	"subqueries": func(n int) string {
		return "SELECT " + strings.Repeat("(SELECT ", n) + "site_id" + strings.Repeat(")", n) + " FROM registry.sites"
	},
	"from": func(n int) string {
		return "SELECT site_id FROM " + strings.Repeat("(SELECT * FROM ", n) + "registry.sites" + strings.Repeat(") x", n)
	},
	"exists": func(n int) string {
		return "SELECT 1 FROM registry.sites WHERE " + strings.Repeat("EXISTS (SELECT 1 FROM registry.sites WHERE ", n) + "true" + strings.Repeat(")", n)
	},
	"case": func(n int) string {
		return "SELECT " + strings.Repeat("CASE WHEN site_id > 1 THEN 1 ELSE ", n) + "2" + strings.Repeat(" END", n) + " FROM registry.sites"
	},
	"not": func(n int) string {
		return "SELECT 1 FROM registry.sites WHERE " + strings.Repeat("NOT ", n) + "site_id = 1"
	},
	"with": func(n int) string {
		return strings.Repeat("WITH a AS (", n) + "SELECT 1 AS x" + strings.Repeat(") SELECT x FROM a", n)
	},
	"layers": func(n int) string { return doubledLayers(min(n/40, 14)) },
	"or": func(n int) string {
		return "SELECT 1 FROM registry.sites WHERE site_id = 0" + strings.Repeat(" OR site_id = 1 AND name = 'x'", 5*n)
	},
	"list": func(n int) string {
		return "SELECT site_id FROM registry.sites WHERE site_id IN (0" + strings.Repeat(", 1", 20*n) + ")"
	},
	"select": func(n int) string {
		return "SELECT site_id" + strings.Repeat(", site_id + 1", n) + " FROM registry.sites"
	},
	"values": func(n int) string { return "VALUES (1, 'a')" + strings.Repeat(", (2, 'b')", 10*n) },
	"sets": func(n int) string {
		return "SELECT count(*) FROM registry.sites GROUP BY CUBE (site_id, code, name, town, opened_on)"
	},
	"index": func(n int) string {
		return "SELECT (to_jsonb(s))" + strings.Repeat("['a']", n) + " FROM registry.sites s"
	},
	"series": func(n int) string {
		return "SELECT count(*) FROM generate_series(1, 10) x" + many(n/10, func(i int) string { return fmt.Sprintf(", LATERAL (SELECT x + %d) y%d", i, i) })
	},
}

func many(n int, f func(i int) string) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(f(i))
	}
	return b.String()
}

// doubledLayers are WITH queries each of which reads the one before twice.
func doubledLayers(n int) string {
	return "WITH l0 AS (SELECT site_id FROM registry.sites)" + many(n, func(i int) string {
		return fmt.Sprintf(", l%d AS (SELECT a.site_id FROM l%d a JOIN l%d b USING (site_id))", i+1, i, i)
	}) + fmt.Sprintf(" SELECT count(*) FROM l%d", n)
}

// A text that somebody generated ends with an answer or an error that says what to do, soon, and never
// with the process.
func TestHostileTextsEnd(t *testing.T) {
	const soon = 20 * time.Second
	for name, text := range hostile {
		for _, n := range []int{200, 24_000} {
			sql := text(n)
			if len(sql) > syntax.MaxText/2 {
				continue // of many short parts: wide, not deep
			}
			began := time.Now()
			_, err := museum.Now().Explain(t.Context(), project.Query{SQL: sql})
			if took := time.Since(began); took > soon {
				t.Errorf("%s of %d takes %v", name, n, took)
			}
			if err != nil && (value.Code(err)[:3] != "540" || hintOf(err) == "") {
				t.Errorf("%s of %d: %v", name, n, err)
			}
		}
	}
	if _, err := museum.Now().Explain(t.Context(), project.Query{SQL: hostile["terms"](24_000)}); value.Code(err) != "54001" {
		t.Errorf("24,000 terms give %v", err)
	}
}
