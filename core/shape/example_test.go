package shape_test

import (
	"fmt"

	"rovik/core/shape"
	"rovik/core/value"
)

func ExampleShape_Flats() {
	s := &shape.Shape{Set: "reports", Language: shape.JSONPath, Table: &shape.Table{Name: "report", Rows: "$",
		Columns: []shape.Column{{Name: "report_no", From: shape.FromPath, Misfit: shape.Fails, Path: "$.no", Type: value.Of(value.Int4)}},
		Parts:   []*shape.Table{{Name: "finding", Rows: "$.findings[*]", Columns: []shape.Column{{Name: "part", From: shape.FromPath, Misfit: shape.Fails, Path: "$.part", Type: value.Of(value.Text)}}}}}}
	flats, err := s.Flats()
	if err != nil {
		panic(err)
	}
	for _, f := range flats {
		fmt.Print(f.Name, ":")
		for _, c := range f.Cells {
			fmt.Print(" ", c.Name)
		}
		fmt.Println()
	}
	// Output:
	// report: report_no
	// finding: part
}
