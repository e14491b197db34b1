package exec

import (
	"sync/atomic"

	"rovik/core/value"
)

// budget counts the memory that the operators of a run hold.
type budget struct {
	limit int64
	used  atomic.Int64
}

// account is what one operator holds of a budget. It is for the goroutine that asks the
// operator.
type account struct {
	budget *budget
	held   int64
}

// take counts n more bytes; what names them in the error past the limit.
func (a *account) take(n int64, what string) error {
	a.held += n
	if a.budget.used.Add(n) > a.budget.limit {
		return value.Errorf(value.CodeMemory, "the run's %s needs more than its %d MiB of memory", what, a.budget.limit>>20).
			WithHint("filter earlier, or take fewer columns")
	}
	return nil
}

// give returns n bytes that are let go.
func (a *account) give(n int64) {
	a.held -= n
	a.budget.used.Add(-n)
}

// free returns all that is held.
func (a *account) free() { a.give(a.held) }
