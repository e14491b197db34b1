package tests

import (
	"context"
	"errors"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"rovik/app/project"
	"rovik/core/exec"
	"rovik/core/value"
)

func textOf(s string) *string { return &s }

// parameterised are queries with values for $1 and on.
var parameterised = []struct {
	sql    string
	values []*string
}{
	{"SELECT object_id, title FROM registry.objects WHERE object_id = $1", []*string{textOf("7")}},
	{"SELECT object_id FROM registry.objects WHERE title LIKE $1 AND object_id < $2 ORDER BY 1 LIMIT $3 OFFSET $4", []*string{textOf("B%"), textOf("500"), textOf("5"), textOf("1")}},
	{"SELECT l.loan_id FROM lending.loans l JOIN registry.objects o ON o.object_id = l.object_id WHERE o.object_id BETWEEN $1 AND $2", []*string{textOf("10"), textOf("60")}},
	{"SELECT $1::date + $2, $1 - DATE '2024-01-01'", []*string{textOf("2024-02-29"), textOf("5")}},
	{"SELECT $1, $2 || 'x', upper($3)", []*string{textOf("a'b"), textOf("\\N"), nil}},
	{"SELECT count(*) FROM registry.objects WHERE $1::integer IS NULL OR object_id = $1", []*string{nil}},
	{"SELECT count(*) FROM registry.objects WHERE object_id IN ($1, $2, 3)", []*string{textOf("1"), textOf("2")}},
	{"SELECT count(*) FROM registry.objects WHERE object_id = ANY ($1)", []*string{textOf("{1,2,NULL}")}},
	{"SELECT CASE WHEN $1 THEN $2 ELSE 0 END, coalesce($3, 'none'), greatest($4, 1.5)", []*string{textOf("true"), textOf("4"), nil, textOf("NaN")}},
	{"SELECT x, sum(x) OVER (ORDER BY x ROWS $1 PRECEDING) FROM generate_series(1, $2) AS x", []*string{textOf("1"), textOf("4")}},
	{"WITH t AS (SELECT $1::numeric AS n) SELECT n * 2 FROM t UNION ALL SELECT $2", []*string{textOf("1.50"), textOf("2")}},
	{"SELECT jsonb_path_query_array($1, $2)", []*string{textOf(`{"a": [1, 2]}`), textOf("$.a[*]")}},
	{"VALUES ($1, 1), ('b', $2)", []*string{textOf("a"), textOf("2")}},
	{"SELECT interval '1 day' * $1, timestamp '2024-01-01' + $2, extract(day FROM $3::timestamp)", []*string{textOf("1.5"), textOf("3 days"), textOf("2024-05-06")}},
	{"SELECT $1::varchar(3), CAST($2 AS numeric(6, 2)), $3::bytea, $4::uuid", []*string{textOf("abcdef"), textOf("3.14159"), textOf("\\x00ff"), textOf("00000000-0000-0000-0000-00000000000a")}},
	{"SELECT $1 = ARRAY[1, 2], ARRAY[$2, 3], ($3::int[])[2]", []*string{textOf("{1,2}"), textOf("9"), textOf("{4,5}")}},
	{"SELECT object_id FROM registry.objects WHERE (object_id, title) = ($1, $2)", []*string{textOf("1"), textOf("x")}},
	// Errors.
	{"SELECT $1 + $2", []*string{textOf("1"), textOf("2")}},
	{"SELECT $2::int", []*string{textOf("1"), textOf("2")}},
	{"SELECT $1::int, $1 || 'x', length($1)", []*string{textOf("1")}},
	{"SELECT object_id FROM registry.objects WHERE object_id = $1", []*string{textOf("seven")}},
	{"SELECT object_id FROM registry.objects WHERE object_id = $1", []*string{textOf("1; DROP TABLE registry.objects")}},
	{"SELECT 1 LIMIT $1", []*string{textOf("-1")}},
	{"SELECT $1 || 'x'", []*string{textOf("a\x00b")}},
	{"SELECT $1 || 'x'", []*string{textOf("a\xffb")}},
	{"SELECT $1 || 'x', $2 || 'y'", []*string{textOf(""), nil}},
	{"SELECT 1 WHERE $1", []*string{textOf("5")}},
	{"SELECT 1 ORDER BY $1", []*string{textOf("x")}},
}

// A query with parameters gives what PostgreSQL gives for the same values, folded and not, and its
// parameters have the types that PostgreSQL finds for them.
func TestParametersHoldTheLaw(t *testing.T) {
	ctx := context.Background()
	for _, q := range parameterised {
		t.Run(q.sql, func(t *testing.T) {
			raw := make([][]byte, len(q.values))
			for i, v := range q.values {
				if v != nil {
					raw[i] = []byte(*v)
				}
			}
			res := reference.PgConn().ExecParams(ctx, q.sql, raw, nil, nil, nil).Read()
			for _, off := range []bool{false, true} {
				run, err := museum.Now().Start(ctx, project.Query{SQL: q.sql, FoldOff: off, Params: project.ParamsOf(q.values)}, project.NewRunID())
				var got outcome
				if err != nil {
					got, run = failed(err), &exec.Run{}
				} else {
					got = rowsOf(run)
				}
				var want outcome
				var pe *pgconn.PgError
				if errors.As(res.Err, &pe) {
					want = outcome{class: pe.Code[:2], err: res.Err}
				}
				for _, r := range res.Rows {
					var row strings.Builder
					for i, cell := range r {
						if cell == nil || i >= len(run.Columns) {
							row.WriteString("∅|")
						} else {
							row.WriteString(canonical(run.Columns[i].Type.Kind, string(cell)) + "|")
						}
					}
					want.rows = append(want.rows, row.String())
				}
				if d := difference(got, want, false); d != "" {
					t.Errorf("folding off %v: %s", off, d)
				}
			}
			description, err := reference.PgConn().Prepare(ctx, "", q.sql, nil)
			kinds, ours := museum.Now().Parameters(t.Context(), project.Query{SQL: q.sql})
			if err != nil || ours != nil {
				if (err == nil) != (ours == nil) {
					t.Errorf("describing fails with %v, and in PostgreSQL with %v", ours, err)
				}
				return
			}
			for i, oid := range description.ParamOIDs {
				var typ string
				if err := reference.QueryRow(ctx, "SELECT format_type($1, -1)", oid).Scan(&typ); err != nil {
					t.Fatal(err)
				}
				if typ == "jsonpath" || typ == "character varying" {
					typ = "text"
				}
				if want, ok := value.KindNamed(strings.TrimSuffix(typ, " without time zone")); i >= len(kinds) || ok && kinds[i] != want {
					t.Errorf("$%d: the types are %v, and in PostgreSQL it is %s", i+1, kinds, typ)
				}
			}
		})
	}
}

// A test for NULL and a bare column leave a parameter's type to what else reads it, where PostgreSQL
// asks for a cast.
func TestParametersThatMayBeMissing(t *testing.T) {
	rows, err := museum.Now().Rows(t.Context(), project.Query{SQL: "SELECT $1, $1::integer + 1", Params: project.ParamsOf([]*string{textOf("4")})})
	if err != nil || *rows[0][0] != "4" || *rows[0][1] != "5" {
		t.Errorf("%v rows, and %v", rows, err)
	}
	for value, want := range map[*string]string{nil: "6", textOf("3"): "1"} {
		rows, err := museum.Now().Rows(t.Context(), project.Query{SQL: "SELECT count(*) FROM generate_series(1, 6) AS x WHERE $1 IS NULL OR x = $1", Params: project.ParamsOf([]*string{value})})
		if err != nil || *rows[0][0] != want {
			t.Errorf("%v rows, and %v", rows, err)
		}
	}
}

// What is wrong with a parameter is said at its place.
func TestParametersThatAreWrong(t *testing.T) {
	for _, c := range []struct {
		q     project.Query
		code  string
		place string
		words string
	}{
		{project.Query{SQL: "SELECT 1 WHERE 2 = $1"}, "42P02", "$1", "there is no parameter $1"},
		{project.Query{SQL: "SELECT $1::int", Params: project.ParamsOf([]*string{textOf("x")})}, "22P02", "$1::int", "integer"},
		{project.Query{SQL: "SELECT object_id + $1 FROM registry.objects", Params: project.ParamsOf([]*string{textOf("x")})}, "22P02", "$1", "integer"},
		{project.Query{SQL: "SELECT $1 AS a", Layer: "intake", View: "asked", Params: project.ParamsOf([]*string{nil})}, "42P02", "$1", "there is no parameter $1"},
		{project.Query{SQL: "SELECT $99999"}, "42P02", "$99999", "there is no parameter"},
	} {
		_, err := museum.Now().Bind(t.Context(), c.q)
		var e *value.Error
		if !errors.As(err, &e) || e.Code != c.code || c.q.SQL[e.Start:e.End] != c.place || !strings.Contains(e.Message, c.words) || hintOf(err) == "" && c.code == "42P02" {
			t.Errorf("%s: %v", c.q.SQL, err)
		}
	}
}
