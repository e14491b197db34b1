package sqlite

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"fmt"
	"regexp"
	"strings"

	"modernc.org/sqlite"
)

// openReading opens a file for reading and nothing else, whatever a statement says: the file
// by its mode, and what statements may do by reads.
func openReading(dsn string) *sql.DB { return sql.OpenDB(opener{dsn}) }

// opener opens connections to one file.
type opener struct{ dsn string }

// Connect opens a connection; see driver.Connector.
func (o opener) Connect(context.Context) (driver.Conn, error) { return reader.Open(o.dsn) }

// Driver is what opens them; see driver.Connector.
func (o opener) Driver() driver.Driver { return reader }

// reader is the driver, with what only reads on each of its connections.
var reader = func() *sqlite.Driver {
	d := &sqlite.Driver{}
	d.RegisterConnectionHook(func(conn sqlite.ExecQuerierContext, _ string) error {
		guarded, ok := conn.(sqlite.AuthorizerRegisterer)
		if !ok {
			return fmt.Errorf("the driver of SQLite cannot be held to reading: %T", conn)
		}
		return guarded.RegisterAuthorizer(reads)
	})
	return d
}()

// tells are the pragmas that tell something, and whether they take the name of what they tell
// of. Others set something or do work, and so do some of these with an argument.
var tells = map[string]bool{"data_version": false, "schema_version": false, "query_only": false, "encoding": false, "collation_list": false, "compile_options": false,
	"table_info": true, "table_xinfo": true, "table_list": true, "index_list": true, "index_info": true, "index_xinfo": true, "foreign_key_list": true}

// reaches are the functions that reach out of the file.
var reaches = map[string]bool{"load_extension": true, "readfile": true, "writefile": true, "edit": true, "fts3_tokenizer": true}

// treeTables are the tables behind an R-tree, whose module prepares its writing to them
// whenever it is opened, and could not do it in a file that is open for reading.
var treeTables = regexp.MustCompile(`_(node|rowid|parent)$`)

// reads allows what reads and refuses all else, before it is done: writing, ATTACH, VACUUM,
// settings, extensions; see sqlite3_set_authorizer.
func reads(action sqlite.AuthorizerActionCode, first, second, _, _ string) sqlite.AuthorizerReturnCode {
	switch action {
	case sqlite.AuthSelect, sqlite.AuthRead, sqlite.AuthRecursive, sqlite.AuthTransaction:
		return sqlite.AuthorizerOK
	case sqlite.AuthInsert, sqlite.AuthUpdate, sqlite.AuthDelete:
		if treeTables.MatchString(first) {
			return sqlite.AuthorizerOK
		}
	case sqlite.AuthFunction:
		if !reaches[strings.ToLower(second)] {
			return sqlite.AuthorizerOK
		}
	case sqlite.AuthPragma:
		if named, known := tells[strings.ToLower(first)]; known && (named || second == "") {
			return sqlite.AuthorizerOK
		}
	}
	return sqlite.AuthorizerDeny
}
