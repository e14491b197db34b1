package connect

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"os"
	"strings"
	"time"

	"rovik/core/value"
)

// Step is one step of trying a connection, with what it found.
type Step struct {
	Name         string  `json:"name"`
	OK           bool    `json:"ok"`
	Text         string  `json:"text"`
	Hint         string  `json:"hint"` // what to do, where it failed or is not as it should be
	Milliseconds float64 `json:"milliseconds"`
}

// The names of the steps, in their order.
const (
	StepName     = "name resolved"
	StepPort     = "port open"
	StepTLS      = "TLS"
	StepSignIn   = "sign-in"
	StepDatabase = "database"
	StepRights   = "rights to read"
	StepVersion  = "server version"
	StepClock    = "clock and time zone"
	StepPath     = "path"
	StepFiles    = "files"
)

// Steps collects what trying a connection found. After a step has failed, no
// other is taken.
type Steps struct {
	List   []Step
	failed bool
}

// Take does a step and notes what it says. work returns a sentence, or an
// error, whose hint says what to do.
func (s *Steps) Take(name string, work func() (string, error)) bool {
	if s.failed {
		return false
	}
	began := time.Now()
	text, err := work()
	step := Step{Name: name, OK: err == nil, Text: text, Milliseconds: float64(time.Since(began).Microseconds()) / 1000}
	if err != nil {
		s.failed = true
		step.Text = err.Error()
		var ve *value.Error
		if errors.As(err, &ve) {
			step.Text, step.Hint = ve.Message, ve.Hint
		}
	}
	s.List = append(s.List, step)
	return err == nil
}

// Failed returns the step that failed, or nil.
func (s *Steps) Failed() *Step {
	if s.failed {
		return &s.List[len(s.List)-1]
	}
	return nil
}

// SignedIn is how signing in to a server ended: drivers take three steps at
// once, and their error tells at which of them it was.
type SignedIn struct {
	Err      error // of the driver; nil where all went well
	Sentence error // the same for people
	TLS      error // a sentence where encrypting failed, else nil
	// Answered reports that the server itself refused, InDatabase that it did so
	// at the database.
	Answered, InDatabase bool
	Took                 time.Duration
	Encryption           func() (string, error) // of the session
}

// SignIn takes the steps from TLS to the database.
func (s *Steps) SignIn(c Config, in SignedIn) {
	s.Take(StepTLS, func() (string, error) {
		switch {
		case in.Err == nil:
			says, err := in.Encryption()
			return says + c.checked(says), err
		case in.Answered:
			return "it got as far as the sign-in", nil
		case in.TLS != nil:
			return "", in.TLS
		}
		return "", in.Sentence
	})
	if s.failed {
		return
	}
	if mode := c.TLSMode(); mode != TLSVerify && !c.onThisMachine() {
		s.Advise("by the TLS mode %s, which was chosen, others on the way may read or change what is sent; with verify they cannot", mode)
	}
	s.Take(StepSignIn, func() (string, error) {
		if in.Err != nil && !in.InDatabase {
			return "", in.Sentence
		}
		return "as " + c.User, nil
	})
	s.List[len(s.List)-1].Milliseconds = float64(in.Took.Microseconds()) / 1000
	s.Take(StepDatabase, func() (string, error) { return c.Database, in.Sentence })
}

// AdviseReading adds to the step of the rights to read what the user could do besides
// reading, if anything.
func (s *Steps) AdviseReading(user string, could []string) {
	if len(could) > 0 {
		s.Advise("%s could write, too (%s): Rovik does not, and a user that may only read is safer", user, strings.Join(could, ", "))
	}
}

// checked says what is known of the server at the other end of an encrypted connection.
func (c Config) checked(encryption string) string {
	switch {
	case !strings.HasPrefix(encryption, "encrypted"):
		return ""
	case c.TLSMode() == TLSVerify:
		return ", the certificate is checked"
	}
	return ", the certificate is not checked"
}

// Advise adds a hint to the last step, which went well and is still not as it
// should be.
func (s *Steps) Advise(hint string, args ...any) {
	if !s.failed && len(s.List) > 0 {
		s.List[len(s.List)-1].Hint = fmt.Sprintf(hint, args...)
	}
}

// StepTimeout bounds each step over the network.
const StepTimeout = 5 * time.Second

// Reach takes the steps to a server: its name, and its port.
func (s *Steps) Reach(ctx context.Context, source, product string, c Config) bool {
	var address string
	s.Take(StepName, func() (string, error) {
		ctx, cancel := context.WithTimeout(ctx, StepTimeout)
		defer cancel()
		found, err := net.DefaultResolver.LookupHost(ctx, c.Host)
		if err != nil {
			return "", value.Errorf(value.CodeSource, "the name %s of the %s server is not known", c.Host, product).WithHint("check the host name, and that this machine's name server knows it")
		}
		address = found[0]
		if address == c.Host {
			return "it is an address", nil
		}
		return strings.Join(found, ", "), nil
	})
	return s.Take(StepPort, func() (string, error) {
		ctx, cancel := context.WithTimeout(ctx, StepTimeout)
		defer cancel()
		conn, err := (&net.Dialer{}).DialContext(ctx, "tcp", net.JoinHostPort(address, fmt.Sprint(c.Port)))
		if err != nil {
			if errors.Is(err, context.DeadlineExceeded) {
				return "", value.Errorf(value.CodeSource, "%s does not answer within %s", c.Address(), StepTimeout).WithHint("a firewall may drop the packets: let this machine through, or check host and port")
			}
			if u := Unreachable(source, product, c, err); u != nil {
				return "", u
			}
			return "", err
		}
		return c.Address(), conn.Close()
	})
}

// Clock compares a server's time with this machine's.
func Clock(theirs time.Time, zone string, took time.Duration) (string, time.Duration) {
	// The question took a while; the answer is from its middle.
	off := time.Since(theirs.Add(took / 2)).Truncate(time.Millisecond)
	text := "as here"
	if off.Abs() > time.Second {
		text = fmt.Sprintf("%s behind this machine", off)
		if off < 0 {
			text = fmt.Sprintf("%s ahead of this machine", -off)
		}
	}
	return text + ", time zone " + zone, off.Abs()
}

// The modes of TLS. Verify is the usual one, and prefer on this machine.
const (
	TLSOff     = "off"     // not encrypted
	TLSPrefer  = "prefer"  // encrypted where the server can, its name not checked
	TLSRequire = "require" // encrypted, its name not checked
	TLSVerify  = "verify"  // encrypted, and the server has to be who it says
)

// TLSModes lists the modes.
func TLSModes() []string { return []string{TLSOff, TLSPrefer, TLSRequire, TLSVerify} }

// TLSMode returns how the connection is encrypted.
func (c Config) TLSMode() string {
	switch {
	case c.TLS != "":
		return c.TLS
	case c.onThisMachine():
		return TLSPrefer
	}
	return TLSVerify
}

// onThisMachine reports whether what is sent to the host does not leave this machine, by its
// name alone: what a name server says of others may be wrong.
func (c Config) onThisMachine() bool {
	ip := net.ParseIP(c.Host)
	return c.Host == "" || c.Host == "localhost" || ip != nil && ip.IsLoopback()
}

// TLSConfig makes what the drivers take; nil where nothing is encrypted.
func (c Config) TLSConfig() (*tls.Config, error) {
	switch c.TLSMode() {
	case TLSOff:
		return nil, nil
	case TLSPrefer, TLSRequire:
		return &tls.Config{InsecureSkipVerify: true, ServerName: c.Host, MinVersion: tls.VersionTLS12}, nil // #nosec: chosen, and said so
	case TLSVerify:
		out := &tls.Config{ServerName: c.Host, MinVersion: tls.VersionTLS12}
		if c.CA != "" {
			pem, err := os.ReadFile(c.CA)
			if err != nil {
				return nil, value.Errorf(value.CodeSource, "the file of certificates cannot be read: %s", err).WithHint("check its path and who may read it")
			}
			out.RootCAs = x509.NewCertPool()
			if !out.RootCAs.AppendCertsFromPEM(pem) {
				return nil, value.Errorf(value.CodeSource, "there is no certificate in %s", c.CA).WithHint("it should hold certificates in PEM form")
			}
		}
		return out, nil
	}
	return nil, value.Errorf(value.CodeSource, "there is no TLS mode called %q", c.TLS).WithHint("there is %s", strings.Join(TLSModes(), ", "))
}

// TLSFailed turns an error of encrypting into a sentence, or returns nil.
func TLSFailed(source string, c Config, err error) error {
	var unknown x509.UnknownAuthorityError
	var host x509.HostnameError
	var invalid x509.CertificateInvalidError
	var record tls.RecordHeaderError
	switch {
	case errors.As(err, &unknown):
		return value.Errorf(value.CodeSource, "%s: the certificate of %s is signed by an unknown authority", source, c.Address()).WithHint("name the file of the authority's certificate, or choose the mode require")
	case errors.As(err, &host):
		return value.Errorf(value.CodeSource, "%s: the certificate of %s is for another name", source, c.Address()).WithHint("use the name that is in the certificate, or choose the mode require")
	case errors.As(err, &invalid):
		return value.Errorf(value.CodeSource, "%s: the certificate of %s is not valid: %s", source, c.Address(), invalid.Error()).WithHint("have the server's certificate renewed")
	case c.TLSMode() == TLSPrefer: // it went on without
	case errors.As(err, &record), err != nil && (strings.Contains(err.Error(), "server refused TLS") || strings.Contains(err.Error(), "TLS requested but server does not support TLS") || strings.Contains(err.Error(), "server does not support SSL")):
		return value.Errorf(value.CodeSource, "%s: the server at %s does not encrypt", source, c.Address()).WithHint("set it up there, or choose the mode prefer")
	}
	return nil
}
