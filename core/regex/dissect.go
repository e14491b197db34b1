package regex

import (
	"slices"
	"unicode/utf8"
)

// A matcher finds the matches of an expression in one text.
//
// Without back references, the places where a piece can end are a set that needs
// no more than its beginnings: every choice is made between sets, and none is
// taken back. With them a set has places that what a group holds does not lead
// to, and choices are taken back as PostgreSQL takes them (cfindloop and the
// functions for each kind of piece in its regexec.c).
type matcher struct {
	*Regex
	text  string
	steps int
}

// ordered returns a sorted set in the order in which a piece tries it.
func ordered(places []int, p preference) []int {
	if p != shortest {
		places = slices.Clone(places)
		slices.Reverse(places)
	}
	return places
}

// all calls f for each match that begins at from or behind.
func (m *matcher) all(from int, f func(at []int) bool) error {
	places := make([]int, 0, len(m.text)+1)
	for i := range m.text {
		places = append(places, i)
	}
	starts, err := m.walk(m.tree, append(places, len(m.text)), true)
	if err != nil {
		return err
	}
	for _, start := range starts {
		if start < from {
			continue
		}
		at, err := m.matchAt(start)
		if err != nil {
			return err
		}
		if at == nil {
			continue
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

// matchAt returns the match that begins at start, or nil.
func (m *matcher) matchAt(start int) ([]int, error) {
	ends, err := m.walk(m.tree, []int{start}, false)
	if err != nil {
		return nil, err
	}
	for _, end := range ordered(ends, m.root.pref) {
		at := slices.Repeat([]int{-1}, 2*m.groups+2)
		at[0], at[1] = start, end
		if found, err := m.dissect(m.root, start, end, at); found || err != nil {
			return at, err
		}
	}
	return nil, nil
}

// dissect finds where the groups of p are, which matches from i to j unless back
// references in it do not; it reports whether they do.
func (m *matcher) dissect(p *piece, i, j int, at []int) (bool, error) {
	if m.steps++; m.steps > mostSteps {
		return false, errSteps
	}
	if !p.caps && !p.backs {
		return true, nil
	}
	switch p.kind {
	case parentheses:
		found, err := m.dissect(p.subs[0], i, j, at)
		if found {
			at[2*p.number], at[2*p.number+1] = i, j
		}
		return found, err
	case sequence:
		return m.sequence(p, i, j, at)
	case repetition:
		return m.repetition(p, i, j, at)
	case reference:
		return m.reference(p, i, j, at), nil
	}
	for _, s := range p.subs {
		ends, err := m.walk(s.node, []int{i}, false)
		if err != nil {
			return false, err
		}
		if _, can := slices.BinarySearch(ends, j); !can {
			continue
		}
		if found, err := m.dissect(s, i, j, at); found || err != nil {
			return found, err
		}
	}
	return false, nil
}

func (m *matcher) sequence(p *piece, i, j int, at []int) (bool, error) {
	// For each piece the places from which the rest reaches the end.
	begins := make([][]int, len(p.subs))
	begins[len(p.subs)-1] = []int{j}
	for k := len(p.subs) - 1; k > 0; k-- {
		var err error
		if begins[k-1], err = m.walk(p.subs[k].node, begins[k], true); err != nil {
			return false, err
		}
	}
	return m.chained(p.subs, begins, i, at)
}

// chained places pieces one behind the other from i on.
func (m *matcher) chained(subs []*piece, begins [][]int, i int, at []int) (bool, error) {
	if len(subs) == 0 {
		return true, nil
	}
	ends, err := m.walk(subs[0].node, []int{i}, false)
	if err != nil {
		return false, err
	}
	for _, end := range ordered(common(ends, begins[0]), subs[0].pref) {
		found, err := m.dissect(subs[0], i, end, at)
		if found && err == nil {
			found, err = m.chained(subs[1:], begins[1:], end, at)
		}
		if found || err != nil {
			return found, err
		}
		for _, s := range subs {
			s.forget(at)
		}
	}
	return false, nil
}

// reference compares what stands from i to j with what a group holds, as often as
// the quantifier says.
func (m *matcher) reference(p *piece, i, j int, at []int) bool {
	back := p.node
	if back.op == opRepeat {
		back = back.subs[0]
	}
	from, to := at[2*back.number], at[2*back.number+1]
	switch {
	case from < 0:
		return false
	case from == to:
		return i == j
	case i == j:
		return p.least == 0
	case (j-i)%(to-from) != 0:
		return false
	}
	turns := (j - i) / (to - from)
	if turns < p.least || p.most >= 0 && turns > p.most {
		return false
	}
	for k := i; k < j; k += to - from {
		if !same(m.text[from:to], m.text[k:k+to-from], back.fold) {
			return false
		}
	}
	return true
}

// same compares two strings of one length; the case of ASCII letters does not count if fold.
func same(a, b string, fold bool) bool {
	if !fold {
		return a == b
	}
	for i := range len(a) {
		if lower(rune(a[i])) != lower(rune(b[i])) {
			return false
		}
	}
	return true
}

// A turn is one of the turns of a repetition: where it begins, and where it can
// still end, what is preferred first.
type turn struct {
	begin int
	ends  []int
}

// repetition divides what matched into turns, and keeps the groups of the last.
// A turn takes nothing only where that is needed for the least number of turns, or as
// the only turn of nothing if turns are long.
func (m *matcher) repetition(p *piece, i, j int, at []int) (bool, error) {
	sub := p.subs[0]
	if i == j && p.least == 0 && sub.pref == shortest {
		return true, nil
	}
	least := max(p.least, 1)
	most := utf8.RuneCountInString(m.text[i:j])
	if p.most >= 0 {
		most = min(most, p.most)
	}
	most = max(most, least)
	var last []int // from where turns without a bound reach the end
	// rest returns from where the turns behind turn k reach the end.
	rest := func(k int) ([]int, error) {
		n := &node{op: opRepeat, subs: p.node.subs, least: max(least-k, 0), most: -1}
		if p.most >= 0 {
			n.most = p.most - k
		} else if n.least == 0 && last != nil {
			return last, nil
		}
		places, err := m.walk(n, []int{j}, true)
		if n.least == 0 && n.most < 0 {
			last = places
		}
		return places, err
	}
	begin := func(k, from int) (turn, error) {
		ends, err := m.walk(sub.node, []int{from}, false)
		if err != nil {
			return turn{}, err
		}
		begins, err := rest(k)
		if err != nil {
			return turn{}, err
		}
		fits := slices.DeleteFunc(common(ends, begins), func(end int) bool {
			if end == j {
				return k < least
			}
			return k >= most || end == from && (k >= least || least-k < utf8.RuneCountInString(m.text[from:j]))
		})
		fits = ordered(fits, sub.pref)
		if !sub.backs && len(fits) > 1 {
			fits = fits[:1] // which is never taken back
		}
		return turn{from, fits}, nil
	}
	first, err := begin(1, i)
	for turns := []turn{first}; len(turns) > 0 && err == nil; {
		k := len(turns)
		t := &turns[k-1]
		if len(t.ends) == 0 {
			turns = turns[:k-1]
			continue
		}
		end := t.ends[0]
		t.ends = t.ends[1:]
		sub.forget(at)
		var found bool
		if found, err = m.dissect(sub, t.begin, end, at); !found || err != nil {
			continue
		}
		if end == j {
			return true, nil
		}
		var next turn
		next, err = begin(k+1, end)
		turns = append(turns, next)
	}
	sub.forget(at)
	return i == j && p.least == 0, err
}

// forget takes back where the groups of p were.
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
