// Package syntax turns SQL text into a tree in which every node knows the span
// of text it came from. The grammar is PostgreSQL's own, read by pg_query; what
// Rovik does not execute yet becomes an error that names it and where it is.
//
//	tree, err := syntax.Parse("SELECT o.kind FROM registry.objects AS o")
package syntax
