package app

import (
	"context"
	"slices"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
	"rovik/records"
)

// RetypeColumn reads a column of a source as another type than was proposed, or
// as proposed again where typ is empty. Every value has to fit. A column that was
// keptReason out can be read as text. Views that would break are named, and nothing
// changes, unless it is to be in spite of them.
func (a *App) RetypeColumn(ctx context.Context, source, table, column, typ string, force bool) error {
	c, err := a.source(source)
	if err != nil {
		return err
	}
	r := *c.record
	if r.Found == nil {
		return value.Errorf(value.CodeSource, "%s was never reached", source).WithHint("refresh it first")
	}
	if err := retypable(c, table, column, typ); err != nil {
		return err
	}
	types := connect.ColumnTypes{}
	for t, columns := range r.Types {
		types[t] = map[string]value.Type{}
		for name, typ := range columns {
			types[t][name] = typ
		}
	}
	if types[table] == nil {
		types[table] = map[string]value.Type{}
	}
	delete(types[table], column)
	if typ != "" {
		chosen, err := value.ParseType(typ)
		if err != nil {
			return value.Errorf(value.CodeBadParameter, "%s", err)
		}
		if k := chosen.Kind; k.IsArray() || k == value.Char || k == value.Null || chosen.Precision > 0 {
			return value.Errorf(value.CodeBadParameter, "a column cannot be read as %s", chosen).WithHint("choose a type without a length, and cast in a view")
		}
		types[table][column] = chosen
	}
	r.Types = types
	conn := c.conn.(connect.Typer).WithTypes(types)
	if _, r.Found, err = discover(ctx, conn, r.Shapes); err != nil {
		return err
	}
	d := a.differences(c.record.Found.Without(r.Hidden), r.Found.Without(r.Hidden))
	if len(d.Broken) > 0 && !force {
		return wouldBreak(d, "change them first, or change it anyway (--force)")
	}
	return a.accept(ctx, c, r, d)
}

// retypable says why a column cannot be read as a type.
func retypable(c *connected, table, column, typ string) error {
	i := slices.IndexFunc(c.record.Found.Tables, func(t *catalog.Table) bool { return t.LocalName() == table })
	if i < 0 {
		return value.Errorf(value.CodeUndefinedTable, "%s has no table called %s", c.record.Name, table)
	}
	t := c.record.Found.Tables[i]
	left, at := t.LeftColumn(column), t.Column(column)
	if at < 0 && left == nil {
		return value.Errorf(value.CodeUndefinedColumn, "%s has no column called %s", t.FullName(), column)
	}
	typer, ok := c.conn.(connect.Typer)
	switch {
	case ok && typer.Proposes():
		return nil
	case ok && left != nil && left.AsText != "" && typ == "text", ok && at >= 0 && t.Columns[at].Chosen && typ == "":
		return nil
	case left != nil && left.AsText != "":
		return value.Errorf(value.CodeUnsupported, "%s.%s can be read as text alone", t.FullName(), column).WithHint("read it as text, and cast it in a view")
	case left != nil:
		return value.Errorf(value.CodeUnsupported, "%s.%s cannot be read: %s", t.FullName(), column, left.Reason)
	}
	return value.Errorf(value.CodeUnsupported, "the types of %s are its own", c.record.Name).WithHint("cast the column in a view")
}

// dressed gives a connection the shapes and types that are kept with its source.
func dressed(conn connect.Source, r *records.Source) connect.Source {
	conn = withShapes(conn, r.Shapes)
	if t, ok := conn.(connect.Typer); ok && len(r.Types) > 0 {
		return t.WithTypes(r.Types)
	}
	return conn
}
