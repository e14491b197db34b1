// Package bind gives names their meaning and expressions their types: it turns
// a syntax tree into a plan. Views that the query reads are bound in place.
package bind

import (
	"strings"
	"time"

	"rovik/core/catalog"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Context is what a query is bound in.
type Context struct {
	Catalog *catalog.Catalog
	// Parse turns SQL into a tree; it may keep trees of texts it has seen.
	// nil means syntax.Parse.
	Parse func(sql string) (*syntax.Query, error)
	// Now is the moment that now() and current_date mean throughout the run.
	Now time.Time
	// Layer is the layer that the text belongs to, where it is a view's
	// definition: it may read its own layer and lower ones. Empty for a query.
	Layer string
	// View is the full name of the view that the text defines, so that it
	// cannot read itself; empty for a query.
	View string
}

// maxViewDepth bounds how deep views may be stacked.
const maxViewDepth = 200

// Bind binds the query sql, whose tree is tree. Errors are *value.Error with
// their place.
func Bind(ctx Context, sql string, tree *syntax.Query) (*plan.Query, error) {
	if ctx.Parse == nil {
		ctx.Parse = syntax.Parse
	}
	b := &binder{ctx: ctx, ids: &plan.Numbering{}, texts: map[string]string{"": sql}}
	if ctx.View != "" {
		b.stack = []string{ctx.View}
	}
	var root plan.Node
	err := b.catch(func() { root = b.query(tree, &env{layer: ctx.Layer}) })
	if err != nil {
		return nil, err
	}
	return &plan.Query{Root: root, IDs: b.ids, Texts: b.texts, Momentary: b.momentary}, nil
}

type binder struct {
	ctx   Context
	ids   *plan.Numbering
	texts map[string]string
	view  string   // whose text is being bound
	stack []string // views being bound, outermost first
	// momentary is set once the present moment is used.
	momentary bool
}

// env is what names in FROM can mean besides tables and views.
type env struct {
	ctes  map[string]*cte
	layer string
}

type cte struct {
	query   *syntax.Query
	columns []string
	env     *env
}

// fail stops binding with an error at a place of the current text. catch turns
// it into a returned error.
func (b *binder) fail(at syntax.Span, err *value.Error) {
	panic(err.At(b.view, at.Start, at.End))
}

func (b *binder) catch(f func()) (err error) {
	defer func() {
		if r := recover(); r != nil {
			e, ok := r.(*value.Error)
			if !ok {
				panic(r)
			}
			err = e
		}
	}()
	f()
	return nil
}

func (b *binder) origin(s syntax.Span) plan.Origin {
	return plan.Origin{View: b.view, Start: s.Start, End: s.End}
}

// check fails with err at a place, if there is one.
func (b *binder) check(at syntax.Span, err error) {
	if err == nil {
		return
	}
	if e, ok := err.(*value.Error); ok {
		b.fail(at, e)
	}
	b.fail(at, value.Errorf(value.CodeTypeMismatch, "%s", err))
}

// relation is a bound item of FROM: the columns it offers under a name.
type relation struct {
	name string   // alias, or the last part of the name
	full []string // the dotted name, where there is no alias
	cols []plan.Column
}

// scope is what column names can mean.
type scope struct{ relations []relation }

func (b *binder) table(t syntax.Table, e *env, s *scope) plan.Node {
	switch t := t.(type) {
	case *syntax.TableName:
		node := b.named(t, e)
		rel := relation{name: t.Parts[len(t.Parts)-1], full: t.Parts, cols: node.Columns()}
		if t.Alias != "" {
			rel.name, rel.full = t.Alias, nil
		}
		b.addRelation(s, rel, t.Columns, t.Span)
		return node
	case *syntax.Subquery:
		node := b.query(t.Query, e)
		b.addRelation(s, relation{name: t.Alias, cols: node.Columns()}, t.Columns, t.Span)
		return node
	case *syntax.Join:
		return b.join(t, e, s)
	}
	b.fail(t.At(), value.Errorf(value.CodeUnsupported, "this item of FROM is not supported yet"))
	return nil
}

func (b *binder) addRelation(s *scope, rel relation, names []string, at syntax.Span) {
	for _, other := range s.relations {
		if other.name == rel.name && (other.full == nil || rel.full == nil || strings.Join(other.full, ".") == strings.Join(rel.full, ".")) {
			b.fail(at, value.Errorf("42712", "table name %q specified more than once", rel.name).WithHint("give one of them an alias"))
		}
	}
	if len(names) > len(rel.cols) {
		b.fail(at, value.Errorf("42P10", "%q has %d columns available but %d columns specified", rel.name, len(rel.cols), len(names)))
	}
	rel.cols = renamed(rel.cols, names)
	s.relations = append(s.relations, rel)
}

func renamed(cols []plan.Column, names []string) []plan.Column {
	out := append([]plan.Column{}, cols...)
	for i, n := range names {
		out[i].Name = n
	}
	return out
}

func (b *binder) join(j *syntax.Join, e *env, s *scope) plan.Node {
	// The scope of ON is the join's own two sides, in their written order.
	var inner scope
	left := b.table(j.Left, e, &inner)
	right := b.table(j.Right, e, &inner)
	for _, r := range inner.relations {
		b.addRelation(s, r, nil, j.Span)
	}
	kind := plan.InnerJoin
	if j.Kind == syntax.Left {
		kind = plan.LeftJoin
	}
	var on []plan.Expr
	if j.On != nil {
		x := &exprBinder{b: b, scope: &inner, clause: "JOIN conditions"}
		on = plan.Conjuncts(x.condition(j.On, "JOIN/ON"))
	}
	org := b.origin(j.Span)
	if j.On != nil {
		org = b.origin(j.On.At())
	}
	return &plan.Join{Kind: kind, Left: left, Right: right, On: on, Org: org}
}

// named resolves a name in FROM to a CTE, a view or a table.
func (b *binder) named(t *syntax.TableName, e *env) plan.Node {
	dotted := strings.Join(t.Parts, ".")
	if len(t.Parts) == 1 {
		if c := e.ctes[dotted]; c != nil {
			node := b.query(c.query, c.env)
			if len(c.columns) > len(node.Columns()) {
				b.fail(t.Span, value.Errorf("42P10", "WITH query %q has %d columns available but %d columns specified", dotted, len(node.Columns()), len(c.columns)))
			}
			return b.renameOutput(node, c.columns)
		}
	}
	if v := b.ctx.Catalog.View(dotted); v != nil {
		return b.viewNode(v, t, e)
	}
	if table := b.ctx.Catalog.Table(dotted); table != nil {
		scan := &plan.Scan{Table: table, Org: b.origin(t.Span)}
		for i, c := range table.Columns {
			scan.Cols = append(scan.Cols, plan.ScanColumn{Column: plan.Column{ID: b.ids.Next(), Name: c.Name, Type: c.Type}, Index: i})
		}
		return scan
	}
	err := value.Errorf(value.CodeUndefinedTable, "no table or view is called %q", dotted)
	candidates := b.ctx.Catalog.RelationNames()
	for name := range e.ctes {
		candidates = append(candidates, name)
	}
	if near := catalog.Nearest(dotted, candidates); near != "" {
		err = err.WithHint("did you mean %s?", near)
	} else {
		err = err.WithHint("names are source.table or layer.view")
	}
	b.fail(t.Span, err)
	return nil
}

// viewNode binds a view's own text in place.
func (b *binder) viewNode(v *catalog.View, t *syntax.TableName, e *env) plan.Node {
	name := v.FullName()
	for i, open := range b.stack {
		if open == name {
			path := strings.Join(append(append([]string{}, b.stack[i:]...), name), " → ")
			b.fail(t.Span, value.Errorf(value.CodeRecursion, "the view %s reads itself: %s", name, path).
				WithHint("take one of these steps out"))
		}
	}
	if len(b.stack) >= maxViewDepth {
		b.fail(t.Span, value.Errorf("54001", "views are stacked deeper than %d", maxViewDepth))
	}
	if reader, ok := b.ctx.Catalog.Rank(e.layer); ok && e.layer != "" {
		if read, _ := b.ctx.Catalog.Rank(v.Layer); read > reader {
			b.fail(t.Span, value.Errorf("42501", "a view of the layer %s cannot read %s, which lies in a higher layer", e.layer, name).
				WithHint("a view reads its own layer or lower ones; move one of the two"))
		}
	}
	tree, err := b.ctx.Parse(v.SQL)
	outer := b.view
	b.view = name
	b.texts[name] = v.SQL
	if err != nil {
		b.check(syntax.Span{Start: 0, End: len(v.SQL)}, inView(err, name))
	}
	b.stack = append(b.stack, name)
	node := b.query(tree, &env{layer: v.Layer})
	b.stack = b.stack[:len(b.stack)-1]
	b.view = outer
	return node
}

// inView says in which view's text an error without a view lies.
func inView(err error, view string) error {
	if e, ok := err.(*value.Error); ok && e.View == "" {
		c := *e
		c.View = view
		return &c
	}
	return err
}

func (b *binder) renameOutput(n plan.Node, names []string) plan.Node {
	if len(names) == 0 {
		return n
	}
	items := plan.Identity(n.Columns())
	for i, name := range names {
		items[i].ID, items[i].Name = b.ids.Next(), name
	}
	return &plan.Project{Input: n, Items: items}
}
