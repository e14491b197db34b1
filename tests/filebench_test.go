package tests

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"testing"

	"github.com/apache/arrow-go/v18/arrow/memory"
	"github.com/apache/arrow-go/v18/parquet/file"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"rovik/app"
	"rovik/connect"
	"rovik/demo"
)

// bareRead reads columns of Parquet files with the library alone, as many files
// at the same time as there are processors, and counts the rows.
func bareRead(b *testing.B, paths []string, columns ...string) int64 {
	b.Helper()
	counts, errs := make([]int64, len(paths)), make([]error, len(paths))
	var wg sync.WaitGroup
	free := make(chan struct{}, runtime.GOMAXPROCS(0))
	for i, path := range paths {
		wg.Add(1)
		free <- struct{}{}
		go func() {
			defer func() { <-free; wg.Done() }()
			counts[i], errs[i] = bareFile(path, columns)
		}()
	}
	wg.Wait()
	if err := errors.Join(errs...); err != nil {
		b.Fatal(err)
	}
	var n int64
	for _, c := range counts {
		n += c
	}
	return n
}

func bareFile(path string, columns []string) (n int64, err error) {
	rd, err := file.OpenParquetFile(path, false)
	if err != nil {
		return 0, err
	}
	defer rd.Close()
	ar, err := pqarrow.NewFileReader(rd, pqarrow.ArrowReadProperties{BatchSize: 8192}, memory.NewGoAllocator())
	if err != nil {
		return 0, err
	}
	var leaves []int
	for i := range rd.MetaData().Schema.NumColumns() {
		if slices.Contains(columns, rd.MetaData().Schema.Column(i).Name()) {
			leaves = append(leaves, i)
		}
	}
	rr, err := ar.GetRecordReader(context.Background(), leaves, nil)
	if err != nil {
		return 0, err
	}
	defer rr.Release()
	for rr.Next() {
		n += rr.RecordBatch().NumRows()
	}
	if err := rr.Err(); err != nil && !errors.Is(err, io.EOF) {
		return 0, err
	}
	return n, nil
}

// BenchmarkParquet compares queries over four million readings with the library
// that reads the same bytes and does nothing with them.
func BenchmarkParquet(b *testing.B) {
	root := b.TempDir()
	if err := demo.WriteClimate(root, demo.Seed, 1); err != nil {
		b.Fatal(err)
	}
	ctx := context.Background()
	a, err := app.Open(ctx, b.TempDir())
	if err != nil {
		b.Fatal(err)
	}
	defer a.Close()
	if _, err := a.Sources.Add(ctx, "climate", "parquet", connect.Config{Path: root}, ""); err != nil {
		b.Fatal(err)
	}
	all, err := filepath.Glob(filepath.Join(root, "readings", "*", "*.parquet"))
	if err != nil || len(all) != 24 {
		b.Fatal(all, err)
	}
	for range b.N {
		for _, c := range []struct {
			what, sql string
			paths     []string
			columns   []string
			rows      int64 // that come out
		}{
			{"one month of four million", "SELECT room_id, logged_at, celsius FROM climate.readings WHERE month = '2025-03'", all[14:15], []string{"room_id", "logged_at", "celsius"}, 178_560},
			{"by room", "SELECT room_id, count(*) AS n, max(celsius) AS most FROM climate.readings GROUP BY room_id", all, []string{"room_id", "celsius"}, 60},
			{"counted", "SELECT count(*) AS n FROM climate.readings", nil, nil, 1},
		} {
			var touched string
			ours := median(5, func() {
				report, err := a.Now().RunThrough(ctx, queryOf(c.sql))
				if err != nil {
					b.Fatal(err)
				}
				if *report.RowsReturned != c.rows {
					b.Fatalf("%s: %d rows", c.what, *report.RowsReturned)
				}
				touched = fmt.Sprint(report.Statements[0].Touched)
			})
			if c.paths == nil {
				fmt.Printf("%-26s %8s, %s\n", c.what, ours, touched)
				continue
			}
			bare := median(5, func() { bareRead(b, c.paths, c.columns...) })
			fmt.Printf("%-26s %8s, %.2f times the bare reader of the same bytes (aim: at most 1.3), %s\n", c.what, ours, float64(ours)/float64(bare), touched)
		}
	}
}
