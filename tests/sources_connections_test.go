package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"rovik/app/project"
	"rovik/connect"
)

// A run whose statements need more connections of a source than there are neither waits
// for itself nor loses rows, and is stopped at the source though all are taken.
func TestFewConnectionsAreEnough(t *testing.T) {
	ctx := context.Background()
	for _, source := range []string{"lending", "registry"} {
		if err := museum.Sources.SetLimits(ctx, source, connect.Limits{Connections: 2}); err != nil {
			t.Fatal(err)
		}
		defer func() {
			if err := museum.Sources.SetLimits(ctx, source, connect.Limits{}); err != nil {
				t.Error(err)
			}
		}()
	}
	for source, tables := range map[string][2]string{"lending": {"lending.loan_lines", "lending.couriers"}, "registry": {"registry.objects", "registry.makers"}} {
		// Three statements of many rows each, joined through values that only Rovik has.
		many := fmt.Sprintf("(SELECT row_number() OVER (ORDER BY 1) AS k FROM %[1]s a CROSS JOIN (SELECT 1 AS one FROM %[1]s LIMIT 60) b)", tables[0])
		sql := fmt.Sprintf("SELECT count(*), count(x.k), count(y.k), count(z.k), count(v.k) FROM %[1]s x FULL JOIN (VALUES (1), (2), (-1)) v(k) ON v.k = x.k FULL JOIN %[1]s y ON y.k = v.k FULL JOIN %[1]s z ON z.k = y.k", many)
		report, err := museum.Now().Explain(t.Context(), project.Query{SQL: sql})
		if err != nil || len(report.Statements) < 3 {
			t.Fatalf("%s: %d statements, %v", source, len(report.Statements), err)
		}
		within, cancel := context.WithTimeout(ctx, 60*time.Second)
		got, _ := ours(within, museum, sql, false)
		cancel()
		if got.err != nil || len(got.rows) != 1 {
			t.Errorf("%s: %v, %v", source, got.rows, got.err)
			continue
		}
		// n rows each of x, y and z, and three of v; two of v meet x and y, and all of y meet z.
		var all, x, y, z, v int
		if _, err := fmt.Sscanf(strings.ReplaceAll(strings.TrimSuffix(got.rows[0], "|"), "|", " "), "%d %d %d %d %d", &all, &x, &y, &z, &v); err != nil || x < 40_000 || y != x || z != x || v != 3 || all != 2*x-1 {
			t.Errorf("%s gives %s", source, got.rows[0])
		}
	}
	// Stopping reaches MariaDB while the connection for statements is taken.
	run, err := museum.Now().Start(ctx, project.Query{SQL: "SELECT count(*) FROM lending.loan_lines a JOIN lending.loan_lines b ON a.loan_id <> b.loan_id JOIN lending.loan_lines c ON c.loan_id <> a.loan_id AND c.object_no <> b.object_no"}, project.NewRunID())
	if err != nil {
		t.Fatal(err)
	}
	ended := make(chan error, 1)
	go func() {
		_, err := run.Next()
		ended <- err
	}()
	db, err := env.MariaDB.MariaDB("lending")
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	working := func() (n int) {
		if err := db.QueryRow("SELECT COUNT(*) FROM information_schema.processlist WHERE info LIKE '/* Rovik run%loan_lines%'").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	wait := func(want int, most time.Duration) time.Duration {
		began := time.Now()
		for working() != want && time.Since(began) < most {
			<-time.After(5 * time.Millisecond)
		}
		return time.Since(began)
	}
	wait(1, 10*time.Second)
	run.Stop()
	if took := wait(0, 5*time.Second); took >= 2*time.Second {
		t.Errorf("the server worked for %v after the stop", took)
	}
	if err := <-ended; err == nil {
		t.Error("the run ended as if it were whole")
	}
	run.Close()
}
