package bind

import (
	"errors"
	"testing"

	"rovik/core/value"
)

// What a text gets wrong is said in PostgreSQL's code and words, at the part that is
// wrong, with what would be right where that is known.
func TestWrongTexts(t *testing.T) {
	for _, c := range []struct{ sql, code, at, message, hint string }{
		{"SELECT kind FROM registry.objects UNION SELECT kind, made FROM registry.objects", "42601", "SELECT kind FROM registry.objects UNION SELECT kind, made FROM registry.objects", "each UNION query must have the same number of columns, here 1 and 2", ""},
		{"SELECT q.b FROM (SELECT 1 AS a) AS q", "42703", "q.b", `no column is called "q.b"`, "did you mean q.a?"},
		{"SELECT q.a FROM (SELECT 1 AS a) AS q(b)", "42703", "q.a", `no column is called "q.a"`, "did you mean q.b?"},
		{"SELECT q.a FROM (SELECT 1 AS a) AS q(b, c)", "42P10", "SELECT 1", `"q" has 1 columns available but 2 columns specified`, ""},
		{"WITH w AS (SELECT 1 AS a), w AS (SELECT 2 AS a) SELECT * FROM w", "42712", "w", `WITH query name "w" specified more than once`, "give one of them another name"},
		{"WITH RECURSIVE w AS (SELECT 1 AS a UNION ALL SELECT 'x') SELECT * FROM w", "22P02", "SELECT 'x'", `invalid input syntax for type integer: "x"`, ""},
		{"WITH RECURSIVE w AS (SELECT a FROM w) SELECT * FROM w", "42P19", "SELECT a FROM w", `recursive query "w" does not have the form non-recursive-term UNION [ALL] recursive-term`, ""},
		{"SELECT (SELECT 1, 2)", "42601", "(SELECT 1, 2)", "subquery must return only one column", ""},
		{"SELECT kind FROM registry.objects WHERE made IN (SELECT made, kind FROM registry.objects)", "42601", "made IN (SELECT made, kind FROM registry.objects)", "subquery has too many columns", ""},
		{"SELECT kind FROM registry.objects o JOIN registry.objects p USING (nothing)", "42703", "registry.objects o JOIN registry.objects p USING (nothing)", `column "nothing" specified in USING clause does not exist in left table`, ""},
		{"SELECT kind FROM registry.objects o JOIN intake.twice p USING (kind)", "42702", "registry.objects o JOIN intake.twice p USING (kind)", `common column name "kind" appears more than once in right table`, ""},
		{"SELECT sum(kind) FROM registry.objects", "42883", "sum(kind)", "function sum(text) does not exist", ""},
		{"SELECT sum(made, made) FROM registry.objects", "42883", "sum(made, made)", "function sum(smallint, smallint) does not exist", ""},
		{"SELECT sum(DISTINCT made) OVER () FROM registry.objects", "0A000", "sum(DISTINCT made) OVER ()", "DISTINCT is not implemented for window functions", ""},
		{"SELECT rank() FROM registry.objects", "42P20", "rank()", "window function rank requires an OVER clause", ""},
		{"SELECT kind FROM registry.objects WHERE rank() OVER () = 1", "42P20", "rank() OVER ()", "window functions are not allowed in WHERE", ""},
		{"SELECT rank() OVER w FROM registry.objects", "42704", "w", `window "w" does not exist`, ""},
		{"SELECT rank() OVER (ORDER BY rank() OVER ()) FROM registry.objects", "42P20", "rank() OVER ()", "window function calls cannot be nested", ""},
		{"SELECT lower(kind) FILTER (WHERE made > 1) FROM registry.objects", "42809", "lower(kind) FILTER (WHERE made > 1)", "lower is not an aggregate function", ""},
		{"SELECT count(*) FILTER (WHERE made) FROM registry.objects", "42804", "made", "argument of FILTER must be type boolean, not type smallint", ""},
		{"SELECT made FROM registry.objects GROUP BY made HAVING kind > 'a'", "42803", "kind", `column "kind" must appear in the GROUP BY clause or be used in an aggregate function`, ""},
		{"SELECT made FROM registry.objects GROUP BY 5", "42P10", "5", "position 5 is not in the select list", ""},
		{"SELECT made FROM registry.objects ORDER BY nothing", "42703", "nothing", `no column is called "nothing"`, ""},
		{"SELECT made FROM registry.objects OFFSET 'x'", "22P02", "'x'", `invalid input syntax for type bigint: "x"`, ""},
		{"SELECT made FROM registry.objects LIMIT 1.5", "42804", "1.5", "type numeric does not turn into bigint by itself", "write CAST(… AS bigint)"},
		{"SELECT coalesce(made, 'x') FROM registry.objects", "22P02", "'x'", `invalid input syntax for type smallint: "x"`, ""},
		{"SELECT nullif(made, kind) FROM registry.objects", "42883", "nullif(made, kind)", "operator does not exist: smallint = text", "cast one side to the type of the other"},
		{"SELECT made BETWEEN 'a' AND 'b' FROM registry.objects", "22P02", "'a'", `invalid input syntax for type smallint: "a"`, ""},
		{"SELECT made LIKE 'x' FROM registry.objects", "42883", "made LIKE 'x'", "operator does not exist: smallint LIKE unknown", "cast one side to the type of the other"},
		{"SELECT NOT made FROM registry.objects", "42804", "made", "argument of NOT must be type boolean, not type smallint", ""},
		{"SELECT kind AND true FROM registry.objects", "42804", "kind", "argument of AND must be type boolean, not type text", ""},
		{"SELECT -kind FROM registry.objects", "42883", "-kind", "operator does not exist: - text", "cast one side to the type of the other"},
		{"SELECT made || 1 FROM registry.objects", "42883", "made || 1", "operator does not exist: smallint || integer", "cast one side to the type of the other"},
		{"SELECT ARRAY[1, 'x']", "22P02", "'x'", `invalid input syntax for type integer: "x"`, ""},
		{"SELECT ARRAY[]", "42P18", "ARRAY[]", "cannot determine type of empty array", "explicitly cast to the desired type, for example ARRAY[]::integer[]"},
		{"SELECT (ARRAY[1])['x']", "22P02", "'x'", `invalid input syntax for type integer: "x"`, ""},
		{"SELECT made[1] FROM registry.objects", "42804", "made", "cannot subscript type smallint because it does not support subscripting", ""},
		{"SELECT date '2024-02-30'", "22008", "date '2024-02-30'", `date/time field value out of range: "2024-02-30"`, ""},
		{"SELECT 'x'::integer", "22P02", "'x'::integer", `invalid input syntax for type integer: "x"`, ""},
		{"SELECT 99999999999::integer", "22003", "99999999999::integer", "integer out of range", ""},
		{"SELECT round(made, kind) FROM registry.objects", "42883", "round(made, kind)", "function round(smallint, text) does not exist", "there is round(numeric) and round(numeric, integer) and round(double precision)"},
		{"SELECT o.* FROM registry.objects p", "42P01", "o.*", `nothing in FROM is called "o"`, "did you mean p?"},
		{"SELECT *", "42601", "*", "SELECT * with no tables specified is not valid", ""},
		{"SELECT count(*) FROM registry.objects WHERE made = ANY (kind)", "42809", "kind", "op ANY/ALL (array) requires array on right side", ""},
		{"SELECT (1, 2) = (1, 2, 3)", "42601", "(1, 2) = (1, 2, 3)", "unequal number of entries in row expressions", ""},
		{"SELECT made FROM registry.objects WHERE (made, kind) IN (VALUES (1))", "42601", "(made, kind) IN (VALUES (1))", "subquery has too few columns", ""},
		{"VALUES (1, 2), (3)", "42601", "VALUES (1, 2), (3)", "VALUES lists must all be the same length", ""},
		{"SELECT CASE made WHEN 'x' THEN 1 END FROM registry.objects", "22P02", "'x'", `invalid input syntax for type smallint: "x"`, ""},
		{"SELECT CASE WHEN made THEN 1 END FROM registry.objects", "42804", "made", "argument of CASE/WHEN must be type boolean, not type smallint", ""},
		{"SELECT DISTINCT ON (kind) kind FROM registry.objects ORDER BY made", "42P10", "DISTINCT ON (kind)", "SELECT DISTINCT ON expressions must match initial ORDER BY expressions", ""},
		{"SELECT kind FROM registry.objects, LATERAL (SELECT made FROM registry.objects WHERE nothing = kind) AS q", "42703", "nothing", `no column is called "nothing"`, ""},
		{"SELECT q.kind FROM registry.objects o, (SELECT o.kind) AS q", "42P01", "o.kind", `nothing in FROM is called "o"`, ""},
		{"SELECT * FROM nothing(1) AS f", "42883", "nothing(1)", "function nothing(integer) does not exist", ""},
		{"SELECT string_agg(made, ',') FROM registry.objects", "42883", "string_agg(made, ',')", "function string_agg(smallint, unknown) does not exist", ""},
		{"SELECT grouping(kind) FROM registry.objects", "42803", "grouping(kind)", "arguments to GROUPING must be grouping expressions of the associated query level", ""},
		{"SELECT lag(kind, 'x') OVER (ORDER BY made) FROM registry.objects", "42883", "lag(kind, 'x') OVER (ORDER BY made)", "function lag(text, unknown) does not exist", ""},
		{"SELECT sum(made) OVER (RANGE BETWEEN 1 PRECEDING AND CURRENT ROW) FROM registry.objects", "42P20", "(RANGE BETWEEN 1 PRECEDING AND CURRENT ROW)", "RANGE with offset PRECEDING/FOLLOWING requires exactly one ORDER BY column", ""},
		{"SELECT exists(SELECT 1) + 1", "42883", "exists(SELECT 1) + 1", "operator does not exist: boolean + integer", "cast one side to the type of the other"},
		{"SELECT interval '1 potato'", "22007", "interval '1 potato'", `invalid input syntax for type interval: "1 potato"`, "write it like '1 month 3 days 04:05:06'"},
		{"SELECT timestamp '2024-01-01' + 1", "42883", "timestamp '2024-01-01' + 1", "operator does not exist: timestamp + integer", "cast one side to the type of the other"},
		{"SELECT date '2024-01-01' - 'x'", "22007", "'x'", `invalid input syntax for type date: "x"`, "write dates as YYYY-MM-DD"},
		{"SELECT jsonb '{'", "22P02", "jsonb '{'", "invalid input syntax for type json: EOF", ""},
		{"SELECT kind -> 'a' FROM registry.objects", "42883", "kind -> 'a'", "operator does not exist: text -> unknown", "cast one side to the type of the other"},
		{"SELECT true > 1", "42883", "true > 1", "operator does not exist: boolean > integer", "cast one side to the type of the other"},
		{"SELECT made IS TRUE FROM registry.objects", "42804", "made", "argument of IS TRUE must be type boolean, not type smallint", ""},
	} {
		_, err := bindText(t, Context{}, c.sql)
		var e *value.Error
		if !errors.As(err, &e) {
			t.Errorf("%s: %v", c.sql, err)
			continue
		}
		at := ""
		if e.Start >= 0 && e.End <= len(c.sql) {
			at = c.sql[e.Start:e.End]
		}
		if e.Code != c.code || at != c.at || e.Message != c.message || e.Hint != c.hint {
			t.Errorf("%s\ngot  %s %q at %q, hint %q\nwant %s %q at %q, hint %q", c.sql, e.Code, e.Message, at, e.Hint, c.code, c.message, c.at, c.hint)
		}
	}
}
