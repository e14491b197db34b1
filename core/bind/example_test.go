package bind_test

import (
	"fmt"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/syntax"
	"rovik/core/value"
)

func ExampleBind() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	const sql = "SELECT kind, count(*) FROM intake.object GROUP BY kind"
	tree, err := syntax.Parse(sql)
	if err != nil {
		panic(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
	if err != nil {
		panic(err)
	}
	for _, c := range q.Root.Columns() {
		fmt.Println(c.Name, c.Type)
	}
	// Output:
	// kind text
	// count bigint
}
