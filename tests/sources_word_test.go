package tests

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"rovik/app/project"
	"rovik/app/runs"
	"rovik/core/exec"
)

func queryOf(sql string) project.Query { return project.Query{SQL: sql} }

var spaces = regexp.MustCompile(`\s+`)

// logged returns the statements of a run as the server itself logged them,
// white space folded, its parameters put aside.
func logged(t *testing.T, path, runID string, want int) []string {
	t.Helper()
	comment := strings.TrimSpace(exec.Comment(runID))
	deadline := time.Now().Add(10 * time.Second)
	for {
		b, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		var found []string
		for _, entry := range strings.Split(string(b), comment)[1:] {
			// An entry ends where the next one starts, with a time.
			if end := entryStart.FindStringIndex(entry); end != nil {
				entry = entry[:end[0]]
			}
			found = append(found, strings.TrimSpace(spaces.ReplaceAllString(entry, " ")))
		}
		if len(found) >= want || time.Now().After(deadline) {
			return found
		}
		<-time.After(10 * time.Millisecond) // the server writes its log when it likes
	}
}

// keyList is a list of shipped keys as the servers log it.
var keyList = regexp.MustCompile(`IN \((\?|\$\d+::\w+)(, (\?|\$\d+::\w+))+\)`)

var entryStart = regexp.MustCompile(`\n(\d{4}-\d\d-\d\d|\d{6} |\t\t|\s+\d+ (Query|Execute|Prepare|Close|Quit|Connect|Statistics|Reset))`)

// What the sources log is what Rovik reports, statement by statement, with the
// comment that names the run.
func TestSourcesReceivedWhatIsReported(t *testing.T) {
	ctx := context.Background()
	for _, sql := range []string{
		"SELECT * FROM joined.object_on_loan o WHERE o.material = 'paper'",
		"SELECT * FROM delivery.uninsured_by_country",
		"SELECT count(*) FROM registry.objects WHERE kind = 'print'",
		"SELECT status, count(*) FROM lending.loans WHERE loan_id < 50 GROUP BY status",
		"SELECT * FROM delivery.insured_value_by_borrower",
	} {
		id := project.NewRunID()
		run, err := museum.Now().Start(ctx, queryOf(sql), id)
		if err != nil {
			t.Fatal(err)
		}
		if err := runs.WriteResult(discard{}, "csv", run); err != nil {
			t.Fatal(err)
		}
		run.Close()
		want := map[string][]string{}
		for _, s := range run.Report().Statements {
			want[s.Source] = append(want[s.Source], spaces.ReplaceAllString(s.Text, " "))
		}
		compare := func(source, path string, once func([]string) []string) {
			got := once(logged(t, path, id, len(want[source])))
			for i := range got {
				if strings.Contains(strings.Join(want[source], ""), "…keys…") {
					got[i] = keyList.ReplaceAllString(got[i], "IN (…keys…)")
				}
			}
			if fmt.Sprint(sorted(got)) != fmt.Sprint(sorted(want[source])) {
				t.Errorf("%s: %s received\n  %s\nand the report says\n  %s", sql, source, strings.Join(got, "\n  "), strings.Join(want[source], "\n  "))
			}
		}
		compare("registry", env.Postgres.LogFile, func(got []string) []string { return got })
		compare("lending", filepath.Join(env.MariaDB.Dir, "statements.log"), withoutExecutions)
	}
}

// withoutExecutions drops MariaDB's second entry for a prepared statement,
// which shows it with its parameters filled in.
func withoutExecutions(entries []string) []string {
	var out []string
	for _, e := range entries {
		if len(out) > 0 && strings.Contains(out[len(out)-1], "?") && !strings.Contains(e, "?") {
			continue
		}
		out = append(out, e)
	}
	return out
}

func sorted(s []string) []string {
	out := append([]string{}, s...)
	for i := range out {
		for j := i; j > 0 && out[j] < out[j-1]; j-- {
			out[j], out[j-1] = out[j-1], out[j]
		}
	}
	return out
}

type discard struct{}

func (discard) Write(p []byte) (int, error) { return len(p), nil }

// No password is in anything that Rovik wrote or that the servers logged of it.
func TestPasswordsStayWhereTheyAre(t *testing.T) {
	var secrets []string
	for _, name := range []string{"registry", "lending"} {
		b, err := os.ReadFile(filepath.Join(env.Home, "secrets", name))
		if err != nil {
			t.Fatal(err)
		}
		secrets = append(secrets, string(b))
	}
	files, err := filepath.Glob(filepath.Join(env.Home, "records*"))
	if err != nil || len(files) == 0 {
		t.Fatalf("no records: %v", err)
	}
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range secrets {
			if strings.Contains(string(b), s) {
				t.Errorf("%s holds a password", f)
			}
		}
	}
}

// A stopped run ends at MariaDB too, where the driver alone would let the
// statement go on.
func TestStopReachesMariaDB(t *testing.T) {
	ctx := context.Background()
	run, err := museum.Now().Start(ctx, queryOf(`SELECT count(*) FROM lending.loan_lines a JOIN lending.loan_lines b ON a.packing = b.packing JOIN lending.loan_lines c ON c.packing = b.packing AND c.crates + 0.5 > a.crates + 0.25`), project.NewRunID())
	if err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	go func() {
		defer run.Close()
		_, err := run.Next()
		ended <- err
	}()
	admin, err := env.MariaDB.MariaDB("")
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close()
	await := func(want int) {
		t.Helper()
		for deadline := time.Now().Add(20 * time.Second); ; {
			var n int
			if err := admin.QueryRow("SELECT COUNT(*) FROM information_schema.processlist WHERE command IN ('Query', 'Execute') AND info LIKE '/* Rovik run%'").Scan(&n); err != nil {
				t.Fatal(err)
			}
			if n == want {
				return
			}
			if time.Now().After(deadline) {
				t.Fatalf("MariaDB runs %d statements of Rovik, not %d", n, want)
			}
		}
	}
	await(1)
	run.Stop()
	if err := <-ended; err == nil || !strings.Contains(err.Error(), "stopped") {
		t.Errorf("the run ended with %v", err)
	}
	await(0)
}

// A limit that Rovik applies ends the reading early.
func TestLimitStopsReading(t *testing.T) {
	report, err := museum.Now().RunThrough(context.Background(), queryOf(`SELECT a.move_id FROM registry.location_history a CROSS JOIN registry.location_history b LIMIT 5`))
	if err != nil {
		t.Fatal(err)
	}
	if *report.RowsReturned != 5 {
		t.Errorf("%d rows came out", *report.RowsReturned)
	}
}
