package tests

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/form"
	"rovik/core/plan"
	"rovik/core/rename"
	"rovik/core/rewrite"
)

// stacked is a world with a generated view and one on top of it.
type stacked struct {
	*world
	low, high string
	columns   []field // of low
}

func stack(seed int64) stacked {
	r := rand.New(rand.NewSource(seed))
	w := makeWorld(r)
	g := newGenerator(r)
	low, fs := g.query(1)
	high, _ := g.over("low.q", fs)
	s := stacked{w, low, high, fs}
	s.with(map[string]string{"low.q": low, "high.q": high})
	return s
}

// with gives the world's views other texts.
func (s *stacked) with(texts map[string]string) {
	var views []*catalog.View
	for name, sql := range texts {
		layer, name, _ := strings.Cut(name, ".")
		views = append(views, &catalog.View{Layer: layer, Name: name, SQL: sql})
	}
	s.catalog = catalog.New(s.catalog.Sources(), []catalog.Layer{{Name: "low"}, {Name: "high"}}, views)
}

func (s *stacked) context() bind.Context {
	return bind.Context{Catalog: s.catalog, Now: time.Unix(0, 0)}
}

// rows are the rows of a query, sorted.
func (s *stacked) rows(sql string) ([]string, error) {
	q, err := s.bound(sql)
	if err != nil {
		return nil, err
	}
	rows, err := s.plainly(rewrite.Rules()[0].Apply(q.Root, rewrite.NewPass(q.IDs)))
	slices.Sort(rows)
	return rows, err
}

// A column that has another name, through all that pass it on or not, and a view
// that has: both views give the rows that they gave, under the names that were
// said.
func TestRenamesKeepTheRows(t *testing.T) {
	done, refused := 0, map[string]int{}
	for seed := range seeds(150) {
		s := stack(seed)
		var before [2][]string
		var err error
		for i, view := range []string{"low.q", "high.q"} {
			if before[i], err = s.rows("SELECT * FROM " + view); err != nil {
				t.Fatalf("seed %d: %v", seed, err)
			}
		}
		texts := map[string]string{"low.q": s.low, "high.q": s.high}
		kept := s.catalog
		check := func(what string, views [2]string, changed map[string]string) {
			t.Helper()
			s.with(changed)
			for i, view := range views {
				after, err := s.rows("SELECT * FROM " + view)
				if err != nil || !slices.Equal(after, before[i]) {
					t.Fatalf("seed %d, %s: %s gives\n%v, %v\nand gave\n%v\nof\n%s\n%s\nbecame\n%v", seed, what, view, after, err, before[i], s.low, s.high, changed)
				}
			}
			s.catalog = kept
			done++
		}
		// A name of its own, and one that the tables around have.
		to := []string{"other_name"}
		for _, name := range []string{"id", "k", "n", "m"} {
			if !slices.ContainsFunc(s.columns, func(f field) bool { return f.name == name }) {
				to = append(to, name)
			}
		}
		for i, c := range s.columns {
			for _, through := range []bool{false, true} {
				to := to[i%len(to)]
				e := estate.New(s.context(), nil)
				p, err := rename.Column(s.context(), e, "low.q", c.name, to, through)
				if err != nil {
					refused[short(err)]++
					continue
				}
				changed := map[string]string{"low.q": s.low, "high.q": s.high}
				for _, x := range p.Texts {
					changed[x.View] = x.Is
				}
				check(fmt.Sprintf("%s through %v", c.name, through), [2]string{"low.q", "high.q"}, changed)
				if s.with(changed); nameOfColumn(t, s, "low.q", c.name, s.low) != to {
					t.Fatalf("seed %d: %s is not renamed in %s", seed, c.name, changed["low.q"])
				}
				s.catalog = kept
			}
		}
		p, err := rename.Views(s.context(), estate.New(s.context(), nil), map[string]string{"low.q": "low.moved"}, s.catalog.Layers())
		if err != nil {
			t.Fatalf("seed %d: %v\n%s", seed, err, s.high)
		}
		changed := map[string]string{"low.moved": texts["low.q"], "high.q": s.high}
		for _, x := range p.Texts {
			changed[x.View] = x.Is
		}
		check("the view moved", [2]string{"low.moved", "high.q"}, changed)
	}
	total := done
	for _, n := range refused {
		total += n
	}
	t.Logf("%d renamings were done; refused: %v", done, refused)
	if done < 300 || done*10 < total*9 {
		t.Errorf("only %d of %d renamings were done: %v", done, total, refused)
	}
}

// nameOfColumn is what the column at the place of another is called now.
func nameOfColumn(t *testing.T, s stacked, view, was, text string) string {
	t.Helper()
	old, err := s.bound(text)
	if err != nil {
		t.Fatal(err)
	}
	at := slices.IndexFunc(old.Root.Columns(), func(c plan.Column) bool { return c.Name == was })
	now, err := s.bound("SELECT * FROM " + view)
	if err != nil {
		t.Fatal(err)
	}
	return now.Root.Columns()[at].Name
}

// short is an error without the names in it.
func short(err error) string {
	words := strings.Fields(err.Error())
	return strings.Join(words[:min(7, len(words))], " ")
}

// Edits of the form that say nothing new change no row: another alias, a filter that
// is always true, a column more that is left out again, other order of columns.
func TestFormEditsKeepTheRows(t *testing.T) {
	done := map[string]int{}
	for seed := range seeds(150) {
		s := stack(seed)
		for _, sql := range []string{s.low, s.high} {
			f, err := form.Of(sql)
			if err != nil {
				t.Fatalf("seed %d: %v", seed, err)
			}
			before, err := s.rows(sql)
			if err != nil {
				t.Fatalf("seed %d: %v", seed, err)
			}
			same := func(what string, edits ...form.Edit) {
				t.Helper()
				next, err := form.Apply(sql, edits...)
				if err != nil {
					return // that edit is not for this text
				}
				after, err := s.rows(next)
				if err != nil || !slices.Equal(after, before) {
					t.Fatalf("seed %d, %s: %v\n%s\nbecame\n%s\nwith the rows\n%v\nin the place of\n%v", seed, what, err, sql, next, after, before)
				}
				done[what]++
			}
			for b, block := range f.Blocks {
				for i := range block.Inputs {
					same("another alias", form.Edit{Do: "set alias", Block: b, At: i, Name: "otherwise"})
				}
				same("a filter that holds", form.Edit{Do: "add filter", Block: b, Text: "1 = 1"})
				if len(block.Groups) > 0 {
					same("a condition on groups that holds", form.Edit{Do: "add filter", Kind: "having", Block: b, Text: "1 = 1"})
				}
				n := len(block.Outputs)
				same("a column more and less", form.Edit{Do: "add output", Block: b, At: -1, Text: "7", Name: "seven"}, form.Edit{Do: "remove output", Block: b, Items: []int{n}})
				same("columns there and back", form.Edit{Do: "move output", At: 0, To: n - 1}, form.Edit{Do: "move output", At: n - 1, To: 0})
				if x := block.Outputs[0].Expr.Text; !strings.Contains(x, "::") && !strings.Contains(x, "CAST(") { // which another would take the place of
					same("a cast put on and taken off", form.Edit{Do: "cast output", Block: b, At: 0, Kind: "text"}, form.Edit{Do: "cast output", Block: b, At: 0})
				}
			}
			if len(f.Blocks) == 1 && f.Limit == nil {
				same("a limit that is no limit", form.Edit{Do: "set limit", Text: "1000000"})
			}
		}
	}
	t.Log(done)
	for _, what := range []string{"another alias", "a filter that holds", "a column more and less", "columns there and back", "a limit that is no limit"} {
		if done[what] < 50 {
			t.Errorf("%s was tried %d times", what, done[what])
		}
	}
}
