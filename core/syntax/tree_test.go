package syntax

import (
	"fmt"
	"strings"
	"testing"

	"rovik/core/function"
)

// say writes an expression so that its structure shows.
func say(e Expr) string {
	all := func(list []Expr) string {
		var out []string
		for _, x := range list {
			out = append(out, say(x))
		}
		return strings.Join(out, " ")
	}
	switch e := e.(type) {
	case nil:
		return "-"
	case *Column:
		return strings.Join(e.Parts, ".")
	case *Star:
		return strings.Join(append(e.Table, "*"), ".")
	case *Literal:
		return fmt.Sprintf("%d:%s", e.Kind, e.Text)
	case *Op:
		return "(" + function.Quantified(e.Name, e.Quantifier) + " " + all(e.Args) + ")"
	case *Func:
		name := e.Name
		if e.Distinct {
			name += " distinct"
		}
		if e.Star {
			name += " *"
		}
		out := strings.TrimRight("["+name+" "+all(e.Args), " ") + "]"
		for _, o := range e.OrderBy {
			out += " by " + say(o.Expr)
		}
		if e.Filter != nil {
			out += " if " + say(e.Filter)
		}
		if w := e.Over; w != nil {
			out += " over " + w.Ref + "(" + all(w.Partition)
			for _, o := range w.OrderBy {
				out += " by " + say(o.Expr)
			}
			if f := w.Frame; f != nil {
				out += fmt.Sprintf(" %d:%d-%d/%d", f.Mode, f.Start, f.End, f.Exclude)
			}
			out += ")"
		}
		return out
	case *Cast:
		return fmt.Sprintf("%s::%s%v", say(e.Expr), e.Type, e.Mods)
	case *Case:
		s := "case " + say(e.Operand)
		for _, w := range e.Whens {
			s += " when " + say(w.Cond) + " then " + say(w.Result)
		}
		return s + " else " + say(e.Else)
	case *In:
		return fmt.Sprintf("(in %v %s | %s)", e.Not, say(e.Expr), all(e.List))
	case *Sub:
		test := ""
		if e.Test != nil {
			test = say(e.Test) + " " + e.Op + " "
		}
		return "<" + e.Kind + " " + test + sayQuery(e.Query) + ">"
	case *Row:
		return "(" + all(e.Items) + ")"
	case *Array:
		return "[" + all(e.Items) + "]"
	case *Subscript:
		return fmt.Sprintf("%s[%s]", say(e.Expr), say(e.Upper))
	case *GroupingSet:
		return e.Kind + "{" + all(e.Items) + "}"
	}
	return fmt.Sprintf("%T", e)
}

func TestExpressionsBecomeTheRightTree(t *testing.T) {
	for sql, want := range map[string]string{
		"a + b * c":                          "(+ a (* b c))",
		"(a + b) * c":                        "(* (+ a b) c)",
		"a AND b OR NOT c":                   "(or (and a b) (not c))",
		"a AND b AND c":                      "(and a b c)",
		"a != 1":                             "(<> a 2:1)",
		"-a":                                 "(- a)",
		"+a":                                 "a",
		"-5":                                 "2:-5",
		"0x1F":                               "2:31",
		"1_000":                              "2:1000",
		"1e3":                                "3:1e3",
		"NULL":                               "0:",
		"true":                               "1:true",
		"'it''s'":                            "4:it's",
		"E'a\\nb'":                           "4:a\nb",
		"x BETWEEN 1 AND 2":                  "(and (>= x 2:1) (<= x 2:2))",
		"x NOT BETWEEN 1 AND 2":              "(not (and (>= x 2:1) (<= x 2:2)))",
		"x IN (1, 2)":                        "(in false x | 2:1 2:2)",
		"x NOT IN ('a')":                     "(in true x | 4:a)",
		"x LIKE 'a%'":                        "(like x 4:a%)",
		"x NOT ILIKE 'a' ESCAPE '!'":         "(not ilike x 4:a 4:!)",
		"x IS NOT NULL":                      "(is not null x)",
		"x IS UNKNOWN":                       "(is null x)",
		"x IS NOT FALSE":                     "(is not false x)",
		"x IS NOT DISTINCT FROM y":           "(is not distinct from x y)",
		"count(*)":                           "[count *]",
		"Count(DISTINCT a)":                  "[count distinct a]",
		"coalesce(a, b, 1)":                  "[coalesce a b 2:1]",
		"least(a, b)":                        "[least a b]",
		"nullif(a, 'x')":                     "[nullif a 4:x]",
		"extract(year FROM d)":               "[extract 4:year d]",
		"substring(s FROM 2 FOR 3)":          "[substring s 2:2 2:3]",
		"position('a' IN s)":                 "[position s 4:a]",
		"trim(leading 'x' FROM s)":           "[ltrim s 4:x]",
		"trim(s)":                            "[btrim s]",
		"current_date":                       "[current_date]",
		"a::numeric(10, 2)":                  "a::numeric[10 2]",
		"CAST(a AS double precision)":        "a::float8[]",
		"date '2024-01-01'":                  "4:2024-01-01::date[]",
		"CASE a WHEN 1 THEN 'x' END":         "case a when 2:1 then 4:x else -",
		"CASE WHEN a > 1 THEN b ELSE c END":  "case - when (> a 2:1) then b else c",
		`"Odd Name".t."c"`:                   "Odd Name.t.c",
		"s.t.*":                              "s.t.*",
		"a IN (SELECT b FROM t)":             "<any a = =b from t>",
		"a > ALL (SELECT b FROM t)":          "<all a > =b from t>",
		"EXISTS (SELECT 1)":                  "<exists =2:1>",
		"(a, b) = (1, 2)":                    "(= (a b) (2:1 2:2))",
		"a = ANY (ARRAY[1, 2])":              "(= any a [2:1 2:2])",
		"a NOT LIKE ALL (b)":                 "(not like all a b)",
		"a[2]":                               "a[2:2]",
		"a ~* 'x'":                           "(~* a 4:x)",
		"sum(a ORDER BY b) FILTER (WHERE c)": "[sum a] by b if c",
		"mode() WITHIN GROUP (ORDER BY a)":   "[mode] by a",
		"rank() OVER (PARTITION BY a ORDER BY b)": "[rank] over (a by b)",
		"sum(a) OVER w": "[sum a] over w()",
		"sum(a) OVER (w ROWS 2 PRECEDING EXCLUDE TIES)":                               "[sum a] over w( 1:1-2/3)",
		"sum(a) OVER (ORDER BY b GROUPS BETWEEN 1 FOLLOWING AND UNBOUNDED FOLLOWING)": "[sum a] over ( by b 2:3-4/0)",
		"a SIMILAR TO 'b'": "(similar to a 4:b)",
		"a::int[]":         "a::int4[]",
	} {
		q, err := Parse("SELECT " + sql + " FROM x")
		if err != nil {
			t.Errorf("%s: %v", sql, err)
			continue
		}
		if got := say(q.Body.(*Select).Targets[0].Expr); got != want {
			t.Errorf("%s becomes %s, want %s", sql, got, want)
		}
	}
}

// sayTable writes an item of FROM.
func sayTable(x Table) string {
	switch x := x.(type) {
	case *TableName:
		return strings.Join(x.Parts, ".") + " " + x.Alias + strings.Join(x.Columns, ",")
	case *Subquery:
		return "(" + sayQuery(x.Query) + ") " + x.Alias + strings.Join(x.Columns, ",")
	case *Join:
		return fmt.Sprintf("{%s %d %s on %s}", sayTable(x.Left), x.Kind, sayTable(x.Right), say(x.On))
	}
	return fmt.Sprintf("%T", x)
}

func sayQuery(q *Query) string {
	var b strings.Builder
	for _, w := range q.With {
		fmt.Fprintf(&b, "with %s%s (%s) ", w.Name, strings.Join(w.Columns, ","), sayQuery(w.Query))
	}
	switch body := q.Body.(type) {
	case *SetOp:
		fmt.Fprintf(&b, "%s %s %s ", sayQuery(body.Left), map[string]string{"union": "++", "intersect": "&&", "except": "--"}[body.Op]+map[bool]string{false: "!"}[body.All], sayQuery(body.Right))
	case *Values:
		for _, row := range body.Rows {
			fmt.Fprintf(&b, "%s ", say(&Row{Items: row}))
		}
	case *Select:
		if body.Distinct {
			b.WriteString("distinct ")
		}
		for _, t := range body.Targets {
			fmt.Fprintf(&b, "%s=%s ", t.Name, say(t.Expr))
		}
		for _, f := range body.From {
			fmt.Fprintf(&b, "from %s ", sayTable(f))
		}
		if body.Where != nil {
			fmt.Fprintf(&b, "where %s ", say(body.Where))
		}
		for _, g := range body.GroupBy {
			fmt.Fprintf(&b, "group %s ", say(g))
		}
		if body.Having != nil {
			fmt.Fprintf(&b, "having %s ", say(body.Having))
		}
	}
	for _, o := range q.OrderBy {
		fmt.Fprintf(&b, "order %s %v %v ", say(o.Expr), o.Desc, o.NullsFirst)
	}
	if q.Limit != nil {
		fmt.Fprintf(&b, "limit %s ", say(q.Limit))
	}
	if q.Offset != nil {
		fmt.Fprintf(&b, "offset %s ", say(q.Offset))
	}
	return strings.TrimSpace(b.String())
}

func TestQueriesBecomeTheRightTree(t *testing.T) {
	for sql, want := range map[string]string{
		"SELECT a AS x, b FROM s.t AS u(c, d) WHERE a > 1":                              "x=a =b from s.t uc,d where (> a 2:1)",
		"SELECT 1 FROM a JOIN b ON a.x = b.x LEFT JOIN c ON true":                       "=2:1 from {{a  0 b  on (= a.x b.x)} 1 c  on 1:true}",
		"SELECT 1 FROM a RIGHT JOIN b ON a.x = b.x":                                     "=2:1 from {a  3 b  on (= a.x b.x)}",
		"SELECT 1 FROM a CROSS JOIN b, c":                                               "=2:1 from {a  2 b  on -} from c",
		"SELECT DISTINCT a FROM t ORDER BY a, 2 DESC, b NULLS FIRST, c DESC NULLS LAST": "distinct =a from t  order a false false order 2:2 true true order b false true order c true false",
		"SELECT a, count(*) FROM t GROUP BY a, b HAVING count(*) > 1":                   "=a =[count *] from t  group a group b having (> [count *] 2:1)",
		"SELECT a FROM t LIMIT 5 OFFSET 2":                                              "=a from t  limit 2:5 offset 2:2",
		"SELECT a FROM t FETCH FIRST 3 ROWS ONLY":                                       "=a from t  limit 2:3",
		"WITH w(x) AS (SELECT 1), v AS (SELECT x FROM w) SELECT * FROM v":               "with wx (=2:1) with v (=x from w) =* from v",
		"SELECT a FROM (SELECT b FROM t) AS s(c)":                                       "=a from (=b from t) sc",
		"SELECT 1 UNION ALL SELECT 2 UNION ALL SELECT 3 ORDER BY 1 LIMIT 2":             "=2:1 ++ =2:2 ++ =2:3 order 2:1 false false limit 2:2",
		"SELECT a FROM t UNION SELECT b FROM t EXCEPT ALL SELECT 1":                     "=a from t ++! =b from t -- =2:1",
		"VALUES (1, 2), (3, 4)":                                                         "(2:1 2:2) (2:3 2:4)",
		"SELECT 1 FROM t GROUP BY ROLLUP (a, (b, c)), ()":                               "=2:1 from t group rollup{a (b c)} group empty{}",
		"SELECT 1 FROM a, LATERAL (SELECT a.x) s":                                       "=2:1 from a from (=a.x) s",
		"SELECT a -- a comment\n /* and another */ FROM t;":                             "=a from t",
	} {
		q, err := Parse(sql)
		if err != nil {
			t.Errorf("%s: %v", sql, err)
			continue
		}
		if got := strings.Join(strings.Fields(sayQuery(q)), " "); got != strings.Join(strings.Fields(want), " ") {
			t.Errorf("%s becomes\n  %s\n  want %s", sql, got, want)
		}
	}
}

// The spans of what is more than an expression: joins, sorts, groups, unions.
func TestSpansOfClauses(t *testing.T) {
	sql := `SELECT DISTINCT k FROM (SELECT a.k FROM s.a JOIN s.b AS b ON a.id = (b.id)) AS q GROUP BY k, upper(k) ORDER BY k DESC NULLS LAST, 1`
	q, err := Parse(sql)
	if err != nil {
		t.Fatal(err)
	}
	at := func(s Span) string { return sql[s.Start:s.End] }
	sel := q.Body.(*Select)
	inner := sel.From[0].(*Subquery).Query.Body.(*Select)
	join := inner.From[0].(*Join)
	for what, pair := range map[string][2]string{
		"distinct":  {at(sel.DistinctSpan), "DISTINCT"},
		"table":     {at(join.Left.At()), "s.a"},
		"condition": {at(join.On.At()), "a.id = (b.id)"},
		"join":      {at(join.Span), "s.a JOIN s.b AS b ON a.id = (b.id)"},
		"inner":     {at(inner.Span), "SELECT a.k FROM s.a JOIN s.b AS b ON a.id = (b.id)"},
		"first key": {at(q.OrderBy[0].Span), "k DESC NULLS LAST"},
		"group":     {at(Span{sel.GroupSpan.Start, sel.GroupBy[1].At().End}), "GROUP BY k, upper(k)"},
	} {
		if pair[0] != pair[1] {
			t.Errorf("the %s lies at %q, want %q", what, pair[0], pair[1])
		}
	}
	sql = "SELECT 1 UNION ALL SELECT 2"
	if q, err = Parse(sql); err != nil || at(q.Body.(*SetOp).Words) != "UNION ALL" {
		t.Errorf("the union's words: %v", err)
	}
}
