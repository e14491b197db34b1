package exec

import (
	"context"
	"errors"
	"io"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// rounds is what the rounds of one recursion share.
type rounds struct {
	held  map[plan.Node]*heldRows
	asked map[plan.Node]*remoteOp // takes keys of the present round
	holds *account                // what is held for all rounds
}

// remote reads a statement in a round. What it reads is held for the rounds
// that follow, unless the statement takes keys that each round makes anew. Once
// the keys of a round were too many, all rows are read once and held.
func (r *rounds) remote(b *builder, n *plan.Remote) operator {
	h := r.held[n]
	if keys := b.shipments[n.Statement]; h == nil && keys != nil && keys.eachRound {
		last := r.asked[n]
		if last == nil || !last.keys.plain {
			op := b.remote(n)
			r.asked[n] = op
			return op
		}
		keys.plain = true
	}
	if h == nil {
		h = &heldRows{in: b.remote(n), budget: r.holds}
		r.held[n] = h
	}
	return &replayOp{held: h}
}

// readsWork reports whether n reads the rows of a recursion's last round.
func readsWork(n plan.Node) bool {
	found := false
	plan.Visit(n, func(n plan.Node) {
		_, is := n.(*plan.WorkTable)
		found = found || is
	})
	return found
}

// recursive builds a recursion. Its step is built anew for each round, with
// the first one now, so that sources are asked and operators counted.
func (b *builder) recursive(n *plan.Recursive, holds *account) (operator, error) {
	base, err := b.build(n.Base)
	if err != nil {
		return nil, err
	}
	work := &workRows{}
	inner := *b
	inner.works = map[int]*workRows{n.Work: work}
	for k, w := range b.works {
		inner.works[k] = w
	}
	inner.rounds = b.rounds
	if inner.rounds == nil {
		inner.rounds = &rounds{held: map[plan.Node]*heldRows{}, asked: map[plan.Node]*remoteOp{}, holds: holds}
	}
	first, err := inner.build(n.Step)
	if err != nil {
		return nil, err
	}
	step := func() (operator, error) {
		if op := first; op != nil {
			first = nil
			return op, nil
		}
		inner.inputs = nil
		return inner.build(n.Step)
	}
	return &recursiveOp{base: base, step: step, work: work, all: n.All, seen: map[string]struct{}{}, budget: holds, kinds: kindsOf(n.Cols)}, nil
}

// recursiveOp gives the rows of its base, then those of its step over the rows
// of the last round. What the step reads of sources is read once.
type recursiveOp struct {
	base   operator
	step   func() (operator, error)
	work   *workRows
	all    bool
	seen   map[string]struct{}
	budget *account
	kinds  []value.Kind

	in    operator
	round []kernel.Batch
	n     int
}

// maxRounds bounds a recursion that does not end by itself.
const maxRounds = 1_000_000

// workRows is what the work tables of a recursion read.
type workRows struct{ batches []kernel.Batch }

func (o *recursiveOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.in == nil {
		o.in = o.base
	}
	for {
		b, err := o.in.next(ctx)
		if errors.Is(err, io.EOF) {
			if len(o.round) == 0 {
				return kernel.Batch{}, io.EOF
			}
			if o.n++; o.n > maxRounds {
				return kernel.Batch{}, value.Errorf("54000", "a recursive query took more than %d rounds", maxRounds).WithHint("let its step end, or put a limit on it")
			}
			for _, done := range o.work.batches {
				o.budget.give(done.Bytes())
			}
			o.work.batches, o.round = o.round, nil
			if o.in, err = o.step(); err != nil {
				return kernel.Batch{}, err
			}
			continue
		}
		if err != nil {
			return b, err
		}
		if !o.all {
			var grown int64
			b, grown = o.unseen(b)
			if err := o.budget.take(grown, "recursion"); err != nil {
				return b, err
			}
		}
		if b.Len == 0 {
			continue
		}
		if err := o.budget.take(b.Bytes(), "recursion"); err != nil {
			return b, err
		}
		o.round = append(o.round, b)
		return b, nil
	}
}

// unseen returns the rows that were not there before, and the bytes that remembering them
// takes.
func (o *recursiveOp) unseen(b kernel.Batch) (kernel.Batch, int64) {
	var rows []int32
	var key []byte
	var grown int64
	for i := range b.Len {
		key = rowKey(key[:0], b.Cols, i)
		if _, ok := o.seen[string(key)]; !ok {
			o.seen[string(key)] = struct{}{}
			rows = append(rows, int32(i))
			grown += int64(len(key)) + entryBytes
		}
	}
	return b.Take(rows), grown
}

// replayOp gives the rows of an operator that was read once, again and again.
type replayOp struct {
	held *heldRows
	at   int
}

// heldRows keeps what an operator gave.
type heldRows struct {
	in      operator
	batches []kernel.Batch
	done    bool
	budget  *account
}

func (o *replayOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.at < len(o.held.batches) {
		o.at++
		return o.held.batches[o.at-1], nil
	}
	if o.held.done {
		return kernel.Batch{}, io.EOF
	}
	b, err := o.held.in.next(ctx)
	if errors.Is(err, io.EOF) {
		o.held.done = true
	}
	if err == nil {
		err = o.held.budget.take(b.Bytes(), "recursion")
		o.held.batches = append(o.held.batches, b)
		o.at++
	}
	return b, err
}

type workOp struct {
	work *workRows
	at   int
}

func (o *workOp) next(context.Context) (kernel.Batch, error) {
	if o.at >= len(o.work.batches) {
		return kernel.Batch{}, io.EOF
	}
	o.at++
	return o.work.batches[o.at-1], nil
}
