package exec

import (
	"context"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"
	"sync"
	"testing"
	"time"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// memory is a connector that gives rows it holds; each statement's source is
// the name of its rows.
type tables struct {
	rows  map[string][][]any // integers and NULLs
	size  int                // rows a batch
	block chan struct{}      // where set, reading waits for it or the end of the run
}

type memoryReader struct {
	m    *tables
	left [][]any
	n    int
}

func (m *tables) Open(_ context.Context, s *fold.Statement, text string) (Reader, error) {
	rows, ok := m.rows[s.Source]
	if !ok {
		return nil, errors.New("no such source")
	}
	return &memoryReader{m, rows, len(s.Columns)}, nil
}

func (r *memoryReader) Next(ctx context.Context) (kernel.Batch, error) {
	if r.m.block != nil {
		select {
		case <-r.m.block:
		case <-ctx.Done():
			return kernel.Batch{}, ctx.Err()
		}
	}
	if len(r.left) == 0 {
		return kernel.Batch{}, io.EOF
	}
	n := min(max(r.m.size, 1), len(r.left))
	b := kernel.Batch{Len: n}
	for c := range r.n {
		col := value.NewBuilder(value.Int4)
		for _, row := range r.left[:n] {
			if row[c] == nil {
				col.AppendNull()
			} else {
				value.Append(col, value.IntOf(value.Int4, int64(row[c].(int))))
			}
		}
		b.Cols = append(b.Cols, col.NewArray())
	}
	r.left = r.left[n:]
	return b, nil
}

func (r *memoryReader) Close() error { return nil }

// remote makes statement number of a source with integer columns ids.
func remote(c *fold.Compiled, source string, ids ...plan.ID) plan.Node {
	scan := &plan.Scan{Table: &catalog.Table{Source: source, Name: source, Rows: 100}}
	for i, id := range ids {
		scan.Cols = append(scan.Cols, plan.ScanColumn{Column: plan.Column{ID: id, Name: fmt.Sprintf("c%d", id), Type: value.Of(value.Int4)}, Index: i})
		scan.Table.Columns = append(scan.Table.Columns, catalog.Column{Name: fmt.Sprintf("c%d", id)})
	}
	s := &fold.Statement{Number: len(c.Statements) + 1, Source: source, Columns: scan.Columns()}
	c.Statements = append(c.Statements, s)
	return &plan.Remote{Source: source, Statement: s.Number, Input: scan}
}

func col(id plan.ID) *plan.Col { return &plan.Col{ID: id, Typ: value.Of(value.Int4)} }

func op(name string, args ...plan.Expr) plan.Expr {
	return &plan.Call{Op: name, Args: args, Typ: value.Of(value.Bool)}
}

func rowsOf(t *testing.T, run *Run) ([]string, error) {
	t.Helper()
	defer run.Close()
	var out []string
	for {
		b, err := run.Next()
		if errors.Is(err, io.EOF) {
			if held := run.share.Used(); held != 0 {
				t.Errorf("%d bytes are held at the end of the run", held)
			}
			return out, nil
		}
		if err != nil {
			return out, err
		}
		for i := range b.Len {
			var cells []string
			for c, a := range b.Cols {
				cells = append(cells, value.At(run.Columns[c].Type.Kind, a, i).String())
			}
			out = append(out, strings.Join(cells, ","))
		}
	}
}

func start(t *testing.T, m *tables, opts Options, build func(c *fold.Compiled) plan.Node) *Run {
	t.Helper()
	c := &fold.Compiled{}
	c.Root = build(c)
	run, err := Start(context.Background(), c, m, opts)
	if err != nil {
		t.Fatal(err)
	}
	return run
}

var left = [][]any{{1, 10}, {2, 20}, {2, 21}, {nil, 30}, {4, 40}}
var right = [][]any{{2, 200}, {2, 201}, {4, 400}, {nil, 300}, {9, 900}}

// Joins of every kind, in batches of every size.
func TestJoins(t *testing.T) {
	equal := op("=", col(1), col(3))
	less := op("<", col(2), &plan.Const{Val: value.IntOf(value.Int4, 21), Typ: value.Of(value.Int4)})
	for _, c := range []struct {
		kind plan.JoinKind
		on   []plan.Expr
		want string
	}{
		{plan.InnerJoin, []plan.Expr{equal}, "2,20,2,200 2,20,2,201 2,21,2,200 2,21,2,201 4,40,4,400"},
		{plan.LeftJoin, []plan.Expr{equal}, "1,10,NULL,NULL 2,20,2,200 2,20,2,201 2,21,2,200 2,21,2,201 4,40,4,400 NULL,30,NULL,NULL"},
		{plan.InnerJoin, []plan.Expr{equal, less}, "2,20,2,200 2,20,2,201"},
		{plan.LeftJoin, []plan.Expr{equal, less}, "1,10,NULL,NULL 2,20,2,200 2,20,2,201 2,21,NULL,NULL 4,40,NULL,NULL NULL,30,NULL,NULL"},
		{plan.InnerJoin, []plan.Expr{op(">", col(1), col(3))}, "4,40,2,200 4,40,2,201"},
		{plan.LeftJoin, []plan.Expr{op("=", col(1), col(4))}, "1,10,NULL,NULL 2,20,NULL,NULL 2,21,NULL,NULL 4,40,NULL,NULL NULL,30,NULL,NULL"},
	} {
		for _, size := range []int{1, 2, 100} {
			m := &tables{rows: map[string][][]any{"l": left, "r": right}, size: size}
			run := start(t, m, Options{}, func(fc *fold.Compiled) plan.Node {
				return &plan.Join{Kind: c.kind, Left: remote(fc, "l", 1, 2), Right: remote(fc, "r", 3, 4), On: c.on}
			})
			got, err := rowsOf(t, run)
			sort.Strings(got)
			if err != nil || strings.Join(got, " ") != c.want {
				t.Errorf("%s on %d conditions in batches of %d: %s (%v)\n  want %s", c.kind, len(c.on), size, strings.Join(got, " "), err, c.want)
			}
			report := run.Report()
			if *report.RowsCrossed != 10 || *report.RowsReturned != int64(len(got)) || *report.Operators[0].Rows != int64(len(got)) {
				t.Errorf("the report counts %d crossed, %d returned", *report.RowsCrossed, *report.RowsReturned)
			}
		}
	}
}

func TestSortLimitDistinctAggregateUnion(t *testing.T) {
	many := make([][]any, 50_000)
	for i := range many {
		many[i] = []any{(i * 7919) % 50_000, i % 3}
	}
	m := &tables{rows: map[string][][]any{"l": left, "many": many, "none": {}}, size: 1000}
	key := func(id plan.ID, desc, first bool) plan.SortKey {
		return plan.SortKey{Expr: col(id), Desc: desc, NullsFirst: first}
	}
	sorted := func(source string, k ...plan.SortKey) func(*fold.Compiled) plan.Node {
		return func(c *fold.Compiled) plan.Node { return &plan.Sort{Input: remote(c, source, 1, 2), Keys: k} }
	}
	limited := func(in func(*fold.Compiled) plan.Node, count, offset int64) func(*fold.Compiled) plan.Node {
		return func(c *fold.Compiled) plan.Node { return &plan.Limit{Input: in(c), Count: count, Offset: offset} }
	}
	count := plan.AggItem{Column: plan.Column{ID: 9, Type: value.Of(value.Int8)}, Agg: plan.Agg{Func: "count"}}
	sum := plan.AggItem{Column: plan.Column{ID: 8, Type: value.Of(value.Int8)}, Agg: plan.Agg{Func: "sum", Args: []plan.Expr{col(1)}}}
	group := plan.Item{Column: plan.Column{ID: 7, Type: value.Of(value.Int4)}, Expr: col(2)}
	for name, c := range map[string]struct {
		build func(*fold.Compiled) plan.Node
		want  string
	}{
		"ascending":        {sorted("l", key(1, false, false)), "1,10 2,20 2,21 4,40 NULL,30"},
		"descending":       {sorted("l", key(1, true, true), key(2, true, true)), "NULL,30 4,40 2,21 2,20 1,10"},
		"nulls first":      {sorted("l", key(1, false, true)), "NULL,30 1,10 2,20 2,21 4,40"},
		"top of many":      {limited(sorted("many", key(1, false, false)), 2, 3), "3,1 4,1"},
		"bottom of many":   {limited(sorted("many", key(1, true, true)), 1, 0), "49999,2"},
		"no limit":         {limited(sorted("l", key(2, false, false)), -1, 3), "NULL,30 4,40"},
		"limit of nothing": {limited(sorted("l", key(2, false, false)), 0, 0), ""},
		"sort of nothing":  {sorted("none", key(1, false, false)), ""},
		"groups": {func(c *fold.Compiled) plan.Node {
			return &plan.Sort{Input: &plan.Aggregate{Input: remote(c, "many", 1, 2), Groups: []plan.Item{group}, Aggs: []plan.AggItem{count, sum}}, Keys: []plan.SortKey{key(7, false, false)}}
		}, "0,16667,416589027 1,16667,416675000 2,16666,416710973"},
		"one group of nothing": {func(c *fold.Compiled) plan.Node {
			return &plan.Aggregate{Input: remote(c, "none", 1, 2), Aggs: []plan.AggItem{count, sum}}
		}, "0,NULL"},
		"no groups of nothing": {func(c *fold.Compiled) plan.Node {
			return &plan.Aggregate{Input: remote(c, "none", 1, 2), Groups: []plan.Item{group}, Aggs: []plan.AggItem{count}}
		}, ""},
		"distinct": {func(c *fold.Compiled) plan.Node {
			return &plan.Sort{Input: &plan.Distinct{Input: &plan.Project{Input: remote(c, "many", 1, 2), Items: []plan.Item{group}}}, Keys: []plan.SortKey{key(7, false, false)}}
		}, "0 1 2"},
		"union": {func(c *fold.Compiled) plan.Node {
			return &plan.Union{Parts: []plan.Node{remote(c, "l", 1, 2), remote(c, "none", 3, 4), remote(c, "l", 5, 6)}, Cols: []plan.Column{{ID: 11, Type: value.Of(value.Int4)}, {ID: 12, Type: value.Of(value.Int4)}}}
		}, "1,10 2,20 2,21 NULL,30 4,40 1,10 2,20 2,21 NULL,30 4,40"},
		"values": {func(*fold.Compiled) plan.Node {
			return &plan.Values{Cols: []plan.Column{{ID: 1, Type: value.Of(value.Int4)}}, Rows: [][]value.Value{{value.IntOf(value.Int4, 5)}, {value.NullOf(value.Int4)}}}
		}, "5 NULL"},
	} {
		got, err := rowsOf(t, start(t, m, Options{}, c.build))
		if err != nil || strings.Join(got, " ") != c.want {
			t.Errorf("%s: %s (%v), want %s", name, strings.Join(got, " "), err, c.want)
		}
	}
}

// The groups' sums above, worked out another way.
func TestTheSumsAboveAreRight(t *testing.T) {
	var sums [3]int
	for i := range 50_000 {
		sums[i%3] += (i * 7919) % 50_000
	}
	if sums != [3]int{416589027, 416675000, 416710973} {
		t.Errorf("the sums are %v", sums)
	}
}

func TestMemoryBudgetEndsARun(t *testing.T) {
	many := make([][]any, 100_000)
	for i := range many {
		many[i] = []any{i, i}
	}
	m := &tables{rows: map[string][][]any{"many": many}, size: BatchRows}
	for name, build := range map[string]func(*fold.Compiled) plan.Node{
		"sort": func(c *fold.Compiled) plan.Node {
			return &plan.Sort{Input: remote(c, "many", 1, 2), Keys: []plan.SortKey{{Expr: col(1)}}}
		},
		"DISTINCT": func(c *fold.Compiled) plan.Node { return &plan.Distinct{Input: remote(c, "many", 1, 2)} },
		"grouping": func(c *fold.Compiled) plan.Node {
			return &plan.Aggregate{Input: remote(c, "many", 1, 2), Groups: []plan.Item{{Column: plan.Column{ID: 7, Type: value.Of(value.Int4)}, Expr: col(1)}}}
		},
		"join": func(c *fold.Compiled) plan.Node {
			return &plan.Join{Left: remote(c, "many", 1, 2), Right: remote(c, "many", 3, 4), On: []plan.Expr{op("=", col(1), col(3))}}
		},
	} {
		_, err := rowsOf(t, start(t, m, Options{Memory: 64 << 10}, build))
		if value.Code(err) != value.CodeMemory || !strings.Contains(err.Error(), name) {
			t.Errorf("%s past its memory: %v", name, err)
		}
	}
}

// A recursion holds its last round, and what its step reads of sources: not all rows that
// there were.
func TestRecursionLetsGoOfItsRounds(t *testing.T) {
	const rounds = 20_000
	for _, c := range []struct {
		all    bool
		memory int64
		fails  bool
	}{{true, 4 << 10, false}, {false, 4 << 10, true}, {false, 16 << 20, false}} {
		m := &tables{rows: map[string][][]any{"one": {{1}}, "steps": {{1}}}, size: 10}
		run := start(t, m, Options{Memory: c.memory}, func(fc *fold.Compiled) plan.Node {
			int4 := value.Of(value.Int4)
			cols := []plan.Column{{ID: 10, Name: "n", Type: int4}}
			work := &plan.WorkTable{Work: 1, Cols: []plan.Column{{ID: 11, Name: "n", Type: int4}}}
			joined := &plan.Join{Kind: plan.InnerJoin, Left: work, Right: remote(fc, "steps", 2), On: []plan.Expr{op("<", col(11), &plan.Const{Val: value.IntOf(value.Int4, rounds), Typ: int4})}}
			next := &plan.Call{Op: "+", Args: []plan.Expr{col(11), col(2)}, Typ: int4}
			step := &plan.Project{Input: joined, Items: []plan.Item{{Column: plan.Column{ID: 12, Name: "n", Type: int4}, Expr: next}}}
			return &plan.Recursive{Base: remote(fc, "one", 1), Step: step, Work: 1, All: c.all, Cols: cols}
		})
		rows, err := rowsOf(t, run)
		switch {
		case c.fails != (value.Code(err) == value.CodeMemory):
			t.Errorf("all rows %v, within %d bytes: %v", c.all, c.memory, err)
		case err == nil && (len(rows) != rounds || rows[rounds-1] != fmt.Sprint(rounds)):
			t.Errorf("all rows %v: %d rows", c.all, len(rows))
		}
	}
}

func TestStopAndFailuresEndEverySource(t *testing.T) {
	join := func(c *fold.Compiled) plan.Node {
		return &plan.Join{Left: remote(c, "l", 1, 2), Right: remote(c, "r", 3, 4), On: []plan.Expr{op("=", col(1), col(3))}}
	}
	run := start(t, &tables{rows: map[string][][]any{"l": left, "r": right}, block: make(chan struct{})}, Options{}, join)
	run.Stop()
	if _, err := rowsOf(t, run); !errors.Is(err, Stopped) {
		t.Errorf("a stopped run ends with %v", err)
	}
	// One source fails while the other waits: the run fails and Close returns.
	run = start(t, &tables{rows: map[string][][]any{"l": left}, block: make(chan struct{})}, Options{}, join)
	if _, err := rowsOf(t, run); err == nil || !strings.Contains(err.Error(), "no such source") {
		t.Errorf("a run without one of its sources ends with %v", err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), 0)
	defer cancel()
	c := &fold.Compiled{}
	c.Root = join(c)
	run, err := Start(ctx, c, &tables{rows: map[string][][]any{"l": left, "r": right}, block: make(chan struct{})}, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := rowsOf(t, run); err == nil || !strings.Contains(err.Error(), "time limit") {
		t.Errorf("a run past its time ends with %v", err)
	}
}

// A run that is stopped ends although its operators have all that they need and
// work on it for long.
func TestStopEndsALongJoin(t *testing.T) {
	many := make([][]any, 20_000)
	for i := range many {
		many[i] = []any{1, i}
	}
	m := &tables{rows: map[string][][]any{"l": many, "r": many}, size: BatchRows}
	equal, refused := op("=", col(1), col(3)), op("<", col(4), &plan.Const{Val: value.IntOf(value.Int4, -1), Typ: value.Of(value.Int4)})
	for name, on := range map[string][]plan.Expr{"pairs that pass": {equal}, "pairs that do not": {equal, refused}} {
		run := start(t, m, Options{}, func(c *fold.Compiled) plan.Node {
			pairs := &plan.Join{Left: remote(c, "l", 1, 2), Right: remote(c, "r", 3, 4), On: on}
			return &plan.Aggregate{Input: pairs, Groups: []plan.Item{{Column: plan.Column{ID: 7, Type: value.Of(value.Int4)}, Expr: col(1)}}}
		})
		began := time.Now()
		time.AfterFunc(50*time.Millisecond, run.Stop)
		if _, err := rowsOf(t, run); !errors.Is(err, Stopped) {
			t.Errorf("%s: a stopped run ends with %v", name, err)
		}
		if d := time.Since(began); d > 2*time.Second {
			t.Errorf("%s: it took %v to end", name, d)
		}
	}
}

// One partner is enough for a semi-join: the others are not tried, however many
// batches of them there are.
func TestSemiJoinStopsAtAPartner(t *testing.T) {
	many := make([][]any, 200_000)
	for i := range many {
		many[i] = []any{i, i}
	}
	m := &tables{rows: map[string][][]any{"l": many[:2000], "r": many}, size: BatchRows}
	for kind, want := range map[plan.JoinKind]int{plan.SemiJoin: 2000, plan.AntiJoin: 0} {
		began := time.Now()
		rows, err := rowsOf(t, start(t, m, Options{}, func(c *fold.Compiled) plan.Node {
			return &plan.Join{Kind: kind, Left: remote(c, "l", 1, 2), Right: remote(c, "r", 3, 4), On: []plan.Expr{op("<=", col(3), col(1))}}
		}))
		if err != nil || len(rows) != want {
			t.Errorf("join kind %d: %d rows, %v", kind, len(rows), err)
		}
		if d := time.Since(began); d > 3*time.Second {
			t.Errorf("join kind %d took %v: it tries partners that change nothing", kind, d)
		}
	}
}

// counting is a connector that counts the rows that were read of each source.
type counting struct {
	*tables
	mu   sync.Mutex
	read map[string]int
}

type countingReader struct {
	Reader
	c      *counting
	source string
}

func (c *counting) Open(ctx context.Context, s *fold.Statement, text string) (Reader, error) {
	r, err := c.tables.Open(ctx, s, text)
	return &countingReader{r, c, s.Source}, err
}

func (r *countingReader) Next(ctx context.Context) (kernel.Batch, error) {
	b, err := r.Reader.Next(ctx)
	r.c.mu.Lock()
	defer r.c.mu.Unlock()
	r.c.read[r.source] += b.Len
	return b, err
}

// Of a right side without an equality no more is read than it takes until every
// left row has its partner; what comes out is what any order of looking gives.
func TestRightSidesAreReadUntilAllRowsHavePartners(t *testing.T) {
	var many [][]any
	for i := range 20_000 {
		many = append(many, []any{i, i % 7})
	}
	few := [][]any{{5, 1}, {1, 2}, {nil, 3}, {5, 4}, {9, 5}}
	for _, c := range []struct {
		name       string
		kind       plan.JoinKind
		on         []plan.Expr
		rows, most int // rows that come out, and that are read of the right at most
	}{
		{"each finds one at once", plan.SemiJoin, []plan.Expr{op("is not null", col(3)), op("<>", col(3), col(2))}, 5, 8 * BatchRows},
		{"a NULL finds none", plan.SemiJoin, []plan.Expr{op("<=", col(1), col(3))}, 4, len(many)},
		{"some that look for none", plan.SemiJoin, []plan.Expr{op("is not null", col(1)), op("<>", col(3), col(2))}, 4, 8 * BatchRows},
		{"none without a partner", plan.AntiJoin, []plan.Expr{op("<>", col(3), col(2))}, 0, 8 * BatchRows},
		{"all without a partner", plan.AntiJoin, []plan.Expr{op("<", col(3), col(3)), op("<>", col(3), col(2))}, 5, len(many)},
		{"no condition", plan.SemiJoin, nil, 5, 8 * BatchRows},
	} {
		m := &counting{tables: &tables{rows: map[string][][]any{"l": few, "r": many}, size: 100}, read: map[string]int{}}
		c0 := &fold.Compiled{}
		root := &plan.Join{Kind: c.kind, Left: remote(c0, "l", 1, 2), Right: remote(c0, "r", 3, 4), On: c.on}
		c0.Root = root
		run, err := Start(context.Background(), c0, m, Options{})
		if err != nil {
			t.Fatal(err)
		}
		rows, err := rowsOf(t, run)
		if err != nil || len(rows) != c.rows {
			t.Errorf("%s: %v, %v", c.name, rows, err)
		}
		if m.read["r"] > c.most {
			t.Errorf("%s: %d rows of the right side were read", c.name, m.read["r"])
		}
	}
}

// Keys that are too many when the run comes to them are not sent, and the report
// says what was.
func TestTooManyKeysAreGivenUp(t *testing.T) {
	const with, without = "SELECT x FROM r WHERE a AND x IN (…keys…) ORDER BY x", "SELECT x FROM r WHERE a ORDER BY x"
	for _, keys := range []int{3, 8, 9} {
		var l [][]any
		for i := range keys {
			l = append(l, []any{i, i}, []any{i, i})
		}
		m := &tables{rows: map[string][][]any{"l": l, "r": {{2, 20}, {1, 10}, {99, 0}}}}
		run := start(t, m, Options{}, func(c *fold.Compiled) plan.Node {
			j := &plan.Join{Left: remote(c, "l", 1, 2), Right: remote(c, "r", 3, 4), On: []plan.Expr{op("=", col(1), col(3))}, Ship: &plan.Shipping{Key: col(1), Statement: 2}}
			r := c.Statements[1]
			r.Text, r.MaxKeys = with, 2
			r.WithKeys = func(keys []value.Value) (string, []value.Value) {
				if keys == nil {
					return without, nil
				}
				return with, keys
			}
			c.Pieces = []*fold.Piece{
				{ID: "p1", Verdict: fold.Folded, Statement: 2, Native: [][2]int{{22, 23}}},
				{ID: "p2", Verdict: fold.Narrowed, Statement: 2, Native: [][2]int{{28, 45}}, Reason: &fold.Reason{Code: fold.KeysShipped}},
				{ID: "p3", Verdict: fold.Folded, Statement: 2, Native: [][2]int{{strings.Index(with, "ORDER"), len(with)}}},
			}
			return j
		})
		rows, err := rowsOf(t, run)
		// The fake source gives all its rows for every batch of keys.
		if err != nil || len(rows) == 0 {
			t.Errorf("%d keys: %v, %v", keys, rows, err)
		}
		rep := run.Report()
		s, p := rep.Statements[1], rep.Pieces
		if keys <= 8 {
			if s.ShippedKeys != keys || s.KeysGivenUp != 0 || s.Text != with || p[1].Verdict != fold.Narrowed {
				t.Errorf("%d keys: %+v, %+v", keys, s, p)
			}
			continue
		}
		if s.ShippedKeys != 0 || s.KeysGivenUp != keys || s.Text != without || p[1].Verdict != fold.Kept || p[1].Reason.Code != "sources-differ" || len(p[1].Native) != 0 {
			t.Errorf("%d keys: %+v, %+v", keys, s, p)
		}
		if len(rows) != 4 {
			t.Errorf("%d keys: a plain read gives %v", keys, rows)
		}
		for i, want := range map[int]string{0: "a", 2: "ORDER BY x"} {
			if n := p[i].Native; len(n) != 1 || s.Text[n[0][0]:n[0][1]] != want {
				t.Errorf("%d keys: piece %d is lit at %v", keys, i+1, n)
			}
		}
	}
}

// A mistake in an operator or in a reader ends its run, with an error, and
// nothing else.
func TestAPanicIsAnError(t *testing.T) {
	m := &tables{rows: map[string][][]any{"l": {{1}}}} // too few values in a row
	for name, build := range map[string]func(*fold.Compiled) plan.Node{
		"reading": func(c *fold.Compiled) plan.Node { return remote(c, "l", 1, 2) },
		"reading ahead": func(c *fold.Compiled) plan.Node {
			return &plan.Join{Left: remote(c, "l", 1, 2), Right: remote(c, "l", 3, 4), On: []plan.Expr{op("=", col(1), col(3))}}
		},
	} {
		if _, err := rowsOf(t, start(t, m, Options{}, build)); value.Code(err) != value.CodeInternal || !strings.Contains(err.Error(), "internal error") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Operators report in the order in which Explain lists them.
func TestReportMatchesExplain(t *testing.T) {
	m := &tables{rows: map[string][][]any{"l": left, "r": right}, size: 2}
	run := start(t, m, Options{}, func(c *fold.Compiled) plan.Node {
		j := &plan.Join{Left: &plan.Filter{Input: remote(c, "l", 1, 2), Conds: []plan.Expr{op("is not null", col(1))}}, Right: remote(c, "r", 3, 4), On: []plan.Expr{op("=", col(1), col(3))}}
		return &plan.Limit{Input: j, Count: 3}
	})
	if _, err := rowsOf(t, run); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, o := range run.Report().Operators {
		got = append(got, fmt.Sprintf("%s %s(%s)=%d", o.ID, o.Kind, strings.Join(o.Inputs, " "), *o.Rows))
	}
	if s := strings.Join(got, "; "); !strings.HasPrefix(s, "n1 limit(n2)=3; n2 join(n3 s2)=") || !strings.Contains(s, "; n3 filter(s1)=") {
		t.Errorf("reported %s", s)
	}
}
