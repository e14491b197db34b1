package syntax

import (
	"strings"
	"testing"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/reflect/protoreflect"

	"rovik/core/value"
)

// growing are texts whose trees get deeper, or wider, with n.
var growing = map[string]func(n int) string{
	"terms":         func(n int) string { return "SELECT 1" + strings.Repeat("+1", n) },
	"casts":         func(n int) string { return "SELECT 1" + strings.Repeat("::int", n) },
	"concatenation": func(n int) string { return "SELECT 'a'" + strings.Repeat(" || 'a'", n) },
	"joins":         func(n int) string { return "SELECT 1 FROM a" + strings.Repeat(" CROSS JOIN a", n) },
	"joins on":      func(n int) string { return "SELECT 1 FROM a" + strings.Repeat(" JOIN a ON true", n) },
	"nested joins": func(n int) string {
		return "SELECT 1 FROM a" + strings.Repeat(" JOIN a", n) + strings.Repeat(" ON true", n)
	},
	"unions":      func(n int) string { return "SELECT 1" + strings.Repeat(" UNION ALL SELECT 1", n) },
	"parentheses": func(n int) string { return "SELECT " + strings.Repeat("(", n) + "1" + strings.Repeat(")", n) },
	"calls":       func(n int) string { return "SELECT " + strings.Repeat("abs(", n) + "1" + strings.Repeat(")", n) },
	"subqueries":  func(n int) string { return "SELECT " + strings.Repeat("(SELECT ", n) + "1" + strings.Repeat(")", n) },
	"from": func(n int) string {
		return "SELECT 1 FROM " + strings.Repeat("(SELECT 1 FROM ", n) + "a" + strings.Repeat(") x", n)
	},
	"case": func(n int) string {
		return "SELECT " + strings.Repeat("CASE WHEN ", n) + "true" + strings.Repeat(" THEN true END", n)
	},
	"case else": func(n int) string {
		return "SELECT " + strings.Repeat("CASE WHEN true THEN 1 ELSE ", n) + "1" + strings.Repeat(" END", n)
	},
	"not":     func(n int) string { return "SELECT " + strings.Repeat("NOT ", n) + "true" },
	"minus":   func(n int) string { return "SELECT " + strings.Repeat("- ", n) + "1" },
	"is null": func(n int) string { return "SELECT 1" + strings.Repeat(" IS NULL", n) },
	"isnull":  func(n int) string { return "SELECT 1" + strings.Repeat(" ISNULL", n) },
	"with": func(n int) string {
		return strings.Repeat("WITH a AS (", n) + "SELECT 1" + strings.Repeat(") SELECT 1", n)
	},
	"arrays":     func(n int) string { return "SELECT " + strings.Repeat("ARRAY[", n) + "1" + strings.Repeat("]", n) },
	"subscripts": func(n int) string { return "SELECT a" + strings.Repeat("[1]", n) },
	"in":         func(n int) string { return "SELECT 1" + strings.Repeat(" IN (1)", n) },
	"in values":  func(n int) string { return "SELECT 1" + strings.Repeat(" IN (VALUES (1))", n) },
	"between":    func(n int) string { return "SELECT 1" + strings.Repeat(" BETWEEN 1 AND 2 IS NULL", n) },
	"zones":      func(n int) string { return "SELECT a" + strings.Repeat(" AT TIME ZONE 'x'", n) },
	"collations": func(n int) string { return "SELECT a" + strings.Repeat(` COLLATE "C"`, n) },
	"like":       func(n int) string { return "SELECT a" + strings.Repeat(" LIKE a IS TRUE", n) },
	"mixed":      func(n int) string { return "SELECT 1" + strings.Repeat(" + (1", n) + strings.Repeat(")", n) },
	"operators":  func(n int) string { return "SELECT 1" + strings.Repeat(" OPERATOR(pg_catalog.+) 1", n) },
	"with in": func(n int) string {
		return "SELECT " + strings.Repeat("EXISTS (WITH a AS (SELECT 1) SELECT ", n) + "1" + strings.Repeat(")", n)
	},
	"lateral": func(n int) string {
		return "SELECT 1 FROM a" + strings.Repeat(", LATERAL (SELECT 1 FROM a", n) + strings.Repeat(") x", n)
	},
	"grouping": func(n int) string {
		return "SELECT 1 FROM a GROUP BY " + strings.Repeat("GROUPING SETS (", n) + "x" + strings.Repeat(")", n)
	},
	"distinct from": func(n int) string { return "SELECT true" + strings.Repeat(" IS DISTINCT FROM true IS NULL", n) },
	"rows":          func(n int) string { return "SELECT " + strings.Repeat("ROW(", n) + "1" + strings.Repeat(")", n) },
	"some":          func(n int) string { return "SELECT 1" + strings.Repeat(" = ANY (a) IS NULL", n) },
}

// A text that is deeper than what the parser survives is refused before it gets there, on the smallest
// stack; what counts as shallow is shallow.
func TestDepthIsBounded(t *testing.T) {
	for name, text := range growing {
		_, err := Parse(text(200_000 / len(text(1))))
		if code := value.Code(err); code != "54001" && code != value.CodeSyntax {
			t.Errorf("%s: a text of 200 kB gives %v", name, err)
		}
		for _, n := range []int{1, 10, 100, 700} {
			holdsBound(t, text(n))
		}
	}
}

// holdsBound checks that a text's tree is not deeper than it counts: each level is at most a few
// messages within each other.
func holdsBound(t *testing.T, text string) {
	t.Helper()
	r, err := pg.Scan(text)
	if err != nil {
		return
	}
	bound, past := depthOfText(r.Tokens, 3*MaxDepth)
	if past != nil {
		return
	}
	if tree, err := pg.Parse(text); err == nil {
		if depth := depthOf(tree.ProtoReflect()); depth > 4*bound+40 {
			t.Errorf("it counts %d, and is %d deep: %.300s", bound, depth, text)
		}
	}
}

// depthOf is how deep messages are nested.
func depthOf(m protoreflect.Message) int {
	deepest := 0
	m.Range(func(f protoreflect.FieldDescriptor, v protoreflect.Value) bool {
		switch {
		case f.IsList() && f.Message() != nil:
			for i := range v.List().Len() {
				deepest = max(deepest, depthOf(v.List().Get(i).Message()))
			}
		case f.Message() != nil && !f.IsMap():
			deepest = max(deepest, depthOf(v.Message()))
		}
		return true
	})
	return deepest + 1
}

// Long lists and conditions are not deep.
func TestWideTextsAreRead(t *testing.T) {
	for name, text := range map[string]string{
		"list":       "SELECT 1" + strings.Repeat(", 1 + 1", 20_000),
		"conditions": "SELECT 1 FROM a WHERE x = 1" + strings.Repeat(" OR x = 1 AND y BETWEEN 1 AND 2", 5_000),
		"in":         "SELECT 1 FROM a WHERE x IN (1" + strings.Repeat(", 1", 50_000) + ")",
		"rows":       "VALUES (1, 'a')" + strings.Repeat(", (1, -1)", 20_000),
		"branches":   "SELECT CASE" + strings.Repeat(" WHEN x = 1 THEN -1", 5_000) + " END FROM a",
		"unions":     "SELECT 1" + strings.Repeat(" UNION ALL SELECT -1 + 1", 900),
		"calls":      "SELECT f(1)" + strings.Repeat(", f(g(1), h[2], (SELECT 1))", 5_000),
	} {
		if _, err := Parse(text); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// FuzzDepth looks for texts of given words that are deeper than they count.
func FuzzDepth(f *testing.F) {
	words := []string{"SELECT", "1", "+", "(", ")", ",", "AND", "OR", "NOT", "IS", "NULL", "BETWEEN", "a", "FROM", "JOIN", "ON", "UNION", "CASE", "WHEN", "THEN", "ELSE", "END", "[", "]", "::int", "IN", "LIKE",
		"DISTINCT", "AS", "WITH", "LATERAL", "VALUES", "ANY", "ARRAY", "ESCAPE", "COLLATE \"C\"", "AT TIME ZONE", ".", "ROW", "EXISTS", "ISNULL", "-", "USING", "NATURAL", "CROSS", "LEFT"}
	for name := range growing {
		f.Add([]byte(name))
	}
	f.Fuzz(func(t *testing.T, pattern []byte) {
		if len(pattern) == 0 || len(pattern) > 24 {
			return
		}
		// A beginning, something repeated, a middle, something repeated and an end.
		var parts [5]string
		for i, b := range pattern {
			parts[i*5/len(pattern)] += " " + words[int(b)%len(words)]
		}
		const n = 400
		text := "SELECT " + parts[0] + strings.Repeat(parts[1], n) + parts[2] + strings.Repeat(parts[3], n) + parts[4]
		holdsBound(t, text)
	})
}
