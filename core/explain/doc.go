// Package explain is the report of a query: its pieces with verdicts, its native
// statements and the operators above the waterline; and, once it runs, what each of them
// did. It says nothing that the plan does not: the same compiled query always gives the
// same report.
//
//	report := explain.Of(compiled, 0)
package explain
