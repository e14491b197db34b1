package demo

import "testing"

// A port that was given stays with the one who asked first, also before a
// server listens on it; the same process may have it again.
func TestPortsAreReserved(t *testing.T) {
	port, err := FreePort(42310)
	if err != nil {
		t.Fatal(err)
	}
	again, err := FreePort(port)
	if err != nil || again != port {
		t.Errorf("%d after %d, %v", again, port, err)
	}
	// As another process sees it: it has none of this one's locks.
	reserved.Lock()
	mine := reserved.files
	reserved.files = nil
	reserved.Unlock()
	other, err := FreePort(port)
	if err != nil || other == port {
		t.Errorf("the port %d was given twice, %v", other, err)
	}
	reserved.Lock()
	for p, f := range mine {
		reserved.files[p] = f
	}
	reserved.Unlock()
}
