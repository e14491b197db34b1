package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"sort"
	"strings"
)

// Signature names the rows that a plan gives by what it reads and asks, so that
// what one run measured serves the estimates of others. Names of columns stand
// for them, and constants as they are; "" means that there is no such name.
func Signature(n Node) string { return signatures{}.of(n) }

// signatures are those of the parts of plans that were asked for.
type signatures map[Node]string

func (s signatures) of(n Node) string {
	sig, known := s[n]
	if !known {
		sig = s.make(n)
		if len(sig) > longest {
			sum := sha256.Sum256([]byte(sig))
			sig = "#" + hex.EncodeToString(sum[:16])
		}
		s[n] = sig
	}
	return sig
}

// longest is the length from which on a signature is a hash of itself, so that those of deep
// plans do not grow with their depth.
const longest = 1000

func (s signatures) make(n Node) string {
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
		if sig := s.of(in); sig != "" {
			return sig + what
		}
		return ""
	}
	switch n := n.(type) {
	case *Scan:
		return n.Table.FullName() + n.Table.Verbatim
	case *Project:
		return s.of(n.Input)
	case *Sort:
		return s.of(n.Input)
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
		l, r := s.of(n.Left), s.of(n.Right)
		if l == "" || r == "" || n.Test != nil || n.Kind == MarkJoin {
			return ""
		}
		return "(" + l + " " + n.Kind.String() + " " + r + " ON " + ordered(n.On) + ")"
	}
	return ""
}
