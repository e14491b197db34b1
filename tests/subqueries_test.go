package tests

import (
	"strings"
	"testing"
)

// subqueries stand where few of them do: in FROM's functions, in LIMIT, in the
// conditions of outer joins, compared with rows, in branches of CASE that no
// row takes, and around recursions and full joins that read outer columns.
var subqueries = strings.Split(strings.TrimSpace(`
SELECT r.room_id, (SELECT count(*) FROM (SELECT site_id FROM registry.sites WHERE site_id < r.room_id) a FULL JOIN (SELECT maker_id FROM registry.makers WHERE maker_id < r.site_id + 3) b ON a.site_id = b.maker_id) AS n FROM registry.rooms r
SELECT x, (SELECT string_agg(coalesce(a, 0) || '-' || coalesce(b, 0), ',' ORDER BY a, b) FROM (SELECT y AS a FROM (VALUES (1), (2)) l(y) WHERE y < x) l FULL JOIN (SELECT y AS b FROM (VALUES (2), (3)) m(y) WHERE y > x) m ON a = b) AS s FROM (VALUES (1), (2), (3), (NULL), (3)) t(x)
SELECT x, (WITH RECURSIVE t(n) AS (SELECT x UNION ALL SELECT n + 1 FROM t WHERE n < x + 3) SELECT sum(n) FROM t) AS s FROM (VALUES (1), (5), (NULL), (5)) v(x)
SELECT s.code, (WITH RECURSIVE t(n) AS (SELECT 1 UNION SELECT t.n + r.room_id FROM t JOIN registry.rooms r ON r.site_id = s.site_id WHERE t.n < 40) SELECT count(*) FROM t) AS c FROM registry.sites s
SELECT x, t.n FROM (VALUES (1), (3)) v(x) CROSS JOIN LATERAL (WITH RECURSIVE t(n) AS (SELECT 0 UNION ALL SELECT n + x FROM t WHERE n < 6) SELECT n FROM t ORDER BY n DESC LIMIT 2) t
SELECT * FROM unnest(ARRAY(SELECT site_id FROM registry.sites ORDER BY 1)) AS u(id)
SELECT * FROM generate_series(1, (SELECT count(*) FROM registry.sites)) AS g
SELECT s.code, g FROM registry.sites s, generate_series(1, (SELECT count(*) FROM registry.rooms r WHERE r.site_id = s.site_id)) AS g
SELECT s.code, u.* FROM registry.sites s LEFT JOIN LATERAL unnest(ARRAY(SELECT r.name FROM registry.rooms r WHERE r.site_id = s.site_id ORDER BY r.name)) WITH ORDINALITY AS u(name, n) ON u.n < 3
SELECT * FROM upper((SELECT min(town) FROM registry.sites)) AS u
SELECT * FROM ROWS FROM (generate_series(1, 3), upper('a'), unnest(ARRAY['x','y'])) AS t(a, b, c)
SELECT * FROM ROWS FROM (upper('a'), lower('B')) WITH ORDINALITY
SELECT * FROM abs(-3) WITH ORDINALITY AS t
SELECT a, b FROM (VALUES (1, 2), (3, 4)) t(a, b) WHERE (a, b) = (SELECT 1, 2)
SELECT a, b, (a, b) < (SELECT 3, c FROM (VALUES (5), (4)) u(c) ORDER BY c LIMIT 1) AS l, (a, b) <> (SELECT 1, 1 WHERE false) AS n FROM (VALUES (1, 2), (3, 3), (3, 4), (NULL, 1), (3, NULL)) t(a, b)
SELECT s.code FROM registry.sites s WHERE (s.site_id, 'x') >= (SELECT r.site_id, 'x' FROM registry.rooms r WHERE r.room_id = s.site_id)
SELECT (1, 2) = (SELECT 1, y FROM (VALUES (2), (3)) t(y))
SELECT (1, 2) = (SELECT 1)
SELECT room_id FROM registry.rooms ORDER BY room_id LIMIT (SELECT count(*) FROM registry.sites)
SELECT room_id FROM registry.rooms ORDER BY site_id DESC, room_id OFFSET (SELECT 3) LIMIT (SELECT NULL::int)
SELECT name FROM registry.rooms ORDER BY site_id, room_id OFFSET (SELECT min(site_id) FROM registry.sites) FETCH FIRST 3 ROWS ONLY
SELECT a FROM (VALUES (1), (1), (2), (2), (3)) t(a) ORDER BY a OFFSET 1 FETCH FIRST (SELECT 2) ROWS WITH TIES
SELECT a FROM (VALUES (1), (1), (2)) t(a) ORDER BY a FETCH FIRST (SELECT 0) ROWS WITH TIES
SELECT a FROM (VALUES (1), (2)) t(a) LIMIT (SELECT -1)
SELECT a FROM (VALUES (1), (2)) t(a) OFFSET (SELECT -1)
SELECT x, (SELECT string_agg(y::text, ',') FROM (SELECT y FROM (VALUES (1), (2), (3)) u(y) ORDER BY y LIMIT v.x) u) AS s FROM (VALUES (1), (2), (NULL)) v(x)
SELECT x, (SELECT string_agg(y::text, ',') FROM (SELECT y FROM (VALUES (1), (1), (2), (3)) u(y) WHERE y <= v.x ORDER BY y OFFSET 1 FETCH FIRST 1 ROW WITH TIES) u) AS s FROM (VALUES (1), (2), (3)) v(x)
SELECT s.code, r.name FROM registry.sites s LEFT JOIN registry.rooms r ON EXISTS (SELECT 1 FROM registry.objects o WHERE o.home_room_id = r.room_id AND s.site_id = r.site_id)
SELECT s.code, r.name FROM registry.sites s RIGHT JOIN registry.rooms r ON r.room_id < 9 AND (SELECT count(*) FROM registry.objects o WHERE o.home_room_id = r.room_id) > s.site_id * 30
SELECT i.code, s.town FROM lending.institutions i LEFT JOIN registry.sites s ON s.site_id IN (SELECT l.loan_id FROM lending.loans l WHERE l.institution_code = i.code AND l.loan_id = s.site_id)
SELECT x, CASE WHEN x > 1 THEN (SELECT y FROM (VALUES (1), (2)) b(y)) ELSE 0 END AS c FROM (VALUES (1), (0)) a(x)
SELECT x, CASE WHEN x > 1 THEN 5 ELSE (SELECT y FROM (VALUES (1), (2)) b(y)) END AS c FROM (VALUES (2), (3)) a(x)
SELECT x, CASE WHEN x > 1 THEN 5 ELSE (SELECT y FROM (VALUES (1), (2)) b(y)) END AS c FROM (VALUES (2), (NULL)) a(x)
SELECT x, CASE x WHEN 0 THEN 0 ELSE (SELECT sum(y) / x FROM (VALUES (10), (20)) b(y)) END AS c FROM (VALUES (0), (3), (NULL)) a(x)
SELECT x, CASE WHEN x <> 0 THEN (SELECT count(*) FROM (VALUES (10), (20)) b(y) WHERE y > 40 / x) END AS c FROM (VALUES (0), (3)) a(x)
SELECT x, CASE WHEN x <> 0 THEN 30 IN (SELECT y / x FROM (VALUES (30), (60)) b(y)) END AS c FROM (VALUES (0), (2), (4)) a(x)
SELECT x, CASE WHEN x <> 0 THEN 60 / x IN (SELECT y FROM (VALUES (30), (60)) b(y)) END AS c FROM (VALUES (0), (2), (4)) a(x)
SELECT x, coalesce(x, (SELECT y FROM (VALUES (1), (2)) b(y))) AS c FROM (VALUES (1), (2)) a(x)
SELECT x, coalesce(x, (SELECT y FROM (VALUES (1), (2)) b(y))) AS c FROM (VALUES (1), (NULL)) a(x)
SELECT x, sum(y) AS s, CASE WHEN count(*) > 1 THEN (SELECT z FROM (VALUES (1), (2)) b(z) WHERE z <= a.x) END AS c FROM (VALUES (1, 2), (1, 3), (2, 4)) a(x, y) GROUP BY x
SELECT x % 2 AS k, CASE WHEN x % 2 = 0 THEN (SELECT z FROM (VALUES (1), (2)) b(z)) ELSE 7 END AS c FROM (VALUES (1), (3)) a(x) GROUP BY x % 2
SELECT s.code, CASE WHEN s.site_id > 99 THEN (SELECT r.name FROM registry.rooms r WHERE r.site_id = s.site_id) ELSE s.town END AS c FROM registry.sites s
SELECT s.code, CASE WHEN s.site_id < 99 THEN (SELECT r.name FROM registry.rooms r WHERE r.site_id = s.site_id) ELSE s.town END AS c FROM registry.sites s
SELECT x, CASE WHEN row_number() OVER (ORDER BY x) = 1 THEN (SELECT max(y) FROM (VALUES (1), (2)) b(y) WHERE y <= x) END AS c FROM (VALUES (1), (2)) a(x)
SELECT CASE WHEN false THEN (SELECT y FROM (VALUES (1), (2)) b(y)) ELSE 3 END AS c
SELECT percentile_cont(ARRAY[0, 0.25, 0.5, NULL, 1]) WITHIN GROUP (ORDER BY x) AS c, percentile_disc(ARRAY[0, 0.25, 0.5, 1]) WITHIN GROUP (ORDER BY x) AS d FROM (VALUES (1), (4), (9), (NULL)) t(x)
SELECT kind, percentile_disc(ARRAY[0.5, 0.9]) WITHIN GROUP (ORDER BY title) AS d FROM registry.objects GROUP BY kind
SELECT percentile_cont(ARRAY[0.5, 2]) WITHIN GROUP (ORDER BY x) FROM (VALUES (1)) t(x)
SELECT percentile_cont(ARRAY[0.5]) WITHIN GROUP (ORDER BY x) AS a, percentile_disc(NULL::double precision[]) WITHIN GROUP (ORDER BY x) AS b FROM (VALUES (1.5)) t(x) WHERE false
`), "\n")

func TestSubqueriesAnywhereHoldTheLaw(t *testing.T) {
	for _, sql := range subqueries {
		t.Run(sql, func(t *testing.T) { holdsLaw(t, sql, false) })
	}
}
