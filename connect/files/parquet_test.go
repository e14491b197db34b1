package files

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	pq "github.com/apache/arrow-go/v18/parquet"
	"github.com/apache/arrow-go/v18/parquet/pqarrow"

	"rovik/connect"
	"rovik/core/explain"
	"rovik/core/value"
)

// loggers writes three months of readings, forty each in groups of ten, with
// rising times and rooms.
func loggers(t *testing.T) string {
	t.Helper()
	root := t.TempDir()
	for month := range 3 {
		var rows []logged
		for i := range 40 {
			n := month*40 + i
			r := logged{room: i / 10, at: int64(n) * 60_000, celsius: float64(n) / 4, note: fmt.Sprintf("n%02d", i)}
			if i%10 == 9 {
				r.celsius, r.note = nil, nil
			}
			rows = append(rows, r)
		}
		writeParquet(t, filepath.Join(root, "readings", fmt.Sprintf("month=2025-0%d", month+1), "part.parquet"), 10,
			[]pq.WriterProperty{pq.WithBloomFilterEnabledFor("note", true)}, rows...)
	}
	return root
}

func TestParquetCatalogue(t *testing.T) {
	p := connected(t, "parquet", loggers(t))
	if len(p.found.Tables) != 1 || p.found.Tables[0].Name != "readings" || p.found.Tables[0].Rows != 120 {
		t.Fatalf("tables %+v", p.found.Tables)
	}
	var got []string
	for _, c := range p.found.Tables[0].Columns {
		got = append(got, fmt.Sprintf("%s %s %.2f %v %s", c.Name, c.Type, c.NullShare, c.Bounds, c.ReadAs))
	}
	want := []string{"room_id integer 0.00 [0 3] ", "at timestamp 0.00 [1970-01-01 00:00:00 1970-01-01 01:59:00] ",
		"celsius double precision 0.10 [0 29.5] ", "note text 0.10 [n00 n38] ", "month text 0.00 [] folder"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s", strings.Join(got, "\n"))
	}
}

// What is not needed is not read, and the answer is the same.
func TestParquetLeavesUnread(t *testing.T) {
	p := connected(t, "parquet", loggers(t))
	for _, c := range []struct{ sql, rows, touched string }{
		{"SELECT count(*) AS n FROM f.readings", "120", "3 of 3 files, 12 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE month = '2025-02'", "40", "1 of 3 files, 4 of 4 row groups"},
		{"SELECT month, count(*) AS n FROM f.readings WHERE month >= '2025-02' GROUP BY month", "2025-02|40 2025-03|40", "2 of 3 files, 8 of 8 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE room_id = 2", "30", "3 of 3 files, 3 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE room_id = 2 AND month = '2025-01'", "10", "1 of 3 files, 1 of 4 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE room_id IN (0, 3)", "60", "3 of 3 files, 6 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE room_id > 1 OR at < timestamp '1970-01-01 00:05:00'", "65", "3 of 3 files, 7 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE at >= timestamp '1970-01-01 01:55:00'", "5", "1 of 3 files, 1 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE at >= date '1970-01-02'", "0", "0 of 3 files, 0 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE celsius < 1", "4", "1 of 3 files, 1 of 12 row groups"},
		// A NaN is above every bound, and files do not say where there is one.
		{"SELECT count(*) AS n FROM f.readings WHERE celsius > 29", "2", "3 of 3 files, 12 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE room_id IS NULL", "0", "0 of 3 files, 0 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE note LIKE 'n0%'", "27", "3 of 3 files, 3 of 12 row groups"},
		{"SELECT count(*) AS n FROM f.readings WHERE note = 'n05'", "3", "3 of 3 files, 3 of 12 row groups"},
		// Within the bounds, and not in the Bloom filter.
		{"SELECT count(*) AS n FROM f.readings WHERE note = 'n055'", "0", "0 of 3 files, 0 of 12 row groups"},
		{"SELECT room_id FROM f.readings WHERE month = '2025-03' LIMIT 3", "0 0 0", "1 of 3 files, 1 of 4 row groups"},
		{"SELECT room_id, month FROM f.readings LIMIT 12 OFFSET 35", "", "2 of 3 files, 5 of 8 row groups"},
		{"SELECT month FROM (SELECT month FROM f.readings LIMIT 45) t WHERE month = '2025-02'", "2025-02 2025-02 2025-02 2025-02 2025-02", "2 of 3 files, 5 of 8 row groups"},
		{"SELECT 1 AS one FROM f.readings WHERE month = '2025-01' AND room_id + 1 = 2 AND note = 'n15'", "1", "1 of 3 files, 1 of 4 row groups"},
		{"SELECT a.room_id, a.room_id AS again FROM f.readings a WHERE a.at = timestamp '1970-01-01 00:15:00'", "1|1", "1 of 3 files, 1 of 12 row groups"},
	} {
		rows, report := p.rows(c.sql)
		if got := strings.Join(rows, " "); c.rows != "" && got != c.rows {
			t.Errorf("%s\ngot  %s\nwant %s", c.sql, got, c.rows)
		}
		if got := touched(report); got != c.touched {
			t.Errorf("%s\ntouched %s\nwant    %s", c.sql, got, c.touched)
		}
	}
}

// A statement names what it reads and leaves, and each piece its part of it.
func TestParquetStatement(t *testing.T) {
	p := connected(t, "parquet", loggers(t))
	_, report := p.rows("SELECT note FROM f.readings WHERE month = '2025-02' AND room_id = 2")
	want := "READ note, room_id\nFROM readings\nONLY FOLDERS WHERE month = '2025-02'\nSKIP PARTS WITHOUT room_id = 2"
	s := report.Statements[0]
	if s.Text != want && s.Text != strings.Replace(want, "note, room_id", "room_id, note", 1) {
		t.Errorf("got %s", s.Text)
	}
	var got []string
	for _, piece := range report.Pieces {
		code := ""
		if piece.Reason != nil {
			code = piece.Reason.Code
		}
		got = append(got, fmt.Sprintf("%s %s %s %s", piece.Kind, piece.Verdict, code, s.Text[piece.Native[0][0]:piece.Native[0][1]]))
	}
	if strings.Join(got, "\n") != "filter folded  month = '2025-02'\nfilter narrowed parts-skipped room_id = 2" {
		t.Errorf("pieces\n%s", strings.Join(got, "\n"))
	}
}

// NaN and infinity in a file are found whatever its bounds say.
func TestParquetNaN(t *testing.T) {
	root := t.TempDir()
	writeParquet(t, filepath.Join(root, "x.parquet"), 2, nil,
		logged{room: 1, celsius: 1.5}, logged{room: 2, celsius: math.NaN()}, logged{room: nil, celsius: math.Inf(1)}, logged{room: 4, celsius: -2.0})
	p := connected(t, "parquet", root)
	for sql, want := range map[string]string{
		"SELECT room_id FROM f.x WHERE celsius > 100":                             "2 NULL",
		"SELECT room_id FROM f.x WHERE celsius = 'NaN'::double precision":         "2",
		"SELECT room_id FROM f.x WHERE celsius <= 1.5":                            "1 4",
		"SELECT room_id FROM f.x WHERE celsius >= 'NaN'::double precision":        "2",
		"SELECT celsius FROM f.x WHERE room_id IS NULL":                           "Infinity",
		"SELECT count(room_id) AS n, count(*) AS m FROM f.x WHERE at IS NOT NULL": "3|4",
	} {
		if rows, _ := p.rows(sql); strings.Join(rows, " ") != want {
			t.Errorf("%s: %v, want %s", sql, rows, want)
		}
	}
}

// Damaged files are errors that name the source and the file, and only those.
func TestDamagedParquet(t *testing.T) {
	root := loggers(t)
	whole := connected(t, "parquet", root)
	path := filepath.Join(root, "readings", "month=2025-02", "part.parquet")
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for name, damage := range map[string][]byte{
		"cut off": b[:len(b)/2], "empty": {}, "another format": []byte("room,at\n1,2\n"), "a broken middle": append(append([]byte{}, b[:200]...), append(make([]byte, 300), b[500:]...)...),
	} {
		if err := os.WriteFile(path, damage, 0o600); err != nil {
			t.Fatal(err)
		}
		_, _, err := whole.ask("SELECT sum(room_id), max(note), max(at) FROM f.readings", false)
		if err == nil || !strings.Contains(err.Error(), "f: readings/month=2025-02/part.parquet: ") {
			t.Errorf("%s: %v", name, err)
		}
		if rows, _, err := whole.ask("SELECT count(note) FROM f.readings WHERE month <> '2025-02'", false); err != nil || rows[0] != "72" {
			t.Errorf("%s: the other files: %v, %v", name, rows, err)
		}
	}
}

// Every type is carried exactly, or left out with the reason.
func TestParquetTypes(t *testing.T) {
	point := arrow.StructOf(arrow.Field{Name: "x", Type: arrow.PrimitiveTypes.Int32})
	fields := []struct {
		name  string
		typ   arrow.DataType
		json  string // two rows
		want  string // the type, and the rows
		bound string // a condition that the first row alone meets
	}{
		{"flag", arrow.FixedWidthTypes.Boolean, `[true, null]`, "boolean: true NULL", "flag"},
		{"tiny", arrow.PrimitiveTypes.Int8, `[-7, 5]`, "smallint: -7 5", "tiny < 0"},
		{"wide", arrow.PrimitiveTypes.Uint64, `[18446744073709551615, 0]`, "numeric(20,0): 18446744073709551615 0", "wide > 1"},
		{"unsigned", arrow.PrimitiveTypes.Uint32, `[4294967295, 1]`, "bigint: 4294967295 1", "unsigned > 4000000000"},
		{"single", arrow.PrimitiveTypes.Float32, `[1.5, null]`, "real: 1.5 NULL", "single = 1.5"},
		{"raw", arrow.BinaryTypes.Binary, `["AP8=", null]`, `bytea: \x00ff NULL`, `raw = '\x00ff'::bytea`},
		{"amount", &arrow.Decimal128Type{Precision: 10, Scale: 2}, `["-12.50", "3.00"]`, "numeric(10,2): -12.50 3.00", "amount < 0"},
		{"day", arrow.FixedWidthTypes.Date32, `["2024-02-29", null]`, "date: 2024-02-29 NULL", "day = date '2024-02-29'"},
		{"clock", arrow.FixedWidthTypes.Time64us, `["10:30:00.25", null]`, "time: 10:30:00.25 NULL", "clock > time '10:00'"},
		{"fine", &arrow.TimestampType{Unit: arrow.Nanosecond}, `["2024-01-01 00:00:00.000001000", null]`, "timestamp: 2024-01-01 00:00:00.000001 NULL", "fine > timestamp '2024-01-01'"},
		{"zoned", &arrow.TimestampType{Unit: arrow.Millisecond, TimeZone: "UTC"}, `["2024-01-01 12:00:00Z", null]`, "timestamptz: 2024-01-01 12:00:00+00 NULL", "zoned < timestamptz '2025-01-01'"},
		{"words", &arrow.DictionaryType{IndexType: arrow.PrimitiveTypes.Int32, ValueType: arrow.BinaryTypes.String}, `["a", null]`, "text: a NULL", "words = 'a'"},
		{"list", arrow.ListOf(arrow.PrimitiveTypes.Int32), `[[1, null, 3], []]`, "integer[]: {1,NULL,3} {}", "list[3] = 3"},
		{"point", point, `[{"x": 1}, null]`, "left out: A value of several parts has no type of a column.", ""},
		{"points", arrow.ListOf(point), `[[{"x": 1}], null]`, "left out: A list of struct<x: int32> has no type of a column.", ""},
	}
	var schema []arrow.Field
	var columns []arrow.Array
	for _, f := range fields {
		arr, _, err := array.FromJSON(value.Memory, f.typ, strings.NewReader(f.json))
		if err != nil {
			t.Fatalf("%s: %v", f.name, err)
		}
		schema, columns = append(schema, arrow.Field{Name: f.name, Type: f.typ, Nullable: true}), append(columns, arr)
	}
	root := t.TempDir()
	f, err := os.Create(filepath.Join(root, "x.parquet"))
	if err != nil {
		t.Fatal(err)
	}
	w, err := pqarrow.NewFileWriter(arrow.NewSchema(schema, nil), f, nil, pqarrow.NewArrowWriterProperties(pqarrow.WithStoreSchema()))
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Write(array.NewRecordBatch(arrow.NewSchema(schema, nil), columns, 2)); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	p := connected(t, "parquet", root)
	table := p.found.Tables[0]
	texts := connectedAs(t, "parquet", root, connect.ColumnTypes{"x": {"point": value.Of(value.Text), "points": value.Of(value.Text)}})
	for sql, want := range map[string]string{
		"SELECT point FROM f.x WHERE point IS NOT NULL":                   `{"x":1}`,
		"SELECT points FROM f.x WHERE points > '['":                       `[{"x":1}]`,
		"SELECT (points::jsonb -> 0 ->> 'x') FROM f.x WHERE wide > 1":     "1",
		"SELECT count(*) FROM f.x WHERE point IS NULL AND points IS NULL": "1",
	} {
		if rows, _ := texts.rows(sql); len(rows) != 1 || rows[0] != want {
			t.Errorf("%s gives %q, want %s", sql, rows, want)
		}
	}
	for _, f := range fields {
		at := table.Column(f.name)
		if at < 0 {
			if got := "left out: " + table.LeftColumn(f.name).Reason; got != f.want {
				t.Errorf("%s is %q, want %q", f.name, got, f.want)
			}
			continue
		}
		// The rows come sorted by their strings.
		_, values, _ := strings.Cut(f.want, ": ")
		want := strings.Split(strings.ReplaceAll(values, "2024-01-01 ", "2024-01-01_"), " ")
		for i := range want {
			want[i] = strings.ReplaceAll(want[i], "_", " ")
		}
		first := want[0]
		slices.Sort(want)
		rows, _ := p.rows("SELECT " + f.name + " FROM f.x")
		if kind, _, _ := strings.Cut(f.want, ": "); !slices.Equal(rows, want) || table.Columns[at].Type.String() != kind {
			t.Errorf("%s: %s %q, want %s %q", f.name, table.Columns[at].Type, rows, kind, want)
		}
		if rows, _ := p.rows("SELECT " + f.name + " FROM f.x WHERE " + f.bound); len(rows) != 1 || rows[0] != first {
			t.Errorf("%s: %q", f.bound, rows)
		}
	}
}

// What is finer than Rovik's times is an error where it is read, and no other.
func TestParquetTooFine(t *testing.T) {
	typ := &arrow.TimestampType{Unit: arrow.Nanosecond}
	arr, _, err := array.FromJSON(value.Memory, typ, strings.NewReader(`["2024-01-01 00:00:00.000000001"]`))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := convert(arr, value.Timestamp); err == nil || !strings.Contains(err.Error(), "nanoseconds") {
		t.Error(err)
	}
}

// Within a row group pages are left unread where the file has their bounds, also
// where those of several columns lie across each other, and no answer changes.
func TestParquetPages(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	var rows []logged
	for i := range 20_000 {
		l := logged{room: i / 2500, at: int64(i) * 60_000, celsius: float64(i%5000) / 100, note: fmt.Sprintf("n%04d", i/10)}
		switch {
		case r.IntN(30) == 0:
			l.celsius = math.NaN()
		case r.IntN(20) == 0:
			l.celsius = nil
		}
		if i/1000%3 == 1 || r.IntN(15) == 0 {
			l.note = nil
		}
		rows = append(rows, l)
	}
	for name, props := range map[string][]pq.WriterProperty{
		"with dictionaries":    {pq.WithDictionaryDefault(true)},
		"without dictionaries": {pq.WithDictionaryDefault(false), pq.WithDataPageVersion(pq.DataPageV2)},
	} {
		root := t.TempDir()
		writeParquet(t, filepath.Join(root, "readings.parquet"), 15_000, append(props, pq.WithPageIndexEnabled(true), pq.WithDataPageSize(1000), pq.WithBatchSize(100)), rows...)
		p := connected(t, "parquet", root)
		for sql, most := range map[string]float64{
			"SELECT count(*) AS n, sum(room_id) AS s FROM f.readings WHERE at >= timestamp '1970-01-08 10:00:00' AND at < timestamp '1970-01-08 12:00:00'": 0.1,
			"SELECT at, note FROM f.readings WHERE room_id = 3 AND celsius < 5":                                                                            0.5,
			"SELECT at, celsius FROM f.readings WHERE note = 'n0877'":                                                                                      0.2,
			"SELECT at FROM f.readings WHERE note LIKE 'n12%' AND celsius IS NULL":                                                                         0.2,
			"SELECT at, room_id FROM f.readings WHERE note IS NOT NULL AND at < timestamp '1970-01-03' OR room_id = 7":                                     0.5,
			"SELECT note, celsius FROM f.readings WHERE celsius = 'NaN'::double precision AND room_id IN (0, 7)":                                           0.5,
		} {
			_, report := p.rows(sql)
			pages := pagesOf(report)
			if pages.Of < 100 || float64(pages.Read) > most*float64(pages.Of) || pages.Read == 0 {
				t.Errorf("%s, %s: %d of %d pages", name, sql, pages.Read, pages.Of)
			}
		}
		for range 60 {
			from, column := r.IntN(20_000), []string{"at", "room_id", "celsius", "note"}[r.IntN(4)]
			at := func(i int) string { return time.UnixMilli(int64(i) * 60_000).UTC().Format("'2006-01-02 15:04:05'") }
			low := map[string]string{"at": "timestamp " + at(from), "room_id": fmt.Sprint(from / 2500), "celsius": fmt.Sprint(from / 400), "note": fmt.Sprintf("'n%04d'", from/10)}
			op := []string{"<", "<=", "=", ">=", ">"}[r.IntN(5)]
			p.rows(fmt.Sprintf("SELECT * FROM f.readings WHERE %s %s %s AND at %s timestamp %s", column, op, low[column], []string{"<", ">="}[r.IntN(2)], at(r.IntN(20_000))))
		}
	}
}

func pagesOf(r *explain.Report) explain.Touched {
	for _, t := range r.Statements[0].Touched {
		if t.What == "pages" {
			return t
		}
	}
	return explain.Touched{}
}
