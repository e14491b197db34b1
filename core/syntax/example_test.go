package syntax_test

import (
	"fmt"

	"rovik/core/syntax"
)

func ExampleParse() {
	tree, err := syntax.Parse("SELECT o.kind FROM registry.objects AS o")
	if err != nil {
		panic(err)
	}
	syntax.Walk(tree, func(n syntax.Node) bool {
		if t, is := n.(*syntax.TableName); is {
			fmt.Println(t.Parts, "is called", t.Alias, "at", t.Start)
		}
		return true
	})
	// Output:
	// [registry objects] is called o at 19
}
