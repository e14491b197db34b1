package postgres

import "testing"

// A version that was not sent, since the snapshot is the same, is the one before; on a
// standby, which tells no snapshot, it is sent each time.
func TestVersionsBySnapshot(t *testing.T) {
	k := &known{}
	for _, c := range []struct{ snapshot, sent, want string }{
		{"10:10:", "a", "a"}, {"10:10:", "", "a"}, {"10:12:11", "b", "b"}, {"10:12:11", "", "b"}, {"12:12:", "", ""}, // the table is gone
		{"", "c", "c"}, {"", "d", "d"}, {"", "", ""}, {"12:12:", "e", "e"},
	} {
		if got := k.now([][]byte{[]byte(c.snapshot), []byte(c.sent)}); got != c.want || k.snapshot != c.snapshot {
			t.Errorf("at %q with %q the version is %q, want %q", c.snapshot, c.sent, got, c.want)
		}
	}
}
