package tests

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/parquet/file"

	"rovik/app"
	"rovik/core/explain"

	"rovik/demo"
)

var buildOnce = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "rovik-bin-")
	if err != nil {
		return "", err
	}
	bin := filepath.Join(dir, "rovik")
	out, err := exec.Command("go", "build", "-o", bin, "../cmd/rovik").CombinedOutput()
	if err != nil {
		return "", errors.New(string(out))
	}
	return bin, nil
})

// rovik runs the command on the tests' project.
func rovik(t *testing.T, home string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	bin, err := buildOnce()
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(bin, append([]string{"--home", home}, args...)...)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err = cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return out.String(), errs.String(), exit.ExitCode()
	}
	if err != nil {
		t.Fatal(err)
	}
	return out.String(), errs.String(), 0
}

// Parameters come by --param, in their order; \N is NULL. What is wrong with one is said at its place.
func TestParametersOfCommands(t *testing.T) {
	out, errs, code := rovik(t, env.Home, "query", "SELECT count(*) AS n, $3 IS NULL AS missing FROM registry.objects WHERE object_id < $1 AND title <> $2", "-p", "40", "--param", "it's; --", "-p", `\N`, "--format", "csv")
	if code != 0 || !strings.HasPrefix(out, "n,missing\n3") || !strings.HasSuffix(out, ",true\n") {
		t.Errorf("%d %s %s", code, out, errs)
	}
	out, _, code = rovik(t, env.Home, "explain", "SELECT object_id FROM registry.objects WHERE object_id = $1", "-p", "7")
	if code != 0 || !strings.Contains(out, "with 7") {
		t.Errorf("explained: %d %s", code, out)
	}
	for value, want := range map[string]string{"seven": "invalid input syntax", "": "invalid input syntax"} {
		if _, errs, code = rovik(t, env.Home, "query", "SELECT $1::integer", "-p", value); code == 0 || !strings.Contains(errs, want) {
			t.Errorf("%q: %d %s", value, code, errs)
		}
	}
	if _, errs, code = rovik(t, env.Home, "query", "SELECT $1::integer"); code == 0 || !strings.Contains(errs, "there is no parameter $1") {
		t.Errorf("without one: %d %s", code, errs)
	}
}

func TestQueryFormats(t *testing.T) {
	const sql = "SELECT s.site_id, s.code, s.opened_on, count(*) AS rooms, avg(r.floor) AS floor FROM registry.sites s JOIN registry.rooms r ON r.site_id = s.site_id GROUP BY s.site_id, s.code, s.opened_on ORDER BY 1"
	want, _ := ours(context.Background(), museum, sql, false)
	if len(want.rows) < 5 {
		t.Fatal("too few rows to test with")
	}
	out, errs, code := rovik(t, env.Home, "query", sql, "--format", "csv")
	records, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	if code != 0 || err != nil || len(records) != len(want.rows)+1 || records[0][3] != "rooms" {
		t.Errorf("csv: %d %s %v %v", code, errs, err, records)
	}
	out, _, _ = rovik(t, env.Home, "query", sql, "--format", "json")
	var objects []map[string]any
	if err := json.Unmarshal([]byte(out), &objects); err != nil || len(objects) != len(want.rows) || objects[0]["site_id"] != 1.0 {
		t.Errorf("json: %v %v", err, objects)
	}
	out, _, _ = rovik(t, env.Home, "query", sql)
	if !strings.Contains(out, "site_id") || strings.Count(out, "\n") != len(want.rows)+2 {
		t.Errorf("table:\n%s", out)
	}
	out, _, _ = rovik(t, env.Home, "query", sql, "--format", "arrow")
	r, err := ipc.NewReader(strings.NewReader(out))
	if err != nil {
		t.Fatalf("arrow: %v", err)
	}
	rows := int64(0)
	for r.Next() {
		rows += r.RecordBatch().NumRows()
	}
	if rows != int64(len(want.rows)) || r.Err() != nil {
		t.Errorf("arrow: %d rows, %v", rows, r.Err())
	}
	reportFile := filepath.Join(t.TempDir(), "report.json")
	out, _, _ = rovik(t, env.Home, "query", sql, "--format", "parquet", "--report", reportFile)
	pq, err := file.NewParquetReader(bytes.NewReader([]byte(out)))
	if err != nil || pq.NumRows() != int64(len(want.rows)) {
		t.Errorf("parquet: %v", err)
	}
	b, err := os.ReadFile(reportFile)
	var rep explain.Report
	if err != nil || json.Unmarshal(b, &rep) != nil || rep.RowsCrossed == nil || *rep.RowsReturned != int64(len(want.rows)) {
		t.Errorf("the report file: %v %s", err, b)
	}
	off, _, _ := rovik(t, env.Home, "query", sql, "--fold=off", "--format", "csv")
	on, _, _ := rovik(t, env.Home, "query", sql, "--fold=on", "--format", "csv")
	if off != on {
		t.Errorf("folding changes the rows:\n%s\n%s", off, on)
	}
}

// explain --format json has the documented keys, with true contents.
func TestExplainJSON(t *testing.T) {
	out, errs, code := rovik(t, env.Home, "explain", "SELECT * FROM joined.object_on_loan WHERE material = 'paper'", "--format", "json")
	if code != 0 {
		t.Fatal(errs)
	}
	var raw map[string]any
	if err := json.Unmarshal([]byte(out), &raw); err != nil {
		t.Fatal(err)
	}
	for _, key := range []string{"columns", "pieces", "statements", "operators", "planMilliseconds"} {
		if raw[key] == nil {
			t.Errorf("there is no %s", key)
		}
	}
	if raw["rowsCrossed"] != nil {
		t.Error("rows crossed without a run")
	}
	var rep explain.Report
	if err := json.Unmarshal([]byte(out), &rep); err != nil {
		t.Fatal(err)
	}
	sources := map[string]bool{}
	for _, s := range rep.Statements {
		sources[s.Source] = true
		if s.Rows != nil || s.EstimatedRows <= 0 {
			t.Errorf("%s has rows %v, estimated %d", s.ID, s.Rows, s.EstimatedRows)
		}
	}
	if !sources["registry"] || !sources["lending"] || len(sources) != 2 {
		t.Errorf("sources %v", sources)
	}
	for _, p := range rep.Pieces {
		text := museum.Now().Catalog().View(p.View)
		sql := "SELECT * FROM joined.object_on_loan WHERE material = 'paper'"
		if text != nil {
			sql = text.SQL
		}
		if got := strings.Join(strings.Fields(sql[p.Span[0]:p.Span[1]]), " "); got != p.Text {
			t.Errorf("%s: the span of %q in %q holds %q", p.ID, p.Text, p.View, got)
		}
		if (p.Verdict == "folded") != (p.Reason == nil) || p.Reason != nil && (p.Reason.Code == "" || p.Reason.Text == "" || p.Reason.Remedy == "") {
			t.Errorf("%s %s has the reason %+v", p.ID, p.Verdict, p.Reason)
		}
	}
	ran, _, _ := rovik(t, env.Home, "explain", "SELECT * FROM joined.object_on_loan", "--run")
	if !strings.Contains(ran, "rows crossed in") || !strings.Contains(ran, "filter l.status = 'out', in joined.open_loan") {
		t.Errorf("explain --run says\n%s", ran)
	}
	if strings.Count(ran, "\n") > 50 {
		t.Errorf("the note for a demo view is %d lines long", strings.Count(ran, "\n"))
	}
	for _, v := range demo.Views {
		note, _, _ := rovik(t, env.Home, "explain", "SELECT * FROM "+v.FullName())
		if n := strings.Count(note, "\n"); n > 50+8*strings.Count(note, "rows cross") {
			t.Errorf("the note for %s is %d lines long", v.FullName(), n)
		}
	}
	why, _, _ := rovik(t, env.Home, "explain", "SELECT l.status, o.title FROM lending.loans l JOIN lending.loan_lines n ON n.loan_id = l.loan_id JOIN registry.objects o ON o.accession_no = n.object_no WHERE l.loan_id = 3", "--rewrites", "--source-plan")
	for _, want := range []string{"after push filters", "Rewrites:", "carry", "how lending would run it", "key: PRIMARY", "how registry would run it"} {
		if !strings.Contains(why, want) {
			t.Errorf("explain --rewrites --source-plan lacks %q:\n%s", want, why)
		}
	}

}

func TestCommandErrors(t *testing.T) {
	empty := t.TempDir()
	secret := filepath.Join(empty, "wrong")
	if err := os.WriteFile(secret, []byte("wrong password"), 0o600); err != nil {
		t.Fatal(err)
	}
	port := func(p int) string { return strings.TrimSpace(jsonNumber(p)) }
	for _, c := range []struct {
		home string
		args []string
		code int
		says []string
	}{
		{env.Home, []string{"query", "SELECT titel\nFROM registry.objects"}, 1, []string{`error: no column is called "titel"`, "line 1, column 8", "SELECT titel", "       ^", "did you mean title?"}},
		{env.Home, []string{"query", "SELECT 'é' || titel FROM registry.objects"}, 1, []string{"line 1, column 15"}},
		{env.Home, []string{"query", "SELECT 1 /\n (made_from - made_from) FROM registry.objects"}, 1, []string{"division by zero"}},
		{env.Home, []string{"query"}, 2, []string{"error: accepts 1 arg(s)"}},
		{env.Home, []string{"query", "SELECT 1", "--format", "xml"}, 2, []string{"--format takes table, csv, json, parquet, arrow"}},
		{env.Home, []string{"query", "SELECT 1", "--fold=maybe"}, 2, []string{"--fold takes on, off"}},
		{env.Home, []string{"query", "SELECT 1", "--nothing"}, 2, []string{"unknown flag"}},
		{env.Home, []string{"source", "test", "registri"}, 1, []string{`no source is called "registri"`, "did you mean registry?"}},
		{env.Home, []string{"lineage", "delivery.loan_riks"}, 1, []string{"did you mean delivery.loan_risk?"}},
		{empty, []string{"source", "add", "x", "sqlite", "--path", "/no/such/file.db"}, 1, []string{"there is no SQLite file at /no/such/file.db", "check the path"}},
		{empty, []string{"source", "add", "x", "sqlite", "--path", secret}, 1, []string{"not a database", "check that"}},
		{empty, []string{"source", "add", "x", "oracle9"}, 1, []string{"no kind of source", "there is postgresql, mariadb, sqlite, document, parquet, csv, json and xml"}},
		{empty, []string{"source", "add", "select", "sqlite"}, 1, []string{"is a word of SQL"}},
		{empty, []string{"source", "add", "Bad Name", "sqlite"}, 1, []string{"cannot be the name of a source"}},
		{empty, []string{"source", "add", "x", "postgresql", "--port", "1", "--user", "u", "--database", "d"}, 1, []string{"no PostgreSQL server answers at 127.0.0.1:1", "start it"}},
		{empty, []string{"source", "add", "x", "mariadb", "--port", "1", "--user", "u", "--database", "d"}, 1, []string{"no MariaDB server answers at 127.0.0.1:1"}},
		{empty, []string{"source", "add", "x", "postgresql", "--port", port(env.Postgres.Port), "--user", "rovik_reader", "--database", "registry", "--secret", "file:" + secret}, 1, []string{"did not accept the user rovik_reader", "check the password"}},
		{empty, []string{"source", "add", "x", "mariadb", "--port", port(env.MariaDB.Port), "--user", "rovik_reader", "--database", "lending", "--secret", "file:" + secret}, 1, []string{"did not accept the user rovik_reader"}},
		{empty, []string{"source", "add", "x", "mariadb", "--port", port(env.MariaDB.Port), "--user", "u", "--database", "d", "--secret", "env:ROVIK_NO_SUCH"}, 1, []string{"ROVIK_NO_SUCH", "is not set"}},
		{empty, []string{"query", "SELECT * FROM registry.objects"}, 1, []string{"no table or view is called"}},
	} {
		out, errs, code := rovik(t, c.home, c.args...)
		for _, s := range c.says {
			if !strings.Contains(errs, s) {
				t.Errorf("%v says %q, without %q", c.args, errs, s)
			}
		}
		if code != c.code || !strings.HasPrefix(errs, "error: ") || strings.Contains(errs, "wrong password") || out != "" && c.code == 2 {
			t.Errorf("%v exits %d: %s%s", c.args, code, out, errs)
		}
	}
	if out, _, _ := rovik(t, empty, "source", "list"); out != "" {
		t.Errorf("something was kept of sources that failed: %s", out)
	}
}

func jsonNumber(n int) string {
	b, _ := json.Marshal(n)
	return string(b)
}

func TestOtherCommands(t *testing.T) {
	for _, c := range []struct {
		args []string
		says []string
	}{
		{[]string{"source", "list"}, []string{"archive", "sqlite", "lending", "mariadb", "registry", "postgresql"}},
		{[]string{"source", "test", "lending"}, []string{"lending answers: mariadb", "6 tables"}},
		{[]string{"source", "refresh", "archive"}, []string{"archive refreshed: sqlite"}},
		{[]string{"check"}, []string{"0 broken"}},
		{[]string{"lineage", "delivery.uninsured_by_country.uninsured"}, []string{"uninsured (numeric)", "lending.loan_lines.insured_value  aggregated", "registry.public.objects.value_estimate  aggregated", "lending.loans.status  influences by filter", "lending.institutions.country  influences by group"}},
		{[]string{"lineage", "joined.open_loan", "--downstream"}, []string{"delivery.loan_risk", "delivery.uninsured_by_country", "joined.object_on_loan"}},
		{[]string{"lineage", "intake.object.kind", "--format", "json"}, []string{`"via": "transformed"`, `"column": "kind"`}},
		{[]string{"explain", "SELECT count(*) FROM registry.objects", "--rewrites"}, []string{"after prune columns", "COUNT(*)", "1 of 1 pieces folded"}},
	} {
		out, errs, code := rovik(t, env.Home, c.args...)
		for _, s := range c.says {
			if !strings.Contains(out, s) {
				t.Errorf("%v prints without %q:\n%s%s", c.args, s, out, errs)
			}
		}
		if code != 0 {
			t.Errorf("%v exits %d: %s", c.args, code, errs)
		}
	}
}

// A view that is saved can be queried by name from the command line, and check
// finds it when what it reads goes.
func TestCheckFindsBrokenViews(t *testing.T) {
	home := t.TempDir()
	dbPath := filepath.Join(filepath.Dir(env.Home), "archive.db")
	if _, errs, code := rovik(t, home, "source", "add", "archive", "sqlite", "--path", dbPath); code != 0 {
		t.Fatal(errs)
	}
	a, err := app.Open(context.Background(), home)
	if err != nil {
		t.Fatal(err)
	}
	err = a.Views.Setup(context.Background(), layersOf("clean"), viewsOf("clean", "loans", "SELECT c.loan_no FROM archive.closed_loans AS c"))
	if err != nil {
		t.Fatal(err)
	}
	if err := a.Close(); err != nil {
		t.Fatal(err)
	}
	if out, errs, code := rovik(t, home, "query", "SELECT count(*) AS n FROM clean.loans", "--format", "csv"); code != 0 || out != "n\n1500\n" {
		t.Errorf("%d %s %s", code, out, errs)
	}
	other := makeSQLite(t, "CREATE TABLE closed_loans (number TEXT)")
	if _, errs, code := rovik(t, home, "source", "add", "archive", "sqlite", "--path", other, "--replace"); code != 0 {
		t.Fatal(errs)
	}
	out, errs, code := rovik(t, home, "check")
	if code != 1 || !strings.Contains(errs, "clean.loans is broken") || !strings.Contains(errs, `no column is called "c.loan_no"`) || !strings.Contains(out, "1 broken") {
		t.Errorf("check exits %d: %s%s", code, out, errs)
	}
}
