-- Subqueries that a source must not run as nested loops, and those that no row asks for.
SELECT unique1, (SELECT count(*) FROM pg.tenk i WHERE i.unique1 = o.unique2 AND i.ten < o.hundred) FROM pg.tenk o
SELECT count(*) FROM pg.tenk o WHERE unique1 NOT IN (SELECT unique2 + 1 FROM pg.tenk)
SELECT count(*) FROM pg.tenk o WHERE NOT EXISTS (SELECT 1 FROM pg.tenk i WHERE i.unique1 = o.unique2 AND NOT EXISTS (SELECT 1 FROM pg.tenk j WHERE j.unique2 = i.unique1 AND j.ten <> o.ten))
SELECT count(*) FROM pg.tenk o WHERE NOT EXISTS (SELECT 1 FROM pg.tenk i WHERE i.unique1 = o.unique2 OR i.unique2 = o.thousand)
SELECT id FROM pg.nasty WHERE id < 0 AND id = (SELECT 1/(id-1) FROM pg.nasty)
SELECT id FROM pg.nasty WHERE id < 0 AND id = (SELECT 1/(id-1) FROM pg.nasty WHERE id = 1)
SELECT id FROM pg.nasty WHERE id < 0 AND id = (SELECT 1/(id-1) FROM ma.nasty WHERE id = 1)
SELECT CASE WHEN id < 0 THEN (SELECT 1/(x.id-1) FROM pg.nasty x WHERE x.id = 1) END FROM pg.nasty
SELECT CASE WHEN id < 0 THEN (SELECT 1/(x.id-1) FROM ma.nasty x WHERE x.id = 1) END FROM pg.nasty
SELECT coalesce(id, (SELECT 1/(x.id-1) FROM pg.nasty x WHERE x.id = 1)) FROM pg.nasty
SELECT id FROM pg.nasty WHERE id < 0 AND EXISTS (SELECT 1/(id-1) FROM pg.nasty)
SELECT id FROM pg.nasty WHERE id < 0 AND id IN (SELECT 1/(id-1) FROM pg.nasty)
SELECT (SELECT 1/(id-1) FROM pg.nasty WHERE id = 1) FROM pg.nasty WHERE id < 0
SELECT id FROM pg.nasty WHERE id < 0 OR (id < 0 AND id = (SELECT 1/(id-1) FROM pg.nasty WHERE id = 1))
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty s, sl.nasty r WHERE x.n > s.n)
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty s, (SELECT * FROM sl.nasty WHERE id < 0) r WHERE x.n > s.n)
SELECT x.id FROM pg.nasty x WHERE NOT EXISTS (SELECT 1 FROM ma.nasty s LEFT JOIN sl.nasty r ON r.id > s.id WHERE x.n > s.n)
SELECT DISTINCT s.n FROM ma.nasty s LEFT JOIN sl.nasty r ON r.id > s.id
SELECT DISTINCT s.n FROM ma.nasty s CROSS JOIN sl.nasty r
SELECT DISTINCT s.n FROM ma.nasty s CROSS JOIN (SELECT * FROM sl.nasty WHERE id < 0) r
SELECT DISTINCT s.n FROM pg.nasty s CROSS JOIN pg.nasty r CROSS JOIN pg.nasty q
SELECT DISTINCT n FROM (SELECT s.n FROM ma.nasty s CROSS JOIN sl.nasty r LIMIT 400) q
SELECT count(*) FROM (SELECT DISTINCT s.n FROM ma.nasty s LEFT JOIN pg.nasty r ON 1/(r.id - 5) > 0) q
SELECT DISTINCT s.n, count(*) OVER () FROM ma.nasty s CROSS JOIN sl.nasty r WHERE s.id < 5
SELECT x.id FROM pg.nasty x WHERE x.id IN (SELECT s.id FROM ma.nasty s CROSS JOIN pg.nasty q UNION ALL SELECT s.n FROM sl.nasty s LEFT JOIN pg.nasty q ON true)
SELECT x.id, x.id IN (SELECT s.n FROM ma.nasty s CROSS JOIN pg.nasty q) FROM pg.nasty x
SELECT x.id FROM pg.nasty x WHERE x.id NOT IN (SELECT s.n FROM ma.nasty s CROSS JOIN pg.nasty q WHERE s.n IS NOT NULL)
SELECT n FROM pg.nasty EXCEPT SELECT s.n FROM ma.nasty s CROSS JOIN pg.nasty q
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty s, generate_series(1, 3) g WHERE x.n > s.n)
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty s WHERE EXISTS (SELECT 1 FROM sl.nasty r LEFT JOIN pg.nasty q ON s.at <= q.at LEFT JOIN ma.nasty z ON s.id IS NULL WHERE x.n IS NOT NULL OR q.at > s.at))
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty s, sl.nasty r, pg.nasty q WHERE x.n > s.n + r.n + q.n)
SELECT x.id FROM pg.nasty x WHERE NOT EXISTS (SELECT 1 FROM ma.nasty s, sl.nasty r WHERE x.b < s.b AND r.s > s.s)
SELECT x.id FROM pg.nasty x WHERE EXISTS (SELECT 1 FROM ma.nasty s CROSS JOIN sl.nasty r CROSS JOIN pg.nasty q)
SELECT x.id, (SELECT count(*) FROM ma.nasty s, sl.nasty r WHERE x.b < s.b AND r.s > s.s AND s.n < x.n) FROM pg.nasty x
SELECT t2.b FROM ma.nasty AS t2 WHERE t2.b NOT IN (SELECT t3.yr FROM ma.wild AS t3 WHERE t3.la LIKE 'a%')
SELECT t2.b FROM ma.nasty AS t2 WHERE t2.b NOT IN (SELECT t3.ty FROM ma.wild AS t3 WHERE t3.la LIKE 'a%')
SELECT t2.b FROM ma.nasty AS t2 WHERE t2.b NOT IN (SELECT t3.yr FROM ma.wild AS t3 WHERE t3.id < 50)
SELECT t2.b FROM ma.nasty AS t2 WHERE t2.b NOT IN (SELECT t3.n FROM pg.nasty AS t3 WHERE t3.s LIKE 'a%')
SELECT t2.b FROM pg.nasty AS t2 WHERE t2.b NOT IN (SELECT t3.yr FROM ma.wild AS t3 WHERE t3.la LIKE 'a%')
SELECT id, b IN (SELECT ty FROM ma.wild) FROM ma.nasty
SELECT count(*) FROM ma.tenk WHERE unique1 NOT IN (SELECT unique2 + 1 FROM ma.tenk)
SELECT count(*) FROM ma.tenk WHERE unique1 NOT IN (SELECT thousand FROM ma.tenk WHERE ten = 3)
SELECT count(*) FROM ma.tenk WHERE str NOT IN (SELECT str FROM ma.tenk WHERE ten = 3)
