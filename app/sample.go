package app

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/value"
)

// Look is what a table looks like: its first rows, and what its source measured
// of each column.
type Look struct {
	Columns []ColumnLook `json:"columns"`
	First   [][]*string  `json:"first"` // rows, NULL as nil
	Rows    int64        `json:"rows"`
	// Problem says why nothing was measured, where that is so.
	Problem      string  `json:"problem"`
	Milliseconds float64 `json:"milliseconds"`
}

// ColumnLook is what was measured of a column; nil where the source does not
// compute it exactly, and Left says so.
type ColumnLook struct {
	Name     string  `json:"name"`
	Type     string  `json:"type"`
	Nulls    *int64  `json:"nulls"`
	Distinct *int64  `json:"distinct"`
	Least    *string `json:"least"`
	Greatest *string `json:"greatest"`
	Left     string  `json:"left"`
}

// Frequent is a value with the number of its rows; nil is NULL.
type Frequent struct {
	Value *string `json:"value"`
	Rows  int64   `json:"rows"`
}

const (
	firstRows    = 30
	frequentMost = 12
	// countsDistinct is up to how many rows of files different values are counted,
	// which is Rovik's own work there.
	countsDistinct = 1_000_000
	// lookTimeout bounds how long a source measures.
	lookTimeout = 30 * time.Second
)

// table finds a table of a source, by its name or schema.name.
func (a *App) table(source, name string) (*connected, *catalog.Table, error) {
	c, err := a.source(source)
	if err != nil {
		return nil, nil, err
	}
	t := a.Catalog().Table(source + "." + name)
	if t == nil {
		return nil, nil, value.Errorf(value.CodeUndefinedTable, "%s has no table called %q", source, name).WithHint("refresh the source if it is new")
	}
	return c, t, nil
}

// written writes a table's name in SQL.
func written(t *catalog.Table) string {
	parts := []string{t.Source, t.Schema, t.Name}
	if t.Schema == "" {
		parts = []string{t.Source, t.Name}
	}
	for i, p := range parts {
		parts[i] = quoted(p)
	}
	return strings.Join(parts, ".")
}

func quoted(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// LookAt reads a table's first rows, and has its source measure its columns in
// one statement. What the source does not compute exactly is left out rather
// than fetched; files are read here in any case.
func (a *App) LookAt(ctx context.Context, source, table string) (look *Look, err error) {
	defer value.Guard(&err)
	began := time.Now()
	c, t, err := a.table(source, table)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, lookTimeout)
	defer cancel()
	look = &Look{Columns: []ColumnLook{}}
	if look.First, err = a.firstRows(ctx, fmt.Sprintf("SELECT * FROM %s LIMIT %d", written(t), firstRows)); err != nil {
		return nil, err
	}
	m := &measures{app: a, table: written(t), files: c.readHere()}
	rows := m.ask("count(*)")
	type at struct{ nulls, distinct, least, greatest int }
	places := make([]at, len(t.Columns))
	for i, col := range t.Columns {
		out := ColumnLook{Name: col.Name, Type: col.Type.String()}
		name := quoted(col.Name)
		places[i] = at{m.ask("count(" + name + ")"), -1, -1, -1}
		switch {
		case !col.Type.Kind.Comparable():
		case m.files && t.Rows > countsDistinct:
			out.Left = "Different values are not counted in files of so many rows."
		default:
			places[i].distinct = m.ask("count(DISTINCT " + name + ")")
		}
		if _, _, err := kernel.ResolveAggregate("min", []value.Kind{col.Type.Kind}, 0); err == nil {
			places[i].least, places[i].greatest = m.ask("min("+name+")"), m.ask("max("+name+")")
		}
		if m.refused != nil {
			out.Left = m.refused.Text
			m.refused = nil
		}
		look.Columns = append(look.Columns, out)
	}
	cells, err := m.answers(ctx)
	if err != nil {
		look.Problem = err.Error()
		if errors.Is(err, context.DeadlineExceeded) || ctx.Err() != nil {
			look.Problem = fmt.Sprintf("the source did not finish measuring within %s", lookTimeout)
		}
		return look, nil
	}
	number := func(at int) *int64 {
		if at < 0 || cells[at] == nil {
			return nil
		}
		n, err := strconv.ParseInt(*cells[at], 10, 64)
		if err != nil {
			return nil
		}
		return &n
	}
	text := func(at int) *string {
		if at < 0 {
			return nil
		}
		return cells[at]
	}
	if n := number(rows); n != nil {
		look.Rows = *n
	}
	for i := range look.Columns {
		col := &look.Columns[i]
		if n := number(places[i].nulls); n != nil {
			nulls := look.Rows - *n
			col.Nulls = &nulls
		}
		col.Distinct, col.Least, col.Greatest = number(places[i].distinct), text(places[i].least), text(places[i].greatest)
	}
	look.Milliseconds = float64(time.Since(began).Microseconds()) / 1000
	return look, nil
}

// measures are aggregates of a table that its source computes.
type measures struct {
	app     *App
	table   string
	files   bool
	asked   []string
	refused *fold.Reason // the last one
}

// ask adds an aggregate, and returns its place; -1 where the source does not
// compute it.
func (m *measures) ask(aggregate string) int {
	if why := m.app.keptReason(fmt.Sprintf("SELECT %s AS m FROM %s", aggregate, m.table)); why != nil && !m.files {
		m.refused = why
		return -1
	}
	m.asked = append(m.asked, aggregate)
	return len(m.asked) - 1
}

func (m *measures) answers(ctx context.Context) ([]*string, error) {
	items := make([]string, len(m.asked))
	for i, a := range m.asked {
		items[i] = fmt.Sprintf("%s AS m%d", a, i)
	}
	rows, err := m.app.firstRows(ctx, fmt.Sprintf("SELECT %s FROM %s", strings.Join(items, ", "), m.table))
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}

// keptReason returns why some piece of a query does not fold, or nil where all do.
func (a *App) keptReason(sql string) *fold.Reason {
	c, _, err := a.Compile(Query{SQL: sql}, nil)
	if err != nil {
		return &fold.Reason{Text: err.Error()}
	}
	for _, p := range c.Pieces {
		if p.Reason != nil {
			return p.Reason
		}
	}
	return nil
}

// firstRows runs a query of few rows, and gives them as texts.
func (a *App) firstRows(ctx context.Context, sql string) ([][]*string, error) {
	return a.firstRowsOf(ctx, Query{SQL: sql})
}

func (a *App) firstRowsOf(ctx context.Context, q Query) ([][]*string, error) {
	run, err := a.Start(ctx, q, newID())
	if err != nil {
		return nil, err
	}
	defer run.Close()
	out := [][]*string{}
	err = eachBatch(run, func(b kernel.Batch) error {
		for r := range b.Len {
			out = append(out, RowTexts(run.Columns, b, r))
		}
		return nil
	})
	return out, err
}

// MostFrequent has a source count the most frequent values of a column.
func (a *App) MostFrequent(ctx context.Context, source, table, column string) (_ []Frequent, err error) {
	defer value.Guard(&err)
	c, t, err := a.table(source, table)
	if err != nil {
		return nil, err
	}
	if t.Column(column) < 0 {
		return nil, value.Errorf(value.CodeUndefinedColumn, "%s has no column called %q", t.FullName(), column)
	}
	sql := fmt.Sprintf("SELECT %s AS v, count(*) AS n FROM %s GROUP BY 1 ORDER BY n DESC, v LIMIT %d", quoted(column), written(t), frequentMost)
	if why := a.keptReason(sql); why != nil && !c.readHere() {
		return nil, value.Errorf(value.CodeUnsupported, "%s does not count the values of %s exactly, and they are not fetched for it: %s", source, column, why.Text)
	}
	ctx, cancel := context.WithTimeout(ctx, lookTimeout)
	defer cancel()
	rows, err := a.firstRows(ctx, sql)
	if err != nil {
		return nil, err
	}
	out := []Frequent{}
	for _, r := range rows {
		n, err := strconv.ParseInt(*r[1], 10, 64)
		if err != nil {
			return nil, err
		}
		out = append(out, Frequent{r[0], n})
	}
	return out, nil
}
