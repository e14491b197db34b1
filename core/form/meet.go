package form

import (
	"fmt"
	"sort"
	"strings"
)

// Values are the different values of one side of a join, as texts, with the
// number of their rows. NULL meets nothing and is left out.
type Values struct {
	Rows  map[string]int64
	Whole bool // all of them are there
}

// Meeting tells how the values of one side find partners on the other.
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

// Meet tells how the values of a find partners in b.
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

// ways are tried in this order; upper and btrim are what SQL's functions do to
// these texts under the C collation.
var ways = []way{
	{"letter case", "upper(x)", upper},
	{"spaces at the ends", "btrim(x)", func(s string) string { return strings.Trim(s, " ") }},
	{"leading zeros", "ltrim(x, '0')", func(s string) string { return strings.TrimLeft(s, "0") }},
}

// Fixes are what would make more values of the left side meet the right one: each
// difference alone, and those together that each help.
func Fixes(left, right Values) []Fix {
	base := Meet(left, right)
	if base.Meet == base.Values {
		return nil
	}
	var out []Fix
	try := func(title string, ws ...way) (gain int) {
		f := func(s string) string {
			for i := len(ws) - 1; i >= 0; i-- {
				s = ws[i].same(s)
			}
			return s
		}
		wrap := func(v Values) string {
			sql := "x"
			for i := len(ws) - 1; i >= 0; i-- {
				if needs(v, ws[i].same) {
					sql = strings.Replace(ws[i].sql, "x", sql, 1)
				}
			}
			return sql
		}
		l, r := mapped(left, f), mapped(right, f)
		m := Meet(l, r)
		gained := m.MeetRows - base.MeetRows
		if gained <= 0 {
			return 0
		}
		out = append(out, Fix{Title: title, Left: wrap(left), Right: wrap(right), LeftMeets: m, RightMeets: Meet(r, l), Example: example(left, right, f)})
		return int(gained)
	}
	var help []way
	for _, w := range ways {
		if try("Difference in "+w.title, w) > 0 {
			help = append(help, w)
		}
	}
	if n := len(help); n > 1 || n == 0 {
		if n == 0 {
			help = ways[:2] // neither alone, perhaps both
		}
		var titles []string
		for _, w := range help {
			titles = append(titles, w.title)
		}
		last := len(titles) - 1
		try(fmt.Sprintf("Differences in %s and %s", strings.Join(titles[:last], ", "), titles[last]), help...)
	}
	sort.SliceStable(out, func(i, j int) bool { return out[i].LeftMeets.MeetRows > out[j].LeftMeets.MeetRows })
	return out
}

// needs tells whether some value would change; not all being known, it may.
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
