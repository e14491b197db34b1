package sqldb

import (
	"strings"
	"testing"

	"rovik/core/value"
)

var (
	likePostgreSQL = Lexis{Escaped: true, Dollar: true, Nests: true}
	likeMariaDB    = Lexis{Backslash: true, Backtick: true, Hash: true, Dashes: true, Commands: true}
	likeSQLite     = Lexis{Backtick: true, Bracket: true}
)

// What is one whole statement may be nested; what could end before the text around it does not.
func TestStatementsAreComplete(t *testing.T) {
	for _, c := range []struct {
		lexis     Lexis
		statement string
		wrong     string // part of the error; empty for none
	}{
		{likeSQLite, "SELECT 1 AS a", ""},
		{likeSQLite, "SELECT (1) AS a; \n;", ""},
		{likeSQLite, "SELECT ')' AS a, \")\" , `)`, [)] FROM t -- )", ""},
		{likeSQLite, "SELECT 'it''s )' /* ) ' */ AS a", ""},
		{likeSQLite, `SELECT '\' AS a`, ""},
		{likeSQLite, "SELECT 1) AS v; PRAGMA query_only=0; SELECT (1", "closes a parenthesis"},
		{likeSQLite, "SELECT 1; DELETE FROM t", "goes on behind a semicolon"},
		{likeSQLite, "SELECT 1; -- and more\nDELETE FROM t", "goes on behind a semicolon"},
		{likeSQLite, "SELECT (1", "leaves a parenthesis open"},
		{likeSQLite, "SELECT 'a", "leaves a text open"},
		{likeSQLite, "SELECT [a", "leaves a name open"},
		{likeSQLite, "SELECT 1 /* and", "leaves a comment open"},
		{likeSQLite, "SELECT 1 /* a /* b */ ) ", "closes a parenthesis"},
		{likeSQLite, "SELECT $a$ ) $a$", "closes a parenthesis"},
		{likeSQLite, "SELECT 1\x00", "byte of zero"},
		{likePostgreSQL, "SELECT $a$ ) $$ $a$ AS a, $$ ; ) $$", ""},
		{likePostgreSQL, "SELECT a$b$ ) $b$", "closes a parenthesis"},
		{likePostgreSQL, `SELECT E'\') ' AS a`, ""},
		{likePostgreSQL, `SELECT '\') AS a`, "closes a parenthesis"},
		{likePostgreSQL, `SELECT note'\') AS a`, "closes a parenthesis"},
		{likePostgreSQL, "SELECT 1 /* a /* b */ ) */ AS a", ""},
		{likePostgreSQL, "SELECT 1 # 2, a[1:(2)]", ""},
		{likePostgreSQL, "SELECT $1 ) $1", "closes a parenthesis"},
		{likeMariaDB, `SELECT 'a\' )' AS a, "\" )"`, ""},
		{likeMariaDB, "SELECT 1 # )\n", ""},
		{likeMariaDB, "SELECT 5--1)", "closes a parenthesis"},
		{likeMariaDB, "SELECT 1 -- )", ""},
		{likeMariaDB, "SELECT 1 /*! ) x INTO OUTFILE '/tmp/a' */", "comment that is run"},
		{likeMariaDB, "SELECT 1 /*M! ) */", "comment that is run"},
		{likeMariaDB, "SELECT 1) x INTO OUTFILE '/tmp/a' -- ", "closes a parenthesis"},
	} {
		err := OneStatement("store", c.statement, c.lexis)
		switch {
		case c.wrong == "" && err != nil:
			t.Errorf("%s: %v", c.statement, err)
		case c.wrong != "" && (err == nil || value.Code(err) != value.CodeSyntax || !strings.Contains(err.Error(), c.wrong)):
			t.Errorf("%s: %v, and should be that it %s", c.statement, err, c.wrong)
		}
	}
}
