package plan

import (
	"sort"
	"strings"
)

// Signature names the rows that a plan gives by what it reads and asks, so that
// what one run measured serves the estimates of others. Names of columns stand
// for them, and constants as they are; "" means that there is no such name.
func Signature(n Node) string {
	ordered := func(exprs []Expr) string {
		out := make([]string, len(exprs))
		for i, e := range exprs {
			out[i] = Text(e)
		}
		sort.Strings(out)
		return strings.Join(out, " AND ")
	}
	shipped := false
	eachExpr(n, func(e Expr) {
		Walk(e, func(p Expr) bool {
			_, is := p.(*ShippedKeys)
			shipped = shipped || is
			return !shipped
		})
	})
	if shipped {
		return ""
	}
	one := func(in Node, what string) string {
		if s := Signature(in); s != "" {
			return s + what
		}
		return ""
	}
	switch n := n.(type) {
	case *Scan:
		return n.Table.FullName() + n.Table.Verbatim
	case *Project:
		return Signature(n.Input)
	case *Sort:
		return Signature(n.Input)
	case *Filter:
		return one(n.Input, " WHERE "+ordered(n.Conds))
	case *Aggregate:
		if n.Sets != nil {
			return ""
		}
		var keys []Expr
		for _, g := range n.Groups {
			keys = append(keys, g.Expr)
		}
		return one(n.Input, " GROUP BY "+ordered(keys))
	case *Join:
		l, r := Signature(n.Left), Signature(n.Right)
		if l == "" || r == "" || n.Test != nil || n.Kind == MarkJoin {
			return ""
		}
		return "(" + l + " " + n.Kind.String() + " " + r + " ON " + ordered(n.On) + ")"
	}
	return ""
}
