package postgres

import (
	"context"

	"github.com/jackc/pgx/v5/pgconn"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
	"rovik/core/value"
)

// Describe prepares a statement, without running it; see connect.Describer.
func (s *Source) Describe(ctx context.Context, statement string) (*catalog.Table, error) {
	if err := sqldb.OneStatement(s.name, statement, sqldb.Lexis{Escaped: true, Dollar: true, Nests: true}); err != nil {
		return nil, err
	}
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return nil, s.explain(err)
	}
	defer conn.Release()
	var d *pgconn.StatementDescription
	err = inUserPath(ctx, conn.Conn().PgConn(), func() (err error) {
		d, err = conn.Conn().PgConn().Prepare(ctx, "", "SELECT * FROM "+sqldb.Nested(statement)+" AS verbatim", nil)
		return err
	})
	if err != nil {
		return nil, s.explain(err)
	}
	if len(d.ParamOIDs) > 0 {
		return nil, value.Errorf(value.CodeUnsupported, "%s: a statement as it stands takes no parameters", s.name).WithHint("write the values into it")
	}
	t := sqldb.VerbatimTable(s.name, statement)
	names := map[uint32]string{}
	var oids []uint32
	for _, f := range d.Fields {
		oids = append(oids, f.DataTypeOID)
	}
	rows, err := conn.Query(ctx, "SELECT oid, typname FROM pg_type WHERE oid = ANY($1)", oids)
	if err != nil {
		return nil, s.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var oid uint32
		var name string
		if err := rows.Scan(&oid, &name); err != nil {
			return nil, s.explain(err)
		}
		names[oid] = name
	}
	if err := rows.Err(); err != nil {
		return nil, s.explain(err)
	}
	for _, f := range d.Fields {
		c := catalog.Column{Name: f.Name, Native: names[f.DataTypeOID], Nullable: true}
		typed(&c, c.Native, f.TypeModifier)
		if c.Type.Kind.IsText() {
			c.Collation = nondeterministic + "or not" // it is not told
		}
		t.Columns = append(t.Columns, c)
	}
	return t, sqldb.CheckColumns(t)
}
