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

// setOp is INTERSECT and EXCEPT: it counts the right side's rows, then takes
// from the counts as left rows come.
type setOp struct {
	left, right operator
	n           *plan.SetOp
	budget      *account
	counts      map[string]int
	seen        map[string]struct{} // left rows passed on, without ALL
}

func (o *setOp) next(ctx context.Context) (kernel.Batch, error) {
	if o.counts == nil {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	var key []byte
	for {
		b, err := o.left.next(ctx)
		if err != nil {
			return b, err
		}
		var rows []int32
		var grown int64
		for i := range b.Len {
			key = rowKey(key[:0], b.Cols, i)
			n := o.counts[string(key)]
			if n > 0 && o.n.All {
				o.counts[string(key)] = n - 1
			}
			if (n > 0) == o.n.Except {
				continue
			}
			if !o.n.All {
				if _, again := o.seen[string(key)]; again {
					continue
				}
				o.seen[string(key)] = struct{}{}
				grown += int64(len(key)) + entryBytes
			}
			rows = append(rows, int32(i))
		}
		if err := o.budget.take(grown, "set operation"); err != nil {
			return b, err
		}
		if len(rows) > 0 {
			return b.Take(rows), nil
		}
	}
}

func (o *setOp) fill(ctx context.Context) error {
	o.counts, o.seen = map[string]int{}, map[string]struct{}{}
	var key []byte
	for {
		b, err := o.right.next(ctx)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		var grown int64
		for i := range b.Len {
			key = rowKey(key[:0], b.Cols, i)
			if o.counts[string(key)]++; o.counts[string(key)] == 1 {
				grown += int64(len(key)) + entryBytes
			}
		}
		if err := o.budget.take(grown, "set operation"); err != nil {
			return err
		}
	}
}

// unnestOp repeats each row for the rows of its set-returning calls.
type unnestOp struct {
	in    operator
	n     *plan.Unnest
	funcs []*kernel.SetFunc
	args  [][]*kernel.Program
	// pending are rows of the present batch that have not come out.
	batch   kernel.Batch
	values  [][]arrow.Array
	row     int
	current [][][]value.Value // by call: the rows for the present row
	at, end int
}

func newUnnestOp(n *plan.Unnest, in operator) (operator, error) {
	o := &unnestOp{in: in, n: n}
	cols := n.Input.Columns()
	for _, c := range n.Calls {
		kinds := make([]value.Kind, len(c.Args))
		for i, a := range c.Args {
			kinds[i] = a.Type().Kind
		}
		f, err := kernel.ResolveSet(c.Func, kinds)
		if err != nil {
			return nil, err
		}
		args, err := compileAll(c.Args, cols)
		if err != nil {
			return nil, err
		}
		o.funcs, o.args = append(o.funcs, f), append(o.args, args)
	}
	return o, nil
}

func (o *unnestOp) next(ctx context.Context) (kernel.Batch, error) {
	out := make([]array.Builder, 0)
	for _, f := range o.funcs {
		for _, k := range f.Results {
			out = append(out, value.NewBuilder(k))
		}
	}
	numbers := array.NewInt64Builder(value.Memory)
	var rows []int32
	for len(rows) < BatchRows {
		if o.at >= o.end {
			if o.row >= o.batch.Len && len(rows) > 0 {
				break // the rows of one batch come out together
			}
			err := o.advance(ctx)
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return kernel.Batch{}, err
			}
			continue
		}
		rows = append(rows, int32(o.row-1))
		c := 0
		for f, fn := range o.funcs {
			for col, k := range fn.Results {
				v := value.NullOf(k)
				if o.at < len(o.current[f]) {
					v = o.current[f][o.at][col]
				}
				v.Kind = k
				value.Append(out[c], v)
				c++
			}
		}
		if numbers.Append(int64(o.at + 1)); len(o.current) > 0 && o.longest() == 0 {
			numbers.SetNull(numbers.Len() - 1) // a row that an outer call kept
		}
		o.at++
	}
	if len(rows) == 0 {
		return kernel.Batch{}, io.EOF
	}
	b := o.batch.Take(rows)
	for _, c := range out {
		b.Cols = append(b.Cols, c.NewArray())
	}
	if o.n.Ordinality != nil {
		b.Cols = append(b.Cols, numbers.NewArray())
	}
	return b, nil
}

func (o *unnestOp) longest() int {
	n := 0
	for _, rows := range o.current {
		n = max(n, len(rows))
	}
	return n
}

// advance computes the calls for the next row.
func (o *unnestOp) advance(ctx context.Context) error {
	if o.row >= o.batch.Len {
		b, err := o.in.next(ctx)
		if err != nil {
			return err
		}
		o.batch, o.row, o.values = b, 0, nil
		for _, programs := range o.args {
			args, err := evalAll(programs, b)
			if err != nil {
				return err
			}
			o.values = append(o.values, args)
		}
		if b.Len == 0 {
			return nil
		}
	}
	o.current = o.current[:0]
	for f, fn := range o.funcs {
		args := make([]value.Value, len(fn.Args))
		for a, k := range fn.Args {
			args[a] = value.At(k, o.values[f][a], o.row)
		}
		rows, err := fn.Rows(args)
		if err != nil {
			return placed(o.n.Calls[f].Org, err)
		}
		o.current = append(o.current, rows)
	}
	o.row++
	o.at, o.end = 0, o.longest()
	if o.end == 0 && o.n.Outer {
		o.end = 1
	}
	return nil
}
