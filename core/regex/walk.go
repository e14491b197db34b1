package regex

import (
	"slices"
	"unicode/utf8"

	"rovik/core/value"
)

// mostSteps bounds the work on one text.
const mostSteps = 50_000_000

var errSteps = value.Errorf("54001", "the regular expression takes too long").WithHint("match a shorter text, or leave out parentheses that are repeated")

// walk returns where n can end that begins at one of places, or where it can begin
// that ends there if back. Sets are sorted. Of a back reference it returns what
// the group could match, not what it matched.
func (m *matcher) walk(n *node, places []int, back bool) ([]int, error) {
	if m.steps += len(places) + 1; m.steps > mostSteps {
		return nil, errSteps
	}
	if len(places) == 0 {
		return nil, nil
	}
	switch n.op {
	case opEmpty:
		return places, nil
	case opClass:
		return m.step(n.set, places, back), nil
	case opGroup, opBack:
		return m.walk(n.subs[0], places, back)
	case opConcat:
		var err error
		for k := range n.subs {
			if back {
				k = len(n.subs) - 1 - k
			}
			if places, err = m.walk(n.subs[k], places, back); err != nil {
				return nil, err
			}
		}
		return places, nil
	case opAlternate:
		var out []int
		for _, s := range n.subs {
			to, err := m.walk(s, places, back)
			if err != nil {
				return nil, err
			}
			out = append(out, to...)
		}
		slices.Sort(out)
		return slices.Compact(out), nil
	case opRepeat:
		return m.turns(n, places, back)
	}
	var out []int
	for _, p := range places {
		holds, err := m.holds(n, p)
		if err != nil {
			return nil, err
		}
		if holds {
			out = append(out, p)
		}
	}
	return out, nil
}

// turns walks a part as often as its quantifier says.
func (m *matcher) turns(n *node, places []int, back bool) ([]int, error) {
	var err error
	for range n.least {
		if places, err = m.walk(n.subs[0], places, back); err != nil {
			return nil, err
		}
	}
	seen := map[int]bool{}
	out, fresh := slices.Clone(places), places
	for _, p := range places {
		seen[p] = true
	}
	for turn := n.least; n.most < 0 || turn < n.most; turn++ {
		to, err := m.walk(n.subs[0], fresh, back)
		if err != nil {
			return nil, err
		}
		fresh = nil
		for _, p := range to {
			if !seen[p] {
				seen[p] = true
				fresh = append(fresh, p)
			}
		}
		if len(fresh) == 0 {
			break
		}
		out = append(out, fresh...)
	}
	slices.Sort(out)
	return out, nil
}

// step moves by one character of a set.
func (m *matcher) step(s set, places []int, back bool) []int {
	var out []int
	for _, p := range places {
		if back && p > 0 {
			if c, n := utf8.DecodeLastRuneInString(m.text[:p]); s.has(c) {
				out = append(out, p-n)
			}
		} else if !back && p < len(m.text) {
			if c, n := utf8.DecodeRuneInString(m.text[p:]); s.has(c) {
				out = append(out, p+n)
			}
		}
	}
	return out
}

// holds reports whether a condition on a place is met at p.
func (m *matcher) holds(n *node, p int) (bool, error) {
	before, after := rune(-1), rune(-1)
	if p > 0 {
		before, _ = utf8.DecodeLastRuneInString(m.text[:p])
	}
	if p < len(m.text) {
		after, _ = utf8.DecodeRuneInString(m.text[p:])
	}
	word := classes["word"]
	switch n.op {
	case opBeginText:
		return p == 0, nil
	case opEndText:
		return p == len(m.text), nil
	case opBeginLine:
		return p == 0 || before == '\n', nil
	case opEndLine:
		return p == len(m.text) || after == '\n', nil
	case opWordStart:
		return !word.has(before) && word.has(after), nil
	case opWordEnd:
		return word.has(before) && !word.has(after), nil
	case opWordEdge:
		return word.has(before) != word.has(after), nil
	case opNoWordEdge:
		return word.has(before) == word.has(after), nil
	}
	there, err := m.walk(n.subs[0], []int{p}, n.op == opBehind)
	return (len(there) > 0) != n.not, err
}
