-- What is infinite, not a number, before Christ or far ahead. Behind each expression its type and value, or its error.
date 'infinity' + 5 /* date infinity */
date '-infinity' - 5 /* date -infinity */
date 'infinity' - date '2024-01-01' /* error 22008 cannot subtract infinite dates */
date '5874897-12-31' + 1 /* error 22008 date out of range */
date '4714-11-24 BC' - 1 /* error 22008 date out of range */
date '0001-01-01' - 1 /* date 0001-12-31 BC */
date '0044-03-15 BC' + 365 /* date 0043-03-15 BC */
date 'infinity' + interval '1 day' /* timestamp infinity */
date '5874897-12-31' + interval '1 day' /* error 22008 date out of range for timestamp */
timestamp 'infinity' - interval '1 month' /* timestamp infinity */
timestamp 'infinity' - timestamp '2024-01-01' /* error 22008 cannot subtract infinite timestamps */
timestamp '0001-01-01' - interval '1 second' /* timestamp 0001-12-31 23:59:59 BC */
timestamp '2024-01-01' + interval '300000 years' /* error 22008 timestamp out of range */
timestamp '4714-11-24 00:00:00 BC' - interval '1 day' /* error 22008 timestamp out of range */
CAST(timestamp 'infinity' AS date) /* date infinity */
CAST(timestamp '-infinity' AS time) /* time null */
CAST(date '-infinity' AS timestamp) /* timestamp -infinity */
CAST(date '5874897-12-31' AS timestamp) /* error 22008 date out of range for timestamp */
CAST(date '0044-03-15 BC' AS text) /* text 0044-03-15 BC */
CAST('infinity' AS timestamptz) /* timestamptz infinity */
extract(year FROM date 'infinity') /* numeric Infinity */
extract(year FROM date '0044-03-15 BC') /* numeric -44 */
extract(century FROM date '0001-12-31 BC') /* numeric -1 */
extract(millennium FROM date '0001-12-31 BC') /* numeric -1 */
extract(decade FROM date '0011-12-31 BC') /* numeric -1 */
extract(isoyear FROM date '0044-03-15 BC') /* numeric -44 */
extract(dow FROM date '0044-03-15 BC') /* numeric 5 */
extract(epoch FROM timestamp '-infinity') /* numeric -Infinity */
extract(month FROM timestamp 'infinity') /* numeric null */
extract(hour FROM date 'infinity') /* error 0A000 unit "hour" not supported for type date */
date_part('julian', date 'infinity') /* double precision Infinity */
date_trunc('month', timestamp '-infinity') /* timestamp -infinity */
date_trunc('century', timestamp '0044-03-15 BC') /* timestamp 0100-01-01 00:00:00 BC */
date_trunc('millennium', timestamp '0044-03-15 BC') /* timestamp 1000-01-01 00:00:00 BC */
date_trunc('decade', timestamp '0044-03-15 BC') /* timestamp 0051-01-01 00:00:00 BC */
date_bin('1 day', timestamp 'infinity', timestamp '2024-01-01') /* timestamp infinity */
date_bin('1 day', timestamp '2024-01-01', timestamp 'infinity') /* error 22008 origin out of range */
isfinite(date 'infinity') /* boolean false */
isfinite(timestamp '2024-01-01') /* boolean true */
isfinite(interval '1 day') /* boolean true */
age(timestamp '-infinity', timestamp '2024-01-01') /* error 22008 timestamp out of range */
timezone('Europe/Berlin', timestamp 'infinity') /* timestamptz infinity */
to_char(timestamp 'infinity', 'YYYY') /* text null */
to_char(date '0044-03-15 BC', 'YYYY-MM-DD BC') /* text 0044-03-15 BC */
to_date('44-03-15 BC', 'YYYY-MM-DD BC') /* date 0044-03-15 BC */
to_timestamp('Infinity'::double precision) /* timestamptz infinity */
to_timestamp('NaN'::double precision) /* error 22008 timestamp cannot be NaN */
make_date(-44, 3, 15) /* date 0044-03-15 BC */
make_date(0, 1, 1) /* error 22008 date field value out of range: 0-01-01 */
to_json(timestamp 'infinity') /* json "infinity" */
to_json(timestamptz '0044-03-15 01:02:03.5+00 BC') /* json "0044-03-15T01:02:03.5+00:00 BC" */
to_json('NaN'::numeric) /* json "NaN" */
greatest(date 'infinity', date '2024-01-01') /* date infinity */
'NaN'::numeric = 'NaN'::numeric /* boolean true */
'NaN'::numeric > 'Infinity'::numeric /* boolean true */
'-Infinity'::numeric < -1e30 /* boolean true */
'Infinity'::numeric + 1 /* numeric Infinity */
'Infinity'::numeric - 'Infinity'::numeric /* numeric NaN */
'Infinity'::numeric * 0 /* numeric NaN */
'Infinity'::numeric * -2 /* numeric -Infinity */
'Infinity'::numeric / 0 /* error 22012 division by zero */
'Infinity'::numeric / -3 /* numeric -Infinity */
7 / 'Infinity'::numeric /* numeric 0 */
'Infinity'::numeric % 5 /* numeric NaN */
5 % 'Infinity'::numeric /* numeric 5 */
'NaN'::numeric / 0 /* numeric NaN */
- 'Infinity'::numeric /* numeric -Infinity */
abs('-Infinity'::numeric) /* numeric Infinity */
sign('NaN'::numeric) /* numeric NaN */
sign('-Infinity'::numeric) /* numeric -1 */
round('NaN'::numeric, 2) /* numeric NaN */
ceil('-Infinity'::numeric) /* numeric -Infinity */
scale('NaN'::numeric) /* integer null */
sqrt('Infinity'::numeric) /* numeric Infinity */
sqrt('-Infinity'::numeric) /* error 2201F cannot take square root of a negative number */
exp('-Infinity'::numeric) /* numeric 0 */
ln('Infinity'::numeric) /* numeric Infinity */
ln('-Infinity'::numeric) /* error 2201E cannot take logarithm of a negative number */
log('Infinity'::numeric, 10) /* numeric 0 */
log(0.5, 'Infinity'::numeric) /* numeric Infinity */
log('NaN'::numeric, 0) /* numeric NaN */
power('Infinity'::numeric, -1) /* numeric 0 */
power('-Infinity'::numeric, 3) /* numeric -Infinity */
power('-Infinity'::numeric, 2) /* numeric Infinity */
power(0.5, 'Infinity'::numeric) /* numeric 0 */
power(1, 'NaN'::numeric) /* numeric 1 */
power(-2, 'Infinity'::numeric) /* numeric Infinity */
div('Infinity'::numeric, 2) /* numeric Infinity */
'NaN'::numeric::integer /* error 0A000 cannot convert NaN to an integer */
'Infinity'::numeric::bigint /* error 0A000 cannot convert infinity to an integer */
'Infinity'::numeric::numeric(10, 2) /* error 22003 numeric field overflow: numeric(10,2) holds no infinite value */
'NaN'::numeric(10, 2) /* numeric(10,2) NaN */
'-Infinity'::numeric::double precision /* double precision -Infinity */
'NaN'::double precision::numeric /* numeric NaN */
