package main

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rovik/app"
	"rovik/app/runs"
	"rovik/core/memory"
	"rovik/core/value"
)

// limits bound what the commands do.
var limits = app.Usual()

// planLimitFlag is the flag of a limit that every command has.
func planLimitFlag(cmd *cobra.Command) {
	cmd.PersistentFlags().DurationVar(&limits.Query.Planning, "plan-limit", limits.Query.Planning, "how long planning a query may take")
	cmd.PersistentFlags().Var(&memoryLimit, "memory", "how much memory the process may use, as 800M or 4G; 0 for no limit")
}

// heldFlags are the flags of limits of runs that the page starts.
func heldFlags(cmd *cobra.Command) {
	cmd.Flags().DurationVar(&limits.Runs.Time, "run-limit", limits.Runs.Time, "how long a run of the page may take, where it says nothing else")
	cmd.Flags().DurationVar(&limits.Runs.Kept, "keep-rows", limits.Runs.Kept, "how long the rows of a run are kept after somebody asked for them")
}

// memoryLimit is how many bytes the process may use.
var memoryLimit = size(usualMemory())

// size is a number of bytes as a flag.
type size int64

var units = []struct {
	name  string
	bytes int64
}{{"G", 1 << 30}, {"M", 1 << 20}, {"K", 1 << 10}}

func (s *size) String() string {
	for _, u := range units {
		if n := int64(*s); n >= u.bytes && n%u.bytes == 0 {
			return strconv.FormatInt(n/u.bytes, 10) + u.name
		}
	}
	return strconv.FormatInt(int64(*s)>>20, 10) + "M"
}

// Set reads a number with a unit.
func (s *size) Set(text string) error {
	number, unit := strings.ToUpper(strings.TrimSuffix(strings.TrimSuffix(text, "iB"), "B")), int64(1)
	for _, u := range units {
		if n, is := strings.CutSuffix(number, u.name); is {
			number, unit = n, u.bytes
			break
		}
	}
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || n < 0 || n > 1<<20*(1<<30)/unit {
		return fmt.Errorf("%q is no size; give one as 800M or 4G", text)
	}
	*s = size(n * unit)
	return nil
}

// Type names the kind of value in the help.
func (s *size) Type() string { return "size" }

// leastMemory is what the process needs to do anything.
const leastMemory = 128 << 20

func checkLimits() error {
	if memoryLimit != 0 && memoryLimit < leastMemory {
		return usageError{fmt.Errorf("--memory takes %s or more, or 0", memory.Size(leastMemory))}
	}
	memory.SetLimit(int64(memoryLimit))
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
