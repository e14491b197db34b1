package shape

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/antchfx/xmlquery"

	"rovik/core/value"
)

// Sink takes the cells of flat rows.
type Sink interface {
	Null(column int)
	// Put adds the text of a value, or adds nothing and returns an error where
	// it does not fit the column's type.
	Put(column int, text []byte) error
	// Row ends a row.
	Row() error
}

// Is says what a node is.
type Is int

// What nodes are.
const (
	Missing Is = iota
	Nil
	Words // a text
	Digits
	Truth
	Moment // a date with its time
	Ident  // an identifier that a server makes
	Other  // of another kind that JSON has no form for
	Nest
	Several
	isCount
)

var isNames = [isCount]string{"missing", "null", "text", "number", "boolean", "moment", "identifier", "other", "nested", "several"}

// Seen counts what the values of a column were.
type Seen struct {
	Of      [isCount]int64
	Misfits int64
	// Example is the first misfit, with the record that it is in.
	Example string
}

// Add puts the counts of two parts together.
func (s *Seen) Add(o Seen) {
	for i, n := range o.Of {
		s.Of[i] += n
	}
	s.Misfits += o.Misfits
	if s.Example == "" {
		s.Example = o.Example
	}
}

// Mixed reports whether there were values of several sorts.
func (s *Seen) Mixed() bool {
	sorts := 0
	for is, n := range s.Of {
		if n > 0 && Is(is) != Missing && Is(is) != Nil {
			sorts++
		}
	}
	return sorts > 1
}

// String lists what was seen, as "812 text, 3 number, 5 missing".
func (s *Seen) String() string {
	var parts []string
	for _, is := range []Is{Words, Digits, Truth, Moment, Ident, Other, Nest, Several, Nil, Missing} {
		if n := s.Of[is]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, isNames[is]))
		}
	}
	return strings.Join(parts, ", ")
}

// Flattener makes the rows of one table out of records. It is for one goroutine.
type Flattener struct {
	flat   *Flat
	wanted []int // cells, in the order of the sink's columns
	steps  []selector
	paths  []selector // of the wanted cells; nil where there is none
	// Seen counts by wanted column.
	Seen []Seen

	sink   Sink
	file   string
	record int64
	at     []int64 // the position at each level
	nodes  [][]any // of the wanted cells
}

// Compile prepares to make the wanted columns, by position in f.Cells.
func (f *Flat) Compile(wanted []int) (*Flattener, error) {
	out := &Flattener{flat: f, wanted: wanted, steps: make([]selector, len(f.Steps)), paths: make([]selector, len(wanted)),
		Seen: make([]Seen, len(wanted)), at: make([]int64, len(f.Steps)), nodes: make([][]any, len(wanted))}
	var err error
	for i := 1; i < len(f.Steps); i++ {
		if out.steps[i], err = compile(f.Language, f.Steps[i]); err != nil {
			return nil, err
		}
	}
	for i, w := range wanted {
		if c := f.Cells[w]; c.From == FromPath {
			if out.paths[i], err = compile(f.Language, c.Path); err != nil {
				return nil, err
			}
			if f.Language == JSONPath {
				out.paths[i] = tellingOfLists(c.Path, out.paths[i])
			}
		}
	}
	return out, nil
}

// Lenient prepares to make all columns, in which what does not fit is counted and
// never an error.
func (f *Flat) Lenient() (*Flattener, error) {
	lenient := *f
	lenient.Cells = slices.Clone(f.Cells)
	wanted := make([]int, len(f.Cells))
	for i := range lenient.Cells {
		wanted[i] = i
		if c := &lenient.Cells[i]; c.Misfit == Fails {
			c.Misfit = IsNull
		}
	}
	return lenient.Compile(wanted)
}

// Flatten gives the rows of one record, the n-th of a file.
func (f *Flattener) Flatten(record any, file string, n int64, sink Sink) error {
	f.sink, f.file, f.record = sink, file, n
	f.at[0] = n
	return f.level(0, record)
}

func (f *Flattener) level(l int, row any) error {
	for i, sel := range f.paths {
		if sel == nil || f.flat.Cells[f.wanted[i]].Level != l {
			continue
		}
		var err error
		if f.nodes[i], err = sel(row); err != nil {
			return err
		}
	}
	if l == len(f.steps)-1 {
		return f.row()
	}
	rows, err := f.steps[l+1](row)
	if err != nil {
		return err
	}
	for i, r := range rows {
		f.at[l+1] = int64(i + 1)
		if err := f.level(l+1, r); err != nil {
			return err
		}
	}
	return nil
}

func (f *Flattener) row() error {
	for i, w := range f.wanted {
		c := &f.flat.Cells[w]
		var err error
		switch c.From {
		case FromPosition:
			err = f.sink.Put(i, strconv.AppendInt(nil, f.at[c.Level], 10))
		case FromFile:
			err = f.sink.Put(i, []byte(f.file))
		default:
			err = f.put(i, c)
		}
		if err != nil {
			return err
		}
	}
	return f.sink.Row()
}

// put adds a cell, or what becomes of it where it does not fit.
func (f *Flattener) put(i int, c *Cell) error {
	want := c.Type.Kind
	if c.Of != nil {
		want = c.Of.Kind
	}
	is, text, why := read(f.nodes[i], want, c.ID)
	f.Seen[i].Of[is]++
	if is == Missing || is == Nil {
		f.sink.Null(i)
		return nil
	}
	if c.Of != nil {
		return f.misfitText(i, text, want, why)
	}
	if why == nil {
		if why = f.sink.Put(i, text); why == nil {
			return nil
		}
	}
	s := &f.Seen[i]
	s.Misfits++
	if s.Example == "" {
		s.Example = fmt.Sprintf("record %d: %s", f.record, clip(text))
	}
	switch {
	case c.Misfit == AsText && want == value.Text:
		if utf8.Valid(text) {
			return f.sink.Put(i, text)
		}
		return f.fails(c, why)
	case c.Misfit == Fails || c.Misfit == "":
		return f.fails(c, why)
	}
	f.sink.Null(i)
	return nil
}

// Fit returns the text of a node as a column of a kind reads it, null where there
// is nothing, and why it does not fit.
func Fit(node any, want value.Kind, id bool) (text []byte, null bool, why error) {
	is, text, why := read([]any{node}, want, id)
	if is == Nil || is == Missing {
		return nil, true, nil
	}
	return text, false, why
}

// misfitText adds the text of what does not fit another column.
func (f *Flattener) misfitText(i int, text []byte, want value.Kind, why error) error {
	if why == nil {
		if _, why = value.Parse(want, string(text)); why == nil {
			f.sink.Null(i)
			return nil
		}
	}
	return f.sink.Put(i, text)
}

func (f *Flattener) fails(c *Cell, why error) error {
	return value.Errorf(value.Code(why), "record %d, column %s: %s", f.record, c.Name, why).
		WithHint("let what does not fit be NULL or text, in the shape of %s", f.flat.Set)
}

// read tells what a path led to, and its text as a kind of column reads it, with
// the reason where the text is there but does not fit.
func read(nodes []any, want value.Kind, id bool) (Is, []byte, error) {
	switch len(nodes) {
	case 0:
		return Missing, nil, nil
	case 1:
	default:
		list := make([]value.JSONValue, len(nodes))
		for i, n := range nodes {
			list[i] = asJSON(n)
		}
		text := []byte(value.EncodeJSON(list))
		if want == value.JSONB || want == value.JSON {
			return Several, text, nil
		}
		return Several, text, notFit("there are %d values", len(nodes))
	}
	node := nodes[0]
	if in, is := node.(inTheWay); is {
		if want == value.JSONB || want == value.JSON {
			return Missing, nil, nil
		}
		text := []byte(value.EncodeJSON(asJSON(in.list)))
		return Nest, text, notFit("a list stands on the way to it: %s", clip(text))
	}
	if want == value.JSONB || want == value.JSON {
		v := asJSON(node)
		return what(node), []byte(value.EncodeJSON(v)), nil
	}
	is := what(node)
	switch n := node.(type) {
	case string:
		if want.IsNumber() || want == value.Bool || id {
			return is, []byte(n), notFit("the text %q is not a %s", clip([]byte(n)), want)
		}
		return is, []byte(n), nil
	case json.Number:
		if !want.IsNumber() {
			return is, []byte(n), notFit("the number %s is not a %s", clip([]byte(n)), want)
		}
		return is, []byte(n), nil
	case bool:
		text := strconv.AppendBool(nil, n)
		if want != value.Bool {
			return is, text, notFit("%s is not a %s", text, want)
		}
		return is, text, nil
	case Leaf:
		if n.Kind != want && !(n.Kind == value.Float8 && want == value.Float4) || n.ID != id {
			return is, []byte(n.Text), notFit("%s is of another kind than %s", clip([]byte(n.Text)), want)
		}
		return is, []byte(n.Text), nil
	case xmlText:
		return xmlScalar(string(n), want)
	case *xmlquery.Node:
		text, isNil, err := elementText(n)
		if isNil {
			return Nil, nil, nil
		}
		if err != nil {
			return is, []byte(value.EncodeJSON(xmlJSON(n))), notFit("it has elements in it")
		}
		return xmlScalar(text, want)
	}
	text := []byte(value.EncodeJSON(asJSON(node)))
	return is, text, notFit("%s is nested", clip(text))
}

// xmlScalar reads a text out of XML: spaces around anything but text are none
// of it, and nothing is no number.
func xmlScalar(text string, want value.Kind) (Is, []byte, error) {
	if want != value.Text {
		if text = strings.TrimSpace(text); text == "" {
			return Missing, nil, nil
		}
	}
	return Words, []byte(text), nil
}

func notFit(format string, args ...any) error {
	return value.Errorf(value.CodeBadText, format, args...)
}

func what(node any) Is {
	switch n := node.(type) {
	case nil:
		return Nil
	case string, xmlText:
		return Words
	case json.Number:
		return Digits
	case bool:
		return Truth
	case Leaf:
		switch {
		case n.Kind.IsNumber():
			return Digits
		case n.ID:
			return Ident
		case n.Kind == value.TimestampTZ:
			return Moment
		}
		return Other
	case *xmlquery.Node:
		if _, isNil, err := elementText(n); isNil {
			return Nil
		} else if err == nil {
			return Words
		}
	}
	return Nest
}

// asJSON is a node without anything that JSON has no form for.
func asJSON(node any) value.JSONValue {
	switch n := node.(type) {
	case xmlText:
		return string(n)
	case *xmlquery.Node:
		return xmlJSON(n)
	case Leaf:
		if n.Kind.IsNumber() && json.Valid([]byte(n.Text)) {
			return json.Number(n.Text)
		}
		return n.Text
	case []value.JSONValue:
		out := make([]value.JSONValue, len(n))
		for i, v := range n {
			out[i] = asJSON(v)
		}
		return out
	case *value.JSONObject:
		out := &value.JSONObject{Keys: n.Keys, Values: make([]value.JSONValue, len(n.Values))}
		for i, v := range n.Values {
			out.Values[i] = asJSON(v)
		}
		return out
	}
	return node
}

func clip(b []byte) string {
	const most = 40
	if len(b) <= most {
		return string(b)
	}
	return strings.ToValidUTF8(string(b[:most]), "") + "…"
}
