package annotate

import "testing"

func TestAnnotated(t *testing.T) {
	const line = "SELECT a /* first; second */ FROM t /* third */"
	sql := Plain(line)
	if sql != "SELECT a FROM t" {
		t.Errorf("without comments: %s", sql)
	}
	if got := With(sql, Notes{8: {"first", "second"}, 15: {"third"}}); got != line {
		t.Errorf("with notes: %s", got)
	}
}
