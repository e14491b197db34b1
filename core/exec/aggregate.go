package exec

import (
	"context"
	"errors"
	"io"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// aggregateOp groups all rows in hash tables, one for each grouping set.
type aggregateOp struct {
	in     operator
	groups []*kernel.Program
	aggs   []aggregateCall
	sets   []*groupingSet
	budget *account
	kinds  []value.Kind
	setID  bool
	result *portions
}

type aggregateCall struct {
	plan.AggItem
	args   []*kernel.Program // with the keys of the call's order
	filter *kernel.Program
}

// groupingSet is the hash table of one set of the groups.
type groupingSet struct {
	members []int
	mask    int64 // bits of the groups that are not members
	index   *groupIndex
	values  []array.Builder // of the members' keys
	accs    []kernel.Accumulator
}

func newAggregateOp(n *plan.Aggregate, in operator, b *account) (operator, error) {
	o := &aggregateOp{in: in, budget: b, setID: n.SetID != nil}
	cols := n.Input.Columns()
	var err error
	for _, g := range n.Groups {
		p, err := compileWithin([]plan.Expr{g.Expr}, cols, b.parts)
		if err != nil {
			return nil, err
		}
		o.groups = append(o.groups, p[0])
		o.kinds = append(o.kinds, g.Type.Kind)
	}
	for _, a := range n.Aggs {
		call := aggregateCall{AggItem: a}
		exprs := append([]plan.Expr{}, a.Args...)
		for _, k := range a.Order {
			exprs = append(exprs, k.Expr)
		}
		if call.args, err = compileWithin(exprs, cols, b.parts); err != nil {
			return nil, err
		}
		if a.Filter != nil {
			if call.filter, err = kernel.CompileWithin(a.Filter, layoutOf(cols), b.parts); err != nil {
				return nil, err
			}
		}
		o.aggs = append(o.aggs, call)
	}
	sets := n.Sets
	if sets == nil {
		all := make([]int, len(n.Groups))
		for i := range all {
			all[i] = i
		}
		sets = [][]int{all}
	}
	for _, members := range sets {
		s := &groupingSet{members: members, mask: 1<<len(n.Groups) - 1, index: newGroupIndex(members)}
		for _, m := range members {
			s.mask &^= 1 << m
			s.values = append(s.values, value.NewBuilder(o.kinds[m]))
		}
		for _, a := range o.aggs {
			acc, err := kernel.NewAccumulator(a.Agg, a.Type)
			if err != nil {
				return nil, err
			}
			s.accs = append(s.accs, acc)
		}
		o.sets = append(o.sets, s)
	}
	return o, nil
}

func (o *aggregateOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.result == nil {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	return o.result.next()
}

func (o *aggregateOp) fill(ctx context.Context) error {
	for {
		b, err := o.in.next(ctx)
		if errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			err = inParts(ctx, b, o.add)
		}
		if err != nil {
			return err
		}
	}
	var parts []kernel.Batch
	for _, s := range o.sets {
		b, err := o.finish(s)
		if err != nil {
			return err
		}
		parts = append(parts, b)
	}
	var kinds []value.Kind
	kinds = append(kinds, o.kinds...)
	if o.setID {
		kinds = append(kinds, value.Int8)
	}
	for _, a := range o.aggs {
		kinds = append(kinds, a.Type.Kind)
	}
	all, err := kernel.Concat(kinds, parts)
	o.result = &portions{rows: all}
	return err
}

// finish makes the rows of one set.
func (o *aggregateOp) finish(s *groupingSet) (kernel.Batch, error) {
	groups := s.index.n
	if len(s.members) == 0 {
		groups = 1 // all rows, even none, are a group
	}
	out := kernel.Batch{Len: groups}
	at := 0
	for i, k := range o.kinds {
		if at < len(s.members) && s.members[at] == i {
			out.Cols = append(out.Cols, s.values[at].NewArray())
			at++
		} else {
			out.Cols = append(out.Cols, value.Repeat(value.NullOf(k), groups))
		}
	}
	if o.setID {
		out.Cols = append(out.Cols, value.Repeat(value.IntOf(value.Int8, s.mask), groups))
	}
	for i, acc := range s.accs {
		a, err := acc.Result(groups)
		if err != nil {
			return out, placed(o.aggs[i].Org, err)
		}
		out.Cols = append(out.Cols, a)
	}
	return out, nil
}

// placed gives an error its place in the text.
func placed(o plan.Origin, err error) error {
	var ve *value.Error
	if errors.As(err, &ve) && o.Known() && ve.End < 0 {
		return ve.At(o.View, o.Start, o.End)
	}
	return err
}

func (o *aggregateOp) add(b kernel.Batch) error {
	keys, err := evalAll(o.groups, b)
	if err != nil {
		return err
	}
	args := make([][]arrow.Array, len(o.aggs))
	rows := make([][]int32, len(o.aggs)) // nil for all
	for i, a := range o.aggs {
		part := b
		if a.filter != nil {
			if part, rows[i], err = filtered(b, a.filter); err != nil {
				return err
			}
		}
		if args[i], err = evalAll(a.args, part); err != nil {
			return err
		}
	}
	for _, s := range o.sets {
		group, err := o.groupRows(s, b.Len, keys)
		if err != nil {
			return err
		}
		for i, acc := range s.accs {
			own := group
			if rows[i] != nil {
				own = make([]int32, len(rows[i]))
				for j, r := range rows[i] {
					own[j] = group[r]
				}
			}
			if err := acc.Add(args[i], own, max(s.index.n, 1)); err != nil {
				return placed(o.aggs[i].Org, err)
			}
			if h, is := acc.(kernel.Holder); is {
				if err := o.budget.take(h.Grown(), "aggregates"); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// filtered returns the rows of b for which cond is true, and which they are.
func filtered(b kernel.Batch, cond *kernel.Program) (kernel.Batch, []int32, error) {
	arr, err := cond.Eval(b)
	if err != nil {
		return b, nil, err
	}
	keep := arr.(*array.Boolean)
	rows := make([]int32, 0, b.Len)
	for i := range b.Len {
		if !keep.IsNull(i) && keep.Value(i) {
			rows = append(rows, int32(i))
		}
	}
	return b.Take(rows), rows, nil
}

// groupRows returns the group of every row, making new groups as they come.
func (o *aggregateOp) groupRows(s *groupingSet, n int, keys []arrow.Array) ([]int32, error) {
	group := s.index.number(n, keys, func(row int) {
		for c, m := range s.members {
			value.Append(s.values[c], value.At(o.kinds[m], keys[m], row))
		}
	})
	grown := s.index.bytes
	s.index.bytes = 0
	return group, o.budget.take(grown, "grouping")
}
