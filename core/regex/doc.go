// Package regex matches texts with regular expressions as PostgreSQL does:
// its advanced syntax, with lookaround and back references, its rule that the
// match that begins first is the longest or the shortest by what the expression
// prefers as a whole, and its parts of a match (PostgreSQL's documentation,
// section "POSIX Regular Expressions").
//
// A pattern goes through three forms:
//
//	parse.go    text to nodes: what the pattern says; options.go and escape.go with it
//	pieces.go   nodes to pieces: what prefers what, and where parts must be told apart
//	dissect.go  pieces over a text: which match, and which parts
//
// walk.go finds all places that a node can reach in a text, which dissecting
// chooses from. Go's own engine, which needs linear time, answers first where it
// can: it knows neither preferences nor parts, but whether there is a match.
//
// Characters are classed and compared as under the C collation: only ASCII
// letters have a case.
//
//	r, err := regex.Compile(`^loan (?=\d)`, "i")
//	found, err := r.Match("Loan 12")
package regex
