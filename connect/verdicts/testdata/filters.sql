-- Conditions on text, numbers and dates in each dialect. pg is PostgreSQL, ma MariaDB with a
-- collation that tells letter case, old one without, sl SQLite.
SELECT id FROM pg.t WHERE code = 'x' /* filter folded */
SELECT id FROM ma.t WHERE code = 'x' /* filter folded */
SELECT id FROM sl.t WHERE code = 'x' /* filter folded */
SELECT id FROM old.t WHERE code = 'x' /* filter narrowed collation-differs */
SELECT id FROM pg.t WHERE code <> 'x' /* filter folded */
SELECT id FROM ma.t WHERE code <> 'x' /* filter folded */
SELECT id FROM sl.t WHERE code <> 'x' /* filter folded */
SELECT id FROM old.t WHERE code <> 'x' /* filter kept collation-differs */
SELECT id FROM pg.t WHERE code > 'x' /* filter folded */
SELECT id FROM ma.t WHERE code > 'x' /* filter folded */
SELECT id FROM sl.t WHERE code > 'x' /* filter folded */
SELECT id FROM old.t WHERE code > 'x' /* filter kept collation-differs */
SELECT id FROM pg.t WHERE code IN ('x', 'y') /* filter folded */
SELECT id FROM ma.t WHERE code IN ('x', 'y') /* filter folded */
SELECT id FROM sl.t WHERE code IN ('x', 'y') /* filter folded */
SELECT id FROM old.t WHERE code IN ('x', 'y') /* filter narrowed collation-differs */
SELECT id FROM pg.t WHERE code NOT IN ('x', 'y') /* filter folded */
SELECT id FROM ma.t WHERE code NOT IN ('x', 'y') /* filter folded */
SELECT id FROM sl.t WHERE code NOT IN ('x', 'y') /* filter folded */
SELECT id FROM old.t WHERE code NOT IN ('x', 'y') /* filter kept collation-differs */
SELECT id FROM pg.t WHERE code LIKE 'x%' /* filter folded */
SELECT id FROM ma.t WHERE code LIKE 'x%' /* filter folded */
SELECT id FROM sl.t WHERE code LIKE 'x%' /* filter folded */
SELECT id FROM old.t WHERE code LIKE 'x%' /* filter narrowed collation-differs */
SELECT id FROM pg.t WHERE code ILIKE 'x%' /* filter folded */
SELECT id FROM ma.t WHERE code ILIKE 'x%' /* filter narrowed collation-differs */
SELECT id FROM sl.t WHERE code ILIKE 'x%' /* filter folded */
SELECT id FROM old.t WHERE code ILIKE 'x%' /* filter narrowed collation-differs */
SELECT id FROM pg.t WHERE code LIKE name /* filter kept pattern-not-constant */
SELECT id FROM ma.t WHERE code LIKE name /* filter kept pattern-not-constant */
SELECT id FROM sl.t WHERE code LIKE name /* filter kept pattern-not-constant */
SELECT id FROM old.t WHERE code LIKE name /* filter kept pattern-not-constant */
SELECT id FROM pg.t WHERE lower(code) = 'x' /* filter folded */
SELECT id FROM ma.t WHERE lower(code) = 'x' /* filter narrowed function-differs */
SELECT id FROM sl.t WHERE lower(code) = 'x' /* filter folded */
SELECT id FROM old.t WHERE lower(code) = 'x' /* filter narrowed function-differs */
SELECT id FROM pg.t WHERE upper(btrim(code)) = 'X' /* filter folded */
SELECT id FROM ma.t WHERE upper(btrim(code)) = 'X' /* filter narrowed function-differs */
SELECT id FROM sl.t WHERE upper(btrim(code)) = 'X' /* filter folded */
SELECT id FROM old.t WHERE upper(btrim(code)) = 'X' /* filter narrowed function-differs */
SELECT id FROM pg.t WHERE lower(left(code, 2)) = 'x' /* filter folded */
SELECT id FROM ma.t WHERE lower(left(code, 2)) = 'x' /* filter kept function-differs */
SELECT id FROM sl.t WHERE lower(left(code, 2)) = 'x' /* filter folded */
SELECT id FROM old.t WHERE lower(left(code, 2)) = 'x' /* filter kept function-differs */
SELECT id FROM pg.t WHERE NOT lower(code) = 'x' /* filter folded */
SELECT id FROM ma.t WHERE NOT lower(code) = 'x' /* filter kept function-differs */
SELECT id FROM sl.t WHERE NOT lower(code) = 'x' /* filter folded */
SELECT id FROM old.t WHERE NOT lower(code) = 'x' /* filter kept function-differs */
SELECT id FROM pg.t WHERE length(code) > 3 /* filter folded */
SELECT id FROM ma.t WHERE length(code) > 3 /* filter folded */
SELECT id FROM sl.t WHERE length(code) > 3 /* filter folded */
SELECT id FROM old.t WHERE length(code) > 3 /* filter folded */
SELECT id FROM pg.t WHERE code || name = 'xy' /* filter folded */
SELECT id FROM ma.t WHERE code || name = 'xy' /* filter folded */
SELECT id FROM sl.t WHERE code || name = 'xy' /* filter folded */
SELECT id FROM old.t WHERE code || name = 'xy' /* filter kept collation-differs */
SELECT id FROM pg.t WHERE n = 5 /* filter folded */
SELECT id FROM ma.t WHERE n = 5 /* filter folded */
SELECT id FROM sl.t WHERE n = 5 /* filter folded */
SELECT id FROM old.t WHERE n = 5 /* filter folded */
SELECT id FROM pg.t WHERE n IS NULL /* filter folded */
SELECT id FROM ma.t WHERE n IS NULL /* filter folded */
SELECT id FROM sl.t WHERE n IS NULL /* filter folded */
SELECT id FROM old.t WHERE n IS NULL /* filter folded */
SELECT id FROM pg.t WHERE n + 1 > 5 /* filter folded */
SELECT id FROM ma.t WHERE n + 1 > 5 /* filter kept overflow-differs */
SELECT id FROM sl.t WHERE n + 1 > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE n + 1 > 5 /* filter kept overflow-differs */
SELECT id FROM pg.t WHERE CAST(n AS bigint) + 1 > 5 /* filter folded */
SELECT id FROM ma.t WHERE CAST(n AS bigint) + 1 > 5 /* filter folded */
SELECT id FROM sl.t WHERE CAST(n AS bigint) + 1 > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE CAST(n AS bigint) + 1 > 5 /* filter folded */
SELECT id FROM pg.t WHERE n / 2 > 5 /* filter folded */
SELECT id FROM ma.t WHERE n / 2 > 5 /* filter kept no-equivalent */
SELECT id FROM sl.t WHERE n / 2 > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE n / 2 > 5 /* filter kept no-equivalent */
SELECT id FROM pg.t WHERE amount > 5.5 /* filter folded */
SELECT id FROM ma.t WHERE amount > 5.5 /* filter folded */
SELECT id FROM sl.t WHERE amount > 5.5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE amount > 5.5 /* filter folded */
SELECT id FROM pg.t WHERE amount * 2 > 5 /* filter folded */
SELECT id FROM ma.t WHERE amount * 2 > 5 /* filter folded */
SELECT id FROM sl.t WHERE amount * 2 > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE amount * 2 > 5 /* filter folded */
SELECT id FROM pg.t WHERE amount * amount * amount * amount > 5 /* filter folded */
SELECT id FROM ma.t WHERE amount * amount * amount * amount > 5 /* filter kept overflow-differs */
SELECT id FROM sl.t WHERE amount * amount * amount * amount > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE amount * amount * amount * amount > 5 /* filter kept overflow-differs */
SELECT id FROM pg.t WHERE amount / 3 > 5 /* filter folded */
SELECT id FROM ma.t WHERE amount / 3 > 5 /* filter kept no-equivalent */
SELECT id FROM sl.t WHERE amount / 3 > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE amount / 3 > 5 /* filter kept no-equivalent */
SELECT id FROM pg.t WHERE round(amount, 1) > 5 /* filter folded */
SELECT id FROM ma.t WHERE round(amount, 1) > 5 /* filter folded */
SELECT id FROM sl.t WHERE round(amount, 1) > 5 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE round(amount, 1) > 5 /* filter folded */
SELECT id FROM pg.t WHERE CAST(code AS integer) > 5 /* filter folded */
SELECT id FROM ma.t WHERE CAST(code AS integer) > 5 /* filter kept cast-differs */
SELECT id FROM sl.t WHERE CAST(code AS integer) > 5 /* filter kept cast-differs */
SELECT id FROM old.t WHERE CAST(code AS integer) > 5 /* filter kept cast-differs */
SELECT id FROM pg.t WHERE CAST(code AS numeric) > 5 /* filter kept cast-differs */
SELECT id FROM ma.t WHERE CAST(code AS numeric) > 5 /* filter kept cast-differs */
SELECT id FROM sl.t WHERE CAST(code AS numeric) > 5 /* filter kept cast-differs */
SELECT id FROM old.t WHERE CAST(code AS numeric) > 5 /* filter kept cast-differs */
SELECT id FROM pg.t WHERE CAST(code AS date) IS NOT NULL /* filter kept cast-differs */
SELECT id FROM ma.t WHERE CAST(code AS date) IS NOT NULL /* filter kept cast-differs */
SELECT id FROM sl.t WHERE CAST(code AS date) IS NOT NULL /* filter kept cast-differs */
SELECT id FROM old.t WHERE CAST(code AS date) IS NOT NULL /* filter kept cast-differs */
SELECT id FROM pg.t WHERE CAST(n AS text) = '5' /* filter folded */
SELECT id FROM ma.t WHERE CAST(n AS text) = '5' /* filter folded */
SELECT id FROM sl.t WHERE CAST(n AS text) = '5' /* filter folded */
SELECT id FROM old.t WHERE CAST(n AS text) = '5' /* filter kept collation-differs */
SELECT id FROM pg.t WHERE greatest(n, 2) = 2 /* filter folded */
SELECT id FROM ma.t WHERE greatest(n, 2) = 2 /* filter kept no-equivalent */
SELECT id FROM sl.t WHERE greatest(n, 2) = 2 /* filter kept no-equivalent */
SELECT id FROM old.t WHERE greatest(n, 2) = 2 /* filter kept no-equivalent */
SELECT id FROM pg.t WHERE coalesce(n, 0) = 0 /* filter folded */
SELECT id FROM ma.t WHERE coalesce(n, 0) = 0 /* filter folded */
SELECT id FROM sl.t WHERE coalesce(n, 0) = 0 /* filter folded */
SELECT id FROM old.t WHERE coalesce(n, 0) = 0 /* filter folded */
SELECT id FROM pg.t WHERE CASE WHEN n > 1 THEN 1 ELSE 0 END = 1 /* filter folded */
SELECT id FROM ma.t WHERE CASE WHEN n > 1 THEN 1 ELSE 0 END = 1 /* filter folded */
SELECT id FROM sl.t WHERE CASE WHEN n > 1 THEN 1 ELSE 0 END = 1 /* filter folded */
SELECT id FROM old.t WHERE CASE WHEN n > 1 THEN 1 ELSE 0 END = 1 /* filter folded */
SELECT id FROM pg.t WHERE n = 5 OR lower(code) = 'x' /* filter folded */
SELECT id FROM ma.t WHERE n = 5 OR lower(code) = 'x' /* filter kept function-differs */
SELECT id FROM sl.t WHERE n = 5 OR lower(code) = 'x' /* filter folded */
SELECT id FROM old.t WHERE n = 5 OR lower(code) = 'x' /* filter kept function-differs */
SELECT id FROM pg.t WHERE n IS DISTINCT FROM 5 /* filter folded */
SELECT id FROM ma.t WHERE n IS DISTINCT FROM 5 /* filter folded */
SELECT id FROM sl.t WHERE n IS DISTINCT FROM 5 /* filter folded */
SELECT id FROM old.t WHERE n IS DISTINCT FROM 5 /* filter folded */
