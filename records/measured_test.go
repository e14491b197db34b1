package records

import (
	"context"
	"fmt"
	"testing"
)

// The last count of a signature counts, and old ones make room.
func TestMeasuredCounts(t *testing.T) {
	ctx := context.Background()
	s, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for i := range int64(3) {
		if err := s.PutMeasured(ctx, "a.t WHERE n = 1", 10+i); err != nil {
			t.Fatal(err)
		}
	}
	for i := range 5 {
		if err := s.PutMeasured(ctx, fmt.Sprint("b", i), int64(i)); err != nil {
			t.Fatal(err)
		}
	}
	got, err := s.Measured(ctx)
	if err != nil || len(got) != 6 || got["a.t WHERE n = 1"] != 12 || got["b4"] != 4 {
		t.Errorf("kept %v, %v", got, err)
	}
}
