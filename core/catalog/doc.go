// Package catalog describes what a query can name: sources with their tables,
// columns, keys, statistics and quirks, and layers with their views. It is
// plain data with lookups; a Catalog is a snapshot and does not change.
//
//	c := catalog.New(sources, layers, views)
//	next := c.With(catalog.Delta{Views: []*catalog.View{v}})
package catalog
