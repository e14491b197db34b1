package project_test

import (
	"context"
	"testing"
	"time"

	"rovik/app/apptest"
	"rovik/app/project"
)

// A run that is stopped ends soon, whatever it is about: one function of large values, a
// window of large frames, joins, sorts, groups and sets of many rows.
func TestStoppingTakesEffect(t *testing.T) {
	a := apptest.New(t, 1)
	const soon = 800 * time.Millisecond // 200 ms are meant; other tests run beside this one
	wide := "WITH a AS (SELECT jsonb_object_agg('k' || i, i) AS j FROM generate_series(1, 50000) s(i)) "
	for _, sql := range []string{
		wide + "SELECT sum((j -> ('k' || i))::int) FROM a, generate_series(1, 5000) s(i)",
		wide + "SELECT count(*) FROM a, generate_series(1, 5000) s(i), jsonb_each(j) WHERE j ? i::text",
		"SELECT sum(x) FROM (SELECT sum(i) OVER (ORDER BY i ROWS BETWEEN 5000 PRECEDING AND 5000 FOLLOWING) AS x FROM generate_series(1, 300000) s(i)) q",
		"SELECT max(x) FROM (SELECT max(md5(i::text)) OVER (ORDER BY i ROWS BETWEEN 500 PRECEDING AND CURRENT ROW EXCLUDE TIES) AS x FROM generate_series(1, 300000) s(i)) q",
		"SELECT max(i) FROM (SELECT i FROM generate_series(1, 30000000) s(i) ORDER BY md5(i::text)) q",
		"SELECT count(*) FROM generate_series(1, 100000) a(i), generate_series(1, 100000) b(j) WHERE i * j = -1",
		"SELECT count(DISTINCT md5(i::text)) FROM generate_series(1, 30000000) s(i)",
		"SELECT count(*) FROM (SELECT a, b, c, count(*) FROM generate_series(1, 300) x(a), generate_series(1, 100) y(b), generate_series(1, 100) z(c) GROUP BY CUBE (a, b, c)) q",
		"WITH RECURSIVE r(i) AS (SELECT 1::bigint UNION SELECT i + 1 FROM r WHERE i < 100000000) SELECT count(*) FROM r",
		"SELECT count(*) FROM (SELECT i FROM generate_series(1, 9000000) s(i) EXCEPT SELECT j FROM generate_series(1, 9000000, 2) t(j)) q",
		"SELECT count(*) FROM generate_series(1, 100000) a(i) WHERE NOT EXISTS (SELECT 1 FROM generate_series(1, 100000) b(j) WHERE a.i + b.j = -1 OR a.i * b.j = -1)",
		"SELECT sum(length(regexp_replace(repeat('ab', 20000) || i, '(a|b)*c', 'x', 'g'))) FROM generate_series(1, 100000) s(i)",
		"SELECT sum(length(replace(repeat('ab', 200000) || i, 'a', 'ba'))) FROM generate_series(1, 100000) s(i)",
	} {
		ctx, cancel := context.WithCancel(t.Context())
		var stopped time.Time
		time.AfterFunc(time.Second, func() { stopped = time.Now(); cancel() })
		_, err := a.Now().Rows(ctx, project.Query{SQL: sql})
		if ctx.Err() == nil {
			t.Errorf("%s ended by itself: %v", sql, err)
		} else if took := time.Since(stopped); err == nil || took > soon {
			t.Errorf("%s went on for %s: %v", sql, took, err)
		}
		cancel()
	}
}
