-- Dates, times, timestamps and intervals. Behind each expression its type and value, or its error.
date '2024-02-29' /* date 2024-02-29 */
date '2023-02-29' /* error 22008 date/time field value out of range: "2023-02-29" */
date '2024-13-01' /* error 22008 date/time field value out of range: "2024-13-01" */
date '2024-01-31' + 1 /* date 2024-02-01 */
1 + date '2024-01-31' /* date 2024-02-01 */
date '2024-03-01' - 1 /* date 2024-02-29 */
date '2024-03-01' - date '2024-02-01' /* integer 29 */
date '2024-01-31' + interval '1 month' /* timestamp 2024-02-29 00:00:00 */
date '2024-03-31' - interval '1 month' /* timestamp 2024-02-29 00:00:00 */
timestamp '2024-01-31 10:20:30' + interval '1 month 2 days 03:04:05.5' /* timestamp 2024-03-02 13:24:35.5 */
timestamp '2024-01-01 00:00:00.123456' - interval '1 microsecond' /* timestamp 2024-01-01 00:00:00.123455 */
timestamp '2024-03-01 12:00:00' - timestamp '2024-02-28 13:30:15.25' /* interval 1 day 22:29:44.75 */
timestamptz '2024-01-01 00:00:00+16' /* error 22009 time zone displacement out of range: "2024-01-01 00:00:00+16" */
timestamptz '2024-01-01 00:00:00+15:59' /* timestamptz 2023-12-31 08:01:00+00 */
timestamptz '2024-01-01 00:00:00-02:60' /* error 22009 time zone displacement out of range: "2024-01-01 00:00:00-02:60" */
timestamp '2024-01-01 00:00:00+99' /* error 22009 time zone displacement out of range: "2024-01-01 00:00:00+99" */
date '2024-01-01 00:00:00+99' /* error 22009 time zone displacement out of range: "2024-01-01 00:00:00+99" */
CAST('2024-01-01 00:00:00+16' AS timestamptz) /* error 22009 time zone displacement out of range: "2024-01-01 00:00:00+16" */
timestamptz '2024-01-01 02:00:00+02' /* timestamptz 2024-01-01 00:00:00+00 */
timestamptz '2024-01-01 02:00:00-05:30' /* timestamptz 2024-01-01 07:30:00+00 */
timestamptz '2024-06-01 00:00:00+02' = timestamptz '2024-05-31 22:00:00Z' /* boolean true */
date '2024-01-01' < timestamp '2024-01-01 00:00:01' /* boolean true */
CAST(timestamp '2024-05-06 23:59:59.9' AS date) /* date 2024-05-06 */
CAST(date '2024-05-06' AS timestamp) /* timestamp 2024-05-06 00:00:00 */
CAST('2024-05-06' AS date) /* date 2024-05-06 */
CAST('2024-5-6' AS date) /* date 2024-05-06 */
CAST('nonsense' AS date) /* error 22007 invalid input syntax for type date: "nonsense" */
CAST('2024-05-06T07:08:09' AS timestamp) /* timestamp 2024-05-06 07:08:09 */
CAST(timestamp '2024-05-06 07:08:09.120' AS text) /* text 2024-05-06 07:08:09.12 */
CAST(date '0099-05-06' AS text) /* text 0099-05-06 */
extract(year FROM date '2024-05-06') /* numeric 2024 */
extract(quarter FROM date '2024-05-06') /* numeric 2 */
extract(week FROM date '2024-12-30') /* numeric 1 */
extract(isoyear FROM date '2024-12-30') /* numeric 2025 */
extract(dow FROM date '2024-05-05') /* numeric 0 */
extract(isodow FROM date '2024-05-05') /* numeric 7 */
extract(doy FROM date '2024-12-31') /* numeric 366 */
extract(century FROM date '2001-01-01') /* numeric 21 */
extract(decade FROM date '1999-01-01') /* numeric 199 */
extract(epoch FROM date '2000-01-01') /* numeric 946684800 */
extract(epoch FROM timestamp '2000-01-01 00:00:01.5') /* numeric 946684801.500000 */
extract(hour FROM timestamp '2024-05-06 07:08:09.5') /* numeric 7 */
extract(second FROM timestamp '2024-05-06 07:08:09.5') /* numeric 9.500000 */
extract(fortnight FROM timestamp '2024-05-06 07:08:09.5') /* error 22023 unit "fortnight" not recognized for type timestamp */
date_part('month', date '2024-05-06') /* double precision 5 */
date_part('hour', timestamp '2024-05-06 07:08:09.5') /* double precision 7 */
date_trunc('month', timestamp '2024-05-06 07:08:09.5') /* timestamp 2024-05-01 00:00:00 */
date_trunc('week', timestamp '2024-05-05 07:08:09.5') /* timestamp 2024-04-29 00:00:00 */
date_trunc('quarter', date '2024-05-06') /* timestamptz 2024-04-01 00:00:00+00 */
date_trunc('decade', timestamptz '2024-05-06 07:08:09Z') /* timestamptz 2020-01-01 00:00:00+00 */
date_trunc('hour', timestamp '2024-05-06 07:08:09.5') /* timestamp 2024-05-06 07:00:00 */
date_trunc('blink', timestamp '2024-05-06 07:08:09.5') /* error 22023 unit "blink" not recognized for type timestamp */
make_date(2024, 2, 29) /* date 2024-02-29 */
make_date(2023, 2, 29) /* error 22008 date field value out of range: 2023-02-29 */
interval '1 day' > interval '23:59:59' /* boolean true */
interval '1 month' = interval '30 days' /* boolean true */
CAST(interval '1 year 2 mons -3 days 04:05:06.7' AS text) /* text 1 year 2 mons -3 days +04:05:06.7 */
CAST(interval '90 minutes' AS text) /* text 01:30:00 */
-interval '1 day 02:00:00' /* interval -1 days -02:00:00 */
interval '1 day' + interval '2 hours' /* interval 1 day 02:00:00 */
sqrt(CAST(2 AS double precision)) /* double precision 1.4142135623730951 */
sqrt(CAST(-1 AS double precision)) /* error 2201F cannot take square root of a negative number */
CAST(1e308 AS double precision) * 10 /* error 22003 value out of range for double precision */
CAST('10:30' AS time) /* time 10:30:00 */
CAST('25:00' AS time) /* error 22008 date/time field value out of range: "25:00" */
CAST('10:30:15.5' AS time) + interval '2 hours' /* time 12:30:15.5 */
CAST('23:30' AS time) + interval '2 hours' /* time 01:30:00 */
time '10:00' - time '09:15' /* interval 00:45:00 */
CAST(timestamp '2024-05-06 07:08:09' AS time) /* time 07:08:09 */
date '2024-05-06' + time '10:30' /* timestamp 2024-05-06 10:30:00 */
extract(minute FROM time '10:30') /* numeric 30 */
make_time(8, 15, 23.5) /* time 08:15:23.5 */
age(timestamp '2024-03-01', timestamp '2023-01-31') /* interval 1 year 1 mon 1 day */
age(timestamp '2023-01-31', timestamp '2024-03-01') /* interval -1 years -1 mons -1 days */
age(timestamp '2024-05-06 10:00', timestamp '2024-05-05 22:30') /* interval 11:30:00 */
date_bin(interval '15 minutes', timestamp '2024-05-06 07:08:09', timestamp '2024-01-01') /* timestamp 2024-05-06 07:00:00 */
extract(day FROM interval '40 days 5 hours') /* numeric 40 */
extract(epoch FROM interval '1 month 1 day') /* numeric 2678400.000000 */
extract(hour FROM interval '1 day 30:00:00') /* numeric 30 */
justify_days(interval '65 days') /* interval 2 mons 5 days */
justify_hours(interval '50 hours') /* interval 2 days 02:00:00 */
justify_interval(interval '1 month -1 hour') /* interval 29 days 23:00:00 */
make_interval(1, 2, 0, 3) /* interval 1 year 2 mons 3 days */
make_timestamp(2024, 2, 29, 12, 30, 15.5) /* timestamp 2024-02-29 12:30:15.5 */
make_timestamp(2023, 2, 29, 0, 0, 0) /* error 22008 date field value out of range: 2023-02-29 */
to_timestamp(1700000000.25) /* timestamptz 2023-11-14 22:13:20.25+00 */
timestamptz '2024-07-01 12:00Z' AT TIME ZONE 'Europe/Berlin' /* timestamp 2024-07-01 14:00:00 */
timestamp '2024-07-01 12:00' AT TIME ZONE 'America/New_York' /* timestamptz 2024-07-01 16:00:00+00 */
timestamp '2024-03-31 02:30' AT TIME ZONE 'Europe/Berlin' /* timestamptz 2024-03-31 01:30:00+00 */
timestamp '2024-10-27 02:30' AT TIME ZONE 'Europe/Berlin' /* timestamptz 2024-10-27 01:30:00+00 */
timestamp '2024-07-01 12:00' AT TIME ZONE 'Nowhere/X' /* error 22023 time zone "Nowhere/X" not recognized */
interval '1 day' * 1.5 /* interval 1 day 12:00:00 */
interval '1 month' / 4 /* interval 7 days 12:00:00 */
2 * interval '3 hours' /* interval 06:00:00 */
(date '2024-01-01', date '2024-02-01') OVERLAPS (date '2024-01-31', date '2024-03-01') /* boolean true */
isfinite(date '2024-01-01') /* boolean true */
date_trunc('hour', interval '2 days 05:30') /* interval 2 days 05:00:00 */
make_interval(days => 3, hours => 2) /* interval 3 days 02:00:00 */
make_interval(1, weeks => 2, secs => 1.5) /* interval 1 year 14 days 00:00:01.5 */
make_timestamptz(2024, 7, 1, 12, 0, 0, 'Europe/Berlin') /* timestamptz 2024-07-01 10:00:00+00 */
make_timestamptz(2024, 7, 1, 12, 0, 0, '+3') /* timestamptz 2024-07-01 09:00:00+00 */
make_timestamptz(2024, 7, 1, 12, 0, 0, 'nowhere') /* error 22023 time zone "nowhere" not recognized */
date_trunc('day', timestamptz '2024-03-31 00:30:00+00', 'Europe/Berlin') /* timestamptz 2024-03-30 23:00:00+00 */
date_trunc('hour', timestamptz '2024-10-27 00:45:00+00', 'Asia/Kolkata') /* timestamptz 2024-10-27 00:30:00+00 */
timezone(interval '5:30', timestamptz '2024-07-01 12:00+00') /* timestamp 2024-07-01 17:30:00 */
timezone(interval '1 day', timestamp '2024-07-01 12:00') /* error 22023 interval time zone "1 day" must not include months or days */
timezone('CEST', timestamp '2024-07-01 12:00') /* timestamptz 2024-07-01 10:00:00+00 */
timezone('utc+3', timestamp '2024-07-01 12:00') /* timestamptz 2024-07-01 15:00:00+00 */
date(timestamp '2024-02-29 12:30') /* date 2024-02-29 */
interval '3' hour /* interval 03:00:00 */
interval '1-2' year to month /* interval 1 year 2 mons */
interval '1 12:30:15' day to minute /* interval 1 day 12:30:00 */
interval '5.6789' second(2) /* interval 00:00:05.68 */
interval '1 year 2 months 3 days 04:05:06' month /* interval 1 year 2 mons */
date 'Feb 29, 2024' /* date 2024-02-29 */
timestamp '29-feb-2024 1:30 pm' /* timestamp 2024-02-29 13:30:00 */
timestamptz '2024-07-01 12:00 America/New_York' /* timestamptz 2024-07-01 16:00:00+00 */
time '04:05 PM' /* time 16:05:00 */
date 'J2460370' /* date 2024-02-29 */
timestamptz '20240701T120000+02' /* timestamptz 2024-07-01 10:00:00+00 */
date '2024-02-30' /* error 22008 date/time field value out of range: "2024-02-30" */
time '25:00' /* error 22008 date/time field value out of range: "25:00" */
interval 'P1Y2M3DT4H' /* interval 1 year 2 mons 3 days 04:00:00 */
interval '1.5 years ago' /* interval -1 years -6 mons */
