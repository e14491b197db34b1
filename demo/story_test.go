package demo

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"rovik/core/catalog"
)

// rowsOf collects a table's rows, as many as most.
func rowsOf(t *Table, most int) [][]any {
	if t.Stream == nil {
		return t.Rows
	}
	var out [][]any
	for r := range t.Stream {
		if out = append(out, r); len(out) == most {
			break
		}
	}
	return out
}

// The story is the same whenever it is told from the same seed, another from
// another, and grows with its scale.
func TestTheStoryIsTheSameEveryTime(t *testing.T) {
	first, again, other, larger := Tables(Seed, 0.02), Tables(Seed, 0.02), Tables(Seed+1, 0.02), Tables(Seed, 0.1)
	same, grows := 0, 0
	for i, table := range first {
		a, b, c := rowsOf(table, 500), rowsOf(again[i], 500), rowsOf(other[i], 500)
		if !reflect.DeepEqual(a, b) {
			t.Errorf("%s.%s is told otherwise the second time", table.Source, table.Name)
		}
		if reflect.DeepEqual(a, c) {
			same++
		}
		if len(larger[i].Rows) > len(table.Rows) {
			grows++
		}
	}
	if same > 4 || grows < 8 {
		t.Errorf("%d tables are alike from another seed, %d grow with the scale", same, grows)
	}
}

// What the tables declare holds: as many cells as columns, NOT NULL, keys that no two
// rows share, and foreign keys that lead somewhere.
func TestTheStoryKeepsItsKeys(t *testing.T) {
	tables := Tables(Seed, 0.05)
	byName := map[string]*Table{}
	for _, table := range tables {
		byName[table.Source+"."+table.Name] = table
	}
	column := func(table *Table, name string) int {
		i := slices.IndexFunc(table.Cols, func(c Col) bool { return c.Name == name })
		if i < 0 {
			t.Fatalf("%s has no column %s", table.Name, name)
		}
		return i
	}
	values := func(table *Table, row []any, columns []string) (string, bool) {
		var out []string
		for _, c := range columns {
			v := row[column(table, c)]
			if v == nil {
				return "", false
			}
			out = append(out, fmt.Sprint(v))
		}
		return strings.Join(out, "\x00"), true
	}
	for _, table := range tables {
		rows := rowsOf(table, 20_000)
		if len(rows) == 0 {
			t.Errorf("%s.%s is empty", table.Source, table.Name)
		}
		for n, row := range rows {
			if len(row) != len(table.Cols) {
				t.Fatalf("%s.%s: row %d has %d cells for %d columns", table.Source, table.Name, n, len(row), len(table.Cols))
			}
			for i, c := range table.Cols {
				if c.NotNull && row[i] == nil {
					t.Errorf("%s.%s: %s of row %d is NULL", table.Source, table.Name, c.Name, n)
				}
			}
		}
		keys := slices.Clone(table.Unique)
		if len(table.Primary) > 0 {
			keys = append(keys, table.Primary)
		}
		for _, key := range keys {
			seen := map[string]bool{}
			for _, row := range rows {
				if v, whole := values(table, row, key); whole {
					if seen[v] {
						t.Errorf("%s.%s: two rows share %v: %q", table.Source, table.Name, key, v)
						break
					}
					seen[v] = true
				}
			}
		}
		for _, f := range table.Foreign {
			to := byName[table.Source+"."+f.Table]
			has := map[string]bool{}
			for _, row := range to.Rows {
				v, _ := values(to, row, to.Primary)
				has[v] = true
			}
			for _, row := range rows {
				if v, whole := values(table, row, []string{f.Column}); whole && !has[v] {
					t.Errorf("%s.%s: no %s has %q", table.Source, table.Name, f.Table, v)
					break
				}
			}
		}
	}
}

// The mess that the intake views clean is there: codes in any case and with spaces,
// numbers and dates as text, words in the place of numbers, NULLs.
func TestTheStoryHasItsMess(t *testing.T) {
	has := map[string]bool{}
	for _, table := range Tables(Seed, 0.05) {
		for _, row := range rowsOf(table, 5000) {
			for i, c := range table.Cols {
				name := table.Source + "." + c.Name
				switch v := row[i].(type) {
				case nil:
					has["NULL"] = true
				case string:
					if v != strings.ToUpper(v) && strings.ToLower(v) != v && name == "lending.institution_code" {
						has["a code in mixed case"] = true
					}
					if strings.HasSuffix(v, " ") && (name == "lending.institution_code" || name == "archive.borrower") {
						has["a space behind a code"] = true
					}
					if name == "archive.insured" && strings.Trim(v, "0123456789.") != "" {
						has["a word in the place of a number"] = true
					}
					if name == "archive.loaned_on" && len(v) == 10 && v[4] == '-' {
						has["a date as text"] = true
					}
					if strings.ContainsAny(v, "ÎößéÉ") {
						has["letters beyond ASCII"] = true
					}
					if strings.ContainsAny(v, "%_") {
						has["what LIKE takes for a pattern"] = true
					}
				}
			}
		}
	}
	for _, want := range []string{"NULL", "a code in mixed case", "a space behind a code", "a word in the place of a number", "a date as text", "letters beyond ASCII", "what LIKE takes for a pattern"} {
		if !has[want] {
			t.Errorf("the story has no more: %s", want)
		}
	}
}

// Every view is in a layer that there is, says what it is, has a name of its own, and
// reads nothing above it.
func TestTheStorysViews(t *testing.T) {
	rank := map[string]int{}
	for i, l := range Layers {
		rank[l.Name] = i
		if l.Description == "" {
			t.Errorf("the layer %s says nothing", l.Name)
		}
	}
	seen := map[string]*catalog.View{}
	for _, v := range Views {
		if _, ok := rank[v.Layer]; !ok || v.Description == "" || seen[v.FullName()] != nil {
			t.Errorf("%s: its layer, description or name", v.FullName())
		}
		seen[v.FullName()] = v
	}
	for _, v := range Views {
		for name, w := range seen {
			if strings.Contains(v.SQL, name) && rank[w.Layer] > rank[v.Layer] {
				t.Errorf("%s reads %s, which is above it", v.FullName(), name)
			}
		}
	}
}
