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

// keyMode says how a key of a hash join treats NULL.
type keyMode int

const (
	keyStrict keyMode = iota // NULL equals nothing
	keySafe                  // NULL equals NULL
	keyLoose                 // NULL equals everything: the condition may be unknown
)

// equiKey is an equality between the sides of a join.
type equiKey struct {
	left, right plan.Expr
	mode        keyMode
}

// joinKeys splits a join's conditions into equalities between its sides and
// the others. Of a mark join's test, and of an anti join's condition that asks
// for something not false, one equality serves to find candidates; it is
// checked again.
func joinKeys(n *plan.Join) (keys []equiKey, residual []plan.Expr) {
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	for _, c := range n.On {
		if l, r, is := plan.EquiKeys(c, lo, ro); is {
			mode := keyStrict
			if c.(*plan.Call).Op == plan.OpNullSafeEqual {
				mode = keySafe
			}
			keys = append(keys, equiKey{l, r, mode})
			continue
		}
		residual = append(residual, c)
	}
	loose := func(c plan.Expr) {
		for _, part := range plan.Conjuncts(c) {
			if len(keys) > 0 && keys[len(keys)-1].mode == keyLoose {
				return
			}
			if l, r, is := plan.EquiKeys(part, lo, ro); is && part.(*plan.Call).Op == "=" {
				keys = append(keys, equiKey{l, r, keyLoose})
			}
		}
	}
	if n.Test != nil {
		loose(n.Test)
	}
	for _, c := range residual {
		if call, ok := c.(*plan.Call); ok && call.Op == "is not false" {
			loose(call.Args[0])
		}
	}
	if len(keys) > 0 && keys[len(keys)-1].mode == keyLoose {
		// Candidates that a NULL lets through do not share the other keys.
		residual = n.On
	}
	return keys, residual
}

// joinOp builds a hash table of one side and probes it with the other. Without
// equalities all rows lie in one bucket. The right side is built; for an inner
// join the one with fewer expected rows.
type joinOp struct {
	probe, build operator
	kind         plan.JoinKind
	probeKeys    []*kernel.Program
	buildKeys    []*kernel.Program
	modes        []keyMode
	residual     []*kernel.Program // over left columns, then right ones
	test         *kernel.Program   // of a mark join
	buildKinds   []value.Kind
	probeKinds   []value.Kind
	buildsLeft   bool
	budget       *budget
	org          plan.Origin
	ship         *shipOp // the side whose keys go to the other, if one does

	table   kernel.Batch
	head    map[string]int32 // first build row of a key
	chain   []int32          // next build row of the same key, -1 at the end
	loose   []int32          // build rows whose loose key is NULL
	found   []bool           // build rows with a partner, for a full join
	ready   bool
	current kernel.Batch // the probe batch being joined
	keys    []arrow.Array
	matched []bool // by row of current: a partner was found
	unknown []bool // by row of current: a mark join's test was NULL
	row     int
	at      cursor
	drained bool // the probe side has ended
	rest    int  // next build row to be looked at after that
}

// cursor walks the candidates of one probe row: a chain, then the loose rows;
// or all rows.
type cursor struct {
	next  int32 // in the chain
	loose int
	all   bool
	open  bool
}

func (b *builder) join(n *plan.Join) (operator, error) {
	lc, rc := n.Left.Columns(), n.Right.Columns()
	o := &joinOp{kind: n.Kind, budget: b.run.budget, head: map[string]int32{}, org: n.Org}
	o.buildsLeft = n.Kind == plan.InnerJoin && b.estimate.Rows(n.Left) < b.estimate.Rows(n.Right)
	if n.Ship != nil {
		b.shipments[n.Ship.Statement] = &shippedKeys{c: b.run.stmts[n.Ship.Statement-1]}
	}
	left, err := b.build(n.Left)
	if err != nil {
		return nil, err
	}
	right, err := b.build(n.Right)
	if err != nil {
		return nil, err
	}
	if n.Ship != nil {
		from, side := &left, n.Left
		if n.Ship.FromRight {
			from, side = &right, n.Right
		}
		key, err := kernel.Compile(n.Ship.Key, layoutOf(side.Columns()))
		if err != nil {
			return nil, err
		}
		o.ship = &shipOp{in: *from, key: key, kind: n.Ship.Key.Type().Kind, kinds: kindsOf(side.Columns()), to: b.shipments[n.Ship.Statement],
			st: b.run.compiled.Statements[n.Ship.Statement-1], budget: b.run.budget}
		*from = o.ship
	}
	keys, residual := joinKeys(n)
	var lk, rk []plan.Expr
	for _, k := range keys {
		lk, rk, o.modes = append(lk, k.left), append(rk, k.right), append(o.modes, k.mode)
	}
	lp, err := compileAll(lk, lc)
	if err != nil {
		return nil, err
	}
	rp, err := compileAll(rk, rc)
	if err != nil {
		return nil, err
	}
	both := append(lc[:len(lc):len(lc)], rc...)
	if o.residual, err = compileAll(residual, both); err != nil {
		return nil, err
	}
	if n.Test != nil {
		if o.test, err = kernel.Compile(n.Test, layoutOf(both)); err != nil {
			return nil, err
		}
	}
	o.probe, o.build, o.probeKeys, o.buildKeys, o.probeKinds, o.buildKinds = left, right, lp, rp, kindsOf(lc), kindsOf(rc)
	if o.buildsLeft {
		o.probe, o.build, o.probeKeys, o.buildKeys, o.probeKinds, o.buildKinds = right, left, rp, lp, kindsOf(rc), kindsOf(lc)
	}
	return o, nil
}

func (o *joinOp) fill(ctx context.Context) error {
	if o.ship != nil {
		if err := o.ship.ready(ctx); err != nil {
			return err
		}
	}
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
	if o.kind == plan.FullJoin {
		o.found = make([]bool, o.table.Len)
	}
	var key []byte
	// Backwards, so that chains run forwards.
	for i := o.table.Len - 1; i >= 0; i-- {
		switch o.nulls(keys, i) {
		case nullNothing:
			o.chain[i] = -1
			continue
		case nullAnything:
			o.loose = append(o.loose, int32(i))
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

type nullMatch int

const (
	nullNone     nullMatch = iota // no NULL that matters
	nullNothing                   // matches nothing
	nullAnything                  // may match anything
)

// nulls says what NULLs in a row's keys mean.
func (o *joinOp) nulls(keys []arrow.Array, i int) nullMatch {
	out := nullNone
	for k, a := range keys {
		if a.IsNull(i) {
			switch o.modes[k] {
			case keyStrict:
				return nullNothing
			case keyLoose:
				out = nullAnything
			}
		}
	}
	return out
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

func (o *joinOp) next(ctx context.Context) (kernel.Batch, error) {
	if !o.ready {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	for {
		// Pairs that a condition refuses never get to whoever asks.
		if err := ctx.Err(); err != nil {
			return kernel.Batch{}, err
		}
		if o.drained {
			return o.leftOver()
		}
		if o.row >= o.current.Len {
			if b, ok := o.finished(); ok {
				return b, nil
			}
			err := o.advance(ctx)
			if errors.Is(err, io.EOF) && o.found != nil {
				o.drained = true
				continue
			}
			if err != nil {
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
	o.current, o.row, o.at = b, 0, cursor{}
	if o.keys, err = evalAll(o.probeKeys, b); err != nil {
		return err
	}
	if o.kind != plan.InnerJoin {
		o.matched = make([]bool, b.Len)
	}
	if o.test != nil {
		o.unknown = make([]bool, b.Len)
	}
	return nil
}

// look finds the candidates of the present row.
func (o *joinOp) look(key []byte) cursor {
	c := cursor{next: -1, open: true, loose: len(o.loose)}
	switch o.nulls(o.keys, o.row) {
	case nullNothing:
		return c
	case nullAnything:
		c.all, c.next = true, 0
		return c
	}
	if h, ok := o.head[string(rowKey(key, o.keys, o.row))]; ok {
		c.next = h
	}
	c.loose = 0
	return c
}

// step returns the next candidate, or -1.
func (o *joinOp) step() int32 {
	c := &o.at
	if c.all {
		if int(c.next) < o.table.Len {
			c.next++
			return c.next - 1
		}
		return -1
	}
	if c.next >= 0 {
		at := c.next
		c.next = o.chain[at]
		return at
	}
	if c.loose < len(o.loose) {
		c.loose++
		return o.loose[c.loose-1]
	}
	return -1
}

// fewPairs is how many pairs are tried at once where a row needs one alone.
const fewPairs = 256

// pairs joins rows of the current batch until a batch is full or it ends.
func (o *joinOp) pairs() (kernel.Batch, error) {
	enough := o.kind.LeftOnly() && o.test == nil // one partner says it all
	simple := enough && len(o.residual) == 0
	size := BatchRows
	if enough {
		size = fewPairs
	}
	probe, build := make([]int32, 0, size), make([]int32, 0, size)
	var key []byte
	for ; o.row < o.current.Len; o.row++ {
		if !o.at.open {
			o.at = o.look(key[:0])
		}
		if enough && o.matched[o.row] {
			o.at = cursor{}
			continue
		}
		for len(probe) < size {
			at := o.step()
			if at < 0 {
				o.at = cursor{}
				break
			}
			if simple {
				o.matched[o.row] = true
				o.at = cursor{}
				break
			}
			probe, build = append(probe, int32(o.row)), append(build, at)
		}
		if o.at.open {
			break // the batch is full
		}
	}
	return o.joined(probe, build)
}

// joined puts pairs together and drops those that a residual condition does
// not let through. Of kinds that give left rows alone it only notes partners.
func (o *joinOp) joined(probe, build []int32) (kernel.Batch, error) {
	if len(probe) == 0 {
		return kernel.Batch{}, nil
	}
	b := o.combine(probe, build)
	if o.kind == plan.InnerJoin {
		return kernel.Select(b, o.residual)
	}
	if len(o.residual) > 0 || o.test != nil {
		// Which pairs remain: their positions go along as a last column.
		place := array.NewInt32Builder(value.Memory)
		for i := range probe {
			place.Append(int32(i))
		}
		b.Cols = append(b.Cols, place.NewArray())
		var err error
		if b, err = kernel.Select(b, o.residual); err != nil {
			return b, err
		}
		last := len(b.Cols) - 1
		left := b.Cols[last].(*array.Int32).Int32Values()
		b.Cols = b.Cols[:last]
		p, t := make([]int32, len(left)), make([]int32, len(left))
		for i, at := range left {
			p[i], t[i] = probe[at], build[at]
		}
		probe, build = p, t
	}
	if o.test != nil {
		return kernel.Batch{}, o.judge(b, probe)
	}
	for i, p := range probe {
		if o.kind == plan.SingleJoin && o.matched[p] {
			return b, placed(o.org, value.Errorf(value.CodeCardinality, "more than one row returned by a subquery used as an expression"))
		}
		o.matched[p] = true
		if o.found != nil {
			o.found[build[i]] = true
		}
	}
	if o.kind.LeftOnly() {
		return kernel.Batch{}, nil
	}
	return b, nil
}

// judge notes for which rows a mark join's test is true or unknown.
func (o *joinOp) judge(b kernel.Batch, probe []int32) error {
	if b.Len == 0 {
		return nil
	}
	arr, err := o.test.Eval(b)
	if err != nil {
		return err
	}
	verdict := arr.(*array.Boolean)
	for i, p := range probe {
		switch {
		case verdict.IsNull(i):
			o.unknown[p] = true
		case verdict.Value(i):
			o.matched[p] = true
		}
	}
	return nil
}

func (o *joinOp) combine(probe, build []int32) kernel.Batch {
	p, t := o.current.Take(probe), o.table.Take(build)
	if o.buildsLeft {
		p, t = t, p
	}
	return kernel.Batch{Len: len(probe), Cols: append(p.Cols[:len(p.Cols):len(p.Cols)], t.Cols...)}
}

// finished gives the rows of the current batch that come out once all their
// partners are known: of outer joins those without any, of semi and anti joins
// those that pass, of a mark join all with their mark.
func (o *joinOp) finished() (kernel.Batch, bool) {
	if o.matched == nil {
		return kernel.Batch{}, false
	}
	matched := o.matched
	o.matched = nil
	if o.kind == plan.MarkJoin {
		mark := array.NewBooleanBuilder(value.Memory)
		for i, m := range matched {
			if !m && o.unknown != nil && o.unknown[i] {
				mark.AppendNull()
			} else {
				mark.Append(m)
			}
		}
		cols := o.current.Cols
		return kernel.Batch{Len: o.current.Len, Cols: append(cols[:len(cols):len(cols)], mark.NewArray())}, o.current.Len > 0
	}
	var rows, none []int32
	for i, m := range matched {
		if m == (o.kind == plan.SemiJoin) {
			rows, none = append(rows, int32(i)), append(none, -1)
		}
	}
	if len(rows) == 0 {
		return kernel.Batch{}, false
	}
	if o.kind.LeftOnly() {
		return o.current.Take(rows), true
	}
	return o.combine(rows, none), true
}

// leftOver gives a full join's build rows without a partner.
func (o *joinOp) leftOver() (kernel.Batch, error) {
	var rows []int32
	for ; o.rest < o.table.Len && len(rows) < BatchRows; o.rest++ {
		if !o.found[o.rest] {
			rows = append(rows, int32(o.rest))
		}
	}
	if len(rows) == 0 {
		return kernel.Batch{}, io.EOF
	}
	out := kernel.Batch{Len: len(rows)}
	for _, k := range o.probeKinds {
		out.Cols = append(out.Cols, value.Repeat(value.NullOf(k), len(rows)))
	}
	out.Cols = append(out.Cols, o.table.Take(rows).Cols...)
	return out, nil
}
