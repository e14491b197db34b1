package fold

import "rovik/core/plan"

func (f *folder) aggregate(n *plan.Aggregate, in place) place {
	why := f.above(in)
	var folded *plan.Aggregate
	if in.half != nil {
		m := substitute(n, in.half.defs).(*plan.Aggregate)
		if why == nil {
			why = firstReason(len(m.Groups), func(i int) *Reason { return in.half.source.Group(m.Groups[i].Expr) })
		}
		if why == nil {
			why = firstReason(len(m.Aggs), func(i int) *Reason { return in.half.source.Aggregate(m.Aggs[i].Agg) })
		}
		if why == nil {
			why = in.half.source.Operator(m.WithInputs([]plan.Node{in.half.frag}))
		}
		folded = m
	}
	if why == nil {
		h := &half{source: in.half.source, out: n.Columns(), defs: plan.Defs{}, ref: in.half.ref}
		h.frag = folded.WithInputs([]plan.Node{in.half.frag})
		verdict, reason := Folded, (*Reason)(nil)
		if n.Stage == plan.PartialStage {
			verdict, reason = Narrowed, finishedHere(in.half.source.Name())
		}
		f.note(KindAggregate, n.Org, verdict, h.ref, reason)
		for _, a := range n.Aggs {
			f.note(KindAggregate, a.Org, verdict, h.ref, reason)
		}
		return place{half: h}
	}
	if n.Stage == plan.FinalStage {
		// Its pieces are those of the step before.
		return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
	}
	f.note(KindAggregate, n.Org, Kept, nil, why)
	for _, a := range n.Aggs {
		r := why
		if in.half != nil && in.half.why == nil {
			if own := in.half.source.Aggregate(substituteAgg(a.Agg, in.half.defs)); own != nil {
				r = own
			}
		}
		f.note(KindAggregate, a.Org, Kept, nil, r)
	}
	return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
}

// finishedHere is the reason of an aggregate that a source computes in part.
func finishedHere(source string) *Reason {
	return &Reason{"finished-here", source + " aggregates what it sends; Rovik puts its groups together with what other rows there are.",
		"None is needed: what crosses is one row a group."}
}

func (f *folder) distinct(n *plan.Distinct, in place) place {
	why := f.above(in)
	if in.half != nil {
		h := in.half
		if why == nil {
			why = h.exactOutput()
		}
		if why == nil && len(n.On) == 0 {
			why = firstReason(len(h.out), func(i int) *Reason { return h.source.Group(h.def(h.out[i])) })
		}
		if why == nil {
			why = firstReason(len(n.On), func(i int) *Reason { return h.source.Group(plan.Substitute(n.On[i], h.defs)) })
		}
		frag := &plan.Distinct{Input: &plan.Project{Input: h.frag, Items: h.items()}, On: n.On, Org: n.Org}
		if why == nil {
			why = h.source.Operator(frag)
		}
		if why == nil {
			f.noteItems(h)
			f.note(KindDistinct, n.Org, Folded, h.ref, nil)
			return place{half: &half{source: h.source, frag: frag, out: h.out, defs: plan.Defs{}, ref: h.ref}}
		}
	}
	f.note(KindDistinct, n.Org, Kept, nil, why)
	return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
}

func (f *folder) sort(n *plan.Sort, in place) place {
	why := f.above(in)
	if in.half != nil {
		// Filters that Rovik still has to check keep the order.
		h := *in.half
		m := substitute(n, h.defs).(*plan.Sort)
		why = firstReason(len(m.Keys), func(i int) *Reason { return h.source.Order(m.Keys[i]) })
		if why == nil {
			why = h.source.Operator(m.WithInputs([]plan.Node{h.frag}))
		}
		if why == nil {
			f.noteCopy(KindSort, n.Org, n.Copy, h.ref, h.source.Name())
			h.frag = m.WithInputs([]plan.Node{h.frag})
			return place{half: &h}
		}
	}
	if !n.Copy {
		f.note(KindSort, n.Org, Kept, nil, why)
	}
	return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
}

// noteCopy notes a sort or limit that folded; a copy is repeated above.
func (f *folder) noteCopy(k Kind, o plan.Origin, isCopy bool, ref *statementRef, source string) {
	if !isCopy {
		f.note(k, o, Folded, ref, nil)
		return
	}
	f.note(k, o, Narrowed, ref, &Reason{"repeated-here", source + " sends its first rows alone; Rovik takes the first of all.", "None is needed: no more rows cross than the limit allows."})
}

func (f *folder) limit(n *plan.Limit, in place) place {
	why := f.above(in)
	if why == nil {
		why = in.half.source.nothing()
	}
	var cut plan.Node
	if why == nil {
		cut = substitute(n, in.half.defs).WithInputs([]plan.Node{in.half.frag})
		why = in.half.source.Operator(cut)
	}
	if why == nil {
		h := *in.half
		f.noteCopy(KindLimit, n.Org, n.Copy, h.ref, h.source.Name())
		h.frag = cut
		return place{half: &h}
	}
	if !n.Copy {
		f.note(KindLimit, n.Org, Kept, nil, why)
	}
	return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
}

// set folds a union, INTERSECT or EXCEPT of one source.
func (f *folder) set(n plan.Node, org plan.Origin) (place, error) {
	parts := make([]place, len(n.Inputs()))
	var why *Reason
	source := ""
	_, isUnion := n.(*plan.Union)
	for i, p := range n.Inputs() {
		var err error
		if parts[i], err = f.fold(p); err != nil {
			return place{}, err
		}
		h := parts[i].half
		switch {
		case why != nil:
		case h == nil:
			why = f.above(parts[i])
		case i > 0 && h.source.Name() != source:
			why = differentSources(n)
		default:
			source = h.source.Name()
			if why = h.exactOutput(); why == nil && !isUnion {
				why = firstReason(len(h.out), func(i int) *Reason { return h.source.Group(h.def(h.out[i])) })
			}
		}
	}
	if why == nil {
		why = parts[0].half.source.nothing()
	}
	if why == nil {
		why = parts[0].half.source.Operator(n)
	}
	if why == nil {
		// One source runs the whole operation; its parts are in one statement.
		ref := &statementRef{}
		inputs := make([]plan.Node, len(parts))
		for i, p := range parts {
			f.noteItems(p.half)
			inputs[i] = &plan.Project{Input: p.half.frag, Items: p.half.items()}
			p.half.ref.find().parent = ref
		}
		f.note(KindSet, org, Folded, ref, nil)
		return place{half: &half{source: parts[0].half.source, frag: n.WithInputs(inputs), out: n.Columns(), defs: plan.Defs{}, ref: ref}}, nil
	}
	f.note(KindSet, org, Kept, nil, why)
	inputs := make([]plan.Node, len(parts))
	for i, p := range parts {
		inputs[i] = f.surface(p)
	}
	return place{node: n.WithInputs(inputs), why: why}, nil
}

// window folds window functions where the source computes all of them.
func (f *folder) window(n *plan.Window, in place) place {
	why := f.above(in)
	if in.half != nil {
		h := *in.half
		m := substitute(n, h.defs).(*plan.Window)
		own := make([]*Reason, len(m.Items))
		for i, it := range m.Items {
			if own[i] = h.source.Window(it.WindowCall); own[i] != nil && why == nil {
				why = own[i]
			}
		}
		if why == nil {
			for _, it := range n.Items {
				f.note(KindWindow, it.Org, Folded, h.ref, nil)
			}
			h.frag = m.WithInputs([]plan.Node{h.frag})
			h.out = append(h.out[:len(h.out):len(h.out)], n.Columns()[len(h.out):]...)
			return place{half: &h}
		}
		for i, it := range n.Items {
			if own[i] == nil {
				own[i] = why
			}
			f.note(KindWindow, it.Org, Kept, nil, own[i])
		}
	} else {
		for _, it := range n.Items {
			f.note(KindWindow, it.Org, Kept, nil, why)
		}
	}
	return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
}

// unnest keeps set-returning functions: no source is asked for them.
func (f *folder) unnest(n *plan.Unnest, in place) place {
	why := &Reason{"no-equivalent", "Functions that give several rows are computed here.", "None is needed where the rows they repeat are few: filter below them."}
	for _, c := range n.Calls {
		f.note(KindExpression, c.Org, Kept, nil, why)
	}
	return place{node: n.WithInputs([]plan.Node{f.surface(in)}), why: why}
}

func recursionKept() *Reason {
	return &Reason{"recursion", "A recursion goes round in Rovik, which asks each source once.", "Filter what the first round starts from."}
}

func (f *folder) recursive(n *plan.Recursive) (place, error) {
	why := recursionKept()
	inputs := make([]plan.Node, 2)
	for i, in := range n.Inputs() {
		p, err := f.fold(in)
		if err != nil {
			return place{}, err
		}
		inputs[i] = f.surface(p)
	}
	f.note(KindSet, n.Org, Kept, nil, why)
	return place{node: n.WithInputs(inputs), why: why}, nil
}

// foldable reports whether a source is likely to aggregate for itself, so that a
// product of rows below stays there.
func (f *folder) foldable(n *plan.Aggregate) bool {
	names := plan.Sources(n.Input)
	if len(names) != 1 || f.off {
		return false
	}
	for name := range names {
		src := f.source(name)
		if src == nil || src.Operator(n) != nil {
			return false
		}
		for _, g := range n.Groups {
			if src.Group(g.Expr) != nil {
				return false
			}
		}
		for _, a := range n.Aggs {
			if src.Aggregate(a.Agg) != nil {
				return false
			}
		}
	}
	return true
}

// shrinks reports whether n gives fewer rows than it reads.
func shrinks(n plan.Node) bool {
	switch n := n.(type) {
	case *plan.Aggregate, *plan.Distinct:
		return true
	case *plan.Limit:
		return n.Count >= 0
	}
	return false
}
