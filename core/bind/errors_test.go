package bind

import (
	"embed"
	"errors"
	"testing"

	"rovik/core/annotate"
	"rovik/core/value"
)

//go:embed testdata
var testdata embed.FS

// What a text gets wrong is said in PostgreSQL's code and words, at the part that is wrong,
// with what would be right where that is known.
func TestWrongTexts(t *testing.T) {
	annotate.File(t, testdata, "testdata/errors.sql", func(sql string) annotate.Notes {
		_, err := bindText(t, Context{}, sql)
		var e *value.Error
		if !errors.As(err, &e) || e.Start < 0 || e.End > len(sql) {
			t.Errorf("%s: %v", sql, err)
			return nil
		}
		said := e.Code + " at " + sql[e.Start:e.End] + ": " + e.Message
		if e.Hint != "" {
			said += " | " + e.Hint
		}
		return annotate.Notes{e.End: {said}}
	})
}
