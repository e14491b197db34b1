package project_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rovik/app/project"
	"rovik/connect"
)

// Sources are made of files in the named folders alone, whatever links and dots lie on the
// way, and never of Rovik's own.
func TestSourcesStayInTheirFolders(t *testing.T) {
	root := t.TempDir()
	in, out, home := filepath.Join(root, "in"), filepath.Join(root, "out"), filepath.Join(root, "in", "home")
	for _, dir := range []string{in, out, filepath.Join(in, "below"), home} {
		if err := os.MkdirAll(dir, 0o700); err != nil {
			t.Fatal(err)
		}
	}
	for _, dir := range []string{in, out} {
		if err := os.WriteFile(filepath.Join(dir, "x.csv"), []byte("a\n1\n"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for link, to := range map[string]string{in + "/link.csv": out + "/x.csv", in + "/away": out, out + "/back": in} {
		if err := os.Symlink(to, link); err != nil {
			t.Fatal(err)
		}
	}
	limits := project.Usual
	limits.Folders = []string{out + "/back", "/nowhere"}
	p, err := project.Open(context.Background(), home, limits, project.Hooks{})
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	for path, may := range map[string]bool{
		in + "/x.csv":           true,
		in:                      true,
		in + "/below/../x.csv":  true,
		out + "/back/x.csv":     true,
		in + "/none.csv":        true, // which then is not there
		in + "/none/none.csv":   true,
		out + "/x.csv":          false,
		in + "/link.csv":        false,
		in + "/away/x.csv":      false,
		in + "/away/none.csv":   false,
		in + "/../out/x.csv":    false,
		root:                    false,
		"/":                     false,
		in + "x.csv":            false,
		home + "/records.db":    false,
		home + "/../home/token": false,
		home:                    false,
	} {
		for _, kind := range []string{"csv", "json", "xml", "parquet", "sqlite"} {
			conn, err := p.Dial("far", kind, connect.Config{Path: path})
			if err == nil {
				conn.Close()
			}
			if refused := err != nil && (strings.Contains(err.Error(), "in none of the folders") || strings.Contains(err.Error(), "Rovik's own")); refused == may {
				t.Errorf("%s as %s: %v", path, kind, err)
			}
		}
	}
	if _, err := p.Dial("far", "postgresql", connect.Config{Host: "127.0.0.1", Port: 1, TLS: connect.TLSVerify, CA: "/etc/hostname"}); err == nil || !strings.Contains(err.Error(), "in none of the folders") {
		t.Errorf("a file of certificates elsewhere: %v", err)
	}
}
