package mariadb

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"regexp"
	"strings"
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
	if steps.Failed() == nil {
		steps.AdviseReading(s.cfg.User, couldWrite(ctx, conn))
	}
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

// reads are the privileges with which nothing is written.
var reads = map[string]bool{"USAGE": true, "SELECT": true, "SHOW VIEW": true, "SHOW DATABASES": true, "PROCESS": true, "EXECUTE": true, "BINLOG MONITOR": true,
	"REPLICATION CLIENT": true, "SLAVE MONITOR": true, "REPLICA MONITOR": true, "CONNECTION ADMIN": true, "LOCK TABLES": true, "PROXY": true}

// grant reads a line of SHOW GRANTS: its privileges, with lists of columns, and what they are for.
var grant = regexp.MustCompile(`^GRANT (.+?) ON (\S+) TO `)

// columnList is what a privilege is bound to in a grant.
var columnList = regexp.MustCompile(` \([^)]*\)`)

// couldWrite lists the privileges of the user besides those of reading; nothing where that
// is not told.
func couldWrite(ctx context.Context, conn *sql.Conn) []string {
	rows, err := conn.QueryContext(ctx, "SHOW GRANTS")
	if err != nil {
		return nil
	}
	defer rows.Close()
	var could []string
	for rows.Next() {
		var line string
		if rows.Scan(&line) != nil {
			return could
		}
		m := grant.FindStringSubmatch(line)
		if m == nil { // of a role, whose own grants follow
			continue
		}
		for _, p := range strings.Split(columnList.ReplaceAllString(m[1], ""), ", ") {
			if !reads[p] {
				could = append(could, p+" on "+strings.ReplaceAll(m[2], "`", ""))
			}
		}
	}
	return could[:min(len(could), mostTold)]
}

// mostTold bounds the privileges that are told.
const mostTold = 6
