package views

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"rovik/app/project"
	"rovik/core/catalog"
	"rovik/core/explain"
	"rovik/core/fold"
	"rovik/core/value"
	"rovik/records"
)

// Effects are what saving a view would do to it and to what reads it.
type Effects struct {
	Columns []ColumnChange       `json:"columns"`
	Readers []string             `json:"readers"`
	Broken  []project.WouldBreak `json:"broken"`
	// Mended are views that do not bind now and would.
	Mended []string `json:"mended"`
	// Worse are pieces that a source does now and would not any more.
	Worse []Worse `json:"worse"`
	// Crossing are the views of which more or fewer rows would cross.
	Crossing []Crossing `json:"crossing"`
	// Looked is how many of the readers' plans were compared: there may be very many.
	Looked int `json:"looked"`
}

// ColumnChange is a column that a view would have otherwise; Was or Is is empty
// where it is new or gone.
type ColumnChange struct {
	Name string `json:"name"`
	Was  string `json:"was"`
	Is   string `json:"is"`
}

// Worse is a piece of a view's text that would fold less.
type Worse struct {
	View   string       `json:"view"`
	Piece  string       `json:"piece"`
	Was    fold.Verdict `json:"was"`
	Is     fold.Verdict `json:"is"`
	Reason string       `json:"reason"`
}

// Crossing is how many rows are expected to cross for a view.
type Crossing struct {
	View string `json:"view"`
	Was  int64  `json:"was"`
	Is   int64  `json:"is"`
}

const (
	// lookedReaders and lookedFor bound how many plans are compared.
	lookedReaders = 60
	lookedFor     = 2 * time.Second
)

// EffectsOf tells what saving a view would do, without saving it.
func (vs *Views) EffectsOf(ctx context.Context, v catalog.View) (_ *Effects, err error) {
	defer value.Guard(&err)
	now := vs.project.Now()
	c := &project.Change{Change: records.Change{Put: []*catalog.View{&v}}}
	after, err := afterSaving(ctx, now, &v, c)
	if err != nil {
		return nil, err
	}
	is, name := now.Estate(), v.FullName()
	out := &Effects{Columns: []ColumnChange{}, Readers: is.Downstream(name), Broken: []project.WouldBreak{}, Mended: []string{}, Worse: []Worse{}, Crossing: []Crossing{}}
	was := is.View(name)
	if was == nil {
		return out, nil
	}
	if was.Err == nil { // else nobody knows what they were
		out.Columns = columnChanges(was.Table, after.View(name).Table)
	}
	until := time.Now().Add(lookedFor)
	for i, reader := range append([]string{name}, out.Readers...) {
		had, err := is.View(reader).Err, after.View(reader).Err
		if err != nil {
			if had == nil {
				out.Broken = append(out.Broken, project.Breaks(reader, err))
			}
			continue
		}
		if had != nil {
			out.Mended = append(out.Mended, reader)
			continue
		}
		if i > lookedReaders || time.Now().After(until) {
			continue
		}
		before, err1 := now.ExplainView(ctx, reader)
		next, err2 := now.After(c).ExplainView(ctx, reader)
		if err1 == nil && err2 == nil {
			out.Looked++
			out.compare(reader, reader == name, before, next)
		}
	}
	return out, nil
}

func columnChanges(was, is *catalog.Table) []ColumnChange {
	out := []ColumnChange{}
	for _, c := range was.Columns {
		i := is.Column(c.Name)
		switch {
		case i < 0:
			out = append(out, ColumnChange{c.Name, c.Type.String(), ""})
		case is.Columns[i].Type != c.Type:
			out = append(out, ColumnChange{c.Name, c.Type.String(), is.Columns[i].Type.String()})
		}
	}
	for _, c := range is.Columns {
		if was.Column(c.Name) < 0 {
			out = append(out, ColumnChange{c.Name, "", c.Type.String()})
		}
	}
	return out
}

// compare notes what is worse in a view's own text, and the rows that cross. The
// text that changes is compared by the words of its pieces, those of its readers
// by their places.
func (e *Effects) compare(view string, changed bool, before, after *explain.Report) {
	key := func(p explain.Piece) string {
		if changed {
			return fmt.Sprint(p.Kind, p.Text)
		}
		return fmt.Sprint(p.Kind, p.Span)
	}
	was := map[string]explain.Piece{}
	for _, p := range before.Pieces {
		if p.View == "" {
			if had, ok := was[key(p)]; !ok || p.Verdict.Compare(had.Verdict) > 0 {
				was[key(p)] = p
			}
		}
	}
	for _, p := range after.Pieces {
		had, ok := was[key(p)]
		if p.View == "" && ok && p.Verdict.Compare(had.Verdict) > 0 {
			w := Worse{View: view, Piece: p.Text, Was: had.Verdict, Is: p.Verdict}
			if p.Reason != nil {
				w.Reason = p.Reason.Text
			}
			if !slices.Contains(e.Worse, w) {
				e.Worse = append(e.Worse, w)
			}
		}
	}
	x, y := rowsCrossing(before), rowsCrossing(after)
	if d := math.Abs(float64(x - y)); d > 0.01*float64(max(x, y)) && d >= 1 {
		e.Crossing = append(e.Crossing, Crossing{view, x, y})
	}
}

func rowsCrossing(r *explain.Report) (rows int64) {
	for _, s := range r.Statements {
		rows += s.EstimatedRows
	}
	return rows
}
