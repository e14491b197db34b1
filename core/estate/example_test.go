package estate_test

import (
	"fmt"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/value"
)

func ExampleNew() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	e := estate.New(bind.Context{Catalog: c}, nil)
	fmt.Println(e.Readers("registry.objects"), e.View("intake.object").Table.Columns[1].Name)
	carries, _ := e.Sources(estate.Node{Relation: "intake.object", Column: "kind"})
	fmt.Println(carries)
	// Output:
	// [intake.object] kind
	// [{registry.objects kind transformed}]
}
