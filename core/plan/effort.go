package plan

import (
	"context"
	"errors"
	"time"

	"rovik/core/value"
)

// Effort bounds what planning a query takes: time, and steps, which count the parts of the
// plan that are made or looked at. The methods of nil do nothing. It is for one goroutine.
type Effort struct {
	ctx   context.Context
	limit time.Duration
	until time.Time
	steps int
	most  int
}

// MostSteps is how many steps planning a query takes at most. Each holds some memory, so
// that this bounds the memory, too.
const MostSteps = 5_000_000

// NewEffort bounds planning to a time, and to as long as ctx goes on.
func NewEffort(ctx context.Context, limit time.Duration) *Effort {
	return &Effort{ctx: ctx, limit: limit, until: time.Now().Add(limit), most: MostSteps}
}

// Spend counts steps. It panics with an *value.Error where they are too many, time is up or
// the context has ended; who plans catches it, by value.Catch.
func (e *Effort) Spend(steps int) {
	if e == nil {
		return
	}
	looked := e.steps >> 6
	if e.steps += steps; e.steps>>6 == looked {
		return
	}
	if e.steps > e.most {
		panic(value.Errorf(value.CodeTooComplex, "the query takes more than %d steps to plan", e.most).
			WithHint("it reads the same views or WITH queries many times: read fewer, or split it"))
	}
	switch err := e.ctx.Err(); {
	case time.Now().After(e.until) || errors.Is(err, context.DeadlineExceeded):
		panic(value.Errorf(value.CodeCancelled, "planning the query took longer than its limit of %s", e.limit).
			WithHint("make it smaller, or raise the limit with --plan-limit"))
	case err != nil:
		panic(value.Errorf(value.CodeCancelled, "planning the query was stopped"))
	}
}
