// Package rename works out what a new name means for all texts that use the old
// one: of a column, of a view, of a layer. It follows what names are bound to,
// never their letters, and what comes out is checked: every text gives what it
// gave before.
//
//	p, err := rename.Column(ctx, e, "intake.object", "kind", "medium", true)
//	for _, t := range p.Texts { … t.Was, t.Is … }
package rename
