package builder

import (
	"context"
	"fmt"
	"slices"
	"sort"
	"strings"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/form"
	"rovik/core/syntax"
	"rovik/core/value"
)

// JoinSuggestion is a way to join a relation to an input that is there: pairs of
// expressions that are to be equal. In Right, {new} stands for the relation's
// alias.
type JoinSuggestion struct {
	Input int      `json:"input"` // of the block
	Left  []string `json:"left"`
	Right []string `json:"right"`
	// From says what it is suggested by: a foreign key, a declared key, or names.
	From string `json:"from" enum:"foreign key,declared key,names,values"`
	Why  string `json:"why"`
	// Types notes a difference of types that the expressions bridge.
	Types string `json:"types"`
	score float64
}

// What a join is suggested by.
const (
	ByForeignKey  = "foreign key"
	ByDeclaredKey = "declared key"
	ByNames       = "names"
)

const (
	mostSuggestions = 8
	// leastLikeness is how much names have to say to each other, from 0 to 1.
	leastLikeness = 0.55
)

// SuggestJoins finds ways to join a relation to the inputs of a block: by foreign
// keys first, through views that pass the columns on, then by names and types.
func (b Builder) SuggestJoins(ctx context.Context, q project.Query, block int, name string) (_ []JoinSuggestion, err error) {
	defer value.Guard(&err)
	built, err := b.Build(ctx, q)
	if err != nil {
		return nil, err
	}
	out := []JoinSuggestion{}
	if block < 0 || block >= len(built.Form.Blocks) {
		return out, nil
	}
	added, err := b.columnsOf(ctx, q, name)
	if err != nil {
		return nil, err
	}
	for i, in := range built.Form.Blocks[block].Inputs {
		facts := built.Facts.Inputs[block][i]
		out = append(out, b.byKeys(i, in, facts.Columns, added)...)
		out = append(out, byNames(i, in, facts.Columns, name, added)...)
	}
	if len(out) == 0 {
		if out, err = b.byValues(ctx, q, built, block, name, added); err != nil {
			return nil, err
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].score > out[j].score })
	var unique []JoinSuggestion
	for _, s := range out {
		if !slices.ContainsFunc(unique, func(u JoinSuggestion) bool {
			return u.Input == s.Input && slices.Equal(u.Left, s.Left) && slices.Equal(u.Right, s.Right)
		}) {
			unique = append(unique, s)
		}
	}
	return append([]JoinSuggestion{}, unique[:min(len(unique), mostSuggestions)]...), nil
}

// columnsOf are the columns of what can be an input, under the alias {new}.
func (b Builder) columnsOf(ctx context.Context, q project.Query, name string) ([]form.Column, error) {
	from, err := form.FromItem(name)
	if err != nil {
		return nil, err
	}
	q.SQL = "SELECT * FROM " + from + " AS n"
	f, err := form.Of(q.SQL)
	if err != nil {
		return nil, err
	}
	facts, err := form.FactsOf(b.now.Binding(ctx, q), q.SQL, f)
	if err != nil {
		return nil, err
	}
	cols := facts.Inputs[0][0].Columns
	for i := range cols {
		cols[i].SQL = "{new}." + syntax.Identifier(cols[i].Name)
	}
	return cols, nil
}

// byKeys follows the foreign keys of the tables whose columns both sides carry.
func (b Builder) byKeys(input int, in form.Input, left, right []form.Column) []JoinSuggestion {
	var out []JoinSuggestion
	find := func(cols []form.Column, table, column string) *form.Column {
		for i := range cols {
			if cols[i].Table == table && cols[i].Of == column {
				return &cols[i]
			}
		}
		return nil
	}
	try := func(from, to []form.Column, swap bool) {
		seen := map[string]bool{}
		for _, c := range from {
			t := b.now.Catalog().Table(c.Table)
			if t == nil || seen[c.Table] {
				continue
			}
			seen[c.Table] = true
			for _, fk := range t.ForeignKeys {
				target := b.referenced(t, fk)
				if target == "" {
					continue
				}
				s := JoinSuggestion{Input: input, From: ByForeignKey, score: 2, Why: fmt.Sprintf("%s (%s) refers to %s (%s)", c.Table, strings.Join(fk.Columns, ", "), target, strings.Join(fk.References, ", "))}
				if fk.Declared != "" {
					s.From, s.score = ByDeclaredKey, 1.9
				}
				for i := range fk.Columns {
					x, y := find(from, c.Table, fk.Columns[i]), find(to, target, fk.References[i])
					if x == nil || y == nil {
						s.Left = nil
						break
					}
					if swap {
						x, y = y, x
					}
					l, r, note, ok := comparable(*x, *y)
					if !ok {
						s.Left = nil
						break
					}
					s.Left, s.Right, s.Types = append(s.Left, l), append(s.Right, r), note
				}
				if len(s.Left) == len(fk.Columns) {
					out = append(out, s)
				}
			}
		}
	}
	try(left, right, false)
	try(right, left, true)
	return out
}

// referenced finds the table that a foreign key refers to.
func (b Builder) referenced(t *catalog.Table, fk catalog.ForeignKey) string {
	for _, name := range []string{fk.Table, t.Source + "." + fk.Table, t.Source + "." + t.Schema + "." + fk.Table} {
		if found := b.now.Catalog().Table(name); found != nil {
			return found.FullName()
		}
	}
	return ""
}

// comparable writes two columns so that they can be equal: a number that meets a
// text is written as text, which never fails.
func comparable(l, r form.Column) (left, right, note string, ok bool) {
	lt, err1 := value.ParseType(l.Type)
	rt, err2 := value.ParseType(r.Type)
	if err1 != nil || err2 != nil || lt.Kind.IsArray() || rt.Kind.IsArray() {
		return "", "", "", false
	}
	if _, ok := value.Common(lt.Kind, rt.Kind); ok && lt.Kind.Comparable() {
		if lt.Kind != rt.Kind && isText(lt.Kind) != isText(rt.Kind) {
			ok = false
		}
		if ok {
			return l.SQL, r.SQL, "", true
		}
	}
	note = fmt.Sprintf("%s meets %s: the number is compared as text", l.Type, r.Type)
	switch {
	case isText(lt.Kind) && isWhole(rt.Kind):
		return l.SQL, "CAST(" + r.SQL + " AS text)", note, true
	case isWhole(lt.Kind) && isText(rt.Kind):
		return "CAST(" + l.SQL + " AS text)", r.SQL, note, true
	}
	return "", "", "", false
}

func isText(k value.Kind) bool  { return k == value.Text || k == value.Char }
func isWhole(k value.Kind) bool { return k == value.Int2 || k == value.Int4 || k == value.Int8 }

// joinable are the kinds whose values stand for something else.
func joinable(typ string) bool {
	t, err := value.ParseType(typ)
	return err == nil && (isText(t.Kind) || isWhole(t.Kind) || t.Kind == value.UUID || t.Kind == value.Numeric && t.Scale == 0)
}

// byNames compares the words of columns' names, and of the relations they are of.
func byNames(input int, in form.Input, left []form.Column, name string, right []form.Column) []JoinSuggestion {
	var out []JoinSuggestion
	lrel, rrel := in.Name, name
	for _, l := range left {
		for _, r := range right {
			if !joinable(l.Type) || !joinable(r.Type) {
				continue
			}
			like := likeness(lrel, l.Name, rrel, r.Name)
			if like < leastLikeness {
				continue
			}
			lx, rx, note, ok := comparable(l, r)
			if !ok {
				continue
			}
			if note != "" {
				like -= 0.1
			}
			out = append(out, JoinSuggestion{Input: input, Left: []string{lx}, Right: []string{rx}, From: ByNames, Types: note, score: like,
				Why: fmt.Sprintf("%s.%s and %s.%s are alike", lrel, l.Name, rrel, r.Name)})
		}
	}
	return out
}

// words cuts a name into words in the singular.
func words(name string) []string {
	var out []string
	for _, w := range strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r == '_' || r == ' ' || r == '-' || r == '.' }) {
		if len(w) > 3 && !weak[w] { // status is no plural
			w = strings.TrimSuffix(w, "s")
		}
		out = append(out, w)
	}
	if len(out) == 0 { // of signs alone, as _
		out = append(out, name)
	}
	return out
}

// weak are words that say little of what a value stands for.
var weak = map[string]bool{"id": true, "no": true, "code": true, "key": true, "number": true, "nr": true, "name": true, "position": true, "line": true, "kind": true, "type": true, "status": true, "country": true, "town": true, "month": true,
	"remark": true, "reason": true, "note": true, "description": true, "comment": true, "title": true}

// identifying are the weak words that tell things of one kind apart.
var identifying = map[string]bool{"id": true, "no": true, "code": true, "key": true, "number": true, "nr": true}

// likeness says from 0 to 1 how much two columns seem to hold the same: whether
// the words of one are among those of the other and of its relation, as in
// loan_line.object_no and object.accession_no.
func likeness(lrel, l, rrel, r string) float64 {
	lw, rw := words(l), words(r)
	short := func(rel string) []string { return words(rel[strings.LastIndexByte(rel, '.')+1:]) }
	strong := func(list []string) (n int) {
		for _, w := range list {
			if !weak[w] {
				n++
			}
		}
		return n
	}
	within := func(part, whole []string) bool {
		for _, w := range part {
			if !slices.Contains(whole, w) {
				return false
			}
		}
		return true
	}
	switch {
	case slices.Equal(lw, rw):
		switch {
		case strong(lw) > 0:
			return 1
		case identifying[lw[len(lw)-1]]:
			return 0.6 // id and id, code and code
		}
		return 0
	case strong(lw) > 0 && within(lw, append(short(rrel), rw...)), strong(rw) > 0 && within(rw, append(short(lrel), lw...)):
		return 0.85
	}
	if x, y := lw[len(lw)-1], rw[len(rw)-1]; x != y && weak[x] && weak[y] {
		return 0 // a code and an id
	}
	// Some strong word in common, and the same last word.
	common := 0
	for _, w := range lw {
		if !weak[w] && slices.Contains(rw, w) {
			common++
		}
	}
	if common > 0 && lw[len(lw)-1] == rw[len(rw)-1] {
		return 0.7
	}
	if common > 0 {
		return 0.6
	}
	return 0
}
