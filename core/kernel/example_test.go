package kernel_test

import (
	"fmt"

	"rovik/core/kernel"
	"rovik/core/value"
)

func ExampleCastValue() {
	v, err := kernel.CastValue(value.TextOf("2024-02-29"), value.Of(value.Date))
	if err != nil {
		panic(err)
	}
	fmt.Println(v)
	f, err := kernel.Resolve("+", []value.Kind{value.Int2, value.Int8})
	if err != nil {
		panic(err)
	}
	fmt.Println("smallint + bigint is", f.Result)
	// Output:
	// 2024-02-29
	// smallint + bigint is bigint
}
