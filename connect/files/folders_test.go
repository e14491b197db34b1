package files

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"rovik/connect"
	"rovik/core/value"
)

// folderOf writes files of a table, by the path below it.
func folderOf(t *testing.T, files map[string]string) string {
	t.Helper()
	root := t.TempDir()
	for path, text := range files {
		writeFile(t, filepath.Join(root, "x", filepath.FromSlash(path)), []byte(text))
	}
	return root
}

// What folders and files of a table say of it, file by file: names with escapes and
// without a value, columns that one file has empty or of another type.
func TestFoldersOfFiles(t *testing.T) {
	for name, c := range map[string]struct {
		kind, query, columns string
		files                map[string]string
		want                 []string
	}{
		"no value":   {"csv", "SELECT k, v FROM f.x", "v integer, k bigint", map[string]string{"k=1/a.csv": "v,w\n1,x\n", "k=__FOLDER_DEFAULT_PARTITION__/a.csv": "v,w\n2,x\n", "k=/a.csv": "v,w\n3,x\n"}, []string{"1|1", "NULL|2", "NULL|3"}},
		"escapes":    {"csv", "SELECT k_at, v FROM f.x", "v integer, k_at text", map[string]string{"k%20at=a%2Fb/a.csv": "v,w\n1,x\n", "k%20at=50%/a.csv": "v,w\n2,x\n"}, []string{"50%|2", "a/b|1"}},
		"empty":      {"csv", "SELECT a, b FROM f.x WHERE b > 0", "a integer, b integer", map[string]string{"1.csv": "a,b\n1,\n", "2.csv": "a,b\n2,5\n", "3.csv": "a,b\n3,\n"}, []string{"2|5"}},
		"empty last": {"csv", "SELECT b FROM f.x", "a integer, b date", map[string]string{"1.csv": "a,b\n1,2024-02-29\n", "2.csv": "a,b\n2,\n"}, []string{"2024-02-29", "NULL"}},
		"all empty":  {"csv", "SELECT b FROM f.x", "a integer, b text", map[string]string{"1.csv": "a,b\n1,\n", "2.csv": "a,b\n2,\n"}, []string{"NULL", "NULL"}},
		"other type": {"csv", "SELECT b FROM f.x", "a integer, b text", map[string]string{"1.csv": "a,b\n1,007\n", "2.csv": "a,b\n2,5\n", "3.csv": "a,b\n3,2024-02-29\n"}, []string{"007", "2024-02-29", "5"}},
		"no text":    {"csv", "SELECT b FROM f.x", "a integer, b text", map[string]string{"1.csv": "a,b\n1,true\n", "2.csv": "a,b\n2,2024-02-29\n"}, []string{"2024-02-29", "true"}},
		"widths":     {"csv", "SELECT b FROM f.x", "a integer, b numeric", map[string]string{"1.csv": "a,b\n1,5\n", "2.csv": "a,b\n2,2.50\n"}, []string{"2.50", "5"}},
		"json kinds": {"json", "SELECT b FROM f.x", "a integer, b jsonb", map[string]string{"1.json": `{"a": 1, "b": "x"}`, "2.json": `{"a": 2, "b": 5}`, "3.json": `{"a": 3, "b": null}`}, []string{`"x"`, "5", "NULL"}},
		"json empty": {"json", "SELECT b FROM f.x", "a integer, b integer", map[string]string{"1.json": `{"a": 1, "b": null}`, "2.json": `{"a": 2, "b": 5}`}, []string{"5", "NULL"}},
	} {
		t.Run(name, func(t *testing.T) {
			p := connected(t, c.kind, folderOf(t, c.files))
			var columns []string
			for _, col := range p.found.Tables[0].Columns {
				if col.Name != "w" {
					columns = append(columns, col.Name+" "+col.Type.String())
				}
			}
			if got := strings.Join(columns, ", "); got != c.columns {
				t.Errorf("columns %s, want %s", got, c.columns)
			}
			rows, _ := p.rows(c.query)
			slices.Sort(rows)
			if !slices.Equal(rows, c.want) {
				t.Errorf("got %q, want %q", rows, c.want)
			}
		})
	}
}

// A file that cannot be read costs itself: the source connects, tables that do not
// need the file are there, and who needs it gets the error and never fewer rows.
func TestOneBadFile(t *testing.T) {
	root := folderOf(t, map[string]string{"k=1/a.json": `{"v": 1}`, "k=2/a.json": `{"v": 2`, "k=3/a.json": `{"v": 3}`})
	writeFile(t, filepath.Join(root, "y.json"), []byte(`{"v": 7}`))
	writeFile(t, filepath.Join(root, "z.json"), []byte(`{"v": `))
	p := connected(t, "json", root)
	for quirk, part := range map[string]string{"cannot be read: x/k=2/a.json": "ends within", "left out: z": "ends within"} {
		if q := p.found.Quirks[quirk]; !strings.Contains(q.Meaning, part) {
			t.Errorf("%s: %+v", quirk, q)
		}
	}
	for sql, want := range map[string]string{"SELECT v FROM f.x WHERE k <> 2": "[1 3]", "SELECT v FROM f.y": "[7]"} {
		if rows, _, err := p.ask(sql, false); err != nil || fmt.Sprint(rows) != want {
			t.Errorf("%s: %v, %v, want %s", sql, rows, err, want)
		}
	}
	for _, sql := range []string{"SELECT v FROM f.x", "SELECT count(*) FROM f.x", "SELECT v FROM f.x WHERE k = 2"} {
		if rows, _, err := p.ask(sql, false); value.Code(err) != value.CodeSource || !strings.Contains(err.Error(), "x/k=2/a.json") {
			t.Errorf("%s: %v, %v", sql, rows, err)
		}
	}
	writeFile(t, filepath.Join(root, "y.json"), []byte(`[`))
	if plain, err := New("f", "json", p.s.cfg); err != nil {
		t.Fatal(err)
	} else if _, err := plain.Discover(t.Context()); err != nil {
		t.Errorf("one table is left: %v", err)
	}
}

// Pipes, devices and links that lead out of the folder are no files; links within are.
func TestWhatIsNoFile(t *testing.T) {
	out := t.TempDir()
	writeFile(t, filepath.Join(out, "secret.csv"), []byte("id\n99\n"))
	dir := t.TempDir()
	if err := os.Mkdir(filepath.Join(dir, "a"), 0o700); err != nil {
		t.Fatal(err)
	}
	writeFile(t, filepath.Join(dir, "a", "one.csv"), []byte("id\n1\n"))
	for name, make := range map[string]func(path string) error{
		"pipe.csv":  func(path string) error { return syscall.Mkfifo(path, 0o600) },
		"out.csv":   func(path string) error { return os.Symlink(filepath.Join(out, "secret.csv"), path) },
		"zero.csv":  func(path string) error { return os.Symlink("/dev/zero", path) },
		"again.csv": func(path string) error { return os.Symlink("one.csv", path) },
	} {
		for _, folder := range []string{"", "a"} {
			if err := make(filepath.Join(dir, folder, name)); err != nil && !(folder == "" && name == "again.csv") {
				t.Fatal(err)
			}
		}
	}
	if err := os.Remove(filepath.Join(dir, "again.csv")); err != nil {
		t.Fatal(err)
	}
	p := connected(t, "csv", dir)
	if len(p.found.Tables) != 1 {
		t.Errorf("the tables are %v", p.found.Tables)
	}
	if rows, _, err := p.ask("SELECT id FROM f.a", false); err != nil || strings.Join(rows, " ") != "1 1" {
		t.Errorf("the rows are %q, %v", rows, err)
	}
	pipe := filepath.Join(dir, "pipe.csv")
	if s, err := New("f", "csv", connect.Config{Path: pipe}); err != nil {
		t.Error(err)
	} else if _, err := s.Discover(t.Context()); err == nil || !strings.Contains(err.Error(), "is no file") {
		t.Errorf("a pipe as a source: %v", err)
	}
}

// A table has so many files at most.
func TestTooManyFiles(t *testing.T) {
	was := maxFiles
	maxFiles = 3
	defer func() { maxFiles = was }()
	dir := t.TempDir()
	for i := range 4 {
		writeFile(t, filepath.Join(dir, "a", fmt.Sprintf("%d.csv", i)), []byte("id\n1\n"))
		s, err := New("f", "csv", connect.Config{Path: dir})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.Discover(t.Context()); (err != nil) != (i == 3) || err != nil && !strings.Contains(err.Error(), "more than 3 files") {
			t.Errorf("%d files: %v", i+1, err)
		}
	}
}
