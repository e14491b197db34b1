package main

import (
	"context"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/runs"
	"rovik/core/value"
)

// limits bound what the commands do.
var limits = app.Usual()

// planLimitFlag is the flag of a limit that every command has.
func planLimitFlag(cmd *cobra.Command) {
	cmd.PersistentFlags().DurationVar(&limits.Query.Planning, "plan-limit", limits.Query.Planning, "how long planning a query may take")
}

// heldFlags are the flags of limits of runs that the page starts.
func heldFlags(cmd *cobra.Command) {
	cmd.Flags().DurationVar(&limits.Runs.Time, "run-limit", limits.Runs.Time, "how long a run of the page may take, where it says nothing else")
	cmd.Flags().DurationVar(&limits.Runs.Kept, "keep-rows", limits.Runs.Kept, "how long the rows of a run are kept after somebody asked for them")
}

func checkLimits() error {
	for _, l := range []struct {
		flag string
		is   time.Duration
	}{{"plan-limit", limits.Query.Planning}, {"run-limit", limits.Runs.Time}, {"keep-rows", limits.Runs.Kept}} {
		if l.is < time.Second || l.is > runs.MostTime {
			return usageError{fmt.Errorf("--%s takes from 1s to %s, not %s", l.flag, runs.MostTime, l.is)}
		}
	}
	return nil
}

// timeLimit is the flag for how long a run of the command line may take.
func timeLimit(cmd *cobra.Command) *time.Duration {
	return cmd.Flags().Duration("time-limit", 0, "how long the run may take; 0 for as long as it needs")
}

// within returns a context that ends a run once it took too long.
func within(ctx context.Context, limit time.Duration) (context.Context, context.CancelFunc, error) {
	switch {
	case limit < 0:
		return nil, nil, usageError{fmt.Errorf("--time-limit takes a time, or 0, not %s", limit)}
	case limit == 0:
		return ctx, func() {}, nil
	}
	ctx, cancel := context.WithTimeoutCause(ctx, limit, value.Errorf(value.CodeCancelled, "the run reached its time limit of %s", limit).WithHint("narrow the query, or raise --time-limit"))
	return ctx, cancel, nil
}
