-- Pieces of every kind, and a query for every reason. odd is a PostgreSQL with an unusual setting.
SELECT code, count(*) /* aggregate folded */ FROM ma.t GROUP BY code /* aggregate folded */
SELECT code, count(*) /* aggregate kept collation-differs */ FROM old.t GROUP BY code /* aggregate kept collation-differs */
SELECT sum(n) /* aggregate folded */, max(code) /* aggregate folded */ FROM ma.t
SELECT sum(id) /* aggregate kept overflow-differs */ FROM sl.t
SELECT sum(CAST(amount AS double precision)) /* aggregate kept float-order */ FROM pg.t
SELECT count(*) /* aggregate kept input-kept */ FROM ma.t WHERE lower(code) = 'x' /* filter narrowed function-differs */
SELECT DISTINCT /* distinct folded */ code FROM ma.t
SELECT DISTINCT /* distinct kept function-differs */ lower(code) /* expression kept function-differs */ FROM ma.t
SELECT id FROM ma.t ORDER BY code /* sort folded */ LIMIT 3 /* limit folded */
SELECT id FROM old.t ORDER BY code /* sort kept collation-differs */ LIMIT 3 /* limit kept input-kept */
SELECT id FROM ma.t WHERE lower(code) = 'x' /* filter narrowed function-differs */ ORDER BY id /* sort folded */ LIMIT 3 /* limit kept input-kept */
SELECT t.id FROM ma.t JOIN ma.u ON u.code = t.code /* join folded */
SELECT t.id FROM old.t JOIN old.u ON u.code = t.code /* join narrowed collation-differs */
SELECT t.id FROM old.t LEFT JOIN old.u ON u.code = t.code /* join kept collation-differs */
SELECT t.id FROM ma.t LEFT JOIN (SELECT * FROM ma.u WHERE lower(code) = 'x' /* filter narrowed function-differs */) u ON u.id = t.id /* join kept null-supplied */
SELECT t.id, u.c FROM ma.t LEFT JOIN (SELECT id, coalesce(n, 0) /* expression folded */ AS c FROM ma.u) u ON u.id = t.id /* join kept null-supplied */
SELECT t.id FROM pg.t JOIN ma.t AS u ON u.id = t.id /* join kept sources-differ */
SELECT t.id FROM pg.t CROSS JOIN pg.u /* join kept multiplies-rows */
SELECT id FROM pg.t UNION ALL /* set folded */ SELECT id FROM pg.u
SELECT id FROM pg.t UNION ALL /* set kept sources-differ */ SELECT id FROM ma.t
SELECT id FROM ma.t WHERE lower(code) <> 'x' /* filter kept function-differs */ AND amount / n > 2 /* filter kept no-equivalent */
SELECT id FROM pg.t WHERE code LIKE name /* filter kept pattern-not-constant */ AND amount / n > 2 /* filter kept guarded */
SELECT amount / n /* expression kept guarded */ FROM pg.t WHERE code LIKE name /* filter kept pattern-not-constant */
SELECT 1 + count(*) /* expression folded; aggregate folded */ FROM pg.t HAVING count(*) > 2 /* filter folded */
SELECT 'x' AS v ORDER BY v /* sort kept no-source */
SELECT CAST(code AS integer) /* expression kept cast-differs */ AS c FROM ma.t
SELECT id FROM old.t WHERE code > 'a' /* filter kept collation-differs */
SELECT s.n, count(*) /* aggregate narrowed finished-here */ AS c FROM (SELECT n FROM pg.t UNION ALL /* set kept sources-differ */ SELECT n FROM ma.t) s GROUP BY s.n /* aggregate narrowed finished-here */
SELECT sum(CAST(n AS double precision)) /* aggregate kept float-order */ AS c FROM pg.t
SELECT id FROM ma.t WHERE lower(code) = 'x' /* filter narrowed function-differs */
SELECT id FROM pg.t WHERE code LIKE name /* filter kept pattern-not-constant */ AND amount / n > 2 /* filter kept guarded */
SELECT count(*) /* aggregate kept input-kept */ AS c FROM ma.t WHERE lower(code) = 'x' /* filter narrowed function-differs */
SELECT u.name FROM pg.t JOIN ma.u ON u.id = t.id /* join narrowed keys-shipped */ WHERE t.code = 'x' /* filter folded */
SELECT t.id FROM pg.t CROSS JOIN pg.u /* join kept multiplies-rows */
SELECT greatest(n, 1) /* expression kept no-equivalent */ AS c FROM ma.t
SELECT 'x' AS v ORDER BY v /* sort kept no-source */
SELECT t.id, u.c FROM ma.t LEFT JOIN (SELECT id, coalesce(n, 0) /* expression folded */ AS c FROM ma.u) u ON u.id = t.id /* join kept null-supplied */
SELECT t.id, (SELECT u.n FROM pg.u WHERE u.code = t.code) /* join kept one-row */ AS c FROM pg.t
SELECT n + 1 /* expression kept overflow-differs */ AS c FROM ma.t
SELECT id FROM pq.t WHERE n = 3 /* filter narrowed parts-skipped */
SELECT id FROM pg.t WHERE code LIKE name /* filter kept pattern-not-constant */
SELECT n / 2 /* expression kept quirk-differs */ AS c FROM odd.t
WITH RECURSIVE r AS (SELECT id FROM pg.t UNION ALL /* set kept recursion */ SELECT id + 1 /* expression kept input-kept */ FROM r WHERE id < 3 /* filter kept input-kept */) SELECT id FROM r
SELECT n FROM pg.t UNION ALL /* set kept sources-differ */ SELECT n FROM ma.t ORDER BY 1 /* sort narrowed repeated-here */ LIMIT 3 /* limit narrowed repeated-here */
SELECT round(amount, n) /* expression kept rounding-differs */ AS c FROM ma.t
SELECT array_agg(n) /* aggregate kept row-order */ AS c FROM pg.t
SELECT n FROM pg.t UNION ALL /* set kept sources-differ */ SELECT n FROM ma.t
