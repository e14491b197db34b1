package tests

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"rovik/app"
	"rovik/app/project"
	"rovik/app/queue"
	"rovik/app/runs"
	"rovik/core/plan"
	"rovik/core/value"
)

// outside runs the command within so many MiB, and returns what it says and the largest size
// of the process, in MiB, as the system saw it.
func outside(t *testing.T, mib int, args ...string) (stderr string, largest int) {
	t.Helper()
	bin, err := buildOnce()
	if err != nil {
		t.Fatal(err)
	}
	var errs bytes.Buffer
	cmd := exec.Command(bin, append([]string{"--home", t.TempDir(), "--memory", fmt.Sprintf("%dM", mib)}, args...)...)
	cmd.Stderr = &errs
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	ended := make(chan struct{})
	go func() {
		_ = cmd.Wait() // what it says is looked at
		close(ended)
	}()
	high := regexp.MustCompile(`VmHWM:\s+(\d+) kB`)
	for {
		select {
		case <-ended:
			return errs.String(), largest
		case <-time.After(3 * time.Millisecond):
			status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", cmd.Process.Pid))
			if m := high.FindSubmatch(status); err == nil && m != nil {
				kb, _ := strconv.Atoi(string(m[1]))
				largest = max(largest, kb/1024)
			}
		}
	}
}

// Whatever a query makes large, the process stays within its memory, and the query ends with
// an error that says so.
func TestTheProcessStaysWithinItsMemory(t *testing.T) {
	const mib = 512
	for name, sql := range map[string]string{
		"texts in texts":     "SELECT length(replace(replace(repeat('a', 6000000), 'a', repeat('b', 60)), 'b', 'cccccccccccc'))",
		"texts joined":       "SELECT length(" + strings.Repeat("repeat('a', 100000000) || ", 20) + "'')",
		"parts of a pattern": "SELECT array_length(regexp_split_to_array(repeat('a,', 30000000), ','), 1)",
		"matches":            "SELECT count(*) FROM regexp_matches(repeat('ab', 8000000), '(a)(b)', 'g')",
		"parts of a text":    "SELECT array_length(string_to_array(repeat('a,', 50000000), ','), 1)",
		"a filled array":     "SELECT array_length(array_fill(1, ARRAY[100000000]), 1)",
		"sorted texts":       "SELECT repeat('abcdefghij', 100000 + i) AS t FROM generate_series(1, 20000) AS g(i) ORDER BY 1",
		"texts put together": "SELECT length(string_agg(repeat('x', 1000 + i), ',')) FROM generate_series(1, 2000000) AS g(i)",
		"an array of rows":   "SELECT array_length(array_agg('text ' || i), 1) FROM generate_series(1, 50000000) AS g(i)",
		"JSON of rows":       "SELECT length(json_agg(i)::text) FROM generate_series(1, 50000000) AS g(i)",
		"groups":             "SELECT count(*) FROM (SELECT i FROM generate_series(1, 200000000) AS g(i) GROUP BY i) AS x",
		"a hash join":        "SELECT count(*) FROM generate_series(1, 100000000) AS a(i) JOIN generate_series(1, 100000000) AS b(i) ON a.i = b.i",
		"rounds that double": "WITH RECURSIVE r AS (SELECT 1 AS n, 'x' AS t UNION ALL SELECT n + 1, t || t FROM r) SELECT count(*) FROM r",
		"cubes":              "SELECT count(*) FROM (SELECT i % 10 AS a, i % 11 AS b, i % 12 AS c, i % 13 AS d, i % 14 AS e, i % 15 AS f, i % 16 AS g, i % 17 AS h FROM generate_series(1, 1000000) AS s(i)) AS x GROUP BY CUBE (a, b, c, d, e, f, g, h)",
		"elements of JSON":   "SELECT count(*) FROM jsonb_array_elements(('[' || repeat('1,', 5000000) || '1]')::jsonb)",
		"a quantile":         "SELECT percentile_cont(0.5) WITHIN GROUP (ORDER BY i) FROM generate_series(1, 200000000) AS g(i)",
	} {
		said, largest := outside(t, mib, "query", "--time-limit", "100s", sql)
		if !strings.Contains(said, "memory") && !strings.Contains(said, "too large") {
			t.Errorf("%s: %s", name, said)
		}
		if largest > mib*11/10 {
			t.Errorf("%s: the process took %d MiB of %d: %s", name, largest, mib, said)
		}
	}
	// What is large in all but not at any time has an answer.
	for name, sql := range map[string]string{
		"many large texts":  "SELECT sum(length(repeat('abcdefghij', 100000 + i))) FROM generate_series(1, 1000) AS g(i)",
		"a long series":     "SELECT count(*) FROM generate_series(1, 20000000)",
		"texts that go out": "SELECT length(t) FROM (SELECT repeat('x', 1000000 + i) AS t FROM generate_series(1, 1000) AS b(i)) AS b WHERE t LIKE 'x%'",
	} {
		if said, largest := outside(t, mib, "query", sql); said != "" || largest == 0 || largest > mib*11/10 {
			t.Errorf("%s: %d MiB, %s", name, largest, said)
		}
	}
}

// Whatever a text is, planning it ends within its time, or soon after.
func TestPlanningEnds(t *testing.T) {
	limits := app.Usual()
	limits.Query.Planning = 2 * time.Second
	a, err := app.OpenWithin(t.Context(), t.TempDir(), limits)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if _, err := a.Sources.Add(t.Context(), "store", "sqlite", configOf(makeSQLite(t, "CREATE TABLE item (id INTEGER PRIMARY KEY, name TEXT)", "INSERT INTO item VALUES (1, 'a')")), ""); err != nil {
		t.Fatal(err)
	}
	many := func(n int, between string, part func(i int) string) string {
		parts := make([]string, n)
		for i := range parts {
			parts[i] = part(i)
		}
		return strings.Join(parts, between)
	}
	doubled := func(n int, first string) string {
		return "WITH a0 AS (" + first + "), " + many(n, ", ", func(i int) string {
			return fmt.Sprintf("a%d AS (SELECT p.x FROM a%d AS p, a%d AS q)", i+1, i, i)
		}) + fmt.Sprintf(" SELECT count(*) FROM a%d", n)
	}
	for name, sql := range map[string]string{
		"doubled 8 times":         doubled(8, "SELECT 1 AS x"),
		"doubled 13 times":        doubled(13, "SELECT 1 AS x"),
		"doubled 40 times":        doubled(40, "SELECT 1 AS x"),
		"doubled tables":          doubled(40, "SELECT id AS x FROM store.item"),
		"constants in constants":  "SELECT length(replace(replace(repeat('a', 6000000), 'a', repeat('b', 60)), 'b', 'cccccccccccc'))",
		"a constant by a pattern": "SELECT length(regexp_replace(repeat('a', 16000000), 'a', repeat('b', 60), 'g'))",
		"a constant limit":        "SELECT 1 LIMIT length(replace(repeat('a', 16000000), 'a', 'bbbbbbbbbbbb'))",
		"800 joins":               "SELECT count(*) FROM store.item AS t0 " + many(799, " ", func(i int) string { return fmt.Sprintf("JOIN store.item AS t%d ON t%d.id = t%d.id", i+1, i+1, i) }),
		"900 tables":              "SELECT count(*) FROM " + many(900, ", ", func(i int) string { return fmt.Sprintf("store.item AS t%d", i) }),
		"900 arms":                many(900, " UNION ALL ", func(int) string { return "SELECT id FROM store.item" }),
		"20,000 arms of CASE":     "SELECT CASE " + many(20_000, " ", func(i int) string { return fmt.Sprintf("WHEN name = 'x%d' THEN %d", i, i) }) + " END FROM store.item",
		"30,000 conditions":       "SELECT id FROM store.item WHERE " + many(30_000, " OR ", func(i int) string { return fmt.Sprintf("name = 'x%d'", i) }),
		"100,000 members":         "SELECT id FROM store.item WHERE name IN (" + many(100_000, ", ", func(i int) string { return fmt.Sprintf("'x%d'", i) }) + ")",
		"500 windows":             "SELECT " + many(500, ", ", func(i int) string { return fmt.Sprintf("row_number() OVER (ORDER BY name || %d)", i) }) + " FROM store.item",
		"300 subqueries": "SELECT " + many(300, ", ", func(i int) string {
			return fmt.Sprintf("(SELECT count(*) FROM store.item AS i WHERE i.id = o.id + %d)", i)
		}) + " FROM store.item AS o",
		"60 subqueries in each other": "SELECT 1 FROM store.item AS t0 WHERE " + many(60, "", func(i int) string {
			return fmt.Sprintf("EXISTS (SELECT 1 FROM store.item AS t%d WHERE t%d.id = t%d.id AND ", i+1, i+1, i)
		}) + "true" + strings.Repeat(")", 60),
	} {
		began := time.Now()
		_, err := a.Now().Explain(t.Context(), project.Query{SQL: sql})
		took := time.Since(began)
		if code := value.Code(err); err != nil && !slices.Contains([]string{value.CodeCancelled, value.CodeTooComplex, value.CodeMemory, "54001"}, code) {
			t.Errorf("%s: %v", name, err)
		}
		if took > 3*limits.Query.Planning {
			t.Errorf("%s: planned for %s with a limit of %s", name, took, limits.Query.Planning)
		}
	}
	// A request that ends does not go on being planned.
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	began := time.Now()
	if _, err := a.Now().Explain(ctx, project.Query{SQL: doubled(13, "SELECT 2 AS x")}); value.Code(err) != value.CodeCancelled || time.Since(began) > time.Second {
		t.Errorf("planning that was stopped: %v after %s", err, time.Since(began))
	}
}

// Of many joins between sources at the same time each has its turn and its answer, and a small
// query beside them does not wait for them.
func TestManyRunsAtOnce(t *testing.T) {
	const runsAtOnce = 200
	procs := runtime.GOMAXPROCS(0)
	defer runtime.GOMAXPROCS(procs)
	queue.ShareProcessors()
	one := func() time.Duration {
		began := time.Now()
		act := through(t, museum.Runs, "SELECT title FROM registry.objects WHERE object_id = 7")
		if s := act.Status(); s.State != runs.Done || s.Rows != 1 {
			t.Errorf("a small run is %s with %d rows: %v", s.State, s.Rows, s.Err)
		}
		return time.Since(began)
	}
	one()
	alone := median(9, func() { one() })
	var acts []*runs.Active
	for i := range runsAtOnce {
		act, err := museum.Runs.Start(t.Context(), queryOf(fmt.Sprintf("SELECT count(*) FROM registry.location_history AS h JOIN lending.insurance_values AS v ON v.amount > h.move_id + %d - 100000 AND v.amount < h.move_id + %d", i, i)), runs.Options{GoesOn: true})
		if err != nil {
			t.Fatal(err)
		}
		acts = append(acts, act)
	}
	waits := 0
	for _, s := range museum.Queue().States() {
		waits += s.Waiting
	}
	if waits == 0 {
		t.Error("no run waits")
	}
	beside := median(9, func() { one() })
	t.Logf("a small run takes %s alone and %s beside %d joins", alone, beside, runsAtOnce)
	if beside > 3*alone+20*time.Millisecond { // which is for a busy machine
		t.Errorf("a small run takes %s beside others, %s alone", beside, alone)
	}
	for _, act := range acts[runsAtOnce/10:] {
		act.Stop()
	}
	for i, act := range acts {
		s := ended(act)
		if i < runsAtOnce/10 && s.State != runs.Done || i >= runsAtOnce/10 && s.State != runs.Done && s.State != runs.Stopped {
			t.Errorf("run %d is %s: %v", i, s.State, s.Err)
		}
	}
	for _, s := range museum.Queue().States() {
		if s.Running+s.Waiting > 0 {
			t.Errorf("%+v is left of the queue", s)
		}
	}
}

func through(t *testing.T, r *runs.Runs, sql string) *runs.Active {
	t.Helper()
	act, err := r.Start(t.Context(), queryOf(sql), runs.Options{})
	if err != nil {
		t.Fatal(err)
	}
	ended(act)
	return act
}

func ended(act *runs.Active) runs.Status {
	for {
		s := act.Status()
		if s.Finished {
			return s
		}
		<-s.Changed
	}
}

// The command line's runs end at their time, its planning at its own, and both say which.
func TestLimitsOfCommands(t *testing.T) {
	const long = "SELECT sum(i) FROM generate_series(1, 1000000000000) AS s(i)"
	for name, c := range map[string]struct {
		args []string
		want string
	}{
		"a query":        {[]string{"query", "--time-limit", "1s", long}, "reached its time limit of 1s"},
		"an explanation": {[]string{"explain", "--run", "--time-limit", "1s", long}, "reached its time limit of 1s"},
		"no time":        {[]string{"query", "--time-limit", "-1s", long}, "--time-limit takes"},
		"no size":        {[]string{"query", "--memory", "much", long}, "is no size"},
	} {
		if _, err := buildOnce(); err != nil {
			t.Fatal(err)
		}
		began := time.Now()
		if _, said, code := rovik(t, t.TempDir(), c.args...); code == 0 || !strings.Contains(said, c.want) || time.Since(began) > 10*time.Second {
			t.Errorf("%s: %d after %s: %s", name, code, time.Since(began), said)
		}
	}
}

// docs/limits.md has every limit in a row: what it is, its usual value, the setting, what
// happens at it, and the test that shows so.
func TestLimitsAreDocumented(t *testing.T) {
	text, err := os.ReadFile("../docs/limits.md")
	if err != nil {
		t.Fatal(err)
	}
	usual := map[string]string{
		"planning, time":    project.Usual.Planning.String(),
		"planning, steps":   strconv.Itoa(plan.MostSteps),
		"a run, time":       runs.Usual.Time.String(),
		"rows kept, time":   runs.Usual.Kept.String(),
		"nobody follows":    runs.Usual.Alone.String(),
		"runs kept":         strconv.Itoa(runs.Usual.Runs),
		"small run":         strconv.Itoa(queue.SmallRows) + " rows",
		"rows in memory":    strconv.FormatInt(runs.Usual.Memory>>20, 10) + " MiB",
		"rows on disk":      strconv.FormatInt(runs.Usual.Disk>>30, 10) + " GiB",
		"rows of a session": strconv.FormatInt(runs.Usual.OfSession>>30, 10) + " GiB",
	}
	help, _, _ := rovik(t, t.TempDir(), "serve", "--help")
	queryHelp, _, _ := rovik(t, t.TempDir(), "query", "--help")
	tests := map[string]bool{}
	for _, dir := range []string{".", "../core", "../connect", "../app", "../serve", "../records"} {
		found, err := exec.Command("grep", "-rhoE", "^func Test[A-Za-z]+", dir, "--include=*_test.go").Output()
		if err != nil {
			t.Fatal(err)
		}
		for _, line := range strings.Fields(string(found)) {
			tests[line] = true
		}
	}
	rows := 0
	for _, line := range strings.Split(string(text), "\n") {
		cells := strings.Split(line, "|")
		if len(cells) != 7 || strings.HasPrefix(cells[1], "---") || strings.TrimSpace(cells[1]) == "limit" {
			continue
		}
		rows++
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		if want, known := usual[cells[1]]; known {
			if cells[2] != want {
				t.Errorf("%s: the usual value is said to be %q, and is %q", cells[1], cells[2], want)
			}
			delete(usual, cells[1])
		}
		for _, flag := range regexp.MustCompile("`--([a-z-]+)`").FindAllStringSubmatch(cells[3], -1) {
			if !strings.Contains(help+queryHelp, "--"+flag[1]) {
				t.Errorf("%s: there is no flag --%s", cells[1], flag[1])
			}
		}
		if name := strings.Trim(cells[5], "`"); !tests[name] {
			t.Errorf("%s: there is no test %s", cells[1], name)
		}
	}
	if rows < 20 || len(usual) > 0 {
		t.Errorf("%d rows; nothing is said of %v", rows, usual)
	}
}
