package mariadb

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/go-sql-driver/mysql"

	"rovik/connect"
	"rovik/core/value"
)

// Try takes the steps to the database; see connect.Source.
func (s *Source) Try(ctx context.Context, steps *connect.Steps) {
	if !steps.Reach(ctx, s.name, "MariaDB", s.cfg) {
		return
	}
	began := time.Now()
	// Through a server that accepts and then is silent the driver waits as long
	// as it is let.
	signIn, cancel := context.WithTimeout(ctx, connect.StepTimeout)
	conn, err := s.db.Conn(signIn)
	cancel()
	took := time.Since(began)
	if err == nil {
		defer conn.Close()
	}
	const noDatabase, noRightToDatabase = 1049, 1044
	var me *mysql.MySQLError
	answered := errors.As(err, &me)
	steps.SignIn(s.cfg, connect.SignedIn{
		Err: err, Sentence: s.explain(err), TLS: connect.TLSFailed(s.name, s.cfg, err), Took: took,
		Answered: answered, InDatabase: answered && (me.Number == noDatabase || me.Number == noRightToDatabase),
		Encryption: func() (string, error) {
			var name, version string
			if err := conn.QueryRowContext(ctx, "SHOW SESSION STATUS LIKE 'Ssl_version'").Scan(&name, &version); err != nil || version == "" {
				return "not encrypted", s.explain(err)
			}
			return "encrypted, " + version, nil
		},
	})
	steps.Take(connect.StepRights, func() (string, error) {
		if err := s.present(ctx); err != nil {
			return "", err
		}
		var readable int
		err := conn.QueryRowContext(ctx, "SELECT count(*) FROM information_schema.tables WHERE "+s.inDatabases("table_schema")).Scan(&readable)
		if err != nil {
			return "", s.explain(err)
		}
		if readable == 0 {
			which := s.cfg.Database
			if which == "" {
				which = "any database"
			}
			return "", value.Errorf(value.CodeSource, "%s sees no table of %s", s.cfg.User, which).WithHint("GRANT SELECT on the tables to the user, if there are any")
		}
		return fmt.Sprintf("%d tables and views", readable), nil
	})
	steps.Take(connect.StepVersion, func() (string, error) {
		var version string
		err := conn.QueryRowContext(ctx, "SELECT VERSION()").Scan(&version)
		return version, s.explain(err)
	})
	var off time.Duration
	steps.Take(connect.StepClock, func() (string, error) {
		began := time.Now()
		var now float64
		var zone string
		err := conn.QueryRowContext(ctx, "SELECT UNIX_TIMESTAMP(SYSDATE(6)), @@global.time_zone").Scan(&now, &zone)
		if err != nil {
			return "", s.explain(err)
		}
		var text string
		text, off = connect.Clock(time.UnixMicro(int64(now*1e6)), zone, time.Since(began))
		return text, nil
	})
	if off > time.Minute {
		steps.Advise("set the server's clock: its own NOW() and Rovik's differ")
	}
}
