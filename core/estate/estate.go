package estate

import (
	"maps"
	"slices"
	"sort"
	"strings"
	"sync"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/lineage"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

// View is what is known of a view.
type View struct {
	*catalog.View
	// Table has the view's columns; nil where it does not bind.
	Table *catalog.Table
	Err   error
	// Reads are the relations that the text names: tables, views, and statements
	// as they stand. Of a view that does not bind they are those that are there.
	Reads []string
	// Depth is how many views lie one on top of the other, this one included; 1 of a view
	// that does not bind.
	Depth int
	text  *lazyText
	kept  bool // what is known is kept as it is
}

// Text is the lineage of the view's own text, over what it reads; nil where it does
// not bind.
func (v *View) Text() *lineage.Text { return v.text.get() }

// Estate knows the views of a catalogue. Its methods may be called at the same
// time; what they return must not be changed.
type Estate struct {
	ctx     bind.Context
	mu      sync.Mutex
	views   map[string]*View
	before  *Estate  // whose views are taken over where nothing they depend on changed
	binding []string // the views that are being bound, outermost first
	readers map[string][]string
	away    bool // some source could not be asked of a statement
	kept    map[string][]byte
	hashes  map[*catalog.Table]string
	// describe asks a source of a statement as it stands; said are the answers that are
	// there while the estate is held, and ask what is to be asked next.
	describe func(source, statement string) (*catalog.Table, error)
	said     map[asked]answer
	ask      []asked
}

// New makes an estate. ctx has what views are bound in: the catalogue, the
// parser, and what describes statements as they stand. Views of before, which
// may be nil, are taken over where nothing that they depend on changed.
func New(ctx bind.Context, before *Estate) *Estate {
	e := &Estate{ctx: ctx, views: map[string]*View{}, before: before}
	if e.ctx.Parse == nil {
		e.ctx.Parse = syntax.Parse
	}
	if before != nil { // what came before it is not kept for this one too
		before.mu.Lock()
		before.before = nil
		before.mu.Unlock()
	}
	e.ctx.Layer, e.ctx.View = "", ""
	if e.describe = ctx.Describe; e.describe != nil {
		e.ctx.Describe = e.described
	}
	e.ctx.Columns = func(v *catalog.View) (*catalog.Table, error) {
		known := e.view(v)
		return known.Table, known.Err
	}
	return e
}

// Catalog returns the catalogue of the views.
func (e *Estate) Catalog() *catalog.Catalog { return e.ctx.Catalog }

// View returns what is known of the view layer.view, or nil where there is none.
func (e *Estate) View(fullName string) *View {
	v := e.ctx.Catalog.View(fullName)
	if v == nil {
		return nil
	}
	return held(e, func() *View { return e.view(v) })
}

// Views returns all views by layer and name.
func (e *Estate) Views() []*View { return held(e, e.all) }

func (e *Estate) all() []*View {
	views := e.ctx.Catalog.Views()
	out := make([]*View, len(views))
	for i, v := range views {
		out[i] = e.view(v)
	}
	if len(e.ask) == 0 {
		e.before = nil // all that is of use was taken
	}
	return out
}

// view binds a view, unless that was done.
func (e *Estate) view(v *catalog.View) *View {
	name := v.FullName()
	if known := e.views[name]; known != nil {
		return known
	}
	if i := slices.Index(e.binding, name); i >= 0 {
		path := strings.Join(append(slices.Clone(e.binding[i:]), name), " → ")
		return &View{View: v, Err: value.Errorf(value.CodeRecursion, "the view %s reads itself: %s", name, path).WithHint("take one of these steps out")}
	}
	e.binding = append(e.binding, name)
	out := e.old(v)
	if out == nil {
		out = e.unpacked(v)
	}
	if out == nil {
		out = e.brokenBelow(v)
	}
	if out == nil {
		out = e.bound(v)
	}
	e.binding = e.binding[:len(e.binding)-1]
	if code := value.Code(out.Err); code == value.CodeSource || code == value.CodeConnection {
		e.away = true // it may be back by the next time
	} else {
		e.views[name] = out
	}
	return out
}

// old returns what was known of a view before, where it still holds.
func (e *Estate) old(v *catalog.View) *View {
	if e.before == nil {
		return nil
	}
	had := e.before.had(v.FullName())
	if had == nil || had.Err != nil || had.SQL != v.SQL {
		return nil
	}
	if was, is := rankOf(e.before.ctx.Catalog, v.Layer), rankOf(e.ctx.Catalog, v.Layer); was != is {
		return nil
	}
	for _, r := range had.Reads {
		if !sameColumns(e.before.columnsOf(r), e.columns(r)) {
			return nil
		}
		if w := e.ctx.Catalog.View(r); w != nil && (rankOf(e.before.ctx.Catalog, w.Layer) != rankOf(e.ctx.Catalog, w.Layer)) {
			return nil
		}
	}
	out := *had
	out.View = v
	return &out
}

// brokenBelow returns a view that was well and is not, since one that it reads is
// broken now: that needs no binding. It is nil where there is no such view.
func (e *Estate) brokenBelow(v *catalog.View) *View {
	if e.before == nil {
		return nil
	}
	had := e.before.had(v.FullName())
	if had == nil || had.Err != nil || had.SQL != v.SQL {
		return nil
	}
	for _, r := range had.Reads {
		if w := e.ctx.Catalog.View(r); w != nil {
			if below := e.view(w); below.Err != nil {
				there := slices.DeleteFunc(slices.Clone(had.Reads), func(r string) bool {
					return e.ctx.Catalog.View(r) == nil && e.ctx.Catalog.Table(r) == nil
				})
				return &View{View: v, Err: below.Err, Reads: there, Depth: 1}
			}
		}
	}
	return nil
}

// had returns what is known of a view already, or nil.
func (e *Estate) had(name string) *View {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.views[name]
}

// columnsOf is columns for whoever does not hold the estate.
func (e *Estate) columnsOf(relation string) *catalog.Table {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.columns(relation)
}

func rankOf(c *catalog.Catalog, layer string) int {
	r, _ := c.Rank(layer)
	return r
}

// columns returns the columns of a relation, or nil where it has none: it is
// broken, or not there, or a statement as it stands.
func (e *Estate) columns(relation string) *catalog.Table {
	if v := e.ctx.Catalog.View(relation); v != nil {
		return e.view(v).Table
	}
	return e.ctx.Catalog.Table(relation)
}

// sameColumns reports whether a text that reads one table would mean the same over
// the other.
func sameColumns(a, b *catalog.Table) bool {
	if a == b && a != nil {
		return true
	}
	if a == nil || b == nil || len(a.Columns) != len(b.Columns) {
		return false
	}
	for i := range a.Columns {
		if a.Columns[i].Name != b.Columns[i].Name || a.Columns[i].Type != b.Columns[i].Type {
			return false
		}
	}
	return slices.EqualFunc(a.Keys, b.Keys, func(x, y catalog.Key) bool { return x.Primary == y.Primary && slices.Equal(x.Columns, y.Columns) })
}

// bound binds a view over the columns of what it reads.
func (e *Estate) bound(v *catalog.View) *View {
	out := &View{View: v, Depth: 1}
	ctx := e.ctx
	ctx.Layer, ctx.View = v.Layer, v.FullName()
	tree, err := ctx.Parse(v.SQL)
	if err == nil {
		var q *plan.Query
		if q, err = bind.Bind(ctx, v.SQL, tree); err == nil {
			out.text = &lazyText{text: lineage.Of(q.Root)}
			out.Table = &catalog.Table{Source: v.Layer, Name: v.Name}
			for _, c := range q.Root.Columns() {
				out.Table.Columns = append(out.Table.Columns, catalog.Column{Name: c.Name, Type: c.Type, Nullable: true})
			}
			out.Reads = scanned(q.Root)
			for _, r := range out.Reads {
				if w := e.ctx.Catalog.View(r); w != nil {
					out.Depth = max(out.Depth, e.view(w).Depth+1)
				}
			}
			return out
		}
	}
	out.Err = inView(err, v.FullName())
	out.Reads = e.named(tree)
	return out
}

// named lists the relations that a text names which does not bind, as far as they
// are there.
func (e *Estate) named(tree *syntax.Query) []string {
	seen := map[string]bool{}
	if tree != nil {
		syntax.Walk(tree, func(n syntax.Node) bool {
			if t, is := n.(*syntax.TableName); is && len(t.Parts) > 1 {
				name := strings.Join(t.Parts, ".")
				if e.ctx.Catalog.View(name) != nil {
					seen[name] = true
				} else if t := e.ctx.Catalog.Table(name); t != nil {
					seen[t.FullName()] = true
				}
			}
			return true
		})
	}
	return slices.Sorted(maps.Keys(seen))
}

// Of binds a text as the definition of a view, over the views that there are,
// without keeping what it finds.
func (e *Estate) Of(v *catalog.View) *View { return held(e, func() *View { return e.bound(v) }) }

// inView says in which view's text an error lies that does not say so itself.
func inView(err error, view string) error {
	if ve, ok := err.(*value.Error); ok && ve.View == "" {
		c := *ve
		c.View = view
		return &c
	}
	return err
}

// scanned lists the relations that a plan reads.
func scanned(n plan.Node) []string {
	seen := map[string]bool{}
	var walk func(n plan.Node)
	walk = func(n plan.Node) {
		if s, ok := n.(*plan.Scan); ok {
			seen[lineage.RelationOf(s.Table)] = true
		}
		for _, in := range n.Inputs() {
			walk(in)
		}
	}
	walk(n)
	out := make([]string, 0, len(seen))
	for r := range seen {
		out = append(out, r)
	}
	sort.Strings(out)
	return out
}

// Readers returns the views that read a relation directly, by name.
func (e *Estate) Readers(relation string) []string {
	return held(e, func() []string { return e.readersOf(relation) })
}

func (e *Estate) readersOf(relation string) []string {
	if e.readers == nil || e.away {
		e.away = false
		e.readers = map[string][]string{}
		for _, v := range e.all() {
			for _, r := range v.Reads {
				e.readers[r] = append(e.readers[r], v.FullName())
			}
		}
	}
	return e.readers[relation]
}

// ReadersOfSource returns the views that read tables of a source, directly or
// through others, by layer and name.
func (e *Estate) ReadersOfSource(source string) []string {
	relations := held(e, func() (out []string) {
		_ = e.readersOf("")
		for r := range e.readers {
			if strings.HasPrefix(r, source+".") {
				out = append(out, r)
			}
		}
		return out
	})
	return e.Downstream(relations...)
}

// Downstream returns the views that read any of the relations, directly or
// through others, by layer and name.
func (e *Estate) Downstream(relations ...string) []string {
	return held(e, func() []string { return e.downstream(relations) })
}

func (e *Estate) downstream(relations []string) []string {
	seen := map[string]bool{}
	for queue := relations; len(queue) > 0; queue = queue[1:] {
		for _, r := range e.readersOf(queue[0]) {
			if !seen[r] {
				seen[r] = true
				queue = append(queue, r)
			}
		}
	}
	out := make([]string, 0, len(seen))
	for _, v := range e.ctx.Catalog.Views() {
		if seen[v.FullName()] {
			out = append(out, v.FullName())
		}
	}
	return out
}

// Broken returns the views that do not bind, by layer and name.
func (e *Estate) Broken() []*View {
	var out []*View
	for _, v := range e.Views() {
		if v.Err != nil {
			out = append(out, v)
		}
	}
	return out
}
