package rewrite

import (
	"fmt"
	"slices"

	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/value"
)

// Rule is one equivalence, applied wherever it fits.
type Rule struct {
	Name  string
	Apply func(root plan.Node, pass *Pass) plan.Node
}

// Pass is what a rule works with: fresh column ids, and a list of what it did.
type Pass struct {
	IDs    *plan.Numbering
	rule   string
	notes  []plan.Rewriting
	seen   map[plan.Rewriting]bool
	relied []*catalog.Table
	reads  plan.Reads // what the query names; see plan.Query
	// measured gives the rows that runs have measured, by signature.
	measured func(signature string) (float64, bool)
}

func (p *Pass) estimator(root plan.Node) *plan.Estimator {
	return plan.NewEstimator(root).Knowing(p.measured)
}

// NewPass makes a pass of a rule.
func NewPass(ids *plan.Numbering) *Pass { return &Pass{IDs: ids, seen: map[plan.Rewriting]bool{}} }

// rely notes the tables below n: what was known of them decided that they need
// not be read.
func (p *Pass) rely(n plan.Node) {
	plan.Visit(n, func(n plan.Node) {
		if s, ok := n.(*plan.Scan); ok && !slices.Contains(p.relied, s.Table) {
			p.relied = append(p.relied, s.Table)
		}
	})
}

// rewrite is plan.Rewrite within the pass's bounds.
func (p *Pass) rewrite(n plan.Node, f func(plan.Node) plan.Node) plan.Node {
	return plan.Rewrite(n, func(n plan.Node) plan.Node {
		p.spend(1)
		return f(n)
	})
}

// spend counts steps of the rule; see plan.Effort.
func (p *Pass) spend(steps int) { p.IDs.Effort.Spend(steps) }

// work says that the rule compares so many things.
func (p *Pass) work(steps int) { p.IDs.Effort.Work(steps) }

// note says that the rule changed something that was written at a place, and
// why; once for each place and reason.
func (p *Pass) note(at plan.Origin, why string, args ...any) {
	n := plan.Rewriting{Rule: p.rule, Origin: at, Why: fmt.Sprintf(why, args...)}
	if !p.seen[n] {
		p.seen[n] = true
		p.notes = append(p.notes, n)
	}
}

// Step is a rule that changed the plan.
type Step struct {
	Rule  string
	After string // the plan after it, printed
}

// Rules lists the rules in the order of their application. What nothing reads goes
// early, so that no rule carries it, and once more at the end. Filters are pushed
// several times: semi-joins, carried conditions and gathered joins leave new
// ones on top. Constants are folded again because pushing puts some in the
// place of columns.
func Rules() []Rule {
	return []Rule{
		{"decorrelate", decorrelate},
		{"fold constants", foldConstants},
		{"split averages", splitAverages},
		{"drop sorts", dropSorts},
		{"prune columns", pruneColumns},
		{"lift projections", liftProjections},
		{"push filters", pushFilters},
		{"semi-joins", semiJoins},
		{"single joins", singleJoins},
		{"push filters", pushFilters},
		{"fold constants", foldConstants},
		{"cut contradictions", cutContradictions},
		{"carry conditions", carryConditions},
		{"push filters", pushFilters},
		{"cut contradictions", cutContradictions},
		{"drop joins", dropJoins},
		{"lift projections", liftProjections},
		{"gather joins", gatherJoins},
		{"push filters", pushFilters},
		{"fold constants", foldConstants},
		{"lift projections", liftProjections},
		{"aggregate early", aggregateEarly},
		{"limit early", limitEarly},
		{"lift projections", liftProjections},
		{"sink expressions", sinkExpressions},
		{"prune columns", pruneColumns},
	}
}

// Apply runs all rules over a query. trace, where not nil, is told of every
// rule that changed the plan. Errors name what no rule can rewrite.
func Apply(q *plan.Query, trace func(Step)) (out *plan.Query, err error) {
	defer value.Catch(&err)
	root := q.Root
	before := ""
	if trace != nil {
		before = plan.Print(root)
	}
	pass := NewPass(q.IDs)
	pass.measured = q.Measured
	for _, r := range Rules() {
		pass.rule = r.Name
		root = r.Apply(root, pass)
		if trace != nil {
			if after := plan.Print(root); after != before {
				trace(Step{r.Name, after})
				before = after
			}
		}
	}
	rewritten := *q
	rewritten.Root, rewritten.Rewrites, rewritten.Relied, rewritten.Reads = root, pass.notes, pass.relied, pass.reads
	return &rewritten, nil
}
