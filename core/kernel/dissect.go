package kernel

import (
	"regexp/syntax"
	"slices"
	"unicode/utf8"

	"rovik/core/value"
)

// A matcher finds matches in a text by PostgreSQL's rules, which Go's engine does
// not have: of the matches that begin first the longest or the shortest, by what
// the expression prefers as a whole, and the same within for each piece from left
// to right (PostgreSQL's documentation, "Regular Expression Matching Rules"; what
// is a piece there, is so by parseqatom in its regcomp.c).
//
// There are no back references, so the places where a piece can end are a set that
// needs no more than its beginnings: every choice is made between sets, and none
// is taken back.
type matcher struct {
	root  *piece
	nsub  int
	text  string
	steps int
}

// mostSteps bounds the work on one text.
const mostSteps = 50_000_000

var errRegexSteps = value.Errorf("54001", "the regular expression takes too long").WithHint("match a shorter text, or leave out parentheses that are repeated")

// preference is what an expression prefers: nothing, the longest or the shortest.
type preference int

const (
	noPreference preference = iota
	longest
	shortest
)

// A piece is a part of an expression of which the place in a match counts, since
// parentheses are in it or it prefers other than what is around.
type piece struct {
	re    *syntax.Regexp // what the piece matches
	kind  pieceKind
	subs  []*piece
	pref  preference
	mixed bool // both preferences are in it
	caps  bool // parentheses are in it
	most  int  // turns of a repetition, or -1
	// number counts the parentheses that keep what they match, from 1.
	number int
}

type pieceKind int

const (
	whole       pieceKind = iota // nothing in it counts
	sequence                     // subs one behind the other
	choice                       // the first of subs that fits
	parentheses                  // around its only sub
	repetition                   // of its only sub, or nothing
)

// apart tells that the piece cannot be one with its neighbours.
func (p *piece) apart() bool { return p.mixed || p.caps }

// beside notes that another piece is in or beside p.
func (p *piece) beside(o *piece) {
	p.mixed = p.mixed || o.mixed || p.pref+o.pref == longest+shortest
	p.caps = p.caps || o.caps
	if p.pref == noPreference {
		p.pref = o.pref
	}
}

// pieces divides an expression. numbers has for each of its parentheses, by its
// number in r, the number that it has by PostgreSQL, or 0 where it only groups.
func pieces(r *syntax.Regexp, numbers []int) *piece {
	p := &piece{re: r}
	switch r.Op {
	case syntax.OpCapture:
		sub := pieces(r.Sub[0], numbers)
		p.kind, p.subs, p.number = parentheses, []*piece{sub}, numbers[r.Cap]
		p.beside(sub)
		p.caps = p.caps || p.number > 0
	case syntax.OpAlternate:
		p.pref = longest
		for _, s := range r.Sub {
			sub := pieces(s, numbers)
			p.subs = append(p.subs, sub)
			p.beside(sub)
		}
		if p.apart() {
			p.kind = choice
		}
	case syntax.OpConcat:
		return chain(r, numbers)
	case syntax.OpStar, syntax.OpPlus, syntax.OpQuest, syntax.OpRepeat:
		return repeated(r, numbers)
	}
	return p
}

// chain divides a concatenation: neighbours of one preference are one piece.
func chain(r *syntax.Regexp, numbers []int) *piece {
	p := &piece{re: r, kind: sequence}
	var run *piece
	for _, s := range r.Sub {
		sub := pieces(s, numbers)
		p.beside(sub)
		if run != nil {
			if with := *run; !sub.apart() {
				if with.beside(sub); !with.mixed {
					with.re = &syntax.Regexp{Op: syntax.OpConcat, Sub: append(slices.Clone(with.re.Sub), s)}
					*run = with
					continue
				}
			}
			run = nil
		}
		if !sub.apart() {
			run = &piece{re: &syntax.Regexp{Op: syntax.OpConcat, Sub: []*syntax.Regexp{s}}, pref: sub.pref}
			sub = run
		}
		p.subs = append(p.subs, sub)
	}
	if !p.apart() {
		return &piece{re: r, pref: p.pref}
	}
	return p
}

// repeated divides a quantified expression. Where the least is one turn, only the
// last one's parentheses count: those before are one piece.
func repeated(r *syntax.Regexp, numbers []int) *piece {
	least, most := bounds(r)
	sub := pieces(r.Sub[0], numbers)
	p := &piece{re: r, most: most}
	if r.Op != syntax.OpRepeat || least != most {
		if p.pref = longest; r.Flags&syntax.NonGreedy != 0 {
			p.pref = shortest
		}
	}
	p.beside(sub)
	switch {
	case !p.caps:
	case least == 1 && most == 1:
		return sub
	case least > 0:
		before := &syntax.Regexp{Op: syntax.OpRepeat, Sub: r.Sub, Min: least - 1, Max: max(most-1, -1)}
		p.kind, p.subs = sequence, []*piece{{re: before, pref: p.pref}, sub}
	default:
		p.kind, p.subs = repetition, []*piece{sub}
	}
	return p
}

// choose takes a place of a sorted set that is not empty.
func choose(places []int, p preference) int {
	if p == shortest {
		return places[0]
	}
	return places[len(places)-1]
}

// all calls f for each match, as offsets in pairs: the match's, then those of each
// pair of parentheses, or -1. A match without length is behind the one before at
// the earliest where that one ends.
func (m *matcher) all(f func(at []int) bool) error {
	places := make([]int, 0, len(m.text)+1)
	for i := range m.text {
		places = append(places, i)
	}
	starts, err := m.walk(m.root.re, append(places, len(m.text)), true)
	if err != nil {
		return err
	}
	from := 0
	for _, start := range starts {
		if start < from {
			continue
		}
		ends, err := m.walk(m.root.re, []int{start}, false)
		if err != nil {
			return err
		}
		at := slices.Repeat([]int{-1}, 2*m.nsub+2)
		at[0], at[1] = start, choose(ends, m.root.pref)
		if err := m.dissect(m.root, at[0], at[1], at); err != nil {
			return err
		}
		if !f(at) {
			return nil
		}
		if from = at[1]; at[0] == at[1] {
			from++ // the next start is that of the next character
		}
	}
	return nil
}

// dissect says where the parentheses of p are, which matches from i to j.
func (m *matcher) dissect(p *piece, i, j int, at []int) error {
	switch {
	case !p.caps:
		return nil
	case p.kind == parentheses:
		if p.number > 0 {
			at[2*p.number], at[2*p.number+1] = i, j
		}
		return m.dissect(p.subs[0], i, j, at)
	case p.kind == sequence:
		return m.sequence(p, i, j, at)
	case p.kind == repetition:
		return m.repetition(p, i, j, at)
	}
	for _, s := range p.subs {
		ends, err := m.walk(s.re, []int{i}, false)
		if err != nil {
			return err
		}
		if slices.Contains(ends, j) {
			return m.dissect(s, i, j, at)
		}
	}
	return nil
}

func (m *matcher) sequence(p *piece, i, j int, at []int) error {
	// For each piece the places from which the rest reaches the end.
	begins := make([][]int, len(p.subs))
	begins[len(p.subs)-1] = []int{j}
	for k := len(p.subs) - 1; k > 0; k-- {
		var err error
		if begins[k-1], err = m.walk(p.subs[k].re, begins[k], true); err != nil {
			return err
		}
	}
	for k, sub := range p.subs {
		ends, err := m.walk(sub.re, []int{i}, false)
		if err != nil {
			return err
		}
		end := choose(common(ends, begins[k]), sub.pref)
		if err := m.dissect(sub, i, end, at); err != nil {
			return err
		}
		i = end
	}
	return nil
}

// repetition divides what matched into turns that each take something, or one
// that takes nothing if turns are long, and keeps the parentheses of the last.
func (m *matcher) repetition(p *piece, i, j int, at []int) error {
	sub := p.subs[0]
	if i == j && sub.pref == shortest {
		return nil
	}
	for turn := 1; (i < j || turn == 1) && p.most != 0; turn++ {
		ends, err := m.walk(sub.re, []int{i}, false)
		if err != nil {
			return err
		}
		// What is left after the turn is as many turns as are still allowed.
		rest := &syntax.Regexp{Op: syntax.OpRepeat, Sub: p.re.Sub, Min: 0, Max: -1}
		if p.most >= 0 {
			rest.Max = p.most - turn
		}
		begins, err := m.walk(rest, []int{j}, true)
		if err != nil {
			return err
		}
		places := common(ends, begins)
		if len(places) > 1 && places[0] == i {
			places = places[1:]
		}
		if len(places) == 0 {
			return nil // there are no turns
		}
		end := choose(places, sub.pref)
		sub.forget(at)
		if err := m.dissect(sub, i, end, at); err != nil {
			return err
		}
		i = end
	}
	return nil
}

// bounds returns how often a quantified expression takes its part; -1 is no bound.
func bounds(r *syntax.Regexp) (least, most int) {
	switch r.Op {
	case syntax.OpStar:
		return 0, -1
	case syntax.OpPlus:
		return 1, -1
	case syntax.OpQuest:
		return 0, 1
	}
	return r.Min, r.Max
}

// forget takes back where the parentheses of p were.
func (p *piece) forget(at []int) {
	if p.number > 0 {
		at[2*p.number], at[2*p.number+1] = -1, -1
	}
	for _, s := range p.subs {
		s.forget(at)
	}
}

// common returns what two sorted sets share.
func common(a, b []int) []int {
	var out []int
	for _, x := range a {
		if _, found := slices.BinarySearch(b, x); found {
			out = append(out, x)
		}
	}
	return out
}

// walk returns where r can end that begins at one of places, or where it can begin
// that ends there if back. Sets are sorted.
func (m *matcher) walk(r *syntax.Regexp, places []int, back bool) ([]int, error) {
	if m.steps += len(places) + 1; m.steps > mostSteps {
		return nil, errRegexSteps
	}
	switch r.Op {
	case syntax.OpNoMatch:
		return nil, nil
	case syntax.OpCapture:
		return m.walk(r.Sub[0], places, back)
	case syntax.OpConcat:
		var err error
		for k := range r.Sub {
			if back {
				k = len(r.Sub) - 1 - k
			}
			if places, err = m.walk(r.Sub[k], places, back); err != nil {
				return nil, err
			}
		}
		return places, nil
	case syntax.OpAlternate:
		var out []int
		for _, s := range r.Sub {
			to, err := m.walk(s, places, back)
			if err != nil {
				return nil, err
			}
			out = append(out, to...)
		}
		slices.Sort(out)
		return slices.Compact(out), nil
	case syntax.OpStar, syntax.OpPlus, syntax.OpQuest, syntax.OpRepeat:
		return m.turns(r, places, back)
	case syntax.OpLiteral:
		for k := range r.Rune {
			if back {
				k = len(r.Rune) - 1 - k
			}
			places = m.step(places, back, func(c rune) bool { return c == r.Rune[k] })
		}
		return places, nil
	case syntax.OpCharClass:
		return m.step(places, back, func(c rune) bool { return inClass(r.Rune, c) }), nil
	case syntax.OpAnyChar:
		return m.step(places, back, func(rune) bool { return true }), nil
	case syntax.OpAnyCharNotNL:
		return m.step(places, back, func(c rune) bool { return c != '\n' }), nil
	}
	var out []int
	for _, p := range places {
		if m.holds(r.Op, p) {
			out = append(out, p)
		}
	}
	return out, nil
}

// turns walks a part as often as a quantifier says.
func (m *matcher) turns(r *syntax.Regexp, places []int, back bool) ([]int, error) {
	least, most := bounds(r)
	var err error
	for range least {
		if places, err = m.walk(r.Sub[0], places, back); err != nil {
			return nil, err
		}
	}
	seen := map[int]bool{}
	out, fresh := slices.Clone(places), places
	for _, p := range places {
		seen[p] = true
	}
	for turn := least; most < 0 || turn < most; turn++ {
		to, err := m.walk(r.Sub[0], fresh, back)
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

// step moves by one character that fits.
func (m *matcher) step(places []int, back bool, fits func(rune) bool) []int {
	var out []int
	for _, p := range places {
		if back && p > 0 {
			if c, n := utf8.DecodeLastRuneInString(m.text[:p]); fits(c) {
				out = append(out, p-n)
			}
		} else if !back && p < len(m.text) {
			if c, n := utf8.DecodeRuneInString(m.text[p:]); fits(c) {
				out = append(out, p+n)
			}
		}
	}
	return out
}

func inClass(ranges []rune, c rune) bool {
	for i := 0; i < len(ranges); i += 2 {
		if ranges[i] <= c && c <= ranges[i+1] {
			return true
		}
	}
	return false
}

// holds tells whether a condition without length is met at a place.
func (m *matcher) holds(op syntax.Op, p int) bool {
	before, after := rune(-1), rune(-1)
	if p > 0 {
		before, _ = utf8.DecodeLastRuneInString(m.text[:p])
	}
	if p < len(m.text) {
		after, _ = utf8.DecodeRuneInString(m.text[p:])
	}
	switch op {
	case syntax.OpEmptyMatch:
		return true
	case syntax.OpBeginText:
		return p == 0
	case syntax.OpEndText:
		return p == len(m.text)
	case syntax.OpBeginLine:
		return p == 0 || before == '\n'
	case syntax.OpEndLine:
		return p == len(m.text) || after == '\n'
	case syntax.OpWordBoundary:
		return syntax.IsWordChar(before) != syntax.IsWordChar(after)
	case syntax.OpNoWordBoundary:
		return syntax.IsWordChar(before) == syntax.IsWordChar(after)
	}
	return false
}
