package sources

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/syntax"
	"rovik/core/value"
	"rovik/records"
)

// DeclareKey declares that columns of a table are unique or, where k.To is set,
// that they hold keys of another table. That is measured, and refused where it
// does not hold.
func (s *Sources) DeclareKey(ctx context.Context, source string, k catalog.DeclaredKey) (_ *catalog.DeclaredKey, err error) {
	defer value.Guard(&err)
	now := s.project.Now()
	src, t, err := now.Table(source, k.Table)
	if err != nil {
		return nil, err
	}
	k.Table = t.LocalName()
	if err := checkKey(now, t, k); err != nil {
		return nil, err
	}
	if slices.ContainsFunc(src.Record.Declared, k.Same) {
		return nil, value.Errorf(value.CodeDuplicate, "that key is declared already").WithHint("refresh the source to measure it again")
	}
	if k, err = measureKey(ctx, now, t, k); err != nil {
		return nil, err
	}
	if k.Breaks > 0 {
		return nil, notAKey(t, k)
	}
	return &k, s.Alter(ctx, source, func(r *records.Source) { r.Declared = append(slices.Clone(r.Declared), k) })
}

// DropKey takes a declared key back.
func (s *Sources) DropKey(ctx context.Context, source string, k catalog.DeclaredKey) error {
	src, err := s.project.Now().Source(source)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(src.Record.Declared, k.Same) {
		return value.Errorf(value.CodeUndefinedTable, "%s has no declared key of %s (%s)", source, k.Table, strings.Join(k.Columns, ", "))
	}
	return s.Alter(ctx, source, func(r *records.Source) { r.Declared = slices.DeleteFunc(slices.Clone(r.Declared), k.Same) })
}

// checkKey says why a declaration makes no sense.
func checkKey(now *project.Snapshot, t *catalog.Table, k catalog.DeclaredKey) error {
	missing := func(t *catalog.Table, columns []string) error {
		for i, c := range columns {
			if t.Column(c) < 0 {
				return value.Errorf(value.CodeUndefinedColumn, "%s has no column called %q", t.FullName(), c)
			}
			if slices.Index(columns, c) < i {
				return value.Errorf(value.CodeBadParameter, "the column %s is listed twice", c)
			}
		}
		return nil
	}
	if len(k.Columns) == 0 {
		return value.Errorf(value.CodeBadParameter, "a key has at least one column")
	}
	if err := missing(t, k.Columns); err != nil {
		return err
	}
	if k.To == "" {
		if len(k.References) > 0 {
			return value.Errorf(value.CodeBadParameter, "a unique key refers to no columns").WithHint("say of which table they are")
		}
		return nil
	}
	to := now.Catalog().Table(k.To)
	if to == nil {
		return value.Errorf(value.CodeUndefinedTable, "there is no table called %q", k.To).WithHint("write it with its source, as source.table")
	}
	if len(k.References) != len(k.Columns) {
		return value.Errorf(value.CodeBadParameter, "%d columns cannot hold a key of %d", len(k.Columns), len(k.References))
	}
	return missing(to, k.References)
}

// measureKey counts what holds and what breaks a key. Values are grouped before
// they cross, so that each source gives its distinct values at most.
func measureKey(ctx context.Context, now *project.Snapshot, t *catalog.Table, k catalog.DeclaredKey) (catalog.DeclaredKey, error) {
	columns := quotedAll("t", k.Columns)
	whole := strings.Join(columns, " IS NOT NULL AND ") + " IS NOT NULL"
	groups := fmt.Sprintf("SELECT %s, count(*) AS n FROM %s AS t WHERE %s GROUP BY %s", strings.Join(columns, ", "), t.SQL(), whole, strings.Join(columns, ", "))
	breaks := groups + " HAVING count(*) > 1"
	if k.To != "" {
		var same []string
		for i, c := range quotedAll("o", k.References) {
			same = append(same, c+" = g."+syntax.Identifier(k.Columns[i]))
		}
		breaks = fmt.Sprintf("SELECT g.n FROM (%s) AS g WHERE NOT EXISTS (SELECT 1 FROM %s AS o WHERE %s)", groups, now.Catalog().Table(k.To).SQL(), strings.Join(same, " AND "))
	}
	for _, m := range []struct {
		sql string
		to  *int64
	}{
		{fmt.Sprintf("SELECT count(*) FROM %s AS t WHERE %s", t.SQL(), whole), &k.Rows},
		{fmt.Sprintf("SELECT count(*) FROM %s AS t WHERE NOT (%s)", t.SQL(), whole), &k.Nulls},
		{fmt.Sprintf("SELECT count(*) FROM (%s) AS b", breaks), &k.Breaks},
	} {
		rows, err := now.Rows(ctx, project.Query{SQL: m.sql})
		if err != nil {
			return k, err
		}
		if *m.to, err = strconv.ParseInt(*rows[0][0], 10, 64); err != nil {
			return k, err
		}
	}
	k.MeasuredAt = time.Now().UTC()
	return k, nil
}

// quotedAll writes columns of a table in SQL.
func quotedAll(of string, columns []string) []string {
	out := make([]string, len(columns))
	for i, c := range columns {
		out[i] = of + "." + syntax.Identifier(c)
	}
	return out
}

// notAKey says what breaks a key.
func notAKey(t *catalog.Table, k catalog.DeclaredKey) error {
	columns := strings.Join(k.Columns, ", ")
	values := fmt.Sprintf("%d values", k.Breaks)
	if k.Breaks == 1 {
		values = "1 value"
	}
	if k.To != "" {
		return value.Errorf(value.CodeBadParameter, "%s (%s) does not always hold a key of %s: %s of %d rows are not there", t.FullName(), columns, k.To, values, k.Rows)
	}
	return value.Errorf(value.CodeBadParameter, "%s is not unique by %s: more than one row has it for %s of %d rows", t.FullName(), columns, values, k.Rows)
}

// remeasured measures the declared keys of a source again. One that cannot be
// measured, because its columns or the other table went, stays as it was: it
// counts for nothing until they are back.
func remeasured(ctx context.Context, now *project.Snapshot, src *project.Source) []catalog.DeclaredKey {
	out := slices.Clone(src.Record.Declared)
	for i, k := range out {
		_, t, err := now.Table(src.Record.Name, k.Table)
		if err != nil || checkKey(now, t, k) != nil {
			continue
		}
		if now, err := measureKey(ctx, now, t, k); err == nil {
			out[i] = now
		}
	}
	return out
}
