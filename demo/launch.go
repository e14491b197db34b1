package demo

import (
	"context"
	"database/sql"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v5"
)

const adminUser = "rovik_admin"

// StartPostgres starts a private PostgreSQL from the programs in bin.
func StartPostgres(ctx context.Context, bin string, opts Options) (*Server, error) {
	cred, err := account()
	if err != nil {
		return nil, err
	}
	l := &launcher{kind: "postgresql", port: 54310, opts: opts, cred: cred}
	l.init = func(l *launcher) error {
		return l.run(filepath.Join(bin, "initdb"), "-D", l.path("data"), "-U", adminUser, "-E", "UTF8", "--locale=C.UTF-8",
			"--auth=scram-sha-256", "--pwfile="+l.path("admin.secret"), "--no-sync")
	}
	l.command = func(l *launcher) *exec.Cmd {
		args := []string{"-D", l.path("data"), "-p", fmt.Sprint(l.server.Port), "-k", l.dir,
			"-c", "listen_addresses=127.0.0.1", "-c", "fsync=off", "-c", "max_connections=60", "-c", "log_min_messages=warning"}
		if opts.LogStatements {
			args = append(args, "-c", "log_statement=all", "-c", "log_line_prefix=%m [%p] ")
		}
		return exec.Command(filepath.Join(bin, "postgres"), args...)
	}
	l.answers = func(ctx context.Context, s *Server) error {
		conn, err := s.Postgres(ctx, "postgres")
		if err != nil {
			return err
		}
		return conn.Close(ctx)
	}
	return l.start(ctx)
}

// Postgres connects to a private PostgreSQL as its administrator.
func (s *Server) Postgres(ctx context.Context, database string) (*pgx.Conn, error) {
	u := url.URL{Scheme: "postgres", User: url.UserPassword(adminUser, s.Password), Host: fmt.Sprintf("127.0.0.1:%d", s.Port), Path: database, RawQuery: "sslmode=disable"}
	return pgx.Connect(ctx, u.String())
}

// StartMariaDB starts a private MariaDB with the server program mariadbd.
func StartMariaDB(ctx context.Context, mariadbd string, opts Options) (*Server, error) {
	cred, err := account()
	if err != nil {
		return nil, err
	}
	l := &launcher{kind: "mariadb", port: 33710, opts: opts, cred: cred}
	l.init = func(l *launcher) error {
		install, err := exec.LookPath("mariadb-install-db")
		if err != nil {
			return fmt.Errorf("mariadb-install-db is missing: %w", err)
		}
		return l.run(install, "--no-defaults", "--datadir="+l.path("data"), "--auth-root-authentication-method=socket", "--skip-test-db")
	}
	l.command = func(l *launcher) *exec.Cmd {
		first := l.path("first.sql")
		grant := fmt.Sprintf("CREATE OR REPLACE USER '%s'@'127.0.0.1' IDENTIFIED BY '%s';\nGRANT ALL ON *.* TO '%s'@'127.0.0.1' WITH GRANT OPTION;\n", adminUser, l.server.Password, adminUser)
		_ = os.WriteFile(first, []byte(grant), 0o600)
		if l.cred != nil {
			_ = os.Chown(first, int(l.cred.Uid), int(l.cred.Gid))
		}
		args := []string{"--no-defaults", "--datadir=" + l.path("data"), "--port=" + fmt.Sprint(l.server.Port), "--bind-address=127.0.0.1",
			"--socket=" + l.path("db.sock"), "--pid-file=" + l.path("db.pid"), "--init-file=" + first, "--skip-name-resolve",
			"--innodb-flush-log-at-trx-commit=0", "--innodb-buffer-pool-size=128M", "--max-allowed-packet=64M"}
		if opts.LogStatements {
			args = append(args, "--general-log=1", "--general-log-file="+l.path("statements.log"))
		}
		return exec.Command(mariadbd, args...)
	}
	l.answers = func(ctx context.Context, s *Server) error {
		db, err := s.MariaDB("")
		if err != nil {
			return err
		}
		defer db.Close()
		return db.PingContext(ctx)
	}
	return l.start(ctx)
}

// MariaDB connects to a private MariaDB as its administrator.
func (s *Server) MariaDB(database string) (*sql.DB, error) {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.Net, c.Addr, c.DBName = adminUser, s.Password, "tcp", fmt.Sprintf("127.0.0.1:%d", s.Port), database
	c.Collation = "utf8mb4_general_ci"
	c.Logger = &mysql.NopLogger{}
	c.InterpolateParams = true
	connector, err := mysql.NewConnector(c)
	if err != nil {
		return nil, err
	}
	return sql.OpenDB(connector), nil
}
