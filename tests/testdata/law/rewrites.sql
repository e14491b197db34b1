-- Rewrites and bindings: strictness, equal values that can be told apart, USING, HAVING, FILTER.
SELECT x.id FROM pg.nasty x LEFT JOIN pg.nasty y ON y.id = x.id + 100 WHERE string_to_array('a,b', y.s) IS NOT NULL
SELECT x.id FROM pg.nasty x LEFT JOIN ma.nasty y ON y.id = x.id + 100 WHERE y.s ~ ALL (ARRAY[]::text[])
SELECT * FROM (SELECT 1.0 AS a EXCEPT SELECT 1.00) x WHERE a::text = '1.0'
SELECT * FROM (SELECT 1.0 AS a INTERSECT SELECT 1.00) x WHERE a::text = '1.0'
SELECT * FROM (SELECT DISTINCT a FROM (VALUES (1.0), (1.00)) v(a)) x WHERE length(a::text) = 4
SELECT * FROM (SELECT a, count(*) FROM (VALUES (1.0), (1.00)) v(a) GROUP BY a) x WHERE length(a::text) = 3
SELECT * FROM (SELECT a, count(*) OVER (PARTITION BY a) FROM (VALUES (1.0), (1.00)) v(a)) x WHERE length(a::text) = 3
SELECT * FROM (SELECT a FROM (VALUES ('0'::float8)) v(a) EXCEPT SELECT '-0'::float8) x WHERE a::text = '0'
SELECT * FROM (SELECT interval '1 month' AS a EXCEPT SELECT interval '30 days') x WHERE timestamp '2024-01-31' + a > timestamp '2024-02-29'
SELECT a, (SELECT max(v.a::text) FROM (VALUES (1)) w(x) WHERE w.x > 0) FROM (VALUES (1.0), (1.00)) v(a)
SELECT a, (SELECT v.a::text FROM pg.nasty n WHERE n.id = 1 AND n.id < v.a + 1 OFFSET 0) FROM (VALUES (1.0), (1.00)) v(a)
SELECT a, (SELECT count(*) FROM pg.nasty n WHERE n.id < length(v.a::text)) FROM (VALUES (1.0), (1.00), (1.000)) v(a)
SELECT a.id, (SELECT b.s FROM pg.nasty b WHERE b.id = a.id AND (SELECT c.n FROM pg.nasty c WHERE c.s = b.s) = 1) FROM pg.nasty a WHERE a.id = 1
SELECT a.id, (SELECT b.s FROM pg.nasty b WHERE b.id = a.id AND (SELECT c.n FROM ma.nasty c WHERE c.s = b.s) = 1) FROM sl.nasty a WHERE a.id = 1
SELECT a.id, (SELECT max(10 / (b.id - 5)) FROM pg.nasty b WHERE b.id = a.id) FROM pg.nasty a WHERE a.id < 4
SELECT * FROM (VALUES (1,2)) a(id,x) JOIN (VALUES (1,3)) b(id,y) USING (id) JOIN (VALUES (1,4)) c(id,z) USING (id)
SELECT * FROM (VALUES (1,2)) a(id,x) NATURAL JOIN (VALUES (1,3)) b(id,y) NATURAL JOIN (VALUES (1,4)) c(id,z)
SELECT * FROM (VALUES (1,2)) a(id,x) FULL JOIN (VALUES (2,3)) b(id,y) USING (id) FULL JOIN (VALUES (3,4)) c(id,z) USING (id)
SELECT id, a.id, b.id, c.id FROM (VALUES (1,2)) a(id,x) FULL JOIN (VALUES (2,3)) b(id,y) USING (id) FULL JOIN (VALUES (2,4)) c(id,z) USING (id)
SELECT * FROM (VALUES (1,2)) a(id,x) LEFT JOIN (VALUES (2,3)) b(id,y) USING (id) RIGHT JOIN (VALUES (3,4)) c(id,z) USING (id)
SELECT * FROM (VALUES (1,2)) a(id,x) JOIN ((VALUES (1,3)) b(id,y) JOIN (VALUES (1,4)) c(id,z) USING (id)) USING (id)
SELECT a.*, c.* FROM (VALUES (1,2)) a(id,x) JOIN (VALUES (1,3)) b(id,y) USING (id) JOIN (VALUES (1,4)) c(id,z) USING (id)
SELECT * FROM ((VALUES (1,2)) a(id,x) JOIN (VALUES (1,3)) b(id,y) USING (id)) j JOIN (VALUES (1,4)) c(id,z) USING (id)
SELECT j.id FROM (VALUES (1,2)) a(id,x) JOIN (VALUES (1,3)) b(id,y) USING (id) AS j JOIN (VALUES (1,4)) c(id,z) USING (id)
SELECT * FROM (VALUES (1,2)) a(id,x) JOIN (VALUES (1,3)) b(id,y) USING (id) CROSS JOIN (VALUES (1,4)) c(k,z)
SELECT * FROM (VALUES (1::int,2)) a(id,x) FULL JOIN (VALUES (1::bigint,3)) b(id,y) USING (id) FULL JOIN (VALUES (1::numeric,4)) c(id,z) USING (id)
SELECT * FROM (VALUES (1,2)) a(id,x) NATURAL FULL JOIN (VALUES (1,2,3)) b(id,x,y) NATURAL FULL JOIN (VALUES (1,4)) c(id,z)
SELECT 1 FROM pg.nasty HAVING true
SELECT 1 FROM pg.nasty HAVING false
SELECT 1 FROM pg.nasty WHERE id < 0 HAVING true
SELECT 1 FROM pg.nasty HAVING 1 < 2
SELECT 'a' FROM sl.nasty HAVING count(*) > 5
SELECT 1 FROM sl.nasty HAVING count(*) > 5
SELECT 1 FROM ma.nasty HAVING count(*) > 5
SELECT count(*) FROM sl.nasty HAVING max(id) > 5
SELECT 1 FROM sl.nasty HAVING max(id) > 500
SELECT (SELECT max(x.id) FILTER (WHERE x.id > 3) FROM ma.nasty y WHERE y.id = 1) FROM pg.nasty x
SELECT (SELECT count(*) FILTER (WHERE x.id > 3) FROM ma.nasty y WHERE y.id = 1) FROM pg.nasty x WHERE x.id < 6
SELECT (SELECT sum(x.id) FILTER (WHERE y.id > 0) FROM ma.nasty y WHERE y.id = 1) FROM pg.nasty x WHERE x.id < 6
SELECT (SELECT sum(1) FILTER (WHERE x.id > 0) FROM ma.nasty y WHERE y.id < 4) FROM pg.nasty x WHERE x.id < 6
SELECT DISTINCT ON (n) n, unnest(ARRAY[id, id + 1]) AS u FROM pg.nasty ORDER BY n, u
SELECT DISTINCT ON (u) unnest(ARRAY[1, 1, 2]) AS u, id FROM pg.nasty ORDER BY u, id
SELECT count(*) FROM ONLY pg.nasty
SELECT x.s, x.n FROM pg.nasty x GROUP BY x.id HAVING x.id > 130
SELECT 1 FROM pg.nasty GROUP BY () HAVING true
SELECT count(*) FROM pg.nasty GROUP BY ()
SELECT 1 FROM pg.nasty WHERE false GROUP BY ()
SELECT * FROM (VALUES (1,2)) a(id,x) FULL JOIN (VALUES (2,3)) b(id,y) USING (id) AS j
SELECT j.id, id FROM (VALUES (1,2)) a(id,x) FULL JOIN (VALUES (2,3)) b(id,y) USING (id) AS j
SELECT 5 FROM (SELECT count(*) c FROM sl.nasty) q
SELECT 5 FROM (SELECT count(*) c FROM ma.nasty) q WHERE c > 3
SELECT c + 1 FROM (SELECT count(*) c FROM ma.nasty) q WHERE c > 3
SELECT count(*) FROM ONLY pg.nasty x JOIN ONLY (pg.nasty) y ON x.id = y.id
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty y HAVING count(*) > 3)
