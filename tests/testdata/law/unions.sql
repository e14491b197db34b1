-- Unions in unions: written flat where they are of one source, and else as they stand.
SELECT id FROM pg.nasty UNION ALL SELECT id + 1 FROM pg.nasty UNION ALL SELECT n FROM pg.nasty
SELECT id AS a FROM pg.nasty UNION ALL SELECT n AS b FROM pg.nasty UNION ALL SELECT id AS c FROM pg.nasty ORDER BY a NULLS FIRST -- ordered
SELECT id AS a, n AS b FROM ma.nasty UNION ALL SELECT n, id FROM ma.nasty UNION ALL SELECT id, id FROM ma.nasty
SELECT id FROM sl.nasty UNION ALL (SELECT n FROM sl.nasty UNION ALL SELECT id FROM sl.nasty) UNION ALL SELECT n FROM sl.nasty
SELECT id FROM pg.nasty UNION ALL (SELECT n FROM pg.nasty ORDER BY n NULLS LAST LIMIT 2) UNION ALL SELECT id FROM pg.nasty
SELECT id FROM pg.nasty UNION SELECT n FROM pg.nasty UNION ALL SELECT id FROM pg.nasty
SELECT id FROM pg.nasty UNION ALL SELECT n FROM pg.nasty EXCEPT SELECT id FROM pg.nasty WHERE n > 2
SELECT id FROM pg.nasty UNION ALL SELECT n FROM pg.nasty INTERSECT SELECT id FROM pg.nasty
SELECT id, 1 AS k FROM pg.nasty UNION ALL SELECT n, 2.5 FROM pg.nasty UNION ALL SELECT id, NULL FROM pg.nasty
SELECT str FROM pg.tenk WHERE unique2 < 5 UNION ALL SELECT upper(str) FROM pg.tenk WHERE unique2 < 5 UNION ALL SELECT 'ß' UNION ALL SELECT str FROM ma.tenk WHERE unique2 < 3
SELECT s.a, count(*) AS c FROM (SELECT id AS a FROM ma.nasty UNION ALL SELECT n FROM ma.nasty UNION ALL SELECT id FROM ma.nasty) AS s WHERE s.a > 1 GROUP BY s.a
SELECT sum(s.b) AS n FROM (SELECT id AS a, n AS b FROM pg.nasty UNION ALL SELECT n, id FROM pg.nasty UNION ALL SELECT id, n FROM pg.nasty) AS s
SELECT s.x FROM (SELECT unique1 AS x, str FROM sl.tenk WHERE ten = 1 UNION ALL SELECT unique2, str FROM sl.tenk WHERE ten = 2 UNION ALL SELECT thousand, str FROM sl.tenk WHERE ten = 3) AS s WHERE s.str LIKE 's1%' ORDER BY s.x LIMIT 20 -- ordered
WITH a AS (SELECT id FROM pg.nasty UNION ALL SELECT n FROM pg.nasty), b AS (SELECT id FROM a UNION ALL SELECT id FROM a) SELECT * FROM b UNION ALL SELECT id FROM a
