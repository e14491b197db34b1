package files

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	pq "github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"rovik/connect"
	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/rewrite"
	"rovik/core/syntax"
	"rovik/core/value"
)

// project is one connected source to ask.
type project struct {
	t         *testing.T
	s         *Source
	found     *catalog.Source
	meanwhile func() // done once the first rows are there; may be nil
}

func connected(t *testing.T, kind, path string) *project {
	t.Helper()
	return connectedAs(t, kind, path, nil)
}

// connectedAs is connected with types that were chosen for columns.
func connectedAs(t *testing.T, kind, path string, types connect.ColumnTypes) *project {
	t.Helper()
	plain, err := New("f", kind, connect.Config{Path: path})
	if err != nil {
		t.Fatal(err)
	}
	s := plain.WithTypes(types).(*Source)
	found, err := s.Discover(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return &project{t: t, s: s, found: found}
}

// ask runs a query and returns its sorted rows and the report.
func (p *project) ask(sql string, off bool) ([]string, *explain.Report, error) {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return nil, nil, err
	}
	q, err := bind.Bind(bind.Context{Catalog: catalog.New([]*catalog.Source{p.found}, nil, nil), Now: time.Unix(0, 0)}, sql, tree)
	if err != nil {
		return nil, nil, err
	}
	if q, err = rewrite.Apply(q, nil); err != nil {
		return nil, nil, err
	}
	c, err := fold.Compile(q, map[string]fold.Source{"f": p.s.Folding(p.found)}, fold.Options{Off: off})
	if err != nil {
		return nil, nil, err
	}
	run, err := exec.Start(context.Background(), c, p.s, exec.Options{})
	if err != nil {
		return nil, nil, err
	}
	defer run.Close()
	var out []string
	for {
		b, err := run.Next()
		if errors.Is(err, io.EOF) {
			sort.Strings(out)
			return out, run.Report(), nil
		}
		if err != nil {
			return nil, nil, err
		}
		if p.meanwhile != nil {
			p.meanwhile()
			p.meanwhile = nil
		}
		for i := range b.Len {
			var cells []string
			for c, a := range b.Cols {
				cells = append(cells, value.At(run.Columns[c].Type.Kind, a, i).String())
			}
			out = append(out, strings.Join(cells, "|"))
		}
	}
}

// rows runs a query folded and unfolded, which have to agree.
func (p *project) rows(sql string) ([]string, *explain.Report) {
	p.t.Helper()
	on, report, err := p.ask(sql, false)
	if err != nil {
		p.t.Fatalf("%s: %v", sql, err)
	}
	off, _, err := p.ask(sql, true)
	if err != nil {
		p.t.Fatalf("%s, unfolded: %v", sql, err)
	}
	if !strings.Contains(sql, "LIMIT") && !slices.Equal(on, off) {
		p.t.Errorf("%s\nfolded   %v\nunfolded %v", sql, on, off)
	}
	return on, report
}

// touched writes what a run's only statement has read.
func touched(r *explain.Report) string {
	var out []string
	for _, t := range r.Statements[0].Touched {
		if t.What != "bytes" {
			out = append(out, fmt.Sprintf("%d of %d %s", t.Read, t.Of, t.What))
		}
	}
	return strings.Join(out, ", ")
}

// reading is a row of the logger files of these tests.
type logged struct {
	room, celsius any // an integer and a double, or nil
	at            int64
	note          any
}

// writeParquet writes rows into a file, so many in each row group.
func writeParquet(t *testing.T, path string, group int64, props []pq.WriterProperty, rows ...logged) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	schema := arrow.NewSchema([]arrow.Field{
		{Name: "Room ID", Type: arrow.PrimitiveTypes.Int32, Nullable: true},
		{Name: "at", Type: &arrow.TimestampType{Unit: arrow.Millisecond}},
		{Name: "celsius", Type: arrow.PrimitiveTypes.Float64, Nullable: true},
		{Name: "note", Type: arrow.BinaryTypes.String, Nullable: true},
	}, nil)
	b := array.NewRecordBuilder(value.Memory, schema)
	for _, r := range rows {
		if r.room == nil {
			b.Field(0).AppendNull()
		} else {
			b.Field(0).(*array.Int32Builder).Append(int32(r.room.(int)))
		}
		b.Field(1).(*array.TimestampBuilder).Append(arrow.Timestamp(r.at))
		if r.celsius == nil {
			b.Field(2).AppendNull()
		} else {
			b.Field(2).(*array.Float64Builder).Append(r.celsius.(float64))
		}
		if r.note == nil {
			b.Field(3).AppendNull()
		} else {
			b.Field(3).(*array.StringBuilder).Append(r.note.(string))
		}
	}
	f, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	props = append(props, pq.WithMaxRowGroupLength(group))
	w, err := pqarrow.NewFileWriter(schema, f, pq.NewWriterProperties(props...), pqarrow.DefaultWriterProps())
	if err != nil {
		t.Fatal(err)
	}
	if err := w.WriteBuffered(b.NewRecordBatch()); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
}

func cfgOf(path string) connect.Config { return connect.Config{Path: path} }

// elapsed times work, in nanoseconds.
func elapsed(t testing.TB, work func() error) int64 {
	t.Helper()
	began := time.Now()
	if err := work(); err != nil {
		t.Fatal(err)
	}
	return time.Since(began).Nanoseconds()
}

// readAll reads columns of a file and drops the rows.
func readAll(t testing.TB, f format, of file, columns []catalog.Column) error {
	o, err := f.open(t.Context(), of, columns)
	if err != nil {
		return err
	}
	for _, part := range o.parts() {
		if err := part.read(t.Context(), func(kernel.Batch) error { return nil }); err != nil {
			return err
		}
	}
	return o.Close()
}
