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
)

// unwanted are wordings that have a plainer one; see docs/style.md.
var unwanted = map[*regexp.Regexp]string{
	regexp.MustCompile(`(?i)\bin spite of\b|\ball the same\b`):           "anyway",
	regexp.MustCompile(`(?i)as it was known`):                            "has changed, or unchanged",
	regexp.MustCompile(`(?i)mistake in rovik`):                           "internal error",
	regexp.MustCompile(`(?i)\bmoments\b|\ba moment\b`):                   "timestamp",
	regexp.MustCompile(`(?i)truth values?\b`):                            "boolean",
	regexp.MustCompile(`(?i)\brepeated rows\b`):                          "duplicates",
	regexp.MustCompile(`(?i)rows that it works on`):                      "its input",
	regexp.MustCompile(`(?im)\bput off\b|^\s*leave it\s*$|\bonly try\b`): "later, cancel, test",
	regexp.MustCompile(`(?i)\btells (whether|that)\b`):                   "reports whether",
	regexp.MustCompile(`(?i)\bdifferent values\b`):                       "distinct values",
	regexp.MustCompile(`(?i)\bas texts\b`):                               "as text",
	regexp.MustCompile(`(?i)matches alone|where it matches`):             "inner join, left join",
}

// What people read is in plain words: strings and comments of the program, labels of the page,
// and documents.
func TestPlainWords(t *testing.T) {
	read := 0
	look := func(where, text string) {
		read++
		for bad, better := range unwanted {
			if m := bad.FindString(text); m != "" {
				t.Errorf("%s says %q: %s", where, m, better)
			}
		}
	}
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() {
			if n := d.Name(); n == "node_modules" || n == "dist" || n == "testdata" || path != ".." && strings.HasPrefix(n, ".") && n != ".." {
				return filepath.SkipDir
			}
			return nil
		}
		name := strings.TrimPrefix(path, "../")
		switch {
		case strings.HasSuffix(name, "_test.go"), strings.HasSuffix(name, ".gen.ts"), name == "docs/style.md":
		case strings.HasSuffix(name, ".go"):
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ParseComments|parser.SkipObjectResolution)
			if err != nil {
				return err
			}
			ast.Inspect(f, func(n ast.Node) bool {
				if lit, ok := n.(*ast.BasicLit); ok && lit.Kind == token.STRING {
					look(name, lit.Value)
				}
				return true
			})
			for _, c := range f.Comments {
				look(name, c.Text())
			}
		case strings.HasSuffix(name, ".ts"), strings.HasSuffix(name, ".tsx"), strings.HasPrefix(name, "docs/") && strings.HasSuffix(name, ".md"), name == "README.md", name == "serve/openapi.yaml":
			b, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			look(name, string(b))
		}
		return nil
	})
	if err != nil || read < 1000 {
		t.Errorf("%d texts were read, %v", read, err)
	}
}
