-- Functions that give several rows: side by side, within each other, grouped by.
VALUES ((SELECT 1))
SELECT * FROM (VALUES (1)) x(a), LATERAL (VALUES (a)) y(b)
WITH c(f) AS (VALUES (42)) VALUES ((SELECT f FROM c))
SELECT unnest(ARRAY[1,2,2]) t, count(*) FROM pg.nasty GROUP BY t
SELECT generate_series(1, generate_series(1,2))
SELECT unnest(ARRAY[1,2]) + 1 AS t, count(*) FROM pg.nasty GROUP BY 1
SELECT n, unnest(ARRAY[1,2]) FROM pg.nasty GROUP BY 1,2
SELECT count(*) FROM pg.nasty GROUP BY unnest(ARRAY[1,2])
SELECT id FROM pg.nasty ORDER BY unnest(ARRAY[1,2]), id
SELECT DISTINCT ON (1) unnest(ARRAY[1,1,2]) u, id FROM pg.nasty ORDER BY 1, 2
SELECT unnest(ARRAY[1,2]), count(*) FROM pg.nasty
SELECT CASE WHEN id > 1 THEN unnest(ARRAY[1,2]) END FROM pg.nasty
SELECT coalesce(unnest(ARRAY[1,2]), 3) FROM pg.nasty
SELECT sum(unnest(ARRAY[1,2])) FROM pg.nasty
SELECT unnest(ARRAY[max(id), min(id)]) FROM pg.nasty
SELECT unnest(ARRAY[1,2]), generate_series(1,3)
SELECT generate_series(1, unnest(ARRAY[2,3]))
SELECT generate_series(1,2) + generate_series(1,3)
