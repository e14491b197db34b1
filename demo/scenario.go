// Package demo is the story of the Saltmarsh Museums: invented data made from
// a seed, private database servers that hold it, and the views over it.
package demo

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"strings"
	"time"
)

// Table is a table of the story with its rows. Cells are nil, bool, int64,
// float64, string (text, and numerics as written) or time.Time.
type Table struct {
	Source, Name string
	Cols         []Col
	Primary      []string
	Unique       [][]string
	Foreign      []Foreign
	Rows         [][]any
	Stream       iter.Seq[[]any] // in the place of Rows, where there are many
}

// Col is a column: Type in Rovik's words, Native where the source's own type
// is not simply that.
type Col struct {
	Name, Type, Native string
	NotNull            bool
}

// Foreign is a foreign key to the primary key of a table in the same source.
type Foreign struct{ Column, Table string }

// Seed is what the demo's data is made from.
const Seed = 20260101

// Tables makes the story's data; scale 1 is the full size.
func Tables(seed uint64, scale float64) []*Table {
	g := &generator{r: rand.New(rand.NewPCG(seed, seed^0x9e3779b97f4a7c15)), scale: scale}
	tables := append(append(g.registry(), g.lending()...), g.archive()...)
	tables = append(tables, g.rates(), g.calendar(), climate(seed, scale))
	return append(append(tables, g.condition()...), g.facility()...)
}

type generator struct {
	r         *rand.Rand
	scale     float64
	objects   []string // accession numbers
	borrowers []string // institution codes, clean
}

func (g *generator) size(n int) int { return max(int(float64(n)*g.scale), 12) }

func pick[T any](g *generator, from ...T) T { return from[g.r.IntN(len(from))] }

// maybe gives v, or NULL with the given chance.
func (g *generator) maybe(chance float64, v any) any {
	if g.r.Float64() < chance {
		return nil
	}
	return v
}

func (g *generator) day(fromYear, toYear int) time.Time {
	start := time.Date(fromYear, 1, 1, 0, 0, 0, 0, time.UTC)
	end := time.Date(toYear, 12, 31, 0, 0, 0, 0, time.UTC)
	return start.AddDate(0, 0, g.r.IntN(int(end.Sub(start).Hours()/24)))
}

func (g *generator) money(low, high int) string {
	return fmt.Sprintf("%d.%02d", low+g.r.IntN(high-low), g.r.IntN(100))
}

// messy writes a code as people type it: in any case, with spaces behind.
func (g *generator) messy(s string) string {
	switch g.r.IntN(6) {
	case 0:
		s = strings.ToLower(s)
	case 1:
		s = strings.ToUpper(s[:1]) + strings.ToLower(s[1:])
	}
	if g.r.IntN(8) == 0 {
		s += " "
	}
	return s
}

var (
	kinds     = []string{"print", "drawing", "painting", "textile", "instrument", "model", "chart", "ceramic", "Print"}
	materials = []string{"paper", "canvas", "wood", "silk", "wool", "brass", "ivory", "clay", "glass", "Paper", "parchment"}
	subjects  = []string{"Harbour", "Estuary", "Lighthouse", "Salt Pans", "Herring Fleet", "Marsh", "Sluice", "Ferry", "Causeway", "Tide Mill", "Île verte", "Größe Mühle"}
	manners   = []string{"at Dawn", "in Fog", "after Rain", "from the East", "with Figures", "in Winter", "100% true to scale", "study_no", "seen twice"}
	towns     = []string{"Saltmarsh", "Fenwick Ness", "Oxmoor", "Tarn End", "Kelby", "Westry", "Dunholt", "Harrow Sluice", "Lunstead", "Maren"}
	countries = []string{"Norland", "Vestria", "Ostmark Isles", "Calder Republic", "Halle", "Sudmere"}
	given     = []string{"Adda", "Brin", "Corvin", "Delle", "Edric", "Fenna", "Garet", "Hilde", "Ivo", "Jorun", "Kessa", "Leif"}
	family    = []string{"Aldersea", "Brackwater", "Cobb", "Dunmere", "Eelgrass", "Fenn", "Grebe", "Heron", "Isen", "Kelp", "Lapwing", "Marram"}
)

func (g *generator) person() string { return pick(g, given...) + " " + pick(g, family...) }

func (g *generator) registry() []*Table {
	const src = "registry"
	sites := &Table{Source: src, Name: "sites", Primary: []string{"site_id"}, Unique: [][]string{{"code"}}, Cols: []Col{
		{"site_id", "integer", "", true}, {"code", "text", "", true}, {"name", "text", "", true}, {"town", "text", "", false}, {"opened_on", "date", "", false}}}
	const nSites = 12
	for i := range nSites {
		town := towns[i%len(towns)]
		sites.Rows = append(sites.Rows, []any{int64(i + 1), fmt.Sprintf("S%02d", i+1), town + pick(g, " Museum", " Store", " House"), town, g.maybe(0.1, g.day(1890, 2005))})
	}
	rooms := &Table{Source: src, Name: "rooms", Primary: []string{"room_id"}, Foreign: []Foreign{{"site_id", "sites"}}, Cols: []Col{
		{"room_id", "integer", "", true}, {"site_id", "integer", "", true}, {"name", "text", "", true}, {"floor", "smallint", "", false}, {"climate_class", "text", "", false}}}
	for i := range nRooms {
		rooms.Rows = append(rooms.Rows, []any{int64(i + 1), int64(1 + g.r.IntN(nSites)), fmt.Sprintf("%s %d", pick(g, "Gallery", "Store", "Study", "Vault"), i+1),
			g.maybe(0.1, int64(g.r.IntN(5)-1)), g.maybe(0.15, pick(g, "A", "B", "C", "a"))})
	}
	makers := &Table{Source: src, Name: "makers", Primary: []string{"maker_id"}, Cols: []Col{
		{"maker_id", "integer", "", true}, {"name", "text", "", true}, {"born", "smallint", "", false}, {"died", "smallint", "", false}, {"country", "text", "", false}}}
	nMakers := g.size(1500)
	for i := range nMakers {
		born := 1550 + g.r.IntN(420)
		makers.Rows = append(makers.Rows, []any{int64(i + 1), g.person(), g.maybe(0.2, int64(born)), g.maybe(0.35, int64(born+25+g.r.IntN(60))), g.maybe(0.25, pick(g, countries...))})
	}
	tolerances := &Table{Source: src, Name: "climate_tolerances", Primary: []string{"material"}, Cols: []Col{
		{"material", "text", "", true}, {"min_humidity", "numeric(5,2)", "", false}, {"max_humidity", "numeric(5,2)", "", false}, {"max_lux", "integer", "", false}}}
	for i, m := range []string{"paper", "canvas", "wood", "silk", "wool", "brass", "ivory", "clay"} {
		tolerances.Rows = append(tolerances.Rows, []any{m, fmt.Sprintf("%d.50", 30+i*2), fmt.Sprintf("%d.00", 50+i*3), g.maybe(0.1, int64(50*(1+i%5)))})
	}
	objects := &Table{Source: src, Name: "objects", Primary: []string{"object_id"}, Unique: [][]string{{"accession_no"}},
		Foreign: []Foreign{{"maker_id", "makers"}, {"home_room_id", "rooms"}}, Cols: []Col{
			{"object_id", "integer", "", true}, {"accession_no", "text", "", true}, {"title", "text", "", false}, {"kind", "text", "", false},
			{"material", "text", "", false}, {"maker_id", "integer", "", false}, {"made_from", "smallint", "", false}, {"made_to", "smallint", "", false},
			{"acquired_on", "date", "", false}, {"value_estimate", "numeric(12,2)", "", false}, {"weight_kg", "double precision", "", false},
			{"home_room_id", "integer", "", false}, {"fragile", "boolean", "", false}, {"updated_at", "timestamptz", "", true}}}
	n := g.size(40000)
	for i := range n {
		accession := fmt.Sprintf("%d.%d", 1880+i%140, i+1)
		g.objects = append(g.objects, accession)
		made := 1600 + g.r.IntN(400)
		objects.Rows = append(objects.Rows, []any{int64(i + 1), accession, g.maybe(0.03, pick(g, subjects...)+" "+pick(g, manners...)), pick(g, kinds...),
			g.maybe(0.06, pick(g, materials...)), g.maybe(0.2, int64(1+g.r.IntN(nMakers))), g.maybe(0.1, int64(made)), g.maybe(0.15, int64(made+g.r.IntN(12))),
			g.maybe(0.05, g.day(1900, 2024)), g.maybe(0.08, g.money(0, 90000)), g.maybe(0.3, float64(g.r.IntN(40000))/16),
			g.maybe(0.04, int64(1+g.r.IntN(nRooms))), g.maybe(0.1, g.r.IntN(4) == 0), g.day(2019, 2025).Add(time.Duration(g.r.IntN(86400_000000)) * time.Microsecond)})
	}
	moves := &Table{Source: src, Name: "location_history", Primary: []string{"move_id"}, Foreign: []Foreign{{"object_id", "objects"}, {"room_id", "rooms"}}, Cols: []Col{
		{"move_id", "bigint", "", true}, {"object_id", "integer", "", true}, {"room_id", "integer", "", true}, {"moved_at", "timestamp", "", true}, {"reason", "text", "", false}}}
	for i := range g.size(60000) {
		moves.Rows = append(moves.Rows, []any{int64(i + 1), int64(1 + g.r.IntN(n)), int64(1 + g.r.IntN(nRooms)),
			g.day(2005, 2025).Add(time.Duration(g.r.IntN(86400)) * time.Second), g.maybe(0.2, pick(g, "display", "loan", "conservation", "stocktaking", ""))})
	}
	return []*Table{sites, rooms, makers, tolerances, objects, moves}
}

func (g *generator) lending() []*Table {
	const src = "lending"
	institutions := &Table{Source: src, Name: "institutions", Primary: []string{"institution_id"}, Cols: []Col{
		{"institution_id", "integer", "INT", true}, {"code", "text", "VARCHAR(12)", true}, {"name", "text", "VARCHAR(120)", true},
		{"country", "text", "VARCHAR(60)", false}, {"accredited", "smallint", "TINYINT", false}, {"credit_limit", "numeric(12,2)", "DECIMAL(12,2)", false}}}
	nInst := g.size(180)
	for i := range nInst {
		code := fmt.Sprintf("%s%03d", strings.ToUpper(pick(g, family...)[:3]), i+1)
		g.borrowers = append(g.borrowers, code)
		institutions.Rows = append(institutions.Rows, []any{int64(i + 1), g.messy(code), pick(g, towns...) + pick(g, " City Museum", " Gallery", " Collection", " Kunsthaus"),
			g.maybe(0.05, pick(g, countries...)), g.maybe(0.1, int64(g.r.IntN(2))), g.maybe(0.15, g.money(10000, 900000))})
	}
	couriers := &Table{Source: src, Name: "couriers", Primary: []string{"courier_id"}, Cols: []Col{
		{"courier_id", "integer", "INT", true}, {"name", "text", "VARCHAR(80)", true}, {"van_count", "smallint", "SMALLINT", false}}}
	for i := range 25 {
		couriers.Rows = append(couriers.Rows, []any{int64(i + 1), pick(g, family...) + " Carriers", g.maybe(0.2, int64(g.r.IntN(40)))})
	}
	requests := &Table{Source: src, Name: "loan_requests", Primary: []string{"request_id"}, Foreign: []Foreign{{"institution_id", "institutions"}}, Cols: []Col{
		{"request_id", "integer", "INT", true}, {"institution_id", "integer", "INT", true}, {"requested_on", "date", "DATE", false}, {"purpose", "text", "TEXT", false}, {"state", "text", "VARCHAR(12)", false}}}
	for i := range g.size(5000) {
		requests.Rows = append(requests.Rows, []any{int64(i + 1), int64(1 + g.r.IntN(nInst)), g.maybe(0.02, g.day(2018, 2025)), g.maybe(0.3, pick(g, "exhibition", "study", "Exhibition", "conservation")), g.messy(pick(g, "open", "granted", "refused"))})
	}
	loans := &Table{Source: src, Name: "loans", Primary: []string{"loan_id"}, Unique: [][]string{{"loan_no"}}, Foreign: []Foreign{{"courier_id", "couriers"}}, Cols: []Col{
		{"loan_id", "integer", "INT", true}, {"loan_no", "text", "VARCHAR(16)", true}, {"institution_code", "text", "VARCHAR(12)", false},
		{"status", "text", "VARCHAR(12)", false}, {"courier_id", "integer", "INT", false}, {"sent_on", "date", "DATE", false},
		{"due_on", "date", "DATE", false}, {"returned_on", "date", "DATE", false}, {"created_at", "timestamp", "DATETIME(6)", true}}}
	nLoans := g.size(12000)
	for i := range nLoans {
		sent := g.day(2019, 2025)
		due := sent.AddDate(0, 3+g.r.IntN(18), 0)
		status := pick(g, "out", "returned", "returned", "returned", "planned")
		var returned any
		if status == "returned" {
			returned = due.AddDate(0, 0, g.r.IntN(60)-40)
		}
		loans.Rows = append(loans.Rows, []any{int64(i + 1), fmt.Sprintf("L%06d", i+1), g.maybe(0.01, g.messy(pick(g, g.borrowers...))), g.maybe(0.01, g.messy(status)),
			g.maybe(0.2, int64(1+g.r.IntN(25))), sent, g.maybe(0.04, due), returned, sent.Add(-time.Duration(g.r.IntN(5000000)) * time.Second).Add(time.Duration(g.r.IntN(1000000)) * time.Microsecond)})
	}
	lines := &Table{Source: src, Name: "loan_lines", Primary: []string{"loan_id", "line_no"}, Foreign: []Foreign{{"loan_id", "loans"}}, Cols: []Col{
		{"loan_id", "integer", "INT", true}, {"line_no", "smallint", "SMALLINT", true}, {"object_no", "text", "VARCHAR(24)", true},
		{"insured_value", "numeric(12,2)", "DECIMAL(12,2)", false}, {"packing", "text", "VARCHAR(20)", false}, {"crates", "integer", "INT", false}}}
	for i := range g.size(45000) {
		lines.Rows = append(lines.Rows, []any{int64(1 + i%nLoans), int64(1 + i/nLoans), pick(g, g.objects...), g.maybe(0.07, g.money(100, 60000)),
			g.maybe(0.2, pick(g, "crate", "Crate", "roll", "box", "soft wrap")), g.maybe(0.3, int64(1+g.r.IntN(6)))})
	}
	values := &Table{Source: src, Name: "insurance_values", Primary: []string{"object_no", "valued_on"}, Cols: []Col{
		{"object_no", "text", "VARCHAR(24)", true}, {"valued_on", "date", "DATE", true}, {"amount", "numeric(12,2)", "DECIMAL(12,2)", false}, {"currency", "text", "VARCHAR(3)", false}}}
	for i := range g.size(8000) {
		values.Rows = append(values.Rows, []any{g.objects[i*3%len(g.objects)], g.day(2015, 2024).AddDate(0, 0, i%300), g.maybe(0.02, g.money(100, 80000)), pick(g, "SMC", "smc", "VES", "NOK")})
	}
	dedupe(values, 0, 1)
	return []*Table{institutions, couriers, requests, loans, lines, values}
}

// dedupe keeps the first row of each key.
func dedupe(t *Table, keys ...int) {
	seen := map[string]bool{}
	kept := t.Rows[:0]
	for _, r := range t.Rows {
		key := ""
		for _, k := range keys {
			key += fmt.Sprint(r[k]) + "\x00"
		}
		if !seen[key] {
			seen[key] = true
			kept = append(kept, r)
		}
	}
	t.Rows = kept
}

func (g *generator) archive() []*Table {
	loans := &Table{Source: "archive", Name: "closed_loans", Primary: []string{"id"}, Cols: []Col{
		{"id", "bigint", "INTEGER", true}, {"loan_no", "text", "TEXT", true}, {"borrower", "text", "TEXT COLLATE NOCASE", false}, {"object_no", "text", "TEXT", false},
		{"loaned_on", "text", "TEXT", false}, {"returned_on", "text", "TEXT", false}, {"insured", "text", "NUMERIC", false}, {"days_out", "bigint", "INTEGER", false}, {"remarks", "text", "TEXT", false}}}
	for i := range g.size(30000) {
		out := g.day(1975, 2018)
		back := out.AddDate(0, 0, 20+g.r.IntN(600))
		insured := any(fmt.Sprint(100 + g.r.IntN(40000)))
		if g.r.IntN(9) == 0 {
			insured = pick(g, "n/a", "unknown", "see file")
		}
		loans.Rows = append(loans.Rows, []any{int64(i + 1), fmt.Sprintf("A%05d", i+1), g.maybe(0.02, g.messy(pick(g, g.borrowers...))), g.maybe(0.01, pick(g, g.objects...)),
			out.Format("2006-01-02"), g.maybe(0.05, back.Format("2006-01-02")), g.maybe(0.1, insured), g.maybe(0.05, int64(back.Sub(out).Hours()/24)), g.maybe(0.7, pick(g, "frame loose", "Frame loose", "no remarks ", "*checked*", "50% faded"))})
	}
	return []*Table{loans}
}
