package plan

// KeyMode says how a key of a hash join treats NULL.
type KeyMode int

// The modes.
const (
	KeyStrict KeyMode = iota // NULL equals nothing
	KeySafe                  // NULL equals NULL
	KeyLoose                 // NULL equals everything: the condition may be unknown
)

// JoinKey is an equality between the sides of a join.
type JoinKey struct {
	Left, Right Expr
	Mode        KeyMode
}

// JoinKeys splits a join's conditions into equalities between its sides and
// the others. Of a mark join's test, and of an anti join's condition that asks
// for something not false, one equality serves to find candidates; it is
// checked again. Where there is no equality but each part of an OR has one, each
// is an alternative way to find candidates.
func JoinKeys(n *Join) (alternatives [][]JoinKey, residual []Expr) {
	keys, residual := connectingKeys(n)
	if len(keys) == 0 {
		for _, c := range residual {
			if either := eitherKeys(c, Outputs(n.Left), Outputs(n.Right)); either != nil {
				return either, residual
			}
		}
	}
	return [][]JoinKey{keys}, residual
}

// eitherKeys returns the equalities of each part of an OR, or nil where one has
// none.
func eitherKeys(c Expr, left, right IDs) [][]JoinKey {
	or, ok := c.(*Call)
	if !ok || or.Op != "or" {
		return nil
	}
	var out [][]JoinKey
	for _, part := range or.Args {
		if nested := eitherKeys(part, left, right); nested != nil {
			out = append(out, nested...)
			continue
		}
		var keys []JoinKey
		for _, p := range Conjuncts(part) {
			if k, is := keyOf(p, left, right); is {
				keys = append(keys, k)
			}
		}
		if len(keys) == 0 {
			return nil
		}
		out = append(out, keys)
	}
	return out
}

// keyOf takes a condition that is an equality between the sides apart.
func keyOf(c Expr, left, right IDs) (JoinKey, bool) {
	l, r, is := EquiKeys(c, left, right)
	mode := KeyStrict
	if is && c.(*Call).Op == OpNullSafeEqual {
		mode = KeySafe
	}
	return JoinKey{l, r, mode}, is
}

func connectingKeys(n *Join) (keys []JoinKey, residual []Expr) {
	lo, ro := Outputs(n.Left), Outputs(n.Right)
	for _, c := range n.On {
		if k, is := keyOf(c, lo, ro); is {
			keys = append(keys, k)
			continue
		}
		residual = append(residual, c)
	}
	loose := func(c Expr) {
		for _, part := range Conjuncts(c) {
			if len(keys) > 0 && keys[len(keys)-1].Mode == KeyLoose {
				return
			}
			if l, r, is := EquiKeys(part, lo, ro); is && part.(*Call).Op == "=" {
				keys = append(keys, JoinKey{l, r, KeyLoose})
			}
		}
	}
	if n.Test != nil {
		loose(n.Test)
	}
	for _, c := range residual {
		if call, ok := c.(*Call); ok && call.Op == "is not false" {
			loose(call.Args[0])
		}
	}
	if len(keys) > 0 && keys[len(keys)-1].Mode == KeyLoose {
		// Candidates that a NULL lets through do not share the other keys.
		residual = n.On
	}
	return keys, residual
}
