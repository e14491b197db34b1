// Package rewrite changes plans into equal ones of which more can fold. Each
// rule is a pure function in a file of its own.
//
//	q, err = rewrite.Apply(q, nil)
package rewrite
