package project

import (
	"strings"

	lru "github.com/hashicorp/golang-lru/v2"

	"rovik/core/fold"
	"rovik/core/syntax"
)

// plans are compiled queries of a snapshot: they are immutable, and do not depend on the
// moment.
type plans struct {
	*lru.Cache[Query, *fold.Compiled]
}

const maxPlans = 300

func newPlans() *plans {
	c, err := lru.New[Query, *fold.Compiled](maxPlans)
	if err != nil {
		panic(err) // of a size that is none
	}
	return &plans{c}
}

func (p *plans) get(q Query) *fold.Compiled {
	c, _ := p.Get(q)
	return c
}

func (p *plans) put(q Query, c *fold.Compiled) { p.Add(q, c) }

// keeping are the plans of a snapshot that a change of it leaves as they are: those that
// read none of the views that change, directly or through others.
func (p *plans) keeping(s *Snapshot, c *Change) *plans {
	out := newPlans()
	if c.Layers != nil || len(c.Moves)+len(c.Sources)+len(c.Gone) > 0 {
		return out
	}
	var names []string
	for _, v := range c.Drop {
		names = append(names, v.FullName())
	}
	for _, v := range c.Put {
		names = append(names, v.FullName())
	}
	changed := map[string]bool{}
	for _, name := range append(names, s.estate.Downstream(names...)...) {
		changed[name] = true
	}
	for _, q := range p.Keys() {
		if plan := p.get(q); plan != nil && !s.Names(q.SQL, func(name string) bool { return changed[name] }) {
			out.put(q, plan)
		}
	}
	return out
}

// Names reports whether a text names a relation, by its dotted name, that f says yes to.
func (s *Snapshot) Names(sql string, f func(name string) bool) bool {
	tree, err := s.project.parse(sql)
	if err != nil {
		return false
	}
	found := false
	syntax.Walk(tree, func(n syntax.Node) bool {
		if t, is := n.(*syntax.TableName); is {
			found = found || f(strings.Join(t.Parts, "."))
		}
		return !found
	})
	return found
}
