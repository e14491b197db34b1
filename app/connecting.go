package app

import (
	"context"
	"strings"
	"time"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
)

// SourceConfig says how to reach a source, Limits what it is asked for at a time;
// Step is one step to it.
type (
	SourceConfig = connect.Config
	Limits       = connect.Limits
	Step         = connect.Step
)

// NewSource is a source to try or to connect. Either its kind and config are
// given, or a connection string. The password comes apart: it is kept encrypted
// and never shown again.
type NewSource struct {
	Name, Kind, Note string
	Config           connect.Config
	Connection       string
	Password         string
	Replace          bool // one of that name; otherwise it must be free
	// Shapes are those of its nested records; what needs one and has none gets
	// one that is proposed.
	Shapes []*shape.Shape
}

// kinds are the kinds of sources: whether one is a server, and whether it is of
// files, which Rovik itself reads.
var kinds = []struct {
	name          string
	server, files bool
}{{"postgresql", true, false}, {"mariadb", true, false}, {"sqlite", false, false}, {"document", true, false}, {"parquet", false, true}, {"csv", false, true}, {"json", false, true}, {"xml", false, true}}

// readHere tells whether a source is of files.
func (c *connected) readHere() bool {
	for _, k := range kinds {
		if k.name == c.record.Kind {
			return k.files
		}
	}
	return false
}

// isServer tells whether a source is reached over a connection.
func (c *connected) isServer() bool {
	for _, k := range kinds {
		if k.name == c.record.Kind {
			return k.server
		}
	}
	return false
}

// complete fills in what a connection string says, and the usual port.
func (n NewSource) complete() (NewSource, error) {
	if strings.HasPrefix(n.Config.Secret, "kept:") {
		return n, value.Errorf(value.CodeSource, "a kept password belongs to its own source").WithHint("give the password")
	}
	if n.Connection != "" {
		kind, c, password, err := connect.ParseAddress(n.Connection)
		if err != nil {
			return n, err
		}
		if n.Kind != "" && kind != n.Kind {
			return n, value.Errorf(value.CodeSource, "the connection string is of the kind %s, not %s", kind, n.Kind).WithHint("choose the kind that it is")
		}
		c.Secret, c.Limits = n.Config.Secret, n.Config.Limits
		if n.Config.TLS != "" {
			c.TLS, c.CA = n.Config.TLS, n.Config.CA
		}
		n.Kind, n.Config = kind, c
		if n.Password == "" {
			n.Password = password
		}
	}
	if err := n.Config.Limits.Check(); err != nil {
		return n, err
	}
	for _, k := range kinds {
		if k.name != n.Kind {
			continue
		}
		if k.server {
			if n.Config.Host == "" {
				n.Config.Host = "127.0.0.1"
			}
			if n.Config.Port == 0 {
				n.Config.Port = connect.Ports[n.Kind]
			}
			if n.Config.Port < 1 || n.Config.Port > 65535 {
				return n, value.Errorf(value.CodeSource, "%d is not a port", n.Config.Port).WithHint("ports go from 1 to 65535")
			}
		} else if n.Config.Path == "" {
			return n, value.Errorf(value.CodeSource, "a path is missing").WithHint("say where the file or folder is")
		}
		return n, nil
	}
	return n, noKind(n.Kind)
}

func noKind(kind string) error {
	var names []string
	for _, k := range kinds {
		names = append(names, k.name)
	}
	last := len(names) - 1
	return value.Errorf(value.CodeSource, "there is no kind of source called %q", kind).
		WithHint("there is %s and %s", strings.Join(names[:last], ", "), names[last])
}

// given is a password that is not kept yet.
type given struct{ password string }

func (g *given) Reveal(string) (string, error) { return g.password, nil }

// tryTimeout bounds how long trying a connection takes in all.
const tryTimeout = 20 * time.Second

// TrySource takes the steps to a source one by one, up to the one that fails.
// Nothing is kept.
func (a *App) TrySource(ctx context.Context, n NewSource) (steps []connect.Step, err error) {
	defer value.Guard(&err)
	if n.Name == "" { // it can be tried before it has one
		n.Name = "source"
	}
	if err := checkName("source", n.Name); err != nil {
		return nil, err
	}
	if n, err = n.complete(); err != nil {
		return nil, err
	}
	c := n.Config
	if n.Password != "" {
		c.Secret, c.Keeper = "kept:"+n.Name, &given{n.Password}
	} else {
		c.Keeper = a.store
	}
	conn, err := dial(n.Name, n.Kind, c)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	return try(ctx, conn), nil
}

func try(ctx context.Context, conn connect.Source) []connect.Step {
	ctx, cancel := context.WithTimeout(ctx, tryTimeout)
	defer cancel()
	steps := &connect.Steps{}
	conn.Try(ctx, steps)
	return steps.List
}

// TryKept takes the steps to a source that is connected.
func (a *App) TryKept(ctx context.Context, name string) ([]connect.Step, error) {
	c, err := a.source(name)
	if err != nil {
		return nil, err
	}
	return try(ctx, c.conn), nil
}

// ConnectSource connects a source, reads its catalogue and keeps it with its
// password. Nothing is kept where that fails.
func (a *App) ConnectSource(ctx context.Context, n NewSource) (*catalog.Source, error) {
	if err := checkName("source", n.Name); err != nil {
		return nil, err
	}
	if a.state.Load().sources[n.Name] != nil && !n.Replace {
		return nil, value.Errorf(value.CodeDuplicate, "a source is called %s already", n.Name).WithHint("choose another name, or replace it")
	}
	n, err := n.complete()
	if err != nil {
		return nil, err
	}
	return a.add(ctx, n)
}

// RemoveSource forgets a source. Views that read it are named, and it stays,
// unless it is to go in spite of them.
func (a *App) RemoveSource(ctx context.Context, name string, force bool) error {
	if _, err := a.source(name); err != nil {
		return err
	}
	if readers := a.readersOf(name); len(readers) > 0 && !force {
		return value.Errorf(codeBroken, "%s %s %s", strings.Join(readers, ", "), map[bool]string{true: "reads", false: "read"}[len(readers) == 1], name).
			WithHint("change them first, or remove it anyway (--force): they will be broken")
	}
	a.write.Lock()
	defer a.write.Unlock()
	if err := a.store.DropSource(ctx, name); err != nil {
		return err
	}
	a.health.set(name, nil)
	return a.load(ctx)
}

// readersOf lists the views that read a source, through others too.
func (a *App) readersOf(source string) []string {
	return a.state.Load().estate.ReadersOfSource(source)
}
