package sqlite

import (
	"context"

	"rovik/connect/sqldb"
	"rovik/core/catalog"
)

// Describe runs a statement to see what its columns hold: a declared type says
// nothing of that; see connect.Describer.
func (s *Source) Describe(ctx context.Context, statement string) (*catalog.Table, error) {
	if err := sqldb.OneStatement(s.name, statement, sqldb.Lexis{Backtick: true, Bracket: true}); err != nil {
		return nil, err
	}
	nested := sqldb.Nested(statement) + " AS verbatim"
	rows, err := s.db.QueryContext(ctx, "SELECT * FROM "+nested+" LIMIT 0")
	if err != nil {
		return nil, s.explain(err)
	}
	types, err := rows.ColumnTypes()
	if err := rows.Close(); err != nil {
		return nil, s.explain(err)
	}
	if err != nil {
		return nil, s.explain(err)
	}
	t := sqldb.VerbatimTable(s.name, statement)
	for _, ct := range types {
		t.Columns = append(t.Columns, catalog.Column{Name: ct.Name(), Native: ct.DatabaseTypeName(), Nullable: true})
	}
	if err := sqldb.CheckColumns(t); err != nil {
		return nil, err
	}
	return t, s.measure(ctx, t, nested)
}
