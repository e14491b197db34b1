package exec

import (
	"context"
	"errors"
	"io"
	"slices"

	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/kernel"
	"rovik/core/value"
)

// How semi- and anti-joins look for partners where there is no equality to look
// them up by.

// keyless reports whether any build row may be a partner.
func (o *joinOp) keyless() bool { return len(o.lookups) == 1 && len(o.lookups[0].modes) == 0 }

// unmatched are the rows of the current batch without a partner.
func (o *joinOp) unmatched() []int32 {
	out := make([]int32, 0, o.current.Len)
	for i, m := range o.matched {
		if !m {
			out = append(out, int32(i))
		}
	}
	return out
}

// rounds looks for one partner of each of some rows of the current batch where all
// build rows may be: at the first build row for all of them, then at more for those
// that have none yet. It returns the rows that have none.
func (o *joinOp) rounds(ctx context.Context, wants []int32) ([]int32, error) {
	for from, width := 0, 1; from < o.table.Len && len(wants) > 0; from, width = from+width, min(4*width, fewPairs) {
		to := min(from+width, o.table.Len)
		for rest := wants; len(rest) > 0; {
			some := rest[:min(len(rest), max(BatchRows/width, 1))]
			rest = rest[len(some):]
			probe, build := make([]int32, 0, len(some)*width), make([]int32, 0, len(some)*width)
			for _, row := range some {
				for at := from; at < to; at++ {
					probe, build = append(probe, row), append(build, int32(at))
				}
			}
			if _, err := o.joined(probe, build); err != nil {
				return nil, err
			}
			if err := ctx.Err(); err != nil {
				return nil, err
			}
		}
		wants = slices.DeleteFunc(wants, func(row int32) bool { return o.matched[row] })
	}
	return wants, nil
}

// asking are the rows of the current batch that look for a partner.
func (o *joinOp) asking() ([]int32, error) {
	place := array.NewInt32Builder(value.Memory)
	for i := range o.current.Len {
		place.Append(int32(i))
	}
	cols := o.current.Cols
	some, err := kernel.Select(kernel.Batch{Len: o.current.Len, Cols: append(cols[:len(cols):len(cols)], place.NewArray())}, o.asks)
	if err != nil {
		return nil, err
	}
	return slices.Clone(some.Cols[len(cols)].(*array.Int32).Int32Values()), nil
}

// meet holds the left rows, and reads the right ones only until each of those that
// look for a partner has one.
func (o *joinOp) meet(ctx context.Context) error {
	var held []kernel.Batch
	for {
		b, err := o.probe.next(ctx)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if err := o.budget.take(b.Bytes(), "join"); err != nil {
			return err
		}
		held = append(held, b)
	}
	var err error
	if o.current, err = kernel.Concat(o.probeKinds, held); err != nil {
		return err
	}
	o.matched = make([]bool, o.current.Len)
	wants, err := o.asking()
	if err != nil {
		return err
	}
	for len(wants) > 0 {
		if o.table, err = o.build.next(ctx); errors.Is(err, io.EOF) {
			break
		}
		if err == nil {
			wants, err = o.rounds(ctx, wants)
		}
		if err != nil {
			return err
		}
	}
	o.met, _ = o.finished()
	return nil
}
