package bind

import (
	"rovik/core/function"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// windowing collects the window functions of a select block.
type windowing struct {
	defs  map[string]*syntax.Window
	items []plan.WindowItem
}

func (b *binder) windowDefs(named []syntax.NamedWindow) *windowing {
	w := &windowing{defs: map[string]*syntax.Window{}}
	for i := range named {
		if w.defs[named[i].Name] != nil {
			b.fail(named[i].Span, value.Errorf("42P20", "window %q is already defined", named[i].Name))
		}
		w.defs[named[i].Name] = &named[i].Window
	}
	return w
}

func (w *windowing) ids() plan.IDs {
	out := plan.IDs{}
	if w != nil {
		for _, it := range w.items {
			out[it.ID] = true
		}
	}
	return out
}

// resolve follows the names that a window starts from.
func (b *binder) resolve(w *windowing, def *syntax.Window, depth int) *syntax.Window {
	if def.Ref == "" {
		return def
	}
	base := w.defs[def.Ref]
	if base == nil || depth > len(w.defs) {
		b.fail(def.Span, value.Errorf("42704", "window %q does not exist", def.Ref))
	}
	base = b.resolve(w, base, depth+1)
	if def.Whole {
		return base
	}
	switch {
	case len(def.Partition) > 0:
		b.fail(def.Span, value.Errorf("42P20", "cannot override PARTITION BY clause of window %q", def.Ref))
	case len(def.OrderBy) > 0 && len(base.OrderBy) > 0:
		b.fail(def.Span, value.Errorf("42P20", "cannot override ORDER BY clause of window %q", def.Ref))
	case base.Frame != nil:
		b.fail(def.Span, value.Errorf("42P20", "cannot copy window %q because it has a frame clause", def.Ref))
	}
	out := *def
	out.Partition = base.Partition
	if len(def.OrderBy) == 0 {
		out.OrderBy = base.OrderBy
	}
	return &out
}

// windowCall binds a function with OVER.
func (x *exprBinder) windowCall(f *syntax.Func, org plan.Origin) plan.Expr {
	b := x.b
	if x.windows == nil {
		b.fail(f.Span, value.Errorf("42P20", "window functions are not allowed in %s", x.clause))
	}
	if x.inAgg {
		b.fail(f.Span, value.Errorf(value.CodeGrouping, "aggregate function calls cannot contain window function calls"))
	}
	if x.inWindow {
		b.fail(f.Span, value.Errorf("42P20", "window function calls cannot be nested"))
	}
	if f.Distinct {
		b.fail(f.Span, value.Errorf(value.CodeUnsupported, "DISTINCT is not implemented for window functions"))
	}
	if len(f.OrderBy) > 0 {
		b.fail(f.Span, value.Errorf(value.CodeUnsupported, "aggregate ORDER BY is not implemented for window functions"))
	}
	inner := *x
	inner.inWindow, inner.guard = true, nil
	def := b.resolve(x.windows, f.Over, 0)
	w := plan.WindowCall{Func: f.Name, Frame: plan.DefaultFrame(), Org: org}
	if !f.Star {
		w.Args = inner.bindAll(f.Args)
	}
	var typ value.Type
	args, typ, err := kernel.ResolveWindow(f.Name, kindsOf(w.Args), f.Star)
	b.check(f.Span, err)
	for i := range w.Args {
		w.Args[i] = b.coerce(w.Args[i], value.Of(args[i]), f.Args[i].At())
	}
	if f.Filter != nil {
		if !kernel.IsAggregate(f.Name) {
			b.fail(f.Span, value.Errorf(value.CodeUnsupported, "FILTER is not implemented for non-aggregate window functions"))
		}
		w.Filter = inner.condition(f.Filter, "FILTER")
	}
	for _, p := range def.Partition {
		e := b.settle(inner.bind(p))
		b.comparable(e.Type().Kind, p.At())
		w.Partition = append(w.Partition, e)
	}
	for _, o := range def.OrderBy {
		e := b.settle(inner.bind(o.Expr))
		b.comparable(e.Type().Kind, o.Span)
		w.Order = append(w.Order, b.sortKey(o, e))
	}
	if def.Frame != nil {
		w.Frame = inner.frame(def, w.Order)
	}
	if facts, _ := function.WindowOf(f.Name); facts.IgnoresFrame {
		w.Frame = plan.DefaultFrame()
	}
	it := plan.WindowItem{Column: plan.Column{ID: b.ids.Next(), Name: f.Name, Type: typ}, WindowCall: w}
	x.windows.items = append(x.windows.items, it)
	ref := it.Ref()
	ref.Org = org
	return ref
}

func kindsOf(exprs []plan.Expr) []value.Kind {
	out := make([]value.Kind, len(exprs))
	for i, e := range exprs {
		out[i] = e.Type().Kind
	}
	return out
}

func (x *exprBinder) frame(def *syntax.Window, order []plan.SortKey) plan.Frame {
	b := x.b
	f := def.Frame
	fail := func(format string, args ...any) { b.fail(def.Span, value.Errorf("42P20", format, args...)) }
	out := plan.Frame{Mode: plan.FrameMode(f.Mode), Start: plan.Bound{Kind: plan.BoundKind(f.Start)}, End: plan.Bound{Kind: plan.BoundKind(f.End)}, Exclude: plan.Exclusion(f.Exclude)}
	switch {
	case out.Start.Kind == plan.UnboundedFollowing:
		fail("frame start cannot be UNBOUNDED FOLLOWING")
	case out.End.Kind == plan.UnboundedPreceding:
		fail("frame end cannot be UNBOUNDED PRECEDING")
	case out.Start.Kind > out.End.Kind:
		fail("frame starting from %s cannot end before it", [...]string{"", "", "current row", "following row", ""}[out.Start.Kind])
	case out.Mode == plan.FrameGroups && len(order) == 0:
		fail("GROUPS mode requires an ORDER BY clause")
	}
	offset := func(e syntax.Expr) plan.Expr {
		if e == nil {
			return nil
		}
		bound := x.bind(e)
		if out.Mode != plan.FrameRange {
			bound = b.coerce(bound, value.Of(value.Int8), e.At())
		} else {
			if len(order) != 1 {
				fail("RANGE with offset PRECEDING/FOLLOWING requires exactly one ORDER BY column")
			}
			kind, err := kernel.RangeOffset(order[0].Expr.Type().Kind)
			b.check(e.At(), err)
			bound = b.coerce(bound, value.Of(kind), e.At())
		}
		if len(plan.Uses(bound)) > 0 {
			b.fail(e.At(), value.Errorf("42P10", "argument of %s must not contain variables", out.Mode))
		}
		return bound
	}
	out.Start.Offset, out.End.Offset = offset(f.StartOffset), offset(f.EndOffset)
	return out
}

// window puts window functions over n, those with the same window together.
func (b *binder) window(n plan.Node, items []plan.WindowItem) plan.Node {
	var groups [][]plan.WindowItem
next:
	for _, it := range items {
		for g := range groups {
			if sameWindow(groups[g][0].WindowCall, it.WindowCall) {
				groups[g] = append(groups[g], it)
				continue next
			}
		}
		groups = append(groups, []plan.WindowItem{it})
	}
	for _, g := range groups {
		n = &plan.Window{Input: n, Items: g, Org: g[0].Org}
	}
	return n
}

// sameWindow reports whether two calls see the same partitions in the same order.
func sameWindow(a, b plan.WindowCall) bool {
	if len(a.Partition) != len(b.Partition) || len(a.Order) != len(b.Order) {
		return false
	}
	for i := range a.Partition {
		if !plan.Equal(a.Partition[i], b.Partition[i]) {
			return false
		}
	}
	for i := range a.Order {
		x, y := a.Order[i], b.Order[i]
		if x.Desc != y.Desc || x.NullsFirst != y.NullsFirst || !plan.Equal(x.Expr, y.Expr) {
			return false
		}
	}
	return true
}
