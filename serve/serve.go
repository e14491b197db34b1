// Package serve offers the use cases over HTTP to the page, which it carries
// in itself.
package serve

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/labstack/echo/v4"
	"github.com/labstack/echo/v4/middleware"

	"rovik/app"
	"rovik/core/value"
)

//go:embed all:dist
var dist embed.FS

//go:embed openapi.yaml
var openAPI []byte

// maxBody bounds what a request may send.
const maxBody = "2M"

// Run serves until ctx ends. With stepOver it takes the next free port where
// the one in addr is in use. ready is told the address once it answers.
func Run(ctx context.Context, a *app.App, addr string, stepOver bool, ready func(url string)) error {
	l, err := listen(addr, stepOver)
	if err != nil {
		return err
	}
	e := New(a, l.Addr().(*net.TCPAddr))
	srv := &http.Server{Handler: e, ReadHeaderTimeout: 10 * time.Second, BaseContext: func(net.Listener) context.Context { return ctx }}
	ended := make(chan error, 1)
	go func() { ended <- value.Guarded(func() error { return srv.Serve(l) }) }()
	ready("http://" + l.Addr().String())
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

func listen(addr string, stepOver bool) (net.Listener, error) {
	host, port, err := net.SplitHostPort(addr)
	if err != nil {
		return nil, fmt.Errorf("the address %q is not host:port: %w", addr, err)
	}
	number, err := strconv.Atoi(port)
	if err != nil {
		return nil, fmt.Errorf("the port of %q is not a number: %w", addr, err)
	}
	for tries := 0; ; tries++ {
		l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(number+tries)))
		if err == nil || !stepOver || tries >= 100 || !errors.Is(err, syscall.EADDRINUSE) {
			if err != nil {
				return nil, fmt.Errorf("serving on %s: %w; choose another with --addr", addr, err)
			}
			return l, nil
		}
	}
}

// New makes the handler for a server that listens on addr.
func New(a *app.App, addr *net.TCPAddr) *echo.Echo {
	e := echo.New()
	e.HideBanner, e.HidePort = true, true
	e.HTTPErrorHandler = sendError
	e.Use(middleware.Recover(), onlyOurOwn(addr), middleware.BodyLimit(maxBody), headers)
	h := &handlers{app: a}
	api := e.Group("/api")
	for _, r := range h.routes() {
		api.Add(r.method, r.path, r.handle)
	}
	api.Any("/*", func(c echo.Context) error { return echo.ErrNotFound })
	e.GET("/*", page())
	return e
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

// onlyOurOwn refuses requests that did not come from the served page or a
// program on purpose: a foreign Host (a name that was pointed at loopback) or
// a foreign Origin (a page of another site).
func onlyOurOwn(addr *net.TCPAddr) echo.MiddlewareFunc {
	port := strconv.Itoa(addr.Port)
	allowed := map[string]bool{net.JoinHostPort(addr.IP.String(), port): true}
	if addr.IP.IsLoopback() {
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
			if r.Method != http.MethodGet && r.Method != http.MethodHead && !strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
				return echo.NewHTTPError(http.StatusUnsupportedMediaType, "send JSON")
			}
			return next(c)
		}
	}
}

// problem is an error as the page gets it. Start and End count bytes in the
// text of View, or of the query; -1 where there is no place.
type problem struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	Hint    string `json:"hint"`
	View    string `json:"view"`
	Start   int    `json:"start"`
	End     int    `json:"end"`
}

func problemOf(err error) problem {
	var ve *value.Error
	if errors.As(err, &ve) {
		return problem{ve.Code, ve.Message, ve.Hint, ve.View, ve.Start, ve.End}
	}
	return problem{Message: err.Error(), Start: -1, End: -1}
}

func sendError(err error, c echo.Context) {
	if c.Response().Committed {
		return
	}
	status := http.StatusInternalServerError
	p := problemOf(err)
	var he *echo.HTTPError
	var ve *value.Error
	switch {
	case errors.As(err, &he):
		status = he.Code
		p.Message = fmt.Sprint(he.Message)
	case errors.As(err, &ve):
		status = http.StatusUnprocessableEntity
	default:
		slog.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	if err := c.JSON(status, p); err != nil {
		slog.Error("sending an error failed", "error", err)
	}
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
