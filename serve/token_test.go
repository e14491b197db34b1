package serve

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rovik/app"
)

// guarded starts a server with the token of its records.
func guarded(t *testing.T) (srv *httptest.Server, token, cookie string) {
	t.Helper()
	a, err := app.Open(context.Background(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	if token, err = a.Records().Token(); err != nil {
		t.Fatal(err)
	}
	srv = httptest.NewUnstartedServer(nil)
	srv.Config.Handler = New(a, srv.Listener.Addr().(*net.TCPAddr), Options{Token: token})
	srv.Start()
	t.Cleanup(func() { srv.Close(); _ = a.Close() })
	_, port, _ := net.SplitHostPort(srv.Listener.Addr().String())
	return srv, token, tokenCookies + port
}

// Each request of the API brings the server's token, as a header or as the page's cookie; no
// other way leads in.
func TestTheTokenIsAskedFor(t *testing.T) {
	srv, token, cookie := guarded(t)
	for name, c := range map[string]struct {
		header map[string]string
		want   int
	}{
		"nothing":          {nil, 401},
		"bearer":           {map[string]string{"Authorization": "Bearer " + token}, 200},
		"cookie":           {map[string]string{"Cookie": cookie + "=" + token}, 200},
		"both, one wrong":  {map[string]string{"Authorization": "Bearer x", "Cookie": cookie + "=" + token}, 200},
		"wrong":            {map[string]string{"Authorization": "Bearer " + token + "x"}, 401},
		"empty":            {map[string]string{"Authorization": "Bearer "}, 401},
		"no scheme":        {map[string]string{"Authorization": token}, 401},
		"basic":            {map[string]string{"Authorization": "Basic " + token}, 401},
		"beginning":        {map[string]string{"Cookie": cookie + "=" + token[:10]}, 401},
		"of another port":  {map[string]string{"Cookie": tokenCookies + "1=" + token}, 401},
		"elsewhere, right": {map[string]string{"Authorization": "Bearer " + token, "Host": "elsewhere.example"}, 403},
	} {
		for _, route := range []string{"/api/catalog", "/api/none", "/api/runs/x/events"} {
			status, says := request(t, srv, "GET", route, "", c.header)
			if (status == 401) != (c.want == 401) || (status == 403) != (c.want == 403) {
				t.Errorf("%s with %s: %d %s", route, name, status, says)
			}
			if status == 401 && (!strings.Contains(says, "28000") || !strings.Contains(says, "address that it printed") || strings.Contains(says, token)) {
				t.Errorf("%s with %s says %s", route, name, says)
			}
		}
	}
	if status, says := request(t, srv, "POST", "/api/runs?token="+token, `{"sql": "SELECT 1"}`, nil); status != 401 {
		t.Errorf("a token in an address of the API: %d %s", status, says)
	}
}

// The printed address brings the token into a cookie that scripts and other sites do not get,
// and out of the address.
func TestThePrintedAddressBringsTheToken(t *testing.T) {
	srv, token, cookie := guarded(t)
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	get := func(at string) *http.Response {
		t.Helper()
		answer, err := client.Get(at)
		if err != nil {
			t.Fatal(err)
		}
		_ = answer.Body.Close()
		return answer
	}
	for path, to := range map[string]string{"/": "/", "/view/low/one?x=1": "/view/low/one?x=1", "//elsewhere.example/": "/elsewhere.example/"} {
		at, err := url.Parse(srv.URL + path)
		if err != nil {
			t.Fatal(err)
		}
		query := at.Query()
		query.Set("token", token)
		at.RawQuery = query.Encode()
		answer := get(at.String())
		if is := answer.Header.Get("Location"); answer.StatusCode != http.StatusSeeOther || is != to {
			t.Errorf("%s leads to %q with %d", path, is, answer.StatusCode)
		}
		if c := answer.Cookies(); len(c) != 1 || c[0].Name != cookie || c[0].Value != token || !c[0].HttpOnly || c[0].SameSite != http.SameSiteStrictMode {
			t.Errorf("%s keeps %v", path, c)
		}
	}
	if answer := get(srv.URL + "/?token=wrong"); len(answer.Cookies()) != 0 || answer.StatusCode == http.StatusSeeOther {
		t.Errorf("a wrong token: %d, %v", answer.StatusCode, answer.Cookies())
	}
	if got := address("http://127.0.0.1:8080", token); got != "http://127.0.0.1:8080/?token="+token {
		t.Errorf("the address is %s", got)
	}
}

// The token is the same after a restart, nobody else may read it, and one that was cut is
// refused rather than guessed easily.
func TestTheTokenIsKept(t *testing.T) {
	home := t.TempDir()
	token := func() (string, error) {
		a, err := app.Open(context.Background(), home)
		if err != nil {
			t.Fatal(err)
		}
		defer a.Close()
		return a.Records().Token()
	}
	first, err := token()
	if err != nil || len(first) < 20 {
		t.Fatalf("%q, %v", first, err)
	}
	if again, err := token(); again != first || err != nil {
		t.Errorf("after a restart the token is %q, %v", again, err)
	}
	path := filepath.Join(home, "token")
	if info, err := os.Stat(path); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("its file is %v, %v", info, err)
	}
	if left, _ := filepath.Glob(filepath.Join(home, ".new-*")); len(left) > 0 {
		t.Errorf("%q is left", left)
	}
	if err := os.WriteFile(path, []byte("\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if short, err := token(); err == nil {
		t.Errorf("an empty file gives the token %q", short)
	}
}
