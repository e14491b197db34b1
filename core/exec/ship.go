package exec

import (
	"context"

	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/value"
)

// shippedKeys are the values that one side of a join sends into the statement
// of the other: set once that side is read, taken batch by batch.
type shippedKeys struct {
	keys  []value.Value
	plain bool // there are too many: the statement is sent without them
	sent  int
	asked bool
	// eachRound is set where the rounds of a recursion make keys of their own.
	eachRound bool
	c         *counters
}

// maxKeyBatches is how many statements with keys are sent before a plain read
// is the better deal.
const maxKeyBatches = 4

// set takes the distinct values of a key, and gives up sending them where they
// are more than a few batches.
func (s *shippedKeys) set(values []value.Value, st *fold.Statement) {
	s.keys = values
	s.plain = s.plain || len(values) > maxKeyBatches*st.MaxKeys
	if s.plain {
		s.c.tooMany.Store(int64(len(values)))
	} else {
		s.c.keys.Add(int64(len(values)))
	}
}

func (s *shippedKeys) left() bool { return !s.plain && s.sent < len(s.keys) }

// next returns the statement for the next keys; more is false where there are
// none, so that nothing is asked at all.
func (s *shippedKeys) next(st *fold.Statement) (out *fold.Statement, more bool) {
	n := *st
	switch {
	case s.plain && s.asked, !s.plain && !s.left():
		return nil, false
	case s.plain:
		n.Text, n.Parameters = st.WithKeys(nil)
	default:
		end := min(s.sent+st.MaxKeys, len(s.keys))
		n.Text, n.Parameters = st.WithKeys(s.keys[s.sent:end])
		s.sent = end
	}
	s.asked = true
	return &n, true
}

// shipOp reads the side of a join that its keys come from, hands the keys on,
// and then gives the rows it has read.
type shipOp struct {
	in     operator
	key    *kernel.Program
	kind   value.Kind
	kinds  []value.Kind
	to     *shippedKeys
	st     *fold.Statement
	budget *account
	held   *portions
}

// ready reads the side and hands on its keys.
func (o *shipOp) ready(ctx context.Context) error {
	if o.held != nil {
		return nil
	}
	all, err := collect(ctx, o.in, o.kinds, o.budget, "join")
	if err != nil {
		return err
	}
	o.held = &portions{rows: all}
	arr, err := o.key.Eval(all)
	if err != nil {
		return err
	}
	seen := map[string]struct{}{}
	keys := []value.Value{}
	var key []byte
	for i := range all.Len {
		if arr.IsNull(i) {
			continue
		}
		key = value.AppendKey(key[:0], arr, i)
		if _, ok := seen[string(key)]; !ok {
			seen[string(key)] = struct{}{}
			keys = append(keys, value.At(o.kind, arr, i))
		}
	}
	o.to.set(keys, o.st)
	return nil
}

func (o *shipOp) next(ctx context.Context) (kernel.Batch, error) {
	if err := o.ready(ctx); err != nil {
		return kernel.Batch{}, err
	}
	return o.held.next()
}
