package sqldb

import (
	"strings"

	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// Rope is SQL text under construction: text, parameters that have no number
// yet, and marks that say which part does which piece's work.
// Its methods leave the receiver as it is.
type Rope []strand

type strand struct {
	within Rope // a long rope, as it is
	keys   bool // the place of shipped keys
	text   string
	stored string // of a column that text writes as Dialect.Valid says: as it stands
	param  *value.Value
	mark   *mark
	open   bool
}

type mark struct {
	kind fold.Kind
	org  plan.Origin
}

// Text makes a rope of SQL text.
func Text(s string) Rope { return Rope{{text: s}} }

// long is the number of strands from which on a rope is put into another as one, so that
// what is nested deep is not copied at each level.
const long = 16

// Add returns r followed by parts.
func (r Rope) Add(parts ...Rope) Rope {
	out := r[:len(r):len(r)]
	if len(r) >= long {
		out = Rope{{within: r}}
	}
	for _, p := range parts {
		out = out.put(p)
	}
	return out
}

// put appends p to r itself.
func (r Rope) put(p Rope) Rope {
	if len(p) >= long {
		return append(r, strand{within: p})
	}
	return append(r, p...)
}

// Join puts ropes together with a separator.
func Join(ropes []Rope, sep string) Rope {
	var out Rope
	for i, r := range ropes {
		if i > 0 && sep != "" {
			out = append(out, strand{text: sep})
		}
		out = out.put(r)
	}
	return out
}

// stored returns the column that r writes as Dialect.Valid says, as it stands.
func (r Rope) stored() (Rope, bool) {
	if len(r) != 1 || r[0].stored == "" {
		return r, false
	}
	return Text(r[0].stored), true
}

// Param makes a rope of a parameter.
func Param(v value.Value) Rope { return Rope{{param: &v}} }

// Keys makes a rope that stands for a list of shipped keys.
func Keys() Rope { return Rope{{keys: true}} }

// each calls f for the strands of r in their order, those within others too.
func (r Rope) each(f func(*strand)) {
	for i := range r {
		if s := &r[i]; s.within != nil {
			s.within.each(f)
		} else {
			f(s)
		}
	}
}

// hasKeys reports whether shipped keys go into r.
func (r Rope) hasKeys() bool {
	for _, s := range r {
		if s.keys || s.within.hasKeys() {
			return true
		}
	}
	return false
}

// withKeys returns r with keys as parameters in their place.
func (r Rope) withKeys(keys []value.Value) Rope {
	var out Rope
	for _, s := range r {
		if !s.keys {
			if s.within.hasKeys() {
				s.within = s.within.withKeys(keys)
			}
			out = append(out, s)
			continue
		}
		for i := range keys {
			if i > 0 {
				out = append(out, strand{text: ", "})
			}
			if keys[i].IsNull {
				out = append(out, strand{text: "NULL"})
				continue
			}
			out = append(out, strand{param: &keys[i]})
		}
	}
	return out
}

// marked says that r does the work of a piece.
func marked(k fold.Kind, o plan.Origin, r Rope) Rope {
	if !o.Known() {
		return r
	}
	m := &mark{k, o}
	return Rope{{mark: m, open: true}}.Add(r, Rope{{mark: m}})
}

// flatten writes the text, numbers the parameters and finds where the marks
// came to lie.
func (r Rope) flatten(d *Dialect) fold.Native {
	shared := map[string]int{}
	var b strings.Builder
	n := fold.Native{Language: "sql"}
	open := map[*mark][]int{}
	r.each(func(s *strand) {
		switch {
		case s.keys:
			b.WriteString("…keys…")
		case s.param != nil:
			i := parameter(&n, *s.param, d.SharedParameters, shared)
			b.WriteString(d.Placeholder(i+1, *s.param))
		case s.mark != nil && s.open:
			open[s.mark] = append(open[s.mark], b.Len())
		case s.mark != nil:
			starts := open[s.mark]
			last := len(starts) - 1
			n.Marks = append(n.Marks, fold.Mark{Kind: s.mark.kind, Origin: s.mark.org, Start: starts[last], End: b.Len()})
			open[s.mark] = starts[:last]
		default:
			b.WriteString(s.text)
		}
	})
	n.Text = b.String()
	return n
}

// parameter returns the position of a value in the statement's parameters; a
// database that can name one twice gets equal ones once.
func parameter(n *fold.Native, v value.Value, shared bool, at map[string]int) int {
	key := v.Kind.String() + " " + v.String()
	if i, ok := at[key]; ok && shared {
		return i
	}
	n.Parameters = append(n.Parameters, v)
	at[key] = len(n.Parameters) - 1
	return at[key]
}
