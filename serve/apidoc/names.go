package main

import (
	"encoding"
	"fmt"
	"reflect"
	"strings"

	"rovik/serve/api"
)

// prefixes are put before the names of types that need their package to be understood.
var prefixes = map[string]string{
	"rovik/app/views": "View", "rovik/core/estate": "Lineage", "rovik/core/explain": "Report", "rovik/core/form": "Form",
	"rovik/core/lineage": "Lineage", "rovik/core/rename": "Rename", "rovik/core/shape": "Shape", "rovik/connect": "Source",
}

// namesOf names the schemas of all structs that the operations hold, each as its type.
func namesOf(operations []api.Operation) (map[reflect.Type]string, error) {
	found := map[reflect.Type]bool{}
	for _, o := range operations {
		for _, t := range []reflect.Type{o.Takes, o.Gives, reflect.TypeFor[api.Problem]()} {
			if t != nil {
				findStructs(t, found)
			}
		}
	}
	names, types := map[reflect.Type]string{}, map[string]reflect.Type{}
	for t := range found {
		name := t.Name()
		if prefix := prefixes[t.PkgPath()]; !strings.HasPrefix(name, prefix) {
			name = prefix + name
		}
		if other := types[name]; other != nil {
			return nil, fmt.Errorf("both %s and %s would be called %s in the API; give the packages prefixes", other, t, name)
		}
		names[t], types[name] = name, t
	}
	return names, nil
}

// findStructs adds the structs that a type holds.
func findStructs(t reflect.Type, found map[reflect.Type]bool) {
	t = formOf(t)
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Array, reflect.Map:
		findStructs(t.Elem(), found)
	case reflect.Struct:
		if found[t] || writesText(t) {
			return
		}
		found[t] = true
		for i := range t.NumField() {
			if f := t.Field(i); f.IsExported() && f.Tag.Get("json") != "-" {
				findStructs(f.Type, found)
			}
		}
	}
}

// formOf is the type whose form the JSON of a type has: that which is encoded already, or
// the type itself.
func formOf(t reflect.Type) reflect.Type {
	if e, ok := reflect.Zero(t).Interface().(interface{ Form() reflect.Type }); ok {
		return e.Form()
	}
	return t
}

// writesText reports whether the JSON of a type is a string that the type writes itself.
func writesText(t reflect.Type) bool { return t.Implements(reflect.TypeFor[encoding.TextMarshaler]()) }
