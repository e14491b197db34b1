package tests

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/core/form"
	"rovik/core/syntax"
	"rovik/demo"
)

// formTexts are the demo's views and generated queries.
func formTexts() map[string]string {
	out := map[string]string{}
	for _, v := range demo.Views {
		out[v.FullName()] = v.SQL
	}
	for seed := range uint64(150) {
		out[fmt.Sprint("generated ", seed)] = generate(seed)
		g := &wide{r: rand.New(rand.NewPCG(seed, 99))}
		out[fmt.Sprint("wide ", seed)] = g.top()
	}
	return out
}

// The form is the text: every word stands in one of its parts, or is one of the
// words between them.
func TestFormLosesNothing(t *testing.T) {
	between := strings.Fields("select distinct all from where group by having window order limit offset union join inner left right full outer cross natural on using and or as with recursive lateral , ( ) ; asc desc nulls first last")
	for name, sql := range formTexts() {
		f, err := form.Of(sql)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		covered := make([]bool, len(sql))
		see := func(p form.Part) {
			if sql[p.Start:p.End] != p.Text {
				t.Errorf("%s: a part at %d says %q", name, p.Start, p.Text)
			}
			for i := p.Start; i < p.End; i++ {
				covered[i] = true
			}
		}
		each(f, see)
		tokens, err := syntax.Tokens(sql)
		if err != nil {
			t.Fatal(err)
		}
		for _, k := range tokens {
			if word := sql[k.Start:k.End]; !covered[k.Start] && !k.Comment && !slices.Contains(between, strings.ToLower(word)) {
				t.Errorf("%s: %q at %d is in no part of\n%s", name, word, k.Start, sql)
				break
			}
		}
	}
}

// each visits the smallest parts of a form.
func each(f *form.Form, see func(form.Part)) {
	all := func(parts []form.Part) {
		for _, p := range parts {
			see(p)
		}
	}
	opt := func(p *form.Part) {
		if p != nil {
			see(*p)
		}
	}
	opt(f.Locked)
	all(f.With)
	for _, b := range f.Blocks {
		all(b.DistinctOn)
		for _, o := range b.Outputs {
			see(o.Part)
		}
		for _, in := range b.Inputs {
			see(in.Part)
			opt(in.Condition)
		}
		all(b.Filters)
		all(b.Groups)
		all(b.Having)
		opt(b.Windows)
	}
	for _, o := range f.Order {
		see(o.Part)
	}
	opt(f.Limit)
	opt(f.Offset)
}

// Writing every part of a form back gives the same text; what is added and taken
// away again, or moved there and back, leaves the text as it was and the plan
// with it.
func TestFormAndTextStayInStep(t *testing.T) {
	did := 0
	for name, sql := range formTexts() {
		f, err := form.Of(sql)
		if err != nil {
			t.Fatal(err)
		}
		for b, block := range f.Blocks {
			same := func(what, want string, edits ...form.Edit) {
				t.Helper()
				got, err := form.Apply(sql, edits...)
				if err != nil {
					t.Errorf("%s: %s: %v in\n%s", name, what, err, sql)
				} else if got != want {
					t.Errorf("%s: %s made\n%s\nof\n%s", name, what, got, want)
				}
				did++
			}
			for i, o := range block.Outputs {
				if commented(o.Expr.Text) {
					continue
				}
				same("an output written back", sql, form.Edit{Do: "set output", Block: b, At: i, Text: o.Expr.Text, Name: o.Name})
			}
			for i, c := range block.Filters {
				same("a filter written back", sql, form.Edit{Do: "set filter", Block: b, At: i, Text: c.Text})
			}
			for i, in := range block.Inputs {
				if in.Condition != nil && len(in.On) > 0 {
					var texts []string
					for _, c := range in.On {
						texts = append(texts, c.Text)
					}
					same("a join's condition written back", sql, form.Edit{Do: "set condition", Block: b, At: i, Texts: texts})
					same("a kind of join changed and changed back", sql, form.Edit{Do: "set join", Block: b, At: i, Kind: other(in.Join)}, form.Edit{Do: "set join", Block: b, At: i, Kind: in.Join})
				}
			}
			n := len(block.Outputs)
			if n > 1 && len(f.Blocks) == 1 {
				same("a column moved there and back", sql, form.Edit{Do: "move output", At: 0, To: n - 1}, form.Edit{Do: "move output", At: n - 1, To: 0})
			}
			if len(f.Blocks) == 1 {
				same("a column added and removed", sql, form.Edit{Do: "add output", At: -1, Text: "1", Name: "one"}, form.Edit{Do: "remove output", Items: []int{n}})
			}
			if k := len(block.Filters); k != 1 || !strings.Contains(strings.ToLower(block.Filters[0].Text), " or ") {
				same("a filter added and removed", sql, form.Edit{Do: "add filter", Block: b, Text: "true"}, form.Edit{Do: "remove filter", Block: b, At: k})
			}
			if b == len(f.Blocks)-1 && f.Limit == nil && f.Offset == nil {
				same("a limit set and taken away", sql, form.Edit{Do: "set limit", Text: "7"}, form.Edit{Do: "set limit"})
			}
		}
	}
	if did < 2000 {
		t.Errorf("only %d edits were tried", did)
	}
}

func commented(s string) bool { return strings.Contains(s, "--") || strings.Contains(s, "/*") }

func other(join string) string {
	if join == "left" {
		return "inner"
	}
	return "left"
}

// A filter that is always true, an alias, and a star written out change no rows
// and no native statement but for names.
func TestFormEditsKeepTheMeaning(t *testing.T) {
	for _, v := range demo.Views {
		q := project.Query{SQL: v.SQL, Layer: v.Layer, View: v.Name}
		was, err := museum.Now().Explain(t.Context(), q)
		if err != nil {
			t.Fatal(err)
		}
		built, err := museum.Builder().Build(t.Context(), q)
		if err != nil {
			t.Fatal(err)
		}
		for b := range built.Form.Blocks {
			for i, in := range built.Form.Blocks[b].Inputs {
				if in.Kind != form.KindRelation || strings.Count(v.SQL, " "+in.Alias+"\n")+strings.Count(v.SQL, " AS "+in.Alias) > 1 {
					continue
				}
				sql, err := form.Apply(v.SQL, form.Edit{Do: "set alias", Block: b, At: i, Name: "renamed"})
				if err != nil {
					t.Errorf("%s: %v", v.FullName(), err)
					continue
				}
				is, err := museum.Now().Explain(t.Context(), project.Query{SQL: sql, Layer: v.Layer, View: v.Name})
				if err != nil {
					t.Errorf("%s with another alias: %v\n%s", v.FullName(), err, sql)
					continue
				}
				for n := range was.Statements {
					if is.Statements[n].Text != was.Statements[n].Text {
						t.Errorf("%s: another alias is another statement:\n%s\n%s", v.FullName(), was.Statements[n].Text, is.Statements[n].Text)
					}
				}
			}
		}
		// What binding says of the outputs is what the query gives.
		var names []string
		for _, o := range built.Facts.Outputs[0] {
			for _, c := range o {
				names = append(names, c.Name+" "+c.Type)
			}
		}
		for i, c := range was.Columns {
			if len(built.Form.Blocks) == 1 && names[i] != c.Name+" "+c.Type {
				t.Errorf("%s: output %d is %s, the form says %s", v.FullName(), i, c.Name+" "+c.Type, names[i])
			}
		}
	}
}
