package main

import (
	"bytes"
	"os"
	"reflect"
	"strings"
	"testing"
	"time"

	"rovik/serve/api"
)

// The document in the tree is the one that the server's operations give.
func TestTheDocumentIsCurrent(t *testing.T) {
	const root = "../.."
	want, err := describe(root)
	if err != nil {
		t.Fatal(err)
	}
	have, err := os.ReadFile(root + "/" + place)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(have, want) {
		t.Errorf("%s is not what the server's operations give; run make api", place)
	}
}

// mood has all values of its constants.
type mood string

const (
	calm mood = "calm"
	wild mood = "wild"
)

// base is held by another.
type base struct {
	ID int `json:"id"` // its number
}

// whole has a field of every form.
type whole struct {
	base
	Name     string            `json:"name"`
	Mood     mood              `json:"mood"`
	Left     *string           `json:"left"`
	Maybe    *base             `json:"maybe"`
	Never    *base             `json:"never" null:"never"`
	Gone     string            `json:"gone,omitempty"`
	Others   []*whole          `json:"others"`
	Rows     [][]*string       `json:"rows"`
	Pair     [2]int            `json:"pair"`
	By       map[string]*base  `json:"by"`
	At       time.Time         `json:"at"`
	Side     string            `json:"side" enum:"left,right"`
	Kept     api.Encoded[base] `json:"kept"`
	Floats   float64           `json:"floats"`
	Hidden   string            `json:"-"`
	internal bool
}

// Types of every form become schemas that say what their JSON is.
func TestTypesBecomeSchemas(t *testing.T) {
	said, err := readComments(".", "rovik/serve/apidoc", ".")
	if err != nil {
		t.Fatal(err)
	}
	said.constants["rovik/serve/apidoc.mood"] = []string{string(calm), string(wild)} // tests are not read
	_ = whole{internal: true}
	doc, err := document([]api.Operation{{Method: "POST", Path: "/wholes/:name", Summary: "Make one", Takes: reflect.TypeFor[whole](), Gives: reflect.TypeFor[[]base](),
		Query: []api.Parameter{{Name: "force", Type: "boolean", Required: true}}}}, said)
	if err != nil {
		t.Fatal(err)
	}
	text := func(name, field string) string {
		b, err := doc.Components.Schemas[name].Value.Properties[field].MarshalJSON()
		if err != nil {
			t.Fatal(err)
		}
		return string(b)
	}
	for field, want := range map[string]string{
		"id":     `{"type":"integer"}`,
		"name":   `{"type":"string"}`,
		"mood":   `{"enum":["calm","wild"],"type":"string"}`,
		"left":   `{"nullable":true,"type":"string"}`,
		"maybe":  `{"allOf":[{"$ref":"#/components/schemas/base"}],"nullable":true}`,
		"never":  `{"$ref":"#/components/schemas/base"}`,
		"others": `{"items":{"$ref":"#/components/schemas/whole"},"type":"array"}`,
		"rows":   `{"items":{"items":{"nullable":true,"type":"string"},"type":"array"},"type":"array"}`,
		"pair":   `{"items":{"type":"integer"},"maxItems":2,"minItems":2,"type":"array"}`,
		"by":     `{"additionalProperties":{"$ref":"#/components/schemas/base"},"type":"object"}`,
		"at":     `{"format":"date-time","type":"string"}`,
		"side":   `{"enum":["left","right"],"type":"string"}`,
		"kept":   `{"$ref":"#/components/schemas/base"}`,
		"floats": `{"type":"number"}`,
	} {
		if got := text("whole", field); got != want {
			t.Errorf("%s is %s, want %s", field, got, want)
		}
	}
	s := doc.Components.Schemas["whole"].Value
	if got := strings.Join(s.Required, " "); got != "at by floats id kept left maybe mood name never others pair rows side" {
		t.Errorf("required are %s", got)
	}
	if len(s.Properties) != 15 {
		t.Errorf("there are %d properties", len(s.Properties))
	}
	post := doc.Paths.Value("/api/wholes/{name}").Post
	if p := post.Parameters.GetByInAndName("query", "force"); p == nil || !p.Required || post.Parameters.GetByInAndName("path", "name") == nil {
		t.Errorf("the parameters are %v", post.Parameters)
	}
	if post.Responses.Value("200") == nil || post.Responses.Value("422") == nil {
		t.Errorf("the answers are %v", post.Responses)
	}
}

// Two types of one name are refused: a client could not say which is meant.
func TestTypesOfOneName(t *testing.T) {
	type Problem struct{}
	_, err := namesOf([]api.Operation{{Takes: reflect.TypeFor[Problem]()}})
	if err == nil || !strings.Contains(err.Error(), "would be called Problem") {
		t.Errorf("the error is %v", err)
	}
}
