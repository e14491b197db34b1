package kernel

import (
	"math"
	"testing"

	"rovik/core/value"
)

// A series is made as its rows are asked for, however long it is, and ends where its type
// does.
func TestSeriesAreNotHeld(t *testing.T) {
	for _, c := range []struct {
		from, to int64
		rows     int // that are asked for
		ends     bool
	}{{1, 1 << 60, 3, false}, {1, 3, 3, true}, {3, 1, 0, true}, {math.MaxInt64 - 1, math.MaxInt64, 2, true}} {
		f, err := ResolveSet("generate_series", []value.Kind{value.Int8, value.Int8})
		if err != nil {
			t.Fatal(err)
		}
		next, err := f.Open([]value.Value{value.IntOf(value.Int8, c.from), value.IntOf(value.Int8, c.to)})
		if err != nil {
			t.Fatal(err)
		}
		for i := range c.rows {
			row, err := next()
			if err != nil || row == nil || row[0].Int != c.from+int64(i) {
				t.Fatalf("row %d of %+v is %v, %v", i, c, row, err)
			}
		}
		if row, err := next(); err != nil || (row == nil) != c.ends {
			t.Errorf("after %d rows of %+v comes %v, %v", c.rows, c, row, err)
		}
	}
}
