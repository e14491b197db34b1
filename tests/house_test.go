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

// mayImport reads the table of docs/architecture.md: for each package the packages of
// ours that it may import; a name that ends with * stands for all below it.
func mayImport(t *testing.T) map[string][]string {
	t.Helper()
	b, err := os.ReadFile("../docs/architecture.md")
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]string{}
	for _, line := range strings.Split(string(b), "\n") {
		cells := strings.Split(line, "|")
		if len(cells) != 5 || !strings.HasPrefix(strings.TrimSpace(cells[1]), "`") {
			continue
		}
		may := []string{}
		for _, name := range strings.Split(cells[3], ",") {
			switch name = strings.TrimSpace(name); {
			case name == "–":
			case name == "all":
				may = append(may, "*")
			case strings.ContainsAny(name, "/*") || name == "connect" || name == "records" || name == "app" || name == "serve" || name == "demo":
				may = append(may, name)
			default:
				may = append(may, "core/"+name)
			}
		}
		for _, m := range regexp.MustCompile("`([a-z/]+)`").FindAllStringSubmatch(cells[1], -1) {
			out[m[1]] = may
		}
	}
	return out
}

// Every package imports what docs/architecture.md says that it may, and no more; each is
// in that table.
func TestImportsRunOneWay(t *testing.T) {
	table := mayImport(t)
	// What core may import from outside: no driver, HTTP or storage package.
	coreOnly := []string{"github.com/apache/arrow-go/v18/arrow", "github.com/cockroachdb/apd", "github.com/pganalyze/pg_query_go",
		"github.com/antchfx/xmlquery", "golang.org/x/sync/errgroup", "golang.org/x/text/unicode/norm", "github.com/antchfx/xpath", "github.com/pb33f/go-yaml", "github.com/pb33f/jsonpath"}
	seen := map[string]bool{}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			if d != nil && (d.Name() == "node_modules" || d.Name() == ".demo" || d.Name() == "docserver") {
				return filepath.SkipDir
			}
			return err
		}
		rel, _ := filepath.Rel("..", path)
		if !strings.HasSuffix(path, ".go") {
			return nil
		}
		own := filepath.ToSlash(filepath.Dir(rel))
		may, known := table[own]
		if seen[own] = true; !known {
			t.Errorf("docs/architecture.md says nothing of %s", own)
		}
		if strings.HasSuffix(path, "_test.go") {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, imp := range f.Imports {
			name := strings.Trim(imp.Path.Value, `"`)
			inner, isOurs := strings.CutPrefix(name, "rovik/")
			ok := !isOurs && !strings.HasPrefix(own, "core/")
			for _, m := range may {
				group, whole := strings.CutSuffix(m, "*")
				ok = ok || isOurs && (inner == m || whole && (strings.HasPrefix(inner, group) || inner+"/" == group))
			}
			if !isOurs && strings.HasPrefix(own, "core/") {
				ok = !strings.Contains(name, ".") && !strings.HasPrefix(name, "net") && name != "database/sql" && name != "os"
				for _, a := range coreOnly {
					ok = ok || strings.HasPrefix(name, a)
				}
			}
			if !ok {
				t.Errorf("%s imports %s", rel, name)
			}
		}
		return nil
	})
	if err != nil {
		t.Error(err)
	}
	for name := range table {
		if !seen[name] {
			t.Errorf("docs/architecture.md tells of %s, which is not there", name)
		}
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
				// A call of an errgroup's Go starts one, too.
				if call, is := n.(*ast.CallExpr); is {
					if sel, is := call.Fun.(*ast.SelectorExpr); is && sel.Sel.Name == "Go" && len(call.Args) == 1 {
						found++
						if body := string(text[set.Position(call.Pos()).Offset:set.Position(call.End()).Offset]); !strings.Contains(body, "uarded(") {
							t.Errorf("%s: the goroutine is not guarded", set.Position(call.Pos()))
						}
					}
				}
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

// Every package of core has a doc.go that shows how it is used, and an example that is run.
func TestPackagesOfCoreTeach(t *testing.T) {
	folders, err := filepath.Glob("../core/*")
	if err != nil {
		t.Fatal(err)
	}
	for _, dir := range folders {
		name := filepath.Base(dir)
		if name == "tests" || name == "annotate" { // of tests
			continue
		}
		doc, err := os.ReadFile(filepath.Join(dir, "doc.go"))
		if err != nil || !strings.Contains(string(doc), "\n//\t") || !strings.HasPrefix(string(doc), "// Package "+name+" ") {
			t.Errorf("core/%s has no doc.go with code in it: %v", name, err)
		}
		example, err := os.ReadFile(filepath.Join(dir, "example_test.go"))
		if err != nil || !strings.Contains(string(example), "// Output:\n") {
			t.Errorf("core/%s has no example that is run: %v", name, err)
		}
	}
}

// No package fills variables when it is loaded, and none offers a list or map that others
// could change.
func TestNothingIsSetUpBehindTheBack(t *testing.T) {
	for _, part := range []string{"core", "connect", "records", "app", "serve"} {
		err := filepath.WalkDir(filepath.Join("..", part), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			if err != nil {
				return err
			}
			for _, d := range f.Decls {
				switch d := d.(type) {
				case *ast.FuncDecl:
					if d.Recv == nil && d.Name.Name == "init" {
						t.Errorf("%s has an init", path)
					}
				case *ast.GenDecl:
					for _, spec := range d.Specs {
						v, is := spec.(*ast.ValueSpec)
						if !is || d.Tok != token.VAR || !v.Names[0].IsExported() || len(v.Values) == 0 {
							continue
						}
						if lit, is := v.Values[0].(*ast.CompositeLit); is {
							switch lit.Type.(type) {
							case *ast.ArrayType, *ast.MapType:
								t.Errorf("%s: others can change %s", path, v.Names[0].Name)
							}
						}
					}
				}
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}
