package exec

import (
	"context"
	"errors"
	"io"
	"slices"

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
	holds *account
	in    operator
	n     *plan.Unnest
	funcs []*kernel.SetFunc
	args  [][]*kernel.Program
	// pending are rows of the present batch that have not come out.
	batch   kernel.Batch
	values  [][]arrow.Array
	row     int
	current [][]value.Value // by call: the row that comes out
	open    []kernel.Rows   // by call: the rows for the present row; nil for one that has ended
	at      int             // rows that came out for the present row
	unread  []bool          // by column of the input: nothing above reads it
	// repeated is the batch as its rows are repeated, and most how many come out at once.
	repeated kernel.Batch
	most     int
}

// passOn says which columns are read above: the others of the input are not repeated, and are
// NULL.
func (o *unnestOp) passOn(read plan.IDs) {
	for _, c := range o.n.Input.Columns() {
		o.unread = append(o.unread, !read[c.ID])
	}
}

func newUnnestOp(n *plan.Unnest, in operator, holds *account) (operator, error) {
	o := &unnestOp{in: in, n: n, holds: holds, most: 1}
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
		args, err := holds.compileAll(c.Args, cols)
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
	for len(rows) < o.most {
		if o.open == nil {
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
		any, err := o.pull()
		if err != nil {
			return kernel.Batch{}, err
		}
		kept := !any && o.at == 0 && o.n.Outer
		if !any {
			o.open = nil
		}
		if !any && !kept {
			continue
		}
		rows = append(rows, int32(o.row-1))
		c := 0
		for f, fn := range o.funcs {
			for col, k := range fn.Results {
				v := value.NullOf(k)
				if row := o.current[f]; row != nil {
					v = row[col]
				}
				v.Kind = k
				value.Append(out[c], v)
				c++
			}
		}
		if kept {
			numbers.AppendNull()
		} else {
			numbers.Append(int64(o.at + 1))
		}
		o.at++
	}
	if len(rows) == 0 {
		return kernel.Batch{}, io.EOF
	}
	b := o.repeated.Take(rows)
	for _, c := range out {
		b.Cols = append(b.Cols, c.NewArray())
	}
	if o.n.Ordinality != nil {
		b.Cols = append(b.Cols, numbers.NewArray())
	}
	return b, nil
}

// unpacked is how many bytes the rows of a text take at most for each of its bytes, about.
const unpacked = 64

// pull takes the next row of every call, and reports whether any has one. A call that has
// ended before others gives NULLs.
func (o *unnestOp) pull() (any bool, err error) {
	for f, next := range o.open {
		o.current[f] = nil
		if next == nil {
			continue
		}
		if o.current[f], err = next(); err != nil {
			return false, placed(o.n.Calls[f].Org, err)
		}
		if o.current[f] == nil {
			o.open[f] = nil
		}
		any = any || o.current[f] != nil
	}
	return any, nil
}

// advance computes the calls for the next row.
func (o *unnestOp) advance(ctx context.Context) error {
	if o.row >= o.batch.Len {
		b, err := o.in.next(ctx)
		if err != nil {
			return err
		}
		o.batch, o.row, o.values = b, 0, nil
		o.repeated = kernel.Batch{Len: b.Len, Cols: slices.Clone(b.Cols)}
		for i, unread := range o.unread {
			if unread {
				o.repeated.Cols[i] = array.MakeArrayOfNull(value.Memory, b.Cols[i].DataType(), b.Len)
			}
		}
		o.most = rowsWithin(o.repeated)
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
	o.open, o.current, o.at = make([]kernel.Rows, len(o.funcs)), make([][]value.Value, len(o.funcs)), 0
	for f, fn := range o.funcs {
		args, bytes := make([]value.Value, len(fn.Args)), int64(0)
		for a, k := range fn.Args {
			args[a] = value.At(k, o.values[f][a], o.row)
			bytes += int64(len(args[a].Str))
		}
		if err := o.holds.room(bytes*unpacked, 1); err != nil {
			return placed(o.n.Calls[f].Org, err)
		}
		var err error
		if o.open[f], err = fn.Open(args); err != nil {
			return placed(o.n.Calls[f].Org, err)
		}
	}
	o.row++
	return nil
}
