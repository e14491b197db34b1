package sources

import (
	"context"
	"slices"
	"strings"

	"rovik/app/project"
	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/value"
)

// Retype reads a column of a source as another type than was proposed, or
// as proposed again where typ is empty. Every value has to fit. A column that was
// left out can be read as text, and others as their Choices have it. Views that would break are named, and nothing
// changes, unless forced.
func (s *Sources) Retype(ctx context.Context, source, table, column, typ string, force bool) error {
	now := s.project.Now()
	src, err := now.Source(source)
	if err != nil {
		return err
	}
	r := *src.Record
	if r.Found == nil {
		return value.Errorf(value.CodeSource, "%s has not been reached yet", source).WithHint("refresh it first")
	}
	if err := retypable(src, table, column, typ); err != nil {
		return err
	}
	table = r.Found.Tables[tableOf(src, table)].LocalName()
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
	conn := src.Conn.(connect.Typer).WithTypes(types)
	if _, r.Found, err = discover(ctx, conn, r.Shapes); err != nil {
		return err
	}
	d := differencesIn(now, known(src.Record), known(&r))
	if len(d.Broken) > 0 && !force {
		return project.RefuseToBreak(d.Broken, "change them first, or change it anyway (--force)")
	}
	return s.accept(ctx, src, r, d)
}

// tableOf finds a table by its name within the source, or by its name alone where that is one table's;
// −1 for none.
func tableOf(src *project.Source, name string) int {
	tables := src.Record.Found.Tables
	if i := slices.IndexFunc(tables, func(t *catalog.Table) bool { return t.LocalName() == name }); i >= 0 {
		return i
	}
	found := -1
	for i, t := range tables {
		if t.Name == name {
			if found >= 0 {
				return -1
			}
			found = i
		}
	}
	return found
}

// retypable says why a column cannot be read as a type.
func retypable(src *project.Source, table, column, typ string) error {
	i := tableOf(src, table)
	if i < 0 {
		return value.Errorf(value.CodeUndefinedTable, "%s has no table called %s", src.Record.Name, table)
	}
	t := src.Record.Found.Tables[i]
	left, at := t.LeftColumn(column), t.Column(column)
	if at < 0 && left == nil {
		return value.Errorf(value.CodeUndefinedColumn, "%s has no column called %s", t.FullName(), column)
	}
	typer, ok := src.Conn.(connect.Typer)
	switch {
	case ok && typer.Proposes():
		return nil
	case ok && left != nil && left.AsText != "" && typ == "text", ok && at >= 0 && t.Columns[at].Chosen && typ == "":
		return nil
	case ok && at >= 0 && len(t.Columns[at].Choices) > 0:
		var types []string
		for _, c := range t.Columns[at].Choices {
			types = append(types, c.Type)
		}
		if slices.Contains(types, typ) {
			return nil
		}
		return value.Errorf(value.CodeUnsupported, "%s.%s cannot be read as %s", t.FullName(), column, typ).WithHint("choose %s", strings.Join(types, " or "))
	case left != nil && left.AsText != "":
		return value.Errorf(value.CodeUnsupported, "%s.%s can be read as text alone", t.FullName(), column).WithHint("read it as text, and cast it in a view")
	case left != nil:
		return value.Errorf(value.CodeUnsupported, "%s.%s cannot be read: %s", t.FullName(), column, left.Reason)
	}
	return value.Errorf(value.CodeUnsupported, "%s defines the types of its columns", src.Record.Name).WithHint("cast the column in a view")
}
