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

// joinOp builds hash tables of one side and probes them with the other. The
// right side is built; for an inner join the one with fewer expected rows. But
// for a full join, nothing is built before there is a row that looks for a
// partner: a subquery that no row asks for is not evaluated.
type joinOp struct {
	probe, build operator
	kind         plan.JoinKind
	lookups      []*lookup         // whose candidates add up
	residual     []*kernel.Program // over what it and the test read
	reads        [2][]int          // which columns these are, of the left and of the right
	asks         []*kernel.Program // over left columns: without all of these no row needs a partner
	test         *kernel.Program   // of a mark join
	buildKinds   []value.Kind
	probeKinds   []value.Kind
	buildsLeft   bool
	budget       *account
	org          plan.Origin
	ship         *shipOp // the side whose keys go to the other, if one does

	// meets says that a partner is looked for in the right rows as they come, and met
	// are the left rows that then come out.
	meets bool
	met   kernel.Batch

	table kernel.Batch
	found []bool // build rows with a partner, for a full join
	// prepared is set once keys were sent, ready once the build side was read.
	prepared, ready bool
	failed          error        // met where keys were made of the build side
	current         kernel.Batch // the probe batch being joined
	matched         []bool       // by row of current: a partner was found
	unknown         []bool       // by row of current: a mark join's test was NULL
	row             int
	at              cursor
	drained         bool // the probe side has ended
	rest            int  // next build row to be looked at after that
}

func (b *builder) join(n *plan.Join, holds *account) (operator, error) {
	lc, rc := n.Left.Columns(), n.Right.Columns()
	o := &joinOp{kind: n.Kind, budget: holds, org: n.Org}
	o.buildsLeft = n.Kind == plan.InnerJoin && b.estimate.Rows(n.Left) < b.estimate.Rows(n.Right)
	if n.Ship != nil {
		from := n.Left
		if n.Ship.FromRight {
			from = n.Right
		}
		b.shipments[n.Ship.Statement] = &shippedKeys{c: b.run.stmts[n.Ship.Statement-1], eachRound: b.rounds != nil && readsWork(from)}
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
		key, err := kernel.CompileWithin(n.Ship.Key, layoutOf(side.Columns()), holds.room)
		if err != nil {
			return nil, err
		}
		o.ship = &shipOp{in: *from, key: key, kind: n.Ship.Key.Type().Kind, kinds: kindsOf(side.Columns()), to: b.shipments[n.Ship.Statement],
			st: b.run.compiled.Statements[n.Ship.Statement-1], budget: holds}
		*from = o.ship
	}
	alternatives, residual := plan.JoinKeys(n)
	for _, keys := range alternatives {
		l := &lookup{}
		var lk, rk []plan.Expr
		for _, k := range keys {
			lk, rk, l.modes = append(lk, k.Left), append(rk, k.Right), append(l.modes, k.Mode)
		}
		if l.probeKeys, err = holds.compileAll(lk, lc); err != nil {
			return nil, err
		}
		if l.buildKeys, err = holds.compileAll(rk, rc); err != nil {
			return nil, err
		}
		if o.buildsLeft {
			l.probeKeys, l.buildKeys = l.buildKeys, l.probeKeys
		}
		o.lookups = append(o.lookups, l)
	}
	if n.Kind != plan.InnerJoin && n.Kind != plan.FullJoin {
		lo := plan.Outputs(n.Left)
		var asks []plan.Expr
		for _, c := range residual {
			if uses := plan.Uses(c); len(uses) > 0 && uses.Within(lo) {
				asks = append(asks, c)
			}
		}
		if o.asks, err = holds.compileAll(asks, lc); err != nil {
			return nil, err
		}
	}
	uses := plan.Uses(residual...)
	if n.Test != nil {
		uses.AddUses(n.Test)
	}
	var read []plan.Column
	for side, cols := range [][]plan.Column{lc, rc} {
		for i, c := range cols {
			if uses[c.ID] {
				o.reads[side], read = append(o.reads[side], i), append(read, c)
			}
		}
	}
	if o.residual, err = holds.compileAll(residual, read); err != nil {
		return nil, err
	}
	if n.Test != nil {
		if o.test, err = kernel.CompileWithin(n.Test, layoutOf(read), holds.room); err != nil {
			return nil, err
		}
	}
	o.probe, o.build, o.probeKinds, o.buildKinds = left, right, kindsOf(lc), kindsOf(rc)
	if o.buildsLeft {
		o.probe, o.build, o.probeKinds, o.buildKinds = right, left, kindsOf(rc), kindsOf(lc)
	}
	o.meets = (n.Kind == plan.SemiJoin || n.Kind == plan.AntiJoin) && o.ship == nil && o.keyless() && b.estimate.Rows(n.Left) <= b.estimate.Rows(n.Right)
	o.table, err = kernel.Concat(o.buildKinds, nil)
	return o, err
}

// prepare sends keys where there are some to send. A subquery whose rows make
// them may fail although no row asks for it: then all rows are read, and the
// error is the first one's that asks.
func (o *joinOp) prepare(ctx context.Context) error {
	if o.ship != nil {
		err := o.ship.ready(ctx)
		if err != nil && o.kind != plan.FullJoin && o.build == o.ship && deferred(err) {
			o.failed, err = err, nil
			o.ship.to.plain = true
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (o *joinOp) fill(ctx context.Context) error {
	if o.failed != nil {
		return o.failed
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
		if err := o.budget.take(b.Bytes()+int64(b.Len*len(o.lookups))*entryBytes, "join"); err != nil {
			return err
		}
		held = append(held, b)
	}
	var err error
	if o.table, err = kernel.Concat(o.buildKinds, held); err != nil {
		return err
	}
	if o.kind == plan.FullJoin {
		o.found = make([]bool, o.table.Len)
	}
	for _, l := range o.lookups {
		if err := l.fill(o.table, len(o.lookups) > 1); err != nil {
			return err
		}
	}
	o.ready = true
	return nil
}

// asked reports whether some row of a probe batch looks for a partner.
func (o *joinOp) asked(b kernel.Batch) (bool, error) {
	if len(o.asks) == 0 {
		return b.Len > 0, nil
	}
	some, err := kernel.Select(b, o.asks)
	return some.Len > 0, err
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
	if !o.prepared {
		if err := o.prepare(ctx); err != nil {
			return kernel.Batch{}, err
		}
		o.prepared = true
	}
	if o.kind == plan.FullJoin && !o.ready {
		if err := o.fill(ctx); err != nil {
			return kernel.Batch{}, err
		}
	}
	if o.meets {
		if !o.ready {
			o.ready = true
			if err := o.meet(ctx); err != nil {
				return kernel.Batch{}, err
			}
		}
		n := min(o.met.Len, BatchRows)
		if n == 0 {
			return kernel.Batch{}, io.EOF
		}
		out := o.met.Slice(0, n)
		o.met = o.met.Slice(n, o.met.Len)
		return out, nil
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
		b, err := o.pairs(ctx)
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
	if !o.ready {
		asked, err := o.asked(b)
		if err == nil && asked {
			err = o.fill(ctx)
		}
		if err != nil {
			return err
		}
	}
	for _, l := range o.lookups {
		if err := l.look(b); err != nil {
			return err
		}
	}
	if o.kind != plan.InnerJoin {
		o.matched = make([]bool, b.Len)
	}
	if o.test != nil {
		o.unknown = make([]bool, b.Len)
	}
	return nil
}

// batchBytes is about how large a batch is made that repeats rows of others.
const batchBytes = 16 << 20

// rowsWithin is how many rows a batch has at most that repeats rows of some batches beside
// each other.
func rowsWithin(repeated ...kernel.Batch) int {
	each := int64(1)
	for _, b := range repeated {
		each += b.Bytes() / int64(max(1, b.Len))
	}
	return int(min(max(1, batchBytes/each), BatchRows))
}

// fewPairs is how many pairs are tried at once where a row needs one alone.
const fewPairs = 256

// pairs joins rows of the current batch until a batch is full or it ends.
func (o *joinOp) pairs(ctx context.Context) (kernel.Batch, error) {
	enough := o.kind.LeftOnly() && o.test == nil // one partner says it all
	simple := enough && len(o.residual) == 0
	if enough && !simple && o.keyless() {
		_, err := o.rounds(ctx, o.unmatched())
		o.row = o.current.Len
		return kernel.Batch{}, err
	}
	size := rowsWithin(o.current, o.table)
	if enough {
		size = min(size, fewPairs)
	}
	probe, build := make([]int32, 0, size), make([]int32, 0, size)
	var key []byte
	for ; o.row < o.current.Len; o.row++ {
		if !o.at.open {
			o.at.start(o.lookups, o.row, key[:0])
		}
		if enough && o.matched[o.row] {
			o.at.open = false
			continue
		}
		for len(probe) < size {
			at := o.at.step(o.lookups, o.table.Len)
			if at < 0 {
				o.at.open = false
				break
			}
			if simple {
				o.matched[o.row] = true
				o.at.open = false
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
	var read kernel.Batch
	if len(o.residual) > 0 || o.test != nil {
		// Which pairs remain: their positions go along as a last column.
		place := array.NewInt32Builder(value.Memory)
		for i := range probe {
			place.Append(int32(i))
		}
		read = o.read(probe, build)
		read.Cols = append(read.Cols, place.NewArray())
		var err error
		if read, err = kernel.Select(read, o.residual); err != nil {
			return read, err
		}
		last := len(read.Cols) - 1
		left := read.Cols[last].(*array.Int32).Int32Values()
		read.Cols = read.Cols[:last]
		p, t := make([]int32, len(left)), make([]int32, len(left))
		for i, at := range left {
			p[i], t[i] = probe[at], build[at]
		}
		probe, build = p, t
	}
	if o.kind == plan.InnerJoin {
		return o.combine(probe, build), nil
	}
	if o.test != nil {
		return kernel.Batch{}, o.judge(read, probe)
	}
	for i, p := range probe {
		if o.kind == plan.SingleJoin && o.matched[p] {
			return kernel.Batch{}, placed(o.org, value.Errorf(value.CodeCardinality, "more than one row returned by a subquery used as an expression"))
		}
		o.matched[p] = true
		if o.found != nil {
			o.found[build[i]] = true
		}
	}
	if o.kind.LeftOnly() {
		return kernel.Batch{}, nil
	}
	return o.combine(probe, build), nil
}

// read puts pairs together as far as the residual conditions and the test read
// them.
func (o *joinOp) read(probe, build []int32) kernel.Batch {
	type side struct {
		of   kernel.Batch
		rows []int32
	}
	sides := [2]side{{o.current, probe}, {o.table, build}}
	if o.buildsLeft {
		sides[0], sides[1] = sides[1], sides[0]
	}
	out := kernel.Batch{Len: len(probe)}
	for i, s := range sides {
		for _, c := range o.reads[i] {
			out.Cols = append(out.Cols, kernel.Take(s.of.Cols[c], s.rows))
		}
	}
	return out
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
