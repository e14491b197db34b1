package plan

import "strings"

// NullBlind are the operators and functions that can give a value although an
// argument is NULL, besides those that start with "is ".
var NullBlind = map[string]bool{"and": true, "or": true, "concat": true, "concat_ws": true, "array": true, "array_append": true,
	"array_prepend": true, "array_cat": true, "array_position": true, "array_remove": true, "array_replace": true, "array_to_string": true,
	"= any": true, "= all": true, "<> any": true, "<> all": true, "< any": true, "< all": true, "<= any": true, "<= all": true,
	"> any": true, "> all": true, ">= any": true, ">= all": true, "like any": true, "like all": true, "ilike any": true, "ilike all": true,
	"format": true, "num_nulls": true, "num_nonnulls": true, "jsonb_build_object": true, "json_build_object": true,
	"jsonb_build_array": true, "json_build_array": true, "to_json": false, "quote_nullable": true, "row": true}

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
		case strings.HasPrefix(e.Op, "is "), NullBlind[e.Op]:
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
