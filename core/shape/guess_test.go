package shape

import (
	"math/big"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"rovik/core/value"
)

// cells are strings as files have them, and some that only look like what others are.
var cells = strings.Split("0|1|-1|7|007|+5|-0|-0.00|0.00|.5|-.5|5.|1.50|0.1|-2.5|1e5|1E5|1.5e-7|1e-400|1e400|NaN|Infinity|-Infinity|nan|inf|9007199254740992|9007199254740993|"+
	"9223372036854775807|9223372036854775808|-9223372036854775808|12345678901234567890123456789012345678|123456789012345678901234567890123456789|"+
	"0.1000000000000000055|0.30000000000000004|1e22|1e23|100000000000000000000000|0.12345678901234567890123456789012345678|0.123456789012345678901234567890123456789|"+
	"true|false|TRUE|t|yes|2024-02-29|2023-02-29|2024-2-29|0001-01-01|9999-12-31|10000-01-01|2024-02-29 12:30|2024-02-29 12:30:00|2024-02-29T12:30:00|2024-02-29T12:30:00.5|"+
	"2024-02-29 12:30:00.500|2024-02-29 12:30:00.123456|2024-02-29 12:30:00.1234560|2024-02-29 12:30:00.1234561|2024-02-29 12:30:00Z|2024-02-29 12:30:00+01|2024-02-29 24:00:00|"+
	"2024-02-29 12:30:60|12:30|a| 1|1 |1 000|1,5|--1|1-1|1.2.3|0x10|1_000|١٢|é|e5|E|-|.|1e|1e+|1e5.5", "|")

// written is how computers write numbers.
var written = regexp.MustCompile(`^-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?$`)

// comesBack reports whether nothing of a cell is lost where it is read as a kind.
func comesBack(k value.Kind, cell string) bool {
	v, err := value.Parse(k, cell)
	if err != nil {
		return false
	}
	switch back := v.String(); k {
	case value.Numeric:
		return back == cell && !v.Dec.Special() // which are of doubles, in files
	case value.Float8:
		if back == cell {
			return true
		}
		if !written.MatchString(cell) {
			return false
		}
		a, ok1 := new(big.Rat).SetString(cell)
		b, ok2 := new(big.Rat).SetString(back)
		return ok1 && ok2 && a.Cmp(b) == 0 && (a.Sign() != 0 || !strings.HasPrefix(cell, "-"))
	case value.Timestamp:
		whole, fraction, _ := strings.Cut(strings.Replace(cell, "T", " ", 1), ".")
		cell = strings.TrimSuffix(whole+"."+strings.TrimRight(fraction, "0"), ".")
		return back == cell || back == cell+":00"
	default:
		return back == cell
	}
}

// Of whatever cells a type is proposed, each comes back from it; and the type is the
// narrowest of those of which that holds.
func TestProposedTypesGiveEveryCellBack(t *testing.T) {
	kinds := []value.Kind{value.Bool, value.Int4, value.Int8, value.Numeric, value.Float8, value.Date, value.Timestamp}
	r := rand.New(rand.NewPCG(1, 2))
	typed := 0
	for range 20_000 {
		var g, h Guess
		var some []string
		for i := range 1 + r.IntN(3) {
			c := cells[r.IntN(len(cells))]
			some = append(some, c)
			part := &g
			if i%2 == 1 {
				part = &h
			}
			if err := part.See([]byte(c), false); err != nil {
				t.Fatal(err)
			}
		}
		g.Merge(h)
		want := value.Text
	next:
		for _, k := range kinds {
			for _, c := range some {
				if !comesBack(k, c) {
					continue next
				}
			}
			want = k
			break
		}
		if got := g.Kind(); got != want {
			t.Errorf("%q are proposed to be %s, not %s", some, got, want)
		}
		if want != value.Text {
			typed++
		}
	}
	if typed < 1000 {
		t.Errorf("%d samples have a type", typed)
	}
}
