package explain

import (
	"fmt"
	"testing"
)

// What has changed since is told, and nothing else.
func TestSince(t *testing.T) {
	first := &Progress{Statements: []StatementProgress{{ID: "s1", Rows: 3}, {ID: "s2"}}, Operators: []OperatorProgress{{ID: "n1", Rows: 3}}, RowsCrossed: 3}
	second := &Progress{Statements: []StatementProgress{{ID: "s1", Rows: 3}, {ID: "s2", Rows: 7}}, Operators: []OperatorProgress{{ID: "n1", Rows: 3}}, RowsCrossed: 10}
	if got := fmt.Sprint(*first.Since(nil)); got != fmt.Sprint(*first) {
		t.Errorf("at first: %s", got)
	}
	if got := second.Since(first); fmt.Sprint(got.Statements, got.Operators, got.RowsCrossed) != "[{s2 7 0 0 0}] [] 10" {
		t.Errorf("then: %+v", got)
	}
	if got := second.Since(second); len(got.Statements)+len(got.Operators) != 0 {
		t.Errorf("nothing has changed: %+v", got)
	}
}
