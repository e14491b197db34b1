package bind

import (
	"slices"

	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// maxNested bounds how deep WITH queries may refer to each other.
const maxNested = 200

// cte is a WITH query. A recursive one's own name means its work table while
// its step is bound.
type cte struct {
	query     *syntax.Query
	columns   []string
	env       *env
	recursive bool // it reads itself
	work      *plan.WorkTable
	bound     bool
}

// withQueries returns e with the WITH queries of q. Without RECURSIVE each sees
// the ones before it; with it each sees all.
func (b *binder) withQueries(q *syntax.Query, e *env) (*env, []*cte) {
	var own []*cte
	for i := range q.With {
		w := &q.With[i]
		if slices.ContainsFunc(q.With[:i], func(o syntax.CTE) bool { return o.Name == w.Name }) {
			b.fail(w.Span, value.Errorf("42712", "WITH query name %q specified more than once", w.Name).WithHint("give one of them another name"))
		}
		c := &cte{query: w.Query, columns: w.Columns, env: e}
		e = e.with(w.Name, c)
		own = append(own, c)
	}
	if q.Recursive {
		reads := make([][]bool, len(own))
		for i, c := range own {
			c.env = e
			reads[i] = make([]bool, len(own))
			for j := range own {
				reads[i][j] = len(referencesTo(q.With[j].Name, c.query)) > 0
			}
			if reads[i][i] {
				c.recursive = true
				(&recursionCheck{b: b, name: q.With[i].Name}).whole(c.query)
			}
		}
		b.notMutual(q.With, reads)
	}
	return e, own
}

// notMutual fails where WITH queries read each other in a circle.
func (b *binder) notMutual(with []syntax.CTE, reads [][]bool) {
	state := make([]int, len(with)) // 1 while it is being looked at, 2 after
	var look func(i int)
	look = func(i int) {
		state[i] = 1
		for j, is := range reads[i] {
			if !is || i == j {
				continue
			}
			if state[j] == 1 {
				b.fail(with[j].Span, value.Errorf(value.CodeUnsupported, "mutual recursion between WITH items is not implemented"))
			}
			if state[j] == 0 {
				look(j)
			}
		}
		state[i] = 2
	}
	for i := range with {
		if state[i] == 0 {
			look(i)
		}
	}
}

// unread binds the WITH queries that nothing has read, for their errors alone.
func (b *binder) unread(q *syntax.Query, own []*cte) {
	for i, c := range own {
		if !c.bound {
			b.withQuery(q.With[i].Name, c, q.With[i].Span)
		}
	}
}

// withQuery binds a reference to a WITH query.
func (b *binder) withQuery(name string, c *cte, at syntax.Span) plan.Node {
	if c.work != nil {
		work := &plan.WorkTable{Work: c.work.Work, Name: name}
		for _, col := range c.work.Cols {
			work.Cols = append(work.Cols, plan.Column{ID: b.ids.Next(), Name: col.Name, Type: col.Type})
		}
		return work
	}
	if b.nested > maxNested {
		b.fail(at, value.Errorf("54001", "WITH queries are nested too deeply"))
	}
	b.nested++
	defer func() { b.nested-- }()
	c.bound = true
	var node plan.Node
	if c.recursive {
		node = b.recursion(name, c)
	} else {
		node = b.query(c.query, c.env)
	}
	if len(c.columns) > len(node.Columns()) {
		b.fail(at, value.Errorf("42P10", "WITH query %q has %d columns available but %d columns specified", name, len(node.Columns()), len(c.columns)))
	}
	return b.renameOutput(node, c.columns)
}

// recursion binds a WITH query that reads itself. Its form was checked before.
func (b *binder) recursion(name string, c *cte) plan.Node {
	union := c.query.Body.(*syntax.SetOp)
	e, own := b.withQueries(&syntax.Query{With: c.query.With, Recursive: c.query.Recursive}, c.env)
	base := b.query(union.Left, e)
	b.works++
	rec := &plan.Recursive{Base: base, Work: b.works, All: union.All, Org: b.origin(union.Words)}
	work := &plan.WorkTable{Work: rec.Work, Name: name}
	for _, col := range renamed(base.Columns(), c.columns) {
		work.Cols = append(work.Cols, col)
		rec.Cols = append(rec.Cols, plan.Column{ID: b.ids.Next(), Name: col.Name, Type: value.Of(col.Type.Kind)})
	}
	inner := e.with(name, &cte{work: work})
	for _, w := range c.query.With {
		if w.Name == name {
			inner = e
		}
	}
	step := b.query(union.Right, inner)
	b.unread(c.query, own)
	bc, sc := base.Columns(), step.Columns()
	if len(bc) != len(sc) {
		b.fail(union.Span, value.Errorf(value.CodeSyntax, "each UNION query must have the same number of columns, here %d and %d", len(bc), len(sc)))
	}
	items := plan.Identity(sc)
	for i := range bc {
		k, ok := value.Common(bc[i].Type.Kind, sc[i].Type.Kind)
		if !ok {
			b.fail(union.Span, value.Errorf(value.CodeTypeMismatch, "UNION types %s and %s cannot be matched (column %d, %s)", bc[i].Type, sc[i].Type, i+1, bc[i].Name).WithHint("cast one of them"))
		}
		overall := bc[i].Type
		if sc[i].Type != overall {
			overall = value.Of(k)
		}
		if overall != bc[i].Type {
			b.fail(union.Span, value.Errorf(value.CodeTypeMismatch, "recursive query %q column %d has type %s in non-recursive term but type %s overall", name, i+1, bc[i].Type, overall).
				WithHint("cast the output of the non-recursive term to %s", overall))
		}
		if !union.All {
			b.comparable(bc[i].Type.Kind, union.Words)
		}
		items[i] = b.castItem(items[i], bc[i].Type, union.Right.Span)
	}
	rec.Step = projected(step, items)
	return rec
}

// referencesTo returns where a query reads the WITH query of a name, inner WITH
// queries of the same name aside.
func referencesTo(name string, q *syntax.Query) []syntax.Span {
	var found []syntax.Span
	syntax.Walk(q, func(n syntax.Node) bool {
		switch n := n.(type) {
		case *syntax.Query:
			for i, w := range n.With {
				if w.Name != name {
					continue
				}
				if !n.Recursive { // it is hidden from the queries that follow
					for j := range n.With[:i+1] {
						found = append(found, referencesTo(name, n.With[j].Query)...)
					}
				}
				return false
			}
		case *syntax.TableName:
			if len(n.Parts) == 1 && n.Parts[0] == name {
				found = append(found, n.Span)
			}
		}
		return true
	})
	return found
}

// recursionCheck holds a WITH query that reads itself to PostgreSQL's rules: it
// is a union, whose right side alone reads it, once, and not where a round
// could take back what an earlier one gave.
type recursionCheck struct {
	b    *binder
	name string
	seen int
}

func (c *recursionCheck) fail(at syntax.Span, what string) {
	c.b.fail(at, value.Errorf(value.CodeRecursion, "recursive reference to query %q must not appear %s", c.name, what))
}

// forbid fails where n reads the query at all.
func (c *recursionCheck) forbid(n syntax.Node, within string) {
	if n == nil {
		return
	}
	whole := &syntax.Query{Body: n}
	if q, is := n.(*syntax.Query); is {
		whole = q
	}
	if found := referencesTo(c.name, whole); len(found) > 0 {
		c.fail(found[0], "within "+within)
	}
}

func (c *recursionCheck) whole(q *syntax.Query) {
	union, ok := q.Body.(*syntax.SetOp)
	if !ok || union.Op != "union" {
		c.b.fail(q.Span, value.Errorf(value.CodeRecursion, "recursive query %q does not have the form non-recursive-term UNION [ALL] recursive-term", c.name))
	}
	for _, w := range q.With {
		c.forbid(w.Query, "a subquery")
	}
	c.forbid(union.Left, "its non-recursive term")
	c.query(union.Right)
	for _, clause := range []struct {
		name string
		is   bool
	}{{"ORDER BY", len(q.OrderBy) > 0}, {"LIMIT", q.Limit != nil}, {"OFFSET", q.Offset != nil}} {
		if clause.is {
			c.b.fail(q.Span, value.Errorf(value.CodeUnsupported, "%s in a recursive query is not implemented", clause.name).WithHint("put it into the query that reads %s", c.name))
		}
	}
}

func (c *recursionCheck) query(q *syntax.Query) {
	for i, w := range q.With {
		if w.Name == c.name && q.Recursive {
			return
		}
		c.query(q.With[i].Query)
		if w.Name == c.name {
			return
		}
	}
	c.body(q.Body)
	for _, o := range q.OrderBy {
		c.forbid(o.Expr, "a subquery")
	}
	for _, e := range []syntax.Expr{q.Limit, q.Offset} {
		c.forbid(e, "a subquery")
	}
}

func (c *recursionCheck) body(body syntax.Body) {
	switch body := body.(type) {
	case *syntax.SetOp:
		word := map[string]string{"intersect": "INTERSECT", "except": "EXCEPT"}[body.Op]
		if word != "" && body.All {
			c.forbid(body.Left, word)
		}
		if word == "EXCEPT" || word != "" && body.All {
			c.forbid(body.Right, word)
		}
		c.query(body.Left)
		c.query(body.Right)
	case *syntax.Select:
		for _, t := range body.From {
			c.table(t)
		}
		rest := *body
		rest.From = nil
		c.forbid(&rest, "a subquery")
	default:
		c.forbid(body, "a subquery")
	}
}

func (c *recursionCheck) table(t syntax.Table) {
	switch t := t.(type) {
	case *syntax.TableName:
		if len(t.Parts) == 1 && t.Parts[0] == c.name {
			if c.seen++; c.seen > 1 {
				c.fail(t.Span, "more than once")
			}
		}
	case *syntax.Subquery:
		c.query(t.Query)
	case *syntax.Join:
		if t.Kind == syntax.Right || t.Kind == syntax.Full {
			c.forbid(t.Left, "an outer join")
		}
		if t.Kind == syntax.Left || t.Kind == syntax.Full {
			c.forbid(t.Right, "an outer join")
		}
		c.table(t.Left)
		c.table(t.Right)
		c.forbid(t.On, "a subquery")
	default:
		c.forbid(t, "a subquery")
	}
}
