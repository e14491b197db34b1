package files

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"
)

// Members of records are columns, typed by all their values; what is nested or
// of several kinds is carried as jsonb.
func TestJSONFiles(t *testing.T) {
	const lines = `{"id": 1, "Name": "Ann", "born": "1990-02-03", "size": 1.50, "ok": true, "tags": ["a", "b"], "code": 7, "at": {"x": 1}}
{"id": 2, "Name": null, "born": "2000-01-01", "size": 2, "ok": false, "code": "B7"}

{"id": 3000000000, "Name": "", "size": -0.25, "born": null, "extra": 1e3, "ok": null, "name": "low", "tags": null}
`
	array := "\xef\xbb\xbf [\n" + strings.ReplaceAll(strings.ReplaceAll(strings.TrimSpace(lines), "\n\n", "\n"), "\n", ",\n") + "\n]\n"
	for name, text := range map[string]string{"people.ndjson": lines, "people.json": array} {
		root := t.TempDir()
		writeFile(t, filepath.Join(root, name), []byte(text))
		p := connected(t, "json", root)
		var got []string
		for _, c := range p.found.Tables[0].Columns {
			got = append(got, fmt.Sprintf("%s %s (%s)", c.Name, c.Type, c.Native))
		}
		want := []string{"id bigint (3 number)", "name text (2 text, 1 missing)", "born date (2 text, 1 missing)", "size numeric (3 number)", "ok boolean (2 boolean, 1 missing)",
			"tags jsonb (1 nested, 2 missing)", "code jsonb (1 text, 1 number, 1 missing)", "at jsonb (1 nested, 2 missing)", "extra double precision (1 number, 2 missing)", "name_2 text (1 text, 2 missing)"}
		if strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Errorf("%s:\n%s", name, strings.Join(got, "\n"))
		}
		for sql, want := range map[string]string{
			"SELECT id, name, born, size, ok FROM f.people":                 "1|Ann|1990-02-03|1.50|true 2|NULL|2000-01-01|2|false 3000000000||NULL|-0.25|NULL",
			"SELECT tags ->> 1, code, at -> 'x' FROM f.people WHERE id = 1": "b|7|1",
			"SELECT code ->> 0, code FROM f.people WHERE id = 2":            `B7|"B7"`,
			"SELECT name_2, extra FROM f.people WHERE name = ''":            "low|1000",
			"SELECT count(*) FROM f.people":                                 "3",
		} {
			if rows, _ := p.rows(sql); strings.Join(rows, " ") != want {
				t.Errorf("%s: %s: %v", name, sql, rows)
			}
		}
	}
}

func TestBadJSON(t *testing.T) {
	deep := strings.Repeat("[", 5000) + strings.Repeat("]", 5000)
	for name, c := range map[string]struct{ text, want string }{
		"cut off":           {`{"a": 1}` + "\n" + `{"a": `, "record 2: the file ends within it"},
		"an array cut off":  {`[{"a": 1}, {"a": 2}`, "record 3: the file ends within it"},
		"something else":    {`{"a": 1}` + "\nroom,at\n", "record 2, near byte"},
		"no objects":        {"1 2 3", "record 1: it is not an object"},
		"behind the array":  {`[{"a": 1}] {"a": 2}`, "there is more behind the array"},
		"not UTF-8":         {"{\"a\": \"\xff\"}", "record 1: the string is not UTF-8"},
		"the character 0":   {`{"a": "x\u0000y"}`, "record 1: a: the string contains a NUL character"},
		"half a character":  {`{"a": "x\ud83d"}`, "record 1: invalid input syntax for type json: half a Unicode surrogate pair"},
		"nested too deeply": {`{"a": ` + deep + `}`, "nested too deeply"},
		"a record too long": {`{"a": "` + strings.Repeat("x", maxRecord+10) + `"}`, "longer than 16 MiB"},
	} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			writeFile(t, filepath.Join(root, "x.json"), []byte(c.text))
			s, err := New("f", "json", cfgOf(root))
			if err != nil {
				t.Fatal(err)
			}
			if _, err := s.Discover(t.Context()); err == nil || !strings.HasPrefix(err.Error(), "f: x.json: ") || !strings.Contains(err.Error(), c.want) {
				t.Errorf("%v, want %s", err, c.want)
			}
		})
	}
}

// Nothing that a file holds makes the reader panic, and what describes itself
// can be read by its description.
func FuzzJSONFile(f *testing.F) {
	for _, seed := range []string{`{"a": 1}`, `[{"a": [1, {"b": null}]}, {"a": "x", "A": true}]`, "{\"a\": 1e400}\n{}", `[`, `[]`, "\xef\xbb\xbf{}", `{"": {"": ""}}`, `{"a": "2024-01-01"}{"a": "x"}`, `{"a": -0, "a": 2}`} {
		f.Add([]byte(seed))
	}
	path := filepath.Join(f.TempDir(), "x.json")
	f.Fuzz(func(t *testing.T, b []byte) {
		writeFile(t, path, b)
		j := &jsonFiles{}
		held, err := j.describe(t.Context(), file{path: path})
		if err != nil {
			return
		}
		if err := readAll(t, j, file{path: path}, held.columns); err != nil {
			t.Errorf("%q is described as %+v and then not read: %v", b, held.columns, err)
		}
	})
}
