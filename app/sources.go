package app

import (
	"context"
	"slices"
	"sort"
	"strings"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
	"rovik/records"
)

// SourceInfo is a source for people to look at.
type SourceInfo struct {
	Name    string          `json:"name"`
	Kind    string          `json:"kind"`
	Note    string          `json:"note"`
	Address string          `json:"address"`
	FoundAt *time.Time      `json:"foundAt"`
	Found   *catalog.Source `json:"found"`
	Hidden  []string        `json:"hidden"` // tables that no query can name
	// Health is how it was at the last check; nil where there was none.
	Health *Health `json:"health"`
	// Limits bound what a server is asked for at a time.
	Limits *connect.Limits `json:"limits"`
	// Declared are the keys that were declared by hand.
	Declared []catalog.DeclaredKey `json:"declared"`
	// Changes are the quirks that a refresh just measured otherwise.
	Changes []catalog.QuirkChange `json:"changes,omitempty"`
}

// Sources lists the sources by name.
func (a *App) Sources() []SourceInfo {
	out := []SourceInfo{}
	for _, c := range a.state.Load().sources {
		r := c.record
		info := SourceInfo{Name: r.Name, Kind: r.Kind, Note: r.Note, Address: r.Config.Path, Hidden: append([]string{}, r.Hidden...), Health: a.health.of(r.Name), Declared: append([]catalog.DeclaredKey{}, r.Declared...)}
		if r.Found != nil {
			info.Found = r.Found.WithDeclared(r.Declared)
		}
		if c.isServer() {
			l := r.Config.Limits.Full()
			info.Limits = &l
		}
		if r.Config.Host != "" {
			info.Address = r.Config.Address() + "/" + r.Config.Database
		}
		if !r.FoundAt.IsZero() {
			at := r.FoundAt
			info.FoundAt = &at
		}
		out = append(out, info)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

// AddSource connects a source, reads its catalogue and keeps it. Nothing is
// kept where that fails. A source of that name is replaced.
func (a *App) AddSource(ctx context.Context, name, kind string, cfg connect.Config, note string) (*catalog.Source, error) {
	return a.add(ctx, NewSource{Name: name, Kind: kind, Config: cfg, Note: note})
}

// add is AddSource with a password, which is kept once it was used.
func (a *App) add(ctx context.Context, n NewSource) (*catalog.Source, error) {
	name, kind, cfg, note := n.Name, n.Kind, n.Config, n.Note
	if err := checkName("source", name); err != nil {
		return nil, err
	}
	if _, ok := a.Catalog().Rank(name); ok {
		return nil, value.Errorf(value.CodeDuplicate, "a layer is called %s already", name).WithHint("choose another name")
	}
	tried := cfg
	tried.Keeper = a.store
	if n.Password != "" {
		cfg.Secret = "kept:" + name
		tried.Secret, tried.Keeper = cfg.Secret, &given{n.Password}
	}
	conn, err := dial(name, kind, tried)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	old := a.state.Load().sources[name]
	next := &records.Source{Name: name, Kind: kind, Note: note, Config: cfg, Shapes: n.Shapes}
	if old != nil {
		next.Hidden, next.Declared = old.record.Hidden, old.record.Declared
		if next.Shapes == nil {
			next.Shapes = old.record.Shapes
		}
		if old.record.Kind == kind {
			next.Types = old.record.Types
		}
	}
	conn = dressed(conn, next)
	if next.Shapes, next.Found, err = discover(ctx, conn, next.Shapes); err != nil {
		return nil, err
	}
	next.FoundAt = time.Now()
	a.write.Lock()
	defer a.write.Unlock()
	if n.Password != "" {
		if err := a.store.PutSecret(ctx, name, n.Password); err != nil {
			return nil, err
		}
	}
	if err := a.store.PutSource(ctx, next); err != nil {
		return nil, err
	}
	a.health.set(name, nil)
	return next.Found, a.load(ctx, name)
}

func (a *App) source(name string) (*connected, error) {
	c := a.state.Load().sources[name]
	if c == nil {
		var names []string
		for n := range a.state.Load().sources {
			names = append(names, n)
		}
		err := value.Errorf(value.CodeSource, "no source is called %q", name)
		if near := catalog.Nearest(name, names); near != "" {
			err = err.WithHint("did you mean %s?", near)
		}
		return nil, err
	}
	return c, nil
}

// Found is what a source was found to hold, and how that differs from what was
// known.
type Found struct {
	*catalog.Source
	Differences Differences
	shapes      []*shape.Shape
}

func (a *App) discover(ctx context.Context, name string) (*connected, Found, error) {
	c, err := a.source(name)
	if err != nil {
		return nil, Found{}, err
	}
	shapes, found, err := discover(ctx, c.conn, c.record.Shapes)
	if err != nil {
		return nil, Found{}, err
	}
	var known *catalog.Source
	if c.record.Found != nil {
		known = c.record.Found.Without(c.record.Hidden)
	}
	return c, Found{found, a.differences(known, found.Without(c.record.Hidden)), shapes}, nil
}

// TestSource connects to a source and reads its catalogue, changing nothing.
func (a *App) TestSource(ctx context.Context, name string) (Found, error) {
	_, found, err := a.discover(ctx, name)
	return found, err
}

// RefreshSource reads a source's catalogue and measures its quirks anew. What
// changed counts for folding from now on.
func (a *App) RefreshSource(ctx context.Context, name string) (Found, error) {
	c, found, err := a.discover(ctx, name)
	if err != nil {
		return found, err
	}
	r := *c.record
	r.Found, r.Shapes = found.Source, found.shapes
	if err := a.accept(ctx, c, r, found.Differences); err != nil || len(r.Declared) == 0 {
		return found, err
	}
	declared := a.remeasured(ctx, c)
	return found, a.alter(ctx, name, func(r *records.Source) {
		r.Declared = slices.Clone(r.Declared)
		for i, k := range r.Declared {
			if at := slices.IndexFunc(declared, k.Same); at >= 0 {
				r.Declared[i] = declared[at]
			}
		}
	})
}

// HideTables says which tables of a source no query can name; the others can.
// Views that read a table which goes are named, and nothing changes, unless it
// is to go in spite of them.
func (a *App) HideTables(ctx context.Context, name string, hidden []string, force bool) error {
	a.write.Lock()
	defer a.write.Unlock()
	c, err := a.source(name)
	if err != nil {
		return err
	}
	r := *c.record
	if r.Found == nil {
		return value.Errorf(value.CodeSource, "%s was never reached", name).WithHint("refresh it first")
	}
	r.Hidden = []string{}
	for _, t := range r.Found.Tables {
		if slices.Contains(hidden, t.LocalName()) {
			r.Hidden = append(r.Hidden, t.LocalName())
		}
	}
	if len(r.Hidden) < len(hidden) {
		return value.Errorf(value.CodeUndefinedTable, "%s does not have all of the tables %s", name, strings.Join(hidden, ", ")).WithHint("refresh the source")
	}
	d := a.differences(r.Found.Without(c.record.Hidden), r.Found.Without(r.Hidden))
	if len(d.Broken) > 0 && !force {
		return wouldBreak(d, "change them first, or hide the tables anyway (--force)")
	}
	if err := a.store.PutSource(ctx, &r); err != nil {
		return err
	}
	return a.load(ctx)
}

// HasSource tells whether a source is kept just so and was discovered, with all
// quirks that are measured today.
func (a *App) HasSource(name, kind string, cfg connect.Config) bool {
	c := a.state.Load().sources[name]
	return c != nil && c.record.Kind == kind && c.record.Config == cfg && c.record.Found != nil && c.conn.Measures(c.record.Found)
}
