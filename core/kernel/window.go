package kernel

import (
	"math"
	"sort"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"

	"rovik/core/function"
	"rovik/core/plan"
	"rovik/core/value"
)

// windowFunc is a function that only OVER gives a meaning; aggregates are the
// others.
type windowFunc struct {
	resolve func(kinds []value.Kind) (args []value.Kind, result value.Kind, ok bool)
	// at computes row i of a partition.
	at func(p *Partition, i int) (value.Value, error)
}

// IsWindow reports whether name is a window function and no aggregate.
func IsWindow(name string) bool { return registered.windowFunctions[name] != nil }

// WindowFunctions lists the window functions.
func WindowFunctions() []string {
	var names []string
	for n := range registered.windowFunctions {
		names = append(names, n)
	}
	sort.Strings(names)
	return names
}

// ResolveWindow returns the kinds of the arguments and the result of a window
// function or an aggregate as one. star is count(*).
func ResolveWindow(name string, kinds []value.Kind, star bool) ([]value.Kind, value.Type, error) {
	if w := registered.windowFunctions[name]; w != nil {
		known := append([]value.Kind{}, kinds...)
		for i, k := range known {
			if k == value.Null {
				known[i] = value.Text
				if i > 1 {
					known[i] = known[0]
				}
			}
		}
		if args, result, ok := w.resolve(known); ok && !star {
			return args, value.Of(result), nil
		}
		return nil, value.Type{}, noSuchFunction(name, kinds)
	}
	if !IsAggregate(name) {
		if len(registered.functions[name]) > 0 {
			return nil, value.Type{}, value.Errorf("42809", "OVER specified, but %s is not a window function nor an aggregate function", name)
		}
		return nil, value.Type{}, noSuchFunction(name, kinds)
	}
	if function.OrderedSet(name) {
		return nil, value.Type{}, value.Errorf(value.CodeUnsupported, "OVER is not supported for ordered-set aggregate %s", name)
	}
	if len(kinds) == 0 && !star {
		return nil, value.Type{}, value.Errorf("42809", "%s takes an argument", name)
	}
	return ResolveAggregate(name, kinds, value.Null)
}

// RangeOffset returns the kind of an offset in a RANGE frame over an order by
// kind k.
func RangeOffset(k value.Kind) (value.Kind, error) {
	switch {
	case k.IsInteger():
		return value.Int8, nil
	case k == value.Numeric, k == value.Float8:
		return k, nil
	case k == value.Float4:
		return value.Float8, nil
	case k.IsTime(), k == value.Time, k == value.Interval:
		return value.Interval, nil
	}
	return 0, value.Errorf(value.CodeUnsupported, "RANGE with offset PRECEDING/FOLLOWING is not supported for column type %s", k)
}

// Partition is the rows of one partition in their order, ready for the window
// functions of one window.
type Partition struct {
	Rows int
	// Args are the arrays of the call's arguments; Filter of its FILTER.
	Args   []arrow.Array
	Kinds  []value.Kind
	Filter *array.Boolean
	// PeerStart and PeerEnd bound each row's peers.
	PeerStart, PeerEnd []int
	// Key is the only key of the order, for RANGE offsets.
	Key    arrow.Array
	Order  []plan.SortKey
	Frame  plan.Frame
	groups []int // number of each row's peer group
	starts []int // first row of each peer group
	call   plan.WindowCall
	offset [2]value.Value
	room   Room
}

// NewPartition readies the rows of a partition. order are the arrays of the
// window's sort keys, by which the rows are sorted. room is asked while the function is computed.
func NewPartition(call plan.WindowCall, rows int, args []arrow.Array, filter arrow.Array, order []arrow.Array, room Room) (*Partition, error) {
	p := &Partition{Rows: rows, room: room, Args: args, Kinds: kindsOf(call.Args), Order: call.Order, Frame: call.Frame, call: call,
		PeerStart: make([]int, rows), PeerEnd: make([]int, rows), groups: make([]int, rows)}
	if filter != nil {
		p.Filter = filter.(*array.Boolean)
	}
	if len(order) == 1 {
		p.Key = order[0]
	}
	for start := 0; start < rows; {
		end := start + 1
		for end < rows && p.peers(order, start, end) {
			end++
		}
		for i := start; i < end; i++ {
			p.PeerStart[i], p.PeerEnd[i], p.groups[i] = start, end, len(p.starts)
		}
		p.starts = append(p.starts, start)
		start = end
	}
	for i, b := range []plan.Bound{call.Frame.Start, call.Frame.End} {
		if b.Offset == nil {
			continue
		}
		prog, err := Compile(b.Offset, nil)
		if err != nil {
			return nil, err
		}
		arr, err := prog.Eval(Batch{Len: 1})
		if err != nil {
			return nil, err
		}
		v := value.At(b.Offset.Type().Kind, arr, 0)
		word := [...]string{"starting", "ending"}[i]
		switch {
		case v.IsNull:
			return nil, value.Errorf("22004", "frame %s offset must not be null", word)
		case negative(v):
			return nil, value.Errorf("22013", "frame %s offset must not be negative", word)
		}
		p.offset[i] = v
	}
	return p, nil
}

func negative(v value.Value) bool {
	switch v.Kind {
	case value.Numeric:
		return v.Dec.Sign() < 0
	case value.Float8:
		return v.Float < 0 || math.IsNaN(v.Float)
	case value.Interval:
		return v.Span.Cmp(value.Span{}) < 0
	}
	return v.Int < 0
}

func (p *Partition) peers(order []arrow.Array, i, j int) bool {
	for k, key := range order {
		if CompareKeys(key, i, j, p.Order[k]) != 0 {
			return false
		}
	}
	return true
}

// Eval computes the window function for all rows.
func (p *Partition) Eval(result value.Kind) (arrow.Array, error) {
	out := value.NewBuilder(result)
	out.Reserve(p.Rows)
	if w := registered.windowFunctions[p.call.Func]; w != nil {
		for i := range p.Rows {
			v, err := w.at(p, i)
			if i%1024 == 0 && err == nil {
				err = p.room.ask(0, p.Rows)
			}
			if err != nil {
				return nil, err
			}
			v.Kind = result
			value.Append(out, v)
		}
		return out.NewArray(), nil
	}
	return p.aggregate(result)
}

// aggregate computes an aggregate over each row's frame: growing where frames
// start with the partition, once for frames that stay the same, else anew.
func (p *Partition) aggregate(result value.Kind) (arrow.Array, error) {
	agg := plan.Agg{Func: p.call.Func, Args: p.call.Args}
	growing := p.Frame.Start.Kind == plan.UnboundedPreceding && p.Frame.Exclude == plan.ExcludeNothing
	out := value.NewBuilder(result)
	var acc Accumulator
	var have [2]int
	var last value.Value
	for i := range p.Rows {
		spans, err := p.frame(i)
		if err == nil {
			err = p.room.ask(0, p.Rows)
		}
		if err != nil {
			return nil, err
		}
		lo, hi := 0, 0
		if len(spans) > 0 {
			lo, hi = spans[0][0], spans[len(spans)-1][1]
		}
		if acc != nil && len(spans) < 2 && have == [2]int{lo, hi} && p.Frame.Exclude == plan.ExcludeNothing {
			value.Append(out, last)
			continue
		}
		if acc == nil || !growing || hi < have[1] {
			if acc, err = NewAccumulator(agg, value.Of(result)); err != nil {
				return nil, err
			}
			have = [2]int{0, 0}
			if !growing {
				have = [2]int{lo, lo}
			}
		}
		if growing {
			spans = [][2]int{{have[1], hi}}
		}
		for _, s := range spans {
			if err := p.feed(acc, s[0], s[1]); err != nil {
				return nil, err
			}
		}
		have = [2]int{lo, hi}
		arr, err := acc.Result(1)
		if err != nil {
			return nil, err
		}
		last = value.At(result, arr, 0)
		value.Append(out, last)
	}
	return out.NewArray(), nil
}

func (p *Partition) feed(acc Accumulator, from, to int) error {
	if from >= to {
		return nil
	}
	rows := make([]int32, 0, to-from)
	for i := from; i < to; i++ {
		if p.Filter == nil || !p.Filter.IsNull(i) && p.Filter.Value(i) {
			rows = append(rows, int32(i))
		}
	}
	return acc.Add(takeAll(p.Args, rows), make([]int32, len(rows)), 1)
}

// frame returns the rows that row i sees, as up to three ranges.
func (p *Partition) frame(i int) ([][2]int, error) {
	lo, err := p.bound(i, p.Frame.Start, 0)
	if err != nil {
		return nil, err
	}
	hi, err := p.bound(i, p.Frame.End, 1)
	if err != nil {
		return nil, err
	}
	lo, hi = max(lo, 0), min(hi, p.Rows)
	if lo >= hi {
		return nil, nil
	}
	var cut [][2]int
	switch p.Frame.Exclude {
	case plan.ExcludeNothing:
		return [][2]int{{lo, hi}}, nil
	case plan.ExcludeCurrentRow:
		cut = [][2]int{{i, i + 1}}
	case plan.ExcludeGroup:
		cut = [][2]int{{p.PeerStart[i], p.PeerEnd[i]}}
	case plan.ExcludeTies:
		cut = [][2]int{{p.PeerStart[i], i}, {i + 1, p.PeerEnd[i]}}
	}
	spans := [][2]int{{lo, hi}}
	for _, c := range cut {
		var next [][2]int
		for _, s := range spans {
			if left := [2]int{s[0], min(s[1], c[0])}; left[0] < left[1] {
				next = append(next, left)
			}
			if right := [2]int{max(s[0], c[1]), s[1]}; right[0] < right[1] {
				next = append(next, right)
			}
		}
		if c[0] < c[1] {
			spans = next
		}
	}
	return spans, nil
}

// bound returns the first row of the frame, or for end the one behind its last.
func (p *Partition) bound(i int, b plan.Bound, end int) (int, error) {
	switch b.Kind {
	case plan.UnboundedPreceding:
		return 0, nil
	case plan.UnboundedFollowing:
		return p.Rows, nil
	}
	switch p.Frame.Mode {
	case plan.FrameRows:
		if b.Kind == plan.CurrentRow {
			return i + end, nil
		}
		return saturated(i, b.Kind, p.offset[end].Int, p.Rows+1) + end, nil
	case plan.FrameGroups:
		g := p.groups[i]
		if b.Kind != plan.CurrentRow {
			g = saturated(g, b.Kind, p.offset[end].Int, len(p.starts)+1)
		}
		g += end
		switch {
		case g < 0:
			return 0, nil
		case g >= len(p.starts):
			return p.Rows, nil
		}
		return p.starts[g], nil
	}
	if b.Kind == plan.CurrentRow || p.Key.IsNull(i) {
		if end == 0 {
			return p.PeerStart[i], nil
		}
		return p.PeerEnd[i], nil
	}
	return p.rangeBound(i, b, end)
}

func saturated(at int, kind plan.BoundKind, offset int64, limit int) int {
	if offset > int64(2*limit) {
		offset = int64(2 * limit)
	}
	if kind == plan.Preceding {
		return at - int(offset)
	}
	return at + int(offset)
}

// rangeBound finds the bound by the order's value plus or minus the offset.
func (p *Partition) rangeBound(i int, b plan.Bound, end int) (int, error) {
	key := p.Order[0]
	kind := key.Expr.Type().Kind
	back := (b.Kind == plan.Preceding) != key.Desc
	compare, err := offsetComparer(kind, value.At(kind, p.Key, i), p.offset[end], back)
	if err != nil {
		return 0, err
	}
	// Rows are sorted, NULLs at one end: search among the others.
	first, last := 0, p.Rows
	for first < p.Rows && p.Key.IsNull(first) {
		first++
	}
	for last > first && p.Key.IsNull(last-1) {
		last--
	}
	sign := 1
	if key.Desc {
		sign = -1
	}
	return first + sort.Search(last-first, func(n int) bool {
		c := compare(value.At(kind, p.Key, first+n)) * sign
		return c > 0 || c == 0 && end == 0
	}), nil
}

// offsetComparer compares values with at ∓ offset, which may lie outside the
// kind's range.
func offsetComparer(kind value.Kind, at, offset value.Value, back bool) (func(v value.Value) int, error) {
	switch {
	case kind.IsInteger():
		bound := value.DecimalFromInt(at.Int)
		off := value.DecimalFromInt(offset.Int)
		if back {
			off = off.Neg()
		}
		bound, err := bound.Add(off)
		return func(v value.Value) int { return value.DecimalFromInt(v.Int).Cmp(bound) }, err
	case kind == value.Numeric:
		off := offset.Dec
		if back {
			off = off.Neg()
		}
		bound, err := at.Dec.Add(off)
		return func(v value.Value) int { return v.Dec.Cmp(bound) }, err
	case kind.IsFloat():
		bound := at.Float + offset.Float
		if back {
			bound = at.Float - offset.Float
		}
		return func(v value.Value) int { return value.CompareFloat(v.Float, bound) }, nil
	case kind == value.Interval:
		off := offset.Span
		if back {
			off = off.Neg()
		}
		bound, err := at.Span.Add(off)
		return func(v value.Value) int { return v.Span.Cmp(bound) }, err
	}
	off := offset.Span
	if back {
		off = off.Neg()
	}
	micros := func(v value.Value) int64 {
		if kind == value.Date {
			return v.Int * value.MicrosPerDay
		}
		return v.Int
	}
	bound, err := off.AddTo(micros(at))
	return func(v value.Value) int {
		switch x := micros(v); {
		case x < bound:
			return -1
		case x > bound:
			return 1
		}
		return 0
	}, err
}

func (p *Partition) arg(a, i int) value.Value { return value.At(p.Kinds[a], p.Args[a], i) }

// nth returns the argument of the n-th row of row i's frame, from 1, or from
// its end where n is negative.
func (p *Partition) nth(i int, n int64) (value.Value, error) {
	spans, err := p.frame(i)
	if err != nil {
		return nullValue(), err
	}
	if n < 0 {
		for s := len(spans) - 1; s >= 0; s-- {
			if size := int64(spans[s][1] - spans[s][0]); -n > size {
				n += size
				continue
			}
			return p.arg(0, spans[s][1]+int(n)), nil
		}
		return nullValue(), nil
	}
	for _, s := range spans {
		if size := int64(s[1] - s[0]); n > size {
			n -= size
			continue
		}
		return p.arg(0, s[0]+int(n)-1), nil
	}
	return nullValue(), nil
}

// shifted is lag and lead.
func (p *Partition) shifted(i, sign int) (value.Value, error) {
	n := int64(1)
	if len(p.Args) > 1 {
		v := p.arg(1, i)
		if v.IsNull {
			return nullValue(), nil
		}
		n = v.Int
	}
	if at := int64(i) + int64(sign)*n; at >= 0 && at < int64(p.Rows) {
		return p.arg(0, int(at)), nil
	}
	if len(p.Args) > 2 {
		return p.arg(2, i), nil
	}
	return nullValue(), nil
}

func addWindows(r *registry) {
	i8, i4, f8 := value.Int8, value.Int4, value.Float8
	none := func(result value.Kind) func([]value.Kind) ([]value.Kind, value.Kind, bool) {
		return func(kinds []value.Kind) ([]value.Kind, value.Kind, bool) { return nil, result, len(kinds) == 0 }
	}
	number := func(f func(p *Partition, i int) int64) func(*Partition, int) (value.Value, error) {
		return func(p *Partition, i int) (value.Value, error) { return intValue(f(p, i)), nil }
	}
	r.windowFunctions["row_number"] = &windowFunc{none(i8), number(func(_ *Partition, i int) int64 { return int64(i) + 1 })}
	r.windowFunctions["rank"] = &windowFunc{none(i8), number(func(p *Partition, i int) int64 { return int64(p.PeerStart[i]) + 1 })}
	r.windowFunctions["dense_rank"] = &windowFunc{none(i8), number(func(p *Partition, i int) int64 { return int64(p.groups[i]) + 1 })}
	r.windowFunctions["percent_rank"] = &windowFunc{none(f8), func(p *Partition, i int) (value.Value, error) {
		if p.Rows == 1 {
			return floatValue(0), nil
		}
		return floatValue(float64(p.PeerStart[i]) / float64(p.Rows-1)), nil
	}}
	r.windowFunctions["cume_dist"] = &windowFunc{none(f8), func(p *Partition, i int) (value.Value, error) {
		return floatValue(float64(p.PeerEnd[i]) / float64(p.Rows)), nil
	}}
	r.windowFunctions["ntile"] = &windowFunc{func(kinds []value.Kind) ([]value.Kind, value.Kind, bool) {
		return []value.Kind{i4}, i4, fits(kinds, []value.Kind{i4})
	}, func(p *Partition, i int) (value.Value, error) {
		v := p.arg(0, 0)
		if v.IsNull {
			return nullValue(), nil
		}
		if v.Int <= 0 {
			return nullValue(), value.Errorf("22014", "argument of ntile must be greater than zero")
		}
		n, rows := v.Int, int64(p.Rows)
		size, larger := rows/n, rows%n
		if at := int64(i); at < larger*(size+1) {
			return intValue(at/(size+1) + 1), nil
		} else {
			return intValue(larger + (at-larger*(size+1))/max(size, 1) + 1), nil
		}
	}}
	shift := func(kinds []value.Kind) ([]value.Kind, value.Kind, bool) {
		if len(kinds) < 1 || len(kinds) > 3 {
			return nil, 0, false
		}
		want := append([]value.Kind{}, kinds...)
		result := kinds[0]
		if len(kinds) > 1 {
			want[1] = i4
		}
		if len(kinds) > 2 {
			var ok bool
			if result, ok = value.Common(kinds[0], kinds[2]); !ok {
				return nil, 0, false
			}
			want[0], want[2] = result, result
		}
		return want, result, len(kinds) < 2 || fits(kinds[1:2], []value.Kind{i4})
	}
	r.windowFunctions["lag"] = &windowFunc{shift, func(p *Partition, i int) (value.Value, error) { return p.shifted(i, -1) }}
	r.windowFunctions["lead"] = &windowFunc{shift, func(p *Partition, i int) (value.Value, error) { return p.shifted(i, 1) }}
	any1 := func(kinds []value.Kind) ([]value.Kind, value.Kind, bool) {
		if len(kinds) != 1 {
			return nil, 0, false
		}
		return kinds, kinds[0], true
	}
	r.windowFunctions["first_value"] = &windowFunc{any1, func(p *Partition, i int) (value.Value, error) { return p.nth(i, 1) }}
	r.windowFunctions["last_value"] = &windowFunc{any1, func(p *Partition, i int) (value.Value, error) { return p.nth(i, -1) }}
	r.windowFunctions["nth_value"] = &windowFunc{func(kinds []value.Kind) ([]value.Kind, value.Kind, bool) {
		if len(kinds) != 2 || !fits(kinds[1:], []value.Kind{i4}) {
			return nil, 0, false
		}
		return []value.Kind{kinds[0], i4}, kinds[0], true
	}, func(p *Partition, i int) (value.Value, error) {
		n := p.arg(1, i)
		if n.IsNull {
			return nullValue(), nil
		}
		if n.Int <= 0 {
			return nullValue(), value.Errorf("22016", "argument of nth_value must be greater than zero")
		}
		return p.nth(i, n.Int)
	}}
}
