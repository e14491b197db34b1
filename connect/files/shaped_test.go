package files

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"unicode/utf16"

	"rovik/connect"
	"rovik/core/explain"
	"rovik/core/shape"
	"rovik/core/value"
)

// shaped connects files with the shapes that are proposed for them, edited.
func shaped(t *testing.T, kind, path string, edit func(*shape.Shape)) *project {
	t.Helper()
	s, err := New("f", kind, connect.Config{Path: path})
	if err != nil {
		t.Fatal(err)
	}
	sets, err := s.Sets(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	var shapes []*shape.Shape
	for _, set := range sets {
		sh, err := connect.Propose(t.Context(), s, set.Name, "")
		if err != nil {
			t.Fatal(err)
		}
		if edit != nil {
			edit(sh)
		}
		shapes = append(shapes, sh)
	}
	s = s.WithShapes(shapes).(*Source)
	found, err := s.Discover(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	return &project{t: t, s: s, found: found}
}

func (p *project) tables() []string {
	var out []string
	for _, t := range p.found.Tables {
		out = append(out, fmt.Sprintf("%s %d", t.Name, t.Rows))
	}
	return out
}

func (p *project) expect(queries map[string]string) {
	p.t.Helper()
	for sql, want := range queries {
		if rows, _ := p.rows(sql); strings.Join(rows, " ") != want {
			p.t.Errorf("%s: %s", sql, strings.Join(rows, " "))
		}
	}
}

const partners = `<?xml version="1.0" encoding="ISO-8859-1"?>
<!-- partners -->
<report made="2026-01-02"><title>Rooms</title><partners>
<partner code="A1"><name>Caf` + "\xe9" + `</name><room no="1" lux="50"><case kind="flat"/><case kind="tall"/></room><room no="2" lux="dim"/></partner>
<partner code="B2"><name><![CDA` + "TA[B & Co]]>" + `</name><room no="1" lux="200"/><note>a<b>c</b></note></partner>
<partner code="C3"><name>Cy &amp; &#233;</name></partner>
</partners></report>`

// Elements become rows of tables, one for each part that repeats; the records
// are found in the file, and the encoding that it names is read.
func TestXMLFiles(t *testing.T) {
	root := t.TempDir()
	writeFile(t, filepath.Join(root, "partners.xml"), []byte(partners))
	p := shaped(t, "xml", root, nil)
	if got := strings.Join(p.tables(), ", "); got != "partners 3, partners_room 3, partners_room_case 2" {
		t.Errorf("tables %s", got)
	}
	if sh := p.s.shapes[0]; sh.Table.Rows != "/report/partners/partner" {
		t.Errorf("rows at %s", sh.Table.Rows)
	}
	p.expect(map[string]string{
		"SELECT code, name FROM f.partners":                                                               "A1|Café B2|B & Co C3|Cy & é",
		"SELECT r.code, r.no, r.lux FROM f.partners_room r":                                               "A1|1|50 A1|2|dim B2|1|200",
		"SELECT code, partners_room_position, position, kind FROM f.partners_room_case":                   "A1|1|1|flat A1|1|2|tall",
		"SELECT note FROM f.partners WHERE note IS NOT NULL":                                              `{"content": ["a", {"b": "c"}]}`,
		"SELECT count(*) FROM f.partners_room":                                                            "3",
		"SELECT p.name, r.lux FROM f.partners p JOIN f.partners_room r ON r.code = p.code WHERE r.no = 1": "B & Co|200 Café|50",
	})
	if rows, _, err := p.ask("SELECT code FROM f.partners LIMIT 1", false); err != nil || len(rows) != 1 {
		t.Errorf("a limit gives %v, %v", rows, err)
	}
}

// What does not fit is counted when the source is read and in every run, and is
// an error, NULL or text, as the shape says.
func TestMisfitsOfFiles(t *testing.T) {
	root := t.TempDir()
	writeFile(t, filepath.Join(root, "partners.xml"), []byte(partners))
	for misfit, want := range map[shape.Misfit]string{shape.IsNull: "1|50 1|200 2|NULL", shape.AsText: "1|50 1|200 2|NULL"} {
		p := shaped(t, "xml", root, func(sh *shape.Shape) { retype(sh.Table.Parts[0], "lux", value.Int4, misfit) })
		rows, report, err := p.ask("SELECT no, lux FROM f.partners_room", false)
		slices.Sort(rows)
		if got := strings.Join(rows, " "); err != nil || got != strings.Join(sorted(want), " ") {
			t.Errorf("%s: %s, %v", misfit, got, err)
		}
		if got := report.Statements[0].Unfit; len(got) != 1 || got[0] != (explain.Unfit{Column: "lux", Type: "integer", Count: 1, Became: string(misfit), Example: "record 1: dim"}) {
			t.Errorf("%s: reported %+v", misfit, got)
		}
		table := p.found.Tables[1]
		if note := table.Columns[table.Column("lux")].Note; !strings.Contains(note, "1 do not fit integer, as record 1: dim") {
			t.Errorf("%s: noted %q", misfit, note)
		}
		if misfit == shape.AsText {
			p.expect(map[string]string{"SELECT no, lux_misfit FROM f.partners_room WHERE lux_misfit IS NOT NULL": "2|dim"})
		}
	}
	p := shaped(t, "xml", root, func(sh *shape.Shape) { retype(sh.Table.Parts[0], "lux", value.Int4, shape.Fails) })
	if _, _, err := p.ask("SELECT sum(lux) FROM f.partners_room", false); err == nil || !strings.Contains(err.Error(), `f: partners.xml: record 1, column lux`) {
		t.Errorf("an error names the file, record and column: %v", err)
	}
	p.expect(map[string]string{"SELECT count(no) FROM f.partners_room": "3"}) // which does not read it
}

func sorted(s string) []string {
	out := strings.Fields(s)
	slices.Sort(out)
	return out
}

func retype(t *shape.Table, column string, k value.Kind, m shape.Misfit) {
	for i := range t.Columns {
		if t.Columns[i].Name == column {
			t.Columns[i].Type, t.Columns[i].Misfit = value.Of(k), m
		}
	}
}

// Nested JSON becomes tables wherever its records are: lines, a list, or a list
// within an object; in folders, with the file's name as a part of the key.
func TestShapedJSON(t *testing.T) {
	lines := `{"id": 1, "parts": [{"x": 1.5}, {"x": 2}]}` + "\n" + `{"id": 2, "parts": []}` + "\n" + `{"id": 3}`
	list := "[" + strings.ReplaceAll(lines, "\n", ",") + "]"
	for name, c := range map[string]struct{ text, rows string }{
		"lines":      {lines, "$"},
		"list":       {list, "$[*]"},
		"in object":  {`{"made": {"by": [1]}, "all of it": ` + list + `, "end": 1}`, "$['all of it'][*]"},
		"one record": {`{"id": 1, "parts": [{"x": 1.5}]}`, "$"},
	} {
		root := t.TempDir()
		writeFile(t, filepath.Join(root, "recs.json"), []byte(c.text))
		p := shaped(t, "json", root, nil)
		if got := p.s.shapes[0].Table.Rows; got != c.rows {
			t.Errorf("%s: rows at %s", name, got)
		}
		if name == "one record" {
			p.expect(map[string]string{"SELECT id, position, x FROM f.recs_parts": "1|1|1.5"})
			continue
		}
		p.expect(map[string]string{"SELECT id, position, x FROM f.recs_parts": "1|1|1.5 1|2|2", "SELECT id FROM f.recs": "1 2 3"})
	}
	root := t.TempDir()
	for _, year := range []string{"2024", "2025"} {
		writeFile(t, filepath.Join(root, "recs", "year="+year, "a.json"), []byte(`{"parts": [{"x": 1}, {"x": `+year+`}]}{"parts": null}`))
	}
	p := shaped(t, "json", root, nil)
	p.expect(map[string]string{
		"SELECT file, recs_position, position, x, year FROM f.recs_parts WHERE year = 2025": "recs/year=2025/a.json|1|1|1|2025 recs/year=2025/a.json|1|2|2025|2025",
	})
	if _, report := p.rows("SELECT x FROM f.recs_parts WHERE year = 2025"); touched(report) != "1 of 2 files" {
		t.Errorf("read %s", touched(report))
	}
	parts := p.found.Tables[1]
	if fmt.Sprint(parts.Keys) != "[{[file recs_position position] true }]" || fmt.Sprint(parts.ForeignKeys) != "[{[file recs_position] f.recs [file position] }]" {
		t.Errorf("keys %v, %v", parts.Keys, parts.ForeignKeys)
	}
}

// A damaged or hostile file is a clear error with its place, memory stays within
// bounds, and definitions of entities are refused.
func TestBadXML(t *testing.T) {
	bomb := `<!DOCTYPE lolz [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><x><y>&b;</y></x>`
	for name, c := range map[string]struct{ text, want string }{
		"cut off":          {"<a>\n<b>1</b><b>", "line 2: the file ends within the element b"},
		"crossed":          {"<a>\n<b></a></b>", "line 2: </a> closes an element that is not open"},
		"an entity bomb":   {bomb, "line 1: document type and entity definitions are refused"},
		"external entity":  {`<!DOCTYPE x SYSTEM "file:///etc/passwd"><x/>`, "are refused"},
		"unknown entity":   {"<a><b>&x;</b><b/></a>", "invalid character entity &x;"},
		"not UTF-8":        {"<a><b>\xff</b><b/></a>", "invalid UTF-8"},
		"something else":   {"room,at\n1,2\n", "there is text outside the root element"},
		"nothing":          {"", "has no elements"},
		"too deep":         {strings.Repeat("<a>", 2000), "nested more than 1000 deep"},
		"a text too long":  {"<a><b>" + strings.Repeat("x", maxRecord+10_000) + "</b><b/></a>", "longer than 16 MiB"},
		"two roots":        {"<a><b>1</b></a>\n<a><b>2</b></a>", "line 2: <a> follows the end of the root element"},
		"text behind":      {"<a><b>1</b></a> more", "there is text outside the root"},
		"attributes twice": {`<a><b x="1" y="" x="2"/></a>`, "<b> has the attribute x twice"},
		"a strange script": {`<?xml version="1.0" encoding="klingon"?><a/>`, "klingon"},
	} {
		root := t.TempDir()
		writeFile(t, filepath.Join(root, "x.xml"), []byte(c.text))
		s, err := New("f", "xml", connect.Config{Path: root})
		if err != nil {
			t.Fatal(err)
		}
		_, err = connect.Propose(t.Context(), s, "x", "")
		if err == nil || !strings.Contains(err.Error(), c.want) || !strings.HasPrefix(err.Error(), "f: x.xml: ") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// The same XML in other codings, and what attributes and mixed texts keep.
func TestXMLTexts(t *testing.T) {
	const text = `<?xml version="1.0" encoding="UTF-16"?>
<!-- it's "quoted" < here -->
<a><?do "x?><b n="Größe
1" m='x	"y"&#10;z'><c>see <i>this</i>, 'and' <i>that</i> &amp; <![C` + "DATA[" + `<more "]]></c></b>
<b n="ß>" m=""/></a>`
	coded := func(order binary.ByteOrder, mark bool) []byte {
		var out []byte
		if mark {
			out = append16(order, out, 0xfeff)
		}
		for _, u := range utf16.Encode([]rune(text)) {
			out = append16(order, out, u)
		}
		return out
	}
	for name, b := range map[string][]byte{"little": coded(binary.LittleEndian, true), "big": coded(binary.BigEndian, true), "no mark": coded(binary.LittleEndian, false),
		"big, no mark": coded(binary.BigEndian, false), "eight bits": []byte(strings.Replace(text, "UTF-16", "UTF-8", 1))} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			writeFile(t, filepath.Join(root, "x.xml"), b)
			p := shaped(t, "xml", root, nil)
			p.expect(map[string]string{"SELECT n, m FROM f.x": "Größe 1|x \"y\"\nz ß>|",
				"SELECT c -> 'content' FROM f.x WHERE m <> ''": `["see ", {"i": "this"}, ", 'and' ", {"i": "that"}, " & <more \""]`})
		})
	}
}

func append16(order binary.ByteOrder, b []byte, u uint16) []byte {
	two := make([]byte, 2)
	order.PutUint16(two, u)
	return append(b, two...)
}

// A record is read while the file streams by: a file far larger than a record
// may be takes no more memory than one.
func TestLargeFilesStream(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	filler := strings.Repeat("x", 1<<20)
	for kind, c := range map[string][3]string{
		"xml":  {"<a>", "<b no='1'><c>" + filler + "</c></b>", "</a>"},
		"json": {`{"all": [`, `{"no": 1, "c": "` + filler + `"},`, `{"no": 2}]}`},
	} {
		root := t.TempDir()
		path := filepath.Join(root, "big."+kind)
		writeFile(t, path, []byte(c[0]+strings.Repeat(c[1], 64)+c[2]))
		s, err := New("f", kind, connect.Config{Path: path})
		if err != nil {
			t.Fatal(err)
		}
		most, n := uint64(0), 0
		rows, err := s.Sample(context.Background(), "big", "", func(connect.Record) error {
			if n++; n%20 == 0 {
				runtime.GC()
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				most = max(most, m.HeapAlloc)
			}
			return nil
		})
		if err != nil || n < 64 {
			t.Errorf("%s: %d records at %s, %v", kind, n, rows, err)
		}
		if most > 45<<20 {
			t.Errorf("%s: %d MiB were held", kind, most>>20)
		}
	}
}

// FuzzXMLFile holds that every file is either read as it is described, or
// refused by an error that names it.
func FuzzXMLFile(f *testing.F) {
	for _, seed := range []string{partners, "<a/>", "<a><b/><b x='1'>2</b></a>", "<a:b xmlns:a='x'><a:c/><a:c/></a:b>", "<a>&#x41;<!-- c --><?p i?></a>", "<a", "<a><b></a>"} {
		f.Add([]byte(seed))
	}
	path := filepath.Join(f.TempDir(), "x.xml")
	f.Fuzz(func(t *testing.T, b []byte) {
		writeFile(t, path, b)
		s, err := New("f", "xml", connect.Config{Path: path})
		if err != nil {
			t.Fatal(err)
		}
		sh, err := connect.Propose(t.Context(), s, "x", "")
		if err == nil {
			_, err = s.WithShapes([]*shape.Shape{sh}).Discover(t.Context())
		}
		var ve *value.Error
		if err != nil && (!errors.As(err, &ve) || !strings.HasPrefix(err.Error(), "f: ")) {
			t.Errorf("%q: %v", b, err)
		}
	})
}
