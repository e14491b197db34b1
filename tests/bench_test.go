package tests

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"sort"
	"testing"
	"time"

	"rovik/app"
	"rovik/core/exec"
	"rovik/core/kernel"
)

// The benchmarks print ratios measured in one run. They take their own data:
// a table of a million rows beside the story's.
const bigRows = 1_000_000

func prepareBig(b *testing.B) *app.App {
	b.Helper()
	ctx := context.Background()
	conn, err := env.Postgres.Postgres(ctx, "registry")
	if err != nil {
		b.Fatal(err)
	}
	defer conn.Close(ctx)
	for _, q := range []string{
		`CREATE TABLE IF NOT EXISTS readings (reading_id integer PRIMARY KEY, room_id integer, taken_at timestamptz, humidity numeric(6,2), lux double precision, note text)`,
		fmt.Sprintf(`INSERT INTO readings SELECT i, i %% 60, timestamptz '2024-01-01' + i * interval '1 minute', (i %% 9000) / 100.0, i / 7.0, 'room ' || (i %% 60)
			FROM generate_series(1, %d) i ON CONFLICT DO NOTHING`, bigRows),
		`ANALYZE readings`, `GRANT SELECT ON readings TO rovik_reader`,
	} {
		if _, err := conn.Exec(ctx, q); err != nil {
			b.Fatal(err)
		}
	}
	if _, err := project.RefreshSource(ctx, "registry"); err != nil {
		b.Fatal(err)
	}
	return project
}

// median runs f some times and returns the middle of their times.
func median(times int, f func()) time.Duration {
	all := make([]time.Duration, times)
	for i := range all {
		began := time.Now()
		f()
		all[i] = time.Since(began)
	}
	sort.Slice(all, func(i, j int) bool { return all[i] < all[j] })
	return all[times/2]
}

// BenchmarkAgainstBareDriver compares a fully folded query through Rovik, from
// text to Arrow batches, with the same native statement through pgx, which
// scans every cell.
func BenchmarkAgainstBareDriver(b *testing.B) {
	a := prepareBig(b)
	ctx := context.Background()
	reader, err := env.Postgres.Postgres(ctx, "registry")
	if err != nil {
		b.Fatal(err)
	}
	defer reader.Close(ctx)
	for range b.N {
		for _, c := range []struct {
			rows, times int
			aim         float64
		}{{1, 401, 1.5}, {1000, 201, 1.2}, {200_000, 9, 1.1}} {
			sql := fmt.Sprintf("SELECT r.reading_id, r.room_id, r.taken_at, r.humidity, r.lux, r.note FROM registry.readings AS r WHERE r.reading_id <= %d", c.rows)
			report, err := a.Explain(queryOf(sql))
			if err != nil || len(report.Statements) != 1 || len(report.Operators) != 0 {
				b.Fatalf("not fully folded: %v %+v", err, report)
			}
			through := func() {
				run, err := a.Start(ctx, queryOf(sql), app.NewRunID())
				if err != nil {
					b.Fatal(err)
				}
				rows := 0
				for {
					batch, err := run.Next()
					if errors.Is(err, io.EOF) {
						break
					}
					if err != nil {
						b.Fatal(err)
					}
					rows += batch.Len
				}
				run.Close()
				if rows != c.rows {
					b.Fatalf("%d rows", rows)
				}
			}
			bare := func() {
				rows, err := reader.Query(ctx, report.Statements[0].Text, c.rows)
				if err != nil {
					b.Fatal(err)
				}
				n := 0
				var id, room int32
				var taken time.Time
				var humidity, note string
				var lux float64
				for rows.Next() {
					if err := rows.Scan(&id, &room, &taken, &humidity, &lux, &note); err != nil {
						b.Fatal(err)
					}
					n++
				}
				if rows.Err() != nil || n != c.rows {
					b.Fatal(rows.Err(), n)
				}
			}
			through()
			bare()
			ours, theirs := median(c.times, through), median(c.times, bare)
			fmt.Printf("%7d rows: Rovik %10s  bare driver %10s  ratio %.2f (aim: at most %.1f)\n", c.rows, ours, theirs, float64(ours)/float64(theirs), c.aim)
		}
	}
}

// BenchmarkPlanning times binding, rewriting and folding of the deepest view.
func BenchmarkPlanning(b *testing.B) {
	n := 0
	for range b.N {
		took := median(301, func() {
			// Each text is new, so that no plan is found in the cache.
			n++
			sql := fmt.Sprintf("SELECT * FROM delivery.uninsured_by_country LIMIT %d", n)
			if _, _, err := project.Compile(queryOf(sql), nil); err != nil {
				b.Fatal(err)
			}
		})
		fmt.Printf("planning the deepest view (five deep): %s (aim: under 2 ms)\n", took)
	}
}

// BenchmarkStreamingMemory streams a million rows out and watches the heap.
func BenchmarkStreamingMemory(b *testing.B) {
	a := prepareBig(b)
	for range b.N {
		runtime.GC()
		run, err := a.Start(context.Background(), queryOf("SELECT * FROM registry.readings"), app.NewRunID())
		if err != nil {
			b.Fatal(err)
		}
		out, err := os.Create(filepath.Join(b.TempDir(), "out.csv"))
		if err != nil {
			b.Fatal(err)
		}
		var peak, first uint64
		watch := func(rows int64) {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			peak = max(peak, m.Sys-m.HeapReleased)
			if rows < bigRows/10 {
				first = max(first, m.Sys-m.HeapReleased)
			}
		}
		if err := app.WriteResult(&watched{w: out, each: func() { watch(*run.Report().RowsReturned) }}, "csv", run); err != nil {
			b.Fatal(err)
		}
		run.Close()
		_ = out.Close()
		fmt.Printf("streaming %d rows to CSV: peak memory of the process %d MiB, %d MiB in the first tenth (aim: flat, under 200 MiB)\n", bigRows, peak>>20, first>>20)
	}
}

// watched calls each now and then while it is written to.
type watched struct {
	w       io.Writer
	each    func()
	written int
}

func (w *watched) Write(p []byte) (int, error) {
	w.written += len(p)
	if w.written > 4<<20 {
		w.written = 0
		w.each()
	}
	return w.w.Write(p)
}

// BenchmarkLocalOperators measures what Rovik's own operators do with a
// million rows, as a ratio to reading them.
func BenchmarkLocalOperators(b *testing.B) {
	a := prepareBig(b)
	ctx := context.Background()
	read := func(sql string) func() {
		return func() {
			run, err := a.Start(ctx, app.Query{SQL: sql, FoldOff: true}, app.NewRunID())
			if err != nil {
				b.Fatal(err)
			}
			defer run.Close()
			if err := drain(run, func(kernel.Batch) {}); err != nil {
				b.Fatal(err)
			}
		}
	}
	for range b.N {
		base := median(3, read("SELECT r.room_id, r.humidity FROM registry.readings AS r"))
		for name, sql := range map[string]string{
			"filter":    "SELECT r.room_id, r.humidity FROM registry.readings AS r WHERE r.humidity > 45",
			"aggregate": "SELECT r.room_id, sum(r.humidity), count(*) FROM registry.readings AS r GROUP BY r.room_id",
			"join":      "SELECT r.humidity, m.name FROM registry.readings AS r JOIN registry.rooms AS m ON m.room_id = r.room_id",
			"sort":      "SELECT r.room_id, r.humidity FROM registry.readings AS r ORDER BY r.humidity",
		} {
			took := median(3, read(sql))
			fmt.Printf("%-9s of %d rows in Rovik: %.2f times reading them (%s)\n", name, bigRows, float64(took)/float64(base), took.Round(time.Millisecond))
		}
	}
}

func drain(run *exec.Run, each func(kernel.Batch)) error {
	for {
		b, err := run.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		each(b)
	}
}
