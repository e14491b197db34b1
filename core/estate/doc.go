// Package estate knows all views of a catalogue at once: their columns, what
// they read, which are broken, and how columns reach each other through them.
// Every view is bound by itself, over the columns of the views that it reads, so
// that a thousand views on top of each other cost no more than side by side.
//
//	e := estate.New(bind.Context{Catalog: c}, before)
//	broken, readers := e.Broken(), e.Downstream("registry.objects")
package estate
