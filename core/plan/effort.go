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
	steps int // of Spend
	most  int
	take  func(bytes int64) error
	work  int // of Work, since it looked
}

// MostSteps is how many steps planning a query takes at most. Each holds some memory, so
// that this bounds the memory, too.
const MostSteps = 2_000_000

// stepBytes is how much memory a step holds, about.
const stepBytes = 256

// NewEffort bounds planning to a time, and to as long as ctx goes on. take is told of the
// memory that is held, and may refuse; it may be nil.
func NewEffort(ctx context.Context, limit time.Duration, take func(bytes int64) error) *Effort {
	return &Effort{ctx: ctx, limit: limit, until: time.Now().Add(limit), most: MostSteps, take: take}
}

// Work says that so many steps are done that hold no memory: it looks at the time alone.
func (e *Effort) Work(steps int) {
	if e == nil {
		return
	}
	e.work += steps
	if e.work >= workSteps {
		e.work = 0
		e.look()
	}
}

// workSteps is after how many steps Work looks at the time.
const workSteps = 1000

// lookEvery is after how many steps Spend looks at the time.
const lookEvery = 64

// Spend counts steps. It panics with an *value.Error where they are too many, time is up or
// the context has ended; who plans catches it, by value.Catch.
func (e *Effort) Spend(steps int) {
	if e == nil {
		return
	}
	looked := e.steps / lookEvery
	e.steps += steps
	grown := e.steps/lookEvery - looked
	if grown == 0 {
		return
	}
	if e.take != nil {
		if err := e.take(int64(grown) * lookEvery * stepBytes); err != nil {
			panic(err)
		}
	}
	if e.steps > e.most {
		panic(value.Errorf(value.CodeTooComplex, "the query takes more than %d steps to plan", e.most).
			WithHint("it reads the same views or WITH queries many times: read fewer, or split it"))
	}
	e.look()
}

// look panics where the time is up or the context has ended.
func (e *Effort) look() {
	switch err := e.ctx.Err(); {
	case time.Now().After(e.until) || errors.Is(err, context.DeadlineExceeded):
		panic(value.Errorf(value.CodeCancelled, "planning the query took longer than its limit of %s", e.limit).
			WithHint("make it smaller, or raise the limit with --plan-limit"))
	case err != nil:
		var why *value.Error
		if errors.As(context.Cause(e.ctx), &why) {
			panic(why)
		}
		panic(value.Errorf(value.CodeCancelled, "planning the query was stopped"))
	}
}
