// Package builder is what the Builder asks: a text as a form, its edits, the first rows of
// a query, profiles of its columns, and joins, suggested and measured. All that one
// Builder says is of one snapshot.
package builder

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"rovik/app/project"
	"rovik/app/queue"
	"rovik/app/sources"
	"rovik/core/exec"
	"rovik/core/explain"
	"rovik/core/form"
	"rovik/core/kernel"
	"rovik/core/syntax"
	"rovik/core/value"
)

// Builder answers over one snapshot of a project.
type Builder struct{ now *project.Snapshot }

// On returns the Builder of a snapshot.
func On(s *project.Snapshot) Builder { return Builder{s} }

// Built is a text as the Builder's form, with what is known of its parts.
type Built struct {
	Form  *form.Form  `json:"form" null:"never"`
	Facts *form.Facts `json:"facts" null:"never"`
}

// Build reads a text as a form. A text that does not bind has the facts of the
// parts before its mistake.
func (b Builder) Build(ctx context.Context, q project.Query) (_ *Built, err error) {
	defer value.Guard(&err)
	f, err := form.Of(q.SQL)
	if err != nil {
		return nil, err
	}
	facts := &form.Facts{Inputs: [][]form.InputFacts{}, Outputs: [][][]form.Column{}}
	if len(f.Blocks) > 0 {
		facts, _ = form.FactsOf(b.now.Binding(ctx, q), q.SQL, f) // what is wrong is explained beside it
	}
	return &Built{f, facts}, nil
}

// Edited is a text after edits, as a form and explained. Err says why the new text is not
// explained.
type Edited struct {
	SQL    string
	Built  *Built
	Report *explain.Report
	Err    error
}

// Edit makes edits of the form of a text. seen is the text whose form the edits are of;
// where the text has become another since, they are made where their parts are now.
func (b Builder) Edit(ctx context.Context, q project.Query, seen string, edits []form.Edit) (_ *Edited, err error) {
	defer value.Guard(&err)
	if edits, err = form.Rebase(seen, q.SQL, edits...); err != nil {
		return nil, err
	}
	if q.SQL, err = form.Apply(q.SQL, edits...); err != nil {
		return nil, err
	}
	out := &Edited{SQL: q.SQL}
	if out.Built, err = b.Build(ctx, q); err != nil {
		return nil, err
	}
	out.Report, out.Err = b.now.Explain(ctx, q)
	return out, nil
}

// Preview is the first rows of a query, as text.
type Preview struct {
	Columns      []explain.Column `json:"columns"`
	Rows         [][]*string      `json:"rows"`
	More         bool             `json:"more"`
	Crossed      int64            `json:"crossed"`
	Milliseconds float64          `json:"milliseconds"`
}

// previewRows is how many rows a preview has at most.
const previewRows = 40

// Preview reads the first rows of a query; the limit folds as far as it can.
func (b Builder) Preview(ctx context.Context, q project.Query) (_ *Preview, err error) {
	defer value.Guard(&err)
	began := time.Now()
	ctx, cancel := context.WithTimeout(ctx, sources.LookTimeout)
	defer cancel()
	c, _, err := b.now.Compile(ctx, q, nil) // mistakes have their place in the text as it stands
	if err != nil {
		return nil, err
	}
	q.SQL = fmt.Sprintf("SELECT * FROM (%s\n) AS preview LIMIT %d", syntax.Enclosable(q.SQL), previewRows+1)
	run, err := b.now.Start(queue.Previewing(ctx), q, project.NewRunID())
	if err != nil {
		return nil, err
	}
	defer run.Close()
	p := &Preview{Columns: explain.Of(c, 0).Columns, Rows: [][]*string{}}
	err = run.Each(func(rows kernel.Batch) error {
		for r := range rows.Len {
			p.Rows = append(p.Rows, exec.RowTexts(run.Columns, rows, r))
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if p.More = len(p.Rows) > previewRows; p.More {
		p.Rows = p.Rows[:previewRows]
	}
	if n := run.Report().RowsCrossed; n != nil {
		p.Crossed = *n
	}
	p.Milliseconds = float64(time.Since(began).Microseconds()) / 1000
	return p, nil
}

// ColumnProfile is what was measured of an output column, and the cleaning steps
// that this suggests.
type ColumnProfile struct {
	Of     string       `json:"of"` // what was measured, for a person
	Type   string       `json:"type"`
	Values []form.Count `json:"values"` // the most frequent ones
	// Distinct counts the values that were seen; Whole says that these are all.
	Distinct     int          `json:"distinct"`
	Rows         int64        `json:"rows"`
	Whole        bool         `json:"whole"`
	Sampled      bool         `json:"sampled"` // only the first rows were read
	Offers       []form.Offer `json:"offers"`
	Milliseconds float64      `json:"milliseconds"`
}

const (
	profiledValues = 40_000
	sampledRows    = 5000
	maxCounted     = 30_000
	shownValues    = 100
)

// ProfileOutput measures an output column of a text's block: the table's column
// that it is, or its values in the query.
func (b Builder) ProfileOutput(ctx context.Context, q project.Query, block, at, column int) (_ *ColumnProfile, err error) {
	defer value.Guard(&err)
	began := time.Now()
	built, err := b.Build(ctx, q)
	if err != nil {
		return nil, err
	}
	if block < 0 || block >= len(built.Facts.Outputs) || at < 0 || at >= len(built.Facts.Outputs[block]) || column < 0 || column >= len(built.Facts.Outputs[block][at]) {
		return nil, value.Errorf(value.CodeBadParameter, "there is no such output column")
	}
	col := built.Facts.Outputs[block][at][column]
	typ, err := value.ParseType(col.Type)
	if err != nil {
		return nil, err
	}
	from, of := "", ""
	if t := b.now.Catalog().Table(col.Table); t != nil && t.Verbatim == "" {
		from, of = fmt.Sprintf("SELECT t.%s FROM %s AS t", syntax.Identifier(col.Of), t.SQL()), col.Table+"."+col.Of
	} else {
		from, of = blockColumn(q.SQL, built, block, at, column), col.Name+", as computed here"
	}
	v, err := b.valuesOf(ctx, project.Query{SQL: from, Layer: q.Layer, View: q.View}, profiledValues)
	if err != nil {
		return nil, err
	}
	p := form.Profile{Type: typ.Kind, Values: v.counts, Whole: v.whole}
	out := &ColumnProfile{Of: of, Type: col.Type, Values: v.counts[:min(len(v.counts), shownValues)], Distinct: len(v.counts), Whole: v.whole, Sampled: v.sampled,
		Offers: p.Offers(), Milliseconds: float64(time.Since(began).Microseconds()) / 1000}
	for _, c := range v.counts {
		out.Rows += c.Rows
	}
	return out, nil
}

// blockColumn writes a query of one column of a block's rows.
func blockColumn(sql string, built *Built, block, at, column int) string {
	nth := column
	for _, cols := range built.Facts.Outputs[block][:at] {
		nth += len(cols)
	}
	total := 0
	for _, cols := range built.Facts.Outputs[block] {
		total += len(cols)
	}
	names := make([]string, total)
	for i := range names {
		names[i] = fmt.Sprint("c", i)
	}
	text := built.Form.Blocks[block].Text
	if len(built.Form.Blocks) == 1 {
		text = syntax.Enclosable(sql)
	}
	return fmt.Sprintf("SELECT t.c%d FROM (%s\n) AS t (%s)", nth, text, strings.Join(names, ", "))
}

// counted are the distinct values of a column with their rows.
type counted struct {
	counts  []form.Count
	whole   bool // all distinct values
	sampled bool // of the first rows alone
}

// valuesOf counts the values of a query of one column, the most frequent first. A
// source counts them, or they are those of the first rows: more is not fetched
// for it.
func (b Builder) valuesOf(ctx context.Context, q project.Query, most int) (*counted, error) {
	ctx, cancel := context.WithTimeout(ctx, sources.LookTimeout)
	defer cancel()
	out := &counted{counts: []form.Count{}}
	count := func(from string) string {
		return fmt.Sprintf("SELECT v, count(*) AS n FROM (%s) AS t (v) GROUP BY v ORDER BY n DESC, v LIMIT %d", from, most+1)
	}
	ask := q
	ask.SQL = count(q.SQL)
	if !b.countedBelow(ctx, ask) {
		out.sampled = true
		ask.SQL = count(fmt.Sprintf("SELECT * FROM (%s) AS s LIMIT %d", q.SQL, sampledRows))
	}
	rows, err := b.now.Rows(ctx, ask)
	if err != nil {
		return nil, err
	}
	var read int64
	for _, r := range rows {
		n, err := strconv.ParseInt(*r[1], 10, 64)
		if err != nil {
			return nil, err
		}
		read += n
		out.counts = append(out.counts, form.Count{Value: r[0], Rows: n})
	}
	out.whole = len(rows) <= most
	if out.whole && out.sampled && read < sampledRows {
		out.sampled = false // these were all rows
	}
	out.whole = out.whole && !out.sampled
	out.counts = out.counts[:min(len(out.counts), most)]
	return out, nil
}

// countedBelow reports whether few rows cross for a query, as expected: its groups
// are made by the source, or there are not many. Files are read here in any case.
func (b Builder) countedBelow(ctx context.Context, q project.Query) bool {
	c, _, err := b.now.Compile(ctx, q, nil)
	if err != nil {
		return true // it says so when it runs
	}
	var rows int64
	for _, st := range explain.Of(c, 0).Statements {
		if src := b.now.Has(st.Source); src == nil || !src.IsFiles() {
			rows += st.EstimatedRows
		}
	}
	return rows <= maxCounted
}
