package files

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/memory"
	pq "github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// What was counted when a source was read is no guarantee: files that changed since
// give what they hold now, or an error that says so.
func TestFilesThatChanged(t *testing.T) {
	for _, c := range []struct {
		name, kind, file, before, after, sql string
		want                                 string // rows, or a part of the error
	}{
		{"a NULL comes", "csv", "a.csv", "id,n\n1,5\n2,6\n", "id,n\n1,5\n2,6\n3,\n", "SELECT id FROM f.a WHERE n IS NULL", "3"},
		{"a NULL comes, for NOT IN", "csv", "a.csv", "id,n\n1,5\n2,6\n", "id,n\n1,5\n2,6\n3,\n", "SELECT id FROM f.a WHERE id NOT IN (SELECT n FROM f.a)", ""},
		{"a field is not set", "json", "a.json", `[{"id": 1, "n": 5}]`, `[{"id": 1, "n": 5}, {"id": 2}]`, "SELECT id FROM f.a WHERE n IS NULL", "2"},
		{"a column is renamed", "csv", "a.csv", "id,n\n1,5\n", "id,m\n1,5\n", "SELECT id, n FROM f.a", "has changed"},
		{"a column is renamed, counted only", "csv", "a.csv", "id,n\n1,5\n", "id,m\n1,5\n", "SELECT count(*) FROM f.a WHERE n IS NULL", "has changed"},
		{"a member is renamed", "json", "a.json", `[{"id": 1, "n": 5}]`, `[{"id": 1, "m": 5}]`, "SELECT id, n FROM f.a", "has changed"},
		{"a member is renamed, counted only", "json", "a.json", `[{"id": 1, "n": 5}]`, `[{"id": 1, "m": 5}]`, "SELECT count(*) FROM f.a WHERE n IS NULL", "has changed"},
		{"records are gone", "json", "a.json", `[{"id": 1, "n": 5}]`, `[]`, "SELECT id, n FROM f.a", ""},
		{"a member is null", "json", "a.json", `[{"id": 1, "n": 5}]`, `[{"id": 1, "n": null}]`, "SELECT id, n FROM f.a", "1|NULL"},
		{"a file is gone", "csv", "a.csv", "id,n\n1,5\n", "", "SELECT id FROM f.a", "f"},
		{"a number grows", "csv", "a.csv", "id,n\n1,5\n", "id,n\n1,50000000000000000000\n", "SELECT n FROM f.a", "column n"},
	} {
		t.Run(c.name, func(t *testing.T) {
			dir := t.TempDir()
			path := filepath.Join(dir, c.file)
			writeFile(t, path, []byte(c.before))
			p := connected(t, c.kind, dir)
			p.found = p.found.Unenforced()
			if c.after == "" {
				if err := os.Remove(path); err != nil {
					t.Fatal(err)
				}
			} else {
				writeFile(t, path, []byte(c.after))
			}
			for _, off := range []bool{false, true} {
				rows, _, err := p.ask(c.sql, off)
				got := strings.Join(rows, " ")
				if err != nil {
					if got = err.Error(); c.want != "" && strings.Contains(got, c.want) {
						continue
					}
				}
				if got != c.want {
					t.Errorf("%s (folding off: %v) gives %q, want %q", c.sql, off, got, c.want)
				}
			}
		})
	}
}

// A file or folder that changes while it is read ends the reading with an error, whatever
// the reader had of it.
func TestFilesThatChangeWhileTheyAreRead(t *testing.T) {
	const rows = 30_000
	// Each writes so many records with an id and a text into a file.
	lines := func(head, form, end string) func(path string, n int) {
		return func(path string, n int) {
			var text strings.Builder
			text.WriteString(head)
			for i := range n {
				fmt.Fprintf(&text, form, i)
			}
			writeFile(t, path, []byte(text.String()+end))
		}
	}
	write := map[string]func(path string, n int){
		"csv":  lines("id,t\n", "%[1]d,text %[1]d\n", ""),
		"json": lines("", "{\"id\": %[1]d, \"t\": \"text %[1]d\"}\n", ""),
		"xml":  lines("<r>", "<e><id>%[1]d</id><t>text %[1]d</t></e>\n", "</r>"),
		"parquet": func(path string, n int) {
			list := make([]logged, n)
			for i := range list {
				list[i] = logged{i, nil, int64(i), fmt.Sprint("text ", i)}
			}
			writeParquet(t, path, 10_000, nil, list...)
		},
	}
	selects := map[string]string{"parquet": "SELECT room_id, note FROM f.a WHERE room_id >= 0"}
	elements := &shape.Shape{Set: "a", Language: shape.XPath, Table: &shape.Table{Name: "a", Rows: "/r/e", Columns: []shape.Column{
		{Name: "id", From: shape.FromPath, Path: "id", Type: value.Of(value.Int8), Misfit: shape.Fails}, {Name: "t", From: shape.FromPath, Path: "t", Type: value.Of(value.Text), Misfit: shape.Fails}}}}
	must := func(err error) {
		if err != nil {
			t.Fatal(err)
		}
	}
	for name, c := range map[string]struct {
		change func(path string)
		want   string // NULL for rows
	}{
		"nothing": {func(string) {}, ""},
		"cut":     {func(path string) { must(os.Truncate(path, 200_000)) }, "was changed while it was read"},
		"appended": {func(path string) {
			f, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0)
			must(err)
			_, err = f.WriteString("\n")
			must(errors.Join(err, f.Close()))
		}, "was changed while it was read"},
		"put in its place": {func(path string) {
			info, err := os.Stat(path)
			must(err)
			text, err := os.ReadFile(path)
			must(err)
			must(os.WriteFile(path+".new", text, 0o600))
			must(os.Chtimes(path+".new", info.ModTime(), info.ModTime()))
			must(os.Rename(path+".new", path))
		}, "was changed while it was read"},
		"removed": {func(path string) { must(os.Remove(path)) }, "f: a/a."},
		"another came": {func(path string) {
			must(os.WriteFile(filepath.Join(filepath.Dir(path), "b"+filepath.Ext(path)), []byte("1,one\n"), 0o600))
		}, "came while the folder was read"},
		"another went": {func(path string) { must(os.Remove(filepath.Join(filepath.Dir(path), "z"+filepath.Ext(path)))) }, "went while the folder was read"},
	} {
		for kind, fill := range write {
			dir := filepath.Join(t.TempDir(), "a")
			must(os.Mkdir(dir, 0o700))
			path := filepath.Join(dir, "a."+kind)
			fill(path, rows)
			fill(filepath.Join(dir, "z."+kind), 1)
			p := connected(t, kind, filepath.Dir(dir))
			if kind == "xml" {
				p.s = p.s.WithShapes([]*shape.Shape{elements}).(*Source)
				found, err := p.s.Discover(t.Context())
				must(err)
				p.found = found
			}
			p.meanwhile = func() { c.change(path) }
			sql := selects[kind]
			if sql == "" {
				sql = "SELECT id, t FROM f.a WHERE id >= 0"
			}
			got, _, err := p.ask(sql, false)
			switch {
			case c.want == "" && (err != nil || len(got) != rows+1):
				t.Errorf("%s, %s: %d rows, %v", kind, name, len(got), err)
			case c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)):
				t.Errorf("%s, %s: %d rows, %v", kind, name, len(got), err)
			}
		}
	}
}

// Files of one folder whose columns are of different types: bounds are compared as
// values of the table's column.
func TestBoundsOfAnotherType(t *testing.T) {
	dir := t.TempDir()
	write := func(name string, typ arrow.DataType, fill func(array.Builder)) {
		schema := arrow.NewSchema([]arrow.Field{{Name: "v", Type: typ, Nullable: true}}, nil)
		b := array.NewRecordBuilder(memory.DefaultAllocator, schema)
		fill(b.Field(0))
		rec := b.NewRecordBatch()
		out, err := os.Create(filepath.Join(dir, "a", name))
		if err != nil {
			t.Fatal(err)
		}
		w, err := pqarrow.NewFileWriter(schema, out, pq.NewWriterProperties(pq.WithStats(true)), pqarrow.DefaultWriterProps())
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Write(rec); err != nil {
			t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Mkdir(filepath.Join(dir, "a"), 0o755); err != nil {
		t.Fatal(err)
	}
	write("1.parquet", arrow.PrimitiveTypes.Int32, func(b array.Builder) { b.(*array.Int32Builder).AppendValues([]int32{5, 7}, nil) })
	write("2.parquet", arrow.PrimitiveTypes.Float64, func(b array.Builder) { b.(*array.Float64Builder).AppendValues([]float64{5, 7.5}, nil) })
	p := connected(t, "parquet", dir)
	for sql, want := range map[string]string{
		"SELECT v FROM f.a WHERE v = 5": "5 5", "SELECT v FROM f.a WHERE v > 7": "7.5", "SELECT v FROM f.a WHERE v IN (7, 7.5)": "7 7.5",
		"SELECT v FROM f.a WHERE v < 6": "5 5", "SELECT count(*) FROM f.a WHERE v IS NULL": "0",
	} {
		for _, off := range []bool{false, true} {
			if rows, _, err := p.ask(sql, off); err != nil || strings.Join(rows, " ") != want {
				t.Errorf("%s (folding off: %v) gives %v, %v, want %s", sql, off, rows, err, want)
			}
		}
	}
}

// What a file's statistics leave out is not known.
func TestStatisticsThatAreMissing(t *testing.T) {
	for name, spoil := range map[string]func(f *parquetFile, at int){
		"no minimum": func(f *parquetFile, at int) {
			f.rd.MetaData().RowGroups[0].Columns[at].MetaData.Statistics.MinValue = nil
		},
		"no maximum": func(f *parquetFile, at int) {
			f.rd.MetaData().RowGroups[0].Columns[at].MetaData.Statistics.MaxValue = nil
		},
		"no order":      func(f *parquetFile, at int) { f.rd.MetaData().ColumnOrders = nil },
		"no statistics": func(f *parquetFile, at int) { f.rd.MetaData().RowGroups[0].Columns[at].MetaData.Statistics = nil },
		"a bound cut off": func(f *parquetFile, at int) {
			f.rd.MetaData().RowGroups[0].Columns[at].MetaData.Statistics.MaxValue = []byte{1}
		},
		"no count of NULL": func(f *parquetFile, at int) {
			f.rd.MetaData().RowGroups[0].Columns[at].MetaData.Statistics.NullCount = nil
		},
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "a.parquet")
			writeParquet(t, path, 10, nil, logged{room: 5, note: "m"}, logged{room: 7, note: "n"})
			p := connected(t, "parquet", path) // which keeps what it has read of the file
			column := p.found.Tables[0].Columns[0].Name
			o, err := p.s.format.open(t.Context(), file{path: path}, []catalog.Column{{Name: column, Type: value.Of(value.Int4)}})
			if err != nil {
				t.Fatal(err)
			}
			f := o.(*parquetFile)
			defer f.Close()
			at := f.at[column].ColIndex
			stats := f.rd.MetaData().RowGroups[0].Columns[at].MetaData.Statistics
			stats.Min, stats.Max = nil, nil // the old form
			spoil(f, at)
			b, ok := f.parts()[0].bounds(column)
			if name == "no count of NULL" {
				if b.nulls != -1 || !b.known {
					t.Errorf("of a count that is not set %d is known", b.nulls)
				}
			} else if ok && b.known {
				t.Errorf("from %s to %s is known", b.min, b.max)
			}
		})
	}
}
