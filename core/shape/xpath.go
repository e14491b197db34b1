package shape

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/antchfx/xmlquery"
	"github.com/antchfx/xpath"

	"rovik/core/value"
)

// compileXPath prepares an expression of XPath 1.0.
func compileXPath(path string) (sel selector, err error) {
	defer func() { // the library panics at some strings that are no expressions
		if p := recover(); p != nil {
			sel, err = nil, notXPath(path, fmt.Errorf("%v", p))
		}
	}()
	expr, err := xpath.Compile(path)
	if err != nil {
		return nil, notXPath(path, err)
	}
	return func(row any) (out []any, err error) {
		defer func() {
			if p := recover(); p != nil {
				err = wrong("%s fails: %v", path, p)
			}
		}()
		n, ok := row.(*xmlquery.Node)
		if !ok {
			return nil, fmt.Errorf("shape: XPath on a %T", row)
		}
		switch r := expr.Evaluate(xmlquery.CreateXPathNavigator(n)).(type) {
		case *xpath.NodeIterator:
			for r.MoveNext() {
				out = append(out, xmlNode(r.Current()))
			}
		case float64:
			if r != r {
				return nil, nil // not a number: of nothing
			}
			out = append(out, xmlText(strconv.FormatFloat(r, 'f', -1, 64)))
		case string:
			out = append(out, xmlText(r))
		case bool:
			out = append(out, xmlText(strconv.FormatBool(r)))
		}
		return out, nil
	}, nil
}

func notXPath(path string, err error) error {
	return wrong("%q is not an expression of XPath 1.0: %s", path, firstLine(err)).WithHint("name elements, attributes as @code, and steps between them with /")
}

func firstLine(err error) string {
	s, _, _ := strings.Cut(strings.TrimSpace(err.Error()), "\n")
	return s
}

// xmlText is a text, number or boolean out of XML.
type xmlText string

// xmlNode is an element, or the text of anything else.
func xmlNode(nav xpath.NodeNavigator) any {
	if nav.NodeType() == xpath.ElementNode {
		return nav.(*xmlquery.NodeNavigator).Current()
	}
	return xmlText(nav.Value())
}

// nilAttribute marks an element without a value, as XML Schema has it.
const nilAttribute = "http://www.w3.org/2001/XMLSchema-instance"

// elementText is the text of an element that has no elements in it.
func elementText(n *xmlquery.Node) (text string, isNil bool, err error) {
	for _, a := range n.Attr {
		if a.NamespaceURI == nilAttribute && a.Name.Local == "nil" && (a.Value == "true" || a.Value == "1") {
			return "", true, nil
		}
	}
	var b strings.Builder
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch c.Type {
		case xmlquery.ElementNode:
			return "", false, errNested
		case xmlquery.TextNode, xmlquery.CharDataNode:
			b.WriteString(c.Data)
		}
	}
	return b.String(), false, nil
}

var errNested = errors.New("it is nested")

// fewNames are found by looking at each.
const fewNames = 16

// xmlJSON is an element as jsonb: its attributes and elements by name, repeated
// ones as a list, its own text as the member "text". Where texts stand between
// elements, the list "content" has both in their order, each element as an object
// with one member.
func xmlJSON(n *xmlquery.Node) value.JSONValue {
	if text, isNil, err := elementText(n); err == nil && len(n.Attr) == 0 {
		if isNil {
			return nil
		}
		return text
	}
	o := &value.JSONObject{}
	var at map[string]int // by name, once there are many
	find := func(key string) (int, bool) {
		if len(o.Keys) <= fewNames {
			i := slices.Index(o.Keys, key)
			return i, i >= 0
		}
		if at == nil {
			at = make(map[string]int, 2*len(o.Keys))
		}
		for i := len(at); i < len(o.Keys); i++ {
			at[o.Keys[i]] = i
		}
		i, there := at[key]
		return i, there
	}
	add := func(key string, v value.JSONValue) {
		if i, repeated := find(key); repeated {
			list, isList := o.Values[i].([]value.JSONValue)
			if !isList {
				list = []value.JSONValue{o.Values[i]}
			}
			o.Values[i] = append(list, v)
			return
		}
		o.Keys, o.Values = append(o.Keys, key), append(o.Values, v)
	}
	for _, a := range n.Attr {
		add("@"+attrName(a), a.Value)
	}
	if content := mixedContent(n); content != nil {
		add("content", content)
		return o
	}
	var own strings.Builder
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch c.Type {
		case xmlquery.ElementNode:
			add(elementName(c), xmlJSON(c))
		case xmlquery.TextNode, xmlquery.CharDataNode:
			own.WriteString(c.Data)
		}
	}
	if s := strings.TrimSpace(own.String()); s != "" {
		add("text", s)
	}
	return o
}

// mixedContent is what stands in an element that has texts beside elements, or nil.
func mixedContent(n *xmlquery.Node) []value.JSONValue {
	var out []value.JSONValue
	texts, elements := false, false
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch c.Type {
		case xmlquery.ElementNode:
			elements = true
			out = append(out, &value.JSONObject{Keys: []string{elementName(c)}, Values: []value.JSONValue{xmlJSON(c)}})
		case xmlquery.TextNode, xmlquery.CharDataNode:
			texts = texts || strings.TrimSpace(c.Data) != ""
			if last := len(out) - 1; last >= 0 {
				if before, ok := out[last].(string); ok {
					out[last] = before + c.Data
					continue
				}
			}
			out = append(out, c.Data)
		}
	}
	if !texts || !elements {
		return nil
	}
	return out
}

func elementName(n *xmlquery.Node) string {
	if n.Prefix != "" {
		return n.Prefix + ":" + n.Data
	}
	return n.Data
}

func attrName(a xmlquery.Attr) string {
	if a.Name.Space != "" {
		return a.Name.Space + ":" + a.Name.Local
	}
	return a.Name.Local
}
