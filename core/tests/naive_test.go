package tests

import (
	"fmt"
	"math"
	"math/rand"
	"slices"
	"sort"
	"strconv"
	"strings"
	"testing"
)

// Here joins, aggregates and windows are computed a second time, by their
// definitions and as plainly as can be, and compared with what core gives.

// cell is an integer or NULL.
type cell struct {
	n    int
	null bool
}

func (c cell) String() string {
	if c.null {
		return "NULL"
	}
	return strconv.Itoa(c.n)
}

// sql writes a cell so that its column is of integers.
func (c cell) sql() string { return c.String() + "::int" }

// randomRows makes rows of an id and cells.
func randomRows(r *rand.Rand, most, width int) [][]cell {
	rows := make([][]cell, 1+r.Intn(most))
	for i := range rows {
		rows[i] = []cell{{n: i}}
		for range width {
			c := cell{n: r.Intn(6) - 1}
			if r.Intn(5) == 0 {
				c = cell{null: true}
			}
			rows[i] = append(rows[i], c)
		}
	}
	return rows
}

// valuesOf writes rows as a table.
func valuesOf(rows [][]cell, as string) string {
	var out []string
	for _, row := range rows {
		var cells []string
		for _, c := range row {
			cells = append(cells, c.sql())
		}
		out = append(out, "("+strings.Join(cells, ", ")+")")
	}
	return "(VALUES " + strings.Join(out, ", ") + ") AS " + as
}

// line writes a row of a result as world.run does.
func line(cells ...any) string {
	var s strings.Builder
	for _, c := range cells {
		fmt.Fprintf(&s, "%v|", c)
	}
	return s.String()
}

func compareRuns(t *testing.T, sql string, want []string) {
	t.Helper()
	sort.Strings(want)
	if got := (&world{}).reference(t, sql); !slices.Equal(got, want) {
		t.Fatalf("%s\ngot  %v\nwant %v", sql, got, want)
	}
}

// truth is one of three values: 1 true, 0 unknown, -1 false.
type truth int

func compared(a cell, op string, b cell) truth {
	if a.null || b.null {
		return 0
	}
	if map[string]bool{"=": a.n == b.n, "<": a.n < b.n, "<>": a.n != b.n, ">=": a.n >= b.n}[op] {
		return 1
	}
	return -1
}

func TestJoinsByTheirDefinition(t *testing.T) {
	nulls := []any{cell{null: true}, cell{null: true}, cell{null: true}}
	for seed := range int64(100) {
		r := rand.New(rand.NewSource(seed))
		left, right := randomRows(r, 30, 2), randomRows(r, 30, 2)
		ops := [][]string{{"="}, {"=", "="}, {"=", "<"}, {"<"}, {"<>", ">="}}[r.Intn(5)]
		var on []string
		for i, op := range ops {
			on = append(on, fmt.Sprintf("l.c%d %s r.c%d", i+1, op, i+1))
		}
		holds := func(l, r []cell) truth {
			worst := truth(1)
			for i, op := range ops {
				worst = min(worst, compared(l[i+1], op, r[i+1]))
			}
			return worst
		}
		l, rt, cond := valuesOf(left, "l(id, c1, c2)"), valuesOf(right, "r(id, c1, c2)"), strings.Join(on, " AND ")
		pairs := func(keepLeft, keepRight bool) []string {
			var out []string
			met := map[int]bool{}
			for _, a := range left {
				found := false
				for j, b := range right {
					if holds(a, b) == 1 {
						found, met[j] = true, true
						out = append(out, line(a[0], a[1], a[2], b[0], b[1], b[2]))
					}
				}
				if !found && keepLeft {
					out = append(out, line(append([]any{a[0], a[1], a[2]}, nulls...)...))
				}
			}
			for j, b := range right {
				if !met[j] && keepRight {
					out = append(out, line(append(slices.Clone(nulls), b[0], b[1], b[2])...))
				}
			}
			return out
		}
		compareRuns(t, fmt.Sprintf("SELECT * FROM %s JOIN %s ON %s", l, rt, cond), pairs(false, false))
		compareRuns(t, fmt.Sprintf("SELECT * FROM %s LEFT JOIN %s ON %s", l, rt, cond), pairs(true, false))
		compareRuns(t, fmt.Sprintf("SELECT * FROM %s RIGHT JOIN %s ON %s", l, rt, cond), pairs(false, true))
		compareRuns(t, fmt.Sprintf("SELECT * FROM %s FULL JOIN %s ON %s", l, rt, cond), pairs(true, true))

		// A row with a partner, without one, and IN with its three values.
		var some, none, in []string
		for _, a := range left {
			best := truth(-1)
			for _, b := range right {
				best = max(best, holds(a, b))
			}
			if best == 1 {
				some = append(some, line(a[0]))
			} else {
				none = append(none, line(a[0]))
			}
			in = append(in, line(a[0], map[truth]string{1: "true", 0: "NULL", -1: "false"}[anyEqual(a, right)]))
		}
		compareRuns(t, fmt.Sprintf("SELECT l.id FROM %s WHERE EXISTS (SELECT 1 FROM %s WHERE %s)", l, rt, cond), some)
		compareRuns(t, fmt.Sprintf("SELECT l.id FROM %s WHERE NOT EXISTS (SELECT 1 FROM %s WHERE %s)", l, rt, cond), none)
		compareRuns(t, fmt.Sprintf("SELECT l.id, (l.c1, l.c2) IN (SELECT r.c1, r.c2 FROM %s) FROM %s", rt, l), in)
	}
}

func anyEqual(a []cell, rows [][]cell) truth {
	best := truth(-1)
	for _, b := range rows {
		best = max(best, min(compared(a[1], "=", b[1]), compared(a[2], "=", b[2])))
	}
	return best
}

func TestAggregatesByTheirDefinition(t *testing.T) {
	for seed := range int64(200) {
		r := rand.New(rand.NewSource(seed))
		rows := randomRows(r, 40, 2)
		groups := map[cell][][]cell{}
		for _, row := range rows {
			groups[row[1]] = append(groups[row[1]], row)
		}
		distinct, filter := r.Intn(2) == 0, r.Intn(2) == 0
		var want []string
		for key, members := range groups {
			var values []int
			for _, m := range members {
				if v := m[2]; !v.null && (!filter || m[0].n%3 > 0) && !(distinct && slices.Contains(values, v.n)) {
					values = append(values, v.n)
				}
			}
			want = append(want, line(append([]any{key}, aggregated(values)...)...))
		}
		call := func(name, arg, tail string) string {
			if distinct {
				arg = "DISTINCT " + arg
			}
			out := fmt.Sprintf("%s(%s%s)", name, arg, tail)
			if filter {
				out += " FILTER (WHERE id % 3 > 0)"
			}
			return out
		}
		items := []string{call("count", "v", ""), call("sum", "v", ""), call("min", "v", ""), call("max", "v", ""), call("bit_or", "v", ""),
			call("bool_and", "v > 0", ""), call("string_agg", "v::text", ", ',' ORDER BY v::text"), fmt.Sprintf("round(%s, 6)", call("avg", "v", "")), fmt.Sprintf("round(%s, 6)", call("var_pop", "v", ""))}
		compareRuns(t, fmt.Sprintf("SELECT g, %s FROM %s GROUP BY g", strings.Join(items, ", "), valuesOf(rows, "t(id, g, v)")), want)
	}
}

// aggregated computes the aggregates of TestAggregatesByTheirDefinition.
func aggregated(values []int) []any {
	if len(values) == 0 {
		null := cell{null: true}
		return []any{0, null, null, null, null, null, null, null, null}
	}
	sum, or, all, square := 0, 0, true, 0.0
	var texts []string
	for _, v := range values {
		sum, or, all = sum+v, or|v, all && v > 0
		texts = append(texts, strconv.Itoa(v))
	}
	sort.Strings(texts)
	mean := float64(sum) / float64(len(values))
	for _, v := range values {
		square += (float64(v) - mean) * (float64(v) - mean)
	}
	six := func(f float64) string { return fmt.Sprintf("%.6f", math.Round(f*1e6)/1e6+0) }
	return []any{len(values), sum, slices.Min(values), slices.Max(values), or, all, strings.Join(texts, ","), six(mean), six(square / float64(len(values)))}
}
