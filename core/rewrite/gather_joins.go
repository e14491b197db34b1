package rewrite

import (
	"math"

	"rovik/core/plan"
)

// gatherJoins reorders inner joins so that inputs of one source that share a
// condition are joined with each other first, wherever they were written, and
// moves a left, semi- or anti-join down to the one group of inputs that its
// condition reads, where it then can fold with them.
//
// What is left crosses the waterline and is joined here: the pair whose join is
// expected to give the fewest rows first, so that little is left to look up in
// what comes later.
func gatherJoins(root plan.Node, pass *Pass) plan.Node {
	g := &gatherer{pass: pass, estimate: pass.estimator(root)}
	return g.node(root)
}

type gatherer struct {
	pass     *Pass
	estimate *plan.Estimator
}

func (r *gatherer) node(n plan.Node) plan.Node {
	if len(n.Inputs()) == 0 {
		return n
	}
	if j, ok := n.(*plan.Join); !ok || j.Kind == plan.FullJoin {
		inputs := make([]plan.Node, len(n.Inputs()))
		for i, in := range n.Inputs() {
			inputs[i] = r.node(in)
		}
		return n.WithInputs(inputs)
	}
	g := &joinGroup{gatherer: r}
	g.flatten(n)
	return g.build()
}

// joinGroup is a tree of joins taken apart: inputs that are joined inner, the
// conditions between them, and right sides of other joins to add afterwards.
// (A ⟕ B) ⋈ C is (A ⋈ C) ⟕ B, and a condition of the inner join that reads B
// may as well be applied last.
type joinGroup struct {
	*gatherer
	parts    []*joinPart
	conds    []joinCond
	attached []attachment
	crosses  []plan.Origin // of joins without a condition
	// tried are pairs that cheapest has estimated, by their nodes: a merge leaves those of other parts as they are.
	tried map[[2]plan.Node]pair
}

type joinPart struct {
	node   plan.Node
	cols   plan.IDs
	source string // empty where there are several
}

type joinCond struct {
	expr plan.Expr
	org  plan.Origin // of the join it was written in
	used bool
}

type attachment struct {
	join  *plan.Join
	right *joinPart
	done  bool
}

func newPart(n plan.Node) *joinPart {
	p := &joinPart{node: n, cols: plan.Outputs(n)}
	if s := plan.Sources(n); len(s) == 1 {
		for name := range s {
			p.source = name
		}
	}
	return p
}

func (g *joinGroup) flatten(n plan.Node) {
	switch n := n.(type) {
	case *plan.Join:
		if n.Kind == plan.FullJoin {
			break
		}
		g.flatten(n.Left)
		if n.Kind != plan.InnerJoin {
			g.attached = append(g.attached, attachment{join: n, right: newPart(g.node(n.Right))})
			return
		}
		g.flatten(n.Right)
		if len(n.On) == 0 {
			g.crosses = append(g.crosses, n.Org)
		}
		for _, c := range n.On {
			g.conds = append(g.conds, joinCond{expr: c, org: n.Org})
		}
		return
	case *plan.Filter:
		if j, ok := n.Input.(*plan.Join); ok && j.Kind != plan.FullJoin {
			g.flatten(n.Input)
			for _, c := range n.Conds {
				g.conds = append(g.conds, joinCond{expr: c})
			}
			return
		}
	}
	g.parts = append(g.parts, newPart(g.node(n)))
}

func (g *joinGroup) build() plan.Node {
	// Within a source first, then the left joins that fit there, then across.
	sameSource := func(a, b *joinPart) bool { return a.source != "" && a.source == b.source }
	for i := 0; i < len(g.parts); i++ {
		for j := g.partner(i, sameSource); j >= 0; j = g.partner(i, sameSource) {
			if max(i, j)-min(i, j) > 1 {
				g.pass.note(g.connecting(i, j), "both sides are of %s: they are joined there first", g.parts[i].source)
			}
			g.merge(i, j)
			i = min(i, j) // where the joined part is now
		}
	}
	// One that fails where it finds a second row waits for all the others: it
	// must not see rows that they drop.
	g.attach(func(p *joinPart, a *attachment) bool { return a.join.Kind != plan.SingleJoin && sameSource(p, a.right) })
	for len(g.parts) > 1 {
		if next := g.cheapest(); !g.attachBefore(next) {
			g.merge(next.i, next.j)
		}
	}
	g.attach(func(*joinPart, *attachment) bool { return true })
	top := g.parts[0].node
	var rest []plan.Expr
	for _, c := range g.conds {
		if !c.used {
			rest = append(rest, c.expr)
		}
	}
	return filter(top, rest)
}

// partner returns the first part that may be joined with part i and shares an
// equality with it, or -1.
func (g *joinGroup) partner(i int, may func(a, b *joinPart) bool) int {
	g.pass.work(len(g.parts))
	for j := range g.parts {
		if j == i || !may(g.parts[i], g.parts[j]) {
			continue
		}
		for _, c := range g.conds {
			if _, _, ok := plan.EquiKeys(c.expr, g.parts[i].cols, g.parts[j].cols); ok && !c.used {
				return j
			}
		}
	}
	return -1
}

// pair is two parts that may be joined next.
type pair struct {
	i, j      int
	connected bool    // by an equality
	rows      float64 // expected
}

// cheapest returns the connected pair whose join is expected to give the fewest
// rows; where nothing is connected, the two parts with the fewest.
func (g *joinGroup) cheapest() pair {
	if len(g.parts) > mostCompared {
		return g.written()
	}
	best := pair{rows: -1}
	for i := range g.parts {
		g.pass.work(len(g.parts) - i)
		for j := i + 1; j < len(g.parts); j++ {
			p := g.try(i, j)
			if best.rows < 0 || p.connected && !best.connected || p.connected == best.connected && p.rows < best.rows {
				best = p
			}
		}
	}
	return best
}

// mostCompared is up to how many parts all pairs are compared.
const mostCompared = 100

// written returns the first part and the next one that is connected with it, as they are written.
func (g *joinGroup) written() pair {
	if j := g.partner(0, func(a, b *joinPart) bool { return true }); j > 0 {
		return pair{0, j, true, math.MaxFloat64}
	}
	return pair{0, 1, false, math.MaxFloat64}
}

// try estimates the join of two parts.
func (g *joinGroup) try(i, j int) pair {
	nodes := [2]plan.Node{g.parts[i].node, g.parts[j].node}
	p, known := g.tried[nodes]
	if !known {
		trial := &plan.Join{Left: nodes[0], Right: nodes[1]}
		for _, c := range g.conds {
			if _, _, ok := plan.EquiKeys(c.expr, g.parts[i].cols, g.parts[j].cols); ok && !c.used {
				trial.On = append(trial.On, c.expr)
			}
		}
		p = pair{connected: len(trial.On) > 0, rows: g.estimate.Rows(trial)}
		if g.tried == nil {
			g.tried = map[[2]plan.Node]pair{}
		}
		g.tried[nodes] = p
	}
	p.i, p.j = i, j
	return p
}

// connecting returns where the first condition between two parts is written.
func (g *joinGroup) connecting(i, j int) plan.Origin {
	for _, c := range g.conds {
		if _, _, ok := plan.EquiKeys(c.expr, g.parts[i].cols, g.parts[j].cols); ok && !c.used {
			return c.expr.Origin()
		}
	}
	return plan.Origin{}
}

// merge joins part j to part i with every condition that becomes possible.
func (g *joinGroup) merge(i, j int) {
	left, right := g.parts[i], g.parts[j]
	if j < i {
		left, right = right, left
	}
	both := plan.IDs{}
	for _, p := range []*joinPart{left, right} {
		for id := range p.cols {
			both[id] = true
		}
	}
	join := &plan.Join{Kind: plan.InnerJoin, Left: left.node, Right: right.node}
	for k := range g.conds {
		c := &g.conds[k]
		if !c.used && plan.Uses(c.expr).Within(both) {
			c.used = true
			join.On = append(join.On, c.expr)
			if !join.Org.Known() {
				join.Org = c.org
			}
		}
	}
	if len(join.On) == 0 && len(g.crosses) > 0 {
		join.Org, g.crosses = g.crosses[0], g.crosses[1:]
	}
	merged := &joinPart{node: join, cols: both}
	if left.source == right.source {
		merged.source = left.source
	}
	g.parts[min(i, j)] = merged
	g.parts = append(g.parts[:max(i, j)], g.parts[max(i, j)+1:]...)
}

// attach adds the left joins that may go and whose condition reads a single
// part, in order.
func (g *joinGroup) attach(may func(p *joinPart, a *attachment) bool) {
	for k := range g.attached {
		for _, p := range g.parts {
			if a := &g.attached[k]; !a.done && may(p, a) && g.fits(a, p) {
				a.addTo(p)
			}
		}
	}
}

// attachBefore adds the first join that is better made before the next pair:
// one whose right side is read by a condition that waits, where the pair is not
// connected and every combination of its rows would be made; and a semi- or
// anti-join on a part that the pair would multiply.
func (g *joinGroup) attachBefore(next pair) bool {
	for k := range g.attached {
		a := &g.attached[k]
		if a.done {
			continue
		}
		connects := !next.connected && g.awaited(a.right)
		reduces := a.join.Kind == plan.SemiJoin || a.join.Kind == plan.AntiJoin
		for i, p := range g.parts {
			if !g.fits(a, p) {
				continue
			}
			if connects || reduces && (i == next.i || i == next.j) && next.rows > g.estimate.Rows(p.node) {
				a.addTo(p)
				return true
			}
		}
	}
	return false
}

// awaited reports whether a condition that is not used yet reads p.
func (g *joinGroup) awaited(p *joinPart) bool {
	for _, c := range g.conds {
		if c.used {
			continue
		}
		for id := range plan.Uses(c.expr) {
			if p.cols[id] {
				return true
			}
		}
	}
	return false
}

// addTo makes p the left side of a's join.
func (a *attachment) addTo(p *joinPart) {
	p.node = a.join.WithInputs([]plan.Node{p.node, a.right.node})
	p.cols = plan.Outputs(p.node)
	if p.source != a.right.source {
		p.source = ""
	}
	a.done = true
}

// fits reports whether a's condition reads only p and a's right side. A
// condition without columns of p fits the part that holds everything.
func (g *joinGroup) fits(a *attachment, p *joinPart) bool {
	left := plan.IDs{}
	uses := plan.Uses(a.join.On...)
	if a.join.Test != nil {
		uses.AddUses(a.join.Test)
	}
	for id := range uses {
		if !a.right.cols[id] {
			left[id] = true
		}
	}
	return left.Within(p.cols) && (len(left) > 0 || len(g.parts) == 1)
}
