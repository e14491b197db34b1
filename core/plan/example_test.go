package plan_test

import (
	"fmt"

	"rovik/core/syntax"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/value"
)

func ExamplePrint() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	const sql = "SELECT id, kind FROM registry.objects WHERE kind = 'print'"
	tree, err := syntax.Parse(sql)
	if err != nil {
		panic(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
	if err != nil {
		panic(err)
	}
	fmt.Println(plan.Print(q.Root))
	fmt.Println(len(plan.Keys(q.Root)), "keys of the rows")
	// Output:
	// project id AS id#3, kind AS kind#4
	//   filter kind = 'print'
	//     scan registry.objects (id#1, kind#2)
	//
	// 1 keys of the rows
}
