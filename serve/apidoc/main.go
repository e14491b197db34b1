// Command apidoc makes serve/openapi.yaml, which describes the HTTP API, from the server's
// operations and the Go types of their bodies. Run it by make api.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"github.com/getkin/kin-openapi/openapi3"
	"gopkg.in/yaml.v3"

	"rovik/serve"
)

// The document's place below the module's root.
const place = "serve/openapi.yaml"

func main() {
	text, err := describe(".")
	if err == nil {
		err = os.WriteFile(place, text, 0o644)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// describe makes the document of the server whose code is below root.
func describe(root string) ([]byte, error) {
	said, err := readComments(root, "rovik", "core", "connect", "app", "serve")
	if err != nil {
		return nil, err
	}
	doc, err := document(serve.Operations(), said)
	if err != nil {
		return nil, err
	}
	asJSON, err := json.Marshal(doc)
	if err != nil {
		return nil, fmt.Errorf("writing the document: %w", err)
	}
	read, err := openapi3.NewLoader().LoadFromData(asJSON)
	if err == nil {
		err = read.Validate(context.Background())
	}
	if err != nil {
		return nil, fmt.Errorf("the document is not one of OpenAPI: %w", err)
	}
	var tree yaml.Node
	if err := yaml.Unmarshal(asJSON, &tree); err != nil {
		return nil, fmt.Errorf("writing %s as YAML: %w", filepath.Base(place), err)
	}
	plain(&tree)
	return yaml.Marshal(&tree)
}

// plain writes a tree in blocks, and in one line what holds nothing but words.
func plain(n *yaml.Node) {
	n.Style = 0
	if n.Kind == yaml.MappingNode || n.Kind == yaml.SequenceNode {
		n.Style = yaml.FlowStyle
	}
	for _, c := range n.Content {
		plain(c)
		if c.Kind != yaml.ScalarNode {
			n.Style = 0
		}
	}
}
