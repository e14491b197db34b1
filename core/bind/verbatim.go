package bind

import (
	"errors"

	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// VerbatimName is the function in FROM that reads the rows of a statement in a
// source's own language: verbatim('lending', $$ SELECT … $$).
const VerbatimName = "verbatim"

// verbatimCall returns the call where an item of FROM is one of verbatim.
func verbatimCall(t *syntax.TableFunc) (*syntax.Func, bool) {
	call, isCall := t.Funcs[0].(*syntax.Func)
	return call, isCall && len(t.Funcs) == 1 && call.Name == VerbatimName
}

// verbatim binds a statement that its source describes: a table as any other.
func (b *binder) verbatim(t *syntax.TableFunc, call *syntax.Func, s *scope) plan.Node {
	var texts []string
	for _, a := range call.Args {
		lit, isText := a.(*syntax.Literal)
		if !isText || lit.Kind != syntax.LiteralText {
			b.fail(a.At(), value.Errorf(value.CodeUnsupported, "verbatim takes the name of a source and a statement, both as they stand").
				WithHint("write verbatim('source', $$ statement $$)"))
		}
		texts = append(texts, lit.Text)
	}
	if len(texts) != 2 || t.Ordinality {
		b.fail(call.At(), value.Errorf(value.CodeUndefinedFunc, "verbatim takes the name of a source and a statement").
			WithHint("write verbatim('source', $$ statement $$)"))
	}
	at := call.Args[1].At()
	if b.ctx.Catalog.Source(texts[0]) == nil {
		var names []string
		for _, src := range b.ctx.Catalog.Sources() {
			names = append(names, src.Name)
		}
		err := value.Errorf(value.CodeSource, "no source is called %q", texts[0])
		if near := catalog.Nearest(texts[0], names); near != "" {
			err = err.WithHint("did you mean %s?", near)
		}
		b.fail(call.Args[0].At(), err)
	}
	if b.ctx.Describe == nil {
		b.fail(at, value.Errorf(value.CodeUnsupported, "statements of sources cannot be described here"))
	}
	table, err := b.ctx.Describe(texts[0], texts[1])
	if err != nil {
		var ve *value.Error
		if !errors.As(err, &ve) {
			ve = value.Errorf(value.CodeSource, "%s", err)
		}
		b.fail(at, ve)
	}
	node := b.scan(table, t.Span)
	name := t.Alias
	if name == "" {
		name = VerbatimName
	}
	b.addRelation(s, relation{name: name, cols: node.Columns()}, t.Columns, t.Span)
	return node
}
