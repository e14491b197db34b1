package form

import (
	"fmt"
	"math/bits"
	"sort"
	"strings"
)

// Values are the distinct values of one side of a join, as text, with the
// number of their rows. NULL meets nothing and is left out.
type Values struct {
	Rows  map[string]int64
	Whole bool // all of them are there
}

// Meeting says how the values of one side find partners on the other.
type Meeting struct {
	Values   int   `json:"values"` // different ones
	Meet     int   `json:"meet"`   // of them that find a partner
	Rows     int64 `json:"rows"`
	MeetRows int64 `json:"meetRows"`
	Unique   bool  `json:"unique"` // every value stands in one row
	Whole    bool  `json:"whole"`  // all values were looked at, not a sample
	// Alone are some of the values without a partner, the most frequent first.
	Alone []Count `json:"alone"`
}

// Fix changes both sides so that more values meet. Left and Right are what stands
// around each side's expression, "x" being the expression; "x" alone where the
// side needs nothing.
type Fix struct {
	Title string `json:"title"`
	Left  string `json:"left"`
	Right string `json:"right"`
	// LeftMeets and RightMeets are how the values meet then.
	LeftMeets  Meeting `json:"leftMeets"`
	RightMeets Meeting `json:"rightMeets"`
	Example    string  `json:"example"` // two values that meet by it

}

const someAlone = 200

// upper is SQL's upper under the C collation.
func upper(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' {
			return r - 'a' + 'A'
		}
		return r
	}, s)
}

// Meet says how the values of a find partners in b.
func Meet(a, b Values) Meeting {
	m := Meeting{Values: len(a.Rows), Unique: true, Whole: a.Whole && b.Whole, Alone: []Count{}}
	for v, rows := range a.Rows {
		m.Rows += rows
		if rows > 1 {
			m.Unique = false
		}
		if b.Rows[v] > 0 {
			m.Meet++
			m.MeetRows += rows
			continue
		}
		m.Alone = append(m.Alone, Count{Value: &v, Rows: rows})
	}
	sort.Slice(m.Alone, func(i, j int) bool {
		if x, y := m.Alone[i], m.Alone[j]; x.Rows != y.Rows {
			return x.Rows > y.Rows
		}
		return *m.Alone[i].Value < *m.Alone[j].Value
	})
	m.Alone = m.Alone[:min(len(m.Alone), someAlone)]
	return m
}

// way is a difference between spellings of the same thing.
type way struct {
	title, sql string
	same       func(string) string
}

// ways are written around each other in this order, the last one innermost. They
// are what SQL's functions do to these strings under the C collation.
var ways = []way{
	{"letter case", "upper(x)", upper},
	{"leading zeros", "ltrim(x, '0')", func(s string) string { return strings.TrimLeft(s, "0") }},
	{"spaces at the ends", "btrim(x)", func(s string) string { return strings.Trim(s, " ") }},
}

// Fixes are what would make more values of the left side meet the right one, the
// best first: each difference alone, and those together by which more meet than
// by fewer of them.
func Fixes(left, right Values) []Fix {
	base := Meet(left, right)
	if base.Meet == base.Values {
		return nil
	}
	var out []Fix
	gained := map[int]int64{0: base.MeetRows} // by the ways of a set, as bits
	for size := 1; size <= len(ways); size++ {
		for set := 1; set < 1<<len(ways); set++ {
			if bits.OnesCount(uint(set)) != size {
				continue
			}
			f := fixBy(set, left, right)
			best := int64(0) // of the sets within
			for part := (set - 1) & set; ; part = (part - 1) & set {
				if best = max(best, gained[part]); part == 0 {
					break
				}
			}
			if gained[set] = max(best, f.LeftMeets.MeetRows); f.LeftMeets.MeetRows > best {
				out = append(out, f)
			}
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].LeftMeets.MeetRows > out[j].LeftMeets.MeetRows })
	return out
}

// fixBy is the fix of some ways together.
func fixBy(set int, left, right Values) Fix {
	var chosen []way
	var titles []string
	for i, w := range ways {
		if set&(1<<i) != 0 {
			chosen, titles = append(chosen, w), append(titles, w.title)
		}
	}
	f := func(s string) string {
		for i := len(chosen) - 1; i >= 0; i-- {
			s = chosen[i].same(s)
		}
		return s
	}
	wrap := func(v Values) string {
		sql := "x"
		for i := len(chosen) - 1; i >= 0; i-- {
			if needs(v, chosen[i].same) {
				sql, v = strings.Replace(chosen[i].sql, "x", sql, 1), mapped(v, chosen[i].same)
			}
		}
		return sql
	}
	what := "Difference in "
	if len(titles) > 1 {
		what = "Differences in "
	}
	l, r := mapped(left, f), mapped(right, f)
	return Fix{Title: what + listed(titles), Left: wrap(left), Right: wrap(right), LeftMeets: Meet(l, r), RightMeets: Meet(r, l), Example: example(left, right, f)}
}

// needs reports whether some value would change; not all being known, it may.
func needs(v Values, f func(string) string) bool {
	for s := range v.Rows {
		if f(s) != s {
			return true
		}
	}
	return !v.Whole
}

// Spellings are the values in every way that a fix may find them by.
func Spellings(values []string) []string {
	seen := map[string]bool{}
	var out []string
	for _, v := range values {
		for _, s := range []string{v, upper(v), strings.ToLower(v)} {
			for _, s := range []string{s, strings.Trim(s, " "), strings.TrimLeft(s, "0"), strings.TrimLeft(strings.Trim(s, " "), "0")} {
				if !seen[s] {
					seen[s] = true
					out = append(out, s)
				}
			}
		}
	}
	return out
}

// mapped is what values become.
func mapped(v Values, f func(string) string) Values {
	out := Values{Rows: make(map[string]int64, len(v.Rows)), Whole: v.Whole}
	for s, n := range v.Rows {
		out.Rows[f(s)] += n
	}
	return out
}

// example shows two values that meet by a fix alone.
func example(left, right Values, f func(string) string) string {
	by := map[string]string{}
	for s := range right.Rows {
		if had, ok := by[f(s)]; !ok || s < had {
			by[f(s)] = s
		}
	}
	best := ""
	for s := range left.Rows {
		if other, ok := by[f(s)]; ok && right.Rows[s] == 0 {
			if text := fmt.Sprintf("%q and %q", s, other); best == "" || text < best {
				best = text
			}
		}
	}
	return best
}
