package fold

import (
	"fmt"
	"sort"
	"strings"

	"rovik/core/plan"
)

// Kind says what sort of work a piece is.
type Kind string

// The kinds of pieces.
const (
	KindFilter     Kind = "filter"
	KindExpression Kind = "expression"
	KindJoin       Kind = "join"
	KindAggregate  Kind = "aggregate"
	KindDistinct   Kind = "distinct"
	KindWindow     Kind = "window"
	KindSort       Kind = "sort"
	KindLimit      Kind = "limit"
	KindSet        Kind = "set"
)

// Piece is the smallest part of a query that can fold alone, with its verdict.
type Piece struct {
	ID        string
	Kind      Kind
	Text      string
	Origin    plan.Origin
	Verdict   Verdict
	Source    string // empty where no single source is concerned
	Statement int    // the statement that it is in or reads; 0 for none
	Reason    *Reason
	// Native are the parts of the statement's text that do the piece's work.
	Native [][2]int
}

// note is a verdict whose statement has no number yet.
type note struct {
	kind    Kind
	org     plan.Origin
	verdict Verdict
	ref     *statementRef
	reason  *Reason
}

func (f *folder) note(k Kind, o plan.Origin, v Verdict, ref *statementRef, r *Reason) {
	if o.Known() {
		f.notes = append(f.notes, &note{k, o, v, ref, r})
	}
}

// finishPieces turns notes into pieces: one for each place in the text and
// statement, numbered in the order of the text, the query's own before those
// of views. A piece that fared differently in parts has its worst verdict.
func (f *folder) finishPieces() []*Piece {
	type key struct {
		kind      Kind
		org       plan.Origin
		statement int
	}
	worse := map[Verdict]int{Folded: 0, Narrowed: 1, Kept: 2}
	byKey := map[key]*Piece{}
	var pieces []*Piece
	for _, n := range f.notes {
		number := 0
		if n.ref != nil {
			number = n.ref.find().number
		}
		k := key{n.kind, n.org, number}
		p := byKey[k]
		if p == nil {
			p = &Piece{Kind: n.kind, Origin: n.org, Text: oneLine(f.q.Text(n.org)), Verdict: n.verdict, Statement: number, Reason: n.reason}
			byKey[k] = p
			pieces = append(pieces, p)
		} else if worse[n.verdict] > worse[p.Verdict] {
			p.Verdict, p.Reason = n.verdict, n.reason
		}
	}
	pieces = withoutRepeats(pieces)
	for _, p := range pieces {
		if p.Statement == 0 {
			continue
		}
		s := f.statements[p.Statement-1]
		p.Source = s.Source
		for _, m := range s.Marks {
			if m.Kind == p.Kind && m.Origin == p.Origin {
				p.Native = append(p.Native, [2]int{m.Start, m.End})
			}
		}
	}
	sort.SliceStable(pieces, func(i, j int) bool {
		a, b := pieces[i].Origin, pieces[j].Origin
		if a.View != b.View {
			return a.View < b.View
		}
		return a.Start < b.Start
	})
	for i, p := range pieces {
		p.ID = fmt.Sprintf("p%d", i+1)
	}
	return pieces
}

// withoutRepeats drops the pieces that Rovik keeps only to repeat what a source
// did in part: the narrowed ones tell of both.
func withoutRepeats(pieces []*Piece) []*Piece {
	type place struct {
		kind Kind
		org  plan.Origin
	}
	narrowed := map[place]bool{}
	for _, p := range pieces {
		if p.Verdict == Narrowed && p.Statement > 0 && (p.Kind == KindLimit || p.Kind == KindSort) {
			narrowed[place{p.Kind, p.Origin}] = true
		}
	}
	var out []*Piece
	for _, p := range pieces {
		if p.Statement > 0 || !narrowed[place{p.Kind, p.Origin}] {
			out = append(out, p)
		}
	}
	return out
}

// oneLine folds white space.
func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// lowerFirst lets a sentence go on after a colon, unless it starts with a name.
func lowerFirst(s string) string {
	first, _, _ := strings.Cut(s, " ")
	switch first {
	case "It", "Its", "Nothing", "A", "The", "While", "Sums":
		return strings.ToLower(s[:1]) + s[1:]
	}
	return s
}
