package shape

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/antchfx/xmlquery"

	"rovik/core/value"
)

// gathered is a sink that holds rows as text.
type gathered struct {
	flat *Flat
	row  []string
	rows []string
}

func (g *gathered) Null(int) { g.row = append(g.row, "NULL") }

func (g *gathered) Put(i int, text []byte) error {
	v, err := value.Parse(g.flat.Cells[i].Type.Kind, string(text))
	if err == nil {
		g.row = append(g.row, v.String())
	}
	return err
}

func (g *gathered) Row() error {
	g.rows, g.row = append(g.rows, strings.Join(g.row, "|")), nil
	return nil
}

func flattened(t *testing.T, f *Flat, records ...any) ([]string, []Seen, error) {
	t.Helper()
	var wanted []int
	for i := range f.Cells {
		wanted = append(wanted, i)
	}
	fl, err := f.Compile(wanted)
	if err != nil {
		t.Fatal(err)
	}
	g := &gathered{flat: f}
	for i, r := range records {
		if err := fl.Flatten(r, "a.json", int64(i+1), g); err != nil {
			return g.rows, fl.Seen, err
		}
	}
	return g.rows, fl.Seen, nil
}

func parsed(t *testing.T, texts ...string) (out []any) {
	t.Helper()
	for _, s := range texts {
		v, err := value.DecodeJSON(s)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, v)
	}
	return out
}

func element(t *testing.T, text string) any {
	t.Helper()
	doc, err := xmlquery.Parse(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	n := doc.SelectElement("*")
	xmlquery.RemoveFromTree(n)
	return n
}

var reports = []string{
	`{"no": "R1", "on": "2025-03-01", "severity": "high", "by": {"name": "Ann", "grade": 2}, "findings": [
		{"what": "tear", "mm": 12.5, "photos": [{"file": "a.png"}, {"file": "b.png"}]}, {"what": "stain", "mm": 3}]}`,
	`{"no": "R2", "on": "2025-04-11", "severity": 4, "by": {"name": "Bo"}, "findings": [], "tags": ["x", null, "z"]}`,
	`{"no": "R3", "on": "2025-05-20", "by": null, "findings": [{"what": null, "mm": "much", "photos": []}], "tags": ["y"], "extra": [1]}`,
	`{"no": "R4", "on": "2025-05-21", "severity": null, "by": {"name": "Cy", "grade": 1}, "extra": 7}`,
}

func describe(t *Table, indent string, out *[]string) {
	*out = append(*out, fmt.Sprintf("%s%s: %s", indent, t.Name, t.Rows))
	for _, c := range t.Columns {
		*out = append(*out, strings.TrimRight(fmt.Sprintf("%s  %s %s %s %s %s (%s)", indent, c.Name, c.From, c.Path, c.Type, c.Misfit, c.Seen), " "))
	}
	for _, p := range t.Parts {
		describe(p, indent+"  ", out)
	}
}

func proposed(t *testing.T, l Language, rows, set string, files bool, records []any) *Shape {
	t.Helper()
	s := NewSample(l)
	for _, r := range records {
		s.See(r)
	}
	return s.Propose(set, rows, files)
}

// A proposal has a column for every value and a table for every repeating part,
// and says what the sample had where it was mixed or missing.
func TestProposalFromJSON(t *testing.T) {
	sh := proposed(t, JSONPath, "$[*]", "reports", false, parsed(t, reports...))
	var got []string
	describe(sh.Table, "", &got)
	want := `reports: $[*]
  no path $.no text error (4 text)
  on path $.on date error (4 text)
  severity path $.severity text text (1 text, 1 number, 1 null, 1 missing)
  by_name path $.by.name text error (3 text, 1 missing)
  by_grade path $.by.grade integer error (2 number, 2 missing)
  extra path $.extra jsonb error (1 number, 1 nested, 2 missing)
  reports_findings: $.findings[:]
    no parent no unknown  ()
    position position  bigint  ()
    what path $.what text error (2 text, 1 null)
    mm path $.mm numeric text (1 text, 2 number)
    reports_findings_photos: $.photos[:]
      no parent no unknown  ()
      reports_findings_position parent position unknown  ()
      position position  bigint  ()
      file path $.file text error (2 text)
  reports_tags: $.tags[:]
    no parent no unknown  ()
    position position  bigint  ()
    value path $ text error (3 text, 1 null)`
	if s := strings.Join(got, "\n"); s != want {
		t.Errorf("proposed:\n%s", s)
	}
	flats, err := sh.Flats()
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{
		"R1|2025-03-01|high|Ann|2|NULL R2|2025-04-11|4|Bo|NULL|NULL R3|2025-05-20|NULL|NULL|NULL|[1] R4|2025-05-21|NULL|Cy|1|7",
		"R1|1|tear|12.5|NULL R1|2|stain|3|NULL R3|1|NULL|NULL|much",
		"R1|1|1|a.png R1|1|2|b.png",
		"R2|1|x R2|2|NULL R2|3|z R3|1|y",
	} {
		rows, seen, err := flattened(t, flats[i], parsed(t, reports...)...)
		if err != nil {
			t.Fatal(err)
		}
		if s := strings.Join(rows, " "); s != want {
			t.Errorf("%s: %s", flats[i].Name, s)
		}
		if i == 1 && (seen[3].Misfits != 1 || seen[3].Example != "record 3: much") {
			t.Errorf("misfits of mm: %+v", seen[3])
		}
	}
	if flats[1].Cells[4].Name != "mm_misfit" {
		t.Errorf("the texts of misfits are in %q", flats[1].Cells[4].Name)
	}
}

const facility = `<facility code="F1" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><name>North</name><since>1990-05-01</since>
  <address><town>Kelby</town><zip>00123</zip></address>
  <rooms><room no="1" lux="50"><case><glass>yes</glass></case><case><glass>no</glass></case></room><room no="2"/></rooms>
  <remark xsi:nil="true"/><open>true</open></facility>`

// XML gives attributes, elements and repeated elements the same way; what is
// empty is missing but for text.
func TestProposalFromXML(t *testing.T) {
	records := []any{element(t, facility), element(t, `<facility code="F2"><name/><since/><rooms><room no="1" lux="200"/></rooms><remark>big</remark></facility>`)}
	sh := proposed(t, XPath, "/facilities/facility", "facilities.xml", false, records)
	var got []string
	describe(sh.Table, "", &got)
	want := `xml: /facilities/facility
  code path @code text error (2 text)
  name path name text error (2 text)
  since path since date error (2 text)
  address_town path address/town text error (1 text, 1 missing)
  address_zip path address/zip text error (1 text, 1 missing)
  remark path remark text error (1 text, 1 null)
  open path open boolean error (1 text, 1 missing)
  xml_room: rooms/room
    code parent code unknown  ()
    position position  bigint  ()
    no path @no integer error (3 text)
    lux path @lux integer error (2 text, 1 missing)
    xml_room_case: case
      code parent code unknown  ()
      xml_room_position parent position unknown  ()
      position position  bigint  ()
      glass path glass text error (2 text)`
	if s := strings.Join(got, "\n"); s != want {
		t.Errorf("proposed:\n%s", s)
	}
	flats, err := sh.Flats()
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{
		"F1|North|1990-05-01|Kelby|00123|NULL|true F2||NULL|NULL|NULL|big|NULL",
		"F1|1|1|50 F1|2|2|NULL F2|1|1|200",
		"F1|1|1|yes F1|1|2|no",
	} {
		rows, _, err := flattened(t, flats[i], records...)
		if s := strings.Join(rows, " "); s != want || err != nil {
			t.Errorf("%s: %s, %v", flats[i].Name, s, err)
		}
	}
}

// Each kind of value against each kind of column: what fits, and what becomes of
// the rest.
func TestMisfits(t *testing.T) {
	record := parsed(t, `{"text": "7", "word": "x", "whole": 7, "half": 1.5, "yes": true, "none": null, "nest": {"a": [1]}, "day": "2025-02-03", "list": [1, 2]}`)[0]
	for _, c := range []struct{ path, kind, misfit, want string }{
		{"$.text", "text", "error", "7"},
		{"$.text", "integer", "error", `the text "7" is not a integer`},
		{"$.text", "integer", "null", "NULL"},
		{"$.text", "integer", "text", "NULL|7"},
		{"$.whole", "integer", "text", "7|NULL"},
		{"$.whole", "text", "error", "the number 7 is not a text"},
		{"$.whole", "text", "text", "7"},
		{"$.whole", "text", "null", "NULL"},
		{"$.whole", "numeric", "error", "7"},
		{"$.half", "integer", "error", `invalid input syntax for type integer: "1.5"`},
		{"$.half", "double precision", "error", "1.5"},
		{"$.yes", "boolean", "error", "true"},
		{"$.yes", "text", "text", "true"},
		{"$.none", "integer", "error", "NULL"},
		{"$.gone", "integer", "error", "NULL"},
		{"$.day", "date", "error", "2025-02-03"},
		{"$.word", "date", "text", "NULL|x"},
		{"$.nest", "text", "text", `{"a":[1]}`},
		{"$.nest", "jsonb", "error", `{"a": [1]}`},
		{"$.nest", "integer", "text", `NULL|{"a":[1]}`},
		{"$.list", "integer", "error", "is nested"},
		{"$.list[*]", "integer", "error", "there are 2 values"},
		{"$.list[:]", "jsonb", "error", "[1, 2]"},
		{"$.nest[:]", "jsonb", "error", "NULL"},
		{"$.nest[*]", "jsonb", "error", "[1]"},
		{"$.list[*]", "jsonb", "error", "[1, 2]"},
		{"$.list[-1]", "integer", "error", "2"},
		{"$.list.a", "integer", "error", "a list stands on the way to it: [1,2]"},
		{"$.list.a.b", "text", "text", "[1,2]"},
		{"$.list.a", "integer", "null", "NULL"},
		{"$.list.a", "jsonb", "error", "NULL"},
		{"$.word.a", "integer", "error", "NULL"},
		{"$.list[5]", "integer", "error", "NULL"},
		{"$.nest.a[0]", "integer", "error", "1"},
		{"$..a[0]", "integer", "error", "1"},
		{"$.list[?@ > 1]", "integer", "error", "2"},
		{"$['nest']['a'][0]", "bigint", "error", "1"},
		{"$", "jsonb", "null", `{"day": "2025-02-03", "yes": true, "half": 1.5, "list": [1, 2], "nest": {"a": [1]}, "none": null, "text": "7", "word": "x", "whole": 7}`},
	} {
		typ, err := value.ParseType(c.kind)
		if err != nil {
			t.Fatal(err)
		}
		sh := &Shape{Set: "s", Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{{Name: "c", From: FromPath, Path: c.path, Type: typ, Misfit: Misfit(c.misfit)}}}}
		flats, err := sh.Flats()
		if err != nil {
			t.Errorf("%v: %v", c, err)
			continue
		}
		rows, _, err := flattened(t, flats[0], record)
		got := strings.Join(rows, " ")
		if err != nil {
			got = err.Error()
		}
		if got != c.want && (err == nil || !strings.Contains(got, c.want)) {
			t.Errorf("%v: %s", c, got)
		}
	}
}

// What is no shape says where, and what to do.
func TestWrongShapes(t *testing.T) {
	text := value.Of(value.Text)
	col := Column{Name: "a", From: FromPath, Path: "$.a", Type: text, Misfit: Fails}
	for want, s := range map[string]*Shape{
		"no language":                       {Language: "sql", Table: &Table{Name: "t", Rows: "$", Columns: []Column{col}}},
		"has no table":                      {Language: JSONPath},
		"cannot be the name of a table":     {Language: JSONPath, Table: &Table{Name: "T x", Rows: "$", Columns: []Column{col}}},
		"has no columns":                    {Language: JSONPath, Table: &Table{Name: "t", Rows: "$"}},
		"two columns of t are called a":     {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{col, col}}},
		"two tables of the shape":           {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{col}, Parts: []*Table{{Name: "t", Rows: "$.x[*]", Columns: []Column{col}}}}},
		"the column a of t":                 {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{{Name: "a", From: FromPath, Path: "a b", Type: text, Misfit: Fails}}}},
		"while a file is read":              {Language: JSONPath, Table: &Table{Name: "t", Rows: "$[?@.a]", Columns: []Column{col}}},
		"does not say what becomes":         {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{{Name: "a", From: FromPath, Path: "$.a", Type: text}}}},
		"cannot be numeric(4,2)":            {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{{Name: "a", From: FromPath, Path: "$.a", Type: value.Type{Kind: value.Numeric, Precision: 4, Scale: 2}, Misfit: Fails}}}},
		"has no parent":                     {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{{Name: "a", From: FromParent, Path: "b"}}}},
		`t has no column "b"`:               {Language: JSONPath, Table: &Table{Name: "t", Rows: "$", Columns: []Column{col}, Parts: []*Table{{Name: "u", Rows: "$.x[*]", Columns: []Column{{Name: "a", From: FromParent, Path: "b"}}}}}},
		"is not an expression of XPath 1.0": {Language: XPath, Table: &Table{Name: "t", Rows: "/a", Columns: []Column{{Name: "a", From: FromPath, Path: "a[", Type: text, Misfit: Fails}}}},
		"as /facilities/facility":           {Language: XPath, Table: &Table{Name: "t", Rows: "/a[1]", Columns: []Column{{Name: "a", From: FromPath, Path: "a", Type: text, Misfit: Fails}}}},
	} {
		_, err := s.Flats()
		if err == nil {
			t.Errorf("no error where %q was expected", want)
			continue
		}
		full := err.Error()
		var ve *value.Error
		if errors.As(err, &ve) {
			full += " " + ve.Hint
		}
		if !strings.Contains(full, want) {
			t.Errorf("%s: %s", want, full)
		}
	}
}

// FuzzPaths holds that no text that is taken for a path makes the reading of a
// record fail in any way but by an error, and that plain paths select what the
// library selects.
func FuzzPaths(f *testing.F) {
	for _, s := range []string{"$", "$.a.b", "$['a b'][0]", "$..x", "$[?@.b > 3 && length(@.c) == 2].d", "$[1:3]", "$.a[:]", "$[ : ]", "a/b", "@x", "//a[1]/text()", "count(a)", "string(a/@b)", "a[", "$[?match(@.a,'(')]"} {
		f.Add(s)
	}
	record, err := value.DecodeJSON(`{"a": {"b": [1, {"c": "x"}], "a b": 2}, "x": [[1], [2]], "d": null, "b": 5}`)
	if err != nil {
		f.Fatal(err)
	}
	doc, err := xmlquery.Parse(strings.NewReader(facility))
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, path string) {
		if len(path) > 200 {
			return
		}
		if sel, err := compileXPath(path); err == nil {
			_, _ = sel(doc.SelectElement("*"))
		}
		sel, err := compileJSONPath(path)
		if err != nil {
			return
		}
		got, err := sel(record)
		if err != nil {
			return
		}
		if _, plain := plainJSONPath(path); plain {
			general, err := libraryPath(path)
			if err != nil {
				t.Fatal(err)
			}
			want, _ := general(record)
			if a, b := value.EncodeJSON(asJSONList(got)), value.EncodeJSON(asJSONList(want)); a != b {
				t.Errorf("%s: %s here, %s by the library", path, a, b)
			}
		}
	})
}

func asJSONList(nodes []any) value.JSONValue {
	out := []value.JSONValue{}
	for _, n := range nodes {
		out = append(out, asJSON(n))
	}
	return out
}
