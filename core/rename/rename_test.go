package rename

import (
	"fmt"
	"strings"
	"testing"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/value"
)

// world is a catalogue of one source and the views that are given as name and
// text.
func world(t *testing.T, views ...string) (bind.Context, *estate.Estate) {
	t.Helper()
	col := func(name string, k value.Kind) catalog.Column { return catalog.Column{Name: name, Type: value.Of(k)} }
	tables := []*catalog.Table{
		{Source: "s", Name: "a", Columns: []catalog.Column{col("id", value.Int4), col("x", value.Text), col("y", value.Int4)}},
		{Source: "s", Name: "b", Columns: []catalog.Column{col("id", value.Int4), col("z", value.Text)}},
	}
	var list []*catalog.View
	for i := 0; i < len(views); i += 2 {
		layer, name, _ := strings.Cut(views[i], ".")
		list = append(list, &catalog.View{Layer: layer, Name: name, SQL: views[i+1]})
	}
	c := catalog.New([]*catalog.Source{{Name: "s", Kind: "sqlite", Tables: tables}}, []catalog.Layer{{Name: "low"}, {Name: "high"}}, list)
	ctx := bind.Context{Catalog: c}
	e := estate.New(ctx, nil)
	for _, b := range e.Broken() {
		t.Fatalf("%s: %v", b.FullName(), b.Err)
	}
	return ctx, e
}

func TestColumnIsRenamedInEveryReader(t *testing.T) {
	const v = "SELECT a.id, a.x AS c, a.y FROM s.a AS a"
	for _, c := range []struct {
		what, own, reader, is string
		through               bool
		wantOwn, passes       string
	}{
		{"a reference", v, "SELECT r.c FROM low.v AS r WHERE r.c <> ''", "SELECT r.d AS c FROM low.v AS r WHERE r.d <> ''", false, "", ""},
		{"passed on", v, "SELECT r.c FROM low.v AS r ORDER BY c", "SELECT r.d FROM low.v AS r ORDER BY d", true, "", "high.r.c"},
		{"under its own name", v, "SELECT r.c AS e FROM low.v AS r", "SELECT r.d AS e FROM low.v AS r", true, "", ""},
		{"AS the old name", v, "SELECT r.c AS c, 1 AS n FROM low.v AS r", "SELECT r.d, 1 AS n FROM low.v AS r", true, "", "high.r.c"},
		{"computed", v, "SELECT upper(c) AS c FROM low.v", "SELECT upper(d) AS c FROM low.v", true, "", ""},
		{"a star that stays", v, "SELECT r.*, 1 AS n FROM low.v AS r", "SELECT r.id, r.d AS c, r.y, 1 AS n FROM low.v AS r", false, "", ""},
		{"a star that follows", v, "SELECT *, 1 AS n FROM low.v AS r", "SELECT *, 1 AS n FROM low.v AS r", true, "", "high.r.c"},
		{"within a subquery", v, "SELECT q.c, q.n FROM (SELECT r.c, 1 AS n FROM low.v AS r) AS q", "SELECT q.c, q.n FROM (SELECT r.d AS c, 1 AS n FROM low.v AS r) AS q", false, "", ""},
		{"a star within a subquery", v, "SELECT q.c || '!' AS e FROM (SELECT * FROM low.v AS r) AS q", "SELECT q.d || '!' AS e FROM (SELECT * FROM low.v AS r) AS q", false, "", ""},
		{"USING", "SELECT a.id AS c, a.x FROM s.a AS a", "SELECT c, r.x, o.y FROM low.v AS r JOIN (SELECT a.id AS c, a.y FROM s.a AS a) AS o USING (c)",
			"SELECT c, r.x, o.y FROM low.v AS r (c, x) JOIN (SELECT a.id AS c, a.y FROM s.a AS a) AS o USING (c)", true, "SELECT a.id AS d, a.x FROM s.a AS a", ""},
		{"an alias list", v, "SELECT r.c FROM low.v AS r (k, c) WHERE r.k > 1", "", false, "", ""},
		{"a union", v, "SELECT r.c FROM low.v AS r UNION ALL SELECT q.c FROM low.v AS q", "SELECT r.d AS c FROM low.v AS r UNION ALL SELECT q.d FROM low.v AS q", false, "", ""},
		{"WITH", v, "WITH w AS (SELECT c FROM low.v) SELECT w.c FROM w", "WITH w AS (SELECT d AS c FROM low.v) SELECT w.c FROM w", false, "", ""},
		{"correlated", v, "SELECT b.z, (SELECT max(r.c) FROM low.v AS r WHERE r.id = b.id) AS m FROM s.b AS b", "SELECT b.z, (SELECT max(r.d) FROM low.v AS r WHERE r.id = b.id) AS m FROM s.b AS b", false, "", ""},
		{"grouped", v, "SELECT r.c, count(*) AS n FROM low.v AS r GROUP BY r.c HAVING r.c > 'a'", "SELECT r.d, count(*) AS n FROM low.v AS r GROUP BY r.d HAVING r.d > 'a'", true, "", "high.r.c"},
		{"the definition's star", "SELECT * FROM s.b AS b", "SELECT r.z FROM low.v AS r", "SELECT r.d AS z FROM low.v AS r", false, "SELECT b.id, b.z AS d FROM s.b AS b", ""},
		{"a definition with ORDER BY", "SELECT a.id, a.x || 'k' AS c FROM s.a AS a ORDER BY c", "SELECT r.id FROM low.v AS r", "SELECT r.id FROM low.v AS r", false, "SELECT a.id, a.x || 'k' AS d FROM s.a AS a ORDER BY d", ""},
		{"a window", v, "SELECT r.id, rank() OVER (PARTITION BY r.y ORDER BY r.c) AS place FROM low.v AS r", "SELECT r.id, rank() OVER (PARTITION BY r.y ORDER BY r.d) AS place FROM low.v AS r", true, "", ""},
		{"a named window", v, "SELECT rank() OVER w AS place FROM low.v AS r WINDOW w AS (ORDER BY r.c)", "SELECT rank() OVER w AS place FROM low.v AS r WINDOW w AS (ORDER BY r.d)", true, "", ""},
		{"CASE and a filter of an aggregate", v, "SELECT count(*) FILTER (WHERE r.c > 'a') AS n, max(CASE r.c WHEN 'x' THEN 1 END) AS m FROM low.v AS r", "SELECT count(*) FILTER (WHERE r.d > 'a') AS n, max(CASE r.d WHEN 'x' THEN 1 END) AS m FROM low.v AS r", true, "", ""},
		{"LATERAL", v, "SELECT q.k FROM low.v AS r, LATERAL (SELECT r.c AS k) AS q", "SELECT q.k FROM low.v AS r, LATERAL (SELECT r.d AS k) AS q", true, "", ""},
		{"IN and EXISTS", v, "SELECT b.id FROM s.b AS b WHERE b.z IN (SELECT c FROM low.v) OR EXISTS (SELECT 1 FROM low.v AS e WHERE e.c = b.z)", "SELECT b.id FROM s.b AS b WHERE b.z IN (SELECT d AS c FROM low.v) OR EXISTS (SELECT 1 FROM low.v AS e WHERE e.d = b.z)", true, "", ""},
		{"a text that has the word elsewhere", v, "SELECT r.c AS e, 'c' AS c /* c */ FROM low.v AS r -- c", "SELECT r.d AS e, 'c' AS c /* c */ FROM low.v AS r -- c", true, "", ""},
		{"quoted", v, "SELECT r.\"c\" AS \"E\" FROM low.\"v\" AS r", "SELECT r.d AS \"E\" FROM low.\"v\" AS r", true, "", ""},
		{"DISTINCT ON", v, "SELECT DISTINCT ON (r.c) r.c, r.id FROM low.v AS r ORDER BY r.c, r.id", "SELECT DISTINCT ON (r.d) r.d, r.id FROM low.v AS r ORDER BY r.d, r.id", true, "", "high.r.c"},
		{"twice", v, "SELECT x.c, y.c AS other FROM low.v AS x JOIN low.v AS y ON x.c = y.c", "SELECT x.d, y.d AS other FROM low.v AS x JOIN low.v AS y ON x.d = y.d", true, "", "high.r.c"},
		{"an alias that is called so", v, "SELECT c.id FROM low.v AS c WHERE c.c = 'a'", "SELECT c.id FROM low.v AS c WHERE c.d = 'a'", true, "", ""},
		{"INTERSECT", v, "SELECT r.c FROM low.v AS r INTERSECT SELECT b.z FROM s.b AS b", "SELECT r.d FROM low.v AS r INTERSECT SELECT b.z FROM s.b AS b", true, "", "high.r.c"},
	} {
		old := "c"
		if strings.Contains(c.own, "s.b") {
			old = "z"
		}
		ctx, e := world(t, "low.v", c.own, "high.r", c.reader)
		p, err := Column(ctx, e, "low.v", old, "d", c.through)
		if err != nil {
			t.Errorf("%s: %v", c.what, err)
			continue
		}
		texts := map[string]string{"high.r": c.reader}
		for _, x := range p.Texts {
			texts[x.View] = x.Is
		}
		if c.is == "" {
			c.is = c.reader
		}
		if texts["high.r"] != c.is {
			t.Errorf("%s:\ngot  %s\nwant %s", c.what, texts["high.r"], c.is)
		}
		if c.wantOwn != "" && texts["low.v"] != c.wantOwn {
			t.Errorf("%s: its own text is %s", c.what, texts["low.v"])
		}
		if got := strings.Join(p.Columns[1:], " "); got != c.passes {
			t.Errorf("%s: the new name is passed on by %q, want %q", c.what, got, c.passes)
		}
	}
}

// Columns that a star brings are followed in ORDER BY and DISTINCT ON, in unions too; where
// the new name means another column of a text as well, names are written with their tables.
func TestRenamesThatNeedMoreThanTheName(t *testing.T) {
	const v = "SELECT a.id, a.x AS c, a.y FROM s.a AS a"
	for _, c := range []struct {
		def, reader, old, to string
		through              bool
		want                 string // of the reader or, where there is none, of the definition
	}{
		{"SELECT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", false, "SELECT b.id, b.z AS d FROM s.b AS b ORDER BY d"},
		{"SELECT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", true, "SELECT b.id, b.z AS d FROM s.b AS b ORDER BY d"},
		{"SELECT DISTINCT ON (z) * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", false, "SELECT DISTINCT ON (z) b.id, b.z AS d FROM s.b AS b ORDER BY d"},
		{"SELECT DISTINCT ON (z) * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", true, "SELECT DISTINCT ON (z) b.id, b.z AS d FROM s.b AS b ORDER BY d"},
		{"SELECT DISTINCT ON (b.z) b.* FROM s.b AS b ORDER BY b.z, id", "SELECT 1 AS one", "z", "d", false, "SELECT DISTINCT ON (b.z) b.id, b.z AS d FROM s.b AS b ORDER BY b.z, id"},
		{"SELECT DISTINCT ON (b.z) b.* FROM s.b AS b ORDER BY b.z, id", "SELECT 1 AS one", "z", "d", true, "SELECT DISTINCT ON (b.z) b.id, b.z AS d FROM s.b AS b ORDER BY b.z, id"},
		{"SELECT *, 1 AS k FROM s.b AS b ORDER BY 2, k", "SELECT 1 AS one", "z", "d", false, "SELECT b.id, b.z AS d, 1 AS k FROM s.b AS b ORDER BY 2, k"},
		{"SELECT *, 1 AS k FROM s.b AS b ORDER BY 2, k", "SELECT 1 AS one", "z", "d", true, "SELECT b.id, b.z AS d, 1 AS k FROM s.b AS b ORDER BY 2, k"},
		{"SELECT * FROM s.b AS b ORDER BY z || 'x'", "SELECT 1 AS one", "z", "d", false, "SELECT b.id, b.z AS d FROM s.b AS b ORDER BY z || 'x'"},
		{"SELECT * FROM s.b AS b ORDER BY z || 'x'", "SELECT 1 AS one", "z", "d", true, "SELECT b.id, b.z AS d FROM s.b AS b ORDER BY z || 'x'"},
		{"SELECT DISTINCT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", false, "SELECT DISTINCT b.id, b.z AS d FROM s.b AS b ORDER BY d"},
		{"SELECT DISTINCT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", true, "SELECT DISTINCT b.id, b.z AS d FROM s.b AS b ORDER BY d"},
		{"SELECT * FROM s.b AS b UNION SELECT b.id, b.z FROM s.b AS b", "SELECT 1 AS one", "z", "d", false, "SELECT b.id, b.z AS d FROM s.b AS b UNION SELECT b.id, b.z FROM s.b AS b"},
		{"SELECT * FROM s.b AS b UNION SELECT b.id, b.z FROM s.b AS b", "SELECT 1 AS one", "z", "d", true, "SELECT b.id, b.z AS d FROM s.b AS b UNION SELECT b.id, b.z FROM s.b AS b"},
		{"SELECT * FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", false, "SELECT b.id, b.z AS d FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY d"},
		{"SELECT * FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", true, "SELECT b.id, b.z AS d FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY d"},
		{"SELECT id, z FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", false, "SELECT id, z AS d FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY d"},
		{"SELECT id, z FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY z", "SELECT 1 AS one", "z", "d", true, "SELECT id, z AS d FROM s.b AS b UNION SELECT * FROM s.b AS b ORDER BY d"},
		{v, "SELECT * FROM low.v ORDER BY c", "c", "d", false, "SELECT v.id, v.d AS c, v.y FROM low.v ORDER BY c"},
		{v, "SELECT * FROM low.v ORDER BY c", "c", "d", true, "SELECT * FROM low.v ORDER BY d"},
		{v, "SELECT DISTINCT ON (c) * FROM low.v ORDER BY c", "c", "d", false, "SELECT DISTINCT ON (c) v.id, v.d AS c, v.y FROM low.v ORDER BY c"},
		{v, "SELECT DISTINCT ON (c) * FROM low.v ORDER BY c", "c", "d", true, "SELECT DISTINCT ON (d) * FROM low.v ORDER BY d"},
		{v, "SELECT DISTINCT ON (v.c) v.*, 1 AS n FROM low.v ORDER BY v.c, v.id", "c", "d", false, "SELECT DISTINCT ON (v.d) v.id, v.d AS c, v.y, 1 AS n FROM low.v ORDER BY v.d, v.id"},
		{v, "SELECT DISTINCT ON (v.c) v.*, 1 AS n FROM low.v ORDER BY v.c, v.id", "c", "d", true, "SELECT DISTINCT ON (v.d) v.*, 1 AS n FROM low.v ORDER BY v.d, v.id"},
		{v, "SELECT DISTINCT * FROM low.v ORDER BY c", "c", "d", false, "SELECT DISTINCT v.id, v.d AS c, v.y FROM low.v ORDER BY c"},
		{v, "SELECT DISTINCT * FROM low.v ORDER BY c", "c", "d", true, "SELECT DISTINCT * FROM low.v ORDER BY d"},
		{v, "SELECT c, z FROM low.v, s.b", "c", "z", false, "SELECT v.z AS c, b.z FROM low.v, s.b"},
		{v, "SELECT c, z FROM low.v, s.b", "c", "z", true, "SELECT v.z AS c, b.z FROM low.v, s.b"},
		{v, "SELECT z, c AS k FROM s.b JOIN low.v ON c = z WHERE c > 'a' ORDER BY c, z", "c", "z", false, "SELECT b.z, v.z AS k FROM s.b JOIN low.v ON v.z = b.z WHERE v.z > 'a' ORDER BY v.z, z"},
		{v, "SELECT z, c AS k FROM s.b JOIN low.v ON c = z WHERE c > 'a' ORDER BY c, z", "c", "z", true, "SELECT b.z, v.z AS k FROM s.b JOIN low.v ON v.z = b.z WHERE v.z > 'a' ORDER BY v.z, z"},
		{v, "SELECT q.z FROM (SELECT c, z FROM low.v AS r, s.b) AS q", "c", "z", false, "SELECT q.z FROM (SELECT r.z AS c, b.z FROM low.v AS r, s.b) AS q"},
		{v, "SELECT q.z FROM (SELECT c, z FROM low.v AS r, s.b) AS q", "c", "z", true, "SELECT q.z FROM (SELECT r.z AS c, b.z FROM low.v AS r, s.b) AS q"},
		{v, "SELECT z, (SELECT max(c) FROM low.v AS r WHERE r.id = b.id AND c > z) AS m FROM s.b AS b", "c", "z", false, "SELECT b.z, (SELECT max(r.z) FROM low.v AS r WHERE r.id = b.id AND r.z > b.z) AS m FROM s.b AS b"},
		{v, "SELECT z, (SELECT max(c) FROM low.v AS r WHERE r.id = b.id AND c > z) AS m FROM s.b AS b", "c", "z", true, "SELECT b.z, (SELECT max(r.z) FROM low.v AS r WHERE r.id = b.id AND r.z > b.z) AS m FROM s.b AS b"},
		{v, "SELECT c AS k FROM low.v UNION SELECT z FROM s.b", "c", "z", false, "SELECT z AS k FROM low.v UNION SELECT z FROM s.b"},
		{v, "SELECT c AS k FROM low.v UNION SELECT z FROM s.b", "c", "z", true, "SELECT z AS k FROM low.v UNION SELECT z FROM s.b"},
		{v, "SELECT 'a' AS z, c AS k FROM low.v ORDER BY z, c", "c", "z", false, "SELECT 'a' AS z, v.z AS k FROM low.v ORDER BY z, v.z"},
		{v, "SELECT 'a' AS z, c AS k FROM low.v ORDER BY z, c", "c", "z", true, "SELECT 'a' AS z, v.z AS k FROM low.v ORDER BY z, v.z"},
		{v, "SELECT * FROM low.v UNION ALL SELECT * FROM s.a", "c", "d", false, "SELECT v.id, v.d AS c, v.y FROM low.v UNION ALL SELECT * FROM s.a"},
		{v, "SELECT * FROM low.v UNION ALL SELECT * FROM s.a", "c", "d", true, "SELECT * FROM low.v UNION ALL SELECT * FROM s.a"},
		{v, "SELECT a.id, a.x, a.y FROM s.a AS a UNION ALL SELECT * FROM low.v", "c", "d", false, "SELECT a.id, a.x, a.y FROM s.a AS a UNION ALL SELECT * FROM low.v"},
		{v, "SELECT a.id, a.x, a.y FROM s.a AS a UNION ALL SELECT * FROM low.v", "c", "d", true, "SELECT a.id, a.x, a.y FROM s.a AS a UNION ALL SELECT * FROM low.v"},
		{v, "SELECT * FROM low.v UNION ALL SELECT * FROM low.v AS w ORDER BY c", "c", "d", false, "SELECT v.id, v.d AS c, v.y FROM low.v UNION ALL SELECT * FROM low.v AS w ORDER BY c"},
		{v, "SELECT * FROM low.v UNION ALL SELECT * FROM low.v AS w ORDER BY c", "c", "d", true, "SELECT * FROM low.v UNION ALL SELECT * FROM low.v AS w ORDER BY d"},
		{v, "WITH w AS (SELECT * FROM low.v) SELECT * FROM w ORDER BY c", "c", "d", false, "WITH w AS (SELECT * FROM low.v) SELECT w.id, w.d AS c, w.y FROM w ORDER BY c"},
		{v, "WITH w AS (SELECT * FROM low.v) SELECT * FROM w ORDER BY c", "c", "d", true, "WITH w AS (SELECT * FROM low.v) SELECT * FROM w ORDER BY d"},
		{v, "SELECT * FROM low.v AS r JOIN s.b AS b USING (id) ORDER BY c", "c", "d", false, "SELECT r.id, r.d AS c, r.y, b.z FROM low.v AS r JOIN s.b AS b USING (id) ORDER BY c"},
		{v, "SELECT * FROM low.v AS r JOIN s.b AS b USING (id) ORDER BY c", "c", "d", true, "SELECT * FROM low.v AS r JOIN s.b AS b USING (id) ORDER BY d"},
		{v, "SELECT q.* FROM (SELECT * FROM low.v) AS q ORDER BY q.c", "c", "d", false, "SELECT q.id, q.d AS c, q.y FROM (SELECT * FROM low.v) AS q ORDER BY q.d"},
		{v, "SELECT q.* FROM (SELECT * FROM low.v) AS q ORDER BY q.c", "c", "d", true, "SELECT q.* FROM (SELECT * FROM low.v) AS q ORDER BY q.d"},
		{v, "SELECT z FROM s.b AS o WHERE EXISTS (SELECT 1 FROM low.v WHERE c = z)", "c", "z", false, "SELECT o.z FROM s.b AS o WHERE EXISTS (SELECT 1 FROM low.v WHERE v.z = o.z)"},
		{v, "SELECT z FROM s.b AS o WHERE EXISTS (SELECT 1 FROM low.v WHERE c = z)", "c", "z", true, "SELECT o.z FROM s.b AS o WHERE EXISTS (SELECT 1 FROM low.v WHERE v.z = o.z)"},
	} {
		ctx, e := world(t, "low.v", c.def, "high.r", c.reader)
		p, err := Column(ctx, e, "low.v", c.old, c.to, c.through)
		if err != nil {
			t.Errorf("%s, read by %s, %s to %s: %v", c.def, c.reader, c.old, c.to, err)
			continue
		}
		texts := map[string]string{"low.v": c.def, "high.r": c.reader}
		for _, x := range p.Texts {
			texts[x.View] = x.Is
		}
		got := texts["high.r"]
		if c.reader == "SELECT 1 AS one" {
			got = texts["low.v"]
		}
		if got != c.want {
			t.Errorf("%s, %s to %s, through %v:\ngot  %s\nwant %s", c.reader, c.old, c.to, c.through, got, c.want)
		}
	}
}

// What would mean something else, or not bind, is refused with the reason.
func TestRenamesAreRefused(t *testing.T) {
	ctx, e := world(t, "low.v", "SELECT a.id, a.x AS c FROM s.a AS a", "low.k", "SELECT 1 AS d",
		"high.r", "SELECT c, z AS e FROM low.v JOIN s.b ON b.id = v.id", "high.q", "SELECT d, c FROM low.v, low.k", "high.s", "SELECT e, c FROM (SELECT c, e FROM low.v, (SELECT 1 AS e) AS q) AS p")
	for _, c := range []struct{ to, want string }{
		{"c", "called \"c\" already"},
		{"id", "has a column called \"id\" already"},
	} {
		if _, err := Column(ctx, e, "low.v", "c", c.to, false); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("to %s: %v", c.to, err)
		}
	}
	layers := e.Catalog().Layers()
	for _, c := range []struct{ from, to, want string }{
		{"low.v", "low.k", "already"},
		{"low.v", "high.v", ""},
		{"high.r", "low.r", ""},
		{"low.none", "low.other", "no view is called"},
	} {
		_, err := Views(ctx, e, map[string]string{c.from: c.to}, layers)
		if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s to %s: %v", c.from, c.to, err)
		}
	}
	ctx, e = world(t, "low.v", "SELECT a.id FROM s.a AS a", "low.w", "SELECT v.id FROM low.v")
	if _, err := Views(ctx, e, map[string]string{"low.v": "high.v"}, layers); err == nil || !strings.Contains(err.Error(), "higher layer") {
		t.Errorf("a view that a lower layer reads went up: %v", err)
	}
}

func TestViewsMoveWithTheirReaders(t *testing.T) {
	for _, c := range []struct{ reader, is string }{
		{"SELECT v.id FROM low.v", "SELECT v.id FROM low.w AS v"},
		{"SELECT r.id FROM low.v AS r", "SELECT r.id FROM low.w AS r"},
		{"SELECT low.v.id, low.v.* FROM low.v", "SELECT v.id, v.* FROM low.w AS v"},
		{"SELECT (SELECT max(id) FROM low.v) AS m FROM low.v AS o", "SELECT (SELECT max(id) FROM low.w AS v) AS m FROM low.w AS o"},
	} {
		reader := c.reader
		if strings.Contains(reader, ".*") {
			reader = strings.Replace(reader, "low.v.id, ", "", 1)
			c.is = strings.Replace(c.is, "v.id, ", "", 1)
		}
		ctx, e := world(t, "low.v", "SELECT a.id, a.x FROM s.a AS a", "high.r", reader)
		p, err := Views(ctx, e, map[string]string{"low.v": "low.w"}, e.Catalog().Layers())
		if err != nil {
			t.Errorf("%s: %v", reader, err)
		} else if p.Texts[0].Is != c.is {
			t.Errorf("%s became %s", reader, p.Texts[0].Is)
		}
	}
	// A whole layer with another name.
	ctx, e := world(t, "low.v", "SELECT a.id FROM s.a AS a", "low.w", "SELECT v.id FROM low.v", "high.r", "SELECT low.w.id FROM low.w")
	p, err := Views(ctx, e, map[string]string{"low.v": "base.v", "low.w": "base.w"}, []catalog.Layer{{Name: "base"}, {Name: "high"}})
	if err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(p.Texts[0].Is, "; ", p.Texts[1].Is); got != "SELECT v.id FROM base.v; SELECT base.w.id FROM base.w" {
		t.Errorf("the layer's texts are %s", got)
	}
}

// Changed columns of a source are followed the same way.
func TestSourceColumnsAreRenamed(t *testing.T) {
	ctx, e := world(t, "low.v", "SELECT a.id, a.x FROM s.a AS a", "high.r", "SELECT r.x FROM low.v AS r")
	p, err := Column(ctx, e, "s.a", "x", "title", false)
	if err != nil {
		t.Fatal(err)
	}
	if len(p.Texts) != 1 || p.Texts[0].Is != "SELECT a.id, a.title AS x FROM s.a AS a" {
		t.Errorf("the texts are %+v", p.Texts)
	}
	if p, err = Column(ctx, e, "s.a", "x", "title", true); err != nil || len(p.Texts) != 2 || p.Texts[1].Is != "SELECT r.title FROM low.v AS r" {
		t.Errorf("through: %+v, %v", p, err)
	}
}
