-- Groups by texts that the source declares as varchar and char, and keys shipped below groups.
SELECT reverse(t1.v1) AS v0 FROM (SELECT t2.id AS v0, t2.vc AS v1, max(t2.nm) AS a0, sum(t2.nu) AS a1 FROM (SELECT * FROM pg.wild WHERE ge > 9) AS t2 WHERE t2.bo IS NOT TRUE GROUP BY ROLLUP (1, 2) HAVING count(*) <> 2) AS t1 JOIN sl.nasty AS t3 ON t1.v0 = t3.n
SELECT reverse(vc), count(*) FROM pg.wild GROUP BY vc
SELECT reverse(vc), count(*) FROM pg.wild GROUP BY ROLLUP (vc, i2)
SELECT reverse(coalesce(vc, 'x')), count(*) FROM pg.wild GROUP BY coalesce(vc, 'x')
SELECT reverse(CASE WHEN id > 7 THEN vc END), count(*) FROM pg.wild GROUP BY CASE WHEN id > 7 THEN vc END
SELECT reverse(v), count(*) FROM (SELECT DISTINCT vc AS v, bo FROM pg.wild) q GROUP BY v
SELECT reverse(v), count(*) FROM (SELECT vc AS v FROM pg.wild UNION ALL SELECT vc FROM pg.wild) q GROUP BY v
SELECT upper(v), vc2, count(*) FROM (SELECT vc AS v, max(vc) AS vc2 FROM pg.wild GROUP BY vc, i2) q GROUP BY v, vc2
SELECT reverse(v), count(*) FROM (SELECT vc AS v, id FROM pg.wild ORDER BY id LIMIT 30) q GROUP BY v
SELECT reverse(nm), reverse(ch), length(ch), count(*) FROM pg.wild GROUP BY nm, ch
SELECT vc || 'x', ch || 'x', count(*) FROM pg.wild GROUP BY ROLLUP(vc, ch)
SELECT t1.n AS v0, count(*) OVER (ORDER BY t2.v1) AS w FROM (SELECT * FROM pg.nasty WHERE id < 20) AS t1 JOIN LATERAL (SELECT t3.id AS v0, floor(t3.du) AS v1, min(t3.bi) AS a0 FROM ma.wild AS t3 WHERE t3.ts IN (timestamptz '1999-12-31 23:59:59.5+00', NULL) AND t3.la = t1.s GROUP BY 1, 2 HAVING count(*) <> 2) AS t2 ON true WHERE (t1.s, 1) < ('10', 2)
SELECT v.k, q.n FROM (VALUES ('a'), ('A')) v(k) JOIN (SELECT la, count(*) AS n FROM ma.wild GROUP BY la HAVING count(*) > 1) q ON q.la = v.k
SELECT v.k, q.n FROM (VALUES ('a'), ('A')) v(k) JOIN (SELECT bi, count(*) AS n FROM ma.wild GROUP BY bi HAVING count(*) > 1) q ON q.bi = v.k
SELECT v.k, q.n FROM (VALUES ('a'), ('A')) v(k) JOIN (SELECT upper(bi) AS u, count(*) AS n FROM ma.wild GROUP BY 1 HAVING count(*) > 1) q ON q.u = v.k
SELECT v.k, q.n FROM (VALUES (1), (2)) v(k) JOIN (SELECT ty + 1 AS u, count(*) AS n FROM ma.wild GROUP BY 1 HAVING count(*) > 1 AND ty + 1 < 90) q ON q.u = v.k
SELECT v.k, q.n FROM (VALUES (1), (2)) v(k) JOIN (SELECT DISTINCT ty AS u, zf AS n FROM ma.wild ORDER BY 1 LIMIT 40) q ON q.u = v.k
SELECT k, n FROM (SELECT upper(la) AS k, count(*) AS n FROM ma.wild GROUP BY 1) q WHERE n > 1 AND k > 'A'
SELECT t4.v0, t4.a1 FROM (SELECT t5.c AS v0, sum(t5.b) AS a0, max(t5.b) AS a1 FROM ma.nasty AS t5 WHERE t5.n BETWEEN SYMMETRIC 7 AND 1 GROUP BY 1) AS t4 WHERE ((t4.v0, 1) < ('ß', 2) OR t4.a0 BETWEEN -2 AND 2.5)
SELECT la, count(*) FROM ma.wild GROUP BY la HAVING la > 'A' OR count(*) > 50
SELECT bi, en, count(*) FROM ma.wild GROUP BY bi, en HAVING (bi = 'a' OR count(*) > 20) AND en IS NOT NULL
SELECT s, n FROM (SELECT s, count(*) AS n, max(id) AS m FROM sl.nasty GROUP BY s) q WHERE s < 'b' OR n + m > 90
SELECT reverse(coalesce(ch, 'x')), count(*) FROM pg.wild GROUP BY coalesce(ch, 'x')
SELECT reverse(v), count(*) FROM (SELECT ch AS v FROM pg.wild UNION ALL SELECT ch FROM pg.wild) q GROUP BY v
SELECT DISTINCT ch, length(ch) FROM pg.wild
SELECT CASE WHEN id > 4 THEN ch END AS x, length(CASE WHEN id > 4 THEN ch END), count(*) FROM pg.wild GROUP BY CASE WHEN id > 4 THEN ch END
