package estate

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/syntax"
	"rovik/core/value"
)

// made makes a catalogue of one table and views, given as layer.name and SQL.
func made(columns string, views ...string) *catalog.Catalog {
	t := &catalog.Table{Source: "s", Name: "t"}
	for _, c := range strings.Fields(columns) {
		t.Columns = append(t.Columns, catalog.Column{Name: c, Type: value.Of(value.Int4)})
	}
	var list []*catalog.View
	for i := 0; i < len(views); i += 2 {
		layer, name, _ := strings.Cut(views[i], ".")
		list = append(list, &catalog.View{Layer: layer, Name: name, SQL: views[i+1]})
	}
	return catalog.New([]*catalog.Source{{Name: "s", Tables: []*catalog.Table{t}}}, []catalog.Layer{{Name: "low"}, {Name: "high"}}, list)
}

func of(c *catalog.Catalog, before *Estate) *Estate {
	return New(bind.Context{Catalog: c, Now: time.Unix(0, 0)}, before)
}

func names(views []*View) string {
	var out []string
	for _, v := range views {
		out = append(out, v.FullName())
	}
	return strings.Join(out, " ")
}

// Views are bound once, over each other's columns, and what is broken does not
// keep the others from being known.
func TestEstate(t *testing.T) {
	e := of(made("a b", "low.one", "SELECT a, b + 1 AS c FROM s.t", "low.two", "SELECT o.c FROM low.one o", "high.three", "SELECT t.c, o.a FROM low.two t, low.one o",
		"low.up", "SELECT * FROM high.three", "low.gone", "SELECT x FROM s.t", "high.after", "SELECT * FROM low.gone",
		"low.me", "SELECT * FROM low.you", "low.you", "SELECT * FROM low.me"), nil)
	if got := names(e.Broken()); got != "low.gone low.me low.up low.you high.after" {
		t.Errorf("broken: %s", got)
	}
	for view, want := range map[string]string{"low.gone": "no column is called", "low.up": "higher layer", "low.me": "reads itself: low.me → low.you → low.me", "high.after": "no column is called"} {
		if err := e.View(view).Err; err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, without %q", view, err, want)
		}
	}
	if ve, ok := e.View("high.after").Err.(*value.Error); !ok || ve.View != "low.gone" || ve.Start != 7 {
		t.Errorf("an error of another text lies at %+v", ve)
	}
	if e.View("none.at_all") != nil {
		t.Error("a view that is not there is known")
	}
	three := e.View("high.three")
	if three.Depth != 3 || fmt.Sprint(three.Reads) != "[low.one low.two]" || three.Table.FullName() != "high.three" || len(three.Table.Columns) != 2 {
		t.Errorf("high.three is %+v", three)
	}
	if got := fmt.Sprint(e.Downstream("s.t"), e.Downstream("low.two"), e.ReadersOfSource("s"), e.Readers("low.one")); got != "[low.gone low.one low.two low.up high.after high.three] [low.up high.three] [low.gone low.one low.two low.up high.after high.three] [low.two high.three]" {
		t.Errorf("readers: %s", got)
	}
}

// Only what depends on a change is bound again.
func TestTakenOver(t *testing.T) {
	parsed := map[string]int{}
	ctx := func(c *catalog.Catalog) bind.Context {
		return bind.Context{Catalog: c, Now: time.Unix(0, 0), Parse: func(sql string) (*syntax.Query, error) {
			parsed[sql]++
			return syntax.Parse(sql)
		}}
	}
	one, two, other := "SELECT a, b FROM s.t", "SELECT a + 1 AS d FROM low.one", "SELECT b FROM s.t"
	first := New(ctx(made("a b", "low.one", one, "low.two", two, "low.other", other)), nil)
	first.Views()
	wider := "SELECT a, b, 1 AS more FROM s.t"
	second := New(ctx(made("a b", "low.one", wider, "low.two", two, "low.other", other)), first)
	if second.Views(); parsed[two] != 2 || parsed[other] != 1 || parsed[wider] != 1 {
		t.Errorf("columns that changed: %v", parsed)
	}
	same := "SELECT a, b, 2 AS more FROM s.t"
	third := New(ctx(made("a b", "low.one", same, "low.two", two, "low.other", other)), second)
	if third.Views(); parsed[two] != 2 || parsed[same] != 1 || third.View("low.two").Text() == nil {
		t.Errorf("a text with the same columns: %v", parsed)
	}
	fourth := New(ctx(made("a b x", "low.one", same, "low.two", two, "low.other", other)), third)
	if fourth.Views(); parsed[other] != 2 || parsed[two] != 2 {
		t.Errorf("a table that changed: %v", parsed)
	}
}

// A source that cannot be asked of a statement makes a view broken until it can.
func TestAwayAndBack(t *testing.T) {
	away := true
	ctx := bind.Context{Catalog: made("a", "low.v", "SELECT n FROM verbatim('s', $$ x $$) AS v", "low.w", "SELECT n FROM low.v"), Now: time.Unix(0, 0)}
	ctx.Describe = func(source, statement string) (*catalog.Table, error) {
		if away {
			return nil, value.Errorf(value.CodeConnection, "s does not answer")
		}
		return &catalog.Table{Source: source, Name: "verbatim", Verbatim: statement, Columns: []catalog.Column{{Name: "n", Type: value.Of(value.Int4)}}}, nil
	}
	e := New(ctx, nil)
	if got := names(e.Broken()); got != "low.v low.w" || fmt.Sprint(e.Readers("low.v")) != "[low.w]" {
		t.Errorf("away: %s, read by %v", got, e.Readers("low.v"))
	}
	away = false
	if got := names(e.Broken()); got != "" || fmt.Sprint(e.Readers("low.v")) != "[low.w]" {
		t.Errorf("back: %s, %v", got, e.Readers("low.v"))
	}
	g := e.Upstream(Node{"low.w", "n"})
	opaque := 0
	for _, n := range g.Nodes {
		if n.Opaque {
			opaque++
		}
	}
	if opaque == 0 {
		t.Errorf("the statement is not told from tables: %+v", g.Nodes)
	}
}

// A source that takes long to be asked of a statement keeps nobody from asking of other
// views, and several statements are asked of at the same time.
func TestAskingHoldsNothing(t *testing.T) {
	views := []string{"low.plain", "SELECT a FROM s.t"}
	for i := range 4 {
		views = append(views, fmt.Sprint("low.v", i), fmt.Sprintf("SELECT n FROM verbatim('s', $$ %d $$) AS v", i), fmt.Sprint("high.w", i), fmt.Sprintf("SELECT n + 1 AS n FROM low.v%d", i))
	}
	asked, goOn := make(chan string, 100), make(chan bool)
	e := New(bind.Context{Catalog: made("a", views...), Now: time.Unix(0, 0), Describe: func(source, statement string) (*catalog.Table, error) {
		asked <- statement
		<-goOn
		return &catalog.Table{Source: source, Name: "verbatim", Verbatim: statement, Columns: []catalog.Column{{Name: "n", Type: value.Of(value.Int4)}}}, nil
	}}, nil)
	all := make(chan []*View)
	go func() { all <- e.Views() }()
	for range 4 { // all four are being asked, and none has answered
		<-asked
	}
	if v := e.View("low.plain"); v.Err != nil {
		t.Error(v.Err)
	}
	close(goOn)
	for _, v := range <-all {
		if v.Err != nil || len(v.Table.Columns) != 1 {
			t.Errorf("%s: %v", v.FullName(), v.Err)
		}
	}
	if len(asked) != 0 {
		t.Errorf("%d more statements were asked of", len(asked))
	}
	if got := fmt.Sprint(e.Readers("low.v2"), e.View("high.w3").Depth); got != "[high.w2] 2" {
		t.Errorf("afterwards: %s", got)
	}
}

// What would break if a column went, is what does break without it.
func TestChanged(t *testing.T) {
	e := of(made("a b", "low.one", "SELECT a, b FROM s.t", "low.two", "SELECT a FROM low.one", "low.three", "SELECT b FROM low.one"), nil)
	without := func(name, column string) *Estate {
		table := e.columns(name)
		c := *table
		c.Columns = nil
		for _, col := range table.Columns {
			if col.Name != column && column != "" {
				c.Columns = append(c.Columns, col)
			}
		}
		return e.Changed(&c)
	}
	for _, c := range [][3]string{{"s.t", "a", "low.one low.three low.two"}, {"low.one", "a", "low.two"}, {"low.one", "b", "low.three"}, {"low.one", "", "low.one low.three low.two"}, {"s.t", "", "low.one low.three low.two"}} {
		if got := names(without(c[0], c[1]).Broken()); got != c[2] {
			t.Errorf("without %s.%s: %s, want %s", c[0], c[1], got, c[2])
		}
	}
	if got := names(e.Broken()); got != "" {
		t.Errorf("the estate itself changed: %s", got)
	}
}

// An estate and the one made after it can be asked at the same time.
func TestAskedAtTheSameTime(t *testing.T) {
	c := grown(200)
	first := of(c, nil)
	v := *c.View("l3.v0")
	v.SQL = strings.Replace(v.SQL, "> 0", "> 1", 1)
	second := of(c.WithView(&v), first)
	third := of(c, second)
	var wg sync.WaitGroup
	for _, e := range []*Estate{first, second, third} {
		for _, n := range []string{"c0", "c1", "c2"} {
			wg.Add(1)
			go func() {
				defer wg.Done()
				e.Upstream(Node{"l24.v1", n})
				e.DownstreamOf(Node{"s.t0", n})
				if _, influences := e.Sources(Node{"l24.v0", n}); len(influences) == 0 || len(e.Broken()) > 0 {
					t.Error("something is not known")
				}
			}()
		}
	}
	wg.Wait()
}

// What was kept of views holds for the same texts over the same columns, and for
// no others.
func TestWhatIsKeptHolds(t *testing.T) {
	c := grown(100)
	first := New(bind.Context{Catalog: c}, nil)
	first.Views()
	kept := first.Packed()
	if len(kept) != 100 || len(first.Packed()) != 0 {
		t.Fatalf("%d views are kept", len(kept))
	}
	parsed := 0
	counting := func(c *catalog.Catalog) *Estate {
		parsed = 0
		e := New(bind.Context{Catalog: c, Parse: func(sql string) (*syntax.Query, error) { parsed++; return syntax.Parse(sql) }}, nil)
		e.Keep(maps.Clone(kept))
		return e
	}
	again := counting(c)
	top := Node{"l24.v0", "c1"}
	was, _ := first.Sources(top)
	is, _ := again.Sources(top)
	if parsed != 0 || fmt.Sprint(was) != fmt.Sprint(is) || len(is) == 0 || len(again.Packed()) != 0 {
		t.Errorf("%d texts were parsed; the sources are %v, and were %v", parsed, is, was)
	}
	// Another text: it, and none that reads it, since its columns are the same.
	v := *c.View("l3.v1")
	v.SQL += " AND true"
	again = counting(c.WithView(&v))
	again.Views()
	if n := again.Packed(); parsed != 1 || len(n) != 1 {
		t.Errorf("%d texts were parsed, and %d are to be kept", parsed, len(n))
	}
	// Another column: all that read it, and no others.
	table := *c.Table("s.t0")
	table.Columns = slices.Clone(table.Columns)
	table.Columns[4].Type = value.Of(value.Int8)
	again = counting(c.WithTable(&table))
	again.Views()
	if readers := len(first.Downstream("s.t0")); parsed == 0 || parsed > readers {
		t.Errorf("%d texts were parsed, %d read the table", parsed, readers)
	}
	fresh := New(bind.Context{Catalog: c.WithTable(&table)}, nil)
	for i, v := range again.Views() {
		f := fresh.View(v.FullName())
		if i%10 == 0 && (fmt.Sprint(f.Table.Columns) != fmt.Sprint(v.Table.Columns) || fmt.Sprint(*f.Text()) != fmt.Sprint(*v.Text())) {
			t.Errorf("%s is %v, and bound anew %v", v.FullName(), v.Table.Columns, f.Table.Columns)
		}
	}
	// What is no such thing is bound.
	again = New(bind.Context{Catalog: c}, nil)
	again.Keep(map[string][]byte{"l0.v0": []byte("{"), "l0.v1": []byte(`{"f":0}`)})
	if v := again.View("l0.v0"); v.Err != nil || v.Text() == nil {
		t.Errorf("%+v", v)
	}
}

// A view that does not bind is still a reader of what it names; a text that is
// asked of is not kept.
func TestBrokenViewsRead(t *testing.T) {
	e := New(bind.Context{Catalog: made("a", "low.v", "SELECT gone FROM s.t", "low.w", "SELECT v.gone FROM low.v, low.nothing", "low.x", "SELECT a FROM s.t", "low.y", "SELECT FROM WHERE"), Now: time.Unix(0, 0)}, nil)
	if got := names(e.Broken()); got != "low.v low.w low.y" {
		t.Errorf("broken: %s", got)
	}
	if got := fmt.Sprint(e.Readers("s.t"), e.Readers("low.v"), e.Downstream("s.t")); got != "[low.v low.x] [low.w] [low.v low.w low.x]" {
		t.Errorf("readers: %s", got)
	}
	of := e.Of(&catalog.View{Layer: "low", Name: "v", SQL: "SELECT a AS b FROM s.t"})
	if of.Err != nil || of.Table.Columns[0].Name != "b" || e.View("low.v").Err == nil {
		t.Errorf("a text that was asked of: %+v", of)
	}
}

// grown makes an estate of so many views of 25 columns, in layers on top of each
// other, over tables of 25 columns.
func grown(views int) *catalog.Catalog {
	const layers, columns = 25, 25
	s := &catalog.Source{Name: "s"}
	for i := range max(1, views/20) {
		t := &catalog.Table{Source: "s", Name: fmt.Sprintf("t%d", i)}
		for c := range columns {
			t.Columns = append(t.Columns, catalog.Column{Name: fmt.Sprintf("c%d", c), Type: value.Of(value.Int4)})
		}
		s.Tables = append(s.Tables, t)
	}
	var list []*catalog.View
	var order []catalog.Layer
	per := max(1, views/layers)
	for l := range layers {
		order = append(order, catalog.Layer{Name: fmt.Sprintf("l%d", l)})
		for i := range per {
			from := fmt.Sprintf("s.t%d AS a JOIN s.t%d AS b ON a.c0 = b.c0", i%len(s.Tables), (i*7+1)%len(s.Tables))
			if l > 0 {
				from = fmt.Sprintf("l%d.v%d AS a JOIN l%d.v%d AS b ON a.c0 = b.c0", l-1, i, l-1, (i*3+1)%per)
			}
			var items []string
			for c := range columns {
				switch c % 5 {
				case 0:
					items = append(items, fmt.Sprintf("a.c%d", c))
				case 1:
					items = append(items, fmt.Sprintf("b.c%d AS c%d", c, c))
				case 2:
					items = append(items, fmt.Sprintf("a.c%d %% 7 AS c%d", c, c))
				default:
					items = append(items, fmt.Sprintf("a.c%d AS c%d", c, c))
				}
			}
			list = append(list, &catalog.View{Layer: order[l].Name, Name: fmt.Sprintf("v%d", i),
				SQL: fmt.Sprintf("SELECT %s FROM %s WHERE a.c3 > %d", strings.Join(items, ", "), from, i)})
		}
	}
	return catalog.New([]*catalog.Source{s}, order, list)
}
