package app

import (
	"context"
	"math"
	"sync"

	"rovik/core/value"
)

// measurements are the row counts that runs have measured, by signature. They
// serve the estimates of later plans.
type measurements struct {
	mu      sync.RWMutex
	rows    map[string]float64
	writing sync.WaitGroup
}

// maxSignature bounds the signatures that are kept, in bytes.
const maxSignature = 4000

func (m *measurements) get(signature string) (float64, bool) {
	m.mu.RLock()
	defer m.mu.RUnlock()
	n, ok := m.rows[signature]
	return n, ok
}

// measured keeps how many rows a part of a query gave. A count that is much as
// before changes nothing.
func (a *App) measured(signature string, rows int64) {
	if signature == "" || len(signature) > maxSignature {
		return
	}
	old, known := a.measures.get(signature)
	if known && math.Abs(old-float64(rows)) <= 0.2*math.Max(old, 1) {
		return
	}
	a.measures.mu.Lock()
	a.measures.rows[signature] = float64(rows)
	a.measures.mu.Unlock()
	a.state.Load().plans.clear()
	a.measures.writing.Add(1)
	go func() {
		defer a.measures.writing.Done()
		// An estimate that is not kept is only worse the next time.
		_ = value.Guarded(func() error { return a.store.PutMeasured(context.Background(), signature, rows) })
	}()
}
