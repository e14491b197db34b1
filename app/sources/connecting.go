package sources

import (
	"context"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/shape"
	"rovik/core/value"
	"rovik/records"
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

// Complete fills in what a connection string says, and the usual port.
func (n NewSource) Complete() (NewSource, error) {
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
	kind, err := project.KindOf(n.Kind)
	switch {
	case err != nil:
		return n, err
	case !kind.Server && n.Config.Path == "":
		return n, value.Errorf(value.CodeSource, "the path is missing").WithHint("say where the file or folder is")
	case kind.Server:
		if n.Config.Host == "" {
			n.Config.Host = "127.0.0.1"
		}
		if n.Config.Port == 0 {
			n.Config.Port = connect.Port(n.Kind)
		}
		if n.Config.Port < 1 || n.Config.Port > 65535 {
			return n, value.Errorf(value.CodeSource, "%d is not a port", n.Config.Port).WithHint("ports go from 1 to 65535")
		}
	}
	return n, nil
}

// given is a password that is not kept yet.
type given struct{ password string }

func (g *given) Reveal(string) (string, error) { return g.password, nil }

// tryTimeout bounds how long trying a connection takes in all.
const tryTimeout = 20 * time.Second

// Try takes the steps to a source one by one, up to the one that fails.
// Nothing is kept.
func (s *Sources) Try(ctx context.Context, n NewSource) (steps []connect.Step, err error) {
	defer value.Guard(&err)
	if n.Name == "" { // it can be tried before it has one
		n.Name = "source"
	}
	if err := project.CheckName("source", n.Name); err != nil {
		return nil, err
	}
	if n, err = n.Complete(); err != nil {
		return nil, err
	}
	c := n.Config
	if n.Password != "" {
		c.Secret, c.Keeper = "kept:"+n.Name, &given{n.Password}
	} else {
		c.Keeper = s.project.Records()
	}
	conn, err := s.project.Dial(n.Name, n.Kind, c)
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
func (s *Sources) TryKept(ctx context.Context, name string) ([]connect.Step, error) {
	src, err := s.project.Now().Source(name)
	if err != nil {
		return nil, err
	}
	return try(ctx, src.Conn), nil
}

// Connect connects a source, reads its catalogue and keeps it with its
// password. Nothing is kept where that fails.
func (s *Sources) Connect(ctx context.Context, n NewSource) (*catalog.Source, error) {
	if err := project.CheckName("source", n.Name); err != nil {
		return nil, err
	}
	if s.project.Now().Has(n.Name) != nil && !n.Replace {
		return nil, value.Errorf(value.CodeDuplicate, "a source is called %s already", n.Name).WithHint("choose another name, or replace it")
	}
	n, err := n.Complete()
	if err != nil {
		return nil, err
	}
	return s.ConnectAs(ctx, n)
}

// Remove forgets a source. Views that read it are named, and it stays,
// unless forced.
func (s *Sources) Remove(ctx context.Context, name string, force bool) error {
	_, err := s.project.Write(ctx, func(now *project.Snapshot) (*project.Change, error) {
		if _, err := now.Source(name); err != nil {
			return nil, err
		}
		if readers := now.Estate().ReadersOfSource(name); len(readers) > 0 && !force {
			return nil, value.Errorf(project.CodeBroken, "%s %s %s", strings.Join(readers, ", "), map[bool]string{true: "reads", false: "read"}[len(readers) == 1], name).
				WithHint("change them first, or remove it anyway (--force): they will be broken")
		}
		return &project.Change{Change: records.Change{Gone: []string{name}}}, nil
	})
	if err == nil {
		s.health.set(name, nil)
	}
	return err
}
