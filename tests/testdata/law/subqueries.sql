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
