package verdicts

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"rovik/core/fold"
)

// byCode gives a query for every reason code, in which a piece has it.
var byCode = map[string]string{
	"collation-differs":    "SELECT id FROM old.t WHERE code > 'a'",
	"function-differs":     "SELECT id FROM ma.t WHERE lower(code) = 'x'",
	"cast-differs":         "SELECT CAST(code AS integer) AS c FROM ma.t",
	"overflow-differs":     "SELECT n + 1 AS c FROM ma.t",
	"rounding-differs":     "SELECT round(amount, n) AS c FROM ma.t",
	"float-order":          "SELECT sum(CAST(n AS double precision)) AS c FROM pg.t",
	"row-order":            "SELECT array_agg(n) AS c FROM pg.t",
	"pattern-not-constant": "SELECT id FROM pg.t WHERE code LIKE name",
	"quirk-differs":        "SELECT n / 2 AS c FROM odd.t",
	"no-equivalent":        "SELECT greatest(n, 1) AS c FROM ma.t",
	"parts-skipped":        "SELECT id FROM pq.t WHERE n = 3",
	"sources-differ":       "SELECT n FROM pg.t UNION ALL SELECT n FROM ma.t",
	"keys-shipped":         "SELECT u.name FROM pg.t JOIN ma.u ON u.id = t.id WHERE t.code = 'x'",
	"finished-here":        "SELECT s.n, count(*) AS c FROM (SELECT n FROM pg.t UNION ALL SELECT n FROM ma.t) s GROUP BY s.n",
	"repeated-here":        "SELECT n FROM pg.t UNION ALL SELECT n FROM ma.t ORDER BY 1 LIMIT 3",
	"multiplies-rows":      "SELECT t.id FROM pg.t CROSS JOIN pg.u",
	"null-supplied":        "SELECT t.id, u.c FROM ma.t LEFT JOIN (SELECT id, coalesce(n, 0) AS c FROM ma.u) u ON u.id = t.id",
	"one-row":              "SELECT t.id, (SELECT u.n FROM pg.u WHERE u.code = t.code) AS c FROM pg.t",
	"recursion":            "WITH RECURSIVE r AS (SELECT id FROM pg.t UNION ALL SELECT id + 1 FROM r WHERE id < 3) SELECT id FROM r",
	"guarded":              "SELECT id FROM pg.t WHERE code LIKE name AND amount / n > 2",
	"input-kept":           "SELECT count(*) AS c FROM ma.t WHERE lower(code) = 'x'",
	"no-source":            "SELECT 'x' AS v ORDER BY v",
	"folding-off":          "SELECT id FROM pg.t WHERE n = 1",
	"statement-too-large":  "SELECT id FROM pg.t WHERE n IN (1" + manyNumbers(70_000) + ")",
}

// manyNumbers are numbers from 2 on, each behind a comma.
func manyNumbers(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, ", %d", i+2)
	}
	return b.String()
}

// A statement past a bound of its source becomes smaller: tables are not combined first, and
// where that does not help nothing folds. The others stay as they were.
func TestStatementsStayWithinBounds(t *testing.T) {
	for name, c := range map[string]struct {
		sql        string
		statements []string // of each, what it has to have
	}{
		"joins of SQLite":       {"SELECT count(*) AS c FROM sl.t t0" + joined(70), []string{"SELECT"}},
		"unions of SQLite":      {"SELECT count(*) AS c FROM (SELECT n FROM sl.t" + strings.Repeat(" UNION ALL SELECT n FROM sl.t WHERE n > 1", 600) + ") x", []string{"WHERE"}},
		"constants":             {"SELECT t.id FROM pg.t JOIN pg.u ON u.id = t.id WHERE t.n = 7 AND u.n IN (1" + manyNumbers(70_000) + ")", []string{"SELECT"}},
		"another source":        {"SELECT t.id FROM ma.t JOIN pg.u ON u.id = t.id WHERE t.n = 7 AND u.n IN (1" + manyNumbers(70_000) + ")", []string{"WHERE"}},
		"arguments in SQLite":   {"SELECT coalesce(n" + strings.Repeat(", n", 200) + ") AS c FROM sl.t", []string{"SELECT"}},
		"keys beside constants": {"SELECT u.name FROM pg.t JOIN sl.u ON u.id = t.id WHERE t.code = 'x' AND u.n IN (1" + manyNumbers(32_700) + ")", []string{"SELECT"}},
		"a chain in SQLite":     {"SELECT id FROM sl.t WHERE n = 1" + strings.Repeat(" OR n = id", 900), []string{"SELECT"}},
	} {
		compiled := compile(t, c.sql, fold.Options{})
		whole := 0
		for _, st := range compiled.Statements {
			if len(st.Parameters)+st.MaxKeys > 65_535 || st.Source == "sl" && len(st.Parameters)+st.MaxKeys > 32_766 || strings.Count(st.Text, "UNION ALL") > 500 || strings.Count(st.Text, " JOIN ") > 64 || strings.Count(st.Text, " OR ") > 500 {
				t.Errorf("%s: a statement of %d bytes with %d constants", name, len(st.Text), len(st.Parameters))
			}
			for _, want := range c.statements {
				if strings.Contains(st.Text, want) {
					whole++
				}
			}
		}
		said := false
		for _, p := range compiled.Pieces {
			said = said || p.Reason != nil && p.Reason.Code == "statement-too-large"
		}
		if !said || whole == 0 {
			t.Errorf("%s: %d statements, the reason said: %v", name, len(compiled.Statements), said)
		}
	}
}

func joined(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, " JOIN sl.t t%d ON t%d.id = t%d.id", i+1, i+1, i)
	}
	return b.String()
}

// Every reason code is given by some query, explained in the documentation, and
// no other is written anywhere.
func TestEveryReasonCode(t *testing.T) {
	docs, err := os.ReadFile("../../docs/folding.md")
	if err != nil {
		t.Fatal(err)
	}
	known := map[string]bool{}
	for _, code := range fold.Codes() {
		known[code] = true
		sql, ok := byCode[code]
		if !ok {
			t.Errorf("no query shows %s", code)
			continue
		}
		found := false
		for _, p := range compile(t, sql, fold.Options{Off: code == "folding-off"}).Pieces {
			if p.Verdict == fold.Folded != (p.Reason == nil) {
				t.Errorf("%s: %s is %s with the reason %v", sql, p.Text, p.Verdict, p.Reason)
			}
			if p.Reason != nil {
				found = found || p.Reason.Code == code
				if p.Reason.Text == "" || p.Reason.Remedy == "" {
					t.Errorf("%s: %s has no sentence or no remedy", sql, p.Reason.Code)
				}
			}
		}
		if !found {
			t.Errorf("%s does not show %s: %s", sql, code, told(t, sql))
		}
		if !strings.Contains(string(docs), "| `"+code+"` |") {
			t.Errorf("docs/folding.md does not explain %s", code)
		}
	}
	written := regexp.MustCompile(`(?:Reasonf\(|Reason\{|Code:\s*)"([a-z-]+)"`)
	for _, dir := range []string{"../../core/fold", "../sqldb", "../postgres", "../mariadb", "../sqlite", "../files"} {
		files, err := filepath.Glob(dir + "/*.go")
		if err != nil || len(files) == 0 {
			t.Fatalf("%s: %v", dir, err)
		}
		for _, f := range files {
			text, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			for _, m := range written.FindAllStringSubmatch(string(text), -1) {
				if !known[m[1]] {
					t.Errorf("%s gives the reason %s, which is not in the list", f, m[1])
				}
			}
		}
	}
}

// Remedies are true: where one says what to write instead, the piece then
// folds.
func TestRemediesHelp(t *testing.T) {
	for _, c := range []struct{ code, remedy, before, after string }{
		{"overflow-differs", "Cast an operand to bigint", "SELECT n + 1 AS c FROM ma.t", "SELECT CAST(n AS bigint) + 1 AS c FROM ma.t"},
		{"overflow-differs", "Cast the operands to numeric(precision, scale)", "SELECT abs(CAST(n AS numeric) * CAST(id AS numeric) * CAST(id AS numeric) * 2) AS c FROM ma.t", "SELECT abs(amount * amount) AS c FROM ma.t"},
		{"rounding-differs", "Round to a constant", "SELECT round(amount, n) AS c FROM ma.t", "SELECT round(amount, 1) AS c FROM ma.t"},
		{"float-order", "Cast to numeric", "SELECT sum(CAST(n AS double precision)) AS c FROM pg.t", "SELECT sum(CAST(n AS numeric)) AS c FROM pg.t"},
		{"row-order", "Say the order", "SELECT array_agg(n) AS c FROM pg.t", "SELECT array_agg(n ORDER BY n) AS c FROM pg.t"},
		{"pattern-not-constant", "as a constant", "SELECT id FROM pg.t WHERE code LIKE name", "SELECT id FROM pg.t WHERE code LIKE 'a%'"},
		{"pattern-not-constant", "as a constant", "SELECT id FROM ma.t WHERE code LIKE name", "SELECT id FROM ma.t WHERE code LIKE 'a%'"},
		{"pattern-not-constant", "as a constant", "SELECT id FROM sl.t WHERE code LIKE name", "SELECT id FROM sl.t WHERE code LIKE 'a%'"},
		{"collation-differs", "Use LIKE", "SELECT id FROM ma.t WHERE code ILIKE 'a%'", "SELECT id FROM ma.t WHERE code LIKE 'a%'"},
		{"function-differs", "Compare with the spellings", "SELECT id FROM ma.t WHERE lower(code) = 'x'", "SELECT id FROM ma.t WHERE code IN ('x', 'X')"},
		{"function-differs", "Trim spaces alone", "SELECT btrim(code, 'x') AS c FROM ma.t", "SELECT btrim(code) AS c FROM ma.t"},
		{"function-differs", "Use constants", "SELECT left(code, n) AS c FROM ma.t", "SELECT left(code, 3) AS c FROM ma.t"},
		{"no-equivalent", "Use year", "SELECT extract(epoch FROM day) AS c FROM ma.t", "SELECT extract(year FROM day) AS c FROM ma.t"},
		{"no-equivalent", "Use a frame of ROWS", "SELECT sum(id) OVER (ORDER BY id RANGE BETWEEN 1 PRECEDING AND CURRENT ROW) AS c FROM ma.t", "SELECT sum(id) OVER (ORDER BY id ROWS BETWEEN 1 PRECEDING AND CURRENT ROW) AS c FROM ma.t"},
		{"multiplies-rows", "Join on an equality", "SELECT t.id FROM pg.t CROSS JOIN pg.u", "SELECT t.id FROM pg.t JOIN pg.u ON u.id = t.id"},
		{"null-supplied", "after the join", "SELECT t.id, u.c FROM ma.t LEFT JOIN (SELECT id, coalesce(n, 0) AS c FROM ma.u) u ON u.id = t.id", "SELECT t.id, coalesce(u.n, 0) AS c FROM ma.t LEFT JOIN ma.u ON u.id = t.id"},
		{"one-row", "an aggregate", "SELECT t.id, (SELECT u.n FROM pg.u WHERE u.code = t.code) AS c FROM pg.t", "SELECT t.id, (SELECT max(u.n) FROM pg.u WHERE u.code = t.code) AS c FROM pg.t"},
		{"guarded", "Make the condition before it fold", "SELECT id FROM pg.t WHERE code LIKE name AND amount / n > 2", "SELECT id FROM pg.t WHERE code LIKE 'x%' AND amount / n > 2"},
	} {
		found := false
		for _, p := range compile(t, c.before, fold.Options{}).Pieces {
			found = found || p.Reason != nil && p.Reason.Code == c.code && strings.Contains(p.Reason.Remedy, c.remedy)
		}
		if !found {
			t.Errorf("%s: no piece has the reason %s with the remedy %q: %s", c.before, c.code, c.remedy, told(t, c.before))
		}
		for _, p := range compile(t, c.after, fold.Options{}).Pieces {
			if p.Verdict != fold.Folded {
				t.Errorf("%s: after the remedy of %s, %s is %s: %v", c.after, c.code, p.Text, p.Verdict, p.Reason)
			}
		}
	}
}
