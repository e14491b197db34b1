package tests

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"rovik/core/value"
)

// wideSeeds is how many queries of the whole language a plain test run checks;
// make fuzz runs many more.
const wideSeeds = 250

// TestWideQueriesHoldTheLaw runs generated queries of the whole language over
// the nasty and the wild tables of three sources: folded, unfolded and on the
// reference. ROVIK_SEEDS runs more of them, ROVIK_SEED a single one.
func TestWideQueriesHoldTheLaw(t *testing.T) {
	a, ref := nastyWorld(t)
	addWildTables(t, a, ref)
	alike = true
	defer func() { alike = false }()
	wild := map[string][]wcol{}
	for source := range wildTables {
		for _, c := range a.Now().Catalog().Table(source + ".wild").Columns {
			wild[source] = append(wild[source], wcol{c.Name, wideType(c.Type.Kind)})
		}
	}
	patience := func(limit string) {
		if _, err := ref.Exec(context.Background(), "SET statement_timeout = '"+limit+"'"); err != nil {
			t.Fatal(err)
		}
	}
	from, to := seeds(wideSeeds)
	failures, failed := 0, 0
	for seed := from; seed < to && failures < 8; seed++ {
		g := &wide{r: rand.New(rand.NewPCG(uint64(seed), 11)), wild: wild}
		sql := g.top()
		ok := t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) {
			patience("200ms") // a join that explodes is of no interest to anyone
			o := theirsOn(context.Background(), ref, sql, nil)
			patience("60s")
			if o.class == "57" {
				return
			}
			if o.err != nil {
				failed++
			}
			holdsLawOn(t, a, ref, sql, false)
		})
		if !ok {
			failures++
		}
	}
	if n := to - from; n > 50 && failed > n/4 {
		t.Errorf("%d of %d queries are errors: the generator makes too many that show nothing", failed, n)
	}
}

// wide makes queries: relations with typed columns, put together at random.
type wide struct {
	r    *rand.Rand
	n    int               // aliases so far
	wild map[string][]wcol // by source, beside the nasty tables; may be nil
}

// wcol is a column with its type: int, big, num, flt, text, date, ts, bool, or
// another one by its name.
type wcol struct{ name, typ string }

// wideType is what the generator calls a kind.
func wideType(k value.Kind) string {
	switch {
	case k.IsText():
		return "text"
	case k == value.Int2 || k == value.Int4:
		return "int"
	case k == value.Int8:
		return "big"
	case k == value.Numeric:
		return "num"
	case k.IsFloat():
		return "flt"
	case k == value.Date:
		return "date"
	case k == value.Timestamp:
		return "ts"
	case k == value.Bool:
		return "bool"
	}
	return k.String()
}

// otherConstants are constants of the types that have no forms of their own.
var otherConstants = map[string]string{"time": "time '12:30'", "timestamptz": "timestamptz '1999-12-31 23:59:59.5+00'", "interval": "interval '30 days'", "bytea": "bytea '\\x00'",
	"uuid": "uuid '00000000-0000-0000-0000-000000000001'", "jsonb": "jsonb '1'", "integer[]": "CAST('{1,2}' AS integer[])", "text[]": "CAST('{a,b}' AS text[])"}

func (g *wide) pick(options ...string) string { return options[g.r.IntN(len(options))] }
func (g *wide) chance(p float64) bool         { return g.r.Float64() < p }
func (g *wide) alias() string                 { g.n++; return fmt.Sprintf("t%d", g.n) }

// of returns a column of one of the types.
func (g *wide) of(cols []wcol, types string) (wcol, bool) {
	var fit []wcol
	for _, c := range cols {
		if strings.Contains(types, c.typ) {
			fit = append(fit, c)
		}
	}
	if len(fit) == 0 {
		return wcol{}, false
	}
	return fit[g.r.IntN(len(fit))], true
}

// outermost is the depth of the query itself.
const outermost = 2

func (g *wide) top() string {
	sql, _ := g.query(outermost, nil)
	if g.chance(0.1) {
		body, cols := g.query(1, nil)
		sql = fmt.Sprintf("WITH w AS (%s) SELECT x.%s, count(*) FROM w x JOIN w y ON x.%s IS NOT DISTINCT FROM y.%s GROUP BY 1", body, cols[0].name, cols[0].name, cols[0].name)
	}
	return sql
}

// base is a table of a source under an alias.
func (g *wide) base() (string, []wcol) {
	a, src := g.alias(), g.pick("pg", "pg", "ma", "ma", "sl")
	if g.wild != nil && g.chance(0.35) {
		return g.wildTable(a, src)
	}
	n := "int"
	if src == "sl" {
		n = "big"
	}
	cols := []wcol{{"id", "int"}, {"s", "text"}, {"c", "text"}, {"n", n}, {"b", "big"}, {"d", "num"}, {"f", "flt"}, {"day", "date"}, {"at", "ts"}}
	if src == "sl" {
		cols[0].typ = "big"
	}
	for i := range cols {
		cols[i].name = a + "." + cols[i].name
	}
	table := src + ".nasty AS " + a
	if g.chance(0.35) {
		return fmt.Sprintf("(SELECT * FROM %s.nasty WHERE %s) AS %s", src, g.pick("id < 20", "n > 0", "s = 'a'", "id % 7 = 1", "s IS NULL"), a), cols
	}
	return table, cols
}

// wildTable is a wild table under an alias, of which some columns are used.
func (g *wide) wildTable(a, src string) (string, []wcol) {
	cols := []wcol{{a + ".id", g.wild[src][0].typ}}
	for range 7 {
		c := g.wild[src][1+g.r.IntN(len(g.wild[src])-1)]
		cols = append(cols, wcol{a + "." + c.name, c.typ})
	}
	if g.chance(0.35) {
		return fmt.Sprintf("(SELECT * FROM %s.wild WHERE %s) AS %s", src, g.pick("id < 60", "ge > 9", "id % 7 = 1", "lo IS NOT NULL"), a), cols
	}
	return src + ".wild AS " + a, cols
}

func (g *wide) relation(depth int, outer []wcol) (string, []wcol) {
	switch {
	case depth > 0 && g.chance(0.2):
		a := g.alias()
		sql, cols := g.query(depth-1, outer)
		for i := range cols {
			cols[i].name = a + "." + cols[i].name
		}
		return "(" + sql + ") AS " + a, cols
	case g.chance(0.12):
		a := g.alias()
		return fmt.Sprintf("(VALUES (1, 'a', 1.5), (NULL, 'A', NULL), (7, NULL, 2.50), (2, 'a ', -1)) AS %s(k, t, q)", a), []wcol{{a + ".k", "int"}, {a + ".t", "text"}, {a + ".q", "num"}}
	case g.chance(0.05):
		a := g.alias()
		return fmt.Sprintf("generate_series(-1, 4) AS %s(g)", a), []wcol{{a + ".g", "int"}}
	}
	return g.base()
}

// from makes a FROM clause. More than two tables meet only where keys are
// nearly unique, so that rows do not explode.
func (g *wide) from(depth int, outer []wcol) (string, []wcol) {
	text, cols := g.relation(depth, nil)
	for joins := g.r.IntN(3); joins > 0; joins-- {
		right, rcols := g.relation(depth-1, nil)
		word := g.pick("JOIN", "JOIN", "LEFT JOIN", "LEFT JOIN", "RIGHT JOIN", "FULL JOIN")
		l, ok1 := g.of(cols, g.pick("int big", "int big", "text", "date", "num"))
		r, ok2 := g.of(rcols, l.typ)
		if l.typ == "int" || l.typ == "big" {
			r, ok2 = g.of(rcols, "int big")
		}
		switch {
		case !ok1 || !ok2:
			l, ok1 = g.of(cols, "int big")
			r, ok2 = g.of(rcols, "int big")
			if !ok1 || !ok2 {
				continue
			}
		case joins > 1 && !strings.HasSuffix(l.name, ".id"):
			if id, ok := g.of(cols, "int big"); ok {
				l = id
				r, ok2 = g.of(rcols, "int big")
				if !ok2 {
					continue
				}
			}
		}
		on := fmt.Sprintf("%s = %s", l.name, r.name)
		if g.chance(0.2) && word != "FULL JOIN" {
			depth := 0
			if g.chance(0.2) {
				depth = 1 // a subquery that reads both sides
			}
			on += " AND " + g.condition(append(append([]wcol{}, cols...), rcols...), depth)
		}
		text += fmt.Sprintf(" %s %s ON %s", word, right, on)
		cols = append(cols, rcols...)
	}
	if depth > 0 && g.chance(0.12) {
		a := g.alias()
		sql, lcols := g.query(0, cols)
		for i := range lcols {
			lcols[i].name = a + "." + lcols[i].name
		}
		text += fmt.Sprintf(" %s LATERAL (%s) AS %s ON true", g.pick("JOIN", "LEFT JOIN"), sql, a)
		cols = append(cols, lcols...)
	}
	return text, cols
}

// query makes a query with its output columns; outer are columns that it may
// refer to.
func (g *wide) query(depth int, outer []wcol) (string, []wcol) {
	if depth > 0 && g.chance(0.1) {
		return g.setOperation(depth)
	}
	from, cols := g.from(depth, outer)
	where := ""
	var conds []string
	if g.chance(0.6) {
		conds = append(conds, g.condition(cols, depth))
	}
	if len(outer) > 0 {
		if c, ok := g.correlation(cols, outer); ok {
			conds = append(conds, c)
		}
	}
	if len(conds) > 0 {
		where = " WHERE " + strings.Join(conds, " AND ")
	}
	switch g.r.IntN(8) {
	case 0, 1, 2:
		return g.grouped(from, where, cols)
	case 3:
		items, out := g.items(cols, 1+g.r.IntN(2), depth)
		return "SELECT DISTINCT " + items + " FROM " + from + where, out
	case 4:
		return g.windowed(from, where, cols)
	case 5:
		// Which rows below a limit are computed depends on the plan: nothing there fails.
		items, out := g.items(cols, 2+g.r.IntN(2), min(depth, outermost-1))
		order := ordinals(len(out), g)
		if g.chance(0.3) {
			return "SELECT DISTINCT ON (1) " + items + " FROM " + from + where + " ORDER BY " + order, out
		}
		limit := fmt.Sprintf(" LIMIT %d OFFSET %d", g.r.IntN(20), g.r.IntN(4))
		if g.chance(0.1) {
			base, _ := g.base()
			limit = fmt.Sprintf(" LIMIT (SELECT count(*) %% 7 FROM %s) OFFSET 1", base)
		}
		return "SELECT " + items + " FROM " + from + where + " ORDER BY " + order + limit, out
	}
	items, out := g.items(cols, 1+g.r.IntN(3), depth)
	return "SELECT " + items + " FROM " + from + where, out
}

// ordinals orders by all output columns, so that a limit has one answer.
func ordinals(n int, g *wide) string {
	var keys []string
	for i := range n {
		keys = append(keys, fmt.Sprintf("%d%s", i+1, g.pick("", " DESC", " NULLS FIRST", " DESC NULLS LAST")))
	}
	return strings.Join(keys, ", ")
}

func (g *wide) correlation(cols, outer []wcol) (string, bool) {
	for _, types := range []string{g.pick("int big", "text", "date"), "int big", "text"} {
		a, ok1 := g.of(cols, types)
		b, ok2 := g.of(outer, types)
		if ok1 && ok2 {
			return fmt.Sprintf("%s %s %s", a.name, g.pick("=", "=", "=", "=", "<", "IS NOT DISTINCT FROM"), b.name), true
		}
	}
	return "", false
}

func (g *wide) setOperation(depth int) (string, []wcol) {
	lf, lc := g.base()
	rf, rc := g.base()
	typ := g.pick("text", "int", "num", "date", "bool", "flt", "ts")
	l, ok1 := g.of(lc, typ)
	r, ok2 := g.of(rc, typ)
	if !ok1 || !ok2 {
		l, r, typ = lc[0], rc[0], "int" // each has one
	}
	op := g.pick("UNION ALL", "UNION", "INTERSECT", "INTERSECT ALL", "EXCEPT", "EXCEPT ALL")
	sql := fmt.Sprintf("SELECT %s AS v0 FROM %s %s SELECT %s FROM %s", l.name, lf, op, r.name, rf)
	out := []wcol{{"v0", typ}}
	if g.chance(0.5) {
		return fmt.Sprintf("SELECT v0, count(*) AS v1 FROM (%s) AS %s WHERE %s GROUP BY v0", sql, g.alias(), g.condition(out, 0)), []wcol{{"v0", typ}, {"v1", "big"}}
	}
	return sql, out
}

func (g *wide) items(cols []wcol, n, depth int) (string, []wcol) {
	var texts []string
	var out []wcol
	for i := range n {
		text, typ := g.value(cols, depth)
		name := fmt.Sprintf("v%d", i)
		texts, out = append(texts, text+" AS "+name), append(out, wcol{name, typ})
	}
	return strings.Join(texts, ", "), out
}

func (g *wide) grouped(from, where string, cols []wcol) (string, []wcol) {
	var keys, parts []string
	var out []wcol
	for i := range 1 + g.r.IntN(2) {
		text, typ := g.value(cols, 0)
		keys = append(keys, text)
		parts = append(parts, fmt.Sprintf("%s AS v%d", text, i))
		out = append(out, wcol{fmt.Sprintf("v%d", i), typ})
	}
	group := strings.Join(numbers(len(keys)), ", ")
	switch {
	case g.chance(0.1):
		keys, parts, out, group = nil, nil, nil, ""
	case g.chance(0.2) && (len(keys) < 2 || keys[0] != keys[1]):
		group = g.pick("ROLLUP", "CUBE") + " (" + group + ")"
	}
	for i := range 1 + g.r.IntN(3) {
		text, typ := g.aggregate(cols)
		if g.chance(0.15) {
			text += " FILTER (WHERE " + g.condition(cols, 0) + ")"
		}
		name := fmt.Sprintf("a%d", i)
		parts, out = append(parts, text+" AS "+name), append(out, wcol{name, typ})
	}
	sql := "SELECT " + strings.Join(parts, ", ") + " FROM " + from + where
	if group != "" {
		sql += " GROUP BY " + group
	}
	if g.chance(0.2) {
		sql += " HAVING count(*) " + g.pick("> 1", "< 4", "<> 2")
	}
	return sql, out
}

func numbers(n int) []string {
	var out []string
	for i := range n {
		out = append(out, strconv.Itoa(i+1))
	}
	return out
}

func (g *wide) aggregate(cols []wcol) (string, string) {
	c := cols[g.r.IntN(len(cols))]
	switch c.typ {
	case "int":
		return fmt.Sprintf(g.pick("sum(%s)", "min(%s)", "max(%s)", "count(DISTINCT %s)"), c.name), "big"
	case "big", "num":
		f := g.pick("sum(%s)", "avg(%s)", "min(%s)", "max(%s)", "sum(DISTINCT %s)", "count(%s)")
		typ := "num"
		if f == "count(%s)" || c.typ == "big" && strings.HasPrefix(f, "m") {
			typ = "big"
		}
		return fmt.Sprintf(f, c.name), typ
	case "text":
		f := g.pick("min(%s)", "max(%s)", "string_agg(%[1]s, '|' ORDER BY %[1]s)", "string_agg(DISTINCT %[1]s, '|')", "mode() WITHIN GROUP (ORDER BY %s)")
		return fmt.Sprintf(f, c.name), "text"
	case "date":
		return fmt.Sprintf(g.pick("min(%s)", "max(%s)", "percentile_disc(0.4) WITHIN GROUP (ORDER BY %s)"), c.name), "date"
	case "bool":
		return fmt.Sprintf(g.pick("bool_and(%s)", "bool_or(%s)"), c.name), "bool"
	}
	return "count(*)", "big"
}

func (g *wide) windowed(from, where string, cols []wcol) (string, []wcol) {
	items, out := g.items(cols, 1, 0)
	part := cols[g.r.IntN(len(cols))]
	key := cols[g.r.IntN(len(cols))]
	call, typ := g.pick("rank()", "dense_rank()", "count(*)"), "big"
	if c, ok := g.of(cols, "int big num"); ok && g.chance(0.5) {
		call, typ = fmt.Sprintf(g.pick("sum(%s)", "max(%s)", "min(%s)"), c.name), "num"
	}
	over := "PARTITION BY " + part.name + " ORDER BY " + key.name + g.pick("", " DESC", " NULLS FIRST")
	if g.chance(0.3) {
		over = "ORDER BY " + key.name
	}
	if g.chance(0.2) {
		over += g.pick(" GROUPS BETWEEN 1 PRECEDING AND CURRENT ROW", " RANGE BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING", " RANGE BETWEEN UNBOUNDED PRECEDING AND UNBOUNDED FOLLOWING EXCLUDE GROUP")
	}
	sql := fmt.Sprintf("SELECT %s, %s OVER (%s) AS w FROM %s%s", items, call, over, from, where)
	out = append(out, wcol{"w", typ})
	if g.chance(0.4) {
		a := g.alias()
		return fmt.Sprintf("SELECT * FROM (%s) AS %s WHERE w %s", sql, a, g.pick("= 1", "> 2", "IS NOT NULL")), out
	}
	return sql, out
}

// value makes an output expression with its type.
func (g *wide) value(cols []wcol, depth int) (string, string) {
	if depth > 0 && g.chance(0.08) {
		return g.scalar(cols, depth)
	}
	c := cols[g.r.IntN(len(cols))]
	if g.chance(0.4) {
		return c.name, c.typ
	}
	one := func(typ string, forms ...string) (string, string) { return fmt.Sprintf(g.pick(forms...), c.name), typ }
	switch c.typ {
	case "text":
		if g.chance(0.15) {
			return one("int", "length(%s)", "strpos(%s, 'a')", "ascii(%s)")
		}
		return one("text", "upper(%s)", "lower(%s)", "btrim(%s)", "left(%s, 1)", "%s || '-'", "coalesce(%s, 'none')", "replace(%s, 'a', 'b')", "nullif(%s, 'a')", "concat(%s, NULL, '!')",
			"reverse(%s)", "md5(%s)", "translate(%s, 'ab', 'x')", "CASE WHEN %[1]s = 'a' THEN 'one' ELSE %[1]s END", "regexp_replace(%s, '[aA]', 'x')", "rtrim(%s)", "substring(%s, 1, 1)")
	case "num":
		return one("num", "round(%s, 1)", "-%s", "coalesce(%s, 0)", "abs(%s)", "floor(%s)", "%s + 1", "greatest(%s, 0)", "trunc(%s, 2)")
	case "int", "big":
		if g.chance(0.2) {
			return one("bool", "%s = 1", "%s > 0", "%s IS NULL", "%s IN (1, 7, NULL)", "%s IS DISTINCT FROM 7")
		}
		if g.chance(0.2) {
			return one("text", "CAST(%s AS text)")
		}
		return one(c.typ, "%s / 3", "%s %% 5", "coalesce(%s, 0)", "least(%s, 5)", "nullif(%s, 1)", "CASE WHEN %[1]s > 0 THEN %[1]s END")
	case "date":
		if g.chance(0.5) {
			return one("num", "extract(year FROM %s)", "extract(month FROM %s)", "extract(dow FROM %s)", "extract(week FROM %s)")
		}
		return one("date", "coalesce(%s, date '2000-01-01')", "greatest(%s, date '2001-01-01')")
	case "ts":
		return one("num", "extract(hour FROM %s)", "extract(year FROM %s)", "extract(second FROM %s)")
	case "bool":
		return one("bool", "NOT %s", "%s IS TRUE", "coalesce(%s, false)")
	}
	if k := otherConstants[c.typ]; k != "" {
		if g.chance(0.2) {
			return fmt.Sprintf(g.pick("%[1]s = %[2]s", "%[1]s IS NULL", "%[1]s IS DISTINCT FROM %[2]s"), c.name, k), "bool"
		}
		return fmt.Sprintf(g.pick("coalesce(%[1]s, %[2]s)", "CASE WHEN %[1]s = %[2]s THEN NULL ELSE %[1]s END", "nullif(%[1]s, %[2]s)"), c.name, k), c.typ
	}
	return c.name, c.typ
}

// scalar makes a subquery that gives one value.
func (g *wide) scalar(cols []wcol, depth int) (string, string) {
	from, inner := g.base()
	where := ""
	if c, ok := g.correlation(inner, cols); ok && g.chance(0.8) {
		where = " WHERE " + c
	}
	c, _ := g.of(inner, g.pick("int big", "text", "date"))
	if depth == outermost && g.chance(0.3) {
		// It may have a second row, which is an error where it is needed: not
		// further in, where nobody may need it.
		return fmt.Sprintf("CASE WHEN %s THEN (SELECT %s FROM %s%s) END", g.condition(cols, 0), c.name, from, where), c.typ
	}
	switch g.r.IntN(4) {
	case 0:
		return fmt.Sprintf("(SELECT count(*) FROM %s%s)", from, where), "big"
	case 1:
		return fmt.Sprintf("(SELECT %s FROM %s%s ORDER BY 1 LIMIT 1)", c.name, from, where), c.typ
	}
	return fmt.Sprintf("(SELECT %s(%s) FROM %s%s)", g.pick("min", "max"), c.name, from, where), c.typ
}

func (g *wide) condition(cols []wcol, depth int) string {
	if depth > 0 && g.chance(0.2) {
		return g.subquery(cols, depth)
	}
	c := cols[g.r.IntN(len(cols))]
	op := g.pick("=", "<>", "<", "<=", ">", ">=")
	var s string
	switch c.typ {
	case "text":
		word := g.pick("'a'", "'A'", "'a '", "''", "'ß'", "'E'", "'10'")
		s = fmt.Sprintf(g.pick("%[1]s %[2]s %[3]s", "%[1]s = %[3]s", "lower(%[1]s) = 'a'", "%[1]s LIKE 'a%%'", "%[1]s LIKE '%%\\_%%'", "%[1]s ILIKE 'A_'", "%[1]s IN (%[3]s, 'b')", "%[1]s IS NULL", "%[1]s ~ '^[a-c]'", "%[1]s ~* 'S'",
			"%[1]s IS DISTINCT FROM %[3]s", "%[1]s = ANY (ARRAY['a', 'B', NULL])", "%[1]s NOT IN ('a', 'z')", "length(%[1]s) > 1", "(%[1]s, 1) < (%[3]s, 2)", "upper(btrim(%[1]s)) = 'A'"), c.name, op, word)
	case "int", "big":
		s = fmt.Sprintf(g.pick("%[1]s %[2]s 3", "%[1]s IN (1, 2, 7)", "%[1]s %% 3 = 1", "%[1]s IS NOT NULL", "%[1]s BETWEEN -5 AND 40", "%[1]s BETWEEN SYMMETRIC 7 AND 1", "%[1]s = ANY (ARRAY[1, 7])", "%[1]s <> ALL (ARRAY[0, 2])"), c.name, op)
	case "num":
		s = fmt.Sprintf(g.pick("%[1]s %[2]s 1.5", "%[1]s BETWEEN -2 AND 2.5", "round(%[1]s) %[2]s 1", "coalesce(%[1]s, 0) %[2]s 0"), c.name, op)
	case "flt":
		s = fmt.Sprintf(g.pick("%[1]s %[2]s 0.1", "%[1]s IS NULL", "%[1]s > -1e10"), c.name, op)
	case "date":
		s = fmt.Sprintf(g.pick("%[1]s %[2]s date '2024-02-29'", "extract(year FROM %[1]s) %[2]s 2023", "%[1]s IS NULL", "%[1]s IN (date '2000-01-01', date '2024-12-30')"), c.name, op)
	case "ts":
		s = fmt.Sprintf(g.pick("%[1]s %[2]s timestamp '2024-03-31 01:30:00'", "%[1]s IS NULL", "CAST(%[1]s AS date) %[2]s date '2024-02-29'"), c.name, op)
	case "bool":
		s = g.pick(c.name, "NOT "+c.name, c.name+" IS NOT TRUE")
	default:
		s = fmt.Sprintf(g.pick("%[1]s %[2]s %[3]s", "%[1]s IS NULL", "%[1]s IS DISTINCT FROM %[3]s", "%[1]s IN (%[3]s, NULL)", "coalesce(%[1]s, %[3]s) = %[3]s"), c.name, op, otherConstants[c.typ])
	}
	switch g.r.IntN(9) {
	case 0:
		return "NOT (" + s + ")"
	case 1:
		return "(" + s + " OR " + g.condition(cols, depth) + ")"
	case 2:
		return "(" + s + ") IS NOT FALSE"
	case 3:
		return s + " AND " + g.condition(cols, 0)
	}
	return s
}

// subquery makes a condition with a subquery.
func (g *wide) subquery(cols []wcol, depth int) string {
	if g.chance(0.4) {
		sql, _ := g.query(depth-1, cols)
		return g.pick("EXISTS", "NOT EXISTS") + " (" + sql + ")"
	}
	c, ok := g.of(cols, g.pick("int big", "text", "date"))
	if !ok {
		c, ok = g.of(cols, "int big text date")
	}
	from, inner := g.base()
	y, ok2 := g.of(inner, c.typ)
	if c.typ == "int" || c.typ == "big" {
		y, ok2 = g.of(inner, "int big")
	}
	if !ok || !ok2 {
		return "true"
	}
	where := ""
	if g.chance(0.4) {
		where = " WHERE " + g.condition(inner, 0)
	}
	if x, found := g.correlation(inner, cols); found && g.chance(0.3) {
		where = " WHERE " + x
	}
	if g.chance(0.1) {
		return fmt.Sprintf("(%s, 1) %s (SELECT %s, 1 FROM %s%s ORDER BY 1 LIMIT 1)", c.name, g.pick("=", "<", ">="), y.name, from, where)
	}
	word := g.pick("IN", "IN", "NOT IN", "= ANY", "> ALL", "<> ANY", "<= ANY")
	return fmt.Sprintf("%s %s (SELECT %s FROM %s%s)", c.name, word, y.name, from, where)
}
