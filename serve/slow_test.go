package serve

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"rovik/app"
)

// A client that sends the body of a request slowly, or never, loses its connection; one whose
// request is there waits for its answer as long as that takes. Bodies are bounded, and are JSON.
func TestSlowBodies(t *testing.T) {
	was := bodyTime
	bodyTime = 300 * time.Millisecond
	defer func() { bodyTime = was }()
	srv := testServer(t)
	open := func(head string) (net.Conn, *bufio.Reader) {
		t.Helper()
		c, err := net.Dial("tcp", srv.Listener.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = c.Close() })
		if _, err := fmt.Fprintf(c, head, srv.Listener.Addr()); err != nil {
			t.Fatal(err)
		}
		if err := c.SetReadDeadline(time.Now().Add(10 * time.Second)); err != nil {
			t.Fatal(err)
		}
		return c, bufio.NewReader(c)
	}
	began := time.Now()
	_, slow := open("POST /api/explain HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{\"sql\"")
	if r, err := http.ReadResponse(slow, nil); err == nil && r.StatusCode < 400 {
		t.Errorf("half a request is answered with %d", r.StatusCode)
	}
	if took := time.Since(began); took < 200*time.Millisecond || took > 5*time.Second {
		t.Errorf("half a request is waited for for %s", took)
	}
	// A whole request is answered after more than the time that its body had.
	body := `{"sql": "SELECT count(*) AS n FROM generate_series(1, 3000000)"}`
	status, answer := request(t, srv, "POST", "/api/runs", body, nil)
	if status != http.StatusOK {
		t.Fatalf("%d %s", status, answer)
	}
	id := strings.Split(answer, `"`)[3]
	if _, events := request(t, srv, "GET", "/api/runs/"+id+"/events", "", nil); !strings.Contains(events, `"state":"done"`) {
		t.Errorf("the events end with %s", events[max(0, len(events)-300):])
	}
	for limit, want := range map[string]int{"-1": 422, "86401": 422, "99999999999999999": 422, "9223372037": 422, "60": 200} {
		if status, answer := request(t, srv, "POST", "/api/runs", `{"sql": "SELECT 1", "limit": `+limit+`}`, nil); status != want {
			t.Errorf("a limit of %s seconds: %d %s", limit, status, answer)
		}
	}
	for name, c := range map[string]struct {
		kind, body string
		want       int
	}{
		"too large":      {"application/json", `{"sql": "` + strings.Repeat("x", 3<<20) + `"}`, http.StatusRequestEntityTooLarge},
		"text":           {"text/plain", `{"sql": "SELECT 1"}`, http.StatusUnsupportedMediaType},
		"nearly JSON":    {"application/json-seq", `{"sql": "SELECT 1"}`, http.StatusUnsupportedMediaType},
		"JSON and more":  {"application/json; charset=utf-8", `{"sql": "SELECT 1"}`, http.StatusOK},
		"no type at all": {"; =", `{"sql": "SELECT 1"}`, http.StatusUnsupportedMediaType},
	} {
		if status, answer := request(t, srv, "POST", "/api/explain", c.body, map[string]string{"Content-Type": c.kind}); status != c.want {
			t.Errorf("%s: %d %s", name, status, answer)
		}
	}
}

// Past so many connections a client waits until another's ends, and is answered then.
func TestConnectionsAreBounded(t *testing.T) {
	was := maxConnections
	maxConnections = 3
	defer func() { maxConnections = was }()
	a, err := app.Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	ctx, cancel := context.WithCancel(t.Context())
	address, ended := make(chan string, 1), make(chan error, 1)
	go func() { ended <- Run(ctx, a, Options{Addr: "127.0.0.1:0"}, func(url string) { address <- url }) }()
	url := <-address
	var idle []net.Conn
	for range maxConnections {
		c, err := net.Dial("tcp", strings.TrimPrefix(url, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		idle = append(idle, c)
	}
	client := http.Client{Timeout: 500 * time.Millisecond}
	if _, err := client.Get(url + "/api/health"); err == nil {
		t.Error("one connection more is answered beside the others")
	}
	if err := idle[0].Close(); err != nil {
		t.Fatal(err)
	}
	client.Timeout = 10 * time.Second
	answer, err := client.Get(url + "/api/health")
	if err != nil {
		t.Fatal(err)
	}
	_ = answer.Body.Close()
	cancel()
	if err := <-ended; err != nil {
		t.Error(err)
	}
}
