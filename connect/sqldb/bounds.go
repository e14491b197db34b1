package sqldb

import (
	"rovik/core/fold"
	"rovik/core/function"
	"rovik/core/plan"
)

// Bounds are what a database takes at most in one statement; 0 is no bound.
type Bounds struct {
	Columns    int   // of a result
	Parameters int   // constants
	Bytes      int64 // of the text with its constants
	Tables     int   // that are joined
	Depth      int   // of an expression, a chain of AND or OR counted by its links
	Arms       int   // of a chain of unions
	Arguments  int   // of a function
}

// Fits says why a statement is past a bound; see fold.Bounded.
func (s *Source) Fits(root plan.Node, n fold.Native) *fold.Reason {
	if s.Dialect.Bounds == nil {
		return nil
	}
	b := s.Dialect.Bounds(s)
	bytes := int64(len(n.Text))
	for _, v := range n.Parameters {
		bytes += int64(len(v.Str)) + 16
	}
	m := measures{}
	m.node(root)
	for _, c := range []struct {
		is, most int64
		what     string
	}{
		{int64(len(root.Columns())), int64(b.Columns), "%d result columns"},
		{int64(len(n.Parameters) + n.MaxKeys), int64(b.Parameters), "%d constants"},
		{bytes, b.Bytes, "%d bytes"},
		{int64(m.tables), int64(b.Tables), "%d tables"},
		{int64(m.depth), int64(b.Depth), "an expression %d levels deep"},
		{int64(m.arms), int64(b.Arms), "%d arms of unions"},
		{int64(m.arguments), int64(b.Arguments), "a function with %d arguments"},
	} {
		if c.most > 0 && c.is > c.most {
			return Reasonf("statement-too-large", "Ask for less at once: a shorter list, fewer columns, or a join with a table in the place of constants.",
				"The statement would have "+c.what+", and %s takes at most %d.", c.is, s.Dialect.Product, c.most)
		}
	}
	return nil
}

// measures of a plan that one statement is written for.
type measures struct{ tables, depth, arms, arguments int }

func (m *measures) node(root plan.Node) {
	plan.Visit(root, func(n plan.Node) {
		conds := 0
		switch n := n.(type) {
		case *plan.Scan:
			m.tables++
		case *plan.Union:
			m.arms += len(n.Parts)
		case *plan.SetOp:
			m.arms += 2
		case *plan.Filter:
			conds = len(n.Conds)
		case *plan.Join:
			conds = len(n.On)
		}
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			m.depth = max(m.depth, depth(e)+conds)
			plan.Walk(e, func(e plan.Expr) bool {
				if c, is := e.(*plan.Call); is && isFunction(c.Op) {
					m.arguments = max(m.arguments, len(c.Args))
				}
				return true
			})
			return e
		})
	})
}

// isFunction reports whether a call is written as one of a function.
func isFunction(op string) bool {
	facts, known := function.Of(op)
	return known && facts.Written == function.Call
}

// depth counts the levels of an expression.
func depth(e plan.Expr) int {
	deepest := 0
	parts := plan.Children(e)
	for _, p := range parts {
		deepest = max(deepest, depth(p))
	}
	if c, is := e.(*plan.Call); is && (c.Op == "and" || c.Op == "or") {
		return deepest + len(parts)
	}
	return deepest + 1
}
