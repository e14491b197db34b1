package explain

// Progress is how far a run is: the numbers of its report alone.
type Progress struct {
	Statements        []StatementProgress `json:"statements"`
	Operators         []OperatorProgress  `json:"operators"`
	TotalMilliseconds float64             `json:"totalMilliseconds"`
	RowsCrossed       int64               `json:"rowsCrossed"`
	BytesCrossed      int64               `json:"bytesCrossed"`
	RowsReturned      int64               `json:"rowsReturned"`
}

// StatementProgress are the numbers of a statement, by its id.
type StatementProgress struct {
	ID           string  `json:"id"`
	Rows         int64   `json:"rows"`
	Bytes        int64   `json:"bytes"`
	Milliseconds float64 `json:"milliseconds"`
	ShippedKeys  int     `json:"shippedKeys"`
}

// OperatorProgress are the numbers of an operator, by its id.
type OperatorProgress struct {
	ID           string  `json:"id"`
	Rows         int64   `json:"rows"`
	Milliseconds float64 `json:"milliseconds"`
}

// Since returns the progress with those statements and operators alone whose numbers are
// others than before; before may be nil.
func (p *Progress) Since(before *Progress) *Progress {
	out := *p
	out.Statements, out.Operators = []StatementProgress{}, []OperatorProgress{}
	for i, s := range p.Statements {
		if before == nil || s != before.Statements[i] {
			out.Statements = append(out.Statements, s)
		}
	}
	for i, o := range p.Operators {
		if before == nil || o != before.Operators[i] {
			out.Operators = append(out.Operators, o)
		}
	}
	return &out
}
