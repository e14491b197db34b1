// Package form is the Builder's side of a query: the same text as a structured
// form, in which every part knows its place. The text stays the one truth: an
// edit of the form changes the text there and nowhere else, and the form is read
// from the new text. What has no part in the form is locked: shown as it
// stands, with the reason, and never lost.
//
//	f, err := form.Of(sql)
//	sql, err = form.Apply(sql, form.Edit{Do: "add filter", Text: "o.kind = 'print'"})
package form
