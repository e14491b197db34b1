package kernel

import (
	"fmt"
	"sort"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// Accumulator computes one aggregate for many groups at once.
type Accumulator interface {
	// Add takes in a batch: the arguments (none for count(*)) and the group of
	// each row. groups counts how many groups there are by now.
	Add(args []arrow.Array, group []int32, groups int) error
	// Result returns one entry for each group.
	Result(groups int) (arrow.Array, error)
}

// aggregate describes an aggregate function. resolve gives the kinds that its
// arguments are cast to and its result, or ok false; sorted is the kind of
// WITHIN GROUP's value. make builds an accumulator for resolved kinds.
type aggregate struct {
	resolve func(kinds []value.Kind, sorted value.Kind) (args []value.Kind, result value.Kind, ok bool)
	make    func(a plan.Agg, result value.Kind) Accumulator
}

// IsAggregate reports whether name is an aggregate function.
func IsAggregate(name string) bool { return registered.aggregates[name] != nil }

// Aggregates lists the aggregate functions.
func Aggregates() []string {
	var names []string
	for n := range registered.aggregates {
		if n != OpRowsAgg {
			names = append(names, n)
		}
	}
	sort.Strings(names)
	return names
}

// ResolveAggregate returns the kinds to which the arguments of an aggregate
// are cast, and its result. sorted is the kind of WITHIN GROUP's value.
func ResolveAggregate(name string, kinds []value.Kind, sorted value.Kind) ([]value.Kind, value.Type, error) {
	known := append([]value.Kind{}, kinds...)
	for i, k := range known {
		if k == value.Null && name != "count" {
			known[i] = value.Text
		}
	}
	if args, result, ok := registered.aggregates[name].resolve(known, sorted); ok {
		return args, value.Of(result), nil
	}
	return nil, value.Type{}, noSuchFunction(name, kinds)
}

// NewAccumulator makes the accumulator of an aggregate call. Its arguments are
// the call's, then the keys of its order.
func NewAccumulator(a plan.Agg, result value.Type) (Accumulator, error) {
	def := registered.aggregates[a.Func]
	if def == nil {
		return nil, fmt.Errorf("no accumulator for %s", a.Func)
	}
	inner := def.make(a, result.Kind)
	facts, _ := function.AggregateOf(a.Func)
	switch {
	case len(a.Order) > 0 && facts.Ordered:
		return &orderedAccumulator{inner: inner, agg: a, skipNulls: !facts.KeepsNulls}, nil
	case a.Distinct && a.Func != "min" && a.Func != "max" && facts.Ordered:
		// DISTINCT alone gives PostgreSQL's order too: that of the values.
		sorted := a
		for _, x := range a.Args {
			sorted.Order = append(sorted.Order, plan.SortKey{Expr: x})
		}
		return &orderedAccumulator{inner: inner, agg: sorted, own: true, skipNulls: !facts.KeepsNulls}, nil
	case a.Distinct && a.Func != "min" && a.Func != "max":
		return &distinctAccumulator{inner: inner, seen: map[string]struct{}{}, skipNulls: !facts.KeepsNulls}, nil
	}
	return inner, nil
}

// Holder is an Accumulator that keeps more than a value for each group.
type Holder interface {
	Accumulator
	// Grown returns how many bytes are held more than at the call before.
	Grown() int64
}

// growing counts the bytes that an accumulator holds more.
type growing struct{ bytes int64 }

// Grown is that of a Holder.
func (g *growing) Grown() int64 {
	n := g.bytes
	g.bytes = 0
	return n
}

// What a row takes beside its values: an entry of a map of texts, and a slice.
const (
	mapEntry = 56
	rowEntry = 24
)

func grow[T any](s []T, n int) []T {
	if n <= len(s) {
		return s
	}
	return append(s, make([]T, n-len(s))...)
}

// distinctAccumulator lets each value of a group through once.
type distinctAccumulator struct {
	growing
	inner     Accumulator
	seen      map[string]struct{}
	skipNulls bool
}

func (d *distinctAccumulator) Add(args []arrow.Array, group []int32, groups int) error {
	var rows, newGroups []int32
	var key []byte
next:
	for i, g := range group {
		key = append(key[:0], byte(g), byte(g>>8), byte(g>>16), byte(g>>24))
		for _, a := range args {
			if d.skipNulls && a.IsNull(i) {
				continue next
			}
			key = value.AppendKey(key, a, i)
		}
		if _, ok := d.seen[string(key)]; !ok {
			d.seen[string(key)] = struct{}{}
			d.bytes += mapEntry + int64(len(key))
			rows, newGroups = append(rows, int32(i)), append(newGroups, g)
		}
	}
	err := d.inner.Add(takeAll(args, rows), newGroups, groups)
	if h, is := d.inner.(Holder); is {
		d.bytes += h.Grown()
	}
	return err
}

func takeAll(arrays []arrow.Array, rows []int32) []arrow.Array {
	out := make([]arrow.Array, len(arrays))
	for i, a := range arrays {
		out[i] = Take(a, rows)
	}
	return out
}

func (d *distinctAccumulator) Result(groups int) (arrow.Array, error) { return d.inner.Result(groups) }

// orderedAccumulator holds all rows and hands them on by group and order.
type orderedAccumulator struct {
	growing
	inner     Accumulator
	agg       plan.Agg
	own       bool // the order's keys are the arguments themselves
	skipNulls bool
	batches   [][]arrow.Array
	group     []int32
}

func (o *orderedAccumulator) Add(args []arrow.Array, group []int32, _ int) error {
	o.bytes += Batch{Len: len(group), Cols: args}.Bytes() + 4*int64(len(group))
	o.batches = append(o.batches, args)
	o.group = append(o.group, group...)
	return nil
}

func (o *orderedAccumulator) Result(groups int) (arrow.Array, error) {
	if len(o.batches) == 0 {
		return o.inner.Result(groups)
	}
	width := len(o.batches[0])
	cols := make([]arrow.Array, width)
	for c := range width {
		parts := make([]arrow.Array, len(o.batches))
		for i, b := range o.batches {
			parts[i] = b[c]
		}
		var err error
		if cols[c], err = concatenate(parts); err != nil {
			return nil, err
		}
	}
	nargs := len(o.agg.Args)
	args, keys := cols[:nargs], cols[nargs:]
	if o.own {
		keys = args
	}
	rows := allRows(len(o.group))
	sort.SliceStable(rows, func(i, j int) bool {
		a, b := rows[i], rows[j]
		if o.group[a] != o.group[b] {
			return o.group[a] < o.group[b]
		}
		for k, key := range keys {
			if c := CompareKeys(key, int(a), int(b), o.agg.Order[k]); c != 0 {
				return c < 0
			}
		}
		return false
	})
	if o.agg.Distinct {
		rows = o.unique(rows, args)
	}
	group := make([]int32, len(rows))
	for i, r := range rows {
		group[i] = o.group[r]
	}
	if function.OrderedSet(o.agg.Func) {
		args = cols
	}
	if err := o.inner.Add(takeAll(args, rows), group, groups); err != nil {
		return nil, err
	}
	return o.inner.Result(groups)
}

// unique keeps the first of equal arguments in each group.
func (o *orderedAccumulator) unique(rows []int32, args []arrow.Array) []int32 {
	seen := map[string]struct{}{}
	var out []int32
	var key []byte
next:
	for _, r := range rows {
		g := o.group[r]
		key = append(key[:0], byte(g), byte(g>>8), byte(g>>16), byte(g>>24))
		for _, a := range args {
			if o.skipNulls && a.IsNull(int(r)) {
				continue next
			}
			key = value.AppendKey(key, a, int(r))
		}
		if _, ok := seen[string(key)]; !ok {
			seen[string(key)] = struct{}{}
			out = append(out, r)
		}
	}
	return out
}

// CompareKeys orders two rows of an array by a sort key.
func CompareKeys(a arrow.Array, i, j int, k plan.SortKey) int {
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
