package tests

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/json"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/sources"
	"rovik/connect"
	"rovik/serve"
)

// demoPassword reads what the demo's servers let Rovik in with.
func demoPassword(t *testing.T, source string) string {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(env.Home, "secrets", source))
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(b))
}

// silent listens, and says nothing to who connects.
func silent(t *testing.T) int {
	t.Helper()
	return listening(t, func(net.Conn) {})
}

// listening hands every connection to talk, and keeps it open until the test
// ends.
func listening(t *testing.T, talk func(net.Conn)) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go talk(c)
		}
	}()
	return l.Addr().(*net.TCPAddr).Port
}

// encrypting starts TLS as a PostgreSQL server does, with a certificate that it
// signed itself.
func encrypting(t *testing.T) int {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "localhost"}, DNSNames: []string{"localhost"}, NotAfter: time.Now().Add(time.Hour)}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	cfg := &tls.Config{Certificates: []tls.Certificate{{Certificate: [][]byte{der}, PrivateKey: key}}}
	return listening(t, func(c net.Conn) {
		request := make([]byte, 8)
		if _, err := io.ReadFull(c, request); err != nil {
			return
		}
		if _, err := c.Write([]byte("S")); err != nil {
			return
		}
		_ = tls.Server(c, cfg).Handshake() // the client ends it
	})
}

// Trying a source takes it step by step, ends at the one that fails, and says
// what to do there.
func TestTryingASource(t *testing.T) {
	pg, ma := env.Postgres.Port, env.MariaDB.Port
	pgPassword, maPassword := demoPassword(t, "registry"), demoPassword(t, "lending")
	server := func(kind, database, user, password string, port int, tls string) sources.NewSource {
		return sources.NewSource{Name: "s", Kind: kind, Password: password, Config: connect.Config{Host: "127.0.0.1", Port: port, Database: database, User: user, TLS: tls}}
	}
	const user = "rovik_reader"
	files := filepath.Join(filepath.Dir(env.Home), "rates")
	for _, c := range []struct {
		name       string
		source     sources.NewSource
		step       string // the last one
		ok         bool
		text, hint string
	}{
		{"a PostgreSQL", server("postgresql", "registry", user, pgPassword, pg, ""), connect.StepClock, true, "as here, time zone", ""},
		{"not encrypted by choice", server("postgresql", "registry", user, pgPassword, pg, connect.TLSOff), connect.StepClock, true, "", ""},
		{"another password", server("postgresql", "registry", user, "no", pg, ""), connect.StepSignIn, false, "did not accept the user rovik_reader", "give the password again"},
		{"no such user", server("postgresql", "registry", "nobody", "no", pg, ""), connect.StepSignIn, false, "did not accept the user nobody", ""},
		{"no such database", server("postgresql", "other", user, pgPassword, pg, ""), connect.StepDatabase, false, "no database called other", "check the database name"},
		{"nothing to read", server("postgresql", "postgres", user, pgPassword, pg, ""), connect.StepRights, false, "may read none", "GRANT"},
		{"a server that cannot encrypt", server("postgresql", "registry", user, pgPassword, pg, connect.TLSRequire), connect.StepTLS, false, "does not encrypt", "prefer"},
		{"a certificate for another name", server("postgresql", "registry", user, "x", encrypting(t), connect.TLSVerify), connect.StepTLS, false, "is for another name", "the name that is in the certificate"},
		{"a certificate of someone unknown", sources.NewSource{Name: "s", Connection: fmt.Sprintf("postgresql://ann@localhost:%d/x?sslmode=verify-full", encrypting(t))}, connect.StepTLS, false, "signed by an unknown authority", "require"},
		{"a closed port", server("postgresql", "registry", user, "x", 1, ""), connect.StepPort, false, "no PostgreSQL server answers", "check host and port"},
		{"a port that is none", server("postgresql", "registry", user, "x", 154311, ""), "", false, "154311 is not a port", "65535"},
		{"an unknown name", sources.NewSource{Name: "s", Connection: "postgresql://db.invalid/x"}, connect.StepName, false, "db.invalid", "name server"},
		{"a silent server", server("postgresql", "registry", user, "x", silent(t), ""), connect.StepTLS, false, "", ""},
		{"another kind of server", server("postgresql", "registry", user, maPassword, ma, ""), connect.StepTLS, false, "", ""},
		{"a MariaDB", server("mariadb", "lending", user, maPassword, ma, ""), connect.StepClock, true, "as here, time zone", ""},
		{"another password for MariaDB", server("mariadb", "lending", user, "no", ma, ""), connect.StepSignIn, false, "did not accept the user", "give the password again"},
		{"no such database in MariaDB", server("mariadb", "other", user, maPassword, ma, ""), connect.StepDatabase, false, "no database called other", "granted"},
		{"a MariaDB that cannot encrypt", server("mariadb", "lending", user, maPassword, ma, connect.TLSVerify), connect.StepTLS, false, "does not encrypt", "prefer"},
		{"a silent MariaDB", server("mariadb", "lending", user, "x", silent(t), ""), connect.StepTLS, false, "", ""},
		{"a folder of files", sources.NewSource{Name: "s", Kind: "csv", Config: connect.Config{Path: files}}, connect.StepRights, true, "", ""},
		{"no such folder", sources.NewSource{Name: "s", Kind: "csv", Config: connect.Config{Path: "/no/such/folder"}}, connect.StepPath, false, "nothing to read", "check the path"},
		{"files of another kind", sources.NewSource{Name: "s", Kind: "parquet", Config: connect.Config{Path: files}}, connect.StepFiles, false, "no files ending in .parquet", "kind"},
		{"no SQLite file", sources.NewSource{Name: "s", Kind: "sqlite", Config: connect.Config{Path: filepath.Join(files, "insurance_rates.csv")}}, connect.StepDatabase, false, "", "SQLite"},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
			defer cancel()
			steps, err := museum.Sources.Try(ctx, c.source)
			if c.step == "" {
				if err == nil || !strings.Contains(err.Error(), c.text) || !strings.Contains(err.Error(), c.hint) {
					t.Errorf("%v %+v", err, steps)
				}
				return
			}
			if err != nil {
				t.Fatal(err)
			}
			last := steps[len(steps)-1]
			if last.Name != c.step || last.OK != c.ok || !strings.Contains(last.Text, c.text) || !strings.Contains(last.Hint, c.hint) {
				t.Errorf("%+v", steps)
			}
			for _, s := range steps[:len(steps)-1] {
				if !s.OK || s.Text == "" {
					t.Errorf("before the last: %+v", s)
				}
			}
		})
	}
}

// A password that is given goes in and never comes out: neither in the files
// that Rovik writes, nor in what it answers, nor in errors.
func TestPasswordsAreKeptEncrypted(t *testing.T) {
	ctx := context.Background()
	home := t.TempDir()
	a, err := app.Open(ctx, home)
	if err != nil {
		t.Fatal(err)
	}
	password := demoPassword(t, "registry")
	var seen bytes.Buffer
	srv := httptest.NewUnstartedServer(nil)
	srv.Config.Handler = serve.New(a, srv.Listener.Addr().(*net.TCPAddr), serve.Options{})
	srv.Start()
	defer srv.Close()
	send := func(method, path string, body any) int {
		t.Helper()
		b, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		req, err := http.NewRequest(method, srv.URL+path, bytes.NewReader(b))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		resp, err := srv.Client().Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		if _, err := io.Copy(&seen, resp.Body); err != nil {
			t.Fatal(err)
		}
		return resp.StatusCode
	}
	address := connect.Config{Host: "127.0.0.1", Port: env.Postgres.Port, Database: "registry", User: "rovik_reader"}
	one := map[string]any{"name": "reg", "kind": "postgresql", "password": password, "config": address}
	if code := send("POST", "/api/sources/try", one); code != http.StatusOK {
		t.Fatalf("trying gives %d: %s", code, seen.String())
	}
	if code := send("POST", "/api/sources", one); code != http.StatusOK {
		t.Fatalf("connecting gives %d: %s", code, seen.String())
	}
	wrong := map[string]any{"name": "wrong", "connection": "postgresql://rovik_reader:" + password + "x@" + address.Address() + "/registry"}
	if code := send("POST", "/api/sources", wrong); code == http.StatusOK {
		t.Error("a wrong password connects")
	}
	// A source is replaced by one that works, or stays as it is with its password.
	for _, c := range []struct {
		password string
		works    bool
	}{{"no", false}, {password, true}} {
		_, err := a.Sources.Connect(ctx, sources.NewSource{Name: "reg", Kind: "postgresql", Password: c.password, Config: address, Replace: true})
		if (err == nil) != c.works {
			t.Errorf("replacing: %v", err)
		}
		if _, err := a.Sources.Refresh(ctx, "reg"); err != nil {
			t.Errorf("after replacing: %v", err)
		}
	}
	stolen := map[string]any{"name": "stolen", "kind": "postgresql", "config": map[string]any{"host": "127.0.0.1", "port": 1, "secret": "kept:reg"}}
	if code := send("POST", "/api/sources/try", stolen); code == http.StatusOK {
		t.Error("the password of one source is sent to another")
	}
	send("GET", "/api/catalog", nil)
	send("POST", "/api/sources/reg/try", nil)
	send("POST", "/api/explain", map[string]any{"sql": "SELECT count(*) FROM reg.rooms"})
	if o, _ := ours(ctx, a, "SELECT count(*) FROM reg.rooms", false); o.err != nil || o.rows[0] != "60|" {
		t.Errorf("%v %v", o.rows, o.err)
	}
	if strings.Contains(seen.String(), password) {
		t.Error("the API answers with the password")
	}
	if err := a.Close(); err != nil {
		t.Fatal(err)
	}
	for _, file := range filesIn(t, home) {
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if bytes.Contains(b, []byte(password)) {
			t.Errorf("the password stands in %s", file)
		}
		if info, err := os.Stat(file); err != nil || info.Mode().Perm()&0o077 != 0 {
			t.Errorf("%s can be read by others: %v %v", file, info.Mode(), err)
		}
	}

	// It is there after a start, goes with its source, and needs its key.
	a, err = app.Open(ctx, home)
	if err != nil {
		t.Fatal(err)
	}
	if o, _ := ours(ctx, a, "SELECT count(*) FROM reg.rooms", false); o.err != nil {
		t.Error(o.err)
	}
	if err := a.Close(); err != nil {
		t.Fatal(err)
	}
	t.Setenv("ROVIK_KEY", "AAECAwQFBgcICQoLDA0ODxAREhMUFRYXGBkaGxwdHh8=")
	a, err = app.Open(ctx, home)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if o, _ := ours(ctx, a, "SELECT count(*) FROM reg.rooms", false); o.err == nil || !strings.Contains(o.err.Error(), "another key") {
		t.Errorf("with another key: %v", o.err)
	}
	if err := a.Sources.Remove(ctx, "reg", false); err != nil || len(a.Sources.List()) != 0 {
		t.Errorf("removing: %v, %d left", err, len(a.Sources.List()))
	}
}

func filesIn(t *testing.T, dir string) []string {
	t.Helper()
	entries, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	var out []string
	for _, e := range entries {
		out = append(out, filepath.Join(dir, e.Name()))
	}
	return out
}

// What views read is not removed by accident.
func TestRemovingASourceThatIsRead(t *testing.T) {
	ctx := context.Background()
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if _, err := a.Sources.Connect(ctx, sources.NewSource{Name: "old", Kind: "sqlite", Config: configOf(makeSQLite(t, "CREATE TABLE item (id INTEGER)"))}); err != nil {
		t.Fatal(err)
	}
	if err := a.Views.Setup(ctx, layersOf("low"), viewsOf("low", "v", "SELECT i.id FROM old.item AS i")); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Sources.Connect(ctx, sources.NewSource{Name: "old", Kind: "sqlite", Config: configOf("x")}); err == nil || !strings.Contains(err.Error(), "called old already") {
		t.Error(err)
	}
	if err := a.Sources.Remove(ctx, "old", false); err == nil || !strings.Contains(err.Error(), "low.v reads old") {
		t.Error(err)
	}
	if err := a.Sources.Remove(ctx, "old", true); err != nil || len(a.Views.Broken()) != 1 {
		t.Errorf("%v, broken: %v", err, a.Views.Broken())
	}
}

// A kept password goes to the server, user and protection that it was given for, and nowhere else: not to
// what an imported file says.
func TestKeptPasswordsStayWithTheirServer(t *testing.T) {
	ctx := t.Context()
	secret, err := os.ReadFile(filepath.Join(env.Home, "secrets", "registry"))
	if err != nil {
		t.Fatal(err)
	}
	a := emptyProject(t)
	own := connect.Config{Host: "127.0.0.1", Port: env.Postgres.Port, User: "rovik_reader", Database: "registry"}
	if _, err := a.Sources.ConnectAs(ctx, sources.NewSource{Name: "reg", Kind: "postgresql", Config: own, Password: strings.TrimSpace(string(secret))}); err != nil {
		t.Fatal(err)
	}
	trap, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = trap.Close() }()
	var reached atomic.Int32
	go func() {
		for {
			c, err := trap.Accept()
			if err != nil {
				return
			}
			reached.Add(1)
			_ = c.Close()
		}
	}()
	dir := t.TempDir()
	if _, err := a.Views.Export(dir); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, "sources", "reg.yaml")
	was, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	apply := func(text string) error {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		im, err := a.Views.ReadFiles(dir)
		if err != nil {
			return err
		}
		return a.Views.Apply(ctx, dir, im)
	}
	if err := apply(string(was)); err != nil {
		t.Errorf("as it was: %v", err)
	}
	port, elsewhere := fmt.Sprint(env.Postgres.Port), fmt.Sprint(trap.Addr().(*net.TCPAddr).Port)
	for what, text := range map[string]string{
		"another port":    strings.Replace(string(was), port, elsewhere, 1),
		"another host":    strings.Replace(string(was), "127.0.0.1", "localhost", 1),
		"another user":    strings.Replace(string(was), "rovik_reader", "postgres", 1),
		"less protection": regexp.MustCompile(`(?m)^( *)user:`).ReplaceAllString(string(was), "${1}tls: 'off'\n${1}user:"),
	} {
		if text == string(was) {
			t.Fatalf("%s: the file has no such place:\n%s", what, was)
		}
		if err := apply(text); err == nil || !strings.Contains(err.Error(), "password of reg") {
			t.Errorf("%s: %v", what, err)
		}
	}
	own.Secret = "kept:reg"
	for _, n := range []sources.NewSource{{Name: "thief", Kind: "postgresql", Config: own}, {Name: "reg", Kind: "mariadb", Config: own}} {
		if _, err := a.Sources.ConnectAs(ctx, n); err == nil {
			t.Errorf("%s of %s takes the password", n.Name, n.Kind)
		}
	}
	if n := reached.Load(); n > 0 {
		t.Errorf("another server was reached %d times", n)
	}
	if rows, err := a.Now().Rows(ctx, project.Query{SQL: "SELECT count(*) FROM reg.sites"}); err != nil || len(rows) != 1 {
		t.Errorf("the source itself: %v", err)
	}
}
