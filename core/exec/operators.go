package exec

import (
	"bytes"
	"context"
	"errors"
	"io"
	"sort"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// pending are parts of a batch whose turn is still to come, the last one first.
type pending []kernel.Batch

// next returns the next part, or the next batch of in.
func (p *pending) next(ctx context.Context, in operator) (kernel.Batch, error) {
	if n := len(*p); n > 0 {
		b := (*p)[n-1]
		*p = (*p)[:n-1]
		return b, nil
	}
	return in.next(ctx)
}

// halve keeps the halves of a batch for later.
func (p *pending) halve(b kernel.Batch) {
	*p = append(*p, b.Slice(b.Len/2, b.Len), b.Slice(0, b.Len/2))
}

type filterOp struct {
	pending
	in    operator
	conds []*kernel.Program
}

func (o *filterOp) next(ctx context.Context) (kernel.Batch, error) {
	for {
		b, err := o.pending.next(ctx, o.in)
		if err != nil {
			return b, err
		}
		kept, err := kernel.Select(b, o.conds)
		if errors.Is(err, kernel.ErrCrowded) {
			o.halve(b)
			continue
		}
		if err != nil || kept.Len > 0 {
			return kept, err
		}
	}
}

type projectOp struct {
	pending
	in    operator
	exprs []*kernel.Program
}

func (o *projectOp) next(ctx context.Context) (kernel.Batch, error) {
	for {
		b, err := o.pending.next(ctx, o.in)
		if err != nil {
			return b, err
		}
		out, err := o.project(b)
		if !errors.Is(err, kernel.ErrCrowded) {
			return out, err
		}
		o.halve(b)
	}
}

func (o *projectOp) project(b kernel.Batch) (_ kernel.Batch, err error) {
	out := kernel.Batch{Len: b.Len, Cols: make([]arrow.Array, len(o.exprs))}
	for i, p := range o.exprs {
		if out.Cols[i], err = p.Eval(b); err != nil {
			return kernel.Batch{}, err
		}
	}
	return out, nil
}

// limitOp skips rows, then passes on at most left rows, -1 meaning all; and
// with ties those that are equal to the last one by its keys.
type limitOp struct {
	in         operator
	skip, left int64
	ties       []*kernel.Program
	last       []byte // key of the last row that passed
}

func (o *limitOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.left == 0 && o.ties != nil && o.last != nil {
		return o.tied(ctx)
	}
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
		rest := b.Slice(int(end), b.Len)
		b = b.Slice(int(o.skip), int(end))
		o.skip = 0
		if o.left == 0 && o.ties != nil {
			keys, err := o.keys(b)
			if err != nil {
				return b, err
			}
			o.last = keys(b.Len - 1)
			return o.withTies(b, rest)
		}
		return b, nil
	}
	return kernel.Batch{}, io.EOF
}

func (o *limitOp) keys(b kernel.Batch) (func(i int) []byte, error) {
	cols, err := evalAll(o.ties, b)
	return func(i int) []byte { return rowKey(nil, cols, i) }, err
}

// withTies adds the rows at the start of rest that tie with the last of b.
func (o *limitOp) withTies(b, rest kernel.Batch) (kernel.Batch, error) {
	n, err := o.count(rest)
	if err != nil || n == 0 {
		return b, err
	}
	return kernel.Concat(kindsOfArrays(b.Cols), []kernel.Batch{b, rest.Slice(0, n)})
}

// count returns how many rows at the start of b tie; fewer than all end it.
func (o *limitOp) count(b kernel.Batch) (int, error) {
	keys, err := o.keys(b)
	if err != nil {
		return 0, err
	}
	for i := range b.Len {
		if !bytes.Equal(keys(i), o.last) {
			o.last = nil
			return i, nil
		}
	}
	return b.Len, nil
}

func (o *limitOp) tied(ctx context.Context) (kernel.Batch, error) {
	for o.last != nil {
		b, err := o.in.next(ctx)
		if err != nil {
			return b, err
		}
		n, err := o.count(b)
		if err != nil || n > 0 {
			return b.Slice(0, n), err
		}
	}
	return kernel.Batch{}, io.EOF
}

// kindsOfArrays only sizes a list of kinds, for arrays that are there.
func kindsOfArrays(cols []arrow.Array) []value.Kind { return make([]value.Kind, len(cols)) }

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
	budget   *account
	top      int64
	sorted   *portions
}

// portions gives rows that an operator made at once, batch by batch.
type portions struct {
	rows kernel.Batch
	at   int
}

func (p *portions) next() (kernel.Batch, error) {
	if p.at >= p.rows.Len {
		return kernel.Batch{}, io.EOF
	}
	start := p.at
	p.at = min(start+BatchRows, p.rows.Len)
	return p.rows.Slice(start, p.at), nil
}

func (o *sortOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.sorted == nil {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	return o.sorted.next()
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
	// The rows are held twice more meanwhile: in one batch, and in their order.
	var bytes int64
	for _, b := range held {
		bytes += b.Bytes()
	}
	if err := o.budget.take(2*bytes, "sort"); err != nil {
		return err
	}
	defer o.budget.give(2 * bytes)
	all, err := o.order(held)
	o.sorted = &portions{rows: all}
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
	working := o.budget.share.Working()
	sort.SliceStable(rows, func(i, j int) bool {
		working()
		a, b := int(rows[i]), int(rows[j])
		for k, key := range keys {
			if c := kernel.CompareKeys(key, a, b, o.keys[k]); c != 0 {
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

// distinctOp passes on every row that it has not seen, as a whole or by the
// expressions in on.
type distinctOp struct {
	in     operator
	on     []*kernel.Program
	seen   map[string]struct{}
	budget *account
}

func (o *distinctOp) next(ctx context.Context) (kernel.Batch, error) {
	var key []byte
	for {
		b, err := o.in.next(ctx)
		if err != nil {
			return b, err
		}
		cols := b.Cols
		if o.on != nil {
			if cols, err = evalAll(o.on, b); err != nil {
				return b, err
			}
		}
		var rows []int32
		var grown int64
		for i := range b.Len {
			key = rowKey(key[:0], cols, i)
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
