package tests

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/ipc"

	"rovik/app/project"
	"rovik/app/runs"
	"rovik/connect"
)

// written is the rows of a query in one of the formats.
func written(t *testing.T, sql, format string) []byte {
	t.Helper()
	run, err := museum.Now().Start(t.Context(), project.Query{SQL: sql}, project.NewRunID())
	if err != nil {
		t.Fatal(err)
	}
	defer run.Close()
	var out bytes.Buffer
	if err := runs.WriteResult(&out, format, run); err != nil {
		t.Fatalf("%s of %s: %v", format, sql, err)
	}
	return out.Bytes()
}

// everyType has a value of every type, one at its ends, and a row of NULLs.
const everyType = `SELECT * FROM (VALUES
  (1, true, 32767::smallint, 2147483647, 9223372036854775807, 0.1::numeric(10,2), 12345678901234567890.123456789::numeric, 1.5::real, 0.1::double precision, 'it''s "so", é', date '0001-01-01', time '23:59:59.999999', timestamp '9999-12-31 23:59:59.999999', timestamptz '2024-02-29 12:00:00+02', interval '1 day 2 hours', uuid '00000000-0000-0000-0000-0000000000ff', '{"a": [1, null]}'::jsonb),
  (2, false, (-32768)::smallint, -2147483648, -9223372036854775807, (-99999999.99)::numeric(10,2), 0.000000001::numeric, -0.25::real, '-1e300'::double precision, E'two\nlines', date '2024-02-29', time '00:00:00', timestamp '1970-01-01 00:00:00', timestamptz '1970-01-01 00:00:00+00', interval '-1 month', uuid 'ffffffff-ffff-ffff-ffff-ffffffffffff', 'null'::jsonb),
  (3, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL)
) AS v (n, truth, small, whole, big, money, long, single, double, text, day, clock, moment, instant, span, id, doc)`

// What is written can be read: by the formats' own readers, and by Rovik as a
// source, in which it gives the rows that it was.
func TestWrittenResultsAreReadAgain(t *testing.T) {
	want, _ := ours(t.Context(), museum, everyType+" ORDER BY 1", false)
	if want.err != nil || len(want.rows) != 3 {
		t.Fatalf("%+v", want)
	}
	columns := "n, truth, small, whole, big, money, single, double, text, day, clock, moment, instant, id"
	plain, _ := ours(t.Context(), museum, "SELECT "+columns+" FROM ("+everyType+") AS q ORDER BY n", false)
	if plain.err != nil {
		t.Fatal(plain.err)
	}
	a := emptyProject(t)
	for _, format := range []string{"parquet", "csv", "json"} {
		dir := filepath.Join(t.TempDir(), format)
		if err := os.MkdirAll(dir, 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, "every."+format), written(t, everyType, format), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := a.Sources.Add(t.Context(), "from_"+format, format, connect.Config{Path: dir}, ""); err != nil {
			t.Fatalf("%s: %v", format, err)
		}
		// Files know fewer types: what they give is cast to what was written.
		casts := []string{}
		for _, c := range strings.Split(columns, ", ") {
			typ := map[string]string{"n": "integer", "truth": "boolean", "small": "smallint", "whole": "integer", "big": "bigint", "money": "numeric(10,2)", "single": "real", "double": "double precision", "text": "text",
				"day": "date", "clock": "time", "moment": "timestamp", "instant": "timestamptz", "id": "uuid"}[c]
			casts = append(casts, fmt.Sprintf("CAST(e.%s AS %s) AS %s", c, typ, c))
		}
		got, _ := ours(context.Background(), a, fmt.Sprintf("SELECT %s FROM from_%s.every AS e ORDER BY 1", strings.Join(casts, ", "), format), false)
		if d := difference(got, plain, true); d != "" {
			t.Errorf("%s: %s", format, d)
		}
	}
}

// Each format says what there is: names, empty results, NULLs, and strings that need
// quotes.
func TestFormatsOfResults(t *testing.T) {
	rows, err := csv.NewReader(bytes.NewReader(written(t, everyType+" ORDER BY 1", "csv"))).ReadAll()
	if err != nil || len(rows) != 4 || rows[0][9] != "text" || rows[1][9] != `it's "so", é` || rows[2][9] != "two\nlines" || rows[3][9] != "" {
		t.Errorf("csv: %q, %v", rows, err)
	}
	var objects []map[string]any
	if err := json.Unmarshal(written(t, everyType+" ORDER BY 1", "json"), &objects); err != nil || len(objects) != 3 {
		t.Fatalf("json: %v", err)
	}
	for name, want := range map[string]any{"truth": true, "whole": float64(2147483647), "money": "0.10", "double": 0.1, "day": "0001-01-01", "instant": "2024-02-29 10:00:00+00"} {
		if objects[0][name] != want || objects[2][name] != nil {
			t.Errorf("json: %s is %v and %v, want %v and nothing", name, objects[0][name], objects[2][name], want)
		}
	}
	if !strings.Contains(string(written(t, "SELECT 9223372036854775807 AS n", "json")), `"n":9223372036854775807`) {
		t.Error("json has lost digits of a bigint")
	}
	r, err := ipc.NewReader(bytes.NewReader(written(t, "SELECT CAST(q.money AS numeric(10,2)) AS money, q.long FROM ("+everyType+") AS q", "arrow")))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Release()
	count := int64(0)
	for r.Next() {
		count += r.RecordBatch().NumRows()
	}
	if fields := r.Schema().Fields(); count != 3 || fields[0].Type.String() != "decimal(10, 2)" || fields[1].Type.String() != "utf8" {
		t.Errorf("arrow: %d rows of %v", count, r.Schema())
	}
	lists, err := ipc.NewReader(bytes.NewReader(written(t, "SELECT ARRAY[1.50, NULL]::numeric[] AS n, ARRAY['a'::char(3)] AS c, '{}'::jsonb AS j, 'a'::char(3) AS p, ARRAY[interval '1 day'] AS i", "arrow")))
	if err != nil {
		t.Fatal(err)
	}
	defer lists.Release()
	lists.Next()
	if got := fmt.Sprint(lists.RecordBatch()); !strings.Contains(got, `["1.50" (null)]`) || !strings.Contains(got, `"{}"`) || !strings.Contains(got, `["a  "]`) || !strings.Contains(got, `["1 day"]`) {
		t.Errorf("arrow of lists: %s", got)
	}
	for _, format := range []string{"arrow", "parquet"} {
		for sql, fails := range map[string]bool{"SELECT ARRAY[date '2024-01-01', NULL] AS d": false, "SELECT ARRAY[date '2024-01-01', 'infinity'] AS d": true,
			"SELECT ARRAY[timestamptz '-infinity'] AS d": true, "SELECT NULL::date[] AS d": false} {
			run, err := museum.Now().Start(t.Context(), project.Query{SQL: sql}, project.NewRunID())
			if err != nil {
				t.Fatal(err)
			}
			if err := runs.WriteResult(&bytes.Buffer{}, format, run); (err != nil) != fails {
				t.Errorf("%s of %s: %v", format, sql, err)
			}
			run.Close()
		}
	}
	table := strings.Split(string(written(t, "SELECT * FROM (VALUES (1, 'a', 'long'), (100, NULL, 'b')) AS v (n, t, u) ORDER BY 1", "table")), "\n")
	if !slices.Equal(table, []string{"  n  t  u", "  1  a  long", "100     b", "(2 rows)", ""}) {
		t.Errorf("table: %q", table)
	}
	if got := written(t, "SELECT repeat('x', 200) AS wide", "table"); !strings.Contains(string(got), "x…x") || strings.Contains(string(got), strings.Repeat("x", 61)) {
		t.Errorf("a wide cell: %s", got)
	}
	for format, want := range map[string]string{"csv": "n\n", "json": "[\n]\n", "table": "n\n(0 rows)\n"} {
		if got := string(written(t, "SELECT s.site_id AS n FROM registry.sites AS s WHERE s.site_id < 0", format)); got != want {
			t.Errorf("nothing as %s: %q", format, got)
		}
	}
}
