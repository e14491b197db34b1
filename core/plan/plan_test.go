package plan

import (
	"math"
	"testing"

	"rovik/core/catalog"
	"rovik/core/value"
)

var (
	integer = value.Of(value.Int4)
	boolean = value.Of(value.Bool)
)

func colOf(id ID) *Col { return &Col{ID: id, Name: "c", Typ: integer} }

func num(i int64) *Const { return &Const{Val: value.IntOf(value.Int4, i), Typ: integer} }

func callOf(op string, args ...Expr) *Call { return &Call{Op: op, Args: args, Typ: boolean} }

func TestTextWritesWhatPeopleRead(t *testing.T) {
	a, b := &Col{ID: 1, Name: "a", Typ: integer}, &Col{ID: 2, Name: "b", Typ: integer}
	for want, e := range map[string]Expr{
		"a = 1":                         callOf("=", a, num(1)),
		"(a = 1) AND (b > 2) AND b":     callOf("and", callOf("=", a, num(1)), callOf(">", b, num(2)), b),
		"NOT a":                         callOf("not", a),
		"-a":                            callOf("neg", a),
		"a IN (1, 2)":                   callOf("in", a, num(1), num(2)),
		"a IS NOT NULL":                 callOf("is not null", a),
		"lower('it''s')":                callOf("lower", &Const{Val: value.TextOf("it's"), Typ: value.Of(value.Text)}),
		"a LIKE b ESCAPE 'x'":           callOf("like", a, b, &Const{Val: value.TextOf("x"), Typ: value.Of(value.Text)}),
		"CAST(a AS numeric(5,2))":       &Cast{Arg: a, Typ: value.Type{Kind: value.Numeric, Precision: 5, Scale: 2}},
		"CASE WHEN a THEN 1 ELSE b END": &Case{Whens: []When{{a, num(1)}}, Else: b, Typ: integer},
		"date '2024-01-02'":             &Const{Val: value.IntOf(value.Date, 19724), Typ: value.Of(value.Date)},
		"NULL":                          &Const{Val: value.NullOf(value.Int4), Typ: integer},
	} {
		if got := Text(e); got != want {
			t.Errorf("written %s, want %s", got, want)
		}
	}
	for want, a := range map[string]Agg{"count(*)": {Func: "count"}, "sum(DISTINCT a)": {Func: "sum", Distinct: true, Args: []Expr{a}}} {
		if got := AggText(a); got != want {
			t.Errorf("written %s, want %s", got, want)
		}
	}
}

// Substitution leaves what it does not touch as it was, and keeps a piece the
// piece that it is.
func TestSubstitute(t *testing.T) {
	here, there := Origin{"", 1, 5}, Origin{"v", 7, 9}
	def := &Call{Op: "lower", Args: []Expr{colOf(9)}, Typ: integer, Org: there}
	cond := &Call{Op: "=", Args: []Expr{colOf(1), colOf(2)}, Typ: boolean, Org: here}
	out := Substitute(cond, Defs{1: def})
	if out.Origin() != here || out.(*Call).Args[0] != Expr(def) || out.(*Call).Args[1] != cond.Args[1] {
		t.Errorf("got %s at %v", Text(out), out.Origin())
	}
	if Substitute(cond, Defs{5: def}) != Expr(cond) {
		t.Error("an expression without the column was copied")
	}
	if got := Substitute(&Col{ID: 1, Org: here}, Defs{1: def}); got.Origin() != there {
		t.Errorf("a bare column leads to %v", got.Origin())
	}
	if cond.Args[0].(*Col).ID != 1 {
		t.Error("substitution changed its input")
	}
}

func TestMayFail(t *testing.T) {
	text := &Col{ID: 3, Typ: value.Of(value.Text)}
	for _, c := range []struct {
		e    Expr
		want bool
	}{
		{colOf(1), false}, {callOf("=", colOf(1), num(1)), false}, {callOf("lower", text), false}, {callOf("is null", text), false},
		{callOf("/", colOf(1), colOf(2)), true}, {callOf("+", colOf(1), num(1)), true}, {&Cast{Arg: text, Typ: integer}, true},
		{&Cast{Arg: colOf(1), Typ: value.Of(value.Numeric)}, false}, {&Cast{Arg: colOf(1), Typ: value.Of(value.Text)}, false},
		{&Cast{Arg: colOf(1), Typ: value.Type{Kind: value.Numeric, Precision: 2}}, true},
		{callOf("like", text, text), true}, {callOf("like", text, &Const{Val: value.TextOf("a%"), Typ: value.Of(value.Text)}), false},
		{&Case{Whens: []When{{callOf("=", colOf(1), num(0)), num(0)}}, Else: callOf("/", num(1), colOf(1)), Typ: integer}, true},
		{callOf("split_part", text), true},
	} {
		if got := MayFail(c.e); got != c.want {
			t.Errorf("%s may fail: %v", Text(c.e), got)
		}
	}
}

func TestStrict(t *testing.T) {
	cols := IDs{1: true}
	for _, c := range []struct {
		e    Expr
		want bool
	}{
		{colOf(1), true}, {colOf(2), false}, {callOf("+", colOf(2), colOf(1)), true}, {callOf("is null", colOf(1)), false},
		{callOf("coalesce", colOf(1), num(0)), false}, {callOf("coalesce", colOf(1), colOf(1)), true}, {callOf("concat", colOf(1)), false},
		{callOf("in", colOf(1), num(1)), true}, {callOf("in", colOf(2), colOf(1)), false}, {callOf("and", colOf(1), colOf(1)), false}, {num(1), false},
	} {
		if got := Strict(c.e, cols); got != c.want {
			t.Errorf("%s is strict: %v", Text(c.e), got)
		}
	}
}

func TestEquiKeys(t *testing.T) {
	left, right := IDs{1: true}, IDs{2: true}
	l, r, ok := EquiKeys(callOf("=", colOf(2), callOf("neg", colOf(1))), left, right)
	if !ok || Text(l) != "-c" || r.(*Col).ID != 2 {
		t.Errorf("turned round: %v", ok)
	}
	for _, e := range []Expr{callOf("=", colOf(1), num(1)), callOf("<", colOf(1), colOf(2)), callOf("=", callOf("+", colOf(1), colOf(2)), colOf(2)), callOf("=", colOf(1), colOf(1))} {
		if _, _, ok := EquiKeys(e, left, right); ok {
			t.Errorf("%s connects the sides", Text(e))
		}
	}
}

// Estimates follow the statistics: shares of values, keys of joins, groups.
func TestEstimates(t *testing.T) {
	table := &catalog.Table{Name: "t", Rows: 10_000, Columns: []catalog.Column{{Name: "key", Distinct: 10_000}, {Name: "kind", Distinct: 10, NullShare: 0.5}, {Name: "other"}}}
	small := &catalog.Table{Name: "s", Rows: 100, Columns: []catalog.Column{{Name: "key", Distinct: 100}}}
	scan := func(tab *catalog.Table, first ID) *Scan {
		s := &Scan{Table: tab}
		for i, c := range tab.Columns {
			s.Cols = append(s.Cols, ScanColumn{Column{ID: first + ID(i), Name: c.Name, Type: integer}, i})
		}
		return s
	}
	big, little := scan(table, 1), scan(small, 10)
	join := &Join{Left: big, Right: little, On: []Expr{callOf("=", colOf(1), colOf(10))}}
	for want, n := range map[float64]Node{
		10_000: big,
		1:      &Filter{big, []Expr{callOf("=", colOf(1), num(5))}},
		500:    &Filter{big, []Expr{callOf("=", colOf(2), num(5))}},
		1_500:  &Filter{big, []Expr{callOf("in", colOf(2), num(5), num(6), num(7))}},
		5_000:  &Filter{big, []Expr{callOf("is null", colOf(2))}},
		100:    join,
		10:     &Aggregate{Input: big, Groups: []Item{{Column{ID: 20}, colOf(2)}}},
		7:      &Limit{Input: big, Count: 7},
		0:      &Limit{Input: little, Count: 7, Offset: 500},
		10_100: &Union{Parts: []Node{big, little}},
	} {
		if got := NewEstimator(n).Rows(n); math.Abs(got-want) > 1e-6 {
			t.Errorf("%s gives about %v rows, want %v", Label(n), got, want)
		}
	}
	outer := &Join{Kind: LeftJoin, Left: big, Right: little, On: join.On}
	if got := NewEstimator(outer).Rows(outer); got != 10_000 {
		t.Errorf("a left join gives about %v rows", got)
	}
}

func TestRewriteAndVisit(t *testing.T) {
	scan := &Scan{Table: &catalog.Table{Source: "a", Name: "t"}}
	tree := &Limit{Input: &Sort{Input: &Filter{Input: scan, Conds: []Expr{True()}}}, Count: 5}
	same := Rewrite(tree, func(n Node) Node { return n })
	if same != Node(tree) {
		t.Error("a rewrite that changes nothing copied the tree")
	}
	out := Rewrite(tree, func(n Node) Node {
		if f, ok := n.(*Filter); ok {
			return f.Input
		}
		return n
	})
	kinds := 0
	Visit(out, func(Node) { kinds++ })
	if kinds != 3 || len(Sources(out)) != 1 || Print(tree) == Print(out) {
		t.Errorf("the tree is\n%s", Print(out))
	}
}

// Histograms, common values and what runs have measured go before guesses.
func TestEstimatesByStatistics(t *testing.T) {
	table := &catalog.Table{Source: "a", Name: "t", Rows: 1000, Columns: []catalog.Column{
		{Name: "n", Distinct: 100, Bounds: []string{"0", "10", "100"}, Common: []catalog.CommonValue{{Value: "7", Share: 0.5}}}}}
	scan := &Scan{Table: table, Cols: []ScanColumn{{Column{ID: 1, Name: "n", Type: integer}, 0}}}
	for op, want := range map[string]map[int64]float64{
		"<": {0: 1, 5: 250, 10: 500, 55: 750, 200: 1000}, ">=": {10: 500, 55: 250}, "=": {7: 500, 8: 5.05}, "<>": {7: 500},
	} {
		for v, rows := range want {
			f := &Filter{scan, []Expr{callOf(op, &Col{ID: 1, Name: "n", Typ: integer}, num(v))}}
			if got := NewEstimator(f).Rows(f); math.Abs(got-rows) > 0.1 {
				t.Errorf("n %s %d keeps about %v rows, want %v", op, v, got, rows)
			}
		}
	}
	f := &Filter{scan, []Expr{callOf(">", &Col{ID: 1, Name: "n", Typ: integer}, num(3)), callOf("<", &Col{ID: 1, Name: "n", Typ: integer}, num(9))}}
	if sig := Signature(&Sort{Input: &Project{Input: f, Items: Identity(f.Columns())}}); sig != "a.t WHERE n < 9 AND n > 3" {
		t.Errorf("the signature is %q", sig)
	}
	known := NewEstimator(f).Knowing(func(sig string) (float64, bool) { return 42, sig == "a.t WHERE n < 9 AND n > 3" })
	if got := known.Rows(f); got != 42 {
		t.Errorf("measured rows are estimated as %v", got)
	}
	if sig := Signature(&Filter{scan, []Expr{callOf("in", &Col{ID: 1, Name: "n", Typ: integer}, &ShippedKeys{Typ: integer})}}); sig != "" {
		t.Errorf("rows found by shipped keys have the signature %q", sig)
	}
}
