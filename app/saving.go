package app

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"rovik/core/catalog"
	"rovik/core/estate"
	"rovik/core/exec"
	"rovik/core/fold"
	"rovik/core/value"
	"rovik/records"
)

// codeStale is of a view that someone else saved meanwhile.
const codeStale = "40001"

// What a view that is saved may be based on, besides a revision's number.
const (
	NewView     = records.NewView
	AnyRevision = records.AnyRevision
)

// SaveView keeps a view, having checked that it and everything that reads it
// bind. With replace it changes a view that is there; else the name must be
// free.
func (a *App) SaveView(ctx context.Context, v catalog.View, replace bool) (*catalog.View, error) {
	base := NewView
	if replace {
		base = AnyRevision
	}
	return a.SaveRevision(ctx, v, "", base)
}

// SaveRevision is SaveView with a message, of a text that is based on a revision:
// it is refused where another was saved since.
func (a *App) SaveRevision(ctx context.Context, v catalog.View, message string, base int) (*catalog.View, error) {
	a.write.Lock()
	defer a.write.Unlock()
	if base == NewView && a.Catalog().View(v.FullName()) != nil {
		return nil, taken(&v)
	}
	after, err := a.checkView(&v)
	if err != nil {
		return nil, err
	}
	if was := a.Catalog().View(v.FullName()); was != nil && v.Notes.Columns == nil && v.Notes.Labels == nil && v.SQL != was.SQL {
		v.Notes = was.Notes
	}
	v.Notes = notesFor(v.Notes, after.View(v.FullName()).Table)
	before := a.state.Load().estate
	for _, reader := range before.Downstream(v.FullName()) {
		if now := after.View(reader); now.Err != nil && before.View(reader).Err == nil {
			return nil, value.Errorf(codeBroken, "%s reads this view and would break: %s", reader, now.Err).
				WithHint("keep what it reads, or change it first")
		}
	}
	switch err := a.store.PutViews(ctx, []*catalog.View{&v}, message, base); {
	case errors.Is(err, records.ErrTaken):
		return nil, taken(&v)
	case errors.Is(err, records.ErrStale):
		now := a.Catalog().View(v.FullName())
		if now == nil {
			return nil, value.Errorf(codeStale, "%s was removed meanwhile: this text is based on its revision %d", v.FullName(), base).
				WithHint("save it as a new view to have it again")
		}
		return nil, value.Errorf(codeStale, "%s was saved by someone else meanwhile, as revision %d: this text is based on revision %d", v.FullName(), now.Revision, base).
			WithHint("compare both, then save over it or take what is there")
	case err != nil:
		return nil, err
	}
	return &v, a.load(ctx)
}

// RemoveView forgets a view; its revisions are kept, and go on where the name is
// used again. It is refused where others read the view, unless force.
func (a *App) RemoveView(ctx context.Context, name string, force bool) error {
	a.write.Lock()
	defer a.write.Unlock()
	s := a.state.Load()
	v, err := a.viewNamed(name)
	if err != nil {
		return err
	}
	if readers := s.estate.Readers(name); len(readers) > 0 && !force {
		return value.Errorf(codeBroken, "%s would break: %s reads it", strings.Join(s.estate.Downstream(name), ", "), strings.Join(readers, ", ")).
			WithHint("change them first, or remove it anyway (--force)")
	}
	if err := a.store.PutProject(ctx, records.ProjectChange{Layers: s.catalog.Layers(), Drop: []*catalog.View{v}}); err != nil {
		return err
	}
	return a.load(ctx)
}

// notesFor are the notes of the columns that are still there.
func notesFor(n catalog.Notes, t *catalog.Table) catalog.Notes {
	out := catalog.Notes{Labels: n.Labels}
	for column, note := range n.Columns {
		if t.Column(column) >= 0 {
			if out.Columns == nil {
				out.Columns = map[string]catalog.ColumnNote{}
			}
			out.Columns[column] = note
		}
	}
	return out
}

// checkView says why a view cannot be kept, and returns the estate with it.
func (a *App) checkView(v *catalog.View) (*estate.Estate, error) {
	s := a.state.Load()
	if _, ok := s.catalog.Rank(v.Layer); !ok {
		return nil, value.Errorf(value.CodeUndefinedTable, "there is no layer called %q", v.Layer).WithHint("choose one of the project's layers")
	}
	if err := checkName("view", v.Name); err != nil {
		return nil, err
	}
	b, err := a.bound(Query{SQL: v.SQL, Layer: v.Layer, View: v.Name}, s.catalog)
	if err != nil {
		return nil, err
	}
	var columns []catalog.Column
	for _, col := range b.Root.Columns() {
		columns = append(columns, catalog.Column{Name: col.Name})
	}
	if err := ownNames(columns); err != nil {
		return nil, err
	}
	return a.estateOf(s, s.catalog.WithView(v), s.estate), nil
}

// ownNames fails where columns of a view have no names of their own.
func ownNames(columns []catalog.Column) error {
	seen := map[string]bool{}
	for _, col := range columns {
		if seen[col.Name] || col.Name == "?column?" {
			return value.Errorf("42701", "a view's columns need names of their own, and %q is there twice or has none", col.Name).
				WithHint("name it with AS")
		}
		seen[col.Name] = true
	}
	return nil
}

func taken(v *catalog.View) error {
	return value.Errorf(value.CodeDuplicate, "the layer %s has a view called %s already", v.Layer, v.Name).WithHint("choose another name")
}

// Revision is a text that a view had.
type Revision struct {
	Number      int       `json:"number"`
	SQL         string    `json:"sql"`
	Description string    `json:"description"`
	Message     string    `json:"message"`
	SavedAt     time.Time `json:"savedAt"`
}

// Revisions returns the texts that a view had, newest first.
func (a *App) Revisions(ctx context.Context, name string) ([]Revision, error) {
	v, err := a.viewNamed(name)
	if err != nil {
		return nil, err
	}
	kept, err := a.store.Revisions(ctx, v.Layer, v.Name)
	if err != nil {
		return nil, err
	}
	out := []Revision{}
	for _, r := range kept {
		out = append(out, Revision{r.Number, r.SQL, r.Description, r.Message, r.SavedAt})
	}
	return out, nil
}

// Effects are what saving a view would do to it and to what reads it.
type Effects struct {
	Columns []ColumnChange `json:"columns"`
	Readers []string       `json:"readers"`
	Broken  []WouldBreak   `json:"broken"`
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
func (a *App) EffectsOf(v catalog.View) (_ *Effects, err error) {
	defer value.Guard(&err)
	s := a.state.Load()
	after, err := a.checkView(&v)
	if err != nil {
		return nil, err
	}
	name := v.FullName()
	out := &Effects{Columns: []ColumnChange{}, Readers: s.estate.Downstream(name), Broken: []WouldBreak{}, Mended: []string{}, Worse: []Worse{}, Crossing: []Crossing{}}
	was := s.estate.View(name)
	if was == nil {
		return out, nil
	}
	if was.Err == nil { // else nobody knows what they were
		out.Columns = columnChanges(was.Table, after.View(name).Table)
	}
	until := time.Now().Add(lookedFor)
	for i, reader := range append([]string{name}, out.Readers...) {
		had, now := s.estate.View(reader).Err, after.View(reader).Err
		if now != nil {
			if had == nil {
				out.Broken = append(out.Broken, wouldNotBind(reader, now))
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
		before, err1 := a.reportIn(s, s.catalog, reader)
		next, err2 := a.reportIn(s, after.Catalog(), reader)
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

// reportIn explains a view of a catalogue.
func (a *App) reportIn(s *state, c *catalog.Catalog, view string) (*exec.Report, error) {
	v := c.View(view)
	compiled, err := a.compileIn(s, c, Query{SQL: v.SQL, Layer: v.Layer, View: v.Name}, nil)
	if err != nil {
		return nil, err
	}
	return exec.Explain(compiled, 0), nil
}

// rank orders verdicts from the best.
var rank = map[fold.Verdict]int{fold.Folded: 0, fold.Narrowed: 1, fold.Kept: 2}

// compare notes what is worse in a view's own text, and the rows that cross. The
// text that changes is compared by the words of its pieces, those of its readers
// by their places.
func (e *Effects) compare(view string, changed bool, before, after *exec.Report) {
	key := func(p exec.ReportPiece) string {
		if changed {
			return fmt.Sprint(p.Kind, p.Text)
		}
		return fmt.Sprint(p.Kind, p.Span)
	}
	was := map[string]exec.ReportPiece{}
	for _, p := range before.Pieces {
		if p.View == "" {
			if had, ok := was[key(p)]; !ok || rank[p.Verdict] > rank[had.Verdict] {
				was[key(p)] = p
			}
		}
	}
	for _, p := range after.Pieces {
		had, ok := was[key(p)]
		if p.View == "" && ok && rank[p.Verdict] > rank[had.Verdict] {
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

func rowsCrossing(r *exec.Report) (rows int64) {
	for _, s := range r.Statements {
		rows += s.EstimatedRows
	}
	return rows
}
