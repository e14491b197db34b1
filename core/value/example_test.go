package value_test

import (
	"fmt"

	"rovik/core/value"
)

func ExampleParse() {
	v, err := value.Parse(value.Numeric, "1.50")
	if err != nil {
		panic(err)
	}
	fmt.Println(v, v.Kind)
	_, err = value.Parse(value.Int2, "70000")
	fmt.Println(value.Code(err), err)
	// Output:
	// 1.50 numeric
	// 22003 value "70000" is out of range for type smallint
}
