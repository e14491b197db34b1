package bind

import (
	"strings"

	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

func (r *relation) answers(parts []string) bool {
	if len(parts) == 1 {
		return r.name == parts[0]
	}
	return r.full != nil && strings.Join(r.full, ".") == strings.Join(parts, ".")
}

func (s *scope) has(name string) bool {
	for _, r := range s.relations {
		for _, c := range r.cols {
			if c.Name == name {
				return true
			}
		}
	}
	return false
}

// find returns the columns of s itself that a name can mean.
func (s *scope) find(name string, table []string) []plan.Column {
	var found []plan.Column
	seen := plan.IDs{}
	for i := range s.relations {
		r := &s.relations[i]
		if len(table) > 0 && !r.answers(table) {
			continue
		}
		for _, col := range r.cols {
			hidden := len(table) == 0 && !r.merged && s.hidden[col.ID]
			if col.Name == name && !hidden && !seen[col.ID] {
				seen[col.ID] = true
				found = append(found, col)
			}
		}
	}
	return found
}

func (s *scope) answers(table []string) bool {
	for i := range s.relations {
		if s.relations[i].answers(table) {
			return true
		}
	}
	return false
}

// column resolves a column name, in the block's own FROM first, then in the
// queries around.
func (x *exprBinder) column(c *syntax.Column) plan.Expr {
	b := x.b
	name := c.Parts[len(c.Parts)-1]
	table := c.Parts[:len(c.Parts)-1]
	relationSeen := len(table) == 0
	for s := x.scope; s != nil; s = s.outer {
		found := s.find(name, table)
		if len(found) == 1 {
			ref := found[0].Ref()
			ref.Org = b.origin(c.Span)
			if w := b.ctx.Watch; w != nil && w.Column != nil && b.view == "" {
				w.Column(c.Span, ref.ID)
			}
			return ref
		}
		if len(found) > 1 {
			b.fail(c.Span, value.Errorf(value.CodeAmbiguous, "column reference %q is ambiguous", name).WithHint("say which table it belongs to"))
		}
		if len(table) > 0 && s.answers(table) {
			relationSeen = true
			break
		}
	}
	if !relationSeen {
		b.fail(c.Span, b.unknownRelation(table, x.scope))
	}
	if r := x.relationNamed(c.Parts); r != nil {
		b.fail(c.Span, value.Errorf(value.CodeUnsupported, "the row of %s is no value here", r.name).WithHint("name a column of it, or write to_json(%s)", r.name))
	}
	dotted := strings.Join(c.Parts, ".")
	err := value.Errorf(value.CodeUndefinedColumn, "no column is called %q", dotted)
	if near := catalog.Nearest(name, x.columnNames(table)); near != "" {
		if len(table) > 0 {
			near = strings.Join(table, ".") + "." + near
		}
		err = err.WithHint("did you mean %s?", near)
	}
	b.fail(c.Span, err)
	return nil
}

func (x *exprBinder) columnNames(table []string) []string {
	var names []string
	for _, r := range x.scope.relations {
		if len(table) == 0 || r.answers(table) {
			for _, c := range r.cols {
				names = append(names, c.Name)
			}
		}
	}
	return names
}

func (b *binder) unknownRelation(parts []string, s *scope) *value.Error {
	name := strings.Join(parts, ".")
	err := value.Errorf(value.CodeUndefinedTable, "nothing in FROM is called %q", name)
	var names []string
	for _, r := range s.relations {
		names = append(names, r.name)
	}
	if near := catalog.Nearest(name, names); near != "" {
		return err.WithHint("did you mean %s?", near)
	}
	if len(names) > 0 {
		return err.WithHint("there is %s", strings.Join(names, ", "))
	}
	return err
}
