-- Texts that are large in all and not at once: batches are computed in parts, in projections, conditions and aggregates.
SELECT sum(length(repeat(str, (20 * (unique2 % 700))::integer))) AS n, count(*) AS c FROM sl.tenk
SELECT ten, max(length(replace(repeat(str, unique2 % 3000), 's', 'sss'))) AS n FROM ma.tenk GROUP BY ten ORDER BY ten -- ordered
SELECT unique2, length(t) AS n FROM (SELECT unique2, repeat(str, unique2::integer) AS t FROM sl.tenk) AS x WHERE length(t) > 30000 ORDER BY unique2 -- ordered
SELECT count(*) AS n FROM sl.tenk WHERE length(lpad(str, (unique2 * 4)::integer, 'xy')) > 30000 AND length(repeat(str, unique2::integer)) % 2 = 0
SELECT two, count(*) FILTER (WHERE length(repeat(str, unique2)) > 20000) AS n, sum(cardinality(string_to_array(repeat(str, unique2 % 500), 's'))) AS s FROM ma.tenk GROUP BY two
SELECT sum(length(regexp_replace(repeat(str, (unique2 % 200)::integer), '\d', '<\&\&>', 'g'))) AS n FROM sl.tenk
SELECT unique2, CASE WHEN ten < 5 THEN length(repeat(str, unique2 * 2)) ELSE length(rpad(str, unique2)) END AS n FROM ma.tenk
SELECT length(repeat(NULL, unique2::integer)) AS a, length(repeat(str, (nullif(ten, 3) * 2000)::integer)) AS b FROM sl.tenk
SELECT hundred, length(string_agg(repeat(str, hundred), ',' ORDER BY unique2)) AS n FROM ma.tenk WHERE thousand < 300 GROUP BY hundred
SELECT length(replace(repeat('ab', 400000), 'a', 'ccc')) AS n, length(format('%200000s|%s', 'x', 'y')) AS f
SELECT repeat('a', -1) AS a, repeat('', 2000000000) AS b, length(repeat('a', 2000000)) AS c
SELECT cardinality(array_fill(7, ARRAY[50000])) AS n, cardinality(regexp_split_to_array(repeat('a,', 60000), ',')) AS m
SELECT unique2, count(DISTINCT ten) AS n, array_agg(DISTINCT two) AS a FROM sl.tenk GROUP BY 1 ORDER BY 1 LIMIT 5 -- ordered
