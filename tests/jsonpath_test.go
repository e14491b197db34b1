package tests

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// pathDocuments are what generated paths run on.
var pathDocuments = []string{
	`{"a": 1, "b": [1, 2, {"a": "x"}], "c": {"a": null, "b": true}}`, `[1, 2.50, "abc", null, [3, [4]], {"a": -1}]`, `5`, `"abc"`, `null`, `[]`, `{}`,
	`{"a": [{"b": 1}, {"b": "2"}, {"c": [10, 20, 30]}]}`, `[true, false, {"a": {"a": {"a": 7}}}]`, `["2024-02-29", "2024-02-29 10:00:00", "2024-02-29T10:00:00+02:00", "10:00:00"]`,
}

// pathMaker writes paths at random.
type pathMaker struct {
	*rand.Rand
	filters, indexes, size int
}

func (m *pathMaker) of(choices ...string) string { return choices[m.IntN(len(choices))] }

func (m *pathMaker) deep() bool { m.size++; return m.size > 14 }

func (m *pathMaker) value() string {
	if m.deep() || m.IntN(3) > 0 {
		start := "$"
		if m.filters > 0 && m.IntN(4) > 0 {
			start = "@"
		}
		return start + m.steps()
	}
	switch m.IntN(9) {
	case 0:
		return m.of("1", "2.5", "0", "1e2", "7")
	case 1:
		return m.of(`"abc"`, `"x"`, `"2"`, `"2024-02-29"`)
	case 2:
		return m.of("null", "true", "false")
	case 3:
		return m.of("$x", "$y", `$"x"`)
	case 4:
		return m.of("-", "+") + m.value()
	case 5:
		return "(" + m.value() + ")" + m.steps()
	case 6:
		if m.indexes > 0 {
			return "last"
		}
		return "(" + m.condition() + ")" + m.of(".type()", ".a", "[0]")
	}
	return m.value() + " " + m.of("+", "-", "*", "/", "%") + " " + m.value()
}

func (m *pathMaker) steps() string {
	var b strings.Builder
	for range m.IntN(4) {
		switch m.IntN(11) {
		case 0, 1, 2:
			b.WriteString(m.of(".a", ".b", ".c", `."a"`, ".*"))
		case 3:
			b.WriteString("[*]")
		case 4, 5:
			m.indexes++
			b.WriteString("[" + m.of("0", "1", "2", "last", "last - 1", "0 to 1", "1 to last", "0, 2", "1.9", m.value()) + "]")
			m.indexes--
		case 6:
			b.WriteString(m.of(".**", ".**{1}", ".**{last}", ".**{1 to 2}", ".**{2 to last}"))
		case 7:
			b.WriteString(m.of(".type()", ".size()", ".abs()", ".floor()", ".ceiling()", ".double()", ".datetime()"))
		default:
			if m.deep() {
				continue
			}
			m.filters++
			b.WriteString(" ? (" + m.condition() + ")")
			m.filters--
		}
	}
	return b.String()
}

func (m *pathMaker) condition() string {
	if !m.deep() {
		switch m.IntN(7) {
		case 0:
			return m.condition() + m.of(" && ", " || ") + m.condition()
		case 1:
			return "!(" + m.condition() + ")"
		case 2:
			return "(" + m.condition() + ") is unknown"
		case 3:
			return "exists (" + m.value() + ")"
		case 4:
			return m.value() + ` starts with ` + m.of(`"a"`, `"2"`, "$y")
		case 5:
			return m.value() + ` like_regex ` + m.of(`"^a"`, `"B" flag "i"`, `"a.c"`, `"[" flag "q"`)
		}
	}
	return m.value() + " " + m.of("==", "!=", "<", "<=", ">", ">=", "<>", "=") + " " + m.value()
}

// Paths of SQL/JSON find what they find in PostgreSQL, fail as there and are written as there.
func TestGeneratedJSONPaths(t *testing.T) {
	from, to := seeds(1500)
	failures := 0
	for seed := from; seed < to && failures < 15; seed++ {
		m := &pathMaker{Rand: rand.New(rand.NewPCG(uint64(seed), 77))}
		path := m.of("", "", "strict ", "lax ") + m.value()
		if m.IntN(3) == 0 {
			path = m.of("", "strict ") + m.condition()
		}
		doc := pathDocuments[m.IntN(len(pathDocuments))]
		args := fmt.Sprintf("CAST(%s AS jsonb), CAST(%s AS jsonpath)", quoted(doc), quoted(path))
		vars := m.of("", `, '{"x": 2, "y": "a"}'`, `, '{"x": 2, "y": "a"}', true`, `, '{"x": [1, 2], "y": null}', true`)
		sql := "SELECT " + m.of("jsonb_path_query_array", "jsonb_path_query_first", "jsonb_path_exists", "jsonb_path_match", "jsonb_path_query_array_tz", "jsonb_path_exists_tz") + "(" + args + vars + ") AS x"
		switch m.IntN(8) {
		case 0:
			sql = fmt.Sprintf("SELECT CAST(%s AS jsonb) %s CAST(%s AS jsonpath) AS x", quoted(doc), m.of("@?", "@@"), quoted(path))
		case 1:
			sql = fmt.Sprintf("SELECT CAST(CAST(%s AS jsonpath) AS text) AS x", quoted(path))
		case 2:
			sql = "SELECT x FROM jsonb_path_query(" + args + vars + ") AS x"
		}
		got, cols := ours(t.Context(), museum, sql, false)
		if limited(got.err) {
			continue
		}
		if d := difference(got, theirs(t.Context(), sql, cols), true); d != "" {
			failures++
			t.Errorf("seed %d: %s\n  %s", seed, d, sql)
		}
	}
}
