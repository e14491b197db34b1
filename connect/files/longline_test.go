package files

import (
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"

	"rovik/core/shape"
	"rovik/core/value"
)

// A line of two gigabytes is an error that says where, and takes the memory of
// the longest record at most.
func TestLineOfTwoGigabytes(t *testing.T) {
	for kind, c := range map[string]struct{ head, tail, want string }{
		"csv":  {"a,b\n1,2\n3,", "\n5,6\n", "f: x.csv.zst: line 3: a record is longer than 16 MiB"},
		"json": {`{"a": 1}` + "\n" + `{"a": "`, "\"}\n", "f: x.json.zst: record 2: a record is longer than 16 MiB"},
		"xml":  {"<r><v>1</v><v>", "</v></r>", "f: x.xml.zst: line 1: a record is longer than 16 MiB"},
	} {
		t.Run(kind, func(t *testing.T) {
			root := t.TempDir()
			f, err := os.Create(filepath.Join(root, "x."+kind+".zst"))
			if err != nil {
				t.Fatal(err)
			}
			z, err := zstd.NewWriter(f, zstd.WithEncoderLevel(zstd.SpeedFastest))
			if err != nil {
				t.Fatal(err)
			}
			block := []byte(strings.Repeat("x", 1<<20))
			parts := [][]byte{[]byte(c.head)}
			for range 2 << 10 {
				parts = append(parts, block)
			}
			for _, p := range append(parts, []byte(c.tail)) {
				if _, err := z.Write(p); err != nil {
					t.Fatal(err)
				}
			}
			if err := z.Close(); err != nil {
				t.Fatal(err)
			}
			if err := f.Close(); err != nil {
				t.Fatal(err)
			}
			s, err := New("f", kind, cfgOf(root))
			if err != nil {
				t.Fatal(err)
			}
			if kind == "xml" {
				s = s.WithShapes([]*shape.Shape{{Set: "x", Language: shape.XPath, Table: &shape.Table{Name: "v", Rows: "/r/v", Columns: []shape.Column{{Name: "v", From: shape.FromPath, Path: ".", Type: value.Of(value.Text), Misfit: "error"}}}}}).(*Source)
			}
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			_, err = s.Discover(t.Context())
			runtime.ReadMemStats(&after)
			if err == nil || !strings.HasPrefix(err.Error(), c.want) {
				t.Errorf("%v, want %s", err, c.want)
			}
			if taken := (after.TotalAlloc - before.TotalAlloc) >> 20; taken > 16*maxRecord>>20 {
				t.Errorf("%d MiB were taken for it", taken)
			}
		})
	}
}
