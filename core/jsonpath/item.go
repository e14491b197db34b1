package jsonpath

import (
	"math"

	"rovik/core/regex"
	"rovik/core/value"
)

// kind is what an item of a path does.
type kind string

// The kinds of items. Operators and methods carry their own names.
const (
	itemNull     kind = "null"
	itemBool     kind = "bool"
	itemNumber   kind = "number"
	itemString   kind = "string"
	itemVariable kind = "variable"
	itemRoot     kind = "$"
	itemCurrent  kind = "@"
	itemLast     kind = "last"
	itemKey      kind = "key"
	itemAnyKey   kind = ".*"
	itemAnyArray kind = "[*]"
	itemIndex    kind = "[]"
	itemAny      kind = ".**"
	itemFilter   kind = "?"
	itemMethod   kind = "method"
	itemUnary    kind = "unary"
	itemBinary   kind = "binary"
	itemCompare  kind = "compare"
	itemAnd      kind = "&&"
	itemOr       kind = "||"
	itemNot      kind = "!"
	itemUnknown  kind = "is unknown"
	itemExists   kind = "exists"
	itemStarts   kind = "starts with"
	itemRegex    kind = "like_regex"
)

// item is a step of a path, or an operator with its operands, and what follows it.
type item struct {
	kind        kind
	text        string // of a string, variable, key, number, method, operator or pattern
	flags       string // of like_regex
	truth       bool
	number      value.Decimal
	left, right *item
	subscripts  []subscript
	from, to    uint32 // levels of .**
	match       *regex.Regex
	next        *item
	wrapped     bool // it stood in parentheses
}

type subscript struct{ from, to *item }

// lastLevel stands for last in the levels of .**.
const lastLevel = math.MaxUint32

// predicate reports whether an item is a condition, which is no value without more.
func (i *item) predicate() bool {
	switch i.kind {
	case itemCompare, itemAnd, itemOr, itemNot, itemUnknown, itemExists, itemStarts, itemRegex:
		return i.next == nil
	}
	return false
}

// Plain reports whether a path only goes along a document and compares: without arithmetic, and
// without methods that read numbers or times.
func (p *Path) Plain() bool { return p.root.plain() }

func (i *item) plain() bool {
	if i == nil {
		return true
	}
	switch {
	case i.kind == itemBinary, i.kind == itemUnary, i.kind == itemMethod && i.text != "type" && i.text != "size":
		return false
	}
	for _, s := range i.subscripts {
		if !s.from.plain() || !s.to.plain() {
			return false
		}
	}
	return i.left.plain() && i.right.plain() && i.next.plain()
}
