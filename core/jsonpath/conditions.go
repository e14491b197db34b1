package jsonpath

import (
	"encoding/json"
	"strings"

	"rovik/core/value"
)

// truth is that of a condition.
type truth int

const (
	no truth = iota
	yes
	unknown
)

// nested is a condition on a value that @ stands for.
func (x *execution) nested(i *item, v value.JSONValue) truth {
	saved := x.current
	x.current = v
	defer func() { x.current = saved }()
	return x.condition(i, v)
}

func (x *execution) condition(i *item, v value.JSONValue) truth {
	switch i.kind {
	case itemAnd:
		left := x.condition(i.left, v)
		if left == no {
			return no
		}
		if right := x.condition(i.right, v); right != yes {
			return right
		}
		return left
	case itemOr:
		left := x.condition(i.left, v)
		if left == yes {
			return yes
		}
		if right := x.condition(i.right, v); right != no {
			return right
		}
		return left
	case itemNot:
		return map[truth]truth{yes: no, no: yes, unknown: unknown}[x.condition(i.left, v)]
	case itemUnknown:
		if x.condition(i.left, v) == unknown {
			return yes
		}
		return no
	case itemExists:
		var list *items
		if !x.lax {
			list = &items{}
		}
		switch r := x.quietly(func() result { return x.step(i.left, v, list, x.lax) }); {
		case r == failed:
			return unknown
		case list != nil && len(list.list) > 0, list == nil && r == some:
			return yes
		}
		return no
	}
	return x.compared(i, v)
}

// compared tests pairs of what both sides find: one that holds is enough. In strict mode all are
// looked at.
func (x *execution) compared(i *item, v value.JSONValue) truth {
	var left, right *items
	r := x.quietly(func() (r result) { left, r = x.flat(i.left, v, true); return r })
	if r == failed {
		return unknown
	}
	right = &items{list: []value.JSONValue{nil}}
	if i.right != nil {
		if r = x.quietly(func() (r result) { right, r = x.flat(i.right, v, i.kind == itemCompare); return r }); r == failed {
			return unknown
		}
	}
	wrong, found := false, false
	for _, a := range left.list {
		for _, b := range right.list {
			switch x.test(i, a, b) {
			case unknown:
				if !x.lax {
					return unknown
				}
				wrong = true
			case yes:
				if x.lax {
					return yes
				}
				found = true
			}
		}
	}
	switch {
	case found:
		return yes
	case wrong:
		return unknown
	}
	return no
}

func truthOf(b bool) truth {
	if b {
		return yes
	}
	return no
}

func (x *execution) test(i *item, a, b value.JSONValue) truth {
	text, isText := a.(string)
	switch i.kind {
	case itemStarts:
		prefix, ok := b.(string)
		if !isText || !ok {
			return unknown
		}
		return truthOf(strings.HasPrefix(text, prefix))
	case itemRegex:
		if !isText {
			return unknown
		}
		ok, err := i.match.Match(text)
		if err != nil {
			panic(asError(err))
		}
		return truthOf(ok)
	}
	order, comparable := x.order(a, b)
	if !comparable {
		if (a == nil) != (b == nil) {
			return truthOf(i.text == "!=")
		}
		return unknown
	}
	return truthOf(map[string]bool{"==": order == 0, "!=": order != 0, "<": order < 0, "<=": order <= 0, ">": order > 0, ">=": order >= 0}[i.text])
}

// order compares two values of one type.
func (x *execution) order(a, b value.JSONValue) (order int, comparable bool) {
	switch a := a.(type) {
	case nil:
		return 0, b == nil
	case bool:
		other, ok := b.(bool)
		if !ok || a == other {
			return 0, ok
		}
		return map[bool]int{true: 1, false: -1}[a], true
	case string:
		other, ok := b.(string)
		return strings.Compare(a, other), ok
	case json.Number:
		other, ok := numeric(b)
		if !ok {
			return 0, false
		}
		n, _ := numeric(a)
		return n.Cmp(other), true
	case moment:
		other, ok := b.(moment)
		if !ok {
			return 0, false
		}
		return a.order(other, x.Zoned)
	}
	return 0, false
}
