package tests

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"net"
	"strings"
	"testing"

	"rovik/app/sources"
	"rovik/connect"
)

// The settings of a session are a premise: what a function behind a view of the source sets
// does not reach the queries that come after it.
func TestWhatViewsSetStaysWithThem(t *testing.T) {
	ctx := t.Context()
	pg, err := env.Postgres.Postgres(ctx, "postgres")
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Close(ctx)
	for _, q := range []string{"DROP DATABASE IF EXISTS setting", "CREATE DATABASE setting"} {
		if _, err := pg.Exec(ctx, q); err != nil {
			t.Fatal(err)
		}
	}
	in, err := env.Postgres.Postgres(ctx, "setting")
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close(ctx)
	rows := "INSERT INTO r VALUES (1, '2024-06-30 23:30:00', 'a', 0.1), (2, '2024-07-01 00:30:00', 'B', 1e300)"
	for _, q := range []string{"CREATE TABLE r (k int, at timestamp, v text, f float8)", rows,
		"CREATE SCHEMA mine", "CREATE FUNCTION mine.never(text, text) RETURNS boolean LANGUAGE sql AS $$ SELECT false $$", "CREATE OPERATOR mine.= (LEFTARG = text, RIGHTARG = text, FUNCTION = mine.never)",
		`CREATE VIEW sets AS SELECT k, set_config('TimeZone', 'Asia/Tokyo', false) AS a, set_config('extra_float_digits', '-5', false) AS b, set_config('search_path', 'mine, pg_catalog', false) AS c,
			set_config('bytea_output', 'escape', false) AS d, set_config('default_transaction_read_only', 'off', false) AS e FROM r`,
		"CREATE VIEW zone AS SELECT k, set_config('TimeZone', 'Asia/Tokyo', false) AS a FROM r",
		"GRANT USAGE ON SCHEMA public, mine TO rovik_reader", "GRANT SELECT ON ALL TABLES IN SCHEMA public TO rovik_reader"} {
		if _, err := in.Exec(ctx, q); err != nil {
			t.Fatal(q, err)
		}
	}
	ma, err := env.MariaDB.MariaDB("")
	if err != nil {
		t.Fatal(err)
	}
	defer ma.Close()
	for _, q := range []string{"DROP DATABASE IF EXISTS setting", "CREATE DATABASE setting CHARACTER SET utf8mb4", "CREATE TABLE setting.r (k int, at datetime, v varchar(9), f double)", strings.Replace(rows, "INTO r", "INTO setting.r", 1),
		"CREATE FUNCTION setting.sets(n int) RETURNS int BEGIN SET SESSION time_zone = '+09:00'; SET SESSION div_precision_increment = 9; SET SESSION sql_select_limit = 1; SET SESSION group_concat_max_len = 4; RETURN n; END",
		"CREATE VIEW setting.sets AS SELECT k, setting.sets(k) AS a FROM setting.r", "CREATE VIEW setting.zone AS SELECT * FROM setting.sets", "GRANT SELECT, SHOW VIEW, EXECUTE ON setting.* TO 'rovik_reader'@'127.0.0.1'"} {
		if _, err := ma.Exec(q); err != nil {
			t.Fatal(q, err)
		}
	}
	a := emptyProject(t)
	for name, n := range map[string]sources.NewSource{
		"p": {Kind: "postgresql", Password: demoPassword(t, "registry"), Config: connect.Config{Host: "127.0.0.1", Port: env.Postgres.Port, User: "rovik_reader", Database: "setting"}},
		"m": {Kind: "mariadb", Password: demoPassword(t, "lending"), Config: connect.Config{Host: "127.0.0.1", Port: env.MariaDB.Port, User: "rovik_reader", Database: "setting"}},
	} {
		n.Name, n.Config.Limits.Connections = name, 2
		if _, err := a.Sources.Connect(ctx, n); err != nil {
			t.Fatal(name, err)
		}
		queries := []string{"SELECT k FROM %s.r WHERE v = 'a'", "SELECT k FROM %s.r WHERE at::timestamptz < '2024-07-01 00:00:00+00'", "SELECT k, f, at::timestamptz FROM %s.r ORDER BY k", "SELECT string_agg(v, ',' ORDER BY k) FROM %s.r", "SELECT sum(f), count(*) FROM %s.r"}
		var before []outcome
		for _, q := range queries {
			o, _ := ours(ctx, a, fmt.Sprintf(q, name), false)
			if o.err != nil {
				t.Fatal(q, o.err)
			}
			before = append(before, o)
		}
		for i := range 4 {
			view := []string{"sets", "zone"}[i%2]
			if o, _ := ours(ctx, a, "SELECT * FROM "+name+"."+view, false); o.err != nil || len(o.rows) != 2 {
				t.Fatal(name, o.err, o.rows)
			}
			for i, q := range queries {
				o, _ := ours(ctx, a, fmt.Sprintf(q, name), false)
				if d := difference(o, before[i], true); d != "" {
					t.Errorf("%s, after the view %s: %s: %s", name, view, q, d)
				}
			}
		}
	}
}

// rewriting passes what a client and a server say on, with some words of the client's replaced.
func rewriting(t *testing.T, port int, was, is string) int {
	t.Helper()
	return listening(t, func(c net.Conn) {
		defer c.Close()
		to, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err != nil {
			return
		}
		defer to.Close()
		go func() { _, _ = io.Copy(c, to) }() // until one of them ends
		for b := make([]byte, 1<<16); ; {
			n, err := c.Read(b)
			if err != nil {
				return
			}
			if _, err := to.Write(bytes.ReplaceAll(b[:n], []byte(was), []byte(is))); err != nil {
				return
			}
		}
	})
}

// A session that does not get the settings that it asks for, as behind a pooler, is not used.
func TestSessionsWithoutTheirSettings(t *testing.T) {
	a := emptyProject(t)
	for _, c := range []struct {
		kind, secret, database, was, is, says string
		port                                  int
	}{
		{"postgresql", "registry", "registry", "intervalstyle\x00postgres\x00", "intervalstyle\x00iso_8601\x00", "intervalstyle", env.Postgres.Port},
		{"mariadb", "lending", "lending", "time_zone = '+00:00'", "time_zone = '+09:00'", "time_zone", env.MariaDB.Port},
		{"mariadb", "lending", "lending", "ERROR_FOR_DIVISION_BY_ZERO'", "HIGH_NOT_PRECEDENCE'       ", "sql_mode", env.MariaDB.Port},
	} {
		n := sources.NewSource{Name: "s", Kind: c.kind, Password: demoPassword(t, c.secret), Config: connect.Config{Host: "127.0.0.1", Port: rewriting(t, c.port, c.was, c.is), User: "rovik_reader", Database: c.database}}
		if _, err := a.Sources.Connect(t.Context(), n); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s with another %s: %v", c.kind, c.says, err)
		}
	}
}

// What a user could write is told where the source is tried.
func TestUsersWhoCouldWrite(t *testing.T) {
	ctx := t.Context()
	pg, err := env.Postgres.Postgres(ctx, "registry")
	if err != nil {
		t.Fatal(err)
	}
	defer pg.Close(ctx)
	ma, err := env.MariaDB.MariaDB("")
	if err != nil {
		t.Fatal(err)
	}
	defer ma.Close()
	const password = "not-a-secret-1"
	for _, q := range []string{"DROP ROLE IF EXISTS writer", "CREATE ROLE writer LOGIN PASSWORD '" + password + "' IN ROLE rovik_reader", "GRANT UPDATE (title) ON objects TO writer"} {
		if _, err := pg.Exec(ctx, q); err != nil {
			t.Fatal(q, err)
		}
	}
	defer func() { _, _ = pg.Exec(ctx, "DROP OWNED BY writer"); _, _ = pg.Exec(ctx, "DROP ROLE writer") }()
	for _, q := range []string{"CREATE OR REPLACE USER writer@'127.0.0.1' IDENTIFIED BY '" + password + "'", "GRANT SELECT, INSERT ON lending.loans TO writer@'127.0.0.1'", "GRANT UPDATE (packing), DELETE ON lending.loan_lines TO writer@'127.0.0.1'"} {
		if _, err := ma.Exec(q); err != nil {
			t.Fatal(q, err)
		}
	}
	defer func() { _, _ = ma.Exec("DROP USER writer@'127.0.0.1'") }()
	server := func(kind, database, user, password string, port int) sources.NewSource {
		return sources.NewSource{Name: "s", Kind: kind, Password: password, Config: connect.Config{Host: "127.0.0.1", Port: port, Database: database, User: user}}
	}
	for name, c := range map[string]struct {
		source sources.NewSource
		want   []string // none where it may only read
	}{
		"a reader of PostgreSQL": {server("postgresql", "registry", "rovik_reader", demoPassword(t, "registry"), env.Postgres.Port), nil},
		"a writer of PostgreSQL": {server("postgresql", "registry", "writer", password, env.Postgres.Port), []string{"writer could write", "1 table)"}},
		"a reader of MariaDB":    {server("mariadb", "lending", "rovik_reader", demoPassword(t, "lending"), env.MariaDB.Port), nil},
		"a writer of MariaDB":    {server("mariadb", "lending", "writer", password, env.MariaDB.Port), []string{"INSERT on lending.loans", "DELETE on lending.loan_lines"}},
		"documents for anybody":  {server("document", "condition", "", "", env.Documents.Port), []string{"asks for no sign-in"}},
	} {
		steps, err := museum.Sources.Try(ctx, c.source)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		hint := ""
		for _, s := range steps {
			if s.Name == connect.StepRights {
				hint = s.Hint
			}
		}
		if len(c.want) == 0 && hint != "" {
			t.Errorf("%s: %s", name, hint)
		}
		for _, want := range c.want {
			if !strings.Contains(hint, want) {
				t.Errorf("%s: the hint %q does not name %q", name, hint, want)
			}
		}
	}
}

// A password does not go in the clear to a server that asks for it so, unless the server
// has proven who it is.
func TestPasswordsDoNotGoInTheClear(t *testing.T) {
	const password = "not-a-secret-2"
	heard := make(chan string, 10)
	told := func(c net.Conn) {
		b := make([]byte, 4096)
		n, _ := c.Read(b)
		heard <- string(b[:n])
	}
	pg := listening(t, func(c net.Conn) {
		defer c.Close()
		for {
			var size [4]byte
			if _, err := io.ReadFull(c, size[:]); err != nil {
				return
			}
			rest := make([]byte, binary.BigEndian.Uint32(size[:])-4)
			if _, err := io.ReadFull(c, rest); err != nil {
				return
			}
			if len(rest) != 4 { // the start of a session, and no request to encrypt
				break
			}
			_, _ = c.Write([]byte("N"))
		}
		_, _ = c.Write([]byte{'R', 0, 0, 0, 8, 0, 0, 0, 3}) // asks for the password in the clear
		told(c)
	})
	ma := listening(t, func(c net.Conn) {
		defer c.Close()
		hello := append([]byte{10}, "10.11.0-MariaDB\x00"...)
		hello = append(hello, 1, 0, 0, 0)
		hello = append(hello, "12345678\x00"...)
		hello = append(hello, 0xff, 0xf7, 45, 2, 0, 0xff, 0x81, 21, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
		hello = append(hello, "123456789012\x00mysql_native_password\x00"...)
		_, _ = c.Write(append([]byte{byte(len(hello)), 0, 0, 0}, hello...))
		b := make([]byte, 4096)
		_, _ = c.Read(b)
		change := append([]byte{0xfe}, "mysql_clear_password\x00"...)
		_, _ = c.Write(append([]byte{byte(len(change)), 0, 0, 2}, change...))
		told(c)
	})
	for _, n := range []sources.NewSource{
		{Name: "s", Kind: "postgresql", Password: password, Config: connect.Config{Host: "127.0.0.1", Port: pg, User: "ann", Database: "x"}},
		{Name: "s", Kind: "postgresql", Password: password, Config: connect.Config{Host: "127.0.0.1", Port: pg, User: "ann", Database: "x", TLS: connect.TLSOff}},
		{Name: "s", Kind: "mariadb", Password: password, Config: connect.Config{Host: "127.0.0.1", Port: ma, User: "ann", Database: "x", TLS: connect.TLSOff}},
	} {
		steps, err := museum.Sources.Try(t.Context(), n)
		if err != nil {
			t.Fatal(err)
		}
		last := steps[len(steps)-1]
		if last.OK || !strings.Contains(last.Text+last.Hint, "in the clear") {
			t.Errorf("%s, %s: %+v", n.Kind, n.Config.TLS, last)
		}
		for len(heard) > 0 {
			if said := <-heard; strings.Contains(said, password) {
				t.Errorf("%s was told %q", n.Kind, said)
			}
		}
	}
}
