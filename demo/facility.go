package demo

import (
	"bufio"
	"context"
	"encoding/xml"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"rovik/connect"
	"rovik/core/shape"
	"rovik/core/value"
)

// partners is how many partner institutions have sent a report on their rooms.
const partners = 120

// facility are partners' reports on their rooms and display cases, as the flat
// tables that their shape makes.
func (g *generator) facility() []*Table {
	const src = "facility"
	all := &Table{Source: src, Name: "partner", Primary: []string{"code"}, Cols: []Col{
		{"code", "text", "", true}, {"name", "text", "", true}, {"inspected_on", "date", "", false}, {"contact", "text", "", false}, {"fire_alarm", "boolean", "", false}}}
	rooms := &Table{Source: src, Name: "partner_room", Primary: []string{"code", "position"}, Cols: []Col{
		{"code", "text", "", true}, {"position", "bigint", "", true}, {"name", "text", "", true}, {"floor", "integer", "", false},
		{"max_lux", "integer", "", false}, {"min_humidity", "numeric", "", false}, {"max_humidity", "numeric", "", false}}}
	cases := &Table{Source: src, Name: "display_case", Primary: []string{"code", "room", "position"}, Cols: []Col{
		{"code", "text", "", true}, {"room", "bigint", "", true}, {"position", "bigint", "", true}, {"kind", "text", "", false}, {"glazing", "text", "", false}, {"litres", "numeric", "", false}}}
	for _, code := range g.borrowers[:min(partners, len(g.borrowers))] {
		all.Rows = append(all.Rows, []any{code, pick(g, towns...) + " Hall", g.maybe(0.1, g.day(2021, 2025)), g.maybe(0.2, g.person()), g.maybe(0.15, g.r.IntN(5) > 0)})
		for r := range 1 + g.r.IntN(4) {
			low := 30 + g.r.IntN(15)
			rooms.Rows = append(rooms.Rows, []any{code, int64(r + 1), fmt.Sprintf("%s %d", pick(g, "Hall", "Cabinet", "Long Room & Stairs", "Crypt"), r+1), g.maybe(0.2, int64(g.r.IntN(4)-1)),
				g.maybe(0.1, int64(50*(1+g.r.IntN(6)))), g.maybe(0.15, fmt.Sprintf("%d.5", low)), g.maybe(0.1, fmt.Sprint(low+10+g.r.IntN(20)))})
			for c := range g.r.IntN(4) {
				cases.Rows = append(cases.Rows, []any{code, int64(r + 1), int64(c + 1), g.maybe(0.05, pick(g, "flat", "tall", "wall")), g.maybe(0.2, pick(g, "laminated", "acrylic", "float")), g.maybe(0.1, fmt.Sprintf("%d.%d", 20+g.r.IntN(900), g.r.IntN(10)))})
			}
		}
	}
	return []*Table{all, rooms, cases}
}

// facilityShape makes tables of the partners' reports.
var facilityShape = &shape.Shape{Set: "partners", Language: shape.XPath, Table: &shape.Table{Name: "partner", Rows: "/facility-reports/partner", Columns: []shape.Column{
	path("code", "@code", value.Text, shape.Fails), path("name", "name", value.Text, shape.Fails), path("inspected_on", "inspected", value.Date, shape.Fails),
	path("contact", "contact/name", value.Text, shape.Fails), path("fire_alarm", "safety/@fire-alarm", value.Bool, shape.Fails),
}, Parts: []*shape.Table{{Name: "partner_room", Rows: "rooms/room", Columns: []shape.Column{
	parent("code", "code"), position, path("name", "name", value.Text, shape.Fails), path("floor", "@floor", value.Int4, shape.Fails),
	path("max_lux", "light/@max", value.Int4, shape.Fails), path("min_humidity", "humidity/@min", value.Numeric, shape.Fails), path("max_humidity", "humidity/@max", value.Numeric, shape.Fails),
}, Parts: []*shape.Table{{Name: "display_case", Rows: "case", Columns: []shape.Column{
	parent("code", "code"), parent("room", "position"), position,
	path("kind", "@kind", value.Text, shape.Fails), path("glazing", "glazing", value.Text, shape.Fails), path("litres", "litres", value.Numeric, shape.Fails),
}}}}}}}

// element writes an element; attributes and parts that are not there are left
// out.
func element(name string, attributes map[string]any, order []string, parts ...string) string {
	var b strings.Builder
	b.WriteString("<" + name)
	for _, a := range order {
		if v := attributes[a]; v != nil {
			fmt.Fprintf(&b, " %s=\"%s\"", a, escaped(v))
		}
	}
	inner := strings.Join(parts, "")
	if inner == "" {
		b.WriteString("/>")
	} else {
		b.WriteString(">" + inner + "</" + name + ">")
	}
	return b.String()
}

func leaf(name string, v any) string {
	if v == nil {
		return ""
	}
	return "<" + name + ">" + escaped(v) + "</" + name + ">"
}

func escaped(v any) string {
	if t, isTime := v.(time.Time); isTime {
		v = t.Format("2006-01-02")
	}
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(fmt.Sprint(v))) // a builder takes everything
	return b.String()
}

// partnerReports writes the reports into one file.
func (p *preparer) partnerReports(context.Context) (source, error) {
	root, err := filepath.Abs(filepath.Join(p.Dir, "facility"))
	if err != nil {
		return source{}, err
	}
	src := source{"facility", "xml", "", connect.Config{Path: root}, []*shape.Shape{facilityShape}}
	if err := os.MkdirAll(root, 0o755); err != nil {
		return src, err
	}
	tables := p.tables("facility")
	cases := map[string][]string{}
	for _, r := range tables[2].Rows {
		key := fmt.Sprint(r[0], " ", r[1])
		cases[key] = append(cases[key], element("case", map[string]any{"kind": r[3]}, []string{"kind"}, leaf("glazing", r[4]), leaf("litres", r[5])))
	}
	rooms := map[any][]string{}
	for _, r := range tables[1].Rows {
		parts := append([]string{leaf("name", r[2]), element("light", map[string]any{"max": r[4]}, []string{"max"}),
			element("humidity", map[string]any{"min": r[5], "max": r[6]}, []string{"min", "max"})}, cases[fmt.Sprint(r[0], " ", r[1])]...)
		rooms[r[0]] = append(rooms[r[0]], element("room", map[string]any{"floor": r[3]}, []string{"floor"}, parts...))
	}
	f, err := os.Create(filepath.Join(root, "partners.xml"))
	if err != nil {
		return src, err
	}
	defer f.Close()
	out := bufio.NewWriter(f)
	fmt.Fprint(out, xml.Header, "<facility-reports>\n")
	for _, r := range tables[0].Rows {
		contact := ""
		if r[3] != nil {
			contact = element("contact", nil, nil, leaf("name", r[3]))
		}
		fmt.Fprintln(out, element("partner", map[string]any{"code": r[0]}, []string{"code"}, leaf("name", r[1]), leaf("inspected", r[2]), contact,
			element("safety", map[string]any{"fire-alarm": r[4]}, []string{"fire-alarm"}), element("rooms", nil, nil, rooms[r[0]]...)))
	}
	fmt.Fprint(out, "</facility-reports>\n")
	if err := out.Flush(); err != nil {
		return src, err
	}
	return src, f.Close()
}
