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
	"rovik/app/project"
	"rovik/app/runs"
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
	if _, err := museum.Sources.Refresh(ctx, "registry"); err != nil {
		b.Fatal(err)
	}
	return museum
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
			report, err := a.Now().Explain(b.Context(), queryOf(sql))
			if err != nil || len(report.Statements) != 1 || len(report.Operators) != 0 {
				b.Fatalf("not fully folded: %v %+v", err, report)
			}
			through := func() {
				run, err := a.Now().Start(ctx, queryOf(sql), project.NewRunID())
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
			if _, _, err := museum.Now().Compile(b.Context(), queryOf(sql), nil); err != nil {
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
		run, err := a.Now().Start(context.Background(), queryOf("SELECT * FROM registry.readings"), project.NewRunID())
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
		if err := runs.WriteResult(&watched{w: out, each: func() { watch(*run.Report().RowsReturned) }}, "csv", run); err != nil {
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
			run, err := a.Now().Start(ctx, project.Query{SQL: sql, FoldOff: true}, project.NewRunID())
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

// BenchmarkPlanningDepth times planning for views stacked ever deeper, each
// with a condition and a computed column of its own, and for joins of ever
// more tables of both servers. The aim is linear time in depth, and under 20
// ms for twelve tables.
func BenchmarkPlanningDepth(b *testing.B) {
	n := 0
	timed := func(sql string) time.Duration {
		return median(31, func() {
			// Each text is new, so that no plan is found in the cache.
			n++
			if _, _, err := museum.Now().Compile(b.Context(), queryOf(fmt.Sprintf("%s LIMIT %d", sql, n)), nil); err != nil {
				b.Fatal(err)
			}
		})
	}
	for range b.N {
		var first float64
		for _, depth := range []int{2, 8, 32, 128} {
			sql := "SELECT o.object_id, o.title, o.kind, o.value_estimate FROM registry.objects AS o"
			for i := range depth {
				sql = fmt.Sprintf("SELECT object_id, title, kind, coalesce(value_estimate, %d) AS value_estimate FROM (%s) AS v%d WHERE object_id > %d", i, sql, i, i)
			}
			took := timed(sql)
			each := float64(took.Microseconds()) / float64(depth)
			if first == 0 {
				first = each
			}
			fmt.Printf("planning %3d deep: %10s, a level costs %.2f of what it costs two deep (aim: at most 1)\n", depth, took, each/first)
		}
		links := []string{
			" JOIN lending.loan_lines n%[1]d ON n%[1]d.object_no = o%[1]d.accession_no", " JOIN lending.loans l%[1]d ON l%[1]d.loan_id = n%[1]d.loan_id", " JOIN registry.makers m%[1]d ON m%[1]d.maker_id = o%[1]d.maker_id",
			" JOIN registry.rooms r%[1]d ON r%[1]d.room_id = o%[1]d.home_room_id", " JOIN archive.closed_loans c%[1]d ON c%[1]d.object_no = o%[1]d.accession_no",
		}
		for _, tables := range []int{2, 6, 12} {
			sql := "SELECT count(*) AS n FROM registry.objects o0"
			for i := 1; i < tables; i++ {
				group := (i - 1) / 5
				if i == 6 {
					sql += " JOIN registry.objects o1 ON o1.object_id = o0.object_id"
					continue
				}
				at := i - 1
				if i > 6 {
					at, group = i-7, 1
				}
				sql += fmt.Sprintf(links[at%len(links)], group)
			}
			fmt.Printf("planning a join of %2d tables: %s (aim: under 20 ms for 12)\n", tables, timed(sql))
		}
	}
}

// leastCrossing has ten analytical queries over the story, each with the least
// number of rows that can answer it, counted on the reference.
var leastCrossing = []struct{ what, sql, least string }{
	// One source groups: its groups alone cross.
	{"objects by kind", "SELECT kind, count(*) AS n, sum(value_estimate) AS worth FROM registry.objects GROUP BY kind", "SELECT count(*) FROM (SELECT DISTINCT kind FROM registry.objects) q"},
	// A join within one source, then its groups.
	{"lines by loan status", "SELECT l.status, count(*) AS n FROM lending.loans l JOIN lending.loan_lines n ON n.loan_id = l.loan_id GROUP BY l.status", "SELECT count(*) FROM (SELECT DISTINCT status FROM lending.loans) q"},
	// The first rows of one source.
	{"dearest objects", "SELECT object_id, title, value_estimate FROM registry.objects ORDER BY value_estimate DESC NULLS LAST, object_id LIMIT 20", "SELECT 20"},
	// The lines of one loan, and the objects that they name.
	{"one loan's objects", "SELECT o.title, n.insured_value FROM lending.loan_lines n JOIN registry.objects o ON o.accession_no = n.object_no WHERE n.loan_id = 7",
		"SELECT (SELECT count(*) FROM lending.loan_lines WHERE loan_id = 7) + (SELECT count(*) FROM registry.objects WHERE accession_no IN (SELECT object_no FROM lending.loan_lines WHERE loan_id = 7))"},
	// A condition on one side is one on the other.
	{"objects of one maker that were lent", "SELECT o.title, n.loan_id FROM registry.objects o JOIN lending.loan_lines n ON n.object_no = o.accession_no WHERE o.maker_id = 3",
		"SELECT (SELECT count(*) FROM registry.objects WHERE maker_id = 3) + (SELECT count(*) FROM lending.loan_lines WHERE object_no IN (SELECT accession_no FROM registry.objects WHERE maker_id = 3))"},
	// Groups of one source meet the rows of another: one row a group crosses.
	{"closed loans by borrower", "SELECT i.name, count(*) AS n, max(c.days_out) AS longest FROM archive.closed_loans c JOIN lending.institutions i ON i.code = c.borrower GROUP BY i.name",
		"SELECT (SELECT count(*) FROM (SELECT DISTINCT borrower FROM archive.closed_loans) q) + (SELECT count(*) FROM lending.institutions)"},
	// A source that cannot contribute sends nothing.
	{"archived loans of one object", "SELECT * FROM joined.loan_history h WHERE h.system = 'archive' AND h.object_no = (SELECT min(object_no) FROM archive.closed_loans)",
		"SELECT (SELECT count(*) FROM archive.closed_loans WHERE object_no = (SELECT min(object_no) FROM archive.closed_loans))"},
	// Objects that another source knows: its keys, or those asked for.
	{"fragile prints on no loan", "SELECT o.title FROM registry.objects o WHERE o.kind = 'print' AND o.fragile AND o.maker_id < 20 AND NOT EXISTS (SELECT 1 FROM lending.loan_lines n WHERE n.object_no = o.accession_no)",
		"SELECT (SELECT count(*) FROM registry.objects WHERE kind = 'print' AND fragile AND maker_id < 20) + (SELECT count(*) FROM lending.loan_lines WHERE object_no IN (SELECT accession_no FROM registry.objects WHERE kind = 'print' AND fragile AND maker_id < 20))"},
	// A left join of which nothing is read.
	{"titles", "SELECT o.title FROM registry.objects o LEFT JOIN registry.makers m ON m.maker_id = o.maker_id WHERE o.object_id <= 100", "SELECT count(*) FROM registry.objects WHERE object_id <= 100"},
	// The newest of each group, within one source.
	{"dearest object of each kind", "SELECT * FROM (SELECT kind, title, row_number() OVER (PARTITION BY kind ORDER BY value_estimate DESC NULLS LAST, object_id) AS r FROM registry.objects) q WHERE r = 1",
		"SELECT count(*) FROM (SELECT DISTINCT kind FROM registry.objects) q"},
}

// BenchmarkRowsCrossed compares what crosses with the least that has to.
func BenchmarkRowsCrossed(b *testing.B) {
	ctx := context.Background()
	for range b.N {
		for _, c := range leastCrossing {
			var least int64
			if err := reference.QueryRow(ctx, c.least).Scan(&least); err != nil {
				b.Fatal(err)
			}
			report, err := museum.Now().RunThrough(ctx, queryOf(c.sql))
			if err != nil {
				b.Fatal(err)
			}
			fmt.Printf("%-38s %6d rows crossed, %6d at least: %.2f (aim: 1, or 1.1 where keys are shipped)\n", c.what, *report.RowsCrossed, least, float64(*report.RowsCrossed)/float64(max(least, 1)))
		}
	}
}
