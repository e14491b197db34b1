package rewrite_test

import (
	"fmt"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/rewrite"
	"rovik/core/syntax"
	"rovik/core/value"
)

func ExampleApply() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	const sql = "SELECT id FROM intake.object WHERE kind = 'PRINT' AND 1 = 1"
	tree, err := syntax.Parse(sql)
	if err != nil {
		panic(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
	if err != nil {
		panic(err)
	}
	_, err = rewrite.Apply(q, func(s rewrite.Step) { fmt.Println(s.Rule) })
	if err != nil {
		panic(err)
	}
	// Output:
	// fold constants
	// prune columns
	// lift projections
	// push filters
	// prune columns
}
