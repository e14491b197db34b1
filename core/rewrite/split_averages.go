package rewrite

import (
	"rovik/core/plan"
	"rovik/core/value"
)

// splitAverages turns avg(x) into sum(x) / count(x), which every source
// computes alike, where databases round an average each in their own way. The
// division happens once a group, in Rovik. Averages of doubles stay.
func splitAverages(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		agg, ok := n.(*plan.Aggregate)
		if !ok {
			return n
		}
		s := &averageSplitter{ids: pass.IDs}
		items := plan.Identity(plan.Columns(agg.Groups))
		if agg.SetID != nil {
			items = append(items, plan.Item{Column: *agg.SetID, Expr: agg.SetID.Ref()})
		}
		for _, a := range agg.Aggs {
			items = append(items, plan.Item{Column: a.Column, Expr: s.split(a)})
		}
		if !s.changed {
			return n
		}
		pass.note(agg.Org, "databases round an average each in their own way; sum and count they compute alike")
		split := *agg
		split.Aggs = s.aggs
		return &plan.Project{Input: &split, Items: items}
	})
}

type averageSplitter struct {
	ids     *plan.Numbering
	aggs    []plan.AggItem
	changed bool
}

// split adds the aggregates that a needs and returns what computes a of them.
func (s *averageSplitter) split(a plan.AggItem) plan.Expr {
	if k := argKind(a); a.Func != "avg" || !k.IsInteger() && k != value.Numeric {
		s.aggs = append(s.aggs, a)
		return a.Ref()
	}
	s.changed = true
	sumKind := value.Numeric
	if k := argKind(a); k == value.Int2 || k == value.Int4 {
		sumKind = value.Int8
	}
	sum, count := s.add(a, "sum", sumKind), s.add(a, "count", value.Int8)
	numeric := value.Of(value.Numeric)
	dividend := sum
	if sumKind != value.Numeric {
		dividend = &plan.Cast{Arg: sum, Typ: numeric}
	}
	// No rows give sum NULL, and so NULL before 0 can divide.
	divisor := &plan.Case{Typ: numeric, Else: &plan.Cast{Arg: count, Typ: numeric}, Whens: []plan.When{{
		Cond:   &plan.Call{Op: "=", Args: []plan.Expr{count, &plan.Const{Val: value.IntOf(value.Int8, 0), Typ: value.Of(value.Int8)}}, Typ: value.Of(value.Bool)},
		Result: &plan.Const{Val: value.NullOf(value.Numeric), Typ: numeric},
	}}}
	return &plan.Call{Op: "/", Args: []plan.Expr{dividend, divisor}, Typ: numeric, Org: a.Org}
}

// add returns the column of an aggregate over a's argument, the same for
// equal ones.
func (s *averageSplitter) add(a plan.AggItem, fn string, kind value.Kind) plan.Expr {
	for _, have := range s.aggs {
		same := a.Agg
		same.Func = fn
		if plan.EqualAgg(have.Agg, same) {
			return have.Ref()
		}
	}
	part := a.Agg
	part.Func = fn
	item := plan.AggItem{Column: plan.Column{ID: s.ids.Next(), Name: plan.AggText(part), Type: value.Of(kind)}, Agg: part}
	s.aggs = append(s.aggs, item)
	return item.Ref()
}

func argKind(a plan.AggItem) value.Kind {
	if len(a.Args) == 0 {
		return value.Null
	}
	return a.Args[0].Type().Kind
}
