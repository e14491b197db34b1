package plan

import (
	"context"
	"errors"
	"testing"
	"time"

	"rovik/core/value"
)

// Planning ends at its time, at its steps, at its memory and with its context, and not before.
func TestEffort(t *testing.T) {
	spend := func(e *Effort, steps int) (err error) {
		defer value.Catch(&err)
		for range steps {
			e.Spend(1)
		}
		return nil
	}
	if err := spend(nil, 100); err != nil {
		t.Error(err)
	}
	ctx, cancel := context.WithCancelCause(t.Context())
	if err := spend(NewEffort(ctx, time.Minute, nil), 100_000); err != nil {
		t.Error(err)
	}
	full := value.Errorf(value.CodeMemory, "full")
	taken := int64(0)
	for name, c := range map[string]struct {
		effort *Effort
		steps  int
		want   string
	}{
		"time":   {NewEffort(ctx, time.Nanosecond, nil), 1000, value.CodeCancelled},
		"steps":  {NewEffort(ctx, time.Minute, nil), MostSteps + 1000, value.CodeTooComplex},
		"memory": {NewEffort(ctx, time.Minute, func(n int64) error { taken += n; return map[bool]error{true: full}[taken > 1<<20] }), 100_000, value.CodeMemory},
	} {
		if err := spend(c.effort, c.steps); value.Code(err) != c.want {
			t.Errorf("%s: %v", name, err)
		}
	}
	worked := NewEffort(ctx, time.Minute, nil)
	work := func() (err error) {
		defer value.Catch(&err)
		for range 10 * workSteps {
			worked.Work(1)
		}
		return nil
	}
	if err := work(); err != nil {
		t.Error(err)
	}
	why := value.Errorf(value.CodeMemory, "why")
	cancel(why)
	for _, err := range []error{work(), spend(NewEffort(ctx, time.Minute, nil), 1000)} {
		if !errors.Is(err, why) {
			t.Errorf("after the end of its context: %v", err)
		}
	}
}
