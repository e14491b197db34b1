package lineage_test

import (
	"fmt"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/lineage"
	"rovik/core/syntax"
	"rovik/core/value"
)

func ExampleOf() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	const sql = "SELECT o.id, upper(o.kind) AS k FROM registry.objects AS o WHERE o.kind IS NOT NULL"
	tree, err := syntax.Parse(sql)
	if err != nil {
		panic(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
	if err != nil {
		panic(err)
	}
	text := lineage.Of(q.Root)
	for _, c := range text.Columns {
		for _, u := range c.Carries {
			fmt.Println(c.Name, "is", u.Table, u.Column, u.Via)
		}
	}
	// Output:
	// id is registry.objects id unchanged
	// k is registry.objects kind transformed
}
