package regex

import "slices"

// A preference is what an expression prefers: nothing, the longest or the shortest match.
type preference int

const (
	noPreference preference = iota
	longest
	shortest
)

// A piece is a part of an expression of which the place in a match counts, since
// parentheses or back references are in it or it prefers other than what is around.
type piece struct {
	node  *node // what the piece matches
	kind  pieceKind
	subs  []*piece
	pref  preference
	mixed bool // both preferences are in it
	caps  bool // groups are in it
	backs bool // back references are in it
	least int  // turns of a repetition or a back reference
	most  int  // turns, or -1
	// number is that of the group that the piece is, or else 0.
	number int
}

type pieceKind int

const (
	whole       pieceKind = iota // nothing in it counts
	sequence                     // subs one behind the other
	choice                       // the first of subs that fits
	parentheses                  // around its only sub
	repetition                   // of its only sub
	reference                    // back to a group
)

// apart reports whether the piece cannot be one with its neighbours.
func (p *piece) apart() bool { return p.mixed || p.caps || p.backs }

// beside notes that another piece is in or beside p.
func (p *piece) beside(o *piece) {
	p.mixed = p.mixed || o.mixed || p.pref+o.pref == longest+shortest
	p.caps = p.caps || o.caps
	p.backs = p.backs || o.backs
	if p.pref == noPreference {
		p.pref = o.pref
	}
}

// pieces divides an expression as PostgreSQL does (parse, parsebranch and
// parseqatom in its regcomp.c).
func pieces(n *node) *piece {
	p := &piece{node: n}
	switch n.op {
	case opGroup:
		sub := pieces(n.subs[0])
		p.kind, p.subs, p.number = parentheses, []*piece{sub}, n.number
		p.beside(sub)
		p.caps = true
	case opBack:
		p.kind, p.backs, p.least, p.most = reference, true, 1, 1
	case opAlternate:
		p.pref = longest
		for _, s := range n.subs {
			sub := pieces(s)
			p.subs = append(p.subs, sub)
			p.beside(sub)
		}
		if p.apart() {
			p.kind = choice
		}
	case opConcat:
		return chain(n)
	case opRepeat:
		return repeated(n)
	}
	return p
}

// chain divides a concatenation: neighbours of one preference are one piece.
func chain(n *node) *piece {
	p := &piece{node: n, kind: sequence}
	var run *piece
	for _, s := range n.subs {
		sub := pieces(s)
		p.beside(sub)
		if run != nil {
			if with := *run; !sub.apart() {
				if with.beside(sub); !with.mixed {
					with.node = &node{op: opConcat, subs: append(slices.Clone(with.node.subs), s)}
					*run = with
					continue
				}
			}
			run = nil
		}
		if !sub.apart() {
			run = &piece{node: &node{op: opConcat, subs: []*node{s}}, pref: sub.pref}
			sub = run
		}
		p.subs = append(p.subs, sub)
	}
	if !p.apart() {
		return &piece{node: n, pref: p.pref}
	}
	return p
}

// repeated divides a quantified expression. Where a group in it matches at least once,
// only the last turn counts: those before are one piece.
func repeated(n *node) *piece {
	sub := pieces(n.subs[0])
	p := &piece{node: n, least: n.least, most: n.most, pref: n.pref}
	p.beside(sub)
	switch {
	case sub.kind == reference:
		p.kind = reference
	case !p.caps && !p.backs:
	case n.least == 1 && n.most == 1 && (n.pref == noPreference || !sub.mixed && (sub.pref == noPreference || n.pref == sub.pref)):
		out := *sub
		out.pref, out.mixed = p.pref, p.mixed
		return &out
	case n.least > 0 && !p.backs:
		before := &node{op: opRepeat, subs: n.subs, least: n.least - 1, most: max(n.most-1, -1)}
		p.kind, p.subs = sequence, []*piece{{node: before, pref: p.pref}, sub}
	default:
		p.kind, p.subs = repetition, []*piece{sub}
	}
	return p
}
