package memory

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"rovik/core/value"
)

// within sets the limit for a test.
func within(t *testing.T, bytes int64) {
	t.Helper()
	SetLimit(bytes)
	t.Cleanup(func() { SetLimit(0) })
}

// A share says no past its own part, and past what the process may use.
func TestShares(t *testing.T) {
	s := NewShare(t.Context(), "run", 10<<20, nil)
	defer s.Close()
	if err := s.Take(6<<20, "sort"); err != nil {
		t.Fatal(err)
	}
	if err := s.Room(4<<20, "sort"); err != nil || s.Used() != 6<<20 {
		t.Errorf("room for what is left: %v, %d used", err, s.Used())
	}
	for name, err := range map[string]error{"room": s.Room(5<<20, "sort"), "taking": s.Take(5<<20, "sort")} {
		if value.Code(err) != value.CodeMemory || !strings.Contains(err.Error(), "the run needs more than its 10 MiB of memory for its sort") {
			t.Errorf("%s past the share: %v", name, err)
		}
	}
	s.Give(11 << 20)
	if err := s.Take(1, "sort"); err != nil {
		t.Error(err)
	}
	within(t, InUse()+40<<20)
	if err := Room(1 << 40); value.Code(err) != value.CodeMemory || !strings.Contains(err.Error(), "raise --memory") {
		t.Errorf("room past the limit: %v", err)
	}
	if err := Room(1000); err != nil {
		t.Errorf("room for little: %v", err)
	}
	func() {
		var err error
		defer func() {
			if value.Code(err) != value.CodeMemory {
				t.Errorf("a large array: %v", err)
			}
		}()
		defer value.Guard(&err)
		value.Memory.Allocate(1 << 40)
	}()
	if l := NewShare(t.Context(), "run", 0, nil); l.most > Limit()/2 {
		t.Errorf("the usual share is %s of %s", Size(l.most), Size(Limit()))
	} else {
		l.Close()
	}
}

// What works on something large notices that it was ended.
func TestWorking(t *testing.T) {
	ctx, cancel := context.WithCancelCause(t.Context())
	s := NewShare(ctx, "run", 0, cancel)
	defer s.Close()
	why := value.Errorf(value.CodeCancelled, "why")
	work := func() error {
		return value.Guarded(func() error {
			working := s.Working()
			for range 1 << 20 {
				working()
			}
			return nil
		})
	}
	if err := work(); err != nil {
		t.Error(err)
	}
	cancel(why)
	for _, err := range []error{work(), s.Room(1, "sort")} {
		if !errors.Is(err, why) {
			t.Errorf("after the end: %v", err)
		}
	}
}

// The process is watched: what grows without asking ends the work that holds most.
func TestTheWatcherEndsTheLargest(t *testing.T) {
	ended := make(chan error, 2)
	small := NewShare(t.Context(), "run", 1<<30, func(error) { ended <- errors.New("the small one") })
	large := NewShare(t.Context(), "run", 1<<30, func(err error) { ended <- err })
	defer small.Close()
	defer large.Close()
	for s, bytes := range map[*Share]int64{small: 1 << 10, large: 1 << 20} {
		if err := s.Take(bytes, "rows"); err != nil {
			t.Fatal(err)
		}
	}
	within(t, InUse()+64<<20)
	var held [][]byte
	defer func() { held = nil }()
	until := time.After(20 * time.Second)
	for {
		select {
		case err := <-ended:
			if value.Code(err) != value.CodeMemory {
				t.Errorf("ended with %v", err)
			}
			return
		case <-until:
			t.Fatal("nothing was ended")
		default:
			if len(held) < 128 {
				held = append(held, make([]byte, 1<<20))
			}
			time.Sleep(time.Millisecond)
		}
	}
}
