// Package connect is what Rovik asks of every kind of source, and how a source
// is described before it is connected. Each kind lives in a folder below.
package connect

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"strings"
	"syscall"

	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/value"
)

// Source is a connected source. Its methods may be called at the same time.
type Source interface {
	// Discover reads tables, keys and statistics and measures the quirks.
	Discover(ctx context.Context) (*catalog.Source, error)
	// Measures tells whether every quirk that folding asks for is in found.
	Measures(found *catalog.Source) bool
	// Folding judges plans by what Discover found.
	Folding(found *catalog.Source) fold.Source
	// Plan asks the source how it would run a native statement, and returns
	// its answer in lines.
	Plan(ctx context.Context, s *fold.Statement) ([]string, error)
	// Try takes the steps to the source one by one; see Steps.
	Try(ctx context.Context, steps *Steps)
	// Open starts a native statement.
	Open(ctx context.Context, s *fold.Statement, text string) (exec.Reader, error)
	Close()
}

// Describer is a source that takes statements in its own language as they stand.
type Describer interface {
	Source
	// Describe tells the columns of a statement. Its table's Verbatim is the
	// statement; folding nests it.
	Describe(ctx context.Context, statement string) (*catalog.Table, error)
}

// ColumnTypes are types that were chosen for columns, by table and column.
type ColumnTypes map[string]map[string]value.Type

// Typer is a source whose columns' types are proposed from what they hold, and
// can be chosen otherwise.
type Typer interface {
	Source
	WithTypes(types ColumnTypes) (Source, error)
}

// Keeper hands out passwords that Rovik itself keeps, encrypted.
type Keeper interface {
	// Reveal returns the password kept under a name.
	Reveal(name string) (string, error)
}

// Config says how to reach a source. Secrets are not in it: Secret names where
// the password is kept, as env:NAME, file:PATH or kept:NAME.
type Config struct {
	Host     string `json:"host,omitempty"`
	Port     int    `json:"port,omitempty"`
	Database string `json:"database,omitempty"`
	User     string `json:"user,omitempty"`
	Secret   string `json:"secret,omitempty"`
	TLS      string `json:"tls,omitempty"`  // a mode; empty is TLSPrefer
	CA       string `json:"ca,omitempty"`   // a file of certificates that sign the server's
	Path     string `json:"path,omitempty"` // of a file or folder
	// Keeper is asked for kept passwords; it is no part of what is kept.
	Keeper Keeper `json:"-"`
}

// Password fetches the password that Secret refers to.
func (c Config) Password() (string, error) {
	scheme, name, _ := strings.Cut(c.Secret, ":")
	switch scheme {
	case "":
		return "", nil
	case "env":
		p, ok := os.LookupEnv(name)
		if !ok {
			return "", value.Errorf(value.CodeSource, "the environment variable %s, which should hold the password, is not set", name).
				WithHint("set it and start Rovik again")
		}
		return p, nil
	case "file":
		b, err := os.ReadFile(name)
		if err != nil {
			return "", value.Errorf(value.CodeSource, "the password file cannot be read: %s", err).WithHint("check its path and who may read it")
		}
		return strings.TrimRight(string(b), "\r\n"), nil
	case "kept":
		if c.Keeper != nil {
			return c.Keeper.Reveal(name)
		}
	}
	return "", value.Errorf(value.CodeSource, "a password reference starts with env: or file:")
}

// CheckPassword says where to look for a password that is not accepted.
func (c Config) CheckPassword() string {
	switch scheme, name, _ := strings.Cut(c.Secret, ":"); scheme {
	case "env":
		return "check the environment variable " + name + ", and the user"
	case "file":
		return "check the password in the file " + name + ", and the user"
	case "":
		return "give a password"
	}
	return "check the user, and give the password again"
}

// Address is the host and port, for people.
func (c Config) Address() string { return net.JoinHostPort(c.Host, fmt.Sprint(c.Port)) }

// Changed is the error of a statement that names what the source does not have
// any more: its tables changed after they were read.
func Changed(source, says string) error {
	return value.Errorf(value.CodeSource, "%s has changed since it was read: %s", source, says).
		WithHint("refresh the source, then see which views are broken")
}

// Unreachable turns an error of the network into a sentence, or returns nil
// where err is of another sort.
func Unreachable(source, product string, c Config, err error) error {
	var dns *net.DNSError
	var op *net.OpError
	switch {
	case errors.As(err, &dns):
		return value.Errorf(value.CodeSource, "%s: the name %s of the %s server is not known", source, c.Host, product).WithHint("check the host name")
	case errors.Is(err, syscall.ECONNREFUSED):
		return value.Errorf(value.CodeConnection, "%s: no %s server answers at %s", source, product, c.Address()).WithHint("start it, or check host and port")
	case errors.As(err, &op), errors.Is(err, context.DeadlineExceeded):
		return value.Errorf(value.CodeConnection, "%s: the connection to %s at %s failed: %s", source, product, c.Address(), op).WithHint("check the network between them, then try again")
	}
	return nil
}
