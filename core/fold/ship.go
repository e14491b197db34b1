package fold

import (
	"fmt"

	"rovik/core/plan"
	"rovik/core/value"
)

const (
	// maxShipped is how many keys are sent at most; past that a plain read is
	// the better deal.
	maxShipped = 20_000
	// A key sent counts as half a row, and so many rows have to stay behind for
	// reading one side after the other to pay.
	keyCost = 0.5
	minGain = 30
)

// ship decides whether the keys of one side of a join go into the statement of
// the other, and puts the condition there. It returns the statement that takes
// them, or nil.
func (f *folder) ship(n *plan.Join, l, r *place) *statementRef {
	if f.off {
		return nil
	}
	type way struct {
		from, to  *place
		fromRight bool
	}
	var ways []way
	switch n.Kind {
	case plan.InnerJoin, plan.SemiJoin:
		ways = []way{{l, r, false}, {r, l, true}}
	case plan.LeftJoin, plan.SingleJoin, plan.AntiJoin, plan.MarkJoin:
		ways = []way{{l, r, false}}
	}
	if n.Kind == plan.MarkJoin && n.Test != nil {
		return nil
	}
	var best *half
	var bestTo *place
	var ship *plan.Shipping
	bestGain := 0.0
	lo, ro := plan.Outputs(n.Left), plan.Outputs(n.Right)
	for _, w := range ways {
		target := w.to.half
		if target == nil || target.source.KeyBatch() == 0 {
			continue
		}
		for _, on := range n.On {
			key, other, ok := plan.EquiKeys(on, lo, ro)
			if !ok || on.(*plan.Call).Op != "=" {
				continue
			}
			if w.fromRight {
				key, other = other, key
			}
			cond := &plan.Call{Op: "in", Args: []plan.Expr{plan.Substitute(other, target.defs), &plan.ShippedKeys{Typ: other.Type()}}, Typ: value.Of(value.Bool)}
			if plan.MayFail(other) || target.source.Value(cond) != nil || !takes(target.frag) {
				continue
			}
			side := n.Left
			if w.fromRight {
				side = n.Right
			}
			keys := f.estimate.DistinctRows(side, key)
			all := f.estimate.Rows(target.frag)
			left := f.estimate.Matching(target.frag, cond.Args[0], keys)
			if gain := all - left - keyCost*keys; keys <= maxShipped && gain > minGain && gain > bestGain {
				h := *target
				h.frag = below(target.frag, cond)
				h.shipped = left
				best, bestTo, bestGain = &h, w.to, gain
				ship = &plan.Shipping{FromRight: w.fromRight, Key: key}
			}
		}
	}
	if best == nil {
		return nil
	}
	*bestTo = place{half: best}
	n.Ship = ship
	f.ships = append(f.ships, shipment{n, best.ref})
	return best.ref
}

// takes reports whether no other keys are shipped into n already.
func takes(n plan.Node) bool {
	free := true
	plan.Visit(n, func(n plan.Node) {
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			plan.Walk(e, func(p plan.Expr) bool {
				_, shipped := p.(*plan.ShippedKeys)
				free = free && !shipped
				return free
			})
			return e
		})
	})
	return free
}

// below puts a condition as deep into a fragment as its rows allow.
func below(n plan.Node, cond plan.Expr) plan.Node {
	on := func(in plan.Node, cond plan.Expr) plan.Node { return n.WithInputs([]plan.Node{below(in, cond)}) }
	switch n := n.(type) {
	case *plan.Filter:
		deep := below(n.Input, cond)
		if own, ok := deep.(*plan.Filter); ok && own.Input == n.Input { // last, so that other parameters keep their numbers
			return &plan.Filter{Input: n.Input, Conds: append(n.Conds[:len(n.Conds):len(n.Conds)], cond)}
		}
		return n.WithInputs([]plan.Node{deep})
	case *plan.Sort:
		return on(n.Input, cond)
	case *plan.Distinct:
		if n.On == nil {
			return on(n.Input, cond)
		}
	case *plan.Project:
		defs := plan.Defs{}
		for _, it := range n.Items {
			defs[it.ID] = it.Expr
		}
		return on(n.Input, plan.Substitute(cond, defs))
	case *plan.Aggregate:
		defs := plan.Defs{}
		for _, g := range n.Groups {
			defs[g.ID] = g.Expr
		}
		if uses := plan.Uses(cond); n.Sets == nil && len(n.Groups) > 0 && uses.Within(plan.IDs{}.AddUses(refs(n.Groups)...)) {
			return on(n.Input, plan.Substitute(cond, defs))
		}
	case *plan.Union:
		parts := make([]plan.Node, len(n.Parts))
		for i, p := range n.Parts {
			defs := plan.Defs{}
			for j, c := range p.Columns() {
				defs[n.Cols[j].ID] = c.Ref()
			}
			parts[i] = below(p, plan.Substitute(cond, defs))
		}
		return n.WithInputs(parts)
	}
	return &plan.Filter{Input: n, Conds: []plan.Expr{cond}}
}

func refs(items []plan.Item) []plan.Expr {
	out := make([]plan.Expr, len(items))
	for i, it := range items {
		out[i] = it.Ref()
	}
	return out
}

// TooManyKeys is the reason of a join whose keys were not sent when it ran.
func TooManyKeys(source string, keys int) *Reason {
	return &Reason{"sources-differ", fmt.Sprintf("There were %d keys when it ran, too many to send: the statement of %s was sent without them.", keys, source),
		"Keep what crosses small: filter each side as far as it goes."}
}

// KeysShipped is the code of joins whose keys are sent.
const KeysShipped = "keys-shipped"

func keysShipped(fromRight bool, l, r place) *Reason {
	target := r
	if fromRight {
		target = l
	}
	return &Reason{KeysShipped, "The keys of the other side go into the statement of " + target.half.source.Name() + ", in batches; Rovik joins what comes back.",
		"None is needed: what crosses is what the keys find."}
}
