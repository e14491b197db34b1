package exec

import (
	"context"
	"errors"

	"rovik/core/kernel"
	"rovik/core/memory"
)

// account is what one operator holds of its run's share. It is for the goroutine that asks
// the operator.
type account struct {
	share *memory.Share
	held  int64
}

// take counts n more bytes; what names them in the error past the limit.
func (a *account) take(n int64, what string) error {
	a.held += n
	return a.share.Take(n, what)
}

// room says whether n more bytes may be used for what is computed of a batch.
func (a *account) room(n int64, _ int) error { return a.share.Room(n, "functions") }

// crowded is how many bytes are computed of a batch at once where its rows can be taken in
// parts.
const crowded = 64 << 20

// parts is room for an operator that computes a batch in parts where that is asked.
func (a *account) parts(n int64, rows int) error {
	if n > crowded && rows > 1 {
		return kernel.ErrCrowded
	}
	return a.room(n, rows)
}

// inParts does something with a batch, or with the halves of it where it is too much.
func inParts(ctx context.Context, b kernel.Batch, do func(kernel.Batch) error) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	err := do(b)
	if !errors.Is(err, kernel.ErrCrowded) || b.Len < 2 {
		return err
	}
	if err := inParts(ctx, b.Slice(0, b.Len/2), do); err != nil {
		return err
	}
	return inParts(ctx, b.Slice(b.Len/2, b.Len), do)
}

// give returns n bytes that are let go.
func (a *account) give(n int64) {
	a.held -= n
	a.share.Give(n)
}

// free returns all that is held.
func (a *account) free() { a.give(a.held) }
