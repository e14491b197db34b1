package main

import (
	"fmt"
	"net/http"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"rovik/serve/api"
)

// document makes the OpenAPI document of some operations: the schemas of their bodies are
// those of the Go types, with what the comments say.
func document(operations []api.Operation, said *comments) (*openapi3.T, error) {
	names, err := namesOf(operations)
	if err != nil {
		return nil, err
	}
	s := &schemas{said: said, made: openapi3.Schemas{}, names: names}
	doc := &openapi3.T{
		OpenAPI: "3.0.3",
		Info:    &openapi3.Info{Title: "Rovik", Version: "1", Description: "What the page asks of the server. Places in texts count bytes."},
		Paths:   openapi3.NewPaths(),
	}
	for _, o := range operations {
		address := "/api" + regexp.MustCompile(`:(\w+)`).ReplaceAllString(o.Path, "{$1}")
		item := doc.Paths.Value(address)
		if item == nil {
			item = &openapi3.PathItem{}
			doc.Paths.Set(address, item)
		}
		item.SetOperation(o.Method, s.operation(o))
	}
	doc.Components = &openapi3.Components{Schemas: s.made, SecuritySchemes: openapi3.SecuritySchemes{"token": {Value: openapi3.NewSecurityScheme().
		WithType("http").WithScheme("bearer").WithDescription("The token in the address that the server prints; the page keeps it as a cookie.")}}}
	doc.Security = openapi3.SecurityRequirements{{"token": {}}}
	return doc, nil
}

func (s *schemas) operation(o api.Operation) *openapi3.Operation {
	out := openapi3.NewOperation()
	out.Summary = o.Summary
	for _, name := range regexp.MustCompile(`:(\w+)`).FindAllStringSubmatch(o.Path, -1) {
		out.AddParameter(openapi3.NewPathParameter(name[1]).WithSchema(openapi3.NewStringSchema()))
	}
	for _, p := range o.Query {
		typ := &openapi3.Schema{Type: &openapi3.Types{p.Type}}
		for _, v := range p.Values {
			typ.Enum = append(typ.Enum, v)
		}
		out.AddParameter(openapi3.NewQueryParameter(p.Name).WithDescription(p.About).WithRequired(p.Required).WithSchema(typ))
	}
	if o.Takes != nil {
		out.RequestBody = &openapi3.RequestBodyRef{Value: openapi3.NewRequestBody().WithRequired(true).WithJSONSchemaRef(s.of(o.Takes))}
	}
	status, answer := http.StatusNoContent, openapi3.NewResponse().WithDescription("Done")
	if o.Gives != nil || o.Media != "" {
		status, answer = http.StatusOK, openapi3.NewResponse().WithDescription("The answer")
		media := openapi3.NewMediaType()
		if o.Gives != nil {
			media.Schema = s.of(o.Gives)
		}
		kind := o.Media
		if kind == "" {
			kind = "application/json"
		}
		answer.Content = openapi3.Content{kind: media}
	}
	out.AddResponse(status, answer)
	out.AddResponse(http.StatusUnprocessableEntity, openapi3.NewResponse().WithDescription("What is wrong").WithJSONSchemaRef(s.of(reflect.TypeFor[api.Problem]())))
	return out
}

// schemas makes the schemas of types; those of named structs are made once.
type schemas struct {
	said  *comments
	made  openapi3.Schemas
	names map[reflect.Type]string
}

// of returns the schema of a type, by its name where it is a named struct.
func (s *schemas) of(t reflect.Type) *openapi3.SchemaRef {
	t = formOf(t)
	if t == reflect.TypeFor[time.Time]() {
		return openapi3.NewDateTimeSchema().NewRef()
	}
	if writesText(t) {
		return openapi3.NewStringSchema().NewRef()
	}
	switch t.Kind() {
	case reflect.Pointer:
		return s.of(t.Elem())
	case reflect.Struct:
		return s.named(t)
	case reflect.Slice, reflect.Array:
		out := &openapi3.Schema{Type: &openapi3.Types{"array"}, Items: s.element(t.Elem())}
		if t.Kind() == reflect.Array {
			n := uint64(t.Len())
			out.MinItems, out.MaxItems = n, &n
		}
		return out.NewRef()
	case reflect.Map:
		out := openapi3.NewObjectSchema()
		out.AdditionalProperties = openapi3.AdditionalProperties{Schema: s.element(t.Elem())}
		return out.NewRef()
	case reflect.String:
		out := openapi3.NewStringSchema()
		for _, v := range s.said.constants[nameOf(t)] {
			out.Enum = append(out.Enum, v)
		}
		return out.NewRef()
	case reflect.Bool:
		return openapi3.NewBoolSchema().NewRef()
	case reflect.Float32, reflect.Float64:
		return openapi3.NewFloat64Schema().NewRef()
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return openapi3.NewIntegerSchema().NewRef()
	}
	panic(fmt.Sprintf("the API has no form for %s", t))
}

// orNull is the schema of a value that is null where it is a pointer to nothing.
func (s *schemas) orNull(t reflect.Type) *openapi3.SchemaRef {
	if t.Kind() != reflect.Pointer {
		return s.of(t)
	}
	return nullable(s.of(t))
}

// nullable is the schema of a value that may be null.
func nullable(ref *openapi3.SchemaRef) *openapi3.SchemaRef {
	if ref.Ref != "" {
		return (&openapi3.Schema{AllOf: openapi3.SchemaRefs{ref}, Nullable: true}).NewRef()
	}
	ref.Value.Nullable = true
	return ref
}

// element is the schema of what a list or map holds: pointers to structs point to one.
func (s *schemas) element(t reflect.Type) *openapi3.SchemaRef {
	if t.Kind() == reflect.Pointer && t.Elem().Kind() == reflect.Struct {
		return s.of(t)
	}
	return s.orNull(t)
}

// named returns a reference to the schema of a struct, which is made the first time.
func (s *schemas) named(t reflect.Type) *openapi3.SchemaRef {
	name := s.names[t]
	ref := openapi3.NewSchemaRef("#/components/schemas/"+name, nil)
	if _, made := s.made[name]; made {
		return ref
	}
	out := openapi3.NewObjectSchema()
	out.Description = s.said.types[nameOf(t)]
	s.made[name] = out.NewRef() // before its fields, which may hold it
	s.addFields(out, t)
	slices.Sort(out.Required)
	return ref
}

// addFields adds the fields of a struct, those of embedded structs too. A field is optional
// where the JSON leaves it out, and null where it is a pointer to nothing; a tag null:"never"
// or null:"maybe" says otherwise.
func (s *schemas) addFields(out *openapi3.Schema, t reflect.Type) {
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			s.addFields(out, f.Type)
			continue
		}
		name, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		if !f.IsExported() || name == "-" {
			continue
		}
		ref := s.of(f.Type)
		if enum, ok := f.Tag.Lookup("enum"); ok {
			for _, v := range strings.Split(enum, ",") {
				ref.Value.Enum = append(ref.Value.Enum, v)
			}
		}
		if text := s.said.fields[nameOf(t)+"."+f.Name]; text != "" && ref.Ref == "" {
			ref.Value.Description = text
		}
		optional := strings.Contains(options, "omitempty") || strings.Contains(options, "omitzero")
		if null := f.Tag.Get("null"); null == "maybe" || null == "" && !optional && f.Type.Kind() == reflect.Pointer {
			ref = nullable(ref)
		}
		out.WithPropertyRef(name, ref)
		if !optional {
			out.Required = append(out.Required, name)
		}
	}
}
