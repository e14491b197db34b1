package regex_test

import (
	"fmt"

	"rovik/core/regex"
)

func ExampleCompile() {
	r, err := regex.Compile(`^(loan|gift) (?=\d)`, "i")
	if err != nil {
		panic(err)
	}
	for _, text := range []string{"Loan 12", "loan of 12"} {
		is, err := r.Match(text)
		fmt.Println(text, is, err)
	}
	// Output:
	// Loan 12 true <nil>
	// loan of 12 false <nil>
}
