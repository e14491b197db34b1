package tests

import (
	"context"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// A server that is killed while runs go on leaves nothing that works on in its sources, no
// files, and records that the next server goes on with.
func TestKilledWhileItRuns(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	s := serveOutside(t)
	long := []string{ // waits in the source; reads much of it; holds rows here
		"SELECT count(*) FROM registry.location_history AS a, registry.location_history AS b, registry.location_history AS c WHERE a.move_id + b.move_id + c.move_id < 0",
		"SELECT * FROM registry.location_history AS h JOIN registry.location_history AS i ON h.move_id < i.move_id",
		"SELECT i, repeat('x', 1000) FROM generate_series(1, 100000) AS s(i)",
	}
	for _, sql := range long {
		id, err := s.start(ctx, sql)
		if err != nil {
			t.Fatal(err)
		}
		go func() { _ = s.follow(ctx, id, 1<<30) }() // until the server is killed
	}
	working := func() (n int) {
		t.Helper()
		if err := reference.QueryRow(ctx, "SELECT count(*) FROM pg_stat_activity WHERE query LIKE '%Rovik run%' AND state <> 'idle' AND pid <> pg_backend_pid()").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	for working() == 0 {
		time.Sleep(20 * time.Millisecond)
	}
	time.Sleep(time.Second)
	s.kill()
	for began := time.Now(); working() > 0; time.Sleep(100 * time.Millisecond) {
		if time.Since(began) > 10*time.Second {
			t.Fatalf("%d statements still run at the source", working())
		}
	}
	if left, err := filepath.Glob(filepath.Join(env.Home, ".rows-*")); err != nil || len(left) > 0 {
		t.Errorf("%q are left, %v", left, err)
	}
	if out, errs, code := rovik(t, env.Home, "records", "check"); code != 0 {
		t.Errorf("the records: %s %s", out, errs)
	}
	next := serveOutside(t)
	if next.token != s.token {
		t.Error("the next server asks for another token")
	}
	id, err := next.start(ctx, "SELECT count(*) FROM registry.objects")
	if err != nil {
		t.Fatal(err)
	}
	if err := next.follow(ctx, id, 1<<30); err != nil {
		t.Fatal(err)
	}
	answer, err := next.ask(ctx, "GET", fmt.Sprintf("/runs/%s/rows?offset=0&limit=5", id), nil)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	if rows, err := io.ReadAll(answer.Body); err != nil || !strings.HasPrefix(string(rows), `[["`) {
		t.Errorf("the next server answers %s, %v", rows, err)
	}
}
