package regex

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

type op int

const (
	opEmpty op = iota
	opClass    // one character of set
	opBeginText
	opEndText
	opBeginLine
	opEndLine
	opWordStart
	opWordEnd
	opWordEdge
	opNoWordEdge
	opAhead  // what follows matches the only sub, or does not
	opBehind // what is before matches the only sub, or does not
	opConcat
	opAlternate
	opRepeat // the only sub, at least least and at most most times
	opGroup  // parentheses that keep what they match
	opBack   // what group number holds
)

// A node is what a part of a pattern says.
type node struct {
	op          op
	set         set
	subs        []*node
	least, most int        // of opRepeat; most is -1 where there is no bound
	pref        preference // of opRepeat
	number      int        // of opGroup and opBack, from 1
	not         bool       // of opAhead and opBehind
	fold        bool       // of opBack: case does not count
}

// bounds writes the quantifier of a repetition.
func (n *node) bounds() string {
	switch {
	case n.most >= 0:
		return fmt.Sprintf("{%d,%d}", n.least, n.most)
	case n.least > 1:
		return fmt.Sprintf("{%d,}", n.least)
	}
	return []string{"*", "+"}[n.least]
}

// leastLength is a number of characters that each match has at least.
func (n *node) leastLength() int {
	switch n.op {
	case opClass:
		return 1
	case opGroup:
		return n.subs[0].leastLength()
	case opRepeat:
		return min(n.least, 1) * n.subs[0].leastLength()
	case opConcat:
		sum := 0
		for _, s := range n.subs {
			sum += s.leastLength()
		}
		return sum
	case opAlternate:
		least := n.subs[0].leastLength()
		for _, s := range n.subs[1:] {
			least = min(least, s.leastLength())
		}
		return least
	}
	return 0
}

// withoutPlaces returns n with all conditions on places met, which is what a back
// reference to n can match.
func (n *node) withoutPlaces() *node {
	switch n.op {
	case opClass, opEmpty, opBack:
		return n
	case opConcat, opAlternate, opRepeat, opGroup:
		out := *n
		out.subs = make([]*node, len(n.subs))
		for i, s := range n.subs {
			out.subs[i] = s.withoutPlaces()
		}
		return &out
	}
	return &node{op: opEmpty}
}

// A set is a set of characters: sorted ranges, first and last in turn.
type set []rune

func (s set) has(c rune) bool {
	if len(s) == 2 {
		return s[0] <= c && c <= s[1]
	}
	for i := 0; i < len(s); i += 2 {
		if c < s[i] {
			return false
		}
		if c <= s[i+1] {
			return true
		}
	}
	return false
}

// with returns s and the characters from first to last.
func (s set) with(first, last rune) set {
	at := 0
	for at < len(s) && s[at+1]+1 < first {
		at += 2
	}
	end := at
	for end < len(s) && s[end] <= last+1 {
		first, last = min(first, s[end]), max(last, s[end+1])
		end += 2
	}
	return slices.Concat(s[:at], set{first, last}, s[end:])
}

func (s set) union(o set) set {
	for i := 0; i < len(o); i += 2 {
		s = s.with(o[i], o[i+1])
	}
	return s
}

func (s set) complement() set {
	var out set
	next := rune(0)
	for i := 0; i < len(s); i += 2 {
		if s[i] > next {
			out = append(out, next, s[i]-1)
		}
		next = s[i+1] + 1
	}
	if next <= utf8.MaxRune {
		out = append(out, next, utf8.MaxRune)
	}
	return out
}

// folded returns s with the other case of each ASCII letter in it.
func (s set) folded() set {
	out := s
	for c := 'A'; c <= 'Z'; c++ {
		switch lower := c + 'a' - 'A'; {
		case s.has(c):
			out = out.with(lower, lower)
		case s.has(lower):
			out = out.with(c, c)
		}
	}
	return out
}

// String is the set in Go's syntax.
func (s set) String() string {
	var b strings.Builder
	b.WriteByte('[')
	for i := 0; i < len(s); i += 2 {
		fmt.Fprintf(&b, `\x{%x}-\x{%x}`, s[i], s[i+1])
	}
	if len(s) == 0 {
		fmt.Fprintf(&b, `^\x{0}-\x{%x}`, utf8.MaxRune)
	}
	return b.String() + "]"
}

// classes are the classes of characters of the C locale.
var classes = map[string]set{
	"alnum":  {'0', '9', 'A', 'Z', 'a', 'z'},
	"alpha":  {'A', 'Z', 'a', 'z'},
	"ascii":  {0, 127},
	"blank":  {'\t', '\t', ' ', ' '},
	"cntrl":  {0, 31, 127, 127},
	"digit":  {'0', '9'},
	"graph":  {'!', '~'},
	"lower":  {'a', 'z'},
	"print":  {' ', '~'},
	"punct":  {'!', '/', ':', '@', '[', '`', '{', '~'},
	"space":  {'\t', '\r', ' ', ' '},
	"upper":  {'A', 'Z'},
	"xdigit": {'0', '9', 'A', 'F', 'a', 'f'},
	"word":   {'0', '9', 'A', 'Z', '_', '_', 'a', 'z'},
}
