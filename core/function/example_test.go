package function_test

import (
	"fmt"

	"rovik/core/function"
)

func ExampleOf() {
	plus, _ := function.Of("+")
	fmt.Println("+ gives NULL for NULL:", plus.Strict, "and may fail:", !plus.Total)
	count, _ := function.AggregateOf("count")
	fmt.Println("counts of parts are put together by", count.Combine)
	// Output:
	// + gives NULL for NULL: true and may fail: true
	// counts of parts are put together by sum
}
