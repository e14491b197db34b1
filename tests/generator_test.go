package tests

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
)

// fixedSeeds is how many generated queries a plain test run checks.
const fixedSeeds = 250

// TestGeneratedQueriesHoldTheLaw runs seeded queries over the story's schema
// folded, unfolded and on the reference. ROVIK_SEEDS runs more of them,
// ROVIK_SEED a single one.
func TestGeneratedQueriesHoldTheLaw(t *testing.T) {
	from, to := seeds(fixedSeeds)
	failures := 0
	for seed := from; seed < to && failures < 5; seed++ {
		sql := generate(uint64(seed))
		ok := t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			holdsLaw(t, sql, false)
			if t.Failed() {
				t.Logf("reproduce with: ROVIK_SEED=%d go test -run TestGeneratedQueriesHoldTheLaw ./tests", seed)
			}
		})
		if !ok {
			failures++
		}
	}
}

// column is a column that a generated query can use, with a kind of its own
// for choosing what to do with it.
type column struct{ name, kind string }

type relation struct {
	name string
	cols []column
	// joins says which column meets which other relation's column.
	joins map[string][2]string
}

var relations = map[string]relation{
	"registry.objects": {"registry.objects", []column{{"object_id", "int"}, {"accession_no", "text"}, {"title", "text"}, {"kind", "code"}, {"material", "code"},
		{"made_from", "small"}, {"made_to", "small"}, {"acquired_on", "date"}, {"value_estimate", "num"}, {"fragile", "bool"}, {"home_room_id", "int"}},
		map[string][2]string{"lending.loan_lines": {"accession_no", "object_no"}, "registry.makers": {"maker_id", "maker_id"}, "lending.insurance_values": {"accession_no", "object_no"}, "registry.rooms": {"home_room_id", "room_id"}, "archive.closed_loans": {"accession_no", "object_no"}}},
	"registry.makers": {"registry.makers", []column{{"maker_id", "int"}, {"name", "text"}, {"born", "small"}, {"died", "small"}, {"country", "text"}},
		map[string][2]string{"lending.institutions": {"country", "country"}}},
	"registry.rooms": {"registry.rooms", []column{{"room_id", "int"}, {"name", "text"}, {"floor", "small"}, {"climate_class", "code"}},
		map[string][2]string{"registry.sites": {"site_id", "site_id"}}},
	"registry.sites": {"registry.sites", []column{{"site_id", "int"}, {"code", "text"}, {"town", "text"}, {"opened_on", "date"}}, nil},
	"lending.loans": {"lending.loans", []column{{"loan_id", "int"}, {"loan_no", "text"}, {"institution_code", "code"}, {"status", "code"}, {"courier_id", "int"},
		{"sent_on", "date"}, {"due_on", "date"}, {"returned_on", "date"}},
		map[string][2]string{"lending.loan_lines": {"loan_id", "loan_id"}, "lending.institutions": {"institution_code", "code"}, "archive.closed_loans": {"institution_code", "borrower"}, "lending.couriers": {"courier_id", "courier_id"}}},
	"lending.loan_lines": {"lending.loan_lines", []column{{"loan_id", "int"}, {"line_no", "small"}, {"object_no", "text"}, {"insured_value", "num"}, {"packing", "code"}, {"crates", "int"}},
		map[string][2]string{"registry.objects": {"object_no", "accession_no"}, "lending.loans": {"loan_id", "loan_id"}}},
	"lending.institutions": {"lending.institutions", []column{{"institution_id", "int"}, {"code", "code"}, {"name", "text"}, {"country", "text"}, {"accredited", "small"}, {"credit_limit", "num"}},
		map[string][2]string{"archive.closed_loans": {"code", "borrower"}}},
	"lending.couriers": {"lending.couriers", []column{{"courier_id", "int"}, {"name", "text"}, {"van_count", "small"}}, nil},
	"lending.insurance_values": {"lending.insurance_values", []column{{"object_no", "text"}, {"valued_on", "date"}, {"amount", "num"}, {"currency", "code"}},
		map[string][2]string{"registry.objects": {"object_no", "accession_no"}}},
	"archive.closed_loans": {"archive.closed_loans", []column{{"id", "big"}, {"loan_no", "text"}, {"borrower", "code"}, {"loaned_on", "text"}, {"insured", "text"}, {"days_out", "big"}, {"remarks", "code"}},
		map[string][2]string{"registry.objects": {"object_no", "accession_no"}, "lending.institutions": {"borrower", "code"}}},
	"climate.readings": {"climate.readings", []column{{"room_id", "int"}, {"logger", "text"}, {"month", "text"}, {"humidity", "num"}, {"lux", "int"}},
		map[string][2]string{"registry.rooms": {"room_id", "room_id"}}},
	"rates.insurance_rates": {"rates.insurance_rates", []column{{"kind", "text"}, {"per_mille", "num"}, {"minimum", "int"}, {"valid_from", "date"}, {"valid_to", "date"}, {"remark", "text"}},
		map[string][2]string{"intake.object": {"kind", "kind"}}},
	"intake.closing_day": {"intake.closing_day", []column{{"town", "text"}, {"day", "date"}, {"reason", "code"}, {"open_until", "text"}},
		map[string][2]string{"registry.sites": {"town", "town"}, "lending.loans": {"day", "due_on"}}},
	"condition.report": {"condition.report", []column{{"report_no", "text"}, {"object_no", "text"}, {"inspector", "text"}, {"inspector_grade", "int"}, {"severity", "text"}, {"stable", "bool"}, {"remarks", "text"}},
		map[string][2]string{"registry.objects": {"object_no", "accession_no"}, "condition.finding": {"report_no", "report_no"}}},
	"condition.finding": {"condition.finding", []column{{"report_no", "text"}, {"position", "big"}, {"part", "text"}, {"damage", "code"}, {"urgent", "bool"}},
		map[string][2]string{"condition.report": {"report_no", "report_no"}, "condition.photograph": {"report_no", "report_no"}}},
	"condition.photograph": {"condition.photograph", []column{{"report_no", "text"}, {"finding", "big"}, {"file", "text"}, {"width", "int"}}, nil},
	"facility.partner_room": {"facility.partner_room", []column{{"code", "code"}, {"position", "big"}, {"name", "text"}, {"floor", "int"}, {"max_lux", "int"}, {"max_humidity", "num"}},
		map[string][2]string{"facility.display_case": {"code", "code"}, "intake.institution": {"code", "code"}}},
	"facility.display_case": {"facility.display_case", []column{{"code", "code"}, {"room", "big"}, {"kind", "text"}, {"litres", "num"}}, nil},
	"joined.latest_condition": {"joined.latest_condition", []column{{"object_no", "text"}, {"severity", "text"}, {"stable", "bool"}, {"findings", "big"}},
		map[string][2]string{"intake.object": {"object_no", "object_no"}, "lending.loan_lines": {"object_no", "object_no"}}},
	"joined.partner_climate": {"joined.partner_climate", []column{{"code", "code"}, {"hall", "text"}, {"fire_alarm", "bool"}, {"rooms", "big"}, {"darkest", "int"}, {"driest", "num"}},
		map[string][2]string{"intake.institution": {"code", "code"}}},
	"joined.room_climate": {"joined.room_climate", []column{{"room_id", "int"}, {"site", "text"}, {"month", "text"}, {"driest", "num"}, {"brightest", "int"}},
		map[string][2]string{"registry.objects": {"room_id", "home_room_id"}}},
	"intake.object": {"intake.object", []column{{"object_id", "int"}, {"object_no", "text"}, {"kind", "code"}, {"material", "code"}, {"value_estimate", "num"}, {"acquired_on", "date"}},
		map[string][2]string{"intake.loan_line": {"object_no", "object_no"}}},
	"intake.loan_line": {"intake.loan_line", []column{{"loan_id", "int"}, {"object_no", "text"}, {"insured_value", "num"}, {"packing", "code"}},
		map[string][2]string{"intake.loan": {"loan_id", "loan_id"}}},
	"intake.loan": {"intake.loan", []column{{"loan_id", "int"}, {"institution_code", "code"}, {"status", "code"}, {"sent_on", "date"}, {"due_on", "date"}},
		map[string][2]string{"intake.institution": {"institution_code", "code"}, "intake.archived_loan": {"institution_code", "institution_code"}}},
	"intake.institution":    {"intake.institution", []column{{"code", "code"}, {"name", "text"}, {"country", "text"}, {"credit_limit", "num"}}, nil},
	"intake.archived_loan":  {"intake.archived_loan", []column{{"loan_no", "text"}, {"institution_code", "code"}, {"sent_on", "date"}, {"insured_value", "num"}}, nil},
	"joined.loan_history":   {"joined.loan_history", []column{{"object_no", "text"}, {"institution_code", "code"}, {"sent_on", "date"}, {"insured_value", "num"}, {"system", "text"}}, map[string][2]string{"intake.object": {"object_no", "object_no"}}},
	"joined.object_on_loan": {"joined.object_on_loan", []column{{"object_no", "text"}, {"title", "text"}, {"material", "code"}, {"country", "text"}, {"due_on", "date"}, {"insured_value", "num"}}, map[string][2]string{"lending.insurance_values": {"object_no", "object_no"}}},
	"delivery.loan_risk":    {"delivery.loan_risk", []column{{"object_no", "text"}, {"borrower", "text"}, {"due_on", "date"}, {"max_lux", "int"}, {"uninsured", "num"}}, nil},
	"registry.climate_tolerances": {"registry.climate_tolerances", []column{{"material", "code"}, {"min_humidity", "num"}, {"max_lux", "int"}},
		map[string][2]string{"intake.object": {"material", "material"}, "registry.objects": {"material", "material"}}},
}

var relationNames = func() []string {
	var names []string
	for n := range relations {
		names = append(names, n)
	}
	return sorted(names)
}()

// query is a generated query in the making.
type query struct {
	r    *rand.Rand
	cols []column // qualified
}

func (q *query) pick(options ...string) string { return options[q.r.IntN(len(options))] }
func (q *query) chance(p float64) bool         { return q.r.Float64() < p }

// of returns a column of one of the kinds, or ok false.
func (q *query) of(kinds string) (column, bool) {
	for range 12 {
		c := q.cols[q.r.IntN(len(q.cols))]
		if strings.Contains(kinds, c.kind) {
			return c, true
		}
	}
	return column{}, false
}

func generate(seed uint64) string {
	q := &query{r: rand.New(rand.NewPCG(seed, 7))}
	from := q.from()
	where := ""
	if q.chance(0.75) {
		where = " WHERE " + q.conditions()
	}
	switch q.r.IntN(5) {
	case 0:
		return "SELECT DISTINCT " + strings.Join(q.values(1+q.r.IntN(2)), ", ") + from + where
	case 1, 2:
		return q.grouped(from, where)
	}
	sql := "SELECT " + strings.Join(q.values(1+q.r.IntN(4)), ", ") + from + where
	if q.chance(0.2) {
		sql = fmt.Sprintf("SELECT * FROM (%s) AS sub", sql)
	}
	if q.chance(0.15) {
		sql += " UNION ALL " + sql
	}
	return sql
}

func (q *query) from() string {
	first := relations[relationNames[q.r.IntN(len(relationNames))]]
	text := " FROM " + first.name + " AS t0"
	used := []relation{first}
	add := func(r relation, alias string) {
		for _, c := range r.cols {
			q.cols = append(q.cols, column{alias + "." + c.name, c.kind})
		}
	}
	add(first, "t0")
	for i := 1; i < 1+q.r.IntN(3); i++ {
		at := q.r.IntN(len(used))
		var partners []string
		for name := range used[at].joins {
			partners = append(partners, name)
		}
		if len(partners) == 0 {
			break
		}
		name := sorted(partners)[q.r.IntN(len(partners))]
		on := used[at].joins[name]
		alias := fmt.Sprintf("t%d", i)
		word := q.pick("JOIN", "JOIN", "LEFT JOIN")
		text += fmt.Sprintf(" %s %s AS %s ON %s.%s = t%d.%s", word, name, alias, alias, on[1], at, on[0])
		used = append(used, relations[name])
		before := q.cols
		add(relations[name], alias)
		if q.chance(0.25) {
			both := q.cols
			q.cols = both[len(before):]
			text += " AND " + q.condition()
			q.cols = both
		}
	}
	return text
}

func (q *query) grouped(from, where string) string {
	keys := q.values(1 + q.r.IntN(2))
	var aggs []string
	for range 1 + q.r.IntN(3) {
		aggs = append(aggs, q.aggregate())
	}
	sql := "SELECT " + strings.Join(append(append([]string{}, keys...), aggs...), ", ") + from + where
	var numbers []string
	for i := range keys {
		numbers = append(numbers, strconv.Itoa(i+1))
	}
	sql += " GROUP BY " + strings.Join(numbers, ", ")
	if q.chance(0.3) {
		sql += " HAVING count(*) " + q.pick("> 1", "< 5", "<> 2", "BETWEEN 2 AND 9")
	}
	return sql
}

func (q *query) aggregate() string {
	if c, ok := q.of("int big small num"); ok && q.chance(0.6) {
		return q.pick("sum", "avg", "min", "max", "count") + "(" + q.pick("", "", "DISTINCT ") + c.name + ")"
	}
	if c, ok := q.of("text code date"); ok && q.chance(0.7) {
		return q.pick("min("+c.name+")", "max("+c.name+")", "count("+c.name+")", "count(DISTINCT "+c.name+")")
	}
	return "count(*)"
}

func (q *query) values(n int) []string {
	out := make([]string, n)
	for i := range out {
		out[i] = q.value() + fmt.Sprintf(" AS v%d", i)
	}
	return out
}

func (q *query) value() string {
	c := q.cols[q.r.IntN(len(q.cols))]
	if q.chance(0.45) {
		return c.name
	}
	switch c.kind {
	case "text", "code":
		return fmt.Sprintf(q.pick("upper(%s)", "lower(%s)", "btrim(%s)", "left(%s, 3)", "length(%s)", "%s || '-'", "coalesce(%s, 'none')", "substring(%s, 2, 3)",
			"nullif(%s, 'out')", "concat(%s, '!')", "CASE WHEN %[1]s LIKE 'p%%' THEN 'p' ELSE %[1]s END"), c.name)
	case "num":
		return fmt.Sprintf(q.pick("round(%s, 1)", "%s * 2", "%s / 3", "coalesce(%s, 0)", "%s - 0.5", "floor(%s)", "CAST(%s AS bigint)", "abs(%s)", "-%s"), c.name)
	case "int", "big", "small":
		return fmt.Sprintf(q.pick("%s / 3", "%s %% 5", "coalesce(%s, 0)", "CAST(%s AS numeric) * 1.5", "CAST(%s AS bigint) + 1", "CAST(%s AS text)", "%s = 3", "greatest(%s, 2)"), c.name)
	case "date":
		return fmt.Sprintf(q.pick("extract(year FROM %s)", "extract(month FROM %s)", "extract(dow FROM %s)", "%s + 7", "CAST(%s AS text)", "date_trunc('month', %s)", "%s IS NULL"), c.name)
	}
	return c.name + " IS NOT TRUE"
}

func (q *query) conditions() string {
	conds := []string{q.condition()}
	for q.chance(0.4) && len(conds) < 4 {
		conds = append(conds, q.condition())
	}
	return strings.Join(conds, " AND ")
}

func (q *query) condition() string {
	c := q.cols[q.r.IntN(len(q.cols))]
	op := q.pick("=", "<>", "<", "<=", ">", ">=")
	var s string
	switch c.kind {
	case "code":
		word := q.pick("'out'", "'OUT'", "'out '", "'print'", "'Print'", "'paper'", "'Paper'", "'crate'", "'A'", "'a'", "'no remarks '", "'frame loose'", "''")
		s = fmt.Sprintf(q.pick("%[1]s %[2]s %[3]s", "%[1]s = %[3]s", "lower(%[1]s) = lower(%[3]s)", "upper(btrim(%[1]s)) = upper(%[3]s)", "%[1]s IN (%[3]s, 'returned', 'wood')",
			"lower(%[1]s) IN ('out', 'print', 'crate')", "%[1]s NOT IN (%[3]s)", "%[1]s LIKE 'p%%'", "%[1]s LIKE '%%e%%'", "%[1]s ILIKE 'P%%'", "%[1]s NOT LIKE '_u%%'",
			"%[1]s IS DISTINCT FROM %[3]s", "btrim(%[1]s) LIKE 'o%%'", "length(%[1]s) > 4", "coalesce(%[1]s, 'x') %[2]s %[3]s"), c.name, op, word)
	case "text":
		s = fmt.Sprintf(q.pick("%[1]s %[2]s 'M'", "%[1]s LIKE '%%1%%'", "%[1]s ILIKE '%%a_e%%'", "%[1]s IS NULL", "left(%[1]s, 1) = '1'", "%[1]s BETWEEN '1' AND 'M'", "upper(%[1]s) > 'L'"), c.name, op)
	case "num":
		s = fmt.Sprintf(q.pick("%[1]s %[2]s 20000", "%[1]s BETWEEN 1000 AND 30000.5", "%[1]s * 2 %[2]s 50000", "%[1]s IS NOT NULL", "round(%[1]s) %[2]s 12000", "%[1]s / 7 %[2]s 3000", "coalesce(%[1]s, 0) %[2]s 100"), c.name, op)
	case "int", "big":
		s = fmt.Sprintf(q.pick("%[1]s %[2]s 40", "%[1]s IN (1, 2, 3, 500)", "%[1]s %% 3 = 1", "%[1]s IS NULL", "%[1]s BETWEEN 3 AND 300", "CAST(%[1]s AS bigint) * 2 %[2]s 90", "%[1]s / 2 %[2]s 4"), c.name, op)
	case "small":
		s = fmt.Sprintf(q.pick("%[1]s %[2]s 1800", "%[1]s %[2]s 2", "%[1]s IN (1, 2)", "%[1]s IS NOT NULL", "%[1]s + 1 %[2]s 3"), c.name, op)
	case "date":
		s = fmt.Sprintf(q.pick("%[1]s %[2]s date '2022-06-01'", "extract(year FROM %[1]s) %[2]s 2021", "%[1]s IS NULL", "%[1]s BETWEEN date '2020-01-01' AND date '2023-12-31'", "%[1]s + 30 %[2]s date '2024-01-01'"), c.name, op)
	default:
		s = q.pick(c.name, "NOT "+c.name, c.name+" IS NOT TRUE", c.name+" IS NULL")
	}
	switch q.r.IntN(8) {
	case 0:
		return "NOT (" + s + ")"
	case 1:
		return "(" + s + " OR " + q.condition() + ")"
	}
	return s
}

// seeds returns the seeds that a generator runs from and up to, which the
// environment can change.
func seeds(fixed int) (from, to int) {
	if n, err := strconv.Atoi(os.Getenv("ROVIK_SEED")); err == nil {
		return n, n + 1
	}
	if n, err := strconv.Atoi(os.Getenv("ROVIK_SEEDS")); err == nil {
		first, _ := strconv.Atoi(os.Getenv("ROVIK_FROM")) // where a run that was ended goes on
		return first, first + n
	}
	return 0, fixed
}
