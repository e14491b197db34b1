// Package lineage answers which columns each output column of a query carries
// the values of, and which ones influence it: of one text, and through views to
// the sources and back.
//
//	text := lineage.Of(q.Root)
//	for _, use := range text.Columns[0].Carries { … }
package lineage
