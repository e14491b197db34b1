// Package fold decides who evaluates what. It cuts a plan at the waterline:
// below it the sources work, each through one native statement for as much of
// the plan as it computes with exactly Rovik's meaning; above it Rovik does the
// rest. Every piece of the query gets a verdict, and where it did not fold, a
// reason and a remedy.
//
//	compiled, err := fold.Compile(q, sources, fold.Options{})
//	for _, p := range compiled.Pieces { … p.Verdict, p.Reason … }
package fold
