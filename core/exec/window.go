package exec

import (
	"context"
	"errors"
	"io"
	"sort"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// windowOp sorts all rows into partitions and computes window functions that
// share one window.
type windowOp struct {
	in        operator
	n         *plan.Window
	partition []*kernel.Program
	order     []*kernel.Program
	args      [][]*kernel.Program
	filters   []*kernel.Program
	kinds     []value.Kind
	budget    *account
	result    *portions
}

func newWindowOp(n *plan.Window, in operator, b *account) (operator, error) {
	cols := n.Input.Columns()
	o := &windowOp{in: in, n: n, kinds: kindsOf(cols), budget: b}
	first := n.Items[0]
	var err error
	if o.partition, err = b.compileAll(first.Partition, cols); err != nil {
		return nil, err
	}
	var keys []plan.Expr
	for _, k := range first.Order {
		keys = append(keys, k.Expr)
	}
	if o.order, err = b.compileAll(keys, cols); err != nil {
		return nil, err
	}
	for _, it := range n.Items {
		args, err := b.compileAll(it.Args, cols)
		if err != nil {
			return nil, err
		}
		o.args = append(o.args, args)
		var filter *kernel.Program
		if it.Filter != nil {
			if filter, err = kernel.CompileWithin(it.Filter, layoutOf(cols), b.room); err != nil {
				return nil, err
			}
		}
		o.filters = append(o.filters, filter)
	}
	return o, nil
}

func (o *windowOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.result == nil {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	return o.result.next()
}

// collect reads all of in, within the budget.
func collect(ctx context.Context, in operator, kinds []value.Kind, b *account, what string) (kernel.Batch, error) {
	var held []kernel.Batch
	for {
		batch, err := in.next(ctx)
		if errors.Is(err, io.EOF) {
			return kernel.Concat(kinds, held)
		}
		if err == nil {
			err = b.take(batch.Bytes(), what)
		}
		if err != nil {
			return kernel.Batch{}, err
		}
		held = append(held, batch)
	}
}

func (o *windowOp) fill(ctx context.Context) error {
	all, err := collect(ctx, o.in, o.kinds, o.budget, "window functions")
	if err != nil {
		return err
	}
	partition, err := evalAll(o.partition, all)
	if err != nil {
		return err
	}
	order, err := evalAll(o.order, all)
	if err != nil {
		return err
	}
	keys := o.n.Items[0].Order
	// Partitions come in the order of their first rows.
	number := make([]int32, all.Len)
	seen := map[string]int32{}
	var key []byte
	for i := range number {
		key = rowKey(key[:0], partition, i)
		p, ok := seen[string(key)]
		if !ok {
			p = int32(len(seen))
			seen[string(key)] = p
		}
		number[i] = p
	}
	rows := make([]int32, all.Len)
	for i := range rows {
		rows[i] = int32(i)
	}
	working := o.budget.share.Working()
	sort.SliceStable(rows, func(i, j int) bool {
		working()
		a, b := rows[i], rows[j]
		if number[a] != number[b] {
			return number[a] < number[b]
		}
		for k, arr := range order {
			if c := kernel.CompareKeys(arr, int(a), int(b), keys[k]); c != 0 {
				return c < 0
			}
		}
		return false
	})
	sorted := all.Take(rows)
	for i := range order {
		order[i] = kernel.Take(order[i], rows)
	}
	results := make([][]kernel.Batch, len(o.n.Items))
	for start := 0; start < sorted.Len; {
		end := start + 1
		for end < sorted.Len && number[rows[end]] == number[rows[start]] {
			end++
		}
		part := sorted.Slice(start, end)
		keys := kernel.Batch{Len: sorted.Len, Cols: order}.Slice(start, end).Cols
		for i := range o.n.Items {
			col, err := o.compute(i, part, keys)
			if err != nil {
				return placed(o.n.Items[i].Org, err)
			}
			results[i] = append(results[i], kernel.Batch{Len: part.Len, Cols: []arrow.Array{col}})
		}
		start = end
	}
	for i, it := range o.n.Items {
		col, err := kernel.Concat([]value.Kind{it.Type.Kind}, results[i])
		if err != nil {
			return err
		}
		sorted.Cols = append(sorted.Cols, col.Cols...)
	}
	o.result = &portions{rows: sorted}
	return nil
}

func (o *windowOp) compute(i int, part kernel.Batch, order []arrow.Array) (arrow.Array, error) {
	args, err := evalAll(o.args[i], part)
	if err != nil {
		return nil, err
	}
	var filter arrow.Array
	if o.filters[i] != nil {
		if filter, err = o.filters[i].Eval(part); err != nil {
			return nil, err
		}
	}
	it := o.n.Items[i]
	p, err := kernel.NewPartition(it.WindowCall, part.Len, args, filter, order, o.budget.room)
	if err != nil {
		return nil, err
	}
	return p.Eval(it.Type.Kind)
}
