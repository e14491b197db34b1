package exec_test

import (
	"context"
	"fmt"
	"io"

	"rovik/core/syntax"

	"github.com/apache/arrow-go/v18/arrow"

	"rovik/core/bind"
	"rovik/core/catalog"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// reader is a source that only reads columns: all else is kept.
type reader struct{}

func (reader) Name() string { return "registry" }

func (reader) Value(plan.Expr) *fold.Reason {
	return &fold.Reason{Code: "no-equivalent", Text: "It only reads.", Remedy: "None."}
}

func (reader) Render(root plan.Node) (fold.Native, error) {
	return fold.Native{Language: "words", Text: "the rows of objects"}, nil
}

// Open gives the ids from 1 to 3; see exec.Connector.
func (reader) Open(context.Context, *fold.Statement, string) (exec.Reader, error) {
	return &rows{}, nil
}

type rows struct{ over bool }

func (r *rows) Next(context.Context) (kernel.Batch, error) {
	if r.over {
		return kernel.Batch{}, io.EOF
	}
	r.over = true
	b := value.NewBuilder(value.Int4)
	for id := range int64(3) {
		value.Append(b, value.IntOf(value.Int4, id+1))
	}
	return kernel.Batch{Len: 3, Cols: []arrow.Array{b.NewArray()}}, nil
}

func (r *rows) Close() error { return nil }

func ExampleStart() {
	c := catalog.New([]*catalog.Source{{Name: "registry", Kind: "postgresql", Tables: []*catalog.Table{{Source: "registry", Name: "objects",
		Columns: []catalog.Column{{Name: "id", Type: value.Of(value.Int4)}, {Name: "kind", Type: value.Of(value.Text), Nullable: true}},
		Keys:    []catalog.Key{{Columns: []string{"id"}, Primary: true}}}}}},
		[]catalog.Layer{{Name: "intake"}}, []*catalog.View{{Layer: "intake", Name: "object", SQL: "SELECT o.id, upper(o.kind) AS kind FROM registry.objects AS o"}})
	const sql = "SELECT 40 + id FROM registry.objects WHERE id > 1"
	tree, err := syntax.Parse(sql)
	if err != nil {
		panic(err)
	}
	q, err := bind.Bind(bind.Context{Catalog: c}, sql, tree)
	if err != nil {
		panic(err)
	}
	compiled, err := fold.Compile(q, map[string]fold.Source{"registry": reader{}}, fold.Options{})
	if err != nil {
		panic(err)
	}
	run, err := exec.Start(context.Background(), compiled, reader{}, exec.Options{ID: "example"})
	if err != nil {
		panic(err)
	}
	defer run.Close()
	err = run.Each(func(b kernel.Batch) error {
		for row := range b.Len {
			fmt.Println(*exec.RowTexts(run.Columns, b, row)[0])
		}
		return nil
	})
	if err != nil {
		panic(err)
	}
	// Output:
	// 42
	// 43
}
