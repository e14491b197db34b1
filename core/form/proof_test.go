package form

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rovik/core/syntax"
)

// strewn puts comments of both kinds between the tokens of a text.
func strewn(r *rand.Rand, sql string, share float64) string {
	tokens, err := syntax.Tokens(sql)
	if err != nil {
		panic(err)
	}
	var b strings.Builder
	from := 0
	for i, t := range tokens {
		b.WriteString(sql[from:t.End])
		from = t.End
		if i+1 < len(tokens) && r.Float64() < share && !(sql[t.Start:t.End] == "." || tokens[i+1].Start == t.End) {
			fmt.Fprintf(&b, []string{" /* c%d */ ", " -- l%d\n", " /* c%d */\n"}[r.IntN(3)], i)
		}
	}
	return b.String() + sql[from:]
}

// edited are texts with everything in them that edits could forget.
var edited = []string{
	"SELECT a.x, a.y AS why, a.z + 1 AS next FROM t.a AS a WHERE a.x > 3 OR a.y IS NULL ORDER BY 2 DESC, why, a.z LIMIT 10",
	"SELECT a.x, count(*) AS n, sum(a.z) FROM t.a JOIN t.b AS b ON b.k = a.k AND b.v > 1 OR b.w GROUP BY 1 HAVING count(*) > 1 ORDER BY 2, x",
	"SELECT a.x, a.y FROM t.a UNION ALL SELECT b.p, b.q AS q FROM t.b WHERE b.p NOT IN (1, 2) ORDER BY x, 2",
	"SELECT DISTINCT ON (a.x) a.x, a.y, a.z FROM t.a ORDER BY a.x, a.y DESC NULLS LAST",
	"SELECT DISTINCT a.x, a.y AS b FROM t.a, t.b WHERE EXISTS (SELECT FROM t.c WHERE c.k = a.k) AND a.x > 20 AND a.y BETWEEN SYMMETRIC 1 AND 2",
	"WITH w AS (SELECT 1 AS k) SELECT w.k, CASE WHEN w.k = 1 OR w.k = 2 THEN 1 END AS c FROM w LEFT JOIN t.a AS a USING (k) WHERE CASE WHEN a.x OR a.y THEN true ELSE false END ORDER BY c, 1",
	"SELECT a.*, a.x AS y FROM t.a WHERE a.x = 1 AND (a.y = 2 OR a.z = 3) OFFSET 2",
}

// someEdit makes an edit that may fit a text.
func someEdit(r *rand.Rand) Edit {
	exprs := []string{"a.k", "a.x", "a.y + 1", "7", "b.v", "coalesce(a.x, 0)"}
	conds := []string{"a.k < 5", "a.k < 5 OR a.m", "a.x IN (1, 2)", "1 = 1", "a.y BETWEEN SYMMETRIC 2 AND 1"}
	names := []string{"", "x", "y", "why", "q", "Odd one", "order", "n"}
	var all []string
	for do := range edits() {
		all = append(all, do)
	}
	slices.Sort(all)
	e := Edit{Do: all[r.IntN(len(all))], At: r.IntN(4) - r.IntN(2)*r.IntN(2), To: r.IntN(3), Block: r.IntN(4) / 3, Text: exprs[r.IntN(len(exprs))], Name: names[r.IntN(len(names))]}
	switch e.Do {
	case "add filter", "set filter":
		e.Text, e.Kind = conds[r.IntN(len(conds))], []string{"", "", "having"}[r.IntN(3)]
	case "remove filter":
		e.Kind = []string{"", "having"}[r.IntN(2)]
	case "add input", "add block":
		e.Name, e.Kind, e.Text = "t.new", []string{"inner", "left", "cross"}[r.IntN(3)], ""
		e.Texts = []string{"{new}.k = a.k", conds[r.IntN(len(conds))]}
	case "set join":
		e.Kind = []string{"inner", "left", "full", "cross"}[r.IntN(4)]
	case "set condition":
		e.Texts = conds[:1+r.IntN(3)]
	case "remove output", "cast output", "clean output":
		e.Items = [][]int{nil, {0}, {1}, {0, 1}, {2}}[r.IntN(5)]
		e.Kind = "text"
		e.Clean = &Clean{Step: StepTrim}
	case "set distinct":
		e.Kind = []string{"on", "off"}[r.IntN(2)]
	case "add order", "set order":
		e.Kind = []string{"", "descending"}[r.IntN(2)]
	case "first of each", "group":
		e.Items, e.Texts = []int{0}, []string{"a.x"}
	case "expand star":
		e.Texts = []string{"a.p", "a.q", "a.r"}
	case "set limit":
		e.Text = []string{"", "5"}[r.IntN(2)]
	case "pivot":
		e.Name, e.Text, e.Texts, e.Items = "a.y", "count(*)", []string{"1", "NULL"}, []int{0}
	}
	return e
}

// Whatever comments stand between the words of a text, an edit makes of it what it makes
// of the text without them.
func TestEditsAmongComments(t *testing.T) {
	done, refused, alone := map[string]int{}, map[string]int{}, 0
	for seed := range 4000 {
		r := rand.New(rand.NewPCG(uint64(seed), 5))
		plain := edited[r.IntN(len(edited))]
		text := strewn(r, plain, []float64{0.1, 0.3, 0.9}[r.IntN(3)])
		e := someEdit(r)
		want, err := Apply(plain, e)
		got, gotErr := Apply(text, e)
		if err != nil {
			if gotErr == nil {
				t.Errorf("%+v of\n%s\nis made among comments alone:\n%s\n%v", e, text, got, err)
			}
			refused[e.Do]++
			continue
		}
		if gotErr != nil {
			if alone++; strings.Contains(gotErr.Error(), "that would") && !strings.Contains(gotErr.Error(), "lose the comment") {
				t.Errorf("%+v of\n%s\nis refused among comments alone: %v\nplain gives\n%s", e, text, gotErr, want)
			}
			continue
		}
		done[e.Do]++
		a, err1 := read(want)
		b, err2 := read(got)
		if err1 != nil || err2 != nil {
			t.Fatal(err1, err2)
		}
		x, y := a.says(), b.says()
		y.Comment = nil
		if fmt.Sprint(x) != fmt.Sprint(y) {
			t.Errorf("%+v of\n%s\ngives\n%s\nin the place of\n%s", e, text, got, want)
		}
	}
	t.Logf("done %v, refused %v, refused among comments alone %d", done, refused, alone)
	for do := range edits() {
		if done[do] < 1 {
			t.Errorf("%q was done %d times", do, done[do])
		}
	}
}

// What is sorted by, and which rows are first, stays when outputs move, go or are renamed.
func TestKeysFollowOutputs(t *testing.T) {
	const sorted = "SELECT a.x, a.y AS why, a.z FROM t.a ORDER BY 2 DESC, why, x"
	for _, c := range []struct {
		sql, want string
		e         Edit
	}{
		{sorted, "SELECT a.y AS why, a.x, a.z FROM t.a ORDER BY 1 DESC, why, x", Edit{Do: "move output", At: 1, To: 0}},
		{sorted, "SELECT a.x, a.z FROM t.a ORDER BY a.y DESC, a.y, x", Edit{Do: "remove output", At: 1}},
		{sorted, "SELECT a.y AS why, a.z FROM t.a ORDER BY 1 DESC, why, a.x", Edit{Do: "remove output", At: 0}},
		{sorted, "SELECT 7, a.x, a.y AS why, a.z FROM t.a ORDER BY 3 DESC, why, x", Edit{Do: "add output", At: 0, Text: "7"}},
		{sorted, "SELECT a.x, a.y AS z2, a.z FROM t.a ORDER BY 2 DESC, z2, x", Edit{Do: "set output", At: 1, Name: "z2"}},
		{sorted, "SELECT a.x, a.y, a.z FROM t.a ORDER BY 2 DESC, y, x", Edit{Do: "set output", At: 1, Name: "y"}},
		{sorted, "SELECT a.x AS k, a.y AS why, a.z FROM t.a ORDER BY 2 DESC, why, k", Edit{Do: "set output", At: 0, Name: "k"}},
		{"SELECT a.x, count(*) FROM t.a GROUP BY 1 ORDER BY 2", "SELECT count(*), a.x FROM t.a GROUP BY 2 ORDER BY 1", Edit{Do: "move output", At: 0, To: 1}},
		{"SELECT a.x, count(*) FROM t.a GROUP BY 1", "SELECT count(*) FROM t.a GROUP BY a.x", Edit{Do: "remove output", At: 0}},
		{"SELECT a.x, a.y FROM t.a UNION ALL SELECT 1, 2 ORDER BY 2", "SELECT a.y, a.x FROM t.a UNION ALL SELECT 2, 1 ORDER BY 1", Edit{Do: "move output", At: 0, To: 1}},
		{"SELECT a.x, -- first\n b.y FROM t.a", "SELECT a.x -- first\nFROM t.a", Edit{Do: "remove output", At: 1}},
		{"SELECT a.x /* one */ AS /* two */ k FROM t.a", "SELECT a.x /* one */ AS /* two */ m FROM t.a", Edit{Do: "set output", Name: "m"}},
		{"SELECT a.x /* one */ AS /* two */ k FROM t.a", "SELECT a.x /* one */ /* two */ FROM t.a", Edit{Do: "set output", Name: "x"}},
		{"SELECT /* one */ DISTINCT /* two */ a.x FROM t.a", "SELECT /* one */ /* two */ a.x FROM t.a", Edit{Do: "set distinct", Kind: "off"}},
		{"SELECT 1 FROM t.a WHERE a.x > 3 OR /* u */ a.x IS NULL", "SELECT 1 FROM t.a WHERE (a.x > 3 OR /* u */ a.x IS NULL) AND a.id < 5", Edit{Do: "add filter", Text: "a.id < 5"}},
		{"SELECT 1 FROM t.a WHERE a.x BETWEEN SYMMETRIC 1 AND 2", "SELECT 1 FROM t.a WHERE a.x BETWEEN SYMMETRIC 1 AND 2 AND a.y", Edit{Do: "add filter", Text: "a.y"}},
		{"SELECT 1 FROM t.a WHERE EXISTS (SELECT FROM t.b) AND a.x > 20", "SELECT 1 FROM t.a WHERE EXISTS (SELECT FROM t.b)", Edit{Do: "remove filter", At: 1}},
		{"SELECT a.x FROM t.a -- from a\nUNION ALL -- and\nSELECT b.x FROM t.b", "SELECT a.x FROM t.a -- from a", Edit{Do: "remove block", Block: 1}},
	} {
		if got, err := Apply(c.sql, c.e); err != nil || got != c.want {
			t.Errorf("%+v of %s\ngives %s, %v\nwant  %s", c.e, c.sql, got, err, c.want)
		}
	}
	for sql, e := range map[string]Edit{
		"SELECT a.x AS k, a.y FROM t.a ORDER BY y2":                        {Do: "set output", At: 0, Name: "y2"},
		"SELECT a.x FROM t.a ORDER BY y2":                                  {Do: "add output", At: -1, Text: "a.z", Name: "y2"},
		"SELECT DISTINCT a.x, a.y FROM t.a ORDER BY a.y, y":                {Do: "remove output", At: 1},
		"SELECT a.x, a.y FROM t.a UNION SELECT 1, 2 ORDER BY 2":            {Do: "remove output", At: 1},
		"SELECT * FROM t.a UNION SELECT 1, 2":                              {Do: "remove block", Block: 0},
		"SELECT DISTINCT ON (a.x) a.x, a.y FROM t.a ORDER BY a.x, a.y":     {Do: "remove order", At: 0},
		"SELECT DISTINCT ON (x) a.x, a.y FROM t.a ORDER BY /* c */ 1, a.y": {Do: "remove order", At: 0},
	} {
		if got, err := Apply(sql, e); err == nil {
			t.Errorf("%+v of %s is made: %s", e, sql, got)
		}
	}
}
