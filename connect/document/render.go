package document

import (
	"fmt"
	"slices"
	"strings"

	"go.mongodb.org/mongo-driver/v2/bson"

	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/shape"
	"rovik/core/value"
)

// command is a native statement: a find, or an aggregation.
type command struct {
	flat *shape.Flat
	// stages are what documents go through, in their order.
	stages []stage
	// wanted are the cells of the rows that are flattened here; none where the
	// server groups.
	wanted  []int
	group   *grouping
	keyed   *field // the field of shipped keys, or nil
	project bson.D
	nests   bool // a statement as it stands is within
	// strict are the fields of which the conditions would leave out values that
	// do not fit, which are an error.
	strict   []field
	decimals bool // the server knows them
}

// stage is one stage of an aggregation; several conditions are one.
type stage struct {
	name  string // "$match", …
	value any
	parts []bson.D // of a $match: the conditions
	keys  int      // which of the parts takes shipped keys, or -1
	marks []fold.Mark
	given bool // part of a statement as it stands
}

// grouping is what the server groups by and aggregates, and what of it each
// column of the statement is.
type grouping struct {
	keys []field
	aggs []string // count, sum, min or max
	outs []int    // a key's position, or that of an aggregate behind the keys
	// kinds are those of the keys, then of the aggregates.
	kinds  []value.Kind
	global bool // there is one row where there is no document
}

// Render writes the statement; see fold.Source.
func (f *folding) Render(root plan.Node) (fold.Native, error) {
	p, ok := root.(*plan.Project)
	if !ok {
		return fold.Native{}, fmt.Errorf("document: a statement that is a %T", root)
	}
	c := &command{decimals: f.found.Quirks[decimalQuirk].Value == "yes"}
	var err error
	switch n := p.Input.(type) {
	case *plan.Aggregate:
		var aggs []plan.AggItem = n.Aggs
		err = f.renderGroup(c, n.Input, n.Groups, aggs, n.Org, fold.KindAggregate)
	case *plan.Distinct:
		in := n.Input.(*plan.Project)
		err = f.renderGroup(c, in.Input, in.Items, nil, n.Org, fold.KindDistinct)
	default:
		err = f.renderRows(c, n, p.Items)
	}
	if err != nil {
		return fold.Native{}, err
	}
	if c.group != nil {
		ids := map[plan.ID]int{}
		for i, col := range p.Input.Columns() {
			ids[col.ID] = i
		}
		for _, it := range p.Items {
			col, isCol := it.Expr.(*plan.Col)
			at, known := 0, false
			if isCol {
				at, known = ids[col.ID]
			}
			if !known {
				return fold.Native{}, fmt.Errorf("document: a column that is %s", plan.Text(it.Expr))
			}
			c.group.outs = append(c.group.outs, at)
		}
	}
	text, marks := c.text(true)
	out := fold.Native{Language: "document", Text: text, Marks: marks, Own: c}
	if c.keyed != nil {
		out.MaxKeys = f.KeyBatch()
		out.WithKeys = func(keys []value.Value) (string, []value.Value) {
			text, _ := c.text(keys != nil)
			return text, keys
		}
	}
	return out, nil
}

// renderChain makes the stages of what comes before the last step.
func (f *folding) renderChain(c *command, n plan.Node) (*chain, error) {
	ch, why := f.chain(n)
	if why != nil {
		return nil, fmt.Errorf("document: %s", why.Text)
	}
	c.flat = ch.scan.Table.Flat
	if text := ch.scan.Table.Verbatim; text != "" {
		_, stages, err := verbatim(text)
		if err != nil {
			return nil, err
		}
		c.nests = true
		for _, st := range stages {
			c.stages = append(c.stages, stage{name: st[0].Key, value: st[0].Value, keys: -1, given: true})
		}
	}
	for _, n := range ch.stages {
		switch n := n.(type) {
		case *plan.Filter:
			st := stage{name: "$match", keys: -1}
			for _, cond := range n.Conds {
				m := f.match(cond)
				if m.filter == nil {
					return nil, fmt.Errorf("document: no condition for %s", plan.Text(cond))
				}
				for _, at := range m.hides {
					if !slices.ContainsFunc(c.strict, func(f field) bool { return f.cell == at.cell }) {
						c.strict = append(c.strict, at)
					}
				}
				if m.keys {
					st.keys = len(st.parts)
					col := cond.(*plan.Call).Args[0].(*plan.Col)
					at, _ := f.field(col)
					c.keyed = &at
				}
				st.parts = append(st.parts, m.filter)
				st.marks = append(st.marks, fold.Mark{Kind: fold.KindFilter, Origin: cond.Origin()})
			}
			c.stages = append(c.stages, st)
		case *plan.Sort:
			by := bson.D{}
			for _, k := range n.Keys {
				at, why := f.plainField(k.Expr)
				if why != nil {
					return nil, fmt.Errorf("document: no order by %s", plan.Text(k.Expr))
				}
				direction := int32(1)
				if k.Desc {
					direction = -1
				}
				if !slices.ContainsFunc(by, func(e bson.E) bool { return e.Key == at.path }) {
					by = append(by, bson.E{Key: at.path, Value: direction})
				}
			}
			c.stages = append(c.stages, stage{name: "$sort", value: by, keys: -1, marks: []fold.Mark{{Kind: fold.KindSort, Origin: n.Org}}})
		case *plan.Limit:
			if n.Offset > 0 {
				c.stages = append(c.stages, stage{name: "$skip", value: n.Offset, keys: -1, marks: []fold.Mark{{Kind: fold.KindLimit, Origin: n.Org}}})
			}
			if n.Count >= 0 {
				c.stages = append(c.stages, stage{name: "$limit", value: n.Count, keys: -1, marks: []fold.Mark{{Kind: fold.KindLimit, Origin: n.Org}}})
			}
		}
	}
	return ch, nil
}

func (f *folding) renderRows(c *command, n plan.Node, items []plan.Item) error {
	ch, err := f.renderChain(c, n)
	if err != nil {
		return err
	}
	index := map[plan.ID]int{}
	for _, col := range ch.scan.Cols {
		index[col.ID] = col.Index
	}
	for _, it := range items {
		col, isCol := it.Expr.(*plan.Col)
		at, known := 0, false
		if isCol {
			at, known = index[col.ID]
		}
		if !known {
			return fmt.Errorf("document: a column that is %s", plan.Text(it.Expr))
		}
		c.wanted = append(c.wanted, at)
	}
	c.project = projection(c.flat, c.wanted)
	return nil
}

// projection names the fields of documents that cells are made of, or nil where
// a path may lead anywhere.
func projection(flat *shape.Flat, wanted []int) bson.D {
	var out bson.D
	add := func(path string) bool {
		steps, ok := shape.Plain(shape.JSONPath, path)
		if !ok || len(steps) == 0 || steps[0].Kind != shape.ByName || strings.ContainsAny(steps[0].Name, ".$") || steps[0].Name == "" {
			return false
		}
		if !slices.ContainsFunc(out, func(e bson.E) bool { return e.Key == steps[0].Name }) {
			out = append(out, bson.E{Key: steps[0].Name, Value: int32(1)})
		}
		return true
	}
	if len(flat.Steps) > 1 && !add(flat.Steps[1]) {
		return nil
	}
	for _, w := range wanted {
		c := flat.Cells[w]
		if c.From == shape.FromPath && c.Level == 0 && !add(c.Path) {
			return nil
		}
	}
	if !slices.ContainsFunc(out, func(e bson.E) bool { return e.Key == "_id" }) { // errors name the document by it
		out = append(out, bson.E{Key: "_id", Value: int32(1)})
	}
	return out
}

func isNotList(path string) bson.D {
	return bson.D{{Key: path, Value: bson.D{{Key: "$not", Value: bson.D{{Key: "$type", Value: "array"}}}}}}
}

// unwinding are the stages that give a document for each row of lists.
func unwinding(flat *shape.Flat) []stage {
	var out []stage
	path := ""
	for _, step := range flat.Steps[1:] {
		names, _ := listNames(step)
		var guards []bson.D
		if path != "" {
			guards = append(guards, isNotList(path))
		}
		for i, name := range names {
			path = strings.TrimPrefix(path+"."+name, ".")
			if i < len(names)-1 {
				guards = append(guards, isNotList(path))
			}
		}
		guards = append(guards, bson.D{{Key: path, Value: bson.D{{Key: "$type", Value: "array"}}}})
		out = append(out, stage{name: "$match", parts: guards, keys: -1}, stage{name: "$unwind", value: "$" + path, keys: -1})
	}
	return out
}

func (f *folding) renderGroup(c *command, n plan.Node, groups []plan.Item, aggs []plan.AggItem, org plan.Origin, kind fold.Kind) error {
	if _, err := f.renderChain(c, n); err != nil {
		return err
	}
	c.stages = append(c.stages, unwinding(c.flat)...)
	g := &grouping{global: len(groups) == 0 && kind == fold.KindAggregate}
	by := bson.D{}
	for i, it := range groups {
		at, why := f.plainField(it.Expr)
		if why != nil {
			return fmt.Errorf("document: no group by %s", plan.Text(it.Expr))
		}
		g.keys, g.kinds = append(g.keys, at), append(g.kinds, at.cell.Type.Kind)
		by = append(by, bson.E{Key: fmt.Sprintf("k%d", i), Value: "$" + at.path})
	}
	var id any
	switch len(by) {
	case 0:
	case 1:
		id = by[0].Value
	default:
		id = by
	}
	group := bson.D{{Key: "_id", Value: id}}
	marks := []fold.Mark{{Kind: kind, Origin: org}}
	for i, a := range aggs {
		operand := any(int32(1))
		op := "$sum"
		if a.Func != "count" {
			at, why := f.plainField(a.Args[0])
			if why != nil {
				return fmt.Errorf("document: no %s of %s", a.Func, plan.Text(a.Args[0]))
			}
			operand, op = "$"+at.path, accumulators[a.Func]
		}
		g.aggs, g.kinds = append(g.aggs, a.Func), append(g.kinds, a.Type.Kind)
		group = append(group, bson.E{Key: fmt.Sprintf("a%d", i), Value: bson.D{{Key: op, Value: operand}}})
		marks = append(marks, fold.Mark{Kind: fold.KindAggregate, Origin: a.Org})
	}
	c.group = g
	c.stages = append(c.stages, stage{name: "$group", value: group, keys: -1, marks: marks})
	return nil
}

// conditions are those of a $match; without shipped keys where they are too many.
func (s stage) conditions(keys bool) []bson.D {
	if keys || s.keys < 0 {
		return s.parts
	}
	return slices.Delete(slices.Clone(s.parts), s.keys, s.keys+1)
}

// found reports whether the command is a find: conditions, then an order, then a
// limit, each at most once.
func (c *command) isFind() bool {
	if c.group != nil || c.nests {
		return false
	}
	rank, last := map[string]int{"$match": 1, "$sort": 2, "$skip": 3, "$limit": 4}, 0
	for _, s := range c.stages {
		r := rank[s.name]
		if r == 0 || r < last || r == last && r != 1 {
			return false
		}
		last = r
	}
	return true
}

// collection is the set that is read.
func (c *command) collection() string { return c.flat.Set }

// document is the command as it is sent.
func (c *command) document(keys bool) bson.D {
	if c.isFind() {
		out := bson.D{{Key: "find", Value: c.collection()}}
		var all bson.A
		for _, s := range c.stages {
			for _, p := range s.conditions(keys) {
				all = append(all, p)
			}
		}
		switch len(all) {
		case 0:
		case 1:
			out = append(out, bson.E{Key: "filter", Value: all[0]})
		default:
			out = append(out, bson.E{Key: "filter", Value: bson.D{{Key: "$and", Value: all}}})
		}
		for _, s := range c.stages {
			if s.name != "$match" {
				out = append(out, bson.E{Key: strings.TrimPrefix(s.name, "$"), Value: s.value})
			}
		}
		if c.project != nil {
			out = append(out, bson.E{Key: "projection", Value: c.project})
		}
		return out
	}
	pipeline := bson.A{}
	for _, s := range c.stages {
		v := s.value
		if s.name == "$match" && !s.given {
			all := bson.A{}
			for _, p := range s.conditions(keys) {
				all = append(all, p)
			}
			switch len(all) {
			case 0:
				continue
			case 1:
				v = all[0]
			default:
				v = bson.D{{Key: "$and", Value: all}}
			}
		}
		pipeline = append(pipeline, bson.D{{Key: s.name, Value: v}})
	}
	if c.group == nil && c.project != nil {
		pipeline = append(pipeline, bson.D{{Key: "$project", Value: c.project}})
	}
	return bson.D{{Key: "aggregate", Value: c.collection()}, {Key: "pipeline", Value: pipeline}, {Key: "cursor", Value: bson.D{}}}
}

// text writes the command as extended JSON, a condition or stage a line, with the
// places of the pieces.
func (c *command) text(keys bool) (string, []fold.Mark) {
	w := &textWriter{}
	if c.isFind() {
		w.add("{\"find\": " + extended(c.collection()))
		var conds []bson.D
		var marks []fold.Mark
		for _, s := range c.stages {
			if s.name == "$match" {
				conds, marks = append(conds, s.conditions(keys)...), append(marks, s.marks...)
			}
		}
		if len(conds) > 0 {
			w.add(",\n \"filter\": ")
			w.conditions(conds, marks, "   ")
		}
		for _, s := range c.stages {
			if s.name != "$match" {
				w.add(",\n ")
				w.piece(extended(strings.TrimPrefix(s.name, "$"))+": "+extended(s.value), s.marks)
			}
		}
		if c.project != nil {
			w.add(",\n \"projection\": " + extended(c.project))
		}
		w.add("}")
		return w.b.String(), w.marks
	}
	w.add("{\"aggregate\": " + extended(c.collection()) + ",\n \"pipeline\": [")
	first := true
	stageText := func(write func()) {
		if !first {
			w.add(",")
		}
		first = false
		w.add("\n   ")
		write()
	}
	for _, s := range c.stages {
		if s.name != "$match" || s.given {
			stageText(func() { w.piece("{"+extended(s.name)+": "+extended(s.value)+"}", s.marks) })
			continue
		}
		if conds := s.conditions(keys); len(conds) > 0 {
			stageText(func() {
				w.add("{\"$match\": ")
				w.conditions(conds, s.marks, "      ")
				w.add("}")
			})
		}
	}
	if c.group == nil && c.project != nil {
		stageText(func() { w.add("{\"$project\": " + extended(c.project) + "}") })
	}
	w.add("]}")
	return w.b.String(), w.marks
}

// textWriter writes a command with the places of its pieces.
type textWriter struct {
	b     strings.Builder
	marks []fold.Mark
}

func (w *textWriter) add(s string) { w.b.WriteString(s) }

func (w *textWriter) piece(s string, marks []fold.Mark) {
	start := w.b.Len()
	w.add(s)
	for _, m := range marks {
		m.Start, m.End = start, w.b.Len()
		w.marks = append(w.marks, m)
	}
}

// conditions writes one condition, or several that all have to hold. There may
// be fewer marks than conditions, or more where keys are left out.
func (w *textWriter) conditions(conds []bson.D, marks []fold.Mark, indent string) {
	if len(conds) > 1 {
		w.add("{\"$and\": [")
	}
	for i, c := range conds {
		if len(conds) > 1 {
			w.add(map[bool]string{true: "\n", false: ",\n"}[i == 0] + indent)
		}
		var own []fold.Mark
		if i < len(marks) {
			own = marks[i : i+1]
		}
		w.piece(extended(c), own)
	}
	if len(conds) > 1 {
		w.add("]}")
	}
}

// A command's bounds: documents have 16 MiB, of which some is left for what is around it, and
// are nested so deep at most, where an expression's level takes three.
const (
	mostBytes  = 15 << 20
	mostNested = 100 / 3
)

// Fits says why a command is past a bound; see fold.Bounded.
func (f *folding) Fits(root plan.Node, n fold.Native) *fold.Reason {
	deepest := 0
	plan.Visit(root, func(n plan.Node) {
		plan.MapExprs(n, func(e plan.Expr) plan.Expr {
			deepest = max(deepest, levels(e))
			return e
		})
	})
	const remedy = "Ask for less at once: a shorter list, or a join with a table in the place of constants."
	switch {
	case len(n.Text) > mostBytes:
		return &fold.Reason{Code: "statement-too-large", Text: fmt.Sprintf("The command would have %d bytes, and %s takes at most %d.", len(n.Text), f.name, mostBytes), Remedy: remedy}
	case deepest > mostNested:
		return &fold.Reason{Code: "statement-too-large", Text: fmt.Sprintf("The command would have an expression %d levels deep, and %s takes at most %d.", deepest, f.name, mostNested), Remedy: remedy}
	}
	return nil
}

// levels counts how deep an expression is.
func levels(e plan.Expr) int {
	deepest := 0
	for _, p := range plan.Children(e) {
		deepest = max(deepest, levels(p))
	}
	return deepest + 1
}
