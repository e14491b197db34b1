// Package bind gives names their meaning and expressions their types: it turns
// a syntax tree into a plan. Views that the query reads are bound in place.
//
//	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
package bind
