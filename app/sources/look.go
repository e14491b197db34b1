package sources

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/core/fold"
	"rovik/core/kernel"
	"rovik/core/syntax"
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
	// countsDistinct is up to how many rows of files distinct values are counted,
	// which is Rovik's own work there.
	countsDistinct = 1_000_000
	// LookTimeout bounds how long a source measures.
	LookTimeout = 30 * time.Second
)

// LookAt reads a table's first rows, and has its source measure its columns in
// one statement. What the source does not compute exactly is left out rather
// than fetched; files are read here in any case.
func (s *Sources) LookAt(ctx context.Context, source, table string) (look *Look, err error) {
	defer value.Guard(&err)
	began := time.Now()
	now := s.project.Now()
	src, t, err := now.Table(source, table)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, LookTimeout)
	defer cancel()
	look = &Look{Columns: []ColumnLook{}}
	if look.First, err = now.Rows(ctx, project.Query{SQL: fmt.Sprintf("SELECT * FROM %s LIMIT %d", t.SQL(), firstRows)}); err != nil {
		return nil, err
	}
	m := &measures{now: now, table: t.SQL(), files: src.IsFiles()}
	rows := m.ask(ctx, "count(*)")
	type at struct{ nulls, distinct, least, greatest int }
	places := make([]at, len(t.Columns))
	for i, col := range t.Columns {
		out := ColumnLook{Name: col.Name, Type: col.Type.String()}
		name := syntax.Identifier(col.Name)
		places[i] = at{m.ask(ctx, "count("+name+")"), -1, -1, -1}
		switch {
		case !col.Type.Kind.Comparable():
		case m.files && t.Rows > countsDistinct:
			out.Left = "Distinct values are not counted in files of so many rows."
		default:
			places[i].distinct = m.ask(ctx, "count(DISTINCT "+name+")")
		}
		if _, _, err := kernel.ResolveAggregate("min", []value.Kind{col.Type.Kind}, 0); err == nil {
			places[i].least, places[i].greatest = m.ask(ctx, "min("+name+")"), m.ask(ctx, "max("+name+")")
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
			look.Problem = fmt.Sprintf("the source did not finish measuring within %s", LookTimeout)
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
	now     *project.Snapshot
	table   string
	files   bool
	asked   []string
	refused *fold.Reason // the last one
}

// ask adds an aggregate, and returns its place; -1 where the source does not
// compute it.
func (m *measures) ask(ctx context.Context, aggregate string) int {
	if why := keptReason(ctx, m.now, fmt.Sprintf("SELECT %s AS m FROM %s", aggregate, m.table)); why != nil && !m.files {
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
	rows, err := m.now.Rows(ctx, project.Query{SQL: fmt.Sprintf("SELECT %s FROM %s", strings.Join(items, ", "), m.table)})
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}

// keptReason returns why some piece of a query does not fold, or nil where all do.
func keptReason(ctx context.Context, now *project.Snapshot, sql string) *fold.Reason {
	c, _, err := now.Compile(ctx, project.Query{SQL: sql}, nil)
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

// MostFrequent has a source count the most frequent values of a column.
func (s *Sources) MostFrequent(ctx context.Context, source, table, column string) (_ []Frequent, err error) {
	defer value.Guard(&err)
	now := s.project.Now()
	src, t, err := now.Table(source, table)
	if err != nil {
		return nil, err
	}
	if t.Column(column) < 0 {
		return nil, value.Errorf(value.CodeUndefinedColumn, "%s has no column called %q", t.FullName(), column)
	}
	sql := fmt.Sprintf("SELECT %s AS v, count(*) AS n FROM %s GROUP BY 1 ORDER BY n DESC, v LIMIT %d", syntax.Identifier(column), t.SQL(), frequentMost)
	if why := keptReason(ctx, now, sql); why != nil && !src.IsFiles() {
		return nil, value.Errorf(value.CodeUnsupported, "%s does not count the values of %s exactly, and they are not fetched for it: %s", source, column, why.Text)
	}
	ctx, cancel := context.WithTimeout(ctx, LookTimeout)
	defer cancel()
	rows, err := now.Rows(ctx, project.Query{SQL: sql})
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
