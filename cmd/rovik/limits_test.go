package main

import (
	"strings"
	"testing"
	"time"
)

// Sizes are numbers with a unit, and are written as they are read.
func TestSizes(t *testing.T) {
	for text, want := range map[string]int64{"0": 0, "512M": 512 << 20, "4G": 4 << 30, "4GiB": 4 << 30, "1500k": 1500 << 10, "134217728": 128 << 20, "8GB": 8 << 30} {
		var s size
		if err := s.Set(text); err != nil || int64(s) != want {
			t.Errorf("%s is read as %d, %v", text, s, err)
		}
		var again size
		if err := again.Set(s.String()); err != nil || s >= 1<<20 && again>>20 != s>>20 {
			t.Errorf("%s is written as %s, which is read as %d, %v", text, s.String(), again, err)
		}
	}
	for _, text := range []string{"", "G", "-1G", "1T", "1.5G", "many", "99999999999G", "1 G"} {
		var s size
		if err := s.Set(text); err == nil || !strings.Contains(err.Error(), "800M or 4G") {
			t.Errorf("%q is read as %d, %v", text, s, err)
		}
	}
}

// Limits that could not be meant are refused before anything is opened.
func TestLimitsAreChecked(t *testing.T) {
	was, memory := limits, memoryLimit
	defer func() { limits, memoryLimit = was, memory; _ = checkLimits() }()
	for name, set := range map[string]func(){
		"memory":     func() { memoryLimit = 1 << 20 },
		"plan-limit": func() { limits.Query.Planning = 0 },
		"run-limit":  func() { limits.Runs.Time = 48 * time.Hour },
		"keep-rows":  func() { limits.Runs.Kept = -time.Second },
	} {
		limits, memoryLimit = was, memory
		set()
		if err := checkLimits(); err == nil || !strings.Contains(err.Error(), "--"+name) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for limit, wants := range map[time.Duration]bool{-1: false, 0: true, time.Minute: true} {
		ctx, cancel, err := within(t.Context(), limit)
		if wants != (err == nil) {
			t.Errorf("a limit of %s: %v", limit, err)
		}
		if err == nil {
			if _, ends := ctx.Deadline(); ends != (limit > 0) {
				t.Errorf("a limit of %s ends: %v", limit, ends)
			}
			cancel()
		}
	}
}
