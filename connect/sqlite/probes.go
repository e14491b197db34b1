package sqlite

import (
	"fmt"
	"strconv"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
)

// probes measure what the rules rely on.
var probes = []sqldb.Probe{
	{Name: "text equality ignores case", SQL: "SELECT 'A' = 'a'", Meaning: "Comparisons name the collation BINARY, whatever a column's own is."},
	{Name: "text equality ignores trailing spaces", SQL: "SELECT 'a' = 'a ' COLLATE BINARY", Need: "no", Ops: []string{"=", "<>", "in"}, Text: true, Meaning: "Equality of text folds under BINARY while this is no."},
	{Name: quirkOrder, SQL: "SELECT 'Z' < 'a' COLLATE BINARY AND 'z' < 'é' COLLATE BINARY AND 'b' < 'ā' COLLATE BINARY AND 'ﬀ' < '💥' COLLATE BINARY", Need: "yes", Ops: []string{"<", "<=", ">", ">="}, Text: true, Meaning: "Ranges, sorts and extremes of text fold under that collation while this is yes; it is no where text is stored as UTF-16."},
	{Name: quirkLike, SQL: "SELECT CASE WHEN 'A' LIKE 'a' AND NOT 'É' LIKE 'é' THEN 'ascii' WHEN 'A' LIKE 'a' THEN 'all letters' ELSE 'no' END", Meaning: "LIKE is written GLOB, which minds case; ILIKE folds while this is ascii."},
	{Name: "GLOB minds case", SQL: "SELECT NOT ('A' GLOB 'a') AND 'a*b' GLOB 'a[*]b' AND NOT ('axb' GLOB 'a[*]b')", Need: "yes", Ops: []string{"like"}, Meaning: "LIKE folds as GLOB while this is yes."},
	{Name: "types belong to values", SQL: "SELECT typeof(CAST('1' AS TEXT)) <> typeof(1)", Meaning: "Each column's values are counted by type; columns with several are read as text."},
	{Name: "text equals a number", SQL: "SELECT '1' = 1", Meaning: "Rovik types every constant, so that no comparison mixes types."},
	{Name: "integer division truncates", SQL: "SELECT 7 / 2 = 3", Meaning: "Division is kept anyway: by zero it gives NULL."},
	{Name: "division by zero", SQL: "SELECT 1 / 0", Meaning: "Where Rovik raises an error; division is kept."},
	{Name: "modulo takes the sign of its first number", SQL: "SELECT -7 % 3 = -1", Meaning: "The modulo is kept anyway: by zero it gives NULL."},
	{Name: "bigint overflow", SQL: "SELECT typeof(9223372036854775807 + 1)", Meaning: "Arithmetic is kept: an overflow turns into an inexact real."},
	{Name: "sum of integers overflows", SQL: "SELECT typeof(sum(x)) FROM (SELECT 1 AS x UNION ALL SELECT 2)", Meaning: "Sums are kept: they end where 64 bits do."},
	{Name: "round half away from zero", SQL: "SELECT round(2.5) = 3.0", Meaning: "Rounding is kept: there are no exact decimals."},
	{Name: "NULL sorts last", SQL: "SELECT coalesce(x, 'NULL') FROM (SELECT NULL AS x UNION ALL SELECT 'v') ORDER BY x LIMIT 1", Want: "v", Meaning: "Sorts say where NULLs go."},
	{Name: "NULLS LAST is understood", SQL: "SELECT coalesce(x, 'NULL') FROM (SELECT NULL AS x UNION ALL SELECT 'v') ORDER BY x NULLS LAST LIMIT 1", Want: "v", Meaning: "Sorts say where NULLs go by these words."},
	{Name: "|| with NULL is NULL", SQL: "SELECT 'a' || NULL IS NULL", Need: "yes", Ops: []string{"||"}, Meaning: "Concatenation folds while this is yes."},
	{Name: "empty text is NULL", SQL: "SELECT '' IS NULL", Need: "no", Ops: []string{"is null", "is not null"}, Text: true, Meaning: "Tests for NULL fold while this is no."},
	{Name: "IS finds NULL equal to NULL", SQL: "SELECT (NULL IS NULL) AND NOT (1 IS NULL) AND (1 IS 1)", Need: "yes", Ops: []string{"is distinct from", "is not distinct from"}, Meaning: "IS DISTINCT FROM folds while this is yes."},
	{Name: "lower() changes letters beyond ASCII", SQL: "SELECT lower('É') = 'é'", Need: "no", Ops: []string{"lower", "upper"}, Meaning: "lower() and upper() fold while this is no."},
	{Name: "length counts characters", SQL: "SELECT length('é') = 1", Need: "yes", Ops: []string{"length", "char_length", "character_length", "left", "substring", "substr", "strpos", "position"}, Meaning: "Functions that count characters fold while this is yes."},
	{Name: "length ends at a zero byte", SQL: "SELECT length('a' || char(0) || 'b') = 1", Meaning: "Columns with such values are left out, and a value that appears later is an error."},
	{Name: "trim takes spaces alone", SQL: "SELECT trim(char(9) || ' a ') = char(9) || ' a'", Need: "yes", Ops: []string{"btrim", "ltrim", "rtrim"}, Meaning: "Trimming folds while this is yes."},
	{Name: "replace of nothing", SQL: "SELECT replace('a', '', 'b') = 'a'", Need: "yes", Ops: []string{"replace"}, Meaning: "replace() folds while this is yes."},
	{Name: "text cast to number", SQL: "SELECT CAST('abc' AS INTEGER)", Meaning: "Where Rovik raises an error; casts of text are kept."},
	{Name: "integers cast to text are plain", SQL: "SELECT CAST(-12 AS TEXT) = '-12'", Meaning: "Casts of integers to text fold."},
	{Name: "booleans are numbers", SQL: "SELECT typeof(1 = 1)", Want: "integer", Meaning: "Columns of 0 and 1 that are declared BOOLEAN are read as such."},
	{Name: "full joins", SQL: "SELECT count(*) = 2 FROM (SELECT 1 AS a) x FULL JOIN (SELECT 2 AS b) y ON x.a = y.b", Meaning: "Full joins fold while this is yes."},
	{Name: "window functions", SQL: "SELECT row_number() OVER (ORDER BY 1) = 1", Meaning: "Ranks, counts and extremes over windows fold."},
	{Name: "double quotes fall back to text", SQL: "SELECT count(*) FROM pragma_compile_options WHERE compile_options = 'DQS=0'", Want: "0", Meaning: "Rovik quotes only names that exist."},
	{Name: quirkColumns, SQL: compiled("MAX_COLUMN", 2000), Meaning: "Bounds the columns of a statement's result."},
	{Name: quirkParameters, SQL: compiled("MAX_VARIABLE_NUMBER", 32766), Meaning: "Bounds the constants of a statement."},
	{Name: quirkBytes, SQL: compiled("MAX_SQL_LENGTH", 1000000), Meaning: "Bounds the bytes of a statement."},
	{Name: quirkDepth, SQL: compiled("MAX_EXPR_DEPTH", 1000), Meaning: "Bounds how deep a statement's expressions are, by a chain of AND too."},
	{Name: quirkArguments, SQL: compiled("MAX_FUNCTION_ARG", 127), Meaning: "Bounds the arguments of a function."},
	{Name: quirkArms, SQL: compiled("MAX_COMPOUND_SELECT", 500), Meaning: "Bounds the arms of a statement's unions."},
	{Name: "encoding", SQL: "SELECT encoding FROM pragma_encoding", Meaning: "Text crosses as UTF-8 whatever this is."},
	{Name: "session is read-only", SQL: "SELECT query_only FROM pragma_query_only", Meaning: "Rovik only reads."},
}

// UsualQuirks are those of a build on which the rules hold.
func UsualQuirks() map[string]catalog.Quirk { return sqldb.Usual(probes) }

// The quirks that bound statements.
const (
	quirkColumns    = "most columns"
	quirkParameters = "most parameters"
	quirkBytes      = "longest statement"
	quirkDepth      = "deepest expression"
	quirkArms       = "most arms of a union"
	quirkArguments  = "most arguments"
)

// compiled asks for a limit that SQLite was compiled with, which it tells where that is not the usual one.
func compiled(name string, usual int) string {
	return fmt.Sprintf("SELECT coalesce((SELECT substr(compile_options, %d) FROM pragma_compile_options WHERE compile_options LIKE '%s=%%'), '%d')", len(name)+2, name, usual)
}

// mostTables is how many tables SQLite joins: a bit for each in a word.
const mostTables = 64

func bounds(s *sqldb.Source) sqldb.Bounds {
	of := func(quirk string, usual int) int {
		if n, err := strconv.Atoi(s.Catalog.Quirks[quirk].Value); err == nil && n > 0 {
			return n
		}
		return usual
	}
	return sqldb.Bounds{Columns: of(quirkColumns, 2000), Parameters: of(quirkParameters, 32766), Bytes: int64(of(quirkBytes, 1000000)), Tables: mostTables,
		Depth: of(quirkDepth, 1000) / levels, Arms: of(quirkArms, 500), Arguments: of(quirkArguments, 127)}
}

// levels is how many levels an expression's own level takes at most as it is written.
const levels = 3
