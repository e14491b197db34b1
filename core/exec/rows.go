package exec

import (
	"errors"
	"io"

	"rovik/core/kernel"
	"rovik/core/plan"
	"rovik/core/value"
)

// Each calls f for all batches of the run.
func (r *Run) Each(f func(kernel.Batch) error) error {
	for {
		b, err := r.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err == nil {
			err = f(b)
		}
		if err != nil {
			return err
		}
	}
}

// RowTexts writes the values of a row as text; NULL is nil.
func RowTexts(cols []plan.Column, b kernel.Batch, row int) []*string {
	cells := make([]*string, len(cols))
	for c := range cells {
		if v := value.At(cols[c].Type.Kind, b.Cols[c], row); !v.IsNull {
			s := v.String()
			cells[c] = &s
		}
	}
	return cells
}
