package views

import (
	"bytes"
	"encoding"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"gopkg.in/yaml.v3"

	"rovik/core/catalog"
)

// A yamlError is a mistake in a file of a project, with its place.
type yamlError struct {
	Line, Column int // from 1; 0 where it is of the whole
	Message      string
	Hint         string
}

func (e *yamlError) Error() string { return e.Message }

// toYAML writes what JSON would say, with its keys sorted.
func toYAML(v any) ([]byte, error) {
	b, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	var plain any
	if err := json.Unmarshal(b, &plain); err != nil {
		return nil, err
	}
	return yaml.Marshal(plain)
}

// fromYAML reads what toYAML wrote into the struct that v points to. Errors are
// *yamlError: for what is no YAML, keys that v does not know, and values of other kinds.
func fromYAML(b []byte, v any) error {
	var doc yaml.Node
	if err := yaml.Unmarshal(b, &doc); err != nil {
		return yamlSyntax(err)
	}
	if len(doc.Content) == 0 {
		return &yamlError{Message: "the file is empty"}
	}
	if err := checkNode(doc.Content[0], reflect.TypeOf(v).Elem(), ""); err != nil {
		return err
	}
	var plain any
	if err := doc.Decode(&plain); err != nil {
		return yamlSyntax(err)
	}
	j, err := json.Marshal(plain)
	if err != nil {
		return &yamlError{Message: "a key is not a string"}
	}
	if err := json.Unmarshal(j, v); err != nil {
		return &yamlError{Message: err.Error()}
	}
	return nil
}

var yamlLine = regexp.MustCompile(`^(?:yaml: )?(?:unmarshal errors:\n\s*)?line (\d+): (.*)`)

// yamlSyntax takes the place out of an error of the YAML reader.
func yamlSyntax(err error) error {
	if m := yamlLine.FindStringSubmatch(err.Error()); m != nil {
		line, _ := strconv.Atoi(m[1])
		return &yamlError{Line: line, Column: 1, Message: "this is not YAML: " + m[2]}
	}
	return &yamlError{Message: "this is not YAML: " + strings.TrimPrefix(err.Error(), "yaml: ")}
}

// ownForm reports whether a type reads its own form.
func ownForm(t reflect.Type) bool {
	p := reflect.PointerTo(t)
	return p.Implements(reflect.TypeFor[json.Unmarshaler]()) || p.Implements(reflect.TypeFor[encoding.TextUnmarshaler]())
}

// checkNode holds a node to the Go type that it is read into. path names the node.
func checkNode(n *yaml.Node, t reflect.Type, path string) error {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if n.Kind == yaml.AliasNode {
		n = n.Alias
	}
	if n.Tag == "!!null" || t.Kind() == reflect.Interface || ownForm(t) {
		return nil
	}
	wrong := func(want string) error {
		what := "the file"
		if path != "" {
			what = path
		}
		return &yamlError{Line: n.Line, Column: n.Column, Message: fmt.Sprintf("%s should be %s", what, want)}
	}
	below := func(key string) string { return strings.TrimPrefix(path+"."+key, ".") }
	switch t.Kind() {
	case reflect.Struct, reflect.Map:
		if n.Kind != yaml.MappingNode {
			return wrong("keys with values")
		}
		for i := 0; i+1 < len(n.Content); i += 2 {
			key, value := n.Content[i], n.Content[i+1]
			of, err := fieldOf(t, key)
			if err == nil {
				err = checkNode(value, of, below(key.Value))
			}
			if err != nil {
				return err
			}
		}
	case reflect.Slice:
		if n.Kind != yaml.SequenceNode {
			return wrong("a list")
		}
		for i, item := range n.Content {
			if err := checkNode(item, t.Elem(), fmt.Sprintf("%s[%d]", path, i)); err != nil {
				return err
			}
		}
	case reflect.String:
		if n.Kind != yaml.ScalarNode || n.Tag != "!!str" {
			return wrong("text; numbers, dates and true or false are text in quotes")
		}
	case reflect.Bool:
		if n.Tag != "!!bool" {
			return wrong("true or false")
		}
	case reflect.Int, reflect.Int64:
		if n.Tag != "!!int" {
			return wrong("a whole number")
		}
	}
	return nil
}

// fieldOf returns the type of what stands under a key.
func fieldOf(t reflect.Type, key *yaml.Node) (reflect.Type, error) {
	if t.Kind() == reflect.Map {
		return t.Elem(), nil
	}
	var names []string
	for _, f := range reflect.VisibleFields(t) {
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case name == "-" || !f.IsExported() || f.Anonymous && name == "":
			continue
		case name == "":
			name = f.Name
		}
		if name == key.Value {
			return f.Type, nil
		}
		names = append(names, name)
	}
	slices.Sort(names)
	err := &yamlError{Line: key.Line, Column: key.Column, Message: fmt.Sprintf("there is no key %q here", key.Value), Hint: "there is " + strings.Join(names, ", ")}
	if near := catalog.Nearest(key.Value, names); near != "" {
		err.Hint = "did you mean " + near + "?"
	}
	return nil, err
}

// yamlBreach is a mistake in a file as a breach.
func yamlBreach(path string, err error) Breach {
	var ye *yamlError
	if errors.As(err, &ye) {
		return Breach{path, ye.Line, ye.Column, ye.Message, ye.Hint}
	}
	return Breach{Path: path, Message: err.Error()}
}

// withoutMark takes off the mark of UTF-8 that some editors write at the beginning.
func withoutMark(b []byte) []byte { return bytes.TrimPrefix(b, []byte("\ufeff")) }
