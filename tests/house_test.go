package tests

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"rovik/core/kernel"
)

// The house's imports run one way.
func TestImportsRunOneWay(t *testing.T) {
	// For each part: what it may import of this module.
	allowed := map[string][]string{
		"core":    {"core"},
		"connect": {"core", "connect"},
		"records": {"core", "connect", "records"},
		"app":     {"core", "connect", "records", "app"},
		"serve":   {"core", "app", "serve"},
		"demo":    {"core", "connect", "app", "demo"},
		"cmd":     {"core", "connect", "app", "serve", "demo"},
	}
	// What core may import from outside: no driver, HTTP or storage package.
	coreOnly := []string{"github.com/apache/arrow-go/v18/arrow", "github.com/cockroachdb/apd", "github.com/pganalyze/pg_query_go",
		"github.com/antchfx/xmlquery", "github.com/antchfx/xpath", "github.com/pb33f/go-yaml", "github.com/pb33f/jsonpath"}
	seen := 0
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			if d != nil && (d.Name() == "node_modules" || d.Name() == ".demo") {
				return filepath.SkipDir
			}
			return err
		}
		rel, _ := filepath.Rel("..", path)
		part, _, _ := strings.Cut(filepath.ToSlash(rel), "/")
		may, ours := allowed[part]
		if !ours || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		seen++
		for _, imp := range f.Imports {
			name := strings.Trim(imp.Path.Value, `"`)
			inner, isOurs := strings.CutPrefix(name, "rovik/")
			ok := false
			switch {
			case isOurs:
				to, _, _ := strings.Cut(inner, "/")
				for _, a := range may {
					ok = ok || a == to
				}
			case part == "core":
				ok = !strings.Contains(name, ".") && !strings.HasPrefix(name, "net") && name != "database/sql" && name != "os"
				for _, a := range coreOnly {
					ok = ok || strings.HasPrefix(name, a)
				}
			default:
				ok = true
			}
			if !ok {
				t.Errorf("%s imports %s", rel, name)
			}
		}
		return nil
	})
	if err != nil || seen < 50 {
		t.Errorf("%d files read, %v", seen, err)
	}
}

// No goroutine ends the process: each does its work within a guard.
func TestEveryGoroutineIsGuarded(t *testing.T) {
	found := 0
	for _, part := range []string{"core", "connect", "records", "app", "serve"} {
		err := filepath.WalkDir(filepath.Join("..", part), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			text, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			set := token.NewFileSet()
			f, err := parser.ParseFile(set, path, text, 0)
			if err != nil {
				return err
			}
			ast.Inspect(f, func(n ast.Node) bool {
				if g, is := n.(*ast.GoStmt); is {
					found++
					body := string(text[set.Position(g.Pos()).Offset:set.Position(g.End()).Offset])
					if !strings.Contains(body, "value.Guard") && !strings.Contains(body, "guarded(") {
						t.Errorf("%s: the goroutine is not guarded", set.Position(g.Pos()))
					}
				}
				return true
			})
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	if found < 8 {
		t.Errorf("only %d goroutines found", found)
	}
}

// docs/language.md lists every function that there is, and no other.
func TestEveryFunctionIsDocumented(t *testing.T) {
	text, err := os.ReadFile("../docs/language.md")
	if err != nil {
		t.Fatal(err)
	}
	_, lists, ok := strings.Cut(string(text), "## Functions")
	lists, _, ended := strings.Cut(lists, "## What is refused")
	if !ok || !ended {
		t.Fatal("docs/language.md has lost its headings")
	}
	documented := map[string]bool{}
	for _, m := range regexp.MustCompile("`([a-z_0-9]+)`").FindAllStringSubmatch(lists, -1) {
		documented[m[1]] = true
	}
	known := map[string]bool{}
	for _, names := range [][]string{kernel.Names(), kernel.Aggregates(), kernel.WindowFunctions(), kernel.SetFunctions()} {
		for _, n := range names {
			known[n] = true
			if !documented[n] && n != "not" && n != "neg" && n != "bitnot" {
				t.Errorf("docs/language.md does not list %s", n)
			}
		}
	}
	for n := range documented {
		if !known[n] {
			t.Errorf("docs/language.md lists %s, which there is not", n)
		}
	}
}
