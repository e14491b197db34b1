package form

import (
	"strings"
	"testing"
)

const loans = `-- what is out
SELECT
  l.loan_no, upper(btrim(l.institution_code)) AS code, -- cleaned
  l.due_on /* when */,
  i.name AS borrower
FROM lending.loans AS l -- the current system
LEFT JOIN lending.institutions i
  ON i.code = l.institution_code AND i.country <> 'XX'
WHERE l.status = 'out' -- not back yet
  AND (l.due_on < date '2026-01-01' OR l.due_on IS NULL)
  AND l.sent_on BETWEEN date '2020-01-01' AND date '2026-01-01'
ORDER BY l.due_on DESC, 1
LIMIT 50`

func formOf(t *testing.T, sql string) *Form {
	t.Helper()
	f, err := Of(sql)
	if err != nil {
		t.Fatalf("%v in\n%s", err, sql)
	}
	return f
}

func textsOf(parts []Part) string {
	var out []string
	for _, p := range parts {
		out = append(out, p.Text)
	}
	return strings.Join(out, " | ")
}

func TestFormHasEveryPart(t *testing.T) {
	f := formOf(t, loans)
	b := f.Blocks[0]
	var outs, ins []string
	for _, o := range b.Outputs {
		outs = append(outs, o.Expr.Text+">"+o.Name)
	}
	for _, in := range b.Inputs {
		ins = append(ins, in.Join+" "+in.Name+">"+in.Alias+" "+textsOf(in.On))
	}
	for got, want := range map[string]string{
		strings.Join(outs, " | "):               "l.loan_no> | upper(btrim(l.institution_code))>code | l.due_on> | i.name>borrower",
		strings.Join(ins, " | "):                " lending.loans>l  | left lending.institutions>i i.code = l.institution_code | i.country <> 'XX'",
		textsOf(b.Filters):                      "l.status = 'out' | (l.due_on < date '2026-01-01' OR l.due_on IS NULL) | l.sent_on BETWEEN date '2020-01-01' AND date '2026-01-01'",
		f.Order[0].Text + " " + f.Order[1].Text: "l.due_on DESC 1",
		f.Limit.Text:                            "50",
	} {
		if got != want {
			t.Errorf("got  %s\nwant %s", got, want)
		}
	}
	if !f.Order[0].Desc || f.Order[0].Expr != "l.due_on" {
		t.Errorf("the first sort key is %+v", f.Order[0])
	}
}

// What the form cannot show is locked, with all its text and a reason.
func TestFormLocksWhatItCannotShow(t *testing.T) {
	for sql, want := range map[string]string{
		"SELECT 1 INTERSECT SELECT 2": "SELECT 1 INTERSECT SELECT 2",
		"VALUES (1), (2)":             "VALUES (1), (2)",
		"SELECT a.x FROM (t.a JOIN t.b ON true) JOIN t.c ON true":        "(t.a JOIN t.b ON true) JOIN t.c ON true",
		"SELECT a.x FROM t.a JOIN (t.b JOIN t.c ON true) ON true":        "t.a JOIN (t.b JOIN t.c ON true) ON true",
		"SELECT x FROM (SELECT 1 AS x) AS q":                             "(SELECT 1 AS x) AS q",
		"WITH w AS (SELECT 1 AS x), v (y) AS (SELECT 2) SELECT x FROM w": "w AS (SELECT 1 AS x) + v (y) AS (SELECT 2)",
		"SELECT x, count(*) FROM t.a GROUP BY ROLLUP (x)":                "ROLLUP (x)",
		"SELECT sum(x) OVER w FROM t.a WINDOW w AS (ORDER BY x)":         "w AS (ORDER BY x)",
		"SELECT x FROM t.a ORDER BY 1 FETCH FIRST 3 ROWS ONLY":           "FETCH FIRST 3 ROWS ONLY",
		"SELECT v.n FROM verbatim('lending', $$ SELECT 1 AS n $$) AS v":  "verbatim('lending', $$ SELECT 1 AS n $$) AS v",
		"(SELECT 1 ORDER BY 1) UNION SELECT 2":                           "(SELECT 1 ORDER BY 1) UNION SELECT 2",
	} {
		f := formOf(t, sql)
		var locked []string
		see := func(p *Part) {
			if p != nil && p.Locked != "" {
				locked = append(locked, p.Text)
			}
		}
		see(f.Locked)
		see(f.Limit)
		for i := range f.With {
			see(&f.With[i])
		}
		for _, b := range f.Blocks {
			see(b.Windows)
			for i := range b.Inputs {
				see(&b.Inputs[i].Part)
			}
			for i := range b.Groups {
				see(&b.Groups[i])
			}
		}
		if got := strings.Join(locked, " + "); got != want {
			t.Errorf("%s\nlocked %s", sql, got)
		}
	}
}

func TestEdits(t *testing.T) {
	const short = "SELECT a.x, a.y FROM t.a AS a"
	const union = "SELECT a.x, a.y AS z FROM t.a\nUNION ALL\nSELECT b.p, b.q FROM t.b"
	for _, c := range []struct {
		sql  string
		e    Edit
		want string // the new text, or the part of it after "…"
	}{
		{"", Edit{Do: "add input", Name: "lending.loans"}, "SELECT\n  l.*\nFROM lending.loans AS l"},
		{short, Edit{Do: "add input", Name: "t.area", Kind: "left", Texts: []string{"{new}.x = a.x", "{new}.k = 1 OR a.y > 2"}},
			short + " LEFT JOIN t.area AS a2 ON a2.x = a.x AND (a2.k = 1 OR a.y > 2)"},
		{"SELECT 1", Edit{Do: "add input", Name: "t.order"}, "SELECT 1 FROM t.\"order\" AS o"},
		{short + " -- here", Edit{Do: "add input", Name: "t.b", Kind: "cross"}, short + " -- here\nCROSS JOIN t.b AS b"},
		{loans, Edit{Do: "remove input", At: 1}, "SELECT\n  l.loan_no, upper(btrim(l.institution_code)) AS code, -- cleaned\n  l.due_on /* when */\nFROM lending.loans AS l -- the current system\nWHERE"},
		{loans, Edit{Do: "remove input", At: 0}, "SELECT\n  upper(btrim(l.institution_code)) AS code, -- cleaned\n  i.name AS borrower\nFROM lending.institutions i\nWHERE"},
		{loans, Edit{Do: "set join", At: 1, Kind: "inner"}, "\nJOIN lending.institutions i\n  ON i.code"},
		{loans, Edit{Do: "set join", At: 1, Kind: "cross"}, "\nCROSS JOIN lending.institutions i\nWHERE"},
		{"SELECT 1 FROM t.a, t.b", Edit{Do: "set join", At: 1, Kind: "inner"}, "SELECT 1 FROM t.a\nJOIN t.b ON true"},
		{loans, Edit{Do: "set condition", At: 1, Texts: []string{"upper(i.code) = l.institution_code", "i.country <> 'XX'"}}, "  ON upper(i.code) = l.institution_code AND i.country <> 'XX'\n"},
		{"SELECT 1 FROM t.a JOIN t.b USING (x)", Edit{Do: "set condition", At: 1, Texts: []string{"a.x = b.y"}}, "SELECT 1 FROM t.a JOIN t.b ON a.x = b.y"},
		{loans, Edit{Do: "set alias", At: 1, Name: "inst"}, "  inst.name AS borrower\nFROM lending.loans AS l -- the current system\nLEFT JOIN lending.institutions inst\n  ON inst.code = l.institution_code AND inst.country <> 'XX'\n"},
		{"SELECT a.x FROM t.a", Edit{Do: "set alias", At: 0, Name: "b"}, "SELECT b.x FROM t.a AS b"},
		{short, Edit{Do: "add output", At: -1, Text: "a.x + 1", Name: "next"}, "SELECT a.x, a.y, a.x + 1 AS next FROM t.a AS a"},
		{loans, Edit{Do: "add output", At: -1, Text: "l.x"}, "  i.name AS borrower, l.x\nFROM"},
		{loans, Edit{Do: "add output", At: 0, Text: "l.x"}, "SELECT\n  l.x, l.loan_no, upper"},
		{union, Edit{Do: "add output", At: -1, Text: "b.r", Block: 1, Name: "r"}, "SELECT a.x, a.y AS z, NULL AS r FROM t.a\nUNION ALL\nSELECT b.p, b.q, b.r AS r FROM t.b"},
		{loans, Edit{Do: "set output", At: 1, Text: "l.institution_code", Name: "code"}, "l.institution_code AS code, -- cleaned\n"},
		{loans, Edit{Do: "set output", At: 3, Name: "who"}, "i.name AS who\nFROM"},
		{loans, Edit{Do: "set output", At: 3, Name: "name"}, "  i.name\nFROM"},
		{loans, Edit{Do: "remove output", Items: []int{0, 2}}, "SELECT\n  upper(btrim(l.institution_code)) AS code, -- cleaned\n  i.name AS borrower\nFROM"},
		{loans, Edit{Do: "remove output", Items: []int{1, 2, 3}}, "SELECT\n  l.loan_no\nFROM"},
		{union, Edit{Do: "remove output", At: 0}, "SELECT a.y AS z FROM t.a\nUNION ALL\nSELECT b.q FROM t.b"},
		{"SELECT\n  a.x, -- first\n  a.y, -- second\n  a.z\nFROM t.a", Edit{Do: "move output", At: 0, To: 1}, "SELECT\n  a.y, -- second\n  a.x, -- first\n  a.z\nFROM t.a"},
		{union, Edit{Do: "move output", At: 1, To: 0}, "SELECT a.y AS z, a.x FROM t.a\nUNION ALL\nSELECT b.q, b.p FROM t.b"},
		{"SELECT\n  a.*\nFROM t.a", Edit{Do: "expand star", Texts: []string{"a.x", "a.y"}}, "SELECT\n  a.x, a.y\nFROM t.a"},
		{short, Edit{Do: "add filter", Text: "a.x > 1"}, short + " WHERE a.x > 1"},
		{loans, Edit{Do: "add filter", Text: "l.courier_id IS NULL"}, "date '2026-01-01'\n  AND l.courier_id IS NULL\nORDER BY"},
		{"SELECT 1 FROM t.a WHERE a.x OR a.y", Edit{Do: "add filter", Text: "a.z"}, "SELECT 1 FROM t.a WHERE (a.x OR a.y) AND a.z"},
		{loans, Edit{Do: "remove filter", At: 0}, "WHERE (l.due_on < date '2026-01-01' OR"},
		{loans, Edit{Do: "remove filter", At: 1}, "WHERE l.status = 'out' -- not back yet\n  AND l.sent_on BETWEEN"},
		{"SELECT 1 FROM t.a\nWHERE a.x\nLIMIT 3", Edit{Do: "remove filter"}, "SELECT 1 FROM t.a\nLIMIT 3"},
		{short + " ORDER BY 1", Edit{Do: "add filter", Kind: "having", Text: "count(*) > 1"}, short + " HAVING count(*) > 1 ORDER BY 1"},
		{short, Edit{Do: "group", Items: []int{1}, Texts: []string{"count(*)"}, Names: []string{"n"}}, "SELECT a.y, count(*) AS n FROM t.a AS a GROUP BY a.y"},
		{short, Edit{Do: "pivot", Items: []int{0}, Name: "a.y", Text: "sum(a.z)", Texts: []string{"'out'", "NULL"}, Names: []string{"out", ""}},
			"SELECT a.x,\n  sum(a.z) FILTER (WHERE a.y = 'out') AS \"out\",\n  sum(a.z) FILTER (WHERE a.y IS NULL) AS value_2 FROM t.a AS a GROUP BY a.x"},
		{"SELECT a.x FROM t.a GROUP BY a.x", Edit{Do: "add group", Text: "a.y"}, "SELECT a.x FROM t.a GROUP BY a.x, a.y"},
		{"SELECT a.x FROM t.a GROUP BY a.x, a.y", Edit{Do: "remove group", At: 1}, "SELECT a.x FROM t.a GROUP BY a.x"},
		{loans, Edit{Do: "set order", At: 0, Text: "l.due_on"}, "ORDER BY l.due_on, 1\n"},
		{loans, Edit{Do: "remove order", At: 0}, "ORDER BY 1\n"},
		{short, Edit{Do: "add order", Text: "a.y", Kind: "descending"}, short + " ORDER BY a.y DESC"},
		{loans, Edit{Do: "set limit"}, "ORDER BY l.due_on DESC, 1"},
		{short, Edit{Do: "set limit", Text: "10"}, short + " LIMIT 10"},
		{short, Edit{Do: "set distinct", Kind: "on"}, "SELECT DISTINCT a.x, a.y FROM t.a AS a"},
		{"SELECT DISTINCT a.x FROM t.a", Edit{Do: "set distinct", Kind: "off"}, "SELECT a.x FROM t.a"},
		{short, Edit{Do: "first of each", Texts: []string{"a.x"}, Name: "a.y", Kind: "descending"}, "SELECT DISTINCT ON (a.x) a.x, a.y FROM t.a AS a ORDER BY a.x, a.y DESC"},
		{short, Edit{Do: "add block", Name: "t.old", Texts: []string{"{new}.x", ""}}, short + "\nUNION ALL\nSELECT\n  o.x, NULL\nFROM t.old AS o"},
		{short, Edit{Do: "add block", Name: "t.old", Names: []string{"x", ""}}, short + "\nUNION ALL\nSELECT\n  o.x, NULL\nFROM t.old AS o"},
		{short, Edit{Do: "add block", Name: "t.old", Names: []string{"order", "Odd one"}}, short + "\nUNION ALL\nSELECT\n  o.\"order\", o.\"Odd one\"\nFROM t.old AS o"},
		{union, Edit{Do: "remove block", Block: 0}, "SELECT b.p AS x, b.q AS z FROM t.b"},
		{union, Edit{Do: "remove block", Block: 1}, "SELECT a.x, a.y AS z FROM t.a"},
		{short, Edit{Do: "clean output", At: 0, Clean: &Clean{Step: StepTrim}}, "SELECT btrim(a.x) AS x, a.y FROM t.a AS a"},
		{short, Edit{Do: "clean output", At: 1, Kind: "integer", Clean: &Clean{Step: StepFill, Value: "0"}}, "SELECT a.x, coalesce(a.y, 0) AS y FROM t.a AS a"},
		{short, Edit{Do: "clean output", At: 1, Kind: "date", Clean: &Clean{Step: StepFill, Value: "9999-12-31"}}, "SELECT a.x, coalesce(a.y, date '9999-12-31') AS y FROM t.a AS a"},
		{short, Edit{Do: "clean output", At: 0, Clean: &Clean{Step: StepType, Value: "date", From: []string{"n/a", "it's lost"}}},
			"SELECT CASE WHEN a.x IN ('n/a', 'it''s lost') THEN NULL ELSE CAST(a.x AS date) END AS x, a.y FROM t.a AS a"},
		{short, Edit{Do: "clean output", At: 0, Clean: &Clean{Step: StepMap, From: []string{"1", "2"}, To: []string{"none", ""}}},
			"SELECT CASE a.x WHEN '1' THEN 'none' WHEN '2' THEN NULL ELSE a.x END AS x, a.y FROM t.a AS a"},
		{short, Edit{Do: "clean output", Items: []int{0, 1}, Clean: &Clean{Step: StepTrim}}, "SELECT btrim(a.x) AS x, btrim(a.y) AS y FROM t.a AS a"},
		{"SELECT upper(a.x) FROM t.a", Edit{Do: "clean output", Clean: &Clean{Step: StepTrim}}, "SELECT btrim(upper(a.x)) AS upper FROM t.a"},
		{short, Edit{Do: "cast output", At: 1, Kind: "text"}, "SELECT a.x, CAST(a.y AS text) AS y FROM t.a AS a"},
		{short, Edit{Do: "cast output", Items: []int{1, 0}, Kind: "numeric(10,2)"}, "SELECT CAST(a.x AS numeric(10,2)) AS x, CAST(a.y AS numeric(10,2)) AS y FROM t.a AS a"},
		{"SELECT CAST(a.x + 1 AS text) AS k FROM t.a", Edit{Do: "cast output", Kind: "date"}, "SELECT CAST(a.x + 1 AS date) AS k FROM t.a"},
		{"SELECT (a.x + 1)::text FROM t.a", Edit{Do: "cast output", Kind: "date"}, "SELECT CAST((a.x + 1) AS date) AS text FROM t.a"},
		{"SELECT CAST(a.x AS text) FROM t.a", Edit{Do: "cast output"}, "SELECT a.x FROM t.a"},
		{"", Edit{Do: "add input", Name: "verbatim('lending', $$ SELECT 1 AS n $$)"}, "SELECT\n  v.*\nFROM verbatim('lending', $$ SELECT 1 AS n $$) AS v"},
		{short, Edit{Do: "add input", Name: "verbatim('s', $$ SELECT b.x FROM b $$)", Kind: "inner", Texts: []string{"{new}.x = a.x"}}, short + " JOIN verbatim('s', $$ SELECT b.x FROM b $$) AS v ON v.x = a.x"},
		{short, Edit{Do: "clean output", At: 0, Clean: &Clean{Step: StepJoin, Value: ", ", With: []string{"a.y"}}}, "SELECT concat_ws(', ', a.x, a.y) AS x, a.y FROM t.a AS a"},
	} {
		got, err := Apply(c.sql, c.e)
		if err != nil {
			t.Errorf("%+v: %v", c.e, err)
			continue
		}
		if whole := got == c.want; !whole && (len(c.sql) < len(loans) || !strings.Contains(got, c.want)) {
			t.Errorf("%+v\ngot  %s\nwant %s", c.e, got, c.want)
		}
	}
}

// An edit that cannot be made says why, and bad ones never panic.
func TestEditsAreRefused(t *testing.T) {
	const short = "SELECT a.x FROM t.a"
	for _, c := range []struct {
		sql, want string
		e         Edit
	}{
		{short, "no edit called", Edit{Do: "paint"}},
		{short, "not one expression", Edit{Do: "add output", Text: "a.y, a.z"}},
		{short, "not one expression", Edit{Do: "add output", Text: "a.y FROM t.b"}},
		{short, "comment", Edit{Do: "add output", Text: "a.y -- hm"}},
		{short, "syntax", Edit{Do: "add filter", Text: "a.y +"}},
		{short, "one output column has to be left", Edit{Do: "remove output", At: 0}},
		{short, "no output column", Edit{Do: "remove output", At: 7}},
		{short, "only input", Edit{Do: "remove input", At: 0}},
		{short, "first input joins nothing", Edit{Do: "set join", Kind: "left"}},
		{"SELECT 1 EXCEPT SELECT 2", "EXCEPT is edited in the SQL", Edit{Do: "add output", Text: "1"}},
		{"", "nothing to edit", Edit{Do: "add output", Text: "1"}},
		{"SELECT a.x FROM t.a, (SELECT a.y FROM t.b AS a) AS q", "means different inputs", Edit{Do: "set alias", Name: "z"}},
		{short + " ORDER BY 1", "order or a limit", Edit{Do: "add block", Name: "t.b", Texts: []string{"1"}}},
		{short, "no statement as it stands", Edit{Do: "add input", Name: "verbatim('s', $$ SELECT 1 $$), t.b", Kind: "cross"}},
		{short, "no statement as it stands", Edit{Do: "add input", Name: "verbatim('s', $$ SELECT 1 $$) AS q", Kind: "cross"}},
		{short, "type", Edit{Do: "cast output", Kind: "colour"}},
		{"SELECT * FROM t.a", "no values of its own", Edit{Do: "cast output", Kind: "text"}},
		{short, "how it is to be cleaned", Edit{Do: "clean output"}},
		{short, "invalid", Edit{Do: "clean output", Kind: "date", Clean: &Clean{Step: StepFill, Value: "soon"}}},
	} {
		if got, err := Apply(c.sql, c.e); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v gave %q, %v", c.e, got, err)
		}
	}
	for _, sql := range []string{short, loans, "SELECT 1", "SELECT a.x FROM t.a UNION SELECT 2"} {
		for do := range edits() {
			for _, at := range []int{-2, 0, 9} {
				_, _ = Apply(sql, Edit{Do: do, At: at, To: at, Block: max(at, 0) / 9, Items: []int{at}, Clean: &Clean{}})
			}
		}
	}
}
