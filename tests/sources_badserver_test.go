package tests

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"testing"
	"time"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/core/shape"
	"rovik/core/value"
)

// flaky stands between Rovik and a server, and does to its answers what networks
// do.
type flaky struct {
	listener net.Listener
	to       string
	mu       sync.Mutex
	mode     string // "", "cut" or "hang"
	after    int64  // bytes of answers that come through, of each connection from now on
	held     chan struct{}
	holding  chan struct{} // told when an answer is held back
	conns    []net.Conn
}

func flakyTo(t *testing.T, port int) *flaky {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	f := &flaky{listener: l, to: fmt.Sprintf("127.0.0.1:%d", port), held: make(chan struct{}), holding: make(chan struct{}, 1)}
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go f.pass(c)
		}
	}()
	t.Cleanup(func() {
		_ = l.Close()
		close(f.held)
		f.mu.Lock()
		defer f.mu.Unlock()
		for _, c := range f.conns {
			_ = c.Close()
		}
	})
	return f
}

func (f *flaky) port() int { return f.listener.Addr().(*net.TCPAddr).Port }

// set says what happens to answers once so many bytes more have come through.
func (f *flaky) set(mode string, after int64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.mode, f.after = mode, after
}

// silent waits until an answer is held back.
func (f *flaky) silent(t *testing.T) {
	t.Helper()
	select {
	case <-f.holding:
	case <-time.After(20 * time.Second):
		t.Fatal("nothing was held back")
	}
}

// restart ends all connections, and takes none for some time.
func (f *flaky) restart(takes time.Duration) {
	f.mu.Lock()
	f.mode = "refuse"
	for _, c := range f.conns {
		_ = c.Close()
	}
	f.conns = nil
	f.mu.Unlock()
	time.AfterFunc(takes, func() { f.set("", 0) })
}

func (f *flaky) pass(in net.Conn) {
	f.mu.Lock()
	refuses := f.mode == "refuse"
	f.mu.Unlock()
	if refuses {
		_ = in.Close()
		return
	}
	out, err := net.Dial("tcp", f.to)
	if err != nil {
		_ = in.Close()
		return
	}
	f.mu.Lock()
	f.conns = append(f.conns, in, out)
	f.mu.Unlock()
	go func() {
		_, _ = io.Copy(out, in)
		_ = out.Close()
	}()
	defer in.Close()
	defer out.Close()
	buf := make([]byte, 4096)
	for {
		n, err := out.Read(buf)
		if err != nil {
			return
		}
		f.mu.Lock()
		mode := f.mode
		if mode != "" {
			f.after -= int64(n)
		}
		over := mode != "" && f.after < 0
		f.mu.Unlock()
		if over && mode == "cut" {
			return
		}
		if over {
			select {
			case f.holding <- struct{}{}:
			default:
			}
			<-f.held
			return
		}
		if _, err := in.Write(buf[:n]); err != nil {
			return
		}
	}
}

// A server whose connection is cut half way through a result, or that falls
// silent there: an error that names the source, in time, and the next query goes
// on once the server is well again; other sources are not touched by it.
func TestBadServers(t *testing.T) {
	ctx := t.Context()
	servers := []struct {
		name, sql string
		server    sources.NewSource
		port      int
	}{
		{"pg", "SELECT title, kind, material FROM pg.objects", sources.NewSource{Kind: "postgresql", Config: connect.Config{Database: "registry", User: "rovik_reader", Secret: "file:" + env.Home + "/secrets/registry", TLS: connect.TLSOff}}, env.Postgres.Port},
		{"ma", "SELECT object_no, packing, insured_value FROM ma.loan_lines", sources.NewSource{Kind: "mariadb", Config: connect.Config{Database: "lending", User: "rovik_reader", Secret: "file:" + env.Home + "/secrets/lending", TLS: connect.TLSOff}}, env.MariaDB.Port},
		{"doc", "SELECT report_no, object_no, remarks FROM doc.report", sources.NewSource{Kind: "document", Config: connect.Config{Database: "condition", TLS: connect.TLSOff}}, env.Documents.Port},
	}
	for _, c := range servers {
		t.Run(c.name, func(t *testing.T) {
			a, err := app.Open(ctx, t.TempDir())
			if err != nil {
				t.Fatal(err)
			}
			defer a.Close()
			f := flakyTo(t, c.port)
			n := c.server
			n.Name, n.Config.Host, n.Config.Port = c.name, "127.0.0.1", f.port()
			if n.Kind == "document" {
				for _, s := range museum.Sources.List() {
					if s.Name == "condition" {
						sets, err := museum.Sources.ShapedSets(ctx, "condition")
						if err != nil {
							t.Fatal(err)
						}
						n.Shapes = []*shape.Shape{sets[0].Shape}
					}
				}
			}
			if _, err := a.Sources.Connect(ctx, n); err != nil {
				t.Fatal(err)
			}
			if _, err := a.Sources.Connect(ctx, sources.NewSource{Name: "other", Kind: "sqlite", Config: configOf(makeSQLite(t, "CREATE TABLE t (a INTEGER)", "INSERT INTO t VALUES (1)"))}); err != nil {
				t.Fatal(err)
			}
			whole, _ := ours(ctx, a, c.sql, false)
			if whole.err != nil || len(whole.rows) == 0 {
				t.Fatal(whole.err)
			}

			f.set("cut", 12_000)
			o, _ := ours(ctx, a, c.sql, false)
			var ve *value.Error
			if !errors.As(o.err, &ve) || !strings.Contains(ve.Message, c.name+":") || ve.Hint == "" {
				t.Errorf("a connection that is cut: %v", o.err)
			}
			f.set("", 0)
			if o, _ := ours(ctx, a, c.sql, false); o.err != nil || len(o.rows) != len(whole.rows) {
				t.Errorf("once it is well again: %d rows in the place of %d, %v", len(o.rows), len(whole.rows), o.err)
			}

			f.restart(350 * time.Millisecond)
			if o, _ := ours(ctx, a, c.sql, false); o.err != nil || len(o.rows) != len(whole.rows) {
				t.Errorf("while the server is started again: %d rows, %v", len(o.rows), o.err)
			}

			f.set("hang", 12_000)
			stopping, stop := context.WithCancel(ctx)
			defer stop()
			ended := make(chan error, 1)
			go func() {
				run, err := a.Now().Start(stopping, queryOf(c.sql), project.NewRunID())
				if err != nil {
					ended <- err
					return
				}
				defer run.Close()
				for err == nil {
					_, err = run.Next()
				}
				ended <- err
			}()
			other, _ := ours(ctx, a, "SELECT a FROM other.t", false)
			if strings.Join(other.rows, "") != "1|" {
				t.Errorf("another source while this one is silent: %v %v", other.rows, other.err)
			}
			f.silent(t)
			stop()
			select {
			case err := <-ended:
				if err == nil || errors.Is(err, io.EOF) {
					t.Errorf("a run over a silent server ends with %v", err)
				}
			case <-time.After(15 * time.Second):
				t.Error("a run over a silent server does not stop")
			}
			f.set("", 0)
			if o, _ := ours(ctx, a, c.sql, false); o.err != nil || len(o.rows) != len(whole.rows) {
				t.Errorf("after the silence: %d rows, %v", len(o.rows), o.err)
			}
		})
	}
}
