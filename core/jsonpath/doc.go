// Package jsonpath reads and runs the paths of SQL/JSON as PostgreSQL has them: steps into a
// document, filters, arithmetic and methods, in lax or strict mode.
//
//	path, err := jsonpath.Parse("$.objects[*] ? (@.year < 1900).title")
//	items, err := path.Query(document, jsonpath.Options{})
//
// The rules are those of PostgreSQL's own execution, with its errors.
package jsonpath
