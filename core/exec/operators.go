package exec

import (
	"context"
	"errors"
	"io"
	"sort"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

type filterOp struct {
	in    operator
	conds []*kernel.Program
}

func (o *filterOp) next(ctx context.Context) (kernel.Batch, error) {
	for {
		b, err := o.in.next(ctx)
		if err != nil {
			return b, err
		}
		if b, err = kernel.Select(b, o.conds); err != nil || b.Len > 0 {
			return b, err
		}
	}
}

type projectOp struct {
	in    operator
	exprs []*kernel.Program
}

func (o *projectOp) next(ctx context.Context) (kernel.Batch, error) {
	b, err := o.in.next(ctx)
	if err != nil {
		return b, err
	}
	out := kernel.Batch{Len: b.Len, Cols: make([]arrow.Array, len(o.exprs))}
	for i, p := range o.exprs {
		if out.Cols[i], err = p.Eval(b); err != nil {
			return kernel.Batch{}, err
		}
	}
	return out, nil
}

// limitOp skips rows, then passes on at most left rows; -1 means all.
type limitOp struct {
	in         operator
	skip, left int64
}

func (o *limitOp) next(ctx context.Context) (kernel.Batch, error) {
	for o.left != 0 {
		b, err := o.in.next(ctx)
		if err != nil {
			return b, err
		}
		if n := int64(b.Len); o.skip >= n {
			o.skip -= n
			continue
		}
		end := int64(b.Len)
		if o.left >= 0 {
			end = min(end, o.skip+o.left)
			o.left -= end - o.skip
		}
		b = b.Slice(int(o.skip), int(end))
		o.skip = 0
		return b, nil
	}
	return kernel.Batch{}, io.EOF
}

type unionOp struct{ parts []operator }

func (o *unionOp) next(ctx context.Context) (kernel.Batch, error) {
	for len(o.parts) > 0 {
		b, err := o.parts[0].next(ctx)
		if !errors.Is(err, io.EOF) {
			return b, err
		}
		o.parts = o.parts[1:]
	}
	return kernel.Batch{}, io.EOF
}

type valuesOp struct {
	n    *plan.Values
	done bool
}

func (o *valuesOp) next(context.Context) (kernel.Batch, error) {
	if o.done || len(o.n.Rows) == 0 {
		return kernel.Batch{}, io.EOF
	}
	o.done = true
	b := kernel.Batch{Len: len(o.n.Rows), Cols: make([]arrow.Array, len(o.n.Cols))}
	for i, c := range o.n.Cols {
		col := value.NewBuilder(c.Type.Kind)
		for _, row := range o.n.Rows {
			value.Append(col, row[i])
		}
		b.Cols[i] = col.NewArray()
	}
	return b, nil
}

// sortOp holds all rows, or with top >= 0 little more than the first top.
type sortOp struct {
	in       operator
	keys     []plan.SortKey
	programs []*kernel.Program
	kinds    []value.Kind
	budget   *budget
	top      int64
	sorted   *kernel.Batch
	at       int
}

func (o *sortOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.sorted == nil {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	if o.at >= o.sorted.Len {
		return kernel.Batch{}, io.EOF
	}
	end := min(o.at+BatchRows, o.sorted.Len)
	b := o.sorted.Slice(o.at, end)
	o.at = end
	return b, nil
}

func (o *sortOp) fill(ctx context.Context) error {
	var held []kernel.Batch
	rows := 0
	for {
		b, err := o.in.next(ctx)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		held = append(held, b)
		rows += b.Len
		if o.top >= 0 && int64(rows) > 4*o.top+4*BatchRows {
			best, err := o.order(held)
			if err != nil {
				return err
			}
			held, rows = []kernel.Batch{best}, best.Len
		} else if o.top < 0 {
			if err := o.budget.take(b.Bytes(), "sort"); err != nil {
				return err
			}
		}
	}
	all, err := o.order(held)
	o.sorted = &all
	return err
}

// order sorts batches into one, and cuts it to the first top rows.
func (o *sortOp) order(batches []kernel.Batch) (kernel.Batch, error) {
	all, err := kernel.Concat(o.kinds, batches)
	if err != nil {
		return all, err
	}
	keys := make([]arrow.Array, len(o.programs))
	for i, p := range o.programs {
		if keys[i], err = p.Eval(all); err != nil {
			return all, err
		}
	}
	rows := make([]int32, all.Len)
	for i := range rows {
		rows[i] = int32(i)
	}
	sort.SliceStable(rows, func(i, j int) bool {
		a, b := int(rows[i]), int(rows[j])
		for k, key := range keys {
			if c := compareKey(key, a, b, o.keys[k]); c != 0 {
				return c < 0
			}
		}
		return false
	})
	if o.top >= 0 && int64(len(rows)) > o.top {
		rows = rows[:o.top]
	}
	return all.Take(rows), nil
}

func compareKey(a arrow.Array, i, j int, k plan.SortKey) int {
	in, jn := a.IsNull(i), a.IsNull(j)
	switch {
	case in && jn:
		return 0
	case in || jn:
		if in == k.NullsFirst {
			return -1
		}
		return 1
	}
	c := value.CompareAt(a, i, a, j)
	if k.Desc {
		return -c
	}
	return c
}

// distinctOp passes on every row that it has not seen.
type distinctOp struct {
	in     operator
	seen   map[string]struct{}
	budget *budget
}

func (o *distinctOp) next(ctx context.Context) (kernel.Batch, error) {
	var key []byte
	for {
		b, err := o.in.next(ctx)
		if err != nil {
			return b, err
		}
		var rows []int32
		var grown int64
		for i := range b.Len {
			key = rowKey(key[:0], b.Cols, i)
			if _, ok := o.seen[string(key)]; !ok {
				o.seen[string(key)] = struct{}{}
				grown += int64(len(key)) + entryBytes
				rows = append(rows, int32(i))
			}
		}
		if err := o.budget.take(grown, "DISTINCT"); err != nil {
			return b, err
		}
		if len(rows) > 0 {
			return b.Take(rows), nil
		}
	}
}

// entryBytes is what an entry of a hash table takes besides its key, about.
const entryBytes = 48

func rowKey(key []byte, cols []arrow.Array, i int) []byte {
	for _, c := range cols {
		key = value.AppendKey(key, c, i)
	}
	return key
}

// aggregateOp groups all rows in a hash table.
type aggregateOp struct {
	in      operator
	groups  []*kernel.Program
	args    []*kernel.Program // nil entries for count(*)
	accs    []kernel.Accumulator
	budget  *budget
	index   map[string]int32
	values  []array.Builder // of the groups' keys
	kinds   []value.Kind
	result  *kernel.Batch
	emitted int
}

func newAggregateOp(n *plan.Aggregate, in operator, b *budget) (operator, error) {
	o := &aggregateOp{in: in, budget: b, index: map[string]int32{}}
	cols := n.Input.Columns()
	layout := layoutOf(cols)
	for _, g := range n.Groups {
		p, err := kernel.Compile(g.Expr, layout)
		if err != nil {
			return nil, err
		}
		o.groups = append(o.groups, p)
		o.kinds = append(o.kinds, g.Type.Kind)
		o.values = append(o.values, value.NewBuilder(g.Type.Kind))
	}
	for _, a := range n.Aggs {
		var p *kernel.Program
		if a.Arg != nil {
			var err error
			if p, err = kernel.Compile(a.Arg, layout); err != nil {
				return nil, err
			}
		}
		acc, err := kernel.NewAccumulator(a.Agg, a.Type)
		if err != nil {
			return nil, err
		}
		o.args, o.accs = append(o.args, p), append(o.accs, acc)
	}
	return o, nil
}

func (o *aggregateOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.result == nil {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	if o.emitted >= o.result.Len {
		return kernel.Batch{}, io.EOF
	}
	end := min(o.emitted+BatchRows, o.result.Len)
	b := o.result.Slice(o.emitted, end)
	o.emitted = end
	return b, nil
}

func (o *aggregateOp) fill(ctx context.Context) error {
	for {
		b, err := o.in.next(ctx)
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			err = o.add(b)
		}
		if err != nil {
			return err
		}
	}
	groups := len(o.index)
	if len(o.groups) == 0 {
		groups = 1
	}
	o.result = &kernel.Batch{Len: groups}
	for _, v := range o.values {
		o.result.Cols = append(o.result.Cols, v.NewArray())
	}
	for _, acc := range o.accs {
		a, err := acc.Result(groups)
		if err != nil {
			return err
		}
		o.result.Cols = append(o.result.Cols, a)
	}
	return nil
}

func (o *aggregateOp) add(b kernel.Batch) error {
	group, err := o.groupRows(b)
	if err != nil {
		return err
	}
	for i, acc := range o.accs {
		var arg arrow.Array
		if o.args[i] != nil {
			if arg, err = o.args[i].Eval(b); err != nil {
				return err
			}
		}
		if err := acc.Add(arg, group, max(len(o.index), 1)); err != nil {
			return err
		}
	}
	return nil
}

// groupRows returns the group of every row, making new groups as they come.
func (o *aggregateOp) groupRows(b kernel.Batch) ([]int32, error) {
	group := make([]int32, b.Len)
	if len(o.groups) == 0 {
		return group, nil
	}
	keys := make([]arrow.Array, len(o.groups))
	for i, p := range o.groups {
		var err error
		if keys[i], err = p.Eval(b); err != nil {
			return nil, err
		}
	}
	var key []byte
	var grown int64
	for i := range group {
		key = rowKey(key[:0], keys, i)
		g, ok := o.index[string(key)]
		if !ok {
			g = int32(len(o.index))
			o.index[string(key)] = g
			grown += int64(2*len(key)) + entryBytes
			for c, k := range keys {
				value.Append(o.values[c], value.At(o.kinds[c], k, i))
			}
		}
		group[i] = g
	}
	return group, o.budget.take(grown, "grouping")
}
