package mariadb

import (
	"rovik/connect/sqldb"
	"rovik/core/catalog"
)

// probes measure what the rules rely on. A server's settings and version
// decide; the session's own settings are Rovik's.
var probes = []sqldb.Probe{
	{Name: "text equality ignores case", SQL: "SELECT 'A' = 'a'", Meaning: "Equality names a binary collation: the plain one would find too much."},
	{Name: "text equality ignores trailing spaces", SQL: "SELECT 'a' = 'a '", Meaning: "Equality names a collation without padding."},
	{Name: quirkBinary, SQL: "SELECT COUNT(*) FROM information_schema.collations WHERE collation_name = '" + binaryNoPad + "'",
		Meaning: "Text comparisons, groups and sorts fold exactly while this is yes; otherwise equality is narrowed and the rest kept."},
	{Name: "collation of the connection", SQL: "SELECT @@collation_connection", Meaning: "Constants take it on where no column gives one."},
	{Name: "integer division truncates", SQL: "SELECT 7 / 2 = 3", Meaning: "Division is kept while this is no."},
	{Name: "division by zero", SQL: "SELECT 1 / 0", Meaning: "Where Rovik raises an error; division is kept."},
	{Name: "modulo takes the sign of its first number", SQL: "SELECT MOD(-7, 3) = -1", Meaning: "The modulo is kept anyway: by zero it gives NULL."},
	{Name: "bigint overflow", SQL: "SELECT 9223372036854775807 + 1", Fails: true, Need: "error", Ops: []string{"+", "-", "*"}, Meaning: "An error, as in Rovik: arithmetic of bigints folds."},
	{Name: "decimals of a division", SQL: "SELECT CAST(1 AS DECIMAL) / 3", Meaning: "Fewer than Rovik's; averages are folded as sum and count."},
	{Name: "decimals add up exactly", SQL: "SELECT CAST(0.1 AS DECIMAL(20,10)) + CAST(0.2 AS DECIMAL(20,10)) = CAST(0.3 AS DECIMAL(20,10))", Need: "yes", Ops: []string{"+", "-", "*"}, Meaning: "Arithmetic of decimals folds while this is yes."},
	{Name: "decimals round half away from zero", SQL: "SELECT ROUND(CAST(2.5 AS DECIMAL(5,1))) = 3 AND ROUND(CAST(-2.5 AS DECIMAL(5,1))) = -3", Need: "yes", Ops: []string{"round"}, Meaning: "Rounding of decimals folds while this is yes."},
	{Name: "subtraction of unsigned numbers goes below zero", SQL: "SELECT CAST(1 AS UNSIGNED) - 2 = -1", Need: "yes", Ops: []string{"-"}, Meaning: "A setting of the session; subtraction folds while this is yes."},
	{Name: "|| joins text", SQL: "SELECT '1' || '0' = '10'", Meaning: "Concatenation is written CONCAT, whatever this is."},
	{Name: "concat with NULL is NULL", SQL: "SELECT CONCAT('a', NULL) IS NULL", Need: "yes", Ops: []string{"||"}, Meaning: "Concatenation folds while this is yes."},
	{Name: "CONCAT_WS passes over NULL", SQL: "SELECT CONCAT_WS('', 'a', NULL, 'b') = 'ab'", Need: "yes", Ops: []string{"concat"}, Meaning: "concat() folds while this is yes."},
	{Name: "empty text is NULL", SQL: "SELECT '' IS NULL", Need: "no", Ops: []string{"is null", "is not null"}, Text: true, Meaning: "A mode of the server; tests for NULL fold while this is no."},
	{Name: "text equals zero", SQL: "SELECT 'abc' = 0", Meaning: "Rovik types every constant, so that no comparison mixes types."},
	{Name: "text cast to number", SQL: "SELECT CAST('abc' AS SIGNED)", Meaning: "Where Rovik raises an error; casts of text are kept."},
	{Name: "<=> finds NULL equal to NULL", SQL: "SELECT (NULL <=> NULL) = 1 AND (1 <=> NULL) = 0", Need: "yes", Ops: []string{"is distinct from", "is not distinct from"}, Meaning: "IS DISTINCT FROM folds while this is yes."},
	{Name: "greatest passes over NULL", SQL: "SELECT COALESCE(GREATEST(1, NULL), 0) = 1", Meaning: "greatest() and least() are kept: they give NULL while this is no."},
	{Name: "lower() changes letters beyond ASCII", SQL: "SELECT LOWER('É') = BINARY 'é'", Meaning: "lower() and upper() are kept while this is yes; equality of them is narrowed."},
	{Name: "CHAR_LENGTH counts characters", SQL: "SELECT CHAR_LENGTH('é') = 1", Need: "yes", Ops: []string{"length", "char_length", "character_length", "left", "right", "substring", "substr"}, Meaning: "Functions that count characters fold while this is yes."},
	{Name: "TRIM takes spaces alone", SQL: "SELECT TRIM('\t a ') = BINARY '\t a'", Need: "yes", Ops: []string{"btrim", "ltrim", "rtrim"}, Meaning: "Trimming folds while this is yes."},
	{Name: "LIKE minds case under the binary collation", SQL: "SELECT NOT ('A' COLLATE utf8mb4_bin LIKE 'a') AND 'a_' COLLATE utf8mb4_bin LIKE 'a|_' ESCAPE '|' AND NOT ('ab' COLLATE utf8mb4_bin LIKE 'a|_' ESCAPE '|')", Need: "yes", Ops: []string{"like"}, Meaning: "LIKE folds with its escapes while this is yes."},
	{Name: "NULL sorts last", SQL: "SELECT COALESCE(x, 'NULL') FROM (SELECT NULL AS x UNION ALL SELECT 'v') t ORDER BY x LIMIT 1", Want: "v", Meaning: "Sorts say where NULLs go."},
	{Name: "timestamps keep microseconds", SQL: "SELECT MICROSECOND(CAST('2024-01-01 00:00:00.999999' AS DATETIME(6))) = 999999", Need: "yes", Ops: []string{"extract"}, Meaning: "Parts of timestamps fold while this is yes."},
	{Name: "weeks of mode 3 are those of ISO 8601", SQL: "SELECT WEEK('2024-12-30', 3) = 1 AND WEEK('2021-01-03', 3) = 53", Need: "yes", Ops: []string{"extract"}, Meaning: "Parts of dates fold while this is yes."},
	{Name: "days of the week count from Sunday", SQL: "SELECT DAYOFWEEK('2024-05-05') = 1", Need: "yes", Ops: []string{"extract"}, Meaning: "Parts of dates fold while this is yes."},
	{Name: "zero dates are accepted", SQL: "SELECT CAST('0000-00-00' AS DATE) IS NOT NULL", Meaning: "Dates that are none are read as NULL wherever they stand."},
	{Name: "mode of the session", SQL: "SELECT @@session.sql_mode", Meaning: "Set by Rovik for its own connections."},
	{Name: "session is read-only", SQL: "SELECT @@session.tx_read_only", Meaning: "Rovik only reads."},
	{Name: "session time zone", SQL: "SELECT @@session.time_zone", Want: "+00:00", Need: "yes", Ops: []string{"extract"}, Meaning: "Timestamps are compared and cut to days in UTC: yes while the session is."},
	{Name: quirkCache, SQL: "SELECT @@session.optimizer_switch LIKE '%subquery_cache=on%'", Meaning: "Switched off by Rovik: the cache mistakes strings that differ in case for each other. EXISTS and IN fold while this is no."},
	{Name: quirkPacket, SQL: "SELECT @@max_allowed_packet", Meaning: "Bounds, in bytes, a statement with shipped keys."},
}

// UsualQuirks are those of a server on which the rules hold, but for the
// binary collation, which older ones lack.
func UsualQuirks() map[string]catalog.Quirk {
	usual := sqldb.Usual(probes)
	usual[quirkCache] = catalog.Quirk{Value: "no"}
	usual[quirkPacket] = catalog.Quirk{Value: "16777216"}
	return usual
}
