package tests

import (
	"iter"
	"math/rand"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/rewrite"
	"rovik/core/value"
)

// seeds yields n seeds, or as many as ROVIK_SEEDS says.
func seeds(n int64) iter.Seq[int64] {
	if asked, err := strconv.ParseInt(os.Getenv("ROVIK_SEEDS"), 10, 64); err == nil {
		n = asked
	}
	return func(yield func(int64) bool) {
		for s := range n {
			if !yield(s) {
				return
			}
		}
	}
}

// Whatever the sources refuse, keep or narrow, the answer is the same.
func TestRefusalsNeverChangeTheAnswer(t *testing.T) {
	verdicts := map[fold.Verdict]int{}
	shipped, empty, queries := 0, 0, 0
	for seed := range seeds(1200) {
		r := rand.New(rand.NewSource(seed))
		w := makeWorld(r)
		sql, _ := newGenerator(r).query(2)
		want := w.reference(t, sql)
		if queries++; len(want) == 0 {
			empty++
		}
		for _, refuses := range []int{0, 25, 60} {
			batch := []int{0, 2, 50}[r.Intn(3)]
			var of []*willful
			for _, name := range []string{"a", "b", "c"} {
				of = append(of, byToss(name, seed, refuses, batch))
			}
			got, c, err := w.folded(sql, fold.Options{}, of...)
			if err != nil {
				t.Errorf("seed %d, %d%% refused: %v\n%s", seed, refuses, err, sql)
				continue
			}
			if !slices.Equal(got, want) {
				t.Errorf("seed %d, %d%% refused\n%s\ngot  %s\nwant %s\n%s", seed, refuses, sql, strings.Join(got, " "), strings.Join(want, " "), plan.Print(c.Root))
			}
			for _, p := range c.Pieces {
				verdicts[p.Verdict]++
				if (p.Reason == nil) != (p.Verdict == fold.Folded) {
					t.Errorf("seed %d: %s %q is %s with the reason %v", seed, p.Kind, p.Text, p.Verdict, p.Reason)
				}
				if p.Reason != nil && p.Reason.Code == fold.KeysShipped {
					shipped++
				}
			}
		}
		if t.Failed() {
			return
		}
	}
	t.Logf("%v, %d joins with keys shipped, %d results without rows", verdicts, shipped, empty)
	if empty > queries/2 {
		t.Errorf("%d of %d results have no rows", empty, queries)
	}
	for _, v := range []fold.Verdict{fold.Folded, fold.Narrowed, fold.Kept} {
		if verdicts[v] < 100 {
			t.Errorf("only %d pieces were %s", verdicts[v], v)
		}
	}
	if shipped < 100 {
		t.Errorf("only %d joins shipped keys", shipped)
	}
}

// Each rule alone keeps the meaning of any query, and the query's columns.
func TestEachRuleAloneKeepsTheMeaning(t *testing.T) {
	rules := map[string]rewrite.Rule{}
	for _, r := range rewrite.Rules() {
		rules[r.Name] = r
	}
	fired := map[string]int{}
	for seed := range seeds(1000) {
		r := rand.New(rand.NewSource(seed))
		w := makeWorld(r)
		sql, _ := newGenerator(r).query(2)
		want := w.reference(t, sql)
		q, err := w.bound(sql)
		if err != nil {
			t.Fatal(err)
		}
		before := rewrite.Rules()[0].Apply(q.Root, rewrite.NewPass(q.IDs))
		was := plan.Print(before)
		for name, rule := range rules {
			after, err := applied(rule, before, q)
			if err != nil {
				t.Fatalf("seed %d, %s: %v\n%s", seed, name, err, sql)
			}
			if plan.Print(after) == was {
				continue
			}
			fired[name]++
			if !slices.Equal(after.Columns(), before.Columns()) {
				t.Errorf("seed %d, %s: columns %v, were %v\n%s", seed, name, after.Columns(), before.Columns(), sql)
			}
			got, err := w.plainly(after)
			if err != nil || !slices.Equal(got, want) {
				t.Errorf("seed %d, %s: %v\n%s\ngot  %s\nwant %s\nbefore\n%s\nafter\n%s", seed, name, err, sql, strings.Join(got, " "), strings.Join(want, " "), was, plan.Print(after))
			}
		}
		if t.Failed() {
			return
		}
	}
	for name := range rules {
		if fired[name] < 5 && name != "decorrelate" {
			t.Errorf("%s changed %d queries", name, fired[name])
		}
	}
}

func applied(r rewrite.Rule, root plan.Node, q *plan.Query) (out plan.Node, err error) {
	defer value.Catch(&err)
	return r.Apply(root, rewrite.NewPass(q.IDs)), nil
}
