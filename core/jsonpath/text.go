package jsonpath

import (
	"fmt"
	"strings"

	"rovik/core/value"
)

// String writes a path in PostgreSQL's own spelling.
func (p *Path) String() string {
	var b strings.Builder
	if !p.lax {
		b.WriteString("strict ")
	}
	p.root.write(&b, false, true)
	return b.String()
}

var priorities = map[kind]int{itemOr: 0, itemAnd: 1, itemCompare: 2, itemStarts: 2, itemUnary: 5}

func (i *item) priority() int {
	if i.kind == itemBinary {
		return map[string]int{"+": 3, "-": 3}[i.text] + map[string]int{"*": 4, "/": 4, "%": 4}[i.text]
	}
	if p, ok := priorities[i.kind]; ok {
		return p
	}
	return 6
}

// write writes an item and what follows it; behind reports that it stands behind another.
func (i *item) write(b *strings.Builder, behind, brackets bool) {
	operand := func(o *item) { o.write(b, false, o.priority() <= i.priority()) }
	enclosed := func(f func()) {
		if brackets {
			b.WriteByte('(')
		}
		f()
		if brackets {
			b.WriteByte(')')
		}
	}
	dot := func() {
		if behind {
			b.WriteByte('.')
		}
	}
	switch i.kind {
	case itemBool:
		fmt.Fprint(b, i.truth)
	case itemNumber:
		if i.next != nil {
			b.WriteString("(" + i.number.String() + ")")
		} else {
			b.WriteString(i.number.String())
		}
	case itemString:
		b.WriteString(value.QuoteJSON(i.text))
	case itemVariable:
		b.WriteString("$" + value.QuoteJSON(i.text))
	case itemKey:
		dot()
		b.WriteString(value.QuoteJSON(i.text))
	case itemAnyKey:
		dot()
		b.WriteByte('*')
	case itemAnd, itemOr, itemStarts, itemCompare, itemBinary:
		sign := string(i.kind)
		if i.kind == itemCompare || i.kind == itemBinary {
			sign = i.text
		}
		enclosed(func() {
			operand(i.left)
			b.WriteString(" " + sign + " ")
			operand(i.right)
		})
	case itemRegex:
		enclosed(func() {
			operand(i.left)
			b.WriteString(" like_regex " + value.QuoteJSON(i.text))
			flags := ""
			for _, f := range "ismxq" {
				if strings.ContainsRune(i.flags, f) {
					flags += string(f)
				}
			}
			if flags != "" {
				b.WriteString(` flag "` + flags + `"`)
			}
		})
	case itemUnary:
		enclosed(func() {
			b.WriteString(i.text)
			operand(i.left)
		})
	case itemFilter, itemNot, itemExists, itemUnknown:
		b.WriteString(map[kind]string{itemFilter: "?(", itemNot: "!(", itemExists: "exists (", itemUnknown: "("}[i.kind])
		i.left.write(b, false, false)
		b.WriteByte(')')
		if i.kind == itemUnknown {
			b.WriteString(" is unknown")
		}
	case itemIndex:
		for n, s := range i.subscripts {
			b.WriteByte("[,"[min(n, 1)])
			s.from.write(b, false, false)
			if s.to != nil {
				b.WriteString(" to ")
				s.to.write(b, false, false)
			}
		}
		b.WriteByte(']')
	case itemAny:
		dot()
		b.WriteString("**")
		level := func(n uint32) string {
			if n == lastLevel {
				return "last"
			}
			return fmt.Sprint(n)
		}
		switch {
		case i.from == 0 && i.to == lastLevel:
		case i.from == i.to:
			b.WriteString("{" + level(i.from) + "}")
		default:
			b.WriteString("{" + level(i.from) + " to " + level(i.to) + "}")
		}
	case itemMethod:
		b.WriteString("." + i.text + "()")
	default: // null, $, @, last, [*]
		b.WriteString(string(i.kind))
	}
	if i.next != nil {
		i.next.write(b, true, true)
	}
}
