package syntax

// NoName is what an output column is called that has no name of its own.
const NoName = "?column?"

// OutputName is the name of an output column without AS, as PostgreSQL gives it.
func OutputName(x Expr) string {
	switch x := x.(type) {
	case *Column:
		return x.Parts[len(x.Parts)-1]
	case *Func:
		return x.Name
	case *Cast:
		if n := OutputName(x.Expr); n != NoName {
			return n
		}
		return x.Type
	case *Sub:
		switch x.Kind {
		case "exists", "array":
			return x.Kind
		case "scalar":
			if sel, ok := x.Query.Body.(*Select); ok && len(sel.Targets) == 1 {
				if sel.Targets[0].Name != "" {
					return sel.Targets[0].Name
				}
				return OutputName(sel.Targets[0].Expr)
			}
		}
	case *Array:
		return "array"
	case *Row:
		return "row"
	case *Subscript:
		return OutputName(x.Expr)
	case *Case:
		if x.Else != nil {
			if n := OutputName(x.Else); n != NoName {
				return n
			}
		}
		return "case"
	}
	return NoName
}
