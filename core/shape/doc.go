// Package shape turns nested records into flat rows. A shape says where the
// rows are and which path leads to each column; paths are written in an open
// standard, JSONPath (RFC 9535) for JSON and documents, XPath 1.0 for XML.
//
//	flats, err := s.Flats() // one for each table
//	f, err := flats[0].Compile([]int{0, 1}) // of the columns that are wanted
package shape
