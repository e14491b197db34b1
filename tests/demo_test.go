package tests

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"rovik/app"
	"rovik/app/project"
	"rovik/connect"
	"rovik/core/syntax"
	"rovik/demo"
)

// The story's data depends on nothing but its seed, has the promised sizes and
// the dirt that real systems have.
func TestStoryData(t *testing.T) {
	// read puts the rows of streams where the others have theirs.
	read := func(tables []*demo.Table) []*demo.Table {
		for _, t := range tables {
			if t.Stream != nil {
				for row := range t.Stream {
					if f, ok := row[3].(float64); ok && math.IsNaN(f) {
						row[3] = "NaN" // which does not equal itself
					}
					t.Rows = append(t.Rows, row)
				}
				t.Stream = nil
			}
		}
		return tables
	}
	a, b := read(demo.Tables(7, 0.01)), read(demo.Tables(7, 0.01))
	if !reflect.DeepEqual(a, b) {
		t.Error("the same seed gives other data")
	}
	if reflect.DeepEqual(a, read(demo.Tables(8, 0.01))) {
		t.Error("another seed gives the same data")
	}
	want := map[string]int{"objects": 40_000, "makers": 1_500, "rooms": 60, "loans": 12_000, "loan_lines": 45_000, "closed_loans": 30_000}
	for _, table := range demo.Tables(demo.Seed, 1) {
		if n, ok := want[table.Name]; ok && len(table.Rows) != n {
			t.Errorf("%s has %d rows, want %d", table.Name, len(table.Rows), n)
		}
		if table.Name == "loans" {
			spellings := map[string]bool{}
			for _, r := range table.Rows {
				if s, ok := r[3].(string); ok {
					spellings[s] = true
				}
			}
			for _, s := range []string{"out", "Out", "out "} {
				if !spellings[s] {
					t.Errorf("no loan has the status %q", s)
				}
			}
		}
	}
	if len(demo.Views) < 10 {
		t.Errorf("%d views", len(demo.Views))
	}
}

// One view is at least five deep.
func TestDeepestViewIsFiveDeep(t *testing.T) {
	depth := map[string]int{}
	deepest := 0
	for _, v := range demo.Views { // lower ones come first
		depth[v.FullName()] = 1
		for name, d := range depth {
			if name != v.FullName() && strings.Contains(v.SQL, name+" ") {
				depth[v.FullName()] = max(depth[v.FullName()], d+1)
			}
		}
		deepest = max(deepest, depth[v.FullName()])
	}
	if deepest < 5 {
		t.Errorf("the deepest view is %d deep: %v", deepest, depth)
	}
}

// Without the servers the same story runs on SQLite files, and says so.
func TestEmbeddedDemo(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	quiet := func(string, ...any) {}
	prepare := func() *demo.Env {
		t.Helper()
		e, err := demo.Prepare(ctx, demo.Setup{Dir: dir, Scale: 0.02, Embedded: true, Say: quiet})
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	e := prepare()
	a, err := app.Open(ctx, e.Home)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	for _, s := range a.Sources.List() {
		if slices.Contains([]string{"parquet", "csv", "json", "xml"}, s.Kind) {
			continue // files need no server
		}
		if s.Kind != "sqlite" || s.Name != "archive" && !strings.Contains(s.Note, "stands in for") {
			t.Errorf("%s is a %s: %q", s.Name, s.Kind, s.Note)
		}
	}
	if broken := a.Views.Broken(); len(broken) > 0 {
		t.Errorf("broken on the stand-ins: %v", broken)
	}
	for _, v := range demo.Views {
		folded, _ := ours(ctx, a, "SELECT * FROM "+v.FullName(), false)
		unfolded, _ := ours(ctx, a, "SELECT * FROM "+v.FullName(), true)
		if d := difference(folded, unfolded, false); d != "" || folded.err != nil {
			t.Errorf("%s on the stand-ins: %s %v", v.FullName(), d, folded.err)
		}
	}
	prepare() // a second time changes nothing
}

// Servers survive the death of the process that started them, and are taken
// over or started anew by the next; ports in use are stepped over.
func TestServersAreAdoptedAndRestarted(t *testing.T) {
	ctx := context.Background()
	dir := enterableDir(t)
	bin, _ := demo.Installed()
	opts := demo.Options{Dir: filepath.Join(dir, "servers"), Say: func(string, ...any) {}}
	first, err := demo.StartPostgres(ctx, bin, opts)
	if err != nil {
		t.Fatal(err)
	}
	defer first.Stop()
	if first.Port == env.Postgres.Port {
		t.Error("two servers on one port")
	}
	second, err := demo.StartPostgres(ctx, bin, opts)
	if err != nil {
		t.Fatal(err)
	}
	if second.Port != first.Port {
		t.Errorf("the running server on %d was not taken over, but one on %d started", first.Port, second.Port)
	}
	second.Stop() // it did not start it, so it leaves it alone
	if conn, err := first.Postgres(ctx, "postgres"); err != nil {
		t.Errorf("the server is gone: %v", err)
	} else {
		_ = conn.Close(ctx)
	}
	// kill -9 of the server itself: its folder says it runs, and it does not.
	b, err := os.ReadFile(filepath.Join(first.Dir, "running"))
	if err != nil {
		t.Fatal(err)
	}
	var pid, port int
	if _, err := fmt.Sscan(string(b), &pid, &port); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	deadline := time.Now().Add(10 * time.Second)
	for syscall.Kill(pid, 0) == nil && time.Now().Before(deadline) {
		<-time.After(10 * time.Millisecond) // until its parent has taken note
	}
	third, err := demo.StartPostgres(ctx, bin, opts)
	if err != nil {
		t.Fatalf("after a kill: %v", err)
	}
	// Nothing tells of the running server but its own pid file: it is replaced.
	if err := os.Remove(filepath.Join(third.Dir, "running")); err != nil {
		t.Fatal(err)
	}
	fourth, err := demo.StartPostgres(ctx, bin, opts)
	if err != nil {
		t.Fatalf("beside a forgotten server: %v", err)
	}
	fourth.Stop()
}

// A server that stops is said plainly, by its address, before a run and in the
// middle of one; the sources that still run go on.
func TestAServerStopsWhileInUse(t *testing.T) {
	ctx := context.Background()
	dir := enterableDir(t)
	bin, _ := demo.Installed()
	srv, err := demo.StartPostgres(ctx, bin, demo.Options{Dir: filepath.Join(dir, "servers"), Say: func(string, ...any) {}})
	if err != nil {
		t.Fatal(err)
	}
	defer srv.Stop()
	conn, err := srv.Postgres(ctx, "postgres")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(ctx, "CREATE TABLE t AS SELECT i AS a, repeat('x', 200) AS b FROM generate_series(1, 400000) i"); err != nil {
		t.Fatal(err)
	}
	_ = conn.Close(ctx)
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	secret := filepath.Join(dir, "secret")
	if err := os.WriteFile(secret, []byte(srv.Password+"\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	cfg := connect.Config{Host: "127.0.0.1", Port: srv.Port, Database: "postgres", User: "rovik_admin", Secret: "file:" + secret}
	if _, err := a.Sources.Add(ctx, "there", "postgresql", cfg, ""); err != nil {
		t.Fatal(err)
	}
	if _, err := a.Sources.Add(ctx, "file", "sqlite", configOf(makeSQLite(t, "CREATE TABLE t (a INTEGER)", "INSERT INTO t VALUES (2)")), ""); err != nil {
		t.Fatal(err)
	}
	run, err := a.Now().Start(ctx, queryOf("SELECT a, b FROM there.t"), project.NewRunID())
	if err != nil {
		t.Fatal(err)
	}
	defer run.Close()
	if _, err := run.Next(); err != nil {
		t.Fatal(err)
	}
	srv.Stop()
	for err == nil {
		_, err = run.Next()
	}
	if s := err.Error(); !strings.Contains(s, "there") || !strings.Contains(s, "PostgreSQL") {
		t.Errorf("in the middle of a run: %v", err)
	}
	o, _ := ours(ctx, a, "SELECT a FROM there.t", false)
	if o.err == nil || !strings.Contains(o.err.Error(), fmt.Sprintf("no PostgreSQL server answers at 127.0.0.1:%d", srv.Port)) {
		t.Errorf("before a run: %v", o.err)
	}
	if _, err := a.Sources.Refresh(ctx, "there"); err == nil || !strings.Contains(err.Error(), "start it") {
		t.Errorf("refreshing: %v", err)
	}
	if o, _ = ours(ctx, a, "SELECT a FROM file.t", false); o.err != nil || len(o.rows) != 1 {
		t.Errorf("the other source: %v", o.err)
	}
	if report, err := a.Now().Explain(t.Context(), queryOf("SELECT a FROM there.t WHERE a = 3")); err != nil || report.Pieces[0].Verdict != "folded" {
		t.Errorf("explaining does not need the source, and yet: %v", err)
	}
}

// A source that went away is an error with a sentence, and the others go on.
func TestAStoppedServerIsSaidPlainly(t *testing.T) {
	ctx := context.Background()
	home := t.TempDir()
	a, err := app.Open(ctx, home)
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	path := makeSQLite(t, "CREATE TABLE t (a INTEGER)", "INSERT INTO t VALUES (1)")
	for _, s := range []string{"gone", "there"} {
		p := path
		if s == "there" {
			p = makeSQLite(t, "CREATE TABLE t (a INTEGER)", "INSERT INTO t VALUES (2)")
		}
		if _, err := a.Sources.Add(ctx, s, "sqlite", configOf(p), ""); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.Remove(path); err != nil {
		t.Fatal(err)
	}
	o, _ := ours(ctx, a, "SELECT a FROM gone.t", false)
	if o.err == nil || !strings.Contains(o.err.Error(), "there is no SQLite file at") {
		t.Errorf("a missing file: %v", o.err)
	}
	o, _ = ours(ctx, a, "SELECT a FROM there.t", false)
	if o.err != nil || len(o.rows) != 1 {
		t.Errorf("the other source: %v", o.err)
	}
}

// SQLite's types belong to values: a column that holds several is read as text,
// and says so.
func TestLooseTypesAreSaid(t *testing.T) {
	ctx := context.Background()
	a, err := app.Open(ctx, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	path := makeSQLite(t, "CREATE TABLE t (a INTEGER, b NUMERIC, c REAL, d DATE, e DATE, f DECIMAL_TEXT(8,2), g BOOLEAN)",
		"INSERT INTO t VALUES (1, 1, 1, '2024-01-02', '2024-01-02', '1.50', 1), (NULL, 'x', 2.5, '2024-02-29', 'soon', '-2', 0)")
	found, err := a.Sources.Add(ctx, "loose", "sqlite", configOf(path), "")
	if err != nil {
		t.Fatal(err)
	}
	var types []string
	for _, c := range found.Tables[0].Columns {
		types = append(types, c.Name+" "+c.Type.String())
	}
	if got := strings.Join(types, ", "); got != "a bigint, b text, c double precision, d date, e text, f numeric(8,2), g boolean" {
		t.Errorf("the types are %s", got)
	}
	if note := found.Tables[0].Columns[1].Note; !strings.Contains(note, "1 integer, 1 text") {
		t.Errorf("the note on b is %q", note)
	}
	o, _ := ours(ctx, a, "SELECT b, c, d + 1 AS d1, f * 2 AS f2, g FROM loose.t WHERE d > date '2024-01-31' OR b = '1' ORDER BY d", false)
	if want := "[1|1|2024-01-03|3|true| x|2.5|2024-03-01|-4|false|]"; fmt.Sprint(o.rows) != want {
		t.Errorf("got %v (%v), want %s", o.rows, o.err, want)
	}
}

// Every expression that somebody wrote in a view gets a verdict, whatever was
// rewritten around it, with folding and without.
func TestEveryWrittenExpressionIsAPiece(t *testing.T) {
	seen := 0
	for _, v := range demo.Views {
		tree, err := syntax.Parse(v.SQL)
		if err != nil {
			t.Fatal(err)
		}
		for _, off := range []bool{false, true} {
			report, err := museum.Now().Explain(t.Context(), project.Query{SQL: "SELECT * FROM " + v.FullName(), FoldOff: off})
			if err != nil {
				t.Fatal(err)
			}
			for _, target := range targetsOf(tree.Body) {
				switch target.(type) {
				case *syntax.Column, *syntax.Literal, *syntax.Star:
					continue
				}
				at, found := target.At(), false
				for _, p := range report.Pieces {
					found = found || p.View == v.FullName() && p.Span[0] >= at.Start && p.Span[1] <= at.End
				}
				if seen++; !found {
					t.Errorf("%s: %q has no verdict (folding off: %v)", v.FullName(), v.SQL[at.Start:at.End], off)
				}
			}
		}
	}
	if seen < 40 {
		t.Errorf("only %d expressions were looked at", seen)
	}
}

// targetsOf lists the output expressions of a query, those of all its parts.
func targetsOf(body syntax.Body) []syntax.Expr {
	var out []syntax.Expr
	switch b := body.(type) {
	case *syntax.Select:
		for _, target := range b.Targets {
			out = append(out, target.Expr)
		}
	case *syntax.SetOp:
		out = append(targetsOf(b.Left.Body), targetsOf(b.Right.Body)...)
	}
	return out
}
