package shape

import (
	"encoding/json"
	"slices"

	"github.com/pb33f/go-yaml"
	"github.com/pb33f/jsonpath/pkg/jsonpath"
	"github.com/pb33f/jsonpath/pkg/jsonpath/config"

	"rovik/core/value"
)

// compileJSONPath prepares a path of RFC 9535. Plain ones are followed here;
// slices, filters, functions and descendants are the library's.
func compileJSONPath(path string) (selector, error) {
	general, err := libraryPath(path)
	if err != nil {
		return nil, err
	}
	if steps, ok := plainJSONPath(path); ok {
		return func(row any) ([]any, error) { return follow(row, steps, nil), nil }, nil
	}
	return general, nil
}

// libraryPath prepares a path to be followed by the library.
func libraryPath(path string) (selector, error) {
	p, err := jsonpath.NewPath(path, config.WithStrictRFC9535())
	if err != nil {
		return nil, wrong("%q is not a path of JSONPath (RFC 9535): %s", path, firstLine(err)).WithHint("a path starts with $, as $.room.name or $.findings[:]")
	}
	return func(row any) (out []any, err error) {
		defer func() {
			if p := recover(); p != nil {
				err = wrong("%s fails: %v", path, p)
			}
		}()
		c := &converter{of: map[*yaml.Node]any{}}
		for _, n := range p.Query(c.node(row)) {
			if v, known := c.of[n]; known {
				out = append(out, v)
			}
		}
		return out, nil
	}, nil
}

// follow walks plain steps. As the standard has it, a name selects in objects
// alone, an index or a slice in lists alone, and a wildcard in both.
func follow(v any, steps []Segment, out []any) []any {
	if len(steps) == 0 {
		return append(out, v)
	}
	s, rest := steps[0], steps[1:]
	switch v := v.(type) {
	case *value.JSONObject:
		switch s.Kind {
		case ByName:
			if m, has := v.Get(s.Name); has {
				return follow(m, rest, out)
			}
		case ToAll:
			for i, m := range v.Values {
				if slices.Index(v.Keys[i+1:], v.Keys[i]) < 0 { // the last of a name counts
					out = follow(m, rest, out)
				}
			}
		}
	case []value.JSONValue:
		switch s.Kind {
		case ByIndex:
			i := s.Index
			if i < 0 {
				i += len(v)
			}
			if i >= 0 && i < len(v) {
				return follow(v[i], rest, out)
			}
		case ToAll, ToElements:
			for _, m := range v {
				out = follow(m, rest, out)
			}
		}
	}
	return out
}

// inTheWay is a list that stands where the path of a cell goes on by a name. The
// path selects nothing there, but a value that is lost so has to be told.
type inTheWay struct{ list []value.JSONValue }

// tellingOfLists returns the selector of a cell's path, which gives a list that
// stands in the way of its names.
func tellingOfLists(path string, sel selector) selector {
	steps, ok := plainJSONPath(path)
	for _, s := range steps {
		ok = ok && s.Kind == ByName
	}
	if !ok {
		return sel
	}
	return func(row any) ([]any, error) {
		at := row
		for _, s := range steps {
			switch v := at.(type) {
			case *value.JSONObject:
				m, has := v.Get(s.Name)
				if !has {
					return nil, nil
				}
				at = m
			case []value.JSONValue:
				return []any{inTheWay{v}}, nil
			default:
				return nil, nil
			}
		}
		return []any{at}, nil
	}
}

// converter makes the tree that the library walks, and remembers what each of
// its nodes stands for.
type converter struct{ of map[*yaml.Node]any }

func (c *converter) node(v any) *yaml.Node {
	n := &yaml.Node{Kind: yaml.ScalarNode}
	c.of[n] = v
	switch v := v.(type) {
	case nil:
		n.Tag, n.Value = "!!null", "null"
	case bool:
		n.Tag, n.Value = "!!bool", map[bool]string{true: "true", false: "false"}[v]
	case string:
		n.Tag, n.Value = "!!str", v
	case json.Number:
		n.Tag, n.Value = numberTag(string(v)), string(v)
	case Leaf:
		n.Tag, n.Value = "!!str", v.Text
		if v.Kind.IsNumber() {
			n.Tag = numberTag(v.Text)
		}
	case []value.JSONValue:
		n.Kind, n.Tag = yaml.SequenceNode, "!!seq"
		for _, m := range v {
			n.Content = append(n.Content, c.node(m))
		}
	case *value.JSONObject:
		n.Kind, n.Tag = yaml.MappingNode, "!!map"
		for i, m := range v.Values {
			if slices.Index(v.Keys[i+1:], v.Keys[i]) >= 0 {
				continue
			}
			key := &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: v.Keys[i]}
			n.Content = append(n.Content, key, c.node(m))
		}
	}
	return n
}

func numberTag(s string) string {
	if _, err := value.ParseInteger([]byte(s), 64); err == nil {
		return "!!int"
	}
	return "!!float"
}
