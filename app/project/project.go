// Package project is the open project. A Snapshot is the project at one moment: its
// catalogue, what is known of its views, its sources and the plans over them; it does
// not change, so that a query binds, compiles and runs on one and the same. Write is the
// one way to the next snapshot: it keeps a Change in the records and makes the snapshot
// from the one before and the change.
package project

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"rovik/app/queue"
	"rovik/core/catalog"
	"rovik/core/syntax"
	"rovik/core/value"
	"rovik/records"
)

// maxTrees bounds the parsed texts that are held, views' above all.
const maxTrees = 2000

// Project is an open project. Its methods may be called at the same time.
type Project struct {
	records    *records.Store
	now        atomic.Pointer[Snapshot]
	write      sync.Mutex // held while a change is kept and its snapshot is made
	trees      *lru.Cache[string, *syntax.Query]
	measured   measured
	hooks      Hooks
	queue      *queue.Queue
	limits     Limits
	background sync.WaitGroup
	open       context.Context // until Close
	close      context.CancelFunc
}

// Hooks are told of what happens to a project.
type Hooks struct {
	// Drifted is told of a source that a run found to be other than its plan relies on.
	Drifted func(source string, err error)
	// Changed is told of each new snapshot, in the background.
	Changed func(context.Context, *Snapshot) error
}

// Limits bound what is done for a query, and what sources are made of.
type Limits struct {
	Planning time.Duration // that it may take
	// Folders are those that files of sources may be in; any where there is none.
	Folders []string
}

// Usual are the usual limits.
var Usual = Limits{Planning: 10 * time.Second}

// Open opens the project in a folder.
func Open(ctx context.Context, home string, limits Limits, hooks Hooks) (*Project, error) {
	store, err := records.Open(home)
	if err != nil {
		return nil, err
	}
	trees, err := lru.New[string, *syntax.Query](maxTrees)
	if err != nil {
		return nil, err
	}
	p := &Project{records: store, trees: trees, hooks: hooks, limits: limits, queue: queue.New(queue.Usual())}
	p.open, p.close = context.WithCancel(context.Background())
	err = func() (err error) {
		if p.measured.rows, err = store.Measured(ctx); err != nil {
			return err
		}
		s, err := p.fromRecords(ctx)
		if err != nil {
			return err
		}
		known, err := store.Known(ctx)
		if err != nil {
			return err
		}
		s.estate.Keep(known)
		p.publish(s)
		p.inBackground("following other processes failed", p.follow)
		return nil
	}()
	if err != nil {
		_ = store.Close()
		return nil, err
	}
	return p, nil
}

// Close closes all connections, and the records. Runs are stopped before.
func (p *Project) Close() error {
	p.close()
	for _, src := range p.Now().sources {
		src.Conn.Close()
	}
	p.background.Wait()
	return p.records.Close()
}

// Now returns the project as it is.
func (p *Project) Now() *Snapshot { return p.now.Load() }

// Queue is what the runs of the project wait in.
func (p *Project) Queue() *queue.Queue { return p.queue }

// Records are what the project is kept in. Changes of the project go through Write.
func (p *Project) Records() *records.Store { return p.records }

// CheckRecords looks at all of the records, and returns what is wrong with them, and their
// copies, newest first.
func (p *Project) CheckRecords() (wrong, copies []string, err error) {
	wrong, err = p.records.Check()
	return wrong, records.Backups(p.Home()), err
}

// fromRecords makes the snapshot that the records tell of, with new connections.
func (p *Project) fromRecords(ctx context.Context) (*Snapshot, error) {
	kept, err := p.records.State(ctx)
	if err != nil {
		return nil, err
	}
	empty := (&Snapshot{project: p, plans: newPlans(), described: newDescribed()}).With(catalog.New(nil, nil, nil))
	return empty.becomes(kept), nil
}

// Write makes a change: decide gets the project as it is, and says what is to change or
// why nothing can; nothing else changes meanwhile. Where another process changes the
// project first, decide is asked again. What is in the records counts: once it is there,
// the next snapshot is made whether or not ctx has ended.
func (p *Project) Write(ctx context.Context, decide func(now *Snapshot) (*Change, error)) (*Snapshot, error) {
	p.write.Lock()
	defer p.write.Unlock()
	for {
		if err := p.catchUp(ctx); err != nil {
			return nil, err
		}
		now := p.Now()
		c, err := decide(now)
		if err != nil {
			return nil, err
		}
		revisions, err := p.records.Apply(ctx, c.Change, now.changes)
		if errors.Is(err, records.ErrOvertaken) {
			continue
		}
		if err != nil {
			return nil, err
		}
		next := now.After(c)
		for name, n := range revisions {
			if v := next.catalog.View(name); v.Revision != n { // moved: next alone has this one
				v.Revision = n
			}
		}
		next.changes = now.changes + 1
		next.connect(now, c)
		p.replace(now, next)
		return next, nil
	}
}

// replace makes next the present snapshot in the place of now.
func (p *Project) replace(now, next *Snapshot) {
	p.publish(next)
	for name, src := range now.sources {
		if is := next.sources[name]; is == nil || is.Conn != src.Conn {
			p.inBackground("closing a connection failed", func() error { src.Conn.Close(); return nil }) // it waits for statements that still run
		}
	}
}

// publish makes a snapshot the present one. What is known of its views is kept for the
// next start, once it is.
func (p *Project) publish(s *Snapshot) {
	p.now.Store(s)
	p.inBackground("following a change failed", func() error {
		s.estate.Readers("") // which binds all views
		if p.Now() != s {
			return nil
		}
		ctx := context.Background()
		if packed := s.estate.Packed(); len(packed) > 0 {
			if err := p.records.PutKnown(ctx, packed); err != nil {
				slog.Warn("keeping what is known of views failed", "error", err)
			}
		}
		if p.hooks.Changed == nil {
			return nil
		}
		return p.hooks.Changed(ctx, s)
	})
}

// inBackground does something that Close waits for. Its failure is logged.
func (p *Project) inBackground(failed string, do func() error) {
	p.background.Add(1)
	go func() {
		defer p.background.Done()
		if err := value.Guarded(do); err != nil {
			slog.Warn(failed, "error", err)
		}
	}()
}

func (p *Project) parse(sql string) (*syntax.Query, error) {
	if t, ok := p.trees.Get(sql); ok {
		return t, nil
	}
	t, err := syntax.Parse(sql)
	if err == nil {
		p.trees.Add(sql, t)
	}
	return t, err
}

// NewRunID returns an id for a run.
func NewRunID() string {
	b := make([]byte, 5)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b)
}

// Home is the folder that the project is in.
func (p *Project) Home() string { return p.records.Home() }
