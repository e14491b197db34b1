package plan

import "strings"

// Strict tells whether e is NULL when all of cols are NULL.
func Strict(e Expr, cols IDs) bool {
	switch e := e.(type) {
	case *Col:
		return cols[e.ID]
	case *Cast:
		return Strict(e.Arg, cols)
	case *Call:
		switch {
		case e.Op == "in":
			return Strict(e.Args[0], cols)
		case strings.HasPrefix(e.Op, "is "), e.Op == "and", e.Op == "or", e.Op == "concat":
			return false
		case e.Op == "coalesce", e.Op == "greatest", e.Op == "least":
			for _, a := range e.Args {
				if !Strict(a, cols) {
					return false
				}
			}
			return true
		}
		for _, a := range e.Args {
			if Strict(a, cols) {
				return true
			}
		}
	}
	return false
}
