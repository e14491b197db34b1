// Package function is the catalogue of functions and operators, aggregates and window
// functions: what holds of each whatever its arguments are, and how it is written. Rules,
// dialects, binding and running ask here and nowhere else; tests of the kernel, which
// computes them, call every one with NULL in each place and with values at all ends, in
// any order and in parts, and compare.
//
//	f, known := function.Of("+")
//	if known && f.Strict { … }
package function
