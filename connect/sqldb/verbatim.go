package sqldb

import (
	"slices"
	"strings"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/value"
)

// Nested writes a statement as it stands as a table of another one. The line
// break ends a comment that it may end with.
func Nested(statement string) string {
	return "(" + strings.TrimRight(strings.TrimSpace(statement), "; \n\t") + "\n)"
}

// VerbatimTable is the table of a statement, of which nothing but the columns is
// known.
func VerbatimTable(source, statement string) *catalog.Table {
	return &catalog.Table{Source: source, Name: "verbatim", Verbatim: statement, Rows: guessedRows}
}

// guessedRows is how many rows a statement is expected to give, until it ran.
const guessedRows = 1000

// CheckColumns says which columns of a statement have no name of their own.
func CheckColumns(t *catalog.Table) error {
	if err := catalog.OwnNames("the statement", t.Columns); err != nil {
		return err
	}
	if len(t.Columns) == 0 {
		return value.Errorf(value.CodeSource, "the statement returns no columns").WithHint("write a statement that returns rows")
	}
	return nil
}

// HasVerbatim reports whether a statement holds one that somebody wrote in the
// source's own language.
func HasVerbatim(st *fold.Statement) bool {
	return slices.ContainsFunc(st.Tables, func(t *catalog.Table) bool { return t.Verbatim != "" })
}
