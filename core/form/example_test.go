package form_test

import (
	"fmt"

	"rovik/core/form"
)

func ExampleApply() {
	sql, err := form.Apply("SELECT o.id FROM registry.objects AS o -- all of them", form.Edit{Do: "add filter", Text: "o.kind = 'print'"})
	if err != nil {
		panic(err)
	}
	fmt.Println(sql)
	// Output:
	// SELECT o.id FROM registry.objects AS o -- all of them
	// WHERE o.kind = 'print'
}
