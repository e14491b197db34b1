// Package serve offers the use cases over HTTP to the page, which it carries
// in itself.
package serve

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"mime"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/labstack/echo/v4"
	"github.com/labstack/echo/v4/middleware"
	"golang.org/x/net/netutil"

	"rovik/app"
	"rovik/app/queue"
	"rovik/core/value"
)

//go:embed all:dist
var dist embed.FS

//go:embed openapi.yaml
var openAPI []byte

// maxConnections bounds the open connections of clients.
var maxConnections = 2000

// maxBody bounds what a request may send.
const maxBody = "2M"

// Options say how a server is reached and what its clients may choose.
type Options struct {
	Addr string // host:port
	// StepOver takes the next free port where that of Addr is in use.
	StepOver bool
	// Open serves beyond loopback, unencrypted, to anyone who has the token.
	Open bool
	// Token is what each request of the API has to bring; "" for none.
	Token string
	// Secrets are the folders that a password file which a client names must lie in.
	Secrets []string
}

// Run serves until ctx ends. ready is told the address once the server answers.
func Run(ctx context.Context, a *app.App, o Options, ready func(url string)) error {
	l, err := listen(o)
	if err != nil {
		return err
	}
	e := New(a, l.Addr().(*net.TCPAddr), o)
	srv := &http.Server{Handler: e, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		BaseContext: func(net.Listener) context.Context { return ctx }}
	l = netutil.LimitListener(l, maxConnections)
	ended := make(chan error, 1)
	go func() { ended <- value.Guarded(func() error { return srv.Serve(l) }) }()
	ready(address("http://"+l.Addr().String(), o.Token))
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := srv.Shutdown(grace); err != nil {
		return srv.Close()
	}
	return nil
}

func listen(o Options) (net.Listener, error) {
	addr := o.Addr
	host, port, err := net.SplitHostPort(addr)
	if err != nil {
		return nil, fmt.Errorf("the address %q is not host:port: %w", addr, err)
	}
	if !o.Open && !loopback(host) {
		return nil, fmt.Errorf("serving on %s would let anyone who reaches it read every source: there are no users, and nothing is encrypted; serve on 127.0.0.1, or add --unsafe-open", addr)
	}
	number, err := strconv.Atoi(port)
	if err != nil {
		return nil, fmt.Errorf("the port of %q is not a number: %w", addr, err)
	}
	for tries := 0; ; tries++ {
		l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(number+tries)))
		if err == nil || !o.StepOver || tries >= 100 || !errors.Is(err, syscall.EADDRINUSE) {
			if err != nil {
				return nil, fmt.Errorf("serving on %s: %w; choose another with --addr", addr, err)
			}
			return l, nil
		}
	}
}

// loopback reports whether all that a host's name stands for is this machine alone.
func loopback(host string) bool {
	if ip := net.ParseIP(host); ip != nil {
		return ip.IsLoopback()
	}
	if host == "" {
		return false // every address
	}
	ips, err := net.LookupIP(host)
	return err == nil && !slices.ContainsFunc(ips, func(ip net.IP) bool { return !ip.IsLoopback() })
}

// New makes the handler for a server that listens on addr.
func New(a *app.App, addr *net.TCPAddr, o Options) *echo.Echo {
	e := echo.New()
	e.HideBanner, e.HidePort = true, true
	e.HTTPErrorHandler = sendError
	e.Use(logged, middleware.Recover(), onlyOurOwn(addr), headers, withToken(o.Token, strconv.Itoa(addr.Port)), middleware.BodyLimit(maxBody), inSession, inTime)
	h := &handlers{app: a, secrets: o.Secrets}
	group := e.Group("/api")
	for _, r := range h.routes() {
		group.Add(r.Method, r.Path, r.handle)
	}
	group.Any("/*", func(c echo.Context) error { return echo.ErrNotFound })
	e.GET("/*", page())
	return e
}

// logged logs requests of the API, once they are answered.
func logged(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c echo.Context) error {
		began := time.Now()
		err := next(c)
		if err != nil {
			c.Error(err)
		}
		if strings.HasPrefix(c.Path(), "/api") {
			slog.Debug("request", "method", c.Request().Method, "route", c.Path(), "status", c.Response().Status, "bytes", c.Response().Size, "milliseconds", time.Since(began).Milliseconds())
		}
		return nil
	}
}

func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c echo.Context) error {
		h := c.Response().Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("X-Frame-Options", "DENY")
		h.Set("Referrer-Policy", "no-referrer")
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:")
		return next(c)
	}
}

// inSession says whose runs a request's are: those of the session that its header names, or
// of its address.
func inSession(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c echo.Context) error {
		r := c.Request()
		session := r.Header.Get("Rovik-Session")
		if len(session) > maxSession {
			return echo.NewHTTPError(http.StatusBadRequest, fmt.Sprintf("the name of a session has at most %d bytes", maxSession))
		}
		c.SetRequest(r.WithContext(queue.Of(r.Context(), c.RealIP()+" "+session)))
		return next(c)
	}
}

// bodyTime is how long a client may take to send the body of a request.
var bodyTime = time.Minute

// inTime ends a request whose body does not come. Its answer may take as long as a run.
func inTime(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c echo.Context) error {
		if r := c.Request(); r.ContentLength != 0 {
			conn := http.NewResponseController(c.Response())
			if err := conn.SetReadDeadline(time.Now().Add(bodyTime)); err == nil {
				r.Body = &timedBody{r.Body, func() { _ = conn.SetReadDeadline(time.Time{}) }}
			}
		}
		return next(c)
	}
}

// timedBody calls whole once all was read.
type timedBody struct {
	io.ReadCloser
	whole func()
}

// Read is that of an io.Reader.
func (b *timedBody) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		b.whole()
	}
	return n, err
}

// maxSession bounds the name of a session.
const maxSession = 64

// onlyOurOwn refuses requests that did not come from the served page or a
// program on purpose: a foreign Host (a name that was pointed at loopback) or
// a foreign Origin (a page of another site).
func onlyOurOwn(addr *net.TCPAddr) echo.MiddlewareFunc {
	port := strconv.Itoa(addr.Port)
	allowed := map[string]bool{net.JoinHostPort(addr.IP.String(), port): true}
	if addr.IP.IsUnspecified() {
		for _, ip := range ownAddresses() {
			allowed[net.JoinHostPort(ip, port)] = true
		}
	}
	if addr.IP.IsLoopback() || addr.IP.IsUnspecified() {
		for _, name := range []string{"127.0.0.1", "localhost", "::1"} {
			allowed[net.JoinHostPort(name, port)] = true
		}
	}
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c echo.Context) error {
			r := c.Request()
			if !allowed[r.Host] {
				return echo.NewHTTPError(http.StatusForbidden, "this server does not answer to the name "+r.Host)
			}
			if origin := r.Header.Get("Origin"); origin != "" {
				u, err := url.Parse(origin)
				if err != nil || u.Scheme != "http" || !allowed[u.Host] {
					return echo.NewHTTPError(http.StatusForbidden, "requests from other sites are refused")
				}
			}
			if site := r.Header.Get("Sec-Fetch-Site"); site == "cross-site" && strings.HasPrefix(r.URL.Path, "/api") {
				return echo.NewHTTPError(http.StatusForbidden, "requests from other sites are refused")
			}
			if kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type")); r.Method != http.MethodGet && r.Method != http.MethodHead && (err != nil || kind != "application/json") {
				return echo.NewHTTPError(http.StatusUnsupportedMediaType, "send JSON")
			}
			return next(c)
		}
	}
}

// ownAddresses lists the addresses and the name of this machine.
func ownAddresses() []string {
	var out []string
	addresses, _ := net.InterfaceAddrs() // without them the server answers on loopback
	for _, a := range addresses {
		if ip, _, err := net.ParseCIDR(a.String()); err == nil {
			out = append(out, ip.String())
		}
	}
	if name, err := os.Hostname(); err == nil {
		out = append(out, name)
	}
	return out
}

// page serves the web build; any path that is no file is the page's own.
func page() echo.HandlerFunc {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded
	}
	server := http.FileServerFS(files)
	return func(c echo.Context) error {
		name := strings.TrimPrefix(c.Request().URL.Path, "/")
		if _, err := fs.Stat(files, name); err != nil || name == "" {
			index, err := fs.ReadFile(files, "index.html")
			if err != nil {
				return echo.NewHTTPError(http.StatusNotFound, "the page is not built into this binary; run make build")
			}
			return c.HTMLBlob(http.StatusOK, index)
		}
		if strings.HasPrefix(name, "assets/") {
			c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		server.ServeHTTP(c.Response(), c.Request())
		return nil
	}
}
