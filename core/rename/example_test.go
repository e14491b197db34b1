package rename_test

import (
	"fmt"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/rename"
	"rovik/core/value"
)

func ExampleColumn() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	ctx := bind.Context{Catalog: c}
	p, err := rename.Column(ctx, estate.New(ctx, nil), "intake.object", "kind", "medium", false)
	if err != nil {
		panic(err)
	}
	for _, t := range p.Texts {
		fmt.Println(t.View, "becomes", t.Is)
	}
	// Output:
	// intake.object becomes SELECT o.id, upper(o.kind) AS medium FROM registry.objects AS o
}
