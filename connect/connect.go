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
	"rovik/core/plan"
	"rovik/core/value"
)

// Source is a connected source. Its methods may be called at the same time.
type Source interface {
	// Discover reads tables, keys and statistics and measures the quirks.
	Discover(ctx context.Context) (*catalog.Source, error)
	// Measures reports whether every quirk that folding asks for is in found.
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

// Verifier is a source that can compare tables with what is known of them. Where it
// cannot, what it reads is looked at while it is read.
type Verifier interface {
	Source
	// Verify fails where one of the tables has changed, in the columns
	// that reads names.
	Verify(ctx context.Context, tables []*catalog.Table, reads plan.Reads) error
}

// ColumnTypes are types that were chosen for columns, by table and column.
type ColumnTypes map[string]map[string]value.Type

// Text reports whether a column was chosen to be read as text.
func (c ColumnTypes) Text(table, column string) bool {
	return c[table][column].Kind == value.Text
}

// Typer is a source some of whose columns can be read as another type: those that
// cannot be carried, as text, and any where the types are proposed from what the
// columns hold.
type Typer interface {
	Source
	// Proposes reports whether the types of its columns are only proposed.
	Proposes() bool
	WithTypes(types ColumnTypes) Source
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
	TLS      string `json:"tls,omitempty"`  // a mode; empty is the usual one, see TLSMode
	CA       string `json:"ca,omitempty"`   // a file of certificates that sign the server's
	Path     string `json:"path,omitempty"` // of a file or folder
	Limits   Limits `json:"limits,omitzero"`
	// Keeper is asked for kept passwords; it is no part of what is kept.
	Keeper Keeper `json:"-"`
}

// Limits bound what a source is asked for at a time. Zero stands for the usual.
type Limits struct {
	Connections int `json:"connections,omitempty"` // at most, at the same time
	Silence     int `json:"silence,omitempty"`     // seconds that a statement waits for its source
}

// The usual limits. A run that was cut short needs a connection to say so by.
const (
	usualConnections = 8
	leastConnections = 2
	mostConnections  = 100
	usualSilence     = 5 * 60
	mostSilence      = 24 * 60 * 60
)

// Check says which limit cannot be.
func (l Limits) Check() error {
	if n := l.Connections; n != 0 && (n < leastConnections || n > mostConnections) {
		return value.Errorf(value.CodeBadParameter, "a source cannot have %d connections at most", n).
			WithHint("give a number from %d to %d: ending a statement early takes a connection of its own", leastConnections, mostConnections)
	}
	if n := l.Silence; n < 0 || n > mostSilence {
		return value.Errorf(value.CodeBadParameter, "a time limit of %d seconds is not possible", n).WithHint("give a number from 1 to %d", mostSilence)
	}
	return nil
}

// Full returns the limits with the usual ones filled in.
func (l Limits) Full() Limits {
	if l.Connections == 0 {
		l.Connections = usualConnections
	}
	if l.Silence == 0 {
		l.Silence = usualSilence
	}
	return l
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

// SamePeer reports whether a password that was given for one config goes to the same server, under the
// same user and protected alike, in the other.
func (c Config) SamePeer(o Config) bool {
	return c.Host == o.Host && c.Port == o.Port && c.User == o.User && c.TLSMode() == o.TLSMode() && c.CA == o.CA
}

// Address is the host and port, for people.
func (c Config) Address() string { return net.JoinHostPort(c.Host, fmt.Sprint(c.Port)) }

// InSource is an error that a value of a source gave, with the source's name. Errors of the
// source itself, of its connection and of what changed in it name the source already.
func InSource(source string, err *value.Error) error {
	switch err.Code {
	case value.CodeSource, value.CodeConnection, value.CodeChanged:
		return err
	}
	named := *err
	named.Message = source + ": " + err.Message
	return &named
}

// Changed is the error of a statement that names what the source does not have
// any more: its tables changed after they were read.
func Changed(source, says string) error {
	return value.Errorf(value.CodeChanged, "%s has changed since it was read: %s", source, says).
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
