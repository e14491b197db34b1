package kernel_test

import (
	"embed"
	"errors"
	"io/fs"
	"strconv"
	"strings"
	"testing"

	"rovik/core/annotate"
	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/syntax"
	"rovik/core/value"
)

//go:embed testdata
var testdata embed.FS

// Every expression of the files has the type and the value, or the error, that is noted
// behind it. The tests over real databases hold the same files to PostgreSQL.
func TestValues(t *testing.T) {
	files, err := fs.Glob(testdata, "testdata/*.sql")
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(strings.TrimPrefix(file, "testdata/"), ".sql"), func(t *testing.T) {
			annotate.File(t, testdata, file, func(expression string) annotate.Notes {
				return annotate.Notes{len(expression): {said(t, expression)}}
			})
		})
	}
}

// said is the type and value of an expression without columns, or its error. Text is quoted
// where its ends could not be seen.
func said(t *testing.T, expression string) string {
	typ, v, err := computed(expression)
	var e *value.Error
	switch {
	case errors.As(err, &e):
		return "error " + e.Code + " " + e.Message
	case err != nil:
		t.Errorf("%s: %v", expression, err)
		return ""
	case v.IsNull:
		return typ.String() + " null"
	}
	s := v.String()
	if s == "" || s == "null" || s != strings.TrimSpace(s) || strings.ContainsAny(s, "\n\"") && v.Kind == value.Text {
		s = strconv.Quote(s)
	}
	return typ.String() + " " + s
}

// computed binds an expression and computes it for one row.
func computed(expression string) (value.Type, value.Value, error) {
	sql := "SELECT " + expression
	tree, err := syntax.Parse(sql)
	if err != nil {
		return value.Type{}, value.Value{}, err
	}
	q, err := bind.Bind(bind.Context{Catalog: catalog.New(nil, nil, nil)}, sql, tree)
	if err != nil {
		return value.Type{}, value.Value{}, err
	}
	e := q.Root.(*plan.Project).Items[0].Expr
	p, err := kernel.Compile(e, nil)
	if err != nil {
		return value.Type{}, value.Value{}, err
	}
	a, err := p.Eval(kernel.Batch{Len: 1})
	if err != nil {
		return value.Type{}, value.Value{}, err
	}
	return e.Type(), value.At(e.Type().Kind, a, 0), nil
}
