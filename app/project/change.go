package project

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"rovik/connect/pool"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/syntax"
	"rovik/core/value"
	"rovik/records"
)

// Change is what the next snapshot has otherwise: what is to be kept in the records, and
// the names of sources whose connections are made anew although their configs are the
// same.
type Change struct {
	records.Change
	Anew  []string
	after *Snapshot
}

// After is the project as it is after a change of this snapshot: for looking at before
// the change is made, with the connections that there are. It is made once.
func (s *Snapshot) After(c *Change) *Snapshot {
	if c.after == nil {
		next := s.With(s.changed(c))
		next.plans = s.plans.keeping(s, c)
		if len(c.Sources)+len(c.Gone) > 0 {
			next.described = newDescribed()
		}
		c.after = next
	}
	return c.after
}

// changed is the catalogue after a change.
func (s *Snapshot) changed(c *Change) *catalog.Catalog {
	d := catalog.Delta{Layers: c.Layers, WithoutSources: c.Gone}
	for _, v := range c.Drop {
		d.Without = append(d.Without, v.FullName())
	}
	for _, m := range c.Moves {
		v := *s.catalog.View(m.FromLayer + "." + m.FromName)
		d.Without = append(d.Without, v.FullName())
		v.Layer, v.Name = m.ToLayer, m.ToName
		d.Views = append(d.Views, &v)
	}
	d.Views = append(d.Views, c.Put...)
	for _, r := range c.Sources {
		if r.Found == nil {
			d.WithoutSources = append(d.WithoutSources, r.Name)
		} else {
			d.Sources = append(d.Sources, Shown(r))
		}
	}
	return s.catalog.With(d)
}

// Shown is a source as queries see it: without what is hidden, with the keys that were
// declared.
func Shown(r *records.Source) *catalog.Source {
	return r.Found.Without(r.Hidden).WithDeclared(r.Declared).Unenforced()
}

// connect gives a snapshot that a change makes its connections: those of the snapshot
// before, but for sources that changed.
func (s *Snapshot) connect(before *Snapshot, c *Change) {
	if len(c.Sources)+len(c.Gone) == 0 {
		return
	}
	s.sources, s.folding = maps.Clone(before.sources), maps.Clone(before.folding)
	if s.sources == nil {
		s.sources, s.folding = map[string]*Source{}, map[string]fold.Source{}
	}
	for _, name := range c.Gone {
		delete(s.sources, name)
		delete(s.folding, name)
	}
	for _, r := range c.Sources {
		src := &Source{Record: r}
		if had := before.sources[r.Name]; had != nil && had.Record.Config == r.Config && !slices.Contains(c.Anew, r.Name) {
			src.Conn, src.slots = had.Conn, had.slots
		} else {
			src.Conn, src.slots = s.project.dialKept(r), pool.New(r.Name, r.Config.Limits)
		}
		s.sources[r.Name] = src
		delete(s.folding, r.Name)
		if r.Found != nil {
			s.folding[r.Name] = src.Conn.Folding(r.Found)
		}
	}
}

// WouldBreak is a view that binds now and would not any more.
type WouldBreak struct {
	View  string `json:"view"`
	Error string `json:"error"`
}

// Breaks tells of a view that a change breaks, and in which view's text the reason lies
// where that is another one.
func Breaks(view string, err error) WouldBreak {
	if e, is := err.(*value.Error); is && e.View != "" && e.View != view {
		return WouldBreak{view, fmt.Sprintf("in %s: %s", e.View, err)}
	}
	return WouldBreak{view, err.Error()}
}

// CodeBroken is the code of errors that name views which a change would break, CodeStale
// of a change that is based on what is not so any more.
const (
	CodeBroken = "2BP01"
	CodeStale  = "40001"
)

// RefuseToBreak refuses a change for the views that it breaks.
func RefuseToBreak(broken []WouldBreak, hint string) error {
	names := make([]string, len(broken))
	for i, b := range broken {
		names[i] = b.View
	}
	return value.Errorf(CodeBroken, "%s would break", strings.Join(names, ", ")).WithHint("%s", hint)
}

var nameRule = regexp.MustCompile(`^[a-z][a-z0-9_]{0,62}$`)

// CheckName says why something cannot have a name; what is a layer, a view or a source.
func CheckName(what, name string) error {
	if !nameRule.MatchString(name) {
		return value.Errorf("42602", "%q cannot be the name of a %s", name, what).
			WithHint("names are lower-case letters, digits and _, and start with a letter")
	}
	// As the first part of a dotted name, SQL's reserved words need quotes.
	if _, err := syntax.Parse("SELECT 1 FROM " + name + ".x"); err != nil {
		return value.Errorf("42602", "%q is a word of SQL and cannot be the name of a %s", name, what).WithHint("choose another")
	}
	return nil
}
