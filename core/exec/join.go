package exec

import (
	"context"
	"errors"
	"io"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// equiKeys splits a join's equalities between its sides from its other
// conditions.
func equiKeys(n *plan.Join) (left []plan.Expr, right []plan.Expr, ok bool) {
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	for _, c := range n.On {
		if l, r, is := plan.EquiKeys(c, lo, ro); is {
			left, right = append(left, l), append(right, r)
		}
	}
	return left, right, len(left) > 0
}

// joinOp builds a hash table of one side and probes it with the other. Without
// equalities all rows lie in one bucket. For a left join the right side is
// built; else the one with fewer expected rows.
type joinOp struct {
	probe, build operator
	kind         plan.JoinKind
	probeKeys    []*kernel.Program
	buildKeys    []*kernel.Program
	residual     []*kernel.Program // over left columns, then right ones
	buildKinds   []value.Kind
	buildsLeft   bool
	budget       *budget

	table   kernel.Batch
	head    map[string]int32 // last build row of a key
	chain   []int32          // previous build row of the same key, -1 at the end
	ready   bool
	current kernel.Batch // the probe batch being joined
	keys    []arrow.Array
	matched []bool
	row     int
	at      int32 // next candidate for row; -2 where it has not been looked up
}

func (b *builder) join(n *plan.Join) (operator, error) {
	lc, rc := n.Left.Columns(), n.Right.Columns()
	o := &joinOp{kind: n.Kind, budget: b.run.budget, head: map[string]int32{}, at: -2}
	o.buildsLeft = n.Kind == plan.InnerJoin && b.estimate.Rows(n.Left) < b.estimate.Rows(n.Right)
	left, err := b.build(n.Left)
	if err != nil {
		return nil, err
	}
	right, err := b.build(n.Right)
	if err != nil {
		return nil, err
	}
	lk, rk, _ := equiKeys(n)
	lp, err := compileAll(lk, lc)
	if err != nil {
		return nil, err
	}
	rp, err := compileAll(rk, rc)
	if err != nil {
		return nil, err
	}
	var residual []plan.Expr
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	for _, c := range n.On {
		if _, _, is := plan.EquiKeys(c, lo, ro); !is {
			residual = append(residual, c)
		}
	}
	if o.residual, err = compileAll(residual, n.Columns()); err != nil {
		return nil, err
	}
	o.probe, o.build, o.probeKeys, o.buildKeys, o.buildKinds = left, right, lp, rp, kindsOf(rc)
	if o.buildsLeft {
		o.probe, o.build, o.probeKeys, o.buildKeys, o.buildKinds = right, left, rp, lp, kindsOf(lc)
	}
	return o, nil
}

func (o *joinOp) fill(ctx context.Context) error {
	var held []kernel.Batch
	for {
		b, err := o.build.next(ctx)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if err := o.budget.take(b.Bytes()+int64(b.Len)*entryBytes, "join"); err != nil {
			return err
		}
		held = append(held, b)
	}
	var err error
	if o.table, err = kernel.Concat(o.buildKinds, held); err != nil {
		return err
	}
	keys, err := evalAll(o.buildKeys, o.table)
	if err != nil {
		return err
	}
	o.chain = make([]int32, o.table.Len)
	var key []byte
	// Backwards, so that chains run forwards.
	for i := o.table.Len - 1; i >= 0; i-- {
		if anyNull(keys, i) {
			continue
		}
		key = rowKey(key[:0], keys, i)
		next, ok := o.head[string(key)]
		if !ok {
			next = -1
		}
		o.chain[i] = next
		o.head[string(key)] = int32(i)
	}
	o.ready = true
	return nil
}

func evalAll(programs []*kernel.Program, b kernel.Batch) ([]arrow.Array, error) {
	out := make([]arrow.Array, len(programs))
	for i, p := range programs {
		a, err := p.Eval(b)
		if err != nil {
			return nil, err
		}
		out[i] = a
	}
	return out, nil
}

func anyNull(keys []arrow.Array, i int) bool {
	for _, k := range keys {
		if k.IsNull(i) {
			return true
		}
	}
	return false
}

func (o *joinOp) next(ctx context.Context) (kernel.Batch, error) {
	if !o.ready {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	for {
		if o.row >= o.current.Len {
			if b, ok := o.unmatched(); ok {
				return b, nil
			}
			if err := o.advance(ctx); err != nil {
				return kernel.Batch{}, err
			}
		}
		b, err := o.pairs()
		if err != nil || b.Len > 0 {
			return b, err
		}
	}
}

// advance takes the next probe batch.
func (o *joinOp) advance(ctx context.Context) error {
	b, err := o.probe.next(ctx)
	if err != nil {
		return err
	}
	o.current, o.row, o.at = b, 0, -2
	if o.keys, err = evalAll(o.probeKeys, b); err != nil {
		return err
	}
	if o.kind == plan.LeftJoin {
		o.matched = make([]bool, b.Len)
	}
	return nil
}

// pairs joins rows of the current batch until a batch is full or it ends.
func (o *joinOp) pairs() (kernel.Batch, error) {
	probe, build := make([]int32, 0, BatchRows), make([]int32, 0, BatchRows)
	var key []byte
	for ; o.row < o.current.Len; o.row++ {
		if o.at == -2 {
			o.at = -1
			if !anyNull(o.keys, o.row) {
				key = rowKey(key[:0], o.keys, o.row)
				if h, ok := o.head[string(key)]; ok {
					o.at = h
				}
			}
		}
		for o.at >= 0 && len(probe) < BatchRows {
			probe, build = append(probe, int32(o.row)), append(build, o.at)
			o.at = o.chain[o.at]
		}
		if len(probe) >= BatchRows && o.at >= 0 {
			break
		}
		o.at = -2
	}
	return o.joined(probe, build)
}

// joined puts pairs together and drops those that a residual condition does
// not let through.
func (o *joinOp) joined(probe, build []int32) (kernel.Batch, error) {
	if len(probe) == 0 {
		return kernel.Batch{}, nil
	}
	b := o.combine(probe, build)
	if len(o.residual) == 0 {
		if o.kind == plan.LeftJoin {
			for _, p := range probe {
				o.matched[p] = true
			}
		}
		return b, nil
	}
	if o.kind == plan.InnerJoin {
		return kernel.Select(b, o.residual)
	}
	// A left join has to know which rows found a partner: the pairs' positions
	// go along as a last column.
	place := value.NewBuilder(value.Int4)
	for _, p := range probe {
		value.Append(place, value.IntOf(value.Int4, int64(p)))
	}
	b.Cols = append(b.Cols, place.NewArray())
	b, err := kernel.Select(b, o.residual)
	if err != nil {
		return b, err
	}
	last := len(b.Cols) - 1
	for i := range b.Len {
		o.matched[value.At(value.Int4, b.Cols[last], i).Int] = true
	}
	b.Cols = b.Cols[:last]
	return b, nil
}

func (o *joinOp) combine(probe, build []int32) kernel.Batch {
	p, t := o.current.Take(probe), o.table.Take(build)
	if o.buildsLeft {
		p, t = t, p
	}
	return kernel.Batch{Len: len(probe), Cols: append(p.Cols[:len(p.Cols):len(p.Cols)], t.Cols...)}
}

// unmatched gives a left join's rows of the current batch without a partner.
func (o *joinOp) unmatched() (kernel.Batch, bool) {
	if o.matched == nil {
		return kernel.Batch{}, false
	}
	var probe, build []int32
	for i, m := range o.matched {
		if !m {
			probe, build = append(probe, int32(i)), append(build, -1)
		}
	}
	o.matched = nil
	if len(probe) == 0 {
		return kernel.Batch{}, false
	}
	return o.combine(probe, build), true
}
