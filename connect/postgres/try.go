package postgres

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"rovik/connect"
	"rovik/core/value"
)

// Try takes the steps to the database; see connect.Source.
func (s *Source) Try(ctx context.Context, steps *connect.Steps) {
	if !steps.Reach(ctx, s.name, "PostgreSQL", s.cfg) {
		return
	}
	began := time.Now()
	signIn, cancel := context.WithTimeout(ctx, connect.StepTimeout)
	conn, err := pgx.ConnectConfig(signIn, s.pool.Config().ConnConfig)
	cancel()
	took := time.Since(began)
	if err == nil {
		defer conn.Close(context.WithoutCancel(ctx))
	}
	var pe *pgconn.PgError
	answered := errors.As(err, &pe)
	steps.SignIn(s.cfg, connect.SignedIn{
		Err: err, Sentence: s.explain(err), TLS: connect.TLSFailed(s.name, s.cfg, err), Took: took,
		Answered: answered, InDatabase: answered && pe.Code == "3D000",
		Encryption: func() (string, error) { return encryption(ctx, conn), nil },
	})
	steps.Take(connect.StepRights, func() (string, error) {
		var readable, all int
		err := conn.QueryRow(ctx, `SELECT count(*) FILTER (WHERE has_table_privilege(c.oid, 'SELECT')), count(*) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
			WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\_%' AND NOT c.relispartition`).Scan(&readable, &all)
		if err != nil {
			return "", s.explain(err)
		}
		if readable == 0 {
			return "", value.Errorf(value.CodeSource, "%s may read none of the %d tables and views of %s", s.cfg.User, all, s.cfg.Database).
				WithHint("GRANT USAGE ON SCHEMA … and SELECT ON ALL TABLES IN SCHEMA … TO %s", s.cfg.User)
		}
		return fmt.Sprintf("%d of %d tables and views", readable, all), nil
	})
	if steps.Failed() == nil {
		steps.AdviseReading(s.cfg.User, couldWrite(ctx, conn))
	}
	steps.Take(connect.StepVersion, func() (string, error) {
		var version string
		err := conn.QueryRow(ctx, "SELECT current_setting('server_version')").Scan(&version)
		return "PostgreSQL " + version, s.explain(err)
	})
	var off time.Duration
	steps.Take(connect.StepClock, func() (string, error) {
		began := time.Now()
		var now time.Time
		var zone string
		// The session's zone is Rovik's own choice; the setting tells the server's.
		err := conn.QueryRow(ctx, "SELECT clock_timestamp(), (SELECT coalesce(reset_val, '') FROM pg_settings WHERE name = 'log_timezone')").Scan(&now, &zone)
		if err != nil {
			return "", s.explain(err)
		}
		var text string
		text, off = connect.Clock(now, zone, time.Since(began))
		return text, nil
	})
	if off > time.Minute {
		steps.Advise("set the server's clock: its own now() and Rovik's differ")
	}
}

// encryption reports whether a session is encrypted, by the server's word.
func encryption(ctx context.Context, conn *pgx.Conn) string {
	var version *string
	if err := conn.QueryRow(ctx, "SELECT version FROM pg_stat_ssl WHERE pid = pg_backend_pid() AND ssl").Scan(&version); err != nil || version == nil {
		return "not encrypted"
	}
	return "encrypted, " + *version
}

// couldWrite lists what the user may do besides reading; nothing where that is not told.
func couldWrite(ctx context.Context, conn *pgx.Conn) []string {
	var could []string
	_ = conn.QueryRow(ctx, `SELECT array_remove(ARRAY[
		CASE WHEN (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) THEN 'it is a superuser' END,
		CASE WHEN has_database_privilege(current_database(), 'CREATE') THEN 'it may make schemas' END,
		(SELECT 'it may make tables in ' || min(nspname) FROM pg_namespace WHERE nspname NOT LIKE 'pg\_%' AND nspname <> 'information_schema' AND has_schema_privilege(oid, 'CREATE') HAVING count(*) > 0),
		(SELECT 'it may change the rows of ' || count(*) || CASE count(*) WHEN 1 THEN ' table' ELSE ' tables' END FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
			WHERE c.relkind IN ('r', 'p', 'v', 'f') AND n.nspname <> 'information_schema' AND n.nspname NOT LIKE 'pg\_%'
				AND (has_table_privilege(c.oid, 'INSERT, UPDATE, DELETE, TRUNCATE') OR has_any_column_privilege(c.oid, 'INSERT, UPDATE')) HAVING count(*) > 0)], NULL)`).Scan(&could)
	return could
}
