-- Parts of moments by all their names, and patterns with an escape.
SELECT extract(milliseconds from timestamp '2024-05-05 10:11:12.345678'), extract(microseconds from timestamp '2024-05-05 10:11:12.345678'), extract(second from timestamp '2024-05-05 10:11:12.345678'), extract(julian from timestamp '2024-05-05 10:11:12.345678'), extract(julian from date '2024-05-05'), extract(millennium from date '2000-05-05'), extract(millennium from date '2001-01-01')
SELECT extract(julian from timestamp '2024-05-05 00:00:00'), extract(timezone from timestamptz '2024-05-05 00:00:00+00'), extract(timezone_hour from timestamptz '2024-05-05 00:00:00+00'), date_part('julian', timestamptz '2024-05-05 12:00:00+00')
SELECT extract(timezone from timestamp '2024-05-05')
SELECT extract(hour from date '2024-05-05')
SELECT extract(nothing from date '2024-05-05')
SELECT date_part('c', time '10:00')
SELECT date_part('xyz', time '10:00')
SELECT date_part('hrs', time '10:00'), date_part('secs', timestamp '2024-01-01 00:00:07.5'), date_part('y', date '2024-05-05'), date_part('QTR', date '2024-05-05'), date_part('mon', date '2024-05-05'), date_part('jd', date '2024-05-05')
SELECT date_trunc('qtr', timestamp '2024-05-05'), date_trunc('mil', timestamp '2024-05-05'), date_trunc('us', timestamp '2024-05-05'), date_trunc('hr', timestamp '2024-05-05 10:11:12')
SELECT date_trunc('dow', timestamp '2024-05-05')
SELECT date_trunc('xyz', timestamp '2024-05-05')
SELECT date_trunc('today', timestamp '2024-05-05')
SELECT date_part('today', timestamp '2024-05-05')
SELECT extract(millennium from interval '2500 years'), date_trunc('century', interval '250 years'), date_trunc('millennium', interval '2500 years')
SELECT extract(dow from interval '15 days')
SELECT date_trunc('week', interval '15 days')
SELECT 'ab' SIMILAR TO 'a_' ESCAPE 'xy'
SELECT NULL::text SIMILAR TO 'a_' ESCAPE 'xy'
SELECT 'ab' SIMILAR TO NULL ESCAPE 'xy'
SELECT extract(epoch from timestamp '2024-05-05 10:11:12.5'), extract(epoch from time '10:00:01.5'), extract(milliseconds from time '10:00:01.5'), extract(isodow from date '2024-05-05'), extract(decade from date '0009-05-05'), extract(century from date '0001-05-05')
