package form

import (
	"fmt"
	"slices"
	"strings"
)

// Known is what is known of a query's rows besides its text.
type Known struct {
	Rows    int64    // that are expected, or less than 0
	Key     []string // columns in which no two rows agree
	Sources []string // that it reads, through all views
}

// Describe drafts a description of a query from its form: what a row stands for,
// what is put together, which rows are left, what is measured.
func Describe(f *Form, facts *Facts, known Known) string {
	if f.Locked != nil || len(f.Blocks) == 0 {
		return ""
	}
	var parts []string
	if len(f.Blocks) == 1 {
		parts = blockSentences(&f.Blocks[0], facts, 0)
	} else {
		var of []string
		for i := range f.Blocks {
			of = append(of, relationsOf(&f.Blocks[i]))
		}
		what := "Rows of " + listed(of) + " under the same columns"
		if f.Union == "union" {
			what += ", each once"
		}
		parts = append(parts, what+".")
		for i := range f.Blocks {
			if w := conditionsOf(f.Blocks[i].Filters); w != "" {
				parts = append(parts, fmt.Sprintf("Of %s only %s.", relationsOf(&f.Blocks[i]), w))
			}
		}
	}
	if f.Limit != nil {
		first := "The first " + f.Limit.Text + " rows"
		if len(f.Order) > 0 {
			first += " by " + f.Order[0].Expr
		}
		parts = append(parts, first+".")
	}
	if len(known.Key) > 0 && !grouped(f) {
		parts = append(parts, "No two rows agree in "+listed(known.Key)+".")
	}
	switch {
	case known.Rows >= 0 && len(known.Sources) > 0:
		parts = append(parts, "About "+counted(known.Rows, "row", "rows")+" from "+listed(known.Sources)+".")
	case known.Rows >= 0:
		parts = append(parts, "About "+counted(known.Rows, "row", "rows")+".")
	}
	return strings.Join(parts, " ")
}

func blockSentences(b *Block, facts *Facts, at int) []string {
	var out []string
	name := func(i int) string {
		if facts != nil && at < len(facts.Outputs) && i < len(facts.Outputs[at]) && len(facts.Outputs[at][i]) == 1 {
			return facts.Outputs[at][i][0].Name
		}
		return nameOr(b.Outputs[i].Name, b.Outputs[i].Expr.Text)
	}
	from := relationsOf(b)
	switch {
	case len(b.Groups) > 0 && b.Groups[0].Locked == "":
		var by []string
		for _, g := range b.Groups {
			label := g.Text
			for i, o := range b.Outputs {
				if o.Expr.Text == g.Text || fmt.Sprint(i+1) == g.Text {
					label = name(i)
				}
			}
			by = append(by, label)
		}
		var measured []string
		for i, o := range b.Outputs {
			if !isGroup(b, o, i) {
				measured = append(measured, name(i))
			}
		}
		s := "One row for each " + listed(by) + " of " + from
		if len(measured) > 0 {
			s += ", with " + listed(measured)
		}
		out = append(out, s+".")
	case len(b.DistinctOn) > 0:
		var by []string
		for _, d := range b.DistinctOn {
			by = append(by, d.Text)
		}
		out = append(out, "The first row for each "+listed(by)+" of "+from+".")
	default:
		out = append(out, "Rows of "+from+".")
	}
	if w := conditionsOf(b.Filters); w != "" {
		out = append(out, "Only "+w+".")
	}
	if w := conditionsOf(b.Having); w != "" {
		out = append(out, "Only groups "+w+".")
	}
	if len(b.Groups) == 0 {
		var computed []string
		for i, o := range b.Outputs {
			if n := name(i); !o.Star && n != "" && strings.ContainsAny(o.Expr.Text, "( +-*/|") {
				computed = append(computed, n)
			}
		}
		if len(computed) > 0 {
			out = append(out, "Computed: "+listed(computed)+".")
		}
	}
	return out
}

// grouped reports whether what a row stands for is said already.
func grouped(f *Form) bool {
	return slices.ContainsFunc(f.Blocks, func(b Block) bool { return len(b.Groups) > 0 || len(b.DistinctOn) > 0 })
}

func isGroup(b *Block, o Output, i int) bool {
	for _, g := range b.Groups {
		if g.Text == o.Expr.Text || g.Text == fmt.Sprint(i+1) || g.Text == o.Name {
			return true
		}
	}
	return false
}

// relationsOf names the inputs of a block as they are joined.
func relationsOf(b *Block) string {
	var first string
	var with, where []string
	for i, in := range b.Inputs {
		n := in.Name
		if n == "" {
			n = "a query"
			if in.Kind == KindFunction {
				n = "a function"
			}
		}
		switch {
		case in.Kind == KindLocked:
			return "joined tables"
		case i == 0:
			first = n
		case in.Join == "left":
			where = append(where, n)
		default:
			with = append(with, n)
		}
	}
	if first == "" {
		return "nothing but what is computed"
	}
	if len(with) > 0 {
		first += " with " + listed(with)
	}
	if len(where) > 0 {
		first += ", and " + listed(where) + " where there is one"
	}
	return first
}

func conditionsOf(parts []Part) string {
	var out []string
	for _, p := range parts {
		out = append(out, strings.Join(strings.Fields(p.Text), " "))
	}
	if len(out) == 0 {
		return ""
	}
	return "where " + strings.Join(out, " and ")
}

func listed(items []string) string {
	if n := len(items); n > 1 {
		return strings.Join(items[:n-1], ", ") + " and " + items[n-1]
	}
	return strings.Join(items, "")
}
