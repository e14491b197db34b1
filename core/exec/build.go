package exec

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// operator gives batches until io.EOF.
type operator interface {
	next(ctx context.Context) (kernel.Batch, error)
}

// measured counts what an operator gives and how long it and its inputs take. Once the
// operator has given all, it is let go with what it and its inputs held.
type measured struct {
	operator
	c      *counters
	holds  *account
	inputs []*measured
	given  int64 // bytes of the last batch, which may still be held
}

// next also ends a run that was stopped while operators work on what they hold,
// when no source would notice.
func (m *measured) next(ctx context.Context) (kernel.Batch, error) {
	if err := ctx.Err(); err != nil {
		return kernel.Batch{}, err
	}
	began := time.Now()
	b, err := m.operator.next(ctx)
	m.c.nanos.Add(int64(time.Since(began)))
	switch {
	case err == nil:
		m.c.rows.Add(int64(b.Len))
		given := b.Bytes()
		if err := m.holds.take(given-m.given, "rows on their way"); err != nil {
			return kernel.Batch{}, err
		}
		m.given = given
	case errors.Is(err, io.EOF):
		m.letGo()
	}
	return b, err
}

func (m *measured) letGo() {
	m.operator = over{}
	m.holds.free()
	for _, in := range m.inputs {
		in.letGo()
	}
	m.inputs = nil
}

// over is an operator that has given all.
type over struct{}

func (over) next(context.Context) (kernel.Batch, error) { return kernel.Batch{}, io.EOF }

// builder makes operators of plan nodes.
type builder struct {
	run       *Run
	inputs    []*measured // that were built for the operator that is being built
	conn      Connector
	comment   string
	estimate  *plan.Estimator
	works     map[int]*workRows
	shipments map[int]*shippedKeys // by statement
	// rounds is set while the step of a recursion is built: what it reads of
	// sources is held there, and its operators are counted once.
	rounds *rounds
}

func layoutOf(cols []plan.Column) map[plan.ID]int {
	l := make(map[plan.ID]int, len(cols))
	for i, c := range cols {
		l[c.ID] = i
	}
	return l
}

// compileAll readies expressions over the columns of an operator's input.
func (a *account) compileAll(exprs []plan.Expr, cols []plan.Column) ([]*kernel.Program, error) {
	return compileWithin(exprs, cols, a.room)
}

func compileWithin(exprs []plan.Expr, cols []plan.Column, room kernel.Room) ([]*kernel.Program, error) {
	layout := layoutOf(cols)
	out := make([]*kernel.Program, len(exprs))
	for i, e := range exprs {
		p, err := kernel.CompileWithin(e, layout, room)
		if err != nil {
			return nil, err
		}
		out[i] = p
	}
	return out, nil
}

func (b *builder) build(n plan.Node) (operator, error) {
	if r, ok := n.(*plan.Remote); ok {
		if b.rounds == nil {
			return b.remote(r), nil
		}
		return b.rounds.remote(b, r), nil
	}
	outer := b.inputs
	b.inputs = nil
	holds := &account{share: b.run.share}
	op, err := b.operator(n, holds)
	if err != nil {
		return nil, err
	}
	m := &measured{operator: op, c: b.run.ops[n], holds: holds, inputs: b.inputs}
	b.inputs = append(outer, m)
	return m, nil
}

func (b *builder) operator(n plan.Node, holds *account) (operator, error) {
	switch n := n.(type) {
	case *plan.Join:
		return b.join(n, holds)
	case *plan.Recursive:
		return b.recursive(n, holds)
	}
	// Every other operator reads its inputs as they are, each built once.
	inputs := make([]operator, 0, 2)
	for _, part := range n.Inputs() {
		op, err := b.build(part)
		if err != nil {
			return nil, err
		}
		inputs = append(inputs, op)
	}
	var in operator
	if len(inputs) > 0 {
		in = inputs[0]
	}
	switch n := n.(type) {
	case *plan.Filter:
		conds, err := compileWithin(n.Conds, n.Input.Columns(), holds.parts)
		return &filterOp{in: in, conds: conds}, err
	case *plan.Project:
		exprs := make([]plan.Expr, len(n.Items))
		for i, it := range n.Items {
			exprs[i] = it.Expr
		}
		if m, ok := in.(*measured); ok {
			if u, ok := m.operator.(*unnestOp); ok {
				u.passOn(plan.Uses(exprs...))
			}
		}
		programs, err := compileWithin(exprs, n.Input.Columns(), holds.parts)
		return &projectOp{in: in, exprs: programs}, err
	case *plan.Limit:
		// A limit over a sort keeps only the rows it needs.
		if m, ok := in.(*measured); ok && n.Count >= 0 && n.Ties == nil {
			if s, ok := m.operator.(*sortOp); ok {
				s.top = n.Count + n.Offset
			}
		}
		l := &limitOp{in: in, skip: n.Offset, left: n.Count}
		if n.Ties != nil {
			var keys []plan.Expr
			for _, k := range n.Ties {
				keys = append(keys, k.Expr)
			}
			var err error
			l.ties, err = holds.compileAll(keys, n.Input.Columns())
			return l, err
		}
		return l, nil
	case *plan.Sort:
		exprs := make([]plan.Expr, len(n.Keys))
		for i, k := range n.Keys {
			exprs[i] = k.Expr
		}
		programs, err := holds.compileAll(exprs, n.Input.Columns())
		return &sortOp{in: in, keys: n.Keys, programs: programs, kinds: kindsOf(n.Columns()), budget: holds, top: -1}, err
	case *plan.Distinct:
		d := &distinctOp{in: in, seen: map[string]struct{}{}, budget: holds}
		if n.On != nil {
			var err error
			d.on, err = holds.compileAll(n.On, n.Input.Columns())
			return d, err
		}
		return d, nil
	case *plan.Window:
		return newWindowOp(n, in, holds)
	case *plan.Unnest:
		return newUnnestOp(n, in, holds)
	case *plan.SetOp:
		return &setOp{left: inputs[0], right: inputs[1], n: n, budget: holds}, nil
	case *plan.WorkTable:
		return &workOp{work: b.works[n.Work]}, nil
	case *plan.Aggregate:
		return newAggregateOp(n, in, holds)
	case *plan.Union:
		return &unionOp{parts: inputs}, nil
	case *plan.Values:
		return &valuesOp{n: n}, nil
	}
	return nil, fmt.Errorf("exec: no operator for %T", n)
}

func kindsOf(cols []plan.Column) []value.Kind {
	out := make([]value.Kind, len(cols))
	for i, c := range cols {
		out[i] = c.Type.Kind
	}
	return out
}
