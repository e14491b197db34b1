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

-- Large texts and documents that joins, functions of several rows and windows repeat: batches by their bytes, columns that nothing above reads.
SELECT sum(length(t.s)) AS n, count(*) AS c FROM (SELECT repeat('xy', 300000) AS s) AS t, sl.tenk AS k WHERE k.unique2 < 200
SELECT k.unique2, length(t.s) AS n FROM sl.tenk AS k LEFT JOIN (SELECT repeat('xy', 200000) AS s, 7 AS ten) AS t ON t.ten = k.ten WHERE k.unique2 < 60 ORDER BY 1 -- ordered
SELECT count(*) AS n, max(key) AS k, sum(val::text::integer) AS s FROM (SELECT jsonb_object_agg('k' || unique2, ten) AS j FROM sl.tenk) AS a, jsonb_each(a.j) AS e(key, val)
SELECT x.n, x.key, length(x.j::text) AS l FROM (SELECT jsonb_object_agg('k' || unique2, two) AS j FROM ma.tenk WHERE unique2 < 40) AS a, LATERAL (SELECT e.key, e.ord AS n, a.j FROM jsonb_object_keys(a.j) WITH ORDINALITY AS e(key, ord)) AS x ORDER BY 1 -- ordered
SELECT u.x, k.unique2 FROM sl.tenk AS k LEFT JOIN LATERAL unnest(CASE WHEN k.two = 0 THEN ARRAY[k.ten, k.two] END) AS u(x) ON true WHERE k.unique2 < 30 ORDER BY 2, 1 -- ordered
SELECT a.j @> b.j AS x, b.j @> a.j AS y, a.j @> a.j AS z FROM (SELECT jsonb_object_agg(unique2::text, ten) AS j FROM sl.tenk) AS a, (SELECT jsonb_object_agg(unique2::text, ten) AS j FROM ma.tenk WHERE unique2 < 500) AS b
SELECT a.l @> b.l AS x, b.l @> a.l AS y FROM (SELECT jsonb_agg(unique2) AS l FROM sl.tenk) AS a, (SELECT jsonb_agg(unique2 * 1.00) AS l FROM ma.tenk WHERE unique2 < 500) AS b
SELECT x, y, x::jsonb @> y::jsonb AS c FROM (VALUES ('[1, 2.0, "a", null, true, [1, [2]], {"a": 1, "b": [3, 4]}]')) AS a(x), (VALUES ('1'), ('[2]'), ('[2.00]'), ('[1e0]'), ('["a"]'), ('"a"'), ('[null]'), ('[true, 1]'), ('[false]'), ('[[1]]'), ('[[2]]'), ('[[[2]]]'), ('[{"a": 1.0}]'), ('[{"b": [4]}]'), ('[{"b": 4}]'), ('{"a": 1}'), ('[]'), ('{}'), ('[[]]'), ('[{}]'), ('["1"]')) AS b(y)
SELECT j ? k AS a, j ?| ARRAY[k, 'zz'] AS b, j ?& ARRAY[k, 'bb', NULL] AS c, (j - k)::text AS d, (j - ARRAY[k, 'a', NULL])::text AS e FROM (VALUES ('{"a": 1, "bb": 2, "ccc": 3, "": 4, "é": 5}'::jsonb), ('["a", "bb", 1]')) AS t(j), (VALUES ('a'), ('bb'), ('ccc'), (''), ('é'), ('b'), ('zzzz')) AS u(k)
SELECT unique2, sum(ten) OVER (ORDER BY unique2 ROWS BETWEEN 40 PRECEDING AND 3 FOLLOWING) AS s, max(str) OVER (PARTITION BY two ORDER BY unique2 ROWS BETWEEN 5 PRECEDING AND CURRENT ROW EXCLUDE CURRENT ROW) AS m FROM sl.tenk WHERE unique2 < 400 ORDER BY unique2 -- ordered
SELECT sum(length(upper(t.s) || k.str)) AS n FROM (SELECT repeat('aé', 30000) AS s) AS t, ma.tenk AS k WHERE k.unique2 < 100
