package kernel

import (
	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/plan"
	"rovik/core/value"
)

// The nodes here do not fit plain functions: they see NULLs, or must not
// evaluate an argument for rows that do not need it.

// evalFor evaluates n for some rows of b (nil means all), touching only the
// columns in uses.
func evalFor(n node, b Batch, rows []int32, uses []int) (vector, error) {
	if rows == nil || len(rows) == b.Len {
		return n.eval(b)
	}
	part := Batch{Len: len(rows), Cols: make([]arrow.Array, len(b.Cols))}
	for _, c := range uses {
		part.Cols[c] = Take(b.Cols[c], rows)
	}
	return n.eval(part)
}

// usesOf returns the positions of the columns that e reads.
func usesOf(e plan.Expr, in setting) []int {
	var out []int
	for id := range plan.Uses(e) {
		out = append(out, in.layout[id])
	}
	return out
}

// logicNode is AND (absorbing false) or OR (absorbing true) with SQL's third
// boolean. An argument is evaluated only for rows still undecided.
type logicNode struct {
	args []node
	or   bool
	uses []int
}

func (l logicNode) eval(b Batch) (vector, error) {
	const unknown, decided = 1, 2
	state := make([]uint8, b.Len)
	var rows []int32 // undecided ones; nil for all
	for _, a := range l.args {
		n := b.Len
		if rows != nil {
			if n = len(rows); n == 0 {
				break
			}
		}
		v, err := evalFor(a, b, rows, l.uses)
		if err != nil {
			return vector{}, err
		}
		x := cellsOf[bool](v)
		next := make([]int32, 0, n)
		for i := range n {
			row := int32(i)
			if rows != nil {
				row = rows[i]
			}
			switch {
			case x.null(i):
				state[row] = unknown
			case x.at(i) == l.or:
				state[row] = decided
				continue
			}
			next = append(next, row)
		}
		if len(next) < b.Len {
			rows = next
		}
	}
	out := array.NewBooleanBuilder(value.Memory)
	out.Reserve(b.Len)
	for _, s := range state {
		if s == unknown {
			out.AppendNull()
		} else {
			out.Append((s == decided) == l.or)
		}
	}
	return vector{out.NewArray(), 1}, nil
}

type nullTest struct {
	arg    node
	isNull bool
}

func (t nullTest) eval(b Batch) (vector, error) {
	v, err := t.arg.eval(b)
	if err != nil {
		return vector{}, err
	}
	out := array.NewBooleanBuilder(value.Memory)
	out.Reserve(b.Len)
	for i := range b.Len {
		out.Append(v.null(i) == t.isNull)
	}
	return vector{out.NewArray(), 1}, nil
}

// boolTest is IS [NOT] TRUE and IS [NOT] FALSE.
type boolTest struct {
	arg       node
	want, not bool
}

func (t boolTest) eval(b Batch) (vector, error) {
	v, err := t.arg.eval(b)
	if err != nil {
		return vector{}, err
	}
	x, out := cellsOf[bool](v), array.NewBooleanBuilder(value.Memory)
	out.Reserve(b.Len)
	for i := range b.Len {
		out.Append((!x.null(i) && x.at(i) == t.want) != t.not)
	}
	return vector{out.NewArray(), 1}, nil
}

// scatter collects, for every row, the value that some branch computed.
type scatter struct {
	parts []vector
	part  []int32 // by row: which part, -1 for NULL
	entry []int32 // by row: which entry of it
}

func newScatter(rows int) *scatter {
	s := &scatter{part: make([]int32, rows), entry: make([]int32, rows)}
	for i := range s.part {
		s.part[i] = -1
	}
	return s
}

// add says that v holds the values of rows, in their order; keep filters.
func (s *scatter) add(v vector, rows []int32, keep func(i int) bool) {
	p := int32(len(s.parts))
	s.parts = append(s.parts, v)
	for i, row := range rows {
		if keep(i) {
			s.part[row], s.entry[row] = p, int32(i*v.stride)
		}
	}
}

// gather builds the array, by joining the parts and picking from the whole.
func (s *scatter) gather(k value.Kind) (vector, error) {
	arrays := make([]arrow.Array, len(s.parts))
	start := make([]int32, len(s.parts))
	total := int32(0)
	for i, p := range s.parts {
		arrays[i], start[i] = p.arr, total
		total += int32(p.arr.Len())
	}
	if len(arrays) == 0 {
		return vector{value.Repeat(value.NullOf(k), len(s.part)), 1}, nil
	}
	all, err := array.Concatenate(arrays, value.Memory)
	if err != nil {
		return vector{}, err
	}
	picks := make([]int32, len(s.part))
	for row, p := range s.part {
		if picks[row] = -1; p >= 0 {
			picks[row] = start[p] + s.entry[row]
		}
	}
	return vector{Take(all, picks), 1}, nil
}

func allRows(n int) []int32 {
	rows := make([]int32, n)
	for i := range rows {
		rows[i] = int32(i)
	}
	return rows
}

// firstNode is COALESCE.
type firstNode struct {
	args []node
	kind value.Kind
	uses []int
}

func (f firstNode) eval(b Batch) (vector, error) {
	s := newScatter(b.Len)
	rows := allRows(b.Len)
	for _, a := range f.args {
		if len(rows) == 0 {
			break
		}
		v, err := evalFor(a, b, rows, f.uses)
		if err != nil {
			return vector{}, err
		}
		var rest []int32
		for i, r := range rows {
			if v.null(i) {
				rest = append(rest, r)
			}
		}
		s.add(v, rows, func(i int) bool { return !v.null(i) })
		rows = rest
	}
	return s.gather(f.kind)
}

type caseNode struct {
	conds, results []node
	kind           value.Kind
	uses           []int
}

func compileCase(e *plan.Case, in setting) (node, error) {
	c := caseNode{kind: e.Typ.Kind, uses: usesOf(e, in)}
	for _, w := range e.Whens {
		pair, err := compileAll([]plan.Expr{w.Cond, w.Result}, in)
		if err != nil {
			return nil, err
		}
		c.conds, c.results = append(c.conds, pair[0]), append(c.results, pair[1])
	}
	last, err := compile(e.Else, in)
	c.results = append(c.results, last)
	return c, err
}

func (c caseNode) eval(b Batch) (vector, error) {
	s := newScatter(b.Len)
	rows := allRows(b.Len)
	branch := func(n node, rows []int32) error {
		if len(rows) == 0 {
			return nil
		}
		v, err := evalFor(n, b, rows, c.uses)
		if err != nil {
			return err
		}
		s.add(v, rows, func(i int) bool { return !v.null(i) })
		return nil
	}
	for i, cond := range c.conds {
		if len(rows) == 0 {
			break
		}
		v, err := evalFor(cond, b, rows, c.uses)
		if err != nil {
			return vector{}, err
		}
		x := cellsOf[bool](v)
		var hit, miss []int32
		for j, r := range rows {
			if !x.null(j) && x.at(j) {
				hit = append(hit, r)
			} else {
				miss = append(miss, r)
			}
		}
		if err := branch(c.results[i], hit); err != nil {
			return vector{}, err
		}
		rows = miss
	}
	if err := branch(c.results[len(c.results)-1], rows); err != nil {
		return vector{}, err
	}
	return s.gather(c.kind)
}

// evalAll evaluates arguments for all rows and expands them to arrays.
func evalAll(args []node, kind value.Kind, b Batch) ([]arrow.Array, error) {
	out := make([]arrow.Array, len(args))
	for i, a := range args {
		v, err := a.eval(b)
		if err != nil {
			return nil, err
		}
		out[i] = v.expand(kind, b.Len)
	}
	return out, nil
}

// extremeNode is GREATEST and LEAST, which pass over NULLs.
type extremeNode struct {
	args     []node
	kind     value.Kind
	greatest bool
}

func (x extremeNode) eval(b Batch) (vector, error) {
	arrays, err := evalAll(x.args, x.kind, b)
	if err != nil {
		return vector{}, err
	}
	out := value.NewBuilder(x.kind)
	out.Reserve(b.Len)
	for i := range b.Len {
		var best arrow.Array
		for _, a := range arrays {
			if a.IsNull(i) {
				continue
			}
			if best == nil || (value.CompareAt(a, i, best, i) > 0) == x.greatest && value.CompareAt(a, i, best, i) != 0 {
				best = a
			}
		}
		if best == nil {
			out.AppendNull()
		} else {
			value.Append(out, value.At(x.kind, best, i))
		}
	}
	return vector{out.NewArray(), 1}, nil
}

// concatNode joins strings, a NULL being no text.
type concatNode struct{ args []node }

func (c concatNode) eval(b Batch) (vector, error) {
	arrays, err := evalAll(c.args, value.Text, b)
	if err != nil {
		return vector{}, err
	}
	out := array.NewStringBuilder(value.Memory)
	var buf []byte
	for i := range b.Len {
		buf = buf[:0]
		for _, a := range arrays {
			if !a.IsNull(i) {
				buf = append(buf, a.(*array.String).Value(i)...)
			}
		}
		out.Append(string(buf))
	}
	return vector{out.NewArray(), 1}, nil
}

// separatedNode is CONCAT_WS: NULLs are left out with their separators.
type separatedNode struct{ args []node }

func (c separatedNode) eval(b Batch) (vector, error) {
	arrays, err := evalAll(c.args, value.Text, b)
	if err != nil {
		return vector{}, err
	}
	out := array.NewStringBuilder(value.Memory)
	for i := range b.Len {
		if arrays[0].IsNull(i) {
			out.AppendNull()
			continue
		}
		var buf []byte
		first := true
		for _, a := range arrays[1:] {
			if a.IsNull(i) {
				continue
			}
			if !first {
				buf = append(buf, arrays[0].(*array.String).Value(i)...)
			}
			first = false
			buf = append(buf, a.(*array.String).Value(i)...)
		}
		out.Append(string(buf))
	}
	return vector{out.NewArray(), 1}, nil
}

type distinctNode struct {
	a, b node
	not  bool // true for IS DISTINCT FROM
}

func (d distinctNode) eval(b Batch) (vector, error) {
	x, err := d.a.eval(b)
	if err != nil {
		return vector{}, err
	}
	y, err := d.b.eval(b)
	if err != nil {
		return vector{}, err
	}
	out := array.NewBooleanBuilder(value.Memory)
	for i := range b.Len {
		same := x.null(i) == y.null(i)
		if same && !x.null(i) {
			same = value.CompareAt(x.arr, i*x.stride, y.arr, i*y.stride) == 0
		}
		out.Append(same != d.not)
	}
	return vector{out.NewArray(), 1}, nil
}

// inNode looks values up in a set of constants.
type inNode struct {
	arg     node
	set     map[string]bool
	hasNull bool
}

// compileIn makes a set of a list of constants, else a chain of equalities.
func compileIn(e *plan.Call, args []node, uses []int) (node, error) {
	set := inNode{arg: args[0], set: map[string]bool{}}
	for _, item := range e.Args[1:] {
		c, ok := item.(*plan.Const)
		if !ok {
			set.set = nil
			break
		}
		if c.Val.IsNull {
			set.hasNull = true
			continue
		}
		set.set[string(value.AppendKey(nil, value.Repeat(c.Val, 1), 0))] = true
	}
	if set.set != nil {
		return set, nil
	}
	kinds := kindsOf(e.Args[:2])
	f := exactly("=", kinds)
	if f == nil {
		return nil, noSuchFunction("=", kinds)
	}
	any := logicNode{or: true, uses: uses}
	for _, a := range args[1:] {
		any.args = append(any.args, callNode{f: f, args: []node{args[0], a}, expr: e})
	}
	return any, nil
}

func (in inNode) eval(b Batch) (vector, error) {
	v, err := in.arg.eval(b)
	if err != nil {
		return vector{}, err
	}
	out := array.NewBooleanBuilder(value.Memory)
	out.Reserve(b.Len)
	var key []byte
	for i := range b.Len {
		if v.null(i) {
			out.AppendNull()
			continue
		}
		key = value.AppendKey(key[:0], v.arr, i*v.stride)
		switch {
		case in.set[string(key)]:
			out.Append(true)
		case in.hasNull:
			out.AppendNull()
		default:
			out.Append(false)
		}
	}
	return vector{out.NewArray(), 1}, nil
}
