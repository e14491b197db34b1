package tests

import (
	"fmt"
	"math/rand"
	"strings"
)

// generator writes queries over the tables that have one meaning: whatever is
// limited is ordered by all its columns first, and nothing fails.
type generator struct {
	*rand.Rand
	tables []string // those that the query reads
	names  int
}

// newGenerator makes one that stays in one source, or goes through several.
func newGenerator(r *rand.Rand) *generator {
	g := &generator{Rand: r}
	g.tables = pick(g, []string{"a.x", "a.y"}, []string{"b.z", "b.u"}, []string{"a.x", "a.y", "b.z", "b.u"}, []string{"a.x", "b.z", "b.u", "c.v"})
	return g
}

// field is a column that a query can name.
type field struct{ name, kind string }

func (g *generator) name(prefix string) string {
	g.names++
	return fmt.Sprintf("%s%d", prefix, g.names)
}

func pick[T any](g *generator, of ...T) T { return of[g.Intn(len(of))] }

var fields = map[string][]field{
	"a.x": {{"id", "int"}, {"k", "text"}, {"n", "int"}}, "a.y": {{"id", "int"}, {"k", "text"}, {"w", "num"}},
	"b.z": {{"id", "int"}, {"k", "text"}, {"w", "num"}}, "b.u": {{"id", "int"}, {"k", "text"}, {"n", "int"}},
	"c.v": {{"id", "int"}, {"k", "text"}, {"n", "int"}},
}

// table writes an item of FROM and returns its fields.
func (g *generator) table(depth int) (string, []field) {
	if depth == 0 || g.Intn(3) > 0 {
		return g.named(pick(g, g.tables...))
	}
	sql, own := g.query(depth - 1)
	if !strings.Contains(sql, " ORDER BY ") && g.Intn(4) == 0 {
		sql += " ORDER BY 1"
	}
	return g.as("("+sql+")", own)
}

func (g *generator) named(table string) (string, []field) { return g.as(table, fields[table]) }

// as gives an item of FROM an alias.
func (g *generator) as(from string, own []field) (string, []field) {
	alias := g.name("t")
	out := make([]field, len(own))
	for i, f := range own {
		out[i] = field{alias + "." + f.name, f.kind}
	}
	return from + " " + alias, out
}

func (g *generator) from(depth int) (string, []field) {
	sql, all := g.table(depth)
	for range pick(g, 0, 0, 1, 1, 2, 3) {
		join := pick(g, "JOIN", "JOIN", "LEFT JOIN", "LEFT JOIN", "RIGHT JOIN", "FULL JOIN")
		right, more := g.table(depth)
		l, r := g.ofKind(all, "int"), g.ofKind(more, "int")
		on := fmt.Sprintf("%s = %s", l, r)
		if join != "FULL JOIN" && g.Intn(4) == 0 {
			on += " AND " + g.condition(append(append([]field{}, all...), more...), 0)
		}
		if join != "FULL JOIN" && g.Intn(8) == 0 {
			on = g.condition(append(append([]field{}, all...), more...), 0)
		}
		sql += fmt.Sprintf(" %s %s ON %s", join, right, on)
		all = append(all, more...)
	}
	return sql, all
}

// ofKind names a field of a kind, or writes a constant.
func (g *generator) ofKind(fs []field, kind string) string {
	var names []string
	for _, f := range fs {
		if f.kind == kind {
			names = append(names, f.name)
		}
	}
	if len(names) == 0 || g.Intn(12) == 0 {
		return g.constant(kind)
	}
	return pick(g, names...)
}

func (g *generator) constant(kind string) string {
	switch kind {
	case "int":
		return pick(g, "0", "1", "1", "2", "2", "3", "3", "NULL::int")
	case "text":
		return pick(g, "'a'", "'a'", "'B'", "''", "'b '", "NULL::text")
	case "bool":
		return pick(g, "true", "false", "NULL::boolean")
	}
	return pick(g, "1.5", "0.00", "2.250", "NULL::numeric")
}

// expr writes an expression of a kind.
func (g *generator) expr(fs []field, kind string, depth int) string {
	if depth == 0 || g.Intn(3) == 0 {
		return g.ofKind(fs, kind)
	}
	e := func(kind string) string { return g.expr(fs, kind, depth-1) }
	common := func() string {
		switch g.Intn(3) {
		case 0:
			return fmt.Sprintf("coalesce(%s, %s)", e(kind), e(kind))
		case 1:
			return fmt.Sprintf("CASE WHEN %s THEN %s ELSE %s END", g.condition(fs, 0), e(kind), e(kind))
		}
		return fmt.Sprintf("nullif(%s, %s)", e(kind), e(kind))
	}
	switch kind {
	case "int":
		return pick(g, func() string { return fmt.Sprintf("(%s + %s)", e(kind), e(kind)) },
			func() string { return fmt.Sprintf("(%s - 1)", e(kind)) },
			func() string { return fmt.Sprintf("length(%s)", e("text")) }, common)()
	case "text":
		return pick(g, func() string { return fmt.Sprintf("upper(%s)", e(kind)) },
			func() string { return fmt.Sprintf("(%s || 'x')", e(kind)) },
			func() string { return fmt.Sprintf("(%s)::text", e("int")) }, common)()
	case "bool":
		return "(" + g.condition(fs, depth-1) + ")"
	}
	return pick(g, func() string { return fmt.Sprintf("(%s * 2)", e(kind)) },
		func() string { return fmt.Sprintf("(%s + %s)", e(kind), e("int")) }, common)()
}

// condition writes a condition; with depth also of subqueries.
func (g *generator) condition(fs []field, depth int) string {
	kind := pick(g, "int", "int", "text", "num")
	a, b := g.expr(fs, kind, 1), g.expr(fs, kind, 1)
	choices := []func() string{
		func() string { return a + pick(g, " = ", " <> ", " < ", " >= ", " > ") + b },
		func() string { return a + " = " + g.constant(kind) },
		func() string { return a + pick(g, " IS NULL", " IS NOT NULL", " IS NOT NULL") },
		func() string { return fmt.Sprintf("%s %s %s", a, pick(g, ">=", "<>", "<="), g.constant(kind)) },
		func() string { return a + pick(g, " IS DISTINCT FROM ", " IS NOT DISTINCT FROM ") + b },
		func() string { return fmt.Sprintf("%s IN (%s, %s)", a, g.constant(kind), g.constant(kind)) },
		func() string { return g.ofKind(fs, "text") + pick(g, " LIKE 'a%'", " NOT LIKE '%b%'", " LIKE ''") },
	}
	if depth > 0 {
		c := func() string { return g.condition(fs, depth-1) }
		choices = append(choices,
			func() string { return fmt.Sprintf("(%s OR %s)", c(), c()) },
			func() string { return fmt.Sprintf("NOT (%s)", c()) },
			func() string { return g.subquery(fs, depth) }, func() string { return g.subquery(fs, depth) })
	}
	return pick(g, choices...)()
}

// subquery writes a condition with a subquery, mostly a correlated one.
func (g *generator) subquery(fs []field, depth int) string {
	from, own := g.table(0)
	both := append(append([]field{}, own...), fs...)
	where := g.condition(both, 0)
	if g.Intn(2) == 0 {
		where = fmt.Sprintf("%s = %s", g.ofKind(own, "int"), g.ofKind(fs, "int"))
	}
	kind := pick(g, "int", "text")
	switch g.Intn(4) {
	case 0:
		return fmt.Sprintf("%sEXISTS (SELECT 1 FROM %s WHERE %s)", pick(g, "", "NOT "), from, where)
	case 1:
		return fmt.Sprintf("%s %sIN (SELECT %s FROM %s WHERE %s)", g.expr(fs, kind, 1), pick(g, "", "NOT "), g.ofKind(own, kind), from, where)
	case 2:
		return fmt.Sprintf("%s %s (SELECT %s FROM %s WHERE %s)", g.expr(fs, kind, 1), pick(g, "= ANY", "< ALL", "<> ALL"), g.ofKind(own, kind), from, where)
	}
	return fmt.Sprintf("%s %s (SELECT %s(%s) FROM %s WHERE %s)", g.ofKind(fs, "int"), pick(g, "=", "<", ">="), pick(g, "max", "min", "count"), g.ofKind(own, "int"), from, where)
}

// aggregate writes an aggregate call and its kind.
func (g *generator) aggregate(fs []field) (string, string) {
	kind := pick(g, "int", "text", "num")
	arg := g.expr(fs, kind, 1)
	filter := ""
	if g.Intn(5) == 0 {
		filter = " FILTER (WHERE " + g.condition(fs, 0) + ")"
	}
	switch g.Intn(6) {
	case 0:
		return "count(*)" + filter, "int"
	case 1:
		return fmt.Sprintf("count(%s%s)", pick(g, "", "DISTINCT "), arg) + filter, "int"
	case 2:
		return fmt.Sprintf("sum(%s)", g.expr(fs, "num", 1)) + filter, "num"
	case 3:
		return fmt.Sprintf("avg(%s)", g.expr(fs, pick(g, "num", "int"), 1)) + filter, "num"
	}
	return fmt.Sprintf("%s(%s)", pick(g, "min", "max"), arg) + filter, kind
}

// totals writes groups over a join on a key, as reports are.
func (g *generator) totals() (string, []field) {
	from, facts := g.named(pick(g, "a.x", "a.y", "c.v"))
	kind := pick(g, "int", "text")
	name := g.name("c")
	join := fmt.Sprintf("%s %s b.u d ON d.id = %s", from, pick(g, "JOIN", "LEFT JOIN"), pick(g, facts[0].name, g.ofKind(facts, "int")))
	group := pick(g, "d.id", "d.k", "upper("+g.ofKind(facts, "text")+")")
	sql := fmt.Sprintf("SELECT max(%s) AS %s, count(*) AS %sn, sum(%s) AS %ss FROM %s GROUP BY %s", g.ofKind(facts, kind), name, name, g.ofKind(facts, "int"), name, join, group)
	return sql, []field{{name, kind}, {name + "n", "int"}, {name + "s", "int"}}
}

// selection writes a select block.
func (g *generator) selection(depth int) (string, []field) {
	if g.Intn(10) == 0 {
		return g.totals()
	}
	from, fs := g.from(depth)
	where := ""
	if g.Intn(2) > 0 {
		var conds []string
		for range pick(g, 1, 1, 2) {
			conds = append(conds, g.condition(fs, depth))
		}
		if g.Intn(20) == 0 { // one that nothing can meet
			n := g.ofKind(fs, "int")
			conds = append(conds, pick(g, "1 = 2", n+" = 1 AND "+n+" = 2", n+" > 3 AND "+n+" < 2"))
		}
		where = " WHERE " + strings.Join(conds, " AND ")
	}
	var items []string
	var out []field
	add := func(sql, kind string) {
		out = append(out, field{g.name("c"), kind})
		items = append(items, sql+" AS "+out[len(out)-1].name)
	}
	tail, distinct := "", ""
	switch g.Intn(5) {
	case 0, 1: // grouped
		var groups []string
		for range g.Intn(3) {
			kind := pick(g, "int", "text")
			e := g.expr(fs, kind, 1)
			add(e, kind)
			groups = append(groups, fmt.Sprint(len(items)))
		}
		for range 1 + g.Intn(2) {
			add(g.aggregate(fs))
		}
		if len(groups) > 0 {
			tail = " GROUP BY " + strings.Join(groups, ", ")
			if len(groups) > 1 && g.Intn(5) == 0 {
				tail = fmt.Sprintf(" GROUP BY %s(%s)", pick(g, "ROLLUP", "CUBE"), strings.Join(groups, ", "))
			}
		}
		if g.Intn(4) == 0 {
			tail += " HAVING count(*) > " + pick(g, "0", "1")
		}
	default:
		for range 1 + g.Intn(3) {
			kind := pick(g, "int", "text", "num", "bool")
			add(g.expr(fs, kind, 2), kind)
		}
		if g.Intn(6) == 0 {
			over := g.ofKind(fs, "text")
			order := g.ofKind(fs, "int")
			add(fmt.Sprintf(pick(g, "count(*) OVER (PARTITION BY %s)", "rank() OVER (PARTITION BY %s ORDER BY "+order+")",
				"sum("+order+") OVER (PARTITION BY %s)"), over), "int")
		}
		if g.Intn(6) == 0 {
			alias := g.name("t")
			add(fmt.Sprintf("(SELECT %s.k FROM b.u %s WHERE %s.id = %s)", alias, alias, alias, g.ofKind(fs, "int")), "text")
		}
		if g.Intn(5) == 0 {
			distinct = "DISTINCT "
		}
	}
	return fmt.Sprintf("SELECT %s%s FROM %s%s%s", distinct, strings.Join(items, ", "), from, where, tail), out
}

// query writes a query, and returns its output columns.
func (g *generator) query(depth int) (string, []field) {
	sql, out := g.selection(depth)
	if g.Intn(6) == 0 {
		var casts []string
		from, fs := g.from(0)
		for _, f := range out {
			casts = append(casts, g.expr(fs, f.kind, 1))
		}
		sql = fmt.Sprintf("%s %s SELECT %s FROM %s", sql, pick(g, "UNION ALL", "UNION ALL", "UNION", "EXCEPT", "INTERSECT"), strings.Join(casts, ", "), from)
	}
	if g.Intn(6) == 0 {
		var keys []string
		for i := range out {
			keys = append(keys, fmt.Sprint(i+1)+pick(g, "", " DESC", " NULLS FIRST"))
		}
		sql += fmt.Sprintf(" ORDER BY %s LIMIT %d", strings.Join(keys, ", "), 1+g.Intn(6))
		if g.Intn(3) == 0 {
			sql += " OFFSET 1"
		}
	}
	return sql, out
}
