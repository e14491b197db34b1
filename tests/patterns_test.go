package tests

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// patternSeeds is how many patterns a plain test run formats and reads by.
const patternSeeds = 500

var (
	dateWords = strings.Fields("HH HH12 HH24 MI SS MS US FF1 FF3 FF6 SSSS SSSSS AM am A.M. p.m. PM Y,YYY YYYY YYY YY Y IYYY IYY IY I BC ad B.C. MONTH Month month MON Mon mon MM DAY Day day DY Dy dy DDD IDDD DD D ID W WW IW CC J Q RM rm")
	zoneWords = strings.Fields("TZ tz TZH TZM OF")
	numeral   = strings.Fields("9 9 99 0 00 . D , G S MI PL SG PR L V EEEE RN rn TH th FM")
	marks     = []string{"", "", " ", "-", "/", ":", ".", ",", "\"of\"", "\"\\\"q\"", "T", "x", "  ", "_", "é"}
)

// datePattern puts words of a pattern for moments together.
func datePattern(r *rand.Rand, words []string, parts int) string {
	var b strings.Builder
	for i := range parts {
		if i > 0 || r.IntN(4) == 0 {
			b.WriteString(marks[r.IntN(len(marks))])
		}
		if r.IntN(5) == 0 {
			b.WriteString([]string{"FM", "FM", "fm", "TM"}[r.IntN(4)])
		}
		b.WriteString(words[r.IntN(len(words))])
		if r.IntN(8) == 0 {
			b.WriteString([]string{"TH", "th"}[r.IntN(2)])
		}
	}
	return b.String()
}

// numberPattern puts words of a pattern for numbers together, mostly in an order
// that can be.
func numberPattern(r *rand.Rand) string {
	digits := func(n int) string {
		out := ""
		for range n {
			out += []string{"9", "9", "0"}[r.IntN(3)]
			if r.IntN(6) == 0 {
				out += []string{",", "G"}[r.IntN(2)]
			}
		}
		return out
	}
	if r.IntN(6) == 0 { // anything
		out := ""
		for range 1 + r.IntN(5) {
			out += numeral[r.IntN(len(numeral))]
		}
		return out
	}
	out := []string{"", "", "FM", "S", "MI", "PL", "SG", "FMS"}[r.IntN(8)] + digits(1+r.IntN(5))
	if r.IntN(2) == 0 {
		out += []string{".", "D"}[r.IntN(2)] + digits(r.IntN(4))
	}
	return out + []string{"", "", "", "S", "MI", "PR", "PL", "SG", "TH", "EEEE", "V99"}[r.IntN(11)]
}

// patternQuery formats values by a pattern, or reads strings that it wrote.
func patternQuery(r *rand.Rand) string {
	const moments = "(VALUES (timestamp '2024-02-29 13:04:05.006007'), ('1999-12-31 23:59:59.999999'), ('0001-01-01 00:00:00'), ('2000-10-10 12:00:00.5'), ('1985-07-03 00:30:09')) v(t)"
	const spans = "(VALUES (interval '1 year 2 months 3 days 04:05:06.789'), ('-5 days -30:00:00.1'), ('0'), ('100 hours')) v(t)"
	const numbers = "(VALUES (1234.567), (-0.5), (0), (0.004), (99999), (-12.30), (1), (485), (3999)) v(t)"
	switch r.IntN(8) {
	case 0, 1:
		return fmt.Sprintf("SELECT to_char(t, %s) FROM %s", quoted(datePattern(r, dateWords, 1+r.IntN(4))), moments)
	case 2:
		return fmt.Sprintf("SELECT to_char(CAST(t AS timestamptz), %s) FROM %s", quoted(datePattern(r, append(dateWords[:len(dateWords):len(dateWords)], zoneWords...), 1+r.IntN(3))), moments)
	case 3:
		return fmt.Sprintf("SELECT to_char(t, %s) FROM %s", quoted(datePattern(r, dateWords, 1+r.IntN(3))), spans)
	case 4, 5:
		cast := []string{"numeric", "double precision", "real", "integer", "bigint"}[r.IntN(5)]
		return fmt.Sprintf("SELECT to_char(CAST(t AS %s), %s) FROM %s", cast, quoted(numberPattern(r)), numbers)
	case 6: // one text at a time: each may be an error
		at := r.IntN(9)
		p, q := numberPattern(r), numberPattern(r)
		if r.IntN(3) > 0 {
			q = p
		}
		return fmt.Sprintf("SELECT to_number(to_char(t, %s), %s) FROM (SELECT t FROM %s OFFSET %d LIMIT 1) w", quoted(p), quoted(q), numbers, at)
	}
	words := strings.Fields("YYYY YYYY MM MM DD DD Month Mon DDD HH24 HH12 MI SS MS US AM J Q YY CC W WW IYYY IW ID FF3 BC RM Day")
	p := datePattern(r, words, 1+r.IntN(4))
	q := p
	if r.IntN(4) == 0 {
		q = datePattern(r, words, 1+r.IntN(3))
	}
	f := []string{"to_date", "to_timestamp"}[r.IntN(2)]
	return fmt.Sprintf("SELECT %s(to_char(t, %s), %s) FROM (SELECT t FROM %s OFFSET %d LIMIT 1) w", f, quoted(p), quoted(q), moments, r.IntN(5))
}

// What values become by patterns, and strings by them, is PostgreSQL's; a pattern that
// is not supported says so.
func TestGeneratedPatternsHoldTheLaw(t *testing.T) {
	a, ref := nastyWorld(t)
	from, to := seeds(patternSeeds)
	failures, refused := 0, 0
	for seed := from; seed < to && failures < 12; seed++ {
		sql := patternQuery(rand.New(rand.NewPCG(uint64(seed), 41)))
		if o, _ := ours(t.Context(), a, sql, false); o.class == "0A" {
			refused++
			continue
		}
		if !t.Run(fmt.Sprintf("seed %d", seed), func(t *testing.T) { holdsExactly(t, a, ref, sql) }) {
			failures++
		}
	}
	if refused > (to-from)/3 {
		t.Errorf("%d of %d patterns are not supported", refused, to-from)
	}
}
