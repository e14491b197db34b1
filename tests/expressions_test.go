package tests

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"rovik/core/value"
)

// expressions are computed by Rovik itself and by PostgreSQL, one at a time:
// value, type and error class have to be the same.
var expressions = strings.Split(strings.TrimSpace(`
1 + 2
7 / 2
-7 / 2
7 % -3
-7 % 3
2147483647 + 1
-2147483648 - 1
9223372036854775807 + 1
CAST(32767 AS smallint) + CAST(1 AS smallint)
CAST(-32768 AS smallint) / CAST(-1 AS smallint)
-(-2147483648)
abs(-5)
abs(-5.50)
1 / 0
1.0 / 0
1 % 0
5.5 % 0
CAST(1 AS double precision) / 0
1.5 + 2.25
1.50 - 1.5
0.1 + 0.2
1.10 * 1.10
1.0 / 3
2.0 / 3
10 / 4.0
1 / 3.0
100000.0 / 7
0.0001 / 3
123456789.123 / 0.0007
5 / 0.00001
-1.0 / 3
99999999999999.0 / 3
0.0 / 5
1e10 / 3
12345678901234567890 * 2
round(2.5)
round(-2.5)
round(3.5)
round(1234.567, 2)
round(1234.567, -2)
round(-1234.5678, 3)
trunc(1234.567, 1)
trunc(-1.9)
floor(-1.5)
ceil(-1.5)
ceiling(1.2)
floor(7)
sign(-3.2)
sign(0.0)
mod(10, 3)
mod(-10.5, 3)
round(CAST(2.5 AS double precision))
round(CAST(3.5 AS double precision))
CAST(2.5 AS integer)
CAST(3.5 AS integer)
CAST(-2.5 AS integer)
CAST(CAST(2.5 AS double precision) AS integer)
CAST(CAST(3.5 AS double precision) AS integer)
CAST(1e20 AS bigint)
CAST(70000 AS smallint)
CAST('12' AS integer)
CAST(' 12 ' AS integer)
CAST('12.5' AS integer)
CAST('abc' AS integer)
CAST('' AS integer)
CAST('99999999999' AS integer)
CAST('12.345' AS numeric(6,2))
CAST('12.345' AS numeric(3,2))
CAST(12.345 AS numeric(5,1))
CAST('1e3' AS numeric)
CAST('-.5' AS numeric)
CAST('1.' AS numeric)
CAST('x' AS numeric)
CAST('1.5' AS double precision)
CAST('Infinity' AS double precision)
CAST('NaN' AS double precision) = CAST('NaN' AS double precision)
CAST('NaN' AS double precision) > CAST('Infinity' AS double precision)
CAST(1e15 AS double precision)
CAST(123456.789 AS double precision)
CAST(0.00001 AS double precision)
CAST(CAST(0.1 AS double precision) AS numeric)
CAST(CAST(1 AS double precision) / 3 AS numeric)
CAST(CAST(1e15 AS double precision) AS text)
CAST(CAST(0.00012 AS double precision) AS text)
CAST(1.50 AS text)
CAST(true AS text)
CAST('t' AS boolean)
CAST('off' AS boolean)
CAST('o' AS boolean)
CAST('maybe' AS boolean)
CAST(0 AS boolean)
CAST(true AS integer)
CAST('abcdef' AS varchar(3))
'a' = 'A'
'a' = 'a '
'a' < 'B'
'é' > 'z'
'' < 'a'
'abc' || 'def'
'abc' || NULL
'a' || 1
concat('a', NULL, 1, 2.50)
lower('ÀBC')
upper('straße')
initcap('hello wORLD-foo 2bar')
length('größe')
length('')
char_length('abc')
octet_length('é')
substring('hello', 2, 3)
substring('hello', 0, 3)
substring('hello', -2, 5)
substring('hello', 2)
substring('hello', 9)
substring('hello', 2, -1)
substring('hello' FROM 2 FOR 2)
substr('größe', 3, 2)
left('hello', 2)
left('hello', -2)
left('hello', 0)
right('hello', 2)
right('hello', -2)
right('größe', 2)
btrim('  a b  ')
btrim('xxaxx', 'x')
ltrim('xyxa', 'xy')
rtrim('a  ')
trim(both 'x' FROM 'xax')
replace('banana', 'an', 'o')
replace('banana', '', 'o')
strpos('banana', 'nan')
strpos('größe', 'ß')
position('z' IN 'abc')
lpad('7', 3, '0')
lpad('hello', 3)
rpad('ab', 5, 'xy')
lpad('a', -1)
split_part('a,b,c', ',', 2)
split_part('a,b,c', ',', -1)
split_part('a,b,c', ',', 9)
split_part('a,b,c', ',', 0)
repeat('ab', 3)
repeat('ab', -1)
reverse('größe')
ascii('é')
starts_with('hello', 'he')
'hello' LIKE 'h%o'
'hello' LIKE 'h_llo'
'hello' LIKE '%l%l%'
'hello' LIKE 'H%'
'hello' ILIKE 'H%O'
'ÀB' ILIKE 'àb'
'100%' LIKE '100\%'
'100x' LIKE '100\%'
'a_b' LIKE 'a!_b' ESCAPE '!'
'axb' LIKE 'a!_b' ESCAPE '!'
'a\b' LIKE 'a\\b'
'' LIKE '%'
'' LIKE '_'
'größe' LIKE 'gr__e'
'abc' NOT LIKE 'b%'
NULL LIKE 'a'
'aXbXc' LIKE '%X%X_'
NULL AND false
NULL AND true
NULL OR true
NOT NULL
NULL = NULL
NULL IS NULL
1 IS NOT NULL
NULL IS DISTINCT FROM NULL
1 IS DISTINCT FROM NULL
1 IS NOT DISTINCT FROM 1
(NULL = 1) IS TRUE
(NULL = 1) IS NOT TRUE
(1 = 1) IS FALSE
true > false
1 IN (1, 2)
3 IN (1, 2)
3 IN (1, NULL)
1 IN (1, NULL)
NULL IN (1, 2)
3 NOT IN (1, NULL)
1.0 IN (1, 2)
'a' IN ('b', 'a')
2 BETWEEN 1 AND 3
2 NOT BETWEEN 3 AND 1
coalesce(NULL, NULL, 3)
coalesce(NULL, 'x')
coalesce(1, 1 / 0)
nullif(1, 1)
nullif(1, 2)
nullif('a', 'b')
greatest(1, 3, 2)
greatest(1, NULL, 2.5)
least('b', 'a', NULL)
least(NULL, NULL)
CASE WHEN 1 > 2 THEN 'a' WHEN NULL THEN 'b' ELSE 'c' END
CASE 3 WHEN 1 THEN 'one' WHEN 3 THEN 'three' END
CASE WHEN false THEN 1 / 0 ELSE 2 END
CASE WHEN true THEN 1 ELSE 2.5 END
CASE WHEN false THEN 1 END
date '2024-02-29'
date '2023-02-29'
date '2024-13-01'
date '2024-01-31' + 1
1 + date '2024-01-31'
date '2024-03-01' - 1
date '2024-03-01' - date '2024-02-01'
date '2024-01-31' + interval '1 month'
date '2024-03-31' - interval '1 month'
timestamp '2024-01-31 10:20:30' + interval '1 month 2 days 03:04:05.5'
timestamp '2024-01-01 00:00:00.123456' - interval '1 microsecond'
timestamp '2024-03-01 12:00:00' - timestamp '2024-02-28 13:30:15.25'
timestamptz '2024-01-01 00:00:00+16'
timestamptz '2024-01-01 00:00:00+15:59'
timestamptz '2024-01-01 00:00:00-02:60'
timestamp '2024-01-01 00:00:00+99'
date '2024-01-01 00:00:00+99'
CAST('2024-01-01 00:00:00+16' AS timestamptz)
timestamptz '2024-01-01 02:00:00+02'
timestamptz '2024-01-01 02:00:00-05:30'
timestamptz '2024-06-01 00:00:00+02' = timestamptz '2024-05-31 22:00:00Z'
date '2024-01-01' < timestamp '2024-01-01 00:00:01'
CAST(timestamp '2024-05-06 23:59:59.9' AS date)
CAST(date '2024-05-06' AS timestamp)
CAST('2024-05-06' AS date)
CAST('2024-5-6' AS date)
CAST('nonsense' AS date)
CAST('2024-05-06T07:08:09' AS timestamp)
CAST(timestamp '2024-05-06 07:08:09.120' AS text)
CAST(date '0099-05-06' AS text)
extract(year FROM date '2024-05-06')
extract(quarter FROM date '2024-05-06')
extract(week FROM date '2024-12-30')
extract(isoyear FROM date '2024-12-30')
extract(dow FROM date '2024-05-05')
extract(isodow FROM date '2024-05-05')
extract(doy FROM date '2024-12-31')
extract(century FROM date '2001-01-01')
extract(decade FROM date '1999-01-01')
extract(epoch FROM date '2000-01-01')
extract(epoch FROM timestamp '2000-01-01 00:00:01.5')
extract(hour FROM timestamp '2024-05-06 07:08:09.5')
extract(second FROM timestamp '2024-05-06 07:08:09.5')
extract(fortnight FROM timestamp '2024-05-06 07:08:09.5')
date_part('month', date '2024-05-06')
date_part('hour', timestamp '2024-05-06 07:08:09.5')
date_trunc('month', timestamp '2024-05-06 07:08:09.5')
date_trunc('week', timestamp '2024-05-05 07:08:09.5')
date_trunc('quarter', date '2024-05-06')
date_trunc('decade', timestamptz '2024-05-06 07:08:09Z')
date_trunc('hour', timestamp '2024-05-06 07:08:09.5')
date_trunc('blink', timestamp '2024-05-06 07:08:09.5')
make_date(2024, 2, 29)
make_date(2023, 2, 29)
interval '1 day' > interval '23:59:59'
interval '1 month' = interval '30 days'
CAST(interval '1 year 2 mons -3 days 04:05:06.7' AS text)
CAST(interval '90 minutes' AS text)
-interval '1 day 02:00:00'
interval '1 day' + interval '2 hours'
sqrt(CAST(2 AS double precision))
sqrt(CAST(-1 AS double precision))
CAST(1e308 AS double precision) * 10
'5' + 3
'5' = 5
1 = 1.0
CAST(1 AS smallint) = 1
true = 1
1 + 'x'
'a' + 'b'
lower(5)
nosuch(1)
`), "\n")

func TestExpressionsMeanWhatPostgreSQLMeans(t *testing.T) { meanTheSame(t, expressions) }

// meanTheSame compares single expressions with PostgreSQL's: value, type and
// class of error.
func meanTheSame(t *testing.T, expressions []string) {
	ctx := context.Background()
	for _, e := range expressions {
		sql := "SELECT " + e + " AS x"
		got, cols := ours(ctx, museum, sql, false)
		want := theirs(ctx, sql, cols)
		if d := difference(got, want, true); d != "" {
			t.Errorf("%s: %s", e, d)
			continue
		}
		if len(cols) > 0 && got.err == nil {
			sameType(t, sql, e, cols[0].Type)
		}
	}
}

// sameType checks that a query's column has the type that PostgreSQL gives it.
func sameType(t *testing.T, sql, e string, have value.Type) {
	t.Helper()
	var typ string
	if err := reference.QueryRow(context.Background(), "SELECT format_type(pg_typeof(x)::oid, -1) FROM ("+sql+") q").Scan(&typ); err != nil {
		t.Fatalf("%s: %v", e, err)
	}
	typ = strings.NewReplacer("timestamp without time zone", "timestamp", "timestamp with time zone", "timestamptz", "character varying", "text",
		"time without time zone", "time", "character", "char").Replace(typ)
	if name, _, _ := strings.Cut(have.String(), "("); name != typ {
		t.Errorf("%s has the type %s, and in PostgreSQL %s", e, have, typ)
	}
}

// What a run is told of now() does not change within it, and is the present.
func TestNowIsOneMoment(t *testing.T) {
	o, _ := ours(context.Background(), museum, `SELECT count(*) FROM lending.loans WHERE now() <> now() OR current_date <> CAST(now() AS date) OR current_timestamp <> now()`, false)
	if fmt.Sprint(o.rows) != "[0|]" {
		t.Errorf("got %v, %v", o.rows, o.err)
	}
}

// The quirk that text comparisons need is read, not assumed: without the
// collation MariaDB's equality is narrowed, other comparisons are kept, and the
// rows stay the same.
func TestWithoutBinaryCollationTextIsNarrowed(t *testing.T) {
	ctx := context.Background()
	for _, sql := range []string{
		`SELECT loan_id FROM lending.loans WHERE status = 'out'`,
		`SELECT loan_id FROM lending.loans WHERE status IN ('out', 'Planned')`,
		`SELECT loan_id FROM lending.loans WHERE status LIKE 'o%'`,
		`SELECT status, count(*) FROM lending.loans GROUP BY status`,
		`SELECT i.institution_id, l.loan_id FROM lending.institutions i JOIN lending.loans l ON l.institution_code = i.code`,
		`SELECT min(status) FROM lending.loans WHERE status > 'o'`,
	} {
		want, _ := ours(ctx, museum, sql, true)
		restore := museum.Believe("lending", "binary collation without padding", "no")
		got, _ := ours(ctx, museum, sql, false)
		report, err := museum.Now().Explain(queryOf(sql))
		restore()
		if err != nil {
			t.Fatal(err)
		}
		if d := difference(got, want, false); d != "" {
			t.Errorf("%s: %s", sql, d)
		}
		for _, p := range report.Pieces {
			if p.Verdict == "folded" {
				t.Errorf("%s: %s is folded", sql, p.Text)
			}
		}
		if first := report.Pieces[0]; strings.Contains(sql, "= 'out'") && (first.Verdict != "narrowed" || first.Reason.Code != "collation-differs") {
			t.Errorf("%s: %s for %v", sql, first.Verdict, first.Reason)
		}
	}
}
