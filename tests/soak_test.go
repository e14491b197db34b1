package tests

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"rovik/demo"
)

// served is a server that is looked at from outside.
type served struct {
	url, token string
	cmd        *exec.Cmd
	killed     bool
}

// serveOutside serves the tests' project in a process of its own.
func serveOutside(t *testing.T, args ...string) *served {
	t.Helper()
	bin, err := buildOnce()
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(bin, append([]string{"--home", env.Home, "serve", "--addr", "127.0.0.1:0"}, args...)...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	s := &served{cmd: cmd}
	t.Cleanup(func() {
		if s.killed {
			return
		}
		_ = cmd.Process.Signal(syscall.SIGTERM)
		if err := cmd.Wait(); err != nil {
			t.Errorf("the server ended with %v", err)
		}
	})
	line, err := bufio.NewReader(out).ReadString('\n')
	at := regexp.MustCompile(`(http://\S+)/\?token=(\S+)`).FindStringSubmatch(line)
	if err != nil || at == nil {
		t.Fatalf("the server says %q, %v", line, err)
	}
	s.url, s.token = at[1], at[2]
	return s
}

// kill ends the server at once, whatever it does.
func (s *served) kill() {
	s.killed = true
	_ = s.cmd.Process.Kill()
	_ = s.cmd.Wait() // it was killed
}

// start starts a run, and returns its id.
func (s *served) start(ctx context.Context, sql string) (string, error) {
	status, answer, err := s.post(ctx, "/runs", map[string]any{"sql": sql, "limit": 100})
	if err != nil {
		return "", err
	}
	var run struct{ ID string }
	if err := json.Unmarshal(answer, &run); status != http.StatusOK || err != nil {
		return "", fmt.Errorf("starting a run: %d %s", status, answer)
	}
	return run.ID, nil
}

// ask sends a request of the API, with the server's token.
func (s *served) ask(ctx context.Context, method, path string, body io.Reader) (*http.Response, error) {
	r, err := http.NewRequestWithContext(ctx, method, s.url+"/api"+path, body)
	if err != nil {
		return nil, err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("Authorization", "Bearer "+s.token)
	return http.DefaultClient.Do(r)
}

// size returns the bytes of the process, and its open files.
func (s *served) size(t *testing.T) (mib, files int) {
	t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	if m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(status); m != nil {
		mib, _ = strconv.Atoi(string(m[1]))
		mib /= 1024
	}
	open, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", s.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	return mib, len(open)
}

func (s *served) post(ctx context.Context, path string, body any) (int, []byte, error) {
	text, err := json.Marshal(body)
	if err != nil {
		return 0, nil, err
	}
	answer, err := s.ask(ctx, "POST", path, bytes.NewReader(text))
	if err != nil {
		return 0, nil, err
	}
	defer answer.Body.Close()
	out, err := io.ReadAll(answer.Body)
	return answer.StatusCode, out, err
}

// follow reads a run's events until it ends, or so many of them.
func (s *served) follow(ctx context.Context, id string, most int) error {
	answer, err := s.ask(ctx, "GET", "/runs/"+id+"/events", nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	for lines := bufio.NewReader(answer.Body); most > 0; most-- {
		if _, err := lines.ReadBytes('\n'); err != nil {
			return nil // it has ended
		}
	}
	return nil
}

// inRegistry asks the source itself for a number, through a connection of its own.
func inRegistry(sql string, answer *int) error {
	ctx := context.Background()
	conn, err := env.Postgres.Postgres(ctx, "registry")
	if err != nil {
		return err
	}
	return errors.Join(conn.QueryRow(ctx, sql).Scan(answer), conn.Close(ctx))
}

// A server that is used for long, by clients that stop their runs, go away, send nonsense and
// ask for too much, while its sources end connections, stays within its bounds, and goes back
// to where it was. ROVIK_SOAK says for how long; make soak runs it.
func TestSoak(t *testing.T) {
	long, err := time.ParseDuration(os.Getenv("ROVIK_SOAK"))
	if err != nil {
		t.Skip("ROVIK_SOAK says for how long")
	}
	const mib = 768
	s := serveOutside(t, "--memory", fmt.Sprintf("%dM", mib))
	queries := []string{
		"SELECT title FROM registry.objects WHERE object_id = %d",
		"SELECT * FROM delivery.loan_risk LIMIT %d",
		"SELECT count(*) FROM registry.location_history AS h JOIN lending.insurance_values AS v ON v.amount > h.move_id + %d - 1000 AND v.amount < h.move_id",
		"SELECT * FROM registry.location_history WHERE move_id > %d ORDER BY reason, moved_at",
		"SELECT o.object_id, count(*) FROM registry.objects AS o JOIN climate.readings AS r ON r.room_id = o.object_id %% 20 WHERE o.object_id < %d GROUP BY 1",
		"SELECT 1 / (%d - object_id) FROM registry.objects",
		"SELECT array_agg(i) FROM generate_series(1, 100000000) AS s(i) WHERE i > %d",
		"SELECT length(string_agg(repeat('x', 100000 + i), '')) FROM generate_series(1, 100000) AS s(i) WHERE i > %d",
		"SELECT sum(i) FROM generate_series(1, 1000000000000) AS s(i) WHERE i > %d",
		"SELECT nonsense %d",
		"WITH a AS (SELECT 1 AS x), b AS (SELECT p.x FROM a p, a q), c AS (SELECT p.x FROM b p, b q), d AS (SELECT p.x FROM c p, c q), e AS (SELECT p.x FROM d p, d q) SELECT count(*) + %d FROM e",
	}
	use := func(ctx context.Context, r *rand.Rand) {
		sql := fmt.Sprintf(queries[r.IntN(len(queries))], r.IntN(1000))
		body := map[string]any{"sql": sql, "limit": 100}
		if r.IntN(4) == 0 {
			_, _, _ = s.post(ctx, "/explain", body) // as everything here: what is asked is whether the server lasts
			return
		}
		run, err := s.start(ctx, sql)
		if err != nil {
			return // nonsense, or the time is up
		}
		switch r.IntN(5) {
		case 0: // goes away at once
		case 1: // goes away behind a few events
			ctx, cancel := context.WithTimeout(ctx, 300*time.Millisecond)
			defer cancel()
			_ = s.follow(ctx, run, 4)
		case 2:
			_, _, _ = s.post(ctx, "/runs/"+run+"/stop", map[string]any{})
		default:
			_ = s.follow(ctx, run, 1<<30)
			if answer, err := s.ask(ctx, "GET", "/runs/"+run+"/rows?offset=0&limit=1000", nil); err == nil {
				_, _ = io.Copy(io.Discard, answer.Body)
				_ = answer.Body.Close()
			}
		}
	}
	during := func(workers int, long time.Duration) {
		ctx, cancel := context.WithTimeout(t.Context(), long)
		defer cancel()
		var wg sync.WaitGroup
		for w := range workers {
			wg.Go(func() {
				r := rand.New(rand.NewPCG(uint64(w), 1))
				for ctx.Err() == nil {
					use(ctx, r)
				}
			})
		}
		var largest atomic.Int64
		wg.Go(func() {
			for ctx.Err() == nil {
				now, _ := s.size(t)
				largest.Store(max(largest.Load(), int64(now)))
				time.Sleep(10 * time.Millisecond)
			}
		})
		wg.Go(func() { // sources end their connections now and then, and are started again
			restarts := []*demo.Server{env.Postgres, env.MariaDB}
			for n := 1; ctx.Err() == nil; n++ {
				if err := inRegistry("SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE datname = 'registry' AND query LIKE '%Rovik run%' AND pid <> pg_backend_pid()", new(int)); err != nil {
					t.Error(err)
				}
				if n%4 == 0 {
					if err := restarts[n/4%2].Restart(context.Background()); err != nil {
						t.Error(err)
					}
				}
				time.Sleep(5 * time.Second)
			}
		})
		wg.Wait()
		if n := largest.Load(); n > mib*11/10 {
			t.Errorf("the process took %d MiB of %d", n, mib)
		}
	}
	quiet := func() (mib, files int) {
		t.Helper()
		until := time.Now().Add(time.Minute)
		for {
			answer, err := s.ask(t.Context(), "GET", "/runs/active", nil)
			if err != nil {
				t.Fatal(err)
			}
			text, err := io.ReadAll(answer.Body)
			_ = answer.Body.Close()
			if err == nil && strings.TrimSpace(string(text)) == "[]" {
				break
			}
			if time.Now().After(until) {
				t.Fatalf("after a minute there are still %s", text)
			}
			time.Sleep(100 * time.Millisecond)
		}
		http.DefaultClient.CloseIdleConnections()
		time.Sleep(2 * time.Second)
		return s.size(t)
	}
	during(4, 5*time.Second)
	_, before := quiet()
	during(12, long)
	_, after := quiet()
	held := 0 // files of rows that are kept for reading
	open, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", s.cmd.Process.Pid))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range open {
		if to, err := os.Readlink(filepath.Join(fmt.Sprintf("/proc/%d/fd", s.cmd.Process.Pid), f.Name())); err == nil && strings.Contains(to, ".rows-") {
			held++
		}
	}
	if after-held > before+30 {
		t.Errorf("%d files are open besides those of rows, %d before", after-held, before)
	}
	var working int
	if err := inRegistry("SELECT count(*) FROM pg_stat_activity WHERE query LIKE '%Rovik run%' AND state <> 'idle' AND pid <> pg_backend_pid()", &working); err != nil || working > 0 {
		t.Errorf("%d statements still run at the source, %v", working, err)
	}
	if left, err := filepath.Glob(filepath.Join(env.Home, ".rows-*")); err != nil || len(left) > 0 {
		t.Errorf("%q are left", left)
	}
	t.Logf("%d files open before, %d after, %d of rows", before, after, held)
}
