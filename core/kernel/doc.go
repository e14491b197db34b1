// Package kernel evaluates typed expressions over Arrow arrays, a batch at a
// time, with PostgreSQL's meaning. It is also the one list of the functions
// and operators that exist: binding resolves names against it.
//
//	p, err := kernel.Compile(expr, layout)
//	column, err := p.Eval(batch)
package kernel
