package plan

import "rovik/core/function"

// Strict reports whether e is NULL when all of cols are NULL.
func Strict(e Expr, cols IDs) bool {
	switch e := e.(type) {
	case *Col:
		return cols[e.ID]
	case *Cast:
		return Strict(e.Arg, cols)
	case *Call:
		switch e.Op {
		case "in":
			return Strict(e.Args[0], cols)
		case "coalesce", "greatest", "least":
			for _, a := range e.Args {
				if !Strict(a, cols) {
					return false
				}
			}
			return true
		}
		f, _ := function.Of(e.Op)
		if strings := e.Op == "||" && !e.Typ.Kind.IsArray(); !f.Strict && !strings { // of arrays it takes NULL for none
			return false
		}
		for _, a := range e.Args {
			if Strict(a, cols) {
				return true
			}
		}
	}
	return false
}
