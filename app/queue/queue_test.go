package queue

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
)

// going reports whether it is a run's turn.
func going(t *Turn) bool { return t.Place() == nil }

func join(t *testing.T, q *Queue, l Lane, session string, rows float64) *Turn {
	t.Helper()
	turn, err := q.Join(l, session, rows)
	if err != nil {
		t.Fatal(err)
	}
	return turn
}

// Turns go by session, then by size, then by age; who has waited long goes first.
func TestTurns(t *testing.T) {
	q := New([lanes]int{Large: 1, Small: 1, Preview: 1})
	first := join(t, q, Large, "a", 1e6)
	turns := map[string]*Turn{
		"a, small":    join(t, q, Large, "a", 1e5),
		"b, large":    join(t, q, Large, "b", 1e8),
		"b, middling": join(t, q, Large, "b", 2e6),
		"c, middling": join(t, q, Large, "c", 9e6), // as large as b's, and younger
	}
	old := join(t, q, Large, "a", 1e9)
	old.since = old.since.Add(-2 * patience)
	turns["a, old"] = old
	if p := turns["b, large"].Place(); p.Before != 3 || !strings.Contains(p.For, "among the 1 large runs") {
		t.Errorf("b's large run stands at %+v", p)
	}
	var order []string
	now := first
	for len(turns) > 0 {
		now.Leave()
		now.Leave() // which does nothing
		for name, turn := range turns {
			if going(turn) {
				order = append(order, name)
				now = turn
				delete(turns, name)
			}
		}
		if len(order) > 6 {
			t.Fatal("no end")
		}
	}
	// With room for one, no session has a run that goes on when the next turn is given.
	want := []string{"a, old", "a, small", "b, middling", "c, middling", "b, large"}
	if !slices.Equal(order, want) {
		t.Errorf("the turns are %q, want %q", order, want)
	}
}

// Sessions share the room of a lane, whoever asked for more.
func TestSessionsShareALane(t *testing.T) {
	q := New([lanes]int{Large: 2, Small: 1, Preview: 1})
	var many []*Turn
	for range 10 {
		many = append(many, join(t, q, Large, "many", 1e6))
	}
	one := join(t, q, Large, "one", 1e9)
	many[0].Leave()
	if !going(one) || going(many[2]) {
		t.Error("the session with many runs goes before the other one")
	}
}

// Lanes do not hold each other up; a run that does not want to wait any more leaves no
// trace.
func TestLanesAndLeaving(t *testing.T) {
	q := New([lanes]int{Large: 1, Small: 1, Preview: 1})
	turns := []*Turn{join(t, q, Large, "", 1e9), join(t, q, Small, "", 1)}
	ctx, cancel := context.WithCancelCause(t.Context())
	preview, err := q.Enter(Previewing(ctx), 1e9)
	if err != nil || preview.Large() {
		t.Fatal(err)
	}
	for _, turn := range append(turns, preview) {
		if !going(turn) {
			t.Error("a lane is held up")
		}
	}
	why := errors.New("why")
	ended := make(chan error)
	go func() {
		_, err := q.Enter(ctx, 1e9)
		ended <- err
	}()
	for q.States()[Large].Waiting == 0 {
		time.Sleep(time.Millisecond)
	}
	cancel(why)
	if err := <-ended; !errors.Is(err, why) {
		t.Errorf("waiting ends with %v", err)
	}
	for _, turn := range append(turns, preview) {
		turn.Leave()
	}
	for _, s := range q.States() {
		if s.Running != 0 || s.Waiting != 0 || s.Room != 1 {
			t.Errorf("%+v is left", s)
		}
	}
	if LaneOf(SmallRows) != Small || LaneOf(SmallRows+1) != Large {
		t.Error("the sizes of the lanes")
	}
}

// A lane has an end.
func TestTooManyWait(t *testing.T) {
	q := New([lanes]int{Large: 1, Small: 1, Preview: 1})
	for range maxWaiting + 1 {
		join(t, q, Small, "", 1)
	}
	if _, err := q.Join(Small, "", 1); err == nil || !strings.Contains(err.Error(), fmt.Sprint(maxWaiting)) {
		t.Errorf("one more: %v", err)
	}
}
