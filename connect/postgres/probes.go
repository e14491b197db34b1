package postgres

import (
	"rovik/connect/sqldb"
	"rovik/core/catalog"
)

// probes measure what the rules rely on. PostgreSQL's meaning is Rovik's own,
// but settings, collations and versions decide some of it.
var probes = []sqldb.Probe{
	{Name: "text equality ignores case", SQL: `SELECT ('A' = 'a')::text`, Need: "no", Ops: []string{"=", "<>", "in"}, Text: true, Meaning: "Equality of text folds as it is while this is no."},
	{Name: "text equality ignores trailing spaces", SQL: `SELECT ('a' = 'a ')::text`, Need: "no", Ops: []string{"=", "<>", "in"}, Text: true, Meaning: "Equality of text folds as it is while this is no."},
	{Name: "default collation", SQL: `SELECT datcollate::text FROM pg_database WHERE datname = current_database()`, Meaning: "Sorts, ranges, minimum and maximum of text name the C collation, whatever the default is."},
	{Name: "C collation orders by code point", SQL: `SELECT ('Z' COLLATE "C" < 'a' COLLATE "C" AND 'z' COLLATE "C" < 'é' COLLATE "C")::text`, Need: "yes", Ops: []string{"<", "<=", ">", ">="}, Text: true, Meaning: "Ranges of text fold under that collation while this is yes."},
	{Name: "NULL equals NULL when compared by =", SQL: `SELECT current_setting('transform_null_equals')`, Need: "no", Ops: []string{"=", "in"}, Meaning: "A setting that rewrites x = NULL; equality folds while it is off."},
	{Name: "integer division truncates", SQL: `SELECT (7 / 2 = 3 AND -7 / 2 = -3)::text`, Need: "yes", Ops: []string{"/"}, Meaning: "Integer division folds while this is yes."},
	{Name: "modulo takes the sign of its first number", SQL: `SELECT (-7 % 3 = -1 AND 7 % -3 = 1)::text`, Need: "yes", Ops: []string{"%", "mod"}, Meaning: "The modulo folds while this is yes."},
	{Name: "division by zero", SQL: `SELECT (1 / (length('') + 0))::text`, Fails: true, Need: "error", Ops: []string{"/", "%", "mod", "div"}, Meaning: "An error, as in Rovik: division folds."},
	{Name: "integer overflow", SQL: `SELECT (2147483647 + length('x'))::text`, Fails: true, Need: "error", Ops: []string{"+", "-", "*"}, Meaning: "An error, as in Rovik: arithmetic folds."},
	{Name: "decimals of a division", SQL: `SELECT (1.0 / 3)::text`, Want: "0.33333333333333333333", Need: "yes", Ops: []string{"/"}, Meaning: "Division of numerics folds while it gives Rovik's digits."},
	{Name: "numeric rounds half away from zero", SQL: `SELECT (round(2.5) = 3 AND round(-2.5) = -3)::text`, Need: "yes", Ops: []string{"round"}, Meaning: "Rounding folds while this is yes."},
	{Name: "digits of whole powers", SQL: `SELECT power(1e-15, 1.0)::text`, Want: "0.0000000000000010", Need: "yes", Ops: []string{"power", "^"}, Meaning: "Powers of numerics fold while they have the digits of version 15 and before."},
	{Name: "doubles round half to even", SQL: `SELECT (round(2.5::float8) = 2)::text`, Need: "yes", Ops: []string{"round"}, Meaning: "Rounding folds while this is yes."},
	{Name: "NaN equals itself", SQL: `SELECT ('NaN'::float8 = 'NaN'::float8 AND 'NaN'::float8 > 'Infinity'::float8)::text`, Need: "yes", Ops: []string{"=", "<>", "<", "<=", ">", ">="}, Meaning: "Comparisons of doubles fold while this is yes."},
	{Name: "NULL sorts last", SQL: `SELECT coalesce((SELECT x FROM (VALUES (NULL), ('v')) t(x) ORDER BY x LIMIT 1), 'NULL')`, Want: "v", Meaning: "Sorts say where NULLs go only when it differs from this."},
	{Name: "LIKE ignores case", SQL: `SELECT ('A' LIKE 'a')::text`, Need: "no", Ops: []string{"like"}, Meaning: "LIKE folds while this is no."},
	{Name: "backslash escapes in LIKE", SQL: `SELECT ('a%' LIKE 'a\%' AND NOT 'ab' LIKE 'a\%')::text`, Need: "yes", Ops: []string{"like", "ilike"}, Meaning: "LIKE folds with its escapes while this is yes."},
	{Name: "ILIKE folds ASCII letters alone under C", SQL: `SELECT ('A' ILIKE 'a' COLLATE "C" AND NOT 'É' ILIKE 'é' COLLATE "C")::text`, Need: "yes", Ops: []string{"ilike"}, Meaning: "ILIKE folds under that collation while this is yes."},
	{Name: "lower() under C changes ASCII letters alone", SQL: `SELECT (lower('AÉ' COLLATE "C") = 'aÉ')::text`, Need: "yes", Ops: []string{"lower", "upper", "initcap"}, Meaning: "lower() and upper() fold under that collation while this is yes."},
	{Name: "|| with NULL is NULL", SQL: `SELECT ('a' || NULL IS NULL)::text`, Need: "yes", Ops: []string{"||"}, Meaning: "Concatenation folds while this is yes."},
	{Name: "concat passes over NULL", SQL: `SELECT (concat('a', NULL, 'b') = 'ab')::text`, Need: "yes", Ops: []string{"concat", "concat_ws"}, Meaning: "concat() folds while this is yes."},
	{Name: "greatest passes over NULL", SQL: `SELECT (greatest(1, NULL) = 1)::text`, Need: "yes", Ops: []string{"greatest", "least"}, Meaning: "greatest() and least() fold while this is yes."},
	{Name: "length counts characters", SQL: `SELECT (length('é') = 1)::text`, Need: "yes", Ops: []string{"length", "char_length", "character_length", "left", "right", "substring", "substr", "lpad", "rpad", "strpos", "position", "reverse"}, Meaning: "Functions that count characters fold while this is yes."},
	{Name: "substring counts from before the start", SQL: `SELECT (substring('hello', -1, 4) = 'he')::text`, Need: "yes", Ops: []string{"substring", "substr"}, Meaning: "substring() folds while this is yes."},
	{Name: "empty text is NULL", SQL: `SELECT ('' IS NULL)::text`, Need: "no", Ops: []string{"is null", "is not null"}, Text: true, Meaning: "Tests for NULL fold while this is no."},
	{Name: "timestamps keep microseconds", SQL: `SELECT (extract(second FROM timestamp '2024-01-01 00:00:00.999999') = 0.999999)::text`, Need: "yes", Ops: []string{"extract", "date_trunc", "date_part"}, Meaning: "Parts of timestamps fold while this is yes."},
	{Name: "weeks are those of ISO 8601", SQL: `SELECT (extract(week FROM date '2024-12-30') = 1 AND date_trunc('week', timestamp '2024-05-05') = '2024-04-29')::text`, Need: "yes", Ops: []string{"extract", "date_trunc"}, Meaning: "Parts of dates fold while this is yes."},
	{Name: "session time zone", SQL: `SELECT current_setting('TimeZone')`, Want: "UTC", Need: "yes", Ops: []string{"extract", "date_trunc"}, Meaning: "Timestamps are compared and cut to days in UTC: yes while the session is."},
	{Name: "strings take backslashes as they are", SQL: `SELECT current_setting('standard_conforming_strings')`, Meaning: "Constants are parameters, so that this changes nothing."},
	{Name: "digits of doubles", SQL: `SELECT current_setting('extra_float_digits')`, Meaning: "Doubles cross in binary, so that this changes nothing."},
	{Name: "dates are written", SQL: `SELECT current_setting('DateStyle')`, Meaning: "Dates cross in binary; casts of dates to text are ISO while this starts so."},
	{Name: "encoding", SQL: `SELECT current_setting('server_encoding')`, Meaning: "Text crosses as UTF-8 whatever this is."},
	{Name: "session is read-only", SQL: `SELECT current_setting('default_transaction_read_only')`, Meaning: "Rovik only reads."},
}

// UsualQuirks are those of a server on which the rules hold.
func UsualQuirks() map[string]catalog.Quirk { return sqldb.Usual(probes) }
