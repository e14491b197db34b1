package catalog_test

import (
	"fmt"

	"rovik/core/catalog"
	"rovik/core/value"
)

func ExampleNew() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	fmt.Println(c.Table("registry.objects").FullName(), c.View("intake.object").SQL)
	fmt.Println(catalog.Nearest("registry.object", c.RelationNames()))
	// Output:
	// registry.objects SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o
	// registry.objects
}
