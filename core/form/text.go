package form

import (
	"slices"
	"strings"

	"rovik/core/syntax"
)

// text is a text with its tokens. Words are the tokens that are no comments, by
// their place in all.
type text struct {
	sql   string
	all   []syntax.Token
	words []int
}

func (t *text) at(word int) syntax.Token { return t.all[t.words[word]] }

func (t *text) word(i int) string {
	if i < 0 || i >= len(t.words) {
		return ""
	}
	s := t.at(i)
	return t.sql[s.Start:s.End]
}

func (t *text) is(i int, words ...string) bool {
	w := t.word(i)
	return w != "" && slices.ContainsFunc(words, func(s string) bool { return strings.EqualFold(s, w) })
}

// wordAt returns the first word that starts at or after pos.
func (t *text) wordAt(pos int) int {
	i, _ := slices.BinarySearchFunc(t.words, pos, func(w, pos int) int { return t.all[w].Start - pos })
	return i
}

// wordBefore returns the nearest word w before pos.
func (t *text) wordBefore(pos int, w string) int {
	i := t.wordAt(pos)
	for i > 0 && !t.is(i, w) {
		i--
	}
	return i
}

// span covers the words from first up to end.
func (t *text) span(first, end int) syntax.Span {
	if first >= end {
		at := len(t.sql)
		if first < len(t.words) {
			at = t.at(first).Start
		}
		return syntax.Span{Start: at, End: at}
	}
	return syntax.Span{Start: t.at(first).Start, End: t.at(end - 1).End}
}

func (t *text) part(s syntax.Span) Part {
	return Part{Start: s.Start, End: s.End, Text: t.sql[s.Start:s.End]}
}

func (t *text) lockedPart(s syntax.Span, why string) *Part {
	p := t.part(s)
	p.Locked = why
	return &p
}

// grown is an expression with the parentheses around it, as far as whole goes.
func (t *text) grown(x syntax.Expr, whole syntax.Span) Part {
	s := x.At()
	first, last := t.wordAt(s.Start), t.wordAt(s.End)-1
	for first > 0 && t.is(first-1, "(") && t.is(last+1, ")") && t.at(first-1).Start >= whole.Start && t.at(last+1).End <= whole.End {
		first, last = first-1, last+1
	}
	return t.part(t.span(first, last+1))
}

// clause is a clause of a block: its first word, and its body.
type clause struct {
	name             string
	word, first, end int // words
}

type clauses []clause

func (c clauses) get(name string) *clause {
	for i := range c {
		if c[i].name == name {
			return &c[i]
		}
	}
	return nil
}

// clauses cuts the block that starts with the word SELECT at i, up to what
// ends it: a closing parenthesis, a set operation, or the text's end.
func (t *text) clauses(i int) (clauses, int) {
	first := i + 1
	switch {
	case t.is(first, "all"):
		first++
	case t.is(first, "distinct"):
		first++
		if t.is(first, "on") {
			first = t.closing(first+1) + 1
		}
	}
	rest, end := t.clausesFrom(first)
	out := append(clauses{{"select", i, first, end}}, rest...)
	if len(rest) > 0 {
		out[0].end = rest[0].word
	}
	return out, end
}

// clausesFrom cuts what follows the words of a clause that has begun.
func (t *text) clausesFrom(i int) (out clauses, end int) {
	begin := func(name string, word, first int) {
		if n := len(out); n > 0 {
			out[n-1].end = word
		}
		out = append(out, clause{name, word, first, first})
	}
	depth := 0
	for ; i < len(t.words); i++ {
		switch {
		case t.is(i, "(", "["):
			depth++
			continue
		case t.is(i, ")", "]"):
			depth--
		}
		if depth < 0 {
			break
		}
		if depth > 0 || t.is(i-1, ".", "as") { // a name
			continue
		}
		if t.is(i, "union", "intersect", "except", ";", "for") {
			break
		}
		switch {
		case t.is(i, "from") && !t.is(i-1, "distinct"):
			begin("from", i, i+1)
		case t.is(i, "where", "having", "window", "limit", "offset", "fetch"):
			begin(strings.ToLower(t.word(i)), i, i+1)
		case t.is(i, "group", "order") && t.is(i+1, "by"):
			begin(strings.ToLower(t.word(i))+" by", i, i+2)
		}
	}
	if n := len(out); n > 0 {
		out[n-1].end = i
	}
	return out, i
}

// closing returns the word that closes the parenthesis at i.
func (t *text) closing(i int) int {
	depth := 0
	for ; i < len(t.words); i++ {
		if t.is(i, "(", "[") {
			depth++
		} else if t.is(i, ")", "]") {
			if depth--; depth == 0 {
				break
			}
		}
	}
	return i
}

// split cuts words at a sign, outside of parentheses.
func (t *text) split(first, end int, sign string) []syntax.Span {
	var out []syntax.Span
	from := first
	for i := first; i < end; i++ {
		switch {
		case t.is(i, "(", "["):
			i = t.closing(i)
		case t.is(i, sign):
			out = append(out, t.span(from, i))
			from = i + 1
		}
	}
	return append(out, t.span(from, end))
}

// joinPlaces are the places of an input: the words that join it, the item with
// its alias, and what follows ON or USING.
type joinPlaces struct {
	words, item, condition syntax.Span
	keyword                syntax.Span // ON or USING
}

// joins cuts the words of FROM.
func (t *text) joins(first, end int) []joinPlaces {
	var out []joinPlaces
	cur := joinPlaces{words: t.span(first, first)}
	from := first // where the item, or the condition, begins
	inItem := true
	settle := func(i int) {
		if inItem {
			cur.item = t.span(from, i)
		} else {
			cur.condition = t.span(from, i)
		}
	}
	for i := first; i < end; i++ {
		switch {
		case t.is(i, "(", "["):
			i = t.closing(i)
		case t.is(i-1, "."):
		case t.is(i, "on", "using") && inItem && i > from:
			settle(i)
			cur.keyword, from, inItem = t.at(i).Span, i+1, false
		case t.is(i, ","):
			settle(i)
			out = append(out, cur)
			cur, from, inItem = joinPlaces{words: t.at(i).Span}, i+1, true
		case t.joinWord(i) && i > from:
			settle(i)
			out = append(out, cur)
			at := i
			for !t.is(i, "join") {
				i++
			}
			cur, from, inItem = joinPlaces{words: t.span(at, i+1)}, i+1, true
		}
	}
	settle(end)
	return append(out, cur)
}

// joinWord reports whether words that join begin at i.
func (t *text) joinWord(i int) bool {
	switch {
	case t.is(i, "join"):
		return true
	case t.is(i, "natural", "inner", "cross", "left", "right", "full"):
		return t.is(i+1, "join", "outer", "left", "right", "full", "inner")
	}
	return false
}
