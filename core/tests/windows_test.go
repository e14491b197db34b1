package tests

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
)

// bound is one end of a frame: so many rows, groups or units before (negative)
// or after the current row, or all of them.
type bound struct {
	offset int
	all    bool
	here   bool // CURRENT ROW
}

func (b bound) sql(before bool) string {
	switch {
	case b.all && before:
		return "UNBOUNDED PRECEDING"
	case b.all:
		return "UNBOUNDED FOLLOWING"
	case b.here:
		return "CURRENT ROW"
	case b.offset < 0:
		return fmt.Sprintf("%d PRECEDING", -b.offset)
	}
	return fmt.Sprintf("%d FOLLOWING", b.offset)
}

func randomBound(r *rand.Rand) bound {
	switch r.Intn(4) {
	case 0:
		return bound{all: true}
	case 1:
		return bound{here: true}
	}
	return bound{offset: r.Intn(5) - 2}
}

// partition is the rows of a partition in their order, by definition.
type partition struct {
	rows       [][]cell // id, partition, order, value
	desc       bool
	nullsFirst bool
	mode       string
}

// compare orders two cells.
func (p *partition) compare(a, b cell) int {
	switch {
	case a.null && b.null:
		return 0
	case a.null || b.null:
		if a.null == p.nullsFirst {
			return -1
		}
		return 1
	case p.desc:
		return b.n - a.n
	}
	return a.n - b.n
}

func (p *partition) peers(i, j int) bool { return p.compare(p.rows[i][2], p.rows[j][2]) == 0 }

// group counts the groups of peers before row i.
func (p *partition) group(i int) int {
	n := 0
	for k := 1; k <= i; k++ {
		if !p.peers(k-1, k) {
			n++
		}
	}
	return n
}

// side tells where row j lies against an end of row i's frame: before it, on
// it or within its unit, or after it.
func (p *partition) side(i, j int, b bound) int {
	switch {
	case p.mode == "ROWS" && b.here:
		return j - i
	case p.mode == "ROWS":
		return j - (i + b.offset)
	case b.here:
		return p.compare(p.rows[j][2], p.rows[i][2])
	case p.mode == "GROUPS":
		return p.group(j) - (p.group(i) + b.offset)
	}
	here, there := p.rows[i][2], p.rows[j][2]
	if here.null || there.null {
		return p.compare(there, here)
	}
	at := here.n + b.offset
	if p.desc {
		at = here.n - b.offset
	}
	return p.compare(there, cell{n: at})
}

// frame returns the rows of row i's frame.
func (p *partition) frame(i int, start, end bound, exclude string) [][]cell {
	var out [][]cell
	for j, row := range p.rows {
		in := (start.all || p.side(i, j, start) >= 0) && (end.all || p.side(i, j, end) <= 0)
		switch exclude {
		case "CURRENT ROW":
			in = in && j != i
		case "GROUP":
			in = in && !p.peers(i, j)
		case "TIES":
			in = in && (j == i || !p.peers(i, j))
		}
		if in {
			out = append(out, row)
		}
	}
	return out
}

func TestWindowFramesByTheirDefinition(t *testing.T) {
	checked := 0
	for seed := range int64(600) {
		r := rand.New(rand.NewSource(seed))
		rows := randomRows(r, 25, 3)
		for i := range rows {
			rows[i][1].n %= 2
		}
		p := partition{desc: r.Intn(2) == 0, nullsFirst: r.Intn(2) == 0, mode: []string{"ROWS", "RANGE", "GROUPS"}[r.Intn(3)]}
		start, end := randomBound(r), randomBound(r)
		if !start.all && !end.all && place(start) > place(end) {
			continue // these are refused
		}
		exclude := []string{"", "", "CURRENT ROW", "GROUP", "TIES"}[r.Intn(5)]
		order := "o"
		if p.desc {
			order += " DESC"
		}
		order += map[bool]string{true: " NULLS FIRST", false: " NULLS LAST"}[p.nullsFirst]
		if p.mode == "ROWS" { // equal rows have no order of their own
			order = "id"
			p.desc = false
		}
		window := fmt.Sprintf("PARTITION BY p ORDER BY %s %s BETWEEN %s AND %s", order, p.mode, start.sql(true), end.sql(false))
		if exclude != "" {
			window += " EXCLUDE " + exclude
		}
		sql := fmt.Sprintf("SELECT id, count(*) OVER w, sum(v) OVER w, min(v) OVER w, max(v) FILTER (WHERE v > 0) OVER w, array_length(array_agg(id) OVER w, 1) FROM %s WINDOW w AS (%s)",
			valuesOf(rows, "t(id, p, o, v)"), window)
		if p.mode == "ROWS" {
			sql = strings.Replace(sql, "array_length(array_agg(id) OVER w, 1)", "first_value(v) OVER w, last_value(v) OVER w, nth_value(v, 2) OVER w", 1)
		}
		var want []string
		for _, part := range p.split(rows) {
			for i, row := range part.rows {
				want = append(want, line(append([]any{row[0]}, part.expect(part.frame(i, start, end, exclude))...)...))
			}
		}
		compareRuns(t, sql, want)
		checked++
	}
	if checked < 300 {
		t.Errorf("only %d windows were checked", checked)
	}
}

// place orders bounds as they may follow each other.
func place(b bound) int {
	switch {
	case b.here:
		return 1
	case b.offset < 0:
		return 0
	}
	return 2
}

// split makes the partitions of rows.
func (p partition) split(rows [][]cell) []*partition {
	byKey := map[cell]*partition{}
	var out []*partition
	for _, row := range rows {
		if byKey[row[1]] == nil {
			c := p
			byKey[row[1]] = &c
			out = append(out, &c)
		}
		byKey[row[1]].rows = append(byKey[row[1]].rows, row)
	}
	for _, part := range out {
		if p.mode == "ROWS" {
			for i, row := range part.rows {
				part.rows[i] = []cell{row[0], row[1], row[0], row[3]}
			}
		}
		slices.SortStableFunc(part.rows, func(a, b []cell) int { return part.compare(a[2], b[2]) })
	}
	return out
}

// expect computes the functions of TestWindowFramesByTheirDefinition.
func (p *partition) expect(frame [][]cell) []any {
	null := cell{null: true}
	sum, least, most, first, last, second := null, null, null, null, null, null
	for i, row := range frame {
		v := row[3]
		if i == 0 {
			first = v
		}
		if i == 1 {
			second = v
		}
		last = v
		if v.null {
			continue
		}
		sum = cell{n: sum.n + v.n}
		if least.null || v.n < least.n {
			least = v
		}
		if v.n > 0 && (most.null || v.n > most.n) {
			most = v
		}
	}
	out := []any{len(frame), sum, least, most}
	if p.mode == "ROWS" {
		return append(out, first, last, second)
	}
	if len(frame) == 0 {
		return append(out, null)
	}
	return append(out, len(frame))
}

func TestRankingByItsDefinition(t *testing.T) {
	for seed := range int64(150) {
		r := rand.New(rand.NewSource(seed))
		p := partition{desc: r.Intn(2) == 0, mode: "RANGE"}
		rows := randomRows(r, 25, 3)
		order := map[bool]string{true: "o DESC NULLS LAST", false: "o"}[p.desc]
		tiles := 1 + r.Intn(5)
		var want []string
		for _, part := range p.split(rows) {
			n := len(part.rows)
			for i, row := range part.rows {
				before, upTo := 0, 0
				for j := range part.rows {
					switch c := part.compare(part.rows[j][2], row[2]); {
					case c < 0:
						before, upTo = before+1, upTo+1
					case c == 0:
						upTo++
					}
				}
				percent := 0.0
				if n > 1 {
					percent = float64(before) / float64(n-1)
				}
				want = append(want, line(row[0], before+1, part.group(i)+1, fmt.Sprintf("%.6f", percent), fmt.Sprintf("%.6f", float64(upTo)/float64(n))))
			}
		}
		table := valuesOf(rows, "t(id, p, o, v)")
		compareRuns(t, fmt.Sprintf("SELECT id, rank() OVER w, dense_rank() OVER w, round((percent_rank() OVER w)::numeric, 6), round((cume_dist() OVER w)::numeric, 6) FROM %s WINDOW w AS (PARTITION BY p ORDER BY %s)",
			table, order), want)

		// With the id as the last key every row has a place of its own.
		want = nil
		for _, part := range p.split(rows) {
			n := len(part.rows)
			for i, row := range part.rows {
				lag, lead := cell{null: true}, cell{n: -9}
				if i > 0 {
					lag = part.rows[i-1][3]
				}
				if i+2 < n {
					lead = part.rows[i+2][3]
				}
				large := n % tiles // so many tiles have one row more
				tile := 0
				for at, left := 0, i; ; tile, at = tile+1, at+1 {
					size := n / tiles
					if at < large {
						size++
					}
					if left < size {
						break
					}
					left -= size
				}
				want = append(want, line(row[0], i+1, tile+1, lag, lead))
			}
		}
		compareRuns(t, fmt.Sprintf("SELECT id, row_number() OVER w, ntile(%d) OVER w, lag(v) OVER w, lead(v, 2, -9) OVER w FROM %s WINDOW w AS (PARTITION BY p ORDER BY %s, id)",
			tiles, table, order), want)
	}
}
