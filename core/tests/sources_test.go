// Package tests holds tests of what crosses core's packages, without a
// database: sources that are asked for parts of plans and compute them here.
package tests

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"io"
	"math/rand"
	"slices"
	"sort"
	"strings"
	"sync"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/rewrite"
	"rovik/core/syntax"
	"rovik/core/value"
)

// world is a catalogue of three sources with the rows of its tables.
type world struct {
	catalog *catalog.Catalog
	rows    map[string][][]value.Value // by a table's full name
}

var (
	integer = value.Of(value.Int4)
	text    = value.Of(value.Text)
	amount  = value.Type{Kind: value.Numeric, Precision: 8, Scale: 2}
)

// tables are what the sources hold, by source; the first column of one with a
// "!" is its key.
var tables = []struct {
	source, name string
	columns      []catalog.Column
}{
	{"a", "x", []catalog.Column{{Name: "id", Type: integer, Nullable: true}, {Name: "k", Type: text, Nullable: true}, {Name: "n", Type: integer, Nullable: true}}},
	{"a", "y", []catalog.Column{{Name: "id", Type: integer, Nullable: true}, {Name: "k", Type: text, Nullable: true}, {Name: "w", Type: amount, Nullable: true}}},
	{"b", "z", []catalog.Column{{Name: "id", Type: integer, Nullable: true}, {Name: "k", Type: text, Nullable: true}, {Name: "w", Type: amount, Nullable: true}}},
	{"b", "u!", []catalog.Column{{Name: "id", Type: integer}, {Name: "k", Type: text, Nullable: true}, {Name: "n", Type: integer, Nullable: true}}},
	{"c", "v", []catalog.Column{{Name: "id", Type: integer, Nullable: true}, {Name: "k", Type: text, Nullable: true}, {Name: "n", Type: integer, Nullable: true}}},
}

func makeWorld(r *rand.Rand) *world {
	w := &world{rows: map[string][][]value.Value{}}
	bySource := map[string]*catalog.Source{}
	var sources []*catalog.Source
	for _, def := range tables {
		s := bySource[def.source]
		if s == nil {
			s = &catalog.Source{Name: def.source, Kind: "test"}
			bySource[def.source] = s
			sources = append(sources, s)
		}
		name, keyed := strings.CutSuffix(def.name, "!")
		t := &catalog.Table{Source: def.source, Name: name, Columns: slices.Clone(def.columns)}
		for c := range t.Columns {
			t.Columns[c].Distinct = int64(r.Intn(8))
		}
		if keyed {
			t.Keys = []catalog.Key{{Columns: []string{"id"}, Primary: true}}
		}
		n := 3 + r.Intn(12)
		for i := range n {
			row := make([]value.Value, len(def.columns))
			for c, col := range def.columns {
				row[c] = randomValue(r, col.Type)
			}
			if keyed {
				row[0] = value.IntOf(value.Int4, int64(i))
			}
			w.rows[t.FullName()] = append(w.rows[t.FullName()], row)
		}
		// The statistics may be far off: they are estimates.
		t.Rows = int64([]int{0, n, 1, 100_000}[r.Intn(4)])
		s.Tables = append(s.Tables, t)
	}
	w.catalog = catalog.New(sources, nil, nil)
	return w
}

func randomValue(r *rand.Rand, t value.Type) value.Value {
	if r.Intn(5) == 0 {
		return value.NullOf(t.Kind)
	}
	switch t.Kind {
	case value.Int4:
		return value.IntOf(value.Int4, int64(r.Intn(6)-1))
	case value.Text:
		return value.TextOf([]string{"", "a", "A", "b", "b ", "ab", "é"}[r.Intn(7)])
	}
	v, err := kernel.CastValue(value.TextOf([]string{"0", "1.50", "2.25", "-3", "1.5"}[r.Intn(5)]), t)
	if err != nil {
		panic(err)
	}
	return v
}

// bound binds a query.
func (w *world) bound(sql string) (*plan.Query, error) {
	tree, err := syntax.Parse(sql)
	if err != nil {
		return nil, err
	}
	return bind.Bind(bind.Context{Catalog: w.catalog, Now: time.Unix(0, 0)}, sql, tree)
}

// here replaces scans by the rows of their tables.
func (w *world) here(n plan.Node) plan.Node {
	return plan.Rewrite(n, func(n plan.Node) plan.Node {
		s, ok := n.(*plan.Scan)
		if !ok {
			return n
		}
		v := &plan.Values{Cols: s.Columns()}
		for _, row := range w.rows[s.Table.FullName()] {
			var cells []value.Value
			for _, c := range s.Cols {
				cells = append(cells, row[c.Index])
			}
			v.Rows = append(v.Rows, cells)
		}
		return v
	})
}

// plainly runs a plan over the tables' rows, without any source.
func (w *world) plainly(root plan.Node) ([]string, error) {
	return w.run(&fold.Compiled{Root: w.here(root)}, nil)
}

// run gives a query's rows as sorted strings.
func (w *world) run(c *fold.Compiled, conn exec.Connector) ([]string, error) {
	run, err := exec.Start(context.Background(), c, conn, exec.Options{})
	if err != nil {
		return nil, err
	}
	defer run.Close()
	var out []string
	for {
		b, err := run.Next()
		if errors.Is(err, io.EOF) {
			sort.Strings(out)
			return out, nil
		}
		if err != nil {
			return nil, err
		}
		for i := range b.Len {
			var row strings.Builder
			for c, a := range b.Cols {
				fmt.Fprintf(&row, "%s|", value.At(run.Columns[c].Type.Kind, a, i))
			}
			out = append(out, row.String())
		}
	}
}

// willful is a source that computes any part of a plan exactly, where it
// agrees to.
type willful struct {
	name      string
	refuses   func(part string) bool
	widens    func(cond string) bool // of the filters that it refuses
	batch     int                    // keys at once; 0 for none
	mu        sync.Mutex
	fragments map[string]plan.Node
}

// byToss makes a source agree or refuse by the toss of a seed, the same for the
// same part: it refuses so many of a hundred, and widens half of the filters.
func byToss(name string, seed int64, hundred, batch int) *willful {
	toss := func(part string) int {
		h := fnv.New32a()
		fmt.Fprintf(h, "%s %d %s", name, seed, part)
		return int(h.Sum32() % 100)
	}
	return &willful{name: name, batch: batch, fragments: map[string]plan.Node{},
		refuses: func(part string) bool { return toss(part) < hundred },
		widens:  func(cond string) bool { return toss("wider "+cond) >= 50 }}
}

var unwilling = &fold.Reason{Code: "no-equivalent", Text: "It does not want to.", Remedy: "None."}

func (s *willful) agrees(part string) *fold.Reason {
	if s.refuses(part) {
		return unwilling
	}
	return nil
}

func (s *willful) Name() string { return s.name }

func (s *willful) Value(e plan.Expr) *fold.Reason {
	if _, isCol := e.(*plan.Col); isCol {
		return nil
	}
	return s.agrees("value " + plan.Text(e))
}

func (s *willful) Filter(e plan.Expr) (plan.Expr, *fold.Reason) {
	r := s.agrees("filter " + plan.Text(e))
	if r == nil || !s.widens(plan.Text(e)) {
		return nil, r
	}
	return &plan.Call{Op: "is not false", Args: []plan.Expr{e}, Typ: value.Of(value.Bool)}, r
}

func (s *willful) Group(e plan.Expr) *fold.Reason { return s.agrees("group " + plan.Text(e)) }

func (s *willful) Order(k plan.SortKey) *fold.Reason { return s.agrees("order " + plan.Text(k.Expr)) }

func (s *willful) Aggregate(a plan.Agg) *fold.Reason {
	return s.agrees("aggregate " + plan.AggText(a))
}

func (s *willful) Window(w plan.WindowCall) *fold.Reason {
	return s.agrees("window " + plan.WindowText(w))
}

func (s *willful) KeyBatch() int { return s.batch }

func (s *willful) Operator(n plan.Node) *fold.Reason { return s.agrees(fmt.Sprintf("operator %T", n)) }

func (s *willful) Render(root plan.Node) (fold.Native, error) {
	name := func(root plan.Node) string {
		s.mu.Lock()
		defer s.mu.Unlock()
		text := fmt.Sprintf("%s %d", s.name, len(s.fragments))
		s.fragments[text] = root
		return text
	}
	n := fold.Native{Language: "plan", Text: name(root), MaxKeys: s.batch}
	if s.batch > 0 {
		n.WithKeys = func(keys []value.Value) (string, []value.Value) { return name(withKeys(root, keys)), nil }
	}
	return n, nil
}

// withKeys puts keys into the condition on them, or takes it away for nil.
func withKeys(root plan.Node, keys []value.Value) plan.Node {
	return plan.Rewrite(root, func(n plan.Node) plan.Node {
		return plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			return plan.Map(e, func(p plan.Expr) plan.Expr {
				c, ok := p.(*plan.Call)
				if !ok || c.Op != "in" || len(c.Args) != 2 {
					return p
				}
				shipped, ok := c.Args[1].(*plan.ShippedKeys)
				switch {
				case !ok:
					return p
				case keys == nil:
					return plan.True()
				}
				args := []plan.Expr{c.Args[0]}
				for _, k := range keys {
					args = append(args, &plan.Const{Val: k, Typ: shipped.Typ})
				}
				return &plan.Call{Op: "in", Args: args, Typ: c.Typ}
			})
		})
	})
}

// sources make a connector of all willful sources of a query.
type sources struct {
	w *world
	m map[string]fold.Source
}

func (s *sources) Open(ctx context.Context, st *fold.Statement, _ string) (exec.Reader, error) {
	source := s.m[st.Source].(*willful)
	source.mu.Lock()
	frag := source.fragments[st.Text]
	source.mu.Unlock()
	if frag == nil {
		return nil, fmt.Errorf("%s was never asked %q", st.Source, st.Text)
	}
	run, err := exec.Start(ctx, &fold.Compiled{Root: s.w.here(frag)}, nil, exec.Options{})
	if err != nil {
		return nil, err
	}
	return fragmentReader{run}, nil
}

type fragmentReader struct{ run *exec.Run }

func (r fragmentReader) Next(context.Context) (kernel.Batch, error) { return r.run.Next() }

func (r fragmentReader) Close() error {
	r.run.Close()
	return nil
}

// folded compiles and runs a query over sources.
func (w *world) folded(sql string, opts fold.Options, of ...*willful) ([]string, *fold.Compiled, error) {
	q, err := w.bound(sql)
	if err != nil {
		return nil, nil, err
	}
	if q, err = rewrite.Apply(q, nil); err != nil {
		return nil, nil, err
	}
	s := &sources{w, map[string]fold.Source{}}
	for _, one := range of {
		s.m[one.name] = one
	}
	c, err := fold.Compile(q, s.m, opts)
	if err != nil {
		return nil, nil, err
	}
	rows, err := w.run(c, s)
	return rows, c, err
}

// reference runs a query as it was bound, but for correlated subqueries.
func (w *world) reference(t *testing.T, sql string) []string {
	t.Helper()
	q, err := w.bound(sql)
	if err != nil {
		t.Fatalf("%s\n%v", sql, err)
	}
	first := rewrite.Rules()[0]
	rows, err := w.plainly(first.Apply(q.Root, rewrite.NewPass(q.IDs)))
	if err != nil {
		t.Fatalf("%s\n%v", sql, err)
	}
	return rows
}
