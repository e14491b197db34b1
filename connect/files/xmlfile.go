package files

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/antchfx/xmlquery"
	"golang.org/x/net/html/charset"

	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// xmlFiles are records as elements of XML. What columns they have a shape says.
type xmlFiles struct{}

func (*xmlFiles) suffixes() []string       { return []string{".xml"} }
func (*xmlFiles) keepsBounds() bool        { return false }
func (*xmlFiles) language() shape.Language { return shape.XPath }

func (*xmlFiles) describe(context.Context, file) (*contents, error) { return nil, errNeedsShape }

func (*xmlFiles) open(context.Context, file, []catalog.Column) (opened, error) {
	return nil, errNeedsShape
}

var errNeedsShape = value.Errorf(value.CodeSource, "it has no shape").WithHint("give it one on the page of the source")

func (*xmlFiles) show(record any) string {
	n, ok := record.(*xmlquery.Node)
	if !ok {
		return ""
	}
	return strings.TrimSpace(n.OutputXMLWithOptions(xmlquery.WithOutputSelf(), xmlquery.WithIndentation("  "), xmlquery.WithEmptyTagSupport()))
}

// maxXMLDepth bounds how deep elements are nested.
const maxXMLDepth = 1000

// xmlReader reads elements as they come, and holds those of one record alone.
type xmlReader struct {
	limit  *limited
	dec    *xml.Decoder
	stack  []string          // the names of the elements that are open
	spaces map[string]string // by prefix
	attrs  map[xml.Name]bool // of the element that is read
	ended  bool              // the root has
	n      int64             // records read
}

func (x *xmlFiles) read(f file, each func(r *xmlReader) error) (err error) {
	in, closer, _, err := beginning(f)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closer.Close()) }()
	text, coded := xmlText(in)
	r := &xmlReader{limit: &limited{&spacedAttributes{in: text}, maxRecord}, spaces: map[string]string{}, attrs: map[xml.Name]bool{}}
	r.dec = xml.NewDecoder(r.limit)
	r.dec.CharsetReader = charset.NewReaderLabel
	if coded { // whatever its declaration says
		r.dec.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	}
	return each(r)
}

// next returns the token that comes next, having kept the stack.
func (r *xmlReader) next() (xml.Token, error) {
	t, err := r.dec.RawToken()
	if errors.Is(err, io.EOF) {
		if len(r.stack) == 0 {
			return nil, io.EOF
		}
		return nil, r.wrong(value.Errorf(value.CodeSource, "the file ends within the element %s", r.stack[len(r.stack)-1]).WithHint("write the file again"))
	}
	if err != nil {
		return nil, r.wrong(err)
	}
	switch t := t.(type) {
	case xml.Directive:
		return nil, r.wrong(value.Errorf(value.CodeSource, "document type and entity definitions are refused").WithHint("write the file without <!DOCTYPE …>"))
	case xml.StartElement:
		if len(r.stack) == maxXMLDepth {
			return nil, r.wrong(value.Errorf(value.CodeSource, "its elements are nested more than %d deep", maxXMLDepth))
		}
		if r.ended {
			return nil, r.wrong(value.Errorf(value.CodeSource, "<%s> follows the end of the root element", qualified(t.Name)).WithHint("wrap everything in one root element"))
		}
		clear(r.attrs)
		for _, a := range t.Attr {
			before := len(r.attrs)
			if r.attrs[a.Name] = true; len(r.attrs) == before {
				return nil, r.wrong(value.Errorf(value.CodeSource, "<%s> has the attribute %s twice", qualified(t.Name), qualified(a.Name)).WithHint("write the file again"))
			}
			if a.Name.Space == "xmlns" {
				r.spaces[a.Name.Local] = a.Value
			}
		}
		r.stack = append(r.stack, qualified(t.Name))
	case xml.EndElement:
		last := len(r.stack) - 1
		if last < 0 || r.stack[last] != qualified(t.Name) {
			return nil, r.wrong(value.Errorf(value.CodeSource, "</%s> closes an element that is not open", qualified(t.Name)).WithHint("write the file again"))
		}
		r.stack = r.stack[:last]
		r.ended = last == 0
	case xml.CharData:
		if len(r.stack) == 0 && len(bytes.TrimSpace(t)) > 0 {
			return nil, r.wrong(value.Errorf(value.CodeSource, "there is text outside the root element").WithHint("write the file again"))
		}
	}
	return t, nil
}

func qualified(n xml.Name) string {
	if n.Space == "" {
		return n.Local
	}
	return n.Space + ":" + n.Local
}

// wrong places an error in the file.
func (r *xmlReader) wrong(err error) error {
	line, _ := r.dec.InputPos()
	var ve *value.Error
	if errors.As(err, &ve) {
		e := *ve
		e.Message = fmt.Sprintf("line %d: %s", line, ve.Message)
		return &e
	}
	var se *xml.SyntaxError
	says := err.Error()
	if errors.As(err, &se) {
		says = se.Msg
	}
	return value.Errorf(value.CodeSource, "line %d: it is not XML: %s", line, says).WithHint("write the file again")
}

// records gives the records of a file that steps lead to.
func (x *xmlFiles) records(ctx context.Context, f file, steps []shape.Segment, give func(record any, n int64) error) error {
	return x.read(f, func(r *xmlReader) error {
		for {
			r.limit.left = maxRecord
			t, err := r.next()
			if errors.Is(err, io.EOF) {
				return nil
			}
			if err != nil {
				return err
			}
			start, is := t.(xml.StartElement)
			if !is || !leadTo(steps, r.stack) {
				continue
			}
			record, err := r.element(start)
			if err != nil {
				return err
			}
			if r.n++; r.n%256 == 0 && ctx.Err() != nil {
				return ctx.Err()
			}
			if err := give(record, r.n); err != nil {
				return err
			}
		}
	})
}

// leadTo reports whether steps from the root end at the innermost of the elements
// that are open.
func leadTo(steps []shape.Segment, stack []string) bool {
	if len(steps) == 0 || len(stack) == 0 {
		return len(steps) == 0 && len(stack) == 0
	}
	last := len(steps) - 1
	s, name := steps[last], stack[len(stack)-1]
	if s.Kind == shape.ByName && s.Name != name {
		return false
	}
	rest := stack[:len(stack)-1]
	if !s.Deep {
		return leadTo(steps[:last], rest)
	}
	for n := len(rest); n >= 0; n-- {
		if leadTo(steps[:last], rest[:n]) {
			return true
		}
	}
	return false
}

// element reads an element that has just begun, up to its end.
func (r *xmlReader) element(start xml.StartElement) (*xmlquery.Node, error) {
	root := r.node(start)
	for at := root; at != nil; {
		t, err := r.next()
		if err != nil {
			return nil, err
		}
		switch t := t.(type) {
		case xml.StartElement:
			n := r.node(t)
			xmlquery.AddChild(at, n)
			at = n
		case xml.EndElement:
			at = at.Parent
		case xml.CharData:
			if len(t) > 0 {
				xmlquery.AddChild(at, &xmlquery.Node{Type: xmlquery.TextNode, Data: string(t)})
			}
		}
	}
	return root, nil
}

func (r *xmlReader) node(start xml.StartElement) *xmlquery.Node {
	n := &xmlquery.Node{Type: xmlquery.ElementNode, Prefix: start.Name.Space, Data: start.Name.Local, NamespaceURI: r.spaces[start.Name.Space]}
	for _, a := range start.Attr {
		n.Attr = append(n.Attr, xmlquery.Attr{Name: a.Name, Value: a.Value, NamespaceURI: r.spaces[a.Name.Space]})
	}
	return n
}

// looked is how many elements are looked at to find the records of a file.
const looked = 20_000

// rows is the path to the records: the outermost elements of which there are
// several in one place, or the root.
func (x *xmlFiles) rows(ctx context.Context, f file) (string, error) {
	path := ""
	err := x.read(f, func(r *xmlReader) error {
		siblings := []map[string]int{{}}
		for n := 0; n < looked; {
			r.limit.left = maxRecord
			t, err := r.next()
			if errors.Is(err, io.EOF) || ctx.Err() != nil {
				return ctx.Err()
			}
			if err != nil {
				return err
			}
			switch t.(type) {
			case xml.StartElement:
				n++
				at := "/" + strings.Join(r.stack, "/")
				if path == "" {
					path = at
				}
				counts := siblings[len(siblings)-1]
				counts[at]++
				if counts[at] == 2 && (strings.Count(path, "/") == 1 || strings.Count(at, "/") < strings.Count(path, "/")) {
					path = at
				}
				siblings = append(siblings, map[string]int{})
			case xml.EndElement:
				siblings = siblings[:len(siblings)-1]
			}
		}
		return nil
	})
	if err == nil && path == "" {
		err = value.Errorf(value.CodeSource, "the file has no elements").WithHint("check the file")
	}
	return path, err
}
