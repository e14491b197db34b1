-- Intervals as they are read and reckoned with, and sums that overflow.
SELECT interval '1 day 2 days'
SELECT interval '1 week 2 weeks'
SELECT interval '1 week 2 days'
SELECT interval '1 second 2 milliseconds'
SELECT interval '1 second 2 ms'
SELECT interval '1 millisecond 2 milliseconds'
SELECT interval '1 hour 01:00:00'
SELECT interval '1 second 01:00:00'
SELECT interval '1 minute 01:00:00'
SELECT interval '1 microsecond 01:00:00'
SELECT interval '1 millisecond 2 microseconds'
SELECT interval '1 mon 1 month'
SELECT interval '1 year 1 month 1 day 1 hour 1 min 1 sec'
SELECT interval '1 min 1 minute'
SELECT interval '1.5 days'
SELECT interval '1.5 months'
SELECT interval '1 decade'
SELECT interval '1 century 2 years'
SELECT interval '2 h 3 m 4 s'
SELECT interval '1 d'
SELECT interval '1 day ago'
SELECT interval 'P1Y2M3DT4H5M6S'
SELECT interval '1-2'
SELECT interval '178000000 years'
SELECT interval '178956971 years'
SELECT interval '3000000000 days'
SELECT interval '1 quarter'
SELECT interval '1 y'
SELECT interval '@ 1 day'
SELECT interval '1day2hours'
SELECT interval '-1 day +2 hours'
SELECT interval '-01:02:03.5'
SELECT interval '1 12:00'
SELECT interval '1 2'
SELECT interval 'abc'
SELECT interval ''
SELECT interval '1.2.3 days'
SELECT interval '.5 hours'
SELECT interval '1e3 seconds'
SELECT interval '12:30:61'
SELECT interval '12:61'
SELECT interval '1:2:3.1234567'
SELECT interval '100000:00:00'
SELECT interval '1 month 1.5 days 2:00'
SELECT interval '1.25 weeks', interval '1.55 years', interval '-1.5 months', interval '1.1 mons', interval '0.33 decades'
SELECT interval '12:30.5'
SELECT interval '1-2 3 04:05:06'
SELECT interval '-1-2'
SELECT interval '+1-2 -3 +04:05:06'
SELECT interval '1-13'
SELECT interval '5 years ago', interval '1 day -2 hours ago'
SELECT interval 'ago'
SELECT interval '1 ago day'
SELECT interval 'P1W', interval 'PT1.5S', interval 'P-1DT-2H', interval 'P1.5D'
SELECT interval 'P'
SELECT interval 'PT'
SELECT interval 'P1S'
SELECT interval '1,5 days'
SELECT interval '1 day, 2 hours'
SELECT interval '1 day 2'
SELECT interval '10 seconds 5'
SELECT interval '1 hour 1.5 minutes 2.25 seconds'
SELECT interval '1.5 seconds 2 ms'
SELECT interval '0.0000005 seconds', interval '0.0000015 seconds', interval '1.0000005 minutes'
SELECT interval '1.5'
SELECT interval '1.5 day 12:00'
SELECT interval '2 12:00'
SELECT interval '-2 12:00'
SELECT interval '1 microseconds', interval '1 milliseconds', interval '1 microsecondsx'
SELECT justify_hours(interval '2147483647 days 24 hours')
SELECT justify_hours(interval '25 hours -2 days'), justify_days(interval '-1 month 45 days'), justify_interval(interval '1 mon -1 hour'), justify_interval(interval '-1 day 30 hours')
SELECT interval '2147483647 days' + interval '1 day'
SELECT sum(v) FROM (VALUES (interval '2147483647 days'),(interval '1 day'))q(v)
SELECT interval '178000000 years' > interval '1 day', interval '2147483647 months' = interval '-2147483647 months'
SELECT timestamp '2024-01-01' + interval '2147483647 days'
SELECT interval '12:30' + time '10:00', date_trunc('decade', timestamp '0019-05-05')
SELECT interval '1.999999999 days', interval '0.9 months', interval '1.4 decades'
SELECT interval '1 hour' + date '2024-01-01', interval '1 hour' + timestamp '2024-01-01', interval '1 hour' + timestamptz '2024-01-01'
SELECT interval '1 hour' + time '10:00'
SELECT time '10:00' + date '2024-01-01'
SELECT interval '49 months' / 49, interval '49 days'/49, interval '1 year'/3, interval '10 days'/7.0
SELECT interval '1 day' / 'Infinity'::float8
SELECT interval '0' * 'Infinity'::float8
SELECT avg(v) FROM (VALUES (interval '49 months'),(interval '1 day'), (interval '3 months'))q(v)
SELECT string_to_table('abc', NULL)
SELECT string_to_table('abc', '')
SELECT string_to_table(NULL, ',')
SELECT date_trunc('century', timestamp '2024-05-05'), date_trunc('millennium', timestamp '2024-05-05'), date_trunc('century', timestamp '2000-05-05'), date_trunc('millennium', date '0001-05-05')
SELECT avg(f) FROM (VALUES (1e200::float8),(-1e200::float8))q(f)
SELECT avg(f), variance(f) FROM (VALUES ('Infinity'::float8),(1))q(f)
SELECT avg(f) FROM (VALUES ('Infinity'::float8),('-Infinity'))q(f)
SELECT regr_slope(f,g), regr_count(f,g) FROM (VALUES (1e200::float8,1::float8),(-1e200,2))q(f,g)
SELECT regr_slope(f,g), corr(f,g), covar_pop(f,g) FROM (VALUES (1::float8,1::float8),(5,2),(7,3.5))q(f,g)
SELECT corr(f,g), regr_r2(f,g) FROM (VALUES ('NaN'::float8,1::float8),(5,2),(7,3.5))q(f,g)
SELECT var_pop(f), stddev(f), avg(f) FROM (VALUES (1.1::float8),(2.2),(3.7),(1e10))q(f)
SELECT avg(f::real), variance(f::real) FROM (VALUES (1.1::float8),(2.2),(3.7),(1e10))q(f)
SELECT sum(f), avg(f) FROM (VALUES (1e308::float8),(1e308::float8))q(f)
SELECT avg(f) OVER (ORDER BY f) FROM (VALUES (1.5::float8),(2),(3))q(f)
