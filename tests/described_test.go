package tests

import (
	"bytes"
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
)

// described stands before a server and holds all that is sent, both ways, to the API's
// document. It returns its own address.
func described(t *testing.T, server string) string {
	t.Helper()
	target, err := url.Parse(server)
	if err != nil {
		t.Fatal(err)
	}
	check := newDescription(t)
	proxy := &httputil.ReverseProxy{
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(target)
			if r.In.Header.Get("Origin") != "" {
				r.Out.Header.Set("Origin", server)
			}
			r.Out.Header.Del("Accept-Encoding")
		},
		ModifyResponse: check.response,
		ErrorHandler:   func(w http.ResponseWriter, _ *http.Request, _ error) { w.WriteHeader(http.StatusBadGateway) }, // the page has gone
	}
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		check.request(r)
		proxy.ServeHTTP(w, r)
	}))
	t.Cleanup(srv.Close)
	return srv.URL
}

// description is the API's document, to which requests and answers are held.
type description struct {
	wrong  func(format string, args ...any)
	router routers.Router
}

func newDescription(t *testing.T) *description {
	t.Helper()
	text, err := os.ReadFile("../serve/openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	doc, err := openapi3.NewLoader().LoadFromData(text)
	if err != nil {
		t.Fatal(err)
	}
	router, err := legacy.NewRouter(doc)
	if err != nil {
		t.Fatal(err)
	}
	return &description{t.Errorf, router}
}

// input finds what the document says of a request; nil for what is not of the API.
func (d *description) input(r *http.Request) *openapi3filter.RequestValidationInput {
	if !strings.HasPrefix(r.URL.Path, "/api/") {
		return nil
	}
	here := *r.URL
	here.Scheme, here.Host = "", ""
	route, params, err := d.router.FindRoute(&http.Request{Method: r.Method, URL: &here})
	if err != nil {
		d.wrong("%s %s is not in the API's document: %v", r.Method, r.URL, err)
		return nil
	}
	return &openapi3filter.RequestValidationInput{Request: r, PathParams: params, Route: route,
		Options: &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}} // the server's own tests look at the token
}

func (d *description) request(r *http.Request) {
	in := d.input(r)
	if in == nil {
		return
	}
	if err := openapi3filter.ValidateRequest(r.Context(), in); err != nil && r.Context().Err() == nil {
		d.wrong("%s %s asks what the API's document does not describe: %v", r.Method, r.URL, err)
	}
}

func (d *description) response(res *http.Response) error {
	in := d.input(res.Request)
	if in == nil || !strings.HasPrefix(res.Header.Get("Content-Type"), "application/json") {
		return nil
	}
	body, err := io.ReadAll(res.Body)
	if err != nil {
		return err // the page asks no more
	}
	res.Body = io.NopCloser(bytes.NewReader(body))
	out := &openapi3filter.ResponseValidationInput{RequestValidationInput: in, Status: res.StatusCode, Header: res.Header, Body: io.NopCloser(bytes.NewReader(body))}
	if err := openapi3filter.ValidateResponse(res.Request.Context(), out); err != nil && res.Request.Context().Err() == nil {
		d.wrong("the answer to %s %s is not what the API's document describes: %v", res.Request.Method, res.Request.URL, err)
	}
	return nil
}

// What the document does not describe is found.
func TestAnswersAreHeldToTheDocument(t *testing.T) {
	d := newDescription(t)
	found := false
	d.wrong = func(string, ...any) { found = true }
	send := func(method, path, body, answer string) bool {
		found = false
		r := httptest.NewRequest(method, "http://127.0.0.1"+path, strings.NewReader(body))
		r.Header.Set("Content-Type", "application/json")
		d.request(r)
		if err := d.response(&http.Response{StatusCode: 200, Request: r, Header: http.Header{"Content-Type": {"application/json"}}, Body: io.NopCloser(strings.NewReader(answer))}); err != nil {
			t.Fatal(err)
		}
		return found
	}
	for _, c := range []struct {
		method, path, body, answer string
		wrong                      bool
	}{
		{"GET", "/api/health", "", `{"state": "ok"}`, false},
		{"GET", "/api/health", "", `{"state": 1}`, true},
		{"GET", "/api/health", "", `{}`, true},
		{"GET", "/api/nothing", "", `{}`, true},
		{"POST", "/api/build/draft", `{"sql": "SELECT 1"}`, `{"description": ""}`, false},
		{"POST", "/api/build/draft", `{"sql": 1}`, `{"description": ""}`, true},
		{"POST", "/api/build/draft", `{}`, `{"description": ""}`, true},
		{"GET", "/api/runs/x/rows?offset=0&limit=10", "", `[["1", null]]`, false},
		{"GET", "/api/runs/x/rows", "", `[]`, true},
		{"GET", "/api/runs/x/rows?offset=0&limit=10", "", `[null]`, true},
		{"GET", "/page", "", `{}`, false},
	} {
		if got := send(c.method, c.path, c.body, c.answer); got != c.wrong {
			t.Errorf("%s %s %s with %s: found wrong %v", c.method, c.path, c.body, c.answer, got)
		}
	}
}
