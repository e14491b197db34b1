// Package app holds Rovik's use cases: what the command line and the HTTP
// server offer, without either.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"regexp"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"rovik/connect"
	"rovik/connect/document"
	"rovik/connect/files"
	"rovik/connect/mariadb"
	"rovik/connect/pool"
	"rovik/connect/postgres"
	"rovik/connect/sqlite"
	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/rewrite"
	"rovik/core/syntax"
	"rovik/core/value"
	"rovik/records"
)

// App is an open project. Its methods may be called at the same time.
type App struct {
	store *records.Store
	state atomic.Pointer[state]
	write sync.Mutex // serialises changes of state and records
	trees treeCache
	runs  runs
	// measures are what runs have measured.
	measures measurements
	health   health
	index    index
	knowing  sync.WaitGroup // what is known of views is being kept
}

// state is a snapshot of the catalogue with what it is reached by.
type state struct {
	catalog *catalog.Catalog
	sources map[string]*connected
	folding map[string]fold.Source
	plans   *planCache
	// estate knows all views.
	estate *estate.Estate
	// described are the statements that sources have described.
	described *describedCache
	// differs is told of a source that is not as the plan of a statement relies on.
	differs func(source string, err error)
}

// planCache keeps compiled queries for as long as the catalogue is the same:
// they are immutable, and do not depend on the moment.
type planCache struct {
	mu    sync.Mutex
	plans map[Query]*fold.Compiled
}

const maxPlans = 300

func (c *planCache) get(q Query) *fold.Compiled {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.plans[q]
}

func (c *planCache) put(q Query, p *fold.Compiled) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.plans) >= maxPlans {
		clear(c.plans)
	}
	c.plans[q] = p
}

func (c *planCache) clear() {
	c.mu.Lock()
	defer c.mu.Unlock()
	clear(c.plans)
}

func newPlanCache() *planCache { return &planCache{plans: map[Query]*fold.Compiled{}} }

// connected is a source with how it is kept.
type connected struct {
	record *records.Source
	conn   connect.Source
	slots  *pool.Slots
}

// Open opens the project in a folder.
func Open(ctx context.Context, home string) (*App, error) {
	store, err := records.Open(home)
	if err != nil {
		return nil, err
	}
	a := &App{store: store}
	a.runs.active = map[string]*Active{}
	if a.measures.rows, err = store.Measured(ctx); err != nil {
		_ = store.Close()
		return nil, err
	}
	if err := a.load(ctx); err != nil {
		_ = store.Close()
		return nil, err
	}
	return a, nil
}

// Close stops all runs and closes all connections.
func (a *App) Close() error {
	a.runs.stopAll()
	for _, c := range a.state.Load().sources {
		c.conn.Close()
	}
	a.measures.writing.Wait()
	a.knowing.Wait()
	return a.store.Close()
}

func dial(name, kind string, cfg connect.Config) (connect.Source, error) {
	switch kind {
	case "postgresql":
		return postgres.New(name, cfg)
	case "mariadb":
		return mariadb.New(name, cfg)
	case "sqlite":
		return sqlite.New(name, cfg)
	case "document":
		return document.New(name, cfg)
	case "parquet", "csv", "json", "xml":
		return files.New(name, kind, cfg)
	}
	return nil, noKind(kind)
}

// dial prepares a source whose password may be kept in the records.
func (a *App) dial(name, kind string, cfg connect.Config) (connect.Source, error) {
	cfg.Keeper = a.store
	return dial(name, kind, cfg)
}

// load makes the state from the records, keeping connections that fit but for
// those of the sources that were connected anew.
func (a *App) load(ctx context.Context, anew ...string) error {
	ctx = context.WithoutCancel(ctx) // what is in the records counts, whoever has stopped waiting for it
	kept, err := a.store.Sources(ctx)
	if err != nil {
		return err
	}
	layers, err := a.store.Layers(ctx)
	if err != nil {
		return err
	}
	views, err := a.store.Views(ctx)
	if err != nil {
		return err
	}
	old := a.state.Load()
	s := &state{sources: map[string]*connected{}, folding: map[string]fold.Source{}, plans: newPlanCache(), described: &describedCache{}, differs: a.differs}
	var found []*catalog.Source
	for _, r := range kept {
		var conn connect.Source
		slots := pool.New(r.Name, r.Config.Limits)
		if old != nil && old.sources[r.Name] != nil && old.sources[r.Name].record.Config == r.Config && !slices.Contains(anew, r.Name) {
			conn, slots = old.sources[r.Name].conn, old.sources[r.Name].slots
		} else if conn, err = a.dial(r.Name, r.Kind, r.Config); err != nil {
			conn = broken{err} // the others go on
		} else {
			conn = dressed(conn, r)
		}
		s.sources[r.Name] = &connected{r, conn, slots}
		if r.Found != nil {
			found = append(found, r.Found.Without(r.Hidden).WithDeclared(r.Declared).Unenforced())
			s.folding[r.Name] = conn.Folding(r.Found)
		}
	}
	s.catalog = catalog.New(found, layers, views)
	var before *estate.Estate
	if old != nil {
		before = old.estate
	}
	s.estate = a.estateOf(s, s.catalog, before)
	if before == nil {
		known, err := a.store.Known(ctx)
		if err != nil {
			return err
		}
		s.estate.Keep(known)
	}
	a.state.Store(s)
	a.remember(s)
	if old != nil {
		for name, c := range old.sources {
			if now := s.sources[name]; now == nil || now.conn != c.conn {
				go func() { _ = value.Guarded(func() error { c.conn.Close(); return nil }) }() // it waits for the statements that still run
			}
		}
	}
	return nil
}

// remember keeps what is known of the views of a state, once it is, for the next
// start, and brings the search up to date.
func (a *App) remember(s *state) {
	a.knowing.Add(1)
	go func() {
		defer a.knowing.Done()
		err := value.Guarded(func() error {
			s.estate.Views()
			if a.state.Load() != s {
				return nil
			}
			if packed := s.estate.Packed(); len(packed) > 0 {
				if err := a.store.PutKnown(context.Background(), packed); err != nil {
					slog.Warn("what is known of views is not kept", "error", err)
				}
			}
			return a.reindex(context.Background())
		})
		if err != nil {
			slog.Warn("what can be searched for is not up to date", "error", err)
		}
	}()
}

// estateOf knows the views of a catalogue, before being what was known of it.
func (a *App) estateOf(s *state, c *catalog.Catalog, before *estate.Estate) *estate.Estate {
	return estate.New(bind.Context{Catalog: c, Parse: a.trees.parse, Now: time.Now(), Describe: s.describe}, before)
}

// broken stands for a source that cannot even be prepared.
type broken struct{ err error }

func (b broken) Discover(context.Context) (*catalog.Source, error) { return nil, b.err }
func (b broken) Measures(*catalog.Source) bool                     { return true }
func (b broken) Folding(*catalog.Source) fold.Source               { return nil }
func (b broken) Open(context.Context, *fold.Statement, string) (exec.Reader, error) {
	return nil, b.err
}
func (b broken) Plan(context.Context, *fold.Statement) ([]string, error) { return nil, b.err }
func (b broken) Try(_ context.Context, steps *connect.Steps) {
	steps.Take(connect.StepName, func() (string, error) { return "", b.err })
}
func (b broken) Close() {}

// Catalog returns the present catalogue.
func (a *App) Catalog() *catalog.Catalog { return a.state.Load().catalog }

// treeCache keeps the trees of texts that were parsed, views' above all.
type treeCache struct {
	mu    sync.Mutex
	trees map[string]*syntax.Query
}

const maxTrees = 2000

func (c *treeCache) parse(sql string) (*syntax.Query, error) {
	c.mu.Lock()
	t := c.trees[sql]
	c.mu.Unlock()
	if t != nil {
		return t, nil
	}
	t, err := syntax.Parse(sql)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.trees == nil || len(c.trees) >= maxTrees {
		c.trees = map[string]*syntax.Query{}
	}
	c.trees[sql] = t
	return t, nil
}

// Query is a text to explain or run. View and Layer are set where the text is
// (to be) the definition of a view.
type Query struct {
	SQL         string
	FoldOff     bool
	Layer, View string
}

// bound parses and binds a query.
func (a *App) bound(q Query, c *catalog.Catalog) (*plan.Query, error) {
	tree, err := a.trees.parse(q.SQL)
	if err != nil {
		return nil, err
	}
	return bind.Bind(a.bindContext(q, c), q.SQL, tree)
}

// bindContext is what a query is bound in.
func (a *App) bindContext(q Query, c *catalog.Catalog) bind.Context {
	view := ""
	if q.View != "" {
		view = q.Layer + "." + q.View
	}
	return bind.Context{Catalog: c, Parse: a.trees.parse, Now: time.Now(), Describe: a.state.Load().describe, Layer: q.Layer, View: view}
}

// Compile takes a query from its text to the statements of its sources,
// without reading any data. trace, where not nil, is told of each rewrite.
func (a *App) Compile(q Query, trace func(rewrite.Step)) (c *fold.Compiled, took time.Duration, err error) {
	defer value.Guard(&err)
	began := time.Now()
	s := a.state.Load()
	if trace == nil {
		if c := s.plans.get(q); c != nil {
			return c, time.Since(began), nil
		}
	}
	c, err = a.compileIn(s, s.catalog, q, trace)
	if err == nil && !c.Volatile {
		s.plans.put(q, c)
	}
	return c, time.Since(began), err
}

// compileIn is Compile over a catalogue that may be another than the present one.
func (a *App) compileIn(s *state, in *catalog.Catalog, q Query, trace func(rewrite.Step)) (*fold.Compiled, error) {
	b, err := a.bound(q, in)
	if err != nil {
		return nil, err
	}
	for name := range plan.Sources(b.Root) {
		if c := s.sources[name]; c != nil {
			if unready, is := c.conn.(broken); is {
				return nil, unready.err
			}
		}
	}
	b.Measured = a.measures.get
	if b, err = rewrite.Apply(b, trace); err != nil {
		return nil, err
	}
	return fold.Compile(b, s.folding, fold.Options{Off: q.FoldOff})
}

// Explain says what a query would do.
func (a *App) Explain(q Query) (*exec.Report, error) {
	c, took, err := a.Compile(q, nil)
	if err != nil {
		return nil, err
	}
	return exec.Explain(c, float64(took.Microseconds())/1000), nil
}

// SourcePlan is a source's own plan of a native statement.
type SourcePlan struct {
	Statement string   `json:"statement"`
	Source    string   `json:"source"`
	Lines     []string `json:"lines"`
	// Note says what was asked instead of the statement itself.
	Note string `json:"note"`
}

// SourcePlans asks every source of a query how it would run its statement:
// which index, which scan, what it expects. No data is read.
func (a *App) SourcePlans(ctx context.Context, q Query) ([]SourcePlan, error) {
	c, _, err := a.Compile(q, nil)
	if err != nil {
		return nil, err
	}
	out := []SourcePlan{}
	for _, st := range c.Statements {
		p := SourcePlan{Statement: fmt.Sprintf("s%d", st.Number), Source: st.Source}
		asked := *st
		if st.WithKeys != nil {
			asked.Text, asked.Parameters = st.WithKeys(nil)
			p.Note = "asked without the keys that are shipped when it runs"
		}
		conn := a.state.Load().sources[st.Source]
		if conn == nil {
			return nil, value.Errorf(value.CodeSource, "the source %s is not connected any more", st.Source)
		}
		if p.Lines, err = conn.conn.Plan(ctx, &asked); err != nil {
			return nil, err
		}
		out = append(out, p)
	}
	return out, nil
}

// Open hands statements to their sources; see exec.Connector.
func (s *state) Open(ctx context.Context, st *fold.Statement, text string) (exec.Reader, error) {
	c := s.sources[st.Source]
	if c == nil {
		return nil, value.Errorf(value.CodeSource, "the source %s is not connected any more", st.Source)
	}
	open := func(ctx context.Context) (exec.Reader, error) { return c.conn.Open(ctx, st, text) }
	var r exec.Reader
	var err error
	if c.isServer() {
		r, err = pool.Open(ctx, c.slots, open)
	} else {
		r, err = open(ctx)
	}
	if err != nil {
		return nil, s.noticed(st.Source, err)
	}
	return &watched{r, func(err error) error { return s.noticed(st.Source, err) }}, nil
}

// noticed tells of a source that has changed, and returns the error.
func (s *state) noticed(source string, err error) error {
	if value.Code(err) == value.CodeChanged {
		s.differs(source, err)
	}
	return err
}

// Verify compares tables with what is known of them; see exec.Verifier.
func (s *state) Verify(ctx context.Context, source string, tables []*catalog.Table, reads plan.Reads) error {
	c := s.sources[source]
	if c == nil {
		return value.Errorf(value.CodeSource, "the source %s is not connected any more", source)
	}
	if v, ok := c.conn.(connect.Verifier); ok {
		return v.Verify(ctx, tables, reads)
	}
	return nil
}

// Start runs a query. The caller takes its rows and closes it.
func (a *App) Start(ctx context.Context, q Query, id string) (*exec.Run, error) {
	c, took, err := a.Compile(q, nil)
	if err != nil {
		return nil, err
	}
	return exec.Start(ctx, c, a.state.Load(), exec.Options{ID: id, Planned: took, Measured: a.measured})
}

var nameRule = regexp.MustCompile(`^[a-z][a-z0-9_]{0,62}$`)

func checkName(what, name string) error {
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

// Broken is a view that does not bind.
type Broken struct {
	View string
	Err  error
}

// Check returns the views that do not bind.
func (a *App) Check() []Broken {
	var out []Broken
	for _, v := range a.state.Load().estate.Broken() {
		out = append(out, Broken{v.FullName(), v.Err})
	}
	return out
}

// Setup puts layers and views into an empty project.
func (a *App) Setup(ctx context.Context, layers []catalog.Layer, views []*catalog.View) error {
	a.write.Lock()
	defer a.write.Unlock()
	for _, l := range layers {
		if err := checkName("layer", l.Name); err != nil {
			return err
		}
	}
	if err := a.store.PutLayers(ctx, layers); err != nil {
		return err
	}
	for _, v := range views {
		if err := a.store.PutViews(ctx, []*catalog.View{v}, "", NewView); err != nil && !errors.Is(err, records.ErrTaken) {
			return err
		}
	}
	if err := a.load(ctx); err != nil {
		return err
	}
	for _, b := range a.Check() {
		return fmt.Errorf("the view %s: %w", b.View, b.Err)
	}
	return nil
}

// RunThrough runs a query to its end, drops the rows and reports.
func (a *App) RunThrough(ctx context.Context, q Query) (*exec.Report, error) {
	run, err := a.Start(ctx, q, newID())
	if err != nil {
		return nil, err
	}
	defer run.Close()
	if err := eachBatch(run, func(kernel.Batch) error { return nil }); err != nil {
		return nil, err
	}
	return run.Report(), nil
}
