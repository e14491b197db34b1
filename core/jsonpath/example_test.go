package jsonpath_test

import (
	"fmt"

	"rovik/core/jsonpath"
	"rovik/core/value"
)

func ExampleParse() {
	path, _ := jsonpath.Parse("$.objects[*] ? (@.year < 1900).title")
	document, _ := value.DecodeJSON(`{"objects": [{"title": "Harbour at dusk", "year": 1887}, {"title": "Blue kiln", "year": 1961}]}`)
	items, _ := path.Query(document, jsonpath.Options{})
	fmt.Println(path)
	fmt.Println(items)
	// Output:
	// $."objects"[*]?(@."year" < 1900)."title"
	// [Harbour at dusk]
}
