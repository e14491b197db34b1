package form

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/value"
)

// museum is a catalogue of two sources and a view, for what binding tells of a form.
func museum() bind.Context {
	col := func(name string, k value.Kind) catalog.Column { return catalog.Column{Name: name, Type: value.Of(k)} }
	text := func(name, collation string) catalog.Column {
		return catalog.Column{Name: name, Type: value.Of(value.Text), Collation: collation}
	}
	loans := &catalog.Table{Source: "lending", Name: "loans", Columns: []catalog.Column{col("loan_id", value.Int4), text("code", "general_ci"), col("due_on", value.Date)}, Keys: []catalog.Key{{Columns: []string{"loan_id"}, Primary: true}}}
	lines := &catalog.Table{Source: "lending", Name: "lines", Columns: []catalog.Column{col("loan_id", value.Int4), col("line_no", value.Int2), text("object_no", "general_ci"), col("amount", value.Numeric)}, Keys: []catalog.Key{{Columns: []string{"loan_id", "line_no"}, Primary: true}}}
	objects := &catalog.Table{Source: "registry", Name: "objects", Columns: []catalog.Column{col("object_id", value.Int8), text("accession_no", "C"), text("title", "C")}, Keys: []catalog.Key{{Columns: []string{"object_id"}, Primary: true}, {Columns: []string{"accession_no"}}}}
	views := []*catalog.View{{Layer: "intake", Name: "line", SQL: "SELECT l.loan_id, l.object_no AS no, l.amount * 2 AS doubled FROM lending.lines AS l"}}
	return bind.Context{Now: time.Unix(0, 0), Catalog: catalog.New([]*catalog.Source{{Name: "lending", Kind: "mariadb", Tables: []*catalog.Table{loans, lines}}, {Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{objects}}},
		[]catalog.Layer{{Name: "intake"}}, views)}
}

func factsOf(t *testing.T, sql string) (*Form, *Facts, error) {
	t.Helper()
	f, err := Of(sql)
	if err != nil {
		t.Fatal(err)
	}
	facts, err := FactsOf(museum(), sql, f)
	return f, facts, err
}

// A join says which of its sides may repeat the other's rows, what is compared, and
// where each side comes from, through views and casts.
func TestJoinFacts(t *testing.T) {
	for _, c := range []struct{ sql, want string }{
		{"SELECT 1 FROM lending.loans AS l JOIN lending.lines AS n ON n.loan_id = l.loan_id", "left unique: l.loan_id integer lending = n.loan_id integer lending"},
		{"SELECT 1 FROM lending.lines AS n JOIN lending.loans AS l ON n.loan_id = l.loan_id", "right unique: n.loan_id integer lending = l.loan_id integer lending"},
		{"SELECT 1 FROM lending.lines AS n JOIN lending.lines AS m ON n.loan_id = m.loan_id AND n.line_no = m.line_no", "left unique right unique: n.loan_id integer lending = m.loan_id integer lending, n.line_no smallint lending = m.line_no smallint lending"},
		{"SELECT 1 FROM lending.lines AS n JOIN registry.objects AS o ON o.accession_no = n.object_no", "right unique: n.object_no text lending general_ci = o.accession_no text registry C"},
		{"SELECT 1 FROM intake.line AS v LEFT JOIN registry.objects AS o ON v.no = o.accession_no", "right unique: v.no text lending general_ci = o.accession_no text registry C"},
		{"SELECT 1 FROM intake.line AS v JOIN registry.objects AS o ON upper(v.no) = upper(o.accession_no)", ": upper(v.no) text lending general_ci = upper(o.accession_no) text registry C"},
		{"SELECT 1 FROM lending.lines AS n JOIN registry.objects AS o ON n.line_no = o.object_id", "right unique: n.line_no smallint lending = o.object_id bigint registry"},
		{"SELECT 1 FROM lending.lines AS n RIGHT JOIN lending.loans AS l ON n.loan_id = l.loan_id", "right unique: n.loan_id integer lending = l.loan_id integer lending"},
		{"SELECT 1 FROM lending.lines AS n JOIN lending.loans AS l ON n.loan_id < l.loan_id", ": "},
		{"SELECT 1 FROM lending.lines AS n JOIN lending.loans AS l USING (loan_id)", "right unique: n.loan_id integer lending = l.loan_id integer lending"},
	} {
		_, facts, err := factsOf(t, c.sql)
		if err != nil {
			t.Errorf("%s: %v", c.sql, err)
			continue
		}
		j := facts.Inputs[0][1].Join
		if j == nil {
			t.Errorf("%s: nothing is known of the join", c.sql)
			continue
		}
		var words, tests []string
		if j.LeftUnique {
			words = append(words, "left unique")
		}
		if j.RightUnique {
			words = append(words, "right unique")
		}
		side := func(s Side) string {
			return strings.Join(strings.Fields(fmt.Sprint(s.Text, " ", s.Type, " ", s.Source, " ", s.Collation)), " ")
		}
		for _, x := range j.Tests {
			if x.Left.Text == "" && x.Right.Text == "" { // of USING: the text has neither
				x.Left.Text, x.Right.Text = "n.loan_id", "l.loan_id"
			}
			tests = append(tests, side(x.Left)+" = "+side(x.Right))
		}
		if got := strings.Join(words, " ") + ": " + strings.Join(tests, ", "); got != c.want {
			t.Errorf("%s\ngot  %s\nwant %s", c.sql, got, c.want)
		}
	}
}

// Outputs are known with their types and with the table's column that they carry;
// of a text that does not bind, those before the mistake are.
func TestOutputFacts(t *testing.T) {
	for _, c := range []struct{ sql, want, problem string }{
		{"SELECT n.amount, n.* FROM lending.lines AS n", "amount numeric lending.lines.amount | loan_id integer lending.lines.loan_id, line_no smallint lending.lines.line_no, object_no text lending.lines.object_no, amount numeric lending.lines.amount", ""},
		{"SELECT v.no, v.doubled, upper(v.no) AS up FROM intake.line AS v", "no text lending.lines.object_no | doubled numeric | up text", ""},
		{"SELECT (l.due_on) AS day, CAST(l.code AS text) FROM lending.loans AS l", "day date lending.loans.due_on | code text", ""},
		{"SELECT q.object_no, q.n FROM (SELECT l.object_no, count(*) AS n FROM lending.lines AS l GROUP BY l.object_no) AS q", "object_no text lending.lines.object_no | n bigint", ""},
		{"WITH w AS (SELECT l.code FROM lending.loans AS l) SELECT w.code FROM w", "code text lending.loans.code", ""},
		{"SELECT l.code, l.nothing FROM lending.loans AS l", "code text lending.loans.code | ", "no column is called"},
		{"SELECT l.code FROM lending.loans AS l WHERE l.nothing > 1", "", "no column is called"},
	} {
		_, facts, err := factsOf(t, c.sql)
		if (err == nil) != (c.problem == "") || err != nil && !strings.Contains(err.Error(), c.problem) {
			t.Errorf("%s: %v", c.sql, err)
		}
		var outs []string
		for _, o := range facts.Outputs[0] {
			var cols []string
			for _, x := range o {
				text := x.Name + " " + x.Type
				if x.Table != "" {
					text += " " + x.Table + "." + x.Of
				}
				cols = append(cols, text)
			}
			outs = append(outs, strings.Join(cols, ", "))
		}
		if got := strings.Join(outs, " | "); got != c.want {
			t.Errorf("%s\ngot  %s\nwant %s", c.sql, got, c.want)
		}
		if len(facts.Inputs[0]) == 0 || len(facts.Inputs[0][0].Columns) == 0 {
			t.Errorf("%s: its inputs are not known", c.sql)
		}
	}
}

// An expression is of one input, of several or of none, by how its columns are
// called.
func TestInputOfAnExpression(t *testing.T) {
	f, facts, err := factsOf(t, "SELECT 1 FROM lending.loans AS l JOIN lending.lines AS n ON n.loan_id = l.loan_id")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		expr string
		at   int
		want string
	}{
		{"l.code", 0, ""}, {"n.object_no", 1, ""}, {"upper(btrim(n.object_no)) || '-'", 1, ""}, {"due_on", 0, ""}, {"object_no", 1, ""},
		{"coalesce(n.amount, n.line_no)", 1, ""}, {"l.code || n.object_no", 0, "is of several inputs"}, {"'a'", 0, "is of no input"}, {"x.code", 0, "is no column of an input"}, {"nothing", 0, "is no column of an input"},
		{"l.code, n.object_no", 0, "not one expression"}, {"l.code +", 0, "syntax error"},
	} {
		at, err := f.InputOf(facts, 0, c.expr)
		if c.want == "" && (err != nil || at != c.at) || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %d, %v", c.expr, at, err)
		}
	}
	if _, err := f.InputOf(facts, 3, "l.code"); err == nil {
		t.Error("a block that is not there has inputs")
	}
}

// A draft says what a row is, what is put together, and what is known besides.
func TestDescriptions(t *testing.T) {
	for _, c := range []struct {
		sql   string
		known Known
		want  string
	}{
		{"SELECT l.loan_id FROM lending.loans AS l", Known{Rows: 1200, Key: []string{"loan_id"}, Sources: []string{"lending"}}, "Rows of lending.loans. No two rows agree in loan_id. About 1,200 rows from lending."},
		{"SELECT l.code, upper(l.code) AS up FROM lending.loans AS l JOIN lending.lines AS n ON n.loan_id = l.loan_id LEFT JOIN registry.objects AS o ON o.accession_no = n.object_no WHERE l.due_on > date '2026-01-01' AND n.amount > 1", Known{Rows: -1},
			"Rows of lending.loans with lending.lines, and registry.objects where there is one. Only where l.due_on > date '2026-01-01' and n.amount > 1. Computed: up."},
		{"SELECT l.code, count(*) AS loans, max(l.due_on) AS last FROM lending.loans AS l GROUP BY l.code HAVING count(*) > 1", Known{Rows: 1, Key: []string{"code"}, Sources: []string{"lending", "registry"}},
			"One row for each code of lending.loans, with loans and last. Only groups where count(*) > 1. About 1 row from lending and registry."},
		{"SELECT DISTINCT ON (l.code) l.code FROM lending.loans AS l ORDER BY l.code, l.due_on DESC LIMIT 5", Known{Rows: -1}, "The first row for each l.code of lending.loans. The first 5 rows by l.code."},
		{"SELECT l.code FROM lending.loans AS l UNION SELECT v.no FROM intake.line AS v WHERE v.doubled > 3", Known{Rows: 7}, "Rows of lending.loans and intake.line under the same columns, each once. Of intake.line only where v.doubled > 3. About 7 rows."},
		{"SELECT q.code FROM (SELECT l.code FROM lending.loans AS l) AS q", Known{Rows: -1}, "Rows of a query."},
		{"SELECT 1 AS one", Known{Rows: 1}, "Rows of nothing but what is computed. About 1 row."},
		{"SELECT 1 AS one EXCEPT SELECT 2", Known{Rows: 1}, ""},
	} {
		f, facts, _ := factsOf(t, c.sql)
		if got := Describe(f, facts, c.known); got != c.want {
			t.Errorf("%s\ngot  %s\nwant %s", c.sql, got, c.want)
		}
	}
}
