package fold_test

import (
	"fmt"

	"rovik/core/syntax"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/value"
)

// reader is a source that only reads columns: all else is kept.
type reader struct{}

func (reader) Name() string { return "registry" }

func (reader) Value(plan.Expr) *fold.Reason {
	return &fold.Reason{Code: "no-equivalent", Text: "It only reads.", Remedy: "None."}
}

func (reader) Render(root plan.Node) (fold.Native, error) {
	return fold.Native{Language: "words", Text: "the rows of objects"}, nil
}

func ExampleCompile() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	const sql = "SELECT kind FROM registry.objects WHERE id > 3"
	tree, err := syntax.Parse(sql)
	if err != nil {
		panic(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
	if err != nil {
		panic(err)
	}
	compiled, err := fold.Compile(q, map[string]fold.Source{"registry": reader{}}, fold.Options{})
	if err != nil {
		panic(err)
	}
	for _, p := range compiled.Pieces {
		fmt.Println(p.Text, "is", p.Verdict+":", p.Reason.Text)
	}
	// Output:
	// id > 3 is kept: Checking it is Rovik's work: registry does not do it.
}
