// Package tests holds what crosses packages: the differential test against
// PostgreSQL, the sources' own statement logs, and the page in a browser. All
// run on real databases of their own.
package tests

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/jackc/pgx/v5"

	"rovik/app"
	"rovik/demo"
)

// scale keeps the tests quick; the demo itself is twenty times as large.
const scale = 0.05

var (
	env       *demo.Env
	museum    *app.App
	reference *pgx.Conn // one PostgreSQL with all tables and views, under the C collation
)

func TestMain(m *testing.M) {
	code, err := run(m)
	if err != nil {
		fmt.Fprintln(os.Stderr, "tests:", err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M) (code int, err error) {
	dir, err := os.MkdirTemp("", "rovik-tests-")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	// The servers' user has to get through.
	if err := os.Chmod(dir, 0o755); err != nil {
		return 1, err
	}
	ctx := context.Background()
	env, err = demo.Prepare(ctx, demo.Setup{Dir: filepath.Join(dir, "demo"), Scale: scale, LogStatements: true,
		Say: func(format string, args ...any) { fmt.Printf("tests: "+format+"\n", args...) }})
	if err != nil {
		return 1, err
	}
	defer env.Stop()
	if env.Postgres == nil || env.MariaDB == nil || env.Documents == nil {
		return 1, fmt.Errorf("PostgreSQL, MariaDB and bin/docserver have to be there: make deps build")
	}
	if reference, err = makeReference(ctx, env); err != nil {
		return 1, fmt.Errorf("making the reference: %w", err)
	}
	defer reference.Close(ctx)
	if museum, err = app.Open(ctx, env.Home); err != nil {
		return 1, err
	}
	defer museum.Close()
	return m.Run(), nil
}

// makeReference loads every table into one PostgreSQL database, in a schema
// for each source, and the views in one for each layer, so that a Rovik query
// is a PostgreSQL query as it stands.
func makeReference(ctx context.Context, env *demo.Env) (*pgx.Conn, error) {
	admin, err := env.Postgres.Postgres(ctx, "postgres")
	if err != nil {
		return nil, err
	}
	defer admin.Close(ctx)
	if _, err := admin.Exec(ctx, "CREATE DATABASE reference TEMPLATE template0 LC_COLLATE 'C' LC_CTYPE 'C' ENCODING 'UTF8'"); err != nil {
		return nil, err
	}
	conn, err := env.Postgres.Postgres(ctx, "reference")
	if err != nil {
		return nil, err
	}
	for _, q := range []string{"SET timezone = 'UTC'", "CREATE SCHEMA registry", "CREATE SCHEMA lending", "CREATE SCHEMA archive", "CREATE SCHEMA climate", "CREATE SCHEMA rates", "CREATE SCHEMA calendar", "CREATE SCHEMA condition", "CREATE SCHEMA facility",
		"CREATE SCHEMA intake", "CREATE SCHEMA joined", "CREATE SCHEMA delivery"} {
		if _, err := conn.Exec(ctx, q); err != nil {
			return nil, err
		}
	}
	for _, t := range env.Tables {
		if err := demo.LoadPostgres(ctx, conn, t.Source, []*demo.Table{t}); err != nil {
			return nil, err
		}
	}
	for _, v := range demo.Views {
		if _, err := conn.Exec(ctx, fmt.Sprintf("CREATE VIEW %s AS %s", v.FullName(), v.SQL)); err != nil {
			return nil, fmt.Errorf("view %s: %w", v.FullName(), err)
		}
	}
	return conn, nil
}
