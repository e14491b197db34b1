// Package rewrite changes plans into equal ones of which more can fold. Each
// rule is a pure function in a file of its own.
package rewrite

import (
	"rovik/core/plan"
	"rovik/core/value"
)

// Rule is one equivalence, applied wherever it fits.
type Rule struct {
	Name  string
	Apply func(root plan.Node, ids *plan.Numbering) plan.Node
}

// Step is a rule that changed the plan.
type Step struct {
	Rule  string
	After string // the plan after it, printed
}

// Rules lists the rules in the order of their application. Filters are pushed
// a second time because gathering joins leaves some on top, and
// constants are folded again because pushing puts some in the place of columns.
func Rules() []Rule {
	return []Rule{
		{"decorrelate", decorrelate},
		{"fold constants", foldConstants},
		{"split averages", splitAverages},
		{"drop sorts", dropSorts},
		{"push filters", pushFilters},
		{"semi-joins", semiJoins},
		{"single joins", singleJoins},
		{"push filters", pushFilters},
		{"lift projections", liftProjections},
		{"gather joins", gatherJoins},
		{"push filters", pushFilters},
		{"fold constants", foldConstants},
		{"lift projections", liftProjections},
		{"sink expressions", sinkExpressions},
		{"prune columns", pruneColumns},
	}
}

// Apply runs all rules over a query. trace, where not nil, is told of every
// rule that changed the plan. Errors name what no rule can rewrite.
func Apply(q *plan.Query, trace func(Step)) (out *plan.Query, err error) {
	defer func() {
		if r := recover(); r != nil {
			e, ok := r.(*value.Error)
			if !ok {
				panic(r)
			}
			out, err = nil, e
		}
	}()
	root := q.Root
	before := ""
	if trace != nil {
		before = plan.Print(root)
	}
	for _, r := range Rules() {
		root = r.Apply(root, q.IDs)
		if trace != nil {
			if after := plan.Print(root); after != before {
				trace(Step{r.Name, after})
				before = after
			}
		}
	}
	return &plan.Query{Root: root, IDs: q.IDs, Texts: q.Texts, Momentary: q.Momentary}, nil
}
