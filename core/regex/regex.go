package regex

import (
	"errors"
	"regexp"
	"strings"
	"sync"

	"rovik/core/value"
)

// A Regex is a compiled regular expression, safe for use by several goroutines.
type Regex struct {
	// Global reports whether the options asked for all matches (g).
	Global bool

	tree   *node
	root   *piece
	groups int
	// engine matches what tree matches, and is nil where Go's engine cannot.
	engine *regexp.Regexp
	// plain reports whether engine's longest match is the one that is preferred,
	// and nothing in it is kept.
	plain bool
	// nonEmpty reports whether no match is empty.
	nonEmpty bool
}

// errCode is PostgreSQL's invalid_regular_expression.
const errCode = "2201B"

func invalid(what string) error {
	return value.Errorf(errCode, "invalid regular expression: %s", what)
}

var cache struct {
	sync.Map // options/pattern → *Regex
	sync.Mutex
	count int
}

// mostCached bounds how many expressions are kept compiled.
const mostCached = 1000

// Compile reads a pattern with PostgreSQL's option letters (g, i, n, …).
func Compile(pattern, options string) (*Regex, error) {
	key := options + "/" + pattern
	if r, ok := cache.Load(key); ok {
		return r.(*Regex), nil
	}
	r, err := compile(pattern, options)
	if err != nil {
		return nil, err
	}
	cache.Lock()
	defer cache.Unlock()
	if cache.count++; cache.count > mostCached {
		cache.Clear()
		cache.count = 0
	}
	cache.Store(key, r)
	return r, nil
}

func compile(pattern, options string) (*Regex, error) {
	p := parser{text: []rune(pattern), advanced: true}
	global, err := p.options(options)
	if err != nil {
		return nil, err
	}
	tree, err := p.parse()
	if err != nil {
		return nil, err
	}
	r := &Regex{Global: global, tree: tree, root: pieces(tree), groups: len(p.groups)}
	var b strings.Builder
	if forEngine(&b, tree) {
		// Too large a repetition is the only thing that Go's engine refuses here.
		if r.engine, err = regexp.Compile(b.String()); err == nil {
			r.engine.Longest()
		} else {
			r.engine = nil
		}
	}
	r.plain = r.engine != nil && r.groups == 0 && r.root.pref != shortest
	r.nonEmpty = tree.leastLength() > 0
	return r, nil
}

// Groups is the number of parentheses that keep what they match.
func (r *Regex) Groups() int { return r.groups }

// Match reports whether something in s matches.
func (r *Regex) Match(s string) (bool, error) {
	if r.engine != nil {
		return r.engine.MatchString(s), nil
	}
	at, err := r.First(s)
	return at != nil, err
}

// First returns the first match as offsets in bytes, in pairs: the match's, then
// those of each group, -1 where it took no part. It is nil where there is none.
func (r *Regex) First(s string) (at []int, err error) {
	if r.plain {
		return r.engine.FindStringIndex(s), nil
	}
	err = r.Each(s, func(m []int) bool { at = m; return false })
	return at, err
}

// From manyMatches matches on, room is asked for those that a text may have, each of
// matchBytes.
const (
	manyMatches = 1 << 20
	matchBytes  = 40
)

// Each calls f for each match, offsets as from First, until f returns false. A match without
// length is at the earliest where the one before ends.
func (r *Regex) Each(s string, f func(at []int) bool) error {
	return r.EachFrom(s, 0, f)
}

// EachFrom is Each for the matches that begin at the offset from or behind it.
func (r *Regex) EachFrom(s string, from int, f func(at []int) bool) error {
	if r.plain && r.nonEmpty && from == 0 {
		all := r.engine.FindAllStringIndex(s, manyMatches)
		if len(all) == manyMatches {
			if err := value.Room(int64(len(s)) * matchBytes); err != nil {
				return err
			}
			all = r.engine.FindAllStringIndex(s, -1)
		}
		for _, at := range all {
			if !f(at) {
				break
			}
		}
		return nil
	}
	if r.engine != nil && !r.engine.MatchString(s) {
		return nil
	}
	m := matcher{Regex: r, text: s}
	return m.all(from, f)
}

// Split cuts s at matches; a match without length cuts between characters, and
// not behind another match.
func (r *Regex) Split(s string) ([]string, error) {
	var out []string
	var full error // the memory
	last := 0
	err := r.Each(s, func(m []int) bool {
		if m[1] > m[0] || m[0] > last && m[0] < len(s) {
			out = append(out, s[last:m[0]])
			last = m[1]
			if len(out) == cap(out) || len(out)%askEvery == 0 {
				full = value.Room(int64(max(2*cap(out)*partBytes/8, askEvery*partBytes)))
			}
		}
		return full == nil
	})
	return append(out, s[last:]), errors.Join(full, err)
}

// A text that has many parts asks for room every so often, for what they take until they are
// an array.
const (
	askEvery  = 8192
	partBytes = 200
)

// Replace puts by in the place of the matches of s that begin at the offset from
// or behind it: of the nth, or of all if nth is 0. In by, \1 to \9 stand for
// groups, \& for the match, and \\ for a backslash.
func (r *Regex) Replace(s, by string, from, nth int) (string, error) {
	var out strings.Builder
	var full error // the memory
	last, n, asked := 0, 0, 0
	err := r.EachFrom(s, from, func(m []int) bool {
		if n++; nth == 0 || n == nth {
			out.WriteString(s[last:m[0]])
			expand(&out, by, s, m)
			last = m[1]
			if out.Len() > asked+askedBytes {
				asked = out.Len()
				full = value.Room(int64(asked)) // which it doubles by
			}
		}
		return full == nil && (nth == 0 || n < nth) && out.Len() <= value.MaxText
	})
	if full != nil {
		return "", full
	}
	if err == nil && out.Len()+len(s)-last > value.MaxText {
		return "", value.Errorf(value.CodeTooComplex, "the text with its matches replaced takes more than %d MiB", value.MaxText>>20)
	}
	out.WriteString(s[last:])
	return out.String(), err
}

// askedBytes is how much a text grows before it asks for room.
const askedBytes = 8 << 20

// expand writes a replacement with what its references stand for.
func expand(out *strings.Builder, by, s string, at []int) {
	for i := 0; i < len(by); i++ {
		if by[i] != '\\' || i+1 == len(by) {
			out.WriteByte(by[i])
			continue
		}
		i++
		switch c := by[i]; {
		case c == '&':
			out.WriteString(s[at[0]:at[1]])
		case c == '\\':
			out.WriteByte('\\')
		case c < '1' || c > '9':
			out.WriteString(by[i-1 : i+1])
		default:
			if k := 2 * int(c-'0'); k < len(at) && at[k] >= 0 {
				out.WriteString(s[at[k]:at[k+1]])
			}
		}
	}
}

// forEngine writes n for Go's engine, and reports whether that can be done.
func forEngine(b *strings.Builder, n *node) bool {
	switch n.op {
	case opClass:
		b.WriteString(n.set.String())
	case opEmpty, opBeginText, opEndText, opBeginLine, opEndLine, opWordEdge, opNoWordEdge:
		b.WriteString(engineWords[n.op])
	case opConcat, opAlternate:
		b.WriteString("(?:")
		for i, s := range n.subs {
			if i > 0 && n.op == opAlternate {
				b.WriteByte('|')
			}
			if !forEngine(b, s) {
				return false
			}
		}
		b.WriteByte(')')
	case opGroup:
		return forEngine(b, n.subs[0])
	case opRepeat:
		b.WriteString("(?:")
		if !forEngine(b, n.subs[0]) {
			return false
		}
		b.WriteString(")" + n.bounds())
	default:
		return false
	}
	return true
}

var engineWords = map[op]string{
	opEmpty: "(?:)", opBeginText: `\A`, opEndText: `\z`, opBeginLine: "(?m:^)", opEndLine: "(?m:$)",
	opWordEdge: `\b`, opNoWordEdge: `\B`,
}
