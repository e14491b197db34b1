package serve

import (
	"context"
	"encoding/json"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rovik/app"
	"rovik/core/catalog"
	"rovik/serve/api"
)

func testServer(t *testing.T) *httptest.Server {
	t.Helper()
	a, err := app.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(context.Background(), []catalog.Layer{{Name: "low"}, {Name: "high"}}, []*catalog.View{{Layer: "low", Name: "one", SQL: "SELECT 1 AS a"}}); err != nil {
		t.Fatal(err)
	}
	return serving(t, a)
}

// serving serves a project until the test ends.
func serving(t *testing.T, a *app.App) *httptest.Server {
	t.Helper()
	srv := httptest.NewUnstartedServer(nil)
	srv.Config.Handler = New(a, srv.Listener.Addr().(*net.TCPAddr), Options{Secrets: []string{t.TempDir()}})
	srv.Start()
	t.Cleanup(func() {
		srv.Close()
		_ = a.Close()
	})
	return srv
}

func request(t *testing.T, srv *httptest.Server, method, path, body string, headers map[string]string) (int, string) {
	t.Helper()
	req, err := http.NewRequest(method, srv.URL+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for k, v := range headers {
		if k == "Host" {
			req.Host = v
		} else {
			req.Header.Set(k, v)
		}
	}
	resp, err := srv.Client().Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, string(b)
}

// A page of another site, or a name pointed at loopback, gets nothing.
func TestForeignRequestsAreRefused(t *testing.T) {
	srv := testServer(t)
	_, port, _ := net.SplitHostPort(srv.Listener.Addr().String())
	explain := `{"sql": "SELECT 1 AS a"}`
	for _, c := range []struct {
		method, path, body string
		headers            map[string]string
		want               int
	}{
		{"GET", "/api/health", "", nil, 200},
		{"GET", "/api/health", "", map[string]string{"Host": "localhost:" + port}, 200},
		{"GET", "/api/health", "", map[string]string{"Host": "evil.example"}, 403},
		{"GET", "/api/health", "", map[string]string{"Host": "127.0.0.1:1"}, 403},
		{"GET", "/", "", map[string]string{"Host": "evil.example:" + port}, 403},
		{"POST", "/api/explain", explain, map[string]string{"Origin": "http://127.0.0.1:" + port}, 200},
		{"POST", "/api/explain", explain, map[string]string{"Origin": "http://evil.example"}, 403},
		{"POST", "/api/explain", explain, map[string]string{"Origin": "null"}, 403},
		{"POST", "/api/explain", explain, map[string]string{"Origin": "https://127.0.0.1:" + port}, 403},
		{"GET", "/api/catalog", "", map[string]string{"Sec-Fetch-Site": "cross-site"}, 403},
		{"POST", "/api/explain", explain, map[string]string{"Content-Type": "text/plain"}, 415},
		{"POST", "/api/explain", `{"sql": "` + strings.Repeat("x", 3<<20) + `"}`, nil, 413},
	} {
		if got, body := request(t, srv, c.method, c.path, c.body, c.headers); got != c.want {
			t.Errorf("%s %s with %v: %d %s, want %d", c.method, c.path, c.headers, got, body, c.want)
		}
	}
}

// Bad input is answered with a sentence, nothing is half saved, and the server
// goes on.
func TestBadInput(t *testing.T) {
	srv := testServer(t)
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"POST", "/api/explain", `{"sql": "SELEC 1"}`, 422, "syntax error"},
		{"POST", "/api/explain", `{"sql": ""}`, 422, "the query is empty"},
		{"POST", "/api/explain", `{"sql": "SELECT * FROM low.on"}`, 422, "did you mean low.one?"},
		{"POST", "/api/explain", `not json`, 400, "not the JSON"},
		{"POST", "/api/explain", `{"sgl": 1}`, 400, "not the JSON"},
		{"POST", "/api/views", `{"layer": "low", "name": "one", "sql": "SELECT 2 AS b"}`, 422, "has a view called one already"},
		{"POST", "/api/views", `{"layer": "mid", "name": "x", "sql": "SELECT 2 AS b"}`, 422, "no layer called"},
		{"POST", "/api/views", `{"layer": "low", "name": "Bad Name", "sql": "SELECT 2 AS b"}`, 422, "cannot be the name"},
		{"POST", "/api/views", `{"layer": "low", "name": "x", "sql": "SELECT 2"}`, 422, "names of their own, and one has none"},
		{"POST", "/api/views", `{"layer": "low", "name": "x", "sql": "SELECT 2 AS b, 3 AS b"}`, 422, `\"b\" is used twice`},
		{"POST", "/api/views", `{"layer": "low", "name": "x", "sql": "SELECT * FROM low.x"}`, 422, "reads itself"},
		{"POST", "/api/views", `{"layer": "low", "name": "one", "sql": "SELECT * FROM low.one", "replace": true}`, 422, "reads itself"},
		{"GET", "/api/runs/none/rows?offset=0&limit=5", "", 422, "not held"},
		{"POST", "/api/sources/none/refresh", `{}`, 422, "no source is called"},
		{"GET", "/api/nothing", "", 404, "Not Found"},
	} {
		status, body := request(t, srv, c.method, c.path, c.body, nil)
		if status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s %s %s: %d %s, want %d with %q", c.method, c.path, c.body, status, body, c.status, c.says)
		}
	}
	_, body := request(t, srv, "GET", "/api/catalog", "", nil)
	var got api.Catalog
	if err := json.Unmarshal([]byte(body), &got); err != nil || len(got.Views) != 1 || got.Views[0].Columns != 1 {
		t.Errorf("the views are %+v, %v", got.Views, err)
	}
}

// A view is saved, replaced where nothing breaks, and kept from breaking its
// readers.
func TestSavingViews(t *testing.T) {
	srv := testServer(t)
	save := func(body, want string) {
		t.Helper()
		if _, got := request(t, srv, "POST", "/api/views", body, nil); !strings.Contains(got, want) {
			t.Errorf("%s answers %s", body, got)
		}
	}
	save(`{"layer": "high", "name": "two", "sql": "SELECT a + 1 AS b FROM low.one"}`, `"name":"two"`)
	save(`{"layer": "low", "name": "one", "sql": "SELECT 1 AS c", "replace": true}`, "high.two reads this view and would break")
	save(`{"layer": "low", "name": "one", "sql": "SELECT 5 AS a, 2 AS c", "replace": true}`, `"name":"one"`)
	save(`{"layer": "low", "name": "up", "sql": "SELECT * FROM high.two"}`, "higher layer")
	_, body := request(t, srv, "POST", "/api/runs", `{"sql": "SELECT * FROM high.two"}`, nil)
	var run api.StartedRun
	if err := json.Unmarshal([]byte(body), &run); err != nil || run.ID == "" {
		t.Fatalf("%s, %v", body, err)
	}
	_, events := request(t, srv, "GET", "/api/runs/"+run.ID+"/events", "", nil)
	if !strings.Contains(events, `"state":"done"`) || !strings.HasPrefix(events, "data: ") {
		t.Errorf("the events are %s", events)
	}
	list := strings.Split(strings.TrimSpace(events), "\n\n")
	for i, e := range list {
		if whole := i == 0 || i == len(list)-1; strings.Contains(e, `"report":{`) != whole || strings.Contains(e, `"progress":{`) == whole {
			t.Errorf("event %d of %d is %s", i+1, len(list), e)
		}
	}
	if _, rows := request(t, srv, "GET", "/api/runs/"+run.ID+"/rows?offset=0&limit=5", "", nil); strings.TrimSpace(rows) != `[["6"]]` {
		t.Errorf("the rows are %s", rows)
	}
	if status, _ := request(t, srv, "GET", "/api/runs/"+run.ID+"/rows?offset=0&limit=5000", "", nil); status != 400 {
		t.Errorf("a page of 5000 rows answers %d", status)
	}
}

func TestListenStepsOverPortsInUse(t *testing.T) {
	first, err := listen(Options{Addr: "127.0.0.1:18923", StepOver: true})
	if err != nil {
		t.Fatal(err)
	}
	defer first.Close()
	if _, err := listen(Options{Addr: first.Addr().String()}); err == nil || !strings.Contains(err.Error(), "--addr") {
		t.Errorf("a port in use: %v", err)
	}
	second, err := listen(Options{Addr: first.Addr().String(), StepOver: true})
	if err != nil {
		t.Fatal(err)
	}
	defer second.Close()
	if second.Addr().String() == first.Addr().String() {
		t.Error("two servers on one port")
	}
	for _, bad := range []string{"nonsense", "127.0.0.1:x"} {
		if _, err := listen(Options{Addr: bad, StepOver: true}); err == nil {
			t.Errorf("listening on %q", bad)
		}
	}
}

// Without sign-in, a server answers this machine alone unless that is asked for in so
// many words; then it answers to the machine's own names, and to no others.
func TestServingBeyondThisMachine(t *testing.T) {
	for _, addr := range []string{":0", "0.0.0.0:0", "[::]:0", "192.0.2.1:0", "no-such-host.invalid:0"} {
		if l, err := listen(Options{Addr: addr}); err == nil || !strings.Contains(err.Error(), "--unsafe-open") {
			t.Errorf("listening on %s: %v, %v", addr, l, err)
		}
	}
	for _, addr := range []string{"127.0.0.1:0", "localhost:0", "127.1.2.3:0"} {
		l, err := listen(Options{Addr: addr})
		if err != nil {
			t.Errorf("listening on %s: %v", addr, err)
			continue
		}
		_ = l.Close()
	}
	l, err := listen(Options{Addr: "0.0.0.0:0", Open: true})
	if err != nil {
		t.Fatal(err)
	}
	a, err := app.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewUnstartedServer(nil)
	_ = srv.Listener.Close()
	srv.Listener = l
	srv.Config.Handler = New(a, l.Addr().(*net.TCPAddr), Options{Open: true})
	srv.Start()
	defer func() { srv.Close(); _ = a.Close() }()
	_, port, _ := net.SplitHostPort(l.Addr().String())
	srv.URL = "http://127.0.0.1:" + port
	for host, want := range map[string]int{"127.0.0.1": 200, "localhost": 200, "elsewhere.example": 403} {
		if status, body := request(t, srv, "GET", "/api/health", "", map[string]string{"Host": net.JoinHostPort(host, port)}); status != want {
			t.Errorf("for the host %s: %d %s", host, status, body)
		}
	}
}

// A client that names a password file chooses where its content is sent: only files
// that were set apart for that can be named.
func TestClientsNameOnlyFilesThatAreSetApart(t *testing.T) {
	apart, elsewhere := t.TempDir(), t.TempDir()
	for _, dir := range []string{apart, elsewhere} {
		if err := os.WriteFile(filepath.Join(dir, "password"), []byte("hush"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Symlink(filepath.Join(elsewhere, "password"), filepath.Join(apart, "link")); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(apart, filepath.Join(elsewhere, "folder")); err != nil {
		t.Fatal(err)
	}
	a, err := app.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	srv := httptest.NewUnstartedServer(nil)
	srv.Config.Handler = New(a, srv.Listener.Addr().(*net.TCPAddr), Options{Secrets: []string{filepath.Join(elsewhere, "folder")}})
	srv.Start()
	defer func() { srv.Close(); _ = a.Close() }()
	for path, may := range map[string]bool{
		apart + "/password":                    true,
		elsewhere + "/folder/password":         true,
		elsewhere + "/password":                false,
		apart + "/link":                        false,
		apart + "/../" + "password":            false,
		apart + "/none":                        true, // which is not there then
		"/etc/hostname":                        false,
		filepath.Dir(apart) + "/../etc/passwd": false,
	} {
		for _, route := range []string{"/api/sources", "/api/sources/try"} {
			body, _ := json.Marshal(map[string]any{"name": "far", "kind": "postgresql", "config": map[string]any{"host": "127.0.0.1", "port": 1, "database": "x", "user": "x", "secret": "file:" + path}})
			_, says := request(t, srv, "POST", route, string(body), nil)
			if refused := strings.Contains(says, "is in no folder of secrets"); refused == may {
				t.Errorf("%s with %s: %s", route, path, says)
			}
		}
	}
}
