// Package value holds Rovik's types and scalar values, the rules for
// comparing and computing them, and how each type lies in Arrow arrays.
//
// The meaning is PostgreSQL's under the C collation: text compares by code
// point, NULLs sort last, integer overflow and division by zero are errors,
// numeric is exact to 38 digits, float NaN equals itself and sorts last.
//
//	v, err := value.Parse(value.Numeric, "1.50")
//	less := value.Compare(v, value.IntOf(value.Int4, 2)) < 0
package value
