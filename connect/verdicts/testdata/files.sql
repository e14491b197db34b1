-- What files leave unread: t of pq is Parquet, t of cs is CSV, both in folders that name a month.
SELECT id FROM pq.t WHERE month = '2024-01' /* filter folded */
SELECT id FROM cs.t WHERE month = '2024-01' /* filter folded */
SELECT id FROM pq.t WHERE upper(month) LIKE '2024%' OR month IS NULL /* filter folded */
SELECT id FROM cs.t WHERE upper(month) LIKE '2024%' OR month IS NULL /* filter folded */
SELECT id FROM pq.t WHERE CAST(month AS date) > date '2024-01-01' /* filter kept no-equivalent */
SELECT id FROM cs.t WHERE CAST(month AS date) > date '2024-01-01' /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n = 3 /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n = 3 /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE 3 < n /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE 3 < n /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n IN (1, 2) /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n IN (1, 2) /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n = ANY (ARRAY[1, 2]) /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n = ANY (ARRAY[1, 2]) /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n > 1.5 /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n > 1.5 /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n IS NULL /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n IS NULL /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE code LIKE 'ab%c' /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE code LIKE 'ab%c' /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE code LIKE '%b' /* filter kept no-equivalent */
SELECT id FROM cs.t WHERE code LIKE '%b' /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n = 3 OR code = 'x' /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n = 3 OR code = 'x' /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n = 3 OR length(code) = 2 /* filter kept no-equivalent */
SELECT id FROM cs.t WHERE n = 3 OR length(code) = 2 /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n = 3 OR month = '2024-01' /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE n = 3 OR month = '2024-01' /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n <> 3 /* filter kept no-equivalent */
SELECT id FROM cs.t WHERE n <> 3 /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE n + 1 = 3 /* filter kept no-equivalent */
SELECT id FROM cs.t WHERE n + 1 = 3 /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE CAST(n AS double precision) > 3 /* filter kept no-equivalent */
SELECT id FROM cs.t WHERE CAST(n AS double precision) > 3 /* filter kept no-equivalent */
SELECT id FROM pq.t WHERE CAST(n AS double precision) < 3 /* filter narrowed parts-skipped */
SELECT id FROM cs.t WHERE CAST(n AS double precision) < 3 /* filter kept no-equivalent */
SELECT id FROM pq.t LIMIT 3 /* limit folded */
SELECT id FROM cs.t LIMIT 3 /* limit folded */
SELECT id FROM pq.t WHERE month = '2024-01' /* filter folded */ LIMIT 3 OFFSET 2 /* limit folded */
SELECT id FROM cs.t WHERE month = '2024-01' /* filter folded */ LIMIT 3 OFFSET 2 /* limit folded */
SELECT id FROM pq.t WHERE n = 3 /* filter narrowed parts-skipped */ LIMIT 3 /* limit kept input-kept */
SELECT id FROM cs.t WHERE n = 3 /* filter kept no-equivalent */ LIMIT 3 /* limit kept input-kept */
SELECT id FROM pq.t ORDER BY n /* sort kept no-equivalent */ LIMIT 3 /* limit kept input-kept */
SELECT id FROM cs.t ORDER BY n /* sort kept no-equivalent */ LIMIT 3 /* limit kept input-kept */
