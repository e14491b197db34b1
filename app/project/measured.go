package project

import (
	"context"
	"math"
	"sync"
)

// measured are the row counts that runs have measured, by signature. They serve the
// estimates of later plans.
type measured struct {
	mu   sync.RWMutex
	rows map[string]float64
}

// maxSignature bounds the signatures that are kept, in bytes.
const maxSignature = 4000

func (m *measured) get(signature string) (float64, bool) {
	m.mu.RLock()
	defer m.mu.RUnlock()
	n, ok := m.rows[signature]
	return n, ok
}

// measure keeps how many rows a part of a query gave. A count that is much as before
// changes nothing.
func (p *Project) measure(signature string, rows int64) {
	if signature == "" || len(signature) > maxSignature {
		return
	}
	old, known := p.measured.get(signature)
	if known && math.Abs(old-float64(rows)) <= 0.2*math.Max(old, 1) {
		return
	}
	p.measured.mu.Lock()
	p.measured.rows[signature] = float64(rows)
	p.measured.mu.Unlock()
	p.Now().plans.Purge()
	// An estimate that is not kept is only worse the next time.
	p.inBackground("a measured row count is not kept", func() error { return p.records.PutMeasured(context.Background(), signature, rows) })
}
