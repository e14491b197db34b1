package api

import "reflect"

// Operation is something that clients ask for: a method and a path, what they send and
// what they get. The OpenAPI document is made of the operations.
type Operation struct {
	Method, Path string // the path's parameters as in /views/:name
	Summary      string
	Query        []Parameter
	Takes        reflect.Type // the body that is sent; nil for none
	Gives        reflect.Type // the body of the answer; nil for none
	Media        string       // the type of the answer, where it is not JSON
}

// Parameter is one in the query of an address.
type Parameter struct {
	Name     string
	Type     string // string, integer or boolean
	About    string
	Values   []string // all that there are; nil for any
	Required bool
}

// Nothing is the body of a request, or of an answer, that has none.
type Nothing struct{}

// BodyOf returns the type of a body, nil for Nothing.
func BodyOf[T any]() reflect.Type {
	if t := reflect.TypeFor[T](); t != reflect.TypeFor[Nothing]() {
		return t
	}
	return nil
}

// Encoded is a T that is JSON already, as the records keep it.
type Encoded[T any] []byte

// MarshalJSON writes the JSON as it is.
func (e Encoded[T]) MarshalJSON() ([]byte, error) { return e, nil }

// Form returns the type that is encoded.
func (Encoded[T]) Form() reflect.Type { return reflect.TypeFor[T]() }
