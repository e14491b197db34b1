package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
)

// comments are what the source code says of its types: the comments of types and fields,
// and the constants of types that are strings.
type comments struct {
	types     map[string]string // by package path and name
	fields    map[string]string // by package path, name and field
	constants map[string][]string
}

// readComments reads the packages in some folders of the module at root.
func readComments(root, module string, folders ...string) (*comments, error) {
	c := &comments{map[string]string{}, map[string]string{}, map[string][]string{}}
	for _, folder := range folders {
		err := filepath.WalkDir(filepath.Join(root, folder), func(file string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
				return err
			}
			parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ParseComments)
			if err != nil {
				return err
			}
			in, err := filepath.Rel(root, filepath.Dir(file))
			if err != nil {
				return err
			}
			c.file(path.Join(module, filepath.ToSlash(in)), parsed)
			return nil
		})
		if err != nil {
			return nil, fmt.Errorf("reading the comments of %s: %w", folder, err)
		}
	}
	return c, nil
}

func (c *comments) file(pkg string, file *ast.File) {
	for _, decl := range file.Decls {
		list, ok := decl.(*ast.GenDecl)
		if !ok {
			continue
		}
		for _, spec := range list.Specs {
			switch spec := spec.(type) {
			case *ast.TypeSpec:
				name := pkg + "." + spec.Name.Name
				doc := spec.Doc
				if doc == nil {
					doc = list.Doc
				}
				c.types[name] = sentence(doc)
				if s, ok := spec.Type.(*ast.StructType); ok {
					c.structFields(name, s)
				}
			case *ast.ValueSpec:
				c.constant(pkg, spec)
			}
		}
	}
}

func (c *comments) structFields(name string, s *ast.StructType) {
	for _, f := range s.Fields.List {
		text := sentence(f.Comment)
		if text == "" {
			text = sentence(f.Doc)
		}
		for _, n := range f.Names {
			c.fields[name+"."+n.Name] = text
		}
	}
}

func (c *comments) constant(pkg string, spec *ast.ValueSpec) {
	of, ok := spec.Type.(*ast.Ident)
	if !ok {
		return
	}
	for _, v := range spec.Values {
		if lit, ok := v.(*ast.BasicLit); ok && lit.Kind == token.STRING {
			if text, err := strconv.Unquote(lit.Value); err == nil {
				name := pkg + "." + of.Name
				c.constants[name] = append(c.constants[name], text)
			}
		}
	}
}

// sentence is a comment as one line.
func sentence(g *ast.CommentGroup) string { return strings.Join(strings.Fields(g.Text()), " ") }

// nameOf is the name by which comments are kept.
func nameOf(t reflect.Type) string {
	name, _, _ := strings.Cut(t.Name(), "[")
	return t.PkgPath() + "." + name
}
