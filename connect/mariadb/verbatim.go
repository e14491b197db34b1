package mariadb

import (
	"context"
	"fmt"
	"strings"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
)

// Describe asks for the columns of a statement and none of its rows; see
// connect.Describer.
func (s *Source) Describe(ctx context.Context, statement string) (*catalog.Table, error) {
	if err := sqldb.OneStatement(s.name, statement, sqldb.Lexis{Backslash: true, Backtick: true, Hash: true, Dashes: true, Commands: true}); err != nil {
		return nil, err
	}
	conn, err := s.db.Conn(ctx)
	if err != nil {
		return nil, s.explain(err)
	}
	defer drop(conn) // what it may have set goes with it
	rows, err := conn.QueryContext(ctx, "SELECT * FROM "+sqldb.Nested(statement)+" AS verbatim LIMIT 0")
	if err != nil {
		return nil, s.explain(err)
	}
	defer rows.Close()
	types, err := rows.ColumnTypes()
	if err != nil {
		return nil, s.explain(err)
	}
	t := sqldb.VerbatimTable(s.name, statement)
	for i, ct := range types {
		data, unsigned := strings.CutPrefix(strings.ToLower(ct.DatabaseTypeName()), "unsigned ")
		c := catalog.Column{Name: ct.Name(), Native: data, Nullable: true, Collation: fmt.Sprintf("not told %d", i)}
		if unsigned {
			c.Native += " unsigned"
		}
		precision, scale, _ := ct.DecimalSize()
		if !typed(&c, data, int(precision), int(scale)) {
			continue
		}
		t.Columns = append(t.Columns, c)
	}
	if err := rows.Err(); err != nil {
		return nil, s.explain(err)
	}
	return t, sqldb.CheckColumns(t)
}
