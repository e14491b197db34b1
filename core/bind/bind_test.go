package bind

import (
	"errors"
	"strings"
	"testing"
	"time"

	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

func testCatalog() *catalog.Catalog {
	col := func(name, typ string) catalog.Column {
		t, err := value.ParseType(typ)
		if err != nil {
			panic(err)
		}
		return catalog.Column{Name: name, Type: t, Nullable: true}
	}
	registry := &catalog.Source{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{
		{Source: "registry", Schema: "public", Name: "objects", Rows: 1000, Columns: []catalog.Column{col("object_id", "integer"), col("title", "text"), col("kind", "text"), col("made", "smallint"), col("worth", "numeric(12,2)"), col("acquired_on", "date")}},
		{Source: "registry", Schema: "public", Name: "makers", Rows: 50, Columns: []catalog.Column{col("maker_id", "integer"), col("name", "text")}},
	}}
	view := func(layer, name, sql string) *catalog.View { return &catalog.View{Layer: layer, Name: name, SQL: sql} }
	return catalog.New([]*catalog.Source{registry}, []catalog.Layer{{Name: "intake"}, {Name: "joined"}, {Name: "delivery"}}, []*catalog.View{
		view("intake", "object", "SELECT o.object_id, lower(o.kind) AS kind FROM registry.objects AS o"),
		view("joined", "print", "SELECT * FROM intake.object WHERE kind = 'print'"),
		view("intake", "too_high", "SELECT * FROM joined.print"),
		view("intake", "a", "SELECT * FROM intake.b"),
		view("intake", "b", "SELECT * FROM intake.a"),
		view("intake", "broken", "SELECT nothing FROM registry.objects"),
		view("intake", "twice", "SELECT o.kind, o.kind FROM registry.objects o"),
	})
}

func bindText(t *testing.T, ctx Context, sql string) (*plan.Query, error) {
	t.Helper()
	tree, err := syntax.Parse(sql)
	if err != nil {
		t.Fatalf("%s: %v", sql, err)
	}
	ctx.Catalog = testCatalog()
	ctx.Now = time.Date(2026, 3, 4, 5, 6, 7, 0, time.UTC)
	return Bind(ctx, sql, tree)
}

func TestOutputNamesAndTypes(t *testing.T) {
	for sql, want := range map[string]string{
		"SELECT * FROM registry.makers": "maker_id integer, name text",
		"SELECT o.*, m.name FROM registry.objects o JOIN registry.makers m ON m.maker_id = o.object_id":                                                               "object_id integer, title text, kind text, made smallint, worth numeric(12,2), acquired_on date, name text",
		"SELECT made + 1 AS n, made + made AS m, worth * 2 AS w, made / 2.0 AS d FROM registry.objects":                                                               "n integer, m smallint, w numeric, d numeric",
		"SELECT count(*), sum(made), sum(object_id), avg(made), max(worth), min(title) FROM registry.objects":                                                         "count bigint, sum bigint, sum bigint, avg numeric, max numeric(12,2), min text",
		"SELECT CASE WHEN made > 1 THEN 1 ELSE 2.5 END, coalesce(title, 'x'), CAST(made AS text), worth::integer FROM registry.objects":                               "case numeric, coalesce text, made text, worth integer",
		"SELECT acquired_on + 1 AS a, acquired_on - acquired_on AS b, acquired_on + interval '1 day' AS c, extract(year FROM acquired_on) AS d FROM registry.objects": "a date, b integer, c timestamp, d numeric",
		"SELECT now(), current_date, NULL AS n, 'x' AS t, 3000000000 AS big, 1e3 AS e":                                                                                "now timestamptz, current_date date, n text, t text, big bigint, e numeric",
		"SELECT x.k FROM (SELECT kind FROM registry.objects) AS x(k)":                                                                                                 "k text",
		"WITH w(a, b) AS (SELECT kind, made FROM registry.objects) SELECT b, a FROM w":                                                                                "b smallint, a text",
		"SELECT made FROM registry.objects UNION ALL SELECT worth FROM registry.objects":                                                                              "made numeric",
		"SELECT kind FROM joined.print GROUP BY kind HAVING count(*) > 1 ORDER BY 1 DESC LIMIT 3":                                                                     "kind text",
		"SELECT registry.objects.kind FROM registry.objects":                                                                                                          "kind text",
		"SELECT objects.kind FROM registry.public.objects":                                                                                                            "kind text",
		"SELECT upper(kind) AS k, count(*) FROM registry.objects GROUP BY k":                                                                                          "k text, count bigint",
	} {
		q, err := bindText(t, Context{}, sql)
		if err != nil {
			t.Errorf("%s: %v", sql, err)
			continue
		}
		var got []string
		for _, c := range q.Root.Columns() {
			got = append(got, c.Name+" "+c.Type.String())
		}
		if strings.Join(got, ", ") != want {
			t.Errorf("%s\n gives %s\n  want %s", sql, strings.Join(got, ", "), want)
		}
	}
}

// Errors carry a code, point at the word to blame, and say what would be right.
func TestErrorsPointAtTheWord(t *testing.T) {
	for _, c := range []struct{ sql, code, at, hint string }{
		{"SELECT titel FROM registry.objects", value.CodeUndefinedColumn, "titel", "did you mean title?"},
		{"SELECT o.titl FROM registry.objects o", value.CodeUndefinedColumn, "o.titl", "did you mean o.title?"},
		{"SELECT pppp.title FROM registry.objects o", value.CodeUndefinedTable, "pppp.title", "there is o"},
		{"SELECT * FROM registry.object", value.CodeUndefinedTable, "registry.object", "did you mean registry.objects?"},
		{"SELECT * FROM objects", value.CodeUndefinedTable, "objects", "did you mean registry.objects?"},
		{"SELECT * FROM zzz.qqqqqq", value.CodeUndefinedTable, "zzz.qqqqqq", "names are source.table or layer.view"},
		{"SELECT lwer(kind) FROM registry.objects", value.CodeUndefinedFunc, "lwer(kind)", "did you mean lower?"},
		{"SELECT lower(made) FROM registry.objects", value.CodeUndefinedFunc, "lower(made)", "there is lower(text)"},
		{"SELECT kind + 1 FROM registry.objects", value.CodeUndefinedFunc, "kind + 1", "cast one side to the type of the other"},
		{"SELECT kind FROM registry.objects o JOIN registry.objects p ON o.made = p.made", value.CodeAmbiguous, "kind", "say which table it belongs to"},
		{"SELECT title, count(*) FROM registry.objects GROUP BY kind", value.CodeGrouping, "title", ""},
		{"SELECT kind FROM registry.objects WHERE count(*) > 1", value.CodeGrouping, "count(*)", ""},
		{"SELECT sum(count(*)) FROM registry.objects", value.CodeGrouping, "count(*)", ""},
		{"SELECT kind FROM registry.objects WHERE made", value.CodeTypeMismatch, "made", ""},
		{"SELECT made = 'x' FROM registry.objects", value.CodeBadText, "'x'", ""},
		{"SELECT made FROM registry.objects LIMIT -1", value.CodeBadLimit, "-1", ""},
		{"SELECT made FROM registry.objects LIMIT made", value.CodeUndefinedColumn, "made", ""},
		{"SELECT made FROM registry.objects ORDER BY 2", "42P10", "2", ""},
		{"SELECT DISTINCT kind FROM registry.objects ORDER BY made", "42P10", "made", ""},
		{"SELECT made FROM registry.objects UNION ALL SELECT kind FROM registry.objects", value.CodeTypeMismatch, "made FROM registry.objects UNION ALL SELECT kind FROM registry.objects", "cast one of them"},
		{"SELECT CAST(made AS date) FROM registry.objects", "42846", "CAST(made AS date)", ""},
		{"SELECT CAST(made AS nummeric) FROM registry.objects", "42704", "CAST(made AS nummeric)", "did you mean numeric?"},
		{"SELECT 1 FROM registry.objects, registry.objects", "42712", "registry.objects", "give one of them an alias"},
		{"SELECT * FROM intake.a", value.CodeRecursion, "intake.a", "take one of these steps out"},
		{"SELECT kind FROM intake.twice", value.CodeAmbiguous, "kind", "say which table it belongs to"},
		{"SELECT CASE WHEN made > 1 THEN 'a' ELSE 2 END FROM registry.objects", value.CodeBadText, "'a'", ""},
	} {
		_, err := bindText(t, Context{}, c.sql)
		var e *value.Error
		if !errors.As(err, &e) {
			t.Errorf("%s: %v", c.sql, err)
			continue
		}
		text := c.sql
		if e.View != "" {
			text = testCatalog().View(e.View).SQL
		}
		at := ""
		if e.Start >= 0 && e.End <= len(text) {
			at = text[e.Start:e.End]
		}
		if e.Code != c.code || !strings.HasPrefix(at, c.at) && !strings.Contains(at, c.at) || c.hint != "" && e.Hint != c.hint {
			t.Errorf("%s: %s %q at %q, hint %q", c.sql, e.Code, e.Message, at, e.Hint)
		}
	}
}

// A view that is broken, too high or part of a circle is blamed in its own text.
func TestErrorsInViewsNameTheView(t *testing.T) {
	for sql, want := range map[string]string{
		"SELECT * FROM intake.broken":   `intake.broken: no column is called "nothing"`,
		"SELECT * FROM intake.too_high": "intake.too_high: a view of the layer intake cannot read joined.print, which lies in a higher layer: intake.too_high → joined.print",
		"SELECT * FROM intake.a":        "intake.b: the view intake.a reads itself: intake.a → intake.b → intake.a",
	} {
		_, err := bindText(t, Context{}, sql)
		var e *value.Error
		if !errors.As(err, &e) || e.View+": "+e.Message != want {
			t.Errorf("%s: %+v", sql, e)
		}
	}
	_, err := bindText(t, Context{Layer: "joined", View: "joined.print"}, "SELECT * FROM joined.print")
	if value.Code(err) != value.CodeRecursion {
		t.Errorf("a definition that reads its own name: %v", err)
	}
	_, err = bindText(t, Context{Layer: "intake", View: "intake.x"}, "SELECT * FROM joined.print")
	if value.Code(err) != "42501" {
		t.Errorf("a definition that reads a higher layer: %v", err)
	}
}

// Origins lead back into the text that a piece was written in.
func TestOriginsThroughViews(t *testing.T) {
	q, err := bindText(t, Context{}, "SELECT p.kind FROM joined.print AS p WHERE p.object_id > 5")
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	plan.Visit(q.Root, func(n plan.Node) {
		if f, ok := n.(*plan.Filter); ok {
			for _, c := range f.Conds {
				got = append(got, c.Origin().View+": "+q.Text(c.Origin()))
			}
		}
	})
	if strings.Join(got, "; ") != ": p.object_id > 5; joined.print: kind = 'print'" {
		t.Errorf("got %q", got)
	}
}
