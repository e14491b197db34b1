package tests

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// pattern writes a regular expression of the syntax that Rovik and PostgreSQL
// share, deep parentheses and quantifiers of both preferences included.
func pattern(r *rand.Rand, depth int) string {
	atom := func() string {
		atoms := []string{"a", "b", "c", "ab", ".", "[ab]", "[^a]", "é", `\w`, `\d`}
		if r.IntN(25) == 0 {
			atoms = []string{"^", "$"}
		}
		if depth > 0 && r.IntN(2) == 0 {
			return []string{"(", "(?:"}[r.IntN(2)] + pattern(r, depth-1) + ")"
		}
		return atoms[r.IntN(len(atoms))]
	}
	var branches []string
	for range 1 + r.IntN(5)/4 {
		var b strings.Builder
		for range 1 + r.IntN(3) {
			b.WriteString(atom())
			b.WriteString([]string{"", "", "*", "+", "?", "{1,2}", "{2}", "*?", "+?", "??", "{0,2}?"}[r.IntN(11)])
		}
		branches = append(branches, b.String())
	}
	return strings.Join(branches, "|")
}

// Matches, their parts, and what is done with them are PostgreSQL's.
func TestGeneratedRegexesHoldTheLaw(t *testing.T) {
	a, ref := nastyWorld(t)
	from, to := seeds(400)
	failures := 0
	for seed := from; seed < to && failures < 12; seed++ {
		r := rand.New(rand.NewPCG(uint64(seed), 7))
		p := pattern(r, 2)
		sql := fmt.Sprintf(`SELECT s, s ~ '%[1]s', regexp_match(s, '%[1]s'), substring(s from '%[1]s'), regexp_replace(s, '%[1]s', '<\1\&>', 'g'), regexp_count(s, '%[1]s'), regexp_split_to_array(s, '%[1]s'), regexp_instr(s, '%[1]s')
FROM (VALUES (''), ('a'), ('abc'), ('aab1b'), ('cabéab'), ('bbbaaacc12')) q(s)`, p)
		if !t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) { holdsLawOn(t, a, ref, sql, false) }) {
			t.Logf("the pattern is %s", p)
			failures++
		}
	}
}
