package estate

import (
	"cmp"
	"slices"

	"rovik/core/catalog"
	"rovik/core/lineage"
	"rovik/core/value"
)

// Node is a column of a relation; an empty Column stands for which rows the
// relation has.
type Node struct {
	Relation string `json:"relation"`
	Column   string `json:"column"`
}

func (n Node) compare(o Node) int {
	return cmp.Or(cmp.Compare(n.Relation, o.Relation), cmp.Compare(n.Column, o.Column))
}

// Edge says that a column reaches another by the text of that one's view. Its
// places count in that text.
type Edge struct {
	From  Node           `json:"from"`
	To    Node           `json:"to"`
	Via   lineage.Via    `json:"via"`
	Spans []lineage.Span `json:"spans" null:"maybe"`
}

// Role is what a node is to the column that a graph was asked of.
type Role string

// The roles: a node carries values where every edge between does.
const (
	Asked      Role = "asked"
	Carrying   Role = "carries"
	Influences Role = "influences"
)

// Graph is a part of the lineage of an estate.
type Graph struct {
	Nodes []GraphNode `json:"nodes"`
	Edges []Edge      `json:"edges"`
	// Cut reports that there is more than is given.
	Cut bool `json:"cut"`
}

// GraphNode is a node of a graph with what a person wants to know of it.
type GraphNode struct {
	Node
	Role   Role   `json:"role"`
	Type   string `json:"type"`
	Native string `json:"native"` // of a source's column
	Layer  int    `json:"layer"`  // its layer's rank from 1; 0 for a source
	Depth  int    `json:"depth"`  // how many views lie on top of each other up to it; 0 for a source
	Opaque bool   `json:"opaque"` // it is of a statement as it stands
}

// MaxNodes bounds a graph.
const MaxNodes = 5000

// Upstream returns what reaches a column: every column that its values come
// from or depend on, up to the sources.
func (e *Estate) Upstream(root Node) *Graph {
	return held(e, func() *Graph { return e.upstream(root) })
}

func (e *Estate) upstream(root Node) *Graph {
	return e.walk(root, func(n Node) []Edge {
		v := e.known(n.Relation)
		if v == nil {
			return nil
		}
		var out []Edge
		take := func(uses []lineage.Use) {
			for _, u := range uses {
				out = append(out, Edge{Node{u.Table, u.Column}, n, u.Via, u.Spans})
			}
		}
		if n.Column == "" {
			take(v.Text().Rows)
			return out
		}
		if c := v.Text().Column(n.Column); c != nil {
			take(c.Carries)
			take(c.Influences)
		}
		if len(v.Text().Rows) > 0 {
			out = append(out, Edge{Node{n.Relation, ""}, n, lineage.ByRows, nil})
		}
		return out
	}, func(e Edge) Node { return e.From })
}

// DownstreamOf returns what a column reaches: every column whose values come from
// it or depend on it. A column of which only the rows depend on it stands for
// itself as its relation's rows.
func (e *Estate) DownstreamOf(root Node) *Graph {
	return held(e, func() *Graph { return e.reaches(root) })
}

func (e *Estate) reaches(root Node) *Graph {
	return e.walk(root, func(n Node) []Edge {
		var out []Edge
		for _, name := range e.readersOf(n.Relation) {
			v := e.known(name)
			if v == nil {
				continue
			}
			take := func(uses []lineage.Use, to Node) {
				for _, u := range uses {
					if u.Table == n.Relation && u.Column == n.Column {
						out = append(out, Edge{n, to, u.Via, u.Spans})
					}
				}
			}
			take(v.Text().Rows, Node{name, ""})
			for i := range v.Text().Columns {
				c := &v.Text().Columns[i]
				take(c.Carries, Node{name, c.Name})
				take(c.Influences, Node{name, c.Name})
			}
		}
		return out
	}, func(e Edge) Node { return e.To })
}

// known returns a view that binds, or nil.
func (e *Estate) known(relation string) *View {
	v := e.ctx.Catalog.View(relation)
	if v == nil {
		return nil
	}
	if known := e.view(v); known.Err == nil {
		return known
	}
	return nil
}

// walk follows edges from a node, carrying ones first, so that a node's role is
// that of its best way.
func (e *Estate) walk(root Node, edges func(Node) []Edge, next func(Edge) Node) *Graph {
	roles := map[Node]Role{root: Asked}
	out := &Graph{Nodes: []GraphNode{}, Edges: []Edge{}}
	seen := map[Node][]Edge{}
	of := func(n Node) []Edge {
		if _, ok := seen[n]; !ok {
			seen[n] = edges(n)
		}
		return seen[n]
	}
	visit := func(start []Node, role Role, follow func(Edge) bool) {
		for queue := start; len(queue) > 0; queue = queue[1:] {
			for _, ed := range of(queue[0]) {
				n := next(ed)
				if _, ok := roles[n]; ok || !follow(ed) {
					continue
				}
				if len(roles) >= MaxNodes {
					out.Cut = true
					return
				}
				roles[n] = role
				queue = append(queue, n)
			}
		}
	}
	visit([]Node{root}, Carrying, func(e Edge) bool { return e.Via.Carries() })
	var reached []Node
	for n := range roles {
		reached = append(reached, n)
	}
	slices.SortFunc(reached, Node.compare)
	visit(reached, Influences, func(Edge) bool { return true })
	for n, role := range roles {
		out.Nodes = append(out.Nodes, e.nodeOf(n, role))
		for _, ed := range of(n) {
			if _, ok := roles[next(ed)]; ok {
				out.Edges = append(out.Edges, ed)
			}
		}
	}
	slices.SortFunc(out.Nodes, func(a, b GraphNode) int { return a.compare(b.Node) })
	slices.SortFunc(out.Edges, func(a, b Edge) int {
		return cmp.Or(a.To.compare(b.To), a.From.compare(b.From), cmp.Compare(a.Via, b.Via))
	})
	return out
}

func (e *Estate) nodeOf(n Node, role Role) GraphNode {
	out := GraphNode{Node: n, Role: role, Opaque: lineage.IsVerbatim(n.Relation)}
	if v := e.known(n.Relation); v != nil {
		out.Layer, out.Depth = rankOf(e.ctx.Catalog, v.Layer)+1, v.Depth
	}
	if t := e.columns(n.Relation); t != nil {
		if i := t.Column(n.Column); i >= 0 {
			out.Type, out.Native = t.Columns[i].Type.String(), t.Columns[i].Native
		}
	}
	return out
}

// Sources are the columns of sources that a view's column carries the values of,
// and those that influence it, by whatever way.
func (e *Estate) Sources(n Node) (carries, influences []lineage.Ref) {
	found := held(e, func() flat {
		f := &flattener{e: e, columns: map[Node]*flat{}, rows: map[string]refs{}}
		c := f.column(n)
		all := refs{}
		all.add(c.influences)
		all.add(f.rowsOf(n.Relation))
		return flat{c.carries, all}
	})
	return found.carries.sorted(), found.influences.sorted()
}

// refs is a set of source columns with their ways.
type refs map[lineage.Ref]bool

func (r refs) add(o refs) {
	for x := range o {
		r[x] = true
	}
}

// as returns r as influences; rows of relations stay what they are.
func (r refs) as(via lineage.Via) refs {
	out := refs{}
	for x := range r {
		if x.Column != "" {
			x.Via = via
		}
		out[x] = true
	}
	return out
}

func (r refs) sorted() []lineage.Ref {
	out := make([]lineage.Ref, 0, len(r))
	for x := range r {
		out = append(out, x)
	}
	slices.SortFunc(out, func(a, b lineage.Ref) int {
		return cmp.Or(cmp.Compare(a.Table, b.Table), cmp.Compare(a.Column, b.Column), cmp.Compare(a.Via, b.Via))
	})
	return out
}

// flat is what is known of one column, by columns of sources. Its influences are
// without those of its view's rows.
type flat struct{ carries, influences refs }

// flattener puts the ways through views together.
type flattener struct {
	e       *Estate
	columns map[Node]*flat
	rows    map[string]refs
}

func (f *flattener) column(n Node) *flat {
	if known := f.columns[n]; known != nil {
		return known
	}
	out := &flat{refs{}, refs{}}
	f.columns[n] = out
	v := f.e.known(n.Relation)
	if v == nil {
		out.carries[lineage.Ref{Table: n.Relation, Column: n.Column, Via: lineage.Unchanged}] = true
		return out
	}
	c := v.Text().Column(n.Column)
	if c == nil {
		return out
	}
	for _, u := range c.Carries {
		from := f.column(Node{u.Table, u.Column})
		for r := range from.carries {
			r.Via = r.Via.Then(u.Via)
			out.carries[r] = true
		}
		out.influences.add(from.influences)
	}
	out.influences.add(f.influence(c.Influences))
	return out
}

// influence is what uses that influence lead to.
func (f *flattener) influence(uses []lineage.Use) refs {
	out := refs{}
	for _, u := range uses {
		if u.Column == "" {
			out.add(f.rowsOf(u.Table))
			continue
		}
		from := f.column(Node{u.Table, u.Column})
		out.add(from.carries.as(u.Via))
		out.add(from.influences.as(u.Via))
	}
	return out
}

// rowsOf is what decides which rows a relation has.
func (f *flattener) rowsOf(relation string) refs {
	if known, ok := f.rows[relation]; ok {
		return known
	}
	f.rows[relation] = refs{}
	v := f.e.known(relation)
	if v == nil {
		f.rows[relation] = refs{{Table: relation, Via: lineage.ByRows}: true}
	} else {
		f.rows[relation] = f.influence(v.Text().Rows)
	}
	return f.rows[relation]
}

// Changed returns the estate as it would be with another description of a
// relation's columns: of a table of a source, or of a view that would give them.
// Without columns it is gone.
func (e *Estate) Changed(t *catalog.Table) *Estate {
	ctx := e.ctx
	ctx.Describe = e.describe
	name := t.FullName()
	if ctx.Catalog.View(name) == nil {
		ctx.Catalog = ctx.Catalog.WithTable(t)
		return New(ctx, e)
	}
	out := New(ctx, e)
	v := *e.View(name)
	v.Table = t
	if len(t.Columns) == 0 {
		v.Table, v.Err = nil, value.Errorf(value.CodeUndefinedTable, "there is no view called %s", name)
	}
	out.views[name] = &v
	return out
}
