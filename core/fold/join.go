package fold

import (
	"fmt"
	"sort"
	"strings"

	"rovik/core/plan"
)

func (f *folder) join(n *plan.Join) (place, error) {
	f.joining++
	l, err := f.fold(n.Left)
	if err != nil {
		return place{}, err
	}
	r, err := f.fold(n.Right)
	if err != nil {
		return place{}, err
	}
	f.joining--
	why := f.joinReason(n, l, r)
	if why == nil {
		var p place
		if p, why = f.joinHalves(n, l.half, r.half); why == nil {
			return p, nil
		}
	}
	joined := *n
	if ref := f.ship(&joined, &l, &r); ref != nil {
		f.note(KindJoin, n.Org, Narrowed, ref, keysShipped(joined.Ship.FromRight, l, r))
	} else {
		f.note(KindJoin, n.Org, Kept, nil, why)
	}
	for _, c := range n.On {
		f.noteForeign(n, c, Kept, nil, why)
	}
	joined.Left, joined.Right = f.surface(l), f.surface(r)
	return place{node: &joined, why: why}, nil
}

// joinReason says why two parts cannot meet in one source, whatever the
// conditions.
func (f *folder) joinReason(n *plan.Join, l, r place) *Reason {
	switch {
	case l.half == nil || r.half == nil || l.half.source.Name() != r.half.source.Name():
		return differentSources(n)
	case l.half.source.nothing() != nil:
		return l.half.source.nothing()
	case n.Kind == plan.SingleJoin:
		return &Reason{"one-row", "The subquery must not give a second row, which Rovik checks.", "Let it give one row for certain: an aggregate, LIMIT 1, or an equality on a key."}
	case n.Kind != plan.InnerJoin && len(r.half.filters) > 0:
		return &Reason{"null-supplied", "A " + n.Kind.String() + " needs its right side complete, and Rovik checks a condition on it first: " + lowerFirst(r.half.why.Text), r.half.why.Remedy}
	case n.Kind == plan.FullJoin && len(l.half.filters) > 0:
		return &Reason{"null-supplied", "A full join needs both sides complete, and Rovik checks a condition on one first: " + lowerFirst(l.half.why.Text), l.half.why.Remedy}
	}
	if n.Kind == plan.LeftJoin || n.Kind == plan.FullJoin {
		if why := suppliedReason(n, r.half); why != nil {
			return why
		}
	}
	if n.Kind == plan.FullJoin {
		if why := suppliedReason(n, l.half); why != nil {
			return why
		}
	}
	return l.half.source.Operator(n)
}

// suppliedReason judges a side that an outer join fills with NULLs: what it
// computes must be NULL for them.
func suppliedReason(n *plan.Join, h *half) *Reason {
	cols := plan.Outputs(h.frag)
	for _, c := range h.out {
		if e := h.def(c); !isColumn(e) && !plan.Strict(e, cols) {
			return &Reason{"null-supplied", "One side of the " + n.Kind.String() + " computes " + c.Name + ", which must be NULL without a partner, before joining.",
				"Compute " + c.Name + " after the join."}
		}
	}
	return nil
}

// maxProduct bounds how many pairs of rows a source is made to look at where
// nothing equal connects them.
const maxProduct = 1e7

// A join whose rows would all cross is left to Rovik where they are expected to be
// so many, and so many times those of its sides.
const (
	manyRows  = 20_000
	manyTimes = 4
)

// multiplies judges the uppermost join of a source by the rows that cross: where
// nothing above it makes fewer of them there, or Rovik has to check conditions
// first. What is not known is not held against it.
func (f *folder) multiplies(join *plan.Join, checks bool) *Reason {
	if join.Kind.LeftOnly() || f.joining > 0 || f.shrinking > 0 && !checks {
		return nil
	}
	lo, ro := plan.Outputs(join.Left), plan.Outputs(join.Right)
	for _, c := range join.On {
		if a, b, equi := plan.EquiKeys(c, lo, ro); equi && !(f.estimate.Knows(a) && f.estimate.Knows(b)) {
			return nil
		}
	}
	sides := f.estimate.Rows(join.Left) + f.estimate.Rows(join.Right)
	if rows := f.estimate.Rows(join); rows > manyRows && rows > manyTimes*sides {
		return &Reason{"multiplies-rows", fmt.Sprintf("It is expected to give %.0f rows of %.0f, which would all cross.", rows, sides), "Join on a key, or aggregate what it gives."}
	}
	return nil
}

func differentSources(n plan.Node) *Reason {
	var names []string
	for s := range plan.Sources(n) {
		names = append(names, s)
	}
	sort.Strings(names)
	if len(names) < 2 {
		return &Reason{"input-kept", "One side of the join is computed by Rovik, so the join is too.", "Make what is below it fold."}
	}
	return &Reason{"sources-differ", "It combines rows of " + strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1] + ", which cannot see each other.",
		"Keep what crosses small: filter each side as far as it goes."}
}

// joinHalves joins two parts of one source. Conditions that the source does
// not apply exactly are checked by Rovik on the joined rows, which only an
// inner join allows.
func (f *folder) joinHalves(n *plan.Join, l, r *half) (place, *Reason) {
	defs := plan.Defs{}
	for _, side := range []*half{l, r} {
		for id, e := range side.defs {
			defs[id] = e
		}
	}
	type judged struct {
		cond, remote plan.Expr
		why          *Reason
	}
	var conds []judged
	lc, rc := plan.Outputs(l.frag), plan.Outputs(r.frag)
	connected := false
	var firstWhy *Reason
	for _, c := range n.On {
		c = plan.Substitute(c, defs)
		wider, why := l.source.Filter(c)
		j := judged{c, c, why}
		if why != nil {
			j.remote = wider
			if firstWhy == nil {
				firstWhy = why
			}
		}
		if _, _, equi := plan.EquiKeys(c, lc, rc); equi && j.remote != nil {
			connected = true
		}
		conds = append(conds, j)
	}
	if n.Kind != plan.InnerJoin && firstWhy != nil {
		return place{}, firstWhy
	}
	var test plan.Expr
	if n.Test != nil {
		test = plan.Substitute(n.Test, defs)
		if why := l.source.Value(test); why != nil {
			return place{}, why
		}
	}
	if !connected && !n.Kind.LeftOnly() {
		if firstWhy != nil {
			return place{}, firstWhy
		}
		if a, b := f.estimate.Rows(l.frag), f.estimate.Rows(r.frag); a > 1 && b > 1 && (f.reducing == 0 || a*b > maxProduct) {
			return place{}, &Reason{"multiplies-rows", "Nothing equal connects the two sides, so the source would send every pair of rows.", "Join on an equality."}
		}
	}
	join := &plan.Join{Kind: n.Kind, Left: l.frag, Right: r.frag, Test: test, Mark: n.Mark, Org: n.Org}
	for _, j := range conds {
		if j.remote != nil {
			join.On = append(join.On, plan.WithOrigin(j.remote, j.cond.Origin()))
		}
	}
	if why := f.multiplies(join, firstWhy != nil || len(l.filters) > 0 || len(r.filters) > 0); why != nil {
		return place{}, why
	}
	ref := &statementRef{}
	l.ref.find().parent = ref
	r.ref.find().parent = ref
	h := &half{source: l.source, defs: defs, ref: ref, why: l.why}
	h.filters = append(l.filters[:len(l.filters):len(l.filters)], r.filters...)
	if h.why == nil {
		h.why = r.why
	}
	h.out = append(l.out[:len(l.out):len(l.out)], r.out...)
	if n.Kind.LeftOnly() {
		h.out = l.out
		if n.Mark != nil {
			h.out = append(l.out[:len(l.out):len(l.out)], *n.Mark)
		}
	}
	verdict := Folded
	for _, j := range conds {
		v := Folded
		if j.why != nil {
			v, verdict = Narrowed, Narrowed
			if j.remote == nil {
				v = Kept
			}
			h.leave(j.cond, j.why)
		}
		f.noteForeign(n, j.cond, v, ref, j.why)
	}
	h.frag = join
	f.note(KindJoin, n.Org, verdict, ref, firstWhy)
	return place{half: h}, nil
}

// noteForeign notes a join condition that was not written in the join's own
// ON, such as one from WHERE: it is a piece of its own.
func (f *folder) noteForeign(n *plan.Join, c plan.Expr, v Verdict, ref *statementRef, why *Reason) {
	o := c.Origin()
	if o.View != n.Org.View || o.Start < n.Org.Start || o.End > n.Org.End {
		f.note(KindFilter, o, v, ref, why)
	}
}
