package bind

import (
	"slices"
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
	// Describe tells the columns of a statement in a source's own language, for
	// verbatim in FROM; nil where there is none.
	Describe func(source, statement string) (*catalog.Table, error)
	// Columns tells the columns of a view, as a table of its layer, where views are
	// not to be bound in place: for what needs no more of them.
	Columns func(v *catalog.View) (*catalog.Table, error)
	// Watch, where not nil, is told of what the text's own parts turn out to be, as
	// far as it binds; not of those of views.
	Watch *Watch
	// Effort gives what bounds the planning of each query that is bound; nil for no bound.
	Effort func() *plan.Effort
	// Layer is the layer that the text belongs to, where it is a view's
	// definition: it may read its own layer and lower ones. Empty for a query.
	Layer string
	// Params are the query's parameters; nil where it has none.
	Params *Params
	// View is the full name of the view that the text defines, so that it
	// cannot read itself; empty for a query.
	View string
}

// Watch sees parts of a text being bound. Nil functions are left out.
type Watch struct {
	// Relation is told of an item of FROM that stands at a place, with its columns
	// under their names.
	Relation func(at syntax.Span, n plan.Node, name string, cols []plan.Column)
	// Join is told of a join whose condition is bound; Left and Right of n may be
	// in another order than in the text.
	Join func(j *syntax.Join, n *plan.Join)
	// Column is told of a column's name that is found to mean a column of the plan.
	Column func(at syntax.Span, id plan.ID)
	// Named is told of a bare name that is found to mean an output, in ORDER
	// BY, GROUP BY or DISTINCT ON.
	Named func(at syntax.Span, id plan.ID)
	// Output is told of the columns that an item of a select list gives.
	Output func(at syntax.Span, items []plan.Item)
}

// maxViewDepth bounds how deep views may be stacked.
const maxViewDepth = 200

// maxScans bounds how many tables a query reads: views that join views double them
// with every layer.
const maxScans = 1000

// Bind binds the query sql, whose tree is tree. Errors are *value.Error with
// their place.
func Bind(ctx Context, sql string, tree *syntax.Query) (*plan.Query, error) {
	if ctx.Parse == nil {
		ctx.Parse = syntax.Parse
	}
	b := &binder{ctx: ctx, ids: &plan.Numbering{}, texts: map[string]string{"": sql}, untyped: map[plan.ID]plan.Expr{}}
	if ctx.Effort != nil {
		b.ids.Effort = ctx.Effort()
	}
	if ctx.View != "" {
		b.stack = []string{ctx.View}
	}
	var root plan.Node
	var params []value.Kind
	err := b.catch(func() {
		root = b.query(tree, &env{layer: ctx.Layer})
		params = b.deduced()
	})
	if err != nil {
		return nil, err
	}
	return &plan.Query{Root: root, IDs: b.ids, Texts: b.texts, Volatile: b.volatile, Params: params}, nil
}

type binder struct {
	ctx   Context
	ids   *plan.Numbering
	texts map[string]string
	view  string   // whose text is being bound
	stack []string // views being bound, outermost first
	// volatile is set once the present moment is used.
	volatile bool
	// untyped are the literals that columns of select lists are, which had no type
	// of their own.
	untyped map[plan.ID]plan.Expr
	slots   slots
	works   int // recursions so far
	scans   int // tables so far
	nested  int // WITH queries being bound
}

// env is what names can mean besides tables and views: WITH queries, and the
// columns of the queries around.
type env struct {
	ctes  map[string]*cte
	layer string
	outer *scope
}

// with returns e with another WITH query.
func (e *env) with(name string, c *cte) *env {
	n := &env{ctes: map[string]*cte{name: c}, layer: e.layer, outer: e.outer}
	for k, old := range e.ctes {
		if k != name {
			n.ctes[k] = old
		}
	}
	return n
}

// inside returns e for a query that sees the columns of s.
func (e *env) inside(s *scope) *env { return &env{ctes: e.ctes, layer: e.layer, outer: s} }

// fail stops binding with an error at a place of the current text. catch turns
// it into a returned error.
func (b *binder) fail(at syntax.Span, err *value.Error) {
	panic(err.At(b.view, at.Start, at.End))
}

func (b *binder) catch(f func()) (err error) {
	defer value.Catch(&err)
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
	name string   // alias, or the last part of the name; "" for none
	full []string // the dotted name, where there is no alias
	cols []plan.Column
	scan *plan.Scan // where it is a table as it stands
	work bool       // it is the recursion's own rows
	// padded reports that an outer join may give NULLs in the place of its rows.
	padded bool
	// merged are the columns that USING made of two; they stand for both.
	merged bool
}

// scope is what column names can mean.
type scope struct {
	relations []relation
	// hidden are the columns that a merged one stands for: they can be named
	// with their table alone.
	hidden plan.IDs
	outer  *scope
	// block binds the block's select list, once that is reached: an aggregate
	// in a subquery whose arguments are all of this block belongs to it.
	block *exprBinder
}

func (s *scope) hide(ids ...plan.ID) {
	if s.hidden == nil {
		s.hidden = plan.IDs{}
	}
	for _, id := range ids {
		s.hidden[id] = true
	}
}

// ids returns the columns of s itself.
func (s *scope) ids() plan.IDs {
	out := plan.IDs{}
	for _, r := range s.relations {
		for _, c := range r.cols {
			out[c.ID] = true
		}
	}
	return out
}

// table binds an item of FROM into s. lateral is what it may refer to beside
// its own parts, where it is LATERAL.
func (b *binder) table(t syntax.Table, e *env, s, lateral *scope) plan.Node {
	b.ids.Effort.Spend(1)
	switch t := t.(type) {
	case *syntax.TableName:
		node := b.named(t, e)
		rel := relation{name: t.Parts[len(t.Parts)-1], full: t.Parts, cols: node.Columns()}
		rel.scan, _ = node.(*plan.Scan)
		_, rel.work = node.(*plan.WorkTable)
		if t.Alias != "" {
			rel.name, rel.full = t.Alias, nil
		}
		b.addRelation(s, rel, t.Columns, t.Span)
		b.seen(t.Span, node, s)
		return node
	case *syntax.Subquery:
		inner := e
		if t.Lateral {
			inner = e.inside(lateral)
		}
		node := b.query(t.Query, inner)
		b.addRelation(s, relation{name: t.Alias, cols: node.Columns()}, t.Columns, t.Span)
		b.seen(t.Span, node, s)
		return node
	case *syntax.TableFunc:
		var node plan.Node
		if call, is := verbatimCall(t); is {
			node = b.verbatim(t, call, s)
		} else {
			node = b.tableFunc(t, e, s, lateral)
		}
		b.seen(t.Span, node, s)
		return node
	case *syntax.Join:
		return b.join(t, e, s, lateral)
	}
	b.fail(t.At(), value.Errorf(value.CodeUnsupported, "this item of FROM is not supported yet"))
	return nil
}

// seen tells whoever watches of the relation that s has got last.
func (b *binder) seen(at syntax.Span, n plan.Node, s *scope) {
	if w := b.ctx.Watch; w != nil && w.Relation != nil && b.view == "" && len(s.relations) > 0 {
		last := s.relations[len(s.relations)-1]
		w.Relation(at, n, last.name, last.cols)
	}
}

func (b *binder) addRelation(s *scope, rel relation, names []string, at syntax.Span) {
	for _, other := range s.relations {
		if rel.name != "" && other.name == rel.name && (other.full == nil || rel.full == nil || strings.Join(other.full, ".") == strings.Join(rel.full, ".")) {
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

// named resolves a name in FROM to a CTE, a view or a table.
func (b *binder) named(t *syntax.TableName, e *env) plan.Node {
	dotted := strings.Join(t.Parts, ".")
	if len(t.Parts) == 1 {
		if c := e.ctes[dotted]; c != nil {
			return b.withQuery(dotted, c, t.Span)
		}
	}
	if v := b.ctx.Catalog.View(dotted); v != nil {
		return b.viewNode(v, t, e)
	}
	if table := b.ctx.Catalog.Table(dotted); table != nil {
		scan := b.scan(table, t.Span)
		scan.Only = t.Only
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

// scan reads all columns of a table.
func (b *binder) scan(table *catalog.Table, at syntax.Span) *plan.Scan {
	if b.scans++; b.scans > maxScans {
		b.fail(at, value.Errorf("54001", "the query reads more than %d tables once views stand in their places", maxScans).
			WithHint("join fewer views that are themselves joins of views"))
	}
	scan := &plan.Scan{Table: table, Org: b.origin(at)}
	for i, c := range table.Columns {
		scan.Cols = append(scan.Cols, plan.ScanColumn{Column: plan.Column{ID: b.ids.Next(), Name: c.Name, Type: c.Type}, Index: i})
	}
	return scan
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
			b.fail(t.Span, value.Errorf("42501", "a view of the layer %s cannot read %s, which lies in a higher layer%s", e.layer, name, b.path(name)).
				WithHint("a view reads its own layer or lower ones; move one of the two"))
		}
	}
	if b.ctx.Columns != nil {
		table, err := b.ctx.Columns(v)
		b.check(t.Span, err)
		return b.scan(table, t.Span)
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

// path is the way to a view from the one that the text defines.
func (b *binder) path(to string) string {
	if len(b.stack) == 0 {
		return ""
	}
	return ": " + strings.Join(append(slices.Clone(b.stack), to), " → ")
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
