// Package sources is about connecting and watching sources: trying and connecting one,
// what it is found to hold, which of its tables are shown and how they are read, its
// declared keys, how its tables look, and how it differs from what is known of it.
package sources

import (
	"context"
	"slices"
	"strings"
	"time"

	"rovik/app/project"
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

// Sources are the sources of a project. Its methods may be called at the same time.
type Sources struct {
	project *project.Project
	health  *HealthBook
}

// Of returns the sources of a project, whose health stands in a book.
func Of(p *project.Project, h *HealthBook) *Sources { return &Sources{p, h} }

// List lists the sources by name.
func (s *Sources) List() []SourceInfo {
	out := []SourceInfo{}
	for _, src := range s.project.Now().Sources() {
		r := src.Record
		info := SourceInfo{Name: r.Name, Kind: r.Kind, Note: r.Note, Address: r.Config.Path, Hidden: append([]string{}, r.Hidden...), Health: s.health.of(r.Name), Declared: append([]catalog.DeclaredKey{}, r.Declared...)}
		if r.Found != nil {
			info.Found = r.Found.WithDeclared(r.Declared)
		}
		if src.IsServer() {
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
	return out
}

// Add connects a source, reads its catalogue and keeps it. Nothing is
// kept where that fails. A source of that name is replaced.
func (s *Sources) Add(ctx context.Context, name, kind string, cfg connect.Config, note string) (*catalog.Source, error) {
	return s.ConnectAs(ctx, NewSource{Name: name, Kind: kind, Config: cfg, Note: note})
}

// ConnectAs connects a source just as it is described, in the place of one of its name.
// A password is kept once it was used.
func (s *Sources) ConnectAs(ctx context.Context, n NewSource) (*catalog.Source, error) {
	name, kind, cfg, note := n.Name, n.Kind, n.Config, n.Note
	if err := project.CheckName("source", name); err != nil {
		return nil, err
	}
	now := s.project.Now()
	if _, ok := now.Catalog().Rank(name); ok {
		return nil, value.Errorf(value.CodeDuplicate, "a layer is called %s already", name).WithHint("choose another name")
	}
	old := now.Has(name)
	if err := mayUse(old, n); err != nil {
		return nil, err
	}
	tried := cfg
	tried.Keeper = s.project.Records()
	if n.Password != "" {
		cfg.Secret = "kept:" + name
		tried.Secret, tried.Keeper = cfg.Secret, &given{n.Password}
	}
	conn, err := s.project.Dial(name, kind, tried)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	next := &records.Source{Name: name, Kind: kind, Note: note, Config: cfg, Shapes: n.Shapes}
	if old != nil {
		next.Hidden, next.Declared = old.Record.Hidden, old.Record.Declared
		if next.Shapes == nil {
			next.Shapes = old.Record.Shapes
		}
		if old.Record.Kind == kind {
			next.Types = old.Record.Types
		}
	}
	conn = project.Dressed(conn, next)
	if next.Shapes, next.Found, err = discover(ctx, conn, next.Shapes); err != nil {
		return nil, err
	}
	next.FoundAt = time.Now()
	_, err = s.project.Write(ctx, func(*project.Snapshot) (*project.Change, error) {
		c := replacing(next, name)
		if n.Password != "" {
			c.Secrets = map[string]string{name: n.Password}
		}
		return c, nil
	})
	if err != nil {
		return nil, err
	}
	s.health.set(name, nil)
	return next.Found, nil
}

// mayUse fails for a source that would send a kept password elsewhere than it was given for: a password
// belongs to its own source, and to the server, user and protection that it was given with.
func mayUse(old *project.Source, n NewSource) error {
	if n.Password != "" || !strings.HasPrefix(n.Config.Secret, "kept:") {
		return nil
	}
	if old == nil || n.Config.Secret != old.Record.Config.Secret {
		return value.Errorf(value.CodeSource, "a kept password belongs to its own source").WithHint("give the password of %s", n.Name)
	}
	if was := old.Record.Config; n.Kind != old.Record.Kind || !n.Config.SamePeer(was) {
		return value.Errorf(value.CodeSource, "the password of %s is kept for %s as %s, and is not sent to %s as %s", n.Name, was.Address(), was.User, n.Config.Address(), n.Config.User).
			WithHint("connect %s again with its password, or write secret: env:NAME", n.Name)
	}
	return nil
}

// Found is what a source was found to hold, and how that differs from what was
// known.
type Found struct {
	*catalog.Source
	Differences Differences
	shapes      []*shape.Shape
}

// known is what queries see of a source that was found, without its declared keys.
func known(r *records.Source) *catalog.Source {
	if r.Found == nil {
		return nil
	}
	return r.Found.Without(r.Hidden)
}

func (s *Sources) discover(ctx context.Context, name string) (*project.Source, Found, error) {
	now := s.project.Now()
	src, err := now.Source(name)
	if err != nil {
		return nil, Found{}, err
	}
	shapes, found, err := discover(ctx, src.Conn, src.Record.Shapes)
	if err != nil {
		return nil, Found{}, err
	}
	return src, Found{found, differencesIn(now, known(src.Record), found.Without(src.Record.Hidden)), shapes}, nil
}

// Test connects to a source and reads its catalogue, changing nothing.
func (s *Sources) Test(ctx context.Context, name string) (Found, error) {
	_, found, err := s.discover(ctx, name)
	return found, err
}

// Refresh reads a source's catalogue and measures its quirks anew. What
// changed counts for folding from now on.
func (s *Sources) Refresh(ctx context.Context, name string) (Found, error) {
	src, found, err := s.discover(ctx, name)
	if err != nil {
		return found, err
	}
	r := *src.Record
	r.Found, r.Shapes = found.Source, found.shapes
	if err := s.accept(ctx, src, r, found.Differences); err != nil || len(r.Declared) == 0 {
		return found, err
	}
	declared := remeasured(ctx, s.project.Now(), src)
	return found, s.Alter(ctx, name, func(r *records.Source) {
		r.Declared = slices.Clone(r.Declared)
		for i, k := range r.Declared {
			if at := slices.IndexFunc(declared, k.Same); at >= 0 {
				r.Declared[i] = declared[at]
			}
		}
	})
}

// Hide says which tables of a source no query can name; the others can.
// Views that read a table which goes are named, and nothing changes, unless it
// is forced.
func (s *Sources) Hide(ctx context.Context, name string, hidden []string, force bool) error {
	_, err := s.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		src, err := now.Source(name)
		if err != nil {
			return nil, err
		}
		r := *src.Record
		if r.Found == nil {
			return nil, value.Errorf(value.CodeSource, "%s has not been reached yet", name).WithHint("refresh it first")
		}
		r.Hidden = []string{}
		for _, t := range r.Found.Tables {
			if slices.Contains(hidden, t.LocalName()) {
				r.Hidden = append(r.Hidden, t.LocalName())
			}
		}
		if len(r.Hidden) < len(hidden) {
			return nil, value.Errorf(value.CodeUndefinedTable, "%s does not have all of the tables %s", name, strings.Join(hidden, ", ")).WithHint("refresh the source")
		}
		if d := differencesIn(now, known(src.Record), known(&r)); len(d.Broken) > 0 && !force {
			return nil, project.RefuseToBreak(d.Broken, "change them first, or hide the tables anyway (--force)")
		}
		return replacing(&r), nil
	})
	return err
}

// replacing is the change of one source.
func replacing(r *records.Source, anew ...string) *project.Change {
	return &project.Change{Change: records.Change{Sources: []*records.Source{r}}, Anew: anew}
}

// Has reports whether a source is kept just so and was discovered, with all
// quirks that are measured today.
func (s *Sources) Has(name, kind string, cfg connect.Config) bool {
	src := s.project.Now().Has(name)
	return src != nil && src.Record.Kind == kind && src.Record.Config == cfg && src.Record.Found != nil && src.Conn.Measures(src.Record.Found)
}

// SetLimits bounds what a source is asked for at a time. Zero stands for the
// usual.
func (s *Sources) SetLimits(ctx context.Context, source string, l connect.Limits) error {
	if err := l.Check(); err != nil {
		return err
	}
	src, err := s.project.Now().Source(source)
	if err != nil {
		return err
	}
	if !src.IsServer() {
		return value.Errorf(value.CodeBadParameter, "%s is read from files, and limits are for servers", source)
	}
	return s.Alter(ctx, source, func(r *records.Source) { r.Config.Limits = l })
}

// Alter changes what is kept of a source.
func (s *Sources) Alter(ctx context.Context, source string, change func(*records.Source)) error {
	_, err := s.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		src, err := now.Source(source)
		if err != nil {
			return nil, err
		}
		r := *src.Record
		change(&r)
		return replacing(&r), nil
	})
	return err
}
