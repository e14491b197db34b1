package syntax

import (
	"sort"
	"strings"
)

// The parser gives most nodes one location, often in their middle. The
// functions here find the whole extent of a node with the help of the tokens.

// index returns the token that starts at or before pos.
func (c *converter) index(pos int) int {
	i := sort.Search(len(c.tokens), func(i int) bool { return c.tokens[i].Start > pos }) - 1
	return max(i, 0)
}

// indexFrom returns the first token that starts at or after pos.
func (c *converter) indexFrom(pos int) int {
	return sort.Search(len(c.tokens), func(i int) bool { return c.tokens[i].Start >= pos })
}

func (c *converter) text(i int) string { return c.sql[c.tokens[i].Start:c.tokens[i].End] }

// is reports whether token i is the given word or sign.
func (c *converter) is(i int, word string) bool {
	return i >= 0 && i < len(c.tokens) && strings.EqualFold(c.text(i), word)
}

// tokenAt returns the token that holds pos.
func (c *converter) tokenAt(pos int) Span {
	if len(c.tokens) == 0 || pos < 0 {
		return Span{}
	}
	return c.tokens[c.index(pos)]
}

// word returns the first token that is the given word, for errors about
// clauses whose node has no location.
func (c *converter) word(w string) Span { return c.tokenAfter(0, w) }

func (c *converter) tokenAfter(pos int, w string) Span {
	for i := c.indexFrom(pos); i < len(c.tokens); i++ {
		if c.is(i, w) {
			return c.tokens[i]
		}
	}
	return Span{0, len(c.sql)}
}

// tokenBefore returns where the nearest token w before pos starts.
func (c *converter) tokenBefore(pos int, w string) int {
	for i := c.indexFrom(pos); i >= 0; i-- {
		if c.is(i, w) && c.tokens[i].Start <= pos {
			return c.tokens[i].Start
		}
	}
	return pos
}

// cover returns the span from the first to the last of the given nodes and
// the token at loc.
func (c *converter) cover(loc int, nodes ...Expr) Span {
	s := Span{-1, -1}
	if loc >= 0 {
		s = c.tokenAt(loc)
	}
	for _, n := range nodes {
		if n == nil {
			continue
		}
		at := n.At()
		if s.Start < 0 || at.Start < s.Start {
			s.Start = at.Start
		}
		s.End = max(s.End, at.End)
	}
	return c.balance(s)
}

// balance widens a span until its parentheses, brackets and CASE … END pair.
func (c *converter) balance(s Span) Span {
	if s.Start < 0 || s.Start >= s.End {
		return s
	}
	first, last := c.index(s.Start), c.index(s.End-1)
	opens, missing := 0, 0 // unclosed inside, and closed without being opened
	step := func(i int) {
		switch strings.ToLower(c.text(i)) {
		case "(", "[", "case":
			opens++
		case ")", "]", "end":
			if opens > 0 {
				opens--
			} else {
				missing++
			}
		}
	}
	for i := first; i <= last; i++ {
		step(i)
	}
	for missing > 0 && first > 0 {
		first--
		switch strings.ToLower(c.text(first)) {
		case "(", "[", "case":
			missing--
		case ")", "]", "end":
			missing++
		}
	}
	for opens > 0 && last+1 < len(c.tokens) {
		last++
		step(last)
	}
	return Span{c.tokens[first].Start, c.tokens[last].End}
}

// call returns the span of a function call whose name is at loc: to the
// parenthesis that closes its arguments, or the name alone.
func (c *converter) call(loc int) Span {
	i := c.index(loc)
	s := c.tokens[i]
	for j := i + 1; j < len(c.tokens) && j <= i+5; j++ {
		if c.is(j, "(") {
			return c.balance(Span{s.Start, c.tokens[j].End})
		}
		if !c.is(j, ".") && !c.is(j-1, ".") {
			break
		}
	}
	return s
}

// typeEnd returns where the type name that starts at loc ends.
func (c *converter) typeEnd(loc int) int {
	i := c.index(loc)
	end := c.tokens[i].End
	for j := i + 1; j < len(c.tokens); j++ {
		switch strings.ToLower(c.text(j)) {
		case "precision", "varying", "with", "without", "time", "zone":
			end = c.tokens[j].End
		case "(":
			end = c.balance(Span{c.tokens[i].Start, c.tokens[j].End}).End
			j = c.index(end - 1)
		default:
			return end
		}
	}
	return end
}

// through widens s to the first of the given words behind it, where one
// follows within three tokens.
func (c *converter) through(s Span, words ...string) Span {
	i := c.index(max(s.End-1, 0))
	for j := i; j < len(c.tokens) && j <= i+3; j++ {
		for _, w := range words {
			if c.is(j, w) {
				return Span{s.Start, c.tokens[j].End}
			}
		}
	}
	return s
}
