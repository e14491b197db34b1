package shape

import (
	"encoding/json"
	"strings"

	"github.com/antchfx/xmlquery"

	"rovik/core/value"
)

// Sample gathers what the records of a set have in common, to propose a shape
// by.
type Sample struct {
	language Language
	root     *branch
}

// NewSample makes a sample of no records yet.
func NewSample(l Language) *Sample { return &Sample{language: l, root: newBranch("")} }

// branch is a place in records: what was there, and the places below.
type branch struct {
	name     string
	seen     Seen
	guess    Guess // of strings and numbers
	leaf     *Leaf // one of the Leafs
	leaves   bool  // of several kinds
	byName   map[string]*branch
	below    []*branch
	element  *branch // of the lists that are here
	repeated bool    // XML: stands several times in one place
	mixed    bool    // XML: has texts between its elements
	values   map[string]bool
	twice    bool // a value was there twice
}

const (
	maxBranches = 300  // below one place; more are keys of a map rather than names
	maxDepth    = 12   // of what is proposed as columns
	maxDistinct = 5000 // values by which a key is found
)

func newBranch(name string) *branch {
	return &branch{name: name, byName: map[string]*branch{}, values: map[string]bool{}}
}

func (b *branch) at(name string) *branch {
	next := b.byName[name]
	if next == nil {
		next = newBranch(name)
		b.byName[name] = next
		b.below = append(b.below, next)
	}
	return next
}

// See adds a record.
func (s *Sample) See(record any) { s.root.see(record) }

// Records is how many there were.
func (s *Sample) Records() int64 {
	n := int64(0)
	for _, c := range s.root.seen.Of {
		n += c
	}
	return n
}

func (b *branch) see(v any) {
	is := what(v)
	b.seen.Of[is]++
	switch v := v.(type) {
	case string:
		b.scalar([]byte(v))
	case json.Number:
		b.scalar([]byte(v))
	case xmlText:
		b.scalar([]byte(v))
	case bool:
		b.twice = true
	case Leaf:
		b.value(v.Text)
		if b.leaf != nil && (b.leaf.Kind != v.Kind || b.leaf.ID != v.ID) {
			b.leaves = true
		}
		b.leaf = &v
	case []value.JSONValue:
		if b.element == nil {
			b.element = newBranch("")
		}
		for _, e := range v {
			b.element.see(e)
		}
	case *value.JSONObject:
		for i, m := range v.Values {
			b.at(v.Keys[i]).see(m)
		}
	case *xmlquery.Node:
		b.seeElement(v)
	}
}

func (b *branch) seeElement(n *xmlquery.Node) {
	for _, a := range n.Attr {
		if a.NamespaceURI != nilAttribute && a.Name.Space != "xmlns" && a.Name.Local != "xmlns" {
			b.at("@" + attrName(a)).see(xmlText(a.Value))
		}
	}
	if text, isNil, err := elementText(n); err == nil && !isNil {
		if text = strings.TrimSpace(text); text != "" {
			b.scalar([]byte(text))
		}
	}
	times := map[string]int{}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		b.mixed = b.mixed || c.Type == xmlquery.TextNode && strings.TrimSpace(c.Data) != "" && what(n) == Nest
		if c.Type == xmlquery.ElementNode {
			name := elementName(c)
			times[name]++
			below := b.at(name)
			below.see(c)
			below.repeated = below.repeated || times[name] > 1
		}
	}
}

func (b *branch) scalar(text []byte) {
	_ = b.guess.See(text, false) // what cannot be carried is a misfit later
	b.value(string(text))
}

func (b *branch) value(s string) {
	if b.twice || len(b.values) >= maxDistinct {
		return
	}
	b.twice = b.values[s]
	b.values[s] = true
}

// there is how often anything was there.
func (b *branch) there() int64 {
	n := int64(0)
	for is, c := range b.seen.Of {
		if Is(is) != Nil && Is(is) != Missing {
			n += c
		}
	}
	return n
}

// Propose makes a shape of the set, to whose records rows leads: a column for
// every value, a table for every repeating part, with its parent's key and its
// position. files says that the records come from several.
func (s *Sample) Propose(set, rows string, files bool) *Shape {
	p := &proposal{s.language}
	name := CleanName(set[strings.LastIndexAny(set, "/.")+1:])
	t := &Table{Name: name, Rows: rows}
	taken := &Names{}
	p.columns(t, s.root, "", "", s.Records(), 0, taken)
	key := s.key(t)
	if key == nil {
		made := []Column{{Name: "file", From: FromFile, Type: value.Of(value.Text)}, {Name: "position", From: FromPosition, Type: value.Of(value.Int8)}}
		if !files {
			made = made[1:]
		}
		for _, c := range made {
			c.Name = taken.Take(c.Name)
			t.Columns, key = append(t.Columns, c), append(key, c.Name)
		}
	}
	names := &Names{}
	names.Take(name)
	p.parts(t, s.root, name, "", key, 0, names)
	return &Shape{Set: set, Language: s.language, Table: t}
}

// key finds a column by which records are told apart: always there, never twice,
// and first in its table.
func (s *Sample) key(t *Table) []string {
	for i, c := range t.Columns {
		if i >= 3 {
			break
		}
		b := s.root
		steps, ok := Plain(s.language, c.Path)
		if strings.HasPrefix(c.Path, "@") {
			steps, ok = []Segment{{Name: c.Path}}, true
		}
		if !ok {
			continue
		}
		for _, st := range steps {
			if b = b.byName[st.Name]; b == nil {
				break
			}
		}
		if b != nil && !b.twice && b.there() == s.Records() && len(b.values) == int(s.Records()) && c.Type.Kind != value.JSONB {
			return []string{c.Name}
		}
	}
	return nil
}

type proposal struct{ language Language }

// path adds a name to a path below a row; "" is the row itself.
func (p *proposal) path(before, name string) string {
	if p.language == XPath {
		if before == "" {
			return name
		}
		return before + "/" + name
	}
	return before + JSONName(name)
}

// own is the path of what stands at a place.
func (p *proposal) own(path string) string {
	switch {
	case p.language == JSONPath:
		return "$" + path
	case path == "":
		return "."
	}
	return path
}

// nested tells what sort of place this is: a table of its own, more columns, or
// neither.
func (b *branch) repeats() bool {
	if b.repeated {
		return true
	}
	return b.element != nil && b.there() == b.seen.Of[Nest] && len(b.below) == 0
}

func (b *branch) spreads(depth int) bool {
	return len(b.below) > 0 && len(b.below) <= maxBranches && depth < maxDepth && b.element == nil && !b.mixed && b.there() == b.seen.Of[Nest]+b.attributed()
}

// attributed counts elements with a text and attributes, which both are columns.
func (b *branch) attributed() int64 {
	for _, c := range b.below {
		if strings.HasPrefix(c.name, "@") {
			return b.seen.Of[Words]
		}
	}
	return 0
}

// columns proposes a column for each value that is there once for a row.
func (p *proposal) columns(t *Table, b *branch, path, prefix string, rows int64, depth int, taken *Names) {
	if len(b.below) == 0 || !b.spreads(depth) {
		name := strings.TrimSuffix(prefix, "_")
		if name == "" {
			name = "value"
		}
		t.Columns = append(t.Columns, p.column(b, taken.Take(CleanName(name)), p.own(path), rows))
		return
	}
	if b.guess.Values > 0 { // an element with attributes has a text too
		name := strings.TrimSuffix(prefix, "_")
		if name == "" {
			name = "value"
		}
		own := *b
		own.below, own.seen.Of[Nest] = nil, 0
		t.Columns = append(t.Columns, p.column(&own, taken.Take(CleanName(name)), p.own(path), rows))
	}
	for _, c := range b.below {
		if !c.repeats() {
			p.columns(t, c, p.path(path, c.name), prefix+strings.TrimPrefix(c.name, "@")+"_", rows, depth+1, taken)
		}
	}
}

// parts proposes a table for each repeating part.
func (p *proposal) parts(t *Table, b *branch, prefix, path string, key []string, depth int, names *Names) {
	if !b.spreads(depth) {
		return
	}
	for _, c := range b.below {
		at := p.path(path, c.name)
		if !c.repeats() {
			p.parts(t, c, prefix, at, key, depth+1, names)
			continue
		}
		row := c
		rows := at
		if p.language == JSONPath {
			row, rows = c.element, "$"+at+"[:]" // not [*], which an object's members are too
		}
		name := names.Take(prefix + "_" + CleanName(c.name))
		part := &Table{Name: name, Rows: rows}
		taken := &Names{}
		var own []string
		for _, k := range key {
			up := k
			if up == "position" {
				up = t.Name + "_position"
			}
			up = taken.Take(up)
			part.Columns = append(part.Columns, Column{Name: up, From: FromParent, Path: k})
			own = append(own, up)
		}
		position := taken.Take("position")
		part.Columns = append(part.Columns, Column{Name: position, From: FromPosition, Type: value.Of(value.Int8)})
		own = append(own, position)
		n := row.there() + row.seen.Of[Nil]
		p.columns(part, row, "", "", n, depth+1, taken)
		p.parts(part, row, name, "", own, depth+1, names)
		t.Parts = append(t.Parts, part)
	}
}

// column types a place by what was there, in so many rows.
func (p *proposal) column(b *branch, name, path string, rows int64) Column {
	seen := b.seen
	seen.Of[Missing] = max(rows-b.there()-seen.Of[Nil], 0)
	c := Column{Name: name, From: FromPath, Path: path, Misfit: Fails, Seen: seen.String()}
	all := b.there()
	words, digits, truth, moments := seen.Of[Words], seen.Of[Digits], seen.Of[Truth], seen.Of[Moment]+seen.Of[Ident]+seen.Of[Other]
	kind := b.guess.Kind()
	switch {
	case all == 0:
		c.Type = value.Of(value.Text)
	case seen.Of[Nest]+seen.Of[Several] > 0:
		c.Type = value.Of(value.JSONB)
	case b.leaf != nil && !b.leaves && all == moments, b.leaf != nil && !b.leaves && all == digits && b.guess.Values == 0:
		c.Type, c.ID = value.Of(b.leaf.Kind), b.leaf.ID
		if b.leaf.Kind == value.Bytea {
			c.Type, c.Misfit = value.Of(value.Text), AsText
		}
	case all == truth:
		c.Type = value.Of(value.Bool)
	case all == digits && b.leaf != nil:
		c.Type = value.Of(value.Float8) // floating and other numbers
		c.Misfit = AsText
	case all == digits && kind.IsNumber():
		c.Type = value.Of(kind)
	case all == words && (p.language == XPath || kind == value.Date || kind == value.Timestamp):
		c.Type = value.Of(kind) // XML has no form but text for anything, JSON none for dates
	case all == words:
		c.Type = value.Of(value.Text)
	case digits > words+truth+moments:
		c.Type, c.Misfit = value.Of(value.Numeric), AsText
	default:
		c.Type, c.Misfit = value.Of(value.Text), AsText
	}
	return c
}
