package files

import (
	"bytes"
	"compress/gzip"
	stdcsv "encoding/csv"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"testing/iotest"

	"github.com/klauspost/compress/zstd"

	"rovik/connect/cells"
	"rovik/core/kernel"
)

func writeFile(t *testing.T, path string, b []byte) {
	t.Helper()
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
}

// The type of a column is the narrowest that all its cells have and that keeps
// their text.
func TestCSVTypes(t *testing.T) {
	for _, c := range []struct{ cells, want string }{
		{"1,22,-3", "integer"}, {"1,,3", "integer"}, {"1,3000000000", "bigint"}, {"1,2.50", "numeric"}, {"99999999999999999999", "numeric"},
		{"1.5,2e3", "double precision"}, {"1,NaN", "double precision"}, {"007,8", "text"}, {"+5,6", "text"}, {"1 ,2", "text"}, {"1.,2", "text"}, {"0x10", "text"},
		{"true,false", "boolean"}, {"true,TRUE", "text"}, {"t,f", "text"}, {"1,x", "text"},
		{"2024-02-29,2023-01-01", "date"}, {"2024-02-30", "text"}, {"24-02-20", "text"}, {"2024-2-9", "text"},
		{"2024-02-29 10:00:00,2024-02-29T10:00:01.5", "timestamp"}, {"2024-02-29 10:00", "timestamp"}, {"2024-02-29 10:00:00Z", "text"}, {"2024-02-29,2024-02-29 10:00:00", "text"},
		{",", "text"}, {"infinity,today", "text"}, {"Infinity,1", "double precision"}, {"12345678901234567890123456789012345678901", "text"},
		{"9007199254740993,1e5", "text"}, {"9007199254740992,1e5", "double precision"}, {"-0.00,1", "text"}, {"-.5,1", "text"}, {"1e-400", "text"}, {"2024-02-29 10:00:00.1234567", "text"},
	} {
		root := t.TempDir()
		writeFile(t, filepath.Join(root, "x.csv"), []byte("k,v\n"+"1,"+strings.ReplaceAll(c.cells, ",", "\n1,")+"\n"))
		p := connected(t, "csv", root)
		if got := p.found.Tables[0].Columns[1].Type.String(); got != c.want {
			t.Errorf("%s: %s, want %s", c.cells, got, c.want)
		}
		rows, _ := p.rows("SELECT v FROM f.x")
		if n := strings.Count(c.cells, ",") + 1; len(rows) != n {
			t.Errorf("%s: %d rows", c.cells, len(rows))
		}
	}
}

// Files as they are found in the wild.
func TestCSVInTheWild(t *testing.T) {
	for name, c := range map[string]struct{ text, sql, want string }{
		"a mark, semicolons and carriage returns": {"\xef\xbb\xbfRoom Name;Höhe (m);§\r\nHall;1,5;x\r\n\"a;b\";2;\"\"\r\n", "SELECT room_name, höhe_m, \"column\" IS NULL FROM f.x", "Hall|1,5|false a;b|2|false"},
		"quotes":                {"a,b\n\"say \"\"hi\"\"\",1\n\"two\nlines\",2\nhe said \"no\",3\n\"x\"y,4\n", "SELECT a FROM f.x WHERE b <> 2", `he said "no" say "hi" xy`},
		"lines in a cell":       {"a,b\n\"two\nlines\",2\n", "SELECT length(a), b FROM f.x", "9|2"},
		"NULL and empty":        {"a,b\n,1\n\"\",2\nx,\n", "SELECT a IS NULL, a = '', b IS NULL FROM f.x", "false|false|true false|true|false true|NULL|false"},
		"ragged":                {"a,b,c\n1,2,3\n4,5\n6,7,8,9\n", "SELECT a, b, c FROM f.x", "1|2|3 4|5|NULL 6|7|8"},
		"no last end":           {"a,b\n1,2\n3,", "SELECT a, b FROM f.x", "1|2 3|NULL"},
		"old line ends":         {"a,b\r1,2\r3,4", "SELECT a, b FROM f.x", "1|2 3|4"},
		"empty lines":           {"a,b\n\n1,3\n\n\n2,4\n\n", "SELECT a FROM f.x", "1 2"},
		"lines that are a cell": {"\n\na\n1\n\n2\n\n\"\"\n", "SELECT a FROM f.x", " 1 2 NULL NULL"},
		"such lines of old":     {"a\r\n\r\n1\r\n\r\n", "SELECT a FROM f.x", "1 NULL NULL"},
		"tabs":                  {"a\tb\n1\tx,y\n", "SELECT a, b FROM f.x", "1|x,y"},
		"names twice":           {"a,a,A,1st\n1,2,3,4\n", "SELECT a, a_2, a_3, c1st FROM f.x", "1|2|3|4"},
		"only names":            {"a,b\n", "SELECT a FROM f.x", ""},
	} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			writeFile(t, filepath.Join(root, "x.csv"), []byte(c.text))
			p := connected(t, "csv", root)
			rows, _ := p.rows(c.sql)
			if got := strings.Join(rows, " "); got != c.want {
				t.Errorf("got %s, want %s", got, c.want)
			}
			_, noted := p.found.Quirks["ragged lines in x.csv"]
			if noted != (name == "ragged") {
				t.Errorf("ragged lines: %v", p.found.Quirks)
			}
		})
	}
}

// What cannot be read is an error that names the source, the file and the line.
func TestBadCSV(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"the character 0":         {"a,b\n1,2\n3,x\x00y\n", "f: x.csv: line 3, column b: the string contains a NUL character"},
		"not UTF-8":               {"a,b\n1,2\n\"\n\",\xff\n", "f: x.csv: line 3, column b: the string is not UTF-8"},
		"a quote that never ends": {"a,b\n1,\"2\n3,4\n", "f: x.csv: line 2: a quote is not closed"},
		"nothing":                 {"", "f: x.csv: it is empty"},
		"names that are no text":  {"a,\xff\n1,2\n", "f: x.csv: line 1, the first line: the string is not UTF-8"},
		"a record without end":    {"a,b\n1,\"" + strings.Repeat("x", maxRecord+scanBlock) + "\"\n", "f: x.csv: line 2: a record is longer than 16 MiB"},
	} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			writeFile(t, filepath.Join(root, "x.csv"), []byte(c.text))
			s, err := New("f", "csv", cfgOf(root))
			if err != nil {
				t.Fatal(err)
			}
			if _, err := s.Discover(t.Context()); err == nil || !strings.HasPrefix(err.Error(), c.want) {
				t.Errorf("%v, want %s", err, c.want)
			}
		})
	}
}

// A file that changed since it was read is an error where it does not fit.
func TestCSVThatChanged(t *testing.T) {
	root := t.TempDir()
	path := filepath.Join(root, "x.csv")
	writeFile(t, path, []byte("a,b\n1,2\n"))
	p := connected(t, "csv", root)
	writeFile(t, path, []byte("b,a\n7,1\n8,two\n"))
	if rows, _, err := p.ask("SELECT b FROM f.x", false); err != nil || strings.Join(rows, " ") != "7 8" {
		t.Errorf("%v, %v", rows, err)
	}
	if _, _, err := p.ask("SELECT a FROM f.x", false); err == nil || !strings.Contains(err.Error(), `f: x.csv: line 3, column a: "two" is not an integer`) {
		t.Error(err)
	}
	if err := os.Remove(path); err != nil {
		t.Fatal(err)
	}
	if _, _, err := p.ask("SELECT a FROM f.x", false); err == nil || !strings.Contains(err.Error(), "there is no x any more") {
		t.Error(err)
	}
}

// Compressed files, and folders that name a value.
func TestCSVFolders(t *testing.T) {
	root := t.TempDir()
	var zipped bytes.Buffer
	z := gzip.NewWriter(&zipped)
	fmt.Fprint(z, "code,rate\nA,1.5\nB,2\n")
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	writeFile(t, filepath.Join(root, "rates", "year=2024", "all.csv.gz"), zipped.Bytes())
	enc, err := zstd.NewWriter(nil)
	if err != nil {
		t.Fatal(err)
	}
	writeFile(t, filepath.Join(root, "rates", "year=2025", "all.csv.zst"), enc.EncodeAll([]byte("rate,code,note\n3,A,new\n"), nil))
	writeFile(t, filepath.Join(root, "days.csv"), []byte("day\n2024-01-01\n"))
	writeFile(t, filepath.Join(root, ".hidden.csv"), []byte("x\n1\n"))
	p := connected(t, "csv", root)
	for sql, want := range map[string]string{
		"SELECT code, rate, note, year FROM f.rates":               "A|1.5|NULL|2024 A|3|new|2025 B|2|NULL|2024",
		"SELECT code FROM f.rates WHERE year > 2024":               "A",
		"SELECT sum(rate) FROM f.rates WHERE year IN (2023, 2024)": "3.5",
		"SELECT extract(year FROM day) FROM f.days":                "2024",
	} {
		rows, report := p.rows(sql)
		if got := strings.Join(rows, " "); got != want {
			t.Errorf("%s: %s, want %s", sql, got, want)
		}
		if strings.Contains(sql, "WHERE year") && touched(report) != "1 of 2 files" {
			t.Errorf("%s: %s", sql, touched(report))
		}
	}
	writeFile(t, filepath.Join(root, "rates", "part=x", "all.csv"), []byte("code\nC\n"))
	s, _ := New("f", "csv", cfgOf(root))
	if _, err := s.Discover(t.Context()); err == nil || !strings.Contains(err.Error(), "name part") {
		t.Error(err)
	}
	writeFile(t, filepath.Join(root, "broken.csv.gz"), []byte("not so"))
	if _, err := s.Discover(t.Context()); err == nil {
		t.Error("a file that is not compressed as it says was read")
	}
}

// records reads all records of a text as the scanner sees it, fed in pieces.
func records(in io.Reader, comma byte) ([][]string, error) {
	s := newScanner(in, comma)
	s.buf = make([]byte, 7) // so that records cross the ends of blocks
	var out [][]string
	for {
		if err := s.next(); errors.Is(err, io.EOF) {
			return out, nil
		} else if err != nil {
			return out, err
		}
		var row []string
		for _, f := range s.fields {
			row = append(row, string(f.text))
		}
		out = append(out, row)
	}
}

// What the standard library reads, the scanner reads alike, wherever the blocks
// end; and nothing makes it panic or read for ever.
// Several that read blocks of a file see what one sees: the same records on the
// same lines, and the same errors, however quotes stand.
func TestDividedCSV(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	pieces := []string{"a", "bc", "1", ",", ",", "\n", "\n", "\n", "\r\n", "\"x\"", "\"a\nb\"", "\"\"\"\"", "\"a,\"\"b\"\"\"", "\"", "5\" disk", "\n\n", "\r", "é"}
	type record struct {
		line  int
		cells string
	}
	parse := func(s *scanner, give func(record) error) error {
		for {
			if err := s.next(); errors.Is(err, io.EOF) {
				return nil
			} else if err != nil {
				return err
			}
			var cells []string
			for _, f := range s.fields {
				cells = append(cells, fmt.Sprintf("%s %v", f.text, f.quoted))
			}
			if err := give(record{s.first, strings.Join(cells, "|")}); err != nil {
				return err
			}
		}
	}
	fellBack, whole := 0, 0
	for range 4000 {
		var text strings.Builder
		odd := r.IntN(3) == 0 // quotes where they may not be
		for range r.IntN(120) {
			p := pieces[r.IntN(len(pieces))]
			if !odd && (strings.Count(p, "\"")%2 == 1 || p == "\r") {
				continue
			}
			text.WriteString(p)
		}
		var want, got []record
		one := parse(newScanner(strings.NewReader(text.String()), ','), func(r record) error { want = append(want, r); return nil })
		calls := atomic.Int64{}
		several := divide(t.Context(), newScanner(strings.NewReader(text.String()), ','), 3, 8+r.IntN(60), func(s *scanner, give func(record) error) error {
			if !s.block {
				calls.Add(1)
			}
			return parse(s, give)
		}, func(r record) error { got = append(got, r); return nil })
		if fmt.Sprint(one) != fmt.Sprint(several) || !slices.Equal(got, want) {
			t.Fatalf("%q\none     %v %v\nseveral %v %v", text.String(), want, one, got, several)
		}
		if calls.Load() > 0 {
			fellBack++
		} else {
			whole++
		}
	}
	if fellBack < 100 || whole < 2000 {
		t.Errorf("%d were read on by one, %d by several", fellBack, whole)
	}
}

func FuzzScanner(f *testing.F) {
	for _, seed := range []string{"a,b\n1,2\n", "\"a\"\"b\",\"c\nd\"\n", "a\r\nb\r\n", "\"x\"y,z\n", ",\n,", "\"", "a,\"b", "\n\n", "a,b,"} {
		f.Add([]byte(seed))
	}
	r := rand.New(rand.NewPCG(1, 1))
	for range 300 {
		b := make([]byte, r.IntN(40))
		for i := range b {
			b[i] = "a,\"\n\rb"[r.IntN(6)]
		}
		f.Add(b)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		got, err := records(bytes.NewReader(b), ',')
		slow, slowErr := records(iotest.OneByteReader(bytes.NewReader(b)), ',')
		if (err == nil) != (slowErr == nil) || err == nil && !slices.EqualFunc(got, slow, slices.Equal) {
			t.Fatalf("%q: %q and %q, %v and %v", b, got, slow, err, slowErr)
		}
		if bytes.IndexByte(b, '\r') >= 0 {
			return // the standard library ends lines otherwise
		}
		std := stdcsv.NewReader(bytes.NewReader(b))
		std.FieldsPerRecord = -1
		want, stdErr := std.ReadAll()
		if stdErr == nil && (err != nil || !slices.EqualFunc(got, want, slices.Equal)) {
			t.Fatalf("%q: %q, want %q, %v", b, got, want, err)
		}
	})
}

// BenchmarkCSV compares with the standard library on one processor: splitting
// alone, and splitting with the cells put into the same columns.
func BenchmarkCSV(b *testing.B) {
	var text bytes.Buffer
	text.WriteString("id,name,amount,day,note\n")
	for i := range 200_000 {
		fmt.Fprintf(&text, "%d,object %d,%d.%02d,2024-%02d-%02d,\"a note, with \"\"quotes\"\"\"\n", i, i%977, i%5000, i%100, i%12+1, i%28+1)
	}
	path := filepath.Join(b.TempDir(), "x.csv")
	if err := os.WriteFile(path, text.Bytes(), 0o600); err != nil {
		b.Fatal(err)
	}
	c := &csv{}
	held, err := c.describe(b.Context(), file{path: path})
	if err != nil {
		b.Fatal(err)
	}
	standard := func(take func(record []string) error) func() error {
		return func() error {
			f, err := os.Open(path)
			if err != nil {
				return err
			}
			defer f.Close()
			r := stdcsv.NewReader(f)
			r.ReuseRecord = true
			for {
				if record, err := r.Read(); errors.Is(err, io.EOF) {
					return nil
				} else if err != nil {
					return err
				} else if err := take(record); err != nil {
					return err
				}
			}
		}
	}
	var put []func([]byte) error
	for _, col := range held.columns {
		_, one := cells.Builder(col.Type.Kind, new(bool))
		put = append(put, one)
	}
	header := true
	intoColumns := func(record []string) error {
		for i, cell := range record {
			if header {
				continue
			}
			if err := put[i]([]byte(cell)); err != nil {
				return err
			}
		}
		header = false
		return nil
	}
	whole := file{path: path, size: int64(text.Len())}
	var split, read, together, describe, theirSplit, theirRead int64
	for b.Loop() {
		theirSplit += elapsed(b, standard(func([]string) error { return nil }))
		header = true
		theirRead += elapsed(b, standard(intoColumns))
		split += elapsed(b, func() error {
			o, err := c.load(file{path: path})
			if err != nil {
				return err
			}
			for err == nil {
				err = o.scan.next()
			}
			return o.Close()
		})
		read += elapsed(b, func() error { return readAll(b, c, file{path: path}, held.columns) })
		together += elapsed(b, func() error {
			o, err := c.open(b.Context(), whole, held.columns)
			if err != nil {
				return err
			}
			return errors.Join(o.(*csvFile).readBy(b.Context(), runtime.GOMAXPROCS(0), func(kernel.Batch) error { return nil }), o.Close())
		})
		describe += elapsed(b, func() error { _, err := c.describe(b.Context(), whole); return err })
	}
	b.ReportMetric(float64(split)/float64(theirSplit), "split/encoding-csv")
	b.ReportMetric(float64(read)/float64(theirRead), "columns/encoding-csv")
	b.ReportMetric(float64(together)/float64(read), "by-all/by-one")
	b.ReportMetric(float64(describe)/float64(theirRead), "describe/encoding-csv")
}
