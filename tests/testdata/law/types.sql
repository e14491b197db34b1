-- The type that several expressions share, and the overload that a call means.
SELECT t1.ch AS v0 FROM pg.wild t1 UNION SELECT t2.c FROM sl.nasty AS t2
SELECT t1.ch AS v0 FROM pg.wild t1 UNION SELECT t2.c FROM pg.nasty AS t2
SELECT t2.c FROM pg.nasty AS t2 UNION SELECT t1.ch AS v0 FROM pg.wild t1
SELECT id, CASE WHEN id > 5 THEN ch ELSE vc END AS x FROM pg.wild
SELECT id, CASE WHEN id > 5 THEN vc ELSE ch END AS x FROM pg.wild
SELECT id, coalesce(ch, vc) x, coalesce(vc, ch) y, greatest(ch, vc), greatest(vc, ch) FROM pg.wild
SELECT id FROM pg.wild WHERE ch IS NOT DISTINCT FROM vc
SELECT id FROM pg.wild WHERE ch = vc
SELECT id FROM pg.wild WHERE ch IN (vc)
SELECT id FROM pg.wild WHERE ch IN (vc, 'a')
SELECT id FROM pg.wild WHERE ch IN ('a '::text)
SELECT id FROM pg.wild WHERE ch IN ('a '::text, 'b'::text)
SELECT id FROM pg.wild WHERE ch IN ('a ', 'b')
SELECT id FROM pg.wild WHERE vc IN ('a '::char(3), 'b'::char(2))
SELECT id FROM pg.wild WHERE ch = ANY (ARRAY['a '::text, 'b'])
SELECT id FROM pg.wild WHERE ch = ANY (ARRAY['a '::char(4), 'b'])
SELECT x.id, y.id, ch FROM pg.wild x JOIN (SELECT id, vc AS ch FROM pg.wild) y USING (ch) WHERE x.id < 20
SELECT ch FROM (VALUES ('a '::char(3)), ('b '::text)) v(ch) GROUP BY ch
SELECT ch FROM (VALUES ('a '::text), ('b '::char(3)), ('b')) v(ch) GROUP BY ch
SELECT v0, count(*) AS v1 FROM (SELECT t1.ch AS v0 FROM pg.wild AS t1 EXCEPT SELECT t2.s FROM ma.nasty AS t2) q WHERE v0 ILIKE 'A_' GROUP BY v0
SELECT v0, length(v0), octet_length(v0) FROM (SELECT t1.ch AS v0 FROM pg.wild AS t1 UNION ALL SELECT t2.s FROM ma.nasty AS t2) q WHERE v0 LIKE 'a%'
SELECT ARRAY[ch, vc], ARRAY[vc, ch] FROM pg.wild
SELECT lag(ch, 1, vc) OVER (ORDER BY id) FROM pg.wild
SELECT time '1:00' UNION SELECT interval '1 hour'
SELECT coalesce(tm, iv) FROM pg.wild
SELECT nullif(ch, vc), nullif(vc, ch) FROM pg.wild
SELECT id FROM pg.wild WHERE ch IN (SELECT s FROM ma.nasty)
SELECT id FROM pg.nasty WHERE s IN (SELECT ch FROM pg.wild)
SELECT w.id, n.id FROM pg.wild w JOIN sl.nasty n ON w.ch = n.s
WITH RECURSIVE r(a, n) AS (SELECT 'x '::char(3), 1 UNION ALL SELECT a || 'y', n + 1 FROM r WHERE n < 4) SELECT a, n FROM r
SELECT max(x), min(x) FROM (SELECT ch x FROM pg.wild UNION ALL SELECT s FROM sl.nasty) q
SELECT x FROM (SELECT ch x FROM pg.wild UNION ALL SELECT s FROM pg.nasty) q WHERE x = 'a '
SELECT x FROM (SELECT ch x FROM pg.wild UNION ALL SELECT s FROM pg.nasty) q WHERE x = 'a '::text
SELECT round(b), sign(b), trunc(b), ceil(b), sqrt(abs(n)) FROM pg.nasty WHERE b > -9e18
SELECT nullif(1, 2.2), nullif(n, 1.0), nullif(b, n), nullif(n, b), nullif(f, 1), nullif(n, f), nullif(day, at), nullif(at, day) FROM pg.nasty
SELECT nullif('a', 'b'), nullif(NULL, 1), nullif('1', 2), nullif(1, '2')
WITH RECURSIVE r(a, n) AS (SELECT d, 1 FROM pg.nasty WHERE id < 3 UNION ALL SELECT a + 1, n + 1 FROM r WHERE n < 4) SELECT a, n FROM r
WITH RECURSIVE r(a, n) AS (SELECT 1, 1 UNION ALL SELECT a + 1.5, n + 1 FROM r WHERE n < 4) SELECT a, n FROM r
WITH RECURSIVE r(a, n) AS (SELECT 1, 1 UNION ALL SELECT n::text, n + 1 FROM r WHERE n < 4) SELECT a, n FROM r
WITH RECURSIVE r(a, n) AS (SELECT 1.5::numeric(10,2), 1 UNION ALL SELECT a::numeric(10,2), n + 1 FROM r WHERE n < 4) SELECT a, n FROM r
SELECT floor(b), count(*) FROM pg.nasty GROUP BY 1
SELECT ceil(b), round(b), trunc(b), sign(b) FROM ma.nasty
SELECT to_hex(i2) FROM pg.wild
SELECT tm + tm FROM pg.wild
SELECT '' SIMILAR TO '?'
SELECT '' ~ '^*'
SELECT 'ab' ~ 'a$+'
SELECT id FROM pg.nasty WHERE f < 1e300
SELECT id FROM pg.nasty WHERE f >= 1e300 AND f < 1e308
SELECT id FROM ma.nasty WHERE f = -1e300
SELECT id FROM ma.nasty WHERE f IN (1e300, 5e-324)
SELECT id FROM sl.nasty WHERE f BETWEEN -1e300 AND 1e15
SELECT 1e300::float8, CAST(1e300 AS real)
SELECT CAST(1e400 AS double precision)
SELECT id, f * 1e300 FROM pg.nasty WHERE id < 3
SELECT coalesce(f, 1e300) FROM pg.nasty WHERE id < 9
SELECT f4 > 1e39 FROM pg.wild WHERE id < 9
SELECT CASE WHEN id < 3 THEN f ELSE 1e200 END FROM pg.nasty WHERE id < 9
