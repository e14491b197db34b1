package syntax

import (
	"errors"
	"strings"
	"testing"

	"rovik/core/value"
)

// exprSpans collects the text of every expression node of a select.
func targetTexts(sql string, q *Query) (out []string) {
	for _, t := range q.Body.(*Select).Targets {
		out = append(out, sql[t.Start:t.End])
	}
	return out
}

// A span is how a verdict points back into the text: it must cover the whole
// expression, whatever the parser calls its location.
func TestSpansCoverTheWholeExpression(t *testing.T) {
	exprs := []string{
		`a`, `s.t.a`, `"a b"."c"`, `a + b * 2`, `(a + b) * 2`, `a * (b + 2)`, `- a`, `-5`, `NOT (a = 1)`,
		`a IS NULL`, `a IS NOT NULL`, `(a = 1) IS NOT TRUE`, `count(*)`, `count(DISTINCT a)`, `coalesce(a, (b), 1)`,
		`CAST(a AS numeric(10, 2))`, `a::numeric(10,2)`, `a::double precision`, `a::timestamp with time zone`,
		`date '2020-01-01'`, `interval '1 day'`, `CASE WHEN a = 1 THEN b ELSE (c) END`, `CASE a WHEN 1 THEN 2 END + 1`,
		`a IN (1, 2, (3))`, `a NOT IN ('x')`, `a BETWEEN 1 AND (2)`, `a NOT BETWEEN 1 AND 2`, `a LIKE 'x%'`,
		`a NOT LIKE 'x!%' ESCAPE '!'`, `extract(year FROM a)`, `substring(a FROM 1 FOR 2)`, `trim(both 'x' FROM a)`,
		`position('x' IN a)`, `a AT TIME ZONE 'UTC'`, `current_date`, `nullif(a, '')`, `greatest(a, 2)`,
		`a IS DISTINCT FROM b`, `(a = 1 OR b = 2) AND (c = 3)`, `upper(lower(a) || 'é') || 'ü'`, `pg_catalog.lower(a)`,
		`'a' || /* c */ 'b'`, `a -- note
 + 1`,
	}
	sql := "SELECT " + strings.Join(exprs, ", ") + " FROM t"
	q, err := Parse(sql)
	if err != nil {
		t.Fatal(err)
	}
	for i, got := range targetTexts(sql, q) {
		if got != exprs[i] {
			t.Errorf("span of %q is %q", exprs[i], got)
		}
	}
}

// What is not executed yet is named, and the error points at it.
func TestUnsupportedIsNamedAndPlaced(t *testing.T) {
	for _, c := range []struct{ sql, what, at string }{
		{"SELECT a COLLATE \"de_DE\" FROM t", "another collation", "COLLATE"},
		{"SELECT a FROM t TABLESAMPLE SYSTEM (10)", "TABLESAMPLE", "TABLESAMPLE"},
		{"SELECT a FROM t FOR UPDATE", "FOR UPDATE", "FOR"},
		{"SELECT (a).b FROM t", "a field out of a row", "a"},
		{"SELECT a INTO b FROM t", "SELECT INTO", "INTO"},
		{"WITH x AS (DELETE FROM t RETURNING a) SELECT a FROM x", "a statement other than SELECT", ""},
		{"WITH RECURSIVE x AS (SELECT 1 AS a UNION ALL SELECT a FROM x) CYCLE a SET c USING p SELECT a FROM x", "SEARCH or CYCLE", ""},
		{"SELECT a FROM t ORDER BY a USING <", "ORDER BY … USING", "a"},
		{"SELECT B'101'", "a bit string", "B'101'"},
		{"DELETE FROM t", "only queries", "DELETE FROM t"},
		{"SELECT 1; SELECT 2", "more than one statement", "SELECT 2"},
	} {
		_, err := Parse(c.sql)
		var e *value.Error
		if !errors.As(err, &e) || !strings.Contains(e.Message, c.what) {
			t.Errorf("%s: got error %v, want one about %q", c.sql, err, c.what)
			continue
		}
		if e.Hint == "" {
			t.Errorf("%s: the error does not say what to write instead", c.sql)
		}
		if got := strings.TrimSpace(c.sql[e.Start:e.End]); !strings.HasPrefix(got, c.at) {
			t.Errorf("%s: error points at %q, want %q", c.sql, got, c.at)
		}
	}
}

// A syntax error behind non-ASCII text still points at the right byte.
func TestSyntaxErrorPlace(t *testing.T) {
	sql := "SELECT 'é', FROM t"
	_, err := Parse(sql)
	var e *value.Error
	if !errors.As(err, &e) || sql[e.Start:e.End] != "FROM" {
		t.Fatalf("got %#v", err)
	}
}

// Whatever bytes come in, Parse answers with a tree or an error.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"SELECT 1", "SELECT a.b FROM c AS d(e) WHERE f IN (1,2) ORDER BY 1 DESC NULLS LAST LIMIT 3", "((", "SELECT", "\x00", "SELECT 'a"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, sql string) {
		q, err := Parse(sql)
		if (q == nil) == (err == nil) {
			t.Fatalf("%q: tree %v, error %v", sql, q, err)
		}
		var e *value.Error
		if errors.As(err, &e) && (e.End < e.Start || e.End > len(sql)) {
			t.Fatalf("%q: error span %d-%d lies outside", sql, e.Start, e.End)
		}
	})
}
