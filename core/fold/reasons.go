package fold

// Codes are all reason codes, in the order in which docs/folding.md explains
// them. The list is closed: a reason has one of these.
func Codes() []string {
	return []string{
		"collation-differs", "function-differs", "cast-differs", "overflow-differs", "rounding-differs", "float-order", "row-order",
		"pattern-not-constant", "quirk-differs", "no-equivalent", "parts-skipped",
		"sources-differ", "keys-shipped", "finished-here", "repeated-here", "multiplies-rows", "null-supplied", "one-row", "recursion",
		"guarded", "input-kept", "no-source", "folding-off", "statement-too-large",
	}
}
