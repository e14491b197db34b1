package tests

import (
	"strings"
	"testing"
)

// calls are computed like expressions, for the functions that analysts use
// beyond the everyday ones, and for the types that came with them.
var calls = strings.Split(strings.TrimSpace(`
chr(65)
chr(8364)
chr(0)
translate('hello', 'el', 'ip')
translate('12345', '143', 'ax')
overlay('Txxxxas' placing 'hom' from 2 for 4)
overlay('abcdef' placing 'Z' from 3)
bit_length('é')
md5('abc')
to_hex(255)
to_hex(-1)
quote_literal('it''s \ ok')
quote_ident('Odd name')
quote_ident('select')
quote_nullable(NULL)
concat_ws(', ', 'a', NULL, 1, true)
concat_ws(NULL, 'a', 'b')
concat('a', true, 1.50)
format('%s and %I and %L %%', 'a', 'B c', 'it''s')
format('%2$s %1$s|%5s|%-5s|', 'a', 'b', 'c', 'd')
format('%s', NULL)
format('%z', 1)
encode('\x00ff41'::bytea, 'hex')
encode('hello world'::bytea, 'base64')
encode('\x00ff41'::bytea, 'escape')
decode('00ff', 'hex')
decode('zz', 'hex')
decode('aGk=', 'base64')
'\xDEAD'::bytea || '\xBEEF'::bytea
length('\x0102'::bytea)
get_byte('\x0102'::bytea, 1)
get_byte('\x0102'::bytea, 5)
sha256('abc'::bytea)
'\x01'::bytea < '\x02'::bytea
convert_from('\xc3a9'::bytea, 'UTF8')
regexp_replace('foobarbaz', 'b..', 'X')
regexp_replace('foobarbaz', 'b..', 'X', 'g')
regexp_replace('foobarbaz', 'b(..)', 'X\1Y', 'g')
regexp_replace('Hello', 'L', 'r', 'gi')
regexp_match('foobarbequebaz', '(bar)(beque)')
regexp_match('abc', 'x')
regexp_match('abc', 'b')
regexp_split_to_array('a1b22c', '\d+')
regexp_count('banana', 'an')
regexp_like('Hello', 'hel', 'i')
regexp_substr('banana', 'n.')
regexp_instr('banana', 'n')
substring('foobar' from 'o(.)b')
substring('foobar' from 'x')
'abc' ~ 'B'
'abc' ~* 'B'
'É' ~* 'é'
'abc' !~ '^a'
'a.c' ~ 'a\.c'
'ab' ~ '('
'abc' SIMILAR TO '%(b|d)%'
'abc' SIMILAR TO 'a'
'foo bar' ~ '\mbar\M'
ascii('')
starts_with('abc', 'ab')
'abc' ^@ 'ab'
power(2, 10)
power(2.0, 3)
power(2.5, 0.5)
power(0, -1)
power(-8, 0.5)
2 ^ 3
2.0 ^ -2
exp(1)
exp(1.0)
exp(-3.5)
ln(2)
ln(2.0)
ln(0.0)
ln(-1.0)
ln(1.05)
ln(123456.789)
log(100)
log(1000.0)
log(2.0, 64.0)
log10(5.0)
sqrt(2.0)
sqrt(15241.0)
sqrt(0.0004)
sqrt(-1.0)
cbrt(27)
sin(0.5)
cos(0.5)
tan(0.5)
asin(2)
acos(0.5)
atan2(1, 2)
degrees(1)
radians(90)
sinh(1)
pi()
div(7, 2)
div(-7.5, 2)
div(1.0, 0)
gcd(12, 18)
gcd(-4, 6)
lcm(4, 6)
factorial(10)
factorial(-1)
scale(1.500)
min_scale(1.500)
trim_scale(1.500)
width_bucket(5.35, 0.024, 10.06, 5)
width_bucket(-1, 0, 10, 5)
width_bucket(1, 0, 0, 5)
5 & 3
5 | 3
5 # 3
~5
1 << 4
-16 >> 2
@ (-5)
|/ 16
|/ 4.0
||/ 27.0
|/ 2.5 + 1
CAST(1.5 AS real) + CAST(2.25 AS real)
CAST(1.1 AS real)
CAST(1.1 AS real) + 1.1
CAST(CAST(1.1 AS real) AS double precision)
CAST(1.1 AS real) = CAST(1.1 AS double precision)
CAST(CAST(0.1 AS real) AS numeric)
CAST(1e39 AS real)
CAST(1234567.0 AS real)
CAST('1e-50' AS real)
abs(CAST(-1.5 AS real))
CAST('abc  ' AS char(5)) = 'abc'
CAST('abc' AS char(5)) || 'x'
length(CAST('abc' AS char(5)))
CAST('abcdef' AS char(3)) = 'abc'
CAST('10:30' AS time)
CAST('25:00' AS time)
CAST('10:30:15.5' AS time) + interval '2 hours'
CAST('23:30' AS time) + interval '2 hours'
time '10:00' - time '09:15'
CAST(timestamp '2024-05-06 07:08:09' AS time)
date '2024-05-06' + time '10:30'
extract(minute FROM time '10:30')
make_time(8, 15, 23.5)
CAST('A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11' AS uuid)
CAST('{a0eebc999c0b4ef8bb6d6bb9bd380a11}' AS uuid)
CAST('x' AS uuid)
age(timestamp '2024-03-01', timestamp '2023-01-31')
age(timestamp '2023-01-31', timestamp '2024-03-01')
age(timestamp '2024-05-06 10:00', timestamp '2024-05-05 22:30')
date_bin(interval '15 minutes', timestamp '2024-05-06 07:08:09', timestamp '2024-01-01')
extract(day FROM interval '40 days 5 hours')
extract(epoch FROM interval '1 month 1 day')
extract(hour FROM interval '1 day 30:00:00')
justify_days(interval '65 days')
justify_hours(interval '50 hours')
justify_interval(interval '1 month -1 hour')
make_interval(1, 2, 0, 3)
make_timestamp(2024, 2, 29, 12, 30, 15.5)
make_timestamp(2023, 2, 29, 0, 0, 0)
to_timestamp(1700000000.25)
timestamptz '2024-07-01 12:00Z' AT TIME ZONE 'Europe/Berlin'
timestamp '2024-07-01 12:00' AT TIME ZONE 'America/New_York'
timestamp '2024-03-31 02:30' AT TIME ZONE 'Europe/Berlin'
timestamp '2024-10-27 02:30' AT TIME ZONE 'Europe/Berlin'
timestamp '2024-07-01 12:00' AT TIME ZONE 'Nowhere/X'
interval '1 day' * 1.5
interval '1 month' / 4
2 * interval '3 hours'
(date '2024-01-01', date '2024-02-01') OVERLAPS (date '2024-01-31', date '2024-03-01')
isfinite(date '2024-01-01')
date_trunc('hour', interval '2 days 05:30')
ARRAY[1, 2, 3]
ARRAY[1, 2.5]
ARRAY['a', NULL]
(ARRAY[1, 2, 3])[2]
(ARRAY[1, 2, 3])[9]
(ARRAY[1, 2, 3])[2:3]
array_length(ARRAY[1, 2], 1)
array_length(ARRAY[]::integer[], 1)
cardinality(ARRAY[1, 2])
array_append(ARRAY[1, 2], 3)
array_prepend(0, ARRAY[1, 2])
array_cat(ARRAY[1], ARRAY[2])
ARRAY[1] || ARRAY[2, 3]
ARRAY[1] || 2
0 || ARRAY[1]
array_position(ARRAY['a', 'b'], 'b')
array_positions(ARRAY[1, 2, 1], 1)
array_remove(ARRAY[1, 2, 1], 1)
array_replace(ARRAY[1, 2, 1], 1, 9)
array_to_string(ARRAY[1, NULL, 3], ',')
array_to_string(ARRAY[1, NULL, 3], ',', '?')
string_to_array('a,b,,c', ',')
string_to_array('a,b', NULL)
string_to_array('a,b,,c', ',', '')
trim_array(ARRAY[1, 2, 3], 1)
ARRAY[1, 2] @> ARRAY[2]
ARRAY[2] <@ ARRAY[1, 2]
ARRAY[1, 2] && ARRAY[2, 3]
ARRAY[1, 2] = ARRAY[1, 2]
ARRAY[1, NULL] = ARRAY[1, NULL]
ARRAY[1, 2] < ARRAY[1, 3]
2 = ANY (ARRAY[1, 2])
2 = ANY (ARRAY[1, NULL])
2 <> ALL (ARRAY[1, 3])
NULL = ANY (ARRAY[1])
'abc' LIKE ANY (ARRAY['x%', 'a%'])
'abc' NOT LIKE ALL (ARRAY['x%', 'y%'])
CAST('{1,2,NULL}' AS integer[])
CAST('{"a b",c}' AS text[])
CAST('{1,x}' AS integer[])
CAST(ARRAY[1, 2] AS text)
CAST(ARRAY['1', '2'] AS integer[])
num_nulls(1, NULL, 'x')
num_nonnulls(1, NULL, 'x')
'{"a": {"b": [1, 2]}}'::json -> 'a'
'{"a": {"b": [1, 2]}}'::jsonb -> 'a' -> 'b' ->> 1
'{"a": "x"}'::json ->> 'a'
'{"a": null}'::json ->> 'a'
'[1, 2, 3]'::jsonb -> -1
'{"a": {"b": 7}}'::jsonb #> '{a,b}'
'{"a": {"b": 7}}'::jsonb #>> '{a,b}'
json_array_length('[1, 2]')
jsonb_array_length('{"a": 1}')
jsonb_typeof('[1]')
json_typeof('null')
json_extract_path_text('{"a": {"b": "c"}}', 'a', 'b')
jsonb_strip_nulls('{"a": null, "b": {"c": null}}')
'{"b":1, "a" : 2, "aa":3}'::jsonb
'{"a": 1, "a": 2}'::jsonb
'{"a": 1, "b": null}'::jsonb ? 'b'
'["a", 1]'::jsonb ? 'a'
'["a", 1]'::jsonb ? '1'
'"a"'::jsonb ? 'a'
'{"a": 1}'::jsonb ?| ARRAY['x', NULL, 'a']
'{"a": 1}'::jsonb ?& ARRAY['x', 'a']
'{"a": 1}'::jsonb ?& ARRAY[NULL, 'a']
'{"a": 1}'::jsonb ?& ARRAY[]::text[]
'{"a": 1, "b": 2}'::jsonb - 'a'
'["a", "b", "a", 1]'::jsonb - 'a'
'7'::jsonb - 'a'
'{"a": 1, "b": 2, "c": 3}'::jsonb - ARRAY['a', 'c', NULL]
'["a", "b", "c"]'::jsonb - 1
'["a", "b", "c"]'::jsonb - -1
'["a", "b", "c"]'::jsonb - 5
'{"a": 1}'::jsonb - 1
'{"a": {"b": [1, 2, 3]}}'::jsonb #- '{a,b,1}'
'{"a": {"b": 1}}'::jsonb #- '{a,x}'
'{"a": [1]}'::jsonb #- '{a,x}'
'{"a": 1}'::jsonb #- '{}'
'3'::jsonb #- '{a}'
'{"a": [1]}'::jsonb #- '{a,NULL}'
jsonb_set('{"a": 1}', '{a}', '[2]')
jsonb_set('{"a": 1}', '{b}', '2')
jsonb_set('{"a": 1}', '{b}', '2', false)
jsonb_set('{"a": {"b": 1}}', '{a,c}', '"x"')
jsonb_set('{"a": 1}', '{b,c}', '2')
jsonb_set('[1, 2]', '{5}', '3')
jsonb_set('[1, 2]', '{-5}', '0')
jsonb_set('[1, 2]', '{-1}', '0')
jsonb_set('[1, 2]', '{9}', '0', false)
jsonb_set('1', '{a}', '0')
jsonb_set('{"a": 1}', NULL, '0')
jsonb_insert('[1, 2]', '{1}', '9')
jsonb_insert('[1, 2]', '{1}', '9', true)
jsonb_insert('[1, 2]', '{-1}', '9', true)
jsonb_insert('[1, 2]', '{-9}', '9')
jsonb_insert('{"a": 1}', '{b}', '9')
jsonb_insert('{"a": 1}', '{a}', '9')
jsonb_pretty('{"b": [1, {"c": []}], "a": {}}')
jsonb_pretty('7')
'{"a": 1.10}'::jsonb = '{"a": 1.1}'::jsonb
'{"a": [1, 2]}'::jsonb @> '{"a": [2]}'
'[1, 2]'::jsonb @> '1'
'{"a": 1}'::jsonb || '{"b": 2}'::jsonb
'[1]'::jsonb || '2'::jsonb
'{"a": }'::json
jsonb_build_object('a', 1, 'b', ARRAY[1, 2], 'c', NULL)
json_build_array(1, 'x', NULL, true)
json_build_object('a', 1.5)
to_jsonb(1.50)
to_json('a"b')
to_jsonb(timestamp '2024-01-02 03:04:05')
CAST('{"a":1}' AS json)
to_char(timestamp '2024-03-05 14:07:09.0123', 'YYYY-MM-DD HH24:MI:SS.MS US')
to_char(date '2024-03-05', 'FMDDth Month YYYY, Dy DY dy; Q D ID DDD WW IW IYYY')
to_char(timestamp '2024-03-05 00:07:09', 'HH12:MI am "at" Mon FMMM')
to_char(date '2024-03-05', 'Day, DD MON YY')
to_char(1234.5, '9,999.99')
to_char(-1234.567, '9999.99')
to_char(0.5, '9.9')
to_char(0, '999')
to_char(12, '0000')
to_char(12345, '999')
to_char(12.5, 'FM990.99')
to_char(12.0, 'FM990.99')
to_char(485, 'S999')
to_char(-485, '999MI')
to_char(-485, '999PR')
to_char(1485, '9G999')
to_char(148.5, '999D999')
to_char(0.1, '0.99')
to_char(1234567.891, 'FM9,999,999.00')
to_date('05 Dec 2000', 'DD Mon YYYY')
to_date('2024-02-30', 'YYYY-MM-DD')
to_date('20240229', 'YYYYMMDD')
to_timestamp('2024-03-05 02:07 pm', 'YYYY-MM-DD HH12:MI am')
to_number('1,234.5', '9,999.9')
greatest(1, NULL, 3)
least('b', 'a')
5 BETWEEN SYMMETRIC 9 AND 1
1 IS DISTINCT FROM NULL
'a' COLLATE "C" < 'B'
`), "\n")

func TestCallsMeanWhatPostgreSQLMeans(t *testing.T) { meanTheSame(t, calls) }
