package value

import (
	"fmt"
	"math/rand"
	"testing"
	"time"
)

// What is read quickly means what the parsers and the calendar say.
func TestQuickMoment(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	for range 20000 {
		at := time.Date(1+r.Intn(9999), time.Month(1+r.Intn(12)), 1+r.Intn(31), r.Intn(24), r.Intn(60), r.Intn(60), r.Intn(1e6)*1000, time.UTC)
		if at.Year() > 9999 {
			continue
		}
		for _, layout := range []string{"2006-01-02", "2006-01-02 15:04:05", "2006-01-02T15:04:05.999999", "2006-01-02 15:04:05.000Z", "2006-01-02 15:04:05+00"} {
			s := at.Format(layout)
			back, err := time.Parse(layout, s)
			if layout == "2006-01-02 15:04:05+00" {
				back, err = at.Truncate(time.Second), nil
			}
			got, ok := QuickMoment(s)
			if err != nil || !ok || got != back.UnixMicro() {
				t.Fatalf("%s: %d %v, want %d, %v", s, got, ok, back.UnixMicro(), err)
			}
		}
	}
	for _, s := range []string{"", "2024", "2023-02-29", "1900-02-29", "2024-13-01", "2024-00-10", "2024-01-00", "0000-01-01", "2024-01-01 ", "2024-01-01 10", "2024-01-01 24:00:00",
		"2024-01-01 10:60:00", "2024-01-01 10:00:00.", "2024-01-01 10:00:00.1234567", "2024-01-01 10:00:00+01", "2024-01-01x10:00:00", "2o24-01-01", "2024-01-01 10:00:00.1x"} {
		if got, ok := QuickMoment([]byte(s)); ok {
			t.Errorf("%q was read as %d", s, got)
		}
	}
}

func TestQuickDecimal(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	for range 20000 {
		whole, places := r.Int63n(1e9), r.Intn(9)
		s := fmt.Sprintf("%d", whole)
		if places > 0 {
			s += fmt.Sprintf(".%0*d", places, r.Int63n(10))
		}
		if r.Intn(2) == 0 {
			s = "-" + s
		}
		got, ok := QuickDecimal(s)
		if want := s; !ok || got.String() != want && !got.IsZero() {
			t.Fatalf("%s: %s %v", s, got, ok)
		}
	}
	for _, s := range []string{"", "-", ".", "-.", "1e5", "1.2.3", " 1", "+1", "1234567890123456789", "--1", "1-"} {
		if d, ok := QuickDecimal(s); ok {
			t.Errorf("%q was read as %s", s, d)
		}
	}
}
