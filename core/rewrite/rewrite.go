// Package rewrite changes plans into equal ones of which more can fold. Each
// rule is a pure function in a file of its own.
package rewrite

import "rovik/core/plan"

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
		{"fold constants", foldConstants},
		{"split averages", splitAverages},
		{"drop sorts", dropSorts},
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
// rule that changed the plan.
func Apply(q *plan.Query, trace func(Step)) *plan.Query {
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
	return &plan.Query{Root: root, IDs: q.IDs, Texts: q.Texts, Momentary: q.Momentary}
}
