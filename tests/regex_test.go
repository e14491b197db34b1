package tests

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// patterns writes regular expressions of PostgreSQL's whole syntax: deep parentheses,
// quantifiers of both preferences, conditions on places, and back references.
type patterns struct {
	r      *rand.Rand
	groups int // begun so far; some may not have ended
	inside int // lookaround
}

func (p *patterns) one(of ...string) string { return of[p.r.IntN(len(of))] }

func (p *patterns) expression(depth int) string {
	var branches []string
	for range 1 + p.r.IntN(5)/4 {
		var b strings.Builder
		for range 1 + p.r.IntN(3) {
			b.WriteString(p.atom(depth))
		}
		branches = append(branches, b.String())
	}
	return strings.Join(branches, "|")
}

// atom writes one with its quantifier.
func (p *patterns) atom(depth int) string {
	quantified := func(s string) string {
		return s + p.one("", "", "", "*", "+", "?", "{1,2}", "{2}", "*?", "+?", "??", "{0,2}?", "{1,1}", "{2,2}?", "{0}")
	}
	switch n := p.r.IntN(40); {
	case n < 2:
		return p.one("^", "$", `\A`, `\Z`, `\m`, `\M`, `\y`, `\Y`, "[[:<:]]", "[[:>:]]")
	case n < 5 && p.groups > 0 && p.inside == 0:
		return quantified(fmt.Sprintf(`\%d`, 1+p.r.IntN(p.groups)))
	case n < 8 && depth > 0:
		p.inside++
		s := p.one("(?=", "(?!", "(?<=", "(?<!") + p.expression(depth-1) + ")"
		p.inside--
		return s
	case n < 22 && depth > 0:
		open := p.one("(", "(?:")
		if open == "(" && p.inside == 0 {
			p.groups++
		}
		return quantified(open + p.expression(depth-1) + ")")
	case n < 24:
		return quantified(p.one("(?#a comment)", "[]a]", "[^]a-c]", "[[:alpha:]]", "[^[:digit:]a]", `[\w.]`, `[\d-]`, `\x61`, `\u0062`, `\\`, `\.`, `\S`, `\D`, `\W`, `[[.a.]-c]`, `[[=a=]]`, "(a|b)", "(?:a|b)", "a|b", "", "{a"))
	}
	return quantified(p.one("a", "b", "c", "ab", ".", "[ab]", "[^a]", "é", `\w`, `\d`, "A", "x", "[a-c]"))
}

// prefix writes options now and then.
func (p *patterns) prefix() string {
	if p.r.IntN(10) > 0 {
		return ""
	}
	return p.one("(?i)", "(?n)", "(?p)", "(?w)", "(?x)", "(?s)", "***:", "***=", "(?q)", "(?ix)", "(?e)")
}

// agree compares generated queries over all seeds with PostgreSQL.
func agree(t *testing.T, usual int, stream uint64, query func(p patterns) string) {
	t.Helper()
	a, ref := nastyWorld(t)
	from, to := seeds(usual)
	failures := 0
	for seed := from; seed < to && failures < 12; seed++ {
		sql := query(patterns{r: rand.New(rand.NewPCG(uint64(seed), stream))})
		if !t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) { holdsLawOn(t, a, ref, sql, false) }) {
			failures++
		}
	}
}

// Matches, their parts, and what is done with them are PostgreSQL's.
func TestGeneratedRegexesHoldTheLaw(t *testing.T) {
	agree(t, 500, 7, func(p patterns) string {
		pattern := p.prefix() + p.expression(1+p.r.IntN(3))
		calls := fmt.Sprintf(`s ~ '%[1]s', regexp_match(s, '%[1]s'), substring(s from '%[1]s'), regexp_replace(s, '%[1]s', '<\1\&>', 'g'), regexp_count(s, '%[1]s'), regexp_split_to_array(s, '%[1]s'), regexp_instr(s, '%[1]s')`, pattern)
		if p.r.IntN(3) == 0 {
			start, n, flags, sub := 1+p.r.IntN(4), 1+p.r.IntN(3), p.one("", "i", "n", "p", "w", "x", "c", "s", "q", "in"), p.r.IntN(3)
			calls = fmt.Sprintf(`regexp_like(s, '%[1]s', '%[4]s'), regexp_match(s, '%[1]s', '%[4]s'), regexp_replace(s, '%[1]s', '<\2>', %[2]d, %[3]d, '%[4]s'), regexp_count(s, '%[1]s', %[2]d, '%[4]s'),
regexp_instr(s, '%[1]s', %[2]d, %[3]d, %[6]d, '%[4]s', %[5]d), regexp_substr(s, '%[1]s', %[2]d, %[3]d, '%[4]s', %[5]d), regexp_split_to_array(s, '%[1]s', '%[4]s')`, pattern, start, n, flags, sub, p.r.IntN(2))
		}
		return fmt.Sprintf(`SELECT s, %s FROM (VALUES (''), ('a'), ('abc'), ('aab1b'), ('cabéab'), ('bbbaaacc12'), ('Abab' || chr(10) || 'ab cab'), ('a.b-a\x]')) q(s)`, calls)
	})
}

// Patterns of SIMILAR TO and of SUBSTRING … SIMILAR are PostgreSQL's.
func TestGeneratedSimilarPatternsHoldTheLaw(t *testing.T) {
	agree(t, 150, 8, func(p patterns) string {
		escape := p.one(`\`, "#", "", "!")
		part := func() string {
			var b strings.Builder
			for range 1 + p.r.IntN(4) {
				b.WriteString(p.one("a", "b", "ab", "%", "_", "(a|b)", "(ab)", "[ab]", "[^a]", "[[:digit:]]", "1", ".", "$", "^", `\`, "é", "c", escape+"%", escape+"_", escape+"d", escape+"a"))
				b.WriteString(p.one("", "", "", "", "*", "+", "?", "{1,2}", "|"))
			}
			return b.String()
		}
		sql := fmt.Sprintf(`SELECT s, s SIMILAR TO '%s' ESCAPE '%s'`, part(), escape)
		if escape != "" {
			parts := []string{part(), part(), part()}
			sql += fmt.Sprintf(`, substring(s similar '%s' escape '%s')`, strings.Join(parts[:1+p.r.IntN(3)], escape+`"`), escape)
		}
		return sql + ` FROM (VALUES (''), ('a'), ('abc'), ('aab1b'), ('cabéab'), ('a.b$'), ('%a_b'), ('ab\d')) q(s)`
	})
}
